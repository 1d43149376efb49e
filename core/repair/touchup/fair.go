package touchup

import (
	"cmp"
	"context"
	"math"
	"slices"

	"veneer/core/geom"
	"veneer/core/mesh"
)

// smoothed is a lid refined until its edges are about as long as those around
// the rim, and faired so that the surface's curvature runs on through it; nil
// when the lid is too small for that.
//
// Idea (Liepa, "Filling Holes in Meshes", 2003): a triangle much larger than the
// edges at its corners is split at its middle, edges are swapped where that
// makes angles larger, and so again; each new corner is as fine as those around
// it. Then the new corners move to where the surface bends least: the sum of the
// squared differences between each vertex, those of the rim included, and the
// mean of its neighbours, those beyond the rim included, is made smallest by
// conjugate gradients. A lid that would need more than mostRefined triangles is
// refined less. The new vertices are appended to the mesh. Cost O(n) splits and
// O(n) for each step of the gradients, some √n of them.
func (f *filler) smoothed(ctx context.Context, polygon []int32, lid []mesh.Triangle) []mesh.Triangle {
	p := newPatch(f, polygon, lid)
	p.refine()
	if len(p.at) == len(polygon) || ctx.Err() != nil {
		return nil
	}
	p.fair(ctx)
	base := int32(len(f.mesh.Positions))
	for _, v := range p.at[len(polygon):] {
		f.mesh.Positions = append(f.mesh.Positions, v.Single())
	}
	global := func(v int32) int32 {
		if int(v) < len(polygon) {
			return polygon[v]
		}
		return base + v - int32(len(polygon))
	}
	out := make([]mesh.Triangle, len(p.tris))
	for i, t := range p.tris {
		out[i] = mesh.Triangle{global(t.V[0]), global(t.V[1]), global(t.V[2])}
	}
	return out
}

const (
	mostRefined = 60_000 // triangles of one lid
	mostSweeps  = 40
	mostSteps   = 400 // of the gradients
)

// patch is a lid in numbers of its own: first the rim's vertices, then new ones.
type patch struct {
	f       *filler
	polygon []int32
	at      []geom.Vec
	size    []float64 // length of the edges around each vertex
	tris    mesh.Pieces
	edges   map[[2]int32]bool
	steps   int
}

func sortLinks(list []link) {
	slices.SortFunc(list, func(a, b link) int {
		return cmp.Or(cmp.Compare(a.to, b.to), cmp.Compare(a.at.X, b.at.X), cmp.Compare(a.at.Y, b.at.Y), cmp.Compare(a.at.Z, b.at.Z))
	})
}

func newPatch(f *filler, polygon []int32, lid []mesh.Triangle) *patch {
	p := &patch{f: f, polygon: polygon, edges: map[[2]int32]bool{}}
	local := make(map[int32]int32, len(polygon))
	for i, v := range polygon {
		local[v] = int32(i)
		p.at = append(p.at, f.mesh.Positions[v])
		sum, n := 0.0, 0
		for _, w := range f.around(v) {
			sum += f.mesh.Positions[v].Distance(f.mesh.Positions[w])
			n++
		}
		p.size = append(p.size, sum/float64(max(n, 1)))
	}
	area := 0.0
	across := map[[2]int32][2]int32{} // the half-edge that runs the other way: triangle and side
	for i, t := range lid {
		q := mesh.Piece{V: [3]int32{local[t[0]], local[t[1]], local[t[2]]}, N: [3]int32{-1, -1, -1}}
		for k := range 3 {
			a, b := q.V[k], q.V[(k+1)%3]
			p.edges[sorted(a, b)] = true
			if o, known := across[[2]int32{b, a}]; known {
				q.N[k] = o[0]
				p.tris[o[0]].N[o[1]] = int32(i)
			}
			across[[2]int32{a, b}] = [2]int32{int32(i), int32(k)}
		}
		p.tris = append(p.tris, q)
		area += p.at[q.V[1]].Sub(p.at[q.V[0]]).Cross(p.at[q.V[2]].Sub(p.at[q.V[0]])).Length() / 2
	}
	mean := 0.0
	for _, s := range p.size {
		mean += s / float64(len(p.size))
	}
	if n := area / (0.43 * mean * mean); n > mostRefined {
		for i := range p.size {
			p.size[i] *= math.Sqrt(n / mostRefined)
		}
	}
	return p
}

func sorted(a, b int32) [2]int32 { return [2]int32{min(a, b), max(a, b)} }

// refine splits and swaps until no triangle is too large.
func (p *patch) refine() {
	for range mostSweeps {
		split := false
		for t := range len(p.tris) {
			if len(p.tris) < 2*mostRefined && p.tooLarge(t) {
				p.split(int32(t))
				split = true
			}
		}
		for range mostSweeps {
			swapped := false
			for t := range int32(len(p.tris)) {
				for k := range 3 {
					swapped = p.swap(t, k) || swapped
				}
			}
			if !swapped {
				break
			}
		}
		if !split {
			return
		}
	}
}

