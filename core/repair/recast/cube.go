package recast

// Corner c of a cell is at x = c&1, y = c>>1&1, z = c>>2. Edge 4·axis+n runs along
// an axis; n counts the other two coordinates, the lower axis first. Face
// 2·axis+s is at the low (0) or high (1) side of an axis. A cell's state has bit
// c set when corner c is inside.

// edgeEnds are the corners of each edge, the lower one first.
var edgeEnds = func() (ends [12][2]int) {
	for axis := range 3 {
		u, v := others(axis)
		for n := range 4 {
			low := n&1<<u | n>>1<<v
			ends[4*axis+n] = [2]int{low, low | 1<<axis}
		}
	}
	return ends
}()

// others are the two other axes, ascending.
func others(axis int) (int, int) {
	switch axis {
	case 0:
		return 1, 2
	case 1:
		return 0, 2
	}
	return 0, 1
}

// cube is what a cell's state says of the surface in it: the loops in which it
// meets the cell's faces. Each loop bounds one disc.
type cube struct {
	loops  int
	loopOf [12]int8    // of each edge that the surface crosses, -1 for the others
	next   [6][12]int8 // on a face: the edge with which an edge is joined, or -1
	hazy   uint8       // faces on which two corners inside lie across from each other
}

// cubes are all states. Corners that lie across a face from each other are kept
// apart, so that both cells at a face see the same lines on it.
var cubes = func() (all [256]cube) {
	for state := range all {
		c := &all[state]
		in := func(corner int) bool { return state>>corner&1 > 0 }
		crossed := func(e int) bool { return in(edgeEnds[e][0]) != in(edgeEnds[e][1]) }
		for f := range 6 {
			for e := range c.next[f] {
				c.next[f][e] = -1
			}
			axis, side := f/2, f%2
			var on []int // crossed edges of the face
			for e, ends := range edgeEnds {
				if e/4 != axis && ends[0]>>axis&1 == side && crossed(e) {
					on = append(on, e)
				}
			}
			join := func(d, e int) { c.next[f][d], c.next[f][e] = int8(e), int8(d) }
			switch len(on) {
			case 2:
				join(on[0], on[1])
			case 4:
				c.hazy |= 1 << f
				for _, d := range on { // edges that share the corner inside
					for _, e := range on {
						for _, p := range edgeEnds[d] {
							for _, q := range edgeEnds[e] {
								if d != e && p == q && in(p) {
									join(d, e)
								}
							}
						}
					}
				}
			}
		}
		for e := range c.loopOf {
			c.loopOf[e] = -1
		}
		for e := range 12 {
			if !crossed(e) || c.loopOf[e] >= 0 {
				continue
			}
			// Walk: leave an edge through the face through which it was not entered.
			at, through := e, -1
			for c.loopOf[at] < 0 {
				c.loopOf[at] = int8(c.loops)
				for f := range 6 {
					if f != through && c.next[f][at] >= 0 {
						at, through = int(c.next[f][at]), f
						break
					}
				}
			}
			c.loops++
		}
	}
	return all
}()
