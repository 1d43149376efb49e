package touchup

import (
	"context"

	"veneer/core/check"
	"veneer/core/mesh"
)

// removeNested drops solids within solids, when a person said that they are
// left over, with all that lies in them.
var removeNested = Step{
	Name: "remove-nested", Title: "Remove solids within solids",
	Why: func(r *check.Report) string {
		if r.Answers[check.NestedShell] != check.Remove {
			return ""
		}
		return "answered: what lies in a solid and faces outward is left over"
	},
	Run: func(_ context.Context, w *Work) (Change, error) {
		_, shells := w.topology()
		out, n := leftOver(shells), 0
		for _, gone := range out {
			if gone {
				n++
			}
		}
		if n > 0 {
			w.Mesh.Keep(func(t int32) bool { return shells.Of[t] < 0 || !out[shells.Of[t]] })
		}
		return Change{Count: n, Detail: counted(n, "shell") + " within others removed"}, nil
	},
}

// leftOver marks the shells that are a solid within a solid or lie in one.
func leftOver(shells *mesh.Shells) []bool {
	out := make([]bool, len(shells.List))
	for i := range shells.List {
		for j := int32(i); j >= 0; j = shells.List[j].Inside {
			if shell := shells.List[j]; shell.InsideOut() && shell.Depth%2 == 1 {
				out[i] = true
			}
		}
	}
	return out
}
