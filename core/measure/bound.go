package measure

import (
	"context"
	"math"

	"veneer/core/geom"
	"veneer/core/mesh"
	"veneer/core/spatial"
)

// Within proves how near a surface is to another one: no point of a is farther
// from b than bound, in mm, but for the triangles listed in beyond, in ascending
// order, for which that could not be shown to be at most limit.
//
// Idea: the distance to one triangle is a convex function, so over a flat polygon
// it is largest at a corner. A triangle of a is cut by the sides of the prisms over
// those of b that are nearest to it, until each piece is shown to be near to one
// of them. Cost: about a nearest point for each pair of triangles that lie over
// each other; side by side.
func Within(ctx context.Context, a *mesh.Mesh, b *spatial.Tree, limit float64) (bound float64, beyond []int32, err error) {
	const chunk = 512
	n := len(a.Triangles)
	bounds := make([]float64, (n+chunk-1)/chunk)
	lists := make([][]int32, len(bounds))
	beside := neighbours(b.Mesh)
	err = eachOf(ctx, len(bounds), 1, func(i int) {
		p := prover{b: b, beside: beside, limit: limit, last: -1}
		for t := i * chunk; t < min((i+1)*chunk, n); t++ {
			if d := p.triangle(a, int32(t)); d <= limit {
				bounds[i] = max(bounds[i], d)
			} else {
				lists[i] = append(lists[i], int32(t))
			}
		}
	})
	if err != nil {
		return 0, nil, err
	}
	for i := range bounds {
		bound = max(bound, bounds[i])
		beyond = append(beyond, lists[i]...)
	}
	return bound, beyond, nil
}

const (
	mostHalvings = 3000 // of one triangle, of pieces that no triangle is seen to be near to
	mostCuts     = 5000 // one within the other
	halving      = 350  // and halvings count so many times
	larger       = 4    // times as long as a triangle, a piece is halved before it is cut
)

// prover shows how near pieces of a surface are to another one.
type prover struct {
	b      *spatial.Tree
	beside [][3]int32 // of each triangle of b: those beyond its edges, -1 for none
	limit  float64
	stack  []geom.Vec // corners of pieces, those of the one being looked at last
	halved int
	last   int32 // the triangle of b that is looked at first
}

func (p *prover) triangle(m *mesh.Mesh, t int32) float64 {
	x, y, z := m.Corners(t)
	p.stack = append(p.stack[:0], x, y, z)
	p.halved = 0
	return p.piece(0, mostCuts)
}

// farthest is how far the corners of a piece are from a triangle at most.
func (p *prover) farthest(piece []geom.Vec, t int32) float64 {
	a, b, c := p.b.Mesh.Corners(t)
	most := 0.0
	for _, q := range piece {
		d := q.Sub(geom.ClosestOnTriangle(q, a, b, c))
		most = max(most, d.Dot(d))
	}
	return math.Sqrt(most)
}

// piece bounds the distance of the piece whose corners the stack holds from there
// on; infinite when it may be beyond the limit.
func (p *prover) piece(from, cuts int) float64 {
	corners := p.stack[from:]
	if p.last >= 0 { // often it is near to what was last looked at
		if d := p.farthest(corners, p.last); d <= p.limit {
			return d
		}
	}
	var middle geom.Vec
	for _, q := range corners {
		middle = middle.Add(q)
	}
	middle = middle.Scale(1 / float64(len(corners)))
	t := p.last
	if t < 0 || !p.over(middle, t) {
		var d float64
		if t, _, d = p.b.Nearest(middle, p.limit*(1+1e-12)); t < 0 || d > p.limit {
			return math.Inf(1)
		}
		p.last = t
		if d := p.farthest(corners, t); d <= p.limit {
			return d
		}
	}
	if cuts <= 0 {
		return math.Inf(1)
	}
	corners = p.stack[from:]
	side, at := longest(corners)
	v := [3]geom.Vec{}
	v[0], v[1], v[2] = p.b.Mesh.Corners(t)
	if of, _ := longest(v[:]); side > larger*of {
		return p.inHalves(from, at, cuts-1)
	}
	// What lies over the triangle is near to it, unless it is steep or high above;
	// what lies aside is cut off, and looked at by itself.
	normal := v[1].Sub(v[0]).Cross(v[2].Sub(v[0]))
	most, cut := 0.0, false
	for k := range 3 {
		aside := v[(k+1)%3].Sub(v[k]).Cross(normal)
		if !p.halve(from, v[k], aside) {
			continue
		}
		cut = true
		end := len(p.stack)
		p.last = p.beside[t][k]
		if most = max(most, p.aside(from, v[k], aside, cuts-1)); math.IsInf(most, 1) {
			return most
		}
		p.stack = p.stack[:end]
		p.keep(from, v[k], aside)
		if len(p.stack)-from < 3 {
			return most
		}
	}
	if d := p.farthest(p.stack[from:], t); d <= p.limit {
		return max(most, d)
	}
	p.last = -1
	if cut {
		return max(most, p.piece(from, cuts-1))
	}
	if p.halved++; p.halved > mostHalvings {
		return math.Inf(1)
	}
	_, at = longest(p.stack[from:])
	return max(most, p.inHalves(from, at, cuts-halving))
}

