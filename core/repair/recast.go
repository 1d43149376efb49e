package repair

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"

	"veneer/core/check"
	"veneer/core/measure"
	"veneer/core/mesh"
	"veneer/core/process"
	"veneer/core/repair/recast"
	"veneer/core/repair/touchup"
	"veneer/core/spatial"
)

// What a recast is set to unless a person says otherwise. Cells are half as large
// as the finest detail that the process shows, within these bounds: so many
// along the longest side at least, for its shape to come out, and at most, for it
// to be done in a few seconds and in little memory.
const (
	leastCells = 96
	mostCells  = 512
	mostBytes  = 1500 << 20
	lighterBy  = 8 // the skin may move by the size of a cell over this, to become lighter
)

// recastSettings completes what a person set.
func recastSettings(r *check.Report, p process.Process, set recast.Settings) recast.Settings {
	size := r.Geometry.SizeMM
	longest := max(size[0], size[1], size[2])
	if set.CellMM == 0 {
		set.CellMM = max(min(p.DetailMM/2, longest/leastCells), longest/mostCells)
		for {
			need, err := recast.Predict(size, r.Geometry.AreaMM2, r.Geometry.Triangles, set)
			if err == nil && need.Bytes <= mostBytes || !(set.CellMM < longest) {
				break
			}
			set.CellMM *= 1.25
		}
	}
	set.GapMM = cmp.Or(set.GapMM, p.DetailMM)
	set.DetailMM = cmp.Or(set.DetailMM, p.DetailMM)
	set.ToleranceMM = cmp.Or(set.ToleranceMM, set.CellMM/lighterBy)
	return set
}

// SetRecast reads one thing that a person sets a recast to, in mm: cell=0.2,
// gap=0.1, smallest=0.3 or tolerance=0.05.
func SetRecast(set recast.Settings, text string) (recast.Settings, error) {
	name, value, _ := strings.Cut(text, "=")
	mm, err := strconv.ParseFloat(value, 64)
	if err != nil || !(mm > 0) || math.IsInf(mm, 1) {
		return set, fmt.Errorf("%q is no length in mm for a new skin; write cell=0.2", text)
	}
	switch name {
	case "cell":
		set.CellMM = mm
	case "gap":
		set.GapMM = mm
	case "smallest":
		set.DetailMM = mm
	case "tolerance":
		set.ToleranceMM = mm
	default:
		return set, fmt.Errorf("a new skin is set by cell, gap, smallest and tolerance, not %q", name)
	}
	return set, nil
}

// recastStep is the third method, as a step. Where only some shells are broken and
// no others are near, the others stay as they are.
func recastStep(set recast.Settings, progress func(string, float64)) touchup.Step {
	return touchup.Step{
		Name: "recast", Title: "Draw a new skin",
		Why: func(r *check.Report) string { return "a new skin is asked for" },
		With: func(r *check.Report, p process.Process) map[string]float64 {
			s := recastSettings(r, p, set)
			return map[string]float64{"cell_mm": s.CellMM, "gap_mm": s.GapMM, "detail_mm": s.DetailMM, "tolerance_mm": s.ToleranceMM}
		},
		Needs: func(r *check.Report, p process.Process) touchup.Need {
			need, err := recast.Predict(r.Geometry.SizeMM, r.Geometry.AreaMM2, r.Geometry.Triangles, recastSettings(r, p, set))
			if err != nil {
				return touchup.Need{}
			}
			points := float64(need.Cells[0]) * float64(need.Cells[1]) * float64(need.Cells[2])
			return touchup.Need{Seconds: 3.5e-6*float64(need.Triangles) + 2e-9*points, Bytes: need.Bytes}
		},
		Run: func(ctx context.Context, w *touchup.Work) (touchup.Change, error) {
			return redraw(ctx, w, set, progress, func(old *mesh.Mesh, s recast.Settings) ([]bool, error) {
				return brokenShells(ctx, old, 2*s.CellMM+s.GapMM)
			})
		},
	}
}

// redraw puts a new skin in the place of the triangles that which tells, of all of
// them when that is nil.
func redraw(ctx context.Context, w *touchup.Work, set recast.Settings, progress func(string, float64), which func(*mesh.Mesh, recast.Settings) ([]bool, error)) (touchup.Change, error) {
	w.Mesh.Round()
	w.Changed()
	s := recastSettings(w.Report, w.Process, set)
	old := w.Mesh.Clone()
	drawn, err := which(old, s)
	if err != nil {
		return touchup.Change{}, err
	}
	part := old.Clone()
	part.Keep(func(t int32) bool { return drawn == nil || drawn[t] })
	skin, s, off, err := drawSkin(ctx, part, s, progress)
	if noSkin(err) {
		return touchup.Change{Left: err.Error()}, nil
	}
	if err != nil {
		return touchup.Change{}, err
	}
	if drawn == nil {
		*w.Mesh = *old.Blank(nil)
	} else {
		w.Mesh.Keep(func(t int32) bool { return !drawn[t] })
	}
	dress(w.Mesh, skin, part)
	w.Changed()
	c := touchup.Change{Count: len(part.Triangles), MovedMM: off,
		Detail: fmt.Sprintf("%s drawn anew with %s, on cells of %.2g mm", counted(len(part.Triangles), "triangle"), counted(len(skin.Triangles), "triangle"), s.CellMM)}
	if drawn != nil {
		c.Detail += "; " + counted(len(old.Triangles)-len(part.Triangles), "triangle") + " of other shells left as they are"
	}
	return c, nil
}

