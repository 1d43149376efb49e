package check

import (
	"cmp"
	"fmt"
	"math"
	"slices"

	"veneer/core/mesh"
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
			{Hollow, "they are turned to face inward: the part is empty there"},
			{Remove, "they are dropped: the part is solid there"},
		}
		return q
	},
}

var strayShell = Kind{
	Name: "stray-shell", Title: "Stray specks", Usual: Warning,
	What:   "A separate piece of surface is so small that it cannot print, or matters to nobody, beside the part proper.",
	Harm:   "It may come loose in the machine, and every layer through it costs time.",
	Action: "Specks whose longest side is under twice the thinnest wall that prints are reported.",
	sketch: sketches{"s M12 60V24l28-14 28 14v36z|B M82 20l5-5 3 6zM88 40l4-3 1 5z",
		"s M12 60V24l28-14 28 14v36z|n M80 12h14v14h-14zM84 34h12v12h-12z"},
	find: func(s *Subject) *Finding {
		limit := 2 * s.Process.WallMM
		largest := 0.0
		for _, shell := range s.Shells.List {
			largest = max(largest, diameter(shell.Box))
		}
		if largest < limit {
			return nil // then the part itself is small
		}
		f := s.shellsThat(func(shell mesh.Shell) bool {
			size := shell.Box.Size()
			return max(size.X, size.Y, size.Z) < limit
		})
		f.Summary = fmt.Sprintf("%s smaller than %.3g mm", some(f.Count, "separate piece is", "separate pieces are"), limit)
		return f
	},
}

var sheet = Kind{
	Name: "sheet", Title: "Sheet without thickness", Usual: Error,
	What:   "A surface encloses nothing: it is a skin with air on both sides, or two skins on one another.",
	Harm:   "It has no inside to fill. Slicing software drops it, or prints a stray line.",
	Action: "It is reported: open shells that would be thinner than the thinnest wall if their rims were closed, and closed ones that enclose nothing.",
	sketch: sketches{"s M8 60V30h40v30z|b M48 30C62 16 78 36 94 22",
		"s M8 60V30h40v30z|n M48 30C62 16 78 36 94 22|t 72 56 listed"},
	find: func(s *Subject) *Finding {
		flat := s.sheets()
		f := &Finding{}
		for i := range s.Shells.List {
			if !flat[i] {
				continue
			}
			f.Count++
			if len(f.Places) < maxPlaces {
				f.Places = append(f.Places, s.shellPlace(int32(i)))
			}
		}
		f.PlacesTotal = f.Count
		f.Summary = fmt.Sprintf("%s nothing", some(f.Count, "surface encloses", "surfaces enclose"))
		return f
	},
}

// sheets tells which shells are sheets, by their mean thickness: twice the
// volume by the area, each open loop closed by a fan to its middle.
func (s *Subject) sheets() []bool {
	volume := make([]float64, len(s.Shells.List))
	for i, shell := range s.Shells.List {
		volume[i] = shell.VolumeMM3
	}
	for _, loop := range s.Loops {
		i := s.Shells.Of[loop.Halves[0]/3]
		o := s.Shells.List[i].Box.Centre()
		middle := s.Mesh.Positions[s.Topology.From(loop.Halves[0])].Sub(o).Scale(0)
		for _, h := range loop.Halves {
			middle = middle.Add(s.Mesh.Positions[s.Topology.From(h)].Sub(o).Scale(1 / float64(len(loop.Halves))))
		}
		for _, h := range loop.Halves {
			a, b := s.Mesh.Positions[s.Topology.From(h)].Sub(o), s.Mesh.Positions[s.Topology.To(h)].Sub(o)
			v := b.Dot(a.Cross(middle)) / 6
			if s.Shells.Flip != nil && s.Shells.Flip[h/3] {
				v = -v
			}
			volume[i] += v
		}
	}
	flat := make([]bool, len(volume))
	for i, shell := range s.Shells.List {
		if shell.AreaMM2 == 0 || !shell.Orientable {
			continue
		}
		t := 2 * math.Abs(volume[i]) / shell.AreaMM2
		flat[i] = shell.Closed && t < 1e-6*math.Sqrt(shell.AreaMM2) || !shell.Closed && t < s.Process.WallMM
	}
	return flat
}

var unweldedSeam = Kind{
	Name: "unwelded-seam", Title: "Seam that is not joined", Usual: Error,
	What:   "Two open edges lie on one another, closer than any printer resolves, but their corners are not the same points: the surface is cut there without a gap.",
	Harm:   "The part looks closed and is not. Slicing software may leave layers open along the seam.",
	Action: "The edges are joined by moving the corners of one side onto the other, by less than the distance named.",
	sketch: sketches{"s M8 15L47 22 47 55 8 62z|s M92 15L53 22 53 55 92 62z|b M47 22V55M53 22V55",
		"s M8 15L50 22 50 55 8 62zM92 15L50 22 50 55 92 62z|n M50 22V55"},
	find: func(s *Subject) *Finding {
		pairs := s.seams()
		f := &Finding{Count: len(pairs)}
		var triangles []int32
		for _, p := range pairs {
			triangles = append(triangles, p[0]/3, p[1]/3)
		}
		slices.Sort(triangles)
		f.Places = s.placesOf(slices.Compact(triangles))
		f.Summary = fmt.Sprintf("%s would close if points within %.2g mm were one", some(f.Count, "pair of open edges", "pairs of open edges"), SeamMM(diameter(s.Box)))
		return f
	},
}

// SeamMM is how close corners of open edges must lie to be meant as one, for a
// part of that diameter: a hundred-thousandth of it, and at most a hundredth mm.
func SeamMM(diameter float64) float64 { return min(1e-5*diameter, 0.01) }

// seams pairs boundary half-edges whose ends lie within SeamMM of one another.
func (s *Subject) seams() (pairs [][2]int32) {
	if len(s.Loops) == 0 {
		return nil
	}
	group := mesh.Near(s.Mesh, s.Loops, s.Topology, SeamMM(diameter(s.Box)))
	type edge struct {
		low, high int32
		half      int32
	}
	var edges []edge
	for _, loop := range s.Loops {
		for _, h := range loop.Halves {
			a, b := group[s.Topology.From(h)], group[s.Topology.To(h)]
			if a != b {
				edges = append(edges, edge{min(a, b), max(a, b), h})
			}
		}
	}
	slices.SortFunc(edges, func(x, y edge) int {
		return cmp.Or(cmp.Compare(x.low, y.low), cmp.Compare(x.high, y.high), cmp.Compare(x.half, y.half))
	})
	for i := 0; i < len(edges); {
		j := i
		for j < len(edges) && edges[j].low == edges[i].low && edges[j].high == edges[i].high {
			j++
		}
		if j-i == 2 {
			pairs = append(pairs, [2]int32{edges[i].half, edges[i+1].half})
		}
		i = j
	}
	return pairs
}
