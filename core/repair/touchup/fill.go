package touchup

import (
	"context"
	"fmt"
	"math"

	"veneer/core/check"
	"veneer/core/geom"
	"veneer/core/mesh"
)

// fill closes open boundaries with new triangles between their own vertices.
//
// A rim that is flat is triangulated in its plane, exactly; any other by the
// triangulation of least area (Barequet & Sharir, "Filling Gaps in the Boundary
// of a Polyhedron", 1995: dynamic programming, O(n³)), long rims being cut
// along short chords first. No fill uses an edge that the surface already has.
// A shell that would enclose next to nothing once closed is a sheet: its rims
// are left as they are, for no lid makes it solid.
var fill = Step{
	Name: "fill", Title: "Fill open boundaries",
	Why: func(r *check.Report) string { return counted(r.Geometry.BoundaryLoops, "open loop") },
	Run: func(ctx context.Context, w *Work) (Change, error) {
		topo, shells := w.topology()
		f := &filler{mesh: w.Mesh, topo: topo, shells: shells, lids: make([][]lid, len(shells.List)), left: make([]int, len(shells.List))}
		for _, loop := range topo.Loops() {
			if err := ctx.Err(); err != nil {
				return Change{}, err
			}
			f.close(loop)
		}
		return f.apply(), nil
	},
}

const (
	mostExact = 300  // rim vertices up to which the least area is sought exactly
	flatRim   = 1e-3 // a rim within this share of its size from its plane is flat
	sheetThin = 5e-3 // a closed shell thinner than this share of its size is a sheet
)

// lid is what closes one rim.
type lid struct {
	triangles []mesh.Triangle
	like      int32 // a triangle at the rim: its body and colour
}

type filler struct {
	mesh   *mesh.Mesh
	topo   *mesh.Topology
	shells *mesh.Shells
	lids   [][]lid // by shell
	left   []int   // rims not closed, by shell
}

// close makes lids for one loop, cut into pieces where it visits a vertex twice.
func (f *filler) close(loop mesh.Loop) {
	shell := f.shells.Of[loop.Halves[0]/3]
	like := loop.Halves[0] / 3
	rim := make([]int32, 0, len(loop.Halves))
	for i, h := range loop.Halves {
		next := loop.Halves[(i+1)%len(loop.Halves)]
		if !loop.Closed || f.topo.To(h) != f.topo.From(next) {
			f.left[shell]++ // the rim does not run one way, or ends: nothing to span
			return
		}
		rim = append(rim, f.topo.From(h))
	}
	for _, simple := range splitAtRepeats(rim) {
		if triangles := f.span(simple); triangles != nil {
			f.lids[shell] = append(f.lids[shell], lid{triangles, like})
		} else {
			f.left[shell]++
		}
	}
}

// splitAtRepeats cuts a closed walk into walks that visit no vertex twice.
func splitAtRepeats(walk []int32) (simple [][]int32) {
	var stack []int32
	at := map[int32]int{}
	for _, v := range walk {
		if from, again := at[v]; again {
			piece := append([]int32(nil), stack[from:]...)
			for _, w := range piece {
				delete(at, w)
			}
			stack = stack[:from]
			if len(piece) > 2 {
				simple = append(simple, piece)
			}
		}
		at[v] = len(stack)
		stack = append(stack, v)
	}
	if len(stack) > 2 {
		simple = append(simple, stack)
	}
	return simple
}

// span triangulates a simple rim; nil when it cannot. The rim's half-edges run
// along it, so the lid runs against it.
func (f *filler) span(rim []int32) []mesh.Triangle {
	n := len(rim)
	polygon := make([]int32, n)
	points := make([]geom.Vec, n)
	for i := range rim {
		polygon[i] = rim[n-1-i]
		points[i] = f.mesh.Positions[polygon[i]]
	}
	allowed := func(i, j int) bool { return f.topo.Triangles(polygon[i], polygon[j]) == 0 }
	if flat(points) || n > mostExact {
		if cut, ok := geom.Triangulate(geom.Flatten(points), allowed); ok {
			return named(polygon, cut)
		}
	}
	if n > mostExact {
		i, j, ok := shortChord(points, allowed)
		if !ok {
			return nil
		}
		// polygon runs against the rim, and span turns what it is given around again.
		first := f.span(reversed(polygon[i : j+1]))
		second := f.span(reversed(append(append([]int32(nil), polygon[j:]...), polygon[:i+1]...)))
		if first == nil || second == nil {
			return nil
		}
		return append(first, second...)
	}
	return named(polygon, leastArea(points, allowed))
}

