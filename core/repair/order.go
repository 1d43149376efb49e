package repair

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"veneer/core/decimate"
	"veneer/core/geom"
	"veneer/core/mesh"
	"veneer/core/repair/fuse"
	"veneer/core/repair/recast"
	"veneer/core/repair/touchup"
)

// Order is one step that a person asks for.
type Order struct {
	Name  string
	Title string
	step  func(Settings) touchup.Step
}

// order is one that has nothing to say before it runs.
func order(name, title string, run func(Settings) stepFunc) Order {
	return Order{name, title, func(set Settings) touchup.Step { return touchup.Step{Name: name, Title: title, Run: run(set)} }}
}

// ByHandOrders tells what a person may order, as NAME=VALUE, beside the steps of a plan.
const ByHandOrders = touchup.ByHand + hollowOrders + heavierOrders

const heavierOrders = ", recast-shell=NUMBER,NUMBER…, recast-region=X,Y,Z,X,Y,Z, lighter-to=TRIANGLES, lighter-share=PART and lighter-within=MM"

// ParseOrder reads an order as touchup.ParseOrder does, and those of the heavier
// methods: fuse, recast, recast-shell=2,3 for a new skin in the place of those
// shells only, and recast-region with two opposite corners of a box, in mm, for a
// new skin within that box, joined to the rest as it is. lighter-to, lighter-share
// and lighter-within have the mesh made lighter; several tolerances, from the finest
// to the coarsest, are stops on the way to the last one. hollow and drain take out
// material that nobody needs.
func ParseOrder(text string) (Order, error) {
	name, value, _ := strings.Cut(text, "=")
	switch {
	case text == fuseStep.Name:
		return Order{fuseStep.Name, fuseStep.Title, func(Settings) touchup.Step { return fuseStep }}, nil
	case text == string(Recast):
		return Order{name, "Draw a new skin", func(set Settings) touchup.Step { return recastStep(set.Recast, set.Progress) }}, nil
	case name == "recast-shell":
		numbers, err := touchup.Numbers(value)
		if err != nil {
			return Order{}, fmt.Errorf("%s: %w", text, err)
		}
		return order(name, "Draw a new skin for shells", func(set Settings) stepFunc {
			return func(ctx context.Context, w *touchup.Work) (touchup.Change, error) {
				return redraw(ctx, w, set.Recast, set.Progress, func(*mesh.Mesh, recast.Settings) ([]bool, error) { return shellsNamed(w, numbers) })
			}
		}), nil
	case name == "recast-region":
		numbers, err := touchup.Numbers(value)
		if err != nil || len(numbers) != 6 {
			return Order{}, fmt.Errorf("%s: give two opposite corners of a box in mm, recast-region=X,Y,Z,X,Y,Z", text)
		}
		box := geom.EmptyBox()
		for i := 0; i < 6; i += 3 {
			box = box.Extend(geom.Vec{X: numbers[i], Y: numbers[i+1], Z: numbers[i+2]})
		}
		return order(name, "Draw a new skin in a region", func(set Settings) stepFunc {
			return func(ctx context.Context, w *touchup.Work) (touchup.Change, error) {
				return redrawRegion(ctx, w, box, set.Recast, set.Progress)
			}
		}), nil
	}
	numbers, err := touchup.Numbers(value)
	if o, is, wrong := parseHollow(name, text, numbers); is {
		return o, wrong
	}
	if to, is := lighterOrder(name); is {
		if err != nil || len(numbers) == 0 || len(numbers) > 1 && name != "lighter-within" || !(numbers[0] > 0) || !slices.IsSorted(numbers) || name == "lighter-share" && numbers[0] >= 1 {
			return Order{}, fmt.Errorf("%s: give a number above 0, lighter-to=TRIANGLES, lighter-share=PART below 1 or lighter-within=MM", text)
		}
		return order(name, "Make it lighter", func(set Settings) stepFunc {
			return func(ctx context.Context, w *touchup.Work) (touchup.Change, error) {
				var way []decimate.Settings
				for _, x := range numbers {
					way = append(way, to(w.Mesh, x))
				}
				return makeLighter(ctx, w, way, set.Progress)
			}
		}), nil
	}
	o, err := touchup.ParseOrder(text)
	if err != nil {
		return Order{}, fmt.Errorf("%w%s%s", err, hollowOrders, heavierOrders)
	}
	return order(o.Name, o.Title, func(Settings) stepFunc { return o.Run }), nil
}

// lighterOrder is what an order of that name has a mesh made lighter to.
func lighterOrder(name string) (to func(m *mesh.Mesh, x float64) decimate.Settings, is bool) {
	switch name {
	case "lighter-to":
		return func(_ *mesh.Mesh, x float64) decimate.Settings {
			return decimate.Settings{Triangles: max(4, int(min(x, 1<<30)))}
		}, true
	case "lighter-share":
		return func(m *mesh.Mesh, x float64) decimate.Settings {
			return decimate.Settings{Triangles: max(4, int(x*float64(len(m.Triangles))))}
		}, true
	case "lighter-within":
		return func(_ *mesh.Mesh, x float64) decimate.Settings { return decimate.Settings{ToleranceMM: x} }, true
	}
	return nil, false
}

