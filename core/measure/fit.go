package measure

import (
	"cmp"
	"math"
	"slices"

	"veneer/core/geom"
	"veneer/core/mesh"
)

// FitTurned looks for a way to lay a part into a machine of that width, depth
// and height: one of its axes up, and a turn by whole degrees about it. It
// returns the first that fits, by axis (Z, Y, X) and degrees.
//
// Idea: only the convex outline of the part seen along the axis matters
// (Andrew, "Another efficient algorithm for convex hulls in two dimensions",
// 1979). Cost O(v log v) and a few hundred steps a corner of the outline.
func FitTurned(m *mesh.Mesh, machine [3]float64) (axis string, degrees int, fits bool) {
	size := m.Bounds().Size().Array()
	for _, up := range []int{2, 1, 0} {
		if size[up] > machine[2] {
			continue
		}
		outline := outline(m, up)
		for degrees := range 180 {
			sin, cos := math.Sincos(float64(degrees) * math.Pi / 180)
			low, high := [2]float64{math.Inf(1), math.Inf(1)}, [2]float64{math.Inf(-1), math.Inf(-1)}
			for _, p := range outline {
				for k, x := range [2]float64{p[0]*cos - p[1]*sin, p[0]*sin + p[1]*cos} {
					low[k], high[k] = min(low[k], x), max(high[k], x)
				}
			}
			if high[0]-low[0] <= machine[0] && high[1]-low[1] <= machine[1] {
				return "XYZ"[up : up+1], degrees, true
			}
		}
	}
	return "", 0, false
}

// outline is the convex hull of a mesh seen along an axis, anticlockwise.
func outline(m *mesh.Mesh, axis int) [][2]float64 {
	points := make([][2]float64, len(m.Positions))
	for i, p := range m.Positions {
		v := p.Array()
		points[i] = [2]float64{v[(axis+1)%3], v[(axis+2)%3]}
	}
	slices.SortFunc(points, func(a, b [2]float64) int { return cmp.Or(cmp.Compare(a[0], b[0]), cmp.Compare(a[1], b[1])) })
	half := func() (hull [][2]float64) {
		for _, p := range points {
			for n := len(hull); n > 1 && geom.Orient2D(hull[n-2][0], hull[n-2][1], hull[n-1][0], hull[n-1][1], p[0], p[1]) <= 0; n = len(hull) {
				hull = hull[:n-1]
			}
			hull = append(hull, p)
		}
		return hull
	}
	lower := half()
	slices.Reverse(points)
	return append(lower, half()...)
}
