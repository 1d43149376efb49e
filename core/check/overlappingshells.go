package check

import (
	"fmt"
	"slices"
)

var overlappingShells = Kind{
	Name: "overlapping-shells", Title: "Shells that overlap", Usual: Error,
	What:   "Two surfaces that are closed or open by themselves pass through each other or touch, as when parts were pushed together and never joined.",
	Harm:   "Their common region counts twice. Some slicing software fills it, some leaves it empty, some prints walls inside.",
	Action: "The pairs are listed with the place where they meet. Joining them into one skin is a person's decision.",
	sketch: sketches{"s M12 14h46v36h-46z|s M42 28h46v36h-46z|B M42 28h16v22h-16z",
		"s M12 14h46v36h-46z|s M42 28h46v36h-46z|n M42 28h16v22h-16z|t 80 20 listed"},
	find: func(s *Subject) *Finding {
		type pair struct{ a, b int32 }
		first := map[pair]int{} // by pair of shells: its place
		f := &Finding{}
		members := [][]int32{}
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
		return f
	},
}
