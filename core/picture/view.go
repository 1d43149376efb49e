package picture

import (
	"bufio"
	"encoding/binary"
	"io"
	"math"

	"veneer/core/measure"
	"veneer/core/mesh"
)

// ViewMagic begins the data from which a browser shows a mesh: "VNV1".
const ViewMagic = 0x31564e56

// WriteView writes the mesh as a browser wants it, all little-endian: magic,
// number of vertices, of indices, of wall samples (uint32 each); the middle of
// the part in mm (three float64); then float32 positions in mm from that middle,
// and uint32 indices; for each wall sample eight float32: where it is, its
// normal, the wall straight through and by the ball inside; for each triangle
// the number of its shell from 1, 0 for none (uint32). Triangles keep their
// numbers, so places of findings fit.
//
// Of painted meshes there follow: the number of textures (uint32); the colours of each
// triangle's three corners, 0xRRGGBBAA, 0 for none (uint32 each); when there are
// textures, for each triangle the number of its own from 1, 0 for none (uint32), and
// where in it the three corners lie (six float32, shares from the lower left corner); and
// each texture's number of bytes (uint32; 0 for what cannot be drawn) and bytes, a PNG or
// a JPEG, filled up with zeros to a multiple of four.
func WriteView(w io.Writer, m *mesh.Mesh, walls []measure.Thin) error {
	out := bufio.NewWriterSize(w, 1<<18)
	centre := m.Bounds().Centre()
	put32 := func(x uint32) { out.Write(binary.LittleEndian.AppendUint32(out.AvailableBuffer(), x)) }
	put32(ViewMagic)
	put32(uint32(len(m.Positions)))
	put32(uint32(3 * len(m.Triangles)))
	put32(uint32(len(walls)))
	for _, x := range centre.Array() {
		out.Write(binary.LittleEndian.AppendUint64(out.AvailableBuffer(), math.Float64bits(x)))
	}
	putFloats := func(list ...float64) {
		for _, x := range list {
			put32(math.Float32bits(float32(x)))
		}
	}
	for _, p := range m.Positions {
		d := p.Sub(centre)
		putFloats(d.X, d.Y, d.Z)
	}
	for _, t := range m.Triangles {
		for _, v := range t {
			put32(uint32(v))
		}
	}
	for _, t := range walls {
		d := t.At.Sub(centre)
		putFloats(d.X, d.Y, d.Z, t.Normal.X, t.Normal.Y, t.Normal.Z, t.RayMM, t.SphereMM)
	}
	of, _ := mesh.ShellOf(mesh.NewTopology(m))
	for _, s := range of {
		put32(uint32(s + 1))
	}
	writePaint(out, put32, m)
	return out.Flush() // a bufio.Writer keeps its first error
}

// writePaint adds what a mesh is painted with.
func writePaint(out *bufio.Writer, put32 func(uint32), m *mesh.Mesh) {
	paint := newSkin(m)
	if paint == nil {
		return
	}
	textures := m.Textures
	if m.Covers == nil {
		textures = nil
	}
	put32(uint32(len(textures)))
	for t := range m.Triangles {
		var corners [3]mesh.Colour
		if m.Colours != nil {
			corners = m.Colours[t]
		}
		for _, c := range corners {
			put32(uint32(c))
		}
	}
	if len(textures) == 0 {
		return
	}
	for _, c := range m.Covers {
		put32(uint32(c.Texture))
		for _, at := range c.At {
			put32(math.Float32bits(at[0]))
			put32(math.Float32bits(at[1]))
		}
	}
	for i, t := range textures {
		data := t.Data
		if paint.textures[i] == nil {
			data = nil
		}
		put32(uint32(len(data)))
		out.Write(data)
		out.Write(make([]byte, -len(data)&3))
	}
}
