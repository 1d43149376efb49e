package decimate

import (
	"context"
	"math"
	"slices"

	"veneer/core/geom"
	"veneer/core/mesh"
	"veneer/core/spatial"
)

// work is a mesh being made lighter.
type work struct {
	*border
	m         *mesh.Mesh
	at        []geom.Vec
	tri       []mesh.Triangle // gone when the first corner is -1
	left      int
	first     []int32 // of a vertex: one of its corners, 3·t+c
	next      []int32 // of a corner: the next one of its vertex, -1 at the end
	quadric   []Quadric
	moved     []float32 // of a vertex, when the planes are known: how far the surface there may have moved
	points    *points   // of the surface before; nil when nobody asks how far it is
	share     []float32
	surface   *spatial.Tree // at first, when there are points
	carry     [][2]int32
	age       []uint32 // of a vertex: how often it changed
	into      []int32  // of a vertex that is gone: what it went into
	tolerance float64
	known     bool             // the quadrics are of a surface that the mesh was drawn around, or stand for it
	given     bool             // some of them are of that surface indeed
	thinnest  float64          // a triangle's least height
	colours   [][3]mesh.Colour // of triangles' corners where they change within triangles
	covers    []mesh.Cover
	queue     queue
	mark      []uint32 // of a vertex: when it was last seen among neighbours
	now       uint32
	scratch   []mesh.Triangle
	around    []int32 // neighbours of the vertex that was looked at last
	star      star
}

// newWork goes on from a state and a border, which it uses up, but for the mesh
// unless that is its own.
func newWork(s *state, b *border, tolerance float64, own bool) *work {
	m, n := s.m, len(s.m.Positions)
	w := &work{border: b, m: m, at: m.Positions, tri: m.Triangles, left: len(m.Triangles),
		first: make([]int32, n), next: make([]int32, 3*len(m.Triangles)), quadric: s.quadric, moved: s.moved, points: s.points, share: s.share, surface: s.first, known: s.known, given: s.given,
		age: make([]uint32, n), into: make([]int32, n), tolerance: tolerance, mark: make([]uint32, n)}
	if !own {
		w.at, w.tri = slices.Clone(w.at), slices.Clone(w.tri)
	}
	if s.varied {
		w.colours, w.covers = slices.Clone(m.Colours), slices.Clone(m.Covers)
	}
	box := m.Bounds()
	w.thinnest = 0x1p-21 * max(box.Min.Length(), box.Max.Length())
	for v := range w.first {
		w.first[v], w.into[v] = -1, -1
	}
	for t := len(w.tri) - 1; t >= 0; t-- {
		for c, v := range w.tri[t] {
			w.next[3*t+c] = w.first[v]
			w.first[v] = int32(3*t + c)
		}
	}
	for _, v := range w.tri {
		for c := range 3 {
			if a, b := v[c], v[(c+1)%3]; a < b || w.kind[a] != free && w.kind[b] != free {
				w.offer(a, b)
			}
		}
	}
	return w
}

// everything is a limit that no cost reaches.
const everything = buckets

// run collapses edges until so many triangles are left, or those that wait cost
// as much as the limit, a bucket of the queue.
func (w *work) run(ctx context.Context, target, limit int, progress func(float64)) error {
	whole := w.left
	for done := 0; w.left > target; done++ {
		if done%8192 == 0 {
			if err := ctx.Err(); err != nil {
				return err
			}
			if progress != nil && whole > target {
				progress(float64(whole-w.left) / float64(whole-target))
			}
		}
		e, more := w.queue.take(limit)
		if !more {
			return nil
		}
		if w.into[e.a] >= 0 || w.into[e.b] >= 0 || w.age[e.a]+w.age[e.b] != e.age {
			continue
		}
		w.collapse(e.a, e.b)
	}
	return nil
}

// allowed reports whether borders leave it free to collapse an edge.
func (w *work) allowed(a, b int32) bool {
	if w.kind[a] == free || w.kind[b] == free {
		return true
	}
	return w.kind[b] == line && w.other(b, a) >= 0 || w.kind[a] == line && w.other(a, b) >= 0
}

