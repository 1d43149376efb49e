package decimate

import (
	"slices"

	"veneer/core/geom"
	"veneer/core/mesh"
)

// points are those that a surface had at first, each with the triangle that it is
// near to now: a list for each triangle.
//
// Idea: as long as every one of them is near the surface, so is nearly all of what
// was between them (after Soucy & Laurendeau, "Multiresolution surface modeling
// based on hierarchical triangulation", 1996). What is not is found in the end.
type points struct {
	at   []geom.Vec
	id   []int32 // of each: its number at first
	next []int32 // the next one of its triangle, -1 at the end
	head []int32 // of each triangle: one of its points, -1 for none
}

// newPoints has the vertices of triangles, each near to the first one of its own.
func newPoints(at []geom.Vec, triangles []mesh.Triangle) *points {
	p := &points{head: make([]int32, len(triangles))}
	seen := make([]bool, len(at))
	for t, v := range triangles {
		p.head[t] = -1
		for _, u := range v {
			if !seen[u] {
				seen[u] = true
				p.add(at[u], u, int32(t))
			}
		}
	}
	return p
}

func (p *points) clone() *points {
	if p == nil {
		return nil
	}
	return &points{p.at, p.id, slices.Clone(p.next), slices.Clone(p.head)}
}

// add adds a point to those of a triangle.
func (p *points) add(at geom.Vec, id, t int32) {
	p.at, p.id, p.next = append(p.at, at), append(p.id, id), append(p.next, p.head[t])
	p.head[t] = int32(len(p.at) - 1)
}

// take adds those of one of another's triangles to a new triangle.
func (p *points) take(from *points, t int32) {
	p.head = append(p.head, -1)
	for i := from.head[t]; i >= 0; i = from.next[i] {
		p.add(from.at[i], from.id[i], int32(len(p.head)-1))
	}
}

// carried finds for the points of all triangles that a collapse changes which of
// them they are near to after it; it fails when one is near to none.
func (w *work) carried() bool {
	w.carry = w.carry[:0]
	p := w.points
	for _, t := range w.star.before {
		for i := p.head[t]; i >= 0; i = p.next[i] {
			share := float32(nearly)
			if w.share != nil {
				share = w.share[p.id[i]]
			}
			n := w.star.nearest(p.at[i], float64(share)*w.tolerance)
			if n < 0 {
				return false
			}
			w.carry = append(w.carry, [2]int32{i, w.star.source[n]})
		}
	}
	return true
}

// settle puts points where carried found that they belong.
func (w *work) settle() {
	p := w.points
	for _, t := range w.star.before {
		p.head[t] = -1
	}
	for _, c := range w.carry {
		p.next[c[0]] = p.head[c[1]]
		p.head[c[1]] = c[0]
	}
}
