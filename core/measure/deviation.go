package measure

import (
	"context"
	"math"
	"slices"

	"veneer/core/geom"
	"veneer/core/spatial"
)

// Deviation is how far two surfaces are from each other, in mm, looked at from
// both sides: each from samples of the other.
type Deviation struct {
	Max  float64
	P99  float64 // 99 of 100 samples are nearer
	Mean float64
	At   geom.Vec // where it is largest
}

// Distances measures how far each point is from a surface, mm. Cost: a nearest
// point for each.
func Distances(ctx context.Context, points []geom.Vec, to *spatial.Tree) ([]float64, error) {
	distances := make([]float64, len(points))
	return distances, each(ctx, len(points), func(i int) { _, _, distances[i] = to.Nearest(points[i], math.Inf(1)) })
}

// Compare measures how far two surfaces are apart by about n samples of each,
// spread by area, and, with corners, by all their vertices too, which count for
// Max alone. When b is a solid, points of a that lie inside it count as on it:
// walls within a solid are no loss. It is never larger than the true distance (of Hausdorff), and misses
// no more than lies between samples. Cost: a nearest point for each.
func Compare(ctx context.Context, a, b *spatial.Tree, n int, corners, solid bool) (Deviation, error) {
	var d Deviation
	var all []float64
	for i, pair := range [2][2]*spatial.Tree{{a, b}, {b, a}} {
		within := func(p geom.Vec, d float64) bool { return i == 0 && solid && d > 0 && b.Inside(p) }
		samples := Samples(pair[0].Mesh, n, nil)
		distances := make([]float64, len(samples))
		if err := each(ctx, len(samples), func(i int) {
			if _, _, distances[i] = pair[1].Nearest(samples[i].At, math.Inf(1)); within(samples[i].At, distances[i]) {
				distances[i] = 0
			}
		}); err != nil {
			return d, err
		}
		for i, x := range distances {
			if x > d.Max {
				d.Max, d.At = x, samples[i].At
			}
			d.Mean += x
		}
		all = append(all, distances...)
		if !corners {
			continue
		}
		points := pair[0].Mesh.Positions
		distances, err := Distances(ctx, points, pair[1])
		if err != nil {
			return d, err
		}
		for i, x := range distances {
			if x > d.Max && !within(points[i], x) {
				d.Max, d.At = x, points[i]
			}
		}
	}
	if len(all) == 0 || math.IsInf(d.Max, 1) {
		return Deviation{}, nil
	}
	d.Mean /= float64(len(all))
	slices.Sort(all)
	d.P99 = all[len(all)*99/100]
	return d, nil
}
