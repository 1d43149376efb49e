package check

import "fmt"

var selfIntersection = Kind{
	Name: "self-intersection", Title: "Triangles that pass through each other", Usual: Error,
	What:   "Pairs of triangles have more in common than a corner or an edge of both: they cut through each other, touch, lie on one another, or fold back at their edge.",
	Harm:   "Inside and outside contradict each other there. Slicing software may leave gaps, print loose threads or drop a region.",
	Action: "Exact: every pair is looked at, down to a mere touch. Dropping duplicates settles some; closed surfaces that truly cut each other are cut along that line and joined into one skin. What cannot be settled so is reported.",
	sketch: sketches{"s M10 20L75 10 60 62z|s M35 5L92 40 30 66z|b M49 15L60 38 45 44",
		"s M10 20L75 10 60 62z|s M35 5L92 40 30 66z|n M49 15L60 38 45 44|t 84 66 joined"},
	find: func(s *Subject) *Finding {
		f := &Finding{Count: len(s.Crossings.Pairs)}
		if f.Count == 0 {
			return nil
		}
		in := make([]bool, len(s.Mesh.Triangles))
		apart, allowed := s.keptApart(), 0
		for _, p := range s.Crossings.Pairs {
			in[p[0]], in[p[1]] = true, true
			if apart(p[0], p[1]) {
				allowed++
			}
		}
		var triangles []int32
		for t, is := range in {
			if is {
				triangles = append(triangles, int32(t))
			}
		}
		f.Places = s.placesOf(triangles)
		atLeast := ""
		if s.Crossings.AtLeast {
			atLeast = "at least "
		}
		f.Summary = fmt.Sprintf("%s%s pass through each other, %s in %s", atLeast, some(f.Count, "pair of triangles", "pairs of triangles"),
			some(len(triangles), "triangle", "triangles"), some(len(f.Places), "place", "places"))
		if allowed > 0 {
			f.Summary += fmt.Sprintf("; %d of them between bodies that are kept apart", allowed)
		}
		if allowed == f.Count && !s.Crossings.AtLeast {
			f.Severity = Note
		}
		return f
	},
}
