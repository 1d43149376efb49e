package decimate

import (
	"context"
	"runtime"
	"slices"

	"golang.org/x/sync/errgroup"

	"veneer/core/geom"
	"veneer/core/mesh"
	"veneer/core/spatial"
)

// state is a mesh on the way, with what its vertices remember.
type state struct {
	m       *mesh.Mesh
	quadric []Quadric
	moved   []float32     // of vertices, when the planes are known
	points  *points       // of the surface at first, when a tolerance was asked for
	share   []float32     // of the tolerance, for each of these points by its number; nearly for all when nil
	first   *spatial.Tree // over the surface at first, when there are points
	crossed []bool        // vertices of triangles that crossed others from the start; nil for none
	border  *border       // nil when it is not known yet
	looked  bool          // it is known what crossed from the start
	careful bool          // blocks are looked at for crossings too
	known   bool          // the quadrics are of a surface that the mesh was drawn around, or stand for it
	given   bool          // some of them are of that surface indeed
	varied  bool          // colours or textures change within triangles
}

// clone copies what work uses up.
func (s *state) clone() *state {
	c := *s
	c.quadric, c.moved, c.points = slices.Clone(s.quadric), slices.Clone(s.moved), s.points.clone()
	return &c
}

// begin is the state of a mesh that nothing was done to. Vertices whose planes are
// not known stand for those of their triangles, and where they are on a border,
// for planes through it across them.
func begin(m *mesh.Mesh, known []Quadric) *state {
	s := &state{m: m, quadric: make([]Quadric, len(m.Positions)), known: known != nil, given: slices.ContainsFunc(known, func(q Quadric) bool { return q.weight > 0 }), careful: known != nil, varied: varied(m)}
	if s.known {
		s.moved = make([]float32, len(m.Positions))
	}
	copy(s.quadric, known)
	for _, v := range m.Triangles {
		q := planeOf(m.Positions, v)
		for _, u := range v {
			if int(u) >= len(known) || known[u].weight == 0 {
				s.quadric[u].Add(&q)
			}
		}
	}
	s.border = newBorder(m)
	for _, h := range s.border.edges {
		v := m.Triangles[h/3]
		a, b := v[h%3], v[(h+1)%3]
		if h%3 == 2 {
			b = v[0]
		}
		along := m.Positions[b].Sub(m.Positions[a])
		across := along.Cross(m.AreaNormal(h / 3))
		if l := across.Length(); l > 0 {
			q := Plane(m.Positions[a], across.Scale(1/l), along.Dot(along)/2)
			s.quadric[a].Add(&q)
			s.quadric[b].Add(&q)
		}
	}
	return s
}

const (
	mostAside   = 4       // blocks along each side of the mesh's box, at most
	perSide     = 250_000 // triangles for each block along a side, about
	worthBlocks = 50_000  // triangles from which on it is done in blocks first
	inBlocks    = 1.0 / 3 // of a tolerance is used up in blocks at most, to leave some for their rims

	// To a number of triangles, blocks are done until there are so many times as
	// many left, the rest being done on the whole; each time they go on, a block
	// loses so much of what it has at most.
	stopsAt   = 1.15
	mostAtOne = 0.12
	step      = buckets / octaves / 4 // and costs may grow so far before the blocks wait for one another
)

// blocks are pieces of a mesh, each what lies in one block of space, that are made
// lighter by themselves, their rims kept.
//
// Idea: blocks are small enough to stay near the processor, and several are done
// side by side; what is left to do across their rims is little. To a number of
// triangles they are done step by step, each time up to the same cost, until few
// enough are left in all. They are the same whatever the number of cores. The rim
// keeps the planes that it took over.
type blocks struct {
	s         *state
	border    *border
	tolerance float64
	aside     int    // blocks along a side
	limit     int    // the cost up to which they are done, as a bucket of the queue
	stay      []bool // vertices that stay, those of rims among them
	of        []int8 // the block of each vertex
	local     []int32
	parts     [manyBlocks + 1][]int32 // triangles of each block, and of none
	members   [manyBlocks][]int32     // vertices of triangles of each block
	made      [manyBlocks]*work       // nil when it is to be done anew
}

