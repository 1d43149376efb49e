package check

import (
	"fmt"
	"math"

	"veneer/core/mesh"
)

// NestedShell is the question what a solid within a solid is meant to be.
const NestedShell = "nested-shell"

// The answers to it.
const (
	Hollow = "hollow" // turn it inward: a cavity
	Remove = "remove" // drop it: solid throughout
)

// solidInSolid reports whether a shell lies in another and faces outward like
// it, so that nobody can tell whether it bounds a cavity.
func solidInSolid(shell mesh.Shell) bool { return shell.InsideOut() && shell.Depth%2 == 1 }

var nestedShell = Kind{
	Name: NestedShell, Title: "Shell within a shell", Usual: Warning,
	What:   "A closed surface lies wholly inside another. Facing inward it bounds a hollow; facing outward it is a solid within a solid, and may be a hollow drawn wrongly, or left over.",
	Harm:   "A hollow traps resin or powder. A solid within a solid is filled by some slicing software and left empty by other.",
	Action: "Hollows are reported. For a solid within a solid a person is asked: turn it into a hollow, or remove it.",
	sketch: sketches{"s M10 8h80v56h-80z|B M32 22h36v28h-36z|t 50 40 ?",
		"s M10 8h80v56h-80z|N M32 22h36v28h-36z|t 50 40 hollow"},
	find: func(s *Subject) *Finding {
		f := s.shellsThat(func(shell mesh.Shell) bool { return shell.Closed && shell.Depth > 0 })
		if f.Count == 0 {
			return nil
		}
		hollows, solids, volume := 0, 0, 0.0
		for _, shell := range s.Shells.List {
			switch {
			case !shell.Closed || shell.Depth == 0:
			case solidInSolid(shell):
				solids++
			case shell.Depth%2 == 1:
				hollows++
				volume += math.Abs(shell.VolumeMM3)
			}
		}
		switch {
		case solids > 0:
			f.Severity = Question
			f.Summary = fmt.Sprintf("%s: hollow, or left over", some(solids, "shell lies in another and faces outward like it", "shells lie in others and face outward like them"))
		default:
			f.Summary = fmt.Sprintf("%s in a solid, %.4g cm³ in all", some(hollows, "hollow", "hollows"), volume/1000)
			if islands := f.Count - hollows; islands > 0 {
				f.Summary += fmt.Sprintf("; %s in a hollow", some(islands, "loose solid lies", "loose solids lie"))
			}
		}
		return f
	},
	ask: func(s *Subject) Ask {
		q := Ask{ID: NestedShell, Kind: NestedShell, Text: "Solids lie within a solid. Are they hollows, or left over?", Default: Remove, Evidence: []string{}}
		inner, outer := 0.0, 0.0
		for _, shell := range s.Shells.List {
			if solidInSolid(shell) {
				inner += math.Abs(shell.VolumeMM3)
				outer = max(outer, math.Abs(s.Shells.List[shell.Inside].VolumeMM3))
			}
		}
		if outer > 0 {
			share := inner / outer
			q.Evidence = append(q.Evidence, fmt.Sprintf("they take %.0f %% of the solid around them", 100*share))
			if share >= 0.2 { // large inner skins are drawn for hollows; small ones are left over
				q.Default = Hollow
			}
		}
		q.Choices = []Choice{
			{Answer: Hollow, Effect: "they are turned to face inward: the part is empty there"},
			{Answer: Remove, Effect: "they are dropped: the part is solid there"},
		}
		return q
	},
}
