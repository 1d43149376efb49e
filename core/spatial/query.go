package spatial

import (
	"math"

	"veneer/core/geom"
)

// Ray finds the first triangle, other than skip, that the ray from o along the
// unit vector dir meets between the distances 0 (left out) and most. It returns
// -1 when there is none. Distances round; a ray through an edge meets at least
// one of its triangles, up to rounding. Cost O(log t) on ordinary surfaces.
func (tree *Tree) Ray(o, dir geom.Vec, most float64, skip int32) (hit int32, distance float64) {
	hit, distance = -1, most
	if len(tree.order) == 0 {
		return hit, distance
	}
	r := ray{origin: o.Array(), inverse: [3]float64{1 / dir.X, 1 / dir.Y, 1 / dir.Z}}
	var store [80]waiting
	stack := store[:0]
	if at := r.enters(&tree.nodes[1], distance); at >= 0 {
		stack = append(stack, waiting{1, at})
	}
	for len(stack) > 0 {
		next := stack[len(stack)-1]
		stack = stack[:len(stack)-1]
		if next.at >= distance {
			continue
		}
		node := int(next.node)
		if node < tree.leaves {
			l, m := waiting{node: int32(2 * node)}, waiting{node: int32(2*node + 1)}
			l.at, m.at = r.enters(&tree.nodes[l.node], distance), r.enters(&tree.nodes[m.node], distance)
			if l.at < m.at { // the nearer one is looked at first
				l, m = m, l
			}
			if l.at >= 0 {
				stack = append(stack, l)
			}
			if m.at >= 0 {
				stack = append(stack, m)
			}
			continue
		}
		from, to := tree.leaf(node)
		for i := from; i < to; i++ {
			if t := tree.order[i]; t != skip && r.enters(&tree.boxes[i], distance) >= 0 {
				if d := tree.meets(o, dir, t); d > 0 && d < distance {
					hit, distance = t, d
				}
			}
		}
	}
	return hit, distance
}

// ray is what the test against boxes needs of a ray.
type ray struct{ origin, inverse [3]float64 }

// waiting is a node and where the ray enters it.
type waiting struct {
	node int32
	at   float64
}

// enters is the distance at which the ray enters a box, at least 0; -1 when it
// does not within that distance; nobody enters an empty box. A ray along a side of the box gives 0·∞, which
// compares as false and so leaves the other sides to decide.
func (r *ray) enters(b *box, most float64) float64 {
	near, far := 0.0, most
	for k := range 3 {
		first, last := b.min[k], b.max[k]
		if r.inverse[k] < 0 {
			first, last = last, first
		}
		t, u := (float64(first)-r.origin[k])*r.inverse[k], (float64(last)-r.origin[k])*r.inverse[k]
		if t > near {
			near = t
		}
		if u < far {
			far = u
		}
	}
	if near > far {
		return -1
	}
	return near
}

// meets is the distance along a ray to a triangle, -1 when it passes by
// (Möller & Trumbore, "Fast, Minimum Storage Ray/Triangle Intersection", 1997).
func (tree *Tree) meets(o, dir geom.Vec, t int32) float64 {
	a, b, c := tree.Mesh.Corners(t)
	ab, ac := b.Sub(a), c.Sub(a)
	p := dir.Cross(ac)
	det := ab.Dot(p)
	if det == 0 {
		return -1
	}
	ao := o.Sub(a)
	u := ao.Dot(p) / det
	const slack = 1e-12
	if u < -slack || u > 1+slack {
		return -1
	}
	q := ao.Cross(ab)
	if v := dir.Dot(q) / det; v < -slack || u+v > 1+slack {
		return -1
	}
	return ac.Dot(q) / det
}

