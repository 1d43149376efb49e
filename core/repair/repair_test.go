package repair_test

import (
	"bytes"
	"fmt"
	"io"
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"veneer/core/check"
	"veneer/core/format/file"
	"veneer/core/geom"
	"veneer/core/mesh"
	"veneer/core/pipeline"
	"veneer/core/process"
	"veneer/core/repair"
	"veneer/core/unit"
)

// memory is a file that is not on disk.
type memory struct{ b []byte }

func (m *memory) Write(p []byte) (int, error)    { m.b = append(m.b, p...); return len(p), nil }
func (m *memory) Seek(int64, int) (int64, error) { return 0, nil }
func (m *memory) Truncate(int64) error           { m.b = nil; return nil }
func (m *memory) ReadAt(p []byte, at int64) (int, error) {
	return bytes.NewReader(m.b).ReadAt(p, at)
}

var filament = func() process.Process { p, _ := process.Named("filament"); return p }()

func settings() pipeline.Settings {
	return pipeline.Settings{Process: filament, Unit: "mm", Limits: file.DefaultLimits()}
}

// examined is the report on a mesh whose unit is mm, as settings have it checked.
func examined(t *testing.T, m *mesh.Mesh, set pipeline.Settings) *check.Report {
	t.Helper()
	estimate, err := unit.Settled("mm", unit.Clues{Size: m.Bounds().Size().Array()})
	require.NoError(t, err)
	before, err := check.Run(t.Context(), m, check.Settings{Process: set.Process, Unit: estimate, Answers: set.Answers, TakeDefaults: set.TakeDefaults})
	require.NoError(t, err)
	return before
}

// mendAs checks and repairs a mesh, through bytes.
func mendAs(t *testing.T, m *mesh.Mesh, set pipeline.Settings) (*repair.Result, []byte) {
	t.Helper()
	out := &memory{}
	r, err := pipeline.Mend(t.Context(), &pipeline.Checked{Mesh: m, Report: examined(t, m, set)}, out, set)
	require.NoError(t, err)
	return r, out.b
}

func mend(t *testing.T, m *mesh.Mesh) (*repair.Result, []byte) {
	t.Helper()
	return mendAs(t, m, settings())
}

// shapes are closed surfaces of genus 0 to 8.
func shapes() map[string]*mesh.Mesh {
	all := map[string]*mesh.Mesh{"sphere": grid(20, 40, true, func(a, b float64) geom.Vec {
		return geom.Vec{X: 20 * math.Sin(b/2) * math.Cos(a), Y: 20 * math.Sin(b/2) * math.Sin(a), Z: -20 * math.Cos(b/2)}
	})}
	all["torus"] = grid(32, 24, false, func(a, b float64) geom.Vec {
		r := 30 + 9*math.Cos(b)
		return geom.Vec{X: r * math.Cos(a), Y: r * math.Sin(a), Z: 9 * math.Sin(b)}
	})
	all["knot"] = grid(120, 16, false, func(a, b float64) geom.Vec {
		c := func(a float64) geom.Vec {
			return geom.Vec{X: 12 * (math.Sin(a) + 2*math.Sin(2*a)), Y: 12 * (math.Cos(a) - 2*math.Cos(2*a)), Z: -12 * math.Sin(3*a)}
		}
		t := c(a + 1e-3).Sub(c(a - 1e-3)).Unit()
		u := t.Cross(geom.Vec{X: 0.1, Y: 0.2, Z: 1}).Unit()
		v := u.Cross(t)
		return c(a).Add(u.Scale(3 * math.Cos(b))).Add(v.Scale(3 * math.Sin(b)))
	})
	two := all["sphere"].Clone()
	hollow := grid(16, 24, true, func(a, b float64) geom.Vec {
		return geom.Vec{X: 9 * math.Sin(b/2) * math.Cos(a), Y: 9 * math.Sin(b/2) * math.Sin(a), Z: -9 * math.Cos(b/2)}
	})
	base := int32(len(two.Positions))
	two.Positions = append(two.Positions, hollow.Positions...)
	for _, v := range hollow.Triangles {
		two.Triangles = append(two.Triangles, mesh.Triangle{v[0] + base, v[2] + base, v[1] + base})
	}
	all["hollow ball"] = two
	for _, m := range all {
		m.Round()
	}
	return all
}

