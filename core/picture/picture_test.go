package picture

import (
	"bytes"
	"encoding/binary"
	"image"
	"image/color"
	"image/png"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"veneer/core/geom"
	"veneer/core/measure"
	"veneer/core/mesh"
	"veneer/core/mesh/meshtest"
)

// cube stands off the origin, facing outward.
func cube() *mesh.Mesh {
	m := &mesh.Mesh{}
	for i := range 8 {
		m.Positions = append(m.Positions, geom.Vec{X: 100 + 10*float64(i&1), Y: 10 * float64(i>>1&1), Z: 10 * float64(i>>2)})
	}
	for _, q := range [][4]int32{{0, 2, 3, 1}, {4, 5, 7, 6}, {0, 1, 5, 4}, {2, 6, 7, 3}, {0, 4, 6, 2}, {1, 3, 7, 5}} {
		m.Triangles = append(m.Triangles, mesh.Triangle{q[0], q[1], q[2]}, mesh.Triangle{q[0], q[2], q[3]})
	}
	return m
}

// tally counts the pixels that are covered, and those that are reddish: backs and marks.
func tally(m *mesh.Mesh, opt Options) (covered, red int) {
	img := Draw(m, opt)
	for y := range opt.Height {
		for x := range opt.Width {
			if p := img.NRGBAAt(x, y); p.A > 0 {
				covered++
				if p.R > p.B+20 {
					red++
				}
			}
		}
	}
	return covered, red
}

func TestCubeFromTheFrontIsASquare(t *testing.T) {
	opt := Options{Width: 200, Height: 100}
	covered, red := tally(cube(), opt)
	assert.InDelta(t, 92*92, covered, 200, "fitted to the height, centred wherever the part lies")
	assert.Zero(t, red)
}

func TestBacksAndMarksShow(t *testing.T) {
	inverted := cube()
	for i, v := range inverted.Triangles {
		inverted.Triangles[i] = mesh.Triangle{v[0], v[2], v[1]}
	}
	opt := DefaultOptions(inverted)
	covered, red := tally(inverted, opt)
	assert.Equal(t, covered, red, "an inside-out part shows its backs")
	opt.Marked = []int32{2, 3} // the top
	covered, red = tally(cube(), opt)
	assert.Greater(t, red, covered/8)
	assert.Less(t, red, covered/2)
}

func TestSameBytesAgain(t *testing.T) {
	var a, b bytes.Buffer
	require.NoError(t, WritePNG(&a, cube(), DefaultOptions(cube())))
	require.NoError(t, WritePNG(&b, cube(), DefaultOptions(cube())))
	assert.Equal(t, a.Bytes(), b.Bytes())
	img, err := png.Decode(&a)
	require.NoError(t, err)
	assert.Equal(t, 480, img.Bounds().Dx())
}

func TestDegenerateMeshesDraw(t *testing.T) {
	assert.NotPanics(t, func() {
		Draw(&mesh.Mesh{}, Options{Width: 10, Height: 10})
		Draw(&mesh.Mesh{Positions: make([]geom.Vec, 3), Triangles: []mesh.Triangle{{0, 1, 2}, {0, 0, 0}}}, Options{Width: 10, Height: 10})
	})
}

// TestViewData reads back what a browser is given.
func TestViewData(t *testing.T) {
	var b bytes.Buffer
	require.NoError(t, WriteView(&b, cube(), []measure.Thin{{Sample: measure.Sample{At: cube().Positions[0], Normal: geom.Vec{Z: -1}}, RayMM: 10, SphereMM: 8}}))
	v := b.Bytes()
	require.Len(t, v, 40+8*12+36*4+32+12*4)
	assert.EqualValues(t, 1, binary.LittleEndian.Uint32(v[40+8*12+36*4+32:]), "the first triangle is of the first shell")
	float := func(at int) float32 { return math.Float32frombits(binary.LittleEndian.Uint32(v[at:])) }
	assert.EqualValues(t, 1, binary.LittleEndian.Uint32(v[12:]), "wall samples")
	for i, want := range []float32{-5, -5, -5, 0, 0, -1, 10, 8} {
		assert.Equal(t, want, float(40+96+144+4*i))
	}
	assert.EqualValues(t, ViewMagic, binary.LittleEndian.Uint32(v))
	assert.EqualValues(t, 8, binary.LittleEndian.Uint32(v[4:]))
	assert.EqualValues(t, 36, binary.LittleEndian.Uint32(v[8:]))
	assert.Equal(t, 105.0, math.Float64frombits(binary.LittleEndian.Uint64(v[16:])), "the middle")
	assert.Equal(t, float32(-5), float(40), "relative to it")
	assert.EqualValues(t, 2, binary.LittleEndian.Uint32(v[40+96+4:]))
}

