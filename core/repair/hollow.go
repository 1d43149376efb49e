package repair

import (
	"context"
	"errors"
	"fmt"
	"math"
	"strings"

	"veneer/core/check"
	"veneer/core/geom"
	"veneer/core/mesh"
	"veneer/core/prepare"
	"veneer/core/process"
	"veneer/core/repair/fuse"
	"veneer/core/repair/touchup"
	"veneer/core/spatial"
)

// The orders that take material out of a part.
const (
	hollowOrder = "hollow"
	drainOrder  = "drain"
)

const hollowOrders = ", hollow=WALL or hollow=WALL,DRAIN,NUMBER and drain=X,Y,Z or drain=X,Y,Z,DIAMETER"

// ordinaryDrains is how many drains a hollow gets where the process needs some.
const ordinaryDrains = 2

// parseHollow reads an order that takes material out; nothing when it is another.
func parseHollow(name, text string, numbers []float64) (o Order, is bool, err error) {
	switch name {
	case hollowOrder:
		if n := len(numbers); n < 1 || n > 3 || !(numbers[0] > 0) || n > 1 && numbers[1] < 0 || n > 2 && !(numbers[2] >= 1 && numbers[2] <= 20) {
			return o, true, fmt.Errorf("%s: give the thickness of the walls in mm, hollow=WALL, and if you like how wide drains are and how many to each hollow, 1 to 20: hollow=WALL,DRAIN,NUMBER; a DRAIN of 0 for none", text)
		}
		return Order{name, "Hollow", func(set Settings) touchup.Step { return hollowStep(numbers, set.Progress) }}, true, nil
	case drainOrder:
		if n := len(numbers); n < 3 || n > 4 || n > 3 && !(numbers[3] > 0) {
			return o, true, fmt.Errorf("%s: give the place where it comes out in mm, and if you like how wide it is: drain=X,Y,Z,DIAMETER", text)
		}
		return order(name, "Drain a hollow", func(Settings) stepFunc {
			return func(ctx context.Context, w *touchup.Work) (touchup.Change, error) {
				diameter := w.Process.DrainMM
				if len(numbers) > 3 {
					diameter = numbers[3]
				}
				return drainAt(ctx, w, geom.Vec{X: numbers[0], Y: numbers[1], Z: numbers[2]}, diameter)
			}
		}), true, nil
	}
	return o, false, nil
}

// hollowStep takes out what lies deeper than a wall, as ordered.
func hollowStep(numbers []float64, progress func(string, float64)) touchup.Step {
	return touchup.Step{
		Name: hollowOrder, Title: "Hollow",
		With: func(_ *check.Report, p process.Process) map[string]float64 {
			drain, count := drainOf(p, numbers)
			return map[string]float64{"wall_mm": numbers[0], "drain_mm": drain, "drains": float64(count)}
		},
		Needs: func(r *check.Report, _ process.Process) touchup.Need {
			size := r.Geometry.SizeMM
			need, err := prepare.Predict(prepare.Hollowing{WallMM: numbers[0]}, size, r.Geometry.AreaMM2, r.Geometry.Triangles)
			if err != nil {
				return touchup.Need{}
			}
			return touchup.Need{Seconds: 10e-6*float64(r.Geometry.Triangles) + 8e-6*float64(need.Triangles), Bytes: 5 * need.Bytes / 2}
		},
		Run: func(ctx context.Context, w *touchup.Work) (touchup.Change, error) {
			drain, count := drainOf(w.Process, numbers)
			return hollow(ctx, w, numbers[0], drain, count, progress)
		},
	}
}

// drainOf is how wide drains are and how many a hollow gets, as ordered, or as the
// process needs them.
func drainOf(p process.Process, numbers []float64) (diameter float64, count int) {
	if p.NeedsDrains {
		diameter = p.DrainMM
	}
	if len(numbers) > 1 {
		diameter = numbers[1]
	}
	count = ordinaryDrains
	if len(numbers) > 2 {
		count = int(numbers[2])
	}
	return diameter, count
}

