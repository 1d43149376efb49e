package spatial_test

import (
	"context"
	"math"
	"math/rand/v2"
	"runtime"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"veneer/core/geom"
	"veneer/core/geom/geomtest"
	"veneer/core/mesh"
	"veneer/core/mesh/meshtest"
	"veneer/core/spatial"
)

// soup is a few triangles over few points, from one of several unkind families.
func soup(r *rand.Rand) *mesh.Mesh {
	m := &mesh.Mesh{}
	family, n := r.IntN(5), 5+r.IntN(6)
	for range n {
		x, y, z := float64(r.IntN(4)), float64(r.IntN(4)), float64(r.IntN(4))
		p := geom.Vec{X: x, Y: y, Z: z}
		switch family {
		case 1: // one slanting plane, exactly
			p.Z = x/2 - y/4
		case 2: // one plane up to rounding
			p = geom.Vec{X: r.Float64(), Y: r.Float64()}
			p.Z = p.X/3 + p.Y/7
		case 3: // single precision, anywhere
			p = geom.Vec{X: 50 + r.Float64(), Y: r.Float64(), Z: r.Float64()}.Single()
		case 4: // two sheets close together
			p = geom.Vec{X: x, Y: y, Z: 1e-7 * float64(r.IntN(2))}
		}
		m.Positions = append(m.Positions, p)
	}
	for range 4 + r.IntN(5) {
		m.Triangles = append(m.Triangles, mesh.Triangle{r.Int32N(int32(n)), r.Int32N(int32(n)), r.Int32N(int32(n))})
	}
	m.Weld()
	return m
}

func crossings(t *testing.T, m *mesh.Mesh) []spatial.Pair {
	t.Helper()
	c, err := spatial.New(m, func(t int32) bool { return !m.ZeroArea(t) }).Crossings(t.Context(), math.MaxInt, nil)
	require.NoError(t, err)
	assert.False(t, c.AtLeast)
	slices.SortFunc(c.Pairs, func(a, b spatial.Pair) int { return slices.Compare(a[:], b[:]) })
	return c.Pairs
}

// brute asks the oracle about every pair.
func brute(m *mesh.Mesh) (pairs []spatial.Pair) {
	for t := range int32(len(m.Triangles)) {
		for u := t + 1; u < int32(len(m.Triangles)); u++ {
			if !m.ZeroArea(t) && !m.ZeroArea(u) && geomtest.Meet(m.Positions, m.Triangles[t], m.Triangles[u]) {
				pairs = append(pairs, spatial.Pair{t, u})
			}
		}
	}
	return pairs
}

// TestCrossingsAgainstTheOracle compares thousands of small soups, pair by pair,
// with rational arithmetic.
func TestCrossingsAgainstTheOracle(t *testing.T) {
	for part := range uint64(4) {
		t.Run("", func(t *testing.T) {
			t.Parallel()
			r := rand.New(rand.NewPCG(7, part))
			some := 0
			for range 3000 {
				m := soup(r)
				want := brute(m)
				require.Equal(t, want, crossings(t, m), "%v %v", m.Positions, m.Triangles)
				if len(want) > 0 {
					some++
				}
			}
			assert.Greater(t, some, 300)
		})
	}
}

// pushed is a torus with some points moved through the other side of its skin.
func pushed(n int, at ...int) *mesh.Mesh {
	m := meshtest.Bumpy(n)
	for _, v := range at {
		p := &m.Positions[v]
		*p = geom.Vec{X: p.X * 0.5, Y: p.Y * 0.5, Z: -p.Z - 3}
	}
	return m
}

