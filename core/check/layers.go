package check

import (
	"cmp"
	"context"
	"fmt"
	"math"
	"slices"

	"veneer/core/measure"
)

const (
	placesCut = 16 // of a finding's places, the largest first
	cuts      = 4  // through each
)

// layersOf cuts layers through the places of a finding that contradicts inside
// and outside, and notes at which heights they fill wrongly.
func (s *Subject) layersOf(ctx context.Context, f *Finding) error {
	if f.Severity != Error && f.Severity != Question || f.Kind == openBoundary.Name {
		return nil // an open boundary's layers are known without cutting
	}
	type cut struct {
		z     float64
		place int
	}
	var list []cut
	for i, p := range f.Places[:min(len(f.Places), placesCut)] {
		if len(p.Triangles) == 0 {
			continue
		}
		for k := range cuts {
			list = append(list, cut{p.low + (p.high-p.low)*(float64(k)+0.5)/cuts, i})
		}
	}
	slices.SortStableFunc(list, func(a, b cut) int { return cmp.Compare(a.z, b.z) })
	heights := make([]float64, len(list))
	for i, c := range list {
		heights[i] = c.z
	}
	layers, err := measure.Layers(ctx, s.Topology, heights)
	if err != nil {
		return err
	}
	low, high := math.Inf(1), math.Inf(-1)
	for i, l := range layers {
		if !l.Wrong() {
			continue
		}
		p := &f.Places[list[i].place]
		half := (p.high - p.low) / (2 * cuts)
		from, to := round(max(l.ZMM-half, p.low)), round(min(l.ZMM+half, p.high))
		if p.LayersMM == nil {
			p.LayersMM = &[2]float64{from, to}
		}
		p.LayersMM[1] = to
		low, high = min(low, from), max(high, to)
	}
	if low < high {
		f.Summary += fmt.Sprintf("; layers between %.4g and %.4g mm fill wrongly", low, high)
	}
	return nil
}
