package demo

import (
	"math"
	"slices"

	"veneer/core/geom"
	"veneer/core/mesh"
)

// shape is a surface of polygons (quads mostly), in mm, facing outward.
type shape struct {
	points []geom.Vec
	faces  [][]int32
}

func (s *shape) point(x, y, z float64) int32 {
	s.points = append(s.points, geom.Vec{X: x, Y: y, Z: z})
	return int32(len(s.points) - 1)
}

func (s *shape) face(v ...int32) { s.faces = append(s.faces, v) }

// add puts a copy of another shape in, mapped.
func (s *shape) add(o *shape, at geom.Matrix) {
	base := int32(len(s.points))
	for _, p := range o.points {
		s.points = append(s.points, at.Apply(p))
	}
	for _, f := range o.faces {
		g := make([]int32, len(f))
		for i, v := range f {
			g[i] = v + base
		}
		s.faces = append(s.faces, g)
	}
}

// mesh cuts the faces into triangles: fans, which is right for the convex ones made here.
func (s *shape) mesh() *mesh.Mesh {
	m := &mesh.Mesh{Positions: append([]geom.Vec(nil), s.points...)}
	for _, f := range s.faces {
		for i := 2; i < len(f); i++ {
			m.Triangles = append(m.Triangles, mesh.Triangle{f[0], f[i-1], f[i]})
		}
	}
	m.Weld()
	return m
}

// ring joins two rows of points, both closed and running the same way, with quads.
func (s *shape) ring(low, high []int32) {
	n := len(low)
	for i := range n {
		j := (i + 1) % n
		s.face(low[i], low[j], high[j], high[i])
	}
}

// lathe turns a profile of (radius, height) about the upright axis, in n steps.
// A profile that starts and ends on the axis makes a solid; any other is taken
// as closed and makes a ring. The profile runs upward on its outside. wave
// scales the radius by angle and height, and may be nil.
func lathe(profile [][2]float64, n int, wave func(angle, z float64) float64) *shape {
	s := &shape{}
	rows := make([][]int32, len(profile))
	for i, p := range profile {
		if p[0] == 0 {
			rows[i] = []int32{s.point(0, 0, p[1])}
			continue
		}
		for k := range n {
			a := 2 * math.Pi * float64(k) / float64(n)
			r := p[0]
			if wave != nil {
				r *= wave(a, p[1])
			}
			rows[i] = append(rows[i], s.point(r*math.Cos(a), r*math.Sin(a), p[1]))
		}
	}
	join := func(low, high []int32) {
		switch {
		case len(low) == 1 && len(high) == 1:
		case len(low) == 1:
			for k := range n {
				s.face(low[0], high[(k+1)%n], high[k])
			}
		case len(high) == 1:
			for k := range n {
				s.face(low[k], low[(k+1)%n], high[0])
			}
		default:
			s.ring(low, high)
		}
	}
	for i := 1; i < len(rows); i++ {
		join(rows[i-1], rows[i])
	}
	if profile[0][0] != 0 {
		join(rows[len(rows)-1], rows[0])
	}
	return s
}

// smooth rounds a profile: each stretch becomes steps points of a Catmull–Rom curve.
func smooth(profile [][2]float64, steps int) (out [][2]float64) {
	at := func(i int) [2]float64 { return profile[max(0, min(i, len(profile)-1))] }
	for i := range len(profile) - 1 {
		p0, p1, p2, p3 := at(i-1), at(i), at(i+1), at(i+2)
		for k := range steps {
			t := float64(k) / float64(steps)
			var q [2]float64
			for c := range 2 {
				q[c] = 0.5 * (2*p1[c] + (p2[c]-p0[c])*t + (2*p0[c]-5*p1[c]+4*p2[c]-p3[c])*t*t + (3*p1[c]-p0[c]-3*p2[c]+p3[c])*t*t*t)
			}
			if k > 0 {
				q[0] = max(q[0], 0.05)
			}
			out = append(out, q)
		}
	}
	return append(out, profile[len(profile)-1])
}

