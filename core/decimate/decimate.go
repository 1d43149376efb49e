// Package decimate makes a mesh lighter: edges are collapsed, the least missed
// ones first, until the mesh is light enough or another collapse would move the
// surface too far.
//
// The idea: every vertex remembers the planes that it stood for, as a quadric
// (Garland & Heckbert, "Surface Simplification Using Quadric Error Metrics",
// 1997); collapsing an edge adds two quadrics, and the new vertex is put where
// their sum is least. Edges wait in buckets by the logarithm of what they cost,
// each in mesh order, which is half the work of keeping them sorted and hardly
// less good. A collapse that would change the topology, turn a triangle over or
// make it a hair thin is not done. What crosses itself in the end is found
// exactly and kept as it was, in another go.
//
// Cost O(t) collapses of about 1 µs each; 250 bytes a triangle.
package decimate

import (
	"context"
	"math"

	"veneer/core/geom"
	"veneer/core/mesh"
	"veneer/core/spatial"
)

// Settings say when to stop; at least one of them must be given.
type Settings struct {
	Triangles   int     // stop at so many; 0 for as few as there may be
	ToleranceMM float64 // how far a collapse may move the surface, one after the other added up; 0 for any
	Keep        []bool  // vertices that stay where they are; nil for none
	// Planes of a surface that the mesh was drawn around, by vertex: the result
	// comes nearer to it than the mesh is. Where there are none, those of the
	// mesh's own triangles take their place.
	Planes []Quadric
}

// Result is what became of a mesh.
type Result struct {
	Mesh  *mesh.Mesh // in single precision
	Tries int        // how often it was done, to leave no new crossing
}

// exact is how far off the surface that it was drawn around a vertex counts as on
// it, as a share of the tolerance.
const exact = 0.05

// bends is the cosine of how far a collapse turns a triangle at least, when it is
// looked at whether triangles around it come to meet.
const bends = 0.8

// mostPairs of triangles around a collapse are looked at.
const mostPairs = 4000

// mostTries to leave no new crossing; after that, nothing is done.
const mostTries = 6

// Run makes a mesh lighter that is rounded to float32 and without triangles of
// no area. The mesh is left as it is. What is closed stays closed, manifold and
// free of crossings; open rims, edges of three and more triangles, and borders
// between bodies, colours and textures stay as they are.
func Run(ctx context.Context, m *mesh.Mesh, set Settings, progress func(done float64)) (Result, error) {
	fixed := borders(m)
	for v, keep := range set.Keep {
		fixed[v] = fixed[v] || keep
	}
	s := begin(m, set.Planes)
	if set.Triangles == 0 && len(m.Triangles) >= worthBlocks {
		b := newBlocks(s, fixed, set.ToleranceMM)
		for try := 0; ; try++ {
			if err := b.run(ctx); err != nil {
				return Result{}, err
			}
			lighter, from := b.together()
			cross, err := crossing(ctx, lighter.m, from, b.fixed)
			if err != nil {
				return Result{}, err
			}
			if len(cross) == 0 || try == mostTries {
				s, fixed = lighter, carried(fixed, from, len(lighter.m.Positions))
				break
			}
			b.again(cross)
		}
	}
	for try := 1; try <= mostTries; try++ {
		w := newWork(s.clone(), fixed, set.ToleranceMM)
		if err := w.run(ctx, set.Triangles, progress); err != nil {
			return Result{}, err
		}
		made, from := w.result()
		cross, err := crossing(ctx, made, from, fixed)
		if err != nil {
			return Result{}, err
		}
		if len(cross) == 0 {
			return Result{made, try}, nil
		}
		for _, v := range cross {
			fixed[v] = true
		}
	}
	return Result{m.Clone(), mostTries}, nil
}

