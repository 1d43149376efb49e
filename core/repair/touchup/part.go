package touchup

import (
	"cmp"
	"context"
	"fmt"
	"math"
	"slices"

	"veneer/core/check"
	"veneer/core/geom"
	"veneer/core/mesh"
)

// partEdges draws solids apart that touch along an edge only.
//
// Idea: around an edge of four or more triangles, sorted by angle, solid and air
// take turns. The two triangles on either side of a wedge of solid belong
// together (Guéziec, Taubin, Lazarus, Horn, "Cutting and Stitching", 2001, choose
// by topology; here the angle and the winding decide). Where they do take turns,
// the edge is given to each wedge as its own, its ends as corners of their own,
// and those corners are drawn into their solids by a hair, for corners in the
// same place would be one again in any file. Cost O(t + e·log d).
var partEdges = Step{
	Name: "part-edges", Title: "Part solids that touch along an edge",
	Why: func(r *check.Report) string {
		return counted(r.Geometry.NonManifoldEdges, "edge with three or more triangles", "edges with three or more triangles")
	},
	Run: func(_ context.Context, w *Work) (Change, error) {
		m := w.Mesh
		topo := w.Topology()
		corners := mesh.NewForest(3 * len(m.Triangles))
		join := func(g, h int32) { // the corners of two triangles at both ends of their edge
			corners.Join(g, cornerAt(topo, h, topo.From(g)))
			corners.Join(mesh.Next(g), cornerAt(topo, h, topo.To(g)))
		}
		parted, left := 0, 0
		touched := map[int32]bool{} // ends of parted edges
		for e := range int32(topo.Edges()) {
			halves := topo.Halves(e)
			if len(halves) < 3 {
				for _, h := range halves[1:] {
					join(halves[0], h)
				}
				continue
			}
			wedges := wedgesAt(topo, halves)
			if wedges == nil {
				left++
				for _, h := range halves[1:] {
					join(halves[0], h)
				}
				continue
			}
			parted++
			touched[topo.From(halves[0])], touched[topo.To(halves[0])] = true, true
			for _, w := range wedges {
				join(w[0], w[1])
			}
		}
		c := Change{Left: counted(left, "edge") + " left: solid and air do not take turns around it"}
		if left == 0 {
			c.Left = ""
		}
		if parted == 0 {
			return c, nil
		}
		hair := max(0.1*check.SeamMM(m.Bounds().Size().Length()), 16*reach(m)*math.Pow(2, -24))
		moved := drawApart(topo, corners, touched, hair)
		c.MovedMM = hair
		c.Count, c.Detail = parted, counted(parted, "edge")+" parted by moving "+counted(moved, "corner")+" by "+fmt.Sprintf("%.2g mm", hair)
		return c, nil
	},
}

// cornerAt is the corner of h's triangle at vertex v, an end of h.
func cornerAt(topo *mesh.Topology, h, v int32) int32 {
	if topo.From(h) == v {
		return h
	}
	return mesh.Next(h)
}

// reach is the largest coordinate, by size.
func reach(m *mesh.Mesh) (most float64) {
	box := m.Bounds()
	for _, v := range []geom.Vec{box.Min, box.Max} {
		most = max(most, math.Abs(v.X), math.Abs(v.Y), math.Abs(v.Z))
	}
	return most
}

// wedgesAt pairs the half-edges of one edge that have solid between them; nil
// when solid and air do not take turns.
func wedgesAt(topo *mesh.Topology, halves []int32) (wedges [][2]int32) {
	if len(halves)%2 == 1 {
		return nil
	}
	p := topo.Mesh.Positions
	lo, hi := topo.From(halves[0]), topo.To(halves[0])
	axis := p[hi].Sub(p[lo]).Unit()
	var x, y geom.Vec
	type side struct {
		half    int32
		angle   float64
		forward bool // the solid is clockwise of it, seen against the axis
	}
	around := make([]side, len(halves))
	for i, h := range halves {
		out := p[topo.Opposite(h)].Sub(p[lo])
		out = out.Sub(axis.Scale(out.Dot(axis)))
		if i == 0 {
			x = out.Unit()
			y = axis.Cross(x)
		}
		around[i] = side{h, math.Atan2(out.Dot(y), out.Dot(x)), topo.From(h) == lo}
	}
	slices.SortFunc(around, func(a, b side) int { return cmp.Or(cmp.Compare(a.angle, b.angle), cmp.Compare(a.half, b.half)) })
	first := 0
	if around[0].forward {
		first = 1
	}
	for k := 0; k < len(around); k += 2 {
		a, b := around[(first+k)%len(around)], around[(first+k+1)%len(around)]
		if a.forward || !b.forward || a.angle == b.angle {
			return nil
		}
		wedges = append(wedges, [2]int32{a.half, b.half})
	}
	return wedges
}

// drawApart gives each set of joined corners at a touched vertex a vertex of its
// own, a hair into its solid; it returns how many there are.
func drawApart(topo *mesh.Topology, corners mesh.Forest, touched map[int32]bool, hair float64) (moved int) {
	m := topo.Mesh
	own := map[int32]int32{}     // by the root of the corners: the vertex
	into := map[int32]geom.Vec{} // and the way into the solid
	taken := map[int32]bool{}
	var order []int32
	for t := range int32(len(m.Triangles)) {
		if m.RepeatsVertex(t) {
			continue
		}
		for c := 3 * t; c < 3*t+3; c++ {
			v := m.Triangles[t][c%3]
			if !touched[v] {
				continue
			}
			root := corners.Root(c)
			if _, known := own[root]; !known {
				own[root] = v
				if taken[v] {
					own[root] = int32(len(m.Positions))
					m.Positions = append(m.Positions, m.Positions[v])
				}
				taken[v] = true
				order = append(order, root)
			}
			a, b := m.Positions[m.Triangles[t][(c+1)%3]].Sub(m.Positions[v]), m.Positions[m.Triangles[t][(c+2)%3]].Sub(m.Positions[v])
			n := a.Cross(b)
			into[root] = into[root].Sub(n.Unit().Scale(math.Atan2(n.Length(), a.Dot(b))))
		}
	}
	for t := range int32(len(m.Triangles)) {
		for c := 3 * t; c < 3*t+3; c++ {
			if v, is := own[corners.Root(c)]; is && !m.RepeatsVertex(t) {
				m.Triangles[t][c%3] = v
			}
		}
	}
	for _, root := range order {
		if way := into[root]; way.Length() > 1e-9 {
			v := own[root]
			m.Positions[v] = m.Positions[v].Add(way.Unit().Scale(hair)).Single()
			moved++
		}
	}
	return moved
}

// PartEdges does that step.
func PartEdges(ctx context.Context, w *Work) (Change, error) { return partEdges.Run(ctx, w) }
