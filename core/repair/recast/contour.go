package recast

import (
	"context"
	"math/bits"
	"runtime"
	"slices"
	"sort"

	"golang.org/x/sync/errgroup"

	"veneer/core/decimate"
	"veneer/core/geom"
	"veneer/core/mesh"
)

// crossing is where the surface crosses an edge of the lattice between a point
// inside and one outside.
type crossing struct {
	cell int32 // the edge's low end in its z: j·nx+i
	tri  int32
	at   float64
}

// allCrossings are those of the surface along each axis; its lines are let go of.
func (f *field) allCrossings() (along [3][][]crossing) {
	var g errgroup.Group
	for axis := range along {
		g.Go(func() error { along[axis] = f.crossings(axis); return nil })
	}
	g.Wait() // there are no errors
	f.lines = [3]lines{}
	return along
}

// crossings are those along one axis, by the z of their edges' low ends.
func (f *field) crossings(axis int) [][]crossing {
	byZ := make([][]crossing, f.n[2])
	s := &f.lines[axis]
	var low [3]int
	for line := range f.n[s.u] * f.n[s.v] {
		hits := s.of(line)
		low[s.u], low[s.v] = line%f.n[s.u], line/f.n[s.u]
		around := int32(0)
		for i := 0; i < len(hits); {
			end := f.ahead(axis, hits[i].at) // the hit lies between this point and the one before
			low[axis] = end - 1
			const nothing, any = -2, -1 // to choose, or not yet chosen
			chosen, inside := nothing, false
			if end > 0 && end < f.n[axis] {
				high := low
				high[axis] = end
				inside = f.inside.inside(low[0], low[1], low[2])
				if inside != f.inside.inside(high[0], high[1], high[2]) {
					chosen = any
				}
			}
			limit := f.at(axis, end)
			for ; i < len(hits) && hits[i].at <= limit; i++ {
				was := around >= 1
				around -= hits[i].way
				if chosen == any && was == inside && around >= 1 != was {
					chosen = i
				}
			}
			if chosen >= 0 {
				byZ[low[2]] = append(byZ[low[2]], crossing{int32(low[1]*f.n[0] + low[0]), hits[chosen].tri, hits[chosen].at})
			}
		}
	}
	return byZ
}

// slab is what lies in the cells between two z of the lattice.
type slab struct {
	cells  []int32 // those that the surface passes through, j·nx+i, ascending
	state  []uint8
	first  []int32 // the cell's first point; it has one for each loop
	points []geom.Vec
	free   []bool                // of the points: nothing is known of the surface there
	cut    map[int32][12]float32 // where edges are crossed, for cells of several loops or hazy faces
	planes []decimate.Quadric    // around each point
	before int32                 // points of the slabs before
}

// layer says of the edges at one z which crossing is on them; -1 for none. Only
// those of crossed edges are ever set, or looked at.
type layer struct {
	at   []int32
	list []crossing
}

// load makes ready for the edges of another z; each tells those that are crossed.
func (y *layer) load(list []crossing, each func(see func(cell int))) {
	each(func(cell int) { y.at[cell] = -1 })
	y.list = list
	for i, c := range list {
		y.at[c.cell] = int32(i)
	}
}

// eachCrossed calls see with the edges along an axis, from z k on, whose ends are
// on different sides.
func (f *field) eachCrossed(axis, k int) func(see func(cell int)) {
	return func(see func(cell int)) {
		if axis == 2 && k+1 >= f.n[2] {
			return
		}
		for j := range f.n[1] {
			if axis == 1 && j+1 >= f.n[1] {
				return
			}
			row := f.inside.row(j, k)
			other := row
			switch axis {
			case 1:
				other = f.inside.row(j+1, k)
			case 2:
				other = f.inside.row(j, k+1)
			}
			for w := range row {
				x := other[w]
				if axis == 0 {
					x >>= 1
					if w+1 < len(row) {
						x |= row[w+1] << 63
					}
				}
				for diff := row[w] ^ x; diff != 0; diff &= diff - 1 {
					see(j*f.n[0] + w<<6 + bits.TrailingZeros64(diff))
				}
			}
		}
	}
}

