package prepare_test

import (
	"context"
	"math"
	"runtime"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"veneer/core/geom"
	"veneer/core/measure"
	"veneer/core/mesh"
	"veneer/core/mesh/meshtest"
	"veneer/core/prepare"
	"veneer/core/repair/recast"
	"veneer/core/spatial"
)

func block(low, high geom.Vec) *mesh.Mesh {
	m := &mesh.Mesh{}
	meshtest.Block(m, low, high)
	return m
}

func ball(radius float64) *mesh.Mesh {
	m := &mesh.Mesh{}
	meshtest.Block(m, geom.Vec{X: -1, Y: -1, Z: -1}, geom.Vec{X: 1, Y: 1, Z: 1})
	for range 3 { // each triangle in four
		var finer []mesh.Triangle
		middle := func(a, b int32) int32 {
			m.Positions = append(m.Positions, m.Positions[a].Lerp(m.Positions[b], 0.5))
			return int32(len(m.Positions) - 1)
		}
		for _, v := range m.Triangles {
			a, b, c := middle(v[0], v[1]), middle(v[1], v[2]), middle(v[2], v[0])
			finer = append(finer, mesh.Triangle{v[0], a, c}, mesh.Triangle{a, v[1], b}, mesh.Triangle{c, b, v[2]}, mesh.Triangle{a, b, c})
		}
		m.Triangles = finer
		m.Weld()
	}
	for i, p := range m.Positions {
		m.Positions[i] = p.Unit().Scale(radius)
	}
	m.Round()
	return m
}

// thinnest is the least distance of corners and middles of a skin from a surface, with
// every triangle looked at.
func thinnest(skin, around *mesh.Mesh) float64 {
	least := math.Inf(1)
	for t := range int32(len(skin.Triangles)) {
		a, b, c := skin.Corners(t)
		for _, p := range []geom.Vec{a, b, c, a.Add(b).Add(c).Scale(1. / 3)} {
			for u := range int32(len(around.Triangles)) {
				d, e, f := around.Corners(u)
				least = min(least, p.Distance(geom.ClosestOnTriangle(p, d, e, f)))
			}
		}
	}
	return least
}

// closed asserts that a skin is a sound hollow's: closed, facing inward, passing through
// nothing.
func closed(t *testing.T, skin *mesh.Mesh) {
	t.Helper()
	topo := mesh.NewTopology(skin)
	edges := topo.Count()
	assert.Zero(t, edges.Boundary+edges.NonManifold+edges.Inconsistent)
	assert.Negative(t, skin.Volume())
	meet, err := spatial.New(skin, nil).Crossings(t.Context(), 1, nil)
	require.NoError(t, err)
	assert.Empty(t, meet.Pairs)
}

func TestABlock(t *testing.T) {
	m := block(geom.Vec{}, geom.Vec{X: 20, Y: 30, Z: 40})
	skin, thin, err := prepare.Hollow(t.Context(), m, prepare.Hollowing{WallMM: 2}, nil)
	require.NoError(t, err)
	closed(t, skin)
	assert.InDelta(t, 2.1, thin, 0.11)
	assert.InDelta(t, thinnest(skin, m), thin, 1e-9)
	box := skin.Bounds()
	for _, d := range []float64{box.Min.X - 2, box.Min.Y - 2, box.Min.Z - 2, 18 - box.Max.X, 28 - box.Max.Y, 38 - box.Max.Z} {
		assert.InDelta(t, 0.1, d, 0.11, "each wall is as thick as asked for, and hardly thicker")
	}
	assert.InEpsilon(t, 16*26*36, -skin.Volume(), 0.06)
	assert.Less(t, len(skin.Triangles), 200, "flat walls are few triangles")
}

func TestWallsAreAsThickAsAskedFor(t *testing.T) {
	tangled := meshtest.Bumpy(14)
	tangled.Scale(90 / tangled.Bounds().Size().X)
	tangled.Round()
	for name, m := range map[string]*mesh.Mesh{"ball": ball(15), "bumpy": tangled} {
		for _, wall := range []float64{1, 3} {
			skin, least, err := prepare.Hollow(t.Context(), m, prepare.Hollowing{WallMM: wall}, nil)
			require.NoError(t, err, name)
			closed(t, skin)
			assert.GreaterOrEqual(t, least, wall*(1-1./24), name)
			assert.LessOrEqual(t, least, wall*1.1, name)
			assert.LessOrEqual(t, least, thinnest(skin, m)+1e-9, name)
			tree := spatial.New(m, nil)
			for _, p := range skin.Positions {
				assert.True(t, tree.Inside(p))
			}
			both := joined(m, skin)
			thin, err := measure.Thickness(t.Context(), spatial.New(both, nil), measure.Samples(both, 4000, nil), wall/2, false)
			require.NoError(t, err)
			assert.Empty(t, thin, "%s: the skin has no folds", name)
		}
	}
}

// TestALumpAtEachEnd has a bar between two lumps that is too thin: two hollows.
func TestALumpAtEachEnd(t *testing.T) {
	m := meshtest.Cells(30, 10, 10, func(x, y, z int) bool { return x < 10 || x >= 20 || y >= 4 && y < 7 && z >= 4 && z < 7 })
	skin, _, err := prepare.Hollow(t.Context(), m, prepare.Hollowing{WallMM: 2}, nil)
	require.NoError(t, err)
	closed(t, skin)
	topo := mesh.NewTopology(skin)
	assert.Len(t, mesh.NewShells(topo, topo.Count()).List, 2)
	list, err := prepare.Drains(t.Context(), joined(m, skin), 1, 1.5)
	require.NoError(t, err)
	require.Len(t, list, 2)
	assert.Less(t, min(list[0].Mouth.X, list[1].Mouth.X), 10.0)
	assert.Greater(t, max(list[0].Mouth.X, list[1].Mouth.X), 20.0)
}