// Nearest finds the triangle nearest to p that is closer than most, and its
// nearest point; -1 when there is none.
func (tree *Tree) Nearest(p geom.Vec, most float64) (nearest int32, at geom.Vec, distance float64) {
	nearest, best := -1, most*most
	if len(tree.order) == 0 {
		return nearest, at, most
	}
	type waiting struct {
		node      int
		distance2 float64 // of its box
	}
	var store [80]waiting
	stack := append(store[:0], waiting{1, 0})
	for len(stack) > 0 {
		next := stack[len(stack)-1]
		stack = stack[:len(stack)-1]
		if next.distance2 >= best {
			continue
		}
		node := next.node
		if node < tree.leaves {
			l, r := 2*node, 2*node+1
			far, near := tree.nodes[l].distance2(p), tree.nodes[r].distance2(p)
			if far < near {
				l, r, far, near = r, l, near, far
			}
			if far < best {
				stack = append(stack, waiting{l, far})
			}
			if near < best {
				stack = append(stack, waiting{r, near})
			}
			continue
		}
		from, to := tree.leaf(node)
		for i := from; i < to; i++ {
			if tree.boxes[i].distance2(p) >= best {
				continue
			}
			a, b, c := tree.Mesh.Corners(tree.order[i])
			q := geom.ClosestOnTriangle(p, a, b, c)
			if d := p.Sub(q); d.Dot(d) < best {
				nearest, at, best = tree.order[i], q, d.Dot(d)
			}
		}
	}
	return nearest, at, math.Sqrt(best)
}

// distance2 is the squared distance from a point to a box, infinite for an empty one.
func (b *box) distance2(p geom.Vec) float64 {
	x, y, z := aside(b.min[0], b.max[0], p.X), aside(b.min[1], b.max[1], p.Y), aside(b.min[2], b.max[2], p.Z)
	return x*x + y*y + z*z
}

// aside is how far a number is from an interval; written out, for max looks for NaN too.
func aside(low, high float32, x float64) float64 {
	if d := float64(low) - x; d > 0 {
		return d
	}
	if d := x - float64(high); d > 0 {
		return d
	}
	return 0
}

// Along calls see with every triangle whose box the ray from o along dir comes
// near, until see returns false. A hair is added to the boxes, so that a start
// or direction that was rounded misses none.
func (tree *Tree) Along(o, dir geom.Vec, see func(t int32) bool) {
	if len(tree.order) == 0 {
		return
	}
	r := ray{origin: o.Array(), inverse: [3]float64{1 / dir.X, 1 / dir.Y, 1 / dir.Z}}
	hair := float32(1e-6) * max(tree.nodes[1].max[0]-tree.nodes[1].min[0], tree.nodes[1].max[1]-tree.nodes[1].min[1], tree.nodes[1].max[2]-tree.nodes[1].min[2])
	near := func(b *box) bool {
		wide := *b
		for k := range 3 {
			wide.min[k] -= hair
			wide.max[k] += hair
		}
		return r.enters(&wide, math.Inf(1)) >= 0
	}
	stack := []int{1}
	for len(stack) > 0 {
		node := stack[len(stack)-1]
		stack = stack[:len(stack)-1]
		if !near(&tree.nodes[node]) {
			continue
		}
		if node < tree.leaves {
			stack = append(stack, 2*node, 2*node+1)
			continue
		}
		from, to := tree.leaf(node)
		for i := from; i < to; i++ {
			if near(&tree.boxes[i]) && !see(tree.order[i]) {
				return
			}
		}
	}
}

// Inside reports whether a point lies within what closed surfaces enclose, as two
// of three rays see it. Distances round: a point on the surface may count as
// either. Cost O(log t) on ordinary surfaces.
func (tree *Tree) Inside(p geom.Vec) bool {
	yes := 0
	for _, dir := range [3]geom.Vec{{X: 0.4803, Y: 0.6245, Z: 0.6159}, {X: -0.8367, Y: 0.2729, Z: 0.4748}, {X: 0.1873, Y: -0.8905, Z: 0.4147}} {
		around := 0
		tree.Along(p, dir, func(t int32) bool {
			if tree.meets(p, dir, t) > 0 {
				if tree.Mesh.AreaNormal(t).Dot(dir) > 0 {
					around++
				} else {
					around--
				}
			}
			return true
		})
		if around >= 1 {
			yes++
		}
	}
	return yes >= 2
}
