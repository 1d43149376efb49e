package measure

import (
	"context"
	"math"

	"veneer/core/geom"
	"veneer/core/spatial"
)

// Overhang is what of a surface faces down more than a process can print
// without support.
type Overhang struct {
	Triangles  []int32 // ascending
	AreaMM2    float64
	SupportMM3 float64 // between it and what lies below, an estimate
}

// Overhangs finds the triangles that lean out over more than that many degrees
// from upright, except those within bed mm of the part's lowest point. The
// support below is estimated from about n samples, each of which looks straight
// down.
func Overhangs(ctx context.Context, tree *spatial.Tree, degrees, bed float64, n int) (Overhang, error) {
	m := tree.Mesh
	lowest := m.Bounds().Min.Z
	steep := math.Sin(degrees * math.Pi / 180)
	var o Overhang
	hangs := make([]bool, len(m.Triangles))
	for t := range int32(len(m.Triangles)) {
		a, b, c := m.Corners(t)
		normal := m.AreaNormal(t)
		area := normal.Length()
		if area == 0 || -normal.Z <= steep*area || max(a.Z, b.Z, c.Z) <= lowest+bed {
			continue
		}
		hangs[t] = true
		o.Triangles = append(o.Triangles, t)
		o.AreaMM2 += area / 2
	}
	if len(o.Triangles) == 0 {
		return o, ctx.Err()
	}
	samples := Samples(m, n, func(t int32) bool { return hangs[t] })
	support := make([]float64, len(samples))
	err := each(ctx, len(samples), func(i int) {
		s := samples[i]
		hit, down := tree.Ray(s.At, geom.Vec{Z: -1}, s.At.Z-lowest+bed, s.Triangle)
		if hit >= 0 && m.AreaNormal(hit).Z < 0 {
			return // it comes out of a solid: the sample lies in it or on it
		}
		down = min(down, s.At.Z-lowest)
		support[i] = -s.Normal.Z * s.AreaMM2 * down
	})
	for _, v := range support {
		o.SupportMM3 += v
	}
	return o, err
}