func TestWhatIsNotHollowed(t *testing.T) {
	open := block(geom.Vec{}, geom.Vec{X: 20, Y: 20, Z: 20})
	open.Triangles = open.Triangles[1:]
	out := block(geom.Vec{}, geom.Vec{X: 20, Y: 20, Z: 20})
	for i := range out.Triangles {
		out.Turn(int32(i))
	}
	through := block(geom.Vec{}, geom.Vec{X: 20, Y: 20, Z: 20})
	meshtest.Block(through, geom.Vec{X: 10, Y: 10, Z: 10}, geom.Vec{X: 30, Y: 30, Z: 30})
	for name, c := range map[string]struct {
		m    *mesh.Mesh
		wall float64
		want error
	}{
		"open":            {open, 2, prepare.ErrUnsound},
		"inside out":      {out, 2, prepare.ErrUnsound},
		"through another": {through, 2, prepare.ErrUnsound},
		"thin":            {block(geom.Vec{}, geom.Vec{X: 20, Y: 20, Z: 3.9}), 2, prepare.ErrThin},
		"hardly thicker":  {block(geom.Vec{}, geom.Vec{X: 6, Y: 6, Z: 6}), 2, prepare.ErrThin},
	} {
		_, _, err := prepare.Hollow(t.Context(), c.m, prepare.Hollowing{WallMM: c.wall}, nil)
		assert.ErrorIs(t, err, c.want, name)
	}
	_, _, err := prepare.Hollow(t.Context(), ball(5), prepare.Hollowing{}, nil)
	assert.ErrorContains(t, err, "above 0 mm")
	ended, stop := context.WithCancel(t.Context())
	stop()
	_, _, err = prepare.Hollow(ended, ball(5), prepare.Hollowing{WallMM: 1}, nil)
	assert.ErrorIs(t, err, context.Canceled)
}

// TestTheSameOnAnyNumberOfCores, and about the same at another scale: twice as large with
// walls twice as thick.
func TestTheSameOnAnyNumberOfCores(t *testing.T) {
	hollow := func(m *mesh.Mesh, wall float64) *mesh.Mesh {
		skin, _, err := prepare.Hollow(t.Context(), m, prepare.Hollowing{WallMM: wall}, nil)
		require.NoError(t, err)
		return skin
	}
	want := hollow(ball(15), 2)
	defer runtime.GOMAXPROCS(runtime.GOMAXPROCS(1))
	assert.Equal(t, want, hollow(ball(15), 2))
	twice := ball(15)
	twice.Scale(2)
	larger := hollow(twice, 4)
	assert.InEpsilon(t, 8*want.Volume(), larger.Volume(), 1e-3)
}

func joined(m, skin *mesh.Mesh) *mesh.Mesh {
	all := m.Clone()
	all.Join(skin)
	return all
}

func TestDrainsAreLowAndFarApart(t *testing.T) {
	m := block(geom.Vec{}, geom.Vec{X: 20, Y: 30, Z: 40})
	skin, _, err := prepare.Hollow(t.Context(), m, prepare.Hollowing{WallMM: 2}, nil)
	require.NoError(t, err)
	_, err = prepare.Drains(t.Context(), m, 2, 3)
	assert.ErrorIs(t, err, prepare.ErrNoHollow)
	hollow := joined(m, skin)
	list, err := prepare.Drains(t.Context(), hollow, 3, 3)
	require.NoError(t, err)
	require.Len(t, list, 3)
	assert.InDelta(t, 0, list[0].Mouth.Z, 1e-6, "the first comes out below")
	assert.Greater(t, list[1].Mouth.Distance(list[0].Mouth), 30.0)
	for i, d := range list {
		for _, other := range list[:i] {
			assert.Greater(t, d.Mouth.Distance(other.Mouth), 6.0)
		}
		bore := d.Bore()
		topo := mesh.NewTopology(bore)
		edges := topo.Count()
		assert.Zero(t, edges.Boundary+edges.NonManifold+edges.Inconsistent)
		length := d.From.Distance(d.To)
		assert.InEpsilon(t, -math.Pi*1.5*1.5*length, bore.Volume(), 0.01, "it faces inward, and is round")
		assert.Greater(t, length, 3.9, "it reaches beyond the wall on both sides")
	}
	d, err := prepare.DrainAt(t.Context(), hollow, geom.Vec{X: 20, Y: 15, Z: 20}, 2)
	require.NoError(t, err)
	assert.InDelta(t, 20, d.Mouth.X, 1e-6)
	_, err = prepare.DrainAt(t.Context(), hollow, geom.Vec{}, 30)
	assert.ErrorIs(t, err, prepare.ErrNoPlace)
	assert.ErrorContains(t, err, "30 mm")
}

// BenchmarkHollow hollows a part of a quarter of a million triangles, and compares that
// with drawing its own skin anew on cells of the same size.
func BenchmarkHollow(b *testing.B) {
	m := meshtest.Bumpy(360)
	var hollowed, redrawn time.Duration
	for b.Loop() {
		began := time.Now()
		_, _, err := prepare.Hollow(b.Context(), m, prepare.Hollowing{WallMM: 2}, nil)
		require.NoError(b, err)
		hollowed += time.Since(began)
		began = time.Now()
		_, err = recast.Run(b.Context(), m, recast.Settings{CellMM: 2. / 3, ToleranceMM: 2. / 24}, nil)
		require.NoError(b, err)
		redrawn += time.Since(began)
	}
	b.ReportMetric(hollowed.Seconds()/float64(b.N), "s/hollow")
	b.ReportMetric(float64(hollowed)/float64(redrawn), "x-recast")
}
