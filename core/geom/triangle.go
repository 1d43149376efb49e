package geom

import "math"

// Triangles are closed: their edges and corners belong to them. The tests in
// this file want triangles with area, and are exact.
//
// Their idea: two triangles meet when an edge of one meets the other, and a
// segment's end points lie on the two sides of a plane or on it; so everything
// comes down to Orient3D, and to Orient2D where all lies in one plane. Before
// that stand cheap tests that tell most pairs apart.

// Plane is a triangle's plane with what its float64 side test needs: the
// normal, not normalised, and a bound on its rounding.
type Plane struct {
	a, b, c Vec
	n       Vec
	bound   float64 // times the largest difference of a point's coordinates from a's
}

// NewPlane is the plane of the triangle a, b, c.
func NewPlane(a, b, c Vec) Plane {
	u, v := b.Sub(a), c.Sub(a)
	n := Vec{
		float64(u.Y*v.Z) - float64(u.Z*v.Y),
		float64(u.Z*v.X) - float64(u.X*v.Z),
		float64(u.X*v.Y) - float64(u.Y*v.X),
	}
	// The bound of Orient3D, its sum of absolute values taken for its largest
	// possible value, six products of the largest differences.
	return Plane{a, b, c, n, 6.1 * bound3 * u.largest() * v.largest()}
}

func (a Vec) largest() float64 { return max(math.Abs(a.X), math.Abs(a.Y), math.Abs(a.Z)) }

// Side is +1 for points above the plane (where its triangle runs
// anticlockwise), -1 below, 0 on it.
func (p *Plane) Side(d Vec) int {
	if side := p.near(d); side != 0 {
		return side
	}
	return -orient3DExact(p.a, p.b, p.c, d)
}

// near is Side as far as float64 can tell; 0 when it cannot.
func (p *Plane) near(d Vec) int {
	w := d.Sub(p.a)
	s := float64(p.n.X*w.X) + float64(p.n.Y*w.Y) + float64(p.n.Z*w.Z)
	if b := p.bound * w.largest(); b > tiny {
		if s > b {
			return 1
		} else if s < -b {
			return -1
		}
	}
	return 0
}

// outside reports whether an edge of the plane's triangle, seen so that it has
// area, has all three corners of another triangle strictly on its outer side:
// then the two have no point in common.
func (p *Plane) outside(d, e, f Vec) bool {
	k, turn := p.view()
	corner := [4]Vec{p.a, p.b, p.c, p.a}
	for i := range 3 {
		a, b := corner[i], corner[i+1]
		if k.side(a, b, d)*turn < 0 && k.side(a, b, e)*turn < 0 && k.side(a, b, f)*turn < 0 {
			return true
		}
	}
	return false
}

// view drops one coordinate.
type view int

func (k view) of(v Vec) (x, y float64) {
	switch k {
	case 0:
		return v.Y, v.Z
	case 1:
		return v.Z, v.X
	}
	return v.X, v.Y
}

// side is Orient2D in that view.
func (k view) side(a, b, c Vec) int {
	ax, ay := k.of(a)
	bx, by := k.of(b)
	cx, cy := k.of(c)
	return Orient2D(ax, ay, bx, by, cx, cy)
}

// view is one in which the plane's triangle has area, with the way it runs there.
func (p *Plane) view() (k view, turn int) {
	x, y, z := math.Abs(p.n.X), math.Abs(p.n.Y), math.Abs(p.n.Z)
	switch {
	case x >= y && x >= z:
		k = 0
	case y >= z:
		k = 1
	default:
		k = 2
	}
	for range 3 { // the longest component may be wrong in a very thin triangle
		if turn = k.side(p.a, p.b, p.c); turn != 0 {
			return k, turn
		}
		k = (k + 1) % 3
	}
	return k, 0
}

// opposite reports whether q lies on the other side of a than b does; the three
// are in line.
func (k view) opposite(a, b, q Vec) bool {
	ax, ay := k.of(a)
	bx, by := k.of(b)
	qx, qy := k.of(q)
	return bx > ax && qx < ax || bx < ax && qx > ax || bx == ax && (by > ay && qy < ay || by < ay && qy > ay)
}

// beyond reports whether, in that view, the line from a to b has the triangle
// that lies on its side s (or in line, before a) apart from the corners d and e.
func (k view) beyond(s int, a, b, d, e Vec) bool {
	sd := s * k.side(a, b, d)
	if sd > 0 || sd == 0 && !k.opposite(a, b, d) {
		return false
	}
	se := s * k.side(a, b, e)
	if se > 0 || se == 0 && !k.opposite(a, b, e) {
		return false
	}
	return sd != 0 || se != 0
}

