package stl

import (
	"bytes"
	"context"
	"encoding/binary"
	"fmt"
	"math"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"veneer/core/format/file"
	"veneer/core/format/formattest"
	"veneer/core/geom"
	"veneer/core/mesh"
)

// tetrahedron is the smallest closed mesh.
func tetrahedron() *mesh.Mesh {
	return &mesh.Mesh{Positions: []geom.Vec{{}, {X: 1}, {Y: 1}, {Z: 1}},
		Triangles: []mesh.Triangle{{0, 2, 1}, {0, 1, 3}, {1, 2, 3}, {0, 3, 2}}}
}

func encoded(t *testing.T, m *mesh.Mesh) []byte {
	var b bytes.Buffer
	require.NoError(t, WriteBinary(&b, m))
	return b.Bytes()
}

// either chooses the reader as the format package does.
func either(ctx context.Context, src file.Source, opt file.Options) (*file.Model, error) {
	head := make([]byte, min(src.Size, 4096))
	src.R.ReadAt(head, 0)
	if Binary(src, head) {
		return ReadBinary(ctx, src, opt)
	}
	return ReadASCII(ctx, src, opt)
}

func TestWriteThenReadGivesTheSameMesh(t *testing.T) {
	m := tetrahedron()
	back, err := formattest.Read(either, "t.stl", string(encoded(t, m)))
	require.NoError(t, err)
	assert.Equal(t, file.STLBinary, back.Format)
	assert.Len(t, back.Mesh.Positions, 4)
	for i := range m.Triangles {
		for c := range 3 {
			assert.Equal(t, m.Positions[m.Triangles[i][c]], back.Mesh.Positions[back.Mesh.Triangles[i][c]])
		}
	}
	assert.Zero(t, mesh.NewTopology(back.Mesh).Count().Boundary, "welded")
}

func TestBinary(t *testing.T) {
	good := encoded(t, tetrahedron())
	change := func(do func(b []byte) []byte) string { return string(do(bytes.Clone(good))) }
	cases := []struct {
		name, content string
		triangles     int
		problem       string // words of the refusal
		lost          string
	}{
		{"whole", string(good), 4, "", ""},
		{"begins with solid", change(func(b []byte) []byte { copy(b, "solid but binary"); return b }), 4, "", ""},
		{"bytes after the end", string(good) + "tail", 4, "", "4 bytes after the last triangle"},
		{"cut short by half", string(good[:200]), 2, "", ""},
		{"cut short by more", string(good[:180]), 0, "promises 4 triangles but the file holds only 1", ""},
		{"a count of nought", change(func(b []byte) []byte { clear(b[80:84]); return b }), 4, "", ""},
		{"only a header", string(good[:84]), 0, "promises 4 triangles but the file holds only 0", ""},
		{"less than a header", string(good[:40]), 0, "ends after 40 bytes", ""},
		{"no triangles", change(func(b []byte) []byte { clear(b[80:84]); return b[:84] }), 0, "holds no triangle", ""},
		{"claims four billion", change(func(b []byte) []byte { copy(b[80:84], "\xff\xff\xff\xff"); return b }), 0, "promises 4294967295", ""},
		{"a coordinate that is no number", change(func(b []byte) []byte {
			binary.LittleEndian.PutUint32(b[84+50+12+8:], math.Float32bits(float32(math.NaN())))
			return b
		}), 0, "byte 146: triangle 1 has a coordinate that is no number", ""},
		{"an infinite coordinate", change(func(b []byte) []byte {
			binary.LittleEndian.PutUint32(b[84+12:], math.Float32bits(float32(math.Inf(-1))))
			return b
		}), 0, "no number", ""},
	}
	for _, c := range cases {
		t.Run(c.name, func(t *testing.T) {
			m, err := formattest.Read(either, "buoy.stl", c.content)
			if c.problem != "" {
				require.ErrorContains(t, err, c.problem)
				require.ErrorContains(t, err, "buoy.stl")
				return
			}
			require.NoError(t, err)
			assert.Len(t, m.Mesh.Triangles, c.triangles)
			assert.Equal(t, c.lost, strings.Join(m.Lost, ";"))
		})
	}
}

// TestCutShort reads what is whole of files that end too early, and says what
// is missing.
func TestCutShort(t *testing.T) {
	good := encoded(t, tetrahedron())
	m, err := formattest.Read(either, "buoy.stl", string(good[:200]))
	require.NoError(t, err)
	assert.Equal(t, "the header promises 4 triangles but the file holds only 2", m.Short)
	assert.Empty(t, m.Lost)
	const facet = "facet normal 0 0 1\nouter loop\nvertex 0 0 0\nvertex 1 0 0\nvertex 0 1 0\nendloop\nendfacet\n"
	m, err = formattest.Read(either, "buoy.stl", "solid x\n"+facet+facet[:60])
	require.NoError(t, err)
	assert.Len(t, m.Mesh.Triangles, 1)
	assert.Equal(t, "the text breaks off in line 13, after 1 whole triangle", m.Short)
	for _, whole := range []string{string(good), "solid x\n" + facet, "solid x\n" + facet + "endsolid"} {
		m, err = formattest.Read(either, "buoy.stl", whole)
		require.NoError(t, err)
		assert.Empty(t, m.Short)
	}
}

