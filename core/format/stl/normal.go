package stl

import (
	"encoding/binary"
	"math"

	"veneer/core/geom"
)

// against reports whether a stored normal contradicts a facet's corners: it
// points more than a right angle away from the normal that they give, by more
// than rounding can explain. A stored normal of zero says nothing.
func against(stored, a, b, c geom.Vec) bool {
	n := b.Sub(a).Cross(c.Sub(a))
	d := stored.Dot(n)
	return d < 0 && d*d > 1e-6*stored.Dot(stored)*n.Dot(n)
}

// contradicts looks at the normal and corners of a record.
func contradicts(r []byte) bool {
	at := func(i int) geom.Vec {
		f := func(i int) float64 { return float64(math.Float32frombits(binary.LittleEndian.Uint32(r[i:]))) }
		return geom.Vec{X: f(i), Y: f(i + 4), Z: f(i + 8)}
	}
	return against(at(0), at(12), at(24), at(36))
}
