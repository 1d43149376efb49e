package repair

import (
	"context"
	"errors"
	"fmt"

	"veneer/core/check"
	"veneer/core/mesh"
	"veneer/core/repair/fuse"
	"veneer/core/repair/touchup"
)

// fuseStep is the second method, as a step: it comes when touching up is done,
// and does nothing when no two triangles meet any more.
var fuseStep = touchup.Step{
	Name: "fuse", Title: "Fuse into one skin",
	Why: func(r *check.Report) string {
		n := r.Geometry.SelfIntersections
		if n == nil || *n <= r.Geometry.Duplicates || r.Answers[check.OverlappingShells] == check.Apart {
			return "" // duplicates meet their likes, and are dropped
		}
		return fmt.Sprintf("%d pairs of triangles pass through each other", *n)
	},
	Run: func(ctx context.Context, w *touchup.Work) (touchup.Change, error) {
		w.Mesh.Round()
		w.Changed()
		if w.Mesh.Flat() > 0 {
			return touchup.Change{Left: "triangles without area are left"}, nil
		}
		saved := w.Mesh.Clone()
		c, err := fuse.Run(ctx, w.Mesh, touchup.DropFlat, nil)
		w.Changed()
		switch {
		case errors.Is(err, fuse.ErrOpen), errors.Is(err, fuse.ErrTooMany), errors.Is(err, fuse.ErrRounding):
			*w.Mesh = *saved
			return touchup.Change{Left: err.Error()}, nil
		case err != nil || c.Rounds == 0:
			return touchup.Change{}, err
		}
		change := touchup.Change{Count: max(c.Cut, 1), Detail: fmt.Sprintf("%s cut into %d pieces, %s within the solid dropped", counted(c.Cut, "triangle"), c.Pieces, counted(c.Gone, "piece"))}
		mergeBodies(w.Mesh)
		parted, err := touchup.PartEdges(ctx, w)
		if parted.Count > 0 {
			w.Changed()
			change.Detail += "; " + parted.Detail
			change.MovedMM = parted.MovedMM
		}
		return change, err
	},
}

func counted(n int, one string) string {
	if n == 1 {
		return "1 " + one
	}
	return fmt.Sprintf("%d %ss", n, one)
}

// mergeBodies makes one body of those that share an edge of the fused skin, for
// neither is closed by itself any more; it keeps the first one's name.
func mergeBodies(m *mesh.Mesh) {
	if m.BodyOf == nil {
		return
	}
	topo := mesh.NewTopology(m)
	joined := mesh.NewForest(len(m.Bodies))
	for e := range int32(topo.Edges()) {
		halves := topo.Halves(e)
		for _, h := range halves[1:] {
			joined.Join(m.BodyOf[halves[0]/3], m.BodyOf[h/3])
		}
	}
	number := make([]int32, len(m.Bodies))
	var kept []mesh.Body
	for b := range int32(len(m.Bodies)) {
		if r := joined.Root(b); r == b {
			number[b] = int32(len(kept))
			kept = append(kept, m.Bodies[b])
		} else {
			number[b] = number[r] // roots come before their members
		}
	}
	for t := range m.BodyOf {
		m.BodyOf[t] = number[m.BodyOf[t]]
	}
	m.Bodies = kept
}