// crossing lists the vertices, other than fixed ones, that went into those of
// triangles which cross each other in single precision.
func crossing(ctx context.Context, made *mesh.Mesh, from []int32, fixed []bool) (list []int32, err error) {
	rounded := &mesh.Mesh{Positions: make([]geom.Vec, len(made.Positions)), Triangles: made.Triangles}
	for v, p := range made.Positions {
		rounded.Positions[v] = p.Single()
	}
	meet, err := spatial.New(rounded, nil).Crossings(ctx, 10_000, nil)
	if err != nil || len(meet.Pairs) == 0 {
		return nil, err
	}
	into := map[int32]bool{}
	for _, p := range meet.Pairs {
		for _, t := range p {
			for _, v := range made.Triangles[t] {
				into[v] = true
			}
		}
	}
	for v, to := range from {
		if to >= 0 && into[to] && !fixed[v] {
			list = append(list, int32(v))
		}
	}
	return list, nil
}

// carried says of the vertices of a lighter mesh which of them are fixed.
func carried(fixed []bool, from []int32, n int) []bool {
	kept := make([]bool, n)
	for v, is := range fixed {
		if is && from[v] >= 0 {
			kept[from[v]] = true
		}
	}
	return kept
}

// borders marks the vertices that no collapse may move: those on open rims, on
// edges of three and more triangles or of two that run the same way, and where
// bodies, colours or textures change.
func borders(m *mesh.Mesh) []bool {
	fixed := make([]bool, len(m.Positions))
	topo := mesh.NewTopology(m)
	for e := range int32(topo.Edges()) {
		halves := topo.Halves(e)
		if len(halves) == 2 && !topo.SameWay(halves[0], halves[1]) && alike(m, halves[0], halves[1]) {
			continue
		}
		fixed[topo.From(halves[0])], fixed[topo.To(halves[0])] = true, true
	}
	pinched, _ := topo.NonManifoldVertices()
	for _, v := range pinched {
		fixed[v] = true
	}
	return fixed
}

// alike reports whether the triangles of two half-edges of one edge are of one
// body, colour and texture there.
func alike(m *mesh.Mesh, g, h int32) bool {
	s, t := g/3, h/3
	if m.BodyOf != nil && m.BodyOf[s] != m.BodyOf[t] {
		return false
	}
	if m.Covers != nil && (m.Covers[s].Texture != 0 || m.Covers[t].Texture != 0) {
		return false
	}
	if m.Colours != nil {
		c := m.Colours[s][0]
		for k := range 3 {
			if m.Colours[s][k] != c || m.Colours[t][k] != c {
				return false
			}
		}
	}
	return true
}

// work is a mesh being made lighter.
type work struct {
	m         *mesh.Mesh
	at        []geom.Vec
	tri       []mesh.Triangle // gone when the first corner is -1
	left      int
	first     []int32 // of a vertex: one of its corners, 3·t+c
	next      []int32 // of a corner: the next one of its vertex, -1 at the end
	fixed     []bool
	quadric   []Quadric
	moved     []float32 // of a vertex: how far the surface there may have moved
	age       []uint32  // of a vertex: how often it changed
	into      []int32   // of a vertex that is gone: what it went into
	tolerance float64
	known     bool    // the quadrics are of a surface that the mesh was drawn around
	thinnest  float64 // a triangle's least height
	queue     queue
	mark      []uint32 // of a vertex: when it was last seen among neighbours
	now       uint32
	scratch   []mesh.Triangle
	around    []int32 // neighbours of the vertex that was looked at last
}

