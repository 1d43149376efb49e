package decimate_test

import (
	"context"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"veneer/core/decimate"
	"veneer/core/geom"
	"veneer/core/measure"
	"veneer/core/mesh"
	"veneer/core/mesh/meshtest"
	"veneer/core/spatial"
)

// lighter decimates a mesh and wants its topology unchanged and nothing crossing.
func lighter(t testing.TB, m *mesh.Mesh, set decimate.Settings) (*mesh.Mesh, measure.Deviation) {
	t.Helper()
	m.Round()
	r, err := decimate.Run(t.Context(), m, set, nil)
	require.NoError(t, err)
	before, after := mesh.NewTopology(m), mesh.NewTopology(r.Mesh)
	b, a := before.Count(), after.Count()
	require.Equal(t, b.Boundary, a.Boundary)
	require.Equal(t, b.NonManifold+b.Inconsistent, a.NonManifold+a.Inconsistent)
	require.Equal(t, len(m.Positions)-b.Edges+len(m.Triangles), len(r.Mesh.Positions)-a.Edges+len(r.Mesh.Triangles), "Euler's number")
	meet, err := spatial.New(r.Mesh, nil).Crossings(t.Context(), 10, nil)
	require.NoError(t, err)
	require.Empty(t, meet.Pairs)
	d, err := measure.Compare(t.Context(), spatial.New(m, nil), spatial.New(r.Mesh, nil), 5000, true, false)
	require.NoError(t, err)
	return r.Mesh, d
}

// TestWithinTheTolerance makes a bumpy ring lighter, in blocks and whole: it is
// lighter with more tolerance, and never off by more.
func TestWithinTheTolerance(t *testing.T) {
	for _, n := range []int{100, 250} {
		m := meshtest.Bumpy(n)
		last := len(m.Triangles)
		for _, tolerance := range []float64{0.02, 0.1, 0.5} {
			s, d := lighter(t, m, decimate.Settings{ToleranceMM: tolerance})
			assert.Less(t, d.Max, tolerance)
			assert.Less(t, len(s.Triangles), last)
			last = len(s.Triangles)
		}
	}
}

// TestToANumber stops at the number of triangles that was asked for, with less
// deviation for more of them.
func TestToANumber(t *testing.T) {
	m := meshtest.Bumpy(100)
	last := 0.0
	for _, n := range []int{10_000, 5_000, 1_000} {
		s, d := lighter(t, m, decimate.Settings{Triangles: n})
		assert.InDelta(t, n, len(s.Triangles), 2)
		assert.Greater(t, d.Max, last)
		last = d.Max
	}
}

// TestFlatSidesCollapse takes a block of many triangles back to twelve, exactly.
func TestFlatSidesCollapse(t *testing.T) {
	m := &mesh.Mesh{}
	at := map[geom.Vec]int32{}
	point := func(p geom.Vec) int32 {
		v, known := at[p]
		if !known {
			v = int32(len(m.Positions))
			at[p] = v
			m.Positions = append(m.Positions, p)
		}
		return v
	}
	const n = 20
	for axis := range 3 {
		for side := range 2 {
			corner := func(i, j int) int32 {
				var c [3]float64
				c[axis], c[(axis+1)%3], c[(axis+2)%3] = float64(n*side), float64(i), float64(j)
				return point(geom.Vec{X: c[0], Y: c[1], Z: c[2]})
			}
			for i := range n {
				for j := range n {
					a, b, c, d := corner(i, j), corner(i+1, j), corner(i+1, j+1), corner(i, j+1)
					if side == 0 {
						b, d = d, b
					}
					m.Triangles = append(m.Triangles, mesh.Triangle{a, b, c}, mesh.Triangle{a, c, d})
				}
			}
		}
	}
	s, d := lighter(t, m, decimate.Settings{ToleranceMM: 1e-4})
	assert.Len(t, s.Triangles, 12)
	assert.Less(t, d.Max, 1e-4)
}

// TestBordersStay keeps open rims, and the line between two colours.
func TestBordersStay(t *testing.T) {
	m := meshtest.Bumpy(60)
	m.Keep(func(t int32) bool { return t%7 != 0 || t > 500 })
	m.Weld()
	lighter(t, m, decimate.Settings{ToleranceMM: 1})
	m = meshtest.Bumpy(60)
	m.Colours = make([][3]mesh.Colour, len(m.Triangles))
	for i := range m.Colours {
		c := mesh.Colour(0xff0000ff)
		if a, _, _ := m.Corners(int32(i)); a.X > 0 {
			c = 0x00ff00ff
		}
		m.Colours[i] = [3]mesh.Colour{c, c, c}
	}
	border := func(m *mesh.Mesh) (length float64) {
		topo := mesh.NewTopology(m)
		for e := range int32(topo.Edges()) {
			if h := topo.Halves(e); m.Colours[h[0]/3] != m.Colours[h[1]/3] {
				length += m.Positions[topo.From(h[0])].Distance(m.Positions[topo.To(h[0])])
			}
		}
		return length
	}
	s, _ := lighter(t, m, decimate.Settings{Triangles: 2000})
	assert.Less(t, len(s.Triangles), 2200)
	assert.InDelta(t, border(m), border(s), 1e-9)
	keep := make([]bool, len(m.Positions))
	for v, p := range m.Positions {
		keep[v] = p.Y > 0
	}
	s, _ = lighter(t, m, decimate.Settings{Triangles: 10, Keep: keep})
	there := map[geom.Vec]bool{}
	for _, p := range s.Positions {
		there[p] = true
	}
	for v, p := range m.Positions {
		assert.True(t, !keep[v] || there[p], "%v", p)
	}
}

// TestCloseSkinsStayApart makes two skins lighter that are nearer to each other
// than the tolerance: they do not come to cross.
func TestCloseSkinsStayApart(t *testing.T) {
	m := meshtest.Bumpy(120)
	inner := meshtest.Grid(120, 120, func(a, b float64) geom.Vec {
		r := 40 + 9.9*math.Cos(b) + 0.3*math.Sin(30*a)*math.Cos(20*b)
		return geom.Vec{X: r * math.Cos(a), Y: r * math.Sin(a), Z: 9.9 * math.Sin(b)}
	})
	n := int32(len(m.Positions))
	m.Positions = append(m.Positions, inner.Positions...)
	for _, v := range inner.Triangles {
		m.Triangles = append(m.Triangles, mesh.Triangle{v[0] + n, v[2] + n, v[1] + n})
	}
	s, _ := lighter(t, m, decimate.Settings{ToleranceMM: 0.3})
	assert.Less(t, len(s.Triangles), len(m.Triangles))
}

func TestCancelled(t *testing.T) {
	ctx, cancel := context.WithCancel(t.Context())
	cancel()
	m := meshtest.Bumpy(100)
	m.Round()
	_, err := decimate.Run(ctx, m, decimate.Settings{Triangles: 100}, nil)
	assert.ErrorIs(t, err, context.Canceled)
}

// BenchmarkDecimate takes a million triangles to a tenth, and to a tolerance.
func BenchmarkDecimate(b *testing.B) {
	m := meshtest.Bumpy(707)
	m.Round()
	for name, set := range map[string]decimate.Settings{"to a tenth": {Triangles: 100_000}, "to 0.05 mm": {ToleranceMM: 0.05}} {
		b.Run(name, func(b *testing.B) {
			for b.Loop() {
				_, err := decimate.Run(b.Context(), m, set, nil)
				require.NoError(b, err)
			}
		})
	}
}
