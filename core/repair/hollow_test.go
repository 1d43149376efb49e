package repair_test

import (
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

// TestHollowed takes material out of sound shapes and opens what is left: every result,
// read back and checked, passes, is one shell again with a tunnel fewer than it has
// drains, keeps its outside, and weighs what its record says.
func TestHollowed(t *testing.T) {
	block := &mesh.Mesh{}
	meshtest.Block(block, geom.Vec{}, geom.Vec{X: 20, Y: 30, Z: 40})
	for name, c := range map[string]struct {
		shape *mesh.Mesh
		order string
		shell int
		genus int
	}{
		"block, sealed":      {block, "hollow=2,0", 2, 0},
		"block, one drain":   {block, "hollow=2,3,1", 1, 0},
		"block, four drains": {block, "hollow=2,3,4", 1, 3},
		"torus":              {meshtest.Bumpy(60), "hollow=2,3,2", 1, 3}, // two tunnels of its own skins, and one of the drains
	} {
		m := c.shape.Clone()
		m.Round()
		before := corners(m)
		result, _ := mendAs(t, m, ordered(t, c.order))
		require.Equal(t, check.Pass, result.Verdict, "%s: %s %+v", name, findings(result), result.Steps)
		g := result.After.Geometry
		assert.Equal(t, c.shell, g.Shells, name)
		assert.Equal(t, c.genus, *g.Genus, name)
		assert.InDelta(t, m.Volume()-*g.VolumeMM3, result.HollowedMM3(), 1e-3*m.Volume(), name)
		assert.InDelta(t, -*result.VolumeChange, result.HollowedMM3(), 1e-6*m.Volume(), name)
		assert.Greater(t, result.HollowedMM3(), 0.2*m.Volume(), name)
		assert.LessOrEqual(t, result.Deviation.Max, 1.6, "%s: the outside is gone where drains are, and nowhere else", name)
		after, kept := corners(result.Mesh), 0
		for v := range before {
			if after[v] {
				kept++
			}
		}
		assert.GreaterOrEqual(t, kept, len(before)-12*20, name)
	}
}

// TestDrainsAreBored opens a hollow that came with the part, at a place that is named.
func TestDrainsAreBored(t *testing.T) {
	m := &mesh.Mesh{}
	meshtest.Block(m, geom.Vec{}, geom.Vec{X: 20, Y: 30, Z: 40})
	solid := len(m.Triangles)
	meshtest.Block(m, geom.Vec{X: 2, Y: 2, Z: 2}, geom.Vec{X: 18, Y: 28, Z: 38})
	for i := solid; i < len(m.Triangles); i++ {
		m.Turn(int32(i))
	}
	result, _ := mendAs(t, m, ordered(t, "drain=20,15,20,4"))
	require.Equal(t, check.Pass, result.Verdict, findings(result))
	assert.Equal(t, 1, result.After.Geometry.Shells)
	assert.InEpsilon(t, math.Pi*4*2, result.HollowedMM3(), 0.02, "a wall of 2 mm, by a drain of 4")
	assert.Contains(t, result.Steps[0].Detail, "1 drain of 4 mm at 20, ")
	result, _ = mendAs(t, m, ordered(t, "drain=20,15,20,4", "drain=0,0,0,4"))
	assert.Contains(t, result.Steps[1].Left, "no sealed hollow")
	m.Triangles = m.Triangles[1:]
	result, _ = mendAs(t, m, ordered(t, "drain=20,15,20,4"))
	assert.Contains(t, result.Steps[0].Left, "mend it first")
}

func TestWhatIsLeftSolid(t *testing.T) {
	thin := &mesh.Mesh{}
	meshtest.Block(thin, geom.Vec{}, geom.Vec{X: 20, Y: 30, Z: 3})
	result, _ := mendAs(t, thin, ordered(t, "hollow=2"))
	assert.Contains(t, result.Steps[0].Left, "nowhere thick enough")
	narrow := &mesh.Mesh{}
	meshtest.Block(narrow, geom.Vec{}, geom.Vec{X: 9, Y: 9, Z: 9})
	result, _ = mendAs(t, narrow, ordered(t, "hollow=2,8"))
	assert.Contains(t, result.Steps[0].Left, "no place for a drain of that width: 8 mm; order fewer or narrower ones")
	assert.Equal(t, 1, result.After.Geometry.Shells, "it is as it was")
	for text, why := range map[string]string{
		"hollow": "hollow=WALL", "hollow=": "hollow=WALL", "hollow=0": "hollow=WALL", "hollow=-1": "hollow=WALL", "hollow=2,-3": "hollow=WALL", "hollow=2,3,0": "1 to 20", "hollow=2,3,2,1": "hollow=WALL",
		"hollow=thick": "hollow=WALL", "drain=1,2": "drain=X,Y,Z", "drain=1,2,3,0": "drain=X,Y,Z", "drain=1,2,3,4,5": "drain=X,Y,Z",
	} {
		_, err := repair.ParseOrder(text)
		assert.ErrorContains(t, err, why, text)
	}
}

// TestHollowsStayWithTheirBodies hollows two bodies of one file, which would not be
// sound each by itself if a hollow went with the wrong one.
func TestHollowsStayWithTheirBodies(t *testing.T) {
	m := &mesh.Mesh{Bodies: []mesh.Body{{Name: "near"}, {Name: "far"}}}
	meshtest.Block(m, geom.Vec{}, geom.Vec{X: 20, Y: 20, Z: 20})
	meshtest.Block(m, geom.Vec{X: 30}, geom.Vec{X: 50, Y: 20, Z: 20})
	for t := range m.Triangles {
		m.BodyOf = append(m.BodyOf, int32(t/12))
	}
	result, _ := mendAs(t, m, ordered(t, "hollow=2,0"))
	require.Equal(t, check.Pass, result.Verdict, findings(result))
	for v, p := range result.Mesh.Triangles {
		at := result.Mesh.Positions[p[0]]
		assert.Equal(t, at.X > 25, result.Mesh.BodyOf[v] == 1)
	}
}

// TestEveryShapeHollowed ends in a part that passes, or leaves it as it was and says why.
func TestEveryShapeHollowed(t *testing.T) {
	for name, m := range shapes() {
		m.Round()
		for _, order := range []string{"hollow=1,1.2,3", "hollow=1.5,0", "hollow=3,2"} {
			if result, _ := mendAs(t, m, ordered(t, order)); result.Steps[0].Left == "" {
				assert.Equal(t, check.Pass, result.Verdict, "%s %s: %s", name, order, findings(result))
				assert.Positive(t, result.HollowedMM3(), "%s %s", name, order)
			} else {
				assert.Equal(t, m.Volume(), result.Mesh.Volume(), "%s %s: %s", name, order, result.Steps[0].Left)
			}
		}
	}
}

// TestWhatHollowingTakes is told before, with what it is set to, and grows with the part.
func TestWhatHollowingTakes(t *testing.T) {
	plan := func(m *mesh.Mesh, orders ...string) []repair.Step {
		set := ordered(t, orders...)
		return repair.Plan(examined(t, m, set), repair.Settings{Process: set.Process, Orders: set.Orders})
	}
	small, large := &mesh.Mesh{}, &mesh.Mesh{}
	meshtest.Block(small, geom.Vec{}, geom.Vec{X: 20, Y: 30, Z: 40})
	meshtest.Block(large, geom.Vec{}, geom.Vec{X: 100, Y: 150, Z: 200})
	a, b := plan(small, "hollow=2,3,4"), plan(large, "hollow=2", "lighter-to=100")
	require.Len(t, b, 2)
	assert.Equal(t, map[string]float64{"wall_mm": 2, "drain_mm": 3, "drains": 4}, a[0].With)
	assert.Equal(t, "ordered", a[0].Why)
	assert.Zero(t, b[0].With["drain_mm"], "filament needs none")
	assert.Nil(t, b[1].Needs)
	assert.Greater(t, b[0].Needs.Seconds, 10*a[0].Needs.Seconds)
	assert.Greater(t, b[0].Needs.Bytes, 10*a[0].Needs.Bytes)
}
