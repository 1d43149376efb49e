package format

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"veneer/core/format/file"
	"veneer/core/format/formattest"
)

// TestContentDecides chooses the reader by what is in the file, and names what
// customers send by mistake.
func TestContentDecides(t *testing.T) {
	const obj = "v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n"
	const ascii = "solid x\nfacet normal 0 0 1\nouter loop\nvertex 0 0 0\nvertex 1 0 0\nvertex 0 1 0\nendloop\nendfacet\nendsolid\n"
	cases := []struct {
		name, content string
		format        file.Format
		problem       string
	}{
		{"a.obj", obj, file.OBJ, ""},
		{"named-wrong.stl", obj, file.OBJ, ""},
		{"wide.obj", "\xff\xfe" + strings.Join(strings.Split(obj, ""), "\x00") + "\x00", file.OBJ, ""},
		{"no-ending", ascii, file.STLASCII, ""},
		{"a.stl", ascii, file.STLASCII, ""},
		{"empty.stl", "", "", "the file is empty"},
		{"photo.stl", "\xff\xd8\xff\xe0 JFIF", "", "a JPEG picture"},
		{"drawing.obj", "%PDF-1.7", "", "a PDF document"},
		{"clip.stl", "\x00\x00\x00\x18ftypmp42", "", "a video or picture container"},
		{"chart.3mf", "hello", "", "a 3MF is a zip archive and this file is none"},
		{"letter.stl", "Dear sirs, please find the parts enclosed.", "", "84 bytes of header"},
	}
	for _, c := range cases {
		t.Run(c.name, func(t *testing.T) {
			m, err := formattest.Read(Read, c.name, c.content)
			if c.problem != "" {
				require.ErrorContains(t, err, c.name)
				require.ErrorContains(t, err, c.problem)
				return
			}
			require.NoError(t, err)
			assert.Equal(t, c.format, m.Format)
		})
	}
}

func TestByteLimit(t *testing.T) {
	limits := formattest.Limits()
	limits.Bytes = 10
	_, err := Read(t.Context(), formattest.Source("big.stl", "more than ten bytes"), file.Options{Limits: limits})
	assert.ErrorContains(t, err, "19 bytes, over the limit of 10")
}
