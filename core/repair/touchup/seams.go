package touchup

import (
	"context"
	"fmt"

	"veneer/core/check"
	"veneer/core/geom"
	"veneer/core/mesh"
	"veneer/core/process"
)

// joinSeams makes corners of open edges one that lie so close together that
// they were meant to be, and splits open edges where such a corner lies on them.
var joinSeams = Step{
	Name: "join-seams", Title: "Join seams",
	Why: func(r *check.Report) string {
		for _, f := range r.Findings {
			if f.Kind == "unwelded-seam" {
				return counted(f.Count, "pair", "pairs") + " of open edges on one another"
			}
		}
		if r.Geometry.TeeJoints > 0 {
			return counted(r.Geometry.TeeJoints, "corner") + " on open edges"
		}
		return ""
	},
	With: func(r *check.Report, _ process.Process) map[string]float64 {
		size := r.Geometry.SizeMM
		return map[string]float64{"distance_mm": check.SeamMM(geom.Vec{X: size[0], Y: size[1], Z: size[2]}.Length())}
	},
	Run: func(_ context.Context, w *Work) (Change, error) {
		return joinWithin(w, check.SeamMM(w.Mesh.Bounds().Size().Length())), nil
	},
}

// joinWithin joins corners of open edges within a distance of one another.
func joinWithin(w *Work, distance float64) Change {
	topo := w.Topology()
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
	w.Changed()
	tees := splitTees(w.Mesh, distance)
	return Change{Count: moved + tees, MovedMM: farthest, Detail: joined(fmt.Sprintf("%s moved by at most %.2g mm", counted(moved, "corner"), farthest), moved > 0,
		counted(tees, "edge", "edges")+" split at a corner that lies on it", tees > 0)}
}

// splitTees splits open edges at the corners of other open edges that lie on
// them, so that the two sides have the same edges; it returns how many edges.
func splitTees(m *mesh.Mesh, distance float64) (split int) {
	topo := mesh.NewTopology(m)
	tees := topo.Tees(topo.Loops(), distance)
	done := map[int32]bool{} // triangles: of each one edge at a time
	for i := 0; i < len(tees); {
		j := i
		for j < len(tees) && tees[j].Half == tees[i].Half {
			j++
		}
		if t := tees[i].Half / 3; !done[t] {
			done[t] = true
			m.SplitEdge(tees[i].Half, tees[i:j])
			split++
		}
		i = j
	}
	if split > 0 && split < len(tees) {
		split += splitTees(m, distance) // second edges of triangles that were split
	}
	return split
}
