package check

import (
	"fmt"

	"veneer/core/measure"
	"veneer/core/process"
)

var oversize = Kind{
	Name: "oversize", Title: "Larger than the machine", Usual: Warning,
	What:   "The part does not fit the space in which the process's machine can build.",
	Harm:   "It cannot be printed in one piece at this size.",
	Action: "Nothing is changed. A wrong unit is the most common reason; otherwise the part is turned, scaled or cut.",
	sketch: sketches{"d M22 14h56v48h-56z|B M8 26h84v24h-84z",
		"d M22 14h56v48h-56z|s M38 16l40 30-8 12-42-30z"},
	find: func(s *Subject) *Finding {
		size := s.Box.Size().Array()
		f := &Finding{Count: 1, Places: []Place{{AtMM: roundAll(s.Box.Centre()), SizeMM: round(diameter(s.Box))}}}
		part, machine := sides(size), sides(s.Process.MachineMM)
		switch s.Process.Fit(size) {
		case process.Fits:
			return nil
		case process.FitsTurned:
			f.Severity = Note
			f.Summary = fmt.Sprintf("%s fits the machine's %s only when turned by 90°", part, machine)
		default:
			f.Summary = fmt.Sprintf("%s does not fit the machine's %s", part, machine)
			if axis, degrees, fits := measure.FitTurned(s.Mesh, s.Process.MachineMM); fits {
				f.Severity = Note
				f.Summary = fmt.Sprintf("%s fits the machine's %s only with its %s up and turned by %d° about it", part, machine, axis, degrees)
			}
		}
		return f
	},
}

// sides is a size in words: 116 × 116 × 4.6 mm.
func sides(s [3]float64) string {
	word := func(x float64) string {
		if x >= 100 {
			return fmt.Sprintf("%.0f", x)
		}
		return fmt.Sprintf("%.3g", x)
	}
	return word(s[0]) + " × " + word(s[1]) + " × " + word(s[2]) + " mm"
}