// newWork goes on from a state, which it uses up but for the mesh.
func newWork(s *state, fixed []bool, tolerance float64) *work {
	m, n := s.m, len(s.m.Positions)
	w := &work{m: m, at: append([]geom.Vec(nil), m.Positions...), tri: append([]mesh.Triangle(nil), m.Triangles...), left: len(m.Triangles),
		first: make([]int32, n), next: make([]int32, 3*len(m.Triangles)), fixed: fixed, quadric: s.quadric, moved: s.moved, known: s.known,
		age: make([]uint32, n), into: make([]int32, n), tolerance: tolerance, mark: make([]uint32, n)}
	if tolerance <= 0 {
		w.tolerance = math.Inf(1)
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
	return w
}

// run collapses edges until so many triangles are left.
func (w *work) run(ctx context.Context, target int, progress func(float64)) error {
	for t, v := range w.tri {
		for c := range 3 {
			if a, b := v[c], v[(c+1)%3]; a < b || w.fixed[a] && w.fixed[b] {
				w.offer(a, b)
			}
		}
		if t%65536 == 0 && ctx.Err() != nil {
			return ctx.Err()
		}
	}
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
		e, more := w.queue.take()
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

// offer puts an edge into the queue, with what collapsing it costs.
func (w *work) offer(a, b int32) {
	if w.fixed[a] && w.fixed[b] {
		return
	}
	_, cost := w.place(a, b)
	w.queue.put(entry{a, b, w.age[a] + w.age[b]}, cost)
}

// place is where the vertex goes that an edge is collapsed into, and what it costs.
func (w *work) place(a, b int32) (p geom.Vec, cost float64) {
	q := w.quadric[a]
	q.Add(&w.quadric[b])
	pa, pb := w.at[a], w.at[b]
	length2 := pb.Sub(pa).Dot(pb.Sub(pa))
	switch {
	case w.fixed[a]:
		p = pa
	case w.fixed[b]:
		p = pb
	default:
		p = q.best(pa.Lerp(pb, 0.5))
		// Nearly flat places pull far away; there an end or the middle is as good.
		if d := p.Sub(pa.Lerp(pb, 0.5)); !(d.Dot(d) <= 4*length2) {
			p = pa.Lerp(pb, 0.5)
		}
	}
	p = p.Single()
	cost = q.at(p)
	if !w.fixed[a] && !w.fixed[b] { // where an end does as well, within rounding, what is there stays exactly there
		rounding := q.weight * (1e-12*length2 + 1e-15*pa.Dot(pa))
		if at := q.at(pa); at <= cost+rounding {
			p, cost = pa, at
		} else if at := q.at(pb); at <= cost+rounding {
			p, cost = pb, at
		}
	}
	return p, cost + 1e-9*length2*length2
}

// collapse makes one vertex of an edge's ends, when nothing speaks against it.
func (w *work) collapse(a, b int32) {
	p, _ := w.place(a, b)
	if w.fixed[b] {
		a, b = b, a // a stays
	}
	gone := 0 // triangles at the edge
	for c := w.first[b]; c >= 0; c = w.next[c] {
		if has(w.tri[c/3], a) {
			gone++
		}
	}
	if gone != 2 || !w.linked(a, b, gone) {
		return
	}
	q := w.quadric[a]
	q.Add(&w.quadric[b])
	off := exact * w.tolerance
	on := w.known && q.at(p) <= off*off*q.weight // the surface itself
	turns := 0.3
	if on {
		turns = -0.5
	}
	moved := max(w.moved[a], w.moved[b])
	far, straight := 0.0, 1.0
	for _, v := range [2]int32{a, b} {
		other := a + b - v
		for c := w.first[v]; c >= 0; c = w.next[c] {
			t := w.tri[c/3]
			if !w.clear(t, int(c%3), p, has(t, other), &far, &straight) || straight < turns {
				return
			}
		}
	}
	if (straight < bends || on && far > w.tolerance/2) && w.folds(a, b, p) {
		return
	}
	if on {
		far, moved = 0, 0
	}
	if far += float64(moved); far > w.tolerance {
		return
	}
	w.quadric[a] = q
	w.at[a] = p
	w.moved[a] = float32(far)
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
	// Corners of triangles that are gone leave the lists of the ring and of a.
	w.sweep(a)
	w.age[a]++
	w.neighbours(a)
	for _, v := range w.around {
		w.sweep(v)
		w.offer(min(a, v), max(a, v))
	}
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
func (w *work) result() (m *mesh.Mesh, from []int32) {
	m = w.m.Blank(nil)
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
			}
			v[c] = number[u]
		}
		m.Take(v, w.m, int32(t))
	}
	from = make([]int32, len(w.at))
	for v := range from {
		from[v] = number[w.end(int32(v))]
	}
	return m, from
}

// end is the vertex that a vertex went into at last.
func (w *work) end(v int32) int32 {
	for w.into[v] >= 0 {
		v = w.into[v]
	}
	return v
}
