package check

import "fmt"

var flippedTriangle = Kind{
	Name: "flipped-triangle", Title: "Flipped triangles", Usual: Error,
	What:   "Some triangles face the other way than their neighbours: their back is outside.",
	Harm:   "Software that trusts the facing sees a hole there, or fills outside instead of inside.",
	Action: "The smallest number of triangles is turned so that each shell faces one way. No point moves.",
	sketch: sketches{"s M10 55L35 15 60 55zM60 55L35 15 85 15z|B M35 15L60 55 85 15z|b M60 22v14m-4-5 4 5 4-5",
		"s M10 55L35 15 60 55zM60 55L35 15 85 15z|N M35 15L60 55 85 15z|n M60 40v-14m-4 5 4-5 4 5"},
	find: func(s *Subject) *Finding {
		f := &Finding{}
		if s.Shells.Flip == nil {
			return f
		}
		var flipped []int32
		for t, flip := range s.Shells.Flip {
			if flip {
				flipped = append(flipped, int32(t))
			}
		}
		f.Count = len(flipped)
		f.Places = s.placesOf(flipped)
		f.Summary = fmt.Sprintf("%s against their neighbours, in %s", some(f.Count, "triangle faces", "triangles face"),
			some(len(f.Places), "place", "places"))
		return f
	},
}
