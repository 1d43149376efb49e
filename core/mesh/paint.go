package mesh

import "veneer/core/geom"

// Paint appends a triangle that lies on triangle t of another mesh, and gives it
// that one's body, colours and texture as they are there. Which of these there
// are is told by m: lists that are nil stay so.
func (m *Mesh) Paint(v Triangle, from *Mesh, t int32) {
	m.Triangles = append(m.Triangles, v)
	if m.BodyOf != nil {
		m.BodyOf = append(m.BodyOf, from.BodyOf[t])
	}
	if m.Colours == nil && m.Covers == nil {
		return
	}
	var share [3][3]float64
	for k, p := range v {
		share[k] = from.shares(t, m.Positions[p])
	}
	if m.Colours != nil {
		var c [3]Colour
		for k := range c {
			c[k] = Mix3(from.Colours[t], share[k])
		}
		m.Colours = append(m.Colours, c)
	}
	if m.Covers != nil {
		of := from.Covers[t]
		cover := Cover{Texture: of.Texture}
		for k := range cover.At {
			for i := range 3 {
				cover.At[k][0] += float32(share[k][i]) * of.At[i][0]
				cover.At[k][1] += float32(share[k][i]) * of.At[i][1]
			}
		}
		m.Covers = append(m.Covers, cover)
	}
}

// Blank is an empty mesh that takes what belongs to triangles of m.
func (m *Mesh) Blank(positions []geom.Vec) *Mesh {
	b := &Mesh{Positions: positions, Bodies: m.Bodies, Textures: m.Textures}
	if m.BodyOf != nil {
		b.BodyOf = []int32{}
	}
	if m.Colours != nil {
		b.Colours = [][3]Colour{}
	}
	if m.Covers != nil {
		b.Covers = []Cover{}
	}
	return b
}

// shares are a point's barycentric coordinates in a triangle, those of the
// nearest point within it about.
func (m *Mesh) shares(t int32, p geom.Vec) [3]float64 {
	a, b, c := m.Corners(t)
	n := b.Sub(a).Cross(c.Sub(a))
	whole := n.Dot(n)
	if whole == 0 {
		return [3]float64{1, 0, 0}
	}
	u := c.Sub(b).Cross(p.Sub(b)).Dot(n) / whole
	v := a.Sub(c).Cross(p.Sub(c)).Dot(n) / whole
	u, v = max(0, min(1, u)), max(0, min(1, v))
	return [3]float64{u, v, max(0, 1-u-v)}
}

// Take appends a triangle with all that belongs to triangle t of another mesh.
func (m *Mesh) Take(v Triangle, from *Mesh, t int32) {
	m.Triangles = append(m.Triangles, v)
	if m.BodyOf != nil {
		m.BodyOf = append(m.BodyOf, from.BodyOf[t])
	}
	if m.Colours != nil {
		m.Colours = append(m.Colours, from.Colours[t])
	}
	if m.Covers != nil {
		m.Covers = append(m.Covers, from.Covers[t])
	}
}

// Join appends all triangles of another mesh, with what belongs to them; which
// lists there are is told by m.
func (m *Mesh) Join(other *Mesh) {
	first := int32(len(m.Positions))
	m.Positions = append(m.Positions, other.Positions...)
	for t, v := range other.Triangles {
		m.Take(Triangle{v[0] + first, v[1] + first, v[2] + first}, other, int32(t))
	}
}

// SamePaint reports whether two triangles are of one body and one colour all over,
// with no texture on them.
func (m *Mesh) SamePaint(s, t int32) bool {
	if m.BodyOf != nil && m.BodyOf[s] != m.BodyOf[t] {
		return false
	}
	if m.Covers != nil && (m.Covers[s].Texture != 0 || m.Covers[t].Texture != 0) {
		return false
	}
	if m.Colours != nil {
		c := m.Colours[s][0]
		return m.Colours[s] == [3]Colour{c, c, c} && m.Colours[t] == m.Colours[s]
	}
	return true
}
