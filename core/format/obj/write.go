package obj

import (
	"bufio"
	"errors"
	"fmt"
	"io"
	"strconv"
	"strings"

	"veneer/core/format/file"
	"veneer/core/mesh"
)

// Write writes the mesh as OBJ text, an object for each body, vertices as they
// are, with as many digits as they need to come back the same. Colours and
// textures become materials, one for each pair of a triangle's first corner's
// colour and its texture: a library of that name, and the textures, are created
// through beside, which may be nil when the mesh has neither.
func Write(w io.Writer, m *mesh.Mesh, library string, beside func(name string) (io.WriteCloser, error)) error {
	out := bufio.NewWriterSize(w, 1<<20)
	fmt.Fprintf(out, "# Veneer, units=mm\n")
	painted := beside != nil && (m.Colours != nil || m.Covers != nil)
	if painted {
		fmt.Fprintf(out, "mtllib %s\n", library)
		if err := writeBeside(m, library, beside); err != nil {
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
	coordinates := map[[2]float32]int64{} // numbers of those written
	body, inUse := int32(-1), look{texture: -1}
	for t, v := range m.Triangles {
		if b := m.Body(int32(t)); b != body && m.Bodies != nil {
			body = b
			fmt.Fprintf(out, "o %s\n", oneLine(m.Bodies[b].Name))
		}
		var uv [3]int64
		if painted {
			l := lookOf(m, int32(t))
			if l != inUse {
				inUse = l
				fmt.Fprintf(out, "usemtl %s\n", l.name())
			}
			if l.texture != 0 {
				for i, at := range m.Covers[t].At {
					if coordinates[at] == 0 {
						coordinates[at] = int64(len(coordinates) + 1)
						text = append(strconv.AppendFloat(append(text[:0], "vt "...), float64(at[0]), 'g', -1, 32), ' ')
						out.Write(append(strconv.AppendFloat(text, float64(at[1]), 'g', -1, 32), '\n')) // the first error is kept for the next call
					}
					uv[i] = coordinates[at]
				}
			}
		}
		text = append(text[:0], 'f')
		for k, i := range v {
			text = strconv.AppendInt(append(text, ' '), int64(i)+1, 10)
			if uv[k] != 0 {
				text = strconv.AppendInt(append(text, '/'), uv[k], 10)
			}
		}
		if _, err := out.Write(append(text, '\n')); err != nil {
			return err
		}
	}
	return out.Flush()
}

// look is how a triangle looks: a colour, and a texture counted from 1.
type look struct {
	colour  mesh.Colour
	texture int32
}

func lookOf(m *mesh.Mesh, t int32) (l look) {
	if m.Colours != nil {
		l.colour = m.Colours[t][0]
	}
	if m.Covers != nil {
		l.texture = m.Covers[t].Texture
	}
	return l
}

func (l look) name() string {
	if l.texture == 0 {
		return fmt.Sprintf("colour_%08x", uint32(l.colour))
	}
	return fmt.Sprintf("texture_%d_%08x", l.texture, uint32(l.colour))
}

// writeBeside writes the textures, and a material for each look, in the order
// in which they first occur.
func writeBeside(m *mesh.Mesh, library string, beside func(string) (io.WriteCloser, error)) error {
	names := file.TextureNames(m.Textures)
	create := func(name string, write func(io.Writer) error) error {
		w, err := beside(name)
		if err != nil {
			return err
		}
		return errors.Join(write(w), w.Close())
	}
	for i, t := range m.Textures {
		if err := create(names[i], func(w io.Writer) error { _, err := w.Write(t.Data); return err }); err != nil {
			return err
		}
	}
	return create(library, func(w io.Writer) error {
		out := bufio.NewWriter(w)
		written := map[look]bool{}
		for t := range int32(len(m.Triangles)) {
			l := lookOf(m, t)
			if written[l] {
				continue
			}
			written[l] = true
			r, g, b, a := l.colour.RGBA()
			if l.colour == 0 { // no colour at all
				r, g, b, a = 255, 255, 255, 255
			}
			fmt.Fprintf(out, "newmtl %s\nKd %.6f %.6f %.6f\nd %.6f\n", l.name(), float64(r)/255, float64(g)/255, float64(b)/255, float64(a)/255)
			if l.texture != 0 {
				fmt.Fprintf(out, "map_Kd %s\n", names[l.texture-1])
			}
		}
		return out.Flush()
	})
}

func oneLine(name string) string {
	name = strings.Join(strings.Fields(name), " ")
	if name == "" {
		return "body"
	}
	return name
}
