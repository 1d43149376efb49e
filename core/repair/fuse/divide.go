package fuse

import (
	"cmp"
	"math"
	"slices"

	"veneer/core/geom"
	"veneer/core/mesh"
)

// divide cuts a triangle along its segments, which become edges of the pieces.
// Pieces face as the triangle does.
//
// Idea: the segments are cut at one another first, so that they meet in ends
// only. The points are put in one by one, each splitting the piece or the edge
// that it lies on; then each segment that is no edge yet is made one by swapping
// the edges that cross it (Sloan 1993); then other edges are swapped where that
// makes angles larger. All decisions are exact but for the last, which only
// chooses among right answers. Cost about O(n√n) for n points of one triangle; nil
// when there are more than mostPoints, or when it is more work than most: pairs of
// segments that may meet, and edges that are swapped.
func (s *space) divide(t int32, c *cuts, most *int) []mesh.Triangle {
	w := viewOf(s.m.AreaNormal(t))
	segments, ok := s.disjoint(w, c, most)
	if !ok {
		return nil
	}
	d := &division{s: s, w: w, most: most, fixed: map[[2]int32]bool{}, beside: map[int32]int32{}}
	v := s.m.Triangles[t]
	if d.turned = s.turn(w, v[0], v[1], v[2]) < 0; d.turned {
		v[1], v[2] = v[2], v[1]
	}
	d.tris = mesh.Pieces{{V: v, N: [3]int32{-1, -1, -1}}}
	d.note(0)
	var points []int32
	points = append(points, c.points...)
	for _, seg := range segments {
		points = append(points, seg[0], seg[1])
	}
	slices.Sort(points)
	if points = slices.Compact(points); len(points) > mostPoints {
		return nil
	}
	s.near(w, points)
	for _, p := range points {
		if p != v[0] && p != v[1] && p != v[2] {
			d.insert(p)
		}
	}
	for _, seg := range segments {
		if d.force(seg[0], seg[1]); *most < 0 {
			return nil
		}
		d.fixed[sorted(seg[0], seg[1])] = true
	}
	d.improve()
	out := make([]mesh.Triangle, len(d.tris))
	for i, q := range d.tris {
		out[i] = q.V
		if d.turned {
			out[i][1], out[i][2] = out[i][2], out[i][1]
		}
	}
	return out
}

const mostPoints = 100_000 // of one triangle

func sorted(a, b int32) [2]int32 { return [2]int32{min(a, b), max(a, b)} }

// disjoint cuts the segments at one another and at the points on them; it tells
// false when there are more than most pairs that may meet.
//
// Idea: what meets overlaps in both coordinates of its rounded points, rounding
// being monotone. Swept along the first, only segments that are open there are
// compared by the second.
func (s *space) disjoint(w view, c *cuts, most *int) (pieces [][2]int32, ok bool) {
	on := make([][]int32, len(c.segments))
	flat := s.flatten(w, c.segments)
	var open []int32
	for _, i := range byLow(flat) {
		still := open[:0]
		for _, j := range open {
			if flat[j].high[0] < flat[i].low[0] {
				continue
			}
			still = append(still, j)
			if flat[i].low[1] > flat[j].high[1] || flat[j].low[1] > flat[i].high[1] {
				continue
			}
			if *most--; *most < 0 {
				return nil, false
			}
			a, b := c.segments[i], c.segments[j]
			if p := s.crossing(w, a[0], a[1], b[0], b[1]); p >= 0 {
				on[i], on[j] = append(on[i], p), append(on[j], p)
			}
		}
		open = append(still, i)
	}
	all := slices.Clone(c.points)
	for i, a := range c.segments {
		on[i] = append(on[i], a[0], a[1])
		all = append(all, on[i]...)
	}
	slices.Sort(all)
	all = slices.Compact(all)
	slices.SortStableFunc(all, func(p, q int32) int { return cmp.Compare(w.first(s.at[p]), w.first(s.at[q])) })
	for i, a := range c.segments {
		from, _ := slices.BinarySearchFunc(all, flat[i].low[0], func(p int32, x float64) int { return cmp.Compare(w.first(s.at[p]), x) })
		for _, p := range all[from:] {
			if w.first(s.at[p]) > flat[i].high[0] {
				break
			}
			if y := w.second(s.at[p]); y < flat[i].low[1] || y > flat[i].high[1] {
				continue
			}
			if *most--; *most < 0 {
				return nil, false
			}
			if s.turn(w, a[0], a[1], p) == 0 && s.between(a[0], a[1], p) {
				on[i] = append(on[i], p)
			}
		}
		slices.Sort(on[i])
		list := slices.Compact(on[i])
		s.order(a[0], a[1], list)
		for k := 1; k < len(list); k++ {
			pieces = append(pieces, sorted(list[k-1], list[k]))
		}
	}
	slices.SortFunc(pieces, func(a, b [2]int32) int { return cmp.Or(cmp.Compare(a[0], b[0]), cmp.Compare(a[1], b[1])) })
	return slices.Compact(pieces), true
}

