package touchup

import (
	"context"
	"fmt"
	"math"
	"slices"

	"veneer/core/check"
	"veneer/core/geom"
	"veneer/core/mesh"
	"veneer/core/spatial"
)

// fill closes open boundaries with new triangles between their own vertices.
//
// A rim that is flat is triangulated in its plane, exactly, around the rims
// that lie in it the other way round: a missing face keeps its through-holes.
// Any other is closed by the triangulation of least area (Barequet & Sharir,
// "Filling Gaps in the Boundary of a Polyhedron", 1995: dynamic programming,
// O(n³)), long rims being cut along short chords first. No fill uses an edge
// that the surface already has, and none meets the surface or itself, which is
// tested exactly: triangles that do are forbidden and the search is made again,
// and when that does not help the rim is left open. What is curved and large is
// then refined and faired, see smoothed. A shell that would enclose next to nothing once closed is a sheet: its rims
// are left as they are, for no lid makes it solid.
var fill = Step{
	Name: "fill", Title: "Fill open boundaries",
	Why: func(r *check.Report) string { return counted(r.Geometry.BoundaryLoops, "open loop") },
	Run: func(ctx context.Context, w *Work) (Change, error) {
		topo, shells := w.topology()
		f := newFiller(w.Mesh, topo, shells)
		loops := topo.Loops()
		leave := map[int]bool{}
		if w.Report.Answers[check.OpeningQuestion] == check.LeaveOpen {
			for _, o := range check.Openings(topo, shells, loops, w.Process.WallMM) {
				leave[o.Loop] = true
			}
		}
		for i, loop := range loops {
			if leave[i] {
				f.mouths++
			} else {
				f.gather(loop)
			}
		}
		f.leaveSheets()
		if w.Report.Answers[check.SheetQuestion] == check.Thicken {
			for i, flat := range check.Sheets(topo, shells, loops, w.Process.WallMM) {
				f.sheet[i] = f.sheet[i] || flat
			}
		}
		f.fusing = w.Fusing
		return f.closeAll(ctx)
	},
}

func newFiller(m *mesh.Mesh, topo *mesh.Topology, shells *mesh.Shells) *filler {
	n := len(shells.List)
	return &filler{mesh: m, topo: topo, shells: shells, lids: make([][]lid, n), left: make([]int, n), sheet: make([]bool, n)}
}

// closeAll closes the rims that were gathered, as far as it can.
func (f *filler) closeAll(ctx context.Context) (Change, error) {
	f.findIslands()
	f.tunnels = f.pairTunnels()
	for i := range f.rims {
		if err := ctx.Err(); err != nil {
			return Change{}, err
		}
		f.close(ctx, &f.rims[i])
	}
	return f.apply(), nil
}

const (
	mostExact  = 600  // rim vertices up to which the least area is sought exactly
	mostOfMany = 150  // likewise, of the pieces that a longer rim is cut into
	mostTries  = 30   // searches for a lid that meets nothing
	mostWork   = 4e8  // steps that they may take together
	flatRim    = 1e-3 // a rim within this share of its size from its plane is flat
	sheetThin  = 5e-3 // a closed shell thinner than this share of its size is a sheet
)

// lid is what closes one rim.
type lid struct {
	triangles []mesh.Triangle
	like      int32 // a triangle at the rim: its body and colour
	rims      int   // that it closes
}

// rim is a simple closed walk of open edges, turned around: it runs as its lid
// does.
type rim struct {
	polygon []int32
	points  []geom.Vec
	beside  []int32 // triangles along it
	shell   int32
	like    int32
	normal  geom.Vec // of unit length
	area    float64
	flat    bool
	islands []int // other rims that lie in this one the other way round
	within  bool  // it is an island of another
}

type filler struct {
	tree    *spatial.Tree // of the surface, made when it is first needed
	rims    []rim
	mesh    *mesh.Mesh
	topo    *mesh.Topology
	shells  *mesh.Shells
	sheet   []bool            // by shell: it is one, and left as it is
	lids    [][]lid           // by shell
	left    []int             // rims not closed, by shell
	fusing  bool              // all that meets will be fused
	tunnels int               // pairs of rims joined by a wall
	mouths  int               // rims that a person wants left open
	members [][]int32         // triangles by shell, made when first needed
	near    map[int32][]int32 // of the rims' vertices: their neighbours, made when first needed
}

