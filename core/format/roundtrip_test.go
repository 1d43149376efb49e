package format

import (
	"bytes"
	"context"
	"encoding/xml"
	"errors"
	"io"
	"math/rand/v2"
	"strings"
	"testing"

	"archive/zip"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"veneer/core/format/file"
	"veneer/core/format/threemf"
	"veneer/core/geom"
	"veneer/core/mesh"
	"veneer/core/mesh/meshtest"
)

// painted is a small mesh of two named bodies in several colours, some
// blended, some missing, with coordinates that need all their digits.
func painted(r *rand.Rand) *mesh.Mesh {
	m := meshtest.Bumpy(12)
	m.Bodies = []mesh.Body{{Name: "rim & <dial>"}, {Name: "Höhe 2"}}
	palette := []mesh.Colour{0xff0000ff, 0x00ff00ff, 0x0000ffff, 0x08101880, 0}
	for t := range m.Triangles {
		m.BodyOf = append(m.BodyOf, int32(2*t/len(m.Triangles)))
		c := palette[r.IntN(len(palette))]
		m.Colours = append(m.Colours, [3]mesh.Colour{c, c, c})
	}
	return m
}

// covered is painted with two textures over half of its triangles, places in
// them that need all their digits, and white below them.
func covered(r *rand.Rand) *mesh.Mesh {
	m := painted(r)
	m.Textures = []mesh.Texture{{Name: "Dial face.png", Data: []byte("\x89PNG\r\n\x1a\n one")}, {Name: "dial face.PNG", Data: []byte("\xff\xd8\xff two")}}
	m.Covers = make([]mesh.Cover, len(m.Triangles))
	for t := range m.Triangles {
		if t%4 < 2 {
			m.Colours[t] = [3]mesh.Colour{0xffffffff, 0xffffffff, 0xffffffff}
			m.Covers[t] = mesh.Cover{Texture: int32(1 + t%2), At: [3][2]float32{{r.Float32(), r.Float32()}, {-3.5, 1e-7}, {0, 1}}}
		}
	}
	return m
}

// written is a file in memory with those that belong to it.
type written struct {
	bytes  bytes.Buffer
	beside map[string]*bytes.Buffer
	name   string
}

func (w *written) Create(name string) (io.WriteCloser, error) {
	w.beside[name] = &bytes.Buffer{}
	return struct {
		io.Writer
		io.Closer
	}{w.beside[name], io.NopCloser(nil)}, nil
}

func (w *written) Open(name string) (io.ReadCloser, error) {
	if b, ok := w.beside[name]; ok {
		return io.NopCloser(bytes.NewReader(b.Bytes())), nil
	}
	return nil, errors.New("no such file")
}

func (w *written) source() file.Source {
	b := w.bytes.Bytes()
	return file.Source{Name: w.name, R: bytes.NewReader(b), Size: int64(len(b)), Beside: w.Open}
}

func write(t *testing.T, f file.Format, m *mesh.Mesh) *written {
	t.Helper()
	w := &written{name: "part.obj", beside: map[string]*bytes.Buffer{}}
	require.NoError(t, Write(&w.bytes, f, m, WriteOptions{Name: w.name, Beside: w, About: []threemf.Metadata{{Name: "Title", Value: "a & b"}}}))
	return w
}

func read(t *testing.T, w *written) *file.Model {
	t.Helper()
	m, err := Read(t.Context(), w.source(), file.Options{Limits: file.DefaultLimits()})
	require.NoError(t, err)
	return m
}

var formats = []file.Format{file.STLBinary, file.STLASCII, file.OBJ, file.ThreeMF}

