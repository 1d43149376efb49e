package process

import (
	"bytes"
	"encoding/json"
	"math"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestFit(t *testing.T) {
	p := Process{MachineMM: [3]float64{100, 200, 300}}
	assert.Equal(t, Fits, p.Fit([3]float64{100, 200, 300}))
	assert.Equal(t, FitsTurned, p.Fit([3]float64{300, 50, 50}))
	assert.Equal(t, FitsNot, p.Fit([3]float64{150, 250, 250}))
}

func TestProcessesAreWhole(t *testing.T) {
	assert.True(t, slices.IsSortedFunc(All(), func(a, b Process) int {
		if a.Name < b.Name {
			return -1
		}
		return 1
	}))
	for _, p := range All() {
		require.NoError(t, p.Prove(), p.Name)
		text, err := json.Marshal(p)
		require.NoError(t, err)
		read, err := Read(bytes.NewReader(text))
		require.NoError(t, err)
		assert.Equal(t, p, read)
		assert.Positive(t, p.TypicalMM*p.WallMM*p.DetailMM*p.LayerMM*p.OverhangDeg*p.DensityGCM3*p.PricePerCM3*float64(p.MaxTriangles)*float64(p.MaxBytes), p.Name)
		assert.Equal(t, Fits, p.Fit([3]float64{p.TypicalMM, p.TypicalMM, p.TypicalMM}))
	}
	_, err := Named("clay")
	assert.ErrorContains(t, err, "filament")
}

func TestProve(t *testing.T) {
	resin, err := Named("resin")
	require.NoError(t, err)
	for name, c := range map[string]struct {
		change func(*Process)
		why    string
	}{
		"no name":           {func(p *Process) { p.Name = "" }, "a process's name"},
		"a path":            {func(p *Process) { p.Name = "../resin" }, "a process's name"},
		"no title":          {func(p *Process) { p.Title = "" }, "title"},
		"flat machine":      {func(p *Process) { p.MachineMM[2] = 0 }, "the height, is from 1 to 100000, not 0"},
		"no wall":           {func(p *Process) { p.WallMM = -1 }, "wall_mm"},
		"not a number":      {func(p *Process) { p.DetailMM = math.NaN() }, "detail_mm"},
		"beyond level":      {func(p *Process) { p.OverhangDeg = 100 }, "overhang_deg is from 0 to 90, not 100"},
		"negative price":    {func(p *Process) { p.PricePerCM3 = -1 }, "price_per_cm3"},
		"share in percent":  {func(p *Process) { p.Consent.Removed = 5 }, "consent.removed is from 0 to 1, not 5"},
		"drains of nothing": {func(p *Process) { p.DrainMM = 0 }, "drain_mm"},
		"policy of nothing": {func(p *Process) { p.Policy = map[string]string{"sheet": ""} }, "policy"},
	} {
		p := resin
		c.change(&p)
		assert.ErrorContains(t, p.Prove(), c.why, name)
	}
	_, err = Read(strings.NewReader(`{"name": "resin", "wall": 2}`))
	assert.ErrorContains(t, err, "wall")
	_, err = Read(strings.NewReader(`nothing`))
	assert.ErrorContains(t, err, "no process")
}
