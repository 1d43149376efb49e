package format

import (
	"bytes"
	"context"
	"fmt"
	"io"
	"path/filepath"
	"strings"

	"veneer/core/format/file"
	"veneer/core/format/obj"
	"veneer/core/format/stl"
	"veneer/core/format/threemf"
	"veneer/core/geom"
	"veneer/core/mesh"
)

// ForName is the format that a file name's ending asks for; .stl is binary.
func ForName(name string) (file.Format, error) {
	switch strings.ToLower(filepath.Ext(name)) {
	case ".stl":
		return file.STLBinary, nil
	case ".obj":
		return file.OBJ, nil
	case ".3mf":
		return file.ThreeMF, nil
	}
	return "", fmt.Errorf("%s: a name to write to ends in .stl, .obj or .3mf", name)
}

// Library is the name of the material library that goes with an OBJ file.
func Library(name string) string {
	name = filepath.Base(name)
	return strings.TrimSuffix(name, filepath.Ext(name)) + ".mtl"
}

// Loses says, before anything is written, what of the mesh the format cannot hold.
func Loses(f file.Format, m *mesh.Mesh) (list []string) {
	bodies, names := len(m.Bodies) > 1, false
	for _, b := range m.Bodies {
		names = names || b.Name != ""
	}
	if f == file.STLBinary {
		if bodies {
			list = append(list, fmt.Sprintf("which of its %d bodies a triangle belongs to", len(m.Bodies)))
		}
		if names {
			list = append(list, "the bodies' names")
		}
	}
	if m.Colours != nil {
		switch f {
		case file.STLBinary:
			list = append(list, "all but five bits of each colour channel")
		case file.STLASCII:
			list = append(list, "colours")
		}
		if f != file.ThreeMF && blended(m) {
			list = append(list, "colours that change within a triangle")
		}
	}
	if m.Covers != nil {
		switch f {
		case file.STLBinary, file.STLASCII:
			list = append(list, "textures")
		case file.ThreeMF:
			if n := tinted(m); n > 0 {
				list = append(list, fmt.Sprintf("the colours of %d triangles below their texture", n))
			}
		}
	}
	return list
}

// tinted counts triangles that have a texture and a colour other than white.
func tinted(m *mesh.Mesh) (n int) {
	if m.Colours == nil {
		return 0
	}
	for t, c := range m.Covers {
		if of := m.Colours[t]; c.Texture != 0 && of != [3]mesh.Colour{} && of != [3]mesh.Colour{white, white, white} {
			n++
		}
	}
	return n
}

const white mesh.Colour = 0xffffffff

func blended(m *mesh.Mesh) bool {
	for _, c := range m.Colours {
		if c[0] != c[1] || c[0] != c[2] {
			return true
		}
	}
	return false
}

// Folds counts the triangles that have area now but would have none once their
// coordinates are rounded to float32, as both STL formats do.
func Folds(m *mesh.Mesh) (n int) {
	for t := range int32(len(m.Triangles)) {
		if a, b, c := m.Corners(t); geom.Collinear(a.Single(), b.Single(), c.Single()) && !m.ZeroArea(t) {
			n++
		}
	}
	return n
}

// Beside is where files that belong to another are made and found, by plain
// name: the material library and the textures of an OBJ.
type Beside interface {
	Create(name string) (io.WriteCloser, error)
	Open(name string) (io.ReadCloser, error)
}

// WriteOptions say how to write.
type WriteOptions struct {
	Name   string             // of the file that is written
	Beside Beside             // for an OBJ with colours or textures; nil to leave them out
	About  []threemf.Metadata // of a 3MF
}

// Write writes a mesh in mm.
func Write(w io.Writer, f file.Format, m *mesh.Mesh, opt WriteOptions) error {
	switch f {
	case file.STLBinary:
		return stl.WriteBinary(w, m)
	case file.STLASCII:
		return stl.WriteASCII(w, m)
	case file.OBJ:
		if opt.Beside == nil {
			return obj.Write(w, m, "", nil)
		}
		return obj.Write(w, m, Library(opt.Name), opt.Beside.Create)
	case file.ThreeMF:
		return threemf.Write(w, m, opt.About)
	}
	return fmt.Errorf("nothing can be written as %q", f)
}

// ReadBack reads what was written and compares it with the mesh that was
// meant: the same triangles in the same order, each corner where it was (to
// float32 in STL), its textures where they were, and its colours as far as the
// format keeps them. The error says what differs first.
func ReadBack(ctx context.Context, src file.Source, f file.Format, m *mesh.Mesh, limits file.Limits) error {
	back, err := Read(ctx, src, file.Options{Limits: limits})
	if err != nil {
		return fmt.Errorf("what was written cannot be read: %w", err)
	}
	if back.Format != f {
		return fmt.Errorf("%s was written as %s but reads as %s", src.Name, f, back.Format)
	}
	whole := make([]int32, 0, len(m.Triangles)) // 3MF cannot hold triangles that repeat a vertex, and bodies come together
	for b := range int32(max(len(m.Bodies), 1)) {
		for t := range int32(len(m.Triangles)) {
			if f != file.ThreeMF || m.Body(t) == b && !m.RepeatsVertex(t) {
				whole = append(whole, t)
			}
		}
		if f != file.ThreeMF {
			break
		}
	}
	if len(back.Mesh.Triangles) != len(whole) {
		return fmt.Errorf("%d triangles were written but %d read back", len(whole), len(back.Mesh.Triangles))
	}
	for i, t := range whole {
		for c, v := range m.Triangles[t] {
			want, got := m.Positions[v], back.Mesh.Positions[back.Mesh.Triangles[i][c]]
			if f == file.STLBinary || f == file.STLASCII {
				want = want.Single()
			}
			if want != got {
				return fmt.Errorf("corner %d of triangle %d was written as %v but reads as %v", c, t, want, got)
			}
		}
	}
	return sameLooks(f, back.Mesh, m, whole, src.Beside != nil)
}

// sameLooks compares the colours and textures of the triangles that were
// written, in that order. STL rounds colours, and so is not compared.
func sameLooks(f file.Format, back, m *mesh.Mesh, written []int32, beside bool) error {
	if f != file.ThreeMF && (f != file.OBJ || !beside) {
		return nil
	}
	for i, t := range written {
		want, got := lookOf(m, t), lookOf(back, int32(i))
		if f == file.OBJ { // one colour a triangle; white is none
			want.colours = [3]mesh.Colour{want.colours[0], want.colours[0], want.colours[0]}
			if want.colours[0] == 0 {
				want.colours = got.colours
			}
		} else if want.cover.Texture != 0 {
			want.colours = got.colours // a texture replaces them
		}
		if want.cover.Texture != 0 && got.cover.Texture != 0 {
			if !bytes.Equal(m.Textures[want.cover.Texture-1].Data, back.Textures[got.cover.Texture-1].Data) {
				return fmt.Errorf("triangle %d reads with another texture than was written", t)
			}
			want.cover.Texture = got.cover.Texture // their numbers may differ
		}
		if want != got {
			return fmt.Errorf("the colours or texture of triangle %d read other than they were written", t)
		}
	}
	return nil
}

type look struct {
	colours [3]mesh.Colour
	cover   mesh.Cover
}

func lookOf(m *mesh.Mesh, t int32) (l look) {
	if m.Colours != nil {
		l.colours = m.Colours[t]
	}
	if m.Covers != nil {
		l.cover = m.Covers[t]
	}
	return l
}
