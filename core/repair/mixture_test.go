package repair_test

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"veneer/core/check"
	"veneer/core/geom"
	"veneer/core/mesh"
	"veneer/core/mesh/meshtest"
	"veneer/core/repair"
)

// lattice is the surface of the unit cells for which solid holds, within n by k
// manyShapes are closed surfaces of genus 0 to 20, round and angular.
func manyShapes() map[string]*mesh.Mesh {
	all := shapes()
	all["block"] = meshtest.Cells(12, 10, 8, func(_, _, _ int) bool { return true })
	all["grille"] = meshtest.Cells(22, 17, 3, func(x, y, _ int) bool { return x%4 < 2 || y%4 < 1 }) // 5 by 4 holes
	all["frame"] = meshtest.Cells(14, 14, 6, func(x, y, z int) bool { return x < 3 || x > 10 || y < 3 || y > 10 || z < 2 && x < 7 })
	for name, m := range all {
		if name == "block" || name == "grille" || name == "frame" {
			m.Scale(3)
		}
		m.Round()
	}
	return all
}

// spoil damages about one triangle in a hundred, in every way that this method
// mends, and returns how large the largest gap is. Damaged places lie apart, as
// they mostly do.
func spoil(m *mesh.Mesh, r *rand.Rand) (gap float64) {
	count := int32(len(m.Triangles))
	whole := slices.Clone(m.Triangles)
	near := make([][]int32, len(m.Positions))
	for t, v := range m.Triangles {
		for _, i := range v {
			near[i] = append(near[i], int32(t))
		}
	}
	taken := make([]bool, count)
	gone := make([]bool, count)
	ring := func(list []int32) (more []int32) {
		seen := map[int32]bool{}
		for _, t := range list {
			for _, v := range whole[t] {
				for _, u := range near[v] {
					if !seen[u] {
						seen[u] = true
						more = append(more, u)
					}
				}
			}
		}
		return more
	}
	pick := func(rings int) (int32, []int32) { // a triangle, and those around it, free of damage
		for range 80 {
			t := r.Int32N(count)
			inner := []int32{t}
			for range rings {
				inner = ring(inner)
			}
			free := true
			outer := ring(ring(inner))
			for _, u := range outer {
				free = free && !taken[u]
			}
			if free {
				for _, u := range outer {
					taken[u] = true
				}
				return t, inner
			}
		}
		return -1, nil
	}
	for spoilt := 0; spoilt < int(count)/100; spoilt++ {
		kind := r.IntN(10)
		rings := 0
		if kind == 0 {
			rings = 1
		}
		t, around := pick(rings)
		if t < 0 {
			break
		}
		v := m.Triangles[t]
		a, b, c := m.Corners(t)
		out := b.Sub(a).Cross(c.Sub(a)).Unit()
		switch kind {
		case 0, 1: // a gap, of one triangle or of all around it
			box := geom.EmptyBox()
			for _, u := range around {
				gone[u] = true
				p, q, s := m.Corners(u)
				box = box.Extend(p).Extend(q).Extend(s)
			}
			spoilt += len(around) - 1
			gap = max(gap, box.Size().Length())
		case 2:
			m.Turn(t)
		case 3:
			m.Append(0, v)
		case 4:
			m.Append(0, mesh.Triangle{v[1], v[0], v[2]})
		case 5:
			m.Append(0, mesh.Triangle{v[0], v[1], v[1]})
		case 6: // torn off by a hair
			middle := a.Add(b).Add(c).Scale(1. / 3)
			for i, w := range v {
				m.Positions = append(m.Positions, m.Positions[w].Lerp(middle, 2e-6))
				m.Triangles[t][i] = int32(len(m.Positions) - 1)
			}
		case 7: // a fin
			m.Positions = append(m.Positions, a.Lerp(b, 0.4).Add(out.Scale(0.7)).Single())
			m.Append(0, mesh.Triangle{v[0], v[1], int32(len(m.Positions) - 1)})
			gap = max(gap, 0.8)
		case 8: // an edge cut on one side only
			m.Positions = append(m.Positions, a.Lerp(b, 0.5).Single())
			n := int32(len(m.Positions) - 1)
			m.Triangles[t] = mesh.Triangle{v[0], n, v[2]}
			m.Append(t, mesh.Triangle{n, v[1], v[2]})
		case 9: // a broken speck beside it
			p := a.Add(out.Scale(0.5))
			n := int32(len(m.Positions))
			m.Positions = append(m.Positions, p.Single(), p.Add(geom.Vec{X: 0.2}).Single(), p.Add(geom.Vec{Y: 0.2}).Single())
			m.Append(t, mesh.Triangle{n, n + 1, n + 2})
			gap = max(gap, 1)
		}
	}
	m.Keep(func(t int32) bool { return t >= count || !gone[t] })
	m.Weld()
	if r.IntN(3) == 0 { // and inside out as a whole
		for t := range int32(len(m.Triangles)) {
			m.Turn(t)
		}
	}
	return gap
}

// TestMixturesOfAllDamage mends random mixtures on shapes of genus 0 to 20. At
// least 97 of 100 pass with the genus, the shells and, within half a percent,
// the volume of the original; what was left alone is there bit by bit, and
// nothing moved farther than the largest gap is wide.
func TestMixturesOfAllDamage(t *testing.T) {
	runs := 20
	if testing.Short() {
		runs = 3
	}
	tried, mended := 0, 0
	genus := map[int]bool{}
	for name, shape := range manyShapes() {
		want, _ := mend(t, shape)
		require.Equal(t, check.Pass, want.Before.Verdict, name)
		w := want.Before.Geometry
		genus[*w.Genus] = true
		for seed := range uint64(runs) {
			m := shape.Clone()
			gap := spoil(m, rand.New(rand.NewPCG(seed, 77)))
			r := mendWith(t, m, nil)
			tried++
			if r.Verdict != check.Pass {
				t.Logf("%s %d: %s %s %+v", name, seed, r.Verdict, findings(r), r.Steps)
				continue
			}
			g := r.After.Geometry
			ok := assert.Equal(t, w.Shells, g.Shells, "%s %d", name, seed) &&
				assert.Equal(t, *w.Genus, *g.Genus, "%s %d", name, seed) &&
				assert.InEpsilon(t, *w.VolumeMM3, *g.VolumeMM3, 0.005, "%s %d", name, seed) &&
				assert.LessOrEqual(t, r.Deviation.Max, max(gap, 0.02), "%s %d", name, seed)
			if ok {
				mended++
			}
			kept, before := corners(r.Mesh), corners(shape)
			lost := 0
			for c := range corners(m) {
				if before[c] && !kept[c] {
					lost++
				}
			}
			assert.LessOrEqual(t, lost, 4*len(shape.Triangles)/100, "%s %d: untouched triangles stay, but for those that meet a cut edge", name, seed)
		}
	}
	assert.True(t, genus[0] && genus[1] && genus[20], "%v", genus)
	t.Logf("%d of %d mended", mended, tried)
	assert.GreaterOrEqual(t, float64(mended), 0.97*float64(tried))
}

func findings(r *repair.Result) (words string) {
	for _, f := range r.After.Findings {
		if f.Severity == check.Error || f.Severity == check.Question {
			words += fmt.Sprintf("%d %s; ", f.Count, f.Kind)
		}
	}
	for _, q := range r.Questions {
		words += "? " + q.ID
	}
	return words
}
