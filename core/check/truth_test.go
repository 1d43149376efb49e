package check

import (
	"fmt"
	"maps"
	"math"
	"math/big"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"veneer/core/geom"
	"veneer/core/mesh"
	"veneer/core/mesh/meshtest"
)

// ball is a cube of n by n faces blown up to a sphere, or left as it is.
func ball(n int, size float64, round bool) *mesh.Mesh {
	m := &mesh.Mesh{}
	for axis := range 3 {
		for _, side := range []float64{-1, 1} {
			point := func(i, j int) geom.Vec {
				c := [3]float64{side, 2*float64(i)/float64(n) - 1, 2*float64(j)/float64(n) - 1}
				v := geom.Vec{X: c[(3-axis)%3], Y: c[(4-axis)%3], Z: c[(5-axis)%3]}
				if round {
					v = v.Unit()
				}
				return v.Scale(size).Single()
			}
			for i := range n {
				for j := range n {
					p := [4]geom.Vec{point(i, j), point(i+1, j), point(i+1, j+1), point(i, j+1)}
					if side < 0 {
						p[1], p[3] = p[3], p[1]
					}
					k := int32(len(m.Positions))
					m.Positions = append(m.Positions, p[:]...)
					m.Triangles = append(m.Triangles, mesh.Triangle{k, k + 1, k + 2}, mesh.Triangle{k, k + 2, k + 3})
				}
			}
		}
	}
	m.Weld()
	return m
}

// shapes are the good parts: none has a finding, overhangs aside.
func shapes() map[string]*mesh.Mesh {
	two := ball(14, 20, true)
	n := int32(len(two.Positions))
	other := ball(12, 15, true)
	for _, p := range other.Positions {
		two.Positions = append(two.Positions, p.Add(geom.Vec{X: 60}))
	}
	for _, v := range other.Triangles {
		two.Triangles = append(two.Triangles, mesh.Triangle{v[0] + n, v[1] + n, v[2] + n})
	}
	return map[string]*mesh.Mesh{
		"torus": torus(30),
		"ball":  ball(16, 30, true),
		"cube":  ball(16, 30, false),
		"two":   two,
		"ring": meshtest.Grid(60, 24, func(a, b float64) geom.Vec {
			r := 30 + 6*math.Cos(b)
			return geom.Vec{X: r * math.Cos(a), Y: 0.7 * r * math.Sin(a), Z: 9*math.Sin(b) + 4*math.Sin(3*a)}.Single()
		}),
		"knot": meshtest.Grid(160, 12, func(a, b float64) geom.Vec {
			r := 30 + 12*math.Cos(3*a)
			c := geom.Vec{X: r * math.Cos(2*a), Y: r * math.Sin(2*a), Z: 14 * math.Sin(3*a)}
			out := geom.Vec{X: math.Cos(2 * a), Y: math.Sin(2 * a)}
			return c.Add(out.Scale(4 * math.Cos(b))).Add(geom.Vec{Z: 4 * math.Sin(b)}).Single()
		}),
	}
}

// apart picks n triangles that share no vertex with one another or each
// other's neighbours.
func apart(m *mesh.Mesh, n int, r *rand.Rand) (picked []int32) {
	near := make([][]int32, len(m.Positions))
	for t, v := range m.Triangles {
		for _, i := range v {
			near[i] = append(near[i], int32(t))
		}
	}
	taken := make([]bool, len(m.Triangles))
	for _, t := range r.Perm(len(m.Triangles)) {
		if len(picked) == n {
			break
		}
		free := true
		var around []int32
		for _, i := range m.Triangles[t] {
			for _, u := range near[i] {
				for _, j := range m.Triangles[u] {
					around = append(around, near[j]...)
				}
			}
		}
		for _, u := range around {
			free = free && !taken[u]
		}
		if !free {
			continue
		}
		taken[t] = true
		picked = append(picked, int32(t))
	}
	return picked
}

