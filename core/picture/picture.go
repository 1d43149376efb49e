// Package picture draws still pictures of a mesh, for lists and reports, with
// no window and no graphics hardware.
//
// The idea: an orthographic camera, a depth buffer at twice the size, one flat
// shade a triangle (times its paint, where it has any), then every four pixels become one. Backs of triangles get a
// colour of their own, so that an inside-out part or a hole shows at once. The
// same mesh and options give the same bytes. Cost O(triangles + pixels).
package picture

import (
	"image"
	"image/color"
	"image/png"
	"io"
	"math"

	"veneer/core/geom"
	"veneer/core/mesh"
)

// Options say how to draw.
type Options struct {
	Width, Height int
	Azimuth       float64 // degrees about the upright axis; 0 looks from the front
	Elevation     float64 // degrees above the horizon
	Marked        []int32 // triangles drawn in the finding colour
	Whole         bool    // the part fills the frame, with no margin
}

// DefaultOptions look at the part from its front right, a little from above;
// the flatter it lies, the more from above.
func DefaultOptions(m *mesh.Mesh) Options {
	size := m.Bounds().Size()
	flat := size.Z / max(size.X, size.Y, 1e-12)
	return Options{Width: 480, Height: 360, Azimuth: 32, Elevation: 26 + 30*max(0, 1-3*flat)}
}

// FrontOptions look straight at the part's front, or from above at one that lies
// flat, in a frame as wide as the part along x and as high: so that parts drawn so
// can stand beside one another at one scale.
func FrontOptions(m *mesh.Mesh) Options {
	const longest, flat = 360, 0.35
	size := m.Bounds().Size()
	opt := Options{Whole: true}
	high := size.Z
	if size.Z < flat*size.Y {
		opt.Elevation, high = 90, size.Y
	}
	scale := longest / max(size.X, high, 1e-12)
	opt.Width, opt.Height = max(int(math.Round(scale*size.X)), 2), max(int(math.Round(scale*high)), 2)
	return opt
}

// Paint of the three kinds of surface: front, back, and marked by a finding.
var (
	frontPaint  = [3]float64{168, 186, 190}
	backPaint   = [3]float64{196, 96, 58}
	markedPaint = [3]float64{214, 40, 96}
)

const oversample = 2

// Draw renders the mesh on a transparent ground, fitted to the frame.
func Draw(m *mesh.Mesh, opt Options) *image.NRGBA {
	c := newCanvas(m, opt)
	marked := make([]bool, len(m.Triangles))
	for _, t := range opt.Marked {
		if int(t) < len(marked) {
			marked[t] = true
		}
	}
	screen := make([]geom.Vec, len(m.Positions))
	for i, p := range m.Positions {
		screen[i] = c.project(p)
	}
	paint := newSkin(m)
	for t, v := range m.Triangles {
		var skin *skin
		if paint.painted(t) && !marked[t] {
			skin = paint
		}
		c.triangle(screen[v[0]], screen[v[1]], screen[v[2]], marked[t], skin, t)
	}
	return c.shrink()
}

// WritePNG draws the mesh and writes it as PNG.
func WritePNG(w io.Writer, m *mesh.Mesh, opt Options) error {
	return (&png.Encoder{CompressionLevel: png.BestSpeed}).Encode(w, Draw(m, opt))
}

type canvas struct {
	w, h            int
	right, up, back geom.Vec // the camera's axes; back points to the viewer
	centre          geom.Vec
	scale           float64
	depth           []float32
	colour          []color.NRGBA
}

func newCanvas(m *mesh.Mesh, opt Options) *canvas {
	c := &canvas{w: opt.Width * oversample, h: opt.Height * oversample}
	sa, ca := math.Sincos(opt.Azimuth * math.Pi / 180)
	se, ce := math.Sincos(opt.Elevation * math.Pi / 180)
	c.right = geom.Vec{X: ca, Y: sa}
	c.back = geom.Vec{X: sa * ce, Y: -ca * ce, Z: se}
	c.up = c.back.Cross(c.right)
	// Fit the part as the camera sees it, not its box: thin parts fill the frame too.
	box := geom.EmptyBox()
	for _, t := range m.Triangles {
		for _, v := range t {
			p := m.Positions[v]
			box = box.Extend(geom.Vec{X: p.Dot(c.right), Y: p.Dot(c.up), Z: p.Dot(c.back)})
		}
	}
	mid, size := box.Centre(), box.Size()
	c.centre = c.right.Scale(mid.X).Add(c.up.Scale(mid.Y)).Add(c.back.Scale(mid.Z))
	fill := 0.92
	if opt.Whole {
		fill = 1
	}
	c.scale = fill * min(float64(c.w)/max(size.X, 1e-12), float64(c.h)/max(size.Y, 1e-12))
	c.depth = make([]float32, c.w*c.h)
	for i := range c.depth {
		c.depth[i] = float32(math.Inf(-1))
	}
	c.colour = make([]color.NRGBA, c.w*c.h)
	return c
}

