package recast

import (
	"cmp"
	"math"

	"veneer/core/decimate"
	"veneer/core/geom"
	"veneer/core/mesh"
)

// drawn is the triangles at one z: corners below 0 are points of its own, ^corner of extra.
type drawn struct {
	triangles []mesh.Triangle
	extra     []apex
}

// apex is a point of the skin, and the surface's planes around it where they are known.
type apex struct {
	at    geom.Vec
	plane decimate.Quadric
}

// drawer draws the surface around crossed edges.
type drawer struct {
	*window
	slabs []slab
	cell  [2][]int32 // where a cell is among those of the slab below, and of this one
	last  int
	out   drawn
}

// draw makes the triangles around the edges along x and y at the low z of slab k,
// and around those along z in it.
func (d *drawer) draw(k int) drawn {
	d.move(k)
	d.out = drawn{}
	if k > 0 && d.last == k-1 {
		d.cell[0], d.cell[1] = d.cell[1], d.cell[0]
	} else if k > 0 {
		d.number(0, k-1)
	}
	d.number(1, k)
	d.last = k
	for axis := range 3 {
		d.f.eachCrossed(axis, k)(func(cell int) { d.around(axis, cell%d.f.n[0], cell/d.f.n[0]) })
	}
	return d.out
}

func (d *drawer) number(which, k int) {
	for index, cell := range d.slabs[k].cells {
		d.cell[which][cell] = int32(index)
	}
}

// ring is the cells around an edge, anticlockwise seen from its high end: how far
// they lie below it in its other two axes.
var ring = func() (all [3][4][2]int) {
	all[0] = [4][2]int{{1, 1}, {0, 1}, {0, 0}, {1, 0}}
	all[1] = [4][2]int{{1, 1}, {1, 0}, {0, 0}, {0, 1}} // x, z seen along y run the other way around
	all[2] = all[0]
	return all
}()

// spot is a cell beside an edge.
type spot struct {
	slab  *slab
	index int32
	cube  *cube
	edge  int // the edge, as the cell numbers it
	low   [3]int
	v     int32
	at    geom.Vec
}

// around draws the surface around one crossed edge.
func (d *drawer) around(axis, i, j int) {
	f := d.f
	u, v := others(axis)
	low := [3]int{i, j, d.k}
	var cells [4]spot
	for n, below := range ring[axis] {
		at := low
		at[u] -= below[0]
		at[v] -= below[1]
		s := &cells[n]
		*s = spot{edge: 4*axis + below[0] + 2*below[1], low: at}
		which := at[2] - d.k + 1
		s.slab = &d.slabs[at[2]]
		s.index = d.cell[which][at[1]*f.n[0]+at[0]]
		s.cube = &cubes[s.slab.state[s.index]]
		p := s.slab.first[s.index] + int32(s.cube.loopOf[s.edge])
		s.v, s.at = s.slab.before+p, s.slab.points[p]
	}
	high := low
	high[axis]++
	if !f.inside.inside(low[0], low[1], low[2]) {
		cells[1], cells[3] = cells[3], cells[1]
	}
	var plain [4]bool // between a cell and the next
	all := true
	for n := range cells {
		plain[n] = plainFace(&cells[n], &cells[(n+1)%4])
		all = all && plain[n]
	}
	c, _ := d.on(4*axis, i, j)
	share := f.share(c, axis, low[axis])
	if all && d.two(cells, f.point(low), f.point(high), float64(share)) {
		return
	}
	var plane decimate.Quadric
	if c != nil && !f.smooth {
		at := f.point(low).Array()
		at[axis] = c.at
		plane = decimate.Plane(geom.Vec{X: at[0], Y: at[1], Z: at[2]}, f.soup.AreaNormal(c.tri).Unit(), f.step*f.step/4)
	}
	middle := d.add(apex{f.edgePoint(axis, low, share), plane})
	for n := range cells {
		a, b := &cells[n], &cells[(n+1)%4]
		if plain[n] {
			d.out.triangles = append(d.out.triangles, mesh.Triangle{middle, a.v, b.v})
		} else {
			d.out.triangles = append(d.out.triangles, mesh.Triangle{middle, a.v, d.add(apex{at: d.partner(a, b)})})
		}
	}
}

func (f *field) point(p [3]int) geom.Vec {
	return geom.Vec{X: f.at(0, p[0]), Y: f.at(1, p[1]), Z: f.at(2, p[2])}
}