// eachCell calls see with the cells of a slab that the surface passes through.
func (f *field) eachCell(k int, see func(i, j int, state uint8)) {
	b := &f.inside
	for j := range f.n[1] - 1 {
		rows := [4][]uint64{b.row(j, k), b.row(j+1, k), b.row(j, k+1), b.row(j+1, k+1)}
		for w := range rows[0] {
			all, any, allNext, anyNext := ^uint64(0), uint64(0), ^uint64(0), uint64(0)
			for _, r := range rows {
				all &= r[w]
				any |= r[w]
				if w+1 < len(r) {
					allNext &= r[w+1]
					anyNext |= r[w+1]
				}
			}
			if w+1 == len(rows[0]) {
				allNext = 0
			}
			mixed := (any | any>>1 | anyNext<<63) &^ (all & (all>>1 | allNext<<63))
			for ; mixed != 0; mixed &= mixed - 1 {
				i := w<<6 + bits.TrailingZeros64(mixed)
				if i >= f.n[0]-1 {
					break
				}
				state := uint8(0)
				for c, r := range rows {
					two := r[w] >> (i & 63)
					if i&63 == 63 && w+1 < len(r) {
						two |= r[w+1] << 1
					}
					state |= uint8(two&3) << (2 * c)
				}
				see(i, j, state)
			}
		}
	}
}

const edgeInset = 1.0 / 128 // how far from an edge's ends a crossing stays, as a share

// share is where along its edge a crossing lies, kept away from the ends; in the
// middle when it is not known.
func (f *field) share(c *crossing, axis, low int) float32 {
	if c == nil {
		return 0.5
	}
	return float32(min(max((c.at-f.at(axis, low))/f.step, edgeInset), 1-edgeInset))
}

// edgePoint is the point at a share of an edge from a point of the lattice.
func (f *field) edgePoint(axis int, low [3]int, share float32) geom.Vec {
	var p [3]float64
	for k := range 3 {
		p[k] = f.at(k, low[k])
	}
	p[axis] += f.step * float64(share)
	return geom.Vec{X: p[0], Y: p[1], Z: p[2]}.Single()
}

// contour draws the surface that parts the points inside from those outside.
//
// Idea: dual contouring, held to what is provably free of crossings. Each disc
// of the surface in a cell gets one point, anywhere in the cell, where the planes
// that its edges meet intersect: edges and corners of the part come back sharp.
// A cone from that point over the lines in which the disc meets the cell's faces
// lies in the cell and touches nothing else, so all cones together are closed,
// and meet only along the faces. On a face between two cells of one disc each,
// the line may as well bend through the point where the connection of both cells'
// points passes through the face: cones become fans around the crossed edges.
// The four triangles of such a fan may be replaced by two when those stay within
// the four tetrahedra that the edge spans with its cells' points, which exact
// predicates tell (after Ju & Udeshi, "Intersection-free Contouring on an Octree
// Grid", 2006). All this holds for the points as rounded to single precision,
// since the lattice is exact in it.
//
// Cost O(points of the lattice / 64 + crossed edges). Every slab of cells is
// worked on by itself; the result does not depend on how many cores there are.
func (f *field) contour(ctx context.Context, along [3][][]crossing) (m *mesh.Mesh, planes []decimate.Quadric, err error) {
	slabs := make([]slab, f.n[2]-1)
	err = f.inChunks(ctx, len(slabs), func() func(k int) {
		w := f.newWindow(along)
		return func(k int) { slabs[k] = w.slab(k) }
	})
	if err != nil {
		return nil, nil, err
	}
	points := int32(0)
	for k := range slabs {
		slabs[k].before = points
		points += int32(len(slabs[k].points))
	}
	f.relax(slabs)
	made := make([]drawn, f.n[2]-1)
	err = f.inChunks(ctx, len(made), func() func(k int) {
		d := &drawer{window: f.newWindow(along), slabs: slabs}
		for i := range d.cell {
			d.cell[i] = make([]int32, f.n[0]*f.n[1])
		}
		return func(k int) { made[k] = d.draw(k) }
	})
	if err != nil {
		return nil, nil, err
	}
	m = &mesh.Mesh{}
	triangles, extra := 0, 0
	for k := range made {
		triangles += len(made[k].triangles)
		extra += len(made[k].extra)
	}
	m.Positions = make([]geom.Vec, 0, int(points)+extra)
	m.Triangles = make([]mesh.Triangle, 0, triangles)
	planes = make([]decimate.Quadric, 0, int(points)+extra)
	for k := range slabs {
		planes = append(planes, slabs[k].planes...)
		m.Positions = append(m.Positions, slabs[k].points...)
		slabs[k] = slab{}
	}
	once := make(map[geom.Vec]int32, extra/2) // points on the lattice's edges, of which several triangles tell
	for k := range made {
		for _, v := range made[k].triangles {
			for c := range v {
				if v[c] >= 0 {
					continue
				}
				p := made[k].extra[^v[c]]
				u, known := once[p.at]
				if !known {
					u = int32(len(m.Positions))
					once[p.at] = u
					m.Positions = append(m.Positions, p.at)
					planes = append(planes, p.plane)
				}
				if planes[u] == (decimate.Quadric{}) {
					planes[u] = p.plane
				}
				v[c] = u
			}
			m.Triangles = append(m.Triangles, v)
		}
		made[k] = drawn{}
	}
	return m, planes[:len(m.Positions):len(m.Positions)], nil
}

