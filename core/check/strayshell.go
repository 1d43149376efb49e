package check

import (
	"fmt"

	"veneer/core/mesh"
	"veneer/core/process"
	"veneer/core/spatial"
)

// StrayShell is the question whether a small piece beside the part is to be
// printed at all.
const StrayShell = "stray-shell"

// The answers to it.
const (
	Print = "print" // it belongs to what the customer wants
	Drop  = "drop"  // it is left over
)

// looseShare is how small a closed piece must be beside the largest one, by the
// diagonals of their boxes, that a person is asked about it.
const looseShare = 1. / 25

var strayShell = Kind{
	Name: StrayShell, Title: "Stray pieces", Usual: Warning,
	What:   "A separate piece of surface is so small that it cannot print, or that it hardly matters beside the part proper.",
	Harm:   "It may come loose in the machine, and every layer through it costs time.",
	Action: "Specks whose longest side is under twice the thinnest wall that prints are reported; when the part is repaired, those that are finer than the process shows, or broken, are taken away. About a loose piece that could print, yet is under a twenty-fifth of its size, a person is asked.",
	sketch: sketches{"s M12 60V24l28-14 28 14v36z|B M82 20l5-5 3 6zM88 40l4-3 1 5z",
		"s M12 60V24l28-14 28 14v36z|n M80 12h14v14h-14zM84 34h12v12h-12z"},
	find: func(s *Subject) *Finding {
		specks, loose := s.strays()
		among := map[int32]bool{}
		for _, i := range append(specks, loose...) {
			among[s.Shells.List[i].First] = true
		}
		f := s.shellsThat(func(shell mesh.Shell) bool { return among[shell.First] })
		if len(specks) > 0 {
			f.Summary = fmt.Sprintf("%s smaller than %.3g mm", some(len(specks), "separate piece is", "separate pieces are"), SpeckMM(s.Process))
		}
		if len(loose) > 0 {
			f.Severity = Question
			if f.Summary != "" {
				f.Summary += "; "
			}
			f.Summary += fmt.Sprintf("%s by a part twenty-five times as large or more", some(len(loose), "loose piece lies", "loose pieces lie"))
		}
		return f
	},
	ask: func(s *Subject) Ask {
		_, loose := s.strays()
		largest := 0.0
		for _, i := range loose {
			largest = max(largest, diameter(s.Shells.List[i].Box))
		}
		return Ask{ID: StrayShell, Kind: StrayShell, Text: "Small loose pieces lie beside the part. Print them?", Default: Print,
			Evidence: []string{fmt.Sprintf("the largest of %s is %.3g mm across", some(len(loose), "loose piece", "loose pieces"), largest)},
			Choices: []Choice{
				{Answer: Print, Effect: "they stay as they are", leaves: Warning},
				{Answer: Drop, Effect: "they are taken away", leaves: Error},
			}}
	},
}

// SpeckMM is the longest side below which a piece cannot print.
func SpeckMM(p process.Process) float64 { return 2 * p.WallMM }

func (s *Subject) strays() (specks, loose []int32) {
	return Strays(s.Mesh, s.Shells, s.Crossings.Pairs, s.Process)
}

// Strays lists the shells that are too small to print by a process, and the
// closed ones that could, but lie loose beside a part many times as large and
// have no name of their own. pairs are the triangles that meet.
func Strays(m *mesh.Mesh, shells *mesh.Shells, pairs []spatial.Pair, p process.Process) (specks, loose []int32) {
	largest, named := 0.0, map[int32]int{}
	body := func(shell int) int32 { return m.Body(shells.List[shell].First) }
	for i, shell := range shells.List {
		largest = max(largest, diameter(shell.Box))
		named[body(i)]++
	}
	limit := SpeckMM(p)
	if largest < limit {
		return nil, nil // then the part itself is small
	}
	meets := make([]bool, len(shells.List))
	for _, p := range pairs {
		if a, b := shells.Of[p[0]], shells.Of[p[1]]; a != b {
			meets[a], meets[b] = true, true
		}
	}
	for i, shell := range shells.List {
		size := shell.Box.Size()
		switch {
		case max(size.X, size.Y, size.Z) < limit:
			specks = append(specks, int32(i))
		case shell.Closed && shell.Depth == 0 && shell.VolumeMM3 != 0 && !meets[i] && diameter(shell.Box) < looseShare*largest &&
			(len(m.Bodies) < 2 || named[body(i)] > 1):
			loose = append(loose, int32(i))
		}
	}
	return specks, loose
}
