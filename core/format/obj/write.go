package obj

import (
	"bufio"
	"fmt"
	"io"
	"strconv"
	"strings"

	"veneer/core/mesh"
)

// Write writes the mesh as OBJ text, an object for each body, vertices as they
// are, with as many digits as they need to come back the same. Colours become
// materials, one for each colour of a triangle's first corner, written to
// library; it may be nil when the mesh has none. libraryName is what the OBJ
// calls that file.
func Write(w io.Writer, m *mesh.Mesh, library io.Writer, libraryName string) error {
	out := bufio.NewWriterSize(w, 1<<20)
	fmt.Fprintf(out, "# Veneer, units=mm\n")
	materials := map[mesh.Colour]string{}
	if m.Colours != nil && library != nil {
		fmt.Fprintf(out, "mtllib %s\n", libraryName)
		var err error
		if materials, err = writeLibrary(library, m); err != nil {
			return err
		}
	}
	text := make([]byte, 0, 128)
	for _, p := range m.Positions {
		text = append(text[:0], 'v')
		for _, x := range p.Array() {
			text = append(text, ' ')
			text = strconv.AppendFloat(text, x, 'g', -1, 64)
		}
		if _, err := out.Write(append(text, '\n')); err != nil {
			return err
		}
	}
	body, colour := int32(-1), mesh.Colour(0)
	for t, v := range m.Triangles {
		if b := m.Body(int32(t)); b != body && m.Bodies != nil {
			body = b
			fmt.Fprintf(out, "o %s\n", oneLine(m.Bodies[b].Name))
		}
		if len(materials) > 0 && (t == 0 || m.Colours[t][0] != colour) {
			colour = m.Colours[t][0]
			fmt.Fprintf(out, "usemtl %s\n", materials[colour])
		}
		text = append(text[:0], 'f')
		for _, i := range v {
			text = append(text, ' ')
			text = strconv.AppendInt(text, int64(i)+1, 10)
		}
		if _, err := out.Write(append(text, '\n')); err != nil {
			return err
		}
	}
	return out.Flush()
}

// writeLibrary writes a material for each colour, in the order in which they
// first occur, and returns their names.
func writeLibrary(w io.Writer, m *mesh.Mesh) (map[mesh.Colour]string, error) {
	names := map[mesh.Colour]string{}
	out := bufio.NewWriter(w)
	for _, c := range m.Colours {
		if _, known := names[c[0]]; known {
			continue
		}
		r, g, b, a := c[0].RGBA()
		names[c[0]] = fmt.Sprintf("colour_%08x", uint32(c[0]))
		if c[0] == 0 { // no colour at all
			r, g, b, a = 255, 255, 255, 255
		}
		fmt.Fprintf(out, "newmtl %s\nKd %.6f %.6f %.6f\nd %.6f\n", names[c[0]], float64(r)/255, float64(g)/255, float64(b)/255, float64(a)/255)
	}
	return names, out.Flush()
}

func oneLine(name string) string {
	name = strings.Join(strings.Fields(name), " ")
	if name == "" {
		return "body"
	}
	return name
}
