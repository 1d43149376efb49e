package recast_test

import (
	"fmt"
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"veneer/core/geom"
	"veneer/core/measure"
	"veneer/core/mesh"
	"veneer/core/mesh/meshtest"
	"veneer/core/repair/recast"
	"veneer/core/spatial"
)

// skin recasts a mesh and wants a solid.
func skin(t testing.TB, m *mesh.Mesh, set recast.Settings) *mesh.Mesh {
	t.Helper()
	m.Round()
	made, err := recast.Run(t.Context(), m, set, nil)
	require.NoError(t, err)
	solid(t, made)
	return made
}

// solid wants a surface that is closed, manifold and oriented, that nowhere meets
// itself, and whose corners are in single precision.
func solid(t testing.TB, m *mesh.Mesh) {
	t.Helper()
	topo := mesh.NewTopology(m)
	e := topo.Count()
	require.Zero(t, e.Boundary+e.NonManifold+e.Inconsistent, "closed and manifold")
	pinched, _ := topo.NonManifoldVertices()
	require.Empty(t, pinched)
	require.Zero(t, m.Flat())
	meet, err := spatial.New(m, nil).Crossings(t.Context(), 100, nil)
	require.NoError(t, err)
	require.Empty(t, meet.Pairs, "nothing meets")
	for _, p := range m.Positions {
		require.Equal(t, p.Single(), p)
	}
}

func volume(m *mesh.Mesh) (v float64) {
	topo := mesh.NewTopology(m)
	for _, s := range mesh.NewShells(topo, topo.Count()).List {
		v += s.VolumeMM3
	}
	return v
}

// apart is how far two surfaces are from each other at most.
func apart(t testing.TB, a, b *mesh.Mesh) float64 {
	t.Helper()
	d, err := measure.Compare(t.Context(), spatial.New(a, nil), spatial.New(b, nil), 5000, true, false)
	require.NoError(t, err)
	return d.Max
}

func block(low, high geom.Vec) *mesh.Mesh {
	m := &mesh.Mesh{}
	meshtest.Block(m, low, high)
	return m
}

// turned is a mesh turned out of the axes' directions.
func turned(m *mesh.Mesh) *mesh.Mesh {
	x, y := geom.Vec{X: 0.8, Y: 0.48, Z: 0.36}, geom.Vec{X: -0.6, Y: 0.64, Z: 0.48}
	z := x.Cross(y)
	for i, p := range m.Positions {
		m.Positions[i] = geom.Vec{X: x.Dot(p), Y: y.Dot(p), Z: z.Dot(p)}.Single()
	}
	return m
}

// TestEdgesStaySharp recasts blocks on coarse and fine cells, along the axes and
// across them: made lighter, they have their twelve triangles and eight corners
// back.
func TestEdgesStaySharp(t *testing.T) {
	for _, cell := range []float64{3, 1, 0.3} {
		for name, m := range map[string]*mesh.Mesh{"along": block(geom.Vec{}, geom.Vec{X: 20, Y: 17, Z: 12}), "across": turned(block(geom.Vec{}, geom.Vec{X: 20, Y: 17, Z: 12}))} {
			s := skin(t, m, recast.Settings{CellMM: cell, ToleranceMM: cell / 8})
			assert.InDelta(t, 20*17*12, volume(s), 20*17*12*1e-4, "%s %g", name, cell)
			assert.Less(t, apart(t, m, s), 0.02*cell, "%s %g", name, cell)
			assert.LessOrEqual(t, len(s.Triangles), 24, "%s %g", name, cell)
		}
	}
}

// TestFinerIsCloser recasts a bumpy ring on ever finer cells: it comes back as one
// ring, always nearer, and lighter than the tolerance needs at most.
func TestFinerIsCloser(t *testing.T) {
	m := meshtest.Bumpy(200)
	last := math.Inf(1)
	for _, cell := range []float64{2, 1, 0.5} {
		s := skin(t, m, recast.Settings{CellMM: cell, ToleranceMM: cell / 8})
		topo := mesh.NewTopology(s)
		shells := mesh.NewShells(topo, topo.Count())
		assert.Len(t, shells.List, 1)
		assert.Zero(t, len(s.Positions)-topo.Edges()+len(s.Triangles), "a ring")
		d := apart(t, m, s)
		assert.Less(t, d, 0.5*cell)
		assert.Less(t, d, last)
		assert.Less(t, len(s.Triangles), 2*len(m.Triangles))
		last = d
	}
}

