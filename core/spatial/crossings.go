package spatial

import (
	"context"
	"runtime"
	"sync"

	"veneer/core/geom"
	"veneer/core/mesh"
)

// Pair is two triangles, the lower number first.
type Pair [2]int32

// Crossings are the pairs of a tree's triangles that meet in more than the
// corners or the edge that they share.
type Crossings struct {
	Pairs   []Pair
	AtLeast bool // there may be more: the search ended at its limit
}

// Crossings finds the pairs of triangles that intersect: those that have a point
// in common which is no corner or edge of both. Touching counts, and so do
// triangles that lie on one another. All triangles of the tree must have area.
// At most limit pairs are returned. The pairs come in the same order whatever
// the number of cores.
//
// Idea: the tree is walked against itself, so that one overlap of boxes serves
// many triangles (Gottschalk, Lin, Manocha, "OBBTree", 1996, with itself). The
// walk is cut into pieces, a subtree with itself or two subtrees, done side by
// side and gathered in their order. Pairs whose boxes overlap are told apart
// exactly by package geom, mostly by its cheap tests. Cost O(t + box overlaps);
// about seven overlaps a triangle on ordinary surfaces, nearly all of them
// neighbours. done is told the share done, and may be nil.
func (tree *Tree) Crossings(ctx context.Context, limit int, done func(float64)) (Crossings, error) {
	pieces := tree.pieces()
	found := make([][]Pair, len(pieces))
	var mu sync.Mutex
	next, contiguous, sum := 0, 0, 0 // handed out; finished without a gap; pairs found in those
	finished := make([]bool, len(pieces))
	take := func() (int, bool) {
		mu.Lock()
		defer mu.Unlock()
		if next == len(pieces) || sum >= limit || ctx.Err() != nil {
			return 0, false
		}
		next++
		return next - 1, true
	}
	hand := func(i int) {
		mu.Lock()
		defer mu.Unlock()
		finished[i] = true
		for contiguous < len(pieces) && finished[contiguous] {
			sum += len(found[contiguous])
			contiguous++
		}
		if done != nil {
			done(float64(contiguous) / float64(len(pieces)))
		}
	}
	var workers sync.WaitGroup
	for range min(runtime.GOMAXPROCS(0), len(pieces)) {
		workers.Go(func() {
			w := walk{tree: tree, ctx: ctx, limit: limit}
			for i, more := take(); more; i, more = take() {
				w.pairs = nil
				w.do(pieces[i])
				found[i] = w.pairs
				hand(i)
			}
		})
	}
	workers.Wait()
	if err := ctx.Err(); err != nil {
		return Crossings{}, err
	}
	var c Crossings
	for _, pairs := range found[:contiguous] {
		c.Pairs = append(c.Pairs, pairs...)
	}
	if len(c.Pairs) >= limit {
		c.Pairs, c.AtLeast = c.Pairs[:limit], true
	}
	return c, nil
}

// piece is two nodes to compare, or one with itself.
type piece struct{ a, b int }

// pieces cuts the walk into parts that can be done side by side.
func (tree *Tree) pieces() (list []piece) {
	first := min(tree.leaves, 256) // nodes of one level
	for a := first; a < 2*first; a++ {
		for b := a; b < 2*first; b++ {
			if a == b || tree.nodes[a].overlaps(&tree.nodes[b]) {
				list = append(list, piece{a, b})
			}
		}
	}
	return list
}

// walk compares subtrees.
type walk struct {
	tree   *Tree
	ctx    context.Context
	limit  int
	pairs  []Pair
	looked int
}

// stopped reports whether to go no further.
func (w *walk) stopped() bool {
	if w.looked++; w.looked&0xfff == 0 && w.ctx.Err() != nil {
		return true
	}
	return len(w.pairs) >= w.limit
}

func (w *walk) do(p piece) {
	if p.a == p.b {
		w.within(p.a)
	} else {
		w.between(p.a, p.b)
	}
}

