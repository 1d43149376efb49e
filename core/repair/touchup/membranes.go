package touchup

import (
	"context"

	"veneer/core/check"
	"veneer/core/spatial"
)

// dropMembranes takes out sheets that lie across the surface, held all around by
// edges of three or more triangles: walls within the solid, which bound nothing,
// and, when a person said so, sheets that close a channel or a pocket. What
// stays is closed and keeps its channels. See mesh.Topology.Membranes.
var dropMembranes = Step{
	Name: "drop-membranes", Title: "Take out inner walls and sheets across channels",
	Why: func(r *check.Report) string {
		return counted(r.Geometry.NonManifoldEdges, "edge with three or more triangles", "edges with three or more triangles")
	},
	Run: func(_ context.Context, w *Work) (Change, error) {
		topo := w.Topology()
		if topo.Count().NonManifold == 0 {
			return Change{}, nil
		}
		patches := topo.Patches()
		tree := spatial.New(w.Mesh, func(t int32) bool { return !w.Mesh.ZeroArea(t) })
		out := make([]bool, len(w.Mesh.Triangles))
		walls, sheets, kept := 0, 0, 0
		membranes := topo.Membranes(patches, check.MembraneShare)
		among := map[int32]bool{}
		for _, i := range membranes {
			for _, t := range patches[i].Triangles {
				among[t] = true
			}
		}
		for _, i := range membranes {
			switch {
			case check.WithinSolid(tree, patches[i].Triangles, among):
				walls++
			case w.Report.Answers[check.MembraneQuestion] == check.Remove:
				sheets++
			default:
				kept++
				continue
			}
			for _, t := range patches[i].Triangles {
				out[t] = true
			}
		}
		w.Mesh.Keep(func(t int32) bool { return !out[t] })
		c := Change{Count: walls + sheets}
		c.Detail = joined(counted(walls, "wall")+" within the solid taken out", walls > 0, counted(sheets, "sheet")+" across a channel taken out", sheets > 0)
		if kept > 0 {
			c.Left = counted(kept, "sheet") + " across a channel left"
		}
		return c, nil
	},
}
