// Package geom holds the small geometry everything else stands on: vectors,
// boxes, and the yes/no questions (which side, is it flat, is it an ear) that
// are answered exactly.
//
// The idea: constructions may round, decisions may not. Every predicate first
// tries plain float64 with a proved error bound and falls back to exact
// arithmetic when the bound cannot tell. Coordinates are finite and at most
// MaxCoordinate in magnitude; the readers see to that, and the bounds rely on
// it (no product of three differences overflows).
package geom

import "math"

// MaxCoordinate is the largest magnitude a coordinate may have: the range of
// float32, in which revisions are stored.
const MaxCoordinate = math.MaxFloat32

// Vec is a point or a direction in space, in mm unless a caller says otherwise.
type Vec struct{ X, Y, Z float64 }

func (a Vec) Add(b Vec) Vec             { return Vec{a.X + b.X, a.Y + b.Y, a.Z + b.Z} }
func (a Vec) Sub(b Vec) Vec             { return Vec{a.X - b.X, a.Y - b.Y, a.Z - b.Z} }
func (a Vec) Scale(s float64) Vec       { return Vec{a.X * s, a.Y * s, a.Z * s} }
func (a Vec) Dot(b Vec) float64         { return a.X*b.X + a.Y*b.Y + a.Z*b.Z }
func (a Vec) Length() float64           { return math.Sqrt(a.Dot(a)) }
func (a Vec) Distance(b Vec) float64    { return a.Sub(b).Length() }
func (a Vec) Array() [3]float64         { return [3]float64{a.X, a.Y, a.Z} }
func (a Vec) Lerp(b Vec, t float64) Vec { return a.Add(b.Sub(a).Scale(t)) }

// Cross is the cross product.
func (a Vec) Cross(b Vec) Vec {
	return Vec{a.Y*b.Z - a.Z*b.Y, a.Z*b.X - a.X*b.Z, a.X*b.Y - a.Y*b.X}
}

// Unit is a scaled to length 1; the zero vector stays as it is.
func (a Vec) Unit() Vec {
	if l := a.Length(); l > 0 {
		return a.Scale(1 / l)
	}
	return a
}

// Single rounds every coordinate to float32, as revisions are stored.
func (a Vec) Single() Vec {
	return Vec{float64(float32(a.X)), float64(float32(a.Y)), float64(float32(a.Z))}
}

// Finite reports whether all coordinates are numbers within MaxCoordinate.
func (a Vec) Finite() bool {
	return math.Abs(a.X) <= MaxCoordinate && math.Abs(a.Y) <= MaxCoordinate && math.Abs(a.Z) <= MaxCoordinate
}

// Box is an axis-parallel box. The zero value is a box at the origin; use
// EmptyBox to gather points.
type Box struct{ Min, Max Vec }

// EmptyBox contains nothing; extending it by a point gives that point.
func EmptyBox() Box {
	inf := math.Inf(1)
	return Box{Vec{inf, inf, inf}, Vec{-inf, -inf, -inf}}
}

// Empty reports whether the box contains no point.
func (b Box) Empty() bool { return b.Min.X > b.Max.X }

// Extend returns the smallest box that also contains p.
func (b Box) Extend(p Vec) Box {
	return Box{
		Vec{min(b.Min.X, p.X), min(b.Min.Y, p.Y), min(b.Min.Z, p.Z)},
		Vec{max(b.Max.X, p.X), max(b.Max.Y, p.Y), max(b.Max.Z, p.Z)},
	}
}

// Union returns the smallest box that contains both.
func (b Box) Union(c Box) Box {
	if c.Empty() {
		return b
	}
	return b.Extend(c.Min).Extend(c.Max)
}

// Grow is the box with so much more on all sides.
func (b Box) Grow(by float64) Box {
	d := Vec{by, by, by}
	return Box{b.Min.Sub(d), b.Max.Add(d)}
}

// Overlaps reports whether two boxes have a point in common.
func (b Box) Overlaps(c Box) bool {
	return b.Min.X <= c.Max.X && c.Min.X <= b.Max.X && b.Min.Y <= c.Max.Y && c.Min.Y <= b.Max.Y && b.Min.Z <= c.Max.Z && c.Min.Z <= b.Max.Z
}

// Intersect is what two boxes have in common; empty when that is nothing.
func (b Box) Intersect(c Box) Box {
	b.Min = Vec{max(b.Min.X, c.Min.X), max(b.Min.Y, c.Min.Y), max(b.Min.Z, c.Min.Z)}
	b.Max = Vec{min(b.Max.X, c.Max.X), min(b.Max.Y, c.Max.Y), min(b.Max.Z, c.Max.Z)}
	if b.Min.X > b.Max.X || b.Min.Y > b.Max.Y || b.Min.Z > b.Max.Z {
		return EmptyBox()
	}
	return b
}

// Size is the box's extent along the three axes; zero for an empty box.
func (b Box) Size() Vec {
	if b.Empty() {
		return Vec{}
	}
	return b.Max.Sub(b.Min)
}

// Centre is the middle of the box; the origin for an empty box.
func (b Box) Centre() Vec {
	if b.Empty() {
		return Vec{}
	}
	return b.Min.Add(b.Max).Scale(0.5)
}

// Contains reports whether c lies in b, borders included.
func (b Box) Contains(c Box) bool {
	return b.Min.X <= c.Min.X && b.Min.Y <= c.Min.Y && b.Min.Z <= c.Min.Z &&
		b.Max.X >= c.Max.X && b.Max.Y >= c.Max.Y && b.Max.Z >= c.Max.Z
}

// Matrix is an affine map in row-vector form, as 3MF writes it: a point p
// becomes p·L + T, where L is the first nine numbers row by row and T the last
// three.
type Matrix [12]float64

// Identity maps every point to itself.
var Identity = Matrix{1, 0, 0, 0, 1, 0, 0, 0, 1, 0, 0, 0}

// Apply maps the point p.
func (m Matrix) Apply(p Vec) Vec {
	return Vec{
		p.X*m[0] + p.Y*m[3] + p.Z*m[6] + m[9],
		p.X*m[1] + p.Y*m[4] + p.Z*m[7] + m[10],
		p.X*m[2] + p.Y*m[5] + p.Z*m[8] + m[11],
	}
}

// Then is the map that applies m first and n after it.
func (m Matrix) Then(n Matrix) Matrix {
	var r Matrix
	for i := range 3 {
		for j := range 3 {
			r[3*i+j] = m[3*i]*n[j] + m[3*i+1]*n[3+j] + m[3*i+2]*n[6+j]
		}
	}
	t := n.Apply(Vec{m[9], m[10], m[11]})
	r[9], r[10], r[11] = t.X, t.Y, t.Z
	return r
}

// Determinant of the linear part; negative when the map mirrors.
func (m Matrix) Determinant() float64 {
	return m[0]*(m[4]*m[8]-m[5]*m[7]) - m[1]*(m[3]*m[8]-m[5]*m[6]) + m[2]*(m[3]*m[7]-m[4]*m[6])
}