// TestStoredNormals finds the facets whose stored normal contradicts their
// corners, in both encodings and however the text is laid out.
func TestStoredNormals(t *testing.T) {
	m := tetrahedron()
	good := encoded(t, m)
	read := func(content string) []int32 {
		t.Helper()
		m, err := formattest.Read(either, "buoy.stl", content)
		require.NoError(t, err)
		return m.Against
	}
	assert.Empty(t, read(string(good)))
	wrong := bytes.Clone(good)
	for k := range 3 { // the signs of the third normal
		wrong[84+2*50+4*k+3] ^= 0x80
	}
	assert.Equal(t, []int32{2}, read(string(wrong)))
	clear(wrong[84+50 : 84+50+12])
	assert.Equal(t, []int32{2}, read(string(wrong)), "a normal of zero says nothing")

	var text bytes.Buffer
	require.NoError(t, WriteASCII(&text, m))
	padded := text.String() + strings.Repeat(" ", 4096) // so that both ways of reading are taken
	assert.Empty(t, read(text.String()))
	assert.Empty(t, read(padded))
	turned := func(s string) string { return strings.Replace(s, " facet normal 0 0 -1", " facet normal 0 0 1", 1) }
	require.NotEqual(t, padded, turned(padded))
	assert.Len(t, read(turned(padded)), 1)
	assert.Equal(t, read(turned(padded)), read(turned(text.String())))
	assert.Empty(t, read(strings.ReplaceAll(padded, "normal 0 0 -1", "normal nan nan nan")))
}

// TestColours reads both layouts of the attribute bytes, told apart by a colour
// for the whole part in the header.
func TestColours(t *testing.T) {
	b := encoded(t, tetrahedron())
	set := func(i int, a uint16) { binary.LittleEndian.PutUint16(b[84+50*i+48:], a) }
	read := func() [][3]mesh.Colour {
		m, err := formattest.Read(either, "buoy.stl", string(b))
		require.NoError(t, err)
		return m.Mesh.Colours
	}
	all := func(c mesh.Colour) [3]mesh.Colour { return [3]mesh.Colour{c, c, c} }
	assert.Nil(t, read())
	set(0, 1<<15|31<<10)
	set(1, 1<<15|31)
	set(2, 31<<5) // says that it has none
	assert.Equal(t, [][3]mesh.Colour{all(0xff0000ff), all(0x0000ffff), {}, {}}, read())
	copy(b, "by a sculptor COLOR=\x10\x20\x30\xff")
	set(2, 31<<5)
	set(3, 31)
	assert.Equal(t, [][3]mesh.Colour{all(0x102030ff), all(0x102030ff), all(0x00ff00ff), all(0xff0000ff)}, read())
}

func TestTooManyTrianglesCostNothing(t *testing.T) {
	huge := zeros{size: headerSize + 3_000_000*recordSize, count: 3_000_000}
	_, err := ReadBinary(t.Context(), file.Source{Name: "huge.stl", R: huge, Size: huge.size}, file.Options{Limits: formattest.Limits()})
	assert.ErrorContains(t, err, "over the limit of 20000")
}

// zeros is a file of zeros with a triangle count.
type zeros struct {
	size  int64
	count uint32
}

func (z zeros) ReadAt(b []byte, at int64) (int, error) {
	clear(b)
	if at == 0 && len(b) >= headerSize {
		binary.LittleEndian.PutUint32(b[80:], z.count)
	}
	return len(b), nil
}

func TestReadingStopsWhenCancelled(t *testing.T) {
	ctx, cancel := context.WithCancel(t.Context())
	cancel()
	z := zeros{size: headerSize + 100_000*recordSize, count: 100_000}
	_, err := ReadBinary(ctx, file.Source{Name: "z.stl", R: z, Size: z.size}, file.Options{Limits: file.DefaultLimits()})
	assert.ErrorIs(t, err, context.Canceled)
}

const facet = "facet normal 0 0 1\nouter loop\nvertex 0 0 0\nvertex 1 0 0\nvertex 0 1 0\nendloop\nendfacet\n"

