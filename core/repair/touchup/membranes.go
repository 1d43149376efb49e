package touchup

import (
	"context"

	"veneer/core/check"
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
		out := make([]bool, len(w.Mesh.Triangles))
		walls, sheets, kept := 0, 0, 0
		for _, sheet := range check.Membranes(topo, treeOf(w.Mesh)) {
			switch {
			case sheet.Within:
				walls++
			case w.Report.Answers[check.MembraneQuestion] == check.Remove:
				sheets++
			default:
				kept++
				continue
			}
			for _, t := range sheet.Triangles {
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