// grid is a closed surface over two angles; with poles, b runs from one to the other.
func grid(n, k int, poles bool, at func(a, b float64) geom.Vec) *mesh.Mesh {
	m := &mesh.Mesh{}
	rows := k
	if poles {
		rows = k + 1
	}
	for j := range rows {
		for i := range n {
			p := at(2*math.Pi*float64(i)/float64(n), 2*math.Pi*float64(j)/float64(k))
			if poles && (j == 0 || j == k) {
				p = at(0, 2*math.Pi*float64(j)/float64(k))
			}
			m.Positions = append(m.Positions, p)
		}
	}
	id := func(i, j int) int32 { return int32(j%rows*n + i%n) }
	for j := range k {
		for i := range n {
			a, b, c, d := id(i, j), id(i+1, j), id(i+1, j+1), id(i, j+1)
			if !poles || j > 0 {
				m.Triangles = append(m.Triangles, mesh.Triangle{a, b, c})
			}
			if !poles || j < k-1 {
				m.Triangles = append(m.Triangles, mesh.Triangle{a, c, d})
			}
		}
	}
	m.Weld()
	return m
}

// damage makes every kind of damage this method mends, spread at random.
func damage(m *mesh.Mesh, r *rand.Rand) {
	m.Positions = append(m.Positions, geom.Vec{})
	free := make([]bool, len(m.Positions))
	pick := func() (int32, bool) { // a triangle with no damaged neighbour
		for range 50 {
			t := r.Int32N(int32(len(m.Triangles)))
			v := m.Triangles[t]
			if !free[v[0]] && !free[v[1]] && !free[v[2]] && !m.RepeatsVertex(t) {
				free[v[0]], free[v[1]], free[v[2]] = true, true, true
				return t, true
			}
		}
		return 0, false
	}
	var gone []int32
	for range len(m.Triangles) / 60 {
		t, ok := pick()
		if !ok {
			continue
		}
		v := m.Triangles[t]
		switch r.IntN(4) {
		case 0:
			gone = append(gone, t)
		case 1:
			m.Triangles[t] = mesh.Triangle{v[0], v[2], v[1]}
		case 2:
			m.Append(0, mesh.Triangle{v[1], v[2], v[0]})
		case 3:
			m.Append(0, mesh.Triangle{v[0], v[1], v[1]})
		}
	}
	n := 0
	m.Keep(func(int32) bool {
		for _, g := range gone {
			if int32(n) == g {
				n++
				return false
			}
		}
		n++
		return true
	})
	m.Weld()
	if r.IntN(2) == 0 { // and inside out as a whole
		for i, v := range m.Triangles {
			m.Triangles[i] = mesh.Triangle{v[0], v[2], v[1]}
		}
	}
}

// TestMixedDamageEndsInTheOriginalSolid mends random damage of every kind on
// every shape: the result passes, with the original's shells, genus and volume,
// and every triangle that was left alone is still there.
func TestMixedDamageEndsInTheOriginalSolid(t *testing.T) {
	for name, shape := range shapes() {
		want, _ := mend(t, shape)
		require.Equal(t, check.Pass, want.Before.Verdict, name)
		for seed := range uint64(25) {
			t.Run(fmt.Sprintf("%s %d", name, seed), func(t *testing.T) {
				m := shape.Clone()
				damage(m, rand.New(rand.NewPCG(seed, 5)))
				r, _ := mend(t, m)
				require.Equal(t, check.Pass, r.Verdict, "%+v", r.After.Findings)
				require.True(t, r.Repaired)
				g, w := r.After.Geometry, want.Before.Geometry
				assert.Equal(t, w.Shells, g.Shells)
				assert.Equal(t, *w.Genus, *g.Genus)
				assert.InEpsilon(t, *w.VolumeMM3, *g.VolumeMM3, 1e-9, "single triangles leave holes that are filled with themselves")
				assert.Equal(t, corners(shape), corners(r.Mesh))
			})
		}
	}
}