// TestRoundTrips writes and reads every format: triangles, order, colours and
// names come back as far as the format can hold them, and what it cannot hold
// is said beforehand.
func TestRoundTrips(t *testing.T) {
	m := painted(rand.New(rand.NewPCG(1, 2)))
	keeps := map[file.Format]struct{ names, colours bool }{
		file.STLBinary: {false, true}, file.STLASCII: {true, false}, file.OBJ: {true, true}, file.ThreeMF: {true, true},
	}
	for _, f := range formats {
		t.Run(string(f), func(t *testing.T) {
			w := write(t, f, m)
			require.NoError(t, ReadBack(t.Context(), w.source(), f, m, file.DefaultLimits()))
			back := read(t, w)
			assert.Equal(t, f, back.Format)
			assert.Empty(t, back.Lost)
			said := strings.Join(Loses(f, m), "; ")
			if keeps[f].names {
				assert.Equal(t, m.Bodies, back.Mesh.Bodies)
				assert.Equal(t, m.BodyOf, back.Mesh.BodyOf)
			} else {
				assert.Contains(t, said, "names")
			}
			if !keeps[f].colours {
				assert.Contains(t, said, "colours")
				return
			}
			require.Len(t, back.Mesh.Colours, len(m.Colours))
			for i, c := range m.Colours {
				want := c[0]
				switch {
				case f == file.STLBinary && want != 0: // five bits a channel, no opacity
					r, g, b, _ := want.RGBA()
					gr, gg, gb, _ := back.Mesh.Colours[i][0].RGBA()
					require.InDelta(t, r, gr, 7)
					require.InDelta(t, g, gg, 7)
					require.InDelta(t, b, gb, 7)
					continue
				case f == file.OBJ && want == 0:
					want = 0xffffffff
				}
				require.Equal(t, want, back.Mesh.Colours[i][0], "triangle %d", i)
			}
		})
	}
}

// TestRoundTripsFromOneFormatToTheNext goes around all formats and ends where it began.
func TestRoundTripsFromOneFormatToTheNext(t *testing.T) {
	m := meshtest.Bumpy(20)
	for _, f := range append(formats, formats...) {
		m = read(t, write(t, f, m)).Mesh
	}
	want := meshtest.Bumpy(20)
	require.Len(t, m.Triangles, len(want.Triangles))
	for i := range want.Triangles {
		for c := range 3 {
			require.Equal(t, want.Positions[want.Triangles[i][c]], m.Positions[m.Triangles[i][c]])
		}
	}
}

func TestBlendedColoursSurviveIn3MF(t *testing.T) {
	m := meshtest.Bumpy(3)
	for range m.Triangles {
		m.Colours = append(m.Colours, [3]mesh.Colour{0x112233ff, 0x445566ff, 0x778899ff})
	}
	assert.Equal(t, m.Colours, read(t, write(t, file.ThreeMF, m)).Mesh.Colours)
	assert.Contains(t, strings.Join(Loses(file.OBJ, m), ""), "change within a triangle")
	assert.Empty(t, Loses(file.ThreeMF, m))
}

// TestTexturesSurvive writes textures and reads them back: which, where, and
// byte by byte. STL says beforehand that it drops them.
func TestTexturesSurvive(t *testing.T) {
	m := covered(rand.New(rand.NewPCG(7, 7)))
	for _, f := range formats {
		t.Run(string(f), func(t *testing.T) {
			w := write(t, f, m)
			require.NoError(t, ReadBack(t.Context(), w.source(), f, m, file.DefaultLimits()))
			back := read(t, w)
			if f == file.STLBinary || f == file.STLASCII {
				assert.Contains(t, Loses(f, m), "textures")
				return
			}
			assert.NotContains(t, strings.Join(Loses(f, m), ""), "texture")
			assert.Empty(t, back.Lost)
			require.Len(t, back.Mesh.Covers, len(m.Covers))
			require.Len(t, back.Mesh.Textures, 2)
			for i, want := range m.Covers {
				got := back.Mesh.Covers[i]
				require.Equal(t, want.At, got.At)
				require.Equal(t, want.Texture == 0, got.Texture == 0)
				if want.Texture != 0 {
					require.Equal(t, m.Textures[want.Texture-1].Data, back.Mesh.Textures[got.Texture-1].Data)
				}
			}
			again := read(t, write(t, f, back.Mesh)).Mesh
			assert.Equal(t, back.Mesh.Covers, again.Covers)
		})
	}
	m.Colours[0] = [3]mesh.Colour{0xff0000ff, 0xff0000ff, 0xff0000ff}
	assert.Contains(t, Loses(file.ThreeMF, m), "the colours of 1 triangles below their texture")
	w := write(t, file.OBJ, m)
	assert.Equal(t, m.Colours[0], read(t, w).Mesh.Colours[0], "OBJ keeps both")
	m.Covers[0].At[1][0] += 0.25
	assert.ErrorContains(t, ReadBack(t.Context(), w.source(), file.OBJ, m, file.DefaultLimits()), "texture of triangle 0")
	m.Covers[0].At[1][0] -= 0.25
	for name, b := range w.beside {
		if b.Bytes()[0] == 0x89 {
			w.beside[name] = bytes.NewBufferString("\x89PNG\r\n\x1a\n another")
		}
	}
	assert.ErrorContains(t, ReadBack(t.Context(), w.source(), file.OBJ, m, file.DefaultLimits()), "another texture")
}

