package stl

import (
	"bufio"
	"encoding/binary"
	"io"
	"math"
	"strconv"

	"veneer/core/geom"
	"veneer/core/mesh"
)

// WriteBinary writes the mesh as binary STL, one record a triangle in the
// mesh's order, coordinates rounded to float32 and normals computed from them.
// The header says that the numbers are millimetres. A coloured mesh has its
// triangles' colours in the attribute bytes: five bits each of red, green and
// blue from the top, below the highest bit, which says that there is a colour.
func WriteBinary(w io.Writer, m *mesh.Mesh) error {
	out := bufio.NewWriterSize(w, 1<<20)
	var header [headerSize]byte
	copy(header[:80], "Veneer, units=mm") // must not begin with the word solid
	binary.LittleEndian.PutUint32(header[80:], uint32(len(m.Triangles)))
	if _, err := out.Write(header[:]); err != nil {
		return err
	}
	var r [recordSize]byte
	put := func(at int, v geom.Vec) {
		binary.LittleEndian.PutUint32(r[at:], math.Float32bits(float32(v.X)))
		binary.LittleEndian.PutUint32(r[at+4:], math.Float32bits(float32(v.Y)))
		binary.LittleEndian.PutUint32(r[at+8:], math.Float32bits(float32(v.Z)))
	}
	for t := range int32(len(m.Triangles)) {
		a, b, c := m.Corners(t)
		put(0, normal(a, b, c))
		put(12, a)
		put(24, b)
		put(36, c)
		if m.Colours != nil {
			binary.LittleEndian.PutUint16(r[48:], attribute(m.Colours[t][0]))
		}
		if _, err := out.Write(r[:]); err != nil {
			return err
		}
	}
	return out.Flush()
}

func normal(a, b, c geom.Vec) geom.Vec { return b.Sub(a).Cross(c.Sub(a)).Unit() }

// attribute is a colour in the two attribute bytes; 0 for none.
func attribute(c mesh.Colour) uint16 {
	if c == 0 {
		return 0
	}
	r, g, b, _ := c.RGBA()
	return 1<<15 | uint16(r>>3)<<10 | uint16(g>>3)<<5 | uint16(b>>3)
}

// WriteASCII writes the mesh as text STL, a solid for each body. Coordinates
// are rounded to float32 and written with as many digits as they need to come
// back the same, read with whatever precision. Text STL has no colours.
func WriteASCII(w io.Writer, m *mesh.Mesh) error {
	out := bufio.NewWriterSize(w, 1<<20)
	text := make([]byte, 0, 512)
	vec := func(v geom.Vec, bits int) {
		for _, x := range v.Array() {
			text = append(text, ' ')
			text = strconv.AppendFloat(text, float64(float32(x)), 'g', -1, bits)
		}
		text = append(text, '\n')
	}
	body := int32(-1)
	for t := range int32(len(m.Triangles)) {
		text = text[:0]
		if b := m.Body(t); b != body {
			if body >= 0 {
				text = append(append(text, "endsolid"...), name(m, body)...)
			}
			body = b
			text = append(append(text, "solid"...), name(m, body)...)
		}
		p, q, r := m.Corners(t)
		text = append(text, " facet normal"...)
		vec(normal(p, q, r), 32)
		text = append(text, "  outer loop\n"...)
		for _, v := range [3]geom.Vec{p, q, r} {
			text = append(text, "   vertex"...)
			vec(v, 64)
		}
		text = append(text, "  endloop\n endfacet\n"...)
		if _, err := out.Write(text); err != nil {
			return err
		}
	}
	if _, err := out.WriteString("endsolid" + name(m, max(body, 0))); err != nil {
		return err
	}
	return out.Flush()
}

// name is a body's name behind a keyword, on one line.
func name(m *mesh.Mesh, body int32) string {
	if int(body) >= len(m.Bodies) || m.Bodies[body].Name == "" {
		return "\n"
	}
	line := []rune(" " + m.Bodies[body].Name)
	for i, c := range line {
		if c < ' ' {
			line[i] = ' '
		}
	}
	return string(line) + "\n"
}
