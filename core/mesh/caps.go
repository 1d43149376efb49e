package mesh

import (
	"math"

	"veneer/core/geom"
)

// uneven is how far a rim may be from a plane to count as even, as a share of
// its size.
const uneven = 0.05

// Cap is a triangle that helps to close a surface.
type Cap struct {
	Triangle Triangle
	Beside   int32 // a triangle at the edge that it closes
	Even     bool  // its rim lies in a plane
}

// Caps close a surface, whatever it is: where edges are run through more often one
// way than the other, a fan to the middle of the rim makes up for it. A rim is
// what hangs together by its corners. It returns them with the positions that they
// need: the surface's, and the middles.
func Caps(topo *Topology) (caps []Cap, positions []geom.Vec) {
	m := topo.Mesh
	positions = m.Positions[:len(m.Positions):len(m.Positions)]
	sides, together := rims(topo)
	of := map[int32]*rim{}
	for _, s := range sides {
		root := together.Root(s.from)
		if of[root] == nil {
			of[root] = &rim{box: geom.EmptyBox(), origin: m.Positions[s.from]}
		}
		of[root].add(m.Positions[s.from], m.Positions[s.to])
	}
	for _, s := range sides {
		r := of[together.Root(s.from)]
		if r.number == 0 {
			r.number = int32(len(positions))
			positions = append(positions, r.middle())
		}
		r.off = max(r.off, math.Abs(m.Positions[s.from].Sub(r.middle()).Dot(r.area.Unit())))
	}
	for _, s := range sides {
		r := of[together.Root(s.from)]
		even := r.off <= uneven*r.box.Size().Length() && r.area.Length() > 0
		caps = append(caps, Cap{Triangle{s.from, s.to, r.number}, s.beside, even})
	}
	return caps, positions
}

// rim is what is known of one.
type rim struct {
	origin geom.Vec
	sum    geom.Vec // of its corners
	count  float64
	area   geom.Vec // what it encloses, as a normal, up to a factor
	box    geom.Box
	number int32   // of its middle
	off    float64 // how far it is from its plane
}

func (r *rim) add(a, b geom.Vec) {
	r.sum = r.sum.Add(a)
	r.count++
	r.area = r.area.Add(a.Sub(r.origin).Cross(b.Sub(r.origin)))
	r.box = r.box.Extend(a)
}

func (r *rim) middle() geom.Vec { return r.sum.Scale(1 / r.count) }

// side is an edge, the way a cap runs through it, and a triangle at it.
type side struct{ from, to, beside int32 }

// rims lists the edges that keep a surface from being closed, and which corners
// hang together by them.
func rims(topo *Topology) (sides []side, together Forest) {
	together = NewForest(len(topo.Mesh.Positions))
	for e := range int32(topo.Edges()) {
		halves := topo.Halves(e)
		a, b, net := topo.From(halves[0]), topo.To(halves[0]), topo.Net(e)
		if net != 0 {
			together.Join(a, b)
		}
		for ; net > 0; net-- {
			sides = append(sides, side{b, a, halves[0] / 3})
		}
		for ; net < 0; net++ {
			sides = append(sides, side{a, b, halves[0] / 3})
		}
	}
	return sides, together
}

// Net is how many more triangles run through an edge the way its first one does
// than the other way; a surface without such edges encloses what it encloses,
// however it passes through itself.
func (topo *Topology) Net(e int32) (net int) {
	halves := topo.Halves(e)
	for _, h := range halves {
		if topo.SameWay(h, halves[0]) {
			net++
		} else {
			net--
		}
	}
	return net
}
