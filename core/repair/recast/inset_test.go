package recast

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"veneer/core/geom"
	"veneer/core/mesh/meshtest"
	"veneer/core/spatial"
)

// TestOpened looks at every point of lattices at random, and at rows longer than a word.
func TestOpened(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 9))
	for range 20 {
		l := lattice{n: [3]int{60 + r.IntN(80), 3 + r.IntN(6), 3 + r.IntN(6)}}
		b := newBitmap(&l)
		inside := func(i, j, k int) bool {
			return i >= 0 && j >= 0 && k >= 0 && i < l.n[0] && j < l.n[1] && k < l.n[2] && b.inside(i, j, k)
		}
		for i := range l.n[0] {
			for j := range l.n[1] {
				for k := range l.n[2] {
					b.set(i, j, k, r.IntN(10) > 0)
				}
			}
		}
		got := b.opened(&l)
		for i := range l.n[0] {
			for j := range l.n[1] {
				for k := range l.n[2] {
					want := false
					for cell := range 8 { // of which it is a corner
						whole := true
						for corner := range 8 {
							whole = whole && inside(i-cell&1+corner&1, j-cell>>1&1+corner>>1&1, k-cell>>2+corner>>2)
						}
						want = want || whole
					}
					require.Equal(t, want, got.inside(i, j, k), "%d %d %d of %v", i, j, k, l.n)
				}
			}
		}
	}
}

// TestDeepAndShallow asks for the distance of every point of a lattice: what is kept is
// what is deep enough, and the crossings lie where the depth is.
func TestDeepAndShallow(t *testing.T) {
	m := meshtest.Bumpy(16)
	const depth = 4.
	l, err := fit(m.Bounds(), Settings{CellMM: 2.3})
	require.NoError(t, err)
	f, err := newField(t.Context(), l, m)
	require.NoError(t, err)
	whole := newBitmap(&l)
	copy(whole.bits, f.inside.bits)
	tree := spatial.New(m, nil)
	require.NoError(t, f.keepDeep(t.Context(), tree, depth))
	deep := 0
	for i := range l.n[0] {
		for j := range l.n[1] {
			for k := range l.n[2] {
				_, _, d := tree.Nearest(f.point([3]int{i, j, k}), math.Inf(1))
				want := whole.inside(i, j, k) && d >= depth
				require.Equal(t, want, f.inside.inside(i, j, k))
				if want {
					deep++
				}
			}
		}
	}
	assert.Greater(t, deep, 1000)
	along, err := f.followDepth(t.Context(), tree, depth)
	require.NoError(t, err)
	n := 0
	for axis := range 3 {
		for k, list := range along[axis] {
			for _, c := range list {
				n++
				p := f.point([3]int{int(c.cell) % l.n[0], int(c.cell) / l.n[0], k}).Array()
				assert.True(t, p[axis] <= c.at && c.at <= p[axis]+l.step)
				p[axis] = c.at
				_, _, d := tree.Nearest(geom.Vec{X: p[0], Y: p[1], Z: p[2]}, math.Inf(1))
				assert.InDelta(t, depth, d, 0.05*l.step)
			}
		}
	}
	assert.Greater(t, n, 1000)
}
