package check

import "fmt"

var nonManifoldVertex = Kind{
	Name: "non-manifold-vertex", Title: "Pieces that touch in a point", Usual: Warning,
	What:   "Two pieces of surface meet in a single point and nowhere around it, like two cones tip to tip.",
	Harm:   "A printer cannot make a joint without thickness: the pieces come out separate or barely hang together.",
	Action: "It is reported. Where it comes from another defect, repairing that one usually takes it away.",
	sketch: sketches{"s M50 35L16 10 10 40zM50 35L84 60 90 30z|B M47 32h6v6h-6z",
		"s M46 35L16 10 10 40zM54 35L84 60 90 30z|n M44 33h4v4h-4zM52 33h4v4h-4z"},
	find: func(s *Subject) *Finding {
		f := &Finding{Count: len(s.NonManifoldVertices), PlacesTotal: len(s.NonManifoldVertices)}
		if s.Edges.Boundary > 0 || s.Edges.NonManifold > 0 {
			if s.touchesError() {
				f.Severity = Error
			}
		}
		for _, v := range s.NonManifoldVertices[:min(len(s.NonManifoldVertices), maxPlaces)] {
			f.Places = append(f.Places, Place{AtMM: roundAll(s.Mesh.Positions[v])})
		}
		f.Summary = fmt.Sprintf("%s where pieces of surface meet in a point only", some(f.Count, "vertex", "vertices"))
		return f
	},
}

// touchesError reports whether a non-manifold vertex lies on an edge that has
// not exactly two triangles.
func (s *Subject) touchesError() bool {
	bad := make(map[int32]bool, len(s.NonManifoldVertices))
	for _, v := range s.NonManifoldVertices {
		bad[v] = true
	}
	for e := range int32(s.Topology.Edges()) {
		if halves := s.Topology.Halves(e); len(halves) != 2 &&
			(bad[s.Topology.From(halves[0])] || bad[s.Topology.To(halves[0])]) {
			return true
		}
	}
	return false
}
