package touchup

import (
	"context"

	"veneer/core/check"
	"veneer/core/mesh"
)

// dropFins takes off what hangs on a surface by an edge of three or more
// triangles and ends in the open: it has no thickness and bounds nothing.
//
// Idea: edges of other than two triangles part the surface into patches. A
// patch with an open edge is a fin when the others leave exactly two triangles
// at each edge where it hangs, so that taking it off closes the surface there.
// The smallest goes first, for what was two fins may be a fin and a surface; one
// of more than a tenth of all the area is no fin, and stays.
var dropFins = Step{
	Name: "drop-fins", Title: "Take off fins",
	Why: func(r *check.Report) string {
		if r.Geometry.BoundaryEdges == 0 {
			return ""
		}
		return counted(r.Geometry.NonManifoldEdges, "edge with three or more triangles", "edges with three or more triangles")
	},
	Run: func(ctx context.Context, w *Work) (Change, error) {
		topo := w.Topology()
		patches := topo.Patches()
		at := make([]int, topo.Edges()) // triangles still there
		for e := range at {
			at[e] = len(topo.Halves(int32(e)))
		}
		gone := make([]bool, len(patches))
		total := 0.0
		for _, p := range patches {
			total += p.Area
		}
		fins, triangles, removed := 0, 0, 0.0
		for again := true; again && ctx.Err() == nil; {
			again = false
			for i, p := range patches {
				if gone[i] || 10*p.Area > total || !hangs(p, at) {
					continue
				}
				for _, s := range p.Seams {
					at[s.Edge] -= s.Triangles
				}
				gone[i], again = true, true
				fins++
				removed += p.Area
				triangles += len(p.Triangles)
			}
		}
		if fins > 0 {
			out := make([]bool, len(w.Mesh.Triangles))
			for i, p := range patches {
				for _, t := range p.Triangles {
					out[t] = gone[i]
				}
			}
			w.Mesh.Keep(func(t int32) bool { return !out[t] })
		}
		return Change{Count: fins, RemovedMM2: removed, Detail: counted(fins, "fin") + " of " + counted(triangles, "triangle") + " taken off"}, ctx.Err()
	},
}

// hangs reports whether taking the patch off closes the surface where it hangs.
func hangs(p mesh.Patch, at []int) bool {
	if !p.Open || len(p.Seams) == 0 {
		return false
	}
	for _, s := range p.Seams {
		if at[s.Edge]-s.Triangles != 2 {
			return false
		}
	}
	return true
}
