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
