package repair_test

import (
	"fmt"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"veneer/core/check"
	"veneer/core/geom"
	"veneer/core/mesh"
	"veneer/core/mesh/meshtest"
	"veneer/core/pipeline"
	"veneer/core/repair"
	"veneer/core/repair/recast"
)

func ordered(t *testing.T, texts ...string) pipeline.Settings {
	t.Helper()
	set := settings()
	for _, text := range texts {
		o, err := repair.ParseOrder(text)
		require.NoError(t, err)
		set.Orders = append(set.Orders, o)
	}
	return set
}

// TestARegionIsDrawnAnew spoils parts in one region beyond what touching up mends
// and draws that one anew: the result is solid, and every triangle away from the
// region is there as it was.
func TestARegionIsDrawnAnew(t *testing.T) {
	for name, shape := range map[string]*mesh.Mesh{"bumpy": meshtest.Bumpy(60), "torus": shapes()["torus"]} {
		shape.Round()
		for seed := range uint64(3) {
			r := rand.New(rand.NewPCG(seed, 3))
			m := shape.Clone()
			at := m.Positions[m.Triangles[r.IntN(len(m.Triangles))][0]]
			size := m.Bounds().Size().Length()
			radius := 0.06 * size
			for v, p := range m.Positions { // points thrown about, and triangles gone
				if p.Distance(at) < radius {
					m.Positions[v] = p.Add(geom.Vec{X: r.Float64() - 0.5, Y: r.Float64() - 0.5, Z: r.Float64() - 0.5}.Scale(0.8 * radius)).Single()
				}
			}
			m.Keep(func(t int32) bool {
				a, _, _ := m.Corners(t)
				return a.Distance(at) > radius || r.IntN(4) > 0
			})
			require.NotEqual(t, check.Pass, examined(t, m, settings()).Verdict)
			region := geom.EmptyBox().Extend(at).Grow(2 * radius)
			set := ordered(t, fmt.Sprintf("recast-region=%g,%g,%g,%g,%g,%g", region.Min.X, region.Min.Y, region.Min.Z, region.Max.X, region.Max.Y, region.Max.Z))
			set.Recast = recast.Settings{CellMM: size / 300}
			result, _ := mendAs(t, m, set)
			require.Equal(t, check.Pass, result.Verdict, "%s %d: %s %+v", name, seed, findings(result), result.Steps)
			assert.True(t, result.After.Geometry.Oriented)
			made := corners(result.Mesh)
			away := 0
			for c := range corners(m) {
				if box := geom.EmptyBox().Extend(c[0]).Extend(c[1]).Extend(c[2]); !box.Overlaps(region.Grow(0.2 * size)) {
					away++
					assert.True(t, made[c], "%s %d: %v", name, seed, c)
				}
			}
			assert.Greater(t, away, len(m.Triangles)/4)
			assert.Less(t, result.Deviation.P99, 1.5*radius)
		}
	}
	_, err := repair.ParseOrder("recast-region=1,2,3")
	assert.ErrorContains(t, err, "two opposite corners")
	_, err = repair.ParseOrder("recast-shell=x")
	assert.ErrorContains(t, err, "not a number")
	_, err = repair.ParseOrder("polish")
	assert.ErrorContains(t, err, "recast-region")
}

// TestAShellIsDrawnAnew leaves the shell that nobody named as it is.
func TestAShellIsDrawnAnew(t *testing.T) {
	m := meshtest.Bumpy(40)
	n := len(m.Triangles)
	join(m, shapes()["sphere"], func(p geom.Vec) geom.Vec { return p.Add(geom.Vec{X: 200}) })
	m.Round()
	result, _ := mendAs(t, m, ordered(t, "recast-shell=2"))
	require.Equal(t, check.Pass, result.Verdict, findings(result))
	made := corners(result.Mesh)
	m.Keep(func(t int32) bool { return int(t) < n })
	assert.Subset(t, made, corners(m))
	assert.Contains(t, result.Steps[0].Detail, "of other shells left as they are")
	set := ordered(t, "recast-shell=9")
	_, err := pipeline.Mend(t.Context(), &pipeline.Checked{Mesh: m, Report: examined(t, m, set)}, &memory{}, set)
	assert.ErrorContains(t, err, "there is no shell 9")
}

// TestLighterGoesByStops takes several tolerances as stops on the way to the last one.
func TestLighterGoesByStops(t *testing.T) {
	for _, bad := range []string{"lighter-within=0.2,0.1", "lighter-within=0,1", "lighter-to=100,50", "lighter-share=0.5,0.6", "lighter-within=", "lighter-within=a"} {
		_, err := repair.ParseOrder(bad)
		assert.Error(t, err, bad)
	}
	_, err := repair.ParseOrder("lighter-within=0.05,0.1,0.4")
	assert.NoError(t, err)
}

// TestRecastIsSetInWords reads what a person sets a new skin to.
func TestRecastIsSetInWords(t *testing.T) {
	var set recast.Settings
	var err error
	for _, text := range []string{"cell=0.2", "gap=0.1", "smallest=0.3", "tolerance=0.05", "cell=0.25"} {
		set, err = repair.SetRecast(set, text)
		require.NoError(t, err)
	}
	assert.Equal(t, recast.Settings{CellMM: 0.25, GapMM: 0.1, DetailMM: 0.3, ToleranceMM: 0.05}, set)
	for _, bad := range []string{"cell", "cell=", "cell=0", "cell=-1", "cell=inf", "cell=nan", "walls=2", "=1"} {
		_, err := repair.SetRecast(set, bad)
		assert.Error(t, err, bad)
	}
}
