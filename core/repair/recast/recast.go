// Package recast draws a new skin around whatever a surface encloses, however
// broken it is: always closed, facing outward, and free of crossings.
//
// The idea: a lattice of points is laid through the part, and each is inside or
// outside by how often the surface winds around it, openings told by the
// generalised winding number. Where the lattice's lines pass through the surface
// its planes are known, and a point in each cell is put where they intersect. The
// skin is then made lighter with those planes as what it is to come near to, so
// that flat sides become few triangles and edges as sharp as they were. What is
// finer than a cell is lost.
//
// Cost: 1 bit for every point of the lattice, and about 200 bytes for every cell
// that the surface passes through.
package recast

import (
	"context"
	"errors"
	"fmt"
	"math"

	"veneer/core/decimate"
	"veneer/core/geom"
	"veneer/core/mesh"
)

// Settings of a recast; lengths in mm.
type Settings struct {
	CellMM float64 // side of a cell of the lattice, at most
	// DetailMM is the longest side of solids and hollows that are left out; 0 keeps all.
	DetailMM float64
	// GapMM is the width of gaps that are closed; 0 closes none.
	GapMM float64
	// ToleranceMM is how far the skin may be moved to make it lighter, which also
	// gives edges back that pass between the lattice's points; 0 leaves it as drawn.
	ToleranceMM float64
	// Within is a box outside of which nothing is drawn; nil for no limit. The skin
	// is closed along its sides.
	Within *geom.Box
}

// Need is what a recast will take.
type Need struct {
	Cells     [3]int // of the lattice, along x, y and z
	Triangles int    // of the new skin before it is made lighter, about
	Bytes     int64  // of memory, about
}

// Errors of parts of which no skin can be drawn.
var (
	ErrNothing = errors.New("the surface encloses nothing that the cells could hold")
	ErrTooFine = errors.New("the cells are too small for this part")
	ErrTooOpen = errors.New("the cells are too small for a surface that is open in so many places")
)

// MostPoints is the most points that a lattice has.
const MostPoints = 1 << 32

// Predict tells what a recast of a surface of that size and area will take before
// it starts.
func Predict(size [3]float64, areaMM2 float64, triangles int, set Settings) (Need, error) {
	l, err := fit(geom.Box{Max: geom.Vec{X: size[0], Y: size[1], Z: size[2]}}, set)
	if err != nil {
		return Need{}, err
	}
	// A surface that faces all ways alike meets 3/2 of its area in lines of all axes.
	hits := 1.5 * areaMM2 / (l.step * l.step)
	need := Need{Cells: [3]int{l.n[0] - 1, l.n[1] - 1, l.n[2] - 1}, Triangles: int(2 * hits)}
	need.Bytes = int64(l.points()/8) + int64(hits*bytesPerHit) + int64(triangles)*bytesPerTriangle
	return need, nil
}

const (
	bytesPerHit      = 180 // of the lattice's lines, the crossings, points and triangles made of them
	bytesPerTriangle = 60  // of the surface
)

func fit(box geom.Box, set Settings) (lattice, error) {
	if box.Empty() {
		return lattice{}, ErrNothing
	}
	size := box.Size().Array()
	points := 1.0
	for _, s := range size {
		points *= (s+2*set.GapMM)/set.CellMM + 4
	}
	if !(points < MostPoints) {
		return lattice{}, fmt.Errorf("%w: %.3g mm give %.3g points; at most %.3g are taken", ErrTooFine, set.CellMM, points, float64(MostPoints))
	}
	return newLattice(box, set.CellMM, set.GapMM), nil
}

// Run draws a new skin for a surface whose positions are rounded to float32. The
// surface is left as it is.
func Run(ctx context.Context, m *mesh.Mesh, set Settings, progress func(stage string, done float64)) (*mesh.Mesh, error) {
	if progress == nil {
		progress = func(string, float64) {}
	}
	box := m.Bounds()
	if set.Within != nil {
		box = box.Intersect(*set.Within)
	}
	l, err := fit(box, set)
	if err != nil {
		return nil, err
	}
	progress("inside and outside", 0)
	out := m.Clone()
	if _, err := faceOut(ctx, out); err != nil {
		return nil, err
	}
	f, err := newField(ctx, l, out)
	if err != nil {
		return nil, err
	}
	if set.GapMM > 0 {
		f.closeGaps(set.GapMM)
	}
	progress("skin", 0.4)
	return f.finish(ctx, f.allCrossings(), set, progress)
}

// finish draws what the crossings tell of, without what is too small, and makes it lighter.
func (f *field) finish(ctx context.Context, along [3][][]crossing, set Settings, progress func(stage string, done float64)) (*mesh.Mesh, error) {
	skin, planes, err := f.contour(ctx, along)
	if err != nil {
		return nil, err
	}
	dropSmall(skin, set.DetailMM)
	if len(skin.Triangles) == 0 {
		return nil, ErrNothing
	}
	if set.ToleranceMM <= 0 {
		return skin, nil
	}
	if f.smooth { // its own planes, which it hardly leaves, are all there are
		planes = make([]decimate.Quadric, len(skin.Positions))
	}
	progress("lighter", 0.6)
	light, err := decimate.Run(ctx, skin, decimate.Settings{ToleranceMM: set.ToleranceMM, Planes: planes}, func(done float64) { progress("lighter", 0.6+0.4*done) })
	if err != nil {
		return nil, err
	}
	if dropInsideOut(light.Mesh); len(light.Mesh.Triangles) == 0 {
		return nil, ErrNothing
	}
	return light.Mesh, nil
}

// dropInsideOut takes out shells that bound nothing: crumbs that were turned inside
// out, or flattened, when they were made lighter.
func dropInsideOut(m *mesh.Mesh) {
	topo := mesh.NewTopology(m)
	shells := mesh.NewShells(topo, topo.Count())
	m.Keep(func(t int32) bool {
		s := &shells.List[shells.Of[t]]
		return !s.InsideOut() && 2*math.Abs(s.VolumeMM3) > 1e-5*s.AreaMM2*math.Sqrt(s.AreaMM2)
	})
	m.Weld()
}

// dropSmall takes out the shells of a closed skin that are at most so long,
// whether they bound solids or hollows.
func dropSmall(m *mesh.Mesh, longest float64) {
	shell := mesh.NewForest(len(m.Positions))
	for _, v := range m.Triangles {
		shell.Join(v[0], v[1])
		shell.Join(v[1], v[2])
	}
	box := map[int32]geom.Box{}
	for v, p := range m.Positions {
		r := shell.Root(int32(v))
		b, known := box[r]
		if !known {
			b = geom.EmptyBox()
		}
		box[r] = b.Extend(p)
	}
	small := 0
	for _, b := range box {
		if s := b.Size(); max(s.X, s.Y, s.Z) <= longest {
			small++
		}
	}
	if small == 0 {
		return
	}
	m.Keep(func(t int32) bool {
		s := box[shell.Root(m.Triangles[t][0])].Size()
		return max(s.X, s.Y, s.Z) > longest
	})
}