// FoldAtEdge reports whether two triangles that share the edge from a to b,
// with the third corners c and d, meet in more than that edge: they lie in one
// plane, on the same side of the edge.
func FoldAtEdge(a, b, c, d Vec) bool {
	p := NewPlane(a, b, c)
	if p.near(d) != 0 {
		return false
	}
	k, turn := p.view()
	return k.side(a, b, d) == turn && p.Side(d) == 0
}

// MeetAtCorner reports whether the triangles a, b, c and a, d, e, which share
// their first corner, meet in more than that.
func MeetAtCorner(a, b, c, d, e Vec) bool {
	p := NewPlane(a, b, c)
	if p.near(d)*p.near(e) > 0 {
		return false
	}
	// Seen so that the first has area: when the other lies beyond one of the two
	// edges at a, only a is shared.
	k, turn := p.view()
	if k.beyond(turn, a, b, d, e) || k.beyond(-turn, a, c, d, e) {
		return false
	}
	if other := k.side(a, d, e); other != 0 && (k.beyond(other, a, d, b, c) || k.beyond(-other, a, e, b, c)) {
		return false
	}
	sd, se := p.Side(d), p.Side(e)
	if sd*se > 0 {
		return false
	}
	q := NewPlane(a, d, e)
	sb, sc := q.Side(b), q.Side(c)
	if sb*sc > 0 {
		return false
	}
	// What they share is convex and contains a. When there is more, it reaches
	// the edge opposite of a in one of the two.
	return p.crossed(sd, se, d, e) || q.crossed(sb, sc, b, c)
}

// Meet reports whether the triangles a, b, c and d, e, f have a point in common.
func Meet(a, b, c, d, e, f Vec) bool {
	p := NewPlane(a, b, c)
	if near := p.near(d); near != 0 && near == p.near(e) && near == p.near(f) {
		return false
	}
	q := NewPlane(d, e, f)
	if near := q.near(a); near != 0 && near == q.near(b) && near == q.near(c) {
		return false
	}
	// Neighbours in a plane mostly have an edge that, seen from the side where
	// its triangle has area, leaves the other triangle outside.
	if p.outside(d, e, f) || q.outside(a, b, c) {
		return false
	}
	sd, se, sf := p.Side(d), p.Side(e), p.Side(f)
	if sd == se && se == sf && sd != 0 {
		return false
	}
	sa, sb, sc := q.Side(a), q.Side(b), q.Side(c)
	if sa == sb && sb == sc && sa != 0 {
		return false
	}
	return p.crossed(sd, se, d, e) || p.crossed(se, sf, e, f) || p.crossed(sf, sd, f, d) ||
		q.crossed(sa, sb, a, b) || q.crossed(sb, sc, b, c) || q.crossed(sc, sa, c, a)
}

// crossed reports whether the segment from x to y, whose ends lie on those
// sides of the plane, meets the plane's triangle.
func (p *Plane) crossed(sx, sy int, x, y Vec) bool {
	if sx*sy > 0 {
		return false
	}
	if sx == 0 && sy == 0 {
		return p.crossedFlat(x, y)
	}
	// The line through x and y meets the triangle when it passes its edges on one side.
	s, t := Orient3D(x, y, p.a, p.b), Orient3D(x, y, p.b, p.c)
	if s*t < 0 {
		return false
	}
	u := Orient3D(x, y, p.c, p.a)
	return s*u >= 0 && t*u >= 0
}

// crossedFlat is crossed for a segment in the plane.
func (p *Plane) crossedFlat(x, y Vec) bool {
	k, turn := p.view()
	corner := [3]Vec{p.a, p.b, p.c}
	inX, inY := true, true
	for i, a := range corner {
		b := corner[(i+1)%3]
		sx, sy := k.side(a, b, x)*turn, k.side(a, b, y)*turn
		if sx < 0 && sy < 0 {
			return false // all of it is outside of this edge
		}
		inX, inY = inX && sx >= 0, inY && sy >= 0
	}
	if inX || inY {
		return true
	}
	// Both ends are outside and no edge has both outside: the segment passes through
	// exactly when the corners are not all strictly on one side of its line.
	s, t, u := k.side(x, y, corner[0]), k.side(x, y, corner[1]), k.side(x, y, corner[2])
	return !(s == t && t == u)
}
