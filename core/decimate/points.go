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

// newPoints has the vertices of a mesh, each near to the first one of its triangles,
// and the middles of edges that are so long and so sharp that between their ends
// the surface could come to lie a good part of the tolerance away. Those go by the
// number of an end.
func newPoints(m *mesh.Mesh, tolerance float64) *points {
	p := &points{head: make([]int32, len(m.Triangles))}
	seen := make([]bool, len(m.Positions))
	for t, v := range m.Triangles {
		p.head[t] = -1
		for _, u := range v {
			if !seen[u] {
				seen[u] = true
				p.add(m.Positions[u], u, int32(t))
			}
		}
	}
	topo := mesh.NewTopology(m)
	for e := range int32(topo.Edges()) {
		h := topo.Halves(e)
		a, b := m.Positions[topo.From(h[0])], m.Positions[topo.To(h[0])]
		sharp := 1.0
		if len(h) == 2 {
			sharp = 1 - m.AreaNormal(h[0]/3).Unit().Dot(m.AreaNormal(h[1]/3).Unit())
		}
		if l := b.Sub(a); l.Dot(l)*sharp > sags*sags*tolerance*tolerance {
			p.add(a.Lerp(b, 0.5), topo.From(h[0]), h[0]/3)
		}
	}
	return p
}

// sags is how far, as a share of the tolerance, the middle of an edge may come to
// lie away unseen, times 8 about: its length times half of what it turns by.
const sags = 0.8

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
