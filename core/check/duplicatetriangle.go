package check

import "fmt"

var duplicateTriangle = Kind{
	Name: "duplicate-triangle", Title: "Duplicate triangles", Usual: Error,
	What:   "The same triangle is there more than once, whichever way it faces.",
	Harm:   "Its edges belong to too many triangles, and the skin has no thickness between the copies.",
	Action: "One of each is kept, the others are dropped.",
	sketch: sketches{"s M15 60L45 12 75 60z|B M21 56L51 8 81 56z",
		"s M15 60L45 12 75 60z"},
	find: func(s *Subject) *Finding {
		f := &Finding{Count: len(s.Duplicates), Places: s.placesOf(s.Duplicates)}
		f.Summary = fmt.Sprintf("%s an earlier one, in %s", some(f.Count, "triangle repeats", "triangles repeat"),
			some(len(f.Places), "place", "places"))
		return f
	},
}
