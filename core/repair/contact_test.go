package repair_test

import (
	"maps"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"veneer/core/check"
	"veneer/core/geom"
	"veneer/core/mesh"
	"veneer/core/mesh/meshtest"
	"veneer/core/repair"
)

// mendWith repairs a mesh with answers to its questions.
func mendWith(t *testing.T, m *mesh.Mesh, answers map[string]string) *repair.Result {
	t.Helper()
	set := settings()
	set.Answers = answers
	r, _ := mendAs(t, m, set)
	return r
}

// quad adds two triangles.
func quad(m *mesh.Mesh, a, b, c, d int32) {
	m.Triangles = append(m.Triangles, mesh.Triangle{a, b, c}, mesh.Triangle{a, c, d})
}

func at(m *mesh.Mesh, x, y, z float64) int32 {
	m.Positions = append(m.Positions, geom.Vec{X: x, Y: y, Z: z}.Single())
	return int32(len(m.Positions) - 1)
}

const around = 24 // points of a plate's hole

// plate is 20 by 20 by 12 mm with a round hole of 10 mm through it. It returns
// the hole's rims, at the top and at the bottom.
func plate() (m *mesh.Mesh, top, bottom []int32) {
	m = &mesh.Mesh{}
	var outTop, outBottom []int32
	for i := range around {
		s, c := math.Sincos(2 * math.Pi * float64(i) / around)
		k := 10 / max(math.Abs(s), math.Abs(c))
		top, bottom = append(top, at(m, 5*c, 5*s, 12)), append(bottom, at(m, 5*c, 5*s, 0))
		outTop, outBottom = append(outTop, at(m, k*c, k*s, 12)), append(outBottom, at(m, k*c, k*s, 0))
	}
	for i := range around {
		j := (i + 1) % around
		quad(m, top[i], outTop[i], outTop[j], top[j])
		quad(m, bottom[j], outBottom[j], outBottom[i], bottom[i])
		quad(m, outBottom[i], outBottom[j], outTop[j], outTop[i])
		quad(m, top[i], top[j], bottom[j], bottom[i])
	}
	return m, top, bottom
}

// lid spans a rim by a fan to its middle.
func lid(m *mesh.Mesh, rim []int32, z float64) {
	middle := at(m, 0, 0, z)
	for i := range rim {
		m.Triangles = append(m.Triangles, mesh.Triangle{rim[i], rim[(i+1)%len(rim)], middle})
	}
}

// TestSheetsAcrossAChannel closes a through-hole at one end, at both, and in the
// middle: a person is asked, and once the sheet goes the plate is as it was; left
// alone it cannot pass.
func TestSheetsAcrossAChannel(t *testing.T) {
	clean, _, _ := plate()
	want, _ := mend(t, clean)
	require.Equal(t, check.Pass, want.Verdict)
	require.Equal(t, 1, *want.After.Geometry.Genus)
	for name, ends := range map[string][2]bool{"top": {true, false}, "bottom": {false, true}, "both": {true, true}} {
		t.Run(name, func(t *testing.T) {
			m, top, bottom := plate()
			if ends[0] {
				lid(m, top, 12)
			}
			if ends[1] {
				lid(m, bottom, 0)
			}
			r := mendWith(t, m, nil)
			assert.Equal(t, check.Hold, r.Before.Verdict)
			require.Len(t, r.Questions, 1)
			assert.Equal(t, check.MembraneQuestion, r.Questions[0].ID)
			assert.NotEqual(t, check.Pass, r.Verdict, "nobody said that the sheet may go")
			r = mendWith(t, m, map[string]string{check.MembraneQuestion: check.Remove})
			require.Equal(t, check.Pass, r.Verdict, "%+v", r.Steps)
			assert.Equal(t, 1, *r.After.Geometry.Genus, "the hole is open")
			assert.Equal(t, *want.After.Geometry.VolumeMM3, *r.After.Geometry.VolumeMM3)
			assert.True(t, maps.Equal(corners(clean), corners(r.Mesh)))
		})
	}
}

// TestWallsWithinASolid go without asking: they bound nothing.
func TestWallsWithinASolid(t *testing.T) {
	single, double := &mesh.Mesh{}, &mesh.Mesh{}
	v := meshtest.Block(single, geom.Vec{}, geom.Vec{X: 10, Y: 10, Z: 10})
	single.Triangles = single.Triangles[:10] // without its face at x = 10
	w := meshtest.Block(single, geom.Vec{X: 10}, geom.Vec{X: 25, Y: 10, Z: 10})
	assert.NotEqual(t, v, w)
	single.Weld()
	meshtest.Block(double, geom.Vec{}, geom.Vec{X: 10, Y: 10, Z: 10})
	meshtest.Block(double, geom.Vec{X: 10}, geom.Vec{X: 25, Y: 10, Z: 10})
	last := double.Triangles[22:24]
	require.Equal(t, int32(9), last[0][0])
	face := double.Triangles[20:22] // at x = 10 of the second, cut along the first's diagonal
	face[0], face[1] = mesh.Triangle{8, 14, 10}, mesh.Triangle{8, 12, 14}
	double.Weld()
	for name, m := range map[string]*mesh.Mesh{"one wall": single, "two, back to back": double} {
		t.Run(name, func(t *testing.T) {
			r := mendWith(t, m, nil)
			require.Empty(t, r.Questions)
			require.Equal(t, check.Pass, r.Verdict, "%+v", r.Steps)
			assert.Equal(t, 2500.0, *r.After.Geometry.VolumeMM3)
			assert.Equal(t, 1, r.After.Geometry.Shells)
		})
	}
}

