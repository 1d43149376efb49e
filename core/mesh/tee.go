package mesh

import (
	"cmp"
	"slices"

	"veneer/core/geom"
)

// Tee is a corner of an open boundary that lies on an open edge which does not
// know it: triangles meet there as in the letter T.
type Tee struct {
	Half   int32 // of the edge
	Vertex int32
	Share  float64 // where on the edge, from its beginning
}

// Tees finds the corners of open boundaries that lie on open edges, within a
// distance of them and farther than that from their ends. They come by edge, and
// along it. The corners are sorted along the longest side of their box, so that
// for rims of short edges the cost is O(n log n).
func (topo *Topology) Tees(loops []Loop, distance float64) (list []Tee) {
	m := topo.Mesh
	var rim, halves []int32
	box := geom.EmptyBox()
	for _, loop := range loops {
		for _, h := range loop.Halves {
			rim = append(rim, topo.From(h), topo.To(h))
			box = box.Extend(m.Positions[topo.From(h)])
			halves = append(halves, h)
		}
	}
	slices.Sort(rim)
	rim = slices.Compact(rim)
	size := box.Size().Array()
	axis := 0
	for k := range size {
		if size[k] > size[axis] {
			axis = k
		}
	}
	along := func(v int32) float64 { return m.Positions[v].Array()[axis] }
	slices.SortFunc(rim, func(a, b int32) int { return cmp.Or(cmp.Compare(along(a), along(b)), cmp.Compare(a, b)) })
	slices.Sort(halves)
	for _, h := range halves {
		u, v := topo.From(h), topo.To(h)
		a, ab := m.Positions[u], m.Positions[v].Sub(m.Positions[u])
		length := ab.Length()
		low, high := min(along(u), along(v))-distance, max(along(u), along(v))+distance
		from, _ := slices.BinarySearchFunc(rim, low, func(w int32, low float64) int { return cmp.Compare(along(w), low) })
		first := len(list)
		for _, w := range rim[from:] {
			if along(w) > high {
				break
			}
			if w == u || w == v || w == topo.Opposite(h) {
				continue
			}
			p := m.Positions[w].Sub(a)
			share := p.Dot(ab) / (length * length)
			if share*length > distance && (1-share)*length > distance && p.Sub(ab.Scale(share)).Length() <= distance {
				list = append(list, Tee{h, w, share})
			}
		}
		slices.SortFunc(list[first:], func(a, b Tee) int { return cmp.Or(cmp.Compare(a.Share, b.Share), cmp.Compare(a.Vertex, b.Vertex)) })
	}
	return list
}

// SplitEdge cuts the triangle of half-edge h into a fan whose base runs through
// the vertices on that edge, in their order; colours and textures go on. The
// first piece takes the triangle's place, the others are appended.
func (m *Mesh) SplitEdge(h int32, on []Tee) {
	t, c := h/3, h%3
	v := m.Triangles[t]
	a, b, top := v[c], v[(c+1)%3], v[(c+2)%3]
	var colours [3]Colour
	var cover Cover
	if m.Colours != nil {
		colours = m.Colours[t]
	}
	if m.Covers != nil {
		cover = m.Covers[t]
	}
	at := func(share float64) (Colour, [2]float32) {
		p, q := cover.At[c], cover.At[(c+1)%3]
		s := float32(share)
		return mix(colours[c], colours[(c+1)%3], share), [2]float32{p[0] + s*(q[0]-p[0]), p[1] + s*(q[1]-p[1])}
	}
	from, share := a, 0.0
	for i := range len(on) + 1 {
		to, next := b, 1.0
		if i < len(on) {
			to, next = on[i].Vertex, on[i].Share
		}
		piece := t
		if i > 0 {
			m.Append(t, Triangle{})
			piece = int32(len(m.Triangles) - 1)
		}
		m.Triangles[piece] = Triangle{from, to, top}
		c0, at0 := at(share)
		c1, at1 := at(next)
		if m.Colours != nil {
			m.Colours[piece] = [3]Colour{c0, c1, colours[(c+2)%3]}
		}
		if m.Covers != nil {
			m.Covers[piece] = Cover{Texture: cover.Texture, At: [3][2]float32{at0, at1, cover.At[(c+2)%3]}}
		}
		from, share = to, next
	}
}

// mix is a colour between two.
func mix(a, b Colour, share float64) (c Colour) {
	for k := 0; k < 32; k += 8 {
		x, y := float64(a>>k&0xff), float64(b>>k&0xff)
		c |= Colour(x+share*(y-x)+0.5) << k
	}
	return c
}
