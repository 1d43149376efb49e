// Package prepare makes parts that are sound ready to be printed: it takes out material
// that nobody needs, and opens ways for what is left inside.
//
// The idea: the outside that the customer sees stays as it is, triangle by triangle. What
// is added is a skin of its own, and what is cut is cut exactly.
package prepare

import (
	"context"
	"errors"
	"fmt"
	"slices"

	"veneer/core/geom"
	"veneer/core/measure"
	"veneer/core/mesh"
	"veneer/core/repair/recast"
	"veneer/core/spatial"
)

// Hollowing is how a part is hollowed; lengths in mm.
type Hollowing struct {
	WallMM float64 // thickness that is left, at least
	CellMM float64 // of the lattice that the hollow is drawn on; 0 for what suits the wall and the part
}

// Errors of parts that are not hollowed.
var (
	ErrUnsound = errors.New("mend it first: only what is closed, faces outward and does not pass through itself is hollowed or drained")
	ErrThin    = errors.New("it is nowhere thick enough to be hollowed with such walls")
)

const (
	cellsPerWall = 3       // of the lattice, across a wall
	mostCells    = 512     // along the longest side
	slack        = 1. / 24 // of a wall: what the skin may be moved by to make it lighter
	leastHollow  = 1.5     // walls: what is shorter along its longest side is not worth it
)

// Hollow draws the skin of a hollow within a part that is rounded to float32, facing
// inward as the skin of a hollow does, and tells the thinnest wall that it leaves, as
// measured: what was asked for, or a few hundredths less where the shape is finer than the
// lattice. Several hollows come where the part is thick in several places.
//
// The skin is that of what lies deeper than the wall (recast.Inset), made lighter within
// a small share of it that is added before; what rounding and curved places take from
// that is measured, and made good by drawing it again, deeper by as much.
func Hollow(ctx context.Context, m *mesh.Mesh, set Hollowing, progress func(stage string, done float64)) (skin *mesh.Mesh, thinnest float64, err error) {
	if !(set.WallMM > 0) {
		return nil, 0, fmt.Errorf("a wall has a thickness above 0 mm, not %g", set.WallMM)
	}
	if err := Sound(ctx, m); err != nil {
		return nil, 0, err
	}
	draw := set.draw(m.Bounds().Size().Array())
	tree := spatial.New(m, func(t int32) bool { return !m.ZeroArea(t) })
	depth := set.WallMM + draw.ToleranceMM + draw.CellMM/16
	const tries = 4
	for range tries {
		skin, err = recast.Inset(ctx, m, depth, draw, progress)
		if errors.Is(err, recast.ErrNothing) {
			return nil, 0, ErrThin
		}
		if err != nil {
			return nil, 0, err
		}
		if thinnest, err = thinnestWall(ctx, skin, tree); err != nil || thinnest >= set.WallMM {
			break
		}
		depth += set.WallMM - thinnest + draw.ToleranceMM/4
	}
	if err != nil {
		return nil, 0, err
	}
	if thinnest < set.WallMM*(1-slack) {
		return nil, 0, fmt.Errorf("%w: the thinnest would have %.3g mm", ErrThin, thinnest)
	}
	for t := range int32(len(skin.Triangles)) {
		skin.Turn(t)
	}
	return skin, thinnest, nil
}

// draw is what the skin of a part of that size is drawn by.
func (set Hollowing) draw(size [3]float64) recast.Settings {
	draw := recast.Settings{CellMM: set.CellMM, DetailMM: leastHollow * set.WallMM, ToleranceMM: slack * set.WallMM}
	if draw.CellMM == 0 {
		draw.CellMM = max(set.WallMM/cellsPerWall, slices.Max(size[:])/mostCells)
	}
	return draw
}

// Predict tells what hollowing a part of that size (mm), area (mm²) and number of triangles
// will take, before it starts.
func Predict(set Hollowing, size [3]float64, areaMM2 float64, triangles int) (recast.Need, error) {
	return recast.Predict(size, areaMM2, triangles, set.draw(size))
}

// Sound reports what keeps a part from being hollowed or drained, ErrUnsound; nil when
// nothing does.
func Sound(ctx context.Context, m *mesh.Mesh) error {
	topo := mesh.NewTopology(m)
	edges := topo.Count()
	shells := mesh.NewShells(topo, edges)
	if edges.Boundary+edges.NonManifold+edges.Inconsistent > 0 || m.Flat() > 0 {
		return ErrUnsound
	}
	for _, s := range shells.List {
		if s.InsideOut() {
			return ErrUnsound
		}
	}
	meet, err := spatial.New(m, nil).Crossings(ctx, 1, nil)
	if err == nil && len(meet.Pairs) > 0 {
		err = ErrUnsound
	}
	return err
}

// thinnestWall is how near a skin comes to the surface around it: at its corners, and in
// the middle of its edges and triangles.
func thinnestWall(ctx context.Context, skin *mesh.Mesh, around *spatial.Tree) (float64, error) {
	points := slices.Clone(skin.Positions)
	for t, v := range skin.Triangles {
		a, b, c := skin.Corners(int32(t))
		for k, p := range [3][2]geom.Vec{{a, b}, {b, c}, {c, a}} {
			if v[k] < v[(k+1)%3] { // the other triangle runs through it the other way
				points = append(points, p[0].Lerp(p[1], 0.5))
			}
		}
		points = append(points, a.Add(b).Add(c).Scale(1./3))
	}
	walls, err := measure.Distances(ctx, points, around)
	if err != nil {
		return 0, err
	}
	return slices.Min(walls), nil
}
