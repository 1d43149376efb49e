package repair_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"veneer/core/check"
	"veneer/core/geom"
	"veneer/core/mesh"
	"veneer/core/mesh/meshtest"
	"veneer/core/repair"
	"veneer/core/repair/fuse"
	"veneer/core/repair/touchup"
)

// needles counts triangles whose least height is below a length.
func needles(m *mesh.Mesh, height float64) (n int) {
	for t := range int32(len(m.Triangles)) {
		a, b, c := m.Corners(t)
		if m.AreaNormal(t).Length() < height*max(a.Distance(b), b.Distance(c), c.Distance(a)) {
			n++
		}
	}
	return n
}

// TestCutsAreTidy fuses finely meshed bodies that cross: of the slivers that cutting
// makes some are gone again, no point that was there before has moved, and nothing
// else is off by more than the tolerance.
func TestCutsAreTidy(t *testing.T) {
	const tolerance = 1e-3 // of a process that shows 0.4 mm
	raw, tidy, gone := 0, 0, 0
	for seed := range 8 {
		m := meshtest.Bumpy(80 + 10*seed)
		join(m, meshtest.Bumpy(90), func(p geom.Vec) geom.Vec {
			return geom.Vec{X: p.Z + 40 + 0.25*float64(seed), Y: 0.8*p.Y - 0.6*p.X, Z: -0.8*p.X - 0.6*p.Y}
		})
		m.Round()
		r := mendWith(t, m, nil)
		require.Equal(t, check.Pass, r.Verdict, findings(r))
		require.Equal(t, repair.Fuse, r.Method)
		before := map[geom.Vec]bool{}
		for _, p := range m.Positions {
			before[p] = true
		}
		cut := m.Clone()
		_, err := fuse.Run(t.Context(), cut, touchup.DropFlat, nil)
		require.NoError(t, err)
		raw += needles(cut, tolerance)
		tidy += needles(r.Mesh, tolerance)
		assert.LessOrEqual(t, len(r.Mesh.Triangles), len(cut.Triangles))
		gone += len(cut.Triangles) - len(r.Mesh.Triangles)
		after := map[geom.Vec]bool{}
		for _, p := range r.Mesh.Positions {
			after[p] = true
		}
		for _, p := range cut.Positions {
			assert.True(t, !before[p] || after[p], "%d: %v", seed, p)
		}
		d, err := repair.Deviate(t.Context(), cut, r.Mesh, 20_000, true, false)
		require.NoError(t, err)
		assert.LessOrEqual(t, d.Max, tolerance+1e-9, "%d: at %v; %+v", seed, d.AtMM, r.Steps)
	}
	t.Logf("%d needles after cutting, %d once tidied, %d pieces gone", raw, tidy, gone)
	assert.Less(t, tidy, raw*2/3)
	assert.Positive(t, gone)
}
