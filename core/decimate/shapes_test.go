package decimate_test

import (
	"fmt"
	"math"
	"math/rand/v2"
	"os"
	"strconv"
	"testing"

	"github.com/stretchr/testify/assert"

	"veneer/core/decimate"
	"veneer/core/geom"
	"veneer/core/mesh"
	"veneer/core/mesh/meshtest"
)

// turned is a mesh turned around two axes and rounded, so that its planes are no
// longer along any axis.
func turned(m *mesh.Mesh, angle float64) *mesh.Mesh {
	s, c := math.Sincos(angle)
	for v, p := range m.Positions {
		p = geom.Vec{X: c*p.X - s*p.Y, Y: s*p.X + c*p.Y, Z: p.Z}
		m.Positions[v] = geom.Vec{X: p.X, Y: c*p.Y - s*p.Z, Z: s*p.Y + c*p.Z}
	}
	m.Round()
	return m
}

func grille(x, y, _ int) bool  { return x%4 < 2 || y%4 < 1 }
func frame(x, y, z int) bool   { return x < 3 || x > 10 || y < 3 || y > 10 || z < 2 && x < 7 }
func stairs(x, _, z int) bool  { return z <= x/2 }
func hollow(x, y, z int) bool  { return x < 2 || x > 7 || y < 2 || y > 7 || z < 2 || z > 7 }
func whole(_, _, _ int) bool   { return true }
func channel(x, y, _ int) bool { return (x-8)*(x-8) > 4 || y < 3 || y > 6 }

func tenShapes() map[string]*mesh.Mesh {
	knot := func(a float64) geom.Vec {
		return geom.Vec{X: 12 * (math.Sin(a) + 2*math.Sin(2*a)), Y: 12 * (math.Cos(a) - 2*math.Cos(2*a)), Z: -12 * math.Sin(3*a)}
	}
	all := map[string]*mesh.Mesh{
		"bumpy": meshtest.Bumpy(40),
		"ring": meshtest.Grid(40, 24, func(a, b float64) geom.Vec {
			r := 30 + 9*math.Cos(b)
			return geom.Vec{X: r * math.Cos(a), Y: r * math.Sin(a), Z: 9 * math.Sin(b)}
		}),
		"knot": meshtest.Grid(150, 16, func(a, b float64) geom.Vec {
			along := knot(a + 1e-3).Sub(knot(a - 1e-3)).Unit()
			u := along.Cross(geom.Vec{X: 0.1, Y: 0.2, Z: 1}).Unit()
			return knot(a).Add(u.Scale(4 * math.Cos(b))).Add(u.Cross(along).Scale(-4 * math.Sin(b)))
		}),
		"relief": meshtest.Grid(60, 30, func(a, b float64) geom.Vec {
			r := 30 + 8*math.Cos(b)
			z := 8*math.Sin(b) + 0.6*math.Sin(9*a)*math.Max(0, math.Sin(b))
			return geom.Vec{X: r * math.Cos(a), Y: r * math.Sin(a), Z: z}
		}),
		"block":   turned(meshtest.Cells(12, 10, 8, whole), 0),
		"grille":  turned(meshtest.Cells(22, 17, 3, grille), 0),
		"frame":   turned(meshtest.Cells(14, 14, 6, frame), 0.4),
		"stairs":  turned(meshtest.Cells(16, 6, 8, stairs), 0.9),
		"hollow":  turned(meshtest.Cells(10, 10, 10, hollow), 0.2),
		"channel": turned(meshtest.Cells(16, 10, 6, channel), 1.3),
	}
	for _, m := range all {
		m.Round()
	}
	return all
}

// TestManyShapes makes ten shapes lighter in random ways: nothing crosses that did
// not before, nothing opens, genus and shells stay, and so does the promise.
func TestManyShapes(t *testing.T) {
	times := 4
	if n, err := strconv.Atoi(os.Getenv("VENEER_LIGHTER")); err == nil {
		times = n / 10
	}
	done := 0
	for name, m := range tenShapes() {
		r := rand.New(rand.NewPCG(uint64(len(m.Triangles)), 7))
		for range times {
			var set decimate.Settings
			if r.IntN(3) > 0 {
				set.ToleranceMM = math.Exp(r.Float64()*7 - 6)
			}
			if set.ToleranceMM == 0 || r.IntN(4) == 0 {
				set.Triangles = 4 + r.IntN(len(m.Triangles))
			}
			if r.IntN(4) == 0 {
				set.Keep = make([]bool, len(m.Positions))
				for v := range set.Keep {
					set.Keep[v] = r.IntN(5) == 0
				}
			}
			ok := t.Run(fmt.Sprintf("%s to %d within %.3g", name, set.Triangles, set.ToleranceMM), func(t *testing.T) { lighter(t, m, set) })
			if ok {
				done++
			}
		}
	}
	t.Logf("%d sound", done)
}

// TestPlanarShapes takes shapes with flat sides back to about as few triangles as
// their corners need, and their sizes stay.
func TestPlanarShapes(t *testing.T) {
	for name, c := range map[string]struct {
		m              *mesh.Mesh
		corners, genus int
		shells         int
	}{
		"block":   {meshtest.Cells(12, 10, 8, whole), 8, 0, 1},
		"grille":  {meshtest.Cells(22, 17, 3, grille), 8 + 8*20, 20, 1},
		"channel": {meshtest.Cells(16, 10, 6, channel), 16, 1, 1},
		"stairs":  {meshtest.Cells(16, 6, 8, stairs), 4*8 + 4, 0, 1},
		"hollow":  {meshtest.Cells(10, 10, 10, hollow), 16, 0, 2},
	} {
		for _, angle := range []float64{0, 0.3, 1.1} {
			m := turned(&mesh.Mesh{Positions: append([]geom.Vec(nil), c.m.Positions...), Triangles: c.m.Triangles}, angle)
			least := 2*c.corners - 4*c.shells + 4*c.genus
			size := m.Bounds().Size()
			for _, tolerance := range []float64{1e-4, 0} {
				if tolerance == 0 && angle != 0 {
					continue // rounding turns each point off its plane
				}
				s, d := lighter(t, m, decimate.Settings{ToleranceMM: tolerance})
				assert.LessOrEqual(t, float64(len(s.Triangles)), 1.05*float64(least), "%s turned by %g within %g", name, angle, tolerance)
				assert.GreaterOrEqual(t, len(s.Triangles), least)
				assert.Less(t, d.Max, 1e-4)
				assert.Less(t, s.Bounds().Size().Distance(size), 1e-4)
			}
		}
	}
}