// drawSkin draws a new skin, on coarser cells where the surface is too rough for
// those that were set; it tells which did, and how far off the skin is.
func drawSkin(ctx context.Context, part *mesh.Mesh, s recast.Settings, progress func(string, float64)) (skin *mesh.Mesh, set recast.Settings, off float64, err error) {
	skin, err = recast.Run(ctx, part, s, progress)
	for tries := 0; errors.Is(err, recast.ErrTooOpen) && tries < 8; tries++ {
		s.CellMM *= 1.4
		s.ToleranceMM *= 1.4
		skin, err = recast.Run(ctx, part, s, progress)
	}
	if err == nil {
		off, err = offBy(ctx, skin, part)
	}
	return skin, s, off, err
}

// noSkin reports whether there is none to be drawn, rather than that drawing failed.
func noSkin(err error) bool {
	return errors.Is(err, recast.ErrNothing) || errors.Is(err, recast.ErrTooFine) || errors.Is(err, recast.ErrTooOpen)
}

// mostApart is the most shells of which those that are whole are kept.
const mostApart = 1000

// brokenShells tells which triangles belong to shells that are open, cross
// something, or lie within a distance of one that does, box by box; nil when all do.
func brokenShells(ctx context.Context, m *mesh.Mesh, near float64) ([]bool, error) {
	topo := mesh.NewTopology(m)
	shells := mesh.NewShells(topo, topo.Count())
	if len(shells.List) > mostApart {
		return nil, nil
	}
	bad := make([]bool, len(shells.List))
	for e := range int32(topo.Edges()) {
		if h := topo.Halves(e); len(h) != 2 || topo.SameWay(h[0], h[1]) {
			bad[shells.Of[h[0]/3]] = true
		}
	}
	for t, s := range shells.Of {
		if s >= 0 && m.ZeroArea(int32(t)) {
			bad[s] = true
		}
	}
	meet, err := spatial.New(m, func(t int32) bool { return shells.Of[t] >= 0 && !bad[shells.Of[t]] }).Crossings(ctx, 100_000, nil)
	if err != nil || meet.AtLeast {
		return nil, err
	}
	for _, p := range meet.Pairs {
		bad[shells.Of[p[0]]], bad[shells.Of[p[1]]] = true, true
	}
	for grew := true; grew; {
		grew = false
		for i := range bad {
			for j := range bad {
				if bad[i] && !bad[j] && shells.List[i].Box.Grow(near).Overlaps(shells.List[j].Box) {
					bad[j], grew = true, true
				}
			}
		}
	}
	whole := 0
	is := make([]bool, len(m.Triangles))
	for t, s := range shells.Of {
		is[t] = s < 0 || bad[s]
		if !is[t] {
			whole++
		}
	}
	if whole == 0 || whole == len(is) { // all of it is broken, or none, and a person wants it all the same
		return nil, nil
	}
	return is, nil
}

// offSamples of a new skin are measured.
const offSamples = 5000

// offBy is how far 99 of 100 points of a new skin are from the surface that it
// was drawn around, at most.
func offBy(ctx context.Context, skin, around *mesh.Mesh) (float64, error) {
	tree := spatial.New(around, nil)
	samples := measure.Samples(skin, offSamples, nil)
	off := make([]float64, 0, len(samples))
	for _, s := range samples {
		if err := ctx.Err(); err != nil {
			return 0, err
		}
		_, _, d := tree.Nearest(s.At, math.Inf(1))
		off = append(off, d)
	}
	return percentile(off, 0.99), nil
}

// dress adds a skin to a mesh, with the bodies, colours and textures that the
// surface which it was drawn around has nearest to each triangle's middle. The
// skin is of one body, that of its first triangle.
func dress(m, skin, around *mesh.Mesh) {
	like := func(int32) int32 { return 0 }
	if around.Colours != nil || around.Covers != nil {
		tree := spatial.New(around, nil)
		like = func(t int32) int32 { return nearestTo(tree, skin, t) }
	}
	bare := len(m.BodyOf)
	add(m, skin, around, like)
	for t := bare; t < len(m.BodyOf); t++ {
		m.BodyOf[t] = around.BodyOf[0]
	}
	m.Weld()
	mergeBodies(m)
}

// add adds a surface to a mesh, each triangle painted as one of another mesh.
func add(m, surface, from *mesh.Mesh, like func(t int32) int32) {
	base := int32(len(m.Positions))
	m.Positions = append(m.Positions, surface.Positions...)
	for t, v := range surface.Triangles {
		m.Paint(mesh.Triangle{v[0] + base, v[1] + base, v[2] + base}, from, like(int32(t)))
	}
}

// nearestTo is the triangle of a tree that is nearest to the middle of a skin's.
func nearestTo(tree *spatial.Tree, skin *mesh.Mesh, t int32) int32 {
	a, b, c := skin.Corners(t)
	near, _, _ := tree.Nearest(a.Add(b).Add(c).Scale(1.0/3), math.Inf(1))
	return near
}

// percentile is the value below which that share of the values lies.
func percentile(values []float64, share float64) float64 {
	if len(values) == 0 {
		return 0
	}
	slices.Sort(values)
	return values[min(int(share*float64(len(values))), len(values)-1)]
}