// inChunks does work on 0..n-1 on all cores, neighbours in ascending order by one worker.
func (f *field) inChunks(ctx context.Context, n int, worker func() func(k int)) error {
	return f.inChunksOf(ctx, 32, n, worker)
}

func (f *field) inChunksOf(ctx context.Context, chunk, n int, worker func() func(k int)) error {
	g, ctx := errgroup.WithContext(ctx)
	g.SetLimit(runtime.GOMAXPROCS(0))
	for from := 0; from < n; from += chunk {
		g.Go(func() error {
			work := worker()
			for k := from; k < min(from+chunk, n); k++ {
				if err := ctx.Err(); err != nil {
					return err
				}
				work(k)
			}
			return nil
		})
	}
	return g.Wait()
}

// window is the crossings around one slab: the edges along x and y at its low
// and high z, and those along z in it.
type window struct {
	f     *field
	along [3][][]crossing
	flat  [2][2]layer // axis x or y, low or high
	up    layer
	k     int
}

func (f *field) newWindow(along [3][][]crossing) *window {
	w := &window{f: f, along: along, k: -2}
	fresh := func() layer { return layer{at: make([]int32, f.n[0]*f.n[1])} }
	for a := range 2 {
		w.flat[a] = [2]layer{fresh(), fresh()}
	}
	w.up = fresh()
	return w
}

// move brings the window to slab k.
func (w *window) move(k int) {
	f := w.f
	for a := range 2 {
		if w.k+1 == k {
			w.flat[a][0], w.flat[a][1] = w.flat[a][1], w.flat[a][0]
		} else {
			w.flat[a][0].load(w.along[a][k], f.eachCrossed(a, k))
		}
		w.flat[a][1].load(w.along[a][k+1], f.eachCrossed(a, k+1))
	}
	w.up.load(w.along[2][k], f.eachCrossed(2, k))
	w.k = k
}

// on is the crossing on an edge of cell i, j of the slab, nil when the surface is not known there, and
// the edge's low end.
func (w *window) on(edge, i, j int) (c *crossing, low [3]int) {
	axis, n := edge/4, edge%4
	u, v := others(axis)
	low = [3]int{i, j, w.k}
	low[u] += n & 1
	low[v] += n >> 1
	y := &w.up
	if axis < 2 {
		y = &w.flat[axis][n>>1]
	}
	if at := y.at[low[1]*w.f.n[0]+low[0]]; at >= 0 {
		c = &y.list[at]
	}
	return c, low
}

