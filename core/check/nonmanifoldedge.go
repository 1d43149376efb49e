package check

import (
	"fmt"
	"math"

	"veneer/core/mesh"
	"veneer/core/spatial"
)

// MembraneQuestion is the question whether a sheet across a channel or the mouth
// of a pocket is meant to be there; its answers are Remove and Keep.
const MembraneQuestion = "non-manifold-edge"

// MembraneShare is the share of a part's area that a membrane has at most.
const MembraneShare = 0.2

var nonManifoldEdge = Kind{
	Name: MembraneQuestion, Title: "Edge shared by too many triangles", Usual: Error,
	What:   "An edge belongs to three or more triangles. On the skin of a solid every edge has exactly two: one on either side.",
	Harm:   "It is undecided which triangles bound the solid there. Slicing software guesses, and layers can be filled on the wrong side.",
	Action: "Double triangles, fins and walls within the solid are taken away, and solids that only touch along the edge are drawn apart by a hair. About a sheet that closes a channel a person is asked. What remains is listed with its places.",
	sketch: sketches{"s M12 50L50 36 50 62 14 66zM50 36L88 50 86 66 50 62z|B M50 36L50 62 62 38 62 12z|b M50 36V62",
		"s M12 50L50 36 50 62 14 66zM50 36L88 50 86 66 50 62z|n M50 36V62"},
	find: func(s *Subject) *Finding {
		f := &Finding{Count: s.Edges.NonManifold, PlacesTotal: s.Edges.NonManifold}
		most := 0
		for e := range int32(s.Topology.Edges()) {
			halves := s.Topology.Halves(e)
			if len(halves) < 3 {
				continue
			}
			most = max(most, len(halves))
			if len(f.Places) >= 4*maxPlaces {
				continue
			}
			u, v := s.Topology.From(halves[0]), s.Topology.To(halves[0])
			a, b := s.Mesh.Positions[u], s.Mesh.Positions[v]
			p := Place{AtMM: roundAll(a.Lerp(b, 0.5)), SizeMM: round(a.Distance(b)), LineMM: s.line(u, v)}
			for _, h := range halves {
				p.Triangles = append(p.Triangles, h/3)
			}
			f.Places = append(f.Places, p)
		}
		f.Summary = fmt.Sprintf("%s with three or more triangles (up to %d)", some(f.Count, "edge", "edges"), most)
		across, _ := s.acrossChannels()
		if f.asks = len(across) > 0; f.asks {
			f.Summary += fmt.Sprintf("; %s a channel or pocket", some(len(across), "sheet closes", "sheets close"))
		}
		return f
	},
	ask: func(s *Subject) Ask {
		across, size := s.acrossChannels()
		return Ask{ID: MembraneQuestion, Kind: MembraneQuestion, Text: "A sheet without thickness closes a channel or pocket. Remove it?", Default: Remove,
			Evidence: []string{fmt.Sprintf("%s, the largest %.3g mm across; a channel is rarely drawn to be closed so", some(len(across), "sheet", "sheets"), size)},
			Choices: []Choice{
				{Answer: Remove, Effect: "it is taken away: the channel is open", leaves: Error},
				{Answer: Keep, Effect: "it stays: the part cannot print until it has a thickness", leaves: Error},
			}}
	},
}

// acrossChannels lists the membranes with air on both sides, and how large the
// largest is.
func (s *Subject) acrossChannels() (across [][]int32, size float64) {
	if s.Edges.NonManifold == 0 {
		return nil, 0
	}
	twins := s.Topology.Twins(s.Duplicates)
	for _, sheet := range Membranes(s.Topology, s.Tree) {
		if twins[sheet.Triangles[0]] {
			continue // one of two on the same corners: that is all there is to it
		}
		if !sheet.Within {
			across = append(across, sheet.Triangles)
			size = max(size, s.placeOf(sheet.Triangles).SizeMM)
		}
	}
	return across, size
}

// Membrane is a sheet that lies across the surface: a wall within the solid, or
// one with air on both sides, across a channel.
type Membrane struct {
	Triangles []int32
	Within    bool
}

// Membranes lists the membranes of at most MembraneShare of the area. The tree
// stands over the same mesh.
func Membranes(topo *mesh.Topology, tree *spatial.Tree) []Membrane {
	patches := topo.Patches()
	found := topo.Membranes(patches, MembraneShare)
	among := map[int32]bool{}
	for _, i := range found {
		for _, t := range patches[i].Triangles {
			among[t] = true
		}
	}
	list := make([]Membrane, len(found))
	for k, i := range found {
		list[k] = Membrane{patches[i].Triangles, withinSolid(tree, patches[i].Triangles, among)}
	}
	return list
}

// withinSolid reports whether a sheet of triangles lies in the solid that the
// others bound: looking from its largest triangle, past other sheets, the next
// surface is seen from behind.
func withinSolid(tree *spatial.Tree, sheet []int32, sheets map[int32]bool) bool {
	m := tree.Mesh
	largest, area := sheet[0], 0.0
	for _, t := range sheet {
		if a := m.AreaNormal(t).Length(); a > area {
			largest, area = t, a
		}
	}
	a, b, c := m.Corners(largest)
	dir := m.AreaNormal(largest).Unit()
	from, skip := a.Add(b).Add(c).Scale(1./3), largest
	for {
		hit, distance := tree.Ray(from, dir, math.Inf(1), skip)
		if hit < 0 || !sheets[hit] {
			return hit >= 0 && m.AreaNormal(hit).Dot(dir) > 0
		}
		from, skip = from.Add(dir.Scale(distance)), hit
	}
}