// hollow takes out what lies deeper than a wall, and opens it by drains when they have a
// diameter.
func hollow(ctx context.Context, w *touchup.Work, wall, diameter float64, count int, progress func(string, float64)) (touchup.Change, error) {
	w.Mesh.Round()
	w.Changed()
	whole := w.Mesh.Volume()
	skin, thinnest, err := prepare.Hollow(ctx, w.Mesh, prepare.Hollowing{WallMM: wall}, progress)
	if errors.Is(err, prepare.ErrThin) || errors.Is(err, prepare.ErrUnsound) || noSkin(err) {
		return touchup.Change{Left: err.Error()}, nil
	}
	if err != nil {
		return touchup.Change{}, err
	}
	saved := w.Mesh.Clone()
	line(w.Mesh, skin)
	w.Changed()
	words := ""
	if diameter > 0 {
		drains, err := prepare.Drains(ctx, w.Mesh, count, diameter)
		if err != nil && !errors.Is(err, prepare.ErrNoPlace) {
			return touchup.Change{}, err
		}
		if err != nil {
			*w.Mesh = *saved
			return touchup.Change{Left: err.Error() + "; order fewer or narrower ones, or none"}, nil
		}
		if words, err = bore(ctx, w, drains); tooHard(err) {
			*w.Mesh = *saved
			return touchup.Change{Left: err.Error()}, nil
		}
		if err != nil {
			return touchup.Change{}, err
		}
	}
	saves := whole - w.Mesh.Volume()
	return touchup.Change{Count: len(skin.Triangles), HollowedMM3: saves,
		Detail: fmt.Sprintf("walls of %.3g mm and more; %s cm³ less material, %.0f %% of it%s", floor3(thinnest), digits(saves/1000), 100*saves/whole, words)}, nil
}

// floor3 rounds down to three significant digits, for what is promised.
func floor3(x float64) float64 {
	unit := math.Pow(10, math.Floor(math.Log10(x))-2)
	return math.Floor(x/unit) * unit
}

// digits is a number with three significant digits, and all of those before the point.
func digits(x float64) string {
	if x >= 100 {
		return fmt.Sprintf("%.0f", x)
	}
	return fmt.Sprintf("%.3g", x)
}

// drainAt opens a sealed hollow by a drain that comes out near a point.
func drainAt(ctx context.Context, w *touchup.Work, at geom.Vec, diameter float64) (touchup.Change, error) {
	w.Mesh.Round()
	w.Changed()
	if !(diameter > 0) {
		return touchup.Change{}, errors.New("the process needs no drains; say how wide it is: drain=X,Y,Z,DIAMETER")
	}
	whole := w.Mesh.Volume()
	err := prepare.Sound(ctx, w.Mesh)
	var d prepare.Drain
	if err == nil {
		d, err = prepare.DrainAt(ctx, w.Mesh, at, diameter)
	}
	var words string
	if err == nil {
		words, err = bore(ctx, w, []prepare.Drain{d})
	}
	if errors.Is(err, prepare.ErrUnsound) || errors.Is(err, prepare.ErrNoPlace) || errors.Is(err, prepare.ErrNoHollow) || tooHard(err) {
		return touchup.Change{Left: err.Error()}, nil
	}
	if err != nil {
		return touchup.Change{}, err
	}
	return touchup.Change{Count: 1, HollowedMM3: whole - w.Mesh.Volume(), Detail: strings.TrimPrefix(words, "; ")}, nil
}

// bore cuts drains, and tells of them; when that fails the mesh is as it was.
func bore(ctx context.Context, w *touchup.Work, drains []prepare.Drain) (words string, err error) {
	before := w.Mesh.Clone()
	for _, d := range drains {
		add(w.Mesh, d.Bore(), before, func(int32) int32 { return d.Triangle })
	}
	if _, err := fuse.Run(ctx, w.Mesh, touchup.DropFlat, nil); err != nil {
		*w.Mesh = *before
		w.Changed()
		return "", fmt.Errorf("the drains cannot be cut: %w", err)
	}
	w.Changed()
	mergeBodies(w.Mesh)
	if _, err := tidyCuts(ctx, w, before.Positions); err != nil {
		return "", err
	}
	var places []string
	for _, d := range drains {
		places = append(places, fmt.Sprintf("%.4g, %.4g, %.4g", d.Mouth.X, d.Mouth.Y, d.Mouth.Z))
	}
	return fmt.Sprintf("; %s of %.3g mm at %s", counted(len(drains), "drain"), drains[0].DiameterMM, strings.Join(places, " and ")), nil
}

// line adds the skin of a hollow to the part around it, of the body that it lies in.
func line(m, skin *mesh.Mesh) {
	around := m.Clone()
	tree := spatial.New(around, nil)
	add(m, skin, around, func(t int32) int32 { return nearestTo(tree, skin, t) })
	m.Weld()
}
