package check

import "fmt"

var nonManifoldEdge = Kind{
	Name: "non-manifold-edge", Title: "Edge shared by too many triangles", Usual: Error,
	What:   "An edge belongs to three or more triangles. On the skin of a solid every edge has exactly two: one on either side.",
	Harm:   "It is undecided which triangles bound the solid there. Slicing software guesses, and layers can be filled on the wrong side.",
	Action: "Double triangles at the edge are dropped. What remains is listed with its places for a heavier repair.",
	sketch: sketches{"s M12 50L50 36 50 62 14 66zM50 36L88 50 86 66 50 62z|B M50 36L50 62 62 38 62 12z|b M50 36V62",
		"s M12 50L50 36 50 62 14 66zM50 36L88 50 86 66 50 62z|n M50 36V62"},
	find: func(s *Subject) *Finding {
		f := &Finding{Count: s.Edges.NonManifold, PlacesTotal: s.Edges.NonManifold}
		most := 0
		for e := range int32(s.Topology.Edges()) {
			halves := s.Topology.Halves(e)
			if len(halves) < 3 {
				continue
			}
			most = max(most, len(halves))
			if len(f.Places) >= 4*maxPlaces {
				continue
			}
			u, v := s.Topology.From(halves[0]), s.Topology.To(halves[0])
			a, b := s.Mesh.Positions[u], s.Mesh.Positions[v]
			p := Place{AtMM: roundAll(a.Lerp(b, 0.5)), SizeMM: round(a.Distance(b)), LineMM: s.line(u, v)}
			for _, h := range halves {
				p.Triangles = append(p.Triangles, h/3)
			}
			f.Places = append(f.Places, p)
		}
		f.Summary = fmt.Sprintf("%s with three or more triangles (up to %d)", some(f.Count, "edge", "edges"), most)
		return f
	},
}
