package repair_test

import (
	"fmt"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"veneer/core/check"
	"veneer/core/geom"
	"veneer/core/mesh"
	"veneer/core/mesh/meshtest"
	"veneer/core/pipeline"
	"veneer/core/repair"
	"veneer/core/repair/recast"
)

// TestAHoleStaysAHole builds a cube of 20 mm around a hole of 5 mm from blocks that
// overlap, with sheets across the hole that reach into the solid: fused, the hole
// is open, to the last digits.
func TestAHoleStaysAHole(t *testing.T) {
	for sheets := range 3 {
		m := &mesh.Mesh{}
		for _, b := range [][2]geom.Vec{
			{{}, {X: 7.5, Y: 20, Z: 20}},
			{{X: 12.5}, {X: 20, Y: 20, Z: 20}},
			{{X: 1}, {X: 19, Y: 7.5, Z: 20}},
			{{X: 2, Y: 12.5}, {X: 18, Y: 20, Z: 20}},
		} {
			meshtest.Block(m, b[0], b[1])
		}
		for i := range sheets {
			z := 3 + 14*float64(i)
			quad(m, at(m, 6, 6, z), at(m, 14, 6.5, z), at(m, 14.5, 14, z), at(m, 6, 13, z))
		}
		m.Round()
		answers := map[string]string{check.SheetQuestion: check.Remove}
		r := mendWith(t, m, answers)
		require.Equal(t, check.Pass, r.Verdict, "%d: %s %+v", sheets, findings(r), r.Questions)
		assert.Equal(t, repair.Fuse, r.Method)
		assert.Equal(t, 1, *r.After.Geometry.Genus)
		assert.InEpsilon(t, 7500, *r.After.Geometry.VolumeMM3, 1e-4)
		assert.Less(t, r.Deviation.Max, 8., "only the sheets are gone; walls within the solid are no loss")
		if sheets == 0 {
			assert.Less(t, r.Deviation.Max, 1e-12)
			continue
		}
		assert.Equal(t, check.Hold, mendWith(t, m, nil).Before.Verdict, "what the sheets are meant to be is asked")
		r = mendWith(t, m, map[string]string{check.SheetQuestion: check.Thicken})
		require.Equal(t, check.Pass, r.Verdict, "%d: %s", sheets, findings(r))
		assert.InEpsilon(t, 7500+25*filament.WallMM*float64(sheets), *r.After.Geometry.VolumeMM3, 1e-3)
	}
}

// TestAVesselGetsAWall leaves the mouth of a cup open: its skin becomes a wall
// within, and its outside stays as it is.
func TestAVesselGetsAWall(t *testing.T) {
	const n = 64
	cup := &mesh.Mesh{}
	bottom := at(cup, 0, 0, 0)
	var low, high [n]int32
	for i := range n {
		s, c := math.Sincos(2 * math.Pi * float64(i) / n)
		low[i], high[i] = at(cup, 20*c, 20*s, 0), at(cup, 20*c, 20*s, 40)
	}
	for i := range n {
		j := (i + 1) % n
		quad(cup, low[i], low[j], high[j], high[i])
		cup.Triangles = append(cup.Triangles, mesh.Triangle{bottom, low[j], low[i]})
	}
	r := mendWith(t, cup, map[string]string{check.OpeningQuestion: check.LeaveOpen})
	require.Equal(t, check.Pass, r.Verdict, "%s %+v", findings(r), r.Steps)
	assert.Equal(t, []float64{40, 40, 40}, r.After.Geometry.SizeMM[:])
	outside, within := math.Pi*400*40, math.Pi*math.Pow(20-filament.WallMM, 2)*(40-filament.WallMM)
	assert.InEpsilon(t, outside-within, *r.After.Geometry.VolumeMM3, 0.01)
}

// TestASailGetsAThickness checks a curved sheet that is all of a part, and a shallow
// lid with its underside missing: the one is asked about and becomes a wall, the
// other is closed.
func TestASailGetsAThickness(t *testing.T) {
	skin := func(n int, z func(x, y float64) float64) *mesh.Mesh {
		m := &mesh.Mesh{}
		for j := range n + 1 {
			for i := range n + 1 {
				x, y := 80*float64(i)/float64(n), 80*float64(j)/float64(n)
				at(m, x, y, z(x, y))
			}
		}
		for j := range n {
			for i := range n {
				v := int32(j*(n+1) + i)
				quad(m, v, v+1, v+int32(n)+2, v+int32(n)+1)
			}
		}
		m.Round()
		return m
	}
	sail := skin(24, func(x, y float64) float64 { return 10 * math.Sin(x/30) * math.Cos(y/40) })
	before := examined(t, sail, settings())
	require.Len(t, before.Questions, 1)
	assert.Equal(t, check.SheetQuestion, before.Questions[0].ID)
	assert.Equal(t, check.Thicken, before.Questions[0].Default)
	r := mendWith(t, sail, map[string]string{check.SheetQuestion: check.Thicken})
	require.Equal(t, check.Pass, r.Verdict, "%s %+v %+v", findings(r), r.Steps, r.Questions)
	assert.Equal(t, repair.TouchUp, r.Method)
	assert.InEpsilon(t, before.Geometry.AreaMM2*filament.WallMM, *r.After.Geometry.VolumeMM3, 0.05)
	lid := skin(16, func(x, y float64) float64 {
		if min(x, y, 80-x, 80-y) == 0 {
			return 0
		}
		return 6
	})
	for _, q := range examined(t, lid, settings()).Questions {
		assert.NotEqual(t, check.SheetQuestion, q.ID)
	}
}

