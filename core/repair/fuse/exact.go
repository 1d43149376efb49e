package fuse

import (
	"encoding/binary"
	"math"
	"math/big"
	"slices"

	"veneer/core/geom"
	"veneer/core/mesh"
)

// space holds the points of an arrangement: the vertices of the mesh first, then
// where its triangles cut one another. No two are the same point.
//
// A point is four whole numbers x, y, z and w without a common divisor, w
// positive, for (x/w, y/w, z/w)·2^-shift; for a vertex w is 1. Signs of
// determinants of such numbers need products and sums only.
type space struct {
	m       *mesh.Mesh
	shift   int
	at      []geom.Vec // rounded to the nearest
	exact   []*whole
	known   map[string]int32
	crossed map[[3]int32]int32 // where an edge goes through a triangle's plane
}

// whole is x, y, z and w.
type whole [4]*big.Int

var one = big.NewInt(1)

func newSpace(m *mesh.Mesh) *space {
	s := &space{m: m, at: append([]geom.Vec(nil), m.Positions...), exact: make([]*whole, len(m.Positions)), known: map[string]int32{}, crossed: map[[3]int32]int32{}}
	for _, v := range m.Positions {
		for _, x := range v.Array() {
			if x != 0 {
				bits := math.Float64bits(x)
				exponent := max(int(bits>>52&0x7ff), 1) - 1075
				mantissa := bits&(1<<52-1) | 1<<52
				for mantissa&1 == 0 {
					mantissa >>= 1
					exponent++
				}
				s.shift = max(s.shift, -exponent)
			}
		}
	}
	return s
}

// given reports whether a point is a vertex of the mesh, whose floats are exact.
func (s *space) given(i int32) bool { return int(i) < len(s.m.Positions) }

// whole is a point in whole numbers.
func (s *space) whole(i int32) *whole {
	if s.exact[i] == nil {
		p := &whole{3: one}
		for k, x := range s.at[i].Array() {
			f := new(big.Float).SetFloat64(x)
			p[k], _ = f.SetMantExp(f, s.shift).Int(nil)
		}
		s.exact[i] = p
	}
	return s.exact[i]
}

// enter makes a vertex of the mesh known, so that points found there are it.
func (s *space) enter(i int32) {
	k := s.whole(i).key()
	if _, is := s.known[k]; !is {
		s.known[k] = i
	}
}

// key is the same for equal points and for no others.
func (p *whole) key() string {
	var b []byte
	for _, x := range p {
		n := len(b)
		b = append(b, byte(x.Sign()+1), 0, 0, 0, 0)
		b = append(b, x.Bytes()...)
		binary.LittleEndian.PutUint32(b[n+1:], uint32(len(b)-n-5))
	}
	return string(b)
}

// rounded is the point in floats.
func (s *space) rounded(p *whole) geom.Vec {
	var c [3]float64
	w := new(big.Float).SetInt(p[3])
	for k := range c {
		q := new(big.Float).SetPrec(64).Quo(new(big.Float).SetInt(p[k]), w)
		c[k], _ = q.SetMantExp(q, -s.shift).Float64()
	}
	return geom.Vec{X: c[0], Y: c[1], Z: c[2]}
}

// point is the number of a point.
func (s *space) point(p *whole) int32 {
	if p[3].Sign() < 0 {
		for _, x := range p {
			x.Neg(x)
		}
	}
	g := new(big.Int).GCD(nil, nil, p[3], new(big.Int).Abs(p[0]))
	for _, x := range p[1:3] {
		if g.Cmp(one) != 0 {
			g.GCD(nil, nil, g, new(big.Int).Abs(x))
		}
	}
	if g.Cmp(one) != 0 {
		for _, x := range p {
			x.Quo(x, g)
		}
	}
	k := p.key()
	if i, is := s.known[k]; is {
		return i
	}
	i := int32(len(s.at))
	s.known[k] = i
	s.at, s.exact = append(s.at, s.rounded(p)), append(s.exact, p)
	return i
}

// where is the point on the way from a to b that lies on a line or plane from which
// they are da and db away, on different sides, each times its point's w.
func (s *space) where(a, b int32, da, db *big.Int) int32 {
	p, q := s.whole(a), s.whole(b)
	var c whole
	for k := range c {
		c[k] = product(q[k], da, p[k], db)
	}
	return s.point(&c)
}

// through is the point where the edge from a to b, vertices that lie on
// different sides of it, goes through the plane of triangle t.
func (s *space) through(a, b, t int32) int32 {
	if a > b {
		a, b = b, a
	}
	cache := [3]int32{a, b, t}
	if i, is := s.crossed[cache]; is {
		return i
	}
	v := s.m.Triangles[t]
	p := s.whole(v[0])
	n := cross(minus(s.whole(v[1]), p), minus(s.whole(v[2]), p))
	i := s.where(a, b, dot(n, minus(s.whole(a), p)), dot(n, minus(s.whole(b), p)))
	s.crossed[cache] = i
	return i
}

