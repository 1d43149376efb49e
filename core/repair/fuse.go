package repair

import (
	"context"
	"errors"
	"fmt"
	"math"
	"slices"

	"veneer/core/check"
	"veneer/core/decimate"
	"veneer/core/geom"
	"veneer/core/mesh"
	"veneer/core/process"
	"veneer/core/repair/fuse"
	"veneer/core/repair/touchup"
	"veneer/core/spatial"
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
	Needs: func(r *check.Report, _ process.Process) touchup.Need {
		pairs := 0
		if n := r.Geometry.SelfIntersections; n != nil {
			pairs = *n
		}
		return touchup.Need{Seconds: 1.5e-6*float64(r.Geometry.Triangles) + 60e-6*float64(pairs), Bytes: int64(300*r.Geometry.Triangles + 6000*pairs)}
	},
	Run: func(ctx context.Context, w *touchup.Work) (touchup.Change, error) {
		w.Mesh.Round()
		w.Changed()
		if w.Mesh.Flat() > 0 {
			return touchup.Change{Left: "triangles without area are left"}, nil
		}
		saved := w.Mesh.Clone()
		capped, lids := 0.0, 0
		if !answered(w.Report.Answers, check.Keep) {
			capped, lids = capOpen(w)
		}
		if lids > 0 { // it can only be told now which way they face
			if _, err := touchup.TurnOutward(ctx, w); err != nil {
				return touchup.Change{}, err
			}
			w.Changed()
		}
		c, err := fuse.Run(ctx, w.Mesh, touchup.DropFlat, nil)
		w.Changed()
		if err == nil && len(w.Mesh.Triangles) == 0 {
			err = errNothing
		}
		if tooHard(err) {
			*w.Mesh = *saved
			return touchup.Change{Left: err.Error()}, nil
		}
		if err != nil {
			return touchup.Change{}, err
		}
		if c.Rounds == 0 && lids == 0 {
			*w.Mesh = *saved
			return touchup.Change{}, nil
		}
		change := touchup.Change{FilledMM2: capped, Count: max(c.Cut, 1), Detail: fmt.Sprintf("%s cut into %d pieces, %s within the solid dropped", counted(c.Cut, "triangle"), c.Pieces, counted(c.Gone, "piece"))}
		if lids > 0 {
			change.Detail += fmt.Sprintf("; open edges closed by %s before", counted(lids, "triangle"))
		}
		mergeBodies(w.Mesh)
		tidied, err := tidyCuts(ctx, w, saved.Positions)
		if err != nil {
			return change, err
		}
		change.Detail += tidied
		words, moved, err := settleEdges(ctx, w)
		if n := dropCrumbs(w); n > 0 {
			words += fmt.Sprintf("; %s too fine to show dropped", counted(n, "crumb"))
		}
		change.Detail += words
		change.MovedMM = moved
		return change, err
	},
}

// capOpen closes what touching up could not, by fans to the middle of each rim,
// which may pass through anything: fusing settles that. It tells the area and
// number of the new triangles.
func capOpen(w *touchup.Work) (area float64, n int) {
	caps, positions := mesh.Caps(w.Topology())
	w.Mesh.Positions = positions
	for _, c := range caps {
		w.Mesh.Append(c.Beside, c.Triangle)
		area += w.Mesh.AreaNormal(int32(len(w.Mesh.Triangles)-1)).Length() / 2
	}
	if len(caps) > 0 {
		w.Mesh.Round()
		w.Mesh.Keep(func(t int32) bool { return !w.Mesh.RepeatsVertex(t) })
		w.Changed()
	}
	return area, len(caps)
}

// answered reports whether one of those was a person's answer to any question.
func answered(answers map[string]string, any ...string) bool {
	for _, answer := range answers {
		if slices.Contains(any, answer) {
			return true
		}
	}
	return false
}

var errNothing = errors.New("the surfaces enclose nothing")

// tooHard reports whether fusing gave up, rather than failed.
func tooHard(err error) bool {
	return errors.Is(err, errNothing) || errors.Is(err, fuse.ErrOpen) || errors.Is(err, fuse.ErrTooMany) || errors.Is(err, fuse.ErrRounding)
}

// cutTolerance is how far the surface may move, in mm, where points that cutting
// made are taken out again.
func cutTolerance(p process.Process) float64 { return p.DetailMM / 400 }

