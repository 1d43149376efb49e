package check

import (
	"context"
	"encoding/xml"
	"math"
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"veneer/core/geom"
	"veneer/core/mesh"
	"veneer/core/mesh/meshtest"
	"veneer/core/process"
	"veneer/core/unit"
)

func settings(t *testing.T) Settings {
	p, err := process.Named(process.Default)
	require.NoError(t, err)
	return Settings{Process: p, Unit: unit.Estimate{Chosen: "mm", Confidence: 1}}
}

// torus is closed, of genus 1, n by n quads.
func torus(n int) *mesh.Mesh {
	return meshtest.Grid(n, n, func(a, b float64) geom.Vec {
		r := 40 + 10*cos(b)
		return geom.Vec{X: r * cos(a), Y: r * sin(a), Z: 10 * sin(b)}
	})
}

// cos and sin hit 0 and ±1 exactly, so that tests can compare sizes.
func cos(x float64) float64 { return math.Round(math.Cos(x)*1e12) / 1e12 }
func sin(x float64) float64 { return math.Round(math.Sin(x)*1e12) / 1e12 }

func check(t *testing.T, m *mesh.Mesh) *Report {
	t.Helper()
	r, err := Run(t.Context(), m, settings(t))
	require.NoError(t, err)
	return r
}

// counts are the findings with their counts, but for overhangs: how the part lies
// is no damage.
func counts(r *Report) map[string]int {
	n := map[string]int{}
	for _, f := range r.Findings {
		if f.Kind != "overhang" {
			n[f.Kind] = f.Count
		}
	}
	return n
}

func TestCleanPart(t *testing.T) {
	r := check(t, torus(24))
	assert.Equal(t, Pass, r.Verdict)
	assert.Empty(t, counts(r))
	g := r.Geometry
	assert.True(t, g.Watertight && g.Oriented)
	assert.Equal(t, 1, *g.Genus)
	assert.Equal(t, 1, g.Shells)
	assert.InDelta(t, 2*3.14159*3.14159*40*100, *g.VolumeMM3, 3000)
	assert.Equal(t, [3]float64{100, 100, 20}, g.SizeMM)
}

// TestDamageIsCountedAndFound makes known damage of each kind, few and many,
// and wants that count back, at places where the damage is.
func TestDamageIsCountedAndFound(t *testing.T) {
	cases := []struct {
		kind   string
		damage func(m *mesh.Mesh, i int) // i-th defect, far from the others
		also   map[string]int            // findings that come along, per defect
	}{
		{"open-boundary", func(m *mesh.Mesh, i int) { m.Triangles[40*i] = mesh.Triangle{} }, map[string]int{"degenerate-triangle": 1}},
		{"flipped-triangle", func(m *mesh.Mesh, i int) { v := &m.Triangles[40*i]; v[0], v[1] = v[1], v[0] }, nil},
		{"duplicate-triangle", func(m *mesh.Mesh, i int) { m.Append(0, m.Triangles[40*i]) }, map[string]int{"non-manifold-edge": 3, "self-intersection": 1}},
		{"degenerate-triangle", func(m *mesh.Mesh, i int) { v := m.Triangles[40*i]; m.Append(0, mesh.Triangle{v[0], v[0], v[1]}) }, nil},
	}
	for _, c := range cases {
		for _, n := range []int{1, 3, 25} {
			t.Run(c.kind, func(t *testing.T) {
				m := torus(24)
				want := map[string]int{c.kind: n}
				for i := range n {
					c.damage(m, i)
				}
				for kind, each := range c.also {
					want[kind] = each * n
				}
				r := check(t, m)
				assert.Equal(t, want, counts(r))
				for _, f := range r.Findings {
					if f.Kind == "overhang" {
						continue
					}
					assert.NotEmpty(t, f.Summary)
					assert.Equal(t, f.PlacesTotal, len(f.Places))
					for _, p := range f.Places {
						assert.NotEmpty(t, p.Triangles)
						assert.Less(t, p.SizeMM, 25.0, "a place is where the defect is, not the whole part")
					}
				}
			})
		}
	}
}