// TestTruth damages every shape in every way, by one, a few, many and one in a
// hundred triangles, and wants exactly that found: each kind with its count,
// and nothing beside it.
func TestTruth(t *testing.T) {
	speck := func(m *mesh.Mesh, at geom.Vec, size float64, open bool) {
		n := int32(len(m.Positions))
		m.Positions = append(m.Positions, at, at.Add(geom.Vec{X: size}), at.Add(geom.Vec{Y: size}), at.Add(geom.Vec{Z: size}))
		m.Triangles = append(m.Triangles, mesh.Triangle{n, n + 2, n + 1})
		if !open {
			m.Triangles = append(m.Triangles, mesh.Triangle{n, n + 1, n + 3}, mesh.Triangle{n + 1, n + 2, n + 3}, mesh.Triangle{n, n + 3, n + 2})
		}
	}
	beside := func(i int) geom.Vec { return geom.Vec{X: 100 + 6*float64(i%20), Y: 6 * float64(i/20)} }
	damages := map[string]struct {
		do   func(m *mesh.Mesh, t int32, i int)
		each map[string]int // findings for each defect
	}{
		"missing":   {func(m *mesh.Mesh, t int32, _ int) { m.Triangles[t] = mesh.Triangle{} }, map[string]int{"open-boundary": 1, "degenerate-triangle": 1}},
		"flipped":   {func(m *mesh.Mesh, t int32, _ int) { m.Turn(t) }, map[string]int{"flipped-triangle": 1}},
		"twice":     {func(m *mesh.Mesh, t int32, _ int) { m.Append(t, m.Triangles[t]) }, map[string]int{"duplicate-triangle": 1, "non-manifold-edge": 3, "self-intersection": 1}},
		"back":      {func(m *mesh.Mesh, t int32, _ int) { v := m.Triangles[t]; m.Append(t, mesh.Triangle{v[1], v[0], v[2]}) }, map[string]int{"duplicate-triangle": 1, "non-manifold-edge": 3, "self-intersection": 1}},
		"collapsed": {func(m *mesh.Mesh, t int32, _ int) { v := m.Triangles[t]; m.Append(t, mesh.Triangle{v[0], v[1], v[1]}) }, map[string]int{"degenerate-triangle": 1}},
		"torn": {func(m *mesh.Mesh, t int32, _ int) { // out of its place by a hair, into itself
			a, b, c := m.Corners(t)
			middle := a.Add(b).Add(c).Scale(1. / 3)
			for i, v := range m.Triangles[t] {
				m.Positions = append(m.Positions, m.Positions[v].Lerp(middle, 1e-4))
				m.Triangles[t][i] = int32(len(m.Positions) - 1)
			}
		}, map[string]int{"open-boundary": 2, "unwelded-seam": 3, "sheet": 1, "stray-shell": -1}},
		"fin": {func(m *mesh.Mesh, t int32, _ int) { // stands off an edge
			a, b, c := m.Corners(t)
			n := b.Sub(a).Cross(c.Sub(a)).Unit()
			m.Positions = append(m.Positions, a.Lerp(b, 0.5).Add(n.Scale(2)))
			m.Append(t, mesh.Triangle{m.Triangles[t][0], m.Triangles[t][1], int32(len(m.Positions) - 1)})
		}, map[string]int{"non-manifold-edge": 1, "open-boundary": 1}},
		"speck": {func(m *mesh.Mesh, _ int32, i int) { speck(m, beside(i), 0.5, false) }, map[string]int{"stray-shell": 1}},
		"loose": {func(m *mesh.Mesh, _ int32, i int) { speck(m, beside(i), 4, true) }, map[string]int{"sheet": 1, "open-boundary": 1}},
		"turned": {func(m *mesh.Mesh, _ int32, i int) {
			speck(m, beside(i), 4, false)
			for k := range int32(4) {
				m.Turn(int32(len(m.Triangles)) - 1 - k)
			}
		}, map[string]int{"inside-out-shell": 1}},
		"pushed together": {func(m *mesh.Mesh, _ int32, i int) { // 2 by 2 faces cut: see below
			speck(m, beside(i), 4, false)
			speck(m, beside(i).Add(geom.Vec{X: 0.5, Y: 0.5, Z: -0.5}), 4, false)
		}, map[string]int{"overlapping-shells": 1, "self-intersection": -1}},
		"pinched": {func(m *mesh.Mesh, _ int32, i int) { // two that share a point
			speck(m, beside(i), 5, false)
			speck(m, beside(i).Add(geom.Vec{Z: 5}), 5, false)
		}, map[string]int{"non-manifold-vertex": 1}},
		"band": {func(m *mesh.Mesh, _ int32, i int) { // with half a twist
			const k = 12
			n := int32(len(m.Positions))
			for j := range k {
				a := 2 * math.Pi * float64(j) / k
				out, lean := geom.Vec{X: math.Cos(a), Y: math.Sin(a)}, math.Sin(a/2)
				edge := out.Scale(0.8 * math.Cos(a/2)).Add(geom.Vec{Z: 0.8 * lean})
				middle := beside(i).Add(out.Scale(2.2)).Add(geom.Vec{Z: 40})
				m.Positions = append(m.Positions, middle.Sub(edge).Single(), middle.Add(edge).Single())
			}
			for j := range int32(k) {
				a, b, c, d := n+2*j, n+2*j+1, n+2*j+2, n+2*j+3
				if j == k-1 {
					c, d = n+1, n
				}
				m.Triangles = append(m.Triangles, mesh.Triangle{a, b, c}, mesh.Triangle{b, d, c})
			}
		}, map[string]int{"not-orientable": 1, "open-boundary": 1}},
		"hollow": {func(m *mesh.Mesh, _ int32, i int) {
			speck(m, beside(i), 5, false)
			speck(m, beside(i).Add(geom.Vec{X: 1, Y: 1, Z: 1}), 1.5, false)
			for k := range int32(4) {
				m.Turn(int32(len(m.Triangles)) - 1 - k)
			}
		}, map[string]int{"nested-shell": 1, "stray-shell": -1}},
		"filled": {func(m *mesh.Mesh, _ int32, i int) {
			speck(m, beside(i), 5, false)
			speck(m, beside(i).Add(geom.Vec{X: 1, Y: 1, Z: 1}), 1.8, false)
		}, map[string]int{"nested-shell": 1, "inside-out-shell": 1}},
	}
	for name, m := range shapes() {
		require.Empty(t, counts(check(t, m)), name)
		for damage, d := range damages {
			for _, n := range []int{1, 4, 15, len(m.Triangles) / 100} {
				t.Run(fmt.Sprintf("%s, %s %d", name, damage, n), func(t *testing.T) {
					t.Parallel()
					bad := m.Clone()
					picked := apart(bad, n, rand.New(rand.NewPCG(uint64(n), 3)))
					require.Len(t, picked, n)
					for i, p := range picked {
						d.do(bad, p, i)
					}
					bad.Weld()
					want := map[string]int{}
					for kind, each := range d.each {
						want[kind] = n * each
					}
					got := counts(check(t, bad))
					for kind, each := range d.each { // how many pairs cross is the tree's business, which has an oracle
						if each < 0 {
							delete(want, kind)
							delete(got, kind)
						}
					}
					maps.DeleteFunc(got, func(kind string, _ int) bool { return kind == "thin-wall" || kind == "fine-detail" || kind == "sliver" })
					assert.Equal(t, want, got)
				})
			}
		}
	}
}