// tube sweeps a section of n points along a closed path; radius depends on the
// angle about the path and the share of the way.
func tube(path func(t float64) geom.Vec, steps, n int, radius func(angle, t float64) float64) *shape {
	s := &shape{}
	at := func(i int) geom.Vec { return path(float64(i) / float64(steps)) }
	// Carry a frame along without twist, then spread what is missing at the end over the way.
	side := make([]geom.Vec, steps+1)
	tangent := func(i int) geom.Vec { return at(i + 1).Sub(at(i - 1)).Unit() }
	t0 := tangent(0)
	side[0] = t0.Cross(geom.Vec{X: 0.31, Y: 0.17, Z: 0.93}).Unit()
	for i := 1; i <= steps; i++ {
		t := tangent(i)
		side[i] = side[i-1].Sub(t.Scale(side[i-1].Dot(t))).Unit()
	}
	gap := math.Atan2(t0.Cross(side[0]).Dot(side[steps]), side[0].Dot(side[steps]))
	rows := make([][]int32, steps)
	for i := range steps {
		share := float64(i) / float64(steps)
		t, u := tangent(i), side[i]
		v := t.Cross(u)
		c := at(i)
		for k := range n {
			a := 2 * math.Pi * float64(k) / float64(n)
			r := radius(a, share)
			sin, cos := math.Sincos(a - gap*share)
			p := c.Add(u.Scale(r * cos)).Add(v.Scale(r * sin))
			rows[i] = append(rows[i], s.point(p.X, p.Y, p.Z))
		}
	}
	for i := range steps {
		s.ring(rows[i], rows[(i+1)%steps])
	}
	return s
}

// loft joins closed sections of equally many points and caps both ends. The
// sections run anticlockwise seen from where the loft ends.
func loft(sections [][]geom.Vec) *shape {
	s := &shape{}
	rows := make([][]int32, len(sections))
	for i, section := range sections {
		for _, p := range section {
			rows[i] = append(rows[i], s.point(p.X, p.Y, p.Z))
		}
	}
	for i := 1; i < len(rows); i++ {
		s.ring(rows[i-1], rows[i])
	}
	s.cap(rows[0], true)
	s.cap(rows[len(rows)-1], false)
	return s
}

// cap closes a flat row of points; turned when it is to face the other way.
func (s *shape) cap(row []int32, turned bool) {
	points := make([]geom.Vec, len(row))
	for i, v := range row {
		points[i] = s.points[v]
	}
	cut, ok := geom.Triangulate(geom.Flatten(points), nil)
	if !ok {
		panic("demo: a cap crosses itself")
	}
	for _, t := range cut {
		if turned {
			s.face(row[t[0]], row[t[2]], row[t[1]])
		} else {
			s.face(row[t[0]], row[t[1]], row[t[2]])
		}
	}
}

// extrude raises a flat outline (anticlockwise) with holes (clockwise) from
// height 0 to h.
func extrude(outline [][2]float64, holes [][][2]float64, h float64) *shape {
	s := &shape{}
	low, high := map[[2]float64]int32{}, map[[2]float64]int32{}
	for _, loop := range append([][][2]float64{outline}, holes...) {
		var lows, highs []int32
		for _, p := range loop {
			low[p], high[p] = s.point(p[0], p[1], 0), s.point(p[0], p[1], h)
			lows, highs = append(lows, low[p]), append(highs, high[p])
		}
		s.ring(lows, highs)
	}
	all := slices.Concat(append([][][2]float64{outline}, holes...)...)
	corners, inside := geom.Bridge(outline, holes)
	var flat [][2]float64
	for _, i := range corners {
		flat = append(flat, all[i])
	}
	cut, ok := geom.Triangulate(flat, nil)
	if !ok || !inside {
		panic("demo: an outline crosses itself")
	}
	for _, t := range cut {
		a, b, c := flat[t[0]], flat[t[1]], flat[t[2]]
		s.face(high[a], high[b], high[c])
		s.face(low[a], low[c], low[b])
	}
	return s
}

