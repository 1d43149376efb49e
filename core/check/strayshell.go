package check

import (
	"fmt"

	"veneer/core/mesh"
)

var strayShell = Kind{
	Name: "stray-shell", Title: "Stray specks", Usual: Warning,
	What:   "A separate piece of surface is so small that it cannot print, or matters to nobody, beside the part proper.",
	Harm:   "It may come loose in the machine, and every layer through it costs time.",
	Action: "Specks whose longest side is under twice the thinnest wall that prints are reported.",
	sketch: sketches{"s M12 60V24l28-14 28 14v36z|B M82 20l5-5 3 6zM88 40l4-3 1 5z",
		"s M12 60V24l28-14 28 14v36z|n M80 12h14v14h-14zM84 34h12v12h-12z"},
	find: func(s *Subject) *Finding {
		limit := 2 * s.Process.WallMM
		largest := 0.0
		for _, shell := range s.Shells.List {
			largest = max(largest, diameter(shell.Box))
		}
		if largest < limit {
			return nil // then the part itself is small
		}
		f := s.shellsThat(func(shell mesh.Shell) bool {
			size := shell.Box.Size()
			return max(size.X, size.Y, size.Z) < limit
		})
		f.Summary = fmt.Sprintf("%s smaller than %.3g mm", some(f.Count, "separate piece is", "separate pieces are"), limit)
		return f
	},
}