func reversed(v []int32) []int32 {
	r := make([]int32, len(v))
	for i := range v {
		r[i] = v[len(v)-1-i]
	}
	return r
}

func named(polygon []int32, cut [][3]int32) (triangles []mesh.Triangle) {
	for _, t := range cut {
		triangles = append(triangles, mesh.Triangle{polygon[t[0]], polygon[t[1]], polygon[t[2]]})
	}
	return triangles
}

// flat reports whether the points lie close to their common plane.
func flat(points []geom.Vec) bool {
	n := geom.PolygonNormal(points).Unit()
	box := geom.EmptyBox()
	low, high := math.Inf(1), math.Inf(-1)
	for _, p := range points {
		d := p.Sub(points[0]).Dot(n)
		low, high = min(low, d), max(high, d)
		box = box.Extend(p)
	}
	return high-low <= flatRim*box.Size().Length()
}

// shortChord finds the shortest allowed chord that leaves at least a third of
// the rim on either side. O(n²).
func shortChord(points []geom.Vec, allowed func(i, j int) bool) (from, to int, ok bool) {
	n := len(points)
	shortest := math.Inf(1)
	for i := range n {
		for j := i + n/3; j < n && j-i <= n-n/3; j++ {
			d := points[i].Sub(points[j])
			if l := d.Dot(d); l < shortest && allowed(i, j) {
				from, to, ok, shortest = i, j, true, l
			}
		}
	}
	return from, to, ok
}

// leastArea is the triangulation of a closed polygon in space whose triangles
// have the smallest total area; nil when the forbidden chords leave none.
func leastArea(points []geom.Vec, allowed func(i, j int) bool) [][3]int32 {
	n := len(points)
	area := make([]float64, n*n) // of the best triangulation of i..j
	apex := make([]int32, n*n)
	for span := 2; span < n; span++ {
		for i := 0; i+span < n; i++ {
			j := i + span
			best, at := math.Inf(1), int32(-1)
			if span == n-1 || allowed(i, j) {
				for k := i + 1; k < j; k++ {
					sum := area[i*n+k] + area[k*n+j]
					if sum >= best {
						continue
					}
					if sum += points[k].Sub(points[i]).Cross(points[j].Sub(points[i])).Length() / 2; sum < best {
						best, at = sum, int32(k)
					}
				}
			}
			area[i*n+j], apex[i*n+j] = best, at
		}
	}
	if apex[n-1] < 0 {
		return nil
	}
	cut := make([][3]int32, 0, n-2)
	stack := [][2]int32{{0, int32(n - 1)}}
	for len(stack) > 0 {
		s := stack[len(stack)-1]
		stack = stack[:len(stack)-1]
		if s[1]-s[0] < 2 {
			continue
		}
		k := apex[int(s[0])*n+int(s[1])]
		cut = append(cut, [3]int32{s[0], k, s[1]})
		stack = append(stack, [2]int32{s[0], k}, [2]int32{k, s[1]})
	}
	return cut
}

// apply adds the lids, shell by shell, except to sheets.
func (f *filler) apply() Change {
	c := Change{}
	added, left, sheets := 0, 0, 0
	for i, lids := range f.lids {
		left += f.left[i]
		if len(lids) == 0 {
			continue
		}
		if f.left[i] == 0 && f.isSheet(int32(i)) {
			sheets += len(lids)
			continue
		}
		for _, l := range lids {
			f.mesh.Append(l.like, l.triangles...)
			added += len(l.triangles)
			c.Count++
		}
	}
	c.Detail = fmt.Sprintf("%s filled with %s", counted(c.Count, "hole"), counted(added, "triangle"))
	if sheets > 0 {
		c.Left = counted(sheets, "rim") + " left: closing a sheet encloses nothing"
	}
	if left > 0 {
		c.Left = joined(c.Left, c.Left != "", counted(left, "rim")+" left: it cannot be spanned without sharing an edge", true)
	}
	return c
}

// isSheet reports whether the shell, its lids on, would enclose next to
// nothing: its mean thickness 2·volume/area against its size.
func (f *filler) isSheet(i int32) bool {
	shell := f.shells.List[i]
	o := shell.Box.Centre()
	volume, area := shell.VolumeMM3, shell.AreaMM2
	for _, l := range f.lids[i] {
		for _, t := range l.triangles {
			a, b, c := f.mesh.Positions[t[0]], f.mesh.Positions[t[1]], f.mesh.Positions[t[2]]
			n := b.Sub(a).Cross(c.Sub(a))
			area += n.Length() / 2
			volume += a.Sub(o).Dot(n) / 6
		}
	}
	return 2*math.Abs(volume) <= sheetThin*shell.Box.Size().Length()*area
}
