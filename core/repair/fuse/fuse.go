// Package fuse makes one skin of closed surfaces that pass through each other,
// lie face to face or within one another: what is inside any of them is inside.
//
// The idea (after Zhou, Grinspun, Zorin, Jacobson, "Mesh Arrangements for Solid
// Geometry", 2016): all triangles are cut along the lines in which they meet, in
// exact arithmetic, so that pieces only touch along whole edges. Pieces that hang
// together away from those lines have the same number of surfaces around them on
// either side (the winding number), which a ray counts exactly. The pieces with
// inside on one side and outside on the other are the skin. Triangles that meet
// nothing stay as they are, bit by bit. Points where triangles cut are rounded to
// float32 at the end; when rounding makes pieces meet anew, the whole is done
// again on the result, until nothing meets.
//
// Cost: O(t log t) for the pairs, a few tens of µs for each triangle that is cut
// into few pieces, O(n²) for one cut into n, and a ray for each patch.
package fuse

import (
	"cmp"
	"context"
	"errors"
	"math"
	"math/big"
	"slices"

	"veneer/core/geom"
	"veneer/core/mesh"
	"veneer/core/spatial"
)

const (
	mostPairs  = 1_500_000 // of triangles that meet
	mostWork   = 5_000_000 // pairs of segments within triangles that may meet, and edges swapped, all together
	mostRounds = 12        // of cutting and rounding
)

// Errors of surfaces that this method does not take, or does not bring to an end.
var (
	ErrOpen     = errors.New("a surface is open; only closed ones can be fused")
	ErrTooMany  = errors.New("too many triangles pass through each other to be cut exactly")
	ErrRounding = errors.New("rounding to the file's precision makes pieces meet again and again")
)

// Change is what fusing did.
type Change struct {
	Cut    int // triangles that were cut
	Pieces int // into so many
	Gone   int // triangles and pieces that lay inside, or twice
	Rounds int
}

// Run fuses a closed mesh, one whose edges are run through as often one way as the
// other, rounded to float32, and without triangles of no area; clean takes those out that rounding makes at last.
// The mesh is changed in place, and left as it is when no two triangles meet.
func Run(ctx context.Context, m *mesh.Mesh, clean func(*mesh.Mesh), progress func(done float64)) (c Change, err error) {
	last := math.MaxInt
	for c.Rounds < mostRounds {
		if progress != nil {
			progress(float64(c.Rounds) / mostRounds)
		}
		if !balanced(m) {
			return c, ErrOpen
		}
		flat := make([]bool, len(m.Triangles)) // rounding makes some; the triangles beside them are cut at their corners, and they go
		for t := range flat {
			flat[t] = m.ZeroArea(int32(t))
		}
		tree := spatial.New(m, func(t int32) bool { return !flat[t] })
		meet, err := tree.Crossings(ctx, mostPairs, nil)
		switch {
		case err != nil:
			return c, err
		case meet.AtLeast:
			return c, ErrTooMany
		case len(meet.Pairs) == 0:
			clean(m)
			return c, nil
		}
		if c.Rounds > 2 && len(meet.Pairs) >= last { // cutting and rounding go in a circle
			collapse(m, meet.Pairs)
			last = math.MaxInt
			c.Rounds++
			continue
		}
		last = len(meet.Pairs)
		c.Rounds++
		if err := round(ctx, m, tree, flat, meet.Pairs, union, &c); err != nil {
			return c, err
		}
	}
	return c, ErrRounding
}

// collapse makes one point of the ends of the shortest edge of each triangle that
// still meets another, where that is a hair long: rounding cannot tell the two
// sides apart there. What was closed stays closed.
func collapse(m *mesh.Mesh, pairs []spatial.Pair) {
	hair := 1e-4 * m.Bounds().Size().Length()
	for _, p := range pairs {
		for _, t := range p {
			v := m.Triangles[t]
			best, shortest := 0, math.Inf(1)
			for k := range 3 {
				if d := m.Positions[v[k]].Distance(m.Positions[v[(k+1)%3]]); d < shortest {
					best, shortest = k, d
				}
			}
			if shortest < hair {
				m.Positions[v[(best+1)%3]] = m.Positions[v[best]]
			}
		}
	}
	m.Weld()
	m.Keep(func(t int32) bool { return !m.RepeatsVertex(t) })
}