// tidyCuts takes out the points that cutting made and the shape does not need:
// those of slivers, and of lines along which nothing was dropped in the end. Points
// that were there before stay where they are.
func tidyCuts(ctx context.Context, w *touchup.Work, before []geom.Vec) (words string, err error) {
	known := mesh.NewWelder(len(before) + len(w.Mesh.Positions))
	number := make([]int32, max(len(before), len(w.Mesh.Positions)))
	known.Add(before, number)
	old := int32(len(known.Positions))
	known.Add(w.Mesh.Positions, number)
	isNew := func(t int32) bool {
		v := w.Mesh.Triangles[t]
		return number[v[0]] >= old || number[v[1]] >= old || number[v[2]] >= old
	}
	cut := w.Mesh.Clone()
	cut.Keep(isNew)
	if len(cut.Triangles) == 0 {
		return "", nil
	}
	swapped := swapNeedles(cut, cutTolerance(w.Process))
	keep := make([]bool, len(cut.Positions))
	for v := range keep {
		keep[v] = number[v] < old
	}
	made, err := decimate.Run(ctx, cut, decimate.Settings{ToleranceMM: cutTolerance(w.Process), Keep: keep}, nil)
	if err != nil {
		return "", err
	}

	tidy := w.Mesh.Clone()
	tidy.Keep(func(t int32) bool { return !isNew(t) })
	tidy.Join(made.Mesh)
	tidy.Weld()
	meet, err := spatial.New(tidy, nil).Crossings(ctx, 1, nil)
	if err != nil || len(meet.Pairs) > 0 {
		return "", err
	}
	gone := len(w.Mesh.Triangles) - len(tidy.Triangles)
	*w.Mesh = *tidy
	w.Changed()
	if gone+swapped == 0 {
		return "", nil
	}
	return fmt.Sprintf("; %s beside the cuts dropped and %s swapped within %.2g mm", counted(gone, "piece"), counted(swapped, "sliver"), cutTolerance(w.Process)), nil
}

// swapNeedles gets rid of triangles that are thinner than a tolerance, whose third
// corner lies beside the middle of their longest side: that side is swapped for the
// one across it and the triangle beyond, where both are thicker then and face as
// that one did. The surface moves by less than the needle is thick.
func swapNeedles(m *mesh.Mesh, tolerance float64) (swapped int) {
	height := func(v mesh.Triangle) (h float64, side int) {
		longest := 0.0
		for k := range 3 {
			if l := m.Positions[v[k]].Distance(m.Positions[v[(k+1)%3]]); l > longest {
				longest, side = l, k
			}
		}
		a, b, c := m.Positions[v[0]], m.Positions[v[1]], m.Positions[v[2]]
		return b.Sub(a).Cross(c.Sub(a)).Length() / longest, side
	}
	facing := func(v mesh.Triangle) geom.Vec {
		a, b, c := m.Positions[v[0]], m.Positions[v[1]], m.Positions[v[2]]
		return b.Sub(a).Cross(c.Sub(a)).Unit()
	}
	for range 4 { // a swap may make the next one possible
		topo := mesh.NewTopology(&mesh.Mesh{Positions: m.Positions, Triangles: slices.Clone(m.Triangles)})
		done := make([]bool, len(m.Triangles))
		before := swapped
		for t := range int32(len(m.Triangles)) {
			v := m.Triangles[t]
			h, k := height(v)
			if done[t] || h >= tolerance {
				continue
			}
			halves := topo.Halves(topo.EdgeOf[3*t+int32(k)])
			if len(halves) != 2 || topo.SameWay(halves[0], halves[1]) {
				continue
			}
			other := halves[0] + halves[1] - (3*t + int32(k))
			u := other / 3
			apex, far := v[(k+2)%3], topo.Opposite(other)
			if done[u] || apex == far || topo.Triangles(apex, far) > 0 || !m.SamePaint(t, u) {
				continue
			}
			one, two := mesh.Triangle{v[k], far, apex}, mesh.Triangle{far, v[(k+1)%3], apex}
			was := facing(m.Triangles[u])
			g, _ := height(m.Triangles[u])
			h1, _ := height(one)
			h2, _ := height(two)
			if min(h1, h2) <= min(g, h) || facing(one).Dot(was) < 0.9 || facing(two).Dot(was) < 0.9 {
				continue
			}
			m.Triangles[t], m.Triangles[u] = one, two
			for _, w := range [2]int32{t, u} {
				for k := range int32(3) {
					if e := topo.EdgeOf[3*w+k]; e >= 0 {
						for _, h := range topo.Halves(e) {
							done[h/3] = true
						}
					}
				}
			}
			swapped++
		}
		if swapped == before {
			break
		}
	}
	return swapped
}

