package touchup

import (
	"context"

	"veneer/core/check"
	"veneer/core/process"
	"veneer/core/spatial"
)

// removePieces takes whole shells away: specks that are finer than the process
// shows or bound nothing, and what a person said is left over: loose pieces,
// sheets, bands without an outside.
var removePieces = Step{
	Name: "remove-pieces", Title: "Remove pieces",
	Why: func(r *check.Report) string {
		why := ""
		add := func(words string) {
			if words != "" {
				why = joined(why, why != "", words, true)
			}
		}
		for _, f := range r.Findings {
			answer := r.Answers[f.Kind]
			switch {
			case f.Kind == check.StrayShell && answer == check.Drop:
				add("answered: loose pieces are left over")
			case f.Kind == check.StrayShell:
				add(counted(f.Count, "stray piece"))
			case (f.Kind == check.SheetQuestion || f.Kind == check.NotOrientable) && answer == check.Remove:
				add("answered: " + f.Kind + " is left over")
			}
		}
		return why
	},
	With: func(_ *check.Report, p process.Process) map[string]float64 {
		return map[string]float64{"detail_mm": p.DetailMM, "broken_below_mm": check.SpeckMM(p)}
	},
	Run: func(ctx context.Context, w *Work) (Change, error) {
		topo, shells := w.topology()
		answers := w.Report.Answers
		gone := make([]bool, len(shells.List))
		flat := check.Sheets(topo, shells, topo.Loops(), w.Process.WallMM)
		var meet []spatial.Pair
		if answers[check.StrayShell] == check.Drop {
			found, err := treeOf(w.Mesh).Crossings(ctx, 1_000_000, nil)
			if err != nil {
				return Change{}, err
			}
			meet = found.Pairs
		}
		unasked := 0.0
		specks, loose := check.Strays(w.Mesh, shells, meet, w.Process)
		for _, i := range specks {
			s := shells.List[i]
			size := s.Box.Size()
			if gone[i] = !s.Closed || !s.Orientable || flat[i] || max(size.X, size.Y, size.Z) < w.Process.DetailMM; gone[i] {
				unasked += s.AreaMM2
			}
		}
		if answers[check.StrayShell] == check.Drop {
			for _, i := range loose {
				gone[i] = true
			}
		}
		for i, s := range shells.List {
			gone[i] = gone[i] || flat[i] && answers[check.SheetQuestion] == check.Remove || !s.Orientable && answers[check.NotOrientable] == check.Remove
		}
		n := 0
		for _, is := range gone {
			if is {
				n++
			}
		}
		if n > 0 && n < len(gone) { // something must stay
			w.Mesh.Keep(func(t int32) bool { return shells.Of[t] < 0 || !gone[shells.Of[t]] })
			return Change{Count: n, RemovedMM2: unasked, Detail: counted(n, "piece") + " removed"}, nil
		}
		return Change{}, nil
	},
}