// solid tells what is inside: of is the set of surfaces that each triangle
// belongs to, nil when there is one set only, and inside says so by how many
// surfaces of each set are around a place.
type solid struct {
	of     []uint8
	inside func(around [sets]int) bool
}

// sets of surfaces that are told apart, at most.
const sets = 3

// union is what any of the surfaces encloses.
var union = solid{inside: func(around [sets]int) bool { return around[0] >= 1 }}

// set is the set of surfaces that a triangle belongs to.
func (s *solid) set(t int32) uint8 {
	if s.of == nil {
		return 0
	}
	return s.of[t]
}

// Replace makes one skin of what m encloses outside of a region and by encloses
// within it, all three as Run takes them; m becomes that skin. Where the two
// differ on the region's border, the border itself joins them.
func Replace(ctx context.Context, m, region, by *mesh.Mesh, clean func(*mesh.Mesh), progress func(done float64)) (c Change, err error) {
	what := solid{of: make([]uint8, len(m.Triangles)), inside: func(around [sets]int) bool {
		if around[1] >= 1 {
			return around[2] >= 1
		}
		return around[0] >= 1
	}}
	for set, other := range []*mesh.Mesh{region, by} {
		m.Join(other)
		for range other.Triangles {
			what.of = append(what.of, uint8(set+1))
		}
	}
	m.Weld()
	if !balanced(m) {
		return c, ErrOpen
	}
	tree := spatial.New(m, nil)
	meet, err := tree.Crossings(ctx, mostPairs, nil)
	switch {
	case err != nil:
		return c, err
	case meet.AtLeast:
		return c, ErrTooMany
	}
	if err := round(ctx, m, tree, make([]bool, len(m.Triangles)), meet.Pairs, what, &c); err != nil {
		return c, err
	}
	rest, err := Run(ctx, m, clean, progress)
	c.Rounds = 1 + rest.Rounds
	return c, err
}

// balanced reports whether every edge is run through as often one way as the other.
func balanced(m *mesh.Mesh) bool {
	topo := mesh.NewTopology(m)
	for e := range int32(topo.Edges()) {
		if topo.Net(e) != 0 {
			return false
		}
	}
	return true
}

// round cuts, sorts inside from outside, keeps the skin, and rounds it.
func round(ctx context.Context, m *mesh.Mesh, tree *spatial.Tree, isFlat []bool, pairs []spatial.Pair, what solid, c *Change) error {
	s := newSpace(m)
	of := map[int32]*cuts{}
	flat := map[int32][]int32{} // triangles in one plane that meet
	for _, p := range pairs {
		for _, t := range p {
			if of[t] == nil {
				for _, v := range m.Triangles[t] {
					s.enter(v)
				}
				of[t] = &cuts{}
			}
		}
	}
	for i, p := range pairs {
		if i%256 == 0 && ctx.Err() != nil {
			return ctx.Err()
		}
		if s.meet(p[0], p[1], of) {
			flat[p[0]], flat[p[1]] = append(flat[p[0]], p[1]), append(flat[p[1]], p[0])
		}
	}
	list := make([]int32, 0, len(of))
	for t := range of {
		list = append(list, t)
	}
	slices.Sort(list)
	work := mostWork

	// sub is the arrangement: the triangles that are not cut, and the pieces.
	sub := &mesh.Mesh{}
	var from []int32
	add := func(t int32, v mesh.Triangle) {
		sub.Triangles = append(sub.Triangles, v)
		from = append(from, t)
	}
	for t, v := range m.Triangles {
		if of[int32(t)] == nil && !isFlat[t] {
			add(int32(t), v)
		}
	}
	for _, t := range list {
		if ctx.Err() != nil {
			return ctx.Err()
		}
		made := s.divide(t, of[t], &work)
		if made == nil {
			return ErrTooMany
		}
		if len(made) > 1 {
			c.Cut++
			c.Pieces += len(made)
		}
		for _, v := range made {
			add(t, v)
		}
	}
	sub.Positions = s.at
	a := &arrangement{s: s, tree: tree, sub: sub, from: from, flat: flat, solid: what}
	keep, err := a.skin(ctx)
	if err != nil {
		return err
	}
	result := m.Blank(s.at)
	for i, v := range sub.Triangles {
		if keep[i] == 0 {
			c.Gone++
			continue
		}
		result.Paint(v, m, from[i])
		if keep[i] < 0 {
			result.Turn(int32(len(result.Triangles) - 1))
		}
	}
	*m = *result
	m.Round()
	m.Keep(func(t int32) bool { return !m.RepeatsVertex(t) })
	return nil
}