// TestSolidsThatTouchAlongAnEdge are drawn apart by less than any printer shows.
func TestSolidsThatTouchAlongAnEdge(t *testing.T) {
	for name, low := range map[string]geom.Vec{"two blocks": {X: 10, Y: 10}, "at a corner's edge": {X: 10, Y: -10}} {
		t.Run(name, func(t *testing.T) {
			m := &mesh.Mesh{}
			meshtest.Block(m, geom.Vec{}, geom.Vec{X: 10, Y: 10, Z: 10})
			meshtest.Block(m, low, low.Add(geom.Vec{X: 10, Y: 10, Z: 10}))
			m.Weld()
			r := mendWith(t, m, nil)
			require.Equal(t, 1, r.Before.Geometry.NonManifoldEdges)
			require.Equal(t, check.Pass, r.Verdict, "%+v %+v", r.Steps, r.After.Findings)
			assert.Equal(t, 2, r.After.Geometry.Shells)
			assert.InDelta(t, 2000, *r.After.Geometry.VolumeMM3, 0.1)
			assert.Less(t, r.Deviation.Max, 0.001)
		})
	}
}

// TestTeeJoints splits a face's edges on one side only: the other side's are
// split as well, and nothing is open.
func TestTeeJoints(t *testing.T) {
	m := &mesh.Mesh{}
	v := meshtest.Block(m, geom.Vec{}, geom.Vec{X: 10, Y: 10, Z: 10})
	m.Triangles = append(m.Triangles[:2:2], m.Triangles[4:]...) // its top anew, with more corners
	var rim []int32
	for i, p := range []geom.Vec{{}, {X: 10}, {X: 10, Y: 10}, {Y: 10}} {
		rim = append(rim, v[[4]int{4, 5, 7, 6}[i]])
		q := []geom.Vec{{}, {X: 10}, {X: 10, Y: 10}, {Y: 10}}[(i+1)%4]
		for k := 1; k <= i+1; k++ {
			e := p.Lerp(q, float64(k)/float64(i+2)).Single()
			rim = append(rim, at(m, e.X, e.Y, 10))
		}
	}
	middle := at(m, 5, 5, 10)
	for i := range rim {
		m.Triangles = append(m.Triangles, mesh.Triangle{rim[i], rim[(i+1)%len(rim)], middle})
	}
	m.Colours = make([][3]mesh.Colour, len(m.Triangles))
	for i := range m.Colours {
		m.Colours[i] = [3]mesh.Colour{0xff0000ff, 0xff0000ff, 0xff0000ff}
	}
	r := mendWith(t, m, nil)
	require.Equal(t, 10, r.Before.Geometry.TeeJoints)
	require.Equal(t, check.Pass, r.Verdict, "%+v", r.Steps)
	assert.InDelta(t, 1000, *r.After.Geometry.VolumeMM3, 1e-3)
	for _, c := range r.Mesh.Colours {
		require.Equal(t, mesh.Colour(0xff0000ff), c[1])
	}
}

// TestPiecesThatGo are specks, and what was answered to be left over.
func TestPiecesThatGo(t *testing.T) {
	part := func() *mesh.Mesh {
		m := shapes()["torus"]
		meshtest.Block(m, geom.Vec{Z: 30}, geom.Vec{X: 2, Y: 2, Z: 32})             // loose
		meshtest.Block(m, geom.Vec{Z: 40}, geom.Vec{X: 0.2, Y: 0.2, Z: 40.2})       // finer than shows
		meshtest.Block(m, geom.Vec{X: 5, Z: 40}, geom.Vec{X: 6, Y: 1, Z: 41})       // a speck that is whole
		v := meshtest.Block(m, geom.Vec{X: 9, Z: 40}, geom.Vec{X: 10, Y: 1, Z: 41}) // and one that is not
		m.Triangles = m.Triangles[:len(m.Triangles)-3]
		quad(m, at(m, 0, 0, 60), at(m, 9, 0, 60), at(m, 9, 9, 60), at(m, 0, 9, 60)) // a sheet
		assert.NotZero(t, v)
		return m
	}
	r := mendWith(t, part(), nil)
	require.Len(t, r.Questions, 2)
	assert.Equal(t, check.Hold, r.Before.Verdict)
	r = mendWith(t, part(), map[string]string{check.StrayShell: check.Drop, check.SheetQuestion: check.Remove})
	require.Equal(t, check.Pass, r.Verdict, "%+v", r.Steps)
	assert.Equal(t, 2, r.After.Geometry.Shells, "the part and the whole speck")
	r = mendWith(t, part(), map[string]string{check.StrayShell: check.Print, check.SheetQuestion: check.Remove})
	require.Equal(t, check.Pass, r.Verdict)
	assert.Equal(t, 3, r.After.Geometry.Shells)
	r = mendWith(t, part(), map[string]string{check.StrayShell: check.Print, check.SheetQuestion: check.Keep})
	assert.Equal(t, check.Repair, r.Verdict, "a sheet cannot print")
}

