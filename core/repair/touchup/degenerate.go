package touchup

import (
	"context"
	"slices"

	"veneer/core/check"
	"veneer/core/geom"
	"veneer/core/mesh"
)

// dropDegenerate takes out triangles without area.
//
// A triangle that repeats a vertex bounds nothing and is dropped. One whose
// three corners lie on a line joins its neighbours, so dropping it would leave
// a slit: instead its longest edge is swapped for the other diagonal of the
// four-sided patch it forms with the neighbour there. The shape stays exactly
// the same, the flat triangle becomes two real ones. Chains of such triangles
// are undone one by one. Where no swap is possible (no neighbour, or the new
// edge is there already) the triangle is dropped. Cost O(t) for a sweep, and
// one sweep for each link of the longest chain.
var dropDegenerate = Step{
	Name: "drop-degenerate", Title: "Take out triangles without area",
	Why: func(r *check.Report) string {
		return counted(r.Geometry.Degenerate, "triangle without area", "triangles without area")
	},
	Run: func(ctx context.Context, w *Work) (Change, error) {
		dropped, swapped, err := dropFlat(ctx, w.Mesh)
		c := Change{Count: dropped + swapped}
		c.Detail = joined(counted(dropped, "triangle")+" dropped", dropped > 0, counted(swapped, "edge")+" swapped so that no slit is left", swapped > 0)
		return c, err
	},
}

// DropFlat takes out triangles without area, as the step of that name does.
func DropFlat(m *mesh.Mesh) { dropFlat(context.Background(), m) }

func dropFlat(ctx context.Context, m *mesh.Mesh) (dropped, swapped int, err error) {
	m.Keep(func(t int32) bool {
		if m.RepeatsVertex(t) {
			dropped++
			return false
		}
		return true
	})
	flat := flatTriangles(m)
	for len(flat) > 0 {
		if err := ctx.Err(); err != nil {
			return dropped, swapped, err
		}
		n := swapSweep(m, flat)
		swapped += n
		flat = flatTriangles(m)
		if n == 0 {
			break
		}
	}
	drop(m, flat)
	return dropped + len(flat), swapped, nil
}

func joined(a string, useA bool, b string, useB bool) string {
	switch {
	case useA && useB:
		return a + ", " + b
	case useA:
		return a
	case useB:
		return b
	}
	return ""
}

func flatTriangles(m *mesh.Mesh) (list []int32) {
	for t := range int32(len(m.Triangles)) {
		if m.ZeroArea(t) {
			list = append(list, t)
		}
	}
	return list
}

// swapSweep swaps the longest edge of each flat triangle it can; a triangle is
// touched once a sweep, so that the topology it was judged by still holds.
func swapSweep(m *mesh.Mesh, flat []int32) (swapped int) {
	topo := mesh.NewTopology(m)
	touched := map[int32]bool{}
	made := map[[2]int32]bool{}
	for _, t := range flat {
		if m.RepeatsVertex(t) {
			continue
		}
		h := longestEdge(topo, t)
		halves := topo.Halves(topo.EdgeOf[h])
		if len(halves) != 2 {
			continue
		}
		g := halves[0]
		if g == h {
			g = halves[1]
		}
		a, b, c, d := topo.From(h), topo.To(h), topo.Opposite(h), topo.Opposite(g)
		edge := [2]int32{min(c, d), max(c, d)}
		if touched[t] || touched[g/3] || made[edge] || c == d || topo.Triangles(c, d) > 0 || topo.SameWay(g, h) {
			continue
		}
		p := m.Positions
		if geom.Collinear(p[a], p[c], p[d]) && geom.Collinear(p[c], p[b], p[d]) {
			continue // the neighbour is flat as well: its own turn will come
		}
		if m.Colours != nil {
			ca, cb, cc, cd := m.Colours[t][h%3], m.Colours[t][(h+1)%3], m.Colours[t][(h+2)%3], m.Colours[g/3][(g+2)%3]
			m.Colours[t], m.Colours[g/3] = [3]mesh.Colour{ca, cd, cc}, [3]mesh.Colour{cd, cb, cc}
		}
		if m.Covers != nil { // the neighbour's texture goes on, with c on its edge
			of := m.Covers[g/3]
			atB, atA, atD := of.At[g%3], of.At[(g+1)%3], of.At[(g+2)%3]
			share := float32(p[a].Distance(p[c]) / p[a].Distance(p[b]))
			atC := [2]float32{atA[0] + share*(atB[0]-atA[0]), atA[1] + share*(atB[1]-atA[1])}
			m.Covers[t] = mesh.Cover{Texture: of.Texture, At: [3][2]float32{atA, atD, atC}}
			m.Covers[g/3] = mesh.Cover{Texture: of.Texture, At: [3][2]float32{atD, atB, atC}}
		}
		m.Triangles[t] = mesh.Triangle{a, d, c}
		m.Triangles[g/3] = mesh.Triangle{d, b, c}
		touched[t], touched[g/3], made[edge] = true, true, true
		swapped++
	}
	return swapped
}

func longestEdge(topo *mesh.Topology, t int32) int32 {
	p := topo.Mesh.Positions
	halves := []int32{3 * t, 3*t + 1, 3*t + 2}
	return slices.MaxFunc(halves, func(g, h int32) int {
		switch lg, lh := p[topo.From(g)].Distance(p[topo.To(g)]), p[topo.From(h)].Distance(p[topo.To(h)]); {
		case lg < lh:
			return -1
		case lg > lh:
			return 1
		}
		return int(h - g)
	})
}
