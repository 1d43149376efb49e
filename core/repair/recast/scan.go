package recast

import (
	"cmp"
	"context"
	"math"
	"slices"

	"golang.org/x/sync/errgroup"

	"veneer/core/geom"
	"veneer/core/mesh"
)

// hit is where a line of the lattice passes through a triangle. The way is -1
// where the line enters what the triangle bounds, 1 where it leaves it.
type hit struct {
	at  float64 // the coordinate along the line
	tri int32
	way int32
}

// lines are the hits of all lines along one axis, those of a line ascending.
// Lines are numbered by the lower other axis, then the higher one; those along
// y by x, then z; so that lines of one z lie together, but for those along z.
type lines struct {
	axis, u, v int // the line's axis, and those that number it
	start      []int32
	hits       []hit
}

func (s *lines) of(line int) []hit { return s.hits[s.start[line]:s.start[line+1]] }

// scan finds where the lines of a lattice pass through a mesh.
//
// Idea: seen along the axis, a line is a point, and a triangle covers it or does
// not; on a border the point counts as moved by a hair to the right and half a
// hair up, always the same way, so that a closed surface is entered as often as
// it is left. Rows of a large triangle are found by its borders, and only points
// next to them are decided, exactly. Cost O(t + hits · log).
func scan(ctx context.Context, l *lattice, m *mesh.Mesh) (all [3]lines, err error) {
	g, ctx := errgroup.WithContext(ctx)
	for axis := range all {
		g.Go(func() error {
			all[axis] = scanAxis(ctx, l, m, axis)
			return ctx.Err()
		})
	}
	return all, g.Wait()
}

func scanAxis(ctx context.Context, l *lattice, m *mesh.Mesh, axis int) lines {
	u, v := others(axis)
	s := lines{axis: axis, u: u, v: v, start: make([]int32, l.n[u]*l.n[v]+1)}
	type found struct {
		hit
		line int32
	}
	var list []found
	for t := range int32(len(m.Triangles)) {
		if t%4096 == 0 && ctx.Err() != nil {
			return s
		}
		p := flattened(m, t, axis, u, v)
		p.eachLine(l, u, v, func(i, j int) {
			list = append(list, found{hit{p.depth(l.at(u, i), l.at(v, j)), t, p.way}, int32(j*l.n[u] + i)})
		})
	}
	for _, f := range list {
		s.start[f.line+1]++
	}
	for i := 1; i < len(s.start); i++ {
		s.start[i] += s.start[i-1]
	}
	s.hits = make([]hit, len(list))
	next := slices.Clone(s.start)
	for _, f := range list {
		s.hits[next[f.line]] = f.hit
		next[f.line]++
	}
	for line := range l.n[u] * l.n[v] {
		if h := s.of(line); len(h) > 1 {
			slices.SortFunc(h, func(a, b hit) int { return cmp.Or(cmp.Compare(a.at, b.at), cmp.Compare(a.tri, b.tri)) })
		}
	}
	return s
}

// flat is a triangle seen along an axis: anticlockwise, and the height of its
// plane above its first corner.
type flat struct {
	p          [3][2]float64
	base       float64
	slope      [2]float64
	low, high  float64 // along the axis
	way        int32
	degenerate bool
}

func flattened(m *mesh.Mesh, t int32, axis, u, v int) flat {
	var f flat
	var w [3]float64
	for k, i := range m.Triangles[t] {
		p := m.Positions[i].Array()
		f.p[k], w[k] = [2]float64{p[u], p[v]}, p[axis]
	}
	side := geom.Orient2D(f.p[0][0], f.p[0][1], f.p[1][0], f.p[1][1], f.p[2][0], f.p[2][1])
	if side == 0 {
		f.degenerate = true
		return f
	}
	f.way = int32(side)
	if axis == 1 {
		f.way = -f.way // x, z seen along y run the other way around
	}
	if side < 0 {
		f.p[1], f.p[2], w[1], w[2] = f.p[2], f.p[1], w[2], w[1]
	}
	ax, ay, bx, by := f.p[1][0]-f.p[0][0], f.p[1][1]-f.p[0][1], f.p[2][0]-f.p[0][0], f.p[2][1]-f.p[0][1]
	area := ax*by - ay*bx
	f.base, f.low, f.high = w[0], min(w[0], w[1], w[2]), max(w[0], w[1], w[2])
	if area > 0 {
		f.slope = [2]float64{((w[1]-w[0])*by - (w[2]-w[0])*ay) / area, ((w[2]-w[0])*ax - (w[1]-w[0])*bx) / area}
	}
	return f
}

// depth is the coordinate along the axis at which a line passes through.
func (f *flat) depth(u, v float64) float64 {
	d := f.base + f.slope[0]*(u-f.p[0][0]) + f.slope[1]*(v-f.p[0][1])
	return min(max(d, f.low), f.high) // slivers have wild slopes
}

// eachLine calls see with every point of the lattice that the triangle covers.
func (f *flat) eachLine(l *lattice, u, v int, see func(i, j int)) {
	if f.degenerate {
		return
	}
	i0, i1 := l.ahead(u, min(f.p[0][0], f.p[1][0], f.p[2][0])), l.ahead(u, max(f.p[0][0], f.p[1][0], f.p[2][0]))
	j0, j1 := l.ahead(v, min(f.p[0][1], f.p[1][1], f.p[2][1])), l.ahead(v, max(f.p[0][1], f.p[1][1], f.p[2][1]))
	// A point on the far border may count as inside too.
	for j := j0; j <= min(j1, l.n[v]-1); j++ {
		y := l.at(v, j)
		from, to := math.Inf(1), math.Inf(-1)
		for k := range 3 {
			a, b := f.p[k], f.p[(k+1)%3]
			if min(a[1], b[1]) > y || max(a[1], b[1]) < y {
				continue
			}
			if a[1] == b[1] {
				from, to = min(from, a[0], b[0]), max(to, a[0], b[0])
				continue
			}
			x := a[0] + (b[0]-a[0])*((y-a[1])/(b[1]-a[1]))
			from, to = min(from, x), max(to, x)
		}
		if from > to {
			continue
		}
		lo, hi := max(int((from-l.first[u])/l.step)-1, i0), min(int((to-l.first[u])/l.step)+2, i1, l.n[u]-1)
		for i := lo; i <= hi; i++ {
			if i > lo+2 && i < hi-3 || f.covers(l.at(u, i), y) {
				see(i, j)
			}
		}
	}
}

// covers reports whether a point lies in the triangle, moved by a hair when it is
// on its border. Exact.
func (f *flat) covers(x, y float64) bool {
	for k := range 3 {
		a, b := f.p[k], f.p[(k+1)%3]
		side := geom.Orient2D(a[0], a[1], b[0], b[1], x, y)
		if side == 0 {
			side = cmp.Compare(a[1], b[1]) // moved to the right
		}
		if side == 0 {
			side = cmp.Compare(b[0], a[0]) // and up
		}
		if side < 0 {
			return false
		}
	}
	return true
}
