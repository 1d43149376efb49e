package repair_test

import (
	"fmt"
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"

	"veneer/core/check"
	"veneer/core/geom"
	"veneer/core/mesh"
	"veneer/core/mesh/meshtest"
	"veneer/core/repair"
)

// join adds a copy of a mesh, each point moved.
func join(m, other *mesh.Mesh, move func(geom.Vec) geom.Vec) {
	n := int32(len(m.Positions))
	for _, p := range other.Positions {
		m.Positions = append(m.Positions, move(p).Single())
	}
	for _, v := range other.Triangles {
		m.Triangles = append(m.Triangles, mesh.Triangle{v[0] + n, v[1] + n, v[2] + n})
	}
}

// ruin does to a shape what no touching up mends: parts pushed into it, folds
// through its skin, large openings, sheets, walls within, loose triangles; and
// most of what spoil does.
func ruin(shape *mesh.Mesh, r *rand.Rand) *mesh.Mesh {
	m := shape.Clone()
	box := m.Bounds()
	size := box.Size().Length()
	place := func() geom.Vec { return m.Positions[m.Triangles[r.IntN(len(m.Triangles))][0]] }
	near := func(radius float64) (list []int32, middle geom.Vec) { // triangles around a place
		middle = place()
		for t := range int32(len(m.Triangles)) {
			if a, _, _ := m.Corners(t); a.Distance(middle) < radius {
				list = append(list, t)
			}
		}
		return list, middle
	}
	if r.IntN(2) == 0 {
		spoil(m, r)
	}
	for range 1 + r.IntN(4) {
		switch r.IntN(12) {
		case 0: // a large opening
			list, _ := near(size * (0.05 + 0.1*r.Float64()))
			for _, t := range list {
				m.Triangles[t] = mesh.Triangle{}
			}
		case 1: // skin folded through itself
			list, middle := near(size * 0.08)
			for _, t := range list {
				for _, v := range m.Triangles[t] {
					p := m.Positions[v]
					m.Positions[v] = p.Add(box.Centre().Sub(middle).Scale(0.3 * r.Float64())).Single()
				}
			}
		case 2: // points thrown about
			list, _ := near(size * 0.06)
			for _, t := range list {
				v := m.Triangles[t][0]
				m.Positions[v] = m.Positions[v].Add(geom.Vec{X: r.Float64() - 0.5, Y: r.Float64() - 0.5, Z: r.Float64() - 0.5}.Scale(0.05 * size)).Single()
			}
		case 3: // a second body pushed into it
			d := geom.Vec{X: r.Float64(), Y: r.Float64(), Z: r.Float64()}.Scale(0.3 * size)
			join(m, shape, func(p geom.Vec) geom.Vec { return p.Add(d) })
		case 4: // a block against it, or in it
			at := place()
			b := &mesh.Mesh{}
			meshtest.Block(b, at.Sub(geom.Vec{X: 3, Y: 3, Z: 3}), at.Add(geom.Vec{X: 4, Y: 4, Z: 4}))
			join(m, b, func(p geom.Vec) geom.Vec { return p })
		case 5: // sheets through it
			for range 1 + r.IntN(5) {
				at, s := place(), size*(0.05+0.1*r.Float64())
				n := int32(len(m.Positions))
				for i := range 4 {
					m.Positions = append(m.Positions, at.Add(geom.Vec{X: s * float64(i%2), Y: s * (r.Float64() - 0.5), Z: s * float64(i/2)}).Single())
				}
				m.Triangles = append(m.Triangles, mesh.Triangle{n, n + 1, n + 3}, mesh.Triangle{n, n + 3, n + 2})
			}
		case 6: // all there twice
			m.Triangles = append(m.Triangles, m.Triangles...)
		case 7: // much of it turned
			for t := range int32(len(m.Triangles)) {
				if r.IntN(4) == 0 {
					m.Turn(t)
				}
			}
		case 8: // loose triangles
			for range 10 + r.IntN(100) {
				p := place()
				n := int32(len(m.Positions))
				for range 3 {
					m.Positions = append(m.Positions, p.Add(geom.Vec{X: r.Float64(), Y: r.Float64(), Z: r.Float64()}.Scale(0.04*size)).Single())
				}
				m.Triangles = append(m.Triangles, mesh.Triangle{n, n + 1, n + 2})
			}
		case 9: // a smaller one within, facing either way
			c := box.Centre()
			first := len(m.Triangles)
			join(m, shape, func(p geom.Vec) geom.Vec { return c.Add(p.Sub(c).Scale(0.3 + 0.5*r.Float64()*0.01)) })
			if r.IntN(2) == 0 {
				for t := first; t < len(m.Triangles); t++ {
					m.Turn(int32(t))
				}
			}
		case 10: // needles
			for range 5 {
				p, q := place(), place()
				n := int32(len(m.Positions))
				m.Positions = append(m.Positions, p, q, p.Lerp(q, 0.5).Add(geom.Vec{X: 1e-4 * r.Float64(), Y: 1e-4}).Single())
				m.Triangles = append(m.Triangles, mesh.Triangle{n, n + 1, n + 2})
			}
		case 11: // not joined anywhere
			soup := &mesh.Mesh{}
			for _, v := range m.Triangles {
				n := int32(len(soup.Positions))
				for _, u := range v {
					soup.Positions = append(soup.Positions, m.Positions[u].Add(geom.Vec{X: 2e-3 * r.Float64(), Y: 2e-3 * r.Float64()}).Single())
				}
				soup.Triangles = append(soup.Triangles, mesh.Triangle{n, n + 1, n + 2})
			}
			m = soup
		}
	}
	m.Keep(func(t int32) bool { return m.Triangles[t] != mesh.Triangle{} })
	m.Round()
	return m
}

