package touchup

import (
	"context"
	"fmt"

	"veneer/core/check"
	"veneer/core/mesh"
)

// joinSeams makes corners of open edges one that lie so close together that
// they were meant to be.
var joinSeams = Step{
	Name: "join-seams", Title: "Join seams",
	Why: func(r *check.Report) string {
		for _, f := range r.Findings {
			if f.Kind == "unwelded-seam" {
				return counted(f.Count, "pair", "pairs") + " of open edges on one another"
			}
		}
		return ""
	},
	Run: func(_ context.Context, w *Work) (Change, error) {
		topo := mesh.NewTopology(w.Mesh)
		distance := check.SeamMM(w.Mesh.Bounds().Size().Length())
		group := mesh.Near(w.Mesh, topo.Loops(), topo, distance)
		moved, farthest := 0, 0.0
		for v, to := range group {
			if v != to {
				moved++
				farthest = max(farthest, w.Mesh.Positions[v].Distance(w.Mesh.Positions[to]))
				w.Mesh.Positions[v] = w.Mesh.Positions[to]
			}
		}
		w.Mesh.Weld()
		return Change{Count: moved, Detail: fmt.Sprintf("%s moved by at most %.2g mm", counted(moved, "corner"), farthest)}, nil
	},
}