// offer puts an edge into the queue, with what collapsing it costs.
func (w *work) offer(a, b int32) {
	if w.allowed(a, b) {
		_, _, _, cost := w.place(a, b)
		if !w.known { // of two that cost the same, the one that is off farther in a smaller place waits a little longer
			cost /= math.Sqrt(math.Sqrt(math.Sqrt(w.quadric[a].weight + w.quadric[b].weight)))
		}
		w.queue.put(entry{a, b, w.age[a] + w.age[b]}, cost)
	}
}

// place tells which end of an edge goes into the other one, where that is put, and
// what it costs.
func (w *work) place(a, b int32) (stays, goes int32, p geom.Vec, cost float64) {
	q := w.quadric[a]
	q.Add(&w.quadric[b])
	pa, pb := w.at[a], w.at[b]
	length2 := pb.Sub(pa).Dot(pb.Sub(pa))
	small := 1e-9 * length2 * length2 // of two that cost nothing, the shorter edge first
	switch {
	case w.kind[a] == free && w.kind[b] == free:
		middle := pa.Lerp(pb, 0.5)
		p = q.best(middle)
		// Nearly flat places pull far away; there an end or the middle is as good.
		if d := p.Sub(middle); !(d.Dot(d) <= 4*length2) {
			p = middle
		}
		p = p.Single()
		if cost = q.at(p); w.known {
			return a, b, p, cost + small
		}
		// Where an end does as well, within rounding, what is there stays exactly there.
		rounding := q.weight * (1e-12*length2 + 1e-15*pa.Dot(pa))
		if at := q.at(pa); at <= cost+rounding {
			return a, b, pa, at + small
		}
		if at := q.at(pb); at <= cost+rounding {
			return b, a, pb, at + small
		}
		return a, b, p, cost + small
	case w.kind[b] == free:
		return a, b, pa, q.at(pa) + small
	case w.kind[a] == free:
		return b, a, pb, q.at(pb) + small
	}
	toA, toB := math.Inf(1), math.Inf(1)
	if w.kind[b] == line && w.other(b, a) >= 0 {
		toA = q.at(pa)
	}
	if w.kind[a] == line && w.other(a, b) >= 0 {
		toB = q.at(pb)
	}
	if toA <= toB {
		return a, b, pa, toA + small
	}
	return b, a, pb, toB + small
}

// collapse makes one vertex of an edge's ends, when nothing speaks against it.
func (w *work) collapse(a, b int32) {
	a, b, p, _ := w.place(a, b) // b goes into a
	beyond := int32(-1)
	if w.kind[b] == line {
		if beyond = w.other(b, a); beyond < 0 || w.beside(a, beyond) {
			return
		}
	}
	gone := 0 // triangles at the edge
	for c := w.first[b]; c >= 0; c = w.next[c] {
		if has(w.tri[c/3], a) {
			gone++
			if beyond >= 0 && has(w.tri[c/3], beyond) {
				return // it is all there is between two lines
			}
		}
	}
	if gone != 2 && !(gone == 1 && beyond >= 0) || !w.linked(a, b, gone) {
		return
	}
	q := w.quadric[a]
	q.Add(&w.quadric[b])
	least := exact * w.tolerance
	on := w.known && q.at(p) <= least*least*q.weight // the surface itself
	turns := 0.3
	if on && w.given {
		turns = -0.5
	}
	far, straight := 0.0, 1.0
	for _, v := range [2]int32{a, b} {
		other := a + b - v
		if v == a && p == w.at[a] && !w.known {
			continue // what is around a stays as it is
		}
		for c := w.first[v]; c >= 0; c = w.next[c] {
			t := w.tri[c/3]
			if !w.clear(t, int(c%3), p, has(t, other), &far, &straight) || straight < turns {
				return
			}
		}
	}
	switch {
	case w.known:
		moved := max(w.moved[a], w.moved[b])
		if on {
			far, moved = 0, 0
		}
		if far += float64(moved); far > w.tolerance {
			return
		}
	case w.points != nil || w.colours != nil || w.covers != nil:
		if w.displacement(a, b, p, beyond, gone == 1) > w.tolerance {
			return
		}
		if (w.colours != nil || w.covers != nil) && !w.fits(a, b, p) {
			return
		}
		if w.points != nil && !w.carried() {
			return
		}
		if w.points != nil && p != w.at[a] {
			if near, _, _ := w.surface.Nearest(p, nearly*w.tolerance); near < 0 {
				return
			}
		}
	}
	if (straight < bends || on && far > w.tolerance/2) && w.folds(a, b, p) {
		return
	}
	if w.known {
		w.moved[a] = float32(far)
	}
	if beyond >= 0 {
		w.border.into(b, a)
	}
	w.redraw(a, b, p)
	if w.points != nil {
		w.settle()
	}
	w.quadric[a] = q
	w.neighbours(a)
	for _, v := range w.around {
		w.sweep(v)
		w.offer(min(a, v), max(a, v))
	}
}