// circle is an outline of n points; clockwise for a hole.
func circle(x, y, r float64, n int, hole bool) (loop [][2]float64) {
	for i := range n {
		a := 2 * math.Pi * float64(i) / float64(n)
		if hole {
			a = -a
		}
		loop = append(loop, [2]float64{x + r*math.Cos(a), y + r*math.Sin(a)})
	}
	return loop
}

// slab is a rectangular plate w by d with nx by ny cells, its top at height(x, y)
// (x and y from the middle) and its underside flat at 0.
func slab(w, d float64, nx, ny int, height func(x, y float64) float64) *shape {
	s := &shape{}
	top := make([][]int32, ny+1)
	bottom := make([][]int32, ny+1)
	for j := range ny + 1 {
		for i := range nx + 1 {
			x, y := w*(float64(i)/float64(nx)-0.5), d*(float64(j)/float64(ny)-0.5)
			top[j] = append(top[j], s.point(x, y, height(x, y)))
			bottom[j] = append(bottom[j], s.point(x, y, 0))
		}
	}
	var rim [][2]int
	for i := range nx {
		rim = append(rim, [2]int{0, i})
	}
	for j := range ny {
		rim = append(rim, [2]int{j, nx})
	}
	for i := nx; i > 0; i-- {
		rim = append(rim, [2]int{ny, i})
	}
	for j := ny; j > 0; j-- {
		rim = append(rim, [2]int{j, 0})
	}
	var low, high []int32
	for _, r := range rim {
		low, high = append(low, bottom[r[0]][r[1]]), append(high, top[r[0]][r[1]])
	}
	s.ring(low, high)
	for j := range ny {
		for i := range nx {
			s.face(top[j][i], top[j][i+1], top[j+1][i+1], top[j+1][i])
			s.face(bottom[j][i], bottom[j+1][i], bottom[j+1][i+1], bottom[j][i+1])
		}
	}
	return s
}

// shell of cells: a wall between two surfaces of revolution with windows where
// open says so; rows are (inner radius, outer radius, height) from low to high.
func windowed(rows [][3]float64, n int, open func(row, k int) bool) *shape {
	s := &shape{}
	inner, outer := make([][]int32, len(rows)), make([][]int32, len(rows))
	for j, r := range rows {
		for k := range n {
			sin, cos := math.Sincos(2 * math.Pi * float64(k) / float64(n))
			inner[j] = append(inner[j], s.point(r[0]*cos, r[0]*sin, r[2]))
			outer[j] = append(outer[j], s.point(r[1]*cos, r[1]*sin, r[2]))
		}
	}
	solid := func(j, k int) bool { return j >= 0 && j < len(rows)-1 && !open(j, (k+n)%n) }
	for j := range len(rows) - 1 {
		for k := range n {
			if !solid(j, k) {
				continue
			}
			l := (k + 1) % n
			s.face(outer[j][k], outer[j][l], outer[j+1][l], outer[j+1][k])
			s.face(inner[j][k], inner[j+1][k], inner[j+1][l], inner[j][l])
			if !solid(j-1, k) {
				s.face(inner[j][k], inner[j][l], outer[j][l], outer[j][k])
			}
			if !solid(j+1, k) {
				s.face(outer[j+1][k], outer[j+1][l], inner[j+1][l], inner[j+1][k])
			}
			if !solid(j, k-1) {
				s.face(inner[j][k], outer[j][k], outer[j+1][k], inner[j+1][k])
			}
			if !solid(j, k+1) {
				s.face(outer[j][l], inner[j][l], inner[j+1][l], outer[j+1][l])
			}
		}
	}
	return s
}