// within compares a subtree with itself.
func (w *walk) within(a int) {
	if a >= w.tree.leaves {
		from, to := w.tree.leaf(a)
		for i := from; i < to; i++ {
			w.row(i, i+1, to)
		}
		return
	}
	w.within(2 * a)
	w.within(2*a + 1)
	w.between(2*a, 2*a+1)
}

// between compares two subtrees of the same height.
func (w *walk) between(a, b int) {
	if !w.tree.nodes[a].overlaps(&w.tree.nodes[b]) || w.stopped() {
		return
	}
	if a >= w.tree.leaves {
		from, to := w.tree.leaf(a)
		first, last := w.tree.leaf(b)
		for i := from; i < to; i++ {
			if w.tree.boxes[i].overlaps(&w.tree.nodes[b]) {
				w.row(i, first, last)
			}
		}
		return
	}
	w.between(2*a, 2*b)
	w.between(2*a, 2*b+1)
	w.between(2*a+1, 2*b)
	w.between(2*a+1, 2*b+1)
}

// leaf is the range of a leaf's triangles.
func (tree *Tree) leaf(node int) (from, to int) {
	from = leafSize * (node - tree.leaves)
	return min(from, len(tree.order)), min(from+leafSize, len(tree.order))
}

// row compares one triangle with a range.
func (w *walk) row(i, from, to int) {
	b := &w.tree.boxes[i]
	for j := from; j < to; j++ {
		if !b.overlaps(&w.tree.boxes[j]) {
			continue
		}
		t, u := w.tree.order[i], w.tree.order[j]
		if Intersect(w.tree.Mesh, t, u) {
			w.pairs = append(w.pairs, Pair{min(t, u), max(t, u)})
		}
	}
}

// Meets reports whether a triangle with area, given by vertices of the tree's
// mesh, intersects any of the tree's.
func (tree *Tree) Meets(v mesh.Triangle) bool {
	if len(tree.order) == 0 {
		return false
	}
	b := boxOf(tree.Mesh, v)
	stack := append(make([]int, 0, 64), 1)
	for len(stack) > 0 {
		node := stack[len(stack)-1]
		stack = stack[:len(stack)-1]
		if !tree.nodes[node].overlaps(&b) {
			continue
		}
		if node < tree.leaves {
			stack = append(stack, 2*node, 2*node+1)
			continue
		}
		from, to := tree.leaf(node)
		for i := from; i < to; i++ {
			if tree.boxes[i].overlaps(&b) && intersect(tree.Mesh, v, tree.Mesh.Triangles[tree.order[i]]) {
				return true
			}
		}
	}
	return false
}

// Intersect reports whether two triangles with area have more in common than
// the corners or the edge that they share. Exact.
func Intersect(m *mesh.Mesh, t, u int32) bool { return intersect(m, m.Triangles[t], m.Triangles[u]) }

func intersect(m *mesh.Mesh, a, b mesh.Triangle) bool {
	p := m.Positions
	shared, i, j := 0, 0, 0 // i and j are the last corners that are the same
	sum := 0                // of the corners of t that are shared
	for k, v := range a {
		for l, w := range b {
			if v == w {
				shared, i, j, sum = shared+1, k, l, sum+k
			}
		}
	}
	switch shared {
	case 0:
		return geom.Meet(p[a[0]], p[a[1]], p[a[2]], p[b[0]], p[b[1]], p[b[2]])
	case 1:
		return geom.MeetAtCorner(p[a[i]], p[a[(i+1)%3]], p[a[(i+2)%3]], p[b[(j+1)%3]], p[b[(j+2)%3]])
	case 2:
		alone := 3 - sum // the corner of t that is not shared
		x, y := a[(alone+1)%3], a[(alone+2)%3]
		other := b[0]
		for _, v := range b {
			if v != x && v != y {
				other = v
			}
		}
		return geom.FoldAtEdge(p[x], p[y], p[a[alone]], p[other])
	}
	return true // the same triangle twice
}