// TestRuinsEndAsASolid mends mixtures of every damage on ten shapes, each question
// answered by its default: all of them end in a verified solid, or in a question
// whether so large a change may stand, and nine of ten in the former.
func TestRuinsEndAsASolid(t *testing.T) {
	all := manyShapes()
	all["bumpy"] = meshtest.Bumpy(40)
	all["cone"] = grid(40, 20, true, func(a, b float64) geom.Vec {
		return geom.Vec{X: 3 * b * math.Cos(a) * math.Sin(b/2), Y: 3 * b * math.Sin(a) * math.Sin(b/2), Z: -20 * math.Cos(b/2)}
	})
	all["plate"] = &mesh.Mesh{}
	meshtest.Block(all["plate"], geom.Vec{}, geom.Vec{X: 60, Y: 40, Z: 2})
	solids, asked, tried := 0, 0, 0
	methods := map[repair.Method]int{}
	for name, shape := range all {
		shape.Round()
		for seed := range uint64(times("VENEER_RUINS", 20) / 10) {
			m := ruin(shape, rand.New(rand.NewPCG(seed, 13)))
			answers := map[string]string{}
			for _, q := range examined(t, m, settings()).Questions {
				answers[q.ID] = q.Default
			}
			r := mendWith(t, m, answers)
			for range 2 { // questions that only come up once it is mended
				late := false
				for _, q := range r.Questions {
					if q.ID != repair.ChangeQuestion {
						answers[q.ID], late = q.Default, true
					}
				}
				if late {
					r = mendWith(t, m, answers)
				}
			}
			tried++
			methods[r.Method]++
			switch {
			case r.Verdict == check.Pass:
				solids++
				assert.True(t, r.After.Geometry.Oriented)
			case r.Verdict == check.Hold:
				asked++
				t.Logf("%s %d: %s asks %.300v", name, seed, r.Method, fmt.Sprint(r.Questions, r.After.Questions))
			default:
				assert.Fail(t, "neither", "%s %d: %d triangles by %s: %s", name, seed, len(m.Triangles), r.Method, findings(r))
				for _, s := range r.Steps {
					t.Logf("   %s: [%s] %s %s %s", s.Step, s.Why, s.Detail, s.Left, s.Undone)
				}
			}
		}
	}
	t.Logf("%d solids and %d questions of %d, %v", solids, asked, tried, methods)
	assert.GreaterOrEqual(t, float64(solids), 0.9*float64(tried))
}