// redraw puts a in the place of b and moves it to p.
func (w *work) redraw(a, b int32, p geom.Vec) {
	whole := p != w.at[a]
	if w.colours != nil || w.covers != nil {
		if whole {
			x := w.wear(w.first[a]/3, a, b, p)
			for _, v := range [2]int32{a, b} {
				for c := w.first[v]; c >= 0; c = w.next[c] {
					w.put(c/3, int(c%3), x)
				}
			}
		} else {
			for c := w.first[b]; c >= 0; c = w.next[c] {
				if !has(w.tri[c/3], a) {
					w.put(c/3, int(c%3), w.wear(c/3, a, b, p))
				}
			}
		}
	}
	w.at[a] = p
	w.into[b] = a
	last := int32(-1)
	for c := w.first[b]; c >= 0; c = w.next[c] {
		t := &w.tri[c/3]
		if has(*t, a) {
			t[0] = -1
			w.left--
		} else {
			t[c%3] = a
		}
		last = c
	}
	w.next[last] = w.first[a]
	w.first[a] = w.first[b]
	w.first[b] = -1
	w.sweep(a)
	w.age[a]++
}

// sweep takes the corners of triangles that are gone out of a vertex's list.
func (w *work) sweep(v int32) {
	at := &w.first[v]
	for *at >= 0 {
		if w.tri[*at/3][0] < 0 {
			*at = w.next[*at]
		} else {
			at = &w.next[*at]
		}
	}
}

// neighbours fills around with the vertices around v.
func (w *work) neighbours(v int32) {
	w.now++
	w.around = w.around[:0]
	for c := w.first[v]; c >= 0; c = w.next[c] {
		for _, u := range w.tri[c/3] {
			if u != v && w.mark[u] != w.now {
				w.mark[u] = w.now
				w.around = append(w.around, u)
			}
		}
	}
}

// linked reports whether collapsing an edge leaves the topology as it is: its
// ends have no neighbours in common but those of the triangles at it (Dey,
// Edelsbrunner, Guha, Nekhayev, "Topology Preserving Edge Contraction", 1999).
func (w *work) linked(a, b int32, gone int) bool {
	w.neighbours(a)
	common := 0
	seen := w.now
	w.now++
	for c := w.first[b]; c >= 0; c = w.next[c] {
		for _, u := range w.tri[c/3] {
			if u != b && w.mark[u] == seen {
				w.mark[u] = w.now
				common++
			}
		}
	}
	return common == gone
}

func has(t mesh.Triangle, v int32) bool { return t[0] == v || t[1] == v || t[2] == v }

