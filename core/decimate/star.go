package decimate

import (
	"math"
	"slices"

	"veneer/core/geom"
	"veneer/core/mesh"
)

// star is the surface around an edge before and after it is collapsed.
type star struct {
	ids      []int32     // vertices, by their numbers here
	pos      []geom.Vec  // where they are; that of the new vertex is the last when it is none of them
	old      [][3]int32  // triangles before
	made     [][3]int32  // and after
	before   []int32     // which triangle each of old is, as numbered in the mesh
	source   []int32     // and each of made
	moving   [2]int32    // vertices that go: b, and a when it moves too, else -1
	to       int32       // the vertex that they go to
	rim      [2]int32    // ends of the rim's new edge, when b is on a rim; else -1
	reach    float64     // no point of either surface is farther than this from what they have in common
	axes     [3]geom.Vec // of the direction that it is seen along: aside, up, and towards it
	u, v, h  []float64   // where vertices are, so seen, from the first one
	flattest float64     // the least cosine between a triangle and the direction
	seen     bool        // there is a direction that both surfaces face
}

// mostAround is the most vertices around an edge that are looked at closely.
const mostAround = 96

// number is a vertex's number here.
func (s *star) number(w *work, v int32) int32 {
	for i, u := range s.ids {
		if u == v {
			return int32(i)
		}
	}
	s.ids = append(s.ids, v)
	s.pos = append(s.pos, w.at[v])
	return int32(len(s.ids) - 1)
}

// gather fills the star for b going into a, which goes to p.
func (s *star) gather(w *work, a, b int32, p geom.Vec) {
	s.ids, s.pos, s.old, s.made, s.before, s.source, s.reach = s.ids[:0], s.pos[:0], s.old[:0], s.made[:0], s.before[:0], s.source[:0], 0
	whole := p != w.at[a]
	la, lb := s.number(w, a), s.number(w, b)
	s.moving, s.rim = [2]int32{lb, -1}, [2]int32{-1, -1}
	if s.to = la; whole {
		s.moving[1] = la
		s.to = -1
	}
	add := func(t int32) {
		v := w.tri[t]
		var l [3]int32
		for k, u := range v {
			l[k] = s.number(w, u)
		}
		s.old, s.before = append(s.old, l), append(s.before, t)
		if has(v, a) && has(v, b) {
			return
		}
		for k := range l {
			if l[k] == lb || whole && l[k] == la {
				l[k] = -1 // the new vertex
			}
		}
		s.made, s.source = append(s.made, l), append(s.source, t)
	}
	for c := w.first[b]; c >= 0 && len(s.ids) <= mostAround; c = w.next[c] {
		add(c / 3)
	}
	if whole {
		for c := w.first[a]; c >= 0 && len(s.ids) <= mostAround; c = w.next[c] {
			if !has(w.tri[c/3], b) {
				add(c / 3)
			}
		}
		s.to = int32(len(s.pos))
		s.pos = append(s.pos, p)
	}
	for i := range s.made {
		for k := range 3 {
			if s.made[i][k] < 0 {
				s.made[i][k] = s.to
			}
		}
	}
	for i, q := range s.pos {
		if int32(i) == lb || whole && int32(i) == la || int32(i) == s.to {
			continue
		}
		s.reach = max(s.reach, q.Distance(p), q.Distance(w.at[b]))
		if whole {
			s.reach = max(s.reach, q.Distance(w.at[a]))
		}
	}
}

// see looks along a direction: it reports whether both surfaces face towards it
// everywhere, neither folded over itself. Triangles before that are thinner than a
// hair may face anywhere.
func (s *star) see(n geom.Vec, hair float64) bool {
	l := n.Length()
	if l == 0 {
		return false
	}
	n = n.Scale(1 / l)
	e := geom.Vec{X: 1}
	if math.Abs(n.X) > 0.6 {
		e = geom.Vec{Y: 1}
	}
	x := e.Cross(n).Unit()
	y := n.Cross(x)
	s.u, s.v, s.h = s.u[:0], s.v[:0], s.h[:0]
	s.axes = [3]geom.Vec{x, y, n}
	for _, p := range s.pos {
		s.show(p)
	}
	s.flattest = 1
	for n, list := range [2][][3]int32{s.old, s.made} {
		for _, t := range list {
			area := s.area(t[0], t[1], t[2])
			p, q, r := s.pos[t[0]], s.pos[t[1]], s.pos[t[2]]
			whole := q.Sub(p).Cross(r.Sub(p)).Length()
			if n == 0 && whole < hair*max(p.Distance(q), q.Distance(r), r.Distance(p)) {
				continue
			}
			if area <= 0 {
				return false
			}
			s.flattest = min(s.flattest, area/whole)
		}
	}
	// All triangles after turn around one vertex; once around it they do not overlap.
	for i, t := range s.made {
		if i > 0 && s.moving[1] >= 0 {
			break // a closed fan: one direction tells
		}
		from, _ := s.sides(t)
		times := 0
		for _, r := range s.made {
			f, g := s.sides(r)
			if x, y := s.area(s.to, f, from), s.area(s.to, from, g); x > 0 && y > 0 || f == from {
				times++
			}
		}
		if times > 1 {
			return false
		}
	}
	return true
}