func (p *patch) tooLarge(t int) bool {
	v := p.tris[t].V
	c := p.at[v[0]].Add(p.at[v[1]]).Add(p.at[v[2]]).Scale(1. / 3)
	s := (p.size[v[0]] + p.size[v[1]] + p.size[v[2]]) / 3
	for _, i := range v {
		if d := math.Sqrt2 * c.Distance(p.at[i]); d <= s || d <= p.size[i] {
			return false
		}
	}
	return true
}

// split puts a vertex into the middle of a triangle.
func (p *patch) split(t int32) {
	q := p.tris[t]
	m := int32(len(p.at))
	p.at = append(p.at, p.at[q.V[0]].Add(p.at[q.V[1]]).Add(p.at[q.V[2]]).Scale(1./3))
	p.size = append(p.size, (p.size[q.V[0]]+p.size[q.V[1]]+p.size[q.V[2]])/3)
	p.tris.Split(t, m)
	for _, v := range q.V {
		p.edges[sorted(v, m)] = true
	}
}

// swap turns the edge between a triangle and its k-th neighbour when the two
// angles opposite to it make more than half a turn, and the new edge is free.
func (p *patch) swap(t int32, k int) bool {
	u, l := p.tris.Across(t, k)
	if u < 0 {
		return false
	}
	q, r := p.tris[t].V, p.tris[u].V
	a, b, c, d := q[k], q[(k+1)%3], q[(k+2)%3], r[(l+2)%3] // edge a-b, c and d opposite
	if c == d || p.angle(c, a, b)+p.angle(d, a, b) <= math.Pi+1e-6 || p.edges[sorted(c, d)] {
		return false
	}
	if n := int32(len(p.polygon)); c < n && d < n && p.f.topo.Triangles(p.polygon[c], p.polygon[d]) > 0 {
		return false
	}
	p.tris.Swap(t, k)
	delete(p.edges, sorted(a, b))
	p.edges[sorted(c, d)] = true
	return true
}

func (p *patch) angle(at, a, b int32) float64 {
	x, y := p.at[a].Sub(p.at[at]), p.at[b].Sub(p.at[at])
	return math.Atan2(x.Cross(y).Length(), x.Dot(y))
}

// link is a neighbour with its weight; those beyond the rim have only a place.
type link struct {
	to     int32 // -1 for one beyond the rim
	at     geom.Vec
	weight float64
}

// fair moves the new vertices to where the surface bends least.
func (p *patch) fair(ctx context.Context) {
	rim := len(p.polygon)
	links := make([][]link, len(p.at))
	for e := range p.edges {
		links[e[0]] = append(links[e[0]], link{to: e[1]})
		links[e[1]] = append(links[e[1]], link{to: e[0]})
	}
	local := make(map[int32]bool, rim)
	for _, v := range p.polygon {
		local[v] = true
	}
	for i, v := range p.polygon {
		for _, w := range p.f.around(v) {
			if !local[w] {
				links[i] = append(links[i], link{to: -1, at: p.f.mesh.Positions[w]})
			}
		}
	}
	for i := range links { // in one order always, with weights that sum to 1
		sortLinks(links[i])
		sum := 0.0
		for k := range links[i] {
			l := &links[i][k]
			if l.to >= 0 {
				l.at = p.at[l.to]
			}
			l.weight = 1 / max(p.at[i].Distance(l.at), 1e-12)
			sum += l.weight
		}
		for k := range links[i] {
			links[i][k].weight /= sum
		}
	}
	// bend is each vertex's difference from the mean of its neighbours; fixed adds
	// what does not move.
	bend := func(x []geom.Vec, fixed bool) []geom.Vec {
		out := make([]geom.Vec, len(x))
		for i := range x {
			d := x[i]
			for _, l := range links[i] {
				switch {
				case l.to >= 0:
					d = d.Sub(x[l.to].Scale(l.weight))
				case fixed:
					d = d.Sub(l.at.Scale(l.weight))
				}
			}
			out[i] = d
		}
		return out
	}
	// back is the transpose of bend, for the vertices that move.
	back := func(y []geom.Vec) []geom.Vec {
		out := append([]geom.Vec(nil), y...)
		for i := range y {
			for _, l := range links[i] {
				if l.to >= 0 {
					out[l.to] = out[l.to].Sub(y[i].Scale(l.weight))
				}
			}
		}
		for i := range rim {
			out[i] = geom.Vec{}
		}
		return out
	}
	dot := func(a, b []geom.Vec) (sum float64) {
		for i := range a {
			sum += a[i].Dot(b[i])
		}
		return sum
	}
	x := p.at
	r := back(bend(x, true))
	for i := range r {
		r[i] = r[i].Scale(-1)
	}
	way := append([]geom.Vec(nil), r...)
	rr := dot(r, r)
	for stop := 1e-10 * rr; rr > stop && rr > 0; {
		if ctx.Err() != nil {
			return
		}
		down := back(bend(way, false))
		step := rr / dot(way, down)
		if math.IsNaN(step) || math.IsInf(step, 0) {
			return
		}
		for i := range x {
			x[i], r[i] = x[i].Add(way[i].Scale(step)), r[i].Sub(down[i].Scale(step))
		}
		next := dot(r, r)
		for i := range way {
			way[i] = r[i].Add(way[i].Scale(next / rr))
		}
		rr = next
		if p.steps++; p.steps > mostSteps {
			return
		}
	}
}
