package check

import "fmt"

const sliverShare = 1000 // a triangle this many times longer than high is a sliver

var sliver = Kind{
	Name: "sliver", Title: "Slivers", Usual: Note,
	What:   "Triangles more than a thousand times longer than they are high.",
	Harm:   "Mostly none. Programs that round coordinates may fold them over.",
	Action: "They are counted. Nothing is changed.",
	sketch: sketches{"s M8 60L92 56 92 62z|s M8 12h84v34h-84z|B M8 60L92 56 92 60z",
		"s M8 60L92 56 92 62z|s M8 12h84v34h-84z|t 50 32 counted"},
	find: func(s *Subject) *Finding {
		var thin []int32
		for t := range int32(len(s.Mesh.Triangles)) {
			a, b, c := s.Mesh.Corners(t)
			twice := b.Sub(a).Cross(c.Sub(a)).Length()
			longest := max(a.Distance(b), b.Distance(c), c.Distance(a))
			if twice > 0 && longest*longest > sliverShare*twice {
				thin = append(thin, t)
			}
		}
		f := &Finding{Count: len(thin), Places: s.placesOf(thin)}
		f.Summary = fmt.Sprintf("%s more than %d times longer than high", some(f.Count, "triangle is", "triangles are"), sliverShare)
		return f
	},
}
