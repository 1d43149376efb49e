// Package format reads mesh files whatever their format: it looks at the
// content, not at the name, chooses the reader, and says in a sentence what a
// file is when it is no mesh at all.
package format

import (
	"bytes"
	"context"
	"errors"
	"io"
	"path/filepath"
	"strings"

	"veneer/core/format/file"
	"veneer/core/format/obj"
	"veneer/core/format/stl"
	"veneer/core/format/threemf"
)

// Read reads the file in the format its content shows. Errors that concern the
// file are *file.Error.
func Read(ctx context.Context, src file.Source, opt file.Options) (*file.Model, error) {
	if src.Size == 0 {
		return nil, src.Whole("ask for the file again", "the file is empty")
	}
	if src.Size > opt.Limits.Bytes {
		return nil, src.Whole("raise the byte limit to read it", "the file has %d bytes, over the limit of %d", src.Size, opt.Limits.Bytes)
	}
	head := make([]byte, min(src.Size, 4096))
	if _, err := src.R.ReadAt(head, 0); err != nil && !errors.Is(err, io.EOF) {
		return nil, err
	}
	reader, err := sniff(src, head)
	if err != nil {
		return nil, err
	}
	return reader(ctx, src, opt)
}

func sniff(src file.Source, head []byte) (file.Reader, error) {
	if threemf.Looks(head) {
		return threemf.Read, nil
	}
	for _, s := range signatures {
		if bytes.HasPrefix(head[min(s.at, len(head)):], []byte(s.bytes)) {
			return nil, src.Whole("send an STL, OBJ or 3MF file", "this is %s, whatever its name says", s.what)
		}
	}
	switch strings.ToLower(filepath.Ext(src.Name)) {
	case ".3mf":
		return nil, src.Whole("ask for the file again", "a 3MF is a zip archive and this file is none (it begins with %s)", file.Printable(head[:min(8, len(head))]))
	case ".obj":
		if obj.UTF16(head) || bytes.IndexByte(head, 0) < 0 && stl.Binary(src, head) { // not text STL under another name
			return obj.Read, nil
		}
	}
	if !stl.Binary(src, head) {
		return stl.ReadASCII, nil
	}
	if obj.Looks(head) {
		return obj.Read, nil
	}
	return stl.ReadBinary, nil
}

// signatures are the first bytes of files that customers send by mistake.
var signatures = []struct {
	at    int
	bytes string
	what  string
}{
	{0, "\xff\xd8\xff", "a JPEG picture"},
	{0, "\x89PNG\r\n", "a PNG picture"},
	{0, "GIF8", "a GIF picture"},
	{0, "%PDF-", "a PDF document"},
	{0, "Rar!\x1a", "a RAR archive"},
	{0, "7z\xbc\xaf\x27\x1c", "a 7z archive"},
	{0, "\x1f\x8b", "a gzip archive"},
	{0, "glTF", "a binary glTF scene"},
	{0, "ISO-10303-21", "a STEP drawing"},
	{0, "ply\n", "a PLY mesh"},
	{0, "ply\r", "a PLY mesh"},
	{0, "<!DOCTYPE", "a web page"},
	{0, "<html", "a web page"},
	{4, "ftyp", "a video or picture container"},
}
