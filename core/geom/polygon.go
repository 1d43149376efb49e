package geom

import (
	"cmp"
	"math"
	"slices"
)

// PolygonNormal is the polygon's area-weighted normal by Newell's method
// (twice the area long); exact planarity is not needed.
func PolygonNormal(points []Vec) Vec {
	var n Vec
	o := points[0]
	for i := range points {
		p, q := points[i].Sub(o), points[(i+1)%len(points)].Sub(o)
		n = n.Add(p.Cross(q))
	}
	return n
}

// Flatten drops the coordinate along which the polygon's normal is longest and
// returns flat x, y pairs in which the polygon runs anticlockwise. Dropping a
// coordinate, instead of turning the plane, keeps the numbers exact.
func Flatten(points []Vec) [][2]float64 { return FlattenAlong(PolygonNormal(points), points) }

// FlattenAlong is Flatten for points of the plane with that normal.
func FlattenAlong(n Vec, points []Vec) [][2]float64 {
	kept, positive := func(p Vec) [2]float64 { return [2]float64{p.X, p.Y} }, n.Z > 0
	if math.Abs(n.X) >= math.Abs(n.Y) && math.Abs(n.X) >= math.Abs(n.Z) {
		kept, positive = func(p Vec) [2]float64 { return [2]float64{p.Y, p.Z} }, n.X > 0
	} else if math.Abs(n.Y) >= math.Abs(n.Z) {
		kept, positive = func(p Vec) [2]float64 { return [2]float64{p.Z, p.X} }, n.Y > 0
	}
	flat := make([][2]float64, len(points))
	for i, p := range points {
		q := kept(p)
		if !positive {
			q[0] = -q[0]
		}
		flat[i] = q
	}
	return flat
}

// Bridge makes one polygon of an outline, anticlockwise, and the holes in it,
// clockwise, which do not touch: each hole is joined by a double edge to the
// nearest point that its rightmost point sees, the hole furthest right first.
// The result names corners by their index in the outline followed by the holes,
// some of them twice; Triangulate takes it. It returns false when a hole sees
// nothing, and so is not in the outline. Cost O(n²).
func Bridge(outline [][2]float64, holes [][][2]float64) ([]int32, bool) {
	points := append([][2]float64(nil), outline...)
	polygon := make([]int32, len(outline))
	for i := range polygon {
		polygon[i] = int32(i)
	}
	var begins, starts []int // of each hole among the points: its first, and its rightmost
	for _, hole := range holes {
		right := 0
		for i := range hole {
			if hole[i][0] > hole[right][0] {
				right = i
			}
		}
		begins, starts = append(begins, len(points)), append(starts, len(points)+right)
		points = append(points, hole...)
	}
	order := make([]int, len(holes))
	for h := range order {
		order[h] = h
	}
	slices.SortStableFunc(order, func(g, h int) int { return cmp.Compare(points[starts[h]][0], points[starts[g]][0]) })
	for _, h := range order {
		from := points[starts[h]]
		to, nearest := -1, math.Inf(1)
		for i, k := range polygon {
			p := points[k]
			if d := math.Hypot(p[0]-from[0], p[1]-from[1]); d < nearest && p[0] >= from[0] && sees(points, polygon, from, p) {
				to, nearest = i, d
			}
		}
		if to < 0 {
			return nil, false
		}
		joined := append([]int32(nil), polygon[:to+1]...)
		n := len(holes[h])
		for i := range n + 1 {
			joined = append(joined, int32(begins[h]+(starts[h]-begins[h]+i)%n))
		}
		polygon = append(joined, polygon[to:]...)
	}
	return polygon, true
}

// sees reports whether no edge of the polygon lies between a and b.
func sees(points [][2]float64, polygon []int32, a, b [2]float64) bool {
	side := func(p, q, r [2]float64) int { return Orient2D(p[0], p[1], q[0], q[1], r[0], r[1]) }
	for i := range polygon {
		p, q := points[polygon[i]], points[polygon[(i+1)%len(polygon)]]
		if p == b || q == b || p == a || q == a {
			continue
		}
		if side(a, b, p)*side(a, b, q) <= 0 && side(p, q, a)*side(p, q, b) <= 0 {
			return false
		}
	}
	return true
}

// Within reports whether a point lies inside a simple polygon or on its border.
// Exact.
func Within(p [2]float64, polygon [][2]float64) bool {
	inside := false
	for i, a := range polygon {
		b := polygon[(i+1)%len(polygon)]
		turn := Orient2D(a[0], a[1], b[0], b[1], p[0], p[1])
		if turn == 0 && min(a[0], b[0]) <= p[0] && p[0] <= max(a[0], b[0]) && min(a[1], b[1]) <= p[1] && p[1] <= max(a[1], b[1]) {
			return true
		}
		if (a[1] > p[1]) != (b[1] > p[1]) && (turn > 0) == (b[1] > a[1]) {
			inside = !inside
		}
	}
	return inside
}

