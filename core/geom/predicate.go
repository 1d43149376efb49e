package geom

import (
	"math"
	"math/big"
)

// The filters below compare a float64 result with a bound on its error.
// With u = 2⁻⁵³ the bounds (3+16u)u for Orient2D and (7+56u)u for Orient3D,
// each times the same sum with absolute values, are those of Shewchuk,
// "Adaptive Precision Floating-Point Arithmetic and Fast Robust Geometric
// Predicates" (1997), sections 4.1 and 4.2; they hold while nothing underflows.
// Differences are at most 2·MaxCoordinate, so underflow can add no more than
// 6 · 7e38 · 2⁻¹⁰⁷⁴ < 1e-283, which is why sums below tiny go the exact way.
const (
	u      = 1.0 / (1 << 53)
	bound2 = (3 + 16*u) * u
	bound3 = (7 + 56*u) * u
	tiny   = 1e-200
)

// Orient2D tells on which side of the line a→b the point c lies: +1 left
// (a, b, c run anticlockwise), -1 right, 0 on the line. Exact.
func Orient2D(ax, ay, bx, by, cx, cy float64) int {
	l := float64((ax - cx) * (by - cy))
	r := float64((ay - cy) * (bx - cx))
	det := l - r
	sum := math.Abs(l) + math.Abs(r)
	if sum > tiny {
		if b := bound2 * sum; det > b {
			return 1
		} else if det < -b {
			return -1
		}
	}
	return orient2DExact(ax, ay, bx, by, cx, cy)
}

// Orient3D tells on which side of the plane through a, b, c the point d lies:
// +1 when d is below it (a, b, c run anticlockwise seen from above, and d is
// on the other side), -1 above, 0 on it. Exact.
func Orient3D(a, b, c, d Vec) int {
	adx, ady, adz := a.X-d.X, a.Y-d.Y, a.Z-d.Z
	bdx, bdy, bdz := b.X-d.X, b.Y-d.Y, b.Z-d.Z
	cdx, cdy, cdz := c.X-d.X, c.Y-d.Y, c.Z-d.Z
	bc, cb := float64(bdx*cdy), float64(cdx*bdy)
	ca, ac := float64(cdx*ady), float64(adx*cdy)
	ab, ba := float64(adx*bdy), float64(bdx*ady)
	det := float64(adz*(bc-cb)) + float64(bdz*(ca-ac)) + float64(cdz*(ab-ba))
	sum := float64((math.Abs(bc)+math.Abs(cb))*math.Abs(adz)) +
		float64((math.Abs(ca)+math.Abs(ac))*math.Abs(bdz)) +
		float64((math.Abs(ab)+math.Abs(ba))*math.Abs(cdz))
	if sum > tiny {
		if b := bound3 * sum; det > b {
			return 1
		} else if det < -b {
			return -1
		}
	}
	return orient3DExact(a, b, c, d)
}

// Collinear reports whether a, b and c lie on one line, coinciding points
// included: the triangle has exactly zero area. Exact.
func Collinear(a, b, c Vec) bool {
	return Orient2D(a.X, a.Y, b.X, b.Y, c.X, c.Y) == 0 &&
		Orient2D(a.Y, a.Z, b.Y, b.Z, c.Y, c.Z) == 0 &&
		Orient2D(a.Z, a.X, b.Z, b.X, c.Z, c.X) == 0
}

func rat(x float64) *big.Rat { return new(big.Rat).SetFloat64(x) }

func ratSub(x, y float64) *big.Rat { return new(big.Rat).Sub(rat(x), rat(y)) }

func ratMul(x, y *big.Rat) *big.Rat { return new(big.Rat).Mul(x, y) }

func orient2DExact(ax, ay, bx, by, cx, cy float64) int {
	if !coarse(ax) || !coarse(ay) || !coarse(bx) || !coarse(by) || !coarse(cx) || !coarse(cy) {
		return orient2DRational(ax, ay, bx, by, cx, cy)
	}
	var store [4][2]float64
	var det [16]float64
	return minor(det[:0], difference(store[0][:0], ax, cx), difference(store[1][:0], bx, cx),
		difference(store[2][:0], ay, cy), difference(store[3][:0], by, cy)).sign()
}

func orient2DRational(ax, ay, bx, by, cx, cy float64) int {
	return ratMul(ratSub(ax, cx), ratSub(by, cy)).Cmp(ratMul(ratSub(ay, cy), ratSub(bx, cx)))
}

// orient3DExact adds up the determinant as an expansion, or, where a coordinate
// is so small that this could underflow, in rational numbers.
func orient3DExact(a, b, c, d Vec) int {
	if !coarseVec(a) || !coarseVec(b) || !coarseVec(c) || !coarseVec(d) {
		return orient3DRational(a, b, c, d)
	}
	var store [9][2]float64
	adx, ady, adz := difference(store[0][:0], a.X, d.X), difference(store[1][:0], a.Y, d.Y), difference(store[2][:0], a.Z, d.Z)
	bdx, bdy, bdz := difference(store[3][:0], b.X, d.X), difference(store[4][:0], b.Y, d.Y), difference(store[5][:0], b.Z, d.Z)
	cdx, cdy, cdz := difference(store[6][:0], c.X, d.X), difference(store[7][:0], c.Y, d.Y), difference(store[8][:0], c.Z, d.Z)
	var m [16]float64
	var p, q, r [64]float64
	var two [128]float64
	var all [192]float64
	first := product(p[:0], minor(m[:0], bdx, cdx, bdy, cdy), adz)
	second := product(q[:0], minor(m[:0], cdx, adx, cdy, ady), bdz)
	third := product(r[:0], minor(m[:0], adx, bdx, ady, bdy), cdz)
	return plus(all[:0], plus(two[:0], first, second), third).sign()
}

func orient3DRational(a, b, c, d Vec) int {
	adx, ady, adz := ratSub(a.X, d.X), ratSub(a.Y, d.Y), ratSub(a.Z, d.Z)
	bdx, bdy, bdz := ratSub(b.X, d.X), ratSub(b.Y, d.Y), ratSub(b.Z, d.Z)
	cdx, cdy, cdz := ratSub(c.X, d.X), ratSub(c.Y, d.Y), ratSub(c.Z, d.Z)
	minor := func(px, py, qx, qy *big.Rat) *big.Rat {
		return new(big.Rat).Sub(ratMul(px, qy), ratMul(qx, py))
	}
	det := ratMul(adz, minor(bdx, bdy, cdx, cdy))
	det.Add(det, ratMul(bdz, minor(cdx, cdy, adx, ady)))
	det.Add(det, ratMul(cdz, minor(adx, ady, bdx, bdy)))
	return det.Sign()
}