// TestSameReportHoweverTheFileIsWritten shuffles triangles, renumbers vertices
// and turns the part by quarter turns: every count stays.
func TestSameReportHoweverTheFileIsWritten(t *testing.T) {
	m := torus(16)
	for i := range 5 {
		v := &m.Triangles[20*i]
		v[0], v[1] = v[1], v[0]
	}
	m.Append(0, m.Triangles[77], mesh.Triangle{3, 3, 9})
	m.Triangles[200] = mesh.Triangle{}
	want := check(t, m)
	r := rand.New(rand.NewPCG(1, 1))
	for range 12 {
		n := &mesh.Mesh{Positions: make([]geom.Vec, len(m.Positions))}
		number := r.Perm(len(m.Positions))
		for v, p := range m.Positions {
			n.Positions[number[v]] = geom.Vec{X: -p.Y, Y: p.X, Z: p.Z}
		}
		for _, t := range r.Perm(len(m.Triangles)) {
			v := m.Triangles[t]
			n.Triangles = append(n.Triangles, mesh.Triangle{int32(number[v[1]]), int32(number[v[2]]), int32(number[v[0]])})
		}
		if r.IntN(2) == 0 { // split over bodies
			n.Bodies = []mesh.Body{{Name: "a"}, {Name: "b"}}
			for range n.Triangles {
				n.BodyOf = append(n.BodyOf, r.Int32N(2))
			}
		}
		got := check(t, n)
		require.Len(t, got.Findings, len(want.Findings))
		got.Geometry.Bodies = want.Geometry.Bodies
		require.Equal(t, counts(want), counts(got))
		require.InDelta(t, want.Geometry.AreaMM2, got.Geometry.AreaMM2, 1e-6)
		got.Geometry.AreaMM2, got.Geometry.MinMM, got.Geometry.SizeMM = want.Geometry.AreaMM2, want.Geometry.MinMM, want.Geometry.SizeMM
		require.Equal(t, want.Geometry, got.Geometry)
		require.Equal(t, want.Verdict, got.Verdict)
	}
}

// TestSameCountsAtAnySize scales a damaged part by powers of two: what is counted
// exactly stays.
func TestSameCountsAtAnySize(t *testing.T) {
	m := torus(20)
	for i := range 4 {
		m.Turn(int32(50 * i))
	}
	m.Positions[137] = m.Positions[137].Scale(0.3) // pulled through the other side
	m.Append(0, m.Triangles[333])
	want := check(t, m).Geometry
	require.Positive(t, *want.SelfIntersections)
	for _, k := range []int{-20, -3, 1, 12} {
		n := m.Clone()
		n.Scale(math.Ldexp(1, k))
		got := check(t, n).Geometry
		assert.Equal(t, *want.SelfIntersections, *got.SelfIntersections, "times 2^%d", k)
		assert.Equal(t, [8]int{want.Edges, want.Shells, want.BoundaryLoops, want.NonManifoldEdges, want.NonManifoldVertices, want.Degenerate, want.Duplicates, want.Flipped},
			[8]int{got.Edges, got.Shells, got.BoundaryLoops, got.NonManifoldEdges, got.NonManifoldVertices, got.Degenerate, got.Duplicates, got.Flipped})
	}
}

func TestVerdicts(t *testing.T) {
	set := settings(t)
	run := func(m *mesh.Mesh) Verdict {
		r, err := Run(t.Context(), m, set)
		require.NoError(t, err)
		return r.Verdict
	}
	assert.Equal(t, Reject, run(&mesh.Mesh{Positions: []geom.Vec{{}, {X: 1}, {X: 2}}, Triangles: []mesh.Triangle{{0, 1, 2}}}), "no surface")
	assert.Equal(t, Pass, run(torus(8)))
	set.Unit = unit.Infer(unit.Clues{Size: [3]float64{4.3, 1, 1}}, set.Process)
	require.True(t, set.Unit.Doubtful)
	assert.Equal(t, Hold, run(torus(8)))
	r, err := Run(t.Context(), torus(8), set)
	require.NoError(t, err)
	require.Len(t, r.Questions, 1)
	assert.NotEmpty(t, r.Questions[0].Choices)
}

func TestStoppedCheckSaysSo(t *testing.T) {
	ctx, cancel := context.WithCancel(t.Context())
	cancel()
	_, err := Run(ctx, torus(8), settings(t))
	assert.ErrorIs(t, err, context.Canceled)
}

func TestPlacesAreGroupedAndCapped(t *testing.T) {
	m := torus(64)
	for i := range 2000 { // a whole stretch of the surface
		v := &m.Triangles[i]
		v[0], v[1] = v[1], v[0]
	}
	f := check(t, m).Findings[0]
	assert.Equal(t, 2000, f.Count)
	require.Len(t, f.Places, 1)
	assert.Len(t, f.Places[0].Triangles, maxTriangles)
	assert.Equal(t, 2000, f.Places[0].TrianglesTotal)
}

// TestKindsAreWritten wants every kind's texts whole and every name once.
func TestKindsAreWritten(t *testing.T) {
	seen := map[string]bool{}
	for _, k := range Kinds() {
		assert.False(t, seen[k.Name], k.Name)
		seen[k.Name] = true
		for _, text := range []string{k.Title, k.What, k.Harm, k.Action, string(k.Usual)} {
			assert.NotEmpty(t, text, k.Name)
		}
		for _, sketch := range k.sketch {
			for _, shape := range strings.Split(sketch, "|") {
				assert.True(t, len(shape) > 4 && (shape[0] == 't' || sketchStyles[shape[0]] != ""), "%s: %q", k.Name, shape)
			}
		}
		require.NoError(t, xml.Unmarshal([]byte(k.Sketch()), new(struct{})), k.Name)
		found, ok := KindNamed(k.Name)
		assert.True(t, ok)
		assert.Equal(t, k.Title, found.Title)
	}
}
