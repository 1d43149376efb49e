package check

import "fmt"

var fineDetail = Kind{
	Name: "fine-detail", Title: "Detail finer than the printer", Usual: Note,
	What:   "Two surfaces face each other across a gap narrower than the process resolves.",
	Harm:   "The gap closes up: letters fill in, hinges fuse.",
	Action: "Regions are listed with the narrowest gap. Nothing is changed.",
	sketch: sketches{"s M10 62V12h38v36h2V12h40v50z|b M48 48V12M50 48V12",
		"s M10 62V12h38v36h2V12h40v50z|N M48 14h2v34h-2z|t 50 10 0.1 mm"},
	find: func(s *Subject) *Finding {
		f := s.regions(s.walls.gaps)
		if f.Count > 0 {
			narrowest, _, area := sumRegions(s.walls.gaps)
			f.Summary = fmt.Sprintf("%s narrower than %.3g mm, the narrowest %.2g mm, %.3g cm² in all",
				some(f.Count, "gap is", "gaps are"), s.Process.DetailMM, narrowest, area/100)
		}
		return f
	},
}
