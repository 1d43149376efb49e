package check

import "fmt"

var overhang = Kind{
	Name: "overhang", Title: "Overhangs", Usual: Note,
	What:   "Surface that faces down and leans out further than the process prints in the air, as the part lies now.",
	Harm:   "It needs support, which costs material and leaves marks, or it sags.",
	Action: "Area and the volume of the support below it are estimated. Another way to lay the part may need less.",
	sketch: sketches{"s M12 64V10h76v16H34v38z|B M36 26h52v5H36z",
		"s M12 64V10h76v16H34v38z|N M36 26h52v5H36z|d M44 31V64M56 31V64M68 31V64M80 31V64"},
	find: func(s *Subject) *Finding {
		o := s.walls.overhang
		if len(o.Triangles) == 0 {
			return nil
		}
		f := &Finding{Places: s.placesOf(o.Triangles)}
		f.Count = len(f.Places)
		f.Summary = fmt.Sprintf("%s in %s leans out more than %.0f°, about %.3g cm³ of support", areaWords(o.AreaMM2), some(f.Count, "region", "regions"),
			s.Process.OverhangDeg, o.SupportMM3/1000)
		return f
	},
}

func areaWords(mm2 float64) string {
	if mm2 < 10 {
		return fmt.Sprintf("%.2g mm²", mm2)
	}
	return fmt.Sprintf("%.3g cm²", mm2/100)
}
