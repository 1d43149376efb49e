package measure

import (
	"cmp"
	"context"
	"math"
	"slices"

	"veneer/core/geom"
	"veneer/core/mesh"
)

// Layer is a level cut through a part.
type Layer struct {
	ZMM          float64
	AreaMM2      float64 // within closed contours, holes taken off
	MisfilledMM2 float64 // enclosed twice or more, or backwards, or not closed off; see misfilled
	Against      int     // joints at which lines of opposite directions meet: there a triangle is turned
	Contours     []Contour
}

// Contour is a line in which the surface meets the layer's plane; x and y in
// mm. The solid is on its left, where triangles face outward.
type Contour struct {
	Points [][2]float64 // the first is not repeated at the end
	Closed bool
}

// Open counts the contours that do not close.
func (l Layer) Open() (n int) {
	for _, c := range l.Contours {
		if !c.Closed {
			n++
		}
	}
	return n
}

// AreaMM2 is the area that a closed contour encloses, negative around a hole.
func (c Contour) AreaMM2() (sum float64) {
	if !c.Closed || len(c.Points) == 0 {
		return 0
	}
	o := c.Points[0]
	for i, p := range c.Points {
		q := c.Points[(i+1)%len(c.Points)]
		sum += (p[0]-o[0])*(q[1]-o[1]) - (q[0]-o[0])*(p[1]-o[1])
	}
	return sum / 2
}

// Layers cuts a mesh at the given heights, which ascend.
//
// Idea: a vertex that lies exactly on a plane counts as above it, so every
// triangle that is cut is cut in two edges and gives one segment, and segments
// meet exactly where their edges are the same: whether a contour closes does not
// depend on rounding, only on the edges. Triangles are sorted into the layers
// that they reach by counting; layers are chained side by side. Cost O(t + cut
// triangles · log).
func Layers(ctx context.Context, topo *mesh.Topology, heights []float64) ([]Layer, error) {
	m := topo.Mesh
	reach := func(t int32) (from, to int) { // the layers that cut t
		a, b, c := m.Corners(t)
		low, high := min(a.Z, b.Z, c.Z), max(a.Z, b.Z, c.Z)
		from, _ = slices.BinarySearchFunc(heights, low, func(z, low float64) int { // above low: the lowest vertex is below
			if z > low {
				return 1
			}
			return -1
		})
		to = from
		for to < len(heights) && heights[to] <= high {
			to++
		}
		return from, to
	}
	start := make([]int, len(heights)+1)
	for t := range int32(len(m.Triangles)) {
		if m.RepeatsVertex(t) {
			continue
		}
		from, to := reach(t)
		for k := from; k < to; k++ {
			start[k+1]++
		}
	}
	for k := range heights {
		start[k+1] += start[k]
	}
	cut := make([]int32, start[len(heights)])
	at := slices.Clone(start)
	for t := range int32(len(m.Triangles)) {
		if m.RepeatsVertex(t) {
			continue
		}
		from, to := reach(t)
		for k := from; k < to; k++ {
			cut[at[k]] = t
			at[k]++
		}
	}
	layers := make([]Layer, len(heights))
	err := eachOf(ctx, len(heights), 1, func(k int) { layers[k] = layerOf(topo, heights[k], cut[start[k]:start[k+1]]) })
	return layers, err
}

// end is an end of a segment: in which edge it lies.
type end struct {
	edge int32
	at   int32 // 2·segment, +1 for its last point
}

// layerOf chains the segments of the triangles that one plane cuts.
func layerOf(topo *mesh.Topology, z float64, triangles []int32) Layer {
	l := Layer{ZMM: z}
	if len(triangles) == 0 {
		return l
	}
	points := make([][2]float64, 2*len(triangles)) // segment k runs from 2k to 2k+1
	ends := make([]end, 0, 2*len(triangles))
	for k, t := range triangles {
		for h := 3 * t; h < 3*t+3; h++ {
			a, b := topo.Mesh.Positions[topo.From(h)], topo.Mesh.Positions[topo.To(h)]
			if (a.Z >= z) == (b.Z >= z) {
				continue
			}
			// Seen from above, the solid is left of the way from the edge that comes down
			// to the one that goes up.
			at := int32(2 * k)
			if b.Z >= z {
				at++
			}
			ends = append(ends, end{topo.EdgeOf[h], at})
			points[at] = crossing(a, b, z)
		}
	}
	slices.SortFunc(ends, func(a, b end) int { return cmp.Or(cmp.Compare(a.edge, b.edge), cmp.Compare(a.at, b.at)) })
	other := make([]int32, len(points)) // the end that each end is joined to, -1 for none
	for i := range other {
		other[i] = -1
	}
	for i := 0; i < len(ends); {
		j := i
		for j < len(ends) && ends[j].edge == ends[i].edge {
			j++
		}
		l.Against += pair(ends[i:j], other)
		i = j
	}
	l.chain(points, other)
	l.MisfilledMM2 = misfilled(points)
	return l
}