// TestCrossingsOfASurface finds exactly the damage, the same on any number of
// cores, whatever the order of triangles and the way the part lies.
func TestCrossingsOfASurface(t *testing.T) {
	assert.Empty(t, crossings(t, meshtest.Bumpy(60)))
	m := pushed(40, 13, 700, 1203)
	want := brutePlain(m)
	require.Greater(t, len(want), 20)
	assert.Equal(t, want, crossings(t, m))

	before := runtime.GOMAXPROCS(1)
	one, err := spatial.New(m, nil).Crossings(t.Context(), 1e9, nil)
	runtime.GOMAXPROCS(before)
	require.NoError(t, err)
	two, err := spatial.New(m, nil).Crossings(t.Context(), 1e9, nil)
	require.NoError(t, err)
	assert.Equal(t, one, two)

	r := rand.New(rand.NewPCG(1, 9))
	shuffled := m.Clone()
	r.Shuffle(len(m.Triangles), func(i, j int) {
		shuffled.Triangles[i], shuffled.Triangles[j] = shuffled.Triangles[j], shuffled.Triangles[i]
	})
	assert.Len(t, crossings(t, shuffled), len(want))
	turned, scaled := m.Clone(), m.Clone()
	for i, p := range m.Positions {
		turned.Positions[i] = geom.Vec{X: -p.Y, Y: p.X, Z: p.Z}
		scaled.Positions[i] = p.Scale(1 << 20)
	}
	assert.Equal(t, want, crossings(t, turned))
	assert.Equal(t, want, crossings(t, scaled))
}

// brutePlain asks the exact test itself about every pair, without a tree.
func brutePlain(m *mesh.Mesh) (pairs []spatial.Pair) {
	for t := range int32(len(m.Triangles)) {
		for u := t + 1; u < int32(len(m.Triangles)); u++ {
			if spatial.Intersect(m, t, u) {
				pairs = append(pairs, spatial.Pair{t, u})
			}
		}
	}
	return pairs
}

// TestFlatSurfaces takes planes full of coplanar neighbours, in regular and
// irregular meshes, none of which cross, and one sheet laid on another.
func TestFlatSurfaces(t *testing.T) {
	grid := func(n int, z float64, tilt float64) *mesh.Mesh {
		m := &mesh.Mesh{}
		for i := range n + 1 {
			for j := range n + 1 {
				x, y := float64(i), float64(j)
				m.Positions = append(m.Positions, geom.Vec{X: x, Y: y, Z: z + tilt*x})
			}
		}
		for i := range n {
			for j := range n {
				a := int32(i*(n+1) + j)
				b, c, d := a+int32(n)+1, a+int32(n)+2, a+1
				m.Triangles = append(m.Triangles, mesh.Triangle{a, b, c}, mesh.Triangle{a, c, d})
			}
		}
		return m
	}
	for _, tilt := range []float64{0, 0.5, 0.1} {
		assert.Empty(t, crossings(t, grid(12, 3, tilt)))
	}
	lower, upper := grid(2, 0, 0), grid(2, 0, 0)
	n := int32(len(lower.Positions))
	for i := range upper.Positions {
		upper.Positions[i].X += 0.5
	}
	both := &mesh.Mesh{Positions: append(lower.Positions, upper.Positions...), Triangles: lower.Triangles}
	for _, v := range upper.Triangles {
		both.Triangles = append(both.Triangles, mesh.Triangle{v[0] + n, v[1] + n, v[2] + n})
	}
	assert.Equal(t, brute(both), crossings(t, both))
}

// TestWorstCaseEnds takes triangles that all cross all others.
func TestWorstCaseEnds(t *testing.T) {
	m := &mesh.Mesh{}
	r := rand.New(rand.NewPCG(2, 2))
	for i := range int32(600) {
		for range 3 {
			m.Positions = append(m.Positions, geom.Vec{X: r.NormFloat64(), Y: r.NormFloat64(), Z: r.NormFloat64()})
		}
		m.Triangles = append(m.Triangles, mesh.Triangle{3 * i, 3*i + 1, 3*i + 2})
	}
	tree := spatial.New(m, nil)
	all, err := tree.Crossings(t.Context(), 1e9, nil)
	require.NoError(t, err)
	require.Greater(t, len(all.Pairs), 5000)
	for range 3 {
		some, err := tree.Crossings(t.Context(), 1000, nil)
		require.NoError(t, err)
		assert.True(t, some.AtLeast)
		assert.Equal(t, all.Pairs[:1000], some.Pairs, "the first of them, every time")
	}
	ctx, cancel := context.WithCancel(t.Context())
	cancel()
	_, err = tree.Crossings(ctx, 1e9, nil)
	assert.ErrorIs(t, err, context.Canceled)
}

