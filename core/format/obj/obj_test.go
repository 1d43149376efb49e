package obj

import (
	"strings"
	"testing"
	"unicode/utf16"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"veneer/core/format/file"
	"veneer/core/format/formattest"
	"veneer/core/geom"
)

const square = "v 0 0 0\nv 2 0 0\nv 2 2 0\nv 0 2 0\n"

func TestRead(t *testing.T) {
	cases := []struct {
		name, content string
		triangles     int
		bodies        int
		lost          string // words of what is lost
		problem       string
	}{
		{"a triangle", square + "f 1 2 3\n", 1, 0, "", ""},
		{"a square", square + "f 1 2 3 4\n", 2, 0, "", ""},
		{"all index forms", square + "vt 0 0\nvn 0 0 1\nf 1/1 2/1/1 3//1 4\n", 2, 0, "", ""},
		{"counted from the end", square + "f -4 -3 -2 -1\n", 2, 0, "", ""},
		{"CRLF, a mark, comments", "\xef\xbb\xbf" + strings.ReplaceAll("# x\n"+square+"f 1 2 3 # three\n", "\n", "\r\n"), 1, 0, "", ""},
		{"UTF-16, little end first", "\xff\xfe" + wide(square+"f 1 2 3 4\n", 0), 2, 0, "", ""},
		{"UTF-16, big end first", "\xfe\xff" + wide(square+"o höhe\nf 1 2 3 4\n", 1), 2, 1, "", ""},
		{"a continued line", square + "f 1 2 \\\n  3 4\n", 2, 0, "", ""},
		{"no final newline", square + "f 1 2 3", 1, 0, "", ""},
		{"two objects", square + "o a\nf 1 2 3\no b\nf 1 3 4\n", 2, 2, "", ""},
		{"groups within an object", square + "o a\ng p\nf 1 2 3\ng q\nf 1 3 4\n", 2, 1, "", ""},
		{"groups alone", square + "g p\nf 1 2 3\ng q\nf 1 3 4\n", 2, 2, "", ""},
		{"an object without faces", square + "o empty\no full\nf 1 2 3\n", 1, 1, "", ""},
		{"lines and points", square + "f 1 2 3\nl 1 2\np 1\n", 1, 0, "line: 1", ""},
		{"a curve", square + "f 1 2 3\ncstype bezier\ncurv 0 1 1 2 3\nend\n", 1, 0, "free-form statement: 3", ""},
		{"a concave arrow", "v 0 0 0\nv 4 4 0\nv 0 1 0\nv -4 4 0\nf 1 2 3 4\n", 2, 0, "", ""},
		{"index 0", square + "f 0 1 2\n", 0, 0, "", "line 5: a corner names vertex 0; vertices are numbered from 1"},
		{"index out of range", square + "\nf 1 2 9\n", 0, 0, "", `line 6: a corner names vertex "9"; only 4 vertices come before it`},
		{"index out of range, backwards", square + "f -5 1 2\n", 0, 0, "", "line 5"},
		{"huge index", square + "f 1 2 99999999999999999999\n", 0, 0, "", "line 5"},
		{"two corners", square + "f 1 2\n", 0, 0, "", "line 5: a face of 2 corners"},
		{"nan", "v 0 nan 0\n", 0, 0, "", `line 1: found "nan" for a coordinate`},
		{"a missing coordinate", "v 0 0\n", 0, 0, "", `line 1: found "" for a coordinate`},
		{"no face", square, 0, 0, "", "holds no face"},
		{"binary", "v 0 0 0\n\xfe\x81\x92\n", 0, 0, "", "line 2"},
	}
	for _, c := range cases {
		t.Run(c.name, func(t *testing.T) {
			m, err := formattest.Read(Read, "hull.obj", c.content)
			if c.problem != "" {
				require.ErrorContains(t, err, c.problem)
				require.ErrorContains(t, err, "hull.obj")
				return
			}
			require.NoError(t, err)
			assert.Len(t, m.Mesh.Triangles, c.triangles)
			assert.Len(t, m.Mesh.Bodies, c.bodies)
			assert.Contains(t, strings.Join(m.Lost, "; "), c.lost)
			if c.lost == "" {
				assert.Empty(t, m.Lost)
			}
		})
	}
}

// TestTextThatGrowsWhenDecoded reads UTF-16 whose UTF-8 is longer than the file.
func TestTextThatGrowsWhenDecoded(t *testing.T) {
	comments := strings.Repeat("# "+strings.Repeat("潮", 200)+"\n", 2200)
	text := "\xff\xfe" + wide(strings.Repeat(square, 300)+"f 1 2 3\n"+comments+"f 1 3 4\n", 0)
	limits := formattest.Limits()
	limits.Bytes = 4 << 20
	last := 0.0
	m, err := Read(t.Context(), formattest.Source("wide.obj", text), file.Options{Limits: limits, Progress: func(done float64) { last = done }})
	require.NoError(t, err)
	assert.Len(t, m.Mesh.Triangles, 2)
	assert.LessOrEqual(t, last, 1.0)
}

// wide is text as UTF-16 without its mark; pad is 0 with the low byte first.
func wide(text string, pad int) string {
	var b []byte
	for _, u := range utf16.Encode([]rune(text)) {
		pair := [2]byte{byte(u), byte(u >> 8)}
		b = append(b, pair[pad], pair[1-pad])
	}
	return string(b)
}

func TestConcaveFacesKeepTheirArea(t *testing.T) {
	m, err := formattest.Read(Read, "arrow.obj", "v 0 0 0\nv 4 4 0\nv 0 1 0\nv -4 4 0\nf 1 2 3 4\n")
	require.NoError(t, err)
	sum := 0.0
	for i := range int32(len(m.Mesh.Triangles)) {
		a, b, c := m.Mesh.Corners(i)
		n := b.Sub(a).Cross(c.Sub(a))
		assert.Positive(t, n.Z, "no triangle is turned over")
		sum += n.Z / 2
	}
	assert.Equal(t, 4.0, sum)
}

func TestUnevenFacesAreCounted(t *testing.T) {
	m, err := formattest.Read(Read, "sail.obj", square+"v 5 5 3\nf 1 2 3 4\nf 1 2 5 4\n")
	require.NoError(t, err)
	assert.Equal(t, 1, m.Uneven)
	assert.Equal(t, geom.Vec{X: 5, Y: 5, Z: 3}, m.Mesh.Bounds().Max)
}

func TestLooks(t *testing.T) {
	assert.True(t, Looks([]byte("# made by hand\n\nv 0 0 0\n")))
	assert.True(t, Looks([]byte("mtllib a.mtl\no b\n")))
	assert.False(t, Looks([]byte("solid x\n")))
	assert.False(t, Looks([]byte("vast hull\n")))
	assert.False(t, Looks(nil))
}

func FuzzReadOBJ(f *testing.F) {
	for _, s := range []string{square + "f 1 2 3 4\n", square + "o a\nf -1 -2 -3\n", square + "f 1 2 \\\n 3 4\ng x\nf 1//1 2/2 3/3/3\n"} {
		f.Add([]byte(s))
	}
	f.Fuzz(func(t *testing.T, content []byte) { formattest.Sound(t, Read, content) })
}
