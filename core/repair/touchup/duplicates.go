package touchup

import (
	"context"
	"fmt"

	"veneer/core/check"
	"veneer/core/mesh"
)

var dropDuplicates = Step{
	Name: "drop-duplicates", Title: "Drop duplicate triangles",
	Why: func(r *check.Report) string { return counted(r.Geometry.Duplicates, "duplicate triangle") },
	Run: func(_ context.Context, w *Work) (Change, error) {
		list := mesh.NewTopology(w.Mesh).Duplicates()
		drop(w.Mesh, list)
		return Change{Count: len(list), Detail: counted(len(list), "copy", "copies") + " of triangles dropped, one of each kept"}, nil
	},
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
