package check

import (
	"fmt"
	"slices"
)

// OverlappingShells is the question whether bodies that pass through each other
// are one part.
const OverlappingShells = "overlapping-shells"

// The answers to it.
const (
	Join  = "join"  // one skin around all
	Apart = "apart" // bodies of their own, as in an assembly of several colours
)

var overlappingShells = Kind{
	Name: OverlappingShells, Title: "Shells that overlap", Usual: Error,
	What:   "Two surfaces that are closed or open by themselves pass through each other or touch, as when parts were pushed together and never joined.",
	Harm:   "Their common region counts twice. Some slicing software fills it, some leaves it empty, some prints walls inside.",
	Action: "Their surfaces are cut along the line where they meet and joined into one skin; what lay inside is dropped. Where the file names the two as bodies of their own, a person is asked whether they are one part.",
	sketch: sketches{"s M12 14h46v36h-46z|s M42 28h46v36h-46z|B M42 28h16v22h-16z",
		"s M12 14h46v14h30v36h-46v-14h-30z|n M58 28h-16v22"},
	find: func(s *Subject) *Finding {
		type pair struct{ a, b int32 }
		first := map[pair]int{} // by pair of shells: its place
		f := &Finding{}
		members := [][]int32{}
		between := 0 // pairs of shells of different bodies
		for _, p := range s.Crossings.Pairs {
			a, b := s.Shells.Of[p[0]], s.Shells.Of[p[1]]
			if a == b {
				continue
			}
			key := pair{min(a, b), max(a, b)}
			i, known := first[key]
			if !known {
				i = len(members)
				first[key] = i
				members = append(members, nil)
				if s.bodyOf(a) != s.bodyOf(b) {
					between++
				}
			}
			if len(members[i]) < 4*maxTriangles {
				members[i] = append(members[i], p[0], p[1])
			}
		}
		for _, m := range members {
			slices.Sort(m)
			f.Places = append(f.Places, s.placeOf(slices.Compact(m)))
		}
		f.Count = len(members)
		f.Summary = fmt.Sprintf("%s each other", some(f.Count, "pair of shells overlaps", "pairs of shells overlap"))
		switch {
		case between == f.Count && between > 0:
			f.Severity = Question
		case between > 0:
			f.Summary += fmt.Sprintf("; of them %d between bodies that the file names", between)
		}
		return f
	},
	ask: (*Subject).joinOrApart,
}

// bodyOf is the body that a shell belongs to.
func (s *Subject) bodyOf(shell int32) int32 { return s.Mesh.Body(s.Shells.List[shell].First) }

// joinOrApart asks about bodies that overlap. Bodies of different colours are
// kept apart by default: joined, they could not be coloured by body.
func (s *Subject) joinOrApart() Ask {
	q := Ask{ID: OverlappingShells, Kind: OverlappingShells, Text: "Bodies of their own overlap. Are they one part?", Default: Join, Evidence: []string{},
		Choices: []Choice{
			{Answer: Join, Effect: "they are joined into one skin", leaves: Error},
			{Answer: Apart, Effect: "they stay bodies of their own, as they are; the slicing software must know what to do where they overlap"},
		}}
	if len(s.Mesh.Bodies) > 1 {
		q.Evidence = append(q.Evidence, fmt.Sprintf("the file names %d bodies", len(s.Mesh.Bodies)))
	}
	if s.Mesh.Colours == nil {
		return q
	}
	for _, p := range s.Crossings.Pairs {
		a, b := p[0], p[1]
		if s.Mesh.Body(a) != s.Mesh.Body(b) && s.Mesh.Colours[a] != s.Mesh.Colours[b] {
			q.Default = Apart
			q.Evidence = append(q.Evidence, "bodies that overlap differ in colour")
			break
		}
	}
	return q
}

// keptApart reports whether two triangles are of bodies that a person wants to
// keep apart, so that they may pass through each other.
func (s *Subject) keptApart() func(a, b int32) bool {
	if answer, _ := s.answer(s.joinOrApart()); answer != Apart {
		return func(_, _ int32) bool { return false }
	}
	return func(a, b int32) bool { return s.bodyOf(s.Shells.Of[a]) != s.bodyOf(s.Shells.Of[b]) }
}
