package stl

import (
	"bufio"
	"encoding/binary"
	"io"
	"math"

	"veneer/core/geom"
	"veneer/core/mesh"
)

// WriteBinary writes the mesh as binary STL, one record a triangle in the
// mesh's order, coordinates rounded to float32 and normals computed from them.
// The header says that the numbers are millimetres.
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
		put(0, b.Sub(a).Cross(c.Sub(a)).Unit())
		put(12, a)
		put(24, b)
		put(36, c)
		if _, err := out.Write(r[:]); err != nil {
			return err
		}
	}
	return out.Flush()
}