// TestOpenings takes faces off: openings in a plane are closed flat, wherever
// others are, and one that is not is closed somehow between.
func TestOpenings(t *testing.T) {
	m := block(geom.Vec{}, geom.Vec{X: 20, Y: 20, Z: 20})
	m.Triangles = m.Triangles[2:] // the lowest face
	assert.InDelta(t, 8000, volume(skin(t, m, recast.Settings{CellMM: 0.7})), 0.1)
	m.Triangles = m.Triangles[2:] // and the one across
	assert.InDelta(t, 8000, volume(skin(t, m, recast.Settings{CellMM: 0.7})), 0.1)
	m = block(geom.Vec{}, geom.Vec{X: 20, Y: 20, Z: 20})
	m.Triangles = m.Triangles[1:]
	m.Triangles = append(m.Triangles[:5], m.Triangles[6:]...) // half a face here, and half of its neighbour
	assert.InDelta(t, 8000, volume(skin(t, m, recast.Settings{CellMM: 0.7})), 800)
	ball := meshtest.Grid(60, 30, func(a, b float64) geom.Vec { // a ball without a cap, and with a cut along it
		return geom.Vec{X: 10 * math.Sin(0.2+0.45*b) * math.Cos(0.98*a), Y: 10 * math.Sin(0.2+0.45*b) * math.Sin(0.98*a), Z: 10 * math.Cos(0.2+0.45*b)}
	})
	ball.Keep(func(t int32) bool { return t/60 != 59 && t%60 < 58 })
	s := skin(t, ball, recast.Settings{CellMM: 0.2})
	assert.InDelta(t, 4./3*math.Pi*1000, math.Abs(volume(s)), 200)
}

// TestFacingDoesNotMatter turns the pieces of a soup at random: each is seen to
// face out again.
func TestFacingDoesNotMatter(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	m := turned(block(geom.Vec{}, geom.Vec{X: 20, Y: 17, Z: 12}))
	soup := &mesh.Mesh{}
	for _, v := range m.Triangles {
		if r.IntN(2) == 0 {
			v[1], v[2] = v[2], v[1]
		}
		soup.Triangles = append(soup.Triangles, v)
	}
	soup.Positions = m.Positions
	s := skin(t, soup, recast.Settings{CellMM: 0.5})
	assert.InDelta(t, 20*17*12, volume(s), 40)
}

// TestGaps leaves a slit between two blocks: it is closed when it is as narrow as
// asked, and an inner edge stays sharp.
func TestGaps(t *testing.T) {
	m := block(geom.Vec{}, geom.Vec{X: 10, Y: 20, Z: 20})
	meshtest.Block(m, geom.Vec{X: 10.6}, geom.Vec{X: 20, Y: 20, Z: 20})
	meshtest.Block(m, geom.Vec{X: 30}, geom.Vec{X: 50, Y: 20, Z: 5}) // an angle
	meshtest.Block(m, geom.Vec{X: 30, Z: 5}, geom.Vec{X: 35, Y: 20, Z: 20})
	angle := 20.*20*5 + 5*20*15
	s := skin(t, m, recast.Settings{CellMM: 0.25, GapMM: 0.4})
	assert.InDelta(t, 20*20*19.4+angle, volume(s), 1)
	s = skin(t, m, recast.Settings{CellMM: 0.25, GapMM: 0.8})
	assert.InDelta(t, 8000+angle, volume(s), 8)
}

