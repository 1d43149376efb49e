package touchup

import (
	"context"
	"fmt"
	"slices"

	"veneer/core/check"
	"veneer/core/mesh"
)

// dropDuplicates keeps one of each triangle that is there several times, and
// none of the walls between solids that lie face to face.
//
// Idea: two triangles on the same corners, back to back, may be a wall that two
// solids share. Such pairs that hang together are one wall; when all around it
// exactly two other triangles are left at each edge, and those face the same
// way, the surface is whole without it, and both its sides go. Else one of each
// is kept.
var dropDuplicates = Step{
	Name: "drop-duplicates", Title: "Drop duplicate triangles",
	Why: func(r *check.Report) string { return counted(r.Geometry.Duplicates, "duplicate triangle") },
	Run: func(_ context.Context, w *Work) (Change, error) {
		topo := w.Topology()
		list := topo.Duplicates()
		walls := sharedWalls(topo, list)
		gone := slices.Concat(list, walls)
		slices.Sort(gone)
		gone = slices.Compact(gone)
		drop(w.Mesh, gone)
		c := Change{Count: len(list)}
		copies := len(list) - len(walls)/2
		c.Detail = joined(counted(copies, "copy", "copies")+" of triangles dropped, one of each kept", copies > 0,
			counted(len(walls)/2, "pair")+" of triangles back to back dropped: a wall between solids", len(walls) > 0)
		return c, nil
	},
}

// sharedWalls lists both triangles of the pairs that make up walls between
// solids; duplicates are the later ones of all pairs.
func sharedWalls(topo *mesh.Topology, duplicates []int32) (out []int32) {
	pair := map[int32]int32{} // both ways
	for _, t := range duplicates {
		if u := backToBack(topo, t); u >= 0 {
			pair[t], pair[u] = u, t
		}
	}
	seen := map[int32]bool{}
	for _, first := range duplicates {
		if _, is := pair[first]; !is || seen[first] {
			continue
		}
		wall, whole, rim := []int32{first, pair[first]}, true, false
		seen[first], seen[pair[first]] = true, true
		for i := 0; i < len(wall); i++ {
			for h := 3 * wall[i]; h < 3*wall[i]+3; h++ {
				var rest []int32
				for _, g := range topo.Halves(topo.EdgeOf[h]) {
					u, is := pair[g/3]
					switch {
					case !is:
						rest = append(rest, g)
					case !seen[g/3]:
						seen[g/3], seen[u] = true, true
						wall = append(wall, g/3, u)
					}
				}
				if len(rest) == 2 && !topo.SameWay(rest[0], rest[1]) {
					rim = true
				} else if len(rest) > 0 {
					whole = false
				}
			}
		}
		if whole && rim {
			out = append(out, wall...)
		}
	}
	return out
}

// backToBack is the one other triangle on t's corners when it faces the other
// way; -1 when there is none, or more than one.
func backToBack(topo *mesh.Topology, t int32) int32 {
	found := int32(-1)
	h := 3 * t
	for _, g := range topo.Halves(topo.EdgeOf[h]) {
		if g/3 == t || topo.Opposite(g) != topo.Opposite(h) {
			continue
		}
		if found >= 0 || topo.SameWay(g, h) {
			return -1
		}
		found = g / 3
	}
	return found
}

// drop takes the listed triangles, in ascending order, out of the mesh.
func drop(m *mesh.Mesh, list []int32) {
	next := 0
	m.Keep(func(t int32) bool {
		if next < len(list) && list[next] == t {
			next++
			return false
		}
		return true
	})
}

// counted is "" for none, "1 hole" or "3 holes"; many is the plural when it is
// not one with an s.
func counted(n int, one string, many ...string) string {
	switch {
	case n == 0:
		return ""
	case n == 1:
		return "1 " + one
	case len(many) > 0:
		return fmt.Sprintf("%d %s", n, many[0])
	}
	return fmt.Sprintf("%d %ss", n, one)
}
