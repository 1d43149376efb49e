package check

import (
	"fmt"

	"veneer/core/mesh"
)

// NotOrientable is the question what to do with surfaces without an outside
// beside others; its answers are Remove and Keep.
const NotOrientable = "not-orientable"

var notOrientable = Kind{
	Name: NotOrientable, Title: "Surface without an outside", Usual: Error,
	What:   "The surface is twisted into itself, like a band with a half turn: following it around brings you out on its other side.",
	Harm:   "There is no inside to fill, whichever way the triangles are turned.",
	Action: "No turning of triangles can mend it. Beside other shells a person is asked whether to remove it.",
	sketch: sketches{"s M10 40C30 5 70 5 90 40 70 30 60 30 50 40 40 50 30 75 10 40|b M50 22C60 30 45 44 50 52",
		"s M10 40C30 5 70 5 90 40 70 30 60 30 50 40 40 50 30 75 10 40|d M50 22C60 30 45 44 50 52"},
	find: func(s *Subject) *Finding {
		f := s.shellsThat(func(shell mesh.Shell) bool { return !shell.Orientable })
		f.Summary = fmt.Sprintf("%s cannot be given an outside", some(f.Count, "shell", "shells"))
		f.asks = f.Count < len(s.Shells.List)
		return f
	},
	ask: func(s *Subject) Ask {
		return Ask{ID: NotOrientable, Kind: NotOrientable, Text: "A twisted surface belongs to the part and has no outside. Remove it?", Default: Remove,
			Evidence: []string{"no band with a half turn can bound a solid"},
			Choices: []Choice{
				{Answer: Remove, Effect: "it is taken away; the other shells stay", leaves: Error},
				{Answer: Keep, Effect: "it stays as it is: the part cannot be filled", leaves: Error},
			}}
	},
}

// shellsThat is a finding of the shells for which is holds.
func (s *Subject) shellsThat(is func(mesh.Shell) bool) *Finding {
	f := &Finding{}
	for i, shell := range s.Shells.List {
		if !is(shell) {
			continue
		}
		f.Count++
		if len(f.Places) < maxPlaces {
			f.Places = append(f.Places, s.shellPlace(int32(i)))
		}
	}
	f.PlacesTotal = f.Count
	return f
}

// shellPlace is the place of a whole shell.
func (s *Subject) shellPlace(i int32) Place {
	shell := s.Shells.List[i]
	p := Place{AtMM: roundAll(shell.Box.Centre()), SizeMM: round(diameter(shell.Box)), TrianglesTotal: shell.Triangles, low: shell.Box.Min.Z, high: shell.Box.Max.Z}
	for t := shell.First; len(p.Triangles) < min(shell.Triangles, maxTriangles); t++ {
		if s.Shells.Of[t] == i {
			p.Triangles = append(p.Triangles, t)
		}
	}
	return p
}