// gather takes in one loop, cut into rims where it visits a vertex twice.
func (f *filler) gather(loop mesh.Loop) {
	shell := f.shells.Of[loop.Halves[0]/3]
	walk := make([]int32, 0, len(loop.Halves))
	for i, h := range loop.Halves {
		next := loop.Halves[(i+1)%len(loop.Halves)]
		if !loop.Closed || f.topo.To(h) != f.topo.From(next) {
			f.left[shell]++ // the rim does not run one way, or ends: nothing to span
			return
		}
		walk = append(walk, f.topo.From(h))
	}
	for _, simple := range splitAtRepeats(walk) {
		r := rim{polygon: simple, shell: shell, like: loop.Halves[0] / 3}
		for _, h := range loop.Halves {
			r.beside = append(r.beside, h/3)
		}
		slices.Reverse(r.polygon)
		for _, v := range r.polygon {
			r.points = append(r.points, f.mesh.Positions[v])
		}
		n := geom.PolygonNormal(r.points)
		r.normal, r.area, r.flat = n.Unit(), n.Length()/2, flat(r.points)
		f.rims = append(f.rims, r)
	}
}

// findIslands gives each flat rim that lies in another of its plane, the other
// way round, to the smallest such one.
func (f *filler) findIslands() {
	for j := range f.rims {
		inner, best := &f.rims[j], -1
		for i := range f.rims {
			outer := &f.rims[i]
			if i == j || !inner.flat || !outer.flat || outer.area <= inner.area || outer.normal.Dot(inner.normal) > -0.999 {
				continue
			}
			away := inner.points[0].Sub(outer.points[0]).Dot(outer.normal)
			if math.Abs(away) > flatRim*math.Sqrt(outer.area) || best >= 0 && f.rims[best].area <= outer.area {
				continue
			}
			if geom.Within(geom.FlattenAlong(outer.normal, inner.points[:1])[0], geom.FlattenAlong(outer.normal, outer.points)) {
				best = i
			}
		}
		if best >= 0 {
			inner.within = true
			f.rims[best].islands = append(f.rims[best].islands, j)
		}
	}
}

// close makes a lid for one rim.
func (f *filler) close(ctx context.Context, r *rim) {
	if f.sheet[r.shell] || r.within { // the rim around an island takes care of it
		return
	}
	triangles := f.span(ctx, r)
	if triangles == nil && f.fusing { // what other shells a lid meets is settled afterwards
		whole := f.tree
		f.tree = f.treeOfShell(r.shell)
		triangles = f.span(ctx, r)
		f.tree = whole
	}
	if triangles == nil {
		f.left[r.shell] += 1 + len(r.islands)
		return
	}
	f.lids[r.shell] = append(f.lids[r.shell], lid{triangles, r.like, 1 + len(r.islands)})
}

