package mesh

import "slices"

// Loop is one open boundary: boundary half-edges in walking order. It is
// closed unless the rim runs into an edge of three or more triangles, where a
// walk ends.
type Loop struct {
	Halves []int32
	Closed bool
}

// Loops finds the open boundaries.
//
// Idea: at each end of a boundary edge the triangle fan is walked, through
// edges of two triangles, to the next boundary edge; the two belong to one
// loop. That tells loops apart that meet in a vertex, and does not depend on
// how triangles are oriented. Ends whose fan runs into a non-manifold edge are
// left over; at each vertex they are joined in order, and a loop with an end
// still left over is open. Loops start at their lowest half-edge.
// Cost O(b·(d + log b)) for b boundary edges and fans of d triangles.
func (topo *Topology) Loops() []Loop {
	var rim []int32 // boundary half-edges, ascending
	for e := range int32(topo.Edges()) {
		if halves := topo.Halves(e); len(halves) == 1 {
			rim = append(rim, halves[0])
		}
	}
	sortInt32(rim)
	// An end is 2·i at From(rim[i]) and 2·i+1 at To(rim[i]); mate joins ends.
	mate := make([]int32, 2*len(rim))
	for i := range mate {
		mate[i] = -1
	}
	type leftover struct{ vertex, end int32 }
	var left []leftover
	for i, h := range rim {
		for side := range int32(2) {
			end := int32(2*i) + side
			if mate[end] >= 0 {
				continue
			}
			v := topo.From(h)
			if side == 1 {
				v = topo.To(h)
			}
			g := topo.walkFan(h, v)
			if g < 0 {
				left = append(left, leftover{v, end})
				continue
			}
			at, _ := slices.BinarySearch(rim, g)
			other := int32(2 * at)
			if topo.From(g) != v {
				other++
			}
			mate[end], mate[other] = other, end
		}
	}
	slices.SortFunc(left, func(x, y leftover) int {
		if x.vertex != y.vertex {
			return int(x.vertex - y.vertex)
		}
		return int(x.end - y.end)
	})
	for i := 0; i+1 < len(left); i++ {
		// Two ends of one edge are never joined: that edge alone is no loop.
		if left[i].vertex == left[i+1].vertex && left[i].end/2 != left[i+1].end/2 {
			mate[left[i].end], mate[left[i+1].end] = left[i+1].end, left[i].end
			i++
		}
	}
	return followLoops(rim, mate)
}

// walkFan turns about vertex v from boundary half-edge h to the boundary edge
// at the fan's other side; -1 when the fan ends in a non-manifold edge.
func (topo *Topology) walkFan(h, v int32) int32 {
	for range topo.EdgeHalf { // no fan has more triangles than there are half-edges
		other := Next(h) // of h's triangle, the other half-edge at v
		if topo.From(h) == v {
			other = Next(Next(h))
		}
		halves := topo.Halves(topo.EdgeOf[other])
		switch len(halves) {
		case 1:
			return other
		case 2:
			h = halves[0]
			if h == other {
				h = halves[1]
			}
		default:
			return -1
		}
	}
	return -1
}

func followLoops(rim, mate []int32) (loops []Loop) {
	done := make([]bool, len(rim))
	trace := func(i, end int32) Loop { // leaves edge i through end
		loop := Loop{}
		for {
			done[i] = true
			loop.Halves = append(loop.Halves, rim[i])
			next := mate[end]
			if next < 0 {
				return loop
			}
			i, end = next/2, next^1
			if done[i] {
				loop.Closed = true
				return loop
			}
		}
	}
	for i := range int32(len(rim)) { // open ones first, from their loose ends
		for side := range int32(2) {
			if !done[i] && mate[2*i+side] < 0 {
				loops = append(loops, trace(i, 2*i+1-side))
			}
		}
	}
	for i := range int32(len(rim)) {
		if !done[i] {
			loops = append(loops, trace(i, 2*i+1))
		}
	}
	slices.SortFunc(loops, func(x, y Loop) int { return int(slices.Min(x.Halves) - slices.Min(y.Halves)) })
	return loops
}