const manyBlocks = mostAside * mostAside * mostAside

func newBlocks(s *state, rims *border, tolerance float64) *blocks {
	m := s.m
	b := &blocks{s: s, border: rims, tolerance: tolerance, limit: everything, stay: make([]bool, len(m.Positions)), of: make([]int8, len(m.Positions)), local: make([]int32, len(m.Positions))}
	if !s.known {
		b.tolerance *= inBlocks
	}
	b.aside = min(max(len(m.Triangles)/perSide, 2), mostAside)
	box := m.Bounds()
	size, low := box.Size().Array(), box.Min.Array()
	for v, p := range m.Positions {
		n := 0
		for k, x := range p.Array() {
			n *= b.aside
			if size[k] > 0 {
				n += min(int((x-low[k])/size[k]*float64(b.aside)), b.aside-1)
			}
		}
		b.of[v], b.local[v] = int8(n), -1
	}
	for t, v := range m.Triangles {
		n := int(b.of[v[0]])
		if b.of[v[1]] != b.of[v[0]] || b.of[v[2]] != b.of[v[0]] {
			n = manyBlocks
			b.stay[v[0]], b.stay[v[1]], b.stay[v[2]] = true, true, true
		}
		b.parts[n] = append(b.parts[n], int32(t))
	}
	for n, part := range b.parts[:manyBlocks] {
		for _, t := range part {
			for _, u := range m.Triangles[t] {
				if b.local[u] < 0 {
					b.local[u] = int32(len(b.members[n]))
					b.members[n] = append(b.members[n], u)
				}
			}
		}
	}
	return b
}

// run does the blocks, until all of them together have about so many triangles,
// or as few as there may be for 0.
func (b *blocks) run(ctx context.Context, target int, progress func(float64)) error {
	each := func(do func(n int) error) error {
		g, ctx := errgroup.WithContext(ctx)
		g.SetLimit(runtime.GOMAXPROCS(0))
		for n := range b.made {
			g.Go(func() error {
				if ctx.Err() != nil {
					return ctx.Err()
				}
				return do(n)
			})
		}
		return g.Wait()
	}
	anew := b.limit < everything // how far to go is known
	err := each(func(n int) error {
		if b.made[n] != nil {
			return nil
		}
		b.made[n] = b.begin(n)
		if target == 0 || anew {
			return b.made[n].run(ctx, 0, b.limit, nil)
		}
		return nil
	})
	if err != nil {
		return err
	}
	if target == 0 || anew {
		b.rest()
		return nil
	}
	left := func() (sum int) {
		sum = len(b.parts[manyBlocks])
		for _, w := range b.made {
			sum += w.left
		}
		return sum
	}
	rims := len(b.parts[manyBlocks]) // and what is beside them stays as fine as it is
	for _, part := range b.parts[:manyBlocks] {
		for _, t := range part {
			if v := b.s.m.Triangles[t]; b.stay[v[0]] || b.stay[v[1]] || b.stay[v[2]] {
				rims++
			}
		}
	}
	whole, goal := left(), rims+int(stopsAt*float64(target))
	for b.limit = 0; left() > goal && b.limit < everything; {
		err := each(func(n int) error {
			w := b.made[n]
			return w.run(ctx, int((1-mostAtOne)*float64(w.left)), b.limit, nil)
		})
		if err != nil {
			return err
		}
		progress(float64(whole-left()) / float64(whole-goal))
		next := everything
		for _, w := range b.made {
			if w.left > 0 {
				next = min(next, w.queue.now)
			}
		}
		b.limit = max(b.limit, min(next+step, everything))
	}
	b.rest()
	return nil
}

