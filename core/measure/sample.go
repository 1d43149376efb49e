// Package measure takes dimensions of a surface: how thick its walls are, how
// narrow its gaps, what hangs over, and what a cut through it looks like.
//
// The idea: a surface is sampled evenly by area, each sample asks the tree a
// few rays and nearest points, and samples that are out of bounds are gathered
// into regions. Measures round; the same mesh gives the same numbers on any
// machine and any number of cores.
package measure

import (
	"context"
	"math"
	"runtime"
	"sync"
	"sync/atomic"

	"veneer/core/geom"
	"veneer/core/mesh"
)

// Sample is a point of a surface that stands for a piece of it.
type Sample struct {
	Triangle int32
	At       geom.Vec
	Normal   geom.Vec // of unit length
	AreaMM2  float64  // of the piece
}

// Samples spreads about n samples evenly over the triangles for which keep is
// true (all when nil): each stands for the same area, so that large triangles
// get many and of small ones only some get one.
//
// Idea: triangles are laid end to end by area, and a sample is taken at every
// step's middle. Within a triangle, samples follow the R2 sequence (Roberts,
// 2018), folded into the triangle. Cost O(t + n).
func Samples(m *mesh.Mesh, n int, keep func(t int32) bool) []Sample {
	total := 0.0
	for t := range int32(len(m.Triangles)) {
		if keep == nil || keep(t) {
			total += m.AreaNormal(t).Length() / 2
		}
	}
	if total == 0 || n < 1 {
		return nil
	}
	step := total / float64(n)
	samples := make([]Sample, 0, n+1)
	before, next := 0.0, step/2
	for t := range int32(len(m.Triangles)) {
		if keep != nil && !keep(t) {
			continue
		}
		normal := m.AreaNormal(t)
		a := normal.Length() / 2
		for k := 0; next < before+a; k++ {
			u, v := math.Mod(0.5+0.7548776662466927*float64(k), 1), math.Mod(0.5+0.5698402909980532*float64(k), 1)
			if k == 0 {
				u, v = 1./3, 1./3
			} else if u+v > 1 {
				u, v = 1-u, 1-v
			}
			p, q, r := m.Corners(t)
			samples = append(samples, Sample{t, p.Add(q.Sub(p).Scale(u)).Add(r.Sub(p).Scale(v)), normal.Unit(), step})
			next += step
		}
		before += a
	}
	return samples
}

// each does work for the numbers from 0 to n on all cores.
func each(ctx context.Context, n int, work func(i int)) error { return eachOf(ctx, n, 256, work) }

// eachOf is each with that many numbers taken at a time.
func eachOf(ctx context.Context, n, chunk int, work func(i int)) error {
	var next atomic.Int64
	var workers sync.WaitGroup
	for range runtime.GOMAXPROCS(0) {
		workers.Go(func() {
			for ctx.Err() == nil {
				from := int(next.Add(int64(chunk))) - chunk
				if from >= n {
					return
				}
				for i := from; i < min(from+chunk, n); i++ {
					work(i)
				}
			}
		})
	}
	workers.Wait()
	return ctx.Err()
}