// TestNesting puts blocks into blocks: hollows, a solid in a hollow, a solid in
// a solid, each called what it is.
func TestNesting(t *testing.T) {
	inside := func(shells ...float64) *mesh.Mesh { // sizes; negative ones face inward
		m := &mesh.Mesh{}
		for _, size := range shells {
			b := ball(4, math.Abs(size), false)
			n := int32(len(m.Positions))
			m.Positions = append(m.Positions, b.Positions...)
			for _, v := range b.Triangles {
				if size < 0 {
					v[1], v[2] = v[2], v[1]
				}
				m.Triangles = append(m.Triangles, mesh.Triangle{v[0] + n, v[1] + n, v[2] + n})
			}
		}
		return m
	}
	set := settings(t)
	set.Process.NeedsDrains = true
	run := func(m *mesh.Mesh, answers map[string]string) *Report {
		set.Answers = answers
		r, err := Run(t.Context(), m, set)
		require.NoError(t, err)
		return r
	}
	r := run(inside(40, -20), nil)
	assert.Equal(t, Pass, r.Verdict)
	assert.Equal(t, map[string]int{"nested-shell": 1, "trapped-volume": 1}, counts(r))
	assert.InDelta(t, (80*80*80-40*40*40)/1000*set.Process.DensityGCM3, r.Material.Grams, 1e-6)
	r = run(inside(40, -20, 10), nil)
	assert.Equal(t, map[string]int{"nested-shell": 2, "trapped-volume": 1}, counts(r))
	assert.Contains(t, r.Findings[0].Summary, "1 loose solid lies in a hollow")
	r = run(inside(40, 30), nil)
	assert.Equal(t, Hold, r.Verdict)
	assert.Equal(t, Hollow, r.Questions[0].Default, "large inner skins are drawn for hollows")
	assert.Equal(t, map[string]int{"nested-shell": 1, "inside-out-shell": 1}, counts(r))
	r = run(inside(40, 5), nil)
	assert.Equal(t, Remove, r.Questions[0].Default)
	r = run(inside(40, 5), map[string]string{NestedShell: Hollow})
	assert.Equal(t, Repair, r.Verdict)
	assert.Equal(t, Hollow, r.Answers[NestedShell])
}

