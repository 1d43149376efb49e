// Package meshtest makes the meshes that many tests work on.
package meshtest

import (
	"math"

	"veneer/core/geom"
	"veneer/core/mesh"
)

// Grid closes a rectangle of n by k quads around itself, both ways; at tells
// where the angles a and b lie. It faces outward when b runs anticlockwise seen
// along a.
func Grid(n, k int, at func(a, b float64) geom.Vec) *mesh.Mesh {
	m := &mesh.Mesh{}
	for i := range n {
		for j := range k {
			m.Positions = append(m.Positions, at(2*math.Pi*float64(i)/float64(n), 2*math.Pi*float64(j)/float64(k)))
		}
	}
	for i := range n {
		for j := range k {
			a, b, c, d := int32(i*k+j), int32((i+1)%n*k+j), int32((i+1)%n*k+(j+1)%k), int32(i*k+(j+1)%k)
			m.Triangles = append(m.Triangles, mesh.Triangle{a, b, c}, mesh.Triangle{a, c, d})
		}
	}
	return m
}

// Bumpy is a closed torus of 2·n·n triangles, 100 mm wide, with a bumpy skin, in
// single precision.
func Bumpy(n int) *mesh.Mesh {
	return Grid(n, n, func(a, b float64) geom.Vec {
		r := 40 + 10*math.Cos(b) + 0.3*math.Sin(30*a)*math.Cos(20*b)
		return geom.Vec{X: r * math.Cos(a), Y: r * math.Sin(a), Z: 10 * math.Sin(b)}.Single()
	})
}
