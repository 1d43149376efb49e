package touchup

import (
	"math"

	"veneer/core/geom"
	"veneer/core/mesh"
)

// pairTunnels joins rims that belong together by a band of triangles between
// them. Two kinds do. The ends of a missing tunnel are flat, alike, opposite one
// another and face away from each other: a lid on each would close a hole that
// was meant to go through. The sides of a missing ring run along one another, the
// gap between them small beside their size: a lid on each would cut the part in
// two. Where the band meets the surface, as within a pipe whose wall is there,
// the rims are left to lids.
func (f *filler) pairTunnels() (tunnels int) {
	for i := range f.rims {
		for j := range f.rims[:i] {
			r, s := &f.rims[i], &f.rims[j]
			if f.taken(r) || f.taken(s) {
				continue
			}
			var way geom.Vec // from the one to the other, when they are to be compared in one place
			switch {
			case opposite(r, s):
				way = middle(s.points).Sub(middle(r.points))
			case !alongside(r, s):
				continue
			}
			if wall := band(r, s, way); len(f.meeting(wall)) == 0 {
				r.within, s.within = true, true
				f.lids[r.shell] = append(f.lids[r.shell], lid{wall, r.like, 2})
				tunnels++
			}
		}
	}
	return tunnels
}

func (f *filler) taken(r *rim) bool { return r.within || f.sheet[r.shell] || len(r.islands) > 0 }

// Two ends of a tunnel have at least so many corners, and differ by at most that
// share of their size: fewer corners are single triangles that went missing.
const (
	leastCorners = 6
	alike        = 0.03
)

// opposite reports whether two rims are alike and face away from each other.
func opposite(r, s *rim) bool {
	n := len(r.polygon)
	if r.shell != s.shell || !r.flat || !s.flat || n < leastCorners || len(s.polygon) < leastCorners ||
		r.normal.Dot(s.normal) > -0.999 || math.Abs(r.area-s.area) > alike*r.area {
		return false
	}
	size := math.Sqrt(r.area)
	way := middle(s.points).Sub(middle(r.points))
	along := way.Dot(r.normal)
	if along >= 0 || way.Sub(r.normal.Scale(along)).Length() > alike*size {
		return false
	}
	return within(r.points, s.points, way, alike*size) // each corner has the other rim below it
}

// gapShare is how wide a missing ring is at most, beside the size of its rims.
const gapShare = 0.25

// alongside reports whether two rims run along one another, in opposite
// directions.
func alongside(r, s *rim) bool {
	size := math.Sqrt(min(r.area, s.area))
	if len(r.polygon) < leastCorners || len(s.polygon) < leastCorners || r.normal.Dot(s.normal) > -0.5 ||
		max(r.area, s.area) > 2*min(r.area, s.area) || middle(r.points).Distance(middle(s.points)) > gapShare*size {
		return false
	}
	return within(r.points, s.points, geom.Vec{}, gapShare*size) && within(s.points, r.points, geom.Vec{}, gapShare*size)
}

// within reports whether each of the points, moved by way, lies within a
// distance of a closed polygon.
func within(points, polygon []geom.Vec, way geom.Vec, distance float64) bool {
	at := 0 // where the last one was near: the next is too
	for _, p := range points {
		q, near := p.Add(way), false
		for k := range polygon {
			a, b := polygon[(at+k)%len(polygon)], polygon[(at+k+1)%len(polygon)]
			ab := b.Sub(a)
			t := max(0, min(1, q.Sub(a).Dot(ab)/max(ab.Dot(ab), 1e-300)))
			if near = q.Distance(a.Add(ab.Scale(t))) <= distance; near {
				at += k
				break
			}
		}
		if !near {
			return false
		}
	}
	return true
}

func middle(points []geom.Vec) (m geom.Vec) {
	for _, p := range points {
		m = m.Add(p.Scale(1 / float64(len(points))))
	}
	return m
}

// band is the wall between two rims, each of which runs as a lid on it would. It
// begins at the nearest corners and goes on, at each step, along the side whose
// new diagonal is the shorter.
func band(r, s *rim, way geom.Vec) (wall []mesh.Triangle) {
	n, m := len(r.polygon), len(s.polygon)
	start, nearest := 0, math.Inf(1)
	for k, q := range s.points {
		if d := q.Sub(way).Distance(r.points[0]); d < nearest {
			start, nearest = k, d
		}
	}
	at := func(k int) int { return ((start-k)%m + m) % m } // the other rim, backwards
	for i, j := 0, 0; i < n || j < m; {
		a, b := i%n, at(j)
		along := j == m
		if i < n && j < m {
			along = r.points[(i+1)%n].Add(way).Distance(s.points[b]) <= s.points[at(j+1)].Distance(r.points[a].Add(way))
		}
		if along {
			wall = append(wall, mesh.Triangle{r.polygon[a], r.polygon[(i+1)%n], s.polygon[b]})
			i++
		} else {
			wall = append(wall, mesh.Triangle{r.polygon[a], s.polygon[at(j+1)], s.polygon[b]})
			j++
		}
	}
	return wall
}