// TestHeavyParts goes over the process's limit of triangles.
func TestHeavyParts(t *testing.T) {
	set := settings(t)
	set.Process.MaxTriangles = 1000
	r, err := Run(t.Context(), torus(30), set)
	require.NoError(t, err)
	assert.Equal(t, map[string]int{"too-heavy": 1}, counts(r))
}

// TestWhatTheFileShows gives the check what a reader saw, and moves and scales
// every shape out of the machine.
func TestWhatTheFileShows(t *testing.T) {
	for name, m := range shapes() {
		set := settings(t)
		for _, n := range []int{1, 4, len(m.Triangles) / 100} {
			set.Against = apart(m, n, rand.New(rand.NewPCG(1, 2)))
			r, err := Run(t.Context(), m, set)
			require.NoError(t, err)
			assert.Equal(t, map[string]int{"stored-normals": n}, counts(r), name)
		}
		set = settings(t)
		set.Mirrored, set.Uneven, set.Lost, set.Short = 2, 7, []string{"line: 3"}, "the text breaks off"
		r, err := Run(t.Context(), m, set)
		require.NoError(t, err)
		assert.Equal(t, map[string]int{"mirrored": 2, "uneven-face": 7, "lost-content": 1, "cut-short": 1}, counts(r), name)
		assert.Equal(t, Hold, r.Verdict)
		set.TakeDefaults = true
		r, err = Run(t.Context(), m, set)
		require.NoError(t, err)
		assert.Equal(t, Pass, r.Verdict)

		far, large := m.Clone(), m.Clone()
		for i := range far.Positions {
			far.Positions[i] = far.Positions[i].Add(geom.Vec{Y: 5000})
		}
		assert.Equal(t, map[string]int{"off-bed": 1}, counts(check(t, far)), name)
		large.Scale(16)
		assert.Equal(t, 1, counts(check(t, large))["oversize"], name)
	}
}

// TestBodiesThatOverlap asks whether bodies that the file names are one part,
// takes colours as a hint that they are not, and asks nothing when the file
// names none.
func TestBodiesThatOverlap(t *testing.T) {
	two := func() *mesh.Mesh {
		m := ball(12, 20, true)
		n, half := int32(len(m.Positions)), len(m.Triangles)
		for _, p := range m.Positions[:n] {
			m.Positions = append(m.Positions, p.Add(geom.Vec{X: 25.3, Y: 1.7, Z: 0.9}))
		}
		for _, v := range m.Triangles[:half] {
			m.Triangles = append(m.Triangles, mesh.Triangle{v[0] + n, v[1] + n, v[2] + n})
		}
		m.Bodies = []mesh.Body{{Name: "bell"}, {Name: "clapper"}}
		m.BodyOf = make([]int32, 2*half)
		for i := half; i < 2*half; i++ {
			m.BodyOf[i] = 1
		}
		return m
	}
	set := settings(t)
	run := func(m *mesh.Mesh, answers map[string]string) *Report {
		set.Answers = answers
		r, err := Run(t.Context(), m, set)
		require.NoError(t, err)
		return r
	}
	r := run(two(), nil)
	require.Equal(t, Hold, r.Verdict)
	require.Len(t, r.Questions, 1)
	assert.Equal(t, Join, r.Questions[0].Default)
	for _, f := range r.Findings {
		if f.Kind == OverlappingShells {
			require.NotNil(t, f.Places[0].LayersMM, "what both enclose is filled twice")
			assert.Contains(t, f.Summary, "fill wrongly")
		}
	}
	assert.Equal(t, Repair, run(two(), map[string]string{OverlappingShells: Join}).Verdict)
	r = run(two(), map[string]string{OverlappingShells: Apart})
	assert.Equal(t, Pass, r.Verdict)
	assert.Positive(t, *r.Geometry.SelfIntersections, "still counted")
	coloured := two()
	for i := range coloured.Triangles {
		c := mesh.Colour(0xff0000ff) >> (8 * coloured.BodyOf[i])
		coloured.Colours = append(coloured.Colours, [3]mesh.Colour{c, c, c})
	}
	assert.Equal(t, Apart, run(coloured, nil).Questions[0].Default)
	unnamed := two()
	unnamed.Bodies, unnamed.BodyOf = nil, nil
	r = run(unnamed, map[string]string{OverlappingShells: Apart})
	assert.Equal(t, Repair, r.Verdict)
	assert.Empty(t, r.Questions)
}

