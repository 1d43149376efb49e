package check

import "fmt"

var thinWall = Kind{
	Name: "thin-wall", Title: "Thin walls", Usual: Warning,
	What:   "The part is thinner somewhere than the process prints reliably. Measured straight through the wall, and by the largest ball that fits in it; tapering edges do not count.",
	Harm:   "Such walls come out with holes, warp, break in cleaning, or are left out.",
	Action: "Regions are listed with their thinnest value, both ways measured, and their area. Thickening is a person's decision.",
	sketch: sketches{"s M10 62V42h36V10h4V42h40v20z|B M46 10h4v32h-4z",
		"s M10 62V42h36V10h4V42h40v20z|n M34 24h10m-4-4 4 4-4 4M62 24H52m4-4-4 4 4 4|t 80 28 0.3 mm"},
	find: func(s *Subject) *Finding {
		f := s.regions(s.walls.thin)
		if f.Count > 0 {
			thinnest, ball, area := sumRegions(s.walls.thin)
			f.Summary = fmt.Sprintf("%s thinner than %.3g mm, the thinnest %.2g mm (by ball %.2g mm), %.3g cm² in all",
				some(f.Count, "region is", "regions are"), s.Process.WallMM, thinnest, ball, area/100)
		}
		return f
	},
}