// corners is the set of a mesh's triangles, by position, whichever way they face.
func corners(m *mesh.Mesh) map[[3]geom.Vec]bool {
	set := map[[3]geom.Vec]bool{}
	for t := range int32(len(m.Triangles)) {
		a, b, c := m.Corners(t)
		for less(b, a) || less(c, a) {
			a, b, c = b, c, a
		}
		if less(c, b) {
			b, c = c, b
		}
		set[[3]geom.Vec{a, b, c}] = true
	}
	return set
}

func less(a, b geom.Vec) bool {
	if a.X != b.X {
		return a.X < b.X
	}
	if a.Y != b.Y {
		return a.Y < b.Y
	}
	return a.Z < b.Z
}

// TestRepairIsIdempotent repairs what was repaired: nothing changes, not a byte.
func TestRepairIsIdempotent(t *testing.T) {
	m := shapes()["torus"]
	damage(m, rand.New(rand.NewPCG(3, 3)))
	_, first := mend(t, m)
	c, err := pipeline.Check(t.Context(), file.Source{Name: "again.stl", R: bytes.NewReader(first), Size: int64(len(first))}, settings())
	require.NoError(t, err)
	assert.Empty(t, repair.Plan(c.Report, repair.Settings{Process: filament}))
	out := &memory{}
	_, err = pipeline.Mend(t.Context(), c, out, settings())
	require.NoError(t, err)
	assert.Equal(t, first, out.b)
}

// TestLargeHoles closes a missing half: flat in its plane, curved by least area.
func TestLargeHoles(t *testing.T) {
	for name, gone := range map[string]func(a, b, c geom.Vec) bool{
		"flat rim":   func(a, b, c geom.Vec) bool { return a.Z < -0.1 || b.Z < -0.1 || c.Z < -0.1 },
		"ragged rim": func(a, b, c geom.Vec) bool { return a.Add(b).Add(c).Dot(geom.Vec{X: 1, Y: 0.7, Z: 0.4}) > 12 },
	} {
		t.Run(name, func(t *testing.T) {
			m := shapes()["sphere"]
			m.Keep(func(t int32) bool { return !gone(m.Corners(t)) })
			m.Weld()
			r := mendWith(t, m, map[string]string{check.OpeningQuestion: check.Close, repair.ChangeQuestion: repair.Accept})
			require.Equal(t, check.Pass, r.Verdict)
			assert.Equal(t, 0, *r.After.Geometry.Genus)
		})
	}
}

// TestFillsFollowTheCurvature takes caps off a ball and patches off a torus: the
// fill comes back to where the surface was, far closer than a lid without new
// points could, and its triangles are as fine as those around it.
func TestFillsFollowTheCurvature(t *testing.T) {
	ball := grid(60, 80, true, func(a, b float64) geom.Vec {
		return geom.Vec{X: 20 * math.Sin(b/2) * math.Cos(a), Y: 20 * math.Sin(b/2) * math.Sin(a), Z: -20 * math.Cos(b/2)}
	})
	torus := grid(96, 64, false, func(a, b float64) geom.Vec {
		r := 30 + 9*math.Cos(b)
		return geom.Vec{X: r * math.Cos(a), Y: r * math.Sin(a), Z: 9 * math.Sin(b)}
	})
	offBall := func(p geom.Vec) float64 { return math.Abs(p.Length() - 20) }
	offTorus := func(p geom.Vec) float64 { return math.Abs(math.Hypot(math.Hypot(p.X, p.Y)-30, p.Z) - 9) }
	for _, c := range []struct {
		name   string
		m      *mesh.Mesh
		middle geom.Vec
		radius float64
		off    func(geom.Vec) float64
		most   float64 // mm from the true surface
	}{
		{"ball, along a ring", ball, geom.Vec{Z: 20}, 5, offBall, 0.15},
		{"ball, along a larger ring", ball, geom.Vec{Z: 20}, 9, offBall, 0.5},
		{"ball, ragged", ball, geom.Vec{X: 12, Y: 16}, 6, offBall, 0.3},
		{"torus, outside", torus, geom.Vec{X: 39}, 4, offTorus, 0.15},
		{"torus, above", torus, geom.Vec{Y: 30, Z: 9}, 5, offTorus, 0.3},
		{"torus, inside", torus, geom.Vec{X: -21}, 4, offTorus, 0.2},
	} {
		t.Run(c.name, func(t *testing.T) {
			m := c.m.Clone()
			m.Round()
			whole := len(m.Triangles)
			m.Keep(func(t int32) bool {
				a, b, d := m.Corners(t)
				return a.Add(b).Add(d).Scale(1./3).Distance(c.middle) > c.radius
			})
			gone := whole - len(m.Triangles)
			before := len(m.Triangles)
			m.Weld()
			r, _ := mend(t, m)
			require.Equal(t, check.Pass, r.Verdict)
			filled := len(r.Mesh.Triangles) - before
			assert.Greater(t, filled, gone/4)
			assert.Less(t, filled, 3*gone)
			farthest := 0.0
			for _, v := range r.Mesh.Triangles[before:] {
				for _, i := range v {
					farthest = max(farthest, c.off(r.Mesh.Positions[i]))
				}
			}
			assert.Less(t, farthest, c.most)
		})
	}
}

