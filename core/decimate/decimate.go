// Package decimate makes a mesh lighter: edges are collapsed, the least missed
// ones first, until the mesh is light enough or another collapse would move the
// surface too far.
//
// The idea: every vertex remembers the planes that it stood for, as a quadric
// (Garland & Heckbert, "Surface Simplification Using Quadric Error Metrics",
// 1997); collapsing an edge adds two quadrics, and the new vertex is put where
// their sum is least. Edges wait in buckets by the logarithm of what they cost,
// each in mesh order, which is half the work of keeping them sorted and hardly
// less good. A collapse that would change the topology, turn a triangle over or
// make it a hair thin is not done. What crosses itself in the end is found
// exactly and kept as it was, in another go.
//
// Within a tolerance, a collapse is done when it leaves the surface near to where it
// was, and near to all points that there were at first. In the end it is shown for
// every point of both surfaces how far it is from the other at most; where that
// is too far, the points around there are kept, and it is done again.
//
// Cost O(t) collapses of about 1 µs each, 3 within a tolerance; 250 bytes a
// triangle.
package decimate

import (
	"context"
	"errors"
	"math"
	"slices"

	"veneer/core/geom"
	"veneer/core/measure"
	"veneer/core/mesh"
	"veneer/core/spatial"
)

// Settings say when to stop. Without a number and without a tolerance, what adds
// nothing to the shape goes, as far as single precision can tell.
type Settings struct {
	Triangles   int     // stop at so many; 0 for as few as there may be
	ToleranceMM float64 // how far the surface may be from the one before, both ways; 0 for any when a number is given
	Keep        []bool  // vertices that stay where they are; nil for none
	// Planes of a surface that the mesh was drawn around, by vertex: the result
	// comes nearer to it than the mesh is. Where there are none, those of the
	// mesh's own triangles take their place. The tolerance is then how far a
	// collapse may move the surface off these planes, one after the other added up.
	Planes []Quadric
}

// tolerance is what counts, for a mesh whose coordinates are at most so large.
func (set Settings) tolerance(largest float64) float64 {
	switch {
	case set.ToleranceMM > 0:
		return set.ToleranceMM
	case set.Triangles > 0:
		return math.Inf(1)
	}
	return 0x1p-22 * largest
}

// Result is what became of a mesh.
type Result struct {
	Mesh *mesh.Mesh // in single precision
	// WithinMM is how far its surface is from the one before, both ways, at most;
	// 0 when nobody asked for a tolerance.
	WithinMM float64
}

// exact is how far off the surface that it was drawn around a vertex counts as on
// it, as a share of the tolerance.
const exact = 0.05

// bends is the cosine of how far a collapse turns a triangle at least, when it is
// looked at whether triangles around it come to meet.
const bends = 0.8

// mostPairs of triangles around a collapse are looked at.
const mostPairs = 4000

// mostTries to leave no new crossing, and to stay within a tolerance; after that,
// nothing is done.
const mostTries = 8

// Run makes a mesh lighter that is rounded to float32 and without triangles of
// no area. The mesh is left as it is. What is closed stays closed, manifold and
// free of crossings; open rims, edges of three and more triangles, and borders
// between bodies, colours and textures stay, and become lighter only along
// themselves. Colours and textures that change within triangles are kept as they
// look.
func Run(ctx context.Context, m *mesh.Mesh, set Settings, progress func(done float64)) (Result, error) {
	levels, err := Levels(ctx, m, []Settings{set}, progress)
	if err != nil {
		return Result{}, err
	}
	return levels[0], nil
}

