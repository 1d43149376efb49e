package fuse

import (
	"encoding/binary"
	"math"
	"math/big"

	"veneer/core/geom"
	"veneer/core/mesh"
)

// space holds the points of an arrangement: the vertices of the mesh first, then
// where its triangles cut one another, as fractions. No two are the same point.
type space struct {
	m       *mesh.Mesh
	at      []geom.Vec // rounded to the nearest
	exact   []*[3]*big.Rat
	known   map[string]int32
	crossed map[[3]int32]int32 // where an edge goes through a triangle's plane
}

func newSpace(m *mesh.Mesh) *space {
	return &space{m: m, at: append([]geom.Vec(nil), m.Positions...), exact: make([]*[3]*big.Rat, len(m.Positions)),
		known: map[string]int32{}, crossed: map[[3]int32]int32{}}
}

// given reports whether a point is a vertex of the mesh, whose floats are exact.
func (s *space) given(i int32) bool { return int(i) < len(s.m.Positions) }

// fractions are a point's coordinates.
func (s *space) fractions(i int32) *[3]*big.Rat {
	if s.exact[i] == nil {
		s.exact[i] = fractionsOf(s.at[i])
	}
	return s.exact[i]
}

func fractionsOf(v geom.Vec) *[3]*big.Rat {
	return &[3]*big.Rat{new(big.Rat).SetFloat64(v.X), new(big.Rat).SetFloat64(v.Y), new(big.Rat).SetFloat64(v.Z)}
}

// key is the same for equal points and for no others.
func key(p *[3]*big.Rat) (string, geom.Vec) {
	var b []byte
	var c [3]float64
	for k, r := range p {
		f, exact := r.Float64()
		c[k] = f
		if exact {
			b = binary.LittleEndian.AppendUint64(append(b, 'f'), math.Float64bits(f+0))
			continue
		}
		num, denom := r.Num().Bytes(), r.Denom().Bytes()
		b = append(b, 'r', byte(r.Sign()+1))
		b = binary.LittleEndian.AppendUint32(b, uint32(len(num)))
		b = append(b, num...)
		b = binary.LittleEndian.AppendUint32(b, uint32(len(denom)))
		b = append(b, denom...)
	}
	return string(b), geom.Vec{X: c[0], Y: c[1], Z: c[2]}
}

// enter makes a vertex of the mesh known, so that points found there are it.
func (s *space) enter(i int32) {
	k, _ := key(s.fractions(i))
	if _, is := s.known[k]; !is {
		s.known[k] = i
	}
}

// point is the number of a point.
func (s *space) point(p *[3]*big.Rat) int32 {
	k, at := key(p)
	if i, is := s.known[k]; is {
		return i
	}
	i := int32(len(s.at))
	s.known[k] = i
	s.at, s.exact = append(s.at, at), append(s.exact, p)
	return i
}

// along is the point a + t·(b-a).
func (s *space) along(a, b int32, t *big.Rat) int32 {
	p, q := s.fractions(a), s.fractions(b)
	var c [3]*big.Rat
	for k := range c {
		c[k] = new(big.Rat).Sub(q[k], p[k])
		c[k].Add(p[k], c[k].Mul(c[k], t))
	}
	return s.point(&c)
}

// through is the point where the edge from a to b, whose ends lie on different
// sides of it, goes through the plane of triangle t.
func (s *space) through(a, b, t int32) int32 {
	if a > b {
		a, b = b, a
	}
	cache := [3]int32{a, b, t}
	if i, is := s.crossed[cache]; is {
		return i
	}
	v := s.m.Triangles[t]
	p, q, r := s.fractions(v[0]), s.fractions(v[1]), s.fractions(v[2])
	n := cross(minus(q, p), minus(r, p))
	da, db := dot(n, minus(s.fractions(a), p)), dot(n, minus(s.fractions(b), p))
	i := s.along(a, b, da.Quo(da, new(big.Rat).Sub(da, db)))
	s.crossed[cache] = i
	return i
}

func minus(a, b *[3]*big.Rat) *[3]*big.Rat {
	return &[3]*big.Rat{new(big.Rat).Sub(a[0], b[0]), new(big.Rat).Sub(a[1], b[1]), new(big.Rat).Sub(a[2], b[2])}
}

func product(a, b, c, d *big.Rat) *big.Rat { // a·b - c·d
	x, y := new(big.Rat).Mul(a, b), new(big.Rat).Mul(c, d)
	return x.Sub(x, y)
}

func cross(a, b *[3]*big.Rat) *[3]*big.Rat {
	return &[3]*big.Rat{product(a[1], b[2], a[2], b[1]), product(a[2], b[0], a[0], b[2]), product(a[0], b[1], a[1], b[0])}
}

func dot(a, b *[3]*big.Rat) *big.Rat {
	sum := new(big.Rat)
	for k := range a {
		sum.Add(sum, new(big.Rat).Mul(a[k], b[k]))
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

// turn is +1 when a, b, c run anticlockwise in the view, -1 clockwise, 0 when
// they lie on a line. A filter on the rounded coordinates decides most.
func (s *space) turn(w view, a, b, c int32) int {
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
	P, Q, R := s.fractions(a), s.fractions(b), s.fractions(c)
	sub := func(x, y *big.Rat) *big.Rat { return new(big.Rat).Sub(x, y) }
	return product(sub(Q[w.u], P[w.u]), sub(R[w.v], P[w.v]), sub(Q[w.v], P[w.v]), sub(R[w.u], P[w.u])).Sign()
}

// less orders points along the line through a and b, from a on.
func (s *space) less(a, b, p, q int32) bool {
	d := s.at[b].Sub(s.at[a])
	x, y := d.Dot(s.at[p].Sub(s.at[a])), d.Dot(s.at[q].Sub(s.at[a]))
	most := max(largest(s.at[a]), largest(s.at[b]))
	if bound := 0x1p-48 * most * (math.Abs(d.X) + math.Abs(d.Y) + math.Abs(d.Z)); math.Abs(x-y) > bound {
		return x < y
	}
	D := minus(s.fractions(b), s.fractions(a))
	return dot(D, minus(s.fractions(p), s.fractions(q))).Sign() < 0
}

func largest(v geom.Vec) float64 { return max(math.Abs(v.X), math.Abs(v.Y), math.Abs(v.Z)) }

// between reports whether p, on the line through a and b, lies between them or
// is one of them.
func (s *space) between(a, b, p int32) bool {
	return p == a || p == b || !s.less(a, b, p, a) && !s.less(a, b, b, p)
}
