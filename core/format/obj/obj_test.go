package obj

import (
	"fmt"
	"io"
	"io/fs"
	"math"
	"strings"
	"testing"
	"unicode/utf16"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"veneer/core/format/file"
	"veneer/core/format/formattest"
	"veneer/core/geom"
	"veneer/core/mesh"
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

// TestPaint reads what a file says of its looks: colours at vertices, materials
// of a library that came along, and textures.
func TestPaint(t *testing.T) {
	read := func(content string, beside map[string]string) *file.Model {
		t.Helper()
		src := formattest.Source("dial.obj", content)
		src.Beside = func(name string) (io.ReadCloser, error) {
			if b, ok := beside[name]; ok {
				return io.NopCloser(strings.NewReader(b)), nil
			}
			return nil, fs.ErrNotExist
		}
		m, err := Read(t.Context(), src, file.Options{Limits: formattest.Limits()})
		require.NoError(t, err)
		return m
	}
	m := read("v 0 0 0 1 0 0\nv 1 0 0 0 1 0\nv 0 1 0 0 0 1\nf 1 2 3\n", nil)
	assert.Equal(t, [][3]mesh.Colour{{0xff0000ff, 0x00ff00ff, 0x0000ffff}}, m.Mesh.Colours)
	m = read("v 0 0 0 1\nv 1 0 0\nv 0 1 0\nf 1 2 3\n", nil)
	assert.Equal(t, []string{"vertex with a weight: 1"}, m.Lost)

	const library = "# two\nnewmtl brass leaf\nKd 0.8 0.6 0.2\nd 0.5\nnewmtl face\nKa 0 0 0\nmap_Kd -s 1 1 1 -clamp on maps\\dial face.png\nnewmtl lost\nmap_Kd elsewhere.jpg\n"
	const head = "mtllib dial.mtl\n" + square + "vt 0 0\nvt 1 0\nvt 1 1\nvt 0.25\n"
	beside := map[string]string{"dial.mtl": library, "maps/dial face.png": formattest.Picture}
	m = read(head+"usemtl brass leaf\nf 1 2 3\nusemtl face\nf 1/1 2/2 3/3\nf 1/1 3/-2 4/4\nf 1 2 3\nusemtl lost\nf 1/1 2/2 3/3\n", beside)
	assert.Equal(t, [3]mesh.Colour{0xcc993380, 0xcc993380, 0xcc993380}, m.Mesh.Colours[0])
	assert.Equal(t, []mesh.Texture{{Name: "dial face.png", Data: []byte(formattest.Picture)}}, m.Mesh.Textures)
	assert.Equal(t, []mesh.Cover{{}, {Texture: 1, At: [3][2]float32{{0, 0}, {1, 0}, {1, 1}}}, {Texture: 1, At: [3][2]float32{{0, 0}, {1, 1}, {0.25, 0}}}, {}, {}}, m.Mesh.Covers)
	assert.Equal(t, []string{"face without texture coordinates below a texture: 1", "texture that did not come along: 1"}, m.Lost)

	m = read(head+"usemtl face\nf 1/1 2/2 3/3\n", map[string]string{"dial.mtl": library, "maps/dial face.png": "GIF89a"})
	assert.Equal(t, []string{"texture that is neither PNG nor JPEG: 1"}, m.Lost)
	m = read(head+"usemtl face\nf 1/1 2/2 3/3\n", map[string]string{"dial.mtl": library, "maps/dial face.png": formattest.Picture + strings.Repeat("x", 2000)})
	assert.Equal(t, []string{"texture that goes over the 1024 bytes that textures may have: 1"}, m.Lost)
	m = read(head+"usemtl face\nf 1/1 2/2 3/3\n", nil)
	assert.Equal(t, []string{"material library that did not come along: 1", "material that no library describes: 1"}, m.Lost)
	_, err := formattest.Read(Read, "dial.obj", square+"f 1/1 2 3\n")
	assert.ErrorContains(t, err, `line 5: a corner names texture coordinate "1"; only 0 come before it`)
	_, err = formattest.Read(Read, "dial.obj", square+"vt one\nf 1 2 3\n")
	assert.ErrorContains(t, err, `line 5: found "one" for a texture coordinate`)
}

// TestBothWaysOfReadingLinesAgree reads a file in the layouts that are taken
// straight from memory, and in one that never is.
func TestBothWaysOfReadingLinesAgree(t *testing.T) {
	var b strings.Builder
	for i := range 400 {
		fmt.Fprintf(&b, "v %g %.4f %e\nvt %g 0.5\nvn 0 0 1\n", math.Sin(float64(i))*100, float64(i)/7, -float64(i)*1e-3, float64(i)/400)
	}
	for i := range 398 {
		fmt.Fprintf(&b, []string{"f %d %d %d\n", "f %d/1 %d/2 %d/3\n", "f %d//1 %d//2 %d//3\n", "f %d/3/1 %d/2/2 %d/1/3\n"}[i%4], i+1, i+2, i+3)
	}
	text := b.String()
	want, err := formattest.Read(Read, "a.obj", strings.ReplaceAll(text, "\n", " \\\n \n"))
	require.NoError(t, err)
	for name, content := range map[string]string{"plain": text, "CRLF": strings.ReplaceAll(text, "\n", "\r\n"), "wide": strings.ReplaceAll(text, " ", "   "), "tabs": strings.ReplaceAll(text, " ", "\t")} {
		got, err := formattest.Read(Read, "a.obj", content)
		require.NoError(t, err, name)
		assert.Equal(t, want.Mesh, got.Mesh, name)
	}
	_, err = formattest.Read(Read, "a.obj", text+"f 1/401 2 3\n"+strings.Repeat("# padding\n", 50))
	assert.ErrorContains(t, err, `line 1599: a corner names texture coordinate "401"`, "lines are counted in both")
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
	for _, s := range []string{square + "f 1 2 3 4\n", square + "o a\nf -1 -2 -3\n", square + "f 1 2 \\\n 3 4\ng x\nf 1//1 2/2 3/3/3\n",
		"mtllib x\nnewmtl a\nKd 1 0 0\nmap_Kd -s 1 1 a.png\nusemtl a\n" + square + "vt 0 0\nf 1/1 2/1 3/-1\nf 1 2 3\n", "\xff\xfe" + wide(square+"f 1 2 3\n", 0)} {
		f.Add([]byte(s))
	}
	f.Fuzz(func(t *testing.T, content []byte) { formattest.Sound(t, Read, content) })
}