// show adds a point to those that are seen.
func (s *star) show(p geom.Vec) {
	d := p.Sub(s.pos[0])
	s.u, s.v, s.h = append(s.u, d.Dot(s.axes[0])), append(s.v, d.Dot(s.axes[1])), append(s.h, d.Dot(s.axes[2]))
}

// sides are the corners of a triangle after and before the new vertex.
func (s *star) sides(t [3]int32) (from, to int32) {
	for k, v := range t {
		if v == s.to {
			return t[(k+1)%3], t[(k+2)%3]
		}
	}
	return -1, -1
}

// area is twice that of a triangle as it is seen.
func (s *star) area(i, j, k int32) float64 {
	return (s.u[j]-s.u[i])*(s.v[k]-s.v[i]) - (s.v[j]-s.v[i])*(s.u[k]-s.u[i])
}

// within finds the triangle of a list that a vertex is seen in, and its shares
// there.
func (s *star) within(list [][3]int32, i int32) (at int, share [3]float64) {
	best := math.Inf(-1)
	for n, t := range list {
		a, b, c := s.area(t[1], t[2], i), s.area(t[2], t[0], i), s.area(t[0], t[1], i)
		whole := a + b + c
		if least := min(a, b, c) / whole; least > best {
			best, at, share = least, n, [3]float64{a / whole, b / whole, c / whole}
			if least >= 0 {
				break
			}
		}
	}
	return at, share
}

// height is how high a triangle is where a vertex has shares of it.
func (s *star) height(t [3]int32, share [3]float64) float64 {
	return share[0]*s.h[t[0]] + share[1]*s.h[t[1]] + share[2]*s.h[t[2]]
}

// apart is how far the two surfaces are from each other at most, in the direction
// that they are seen along.
//
// Idea: both cover the same area as it is seen, and are flat but for their edges,
// so what is between them is highest at a vertex of one or where edges of both
// cross. On a rim the areas differ by what lies between the old and the new edge.
func (s *star) apart() float64 {
	most := 0.0
	if s.moving[1] >= 0 && len(s.old) > 0 {
		n, share := s.within(s.old, s.to)
		most = math.Abs(s.h[s.to] - s.height(s.old[n], share))
	}
	for _, i := range s.moving {
		if i < 0 || i == s.moving[0] && s.rim[0] >= 0 || len(s.made) == 0 {
			continue
		}
		n, share := s.within(s.made, i)
		most = max(most, math.Abs(s.h[i]-s.height(s.made[n], share)))
	}
	cross := func(i, x, j, y int32) {
		if x == y || i == j || i == y || j == x {
			return
		}
		a, b := s.area(j, y, i), s.area(j, y, x)
		c, d := s.area(i, x, j), s.area(i, x, y)
		if a*b >= 0 || c*d >= 0 {
			return
		}
		f, g := a/(a-b), c/(c-d)
		most = max(most, math.Abs(s.h[i]+f*(s.h[x]-s.h[i])-s.h[j]-g*(s.h[y]-s.h[j])))
	}
	for _, t := range s.old {
		for k, i := range t {
			if i != s.moving[0] && i != s.moving[1] {
				continue
			}
			sides := [2]int32{t[(k+1)%3], t[(k+2)%3]}
			for n, x := range sides {
				if n > 0 && s.rim[0] < 0 {
					break // it is the first one in the triangle beside
				}
				for _, r := range s.made {
					from, _ := s.sides(r)
					cross(i, x, s.to, from)
				}
				if s.rim[0] >= 0 {
					cross(i, x, s.rim[0], s.rim[1])
				}
			}
		}
	}
	return most
}

// displacement is how far the surface moves at most, in mm, when b goes into a and
// a to p: no point of the surface after is farther from the one before, nor the
// other way round. beyond is the vertex after b on its border, -1 when it is on none.
//
// Idea: seen along a direction that both surfaces face, each point of one has one
// of the other above or below it, which is how far they are apart at most. Where
// there is no such direction, nothing is farther than the triangles are long.
func (w *work) displacement(a, b int32, p geom.Vec, beyond int32, rim bool) float64 {
	s := &w.star
	s.gather(w, a, b, p)
	if s.seen = false; len(s.ids) > mostAround {
		return math.Inf(1)
	}
	aside := 0.0
	if beyond >= 0 {
		aside = fromSegment(w.at[b], w.at[a], w.at[beyond])
	}
	if rim {
		s.rim = [2]int32{s.number(w, a), s.number(w, beyond)}
	}
	var n geom.Vec
	for _, t := range s.old {
		n = n.Add(s.pos[t[1]].Sub(s.pos[t[0]]).Cross(s.pos[t[2]].Sub(s.pos[t[0]])))
	}
	off := s.reach
	hair := 0.0
	if w.points != nil {
		hair = w.tolerance / 8
	}
	if s.seen = s.see(n, hair); s.seen {
		d := s.apart()
		if rim {
			d += aside / s.flattest
		}
		off = min(off, d)
	}
	return max(off, aside)
}