// TestMissingTunnels takes the wall out of a through-hole, whole or cut anew at
// one end: what comes back is a hole that goes through, not two lids. A pipe
// whose wall is there gets lids.
func TestMissingTunnels(t *testing.T) {
	clean, _, _ := plate()
	want, _ := mend(t, clean)
	open := clean.Clone()
	open.Keep(func(t int32) bool { return t%8 < 6 }) // each sector ends with the hole's wall
	open.Weld()
	require.Equal(t, 2, len(mesh.NewTopology(open).Loops()))
	r := mendWith(t, open, nil)
	require.Equal(t, check.Pass, r.Verdict, "%+v %+v", r.Steps, r.Questions)
	assert.Equal(t, 1, *r.After.Geometry.Genus)
	assert.InDelta(t, *want.After.Geometry.VolumeMM3, *r.After.Geometry.VolumeMM3, 1e-3)

	pipe := &mesh.Mesh{}
	var low, high []int32
	for i := range around {
		s, c := math.Sincos(2 * math.Pi * float64(i) / around)
		low, high = append(low, at(pipe, 5*c, 5*s, 0)), append(high, at(pipe, 5*c, 5*s, 30))
	}
	for i := range around {
		quad(pipe, low[i], low[(i+1)%around], high[(i+1)%around], high[i])
	}
	r = mendWith(t, pipe, map[string]string{check.OpeningQuestion: check.Close})
	require.Equal(t, check.Pass, r.Verdict, "%+v %+v", r.Steps, r.Questions)
	assert.Equal(t, 0, *r.After.Geometry.Genus, "closed at both ends")
	assert.Empty(t, mendWith(t, pipe, map[string]string{check.OpeningQuestion: check.LeaveOpen}).After.Geometry.Genus)
}

// TestOverlapsAreFused pushes damaged bodies into one another: they are mended,
// then fused, and what comes out is one solid; kept apart, they stay two.
func TestOverlapsAreFused(t *testing.T) {
	m := shapes()["torus"]
	n, count := int32(len(m.Positions)), len(m.Triangles)
	for _, p := range shapes()["sphere"].Positions {
		m.Positions = append(m.Positions, p.Add(geom.Vec{X: 27.3, Y: 1.1, Z: 0.7}).Single())
	}
	for _, v := range shapes()["sphere"].Triangles {
		m.Triangles = append(m.Triangles, mesh.Triangle{v[0] + n, v[1] + n, v[2] + n})
	}
	m.Triangles = append(m.Triangles[:40:40], m.Triangles[43:]...)
	m.Turn(300)
	m.Append(0, m.Triangles[500])
	before := corners(m)
	r := mendWith(t, m, nil)
	require.Equal(t, check.Pass, r.Verdict, "%s %+v", findings(r), r.Steps)
	assert.Equal(t, repair.Fuse, r.Method)
	assert.Equal(t, 1, r.After.Geometry.Shells)
	kept := 0
	for c := range corners(r.Mesh) {
		if before[c] {
			kept++
		}
	}
	assert.Greater(t, kept, len(before)/2, "what met nothing is there bit by bit")

	named := m.Clone()
	named.Bodies, named.BodyOf = []mesh.Body{{Name: "ring"}, {Name: "ball"}}, make([]int32, len(named.Triangles))
	for i := count - 3; i < len(named.Triangles); i++ {
		named.BodyOf[i] = 1
	}
	r = mendWith(t, named, nil)
	assert.Equal(t, check.Hold, r.Before.Verdict)
	named.Colours = make([][3]mesh.Colour, len(named.Triangles))
	for i, b := range named.BodyOf {
		c := mesh.Colour(0xff0000ff) >> (8 * b)
		named.Colours[i] = [3]mesh.Colour{c, c, c}
	}
	r = mendWith(t, named, map[string]string{check.OverlappingShells: check.Join})
	require.Equal(t, check.Pass, r.Verdict, "%s %+v", findings(r), r.Steps)
	assert.Equal(t, []mesh.Body{{Name: "ring"}}, r.Mesh.Bodies, "neither is closed by itself")
	colours := map[mesh.Colour]int{}
	for _, c := range r.Mesh.Colours {
		colours[c[0]]++
	}
	assert.Len(t, colours, 2, "colours follow their triangles")
	r = mendWith(t, named, map[string]string{check.OverlappingShells: check.Apart})
	require.Equal(t, check.Pass, r.Verdict, "%s %+v", findings(r), r.Steps)
	assert.Equal(t, 2, r.After.Geometry.Shells)
	assert.Equal(t, repair.TouchUp, r.Method)
}
