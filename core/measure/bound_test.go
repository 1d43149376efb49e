package measure

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"veneer/core/geom"
	"veneer/core/mesh"
	"veneer/core/mesh/meshtest"
	"veneer/core/spatial"
)

// TestWithinABound moves surfaces by known distances: they are shown to be within
// a limit just above it, and not within one below.
func TestWithinABound(t *testing.T) {
	flat := func(n int, z, size float64) *mesh.Mesh {
		m := &mesh.Mesh{}
		for j := range n + 1 {
			for i := range n + 1 {
				m.Positions = append(m.Positions, geom.Vec{X: size * float64(i) / float64(n), Y: size * float64(j) / float64(n), Z: z})
			}
		}
		for j := range n {
			for i := range n {
				v := int32(j*(n+1) + i)
				w := v + int32(n) + 1
				m.Triangles = append(m.Triangles, mesh.Triangle{v, v + 1, w + 1}, mesh.Triangle{v, w + 1, w})
			}
		}
		return m
	}
	for _, n := range [][2]int{{1, 1}, {1, 7}, {7, 1}, {5, 12}} {
		a, b := flat(n[0], 0, 10), spatial.New(flat(n[1], 0.3, 10), nil)
		bound, beyond, err := Within(t.Context(), a, b, 0.31)
		require.NoError(t, err)
		assert.Empty(t, beyond)
		assert.InDelta(t, 0.3, bound, 1e-12)
		_, beyond, err = Within(t.Context(), a, b, 0.29)
		require.NoError(t, err)
		assert.Len(t, beyond, len(a.Triangles))
	}
	wide := flat(1, 0, 12) // reaches beyond by 2√2 at one corner
	_, beyond, err := Within(t.Context(), wide, spatial.New(flat(3, 0, 10), nil), 2.8)
	require.NoError(t, err)
	assert.Len(t, beyond, 2)
	bound, beyond, err := Within(t.Context(), wide, spatial.New(flat(3, 0, 10), nil), 2.83)
	require.NoError(t, err)
	assert.Empty(t, beyond)
	assert.GreaterOrEqual(t, bound, 2*math.Sqrt2-1e-9)
}

// TestABoundHoldsEverywhere looks at random points of surfaces with noise: none is
// beyond the bound, and what is listed as beyond has points there, as near as it is looked.
func TestABoundHoldsEverywhere(t *testing.T) {
	r := rand.New(rand.NewPCG(4, 4))
	for range 6 {
		a, b := meshtest.Bumpy(24+r.IntN(20)), meshtest.Bumpy(20+r.IntN(30))
		for v := range b.Positions {
			b.Positions[v] = b.Positions[v].Add(geom.Vec{X: r.Float64(), Y: r.Float64(), Z: r.Float64()}.Scale(0.4))
		}
		tree := spatial.New(b, nil)
		farthest := make([]float64, len(a.Triangles))
		for _, s := range Samples(a, 40_000, nil) {
			_, _, d := tree.Nearest(s.At, math.Inf(1))
			farthest[s.Triangle] = max(farthest[s.Triangle], d)
		}
		for _, limit := range []float64{0.3, 0.8, 2, 20} {
			bound, beyond, err := Within(t.Context(), a, tree, limit)
			require.NoError(t, err)
			is := map[int32]bool{}
			for i, tr := range beyond {
				is[tr] = true
				if i >= 40 {
					continue
				}
				x, y, z := a.Corners(tr)
				most := 0.0
				for i := range 31 {
					for j := range 31 - i {
						p := x.Scale(float64(30-i-j) / 30).Add(y.Scale(float64(i) / 30)).Add(z.Scale(float64(j) / 30))
						_, _, d := tree.Nearest(p, math.Inf(1))
						most = max(most, d)
					}
				}
				assert.Greater(t, most, 0.93*limit)
			}
			for tr, d := range farthest {
				assert.True(t, is[int32(tr)] || d <= bound+1e-9)
			}
		}
	}
}

// BenchmarkWithin bounds how far a surface of a million triangles is from one of a
// hundred thousand.
func BenchmarkWithin(b *testing.B) {
	fine, coarse := meshtest.Bumpy(707), spatial.New(meshtest.Bumpy(223), nil)
	for b.Loop() {
		_, _, err := Within(b.Context(), fine, coarse, 0.2)
		require.NoError(b, err)
	}
}