// settleEdges deals with solids that only touch along an edge once they are
// fused: they are drawn apart by a hair where that does, and otherwise joined by
// a bead of material around the edge, a few hairs thick.
func settleEdges(ctx context.Context, w *touchup.Work) (words string, moved float64, err error) {
	const tries, mostBeads = 3, 40
	hair := 1e-5 * w.Mesh.Bounds().Size().Length()
	for try := range tries {
		touching := touchingEdges(w.Topology())
		if len(touching) == 0 || try > 0 && len(touching) > mostBeads {
			return words, moved, nil
		}
		saved := w.Mesh.Clone()
		if try == 0 {
			parted, err := touchup.PartEdges(ctx, w)
			w.Mesh.Round()
			w.Changed()
			if err != nil {
				return words, moved, err
			}
			if len(touchingEdges(w.Topology())) == 0 {
				meet, err := spatial.New(w.Mesh, nil).Crossings(ctx, 1, nil)
				if err != nil || len(meet.Pairs) == 0 {
					return "; " + parted.Detail, parted.MovedMM, err
				}
			}
		} else {
			for _, e := range touching {
				bead(w.Mesh, e, hair)
			}
			w.Mesh.Round()
			w.Changed()
			_, err := fuse.Run(ctx, w.Mesh, touchup.DropFlat, nil)
			w.Changed()
			if err == nil {
				mergeBodies(w.Mesh)
				words, moved = fmt.Sprintf("; %s joined by a bead %.2g mm thick", counted(len(touching), "edge that solids touched along", "edges that solids touched along"), 2*hair), 0
				continue
			}
			if !tooHard(err) {
				return words, moved, err
			}
		}
		*w.Mesh = *saved
		w.Changed()
		if try > 0 {
			hair *= 3
		}
	}
	return words, moved, nil
}

// dropCrumbs takes out closed shells that cutting left: solids and hollows finer
// than the process shows, and those as thin as rounding makes them.
func dropCrumbs(w *touchup.Work) (dropped int) {
	topo := w.Topology()
	shells := mesh.NewShells(topo, topo.Count())
	thin := 1e-6 * w.Mesh.Bounds().Size().Length()
	crumb := make([]bool, len(shells.List))
	for i, s := range shells.List {
		size := s.Box.Size()
		if crumb[i] = s.Closed && (max(size.X, size.Y, size.Z) < w.Process.DetailMM || 2*math.Abs(s.VolumeMM3) < thin*s.AreaMM2); crumb[i] {
			dropped++
		}
	}
	if dropped == 0 || dropped == len(crumb) {
		return 0
	}
	w.Mesh.Keep(func(t int32) bool { return shells.Of[t] < 0 || !crumb[shells.Of[t]] })
	w.Mesh.Weld()
	w.Changed()
	return dropped
}

// touching is an edge of more than two triangles: one of them, and the ends.
type touching struct{ like, from, to int32 }

func touchingEdges(topo *mesh.Topology) (list []touching) {
	for e := range int32(topo.Edges()) {
		if h := topo.Halves(e); len(h) > 2 {
			list = append(list, touching{h[0] / 3, topo.From(h[0]), topo.To(h[0])})
		}
	}
	return list
}

// bead adds a thin prism around an edge, a little longer than it.
func bead(m *mesh.Mesh, e touching, radius float64) {
	p, q := m.Positions[e.from], m.Positions[e.to]
	along := q.Sub(p).Unit()
	side := along.Cross(geom.Vec{X: 0.48, Y: 0.6, Z: 0.64})
	if side.Length() < 0.1 {
		side = along.Cross(geom.Vec{X: 1})
	}
	side = side.Unit()
	up := along.Cross(side)
	const around = 5
	first := int32(len(m.Positions))
	for i := range around {
		s, c := math.Sincos(2*math.Pi*float64(i)/around + 0.3)
		out := side.Scale(c * radius).Add(up.Scale(s * radius))
		m.Positions = append(m.Positions, p.Add(out).Sub(along.Scale(radius)), q.Add(out).Add(along.Scale(radius)))
	}
	for i := range int32(around) {
		a, b := first+2*i, first+2*((i+1)%around)
		m.Append(e.like, mesh.Triangle{a, b, b + 1}, mesh.Triangle{a, b + 1, a + 1})
		if i > 1 {
			m.Append(e.like, mesh.Triangle{first, a, a - 2}, mesh.Triangle{first + 1, a - 1, a + 1})
		}
	}
}

// counted is a number with its noun, which gets an s when no other plural is given.
func counted(n int, one string, many ...string) string {
	switch {
	case n == 1:
		return "1 " + one
	case len(many) > 0:
		return fmt.Sprintf("%d %s", n, many[0])
	}
	return fmt.Sprintf("%d %ss", n, one)
}

// mergeBodies makes one body of those that share an edge of the new skin, for
// neither is closed by itself any more; it keeps the first one's name. Bodies that
// nothing is left of are dropped.
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
	has := make([]bool, len(m.Bodies))
	for _, b := range m.BodyOf {
		has[joined.Root(b)] = true
	}
	var kept []mesh.Body
	for b := range int32(len(m.Bodies)) {
		if !has[joined.Root(b)] {
			continue
		}
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
