package decimate

import (
	"context"
	"runtime"
	"slices"

	"golang.org/x/sync/errgroup"

	"veneer/core/geom"
	"veneer/core/mesh"
)

// state is a mesh on the way, with what its vertices remember.
type state struct {
	m       *mesh.Mesh
	quadric []Quadric
	moved   []float32
	known   bool // the quadrics are of a surface that the mesh was drawn around
}

// clone copies what work uses up.
func (s *state) clone() *state {
	return &state{s.m, slices.Clone(s.quadric), slices.Clone(s.moved), s.known}
}

// begin is the state of a mesh that nothing was done to. Vertices whose planes are
// not known stand for those of their triangles.
func begin(m *mesh.Mesh, known []Quadric) *state {
	s := &state{m, make([]Quadric, len(m.Positions)), make([]float32, len(m.Positions)), known != nil}
	copy(s.quadric, known)
	for _, v := range m.Triangles {
		q := planeOf(m.Positions, v)
		for _, u := range v {
			if int(u) >= len(known) || known[u].weight == 0 {
				s.quadric[u].Add(&q)
			}
		}
	}
	return s
}

const (
	blocksAside = 4      // blocks along each side of the mesh's box
	worthBlocks = 50_000 // triangles from which on it is done in blocks first
)

// blocks are pieces of a mesh, each what lies in one block of space, that are made
// lighter by themselves, their rims kept.
//
// Idea: blocks are small enough to stay near the processor, and several are done
// side by side; what is left to do across their rims is little. They are the same
// whatever the number of cores. The rim keeps the planes that it took over.
type blocks struct {
	s         *state
	tolerance float64
	fixed     []bool // vertices that stay, those of rims among them
	of        []int8 // the block of each vertex
	local     []int32
	parts     [manyBlocks + 1][]int32 // triangles of each block, and of none
	members   [manyBlocks][]int32     // vertices of triangles of each block
	made      [manyBlocks]*work       // nil when it is to be done
}

const manyBlocks = blocksAside * blocksAside * blocksAside

func newBlocks(s *state, fixed []bool, tolerance float64) *blocks {
	m := s.m
	b := &blocks{s: s, tolerance: tolerance, fixed: append([]bool(nil), fixed...), of: make([]int8, len(m.Positions)), local: make([]int32, len(m.Positions))}
	box := m.Bounds()
	size, low := box.Size().Array(), box.Min.Array()
	for v, p := range m.Positions {
		n := 0
		for k, x := range p.Array() {
			n *= blocksAside
			if size[k] > 0 {
				n += min(int((x-low[k])/size[k]*blocksAside), blocksAside-1)
			}
		}
		b.of[v], b.local[v] = int8(n), -1
	}
	for t, v := range m.Triangles {
		n := int(b.of[v[0]])
		if b.of[v[1]] != b.of[v[0]] || b.of[v[2]] != b.of[v[0]] {
			n = manyBlocks
			b.fixed[v[0]], b.fixed[v[1]], b.fixed[v[2]] = true, true, true
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

// run does the blocks that are to be done.
func (b *blocks) run(ctx context.Context) error {
	g, ctx := errgroup.WithContext(ctx)
	g.SetLimit(runtime.GOMAXPROCS(0))
	for n := range b.made {
		if b.made[n] == nil {
			g.Go(func() error {
				b.made[n] = b.begin(n)
				return b.made[n].run(ctx, 0, nil)
			})
		}
	}
	return g.Wait()
}

// begin is the work on one block.
func (b *blocks) begin(n int) *work {
	m, list := b.s.m, b.members[n]
	part := &state{m: m.Blank(make([]geom.Vec, len(list))), quadric: make([]Quadric, len(list)), moved: make([]float32, len(list)), known: b.s.known}
	keep := make([]bool, len(list))
	for i, u := range list {
		part.m.Positions[i], part.quadric[i], part.moved[i], keep[i] = m.Positions[u], b.s.quadric[u], b.s.moved[u], b.fixed[u]
	}
	for _, t := range b.parts[n] {
		v := m.Triangles[t]
		part.m.Take(mesh.Triangle{b.local[v[0]], b.local[v[1]], b.local[v[2]]}, m, t)
	}
	return newWork(part, keep, b.tolerance)
}

// again has the blocks done anew that hold one of the vertices, which stay from
// now on.
func (b *blocks) again(list []int32) {
	for _, v := range list {
		b.fixed[v] = true
		b.made[b.of[v]] = nil
	}
}

// together is the whole mesh again, vertices in the order of the blocks, and
// which of its vertices each old one went into, -1 for none.
func (b *blocks) together() (whole *state, from []int32) {
	m := b.s.m
	whole = &state{m: m.Blank(nil), known: b.s.known}
	from = make([]int32, len(m.Positions))
	for v := range from {
		from[v] = -1
	}
	add := func(p geom.Vec, q Quadric, moved float32) int32 {
		whole.m.Positions = append(whole.m.Positions, p)
		whole.quadric = append(whole.quadric, q)
		whole.moved = append(whole.moved, moved)
		return int32(len(whole.m.Positions) - 1)
	}
	for n, w := range b.made {
		for i, u := range b.members[n] {
			if w.into[i] < 0 {
				from[u] = add(w.at[i], w.quadric[i], w.moved[i])
			}
		}
		for i, u := range b.members[n] {
			from[u] = from[b.members[n][w.end(int32(i))]]
		}
		for i, v := range w.tri {
			if v[0] >= 0 {
				list := b.members[n]
				whole.m.Take(mesh.Triangle{from[list[v[0]]], from[list[v[1]]], from[list[v[2]]]}, m, b.parts[n][i])
			}
		}
	}
	for _, t := range b.parts[manyBlocks] {
		v := m.Triangles[t]
		for c, u := range v {
			if from[u] < 0 {
				from[u] = add(m.Positions[u], b.s.quadric[u], b.s.moved[u])
			}
			v[c] = from[u]
		}
		whole.m.Take(v, m, t)
	}
	return whole, from
}