// TestTheLadder goes up one method after the other, and no farther than needed.
func TestTheLadder(t *testing.T) {
	torn := meshtest.Bumpy(60)
	torn.Triangles = torn.Triangles[3:]
	crossed := meshtest.Bumpy(60)
	join(crossed, meshtest.Bumpy(40), func(p geom.Vec) geom.Vec { return geom.Vec{X: p.Z + 40, Y: p.Y, Z: -p.X} })
	knotted := meshtest.Bumpy(60) // with boards through one point: too much to fuse
	for i := range 120 {
		s, c := math.Sincos(float64(i))
		b := &mesh.Mesh{}
		meshtest.Block(b, geom.Vec{X: -30, Y: -1.5, Z: -3 - 0.01*float64(i)}, geom.Vec{X: 30, Y: 1.5, Z: 3 + 0.013*float64(i)})
		join(knotted, b, func(p geom.Vec) geom.Vec { return geom.Vec{X: c*p.X - s*p.Y, Y: s*p.X + c*p.Y, Z: p.Z} })
	}
	far := torn.Clone() // one broken shell, and one that is whole and far away
	join(far, shapes()["sphere"], func(p geom.Vec) geom.Vec { return p.Add(geom.Vec{X: 200}) })
	for name, c := range map[string]struct {
		m    *mesh.Mesh
		want repair.Method
	}{"torn": {torn, repair.TouchUp}, "crossed": {crossed, repair.Fuse}, "knotted": {knotted, repair.Recast}} {
		r := mendWith(t, c.m, map[string]string{repair.ChangeQuestion: repair.Accept})
		require.Equal(t, check.Pass, r.Verdict, "%s: %s %+v", name, findings(r), r.Steps)
		assert.Equal(t, c.want, r.Method, name)
	}
	for _, method := range []repair.Method{repair.TouchUp, repair.Fuse, repair.Recast} {
		set := settings()
		set.Method, set.TakeDefaults, set.Recast = method, true, recast.Settings{CellMM: 1}
		before := examined(t, far, set)
		plan := repair.Plan(before, repair.Settings{Process: filament, Method: method, Recast: set.Recast})
		if last := plan[len(plan)-1]; method == repair.Recast {
			assert.Equal(t, 1., last.With["cell_mm"])
			assert.Positive(t, last.Needs.Bytes)
			assert.Positive(t, last.Needs.Seconds)
		}
		r, err := pipeline.Mend(t.Context(), &pipeline.Checked{Mesh: far.Clone(), Report: before}, &memory{}, set)
		require.NoError(t, err)
		require.Equal(t, check.Pass, r.Verdict, "%s: %s", method, findings(r))
		assert.Equal(t, 2, r.After.Geometry.Shells, method)
		if method != repair.Fuse { // nothing passes through anything: there is nothing to fuse
			assert.Equal(t, method, r.Method)
		}
	}
}

// TestColoursFollowARecast draws a part of two colours anew: both are there, on
// their sides.
func TestColoursFollowARecast(t *testing.T) {
	m := &mesh.Mesh{Bodies: []mesh.Body{{Name: "buoy"}}}
	meshtest.Block(m, geom.Vec{}, geom.Vec{X: 20, Y: 20, Z: 20})
	m.Triangles = m.Triangles[:11]
	m.BodyOf = make([]int32, 11)
	for i := range m.Triangles {
		c := mesh.Colour(0xff0000ff)
		if i < 2 {
			c = 0x0000ffff
		}
		m.Colours = append(m.Colours, [3]mesh.Colour{c, c, c})
	}
	set := settings()
	set.Method = repair.Recast
	r, _ := mendAs(t, m, set)
	require.Equal(t, check.Pass, r.Verdict, "%s", findings(r))
	assert.Equal(t, m.Bodies, r.Mesh.Bodies)
	for i := range r.Mesh.Triangles {
		a, b, c := r.Mesh.Corners(int32(i))
		want := mesh.Colour(0xff0000ff)
		if max(a.Z, b.Z, c.Z) < 0.1 {
			want = 0x0000ffff
		}
		assert.Equal(t, want, r.Mesh.Colours[i][0], fmt.Sprint(a, b, c))
	}
}