func (d *drawer) add(p apex) int32 {
	d.out.extra = append(d.out.extra, p)
	return ^int32(len(d.out.extra) - 1)
}

// faceBetween is the face of cell a to its neighbour b.
func faceBetween(a, b *spot) int {
	for axis := range 3 {
		if x := cmp.Compare(b.low[axis], a.low[axis]); x != 0 {
			return 2*axis + (x+1)/2
		}
	}
	panic("a cell is not its own neighbour")
}

// plainFace reports whether the line on the face between two cells may bend.
func plainFace(a, b *spot) bool {
	return a.cube.loops == 1 && b.cube.loops == 1 && a.cube.hazy>>faceBetween(a, b)&1 == 0
}

// partner is the crossing at the other end of the line that the edge's crossing
// begins on the face between two cells, at least one of which has them noted.
func (d *drawer) partner(a, b *spot) geom.Vec {
	s, o := a, b
	cut, noted := s.slab.cut[s.slab.cells[s.index]]
	if !noted {
		s, o = b, a
		cut = s.slab.cut[s.slab.cells[s.index]]
	}
	e := int(s.cube.next[faceBetween(s, o)][s.edge])
	u, v := others(e / 4)
	low := s.low
	low[u] += e % 4 & 1
	low[v] += e % 4 >> 1
	return d.f.edgePoint(e/4, low, cut[e])
}

// two draws the fan around the edge p q as two triangles, when they stay within
// the tetrahedra that it spans with its cells' points; of two ways, that which
// passes the edge nearer to where the surface does, at a share of it, and the
// shorter one where both pass it alike.
func (d *drawer) two(c [4]spot, p, q geom.Vec, share float64) bool {
	even, evenAt := stays(c[0].at, c[1].at, c[2].at, c[3].at, p, q)
	odd, oddAt := stays(c[1].at, c[2].at, c[3].at, c[0].at, p, q)
	if even && odd {
		x, y := math.Abs(evenAt-share), math.Abs(oddAt-share)
		even = x < y-1e-3
		if math.Abs(x-y) <= 1e-3 {
			even = c[0].at.Distance(c[2].at) <= c[1].at.Distance(c[3].at)
		}
	}
	switch {
	case even:
		d.out.triangles = append(d.out.triangles, mesh.Triangle{c[0].v, c[1].v, c[2].v}, mesh.Triangle{c[0].v, c[2].v, c[3].v})
	case odd:
		d.out.triangles = append(d.out.triangles, mesh.Triangle{c[1].v, c[2].v, c[3].v}, mesh.Triangle{c[1].v, c[3].v, c[0].v})
	}
	return even || odd
}

// stays reports whether the triangles a b c and a c d lie within the tetrahedra of
// the edge p q with a b, b c, c d and d a: the line a c must pass the edge on the
// side of b, between p and q, and the edge pass through the triangle a c d; or the
// same with b and d in each other's place. It also tells at which share of the
// edge the two triangles pass it.
func stays(a, b, c, d, p, q geom.Vec) (ok bool, share float64) {
	if geom.Orient3D(a, c, p, q) == 0 { // through the edge itself: p and q on different sides of both triangles
		ok = between(a, c, b, d, p, q) && between(a, c, d, b, p, q)
	} else if ok = between(a, c, b, d, p, q); !ok {
		ok = between(a, c, d, b, p, q)
		d = b
	}
	if !ok {
		return false, 0
	}
	n := c.Sub(a).Cross(d.Sub(a))
	return true, n.Dot(a.Sub(p)) / n.Dot(q.Sub(p))
}

// between reports whether the segment a c passes through the triangle p q b, off
// p b and q b, and the edge p q through the triangle a c d, off c d and d a.
func between(a, c, b, d, p, q geom.Vec) bool {
	// a and c on different sides of p q b, the line passing between p and q on b's side.
	if s, t := geom.Orient3D(p, q, b, a), geom.Orient3D(p, q, b, c); s*t >= 0 {
		return false
	}
	x, y, z := geom.Orient3D(a, c, p, q), geom.Orient3D(a, c, q, b), geom.Orient3D(a, c, b, p)
	if y*z <= 0 || x*y < 0 {
		return false
	}
	if s, t := geom.Orient3D(a, c, d, p), geom.Orient3D(a, c, d, q); s*t >= 0 {
		return false
	}
	x, y, z = geom.Orient3D(p, q, a, c), geom.Orient3D(p, q, c, d), geom.Orient3D(p, q, d, a)
	return y*z > 0 && x*y >= 0
}
