// Package archive takes the mesh files out of a zip that a customer sent.
//
// A 3MF is a zip too, and is left alone. Names in an archive are data: they are
// handed on for showing and never used as paths here. What may be unpacked is
// bounded before and while it is unpacked.
package archive

import (
	"archive/zip"
	"errors"
	"io"
	"path"
	"slices"
	"strings"

	"veneer/core/format/file"
)

// Is reports whether a source is a zip archive that is no 3MF package.
func Is(src file.Source) bool {
	var head [4]byte
	if n, _ := src.R.ReadAt(head[:], 0); n < 4 || string(head[:]) != "PK\x03\x04" {
		return false
	}
	z, err := zip.NewReader(src.R, src.Size)
	if err != nil {
		return false // a broken package is for its reader to refuse
	}
	return !slices.ContainsFunc(z.File, func(f *zip.File) bool {
		return strings.EqualFold(strings.TrimPrefix(f.Name, "/"), "_rels/.rels")
	})
}

// Wanted reports whether a name is that of a mesh file, or of what an OBJ may
// need beside it.
func Wanted(name string) bool {
	return Mesh(name) || Companion(name)
}

// Companion reports whether a name is that of a file that an OBJ may name: a
// material library or a texture.
func Companion(name string) bool {
	return plain(name) && slices.Contains([]string{".mtl", ".png", ".jpg", ".jpeg"}, strings.ToLower(path.Ext(name)))
}

// Mesh reports whether a name is that of a mesh file.
func Mesh(name string) bool {
	return plain(name) && slices.Contains([]string{".stl", ".obj", ".3mf"}, strings.ToLower(path.Ext(name)))
}

// plain reports whether a name is not one that systems hide.
func plain(name string) bool {
	return !strings.HasPrefix(path.Base(name), ".") && !strings.Contains(name, "__MACOSX/")
}

// Walk unpacks the wanted entries one after another, in the archive's order.
// Errors that concern the archive are *file.Error.
func Walk(src file.Source, limits file.Limits, visit func(name string, r io.Reader) error) error {
	z, err := zip.NewReader(src.R, src.Size)
	if err != nil {
		return src.Whole("ask for the file again", "this zip archive cannot be read (%v)", err)
	}
	if len(z.File) > limits.ZipEntries {
		return src.Whole("raise the entry limit to read it", "the archive has %d entries, over the limit of %d", len(z.File), limits.ZipEntries)
	}
	left := min(limits.Expanded, src.Size*limits.Ratio+1<<20)
	found := false
	for _, f := range z.File {
		name := strings.ReplaceAll(f.Name, `\`, "/")
		if !f.Mode().IsRegular() || !Wanted(name) {
			continue
		}
		r, err := f.Open()
		if err != nil {
			return src.Whole("ask for the file again", "%s in the archive cannot be unpacked (%v)", path.Base(name), err)
		}
		counted := &bounded{r: r, left: &left}
		err = visit(name, counted)
		r.Close()
		if errors.Is(err, errTooMuch) {
			return src.Whole("raise the expansion limit to read it", "the archive unpacks to more than allowed")
		}
		if errors.Is(err, zip.ErrChecksum) || errors.Is(err, zip.ErrFormat) || errors.Is(err, io.ErrUnexpectedEOF) {
			return src.Whole("ask for the file again", "%s in the archive is damaged (%v)", path.Base(name), err)
		}
		if err != nil {
			return err
		}
		found = found || Mesh(name)
	}
	if !found {
		return src.Whole("send STL, OBJ or 3MF files", "the archive holds no mesh file")
	}
	return nil
}

var errTooMuch = errors.New("more than allowed")

type bounded struct {
	r    io.Reader
	left *int64
}

func (b *bounded) Read(p []byte) (int, error) {
	n, err := b.r.Read(p)
	if *b.left -= int64(n); *b.left < 0 {
		return 0, errTooMuch
	}
	return n, err
}
