package format

import (
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
	return list
}

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

// WriteOptions say how to write.
type WriteOptions struct {
	Library     io.Writer // of an OBJ with colours; nil for none
	LibraryName string
	About       []threemf.Metadata // of a 3MF
}

// Write writes a mesh in mm.
func Write(w io.Writer, f file.Format, m *mesh.Mesh, opt WriteOptions) error {
	switch f {
	case file.STLBinary:
		return stl.WriteBinary(w, m)
	case file.STLASCII:
		return stl.WriteASCII(w, m)
	case file.OBJ:
		return obj.Write(w, m, opt.Library, opt.LibraryName)
	case file.ThreeMF:
		return threemf.Write(w, m, opt.About)
	}
	return fmt.Errorf("nothing can be written as %q", f)
}

// ReadBack reads what was written and compares it with the mesh that was
// meant: the same triangles in the same order, each corner where it was (to
// float32 in STL). The error says what differs first.
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
	return nil
}
