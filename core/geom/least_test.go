package geom_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"veneer/core/geom"
)

// TestLeastSquares solves systems of planes: a corner, an edge and a side, of which
// the latter leave ways free.
func TestLeastSquares(t *testing.T) {
	for _, c := range []struct {
		normals []geom.Vec
		rank    int
	}{
		{[]geom.Vec{{X: 1}, {Y: 1}, {Z: 1}}, 3},
		{[]geom.Vec{{X: 0.6, Y: 0.8}, {X: -0.8, Y: 0.6}, {X: 0.6, Y: 0.8}}, 2},
		{[]geom.Vec{{X: 0.48, Y: 0.6, Z: 0.64}}, 1},
		{[]geom.Vec{{X: 1}, {Y: 1}, {X: 0.6, Z: 0.8}}, 3},
	} {
		var a [6]float64
		var b geom.Vec
		for _, n := range c.normals { // planes at distance 2
			a[0] += n.X * n.X
			a[1] += n.X * n.Y
			a[2] += n.X * n.Z
			a[3] += n.Y * n.Y
			a[4] += n.Y * n.Z
			a[5] += n.Z * n.Z
			b = b.Add(n.Scale(2))
		}
		x, rank := geom.LeastSquares(a, b, 1e-9)
		assert.Equal(t, c.rank, rank)
		for _, n := range c.normals {
			assert.InDelta(t, 2, x.Dot(n), 1e-12)
		}
	}
}
