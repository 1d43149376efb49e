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
// triangle (Meisters 1975). The ear with the shortest diagonal goes first, which
// keeps the triangles compact, and small: reflex corners lie in a grid, and only
// those near an ear are looked at. Cost O(n log n) where the corners are spread
// evenly; O(n²) at worst.
func Triangulate(flat [][2]float64, allowed func(i, j int) bool) ([][3]int32, bool) {
	n := len(flat)
	if n < 3 {
		return nil, false
	}
	c := &clipper{flat: flat, prev: make([]int32, n), next: make([]int32, n), version: make([]int32, n), allowed: allowed}
	for i := range n {
		c.prev[i], c.next[i] = int32((i+n-1)%n), int32((i+1)%n)
	}
	c.gather()
	for i := range int32(n) {
		c.look(i)
	}
	triangles := make([][3]int32, 0, n-2)
	for left := n; left > 3; left-- {
		ear := c.best()
		if ear < 0 && len(c.blocked) > 0 { // what blocked them may be gone by now
			again := c.blocked
			c.blocked = nil
			slices.Sort(again)
			for _, i := range slices.Compact(again) {
				if c.version[i] >= 0 {
					c.look(i)
				}
			}
			ear = c.best()
		}
		if ear < 0 {
			return nil, false
		}
		p, q := c.prev[ear], c.next[ear]
		triangles = append(triangles, [3]int32{p, ear, q})
		c.next[p], c.prev[q] = q, p
		c.version[ear] = -1
		c.version[p]++
		c.version[q]++
		c.look(p)
		c.look(q)
		c.start = q
	}
	i := c.start
	if c.turn(i) <= 0 {
		return nil, false
	}
	return append(triangles, [3]int32{c.prev[i], i, c.next[i]}), true
}

// clipper is a polygon that loses its ears.
type clipper struct {
	flat       [][2]float64
	prev, next []int32
	version    []int32 // of a corner, counted up when a neighbour goes; -1 once it is clipped
	start      int32
	allowed    func(i, j int) bool
	ears       ears
	blocked    []int32 // convex corners that were no ears when looked at

	// The grid of the corners that were reflex at first: cell k holds
	// in[first[k]:first[k+1]].
	low    [2]float64
	step   float64
	across int
	up     int
	first  []int32
	in     []int32
}

// ear is a corner that can be clipped, as long as its version is that.
type ear struct {
	length  float64 // of its diagonal, squared
	corner  int32
	version int32
}

// ears is a heap, the shortest diagonal first.
type ears []ear

func (e ears) before(i, j int) bool {
	return e[i].length < e[j].length || e[i].length == e[j].length && e[i].corner < e[j].corner
}

func (e *ears) push(x ear) {
	*e = append(*e, x)
	h := *e
	for i := len(h) - 1; i > 0 && h.before(i, (i-1)/2); i = (i - 1) / 2 {
		h[i], h[(i-1)/2] = h[(i-1)/2], h[i]
	}
}

func (e *ears) pop() ear {
	h := *e
	first, last := h[0], len(h)-1
	h[0] = h[last]
	h = h[:last]
	for i := 0; ; {
		least := i
		for k := 2*i + 1; k <= 2*i+2 && k < len(h); k++ {
			if h.before(k, least) {
				least = k
			}
		}
		if least == i {
			break
		}
		h[i], h[least] = h[least], h[i]
		i = least
	}
	*e = h
	return first
}

// turn is +1 at a convex corner, -1 at a reflex one, 0 at a straight one.
func (c *clipper) turn(i int32) int {
	a, b, d := c.flat[c.prev[i]], c.flat[i], c.flat[c.next[i]]
	return Orient2D(a[0], a[1], b[0], b[1], d[0], d[1])
}

// gather puts the reflex corners into the grid. A convex corner never turns
// reflex while ears are clipped.
func (c *clipper) gather() {
	var reflex []int32
	low, high := c.flat[0], c.flat[0]
	for i := range int32(len(c.flat)) {
		p := c.flat[i]
		low, high = [2]float64{min(low[0], p[0]), min(low[1], p[1])}, [2]float64{max(high[0], p[0]), max(high[1], p[1])}
		if c.turn(i) <= 0 {
			reflex = append(reflex, i)
		}
	}
	w, h := high[0]-low[0], high[1]-low[1]
	c.low, c.across, c.up = low, 1, 1
	if cells := float64(len(reflex)); cells > 16 && w > 0 && h > 0 {
		c.step = max(math.Sqrt(w*h/cells), w/4096, h/4096)
		c.across, c.up = int(w/c.step)+1, int(h/c.step)+1
	}
	c.first = make([]int32, c.across*c.up+1)
	for _, i := range reflex {
		x, y := c.cell(c.flat[i])
		c.first[y*c.across+x+1]++
	}
	for k := range c.across * c.up {
		c.first[k+1] += c.first[k]
	}
	at := slices.Clone(c.first)
	c.in = make([]int32, len(reflex))
	for _, i := range reflex {
		x, y := c.cell(c.flat[i])
		c.in[at[y*c.across+x]] = i
		at[y*c.across+x]++
	}
}

func (c *clipper) cell(p [2]float64) (x, y int) {
	if c.step == 0 {
		return 0, 0
	}
	return min(int((p[0]-c.low[0])/c.step), c.across-1), min(int((p[1]-c.low[1])/c.step), c.up-1)
}

// look puts a corner among the ears when it is one.
func (c *clipper) look(i int32) {
	p, q := c.prev[i], c.next[i]
	if c.turn(i) <= 0 {
		return
	}
	if c.allowed != nil && !c.allowed(int(p), int(q)) || c.holds(p, i, q) {
		c.blocked = append(c.blocked, i)
		return
	}
	a, b := c.flat[p], c.flat[q]
	c.ears.push(ear{(a[0]-b[0])*(a[0]-b[0]) + (a[1]-b[1])*(a[1]-b[1]), i, c.version[i]})
}

// best takes the ear to clip next; -1 when there is none.
func (c *clipper) best() int32 {
	for len(c.ears) > 0 {
		e := c.ears.pop()
		if c.version[e.corner] == e.version {
			return e.corner
		}
	}
	return -1
}

// holds reports whether a reflex corner lies in the triangle of three corners or
// on its border.
func (c *clipper) holds(p, i, q int32) bool {
	a, b, d := c.flat[p], c.flat[i], c.flat[q]
	x0, y0 := c.cell([2]float64{min(a[0], b[0], d[0]), min(a[1], b[1], d[1])})
	x1, y1 := c.cell([2]float64{max(a[0], b[0], d[0]), max(a[1], b[1], d[1])})
	for y := y0; y <= y1; y++ {
		for _, r := range c.in[c.first[y*c.across+x0]:c.first[y*c.across+x1+1]] { // cells of a row follow one another
			if r == p || r == i || r == q || c.version[r] < 0 {
				continue
			}
			x := c.flat[r]
			if Orient2D(a[0], a[1], b[0], b[1], x[0], x[1]) >= 0 &&
				Orient2D(b[0], b[1], d[0], d[1], x[0], x[1]) >= 0 &&
				Orient2D(d[0], d[1], a[0], a[1], x[0], x[1]) >= 0 {
				if x == a || x == b || x == d { // touches itself in a corner: the chain there decides, not the point
					continue
				}
				if c.turn(r) <= 0 {
					return true
				}
			}
		}
	}
	return false
}