// treeOfShell stands over one shell.
func (f *filler) treeOfShell(shell int32) *spatial.Tree {
	if f.members == nil {
		f.members = make([][]int32, len(f.shells.List))
		for t, s := range f.shells.Of {
			if s >= 0 {
				f.members[s] = append(f.members[s], int32(t))
			}
		}
	}
	own := &mesh.Mesh{Positions: f.mesh.Positions}
	for _, t := range f.members[shell] {
		own.Triangles = append(own.Triangles, f.mesh.Triangles[t])
	}
	return treeOf(own)
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

// span finds a lid that meets nothing; nil when it finds none.
func (f *filler) span(ctx context.Context, r *rim) []mesh.Triangle {
	if r.flat && (len(r.islands) > 0 || !f.bulges(r)) {
		if lid := f.spanFlat(r); lid != nil && len(f.meeting(lid)) == 0 {
			return lid
		}
		if len(r.islands) > 0 {
			return nil
		}
	}
	n := len(r.polygon)
	most := mostExact
	if n > mostExact { // too long for the search: seen from above, it may well be simple
		if lid := f.spanFlat(r); lid != nil && len(f.meeting(lid)) == 0 {
			return f.smoothedOr(ctx, r, lid)
		}
		most = mostOfMany
	}
	forbidden := map[mesh.Triangle]bool{}
	for try := 0; try < mostTries && float64(try)*float64(n*n)*float64(min(n, mostExact))/6 < mostWork; try++ {
		lid := f.spanCurved(r.polygon, most, forbidden)
		if lid == nil {
			return nil
		}
		bad := f.meeting(lid)
		if len(bad) == 0 {
			return f.smoothedOr(ctx, r, lid)
		}
		for _, i := range bad {
			forbidden[lid[i]] = true
		}
	}
	return nil
}

// smoothedOr is the lid refined and faired, or the lid itself where the surface
// ends steeply at the rim, as at the end of a pipe, or the smooth one meets
// something.
func (f *filler) smoothedOr(ctx context.Context, r *rim, lid []mesh.Triangle) []mesh.Triangle {
	if mean, _ := f.lean(r); mean < gentle {
		return lid
	}
	kept := len(f.mesh.Positions)
	smooth := f.smoothed(ctx, r.polygon, lid)
	if smooth != nil && len(f.meeting(smooth)) == 0 {
		return smooth
	}
	f.mesh.Positions = f.mesh.Positions[:kept]
	return lid
}

// gentle is how much the surface around a rim faces as its lid does, by the
// cosine, for its curvature to run on through the lid.
const gentle = 0.6

// lean is how the surface around a rim faces beside its lid: the mean cosine,
// and how many of its triangles lean at all.
func (f *filler) lean(r *rim) (mean float64, leaning int) {
	for _, t := range r.beside {
		n := f.mesh.AreaNormal(t).Unit().Dot(r.normal)
		mean += n / float64(len(r.beside))
		if n < 0.9995 {
			leaning++
		}
	}
	return mean, leaning
}

// bulges reports whether the surface around a flat rim leans over it, as around
// a hole in a ball: then a flat lid would cut the bulge off.
func (f *filler) bulges(r *rim) bool {
	mean, leaning := f.lean(r)
	return mean > gentle && 2*leaning > len(r.beside)
}

// around lists the neighbours of a rim's vertex on the surface.
func (f *filler) around(v int32) []int32 {
	if f.near == nil {
		f.near = map[int32][]int32{}
		for _, r := range f.rims {
			for _, v := range r.polygon {
				f.near[v] = []int32{}
			}
		}
		for e := range int32(f.topo.Edges()) {
			h := f.topo.Halves(e)[0]
			a, b := f.topo.From(h), f.topo.To(h)
			if list, is := f.near[a]; is {
				f.near[a] = append(list, b)
			}
			if list, is := f.near[b]; is {
				f.near[b] = append(list, a)
			}
		}
	}
	return f.near[v]
}

// spanFlat triangulates a flat rim in its plane, around its islands.
func (f *filler) spanFlat(r *rim) []mesh.Triangle {
	all := slices.Clone(r.polygon)
	outline := geom.FlattenAlong(r.normal, r.points)
	flat := slices.Clone(outline)
	var holes [][][2]float64
	for _, j := range r.islands {
		island := f.rims[j]
		hole := geom.FlattenAlong(r.normal, island.points)
		holes, flat, all = append(holes, hole), append(flat, hole...), append(all, island.polygon...)
	}
	corners, ok := geom.Bridge(outline, holes)
	if !ok {
		return nil
	}
	points := make([][2]float64, len(corners))
	polygon := make([]int32, len(corners))
	for i, c := range corners {
		points[i], polygon[i] = flat[c], all[c]
	}
	cut, ok := geom.Triangulate(points, func(i, j int) bool { return polygon[i] != polygon[j] && f.topo.Triangles(polygon[i], polygon[j]) == 0 })
	if !ok {
		return nil
	}
	return named(polygon, cut)
}

// spanCurved is the lid of least area without the forbidden triangles.
func (f *filler) spanCurved(polygon []int32, most int, forbidden map[mesh.Triangle]bool) []mesh.Triangle {
	points := make([]geom.Vec, len(polygon))
	for i, v := range polygon {
		points[i] = f.mesh.Positions[v]
	}
	allowed := func(i, j int) bool { return f.topo.Triangles(polygon[i], polygon[j]) == 0 }
	if len(polygon) > most {
		i, j, ok := shortChord(points, allowed)
		if !ok {
			return nil
		}
		first := f.spanCurved(polygon[i:j+1], most, forbidden)
		second := f.spanCurved(append(slices.Clone(polygon[j:]), polygon[:i+1]...), most, forbidden)
		if first == nil || second == nil {
			return nil
		}
		return append(first, second...)
	}
	return named(polygon, leastArea(points, allowed, func(i, k, j int) bool {
		return len(forbidden) > 0 && forbidden[mesh.Triangle{polygon[i], polygon[k], polygon[j]}]
	}))
}

// meeting lists the lid's triangles that meet the surface or each other.
func (f *filler) meeting(lid []mesh.Triangle) (bad []int) {
	if f.tree == nil {
		f.tree = treeOf(f.mesh)
	}
	f.tree.Mesh.Positions = f.mesh.Positions // lids bring points of their own
	own := &mesh.Mesh{Positions: f.mesh.Positions, Triangles: lid}
	found := make([]bool, len(lid))
	for i, v := range lid {
		found[i] = !own.ZeroArea(int32(i)) && f.tree.Meets(v)
	}
	among, err := treeOf(own).Crossings(context.Background(), len(lid), nil)
	if err == nil { // the context is never cancelled
		for _, p := range among.Pairs {
			found[p[0]], found[p[1]] = true, true
		}
	}
	for i, is := range found {
		if is {
			bad = append(bad, i)
		}
	}
	return bad
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
// have the smallest total area; nil when the forbidden chords and triangles
// leave none.
func leastArea(points []geom.Vec, allowed func(i, j int) bool, forbidden func(i, k, j int) bool) [][3]int32 {
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
					if sum += points[k].Sub(points[i]).Cross(points[j].Sub(points[i])).Length() / 2; sum < best && !forbidden(i, k, j) {
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

// apply adds the lids, shell by shell.
func (f *filler) apply() Change {
	c := Change{}
	added, left, sheets := 0, 0, 0
	for _, r := range f.rims {
		if f.sheet[r.shell] {
			sheets++
		}
	}
	for i, lids := range f.lids {
		left += f.left[i]
		for _, l := range lids {
			first := int32(len(f.mesh.Triangles))
			f.mesh.Append(l.like, l.triangles...)
			for t := first; t < int32(len(f.mesh.Triangles)); t++ {
				c.FilledMM2 += f.mesh.AreaNormal(t).Length() / 2
			}
			added += len(l.triangles)
			c.Count += l.rims
		}
	}
	c.Detail = fmt.Sprintf("%s filled with %s", counted(c.Count, "hole"), counted(added, "triangle"))
	if f.tunnels > 0 {
		c.Detail += ", " + counted(f.tunnels, "pair") + " of them joined by a wall"
	}
	if sheets > 0 {
		c.Left = counted(sheets, "rim") + " left: closing a sheet encloses nothing"
	}
	if f.mouths > 0 {
		c.Left = joined(c.Left, c.Left != "", counted(f.mouths, "rim")+" left open, as answered", true)
	}
	if left > 0 {
		c.Left = joined(c.Left, c.Left != "", counted(left, "rim")+" left: every lid would share an edge with the surface or meet it", true)
	}
	return c
}

// leaveSheets marks the shells that would enclose next to nothing if each rim
// were closed by a fan: a mean thickness 2·volume/area small against the size.
func (f *filler) leaveSheets() {
	volume, area := make([]float64, len(f.sheet)), make([]float64, len(f.sheet))
	for i, shell := range f.shells.List {
		volume[i], area[i] = shell.VolumeMM3, shell.AreaMM2
	}
	for _, r := range f.rims {
		o := f.shells.List[r.shell].Box.Centre()
		for i := 2; i < len(r.points); i++ {
			a, b, c := r.points[0], r.points[i-1], r.points[i]
			n := b.Sub(a).Cross(c.Sub(a))
			area[r.shell] += n.Length() / 2
			volume[r.shell] += a.Sub(o).Dot(n) / 6
		}
	}
	for _, r := range f.rims {
		size := f.shells.List[r.shell].Box.Size().Length()
		f.sheet[r.shell] = f.left[r.shell] == 0 && 2*math.Abs(volume[r.shell]) <= sheetThin*size*area[r.shell]
	}
}
