package picture

import (
	"bytes"
	"image"
	_ "image/jpeg" // textures are PNG or JPEG
	"math"

	"veneer/core/mesh"
)

const maxTexels = 1 << 25 // of a texture that is drawn; larger ones are left out

// skin is how a mesh is painted: colours at corners, and textures.
type skin struct {
	mesh     *mesh.Mesh
	textures []image.Image // nil for those that cannot be drawn
}

// newSkin opens the textures of a painted mesh; nil when there is no paint.
func newSkin(m *mesh.Mesh) *skin {
	if m.Colours == nil && m.Covers == nil {
		return nil
	}
	s := &skin{m, make([]image.Image, len(m.Textures))}
	for i, t := range m.Textures {
		size, _, err := image.DecodeConfig(bytes.NewReader(t.Data))
		if err != nil || size.Width <= 0 || size.Height <= 0 || size.Width > maxTexels/size.Height {
			continue
		}
		if picture, _, err := image.Decode(bytes.NewReader(t.Data)); err == nil {
			s.textures[i] = picture
		}
	}
	return s
}

// painted reports whether a triangle has paint of its own.
func (s *skin) painted(t int) bool {
	if s == nil {
		return false
	}
	return s.mesh.Colours != nil && s.mesh.Colours[t] != [3]mesh.Colour{} || s.mesh.Covers != nil && s.mesh.Covers[t].Texture != 0
}

// at is the paint of triangle t where its corners have those weights.
func (s *skin) at(t int, weights [3]float64) [3]float64 {
	paint := [3]float64{255, 255, 255}
	if s.mesh.Colours != nil && s.mesh.Colours[t] != [3]mesh.Colour{} {
		paint = [3]float64{}
		for i, c := range s.mesh.Colours[t] {
			corner := frontPaint
			if c != 0 {
				r, g, b, _ := c.RGBA()
				corner = [3]float64{float64(r), float64(g), float64(b)}
			}
			for k := range paint {
				paint[k] += weights[i] * corner[k]
			}
		}
	}
	if s.mesh.Covers == nil || s.mesh.Covers[t].Texture == 0 {
		return paint
	}
	cover := s.mesh.Covers[t]
	picture := s.textures[cover.Texture-1]
	if picture == nil {
		return paint
	}
	var u, v float64
	for i, at := range cover.At {
		u, v = u+weights[i]*float64(at[0]), v+weights[i]*float64(at[1])
	}
	box := picture.Bounds()
	pick := func(x float64, n int) int { // textures repeat beyond their sides
		if x -= math.Floor(x); !(x >= 0 && x < 1) {
			x = 0
		}
		return min(int(x*float64(n)), n-1)
	}
	r, g, b, _ := picture.At(box.Min.X+pick(u, box.Dx()), box.Min.Y+pick(-v, box.Dy())).RGBA()
	for k, x := range [3]uint32{r, g, b} {
		paint[k] *= float64(x) / 0xffff
	}
	return paint
}
