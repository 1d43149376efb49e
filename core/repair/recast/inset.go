package recast

import (
	"context"
	"math"

	"veneer/core/geom"
	"veneer/core/mesh"
	"veneer/core/spatial"
)

// Inset draws the skin of what lies deeper than so many mm within a closed surface,
// whose positions are rounded to float32: a solid that is everywhere about that far
// from the surface, facing outward, free of crossings. The error is ErrNothing when
// nothing lies so deep.
//
// Idea: a distance changes by no more than the way that one goes. So one distance, from
// the middle of a block of the lattice, often decides for all of its points at once; a
// block that it leaves open is halved. Where a line of the lattice goes from deep to
// shallow its crossing is found by the slope of the distance. What that gives is drawn as
// any other skin, but for its points, which lie in the middle of their crossings: where
// the depth creases, the skin is rounded, a little deeper, and has no folds. What would be
// thinner than a cell is left solid.
//
// Cost: the lattice's, and about 15 nearest points for each cell that the new skin passes
// through; blocks of their own on all cores, the same result for any number of them.
func Inset(ctx context.Context, m *mesh.Mesh, depth float64, set Settings, progress func(stage string, done float64)) (*mesh.Mesh, error) {
	if progress == nil {
		progress = func(string, float64) {}
	}
	set.GapMM = 0
	l, err := fit(m.Bounds(), set)
	if err != nil {
		return nil, err
	}
	progress("inside and outside", 0)
	f, err := newField(ctx, l, m)
	if err != nil {
		return nil, err
	}
	progress("deep and shallow", 0.1)
	f.smooth, f.lines = true, [3]lines{} // the surface itself is not drawn
	tree := spatial.New(m, func(t int32) bool { return !m.ZeroArea(t) })
	if err := f.keepDeep(ctx, tree, depth); err != nil {
		return nil, err
	}
	f.inside = f.inside.opened(&f.lattice)
	along, err := f.followDepth(ctx, tree, depth)
	if err != nil {
		return nil, err
	}
	progress("skin", 0.4)
	return f.finish(ctx, along, set, progress)
}

const block = 16 // points along a side of what is decided at a time

// keepDeep leaves those points inside that are at least so far from the surface.
func (f *field) keepDeep(ctx context.Context, tree *spatial.Tree, depth float64) error {
	layers := (f.n[2] + block - 1) / block
	return f.inChunksOf(ctx, 1, layers, func() func(k int) {
		return func(k int) {
			for j := 0; j < f.n[1]; j += block {
				for i := 0; i < f.n[0]; i += block {
					low := [3]int{i, j, k * block}
					f.keepDeepIn(tree, depth, low, [3]int{min(i+block, f.n[0]), min(j+block, f.n[1]), min(low[2]+block, f.n[2])})
				}
			}
		}
	})
}

// keepDeepIn does so with the points from low (included) to high (not included).
func (f *field) keepDeepIn(tree *spatial.Tree, depth float64, low, high [3]int) {
	if !f.anyInside(low, high) {
		return
	}
	var middle, half [3]float64
	longest := 0
	for axis := range 3 {
		a, b := f.at(axis, low[axis]), f.at(axis, high[axis]-1)
		middle[axis], half[axis] = (a+b)/2, (b-a)/2
		if high[axis]-low[axis] > high[longest]-low[longest] {
			longest = axis
		}
	}
	reach := math.Sqrt(half[0]*half[0] + half[1]*half[1] + half[2]*half[2])
	near, _, d := tree.Nearest(geom.Vec{X: middle[0], Y: middle[1], Z: middle[2]}, depth+reach)
	switch {
	case near < 0: // all of it is deep
	case d+reach < depth:
		for k := low[2]; k < high[2]; k++ {
			for j := low[1]; j < high[1]; j++ {
				for i := low[0]; i < high[0]; i++ {
					f.inside.set(i, j, k, false)
				}
			}
		}
	case high[longest]-low[longest] == 1:
		f.inside.set(low[0], low[1], low[2], f.inside.inside(low[0], low[1], low[2]) && d >= depth)
	default:
		at := (low[longest] + high[longest]) / 2
		end, begin := high, low
		end[longest], begin[longest] = at, at
		f.keepDeepIn(tree, depth, low, end)
		f.keepDeepIn(tree, depth, begin, high)
	}
}

func (f *field) anyInside(low, high [3]int) bool {
	for k := low[2]; k < high[2]; k++ {
		for j := low[1]; j < high[1]; j++ {
			for i := low[0]; i < high[0]; i++ {
				if f.inside.inside(i, j, k) {
					return true
				}
			}
		}
	}
	return false
}

// followDepth finds where the edges of the lattice cross the depth.
func (f *field) followDepth(ctx context.Context, tree *spatial.Tree, depth float64) (along [3][][]crossing, err error) {
	for axis := range 3 {
		along[axis] = make([][]crossing, f.n[2])
		if err := f.inChunksOf(ctx, 8, f.n[2], func() func(k int) {
			return func(k int) {
				f.eachCrossed(axis, k)(func(cell int) {
					x := f.depthOn(tree, depth, axis, [3]int{cell % f.n[0], cell / f.n[0], k})
					along[axis][k] = append(along[axis][k], crossing{int32(cell), -1, x})
				})
			}
		}); err != nil {
			return along, err
		}
	}
	return along, nil
}

// depthOn is where along an edge the surface is so far away. The distance's slope along
// the edge is the share that the edge has in the way to the surface.
func (f *field) depthOn(tree *spatial.Tree, depth float64, axis int, low [3]int) (x float64) {
	p := f.point(low).Array()
	from, to := p[axis], p[axis]+f.step
	rises := !f.inside.inside(low[0], low[1], low[2]) // from its low end
	x = (from + to) / 2
	for range 3 {
		p[axis] = x
		at := geom.Vec{X: p[0], Y: p[1], Z: p[2]}
		_, on, d := tree.Nearest(at, depth+2*f.step) // an end of the edge is not as deep
		if (d < depth) == rises {                    // the crossing lies above
			from = x
		} else {
			to = x
		}
		slope := -on.Sub(at).Unit().Array()[axis]
		if next := x + (depth-d)/slope; (slope > 0) == rises && from <= next && next <= to {
			x = next
		} else {
			x = (from + to) / 2
		}
	}
	return x
}
