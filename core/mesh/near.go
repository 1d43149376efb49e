package mesh

import (
	"cmp"
	"slices"
)

// Near groups the vertices of boundary loops that lie within a distance of one
// another, through chains too: each maps to the lowest of its group. Vertices of
// no loop are not in the map.
//
// Idea: sorted along x, only those within the distance in x need be compared.
// Cost O(n log n) for boundaries that do not stand upright in one plane of x,
// O(n²) at worst.
func Near(m *Mesh, loops []Loop, topo *Topology, distance float64) map[int32]int32 {
	var rim []int32
	for _, loop := range loops {
		for _, h := range loop.Halves {
			rim = append(rim, topo.From(h), topo.To(h)) // not every walk closes
		}
	}
	slices.Sort(rim)
	rim = slices.Compact(rim)
	at := make(map[int32]int32, len(rim)) // rims are a small part of a mesh
	for i, v := range rim {
		at[v] = int32(i)
	}
	order := slices.Clone(rim)
	slices.SortFunc(order, func(a, b int32) int {
		return cmp.Or(cmp.Compare(m.Positions[a].X, m.Positions[b].X), cmp.Compare(a, b))
	})
	joined := NewForest(len(rim))
	for i, v := range order {
		p := m.Positions[v]
		for _, w := range order[i+1:] {
			q := m.Positions[w]
			if q.X-p.X > distance {
				break
			}
			if p.Distance(q) <= distance {
				joined.Join(at[v], at[w])
			}
		}
	}
	group := make(map[int32]int32, len(rim))
	for i, v := range rim {
		group[v] = rim[joined.Root(int32(i))]
	}
	return group
}
