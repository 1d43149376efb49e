package check

import (
	"fmt"

	"veneer/core/mesh"
)

var insideOutShell = Kind{
	Name: "inside-out-shell", Title: "Inside-out shell", Usual: Error,
	What:   "A closed shell faces the wrong way as a whole: an outer skin turned inward, or the skin of a hollow turned outward.",
	Harm:   "Slicing software may print nothing, or fill what should be hollow.",
	Action: "The whole shell is turned, by how many shells it lies in: outer skins face outward, skins of hollows inward. No point moves.",
	sketch: sketches{"B M50 10a28 26 0 1 0 .1 0z|l M50 44V24m-4 4 4-4 4 4M44 36H28m4-4-4 4 4 4M56 36H72m-4-4 4 4-4 4|b M50 10a28 26 0 1 0 .1 0z",
		"s M50 10a28 26 0 1 0 .1 0z|n M50 14V2m-4 4 4-4 4 4M24 36H10m4-4-4 4 4 4M76 36H90m-4-4 4 4-4 4"},
	find: func(s *Subject) *Finding {
		f := s.shellsThat(mesh.Shell.InsideOut)
		f.Summary = fmt.Sprintf("%s the wrong way", some(f.Count, "closed shell faces", "closed shells face"))
		closed := 0
		for _, shell := range s.Shells.List {
			if shell.Closed {
				closed++
			}
		}
		if f.Count == closed {
			f.Summary += ", all that there are, as when a part is mirrored and its triangles are not turned"
		}
		return f
	},
}
