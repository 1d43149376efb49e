package unit

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"veneer/core/geom"
	"veneer/core/process"
)

func TestInfer(t *testing.T) {
	resin, err := process.Named("resin")
	require.NoError(t, err)
	cases := []struct {
		name     string
		longest  float64
		declared string
		chosen   string
		doubtful bool
	}{
		{"an ordinary part", 80, "", "mm", false},
		{"an ordinary part, said so", 80, "mm", "mm", false},
		{"inches, said so", 4.3, "in", "in", false},
		{"inches, not said", 4.3, "", "in", true},
		{"metres, not said: nothing else is plausible enough to be sure", 0.08, "", "m", true},
		{"metres, said so", 0.08, "m", "m", false},
		{"a declared unit that gives an absurd size", 2000, "m", "mm", true},
	}
	for _, c := range cases {
		t.Run(c.name, func(t *testing.T) {
			e := Infer(geom.Vec{X: c.longest, Y: c.longest / 2, Z: c.longest / 3}, c.declared, resin)
			assert.Equal(t, c.chosen, e.Chosen)
			assert.Equal(t, c.doubtful, e.Doubtful, "%v", e.Confidence)
			sum := 0.0
			for _, k := range e.Candidates {
				sum += k.Probability
				assert.NotEmpty(t, k.Evidence)
			}
			assert.InDelta(t, 1, sum, 1e-12)
			assert.Len(t, e.Candidates, len(Names()))
			assert.Equal(t, c.declared == "", e.Declared == nil)
		})
	}
}

func TestSettledIsNotAsked(t *testing.T) {
	e, err := Settled("in", "", geom.Vec{X: 2, Y: 1, Z: 1})
	require.NoError(t, err)
	assert.False(t, e.Doubtful)
	assert.Equal(t, [3]float64{50.8, 25.4, 25.4}, e.Candidates[0].SizeMM)
	_, err = Settled("furlong", "", geom.Vec{})
	assert.ErrorContains(t, err, "furlong")
}

func TestLengthReadsWell(t *testing.T) {
	for mm, want := range map[float64]string{0.05: "50 µm", 0.4: "0.4 mm", 12.345: "12.3 mm", 120.4: "120 mm", 12000: "12 m"} {
		assert.Equal(t, want, Length(mm))
	}
}