// makeLighter takes triangles away that the shape does not need, in stops.
func makeLighter(ctx context.Context, w *touchup.Work, way []decimate.Settings, progress func(string, float64)) (touchup.Change, error) {
	w.Mesh.Round()
	touchup.DropFlat(w.Mesh)
	w.Changed()
	before := len(w.Mesh.Triangles)
	if way[len(way)-1].Triangles >= before {
		return touchup.Change{Left: fmt.Sprintf("there are only %s", counted(before, "triangle"))}, nil
	}
	stops, err := decimate.Levels(ctx, w.Mesh, way, func(done float64) {
		if progress != nil {
			progress("make lighter", 0.8*done)
		}
	})
	if err != nil {
		return touchup.Change{}, err
	}
	made := stops[len(stops)-1]
	*w.Mesh = *made.Mesh
	w.Changed()
	c := touchup.Change{Count: before - len(made.Mesh.Triangles), Detail: fmt.Sprintf("%d triangles instead of %d", len(made.Mesh.Triangles), before)}
	if made.WithinMM > 0 {
		c.Detail += fmt.Sprintf("; no point of either surface is farther than %.2g mm from the other", made.WithinMM)
		c.MovedMM = made.WithinMM
	}
	return c, nil
}

// shellsNamed marks the triangles of shells, counted from 1 as the check does.
func shellsNamed(w *touchup.Work, numbers []float64) ([]bool, error) {
	marked := make([]bool, len(w.Mesh.Triangles))
	for _, n := range numbers {
		of, at, err := w.Shell(int32(max(-1, min(n, 1<<30))))
		if err != nil {
			return nil, err
		}
		for t := range marked {
			marked[t] = marked[t] || of[t] == at
		}
	}
	return marked, nil
}

// redrawRegion puts a new skin in the place of what lies in a box, and joins it to
// the rest, of which it changes nothing.
//
// The idea: the new skin is drawn around the part within a somewhat larger box. Then
// the part is closed with whatever closes it once all triangles that reach into the
// box are gone, and
// fuse.Replace takes the solid from the new skin within a box around those
// triangles, and from the part elsewhere. So the result is closed whatever was
// wrong in the box, and where the new skin is off by a little the border of the
// box shows as a step as small as that.
func redrawRegion(ctx context.Context, w *touchup.Work, region geom.Box, set recast.Settings, progress func(string, float64)) (touchup.Change, error) {
	w.Mesh.Round()
	w.Changed()
	s := recastSettings(w.Report, w.Process, set)
	old := w.Mesh.Clone()
	reaches := make([]bool, len(old.Triangles))
	n, like := 0, int32(0)
	around := region
	for t := range int32(len(reaches)) {
		a, b, c := old.Corners(t)
		if box := geom.EmptyBox().Extend(a).Extend(b).Extend(c); box.Overlaps(region) {
			reaches[t], like = true, t
			n++
			around = around.Union(box)
		}
	}
	if n == 0 {
		return touchup.Change{}, fmt.Errorf("there is no surface in the region; the part reaches from %.6g to %.6g mm", old.Bounds().Min.Array(), old.Bounds().Max.Array())
	}
	within := around.Grow(s.CellMM)
	more := within.Grow(4 * s.CellMM)
	s.Within = &more
	skin, s, off, err := drawSkin(ctx, old, s, progress)
	if noSkin(err) {
		return touchup.Change{Left: err.Error()}, nil
	}
	if err != nil {
		return touchup.Change{}, err
	}
	by, border := old.Blank(nil), old.Blank(nil)
	dress(by, skin, old)
	boxed(border, within, old, like)

	w.Mesh.Keep(func(t int32) bool { return !reaches[t] && !old.ZeroArea(t) })
	w.Changed()
	capOpen(w)
	w.Mesh.Keep(func(t int32) bool { return !w.Mesh.ZeroArea(t) })
	did, err := fuse.Replace(ctx, w.Mesh, border, by, touchup.DropFlat, nil)
	w.Changed()
	if tooHard(err) {
		*w.Mesh = *old
		return touchup.Change{Left: "the rest of the part could not be joined to the region: " + err.Error()}, nil
	}
	if err != nil {
		return touchup.Change{}, err
	}
	mergeBodies(w.Mesh)
	tidied, err := tidyCuts(ctx, w, old.Positions)
	if err != nil {
		return touchup.Change{}, err
	}
	words, _, err := settleEdges(ctx, w)
	dropCrumbs(w)
	return touchup.Change{Count: n, MovedMM: off,
		Detail: fmt.Sprintf("%s drawn anew, on cells of %.2g mm, and joined to the rest in %s%s", counted(n, "triangle"), s.CellMM, counted(did.Pieces, "piece"), tidied+words)}, err
}

// boxed adds a box to a mesh, as a surface like triangle t of another mesh.
func boxed(m *mesh.Mesh, b geom.Box, from *mesh.Mesh, t int32) {
	first := int32(len(m.Positions))
	for i := range 8 {
		p := b.Min
		if i&1 != 0 {
			p.X = b.Max.X
		}
		if i&2 != 0 {
			p.Y = b.Max.Y
		}
		if i&4 != 0 {
			p.Z = b.Max.Z
		}
		m.Positions = append(m.Positions, p.Single())
	}
	for _, q := range [][4]int32{{0, 2, 3, 1}, {4, 5, 7, 6}, {0, 1, 5, 4}, {2, 6, 7, 3}, {0, 4, 6, 2}, {1, 3, 7, 5}} {
		for _, v := range [2]mesh.Triangle{{q[0], q[1], q[2]}, {q[0], q[2], q[3]}} {
			for k := range v {
				v[k] += first
			}
			m.Take(v, from, t)
		}
	}
}
