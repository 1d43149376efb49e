// Package geomtest is the oracle that tests hold the exact predicates against:
// the same questions answered the slow and plain way, in rational numbers.
package geomtest

import (
	"math/big"
	"slices"

	"veneer/core/geom"
)

type point [3]*big.Rat

func rational(v geom.Vec) (p point) {
	for i, x := range v.Array() {
		p[i] = new(big.Rat).SetFloat64(x)
	}
	return p
}

func (p point) minus(q point) (d point) {
	for i := range p {
		d[i] = new(big.Rat).Sub(p[i], q[i])
	}
	return d
}

func (p point) dot(q point) *big.Rat {
	sum := new(big.Rat)
	for i := range p {
		sum.Add(sum, new(big.Rat).Mul(p[i], q[i]))
	}
	return sum
}

func (p point) cross(q point) (c point) {
	for i := range p {
		j, k := (i+1)%3, (i+2)%3
		c[i] = new(big.Rat).Sub(new(big.Rat).Mul(p[j], q[k]), new(big.Rat).Mul(p[k], q[j]))
	}
	return c
}

func (p point) zero() bool { return p[0].Sign() == 0 && p[1].Sign() == 0 && p[2].Sign() == 0 }

// clip keeps what of a convex polygon lies where n·(p - at) is not negative.
func clip(polygon []point, n, at point) (kept []point) {
	for i, p := range polygon {
		q := polygon[(i+1)%len(polygon)]
		dp, dq := n.dot(p.minus(at)), n.dot(q.minus(at))
		if dp.Sign() >= 0 {
			kept = append(kept, p)
		}
		if dp.Sign()*dq.Sign() < 0 {
			share := new(big.Rat).Quo(dp, new(big.Rat).Sub(dp, dq))
			var cut point
			for k := range cut {
				cut[k] = new(big.Rat).Sub(q[k], p[k])
				cut[k].Mul(cut[k], share).Add(cut[k], p[k])
			}
			kept = append(kept, cut)
		}
	}
	return kept
}

// common is the corners of the polygon that two triangles have in common; it may
// be a segment or a point, or empty.
func common(t, u [3]point) []point {
	n := u[1].minus(u[0]).cross(u[2].minus(u[0]))
	polygon := clip(clip(t[:], n, u[0]), origin.minus(n), u[0])
	for i := range u {
		polygon = clip(polygon, n.cross(u[(i+1)%3].minus(u[i])), u[i])
	}
	return polygon
}

var origin = rational(geom.Vec{})

// Meet reports whether two triangles with area, given by the numbers of their
// corners, have more in common than the corners, edge or triangle that bear the
// same numbers.
func Meet(positions []geom.Vec, t, u [3]int32) bool {
	var p, q [3]point
	var shared []point
	for i := range 3 {
		p[i], q[i] = rational(positions[t[i]]), rational(positions[u[i]])
		if slices.Contains(u[:], t[i]) {
			shared = append(shared, p[i])
		}
	}
	if len(shared) == 3 {
		return true // the same triangle twice
	}
	for _, x := range common(p, q) {
		switch len(shared) {
		case 0:
			return true
		case 1:
			if !x.minus(shared[0]).zero() {
				return true
			}
		case 2: // triangles with area share no more of the edge's line than the edge
			if !x.minus(shared[0]).cross(shared[1].minus(shared[0])).zero() {
				return true
			}
		}
	}
	return false
}
