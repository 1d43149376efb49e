package touchup

import (
	"context"
	"fmt"

	"veneer/core/check"
	"veneer/core/geom"
	"veneer/core/mesh"
	"veneer/core/process"
)

// thicken gives surfaces that enclose nothing the thickness of the thinnest wall
// that prints: sheets by half on either side, the skin of a vessel inward, so that
// its outside stays as it is.
//
// Idea: every corner is moved along the way on which it keeps the wall's thickness
// from all planes around it at once, at most twice as far, and the rims of the two
// sides are joined. Sheets that meet in an edge of three and more triangles get
// each a wall of its own. Where a sheet bends more sharply than it is thick, the
// walls pass through each other, which is for fusing to mend. Cost O(t).
var thicken = Step{
	Name: "thicken", Title: "Give sheets a thickness",
	Why: func(r *check.Report) string {
		switch {
		case r.Answers[check.SheetQuestion] == check.Thicken:
			return "answered: sheets get a thickness"
		case r.Answers[check.OpeningQuestion] == check.LeaveOpen:
			return "answered: it is a vessel, and its skin gets a thickness"
		}
		return ""
	},
	With: func(_ *check.Report, p process.Process) map[string]float64 {
		return map[string]float64{"wall_mm": p.WallMM}
	},
	Run: func(_ context.Context, w *Work) (Change, error) {
		topo, shells := w.topology()
		loops := topo.Loops()
		way := make([]thickness, len(shells.List))
		if w.Report.Answers[check.SheetQuestion] == check.Thicken {
			for i, flat := range check.Sheets(topo, shells, loops, w.Process.WallMM) {
				if flat && !shells.List[i].Closed {
					way[i] = bothWays
				}
			}
		}
		if w.Report.Answers[check.OpeningQuestion] == check.LeaveOpen {
			for _, o := range check.Openings(topo, shells, loops, w.Process.WallMM) {
				way[shells.Of[loops[o.Loop].Halves[0]/3]] = inward
			}
		}
		n := 0
		for _, x := range way {
			if x != asIs {
				n++
			}
		}
		if n == 0 {
			return Change{}, nil
		}
		giveThickness(topo, shells.Of, way, w.Process.WallMM)
		return Change{Count: n, Detail: fmt.Sprintf("%s made %.2g mm thick", counted(n, "surface"), w.Process.WallMM)}, nil
	},
}

// thickness is what is done about a shell's.
type thickness int8

const (
	asIs thickness = iota
	bothWays
	inward
)

// mostMitre is how far a corner is moved at most, in thicknesses.
const mostMitre = 2

// giveThickness makes walls of the shells as way says of each.
func giveThickness(topo *mesh.Topology, shellOf []int32, way []thickness, wall float64) {
	m := topo.Mesh
	does := func(t int32) bool { return shellOf[t] >= 0 && way[shellOf[t]] != asIs }
	smooth := func(e int32) bool { // the wall goes on across this edge
		halves := topo.Halves(e)
		return len(halves) == 2 && !topo.SameWay(halves[0], halves[1])
	}
	corners := mesh.NewForest(3 * len(m.Triangles)) // those that are moved as one
	for e := range int32(topo.Edges()) {
		if halves := topo.Halves(e); smooth(e) && does(halves[0]/3) {
			g, h := halves[0], halves[1]
			corners.Join(g, cornerAt(topo, h, topo.From(g)))
			corners.Join(mesh.Next(g), cornerAt(topo, h, topo.To(g)))
		}
	}
	offset := map[int32]*mitre{}
	for t := range int32(len(m.Triangles)) {
		if !does(t) {
			continue
		}
		n := m.AreaNormal(t)
		for c := 3 * t; c < 3*t+3; c++ {
			r := corners.Root(c)
			if offset[r] == nil {
				offset[r] = &mitre{front: -1}
			}
			offset[r].add(n)
		}
	}
	ends := func(c int32) (front, back int32) {
		o := offset[corners.Root(c)]
		if o.front < 0 {
			p, d := m.Positions[m.Triangles[c/3][c%3]], o.solve().Scale(wall)
			o.front = int32(len(m.Positions))
			if way[shellOf[c/3]] == inward {
				m.Positions = append(m.Positions, p, p.Sub(d))
			} else {
				m.Positions = append(m.Positions, p.Add(d.Scale(0.5)), p.Sub(d.Scale(0.5)))
			}
		}
		return o.front, o.front + 1
	}
	for t, whole := int32(0), int32(len(m.Triangles)); t < whole; t++ {
		if !does(t) {
			continue
		}
		var front, back mesh.Triangle
		for c := range int32(3) {
			front[c], back[c] = ends(3*t + c)
		}
		m.Append(t, mesh.Triangle{back[0], back[2], back[1]})
		for c := range int32(3) {
			if n := (c + 1) % 3; !smooth(topo.EdgeOf[3*t+c]) {
				m.Append(t, mesh.Triangle{front[n], front[c], back[c]}, mesh.Triangle{front[n], back[c], back[n]})
			}
		}
		m.Triangles[t] = front
	}
	m.Weld()
}

// mitre is the planes around a corner, and where it went.
type mitre struct {
	a     [6]float64
	b     geom.Vec
	front int32 // the corner in front; the one at the back is the next
}

// add counts a plane by a normal that is as long as it is to weigh.
func (o *mitre) add(n geom.Vec) {
	u := n.Unit()
	o.a[0] += n.X * u.X
	o.a[1] += n.X * u.Y
	o.a[2] += n.X * u.Z
	o.a[3] += n.Y * u.Y
	o.a[4] += n.Y * u.Z
	o.a[5] += n.Z * u.Z
	o.b = o.b.Add(n)
}

// solve is the move that brings the corner one off every plane, as far as it can.
func (o *mitre) solve() geom.Vec {
	d, _ := geom.LeastSquares(o.a, o.b, 0.02)
	if l := d.Length(); l > mostMitre {
		d = d.Scale(mostMitre / l)
	}
	return d
}