// Levels makes a mesh lighter in several stops of one pass, each from where the one
// before stopped: from the finest to the coarsest. Vertices and planes of the first
// settings count for all.
func Levels(ctx context.Context, m *mesh.Mesh, sets []Settings, progress func(done float64)) ([]Result, error) {
	box := m.Bounds()
	largest := max(box.Min.Length(), box.Max.Length())
	s := begin(m, sets[0].Planes)
	proof := &proof{m: m}
	keep := sets[0].Keep
	var crossed []bool // what crosses from the start; it is only looked for when something crosses in the end
	var since []int32  // which vertex of the state each of the mesh went into; nil at first
	var levels []Result
	for i, set := range sets {
		tolerance := set.tolerance(largest)
		bounded := !s.known && !math.IsInf(tolerance, 1)
		if bounded && s.points == nil {
			s.points = newPoints(m, tolerance)
			if since != nil {
				return nil, errors.New("a level without a tolerance comes before one with a tolerance")
			}
		}
		if s.points != nil {
			s.share = nil
			if proof.tree == nil {
				proof.tree = spatial.New(m, nil)
			}
			s.first = proof.tree
		}
		held := keep
		for try := 1; ; try++ {
			s.crossed, s.looked = crossed, s.looked || i > 0
			next, from, err := s.lighter(ctx, held, set.Triangles, tolerance, func(done float64) {
				if progress != nil {
					progress((float64(i) + done) / float64(len(sets)))
				}
			})
			if errors.Is(err, errLook) {
				if crossed, err = crossedAlready(ctx, m); err == nil {
					keep = either(keep, crossed)
					held, s.looked = keep, true
					continue
				}
			}
			if err != nil {
				return nil, err
			}
			within, far := 0.0, []int32(nil)
			if bounded {
				if within, far, err = proof.of(ctx, next.m, followed(slices.Clone(since), from), tolerance); err != nil {
					return nil, err
				}
			}
			switch {
			case len(far) > 0 && try < firstKept:
				s.share = lessen(s.share, far, len(m.Positions))
				continue
			case len(far) > 0 && try < mostTries:
				held = hold(held, far, since, len(s.m.Positions))
				continue
			case len(far) > 0: // it cannot be shown of anything lighter
				next, from = s, identity(len(s.m.Positions))
				if len(levels) > 0 {
					within = levels[len(levels)-1].WithinMM
				}
			}
			if keep != nil {
				keep = carried(keep, from, len(next.m.Positions))
			}
			if crossed != nil {
				crossed = carried(crossed, from, len(next.m.Positions))
			}
			levels = append(levels, Result{next.m, within})
			since, s = followed(since, from), next
			break
		}
	}
	return levels, nil
}

// nearly is how near points of the surface before stay, as a share of the tolerance:
// what is between them may be a little farther away. Where it turns out to be too
// far, points stay nearer, by lessens each time, and from one try on where they are.
const (
	nearly    = 0.8
	lessens   = 0.5
	firstKept = 4
)

// lessen takes from the shares of some points, all of them nearly when nil.
func lessen(share []float32, points []int32, n int) []float32 {
	if share == nil {
		share = make([]float32, n)
		for v := range share {
			share[v] = nearly
		}
	}
	slices.Sort(points)
	for _, v := range slices.Compact(points) {
		share[v] *= lessens
	}
	return share
}

// hold keeps, beside those that are, the vertices that some of the mesh at first went
// into.
func hold(keep []bool, points, since []int32, n int) []bool {
	if keep = slices.Clone(keep); keep == nil {
		keep = make([]bool, n)
	}
	for _, v := range points {
		if since != nil {
			v = since[v]
		}
		if v >= 0 {
			keep[v] = true
		}
	}
	return keep
}

func identity(n int) []int32 {
	list := make([]int32, n)
	for v := range list {
		list[v] = int32(v)
	}
	return list
}

// proof shows how far surfaces are from one that there was before.
type proof struct {
	m    *mesh.Mesh
	tree *spatial.Tree // over it
}

// of shows how far a lighter mesh is from the one before, both ways, and lists the
// vertices before around which that is more than the tolerance. from tells which of
// the lighter mesh's vertices each went into.
func (p *proof) of(ctx context.Context, lighter *mesh.Mesh, from []int32, tolerance float64) (within float64, far []int32, err error) {
	there, beyond, err := measure.Within(ctx, p.m, spatial.New(lighter, nil), tolerance)
	if err != nil {
		return 0, nil, err
	}
	for _, t := range beyond {
		far = append(far, p.m.Triangles[t][:]...)
	}
	back, beyond, err := measure.Within(ctx, lighter, p.tree, tolerance)
	if err != nil || len(beyond) == 0 {
		return max(there, back), far, err
	}
	is := make([]bool, len(lighter.Positions))
	for _, t := range beyond {
		for _, v := range lighter.Triangles[t] {
			is[v] = true
		}
	}
	for v, to := range from {
		if to >= 0 && is[to] {
			far = append(far, int32(v))
		}
	}
	return max(there, back), far, nil
}

