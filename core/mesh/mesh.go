// Package mesh is the triangle mesh of the whole core: positions, triangles
// that index them, and the topology, shells, boundaries and mass properties
// that follow from both.
//
// The idea: everything is a flat array indexed by int32. A half-edge is the
// number 3·t+c, running from corner c of triangle t to the next corner; an
// edge is a run of half-edges. Nothing is keyed by pointer or by map, so a
// mesh of ten million triangles costs the collector nothing and the same input
// gives the same arrays on any machine.
package mesh

import (
	"sync"
	"sync/atomic"

	"veneer/core/geom"
)

// Triangle holds three vertex indices, anticlockwise seen from outside.
type Triangle = [3]int32

// Body is a named piece of a part: a 3MF build item, an OBJ object, an STL solid.
type Body struct{ Name string }

// Colour is 0xRRGGBBAA.
type Colour uint32

// RGBA takes a colour apart.
func (c Colour) RGBA() (r, g, b, a uint8) {
	return uint8(c >> 24), uint8(c >> 16), uint8(c >> 8), uint8(c)
}

// Texture is a picture to cover triangles with, a PNG or a JPEG. Its bytes are
// kept as they came; only drawing looks into them.
type Texture struct {
	Name string // a plain file name such as dial.png
	Data []byte
}

// Cover lays a texture on a triangle: which one, counted from 1 (0 for none),
// and where in it the corners lie, in shares of its width and height, from its
// lower left corner.
type Cover struct {
	Texture int32
	At      [3][2]float32
}

// Mesh is an indexed triangle mesh. Bodies is empty when the file names none;
// otherwise BodyOf gives each triangle's body. Colours is nil when the file has
// none; otherwise it gives the colour of each triangle's three corners. Covers
// is nil when there are no textures. What belongs to triangles stays with them
// through Keep, Append and Turn.
type Mesh struct {
	Positions []geom.Vec
	Triangles []Triangle
	Bodies    []Body
	BodyOf    []int32
	Colours   [][3]Colour
	Textures  []Texture
	Covers    []Cover
}

// MaxTriangles is the most a mesh can hold: half-edges are numbered by int32.
const MaxTriangles = (1<<31 - 1) / 3

// Clone copies everything that an operation may change.
func (m *Mesh) Clone() *Mesh {
	return &Mesh{
		Positions: append([]geom.Vec(nil), m.Positions...),
		Triangles: append([]Triangle(nil), m.Triangles...),
		Bodies:    append([]Body(nil), m.Bodies...),
		BodyOf:    append([]int32(nil), m.BodyOf...),
		Colours:   append([][3]Colour(nil), m.Colours...),
		Textures:  m.Textures, // nothing changes them
		Covers:    append([]Cover(nil), m.Covers...),
	}
}

// Corners are the three points of triangle t.
func (m *Mesh) Corners(t int32) (a, b, c geom.Vec) {
	v := m.Triangles[t]
	return m.Positions[v[0]], m.Positions[v[1]], m.Positions[v[2]]
}

// AreaNormal is the normal of triangle t, twice its area long.
func (m *Mesh) AreaNormal(t int32) geom.Vec {
	a, b, c := m.Corners(t)
	return b.Sub(a).Cross(c.Sub(a))
}

// Volume is what the mesh encloses, in cubic units of its positions: of closed surfaces,
// those that face inward counted off.
func (m *Mesh) Volume() (sum float64) {
	origin := m.Bounds().Centre()
	for t := range int32(len(m.Triangles)) {
		a, b, c := m.Corners(t)
		sum += a.Sub(origin).Dot(b.Sub(origin).Cross(c.Sub(origin))) / 6
	}
	return sum
}

// RepeatsVertex reports whether triangle t names a vertex twice; such a
// triangle takes no part in topology.
func (m *Mesh) RepeatsVertex(t int32) bool {
	v := m.Triangles[t]
	return v[0] == v[1] || v[1] == v[2] || v[2] == v[0]
}

