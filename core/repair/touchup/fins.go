package touchup

import (
	"cmp"
	"context"
	"slices"

	"veneer/core/check"
	"veneer/core/mesh"
)

// dropFins takes off what hangs on a surface by an edge of three or more
// triangles and ends in the open: it has no thickness and bounds nothing.
//
// Idea: edges of other than two triangles part the surface into patches. A
// patch with an open edge is a fin when the others leave exactly two triangles
// at each edge where it hangs, so that taking it off closes the surface there.
// The smallest goes first, for what was two fins may be a fin and a surface; one
// of more than a tenth of all the area is no fin, and stays.
var dropFins = Step{
	Name: "drop-fins", Title: "Take off fins",
	Why: func(r *check.Report) string {
		if r.Geometry.BoundaryEdges == 0 {
			return ""
		}
		return counted(r.Geometry.NonManifoldEdges, "edge with three or more triangles", "edges with three or more triangles")
	},
	Run: func(ctx context.Context, w *Work) (Change, error) {
		topo := mesh.NewTopology(w.Mesh)
		patches := patchesOf(topo)
		at := make([]int, topo.Edges()) // triangles still there
		for e := range at {
			at[e] = len(topo.Halves(int32(e)))
		}
		gone := make([]bool, len(patches))
		total := 0.0
		for _, p := range patches {
			total += p.area
		}
		fins, triangles := 0, 0
		for again := true; again && ctx.Err() == nil; {
			again = false
			for i, p := range patches {
				if gone[i] || 10*p.area > total || !p.hangs(at) {
					continue
				}
				for _, s := range p.seams {
					at[s.edge] -= s.triangles
				}
				gone[i], again = true, true
				fins++
				triangles += len(p.triangles)
			}
		}
		if fins > 0 {
			out := make([]bool, len(w.Mesh.Triangles))
			for i, p := range patches {
				for _, t := range p.triangles {
					out[t] = gone[i]
				}
			}
			w.Mesh.Keep(func(t int32) bool { return !out[t] })
		}
		return Change{Count: fins, Detail: counted(fins, "fin") + " of " + counted(triangles, "triangle") + " taken off"}, ctx.Err()
	},
}

// patch is triangles that hang together through edges of two triangles.
type patch struct {
	triangles []int32
	area      float64
	open      bool   // it has an open edge
	seams     []seam // edges of three or more triangles
}

// seam is an edge of three or more triangles, with how many are the patch's.
type seam struct {
	edge      int32
	triangles int
}

// hangs reports whether taking the patch off closes the surface where it hangs.
func (p *patch) hangs(at []int) bool {
	if !p.open || len(p.seams) == 0 {
		return false
	}
	for _, s := range p.seams {
		if at[s.edge]-s.triangles != 2 {
			return false
		}
	}
	return true
}

// patchesOf parts a surface, the smallest patch first.
func patchesOf(topo *mesh.Topology) []patch {
	m := topo.Mesh
	number := make([]int32, len(m.Triangles))
	for t := range number {
		number[t] = -1
	}
	var list []patch
	for first := range int32(len(m.Triangles)) {
		if number[first] >= 0 || m.RepeatsVertex(first) {
			continue
		}
		n := int32(len(list))
		p := patch{triangles: []int32{first}}
		number[first] = n
		for i := 0; i < len(p.triangles); i++ {
			t := p.triangles[i]
			p.area += m.AreaNormal(t).Length() / 2
			for h := 3 * t; h < 3*t+3; h++ {
				e := topo.EdgeOf[h]
				switch halves := topo.Halves(e); len(halves) {
				case 1:
					p.open = true
				case 2:
					for _, g := range halves {
						if number[g/3] < 0 {
							number[g/3] = n
							p.triangles = append(p.triangles, g/3)
						}
					}
				default:
					p.seams = append(p.seams, seam{e, 1})
				}
			}
		}
		p.seams = counting(p.seams)
		list = append(list, p)
	}
	slices.SortStableFunc(list, func(a, b patch) int { return cmp.Compare(a.area, b.area) })
	return list
}

// counting makes one seam of those with the same edge.
func counting(seams []seam) []seam {
	slices.SortFunc(seams, func(a, b seam) int { return cmp.Compare(a.edge, b.edge) })
	kept := seams[:0]
	for _, s := range seams {
		if n := len(kept); n > 0 && kept[n-1].edge == s.edge {
			kept[n-1].triangles += s.triangles
		} else {
			kept = append(kept, s)
		}
	}
	return kept
}
