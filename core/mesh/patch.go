package mesh

import (
	"cmp"
	"slices"
)

// Patch is triangles that hang together through edges of two triangles.
type Patch struct {
	Triangles []int32
	Area      float64
	Open      bool   // it has an open edge
	Seams     []Seam // edges of three or more triangles, ascending
	Disc      bool   // it has the topology of a disc, its seams its rim
}

// Seam is an edge of three or more triangles, with how many are the patch's.
type Seam struct {
	Edge      int32
	Triangles int
}

// Patches parts a surface at its edges of other than two triangles, the smallest
// patch first. Cost O(t log t).
func (topo *Topology) Patches() []Patch {
	m := topo.Mesh
	number := make([]int32, len(m.Triangles))
	for t := range number {
		number[t] = -1
	}
	var list []Patch
	for first := range int32(len(m.Triangles)) {
		if number[first] >= 0 || m.RepeatsVertex(first) {
			continue
		}
		n := int32(len(list))
		p := Patch{Triangles: []int32{first}}
		number[first] = n
		for i := 0; i < len(p.Triangles); i++ {
			t := p.Triangles[i]
			p.Area += m.AreaNormal(t).Length() / 2
			for h := 3 * t; h < 3*t+3; h++ {
				e := topo.EdgeOf[h]
				switch halves := topo.Halves(e); len(halves) {
				case 1:
					p.Open = true
				case 2:
					for _, g := range halves {
						if number[g/3] < 0 {
							number[g/3] = n
							p.Triangles = append(p.Triangles, g/3)
						}
					}
				default:
					p.Seams = append(p.Seams, Seam{e, 1})
				}
			}
		}
		p.Seams = counting(p.Seams)
		if !p.Open && len(p.Seams) > 0 {
			p.Disc = topo.disc(p)
		}
		list = append(list, p)
	}
	slices.SortStableFunc(list, func(a, b Patch) int { return cmp.Compare(a.Area, b.Area) })
	return list
}

// disc reports whether V - E + F of the patch is 1.
func (topo *Topology) disc(p Patch) bool {
	var vertices, edges []int32
	for _, t := range p.Triangles {
		vertices = append(vertices, topo.Mesh.Triangles[t][:]...)
		edges = append(edges, topo.EdgeOf[3*t], topo.EdgeOf[3*t+1], topo.EdgeOf[3*t+2])
	}
	count := func(list []int32) int {
		slices.Sort(list)
		return len(slices.Compact(list))
	}
	return count(vertices)-count(edges)+len(p.Triangles) == 1
}

// counting makes one seam of those with the same edge.
func counting(seams []Seam) []Seam {
	slices.SortFunc(seams, func(a, b Seam) int { return cmp.Compare(a.Edge, b.Edge) })
	kept := seams[:0]
	for _, s := range seams {
		if n := len(kept); n > 0 && kept[n-1].Edge == s.Edge {
			kept[n-1].Triangles += s.Triangles
		} else {
			kept = append(kept, s)
		}
	}
	return kept
}

// Membranes lists, among patches as Patches gives them, those that lie across
// the surface like a sheet across a channel or a wall within a solid: discs
// whose taking away leaves, at each edge of their rims, exactly two triangles
// that face the same way. The smallest are found first, so that of several that
// could go, the least goes; none that is more than share of all the area.
func (topo *Topology) Membranes(patches []Patch, share float64) (list []int) {
	total := 0.0
	of := make([]int32, len(topo.Mesh.Triangles))
	for i, p := range patches {
		total += p.Area
		for _, t := range p.Triangles {
			of[t] = int32(i)
		}
	}
	gone := make([]bool, len(patches))
	for again := true; again; {
		again = false
		for i, p := range patches {
			if gone[i] || !p.Disc || p.Area > share*total || !slices.ContainsFunc(p.Seams, func(s Seam) bool { return s.Triangles == 1 }) {
				continue
			}
			fits := true
			for _, s := range p.Seams {
				var rest []int32
				for _, h := range topo.Halves(s.Edge) {
					if o := of[h/3]; !gone[o] && o != int32(i) {
						rest = append(rest, h)
					}
				}
				if len(rest) != 2 || topo.SameWay(rest[0], rest[1]) {
					fits = false
					break
				}
			}
			if fits {
				gone[i], again = true, true
				list = append(list, i)
			}
		}
	}
	slices.Sort(list)
	return list
}
