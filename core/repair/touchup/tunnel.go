package touchup

import (
	"math"

	"veneer/core/geom"
	"veneer/core/mesh"
)

// pairTunnels joins rims that are the two ends of a missing tunnel: flat, alike,
// opposite one another and facing away from each other. A lid on each would
// close a hole that was meant to go through. The wall between them is a band of
// triangles; where that meets the surface, as within a pipe whose wall is there,
// the rims are left to lids.
func (f *filler) pairTunnels() (tunnels int) {
	for i := range f.rims {
		for j := range f.rims[:i] {
			r, s := &f.rims[i], &f.rims[j]
			if f.taken(r) || f.taken(s) || !opposite(r, s) {
				continue
			}
			if wall := band(r, s); len(f.meeting(wall)) == 0 {
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
	for _, p := range r.points { // each corner has the other rim below it
		q, near := p.Add(way), false
		for k, a := range s.points {
			b := s.points[(k+1)%len(s.points)]
			ab := b.Sub(a)
			t := max(0, min(1, q.Sub(a).Dot(ab)/max(ab.Dot(ab), 1e-300)))
			if near = q.Distance(a.Add(ab.Scale(t))) <= alike*size; near {
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
func band(r, s *rim) (wall []mesh.Triangle) {
	n, m := len(r.polygon), len(s.polygon)
	way := middle(s.points).Sub(middle(r.points))
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