// TestLongCurvedRim has more vertices than the exact search takes.
func TestLongCurvedRim(t *testing.T) {
	m := grid(700, 8, false, func(a, b float64) geom.Vec {
		r := 30 + 9*math.Cos(b)
		return geom.Vec{X: r * math.Cos(a), Y: r * math.Sin(a), Z: 9*math.Sin(b) + 4*math.Sin(5*a)}
	})
	m.Round()
	m.Keep(func(t int32) bool { return (t/2)/700 != 3 }) // a ring of quads: two long rims
	m.Weld()
	r := mendWith(t, m, map[string]string{check.OpeningQuestion: check.Close, repair.ChangeQuestion: repair.Accept})
	assert.Equal(t, check.Pass, r.Verdict, "%s %+v", findings(r), r.Steps)
	assert.Equal(t, 1, *r.After.Geometry.Genus, "the ring is back, and no lid cuts the part in two")
}

// TestSheetsBecomeWalls asks what a surface that encloses nothing is meant to be:
// it becomes a wall, or stays as it is.
func TestSheetsBecomeWalls(t *testing.T) {
	flat := &mesh.Mesh{Positions: []geom.Vec{{}, {X: 9}, {X: 9, Y: 9}, {Y: 9}}, Triangles: []mesh.Triangle{{0, 1, 2}, {0, 2, 3}}}
	r := mendWith(t, flat, nil)
	assert.Equal(t, check.Hold, r.Before.Verdict)
	require.Equal(t, check.Thicken, r.Before.Questions[0].Default)
	r = mendWith(t, flat, map[string]string{check.SheetQuestion: check.Keep})
	assert.Equal(t, check.Repair, r.Verdict)
	assert.Contains(t, r.Steps[0].Left, "encloses nothing")
	assert.Len(t, r.Mesh.Triangles, 2)
	r = mendWith(t, flat, map[string]string{check.SheetQuestion: check.Thicken})
	require.Equal(t, check.Pass, r.Verdict, "%s %+v", findings(r), r.Steps)
	assert.InDelta(t, 81*filament.WallMM, *r.After.Geometry.VolumeMM3, 1e-4)
	assert.Len(t, r.Mesh.Triangles, 12)
}

// TestFlatTrianglesAreSwappedAway fills slits with triangles of no area, as
// some programs do: they go, and the surface stays closed and exactly in place.
func TestFlatTrianglesAreSwappedAway(t *testing.T) {
	m := &mesh.Mesh{}
	for _, p := range [][3]float64{{0, 0, 0}, {4, 0, 0}, {0, 4, 0}, {0, 0, 4}, {2, 0, 0}, {1, 0, 0}} {
		m.Positions = append(m.Positions, geom.Vec{X: p[0], Y: p[1], Z: p[2]})
	}
	// The edge 0-1 is split at 5 and 4 towards corner 2 only; a chain of two flat triangles fills the slit.
	m.Triangles = []mesh.Triangle{{0, 2, 5}, {5, 2, 4}, {4, 2, 1}, {0, 5, 1}, {5, 4, 1}, {0, 1, 3}, {1, 2, 3}, {0, 3, 2}}
	r, _ := mend(t, m)
	require.Equal(t, 2, r.Before.Geometry.Degenerate)
	require.Zero(t, r.Before.Geometry.BoundaryEdges)
	require.Equal(t, 3, *r.Before.Geometry.SelfIntersections, "the whole edge lies on the split one")
	require.Equal(t, check.Pass, r.Verdict, "%+v", r.After.Findings)
	assert.Zero(t, r.After.Geometry.Degenerate)
	assert.Equal(t, 64./6, *r.After.Geometry.VolumeMM3)
}