// inHalves bounds the distance of a piece by those of its halves, cut across one of
// its sides.
func (p *prover) inHalves(from, side, cuts int) float64 {
	corners := p.stack[from:]
	q, r := corners[side], corners[(side+1)%len(corners)]
	end := len(p.stack)
	across, half := r.Sub(q), q.Lerp(r, 0.5)
	most := p.aside(from, half, across, cuts)
	if p.stack = p.stack[:end]; math.IsInf(most, 1) {
		return most
	}
	p.keep(from, half, across)
	if len(p.stack)-from < 3 {
		return most
	}
	return max(most, p.piece(from, cuts))
}

// longest is the longest side of a polygon, and the corner that it begins at.
func longest(corners []geom.Vec) (length float64, at int) {
	for i, q := range corners {
		d := q.Sub(corners[(i+1)%len(corners)])
		if l := d.Dot(d); l > length {
			length, at = l, i
		}
	}
	return math.Sqrt(length), at
}

// over reports whether a point lies over a triangle and near to it.
func (p *prover) over(q geom.Vec, t int32) bool {
	a, b, c := p.b.Mesh.Corners(t)
	normal := b.Sub(a).Cross(c.Sub(a))
	if d := q.Sub(a).Dot(normal); d*d > p.limit*p.limit*normal.Dot(normal) {
		return false
	}
	in := func(v, w geom.Vec) bool { return w.Sub(v).Cross(normal).Dot(q.Sub(v)) <= 0 }
	return in(a, b) && in(b, c) && in(c, a)
}

// neighbours lists for each triangle those that share its edges.
func neighbours(m *mesh.Mesh) [][3]int32 {
	topo := mesh.NewTopology(m)
	list := make([][3]int32, len(m.Triangles))
	for t := range list {
		for k := range 3 {
			list[t][k] = -1
			if e := topo.EdgeOf[3*t+k]; e >= 0 {
				for _, h := range topo.Halves(e) {
					if h/3 != int32(t) {
						list[t][k] = h / 3
					}
				}
			}
		}
	}
	return list
}

// halve reports whether a plane has corners of a piece well on both sides of it.
func (p *prover) halve(from int, at, normal geom.Vec) bool {
	in, out := false, false
	hair := 1e-6 * p.limit * normal.Length() // so little is not worth a cut, and rounding makes it
	for _, q := range p.stack[from:] {
		if s := q.Sub(at).Dot(normal); s > hair {
			out = true
		} else if s < -hair {
			in = true
		}
	}
	return in && out
}

// aside bounds the distance of what of a piece is beyond a plane, which it puts on
// the stack.
func (p *prover) aside(from int, at, normal geom.Vec, cuts int) float64 {
	to := len(p.stack)
	p.clip(from, to, at, normal.Scale(-1))
	if len(p.stack)-to < 3 {
		return 0
	}
	return p.piece(to, cuts)
}

// keep leaves what of the last piece is on the near side of a plane.
func (p *prover) keep(from int, at, normal geom.Vec) {
	to := len(p.stack)
	p.clip(from, to, at, normal)
	n := copy(p.stack[from:], p.stack[to:])
	p.stack = p.stack[:from+n]
}

// clip puts on the stack what of a piece is on the near side of a plane, or on it.
func (p *prover) clip(from, to int, at, normal geom.Vec) {
	for i := from; i < to; i++ {
		q, r := p.stack[i], p.stack[from+(i-from+1)%(to-from)]
		s, u := q.Sub(at).Dot(normal), r.Sub(at).Dot(normal)
		if s <= 0 {
			p.stack = append(p.stack, q)
		}
		if s < 0 && u > 0 || s > 0 && u < 0 {
			p.stack = append(p.stack, q.Lerp(r, s/(s-u)))
		}
	}
}