// extent is the box of a segment, from its rounded ends, in a view.
type extent struct{ low, high [2]float64 }

func (s *space) flatten(w view, segments [][2]int32) []extent {
	flat := make([]extent, len(segments))
	for i, a := range segments {
		p, q := s.at[a[0]], s.at[a[1]]
		flat[i] = extent{
			[2]float64{min(w.first(p), w.first(q)), min(w.second(p), w.second(q))},
			[2]float64{max(w.first(p), w.first(q)), max(w.second(p), w.second(q))},
		}
	}
	return flat
}

// byLow is the order of segments by where they begin.
func byLow(flat []extent) []int32 {
	order := make([]int32, len(flat))
	for i := range order {
		order[i] = int32(i)
	}
	slices.SortFunc(order, func(i, j int32) int {
		return cmp.Or(cmp.Compare(flat[i].low[0], flat[j].low[0]), cmp.Compare(i, j))
	})
	return order
}

// near sorts points so that neighbours in the list are near each other: by strips
// along the second coordinate, up and down in turn.
func (s *space) near(w view, points []int32) {
	if len(points) < 16 {
		return
	}
	low, high := math.Inf(1), math.Inf(-1)
	for _, p := range points {
		low, high = min(low, w.first(s.at[p])), max(high, w.first(s.at[p]))
	}
	strips := math.Sqrt(float64(len(points)))
	strip := func(p int32) int { return int((w.first(s.at[p]) - low) / (high - low) * strips) }
	if high <= low {
		strip = func(int32) int { return 0 }
	}
	slices.SortFunc(points, func(p, q int32) int {
		i, j := strip(p), strip(q)
		up := cmp.Compare(w.second(s.at[p]), w.second(s.at[q]))
		if i%2 == 1 {
			up = -up
		}
		return cmp.Or(cmp.Compare(i, j), up, cmp.Compare(p, q))
	})
}

type division struct {
	s      *space
	w      view
	turned bool
	most   *int // work that may yet be done
	tris   mesh.Pieces
	fixed  map[[2]int32]bool
	beside map[int32]int32 // a piece at each vertex
}

// insert puts in a point that lies in the triangle. It walks there from the piece
// that was made last, and looks through all pieces only when the walk goes in a
// circle.
func (d *division) insert(p int32) {
	t := int32(len(d.tris) - 1)
	for steps := 0; steps < len(d.tris); steps++ {
		out, on := d.leaves(t, p, steps)
		if out < 0 {
			d.place(t, on, p)
			return
		}
		if t = d.tris[t].N[out]; t < 0 {
			break
		}
	}
	for t := range int32(len(d.tris)) {
		if out, on := d.leaves(t, p, 0); out < 0 {
			d.place(t, on, p)
			return
		}
	}
}

// leaves is an edge of a piece that a point lies beyond, -1 when it lies in the
// piece; then on is the edge that it lies on, or -1.
func (d *division) leaves(t, p int32, first int) (out, on int) {
	on = -1
	v := d.tris[t].V
	for i := range 3 {
		k := (i + first) % 3
		switch d.s.turn(d.w, v[k], v[(k+1)%3], p) {
		case -1:
			return k, -1
		case 0:
			on = k
		}
	}
	return -1, on
}

func (d *division) place(t int32, on int, p int32) {
	first := int32(len(d.tris))
	if on < 0 {
		d.tris.Split(t, p)
	} else {
		u := d.tris[t].N[on]
		d.tris.SplitEdge(t, on, p)
		if u >= 0 {
			d.note(u)
		}
	}
	d.note(t)
	for t := first; t < int32(len(d.tris)); t++ {
		d.note(t)
	}
}

// force makes a segment an edge: edges in its way wait in a row; the first is
// swapped, and joins the row's end again when its two triangles make no convex
// whole, or when the new edge is in the way as well (Sloan, "A Fast Algorithm for
// Generating Constrained Delaunay Triangulations", 1993).
func (d *division) force(a, b int32) {
	row := d.between(a, b)
	for patience := 20*len(row)*len(row) + 50; len(row) > 0 && patience > 0 && *d.most >= 0; patience-- {
		*d.most--
		edge := row[0]
		row = row[1:]
		t, k := d.find(edge)
		if t < 0 {
			return
		}
		u, l := d.tris.Across(t, k)
		c, e := d.tris[t].V[(k+2)%3], d.tris[u].V[(l+2)%3]
		switch {
		case !d.swap(t, k):
			row = append(row, edge)
		case d.crosses(a, b, c, e):
			row = append(row, [2]int32{c, e})
		}
	}
}

