package decimate_test

import (
	"context"
	"math"
	"runtime"
	"runtime/metrics"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"veneer/core/decimate"
	"veneer/core/geom"
	"veneer/core/measure"
	"veneer/core/mesh"
	"veneer/core/mesh/meshtest"
	"veneer/core/spatial"
)

// lighter decimates a mesh and wants its topology unchanged, nothing crossing, and
// the tolerance kept.
func lighter(t testing.TB, m *mesh.Mesh, set decimate.Settings) (*mesh.Mesh, measure.Deviation) {
	t.Helper()
	m.Round()
	r, err := decimate.Run(t.Context(), m, set, nil)
	require.NoError(t, err)
	return r.Mesh, sound(t, m, r, set)
}

// sound wants of a lighter mesh what was promised.
func sound(t testing.TB, m *mesh.Mesh, r decimate.Result, set decimate.Settings) measure.Deviation {
	t.Helper()
	before, after := mesh.NewTopology(m), mesh.NewTopology(r.Mesh)
	b, a := before.Count(), after.Count()
	loops := func(topo *mesh.Topology) int { return len(topo.Loops()) }
	require.Equal(t, loops(before), loops(after))
	require.Equal(t, b.Boundary == 0, a.Boundary == 0)
	require.Equal(t, b.NonManifold+b.Inconsistent, a.NonManifold+a.Inconsistent)
	require.Equal(t, len(m.Positions)-b.Edges+len(m.Triangles), len(r.Mesh.Positions)-a.Edges+len(r.Mesh.Triangles), "Euler's number")
	require.Equal(t, len(mesh.NewShells(before, b).List), len(mesh.NewShells(after, a).List))
	meet, err := spatial.New(r.Mesh, nil).Crossings(t.Context(), 10, nil)
	require.NoError(t, err)
	require.Empty(t, meet.Pairs)
	for v, p := range r.Mesh.Positions {
		require.Equal(t, p.Single(), p, v)
	}
	d, err := measure.Compare(t.Context(), spatial.New(m, nil), spatial.New(r.Mesh, nil), 5000, true, false)
	require.NoError(t, err)
	if set.ToleranceMM > 0 {
		assert.LessOrEqual(t, r.WithinMM, set.ToleranceMM)
		assert.LessOrEqual(t, d.Max, r.WithinMM+1e-9)
	}
	return d
}

// TestWithinTheTolerance makes a bumpy ring lighter, in blocks and whole: it is
// lighter with more tolerance, and never off by more, but nearly by as much.
func TestWithinTheTolerance(t *testing.T) {
	for _, n := range []int{100, 180} {
		m := meshtest.Bumpy(n)
		last := len(m.Triangles)
		for _, tolerance := range []float64{0.05, 0.1, 0.5} {
			s, d := lighter(t, m, decimate.Settings{ToleranceMM: tolerance})
			assert.Greater(t, d.Max, tolerance/2)
			assert.Less(t, len(s.Triangles), last)
			last = len(s.Triangles)
		}
	}
}

// TestToANumber stops at the number of triangles that was asked for, with less
// deviation for more of them, whole and in blocks.
func TestToANumber(t *testing.T) {
	for _, c := range []struct {
		n    int
		last float64
	}{{100, 0.6}, {200, 0.5}} {
		m := meshtest.Bumpy(c.n)
		last := 0.0
		for _, share := range []int{2, 4, 20} {
			s, d := lighter(t, m, decimate.Settings{Triangles: 2 * c.n * c.n / share})
			assert.InDelta(t, 2*c.n*c.n/share, len(s.Triangles), 2)
			assert.Greater(t, d.Max, last)
			last = d.Max
		}
		assert.Less(t, last, c.last)
	}
}