// slab finds the points of the cells between two z.
func (w *window) slab(k int) slab {
	w.move(k)
	f := w.f
	var s slab
	f.eachCell(k, func(i, j int, state uint8) {
		c := &cubes[state]
		cell := int32(j*f.n[0] + i)
		s.cells = append(s.cells, cell)
		s.state = append(s.state, state)
		s.first = append(s.first, int32(len(s.points)))
		var q [4]quadric
		var planes [4]decimate.Quadric
		var cut [12]float32
		for e, loop := range c.loopOf {
			if loop < 0 {
				continue
			}
			crossed, low := w.on(e, i, j)
			cut[e] = f.share(crossed, e/4, low[e/4])
			p := [3]float64{float64(low[0] - i), float64(low[1] - j), float64(low[2] - k)}
			p[e/4] += float64(cut[e])
			on := p
			var n geom.Vec
			if crossed != nil && !f.smooth {
				on[e/4] = (crossed.at - f.at(e/4, [3]int{i, j, k}[e/4])) / f.step
				n = f.soup.AreaNormal(crossed.tri).Unit()
			}
			q[loop].add(p, on, n, crossed != nil && !f.smooth)
			if crossed != nil && !f.smooth {
				at := geom.Vec{X: f.at(0, i) + f.step*on[0], Y: f.at(1, j) + f.step*on[1], Z: f.at(2, k) + f.step*on[2]}
				plane := decimate.Plane(at, n, f.step*f.step/4)
				planes[loop].Add(&plane)
			}
		}
		for loop := range c.loops {
			var p [3]float64
			if c.loops == 1 && !f.smooth {
				p = q[loop].best()
			} else { // cones of several discs stay apart when each point is among its crossings
				p = q[loop].middle()
			}
			at := geom.Vec{X: f.at(0, i) + f.step*p[0], Y: f.at(1, j) + f.step*p[1], Z: f.at(2, k) + f.step*p[2]}
			s.points = append(s.points, at.Single())
			s.free = append(s.free, q[loop].planes == 0 && !f.smooth)
			s.planes = append(s.planes, planes[loop])
		}
		if c.loops > 1 || c.hazy != 0 {
			if s.cut == nil {
				s.cut = map[int32][12]float32{}
			}
			s.cut[cell] = cut
		}
	})
	return s
}

// relax moves the points of which nothing is known to the middle of their
// neighbours, within their cells, over and over: where there was no surface, a
// smooth one is drawn (after Gibson, "Constrained Elastic Surface Nets", 1998).
func (f *field) relax(slabs []slab) {
	const rounds = 20
	type loose struct {
		k, index int
		near     [6]int32 // points around it, from 0 on through all slabs; -1 for none
	}
	var list []loose
	for k := range slabs {
		s := &slabs[k]
		for index, cell := range s.cells {
			c := &cubes[s.state[index]]
			if c.loops > 1 || !s.free[s.first[index]] {
				continue
			}
			l := loose{k: k, index: index}
			for face := range 6 {
				l.near[face] = -1
				e := slices.IndexFunc(c.next[face][:], func(d int8) bool { return d >= 0 })
				if e < 0 {
					continue
				}
				step := 2*(face%2) - 1
				other, z := cell, k
				switch face / 2 {
				case 0:
					other += int32(step)
				case 1:
					other += int32(step * f.n[0])
				case 2:
					z += step
				}
				o := &slabs[z]
				at, _ := slices.BinarySearch(o.cells, other)
				twin := e ^ 1 // the same edge, seen from the other cell
				if u, _ := others(e / 4); face/2 != u {
					twin = e ^ 2
				}
				l.near[face] = o.before + o.first[at] + int32(cubes[o.state[at]].loopOf[twin])
			}
			list = append(list, l)
		}
	}
	if len(list) == 0 {
		return
	}
	start := make([]int32, len(slabs))
	for k := range slabs {
		start[k] = slabs[k].before
	}
	point := func(v int32) geom.Vec {
		k := sort.Search(len(start), func(k int) bool { return start[k] > v }) - 1
		return slabs[k].points[v-start[k]]
	}
	moved := make([]geom.Vec, len(list))
	for range rounds {
		for n, l := range list {
			var sum geom.Vec
			count := 0.0
			for _, v := range l.near {
				if v >= 0 {
					sum = sum.Add(point(v))
					count++
				}
			}
			s := &slabs[l.k]
			cell := int(s.cells[l.index])
			p := sum.Scale(1 / count).Array()
			for axis, low := range [3]int{cell % f.n[0], cell / f.n[0], l.k} {
				x := f.at(axis, low)
				p[axis] = min(max(p[axis], x+inset*f.step), x+(1-inset)*f.step)
			}
			moved[n] = geom.Vec{X: p[0], Y: p[1], Z: p[2]}.Single()
		}
		for n, l := range list {
			s := &slabs[l.k]
			s.points[s.first[l.index]] = moved[n]
		}
	}
}
