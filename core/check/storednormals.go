package check

import "fmt"

var storedNormals = Kind{
	Name: "stored-normals", Title: "Stored normals that contradict", Usual: Warning,
	What:   "An STL stores a direction with every triangle beside the order of its corners, and here the two disagree.",
	Harm:   "Programs that trust the stored direction see other triangles flipped than those that go by the corners.",
	Action: "Only the order of the corners counts here. Files that Veneer writes have directions computed from it.",
	sketch: sketches{"s M12 60L50 20 88 60z|b M50 46V64m-4-5 4 5 4-5|l M50 40V10m-4 5 4-5 4 5",
		"s M12 60L50 20 88 60z|n M50 46V10m-4 5 4-5 4 5"},
	find: func(s *Subject) *Finding {
		f := &Finding{Count: len(s.Against), Places: s.placesOf(s.Against)}
		f.Summary = fmt.Sprintf("%s a stored normal that points the other way", some(f.Count, "triangle has", "triangles have"))
		return f
	},
}
