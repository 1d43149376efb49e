package check

import (
	"cmp"
	"fmt"
	"slices"

	"veneer/core/mesh"
)

var unweldedSeam = Kind{
	Name: "unwelded-seam", Title: "Seam that is not joined", Usual: Error,
	What:   "Two open edges lie on one another, closer than any printer resolves, but their corners are not the same points: the surface is cut there without a gap.",
	Harm:   "The part looks closed and is not. Slicing software may leave layers open along the seam.",
	Action: "The edges are joined by moving the corners of one side onto the other, by less than the distance named.",
	sketch: sketches{"s M8 15L47 22 47 55 8 62z|s M92 15L53 22 53 55 92 62z|b M47 22V55M53 22V55",
		"s M8 15L50 22 50 55 8 62zM92 15L50 22 50 55 92 62z|n M50 22V55"},
	find: func(s *Subject) *Finding {
		pairs := s.seams()
		f := &Finding{Count: len(pairs)}
		var triangles []int32
		for _, p := range pairs {
			triangles = append(triangles, p[0]/3, p[1]/3)
		}
		slices.Sort(triangles)
		f.Places = s.placesOf(slices.Compact(triangles))
		f.Summary = fmt.Sprintf("%s would close if points within %.2g mm were one", some(f.Count, "pair of open edges", "pairs of open edges"), SeamMM(diameter(s.Box)))
		return f
	},
}

// SeamMM is how close corners of open edges must lie to be meant as one, for a
// part of that diameter: a hundred-thousandth of it, and at most a hundredth mm.
func SeamMM(diameter float64) float64 { return min(1e-5*diameter, 0.01) }

// seams pairs boundary half-edges whose ends lie within SeamMM of one another.
func (s *Subject) seams() (pairs [][2]int32) {
	if len(s.Loops) == 0 {
		return nil
	}
	group := mesh.Near(s.Mesh, s.Loops, s.Topology, SeamMM(diameter(s.Box)))
	type edge struct {
		low, high int32
		half      int32
	}
	var edges []edge
	for _, loop := range s.Loops {
		for _, h := range loop.Halves {
			a, b := group[s.Topology.From(h)], group[s.Topology.To(h)]
			if a != b {
				edges = append(edges, edge{min(a, b), max(a, b), h})
			}
		}
	}
	slices.SortFunc(edges, func(x, y edge) int {
		return cmp.Or(cmp.Compare(x.low, y.low), cmp.Compare(x.high, y.high), cmp.Compare(x.half, y.half))
	})
	for i := 0; i < len(edges); {
		j := i
		for j < len(edges) && edges[j].low == edges[i].low && edges[j].high == edges[i].high {
			j++
		}
		if j-i == 2 {
			pairs = append(pairs, [2]int32{edges[i].half, edges[i+1].half})
		}
		i = j
	}
	return pairs
}
