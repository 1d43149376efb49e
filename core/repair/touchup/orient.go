package touchup

import (
	"context"

	"veneer/core/check"
)

// orient turns the smallest set of triangles that makes every shell face one way.
var orient = Step{
	Name: "orient", Title: "Turn flipped triangles",
	Why: func(r *check.Report) string { return counted(r.Geometry.Flipped, "flipped triangle") },
	Run: func(_ context.Context, w *Work) (Change, error) {
		_, shells := w.topology()
		n := 0
		for t, flip := range shells.Flip {
			if flip {
				w.Mesh.Turn(int32(t))
				n++
			}
		}
		return Change{Count: n, Detail: counted(n, "triangle") + " turned"}, nil
	},
}

// TurnOutward does that step.
func TurnOutward(ctx context.Context, w *Work) (Change, error) { return turnOutward.Run(ctx, w) }

// turnOutward turns whole closed shells: outer skins outward, skins of hollows inward.
var turnOutward = Step{
	Name: "turn-outward", Title: "Turn inside-out shells",
	Why: func(r *check.Report) string {
		if why := counted(r.Geometry.InsideOutShells, "inside-out shell"); why != "" {
			return why
		}
		return counted(r.Geometry.BoundaryLoops, "shell to be closed first", "open loops, whose shells may face either way")
	},
	Run: func(_ context.Context, w *Work) (Change, error) {
		_, shells := w.topology()
		n := 0
		for _, shell := range shells.List {
			if shell.InsideOut() {
				n++
			}
		}
		if n > 0 {
			for t := range w.Mesh.Triangles {
				if i := shells.Of[t]; i >= 0 && shells.List[i].InsideOut() {
					w.Mesh.Turn(int32(t))
				}
			}
		}
		return Change{Count: n, Detail: counted(n, "shell") + " turned"}, nil
	},
}