// between lists the edges that the segment from a to b crosses, from a on; none
// when it is an edge itself.
func (d *division) between(a, b int32) (row [][2]int32) {
	at, side := int32(-1), 0 // the triangle at a that the segment leaves, through the edge opposite
	d.around(a, func(t int32, k int) bool {
		p, q := d.tris[t].V[(k+1)%3], d.tris[t].V[(k+2)%3]
		if p == b || q == b {
			at = -1
			return false
		}
		if d.crosses(a, b, p, q) {
			at, side = t, (k+1)%3
		}
		return true
	})
	for at >= 0 {
		q := d.tris[at].V
		row = append(row, [2]int32{q[side], q[(side+1)%3]})
		u, l := d.tris.Across(at, side)
		r := d.tris[u].V
		at = -1
		for _, k := range []int{(l + 1) % 3, (l + 2) % 3} {
			if d.crosses(a, b, r[k], r[(k+1)%3]) {
				at, side = u, k
			}
		}
	}
	return row
}

// around calls see with the triangles at a vertex, and where in them it is, until
// see returns false.
func (d *division) around(v int32, see func(t int32, k int) bool) {
	first := d.beside[v]
	for _, way := range []int{0, 2} { // one way round, and from a border the other way
		t := first
		for {
			k := 0
			for d.tris[t].V[k] != v {
				k++
			}
			if (way == 0 || t != first) && !see(t, k) {
				return
			}
			t = d.tris[t].N[(k+way)%3]
			if t == first {
				return
			}
			if t < 0 {
				break
			}
		}
	}
}

// find is where an edge within the triangle is; -1 when it is none.
func (d *division) find(edge [2]int32) (at int32, side int) {
	at = -1
	d.around(edge[0], func(t int32, k int) bool {
		if d.tris[t].V[(k+1)%3] == edge[1] {
			at, side = t, k
		} else if d.tris[t].V[(k+2)%3] == edge[1] {
			at, side = t, (k+2)%3
		}
		return at < 0
	})
	return at, side
}

// note keeps that these pieces lie at their vertices.
func (d *division) note(pieces ...int32) {
	for _, t := range pieces {
		for _, v := range d.tris[t].V {
			d.beside[v] = t
		}
	}
}

// crosses reports whether two segments cross between their ends.
func (d *division) crosses(a, b, p, q int32) bool {
	if p == a || p == b || q == a || q == b {
		return false
	}
	return d.s.turn(d.w, a, b, p)*d.s.turn(d.w, a, b, q) < 0 && d.s.turn(d.w, p, q, a)*d.s.turn(d.w, p, q, b) < 0
}

// swap turns an edge when its two triangles make a convex whole.
func (d *division) swap(t int32, k int) bool {
	u, l := d.tris.Across(t, k)
	if u < 0 {
		return false
	}
	q, r := d.tris[t].V, d.tris[u].V
	a, b, c, e := q[k], q[(k+1)%3], q[(k+2)%3], r[(l+2)%3]
	if d.s.turn(d.w, c, e, b) <= 0 || d.s.turn(d.w, e, c, a) <= 0 {
		return false
	}
	d.tris.Swap(t, k)
	d.note(t, u)
	return true
}

// improve swaps edges that are no segments where that makes the smaller angles
// larger.
func (d *division) improve() {
	for range 20 {
		swapped := false
		for t := range int32(len(d.tris)) {
			for k := range 3 {
				u, l := d.tris.Across(t, k)
				if u < t {
					continue
				}
				q := d.tris[t].V
				a, b, c := q[k], q[(k+1)%3], q[(k+2)%3]
				if e := d.tris[u].V[(l+2)%3]; !d.fixed[sorted(a, b)] && d.wide(c, a, b)+d.wide(e, a, b) < -1e-9 {
					swapped = d.swap(t, k) || swapped
				}
			}
		}
		if !swapped {
			return
		}
	}
}

// wide is the cosine of an angle, from the rounded points: two opposite angles
// make more than half a turn when their cosines sum to less than nothing.
func (d *division) wide(at, a, b int32) float64 {
	return cosine(d.s.at[a].Sub(d.s.at[at]), d.s.at[b].Sub(d.s.at[at]))
}

func cosine(x, y geom.Vec) float64 { return x.Unit().Dot(y.Unit()) }
