package measure

import (
	"context"
	"math"
	"slices"

	"veneer/core/geom"
	"veneer/core/mesh"
	"veneer/core/spatial"
)

// Facing is how squarely the two sides of a wall must face each other: the
// cosine between one's normal and the other's turned around. Tapering edges are
// no thin walls.
const Facing = 0.95

// Thin is a sample where a wall, or a gap, is thinner than asked.
type Thin struct {
	Sample
	RayMM    float64 // straight through to the other side
	SphereMM float64 // diameter of the ball inside that touches the sample
}

// Thickness looks from each sample for the other side of the wall, inward, or of
// the gap, outward, and returns those nearer than limit mm, in the samples'
// order.
//
// Idea: a ray against the normal gives the distance straight through, which is
// right where the sides are parallel and too large where they slant. A ball that
// touches the sample and is shrunk until it holds no other point of the surface
// (Ma, Bae, Choi, "3D medial axis point approximation using nearest neighbors
// and the normal field", 2012) gives the other measure, which is never too
// large. Cost: a ray for each sample, and some nearest points for thin ones.
func Thickness(ctx context.Context, tree *spatial.Tree, samples []Sample, limit float64, outward bool) ([]Thin, error) {
	found := make([]Thin, len(samples))
	err := each(ctx, len(samples), func(i int) {
		s := samples[i]
		dir := s.Normal.Scale(-1)
		if outward {
			dir = s.Normal
		}
		hit, distance := tree.Ray(s.At, dir, limit, s.Triangle)
		if hit < 0 {
			return
		}
		if facing := tree.Mesh.AreaNormal(hit).Unit().Dot(s.Normal); facing > -Facing {
			return
		}
		found[i] = Thin{s, distance, 2 * ball(tree, s.At, dir, distance/2)}
	})
	return slices.DeleteFunc(found, func(t Thin) bool { return t.RayMM == 0 }), err
}

// Walls measures the wall at every sample, up to limit mm: a map of the surface
// rather than a finding. Straight through, tapering edges count as thick, as
// they do for Thickness; by the ball inside they do not.
func Walls(ctx context.Context, tree *spatial.Tree, samples []Sample, limit float64) ([]Thin, error) {
	walls := make([]Thin, len(samples))
	err := each(ctx, len(samples), func(i int) {
		s := samples[i]
		dir := s.Normal.Scale(-1)
		walls[i] = Thin{s, limit, limit}
		hit, distance := tree.Ray(s.At, dir, limit, s.Triangle)
		if hit < 0 {
			distance = limit
		} else if tree.Mesh.AreaNormal(hit).Unit().Dot(s.Normal) <= -Facing {
			walls[i].RayMM = distance
		}
		walls[i].SphereMM = 2 * ball(tree, s.At, dir, distance/2)
	})
	return walls, err
}

// ball is the radius of the largest ball up to that radius that touches p from
// the side that dir points to and holds no other point of the surface.
func ball(tree *spatial.Tree, p, dir geom.Vec, radius float64) float64 {
	for range 10 {
		centre := p.Add(dir.Scale(radius))
		t, q, d := tree.Nearest(centre, radius*(1-1e-6))
		if t < 0 {
			break
		}
		pq := q.Sub(p)
		along := 2 * dir.Dot(pq)
		if along <= 0 || d == 0 {
			break
		}
		smaller := pq.Dot(pq) / along
		if !(smaller < radius) {
			break
		}
		radius = smaller
	}
	return radius
}

// Region is samples that lie together.
type Region struct {
	Box        geom.Box
	At         geom.Vec // where it is thinnest
	ThinnestMM float64  // straight through, mm
	SphereMM   float64  // the smallest ball, mm
	AreaMM2    float64
	Triangles  []int32 // ascending
}

// Regions gathers samples that lie within a distance of each other, about, into
// regions: those whose cells of a cubic grid touch. They come with the largest
// first. Cost O(n log n).
func Regions(thin []Thin, distance float64) []Region {
	if len(thin) == 0 || distance <= 0 {
		return nil
	}
	type cell struct{ x, y, z int64 }
	of := func(p geom.Vec) cell {
		return cell{int64(math.Floor(p.X / distance)), int64(math.Floor(p.Y / distance)), int64(math.Floor(p.Z / distance))}
	}
	number := map[cell]int{} // only the cells that thin samples lie in
	var cells []cell
	in := make([]int, len(thin))
	for i, t := range thin {
		c := of(t.At)
		k, known := number[c]
		if !known {
			k = len(cells)
			number[c] = k
			cells = append(cells, c)
		}
		in[i] = k
	}
	joined := mesh.NewForest(len(cells))
	for i, c := range cells {
		for dx := int64(-1); dx <= 1; dx++ {
			for dy := int64(-1); dy <= 1; dy++ {
				for dz := int64(-1); dz <= 1; dz++ {
					if j, known := number[cell{c.x + dx, c.y + dy, c.z + dz}]; known {
						joined.Join(int32(i), int32(j))
					}
				}
			}
		}
	}
	regions := make([]Region, len(cells))
	for i, t := range thin {
		r := &regions[joined.Root(int32(in[i]))]
		if r.AreaMM2 == 0 {
			r.Box, r.ThinnestMM, r.SphereMM = geom.EmptyBox(), math.Inf(1), math.Inf(1)
		}
		r.Box = r.Box.Extend(t.At)
		r.AreaMM2 += t.AreaMM2
		r.Triangles = append(r.Triangles, t.Triangle)
		r.SphereMM = min(r.SphereMM, t.SphereMM)
		if t.RayMM < r.ThinnestMM {
			r.ThinnestMM, r.At = t.RayMM, t.At
		}
	}
	regions = slices.DeleteFunc(regions, func(r Region) bool { return r.AreaMM2 == 0 })
	for i := range regions {
		slices.Sort(regions[i].Triangles)
		regions[i].Triangles = slices.Compact(regions[i].Triangles)
	}
	slices.SortStableFunc(regions, func(a, b Region) int {
		switch {
		case a.AreaMM2 > b.AreaMM2:
			return -1
		case a.AreaMM2 < b.AreaMM2:
			return 1
		}
		return 0
	})
	return regions
}
