package check

import (
	"context"
	"math"

	"veneer/core/measure"
)

// walls are what the samples of a surface show.
type walls struct {
	thin, gaps []measure.Region
	overhang   measure.Overhang
	pockets    []measure.Pocket
}

const (
	mostSamples = 50_000
	leastSample = 4_000
)

// wallsOf measures walls, gaps and overhangs. Samples lie as close as the
// thinnest wall is, while there are enough of them.
func (s *Subject) wallsOf(ctx context.Context) (w walls, err error) {
	area := 0.0
	for _, shell := range s.Shells.List {
		area += shell.AreaMM2
	}
	if area == 0 {
		return w, ctx.Err()
	}
	p := s.Process
	n := int(min(max(area/(p.WallMM*p.WallMM), leastSample), mostSamples))
	samples := measure.Samples(s.Mesh, n, nil)
	spacing := math.Sqrt(area / float64(n))
	find := func(limit float64, outward bool) ([]measure.Region, error) {
		thin, err := measure.Thickness(ctx, s.Tree, samples, limit, outward)
		return measure.Regions(thin, max(1.5*spacing, limit)), err
	}
	if w.thin, err = find(p.WallMM*(1-1e-6), false); err != nil { // a wall of just that is thick enough
		return w, err
	}
	if w.gaps, err = find(p.DetailMM*(1-1e-6), true); err != nil {
		return w, err
	}
	if p.OverhangDeg < 90 {
		if w.overhang, err = measure.Overhangs(ctx, s.Tree, p.OverhangDeg, p.LayerMM, leastSample); err != nil {
			return w, err
		}
	}
	if p.NeedsDrains && s.Edges.Boundary == 0 && s.Edges.NonManifold == 0 && s.Edges.Inconsistent == 0 {
		w.pockets, _, err = measure.Pockets(ctx, s.Topology, p.DrainMM)
	}
	return w, err
}

func (s *Subject) regions(list []measure.Region) *Finding {
	f := &Finding{Count: len(list), PlacesTotal: len(list)}
	for _, r := range list[:min(len(list), maxPlaces)] {
		f.Places = append(f.Places, Place{AtMM: roundAll(r.At), SizeMM: round(diameter(r.Box)), Triangles: r.Triangles})
	}
	return f
}

func sumRegions(list []measure.Region) (thinnest, ball, area float64) {
	thinnest, ball = math.Inf(1), math.Inf(1)
	for _, r := range list {
		thinnest, ball, area = min(thinnest, r.ThinnestMM), min(ball, r.SphereMM), area+r.AreaMM2
	}
	return thinnest, ball, area
}