// ZeroArea reports whether triangle t has exactly zero area, a repeated vertex
// included. Exact.
func (m *Mesh) ZeroArea(t int32) bool {
	if m.RepeatsVertex(t) {
		return true
	}
	a, b, c := m.Corners(t)
	return geom.Collinear(a, b, c)
}

// Flat counts the triangles of exactly zero area, on all cores.
func (m *Mesh) Flat() int {
	var all sync.WaitGroup
	var sum atomic.Int64
	const piece = 1 << 16
	for from := 0; from < len(m.Triangles); from += piece {
		all.Go(func() {
			n := 0
			for t := from; t < min(from+piece, len(m.Triangles)); t++ {
				if m.ZeroArea(int32(t)) {
					n++
				}
			}
			sum.Add(int64(n))
		})
	}
	all.Wait()
	return int(sum.Load())
}

// Bounds is the box of the positions that triangles use.
func (m *Mesh) Bounds() geom.Box {
	box := geom.EmptyBox()
	for _, t := range m.Triangles {
		for _, v := range t {
			box = box.Extend(m.Positions[v])
		}
	}
	return box
}

// Scale multiplies every coordinate, for instance by the millimetres in a unit.
func (m *Mesh) Scale(factor float64) {
	if factor == 1 {
		return
	}
	for i := range m.Positions {
		m.Positions[i] = m.Positions[i].Scale(factor)
	}
}

// Keep drops the triangles for which keep is false, holding the order of the
// others and their bodies.
func (m *Mesh) Keep(keep func(t int32) bool) {
	n := 0
	for t := range m.Triangles {
		if !keep(int32(t)) {
			continue
		}
		m.Triangles[n] = m.Triangles[t]
		if m.BodyOf != nil {
			m.BodyOf[n] = m.BodyOf[t]
		}
		if m.Colours != nil {
			m.Colours[n] = m.Colours[t]
		}
		if m.Covers != nil {
			m.Covers[n] = m.Covers[t]
		}
		n++
	}
	m.Triangles = m.Triangles[:n]
	m.BodyOf = m.BodyOf[:min(n, len(m.BodyOf))]
	m.Colours = m.Colours[:min(n, len(m.Colours))]
	m.Covers = m.Covers[:min(n, len(m.Covers))]
}

// Append adds triangles of the body and the (first corner's) colour of
// triangle like; no texture covers them.
func (m *Mesh) Append(like int32, triangles ...Triangle) {
	for _, t := range triangles {
		m.Triangles = append(m.Triangles, t)
		if m.BodyOf != nil {
			m.BodyOf = append(m.BodyOf, m.BodyOf[like])
		}
		if m.Colours != nil {
			c := m.Colours[like][0]
			m.Colours = append(m.Colours, [3]Colour{c, c, c})
		}
		if m.Covers != nil {
			m.Covers = append(m.Covers, Cover{})
		}
	}
}

// Turn makes triangle t face the other way.
func (m *Mesh) Turn(t int32) {
	v := &m.Triangles[t]
	v[1], v[2] = v[2], v[1]
	if m.Colours != nil {
		c := &m.Colours[t]
		c[1], c[2] = c[2], c[1]
	}
	if m.Covers != nil {
		c := &m.Covers[t].At
		c[1], c[2] = c[2], c[1]
	}
}

// Body is the body of triangle t, 0 when the mesh names none.
func (m *Mesh) Body(t int32) int32 {
	if m.BodyOf == nil {
		return 0
	}
	return m.BodyOf[t]
}

// Round rounds every coordinate to float32, as revisions are stored, and welds
// again: rounding may make different points one.
func (m *Mesh) Round() {
	for i, p := range m.Positions {
		m.Positions[i] = p.Single()
	}
	m.Weld()
}

// Mix3 mixes the colours of a triangle's corners by a point's shares in them.
func Mix3(c [3]Colour, share [3]float64) (mixed Colour) {
	for k := 0; k < 32; k += 8 {
		x := 0.5
		for i := range c {
			x += share[i] * float64(c[i]>>k&0xff)
		}
		mixed |= Colour(min(x, 255)) << k
	}
	return mixed
}