// lighter goes on from a state, and tells which vertex of the next one each of its
// own went into, -1 for those that are gone.
func (s *state) lighter(ctx context.Context, keep []bool, target int, tolerance float64, progress func(float64)) (next *state, from []int32, err error) {
	b := s.border
	if b == nil {
		b = newBorder(s.m)
	}
	b = b.clone()
	b.keep(keep)
	keptBefore := keep
	var before []int32 // of blocks: which vertex each went into
	whole := s
	if len(s.m.Triangles) >= worthBlocks && (target == 0 || target < len(s.m.Triangles)/2) {
		blocks := newBlocks(s, b, tolerance)
		for try := 0; ; try++ {
			if err := blocks.run(ctx, target, func(done float64) { progress(0.7 * done) }); err != nil {
				return nil, nil, err
			}
			lighter, from := blocks.together()
			var cross []int32
			if s.careful { // most often nothing crosses in the end, and it need not be looked for twice
				if cross, err = s.crossing(ctx, lighter.m, from, blocks.stay); err != nil {
					return nil, nil, err
				}
			}
			if len(cross) > 0 && try == mostTries {
				break // it is done on the whole then
			}
			if len(cross) == 0 {
				if keep != nil {
					keep = carried(keep, from, len(lighter.m.Positions))
				}
				lighter.looked = s.looked
				if s.crossed != nil {
					lighter.crossed = carried(s.crossed, from, len(lighter.m.Positions))
				}
				s, b = lighter, newBorder(lighter.m)
				b.keep(keep)
				before = from
				break
			}
			blocks.again(cross)
		}
	}
	kept := make([]bool, len(s.m.Positions))
	for try := 1; ; try++ {
		w := newWork(s.clone(), b.clone(), tolerance, false)
		if err := w.run(ctx, target, everything, func(done float64) { progress(0.7 + 0.3*done) }); err != nil {
			return nil, nil, err
		}
		made, to := w.result()
		cross, err := s.crossing(ctx, made.m, to, kept)
		if err != nil {
			return nil, nil, err
		}
		if len(cross) == 0 {
			return made, followed(before, to), nil
		}
		if before != nil && !whole.careful {
			whole.careful = true
			return whole.lighter(ctx, keptBefore, target, tolerance, progress)
		}
		if try == mostTries {
			return s, followed(before, identity(len(to))), nil
		}
		for _, v := range cross {
			kept[v], b.kind[v] = true, fixed
		}
	}
}

// followed goes from vertices to what they went into, and on from there.
func followed(first, then []int32) []int32 {
	if first == nil {
		return then
	}
	for v, to := range first {
		if to >= 0 {
			first[v] = then[to]
		}
	}
	return first
}

// crossing lists the vertices, other than those kept already, that went into those
// of triangles which cross each other in single precision; where all of these were
// kept, those next to them. What crossed from the start does not count.
func (s *state) crossing(ctx context.Context, made *mesh.Mesh, from []int32, kept []bool) (list []int32, err error) {
	rounded := &mesh.Mesh{Positions: make([]geom.Vec, len(made.Positions)), Triangles: made.Triangles}
	for v, p := range made.Positions {
		rounded.Positions[v] = p.Single()
	}
	meet, err := spatial.New(rounded, nil).Crossings(ctx, mostCrossing, nil)
	if err != nil || len(meet.Pairs) == 0 {
		return nil, err
	}
	if !s.looked {
		return nil, errLook
	}
	if s.crossed != nil {
		crossed := carried(s.crossed, from, len(made.Positions))
		was := func(t int32) bool {
			v := made.Triangles[t]
			return crossed[v[0]] && crossed[v[1]] && crossed[v[2]]
		}
		meet.Pairs = slices.DeleteFunc(meet.Pairs, func(p spatial.Pair) bool { return was(p[0]) && was(p[1]) })
	}
	if len(meet.Pairs) == 0 {
		return nil, nil
	}
	into := map[int32]bool{}
	for _, p := range meet.Pairs {
		for _, t := range p {
			for _, v := range made.Triangles[t] {
				into[v] = true
			}
		}
	}
	for v, to := range from {
		if to >= 0 && into[to] && !kept[v] {
			list = append(list, int32(v))
		}
	}
	if len(list) > 0 {
		return list, nil
	}
	for _, v := range s.m.Triangles {
		if to := [3]int32{from[v[0]], from[v[1]], from[v[2]]}; into[to[0]] || into[to[1]] || into[to[2]] {
			for _, u := range v {
				if !kept[u] {
					list = append(list, u)
				}
			}
		}
	}
	return list, nil
}

// errLook says that something crosses, and nobody has looked whether it did from
// the start.
var errLook = errors.New("something crosses")

// either marks what one of two lists does; nil marks nothing.
func either(a, b []bool) []bool {
	if a == nil || b == nil {
		return append(slices.Clone(a), b...)
	}
	a = slices.Clone(a)
	for v, is := range b {
		a[v] = a[v] || is
	}
	return a
}

// mostCrossing pairs of triangles are found at a time.
const mostCrossing = 1_000_000

// crossedAlready marks the vertices of triangles of a mesh that cross others; nil
// when none do.
func crossedAlready(ctx context.Context, m *mesh.Mesh) ([]bool, error) {
	meet, err := spatial.New(m, nil).Crossings(ctx, mostCrossing, nil)
	if err != nil || len(meet.Pairs) == 0 {
		return nil, err
	}
	is := make([]bool, len(m.Positions))
	for _, p := range meet.Pairs {
		for _, t := range p {
			for _, v := range m.Triangles[t] {
				is[v] = true
			}
		}
	}
	return is, nil
}

// carried says of the vertices of a lighter mesh which of them are kept.
func carried(keep []bool, from []int32, n int) []bool {
	kept := make([]bool, n)
	for v, is := range keep {
		if is && from[v] >= 0 {
			kept[from[v]] = true
		}
	}
	return kept
}