func TestASCII(t *testing.T) {
	cases := []struct {
		name, content string
		triangles     int
		bodies        int
		problem       string
	}{
		{"plain", "solid cleat\n" + facet + "endsolid cleat\n", 1, 1, ""},
		{"capitals, tabs, CRLF", strings.ToUpper(strings.ReplaceAll("solid\t\n"+facet+"endsolid", "\n", "\r\n\t")), 1, 0, ""},
		{"no name, no end, no newline", "solid\n" + strings.TrimSpace(facet), 1, 0, ""},
		{"a name with keywords", "solid the facet of a loop\n" + facet + "endsolid the facet of a loop", 1, 1, ""},
		{"blank lines and a mark", "\xef\xbb\xbfsolid x\n\n\n" + facet + "\n\n", 1, 1, ""},
		{"two solids", "solid a\n" + facet + "endsolid\nsolid b\n" + facet + facet + "endsolid\n", 3, 2, ""},
		{"exponents", "solid x\n" + strings.ReplaceAll(facet, " 1 ", " 1.5E+01 "), 1, 1, ""},
		{"a loop of four", "solid x\nfacet normal 0 0 1 outer loop vertex 0 0 0 vertex 1 0 0 vertex 1 1 0 vertex 0 1 0 endloop endfacet", 2, 1, ""},
		{"a normal that is no number", "solid x\n" + strings.Replace(facet, "0 0 1", "nan nan nan", 1), 1, 1, ""},
		{"no facet", "solid x\nendsolid x\n", 0, 0, "holds no triangle"},
		{"nan", "solid x\n" + strings.Replace(facet, "vertex 1 0 0", "vertex 1 nan 0", 1), 0, 0, `line 5: found "nan" for a coordinate`},
		{"too large", "solid x\n" + strings.Replace(facet, "vertex 1 0 0", "vertex 1 4e38 0", 1), 0, 0, "line 5: a coordinate is too large"},
		{"a word is missing", "solid x\n" + strings.Replace(facet, "outer ", "", 1), 0, 0, `line 3: found "loop"; expected outer`},
		{"two corners", "solid x\n" + strings.Replace(facet, "vertex 1 0 0\n", "", 1), 0, 0, "a facet of 2 corners"},
		{"cut short", "solid x\nfacet normal 0 0 1\nouter loop\nvertex 0 0 0\nvertex 1", 0, 0, "line 5: the file ends where a coordinate was expected"},
		{"a very long word", "solid x\n" + strings.Repeat("y", 500), 0, 0, "a word of more than 128 letters"},
	}
	for _, c := range cases {
		t.Run(c.name, func(t *testing.T) {
			m, err := formattest.Read(either, "cleat.stl", c.content)
			if c.problem != "" {
				require.ErrorContains(t, err, c.problem)
				require.ErrorContains(t, err, "cleat.stl")
				return
			}
			require.NoError(t, err)
			assert.Equal(t, file.STLASCII, m.Format)
			assert.Len(t, m.Mesh.Triangles, c.triangles)
			assert.Len(t, m.Mesh.Bodies, c.bodies)
		})
	}
}

// TestManyLooseTrianglesInText needs the weld to grow while it goes.
func TestManyLooseTrianglesInText(t *testing.T) {
	var b strings.Builder
	b.WriteString("solid x\n")
	for i := range 3000 {
		b.WriteString(strings.ReplaceAll(facet, " 1", " "+strings.Repeat("1", 1+i%9)+"."+string(rune('0'+i%10))+strings.Repeat("2", i/300)))
	}
	m, err := formattest.Read(either, "many.stl", b.String())
	require.NoError(t, err)
	assert.Len(t, m.Mesh.Triangles, 3000)
}

// TestBothWaysOfReadingFacetsAgree reads the same text in lower case, which
// the fast way takes, and in capitals, which it leaves to the careful one.
func TestBothWaysOfReadingFacetsAgree(t *testing.T) {
	m := &mesh.Mesh{}
	for i := range 500 {
		x := float64(float32(math.Sin(float64(i)) * math.Pow(10, float64(i%13-6))))
		m.Positions = append(m.Positions, geom.Vec{X: x, Y: float64(float32(-x * 3)), Z: float64(i)})
		m.Triangles = append(m.Triangles, mesh.Triangle{int32(i), int32(i+1) % 500, int32(i+7) % 500})
	}
	var b bytes.Buffer
	require.NoError(t, WriteASCII(&b, m))
	fast, err := formattest.Read(either, "a.stl", b.String())
	require.NoError(t, err)
	slow, err := formattest.Read(either, "a.stl", strings.ToUpper(b.String()))
	require.NoError(t, err)
	assert.Equal(t, slow.Mesh, fast.Mesh)
	for i := range m.Triangles {
		for c := range 3 {
			require.Equal(t, m.Positions[m.Triangles[i][c]], fast.Mesh.Positions[fast.Mesh.Triangles[i][c]])
		}
	}
	broken := strings.Replace(b.String(), "endloop", "endlopp", 400)
	broken = strings.Replace(broken, "endlopp", "endloop", 399)
	_, err = formattest.Read(either, "a.stl", broken)
	assert.ErrorContains(t, err, fmt.Sprintf("line %d: found \"endlopp\"", 1+7*399+6), "lines are counted the fast way too")
}

func FuzzReadSTL(f *testing.F) {
	var b bytes.Buffer
	WriteBinary(&b, tetrahedron())
	f.Add(b.Bytes())
	f.Add([]byte("solid cleat\n" + facet + "endsolid cleat\n"))
	f.Add([]byte("solid x\nfacet normal 0 0 1 outer loop vertex 0 0 0 vertex 1 0 0 vertex 1 1 0 vertex 0 1 0 endloop endfacet"))
	f.Fuzz(func(t *testing.T, content []byte) { formattest.Sound(t, either, content) })
}