// clear reports whether moving the corner c of a triangle to p leaves it thick
// enough, unless it goes; it keeps how far p is off its plane at most, and the
// least cosine of how it turns.
func (w *work) clear(t mesh.Triangle, c int, p geom.Vec, goes bool, far, straight *float64) bool {
	x, y, z := w.at[t[c]], w.at[t[(c+1)%3]], w.at[t[(c+2)%3]]
	n := y.Sub(x).Cross(z.Sub(x))
	l := n.Length()
	if l > 0 {
		*far = max(*far, math.Abs(n.Dot(p.Sub(x)))/l)
	}
	if goes {
		return true
	}
	yz := z.Sub(y)
	made := y.Sub(p).Cross(z.Sub(p))
	s := made.Length()
	longest2 := max(yz.Dot(yz), y.Sub(p).Dot(y.Sub(p)), z.Sub(p).Dot(z.Sub(p)))
	if s*s <= w.thinnest*w.thinnest*longest2 {
		return false
	}
	cos := n.Dot(made) / (l * s)
	*straight = min(*straight, cos)
	return true
}

// folds reports whether, with an edge's ends at p, a triangle around them meets
// another one there, or one of those around their neighbours.
func (w *work) folds(a, b int32, p geom.Vec) bool {
	w.now++
	list := w.scratch[:0]
	add := func(t mesh.Triangle) {
		for c, v := range t {
			if v == b {
				t[c] = a
			}
		}
		if t[0] != t[1] && t[1] != t[2] && t[2] != t[0] {
			list = append(list, t)
		}
	}
	for _, v := range [2]int32{a, b} {
		for c := w.first[v]; c >= 0; c = w.next[c] {
			add(w.tri[c/3])
		}
	}
	star := len(list)
	for i := range star {
		for _, v := range list[i] {
			if v == a || w.mark[v] == w.now {
				continue
			}
			w.mark[v] = w.now
			for c := w.first[v]; c >= 0; c = w.next[c] {
				if t := w.tri[c/3]; !has(t, a) && !has(t, b) {
					list = append(list, t)
				}
			}
		}
	}
	w.scratch = list
	if star*len(list) > mostPairs {
		return true // rather leave it than look at all
	}
	kept := w.at[a]
	w.at[a] = p
	defer func() { w.at[a] = kept }()
	m := &mesh.Mesh{Positions: w.at, Triangles: list}
	for i := range int32(star) {
		for j := i + 1; j < int32(len(list)); j++ {
			if spatial.Intersect(m, i, j) {
				return true
			}
		}
	}
	return false
}

// result gathers what is left, rounded to float32, and which of its vertices each
// of the old ones went into, -1 for those that no triangle uses.
func (w *work) result() (s *state, from []int32) {
	m := w.m.Blank(nil)
	s = &state{m: m, share: w.share, first: w.surface, known: w.known, given: w.given, varied: w.colours != nil || w.covers != nil}
	if w.points != nil {
		s.points = &points{}
	}
	number := make([]int32, len(w.at))
	for v := range number {
		number[v] = -1
	}
	for t, v := range w.tri {
		if v[0] < 0 {
			continue
		}
		for c, u := range v {
			if number[u] < 0 {
				number[u] = int32(len(m.Positions))
				m.Positions = append(m.Positions, w.at[u].Single())
				s.quadric = append(s.quadric, w.quadric[u])
				if w.known {
					s.moved = append(s.moved, w.moved[u])
				}
			}
			v[c] = number[u]
		}
		w.take(s, v, int32(t))
	}
	from = make([]int32, len(w.at))
	for v := range from {
		from[v] = number[w.end(int32(v))]
	}
	return s, from
}

// take adds what is left of triangle t to a state, as the vertices are numbered
// there.
func (w *work) take(s *state, v mesh.Triangle, t int32) {
	s.m.Take(v, w.m, t)
	last := len(s.m.Triangles) - 1
	if w.colours != nil {
		s.m.Colours[last] = w.colours[t]
	}
	if w.covers != nil {
		s.m.Covers[last] = w.covers[t]
	}
	if w.points != nil {
		s.points.take(w.points, t)
	}
}

// end is the vertex that a vertex went into at last.
func (w *work) end(v int32) int32 {
	for w.into[v] >= 0 {
		v = w.into[v]
	}
	return v
}