// arrangement is all pieces, and what each was cut from.
type arrangement struct {
	s    *space
	tree *spatial.Tree
	sub  *mesh.Mesh
	from []int32
	flat map[int32][]int32
	solid
}

// skin tells of each piece whether it belongs to the skin: 1 as it faces, -1
// turned around, 0 not at all.
func (a *arrangement) skin(ctx context.Context) ([]int8, error) {
	sub := a.sub
	keep := make([]int8, len(sub.Triangles))
	stack := make([][sets]int, len(sub.Triangles)) // how many surfaces of each set a piece stands for, by their facing
	dropped := make([]bool, len(sub.Triangles))
	for i, t := range a.from {
		stack[i][a.set(t)] = 1
		for _, u := range a.flat[t] {
			if !a.within(int32(i), u) {
				continue
			}
			if u < t {
				dropped[i] = true // the other's piece stands for both
				break
			}
			if a.s.m.AreaNormal(t).Dot(a.s.m.AreaNormal(u)) > 0 {
				stack[i][a.set(u)]++
			} else {
				stack[i][a.set(u)]--
			}
		}
	}
	there := &mesh.Mesh{Positions: sub.Positions, Triangles: slices.Clone(sub.Triangles)}
	for i, gone := range dropped {
		if gone {
			there.Triangles[i] = mesh.Triangle{}
		}
	}
	topo := mesh.NewTopology(there)
	patch := mesh.NewForest(len(there.Triangles))
	for e := range int32(topo.Edges()) {
		if halves := topo.Halves(e); len(halves) == 2 && stack[halves[0]/3] == stack[halves[1]/3] && !topo.SameWay(halves[0], halves[1]) {
			patch.Join(halves[0]/3, halves[1]/3)
		}
	}
	largest := map[int32]int32{} // by the patch's root: its largest piece
	area := map[int32]float64{}
	var roots []int32
	for i := range int32(len(there.Triangles)) {
		if dropped[i] {
			continue
		}
		r := patch.Root(i)
		x := sub.AreaNormal(i).Length()
		if best, known := area[r]; !known || x > best {
			if !known {
				roots = append(roots, r)
			}
			area[r], largest[r] = x, i
		}
	}
	side := map[int32]int8{}
	for n, r := range roots {
		if n%32 == 0 && ctx.Err() != nil {
			return nil, ctx.Err()
		}
		i := largest[r]
		above, err := a.winding(i)
		if err != nil {
			return nil, err
		}
		below := above
		for set, n := range stack[i] {
			below[set] += n
		}
		switch in := a.inside(below); {
		case in == a.inside(above):
		case in:
			side[r] = 1
		default:
			side[r] = -1
		}
	}
	for i := range keep {
		if !dropped[i] {
			keep[i] = side[patch.Root(int32(i))]
		}
	}
	return keep, nil
}

// middle is the middle of a piece.
func (a *arrangement) middle(i int32) *whole {
	v := a.sub.Triangles[i]
	p, q, r := a.s.whole(v[0]), a.s.whole(v[1]), a.s.whole(v[2])
	mul := func(x, y, z *big.Int) *big.Int { m := new(big.Int).Mul(x, y); return m.Mul(m, z) }
	var c whole
	for k := range 3 {
		c[k] = mul(p[k], q[3], r[3])
		c[k].Add(c[k], mul(q[k], r[3], p[3]))
		c[k].Add(c[k], mul(r[k], p[3], q[3]))
	}
	c[3] = mul(p[3], q[3], r[3])
	c[3].Mul(c[3], big.NewInt(3))
	return &c
}

// within reports whether a piece lies in triangle u of its plane; it does not
// cross its border.
func (a *arrangement) within(i, u int32) bool {
	s := a.s
	v, w := a.sub.Triangles[i], s.m.Triangles[u]
	plane := viewOf(s.m.AreaNormal(u))
	// All three corners in u or on its border, and not all on one edge of it.
	for _, p := range v {
		if !s.holds(plane, w, p) {
			return false
		}
	}
	return true
}