// TestViewDataCarriesPaint reads colours, covers and textures back; those that cannot be
// drawn are left out, and keep their number.
func TestViewDataCarriesPaint(t *testing.T) {
	var small bytes.Buffer
	require.NoError(t, png.Encode(&small, image.NewNRGBA(image.Rect(0, 0, 2, 2))))
	var plain, painted, covered bytes.Buffer
	m := cube()
	require.NoError(t, WriteView(&plain, m, nil))
	m.Colours = make([][3]mesh.Colour, 12)
	m.Colours[1] = [3]mesh.Colour{0xff0000ff, 0, 0x00ff00ff}
	require.NoError(t, WriteView(&painted, m, nil))
	word := func(b *bytes.Buffer, i int) uint32 { return binary.LittleEndian.Uint32(b.Bytes()[plain.Len()+4*i:]) }
	require.Equal(t, plain.Len()+4+12*12, painted.Len())
	assert.Equal(t, plain.Bytes(), painted.Bytes()[:plain.Len()])
	assert.Equal(t, [4]uint32{0, 0, 0xff0000ff, 0x00ff00ff}, [4]uint32{word(&painted, 0), word(&painted, 3), word(&painted, 4), word(&painted, 6)})
	m.Textures = []mesh.Texture{{Name: "broken.png", Data: []byte("none")}, {Name: "small.png", Data: small.Bytes()}}
	m.Covers = make([]mesh.Cover, 12)
	m.Covers[11] = mesh.Cover{Texture: 2, At: [3][2]float32{{0, 0.25}, {1, 0}, {0, 1}}}
	require.NoError(t, WriteView(&covered, m, nil))
	size := (small.Len() + 3) / 4 * 4
	require.Equal(t, painted.Len()+12*28+4+4+size, covered.Len())
	last := 1 + 36 + 11*7
	assert.Equal(t, [2]uint32{2, 2}, [2]uint32{word(&covered, 0), word(&covered, last)})
	assert.Equal(t, float32(0.25), math.Float32frombits(word(&covered, last+2)))
	assert.Equal(t, [2]uint32{0, uint32(small.Len())}, [2]uint32{word(&covered, last+7), word(&covered, last+8)})
	assert.Equal(t, small.Bytes(), covered.Bytes()[covered.Len()-size:][:small.Len()])
}

// TestPaintShows draws a cube whose front is half red and half covered with a
// texture of two halves, green below and blue above.
func TestPaintShows(t *testing.T) {
	picture := image.NewNRGBA(image.Rect(0, 0, 2, 2))
	for x := range 2 {
		picture.SetNRGBA(x, 0, color.NRGBA{0, 0, 255, 255})
		picture.SetNRGBA(x, 1, color.NRGBA{0, 255, 0, 255})
	}
	var b bytes.Buffer
	require.NoError(t, png.Encode(&b, picture))
	m := cube()
	m.Textures = []mesh.Texture{{Name: "halves.png", Data: b.Bytes()}, {Name: "broken.png", Data: []byte("\x89PNG\r\n\x1a\n")}}
	m.Covers = make([]mesh.Cover, len(m.Triangles))
	m.Colours = make([][3]mesh.Colour, len(m.Triangles))
	m.Colours[4] = [3]mesh.Colour{0xff0000ff, 0xff0000ff, 0xff0000ff}                          // the front's lower right
	m.Covers[5] = mesh.Cover{Texture: 1, At: [3][2]float32{{0, 0.1}, {3.9, 0.9}, {-0.1, 0.9}}} // its upper left, repeating
	img := Draw(m, Options{Width: 100, Height: 100})
	low, red, high := img.NRGBAAt(10, 70), img.NRGBAAt(80, 80), img.NRGBAAt(10, 12)
	assert.True(t, red.R > 100 && red.G == 0 && red.B == 0, "%v", red)
	assert.True(t, low.G > 100 && low.R == 0 && low.B == 0, "%v", low)
	assert.True(t, high.B > 100 && high.R == 0 && high.G == 0, "%v", high)
	m.Covers[5].Texture = 2
	assert.NotEqual(t, img.NRGBAAt(10, 12), Draw(m, Options{Width: 100, Height: 100}).NRGBAAt(10, 12), "a picture that cannot be drawn is left out")
}

// TestFrontFillsItsFrame draws parts straight from the front, or from above when they lie
// flat: the frame has the part's own proportions, and no margin.
func TestFrontFillsItsFrame(t *testing.T) {
	for _, c := range []struct {
		size          geom.Vec
		width, height int
	}{
		{geom.Vec{X: 10, Y: 10, Z: 10}, 360, 360},
		{geom.Vec{X: 20, Y: 5, Z: 10}, 360, 180},
		{geom.Vec{X: 5, Y: 5, Z: 50}, 36, 360},
		{geom.Vec{X: 40, Y: 20, Z: 1}, 360, 180}, // flat: as wide as long
	} {
		m := &mesh.Mesh{}
		meshtest.Block(m, geom.Vec{X: 100}, geom.Vec{X: 100}.Add(c.size))
		opt := FrontOptions(m)
		assert.Equal(t, [2]int{c.width, c.height}, [2]int{opt.Width, opt.Height})
		img := Draw(m, opt)
		for _, at := range [][2]int{{1, 1}, {c.width - 2, 1}, {1, c.height - 2}, {c.width - 2, c.height - 2}, {c.width / 2, c.height / 2}} {
			assert.EqualValues(t, 255, img.NRGBAAt(at[0], at[1]).A, "%v of %v", at, c.size)
		}
	}
}