func TestEmptyTrees(t *testing.T) {
	assert.Empty(t, crossings(t, &mesh.Mesh{}))
	assert.Empty(t, crossings(t, &mesh.Mesh{Positions: make([]geom.Vec, 3), Triangles: []mesh.Triangle{{0, 1, 2}}}))
}

func BenchmarkCrossings(b *testing.B) {
	m := meshtest.Bumpy(707)
	b.Run("tree", func(b *testing.B) {
		for b.Loop() {
			spatial.New(m, nil)
		}
	})
	tree := spatial.New(m, nil)
	b.Run("pairs", func(b *testing.B) {
		for b.Loop() {
			c, err := tree.Crossings(b.Context(), 1e9, nil)
			require.NoError(b, err)
			require.Empty(b, c.Pairs)
		}
	})
}

// TestQueriesAgainstAllTriangles holds rays and nearest points against a look
// at every triangle, on surfaces and on soups, from points inside and outside,
// along the axes too.
func TestQueriesAgainstAllTriangles(t *testing.T) {
	r := rand.New(rand.NewPCG(4, 4))
	hits := 0
	for round := range 100 {
		m := soup(r)
		if round%3 == 0 {
			m = pushed(12, 5, 50)
		}
		tree := spatial.New(m, nil)
		for range 20 {
			p := geom.Vec{X: r.NormFloat64() * 30, Y: r.NormFloat64() * 30, Z: r.NormFloat64() * 5}
			dir := geom.Vec{X: r.NormFloat64(), Y: r.NormFloat64(), Z: r.NormFloat64()}.Unit()
			if r.IntN(3) == 0 {
				dir = geom.Vec{Z: -1}
			}
			if r.IntN(3) == 0 && len(m.Triangles) > 0 { // from the surface itself
				a, b, c := m.Corners(r.Int32N(int32(len(m.Triangles))))
				p = a.Add(b).Add(c).Scale(1. / 3)
			}
			nearest, best := int32(-1), math.Inf(1)
			first := math.Inf(1)
			for u := range int32(len(m.Triangles)) {
				a, b, c := m.Corners(u)
				if d := geom.ClosestOnTriangle(p, a, b, c).Distance(p); d < best {
					nearest, best = u, d
				}
				alone := &mesh.Mesh{Positions: m.Positions, Triangles: m.Triangles[u : u+1]}
				if _, d := spatial.New(alone, nil).Ray(p, dir, 1e9, -1); d < first {
					first = d
				}
			}
			_, _, d := tree.Nearest(p, 1e9)
			if nearest >= 0 {
				require.InDelta(t, best, d, 1e-9)
			}
			hit, d := tree.Ray(p, dir, 1e9, -1)
			if math.IsInf(first, 1) || first == 1e9 {
				require.Equal(t, int32(-1), hit)
			} else {
				hits++
				require.Equal(t, first, d)
			}
		}
	}
	assert.Greater(t, hits, 100)
}

// TestWindingAndInside tells the inside of a closed ring from its outside, by the
// winding number and by rays, and half way at the middle of an opening.
func TestWindingAndInside(t *testing.T) {
	m := meshtest.Bumpy(80)
	tree := spatial.New(m, nil)
	w := spatial.NewWinding(tree)
	r := rand.New(rand.NewPCG(5, 5))
	for range 500 {
		a, b, out := 7*r.Float64(), 7*r.Float64(), r.IntN(2)
		p := geom.Vec{}
		reach := 3 + 5*r.Float64() + 9*float64(out)
		ring := 40 + reach*math.Cos(b)
		p = geom.Vec{X: ring * math.Cos(a), Y: ring * math.Sin(a), Z: reach * math.Sin(b)}
		assert.InDelta(t, 1-out, w.At(p), 0.1, "%v", p)
		assert.Equal(t, out == 0, tree.Inside(p), "%v", p)
	}
	box := &mesh.Mesh{}
	meshtest.Block(box, geom.Vec{X: -1, Y: -1, Z: -1}, geom.Vec{X: 1, Y: 1, Z: 1})
	box.Triangles = box.Triangles[:10] // one side is open
	assert.InDelta(t, 5./6, spatial.NewWinding(spatial.New(box, nil)).At(geom.Vec{}), 1e-12)
	assert.Zero(t, spatial.NewWinding(spatial.New(&mesh.Mesh{}, nil)).At(geom.Vec{}))
}
