package mesh_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"veneer/core/geom"
	"veneer/core/mesh"
	"veneer/core/mesh/meshtest"
)

// TestCaps closes any surface: with its caps, every edge is run through as often
// one way as the other, and a side that is missing is closed in its plane.
func TestCaps(t *testing.T) {
	m := meshtest.Bumpy(12)
	m.Keep(func(t int32) bool { return t%11 != 0 })
	m.Turn(5)
	m.Turn(50)
	caps, positions := mesh.Caps(mesh.NewTopology(m))
	require.NotEmpty(t, caps)
	whole := &mesh.Mesh{Positions: positions, Triangles: m.Triangles}
	for _, c := range caps {
		whole.Triangles = append(whole.Triangles, c.Triangle)
	}
	topo := mesh.NewTopology(whole)
	for e := range int32(topo.Edges()) {
		assert.Zero(t, topo.Net(e))
	}
	box := &mesh.Mesh{}
	meshtest.Block(box, geom.Vec{}, geom.Vec{X: 1, Y: 1, Z: 1})
	box.Triangles = box.Triangles[2:]
	caps, _ = mesh.Caps(mesh.NewTopology(box))
	assert.Len(t, caps, 4)
	for _, c := range caps {
		assert.True(t, c.Even)
	}
	box.Triangles = append(box.Triangles[:2], box.Triangles[3:]...)
	caps, _ = mesh.Caps(mesh.NewTopology(box))
	assert.Len(t, caps, 5)
	assert.False(t, caps[0].Even, "over two sides")
}