func TestSameMeshSameBytes(t *testing.T) {
	for _, f := range formats {
		a, b := write(t, f, painted(rand.New(rand.NewPCG(5, 5)))), write(t, f, painted(rand.New(rand.NewPCG(5, 5))))
		assert.Equal(t, a.bytes.Bytes(), b.bytes.Bytes(), f)
	}
}

// TestFoldsAreSeenBeforehand rounds a triangle too thin for float32.
func TestFoldsAreSeenBeforehand(t *testing.T) {
	m := &mesh.Mesh{Positions: []geom.Vec{{X: 1000}, {X: 1001}, {X: 1000.5, Y: 1e-9}, {X: 1000 + 1e-9, Y: 1}}, Triangles: []mesh.Triangle{{0, 1, 2}, {0, 1, 3}}}
	assert.Zero(t, Folds(m), "1e-9 is a fine float32")
	m.Positions[2] = geom.Vec{X: 1000.5, Y: 1e-60}
	assert.Equal(t, 1, Folds(m))
}

func TestReadBackSeesDifferences(t *testing.T) {
	m := meshtest.Bumpy(6)
	w := write(t, file.OBJ, m)
	m.Positions[m.Triangles[7][1]].X += 1e-9
	err := ReadBack(context.Background(), w.source(), file.OBJ, m, file.DefaultLimits())
	assert.ErrorContains(t, err, "reads as")
	m.Triangles = m.Triangles[:20]
	assert.ErrorContains(t, ReadBack(context.Background(), w.source(), file.OBJ, m, file.DefaultLimits()), "20 triangles were written but 72 read back")
}

