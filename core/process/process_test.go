package process

import (
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
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
		assert.Positive(t, p.TypicalMM*p.WallMM*p.DetailMM*p.LayerMM*p.OverhangDeg*p.DensityGCM3*p.PricePerCM3*float64(p.MaxTriangles)*float64(p.MaxBytes), p.Name)
		assert.Equal(t, Fits, p.Fit([3]float64{p.TypicalMM, p.TypicalMM, p.TypicalMM}))
	}
	_, err := Named("clay")
	assert.ErrorContains(t, err, "filament")
}