// TestLevels stops several times on one way: each level is as light as asked for,
// and within its tolerance of the mesh at first.
func TestLevels(t *testing.T) {
	m := meshtest.Bumpy(120)
	m.Round()
	sets := []decimate.Settings{{ToleranceMM: 0.05}, {ToleranceMM: 0.2}, {ToleranceMM: 0.4, Triangles: 900}}
	levels, err := decimate.Levels(t.Context(), m, sets, nil)
	require.NoError(t, err)
	require.Len(t, levels, 3)
	last := len(m.Triangles)
	for i, r := range levels {
		sound(t, m, r, sets[i])
		assert.Less(t, len(r.Mesh.Triangles), last)
		last = len(r.Mesh.Triangles)
	}
	assert.GreaterOrEqual(t, last, 900)
	levels, err = decimate.Levels(t.Context(), m, []decimate.Settings{{Triangles: 8000}, {Triangles: 2000}, {Triangles: 500}}, nil)
	require.NoError(t, err)
	for i, n := range []int{8000, 2000, 500} {
		assert.InDelta(t, n, len(levels[i].Mesh.Triangles), 2)
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
	assert.InEpsilon(t, border(m), border(s), 0.02)
	const tolerance = 0.1
	s, _ = lighter(t, m, decimate.Settings{ToleranceMM: tolerance})
	lines := func(m *mesh.Mesh) (list [][2]geom.Vec) {
		topo := mesh.NewTopology(m)
		for e := range int32(topo.Edges()) {
			if h := topo.Halves(e); m.Colours[h[0]/3] != m.Colours[h[1]/3] {
				list = append(list, [2]geom.Vec{m.Positions[topo.From(h[0])], m.Positions[topo.To(h[0])]})
			}
		}
		return list
	}
	old, made := lines(m), lines(s)
	assert.Less(t, len(made), len(old)*3/4, "lighter along the border too")
	for _, l := range old {
		nearest := math.Inf(1)
		for _, k := range made {
			d := k[1].Sub(k[0])
			f := max(0, min(1, l[0].Sub(k[0]).Dot(d)/d.Dot(d)))
			nearest = min(nearest, l[0].Distance(k[0].Add(d.Scale(f))))
		}
		assert.Less(t, nearest, 3*tolerance)
	}
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

// TestColoursStayAsTheyLook makes lighter what is coloured by a gradient, and what a
// picture covers in two pieces with a seam between them.
func TestColoursStayAsTheyLook(t *testing.T) {
	m := meshtest.Bumpy(100)
	m.Round()
	shade := func(p geom.Vec) [3]float64 {
		return [3]float64{128 + 2*p.X, 128 + 2*p.Y, 128 + 5*p.Z}
	}
	place := func(p geom.Vec, chart bool) [2]float64 {
		if chart {
			return [2]float64{0.2 + p.X/300, 0.2 + p.Y/300}
		}
		return [2]float64{0.7 - p.X/300, 0.7 + p.Y/300}
	}
	upper := func(m *mesh.Mesh, t int32) bool { a, _, _ := m.Corners(t); return a.Z > 0 }
	m.Colours, m.Covers, m.Textures = make([][3]mesh.Colour, len(m.Triangles)), make([]mesh.Cover, len(m.Triangles)), []mesh.Texture{{Name: "dial.png"}}
	chart := make([]bool, len(m.Triangles))
	for i, v := range m.Triangles {
		chart[i] = upper(m, int32(i))
		m.Covers[i].Texture = 1
		for k, u := range v {
			c := shade(m.Positions[u])
			m.Colours[i][k] = mesh.Colour(uint32(c[0])<<24 | uint32(c[1])<<16 | uint32(c[2])<<8 | 255)
			at := place(m.Positions[u], chart[i])
			m.Covers[i].At[k] = [2]float32{float32(at[0]), float32(at[1])}
		}
	}
	for _, set := range []decimate.Settings{{ToleranceMM: 0.3}, {Triangles: 4000}} {
		s, _ := lighter(t, m, set)
		assert.Less(t, len(s.Triangles), 9000)
		for i, v := range s.Triangles {
			one, other := 0.0, 0.0
			for k, u := range v {
				r, g, b, _ := s.Colours[i][k].RGBA()
				want := shade(s.Positions[u])
				assert.InDelta(t, want[0], float64(r), 12)
				assert.InDelta(t, want[1], float64(g), 12)
				assert.InDelta(t, want[2], float64(b), 12)
				x, y := place(s.Positions[u], true), place(s.Positions[u], false)
				at := s.Covers[i].At[k]
				one = max(one, math.Abs(x[0]-float64(at[0])), math.Abs(x[1]-float64(at[1])))
				other = max(other, math.Abs(y[0]-float64(at[0])), math.Abs(y[1]-float64(at[1])))
			}
			assert.Less(t, min(one, other), 0.01, "of one piece of the picture")
		}
	}
}

func TestCancelled(t *testing.T) {
	ctx, cancel := context.WithCancel(t.Context())
	cancel()
	m := meshtest.Bumpy(100)
	m.Round()
	_, err := decimate.Run(ctx, m, decimate.Settings{Triangles: 100}, nil)
	assert.ErrorIs(t, err, context.Canceled)
}

// BenchmarkDecimate takes a million triangles to a tenth, two million to a quarter,
// and a million as far as a tolerance goes. It tells how many bytes were in use at
// most for each triangle.
func BenchmarkDecimate(b *testing.B) {
	for _, c := range []struct {
		name string
		n    int
		set  decimate.Settings
	}{
		{"quarter of a million to a tenth", 354, decimate.Settings{Triangles: 25_000}},
		{"1 million to a tenth", 707, decimate.Settings{Triangles: 100_000}},
		{"2 million to a quarter", 1000, decimate.Settings{Triangles: 500_000}},
		{"1 million to 0.05 mm", 707, decimate.Settings{ToleranceMM: 0.05}},
	} {
		m := meshtest.Bumpy(c.n)
		m.Round()
		b.Run(c.name, func(b *testing.B) {
			runtime.GC()
			most, stop := uint64(0), make(chan struct{})
			done := make(chan struct{})
			go func() {
				defer close(done)
				for tick := time.NewTicker(10 * time.Millisecond); ; {
					select {
					case <-stop:
						return
					case <-tick.C:
						var s [1]metrics.Sample
						s[0].Name = "/memory/classes/heap/objects:bytes"
						metrics.Read(s[:])
						most = max(most, s[0].Value.Uint64())
					}
				}
			}()
			for b.Loop() {
				_, err := decimate.Run(b.Context(), m, c.set, nil)
				require.NoError(b, err)
			}
			close(stop)
			<-done
			b.ReportMetric(float64(most)/float64(len(m.Triangles)), "bytes/triangle")
		})
	}
}
