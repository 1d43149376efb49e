package fuse

import (
	"slices"

	"veneer/core/geom"
)

// cuts are what divides one triangle: points in it, and segments between points.
type cuts struct {
	points   []int32
	segments [][2]int32
}

// sides tells on which side of triangle t's plane the corners of u lie.
func (s *space) sides(t, u int32) (side [3]int) {
	v, w := s.m.Triangles[t], s.m.Triangles[u]
	p := s.m.Positions
	for k := range side {
		side[k] = geom.Orient3D(p[v[0]], p[v[1]], p[v[2]], p[w[k]])
	}
	return side
}

// meet cuts two triangles against each other. It reports whether they lie in one
// plane.
func (s *space) meet(t, u int32, of map[int32]*cuts) (coplanar bool) {
	st := s.sides(u, t) // of t's corners beside u
	if st == [3]int{} {
		s.meetFlat(t, u, of)
		s.meetFlat(u, t, of)
		return true
	}
	su := s.sides(t, u)
	var found []int32
	add := func(p int32) {
		if p >= 0 && !slices.Contains(found, p) {
			found = append(found, p)
		}
	}
	for k := range 3 {
		add(s.edgeThrough(t, u, k, st))
		add(s.edgeThrough(u, t, k, su))
	}
	for _, x := range []int32{t, u} {
		c := cutsOf(of, x)
		c.points = append(c.points, found...)
		if len(found) == 2 {
			c.segments = append(c.segments, [2]int32{found[0], found[1]})
		}
	}
	return false
}

func cutsOf(of map[int32]*cuts, t int32) *cuts {
	c := of[t]
	if c == nil {
		c = &cuts{}
		of[t] = c
	}
	return c
}

// edgeThrough is where the k-th edge of t, without its last corner, goes through
// triangle u, its border included; -1 when it does not. side tells where t's
// corners lie.
func (s *space) edgeThrough(t, u int32, k int, side [3]int) int32 {
	v := s.m.Triangles[t]
	a, b := v[k], v[(k+1)%3]
	sa, sb := side[k], side[(k+1)%3]
	p := s.m.Positions
	w := s.m.Triangles[u]
	if sa == 0 {
		plane := viewOf(s.m.AreaNormal(u))
		if s.holds(plane, w, a) {
			return a
		}
		return -1
	}
	if sa*sb >= 0 {
		return -1
	}
	first := 0
	for i := range 3 {
		o := geom.Orient3D(p[a], p[b], p[w[i]], p[w[(i+1)%3]])
		if o != 0 && first != 0 && o != first {
			return -1
		}
		if o != 0 {
			first = o
		}
	}
	return s.through(a, b, u)
}

// holds reports whether a point of a triangle's plane lies in it or on its border.
func (s *space) holds(w view, v [3]int32, p int32) bool {
	first := 0
	for i := range 3 {
		o := s.turn(w, v[i], v[(i+1)%3], p)
		if o != 0 && first != 0 && o != first {
			return false
		}
		if o != 0 {
			first = o
		}
	}
	return true
}

// meetFlat cuts t by the edges of u, which lies in its plane.
func (s *space) meetFlat(t, u int32, of map[int32]*cuts) {
	c := cutsOf(of, t)
	w := viewOf(s.m.AreaNormal(t))
	v, x := s.m.Triangles[t], s.m.Triangles[u]
	for k := range 3 {
		a, b := x[k], x[(k+1)%3]
		var on []int32
		add := func(p int32) {
			if p >= 0 && !slices.Contains(on, p) {
				on = append(on, p)
			}
		}
		for _, p := range []int32{a, b} {
			if s.holds(w, v, p) {
				add(p)
			}
		}
		for i := range 3 {
			d, e := v[i], v[(i+1)%3]
			if s.turn(w, a, b, d) == 0 && s.between(a, b, d) {
				add(d)
			}
			add(s.crossing(w, a, b, d, e))
		}
		s.order(a, b, on)
		c.points = append(c.points, on...)
		if len(on) > 1 {
			c.segments = append(c.segments, [2]int32{on[0], on[len(on)-1]})
		}
	}
}

// crossing is where two segments of one plane cross or touch, unless they are
// parallel; -1 when they do not.
func (s *space) crossing(w view, a, b, c, d int32) int32 {
	ca, cb := s.turn(w, c, d, a), s.turn(w, c, d, b)
	ac, ad := s.turn(w, a, b, c), s.turn(w, a, b, d)
	if ca*cb > 0 || ac*ad > 0 || ca == 0 && cb == 0 {
		return -1
	}
	switch {
	case ca == 0:
		return a
	case cb == 0:
		return b
	case ac == 0:
		return c
	case ad == 0:
		return d
	}
	return s.where(a, b, s.area(w, c, d, a), s.area(w, c, d, b))
}
