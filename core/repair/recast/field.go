package recast

import (
	"context"
	"math"
	"slices"

	"golang.org/x/sync/errgroup"

	"veneer/core/geom"
	"veneer/core/mesh"
	"veneer/core/spatial"
)

// field is what is known of a part on a lattice: which points are inside, and
// where its lines pass through the surface.
type field struct {
	lattice
	inside bitmap
	lines  [3]lines
	soup   *mesh.Mesh // the surface, followed by the caps that close it

	// smooth says that what is drawn is not the surface itself, and has no edges that
	// anybody drew: its points lie in the middle of their crossings.
	smooth bool
}

// newField decides which points of a lattice lie inside a surface.
//
// Idea: the surface and its caps together are closed, so along a line the number
// of surfaces around a point changes by whole numbers at the hits, and is exact.
// A cap on an even rim closes it as anyone would. Other caps are a makeshift:
// what they add to the winding number is taken off again where it could matter,
// so that the sign is that of the generalised winding number, half and more being
// inside. A surface without such openings never needs it.
func newField(ctx context.Context, l lattice, m *mesh.Mesh) (*field, error) {
	f := &field{lattice: l, soup: m, inside: newBitmap(&l)}
	caps, positions := mesh.Caps(mesh.NewTopology(m))
	bent := &mesh.Mesh{Positions: positions}
	if len(caps) > 0 {
		f.soup = &mesh.Mesh{Positions: positions, Triangles: slices.Clone(m.Triangles)}
	}
	lies := flatPieces(m, caps, positions, l.step)
	for _, c := range caps {
		f.soup.Triangles = append(f.soup.Triangles, c.Triangle)
		if !c.Even || lies(c.Beside) {
			addSlices(bent, c.Triangle)
		}
	}
	var err error
	if f.lines, err = scan(ctx, &f.lattice, f.soup); err != nil {
		return nil, err
	}
	for k := 1; k < l.n[2]-1; k++ { // the outermost points are outside
		for j := 1; j < l.n[1]-1; j++ {
			f.fillRow(j, k)
		}
	}
	if len(bent.Triangles) > 0 {
		err = f.lift(ctx, bent)
	}
	return f, err
}

// thinnest is how many cells thick a piece of surface must be, once its rims are
// closed, for its caps to be taken as true: loose triangles and sheets enclose
// nothing by themselves, and only all together something.
const thinnest = 2

// flatPieces tells of which triangles the piece of surface encloses next to
// nothing together with its caps.
func flatPieces(m *mesh.Mesh, caps []mesh.Cap, positions []geom.Vec, cell float64) func(t int32) bool {
	if len(caps) == 0 {
		return nil
	}
	topo := mesh.NewTopology(m)
	piece := mesh.NewForest(len(m.Triangles))
	for e := range int32(topo.Edges()) {
		halves := topo.Halves(e)
		for _, h := range halves[1:] {
			piece.Join(halves[0]/3, h/3)
		}
	}
	volume, area := map[int32]float64{}, map[int32]float64{}
	origin := m.Bounds().Centre()
	add := func(r int32, v mesh.Triangle, counts float64) {
		a, b, c := positions[v[0]].Sub(origin), positions[v[1]].Sub(origin), positions[v[2]].Sub(origin)
		n := b.Sub(a).Cross(c.Sub(a))
		volume[r] += a.Dot(n) / 6
		area[r] += counts * n.Length() / 2
	}
	for t, v := range m.Triangles {
		add(piece.Root(int32(t)), v, 1)
	}
	for _, c := range caps {
		add(piece.Root(c.Beside), c.Triangle, 0)
	}
	return func(t int32) bool {
		r := piece.Root(t)
		return 2*math.Abs(volume[r]) < thinnest*cell*area[r]
	}
}

// addSlices adds a cap's triangle, cut across into pieces about as long as wide,
// so that a piece is small where it is near.
func addSlices(m *mesh.Mesh, v mesh.Triangle) {
	a, b, top := m.Positions[v[0]], m.Positions[v[1]], m.Positions[v[2]]
	const most = 64
	n := int(min(max(a.Distance(top)/max(a.Distance(b), 1e-30), 1), most))
	low := [2]int32{v[0], v[1]}
	for i := 1; i < n; i++ {
		at := int32(len(m.Positions))
		s := float64(i) / float64(n)
		m.Positions = append(m.Positions, a.Lerp(top, s), b.Lerp(top, s))
		m.Triangles = append(m.Triangles, mesh.Triangle{low[0], low[1], at + 1}, mesh.Triangle{low[0], at + 1, at})
		low = [2]int32{at, at + 1}
	}
	m.Triangles = append(m.Triangles, mesh.Triangle{low[0], low[1], v[2]})
}