// nearest finds the triangle after the collapse that a point is near to, at most so
// far: the one above or below it, or any.
func (s *star) nearest(q geom.Vec, most float64) int {
	near := func(t [3]int32) bool {
		d := q.Sub(geom.ClosestOnTriangle(q, s.pos[t[0]], s.pos[t[1]], s.pos[t[2]]))
		return d.Dot(d) <= most*most
	}
	if s.seen {
		n := len(s.u)
		s.show(q)
		at, _ := s.within(s.made, int32(n))
		s.u, s.v, s.h = s.u[:n], s.v[:n], s.h[:n]
		if near(s.made[at]) {
			return at
		}
	}
	return slices.IndexFunc(s.made, near)
}

// fromSegment is how far a point is from a segment.
func fromSegment(q, a, b geom.Vec) float64 {
	d := b.Sub(a)
	f := 0.0
	if l := d.Dot(d); l > 0 {
		f = max(0, min(1, q.Sub(a).Dot(d)/l))
	}
	return q.Distance(a.Add(d.Scale(f)))
}

// fits reports whether colours and textures look the same, about, once b has gone
// into a, which goes to p: it compares what was at the vertices that go with what
// is there after.
func (w *work) fits(a, b int32, p geom.Vec) bool {
	const (
		mostColour  = 10        // of 255
		mostTexture = 1.0 / 512 // of the picture's sides
	)
	s := &w.star
	if !s.seen || len(s.made) == 0 {
		return false
	}
	for _, i := range s.moving {
		if i < 0 {
			continue
		}
		n, share := s.within(s.made, i)
		t := s.source[n]
		made := w.wear(t, a, b, p)
		was, known := w.worn(s.ids[i], w.chartOf(t))
		if !known {
			return false
		}
		var corner [3]wear
		v := w.tri[t]
		for k := range 3 {
			if corner[k] = w.wearAt(t, k); v[k] == b || v[k] == a && p != w.at[a] {
				corner[k] = made
			}
		}
		for c := range 4 {
			x := share[0]*corner[0].colour[c] + share[1]*corner[1].colour[c] + share[2]*corner[2].colour[c]
			if math.Abs(x-was.colour[c]) > mostColour {
				return false
			}
		}
		for c := range 2 {
			x := share[0]*corner[0].texture[c] + share[1]*corner[1].texture[c] + share[2]*corner[2].texture[c]
			if math.Abs(x-was.texture[c]) > mostTexture {
				return false
			}
		}
	}
	return true
}

// wear is the colour and place in a texture of one corner of a triangle.
type wear struct {
	colour  [4]float64
	texture [2]float64
}

func (w *work) wearAt(t int32, k int) (x wear) {
	if w.colours != nil {
		r, g, b, a := w.colours[t][k].RGBA()
		x.colour = [4]float64{float64(r), float64(g), float64(b), float64(a)}
	}
	if w.covers != nil {
		x.texture = [2]float64{float64(w.covers[t].At[k][0]), float64(w.covers[t].At[k][1])}
	}
	return x
}

// chartOf is the chart of a triangle.
func (w *work) chartOf(t int32) int32 {
	if w.chart == nil {
		return 0
	}
	return w.chart[t]
}

// worn is what a vertex wears in a chart.
func (w *work) worn(v, chart int32) (x wear, known bool) {
	for c := w.first[v]; c >= 0; c = w.next[c] {
		if w.chartOf(c/3) == chart {
			return w.wearAt(c/3, int(c%3)), true
		}
	}
	return x, false
}

// wear is what the vertex at p wears in triangle t, when b goes into a and a to p.
func (w *work) wear(t, a, b int32, p geom.Vec) wear {
	chart := w.chartOf(t)
	x, _ := w.worn(a, chart)
	if p == w.at[a] {
		return x
	}
	y, _ := w.worn(b, chart)
	along := w.at[b].Sub(w.at[a])
	f := max(0, min(1, p.Sub(w.at[a]).Dot(along)/along.Dot(along)))
	for c := range x.colour {
		x.colour[c] += f * (y.colour[c] - x.colour[c])
	}
	for c := range x.texture {
		x.texture[c] += f * (y.texture[c] - x.texture[c])
	}
	return x
}

// put has a corner of a triangle wear something.
func (w *work) put(t int32, k int, x wear) {
	if w.colours != nil {
		var c mesh.Colour
		for _, y := range x.colour {
			c = c<<8 | mesh.Colour(min(y+0.5, 255))
		}
		w.colours[t][k] = c
	}
	if w.covers != nil {
		w.covers[t].At[k] = [2]float32{float32(x.texture[0]), float32(x.texture[1])}
	}
}