// Triangulate cuts a simple polygon given anticlockwise into len-2 triangles of
// its corners (indices into the polygon) by clipping ears, in exact arithmetic.
// allowed, when not nil, can forbid a diagonal between two corners. It returns
// false when no ear is left: the polygon crosses itself, has no area, or needs
// a forbidden diagonal.
//
// Idea: a corner is an ear when it is convex and no reflex corner lies in its
// triangle (Meisters 1975). Among the ears the one with the shortest diagonal
// goes first, which keeps the triangles compact. Cost O(n·r) tests for r reflex
// corners, plus O(n²) comparisons of lengths in the worst case.
func Triangulate(flat [][2]float64, allowed func(i, j int) bool) ([][3]int32, bool) {
	n := len(flat)
	if n < 3 {
		return nil, false
	}
	c := clipper{flat: flat, prev: make([]int32, n), next: make([]int32, n), state: make([]cornerState, n), allowed: allowed}
	for i := range n {
		c.prev[i], c.next[i] = int32((i+n-1)%n), int32((i+1)%n)
	}
	for i := range n {
		c.reflex = append(c.reflex, int32(i))
	}
	c.dropConvex()
	triangles := make([][3]int32, 0, n-2)
	for left := n; left > 3; left-- {
		ear := c.bestEar(left)
		if ear < 0 {
			return nil, false
		}
		p, q := c.prev[ear], c.next[ear]
		triangles = append(triangles, [3]int32{p, ear, q})
		c.next[p], c.prev[q] = q, p
		c.state[ear], c.state[p], c.state[q] = gone, unknown, unknown
		c.start = q
		c.dropConvex()
	}
	i := c.start
	if c.turn(i) <= 0 {
		return nil, false
	}
	return append(triangles, [3]int32{c.prev[i], i, c.next[i]}), true
}

type cornerState uint8

const (
	unknown cornerState = iota
	isEar
	notEar
	gone
)

type clipper struct {
	flat       [][2]float64
	prev, next []int32
	state      []cornerState
	reflex     []int32 // corners that were not strictly convex when last looked at
	start      int32
	allowed    func(i, j int) bool
}

// turn is +1 at a convex corner, -1 at a reflex one, 0 at a straight one.
func (c *clipper) turn(i int32) int {
	a, b, d := c.flat[c.prev[i]], c.flat[i], c.flat[c.next[i]]
	return Orient2D(a[0], a[1], b[0], b[1], d[0], d[1])
}

// dropConvex takes the corners that have become convex or are gone off the
// reflex list; a convex corner never turns reflex while ears are clipped.
func (c *clipper) dropConvex() {
	kept := c.reflex[:0]
	for _, i := range c.reflex {
		if c.state[i] != gone && c.turn(i) <= 0 {
			kept = append(kept, i)
		}
	}
	c.reflex = kept
}

// bestEar finds the ear to clip next. Corners once blocked are looked at again
// only when no other ear is left: what blocked them may be gone by then.
func (c *clipper) bestEar(left int) int32 {
	for range 2 {
		best, shortest := int32(-1), math.Inf(1)
		for i, k := c.start, 0; k < left; i, k = c.next[i], k+1 {
			if c.state[i] == unknown {
				c.state[i] = notEar
				if c.isEar(i) {
					c.state[i] = isEar
				}
			}
			if c.state[i] != isEar {
				continue
			}
			a, b := c.flat[c.prev[i]], c.flat[c.next[i]]
			if d := math.Hypot(a[0]-b[0], a[1]-b[1]); d < shortest {
				best, shortest = i, d
			}
			if best >= 0 && k > 512 { // long polygons: the best of a stretch will do
				break
			}
		}
		if best >= 0 {
			return best
		}
		for i := range c.state {
			if c.state[i] == notEar {
				c.state[i] = unknown
			}
		}
	}
	return -1
}

func (c *clipper) isEar(i int32) bool {
	p, q := c.prev[i], c.next[i]
	if c.turn(i) <= 0 || (c.allowed != nil && !c.allowed(int(p), int(q))) {
		return false
	}
	a, b, d := c.flat[p], c.flat[i], c.flat[q]
	for _, r := range c.reflex {
		if r == p || r == i || r == q {
			continue
		}
		x := c.flat[r]
		if Orient2D(a[0], a[1], b[0], b[1], x[0], x[1]) >= 0 &&
			Orient2D(b[0], b[1], d[0], d[1], x[0], x[1]) >= 0 &&
			Orient2D(d[0], d[1], a[0], a[1], x[0], x[1]) >= 0 {
			if x == a || x == b || x == d { // touches itself in a corner: the chain there decides, not the point
				continue
			}
			return false
		}
	}
	return true
}
