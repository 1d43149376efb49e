package geom

import "math"

// An expansion is a sum of float64 numbers of growing magnitude whose bits do
// not overlap; it holds exactly what a chain of additions and products gives.
// The operations are those of Shewchuk, "Adaptive Precision Floating-Point
// Arithmetic and Fast Robust Geometric Predicates" (1997), section 2, with
// zeros left out. They write into the slice that they are given, so nothing is
// allocated, and are exact as long as nothing overflows or underflows.
type expansion []float64

func twoSum(a, b float64) (x, y float64) {
	x = a + b
	bv := x - a
	av := x - bv
	return x, (a - av) + (b - bv)
}

func twoProduct(a, b float64) (x, y float64) {
	x = float64(a * b)
	return x, math.FMA(a, b, -x)
}

// difference is a - b.
func difference(h expansion, a, b float64) expansion {
	x, y := twoSum(a, -b)
	if y != 0 {
		h = append(h, y)
	}
	if x != 0 {
		h = append(h, x)
	}
	return h
}

// plus is e + f, merged by magnitude (fast expansion sum).
func plus(h, e, f expansion) expansion {
	i, j := 0, 0
	next := func() float64 {
		if j == len(f) || i < len(e) && math.Abs(e[i]) < math.Abs(f[j]) {
			i++
			return e[i-1]
		}
		j++
		return f[j-1]
	}
	if len(e)+len(f) == 0 {
		return h
	}
	q := next()
	for i < len(e) || j < len(f) {
		var y float64
		if q, y = twoSum(q, next()); y != 0 {
			h = append(h, y)
		}
	}
	if q != 0 {
		h = append(h, q)
	}
	return h
}

// times is e·b.
func times(h, e expansion, b float64) expansion {
	if len(e) == 0 || b == 0 {
		return h
	}
	q, y := twoProduct(e[0], b)
	if y != 0 {
		h = append(h, y)
	}
	for _, x := range e[1:] {
		p, low := twoProduct(x, b)
		s, y := twoSum(q, low)
		if y != 0 {
			h = append(h, y)
		}
		if q, y = twoSum(p, s); y != 0 {
			h = append(h, y)
		}
	}
	if q != 0 {
		h = append(h, q)
	}
	return h
}

// product is e·f for an f of at most two parts.
func product(h, e, f expansion) expansion {
	switch len(f) {
	case 0:
		return h
	case 1:
		return times(h, e, f[0])
	}
	var low, high [64]float64
	return plus(h, times(low[:0], e, f[0]), times(high[:0], e, f[1]))
}

// minor is a·d - b·c for parts of at most two numbers.
func minor(h, a, b, c, d expansion) expansion {
	var l, r [8]float64
	left, right := product(l[:0], a, d), product(r[:0], b, c)
	for i := range right {
		right[i] = -right[i]
	}
	return plus(h, left, right)
}

func (e expansion) sign() int {
	switch {
	case len(e) == 0:
		return 0
	case e[len(e)-1] > 0:
		return 1
	}
	return -1
}

// coarse reports whether a coordinate is large enough, or 0, for products of
// three differences to be exact: a number of at least 2⁻³⁰⁰ is a multiple of
// 2⁻³⁵², and the cube of that is a float64.
func coarse(x float64) bool { return x == 0 || math.Abs(x) >= 0x1p-300 }

func coarseVec(v Vec) bool { return coarse(v.X) && coarse(v.Y) && coarse(v.Z) }
