package spatial

import (
	"math"

	"veneer/core/geom"
)

// Winding tells how often a surface winds around a point: 1 inside a closed one
// that faces outward, 0 outside, and something in between near the openings of
// one that is not closed (Jacobson, Kavan, Sorkine-Hornung, "Robust
// Inside-Outside Segmentation using Generalized Winding Numbers", 2013).
//
// Idea: seen from far away, a piece of surface looks like its mean normal times
// its area (Barill, Dickson, Schmidt, Levin, Jacobson, "Fast Winding Numbers for
// Soups and Clouds", 2018, section 3): pieces are taken whole from twice their
// radius on. Cost about O(log t); the error is a few hundredths near, less far
// away, and nothing when no piece is taken whole.
type Winding struct {
	tree   *Tree
	aspect []aspect // of the tree's nodes
}

// aspect is what a node's triangles look like from afar.
type aspect struct {
	normal, centre geom.Vec // normal: half the sum of the area normals
	radius2        float64
}

// far is how many radii away a piece is taken whole.
const far = 2.0

// NewWinding gathers the pieces of a tree. Cost O(t).
func NewWinding(tree *Tree) *Winding {
	w := &Winding{tree, make([]aspect, len(tree.nodes))}
	area := make([]float64, len(tree.nodes))
	for i := len(tree.nodes) - 1; i > 0; i-- {
		p := &w.aspect[i]
		if i >= tree.leaves {
			from, to := tree.leaf(i)
			for k := from; k < to; k++ {
				n := tree.Mesh.AreaNormal(tree.order[k]).Scale(0.5)
				a, b, c := tree.Mesh.Corners(tree.order[k])
				p.normal = p.normal.Add(n)
				area[i] += n.Length()
				p.centre = p.centre.Add(a.Add(b).Add(c).Scale(n.Length() / 3))
			}
		} else {
			for _, child := range []int{2 * i, 2*i + 1} {
				p.normal = p.normal.Add(w.aspect[child].normal)
				area[i] += area[child]
				p.centre = p.centre.Add(w.aspect[child].centre.Scale(area[child]))
			}
		}
		if area[i] > 0 {
			p.centre = p.centre.Scale(1 / area[i])
		}
		p.radius2 = tree.nodes[i].furthest2(p.centre)
	}
	return w
}

// furthest2 is the squared distance from a point to the furthest point of a box;
// 0 for an empty one.
func (b *box) furthest2(p geom.Vec) (sum float64) {
	if b.min[0] > b.max[0] {
		return 0
	}
	for k, x := range p.Array() {
		d := max(x-float64(b.min[k]), float64(b.max[k])-x)
		sum += d * d
	}
	return sum
}

// At is the winding number around a point.
func (w *Winding) At(p geom.Vec) (sum float64) {
	tree := w.tree
	if len(tree.order) == 0 {
		return 0
	}
	var store [80]int32
	stack := append(store[:0], 1)
	for len(stack) > 0 {
		i := int(stack[len(stack)-1])
		stack = stack[:len(stack)-1]
		node := &w.aspect[i]
		d := node.centre.Sub(p)
		if r2 := d.Dot(d); r2 > far*far*node.radius2 {
			if r2 > 0 {
				sum += node.normal.Dot(d) / (r2 * math.Sqrt(r2))
			}
			continue
		}
		if i < tree.leaves {
			stack = append(stack, int32(2*i), int32(2*i+1))
			continue
		}
		from, to := tree.leaf(i)
		for k := from; k < to; k++ {
			a, b, c := tree.Mesh.Corners(tree.order[k])
			sum += solidAngle(a.Sub(p), b.Sub(p), c.Sub(p))
		}
	}
	return sum / (4 * math.Pi)
}

// solidAngle under which the triangle a, b, c is seen from the origin, positive
// when its back is seen (van Oosterom & Strackee, "The Solid Angle of a Plane
// Triangle", 1983).
func solidAngle(a, b, c geom.Vec) float64 {
	x, y, z := a.Length(), b.Length(), c.Length()
	return 2 * math.Atan2(a.Dot(b.Cross(c)), x*y*z+a.Dot(b)*z+b.Dot(c)*x+c.Dot(a)*y)
}