// minus is a - b, times both w.
func minus(a, b *whole) *whole {
	var c whole
	for k := range 3 {
		if a[3] == one && b[3] == one {
			c[k] = new(big.Int).Sub(a[k], b[k])
		} else {
			c[k] = product(a[k], b[3], b[k], a[3])
		}
	}
	return &c
}

func product(a, b, c, d *big.Int) *big.Int { // a·b - c·d
	x, y := new(big.Int).Mul(a, b), new(big.Int).Mul(c, d)
	return x.Sub(x, y)
}

func cross(a, b *whole) *whole {
	return &whole{product(a[1], b[2], a[2], b[1]), product(a[2], b[0], a[0], b[2]), product(a[0], b[1], a[1], b[0]), nil}
}

func dot(a, b *whole) *big.Int {
	sum, x := new(big.Int), new(big.Int)
	for k := range 3 {
		sum.Add(sum, x.Mul(a[k], b[k]))
	}
	return sum
}

// view drops one axis, so that a plane's points can be told apart in two
// coordinates.
type view struct{ u, v int }

func viewOf(normal geom.Vec) view {
	n := normal.Array()
	drop := 0
	for k := range n {
		if math.Abs(n[k]) > math.Abs(n[drop]) {
			drop = k
		}
	}
	return view{(drop + 1) % 3, (drop + 2) % 3}
}

// first and second are a point's coordinates in the view.
func (w view) first(p geom.Vec) float64  { return coordinate(p, w.u) }
func (w view) second(p geom.Vec) float64 { return coordinate(p, w.v) }

func coordinate(p geom.Vec, k int) float64 {
	switch k {
	case 0:
		return p.X
	case 1:
		return p.Y
	}
	return p.Z
}

// turn is +1 when a, b, c run anticlockwise in the view, -1 clockwise, 0 when
// they lie on a line. A filter on the rounded coordinates decides most.
func (s *space) turn(w view, a, b, c int32) int {
	if a == b || b == c || c == a {
		return 0
	}
	p, q, r := s.at[a].Array(), s.at[b].Array(), s.at[c].Array()
	if s.given(a) && s.given(b) && s.given(c) {
		return geom.Orient2D(p[w.u], p[w.v], q[w.u], q[w.v], r[w.u], r[w.v])
	}
	x1, y1, x2, y2 := q[w.u]-p[w.u], q[w.v]-p[w.v], r[w.u]-p[w.u], r[w.v]-p[w.v]
	most := max(math.Abs(p[w.u]), math.Abs(p[w.v]), math.Abs(q[w.u]), math.Abs(q[w.v]), math.Abs(r[w.u]), math.Abs(r[w.v]))
	det := float64(x1*y2) - float64(y1*x2)
	if bound := 0x1p-49 * most * (math.Abs(x1) + math.Abs(y1) + math.Abs(x2) + math.Abs(y2) + 0x1p-49*most); det > bound {
		return 1
	} else if det < -bound {
		return -1
	}
	return s.area(w, a, b, c).Sign()
}

// area is twice the area of a, b, c in the view, times their w.
func (s *space) area(w view, a, b, c int32) *big.Int {
	p, q, r := s.whole(a), s.whole(b), s.whole(c)
	sum := new(big.Int).Mul(p[w.u], product(q[w.v], r[3], r[w.v], q[3]))
	sum.Sub(sum, new(big.Int).Mul(p[w.v], product(q[w.u], r[3], r[w.u], q[3])))
	return sum.Add(sum, new(big.Int).Mul(p[3], product(q[w.u], r[w.v], r[w.u], q[w.v])))
}

// order sorts points along the line through a and b, from a on.
func (s *space) order(a, b int32, list []int32) {
	slices.SortFunc(list, func(p, q int32) int {
		switch {
		case p == q:
			return 0
		case s.less(a, b, p, q):
			return -1
		}
		return 1
	})
}

// less orders points along the line through a and b, from a on.
func (s *space) less(a, b, p, q int32) bool {
	d := s.at[b].Sub(s.at[a])
	f, g := s.at[p].Sub(s.at[a]), s.at[q].Sub(s.at[a])
	x, y := d.Dot(f), d.Dot(g)
	most := max(largest(s.at[a]), largest(s.at[b]), largest(s.at[p]), largest(s.at[q]))
	if bound := 0x1p-47 * most * (largest(d) + largest(f) + largest(g)); math.Abs(x-y) > bound {
		return x < y
	}
	return dot(minus(s.whole(b), s.whole(a)), minus(s.whole(p), s.whole(q))).Sign() < 0
}

func largest(v geom.Vec) float64 { return max(math.Abs(v.X), math.Abs(v.Y), math.Abs(v.Z)) }

// between reports whether p, on the line through a and b, lies between them or
// is one of them.
func (s *space) between(a, b, p int32) bool {
	return p == a || p == b || !s.less(a, b, p, a) && !s.less(a, b, b, p)
}
