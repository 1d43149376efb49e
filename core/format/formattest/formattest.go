// Package formattest helps the formats' tests: small files from strings, and
// what must hold of whatever a reader makes of any bytes.
package formattest

import (
	"context"
	"errors"
	"io"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"veneer/core/format/file"
)

// Limits are small, so that hostile input is cheap.
func Limits() file.Limits {
	return file.Limits{Bytes: 1 << 20, Triangles: 20_000, Expanded: 1 << 20, Ratio: 200, ZipEntries: 50, XMLDepth: 20, Bodies: 100, Textures: 1 << 10}
}

// Picture is what a texture begins with.
const Picture = "\x89PNG\r\n\x1a\n"

// Source is a file with that content. Any other file that it names came along:
// pictures where the name ends in .png, and else the same content once more.
func Source(name, content string) file.Source {
	return file.Source{Name: name, R: strings.NewReader(content), Size: int64(len(content)), Beside: func(other string) (io.ReadCloser, error) {
		if strings.HasSuffix(other, ".png") {
			return io.NopCloser(strings.NewReader(Picture)), nil
		}
		return io.NopCloser(strings.NewReader(content)), nil
	}}
}

// Read reads a file from a string.
func Read(reader file.Reader, name, content string) (*file.Model, error) {
	return reader(context.Background(), Source(name, content), file.Options{Limits: Limits()})
}

// Sound holds a reader to its promises on any bytes: a mesh whose indices and
// coordinates are in range, or an error that names the file.
func Sound(t *testing.T, reader file.Reader, content []byte) {
	t.Helper()
	m, err := Read(reader, "any.bin", string(content))
	if err != nil {
		var e *file.Error
		require.True(t, errors.As(err, &e), "an error of the file: %v", err)
		require.Contains(t, err.Error(), "any.bin")
		return
	}
	require.NotEmpty(t, m.Mesh.Triangles)
	for _, v := range m.Mesh.Triangles {
		for _, i := range v {
			require.Less(t, i, int32(len(m.Mesh.Positions)))
			require.GreaterOrEqual(t, i, int32(0))
		}
	}
	for _, p := range m.Mesh.Positions {
		require.True(t, p.Finite())
	}
	for _, against := range m.Against {
		require.Less(t, int(against), len(m.Mesh.Triangles))
	}
	if m.Mesh.Colours != nil {
		require.Len(t, m.Mesh.Colours, len(m.Mesh.Triangles))
	}
	if m.Mesh.Covers != nil {
		require.Len(t, m.Mesh.Covers, len(m.Mesh.Triangles))
		for _, c := range m.Mesh.Covers {
			require.LessOrEqual(t, int(c.Texture), len(m.Mesh.Textures))
			require.GreaterOrEqual(t, int(c.Texture), 0)
		}
	}
	if m.Mesh.Bodies != nil {
		require.Len(t, m.Mesh.BodyOf, len(m.Mesh.Triangles))
		for _, b := range m.Mesh.BodyOf {
			require.Less(t, int(b), len(m.Mesh.Bodies))
		}
	}
}
