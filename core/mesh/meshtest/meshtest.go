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

// Block adds a block that faces outward; its corners are numbered by x, then y,
// then z.
func Block(m *mesh.Mesh, low, high geom.Vec) (v [8]int32) {
	first := int32(len(m.Positions))
	for i := range 8 {
		p := low
		if i&1 > 0 {
			p.X = high.X
		}
		if i&2 > 0 {
			p.Y = high.Y
		}
		if i&4 > 0 {
			p.Z = high.Z
		}
		v[i] = first + int32(i)
		m.Positions = append(m.Positions, p.Single())
	}
	for _, q := range [][4]int{{0, 2, 3, 1}, {4, 5, 7, 6}, {0, 1, 5, 4}, {2, 6, 7, 3}, {0, 4, 6, 2}, {1, 3, 7, 5}} {
		m.Triangles = append(m.Triangles, mesh.Triangle{v[q[0]], v[q[1]], v[q[2]]}, mesh.Triangle{v[q[0]], v[q[2]], v[q[3]]})
	}
	return v
}

// by l of them, each face cut into two triangles.
func Cells(n, k, l int, solid func(x, y, z int) bool) *mesh.Mesh {
	m := &mesh.Mesh{}
	quad := func(a, b, c, d int32) {
		m.Triangles = append(m.Triangles, mesh.Triangle{a, b, c}, mesh.Triangle{a, c, d})
	}
	is := func(x, y, z int) bool { return x >= 0 && y >= 0 && z >= 0 && x < n && y < k && z < l && solid(x, y, z) }
	for x := range n {
		for y := range k {
			for z := range l {
				if !is(x, y, z) {
					continue
				}
				c := func(dx, dy, dz int) int32 {
					m.Positions = append(m.Positions, geom.Vec{X: float64(x + dx), Y: float64(y + dy), Z: float64(z + dz)})
					return int32(len(m.Positions) - 1)
				}
				if !is(x+1, y, z) {
					quad(c(1, 0, 0), c(1, 1, 0), c(1, 1, 1), c(1, 0, 1))
				}
				if !is(x-1, y, z) {
					quad(c(0, 0, 0), c(0, 0, 1), c(0, 1, 1), c(0, 1, 0))
				}
				if !is(x, y+1, z) {
					quad(c(0, 1, 0), c(0, 1, 1), c(1, 1, 1), c(1, 1, 0))
				}
				if !is(x, y-1, z) {
					quad(c(0, 0, 0), c(1, 0, 0), c(1, 0, 1), c(0, 0, 1))
				}
				if !is(x, y, z+1) {
					quad(c(0, 0, 1), c(1, 0, 1), c(1, 1, 1), c(0, 1, 1))
				}
				if !is(x, y, z-1) {
					quad(c(0, 0, 0), c(0, 1, 0), c(1, 1, 0), c(1, 0, 0))
				}
			}
		}
	}
	m.Weld()
	return m
}