// directions that rays take, none along anything that people draw.
var directions = [][3]int64{{3672, 5441, 7544}, {-6117, 2213, 7595}, {1337, -8912, 4334}, {8531, -1273, -5061}, {-2239, -4801, 8482}, {5077, 7123, -4847}, {-7919, 5563, -2521}}

// winding counts the surfaces of each set around the side of a piece that it
// faces to: those that a ray from its middle leaves, less those that it enters.
func (a *arrangement) winding(i int32) (around [sets]int, err error) {
	own := a.from[i]
	normal := a.s.m.AreaNormal(own)
	r := ray{exact: a.middle(i)}
	r.from = a.s.rounded(r.exact)
	for _, d := range directions {
		r.dir = geom.Vec{X: float64(d[0]), Y: float64(d[1]), Z: float64(d[2])}
		along := r.dir.Dot(normal)
		if math.Abs(along) < 0.05*normal.Length()*r.dir.Length() {
			continue
		}
		if along < 0 {
			r.dir = r.dir.Scale(-1)
			d = [3]int64{-d[0], -d[1], -d[2]}
		}
		r.way = &whole{big.NewInt(d[0]), big.NewInt(d[1]), big.NewInt(d[2]), one}
		count, sure := around, true
		a.tree.Along(r.from, r.dir, func(t int32) bool {
			if t == own || slices.Contains(a.flat[own], t) {
				return true
			}
			hit, decided := a.leaves(t, &r)
			count[a.set(t)] += hit
			sure = decided
			return sure
		})
		if sure {
			return count, nil
		}
	}
	return around, errors.New("no ray from a piece passes clear of all edges")
}

// ray starts at a point, given exactly and rounded, and goes in a direction of
// whole numbers.
type ray struct {
	from, dir  geom.Vec
	exact, way *whole
}

// leaves is 1 when the ray leaves the surface through triangle t, -1 when it
// enters, 0 when it passes by; it is not decided when the ray meets the border.
func (a *arrangement) leaves(t int32, r *ray) (int, bool) {
	m := a.s.m
	v := m.Triangles[t]
	var p [3]geom.Vec
	most := largest(r.from)
	for k := range p {
		most = max(most, largest(m.Positions[v[k]]))
		p[k] = m.Positions[v[k]].Sub(r.from)
	}
	var s [3]int
	for k := range s {
		x, y := p[k], p[(k+1)%3]
		det := r.dir.Dot(x.Cross(y))
		bound := 0x1p-46 * largest(r.dir) * most * (largest(x) + largest(y) + 0x1p-46*most)
		switch {
		case det > bound:
			s[k] = 1
		case det < -bound:
			s[k] = -1
		default:
			s[k] = dot(r.way, cross(minus(a.s.whole(v[k]), r.exact), minus(a.s.whole(v[(k+1)%3]), r.exact))).Sign()
		}
	}
	if s[0]*s[1] < 0 || s[1]*s[2] < 0 || s[2]*s[0] < 0 {
		return 0, true
	}
	if s == [3]int{} {
		return 0, false // in the triangle's plane
	}
	facing := cmp.Compare(s[0]+s[1]+s[2], 0)
	if !a.ahead(v, r, facing) {
		return 0, true
	}
	if s[0] == 0 || s[1] == 0 || s[2] == 0 {
		return 0, false // on its border
	}
	return facing, true
}

// ahead reports whether the triangle's plane is met ahead of the ray's start,
// for a triangle that faces along the ray when facing is 1, against it when -1.
func (a *arrangement) ahead(v [3]int32, r *ray, facing int) bool {
	m := a.s.m
	p := m.Positions[v[0]]
	n := m.Positions[v[1]].Sub(p).Cross(m.Positions[v[2]].Sub(p))
	d := p.Sub(r.from)
	most := max(largest(p), largest(m.Positions[v[1]]), largest(m.Positions[v[2]]), largest(r.from))
	if x := n.Dot(d); math.Abs(x) > 0x1p-44*most*most*(largest(d)+0x1p-44*most) {
		return (x > 0) == (facing > 0)
	}
	q := a.s.whole(v[0])
	normal := cross(minus(a.s.whole(v[1]), q), minus(a.s.whole(v[2]), q))
	return dot(normal, minus(q, r.exact)).Sign() == facing
}