func TestPlanNamesWhatItIsFor(t *testing.T) {
	m := shapes()["sphere"]
	m.Triangles = m.Triangles[1:]
	m.Weld()
	r, _ := mend(t, m)
	require.NotEmpty(t, r.Steps)
	assert.Equal(t, "fill", r.Steps[0].Step)
	assert.Equal(t, "1 open loop", r.Steps[0].Why)
	assert.Equal(t, "1 hole filled with 1 triangle", r.Steps[0].Detail)
}

func TestNoMethodOfAnotherName(t *testing.T) {
	_, err := repair.MethodNamed("magic")
	assert.ErrorContains(t, err, "magic")
}

var _ io.Writer = (*memory)(nil)

// TestColoursSurviveRepair colours a part by body, damages it and mends it:
// every triangle that was there keeps its colour, and lids take their rim's.
func TestColoursSurviveRepair(t *testing.T) {
	m := shapes()["hollow ball"]
	const red, blue = 0xff0000ff, 0x0000ffff
	for tri := range m.Triangles {
		c := mesh.Colour(red)
		if a, _, _ := m.Corners(int32(tri)); a.Length() < 15 {
			c = blue
		}
		m.Colours = append(m.Colours, [3]mesh.Colour{c, c, c})
	}
	m.Keep(func(tri int32) bool { return tri%97 != 5 })
	for tri := int32(30); tri < 900; tri += 200 {
		m.Turn(tri)
	}
	m.Append(40, m.Triangles[40])
	r, _ := mend(t, m)
	require.Equal(t, check.Pass, r.Verdict)
	require.Len(t, r.Mesh.Colours, len(r.Mesh.Triangles))
	for tri := range r.Mesh.Triangles {
		want := mesh.Colour(red)
		if a, _, _ := r.Mesh.Corners(int32(tri)); a.Length() < 15 {
			want = blue
		}
		require.Equal(t, [3]mesh.Colour{want, want, want}, r.Mesh.Colours[tri], "triangle %d", tri)
	}
}

// TestFinsAreTakenOff hangs triangles and strips of triangles on a surface, and
// membranes that end in the open: what they hang on stays, bit by bit.
func TestFinsAreTakenOff(t *testing.T) {
	for name, clean := range shapes() {
		t.Run(name, func(t *testing.T) {
			m := clean.Clone()
			n := len(m.Triangles)
			for i := range 6 { // strips of one to six triangles, each off an edge of its own
				v := m.Triangles[i*n/7]
				a, b, c := m.Corners(int32(i * n / 7))
				out := b.Sub(a).Cross(c.Sub(a)).Unit()
				low := [2]int32{v[0], v[1]}
				for k := range i + 1 {
					m.Positions = append(m.Positions, a.Lerp(b, 0.3+0.4*float64(k%2)).Add(out.Scale(0.8*float64(k+1))).Single())
					top := int32(len(m.Positions) - 1)
					m.Append(0, mesh.Triangle{low[0], low[1], top})
					low[k%2] = top
				}
			}
			r, _ := mend(t, m)
			assert.Equal(t, "drop-fins", r.Steps[0].Step)
			assert.Equal(t, 6, r.Steps[0].Changed)
			assert.Equal(t, "6 fins of 21 triangles taken off", r.Steps[0].Detail)
			require.Equal(t, check.Pass, r.Verdict, "%+v", r.After.Findings)
			assert.Len(t, r.Mesh.Triangles, n)
			assert.Less(t, r.Deviation.Mean, 1.0)
		})
	}
}
