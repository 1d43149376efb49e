package demo

import (
	"math/rand/v2"

	"veneer/core/geom"
	"veneer/core/mesh"
)

// Damage is made to a copy of a good mesh, from a fixed seed, so that the set
// is the same on every machine and the number of defects is known.

func random(seed uint64) *rand.Rand { return rand.New(rand.NewPCG(seed, 1)) }

// flip turns n triangles over, no two of them sharing an edge.
func flip(m *mesh.Mesh, n int, seed uint64) {
	for _, t := range scattered(m, n, seed) {
		m.Turn(t)
	}
}

// repeat adds n triangles a second time, no two of them sharing an edge.
func repeat(m *mesh.Mesh, n int, seed uint64) {
	for _, t := range scattered(m, n, seed) {
		m.Append(t, m.Triangles[t])
	}
}

// scattered picks n triangles with no common vertex.
func scattered(m *mesh.Mesh, n int, seed uint64) (picked []int32) {
	r := random(seed)
	taken := make([]bool, len(m.Positions))
	for len(picked) < n {
		t := r.Int32N(int32(len(m.Triangles)))
		v := m.Triangles[t]
		if taken[v[0]] || taken[v[1]] || taken[v[2]] {
			continue
		}
		taken[v[0]], taken[v[1]], taken[v[2]] = true, true, true
		picked = append(picked, t)
	}
	return picked
}

// punch makes one hole of about that radius, near the given point: the
// triangles there that hang together are taken out.
func punch(m *mesh.Mesh, at geom.Vec, radius float64) {
	middle := func(t int32) geom.Vec {
		a, b, c := m.Corners(t)
		return a.Add(b).Add(c).Scale(1. / 3)
	}
	start := int32(0)
	for t := range int32(len(m.Triangles)) {
		if middle(t).Distance(at) < middle(start).Distance(at) {
			start = t
		}
	}
	centre := middle(start)
	topo := mesh.NewTopology(m)
	out := make([]bool, len(m.Triangles))
	out[start] = true
	for queue := []int32{start}; len(queue) > 0; queue = queue[1:] {
		for h := 3 * queue[0]; h < 3*queue[0]+3; h++ {
			for _, g := range topo.Halves(topo.EdgeOf[h]) {
				if t := g / 3; !out[t] && middle(t).Distance(centre) < radius {
					out[t] = true
					queue = append(queue, t)
				}
			}
		}
	}
	m.Keep(func(t int32) bool { return !out[t] })
	m.Weld()
}

// crack splits n edges that run along an axis on one side only and fills the
// slit with a triangle without area.
func crack(m *mesh.Mesh, n int, seed uint64) {
	r := random(seed)
	taken := make([]bool, len(m.Triangles))
	topo := mesh.NewTopology(m)
	for done := 0; done < n; {
		h := r.Int32N(int32(len(topo.EdgeOf)))
		halves := topo.Halves(topo.EdgeOf[h])
		a, b, c := topo.From(h), topo.To(h), topo.Opposite(h)
		p, q := m.Positions[a], m.Positions[b]
		same := 0
		for i, x := range p.Array() {
			if x == q.Array()[i] {
				same++
			}
		}
		if same != 2 || taken[halves[0]/3] || taken[halves[1]/3] {
			continue
		}
		taken[halves[0]/3], taken[halves[1]/3] = true, true
		mid := p.Lerp(q, 0.5)
		m.Positions = append(m.Positions, mid.Single())
		v := int32(len(m.Positions) - 1)
		m.Triangles[h/3] = mesh.Triangle{a, v, c}
		m.Append(h/3, mesh.Triangle{v, b, c}, mesh.Triangle{v, a, b})
		done++
	}
}

// fin adds n triangles that stand off the surface on one of its edges.
func fin(m *mesh.Mesh, n int, seed uint64) {
	for _, t := range scattered(m, n, seed) {
		a, b, c := m.Corners(t)
		normal := b.Sub(a).Cross(c.Sub(a)).Unit()
		tip := a.Lerp(b, 0.5).Add(normal.Scale(a.Distance(b)))
		m.Positions = append(m.Positions, tip.Single())
		m.Append(t, mesh.Triangle{m.Triangles[t][0], m.Triangles[t][1], int32(len(m.Positions) - 1)})
	}
}
