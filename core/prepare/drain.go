package prepare

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"math"
	"slices"

	"veneer/core/geom"
	"veneer/core/measure"
	"veneer/core/mesh"
	"veneer/core/spatial"
)

// Drain is a round way through a wall, from within a hollow to the outside.
type Drain struct {
	From, To   geom.Vec // along its middle, both a little beyond the wall
	Mouth      geom.Vec // where it comes out
	Triangle   int32    // that it comes out through
	DiameterMM float64
}

// ErrNoPlace says that nowhere a drain would leave the wall around it whole.
var ErrNoPlace = errors.New("there is no place for a drain of that width")

// ErrNoHollow says that there is nothing to be drained.
var ErrNoHollow = errors.New("the part has no sealed hollow")

// hollows are what a part is made of as far as drains need it.
type hollows struct {
	m      *mesh.Mesh
	all    *spatial.Tree // every surface
	outer  *spatial.Tree // what is no skin of a hollow
	within [][]geom.Vec  // places on each hollow's skin
}

// tried is how many places on each hollow's skin are, evenly spread.
const tried = 4000

func newHollows(m *mesh.Mesh) (*hollows, error) {
	topo := mesh.NewTopology(m)
	shells := mesh.NewShells(topo, topo.Count())
	hollow := func(s int32) bool { return s >= 0 && shells.List[s].Closed && shells.List[s].Depth%2 == 1 }
	h := &hollows{m: m, all: spatial.New(m, nil), outer: spatial.New(m, func(t int32) bool { return !hollow(shells.Of[t]) })}
	for s := range int32(len(shells.List)) {
		if hollow(s) {
			var places []geom.Vec
			for _, sample := range measure.Samples(m, tried, func(t int32) bool { return shells.Of[t] == s }) {
				places = append(places, sample.At)
			}
			h.within = append(h.within, places)
		}
	}
	if len(h.within) == 0 {
		return nil, ErrNoHollow
	}
	return h, nil
}

// Drains finds places for n drains to each sealed hollow of a sound part: the lowest
// one first, and each further one as far as can be from those before, so that what runs
// out of one is replaced by air through another. Cost: a few nearest points and rays for
// each place on a hollow's skin that is tried, a few thousand at most.
func Drains(ctx context.Context, m *mesh.Mesh, n int, diameter float64) ([]Drain, error) {
	h, err := newHollows(m)
	if err != nil {
		return nil, err
	}
	var list []Drain
	for _, places := range h.within {
		var made []Drain
		slices.SortStableFunc(places, func(a, b geom.Vec) int { return cmp.Compare(a.Z, b.Z) })
		for range n {
			if len(made) > 0 {
				far := func(p geom.Vec) float64 {
					d := math.Inf(1)
					for _, other := range made {
						d = min(d, p.Distance(other.Mouth))
					}
					return d
				}
				slices.SortStableFunc(places, func(a, b geom.Vec) int { return cmp.Compare(far(b), far(a)) })
			}
			d, err := h.first(ctx, places, made, diameter)
			if err != nil {
				return nil, err
			}
			made = append(made, d)
		}
		list = append(list, made...)
	}
	return list, nil
}

// DrainAt finds the drain whose mouth is nearest to a point.
func DrainAt(ctx context.Context, m *mesh.Mesh, at geom.Vec, diameter float64) (Drain, error) {
	h, err := newHollows(m)
	if err != nil {
		return Drain{}, err
	}
	places := slices.Concat(h.within...)
	slices.SortStableFunc(places, func(a, b geom.Vec) int { return cmp.Compare(a.Distance(at), b.Distance(at)) })
	return h.first(ctx, places, nil, diameter)
}

// first is the drain from the first of the places that there is room for, apart from those made.
func (h *hollows) first(ctx context.Context, places []geom.Vec, made []Drain, diameter float64) (Drain, error) {
	for i, p := range places {
		if i%64 == 0 && ctx.Err() != nil {
			return Drain{}, ctx.Err()
		}
		if d, is := h.through(p, diameter); is && !slices.ContainsFunc(made, func(o Drain) bool { return o.Mouth.Distance(d.Mouth) < 2*diameter }) {
			return d, nil
		}
	}
	return Drain{}, fmt.Errorf("%w: %.3g mm", ErrNoPlace, diameter)
}

// around is how many points around a drain are looked at.
const around = 12

// through is the drain from a point of a hollow's skin straight to the nearest place
// outside, when there is room for it: hollow all around where it begins, air all around
// where it ends, and a whole wall around it in between.
func (h *hollows) through(p geom.Vec, diameter float64) (d Drain, is bool) {
	t, mouth, wall := h.outer.Nearest(p, math.Inf(1))
	if t < 0 || wall == 0 {
		return d, false
	}
	n := mouth.Sub(p).Scale(1 / wall)
	if n.Dot(h.m.AreaNormal(t).Unit()) < 0.95 { // an edge is nearest, and the wall ends there
		return d, false
	}
	r := diameter / 2
	reach := max(r/2, wall/2)
	d = Drain{From: p.Sub(n.Scale(reach)), To: mouth.Add(n.Scale(reach)), Mouth: mouth, Triangle: t, DiameterMM: diameter}
	if hit, _ := h.all.Ray(mouth.Add(n.Scale(wall*1e-3)), n, 2*reach+r, -1); hit >= 0 {
		return d, false
	}
	u, v := square(n)
	for i := range around {
		s, c := math.Sincos(2 * math.Pi * float64(i) / around)
		side := u.Scale(c).Add(v.Scale(s))
		rim := side.Scale(r)
		if h.all.Inside(d.From.Add(rim)) || h.all.Inside(d.To.Add(rim)) || !h.all.Inside(p.Add(n.Scale(wall/2)).Add(side.Scale(r+wall/2))) {
			return d, false
		}
	}
	return d, true
}

// square is two unit vectors square to a third and to each other.
func square(n geom.Vec) (u, v geom.Vec) {
	axis := geom.Vec{X: 1}
	if math.Abs(n.X) > 0.6 {
		axis = geom.Vec{Y: 1}
	}
	u = n.Cross(axis).Unit()
	return u, n.Cross(u)
}

const sides = 32 // of the prism that stands for a drain

// Bore is the skin of what a drain takes away, facing inward: together with the part's
// it encloses what is left, which fusing makes one skin of. Its positions are rounded to
// float32, and its corners lie on the drain's circle.
func (d Drain) Bore() *mesh.Mesh {
	n := d.To.Sub(d.From).Unit()
	u, v := square(n)
	m := &mesh.Mesh{}
	for _, end := range [2]geom.Vec{d.From, d.To} {
		for i := range sides {
			s, c := math.Sincos(2 * math.Pi * float64(i) / sides)
			m.Positions = append(m.Positions, end.Add(u.Scale(c*d.DiameterMM/2)).Add(v.Scale(s*d.DiameterMM/2)).Single())
		}
	}
	for i := range int32(sides) {
		j := (i + 1) % sides
		m.Triangles = append(m.Triangles, mesh.Triangle{i, i + sides, j}, mesh.Triangle{j, i + sides, j + sides})
		if i > 1 {
			m.Triangles = append(m.Triangles, mesh.Triangle{0, i - 1, i}, mesh.Triangle{sides, i + sides, i + sides - 1})
		}
	}
	return m
}