// TestCrumbsAreLeftOut drops solids and hollows that are finer than asked.
func TestCrumbsAreLeftOut(t *testing.T) {
	m := block(geom.Vec{}, geom.Vec{X: 20, Y: 20, Z: 20})
	meshtest.Block(m, geom.Vec{X: 22}, geom.Vec{X: 23, Y: 1, Z: 1})
	hollow := len(m.Triangles)
	meshtest.Block(m, geom.Vec{X: 5, Y: 5, Z: 5}, geom.Vec{X: 6, Y: 6, Z: 6})
	for t := hollow; t < len(m.Triangles); t++ {
		m.Turn(int32(t))
	}
	assert.InDelta(t, 8000, volume(skin(t, m, recast.Settings{CellMM: 0.2})), 0.1, "one more, one less")
	s := skin(t, m, recast.Settings{CellMM: 0.2, DetailMM: 2})
	assert.InDelta(t, 8000, volume(s), 0.1)
	topo := mesh.NewTopology(s)
	assert.Len(t, mesh.NewShells(topo, topo.Count()).List, 1)
	m.Triangles = m.Triangles[12:24]
	_, err := recast.Run(t.Context(), m, recast.Settings{CellMM: 0.2, DetailMM: 2}, nil)
	assert.ErrorIs(t, err, recast.ErrNothing)
	_, err = recast.Run(t.Context(), m, recast.Settings{CellMM: 1e-6}, nil)
	assert.ErrorIs(t, err, recast.ErrTooFine)
}

// TestAnySoup recasts triangles thrown together at random, with nothing of a
// part about them, on cells about as large as they are: whatever comes out is
// closed, manifold and free of crossings.
func TestAnySoup(t *testing.T) {
	for seed := range uint64(60) {
		t.Run(fmt.Sprint(seed), func(t *testing.T) {
			t.Parallel()
			r := rand.New(rand.NewPCG(seed, 7))
			m := &mesh.Mesh{}
			point := func() geom.Vec { return geom.Vec{X: r.Float64(), Y: r.Float64(), Z: r.Float64()}.Scale(30) }
			for range 10 + r.IntN(200) {
				p := point()
				reach := 1 + 10*r.Float64()
				near := func() geom.Vec { return p.Add(point().Scale(reach / 30)) }
				v := int32(len(m.Positions))
				m.Positions = append(m.Positions, p, near(), near(), near())
				if r.IntN(2) == 0 { // a tetrahedron
					m.Triangles = append(m.Triangles, mesh.Triangle{v, v + 2, v + 1}, mesh.Triangle{v, v + 1, v + 3}, mesh.Triangle{v + 1, v + 2, v + 3}, mesh.Triangle{v, v + 3, v + 2})
				} else {
					m.Triangles = append(m.Triangles, mesh.Triangle{v, v + 1, v + 2})
				}
			}
			m.Round()
			set := recast.Settings{CellMM: 0.3 + 2*r.Float64(), GapMM: float64(r.IntN(2)), ToleranceMM: 0.2 * float64(r.IntN(2))}
			made, err := recast.Run(t.Context(), m, set, nil)
			if err != nil {
				assert.ErrorIs(t, err, recast.ErrNothing)
				return
			}
			solid(t, made)
		})
	}
}

// TestSameOnAnyCores gives the same skin however many cores there are.
func TestSameOnAnyCores(t *testing.T) {
	m := meshtest.Bumpy(100)
	want := skin(t, m, recast.Settings{CellMM: 0.6, ToleranceMM: 0.1})
	for range 3 {
		got := skin(t, m.Clone(), recast.Settings{CellMM: 0.6, ToleranceMM: 0.1})
		require.Equal(t, want.Positions, got.Positions)
		require.Equal(t, want.Triangles, got.Triangles)
	}
}

// TestPrediction foretells the triangles that are drawn.
func TestPrediction(t *testing.T) {
	m := meshtest.Bumpy(100)
	area := 0.0
	for i := range int32(len(m.Triangles)) {
		area += m.AreaNormal(i).Length() / 2
	}
	need, err := recast.Predict(m.Bounds().Size().Array(), area, len(m.Triangles), recast.Settings{CellMM: 0.5})
	require.NoError(t, err)
	s := skin(t, m, recast.Settings{CellMM: 0.5})
	assert.InEpsilon(t, len(s.Triangles), need.Triangles, 0.1)
}

// BenchmarkRecast draws a ring anew, its longest side so many cells long, and makes
// it lighter.
func BenchmarkRecast(b *testing.B) {
	m := meshtest.Bumpy(500)
	m.Round()
	for _, cells := range []int{64, 128, 256, 512} {
		b.Run(fmt.Sprint(cells), func(b *testing.B) {
			cell := 100.6 / float64(cells)
			for b.Loop() {
				s, err := recast.Run(b.Context(), m, recast.Settings{CellMM: cell, ToleranceMM: cell / 8}, nil)
				require.NoError(b, err)
				b.ReportMetric(float64(len(s.Triangles)), "triangles")
			}
		})
	}
}
