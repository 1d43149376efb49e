package recast

import "veneer/core/geom"

// quadric is the squared distances from planes, added up: what a point in a cell
// should have little of (Ju, Losasso, Schaefer, Warren, "Dual Contouring of
// Hermite Data", 2002, section 2.3). Points are relative to the cell's low corner,
// in cells.
type quadric struct {
	a      [6]float64 // xx xy xz yy yz zz
	b      [3]float64
	mean   [3]float64 // of the crossings, once divided by their number
	planes int
	points int
}

// add counts a crossing, and the plane through the point on the surface nearby
// unless the surface there is not known.
func (q *quadric) add(p, on [3]float64, n geom.Vec, known bool) {
	q.points++
	for k := range 3 {
		q.mean[k] += p[k]
	}
	if !known {
		return
	}
	q.planes++
	d := n.X*on[0] + n.Y*on[1] + n.Z*on[2]
	q.a[0] += n.X * n.X
	q.a[1] += n.X * n.Y
	q.a[2] += n.X * n.Z
	q.a[3] += n.Y * n.Y
	q.a[4] += n.Y * n.Z
	q.a[5] += n.Z * n.Z
	q.b[0] += n.X * d
	q.b[1] += n.Y * d
	q.b[2] += n.Z * d
}

const (
	inset = 1.0 / 128 // how far from a cell's faces its point stays, in cells
	weak  = 0.02      // planes that differ by less than this, as a share of the strongest direction, bound no edge
	pull  = 1e-3      // how much the mean counts when the best point lies outside the cell
)

// best is the point in the cell that is nearest to all planes, and nearest to the
// mean of the points where the planes leave it free.
func (q *quadric) best() (p [3]float64) {
	var m [3]float64
	for k := range 3 {
		m[k] = q.mean[k] / float64(q.points)
	}
	// The residue at the mean, solved along the strong directions only.
	r := geom.Vec{
		X: q.b[0] - (q.a[0]*m[0] + q.a[1]*m[1] + q.a[2]*m[2]),
		Y: q.b[1] - (q.a[1]*m[0] + q.a[3]*m[1] + q.a[4]*m[2]),
		Z: q.b[2] - (q.a[2]*m[0] + q.a[4]*m[1] + q.a[5]*m[2]),
	}
	step, _ := geom.LeastSquares(q.a, r, weak)
	leaves := false
	for k := range 3 {
		p[k] = m[k] + step.Array()[k]
		leaves = leaves || p[k] < inset || p[k] > 1-inset
	}
	if !leaves {
		return p
	}
	// Outside: the best point of the cell, one coordinate after the other.
	w := pull * float64(max(q.planes, 1))
	for k := range 3 {
		p[k] = min(max(m[k], inset), 1-inset)
	}
	at := [3][3]int{{0, 1, 2}, {1, 3, 4}, {2, 4, 5}}
	for range 24 {
		for k := range 3 {
			s := q.b[k] + w*m[k]
			for o := range 3 {
				if o != k {
					s -= q.a[at[k][o]] * p[o]
				}
			}
			p[k] = min(max(s/(q.a[at[k][k]]+w), inset), 1-inset)
		}
	}
	return p
}

// middle is the mean of the crossings.
func (q *quadric) middle() (p [3]float64) {
	for k := range 3 {
		p[k] = q.mean[k] / float64(q.points)
	}
	return p
}
