package check

import "fmt"

var degenerateTriangle = Kind{
	Name: "degenerate-triangle", Title: "Triangles without area", Usual: Warning,
	What:   "A triangle has shrunk to a line or a point: two corners coincide, or all three lie on one line.",
	Harm:   "It bounds nothing, and where it fills a crack the surface comes open once slicing software drops it.",
	Action: "It is dropped; where it joined two neighbours, their common edge is turned so that the surface stays closed.",
	sketch: sketches{"s M10 60L50 10 90 60z|b M10 60L90 60M50 60v.1|B M48 58h4v4h-4z",
		"s M10 60L50 10 90 60z"},
	find: func(s *Subject) *Finding {
		f := &Finding{Count: len(s.Degenerate), Places: s.placesOf(s.Degenerate)}
		for _, t := range s.Degenerate {
			if s.opens(t) {
				f.Severity = Error
				break
			}
		}
		f.Summary = fmt.Sprintf("%s zero area", some(f.Count, "triangle has", "triangles have"))
		return f
	},
}

// opens reports whether a triangle without area lies at an edge that is not
// shared by exactly two triangles.
func (s *Subject) opens(t int32) bool {
	if !s.Mesh.RepeatsVertex(t) {
		for h := 3 * t; h < 3*t+3; h++ {
			if len(s.Topology.Halves(s.Topology.EdgeOf[h])) != 2 {
				return true
			}
		}
		return false
	}
	v := s.Mesh.Triangles[t]
	for c := range 3 {
		if a, b := v[c], v[(c+1)%3]; a != b && s.Topology.Triangles(a, b) != 2 {
			return true
		}
	}
	return false
}
