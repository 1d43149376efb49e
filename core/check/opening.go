package check

import (
	"fmt"
	"math"

	"veneer/core/geom"
	"veneer/core/mesh"
)

// OpeningQuestion is the question whether a large opening is a missing face or
// the mouth of something hollow.
const OpeningQuestion = "open-boundary"

// The answers to it.
const (
	Close     = "close"      // a missing face
	LeaveOpen = "leave-open" // the mouth of a cup
)

// An opening is large when it reaches across that share of its shell, and its
// lid would be that share of the shell's area or more.
const (
	openingAcross = 0.5
	openingArea   = 0.08
)

// Opening is a loop that is large beside its shell.
type Opening struct {
	Loop   int
	Normal geom.Vec // out of the part, of unit length
	SizeMM float64
}

// Openings lists the large openings. A rim with others in its plane is the rim
// of a face with holes in it, and no mouth; neither is one whose shell is a
// sheet, and one that faces down is where a part stands, so that its base is
// missing, unless there is another to lead through.
func Openings(topo *mesh.Topology, shells *mesh.Shells, loops []mesh.Loop, wall float64) []Opening {
	if len(loops) == 0 {
		return nil
	}
	flat := Sheets(topo, shells, loops, wall)
	var large []Opening
	down := 0
	for i, loop := range loops {
		shell := shells.List[shells.Of[loop.Halves[0]/3]]
		if flat[shells.Of[loop.Halves[0]/3]] || !loop.Closed {
			continue
		}
		points := make([]geom.Vec, len(loop.Halves))
		box, middle := geom.EmptyBox(), geom.Vec{}
		for k, h := range loop.Halves {
			points[k] = topo.Mesh.Positions[topo.From(h)]
			box = box.Extend(points[k])
			middle = middle.Add(points[k].Scale(1 / float64(len(points))))
		}
		n := geom.PolygonNormal(points)
		if diameter(box) < openingAcross*diameter(shell.Box) || n.Length()/2 < openingArea*shell.AreaMM2 {
			continue
		}
		n = n.Unit()
		if out := middle.Sub(shell.Box.Centre()); n.Dot(out) < 0 {
			n = n.Scale(-1)
		}
		o := Opening{i, n, diameter(box)}
		if withOthersInPlane(topo, loops, i, points, o) {
			continue
		}
		if n.Z < -0.7 {
			down++
		}
		large = append(large, o)
	}
	if len(large) == 1 && down == 1 {
		return nil
	}
	return large
}

// withOthersInPlane reports whether another rim lies in the plane of the i-th.
func withOthersInPlane(topo *mesh.Topology, loops []mesh.Loop, i int, points []geom.Vec, o Opening) bool {
	for j, other := range loops {
		if j == i {
			continue
		}
		away := 0.0
		for _, h := range other.Halves {
			away = max(away, math.Abs(topo.Mesh.Positions[topo.From(h)].Sub(points[0]).Dot(o.Normal)))
			if away > 1e-3*o.SizeMM {
				break
			}
		}
		if away <= 1e-3*o.SizeMM {
			return true
		}
	}
	return false
}

// closeOrLeave asks about the large openings.
func (s *Subject) closeOrLeave() Ask {
	q := Ask{ID: OpeningQuestion, Kind: OpeningQuestion, Text: "A large opening: is a face missing, or is it the mouth of something hollow?", Default: Close, Evidence: []string{},
		Choices: []Choice{
			{Answer: Close, Effect: "it is closed: the part is solid behind it", leaves: Error},
			{Answer: LeaveOpen, Effect: fmt.Sprintf("it stays open, and the skin gets %.2g mm of thickness inward, the thinnest wall that prints", s.Process.WallMM), leaves: Error},
		}}
	for _, o := range Openings(s.Topology, s.Shells, s.Loops, s.Process.WallMM) {
		way := "sideways"
		switch {
		case o.Normal.Z > 0.7:
			way = "up, like the mouth of a vessel"
		case o.Normal.Z < -0.7:
			way = "down"
		}
		q.Evidence = append(q.Evidence, fmt.Sprintf("an opening %.3g mm across faces %s", o.SizeMM, way))
	}
	return q
}