// project gives x and y in pixels and z towards the viewer, in the same scale.
func (c *canvas) project(p geom.Vec) geom.Vec {
	d := p.Sub(c.centre)
	return geom.Vec{
		X: float64(c.w)/2 + d.Dot(c.right)*c.scale,
		Y: float64(c.h)/2 - d.Dot(c.up)*c.scale,
		Z: d.Dot(c.back) * c.scale,
	}
}

// triangle draws triangle t of a mesh, in one paint, or painted as skin says.
func (c *canvas) triangle(a, b, d geom.Vec, marked bool, skin *skin, t int) {
	n := b.Sub(a).Cross(d.Sub(a)) // y runs down: a front has negative z here
	if n.Z == 0 {
		return
	}
	base, light := c.shade(n, marked)
	if n.Z > 0 {
		skin = nil // backs stay backs
	}
	paint := lit(base, light)
	x0, x1 := max(int(math.Ceil(min(a.X, b.X, d.X)-0.5)), 0), min(int(math.Floor(max(a.X, b.X, d.X)-0.5)), c.w-1)
	y0, y1 := max(int(math.Ceil(min(a.Y, b.Y, d.Y)-0.5)), 0), min(int(math.Floor(max(a.Y, b.Y, d.Y)-0.5)), c.h-1)
	if x0 > x1 || y0 > y1 {
		return
	}
	slopeX, slopeY := -n.X/n.Z, -n.Y/n.Z
	area := n.Z
	for y := y0; y <= y1; y++ {
		py := float64(y) + 0.5
		for x := x0; x <= x1; x++ {
			px := float64(x) + 0.5
			u := (b.X-a.X)*(py-a.Y) - (b.Y-a.Y)*(px-a.X)
			v := (d.X-b.X)*(py-b.Y) - (d.Y-b.Y)*(px-b.X)
			w := (a.X-d.X)*(py-d.Y) - (a.Y-d.Y)*(px-d.X)
			if area > 0 && (u < 0 || v < 0 || w < 0) || area < 0 && (u > 0 || v > 0 || w > 0) {
				continue
			}
			z := float32(a.Z + slopeX*(px-a.X) + slopeY*(py-a.Y))
			if i := y*c.w + x; z > c.depth[i] {
				if skin != nil {
					paint = lit(skin.at(t, [3]float64{v / area, w / area, u / area}), light)
				}
				c.depth[i], c.colour[i] = z, paint
			}
		}
	}
}

// shade gives a triangle's paint and lights it from the upper left, with some
// light from the viewer and from below so that no side is black.
func (c *canvas) shade(n geom.Vec, marked bool) (base [3]float64, light float64) {
	n = geom.Vec{X: -n.X, Y: n.Y, Z: -n.Z}.Unit() // from the screen, where y runs down, to the camera's axes
	base = frontPaint
	if n.Z < 0 {
		base, n = backPaint, n.Scale(-1)
	}
	if marked {
		base = markedPaint
	}
	key := max(0, n.Dot(geom.Vec{X: -0.45, Y: 0.65, Z: 0.61}))
	fill := max(0, n.Dot(geom.Vec{X: 0.7, Y: -0.2, Z: 0.68}))
	return base, 0.28 + 0.68*key + 0.18*fill
}

func lit(base [3]float64, light float64) color.NRGBA {
	channel := func(x float64) uint8 { return uint8(min(255, math.Round(x*light*1.12))) }
	return color.NRGBA{channel(base[0]), channel(base[1]), channel(base[2]), 255}
}

// shrink averages oversample² pixels into one, weighing colour by coverage.
func (c *canvas) shrink() *image.NRGBA {
	out := image.NewNRGBA(image.Rect(0, 0, c.w/oversample, c.h/oversample))
	for y := range c.h / oversample {
		for x := range c.w / oversample {
			var r, g, b, n int
			for dy := range oversample {
				for dx := range oversample {
					if p := c.colour[(y*oversample+dy)*c.w+x*oversample+dx]; p.A > 0 {
						r, g, b, n = r+int(p.R), g+int(p.G), b+int(p.B), n+1
					}
				}
			}
			if n > 0 {
				out.SetNRGBA(x, y, color.NRGBA{uint8(r / n), uint8(g / n), uint8(b / n), uint8(255 * n / (oversample * oversample))})
			}
		}
	}
	return out
}
