package decimate

import (
	"math"

	"veneer/core/geom"
	"veneer/core/mesh"
)

// Quadric is the squared distances to planes, added up with weights:
// pᵀAp - 2bᵀp + c, with A symmetric. Coordinates are relative to no origin, so c
// loses digits far away from it; at clamps what falls below 0.
type Quadric struct {
	xx, xy, xz, yy, yz, zz float64
	x, y, z                float64
	c                      float64
	weight                 float64
}

// Plane is the quadric of the plane through p with that unit normal.
func Plane(p, n geom.Vec, w float64) Quadric {
	d := n.Dot(p)
	return Quadric{w * n.X * n.X, w * n.X * n.Y, w * n.X * n.Z, w * n.Y * n.Y, w * n.Y * n.Z, w * n.Z * n.Z, w * d * n.X, w * d * n.Y, w * d * n.Z, w * d * d, w}
}

// planeOf is the quadric of a triangle's plane, weighted by its area.
func planeOf(at []geom.Vec, t mesh.Triangle) Quadric {
	p := at[t[0]]
	n := at[t[1]].Sub(p).Cross(at[t[2]].Sub(p))
	l := n.Length()
	if l == 0 {
		return Quadric{}
	}
	return Plane(p, n.Scale(1/l), l/2)
}

// Add adds another one.
func (q *Quadric) Add(r *Quadric) {
	q.xx += r.xx
	q.xy += r.xy
	q.xz += r.xz
	q.yy += r.yy
	q.yz += r.yz
	q.zz += r.zz
	q.x += r.x
	q.y += r.y
	q.z += r.z
	q.c += r.c
	q.weight += r.weight
}

func (q *Quadric) at(p geom.Vec) float64 {
	e := p.X*(q.xx*p.X+2*(q.xy*p.Y+q.xz*p.Z-q.x)) + p.Y*(q.yy*p.Y+2*(q.yz*p.Z-q.y)) + p.Z*(q.zz*p.Z-2*q.z) + q.c
	return max(e, 0)
}

// best is where the quadric is least, as near to the point m as the planes leave
// it free.
//
// Idea: a little of the distance to m is added, so that there is one answer, and
// the step is taken again from there: what was added then counts for nothing
// where the planes say anything at all.
func (q *Quadric) best(m geom.Vec) geom.Vec {
	e := 1e-4 * (q.xx + q.yy + q.zz)
	xx, yy, zz := q.xx+e, q.yy+e, q.zz+e
	cxx, cxy, cxz := yy*zz-q.yz*q.yz, q.xz*q.yz-q.xy*zz, q.xy*q.yz-q.xz*yy
	cyy, cyz, czz := xx*zz-q.xz*q.xz, q.xy*q.xz-xx*q.yz, xx*yy-q.xy*q.xy
	det := xx*cxx + q.xy*cxy + q.xz*cxz
	if !(math.Abs(det) > 0) {
		return m
	}
	for range 3 {
		rx := q.x - (q.xx*m.X + q.xy*m.Y + q.xz*m.Z)
		ry := q.y - (q.xy*m.X + q.yy*m.Y + q.yz*m.Z)
		rz := q.z - (q.xz*m.X + q.yz*m.Y + q.zz*m.Z)
		m = m.Add(geom.Vec{X: cxx*rx + cxy*ry + cxz*rz, Y: cxy*rx + cyy*ry + cyz*rz, Z: cxz*rx + cyz*ry + czz*rz}.Scale(1 / det))
	}
	return m
}