// misfilled is the area of a layer that its segments enclose other than once or
// not at all: a printer may fill it or not. Segment k runs from point 2k to 2k+1
// with the solid on its left.
//
// Idea: the layer is crossed by level lines, and along each the segments that it
// meets are counted up and down (the winding number). Beyond a line's last
// segment the count must be 0 again; if not, all of the line is in doubt. The
// area is exact in the limit of many lines; whether it is nothing is exact for
// the lines taken.
func misfilled(points [][2]float64) (area float64) {
	const lines = 96
	low, high := math.Inf(1), math.Inf(-1)
	for _, p := range points {
		low, high = min(low, p[1]), max(high, p[1])
	}
	step := (high - low) / lines
	if !(step > 0) {
		return 0
	}
	type meeting struct {
		line int32
		up   int32 // +1 where the solid begins
		x    float64
	}
	var met []meeting
	for k := 0; k+1 < len(points); k += 2 {
		a, b := points[k], points[k+1]
		up := int32(-1) // running upwards, the solid on the left ends here
		if a[1] > b[1] {
			a, b, up = b, a, 1
		}
		first := max(int(math.Ceil((a[1]-low)/step-0.5)), 0)
		for i := first; i < lines; i++ {
			y := low + (float64(i)+0.5)*step
			if y >= b[1] {
				break
			}
			if y >= a[1] {
				met = append(met, meeting{int32(i), up, a[0] + (y-a[1])/(b[1]-a[1])*(b[0]-a[0])})
			}
		}
	}
	slices.SortFunc(met, func(a, b meeting) int {
		return cmp.Or(cmp.Compare(a.line, b.line), cmp.Compare(a.x, b.x), cmp.Compare(b.up, a.up))
	})
	for i := 0; i < len(met); {
		j, count, wrong := i, int32(0), 0.0
		for ; j < len(met) && met[j].line == met[i].line; j++ {
			if count != 0 && count != 1 {
				wrong += met[j].x - met[j-1].x
			}
			count += met[j].up
		}
		if count != 0 {
			wrong = met[j-1].x - met[i].x
		}
		area += wrong * step
		i = j
	}
	return area
}

// pair joins the ends that lie in one edge: last points with first points while
// there are both, then whatever is left, against each other; it counts those.
func pair(ends []end, other []int32) (against int) {
	var first, last, left []int32
	for _, e := range ends {
		if e.at%2 == 0 {
			first = append(first, e.at)
		} else {
			last = append(last, e.at)
		}
	}
	for len(first) > 0 && len(last) > 0 {
		other[first[0]], other[last[0]] = last[0], first[0]
		first, last = first[1:], last[1:]
	}
	left = append(first, last...)
	for ; len(left) > 1; left = left[2:] {
		other[left[0]], other[left[1]] = left[1], left[0]
		against++
	}
	return against
}

// Wrong reports whether a printer could fill the layer otherwise than the solid
// is: lines are open or run against each other, or enclose area other than once
// by more than rounding makes of lines on one another.
func (l Layer) Wrong() bool {
	return l.Against > 0 || l.Open() > 0 || l.MisfilledMM2 > 1e-6*math.Abs(l.AreaMM2)
}

// chain walks from segment to segment; open lines first, from where they begin.
func (l *Layer) chain(points [][2]float64, other []int32) {
	seen := make([]bool, len(points)/2)
	walk := func(from int32, closed bool) {
		var c Contour
		at := from
		for {
			seen[at/2] = true
			c.Points = append(c.Points, points[at])
			out := at ^ 1 // the segment's other end
			next := other[out]
			if next < 0 {
				c.Points = append(c.Points, points[out])
				break
			}
			if at = next; seen[at/2] {
				break
			}
		}
		c.Closed = closed
		l.Contours = append(l.Contours, c)
		l.AreaMM2 += c.AreaMM2()
	}
	for i := range int32(len(points)) {
		if other[i] < 0 && !seen[i/2] {
			walk(i, false)
		}
	}
	for i := int32(0); i < int32(len(points)); i += 2 {
		if !seen[i/2] {
			walk(i, true)
		}
	}
}

// crossing is where the edge from a to b passes the height z, the same whichever
// way the edge is given.
func crossing(a, b geom.Vec, z float64) [2]float64 {
	if a.Z > b.Z {
		a, b = b, a
	}
	share := (z - a.Z) / (b.Z - a.Z)
	return [2]float64{a.X + share*(b.X-a.X), a.Y + share*(b.Y-a.Y)}
}

// Heights are the middles of layers of that height, from the lowest point of a
// box up to below its highest.
func Heights(box geom.Box, every float64) (heights []float64) {
	for k := 0; ; k++ {
		z := box.Min.Z + (float64(k)+0.5)*every
		if !(z < box.Max.Z) {
			return heights
		}
		heights = append(heights, z)
	}
}
