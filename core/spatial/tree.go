// Package spatial finds triangles by where they are: a tree of boxes over a
// mesh, and what is asked of it.
//
// The idea: triangles are put in Morton order (the bits of their middles'
// coordinates interleaved), four of them make a leaf, and a perfect binary tree
// stands on the leaves, its nodes numbered like a heap, so that there are no
// pointers and no decisions to make while building. Boxes are float32, rounded
// outward: they may hold too much but never too little, and every answer is
// decided on the float64 positions.
package spatial

import (
	"math"
	"math/bits"

	"golang.org/x/sync/errgroup"

	"veneer/core/mesh"
)

const leafSize = 4 // triangles of a leaf

// box is rounded outward; an empty one overlaps nothing.
type box struct{ min, max [3]float32 }

var emptyBox = func() (b box) {
	for k := range 3 {
		b.min[k], b.max[k] = float32(math.Inf(1)), float32(math.Inf(-1))
	}
	return b
}()

func (b *box) overlaps(c *box) bool {
	return b.min[0] <= c.max[0] && c.min[0] <= b.max[0] &&
		b.min[1] <= c.max[1] && c.min[1] <= b.max[1] &&
		b.min[2] <= c.max[2] && c.min[2] <= b.max[2]
}

func join(b, c *box) (d box) {
	for k := range 3 {
		d.min[k], d.max[k] = min(b.min[k], c.min[k]), max(b.max[k], c.max[k])
	}
	return d
}

// Tree stands over the triangles of a mesh that were chosen when it was built.
type Tree struct {
	Mesh   *mesh.Mesh
	order  []int32 // triangles in Morton order
	boxes  []box   // of the triangles, in that order
	nodes  []box   // node 1 is the root, node i has the children 2i and 2i+1
	leaves int     // a power of two: node leaves+k holds the triangles from leafSize·k on
}

// New builds the tree over the triangles for which keep is true; all when keep
// is nil. Cost O(t), a sort by counting included; about 50 bytes a triangle.
func New(m *mesh.Mesh, keep func(t int32) bool) *Tree {
	tree := &Tree{Mesh: m, order: make([]int32, 0, len(m.Triangles))}
	for t := range int32(len(m.Triangles)) {
		if keep == nil || keep(t) {
			tree.order = append(tree.order, t)
		}
	}
	tree.sort()
	tree.boxes = make([]box, len(tree.order))
	inPieces(len(tree.order), func(from, to int) {
		for i := from; i < to; i++ {
			tree.boxes[i] = boxOf(m, m.Triangles[tree.order[i]])
		}
	})
	tree.leaves = 1 << bits.Len(uint(max(len(tree.order)-1, 0)/leafSize))
	tree.nodes = make([]box, 2*tree.leaves)
	inPieces(tree.leaves, func(from, to int) {
		for k := from; k < to; k++ {
			b := emptyBox
			for i := leafSize * k; i < min(leafSize*(k+1), len(tree.order)); i++ {
				b = join(&b, &tree.boxes[i])
			}
			tree.nodes[tree.leaves+k] = b
		}
	})
	for i := tree.leaves - 1; i > 0; i-- {
		tree.nodes[i] = join(&tree.nodes[2*i], &tree.nodes[2*i+1])
	}
	return tree
}

// inPieces does work on two halves side by side; what it writes must belong to
// its own half.
func inPieces(n int, work func(from, to int)) {
	if n < 1<<14 {
		work(0, n)
		return
	}
	var g errgroup.Group
	g.Go(func() error { work(0, n/2); return nil })
	work(n/2, n)
	g.Wait() // there are no errors
}

func boxOf(m *mesh.Mesh, v mesh.Triangle) (b box) {
	p, q, r := m.Positions[v[0]], m.Positions[v[1]], m.Positions[v[2]]
	for k, v := range [3][3]float64{{p.X, q.X, r.X}, {p.Y, q.Y, r.Y}, {p.Z, q.Z, r.Z}} {
		b.min[k], b.max[k] = below(min(v[0], v[1], v[2])), above(max(v[0], v[1], v[2]))
	}
	return b
}

// below is the largest float32 that is not above x.
func below(x float64) float32 {
	f := float32(x)
	if float64(f) > x {
		f = math.Nextafter32(f, float32(math.Inf(-1)))
	}
	return f
}

func above(x float64) float32 { return -below(-x) }

const (
	mortonBits = 12 // of each coordinate
	indexBits  = 64 - 3*mortonBits
)

// sort puts the triangles in Morton order, those of one cell in mesh order. The
// key and the number of a triangle share one word.
func (tree *Tree) sort() {
	n := len(tree.order)
	box := tree.Mesh.Bounds()
	size := box.Size()
	side := max(size.X, size.Y, size.Z)
	scale := 0.0
	if side > 0 {
		scale = (1<<mortonBits - 1) / side
	}
	keys, spare := make([]uint64, n), make([]uint64, n)
	cell := func(x, low float64) uint64 { return spread(uint64(min(max((x-low)*scale, 0), 1<<mortonBits-1))) }
	inPieces(n, func(from, to int) {
		for i := from; i < to; i++ {
			t := tree.order[i]
			a, b, c := tree.Mesh.Corners(t)
			x, y, z := (a.X+b.X+c.X)/3, (a.Y+b.Y+c.Y)/3, (a.Z+b.Z+c.Z)/3
			key := cell(x, box.Min.X) | cell(y, box.Min.Y)<<1 | cell(z, box.Min.Z)<<2
			keys[i] = key<<indexBits | uint64(t)
		}
	})
	for digit := range 3 {
		shift := indexBits + digit*mortonBits
		var start [1 << mortonBits]int32
		for _, k := range keys {
			start[k>>shift&(1<<mortonBits-1)]++
		}
		sum := int32(0)
		for i, c := range start {
			start[i] = sum
			sum += c
		}
		for _, k := range keys {
			d := k >> shift & (1<<mortonBits - 1)
			spare[start[d]] = k
			start[d]++
		}
		keys, spare = spare, keys
	}
	for i, k := range keys {
		tree.order[i] = int32(k & (1<<indexBits - 1))
	}
}

// spread puts two zero bits between each two bits of a 12-bit number.
func spread(x uint64) uint64 {
	x = (x | x<<16) & 0x0000ff0000ff
	x = (x | x<<8) & 0x00f00f00f00f
	x = (x | x<<4) & 0x0c30c30c30c3
	return (x | x<<2) & 0x249249249249
}