// TestPackageFollowsTheSpecification checks what the core specification's
// schema asks of a package: parts and their types, the order of elements,
// unique ids that are defined before they are used, indices in range.
func TestPackageFollowsTheSpecification(t *testing.T) {
	w := write(t, file.ThreeMF, covered(rand.New(rand.NewPCG(3, 4))))
	z, err := zip.NewReader(bytes.NewReader(w.bytes.Bytes()), int64(w.bytes.Len()))
	require.NoError(t, err)
	parts := map[string]string{}
	for _, f := range z.File {
		r, err := f.Open()
		require.NoError(t, err)
		b, err := io.ReadAll(r)
		require.NoError(t, err)
		parts[f.Name] = string(b)
	}
	assert.Equal(t, "[Content_Types].xml", z.File[0].Name, "readers that stream want it first")
	for _, want := range []string{`Extension="rels" ContentType="application/vnd.openxmlformats-package.relationships+xml"`, `Extension="model" ContentType="application/vnd.ms-package.3dmanufacturing-3dmodel+xml"`} {
		assert.Contains(t, parts["[Content_Types].xml"], want)
	}
	assert.Contains(t, parts["_rels/.rels"], `Target="/3D/3dmodel.model"`)

	assert.Contains(t, parts["[Content_Types].xml"], `Extension="png" ContentType="image/png"`)
	assert.Contains(t, parts["[Content_Types].xml"], `Extension="jpg" ContentType="image/jpeg"`)

	type object struct {
		ID       int    `xml:"id,attr"`
		Type     string `xml:"type,attr"`
		Vertices []struct {
			X, Y, Z string `xml:",attr"`
		} `xml:"mesh>vertices>vertex"`
		Triangles []struct {
			V1 int `xml:"v1,attr"`
			V2 int `xml:"v2,attr"`
			V3 int `xml:"v3,attr"`
			P1 int `xml:"p1,attr"`
			ID int `xml:"pid,attr"`
		} `xml:"mesh>triangles>triangle"`
	}
	var model struct {
		XMLName  xml.Name `xml:"http://schemas.microsoft.com/3dmanufacturing/core/2015/02 model"`
		Unit     string   `xml:"unit,attr"`
		Metadata []struct {
			Name string `xml:"name,attr"`
		} `xml:"metadata"`
		Groups []struct {
			ID     int        `xml:"id,attr"`
			Colors []struct{} `xml:"color"`
		} `xml:"resources>colorgroup"`
		Textures []struct {
			ID   int    `xml:"id,attr"`
			Path string `xml:"path,attr"`
			Type string `xml:"contenttype,attr"`
		} `xml:"resources>texture2d"`
		Places []struct {
			ID      int        `xml:"id,attr"`
			Texture int        `xml:"texid,attr"`
			Coords  []struct{} `xml:"tex2coord"`
		} `xml:"resources>texture2dgroup"`
		Objects []object `xml:"resources>object"`
		Items   []struct {
			ID int `xml:"objectid,attr"`
		} `xml:"build>item"`
	}
	require.NoError(t, xml.Unmarshal([]byte(parts["3D/3dmodel.model"]), &model))
	assert.Equal(t, "millimeter", model.Unit)
	require.Len(t, model.Groups, 1)
	ids, size := map[int]bool{model.Groups[0].ID: true}, map[int]int{model.Groups[0].ID: len(model.Groups[0].Colors)}
	require.Len(t, model.Textures, 2)
	for i, texture := range model.Textures {
		assert.Contains(t, parts, strings.TrimPrefix(texture.Path, "/"))
		assert.Contains(t, parts["3D/_rels/3dmodel.model.rels"], `Target="`+texture.Path+`"`, "a model names what it uses")
		assert.Contains(t, []string{"image/png", "image/jpeg"}, texture.Type)
		group := model.Places[i]
		assert.Equal(t, texture.ID, group.Texture)
		assert.False(t, ids[texture.ID] || ids[group.ID] || texture.ID == group.ID)
		ids[texture.ID], ids[group.ID], size[group.ID] = true, true, len(group.Coords)
	}
	for _, o := range model.Objects {
		assert.False(t, ids[o.ID], "ids are unique among all resources")
		ids[o.ID] = true
		assert.Equal(t, "model", o.Type)
		assert.GreaterOrEqual(t, len(o.Vertices), 3)
		for _, v := range o.Triangles {
			assert.Less(t, max(v.V1, v.V2, v.V3), len(o.Vertices))
			assert.True(t, v.V1 != v.V2 && v.V2 != v.V3 && v.V3 != v.V1)
			assert.True(t, v.ID == 0 || ids[v.ID] && v.P1 < size[v.ID])
		}
	}
	require.Len(t, model.Items, 2)
	for _, i := range model.Items {
		assert.True(t, ids[i.ID])
	}
	text := parts["3D/3dmodel.model"]
	order := []string{"<metadata", "<resources>", "<m:colorgroup", "<m:texture2d id", "<m:texture2dgroup", "<object", "</resources>", "<build>", "</build>"}
	for i := 1; i < len(order); i++ {
		assert.Less(t, strings.Index(text, order[i-1]), strings.Index(text, order[i]), "%s before %s", order[i-1], order[i])
	}
}