// TestLoosePieces asks about a small piece that could print, not about specks
// that could not, nor about bodies with a name of their own.
func TestLoosePieces(t *testing.T) {
	with := func(size float64, named bool) *mesh.Mesh {
		m := torus(30)
		n, before := int32(len(m.Positions)), len(m.Triangles)
		piece := ball(3, size/2, false)
		for _, p := range piece.Positions {
			m.Positions = append(m.Positions, p.Add(geom.Vec{Z: 40}))
		}
		for _, v := range piece.Triangles {
			m.Triangles = append(m.Triangles, mesh.Triangle{v[0] + n, v[1] + n, v[2] + n})
		}
		if named {
			m.Bodies, m.BodyOf = []mesh.Body{{Name: "ring"}, {Name: "stone"}}, make([]int32, len(m.Triangles))
			for i := before; i < len(m.Triangles); i++ {
				m.BodyOf[i] = 1
			}
		}
		return m
	}
	set := settings(t)
	for _, c := range []struct {
		size    float64
		named   bool
		answer  string
		verdict Verdict
		found   int
	}{
		{1, false, "", Pass, 1}, {3, false, "", Hold, 1}, {3, true, "", Pass, 0}, {9, false, "", Pass, 0},
		{3, false, Print, Pass, 1}, {3, false, Drop, Repair, 1},
	} {
		set.Answers = map[string]string{StrayShell: c.answer}
		r, err := Run(t.Context(), with(c.size, c.named), set)
		require.NoError(t, err)
		assert.Equal(t, c.verdict, r.Verdict, "%+v", c)
		assert.Equal(t, c.found, counts(r)[StrayShell], "%+v", c)
		assert.Equal(t, c.verdict == Hold, len(r.Questions) == 1, "%+v", c)
	}
}

// TestSliversAgainstRationals counts slivers of random triangles with fractions:
// a triangle is one when its longest side squared is more than a thousand times
// twice its area.
func TestSliversAgainstRationals(t *testing.T) {
	r := rand.New(rand.NewPCG(4, 4))
	for range 200 {
		m := &mesh.Mesh{}
		for i := range 40 {
			k := int32(3 * i)
			long := math.Ldexp(1, r.IntN(8))
			m.Positions = append(m.Positions, geom.Vec{Z: float64(10 * i)}, geom.Vec{X: long, Z: float64(10 * i)},
				geom.Vec{X: long * r.Float64(), Y: long / 1000 * (0.5 + r.Float64()), Z: float64(10 * i)}.Single())
			m.Triangles = append(m.Triangles, mesh.Triangle{k, k + 1, k + 2})
		}
		want := 0
		for i := range int32(40) {
			var p [3][3]*big.Rat
			for k, v := range m.Triangles[i] {
				for c, x := range m.Positions[v].Array() {
					p[k][c] = new(big.Rat).SetFloat64(x)
				}
			}
			square := func(a, b [3]*big.Rat) *big.Rat {
				sum := new(big.Rat)
				for c := range 3 {
					d := new(big.Rat).Sub(a[c], b[c])
					sum.Add(sum, d.Mul(d, d))
				}
				return sum
			}
			a, b, c := square(p[0], p[1]), square(p[1], p[2]), square(p[2], p[0])
			longest := a
			for _, x := range []*big.Rat{b, c} {
				if x.Cmp(longest) > 0 {
					longest = x
				}
			}
			// Heron: (4·area)² = 2ab + 2bc + 2ca - a² - b² - c², of the sides squared.
			heron := new(big.Rat)
			for _, pair := range [][2]*big.Rat{{a, b}, {b, c}, {c, a}} {
				heron.Add(heron, new(big.Rat).Mul(big.NewRat(2, 1), new(big.Rat).Mul(pair[0], pair[1])))
				heron.Sub(heron, new(big.Rat).Mul(pair[0], pair[0]))
			}
			// longest > 1000·2·area, squared: 4·longest² > 1000²·(4·area)².
			left := new(big.Rat).Mul(big.NewRat(4, 1), new(big.Rat).Mul(longest, longest))
			if left.Cmp(new(big.Rat).Mul(big.NewRat(sliverShare*sliverShare, 1), heron)) > 0 {
				want++
			}
		}
		require.Equal(t, want, counts(check(t, m))["sliver"])
	}
}