// fillRow marks what lies inside along one line.
func (f *field) fillRow(j, k int) {
	row := f.inside.row(j, k)
	around, from := int32(0), 0
	for _, h := range f.lines[0].of(k*f.n[1] + j) {
		was := around >= 1
		around -= h.way
		if is := around >= 1; is != was {
			at := min(max(f.ahead(0, h.at), 1), f.n[0]-1)
			if is {
				from = at
			} else {
				fill(row, from, at)
			}
		}
	}
}

const brick = 8 // points along a side of what is looked at together

// lift takes the share of bent caps off the winding number.
//
// Idea: far from all caps their share changes little, and within a brick it is
// told by its corners; only bricks near a cap, and those whose corners do not
// agree that it is small, are looked at point by point.
func (f *field) lift(ctx context.Context, bent *mesh.Mesh) error {
	tree := spatial.New(bent, nil)
	share := spatial.NewWinding(tree)
	radius := brick * f.step * math.Sqrt(3)
	if f.pointsNear(bent, radius) > mostNear {
		return ErrTooOpen
	}
	g, ctx := errgroup.WithContext(ctx)
	for k := 1; k < f.n[2]-1; k += brick {
		g.Go(func() error {
			for j := 1; j < f.n[1]-1; j += brick {
				for i := 1; i < f.n[0]-1; i += brick {
					if ctx.Err() != nil {
						return ctx.Err()
					}
					f.liftBrick(tree, share, radius, i, j, k)
				}
			}
			return nil
		})
	}
	return g.Wait()
}

// mostNear is the most points near caps that are looked at one by one.
const mostNear = 1_000_000

// pointsNear counts the points of bricks near caps, about.
func (f *field) pointsNear(bent *mesh.Mesh, radius float64) int {
	const side = brick
	near := map[[3]int32]bool{}
	for t := range int32(len(bent.Triangles)) {
		a, b, c := bent.Corners(t)
		box := geom.EmptyBox().Extend(a).Extend(b).Extend(c)
		low, high := box.Min.Array(), box.Max.Array()
		var from, to [3]int32
		for k := range 3 {
			from[k] = int32((low[k] - radius/2 - f.first[k]) / (side * f.step))
			to[k] = int32((high[k] + radius/2 - f.first[k]) / (side * f.step))
		}
		for x := from[0]; x <= to[0]; x++ {
			for y := from[1]; y <= to[1]; y++ {
				for z := from[2]; z <= to[2]; z++ {
					near[[3]int32{x, y, z}] = true
				}
			}
		}
		if len(near)*side*side*side > mostNear {
			break
		}
	}
	return len(near) * side * side * side
}

// small is a share of the caps that changes nothing: a whole number of surfaces
// stays on the same side of one half.
const small = 0.35

func (f *field) liftBrick(tree *spatial.Tree, share *spatial.Winding, radius float64, i0, j0, k0 int) {
	middle := geom.Vec{X: f.at(0, i0) + brick*f.step/2, Y: f.at(1, j0) + brick*f.step/2, Z: f.at(2, k0) + brick*f.step/2}
	if near, _, _ := tree.Nearest(middle, radius); near < 0 {
		most := math.Abs(share.At(middle))
		for c := range 8 {
			p := geom.Vec{X: f.at(0, i0+c&1*brick), Y: f.at(1, j0+c>>1&1*brick), Z: f.at(2, k0+c>>2*brick)}
			most = max(most, math.Abs(share.At(p)))
		}
		if most < small {
			return
		}
	}
	for k := k0; k < min(k0+brick, f.n[2]-1); k++ {
		for j := j0; j < min(j0+brick, f.n[1]-1); j++ {
			around := f.around(j, k, i0)
			for i := i0; i < min(i0+brick, f.n[0]-1); i++ {
				w := share.At(geom.Vec{X: f.at(0, i), Y: f.at(1, j), Z: f.at(2, k)})
				f.inside.set(i, j, k, around(i)-w >= 0.5)
			}
		}
	}
}

// around counts the surfaces around the points of a row, asked for in ascending order.
func (f *field) around(j, k, from int) func(i int) float64 {
	hits := f.lines[0].of(k*f.n[1] + j)
	n, next := int32(0), 0
	return func(i int) float64 {
		for x := f.at(0, i); next < len(hits) && hits[next].at <= x; next++ {
			n -= hits[next].way
		}
		return float64(n)
	}
}