// rest gives back what blocks that are done need no more.
func (b *blocks) rest() {
	for _, w := range b.made {
		w.queue, w.first, w.next, w.age, w.mark = queue{}, nil, nil, nil, nil
	}
}

// begin is the work on one block.
func (b *blocks) begin(n int) *work {
	m, list := b.s.m, b.members[n]
	part := &state{m: m.Blank(make([]geom.Vec, len(list))), quadric: make([]Quadric, len(list)), share: b.s.share, first: b.s.first, known: b.s.known, given: b.s.given, varied: b.s.varied}
	rims := &border{kind: make([]uint8, len(list)), along: make([][2]int32, len(list))}
	if b.s.known {
		part.moved = make([]float32, len(list))
	}
	if b.s.points != nil {
		part.points = &points{}
	}
	for i, u := range list {
		part.m.Positions[i], part.quadric[i], rims.kind[i] = m.Positions[u], b.s.quadric[u], b.border.kind[u]
		if b.stay[u] {
			rims.kind[i] = fixed
		}
		for k, next := range b.border.along[u] {
			if rims.along[i][k] = -1; next >= 0 && b.of[next] == int8(n) {
				rims.along[i][k] = b.local[next]
			}
		}
		if b.s.known {
			part.moved[i] = b.s.moved[u]
		}
	}
	for _, t := range b.parts[n] {
		v := m.Triangles[t]
		part.m.Take(mesh.Triangle{b.local[v[0]], b.local[v[1]], b.local[v[2]]}, m, t)
		if b.s.points != nil {
			part.points.take(b.s.points, t)
		}
		if b.border.chart != nil {
			rims.chart = append(rims.chart, b.border.chart[t])
		}
	}
	return newWork(part, rims, b.tolerance, true)
}

// again has the blocks done anew that hold one of the vertices, which stay from
// now on.
func (b *blocks) again(list []int32) {
	for _, v := range list {
		b.stay[v] = true
		b.made[b.of[v]] = nil
	}
}

// together is the whole mesh again, vertices in the order of the blocks, and
// which of its vertices each old one went into, -1 for none.
func (b *blocks) together() (whole *state, from []int32) {
	m := b.s.m
	whole = &state{m: m.Blank(nil), share: b.s.share, first: b.s.first, known: b.s.known, given: b.s.given, varied: b.s.varied}
	if b.s.points != nil {
		whole.points = &points{}
	}
	from = make([]int32, len(m.Positions))
	for v := range from {
		from[v] = -1
	}
	add := func(p geom.Vec, q Quadric) int32 {
		whole.m.Positions = append(whole.m.Positions, p)
		whole.quadric = append(whole.quadric, q)
		return int32(len(whole.m.Positions) - 1)
	}
	for n, w := range b.made {
		for i, u := range b.members[n] {
			if w.into[i] < 0 {
				if from[u] = add(w.at[i], w.quadric[i]); b.s.known {
					whole.moved = append(whole.moved, w.moved[i])
				}
			}
		}
		for i, u := range b.members[n] {
			from[u] = from[b.members[n][w.end(int32(i))]]
		}
		for i, v := range w.tri {
			if v[0] >= 0 {
				list := b.members[n]
				w.take(whole, mesh.Triangle{from[list[v[0]]], from[list[v[1]]], from[list[v[2]]]}, int32(i))
			}
		}
	}
	for _, t := range b.parts[manyBlocks] {
		v := m.Triangles[t]
		for c, u := range v {
			if from[u] < 0 {
				if from[u] = add(m.Positions[u], b.s.quadric[u]); b.s.known {
					whole.moved = append(whole.moved, b.s.moved[u])
				}
			}
			v[c] = from[u]
		}
		whole.m.Take(v, m, t)
		if b.s.points != nil {
			whole.points.take(b.s.points, t)
		}
	}
	return whole, from
}
