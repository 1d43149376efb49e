package unit

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

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
		{"inches or centimetres, not said", 4.3, "", "cm", true},
		{"metres, not said: nothing else is plausible", 0.08, "", "m", false},
		{"metres, said so", 0.08, "m", "m", false},
		{"a declared unit that gives an absurd size", 2000, "m", "mm", true},
	}
	for _, c := range cases {
		t.Run(c.name, func(t *testing.T) {
			e := Infer(Clues{Size: [3]float64{c.longest, c.longest / 2, c.longest / 3}, Declared: c.declared}, resin)
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

// TestEachKindOfEvidence changes one clue at a time and wants the answer to follow.
func TestEachKindOfEvidence(t *testing.T) {
	filament, err := process.Named("filament")
	require.NoError(t, err)
	plain := Clues{Size: [3]float64{4.7283, 2.3171, 1.9127}} // nothing round; inches or centimetres by size
	first := func(c Clues) Candidate { return Infer(c, filament).Candidates[0] }
	of := func(c Clues, unit string) Candidate {
		for _, k := range Infer(c, filament).Candidates {
			if k.Unit == unit {
				return k
			}
		}
		return Candidate{}
	}
	hinted := plain
	hinted.Hints = []string{"exported by hand", "Units are inches."}
	assert.Greater(t, of(hinted, "in").Probability, of(plain, "in").Probability+0.1)
	assert.Contains(t, of(hinted, "in").Evidence, "the file's header or comments name this unit")
	hinted.Hints = []string{"a bell in the harbour, 3 m from the wall"}
	assert.Equal(t, of(plain, "in").Probability, of(hinted, "in").Probability, "small words name no unit")
	hinted.Hints = []string{"units=mm", "units=inches"}
	assert.Equal(t, of(plain, "in").Probability, of(hinted, "in").Probability, "contradictory hints say nothing")

	stated := plain
	stated.ExpectMM = [3]float64{48.6, 120.1, 58.9} // another order
	assert.Equal(t, "in", first(stated).Unit)
	assert.Greater(t, first(stated).Probability, 0.99)
	stated.ExpectMM = [3]float64{0, 47.3, 0} // only the length
	assert.Equal(t, "cm", first(stated).Unit)

	drawn := Clues{Size: [3]float64{120 / 25.4, 60 / 25.4, 35.5 / 25.4}}
	assert.Equal(t, "in", first(drawn).Unit, "120 × 60 × 35.5 mm written in inches")
	assert.Contains(t, first(drawn).Evidence, "3 of its sides are whole half millimetres")

	thin := Clues{Size: [3]float64{60, 30, 0.2}}
	assert.Contains(t, of(thin, "mm").Evidence, "its shortest side, 0.2 mm, is thinner than any wall that prints")
}

// TestSistersSpeakForOneAnother settles a part that is unclear alone by the
// files that came with it, and leaves one that truly differs in doubt.
func TestSistersSpeakForOneAnother(t *testing.T) {
	filament, err := process.Named("filament")
	require.NoError(t, err)
	clear := Clues{Size: [3]float64{150 / 25.4, 90 / 25.4, 25.5 / 25.4}}
	unclear := Clues{Size: [3]float64{9.03, 7.717, 5.1131}}
	alone := Infer(unclear, filament)
	assert.NotEqual(t, "in", alone.Chosen)
	together := Together([]Clues{clear, unclear, clear, clear}, filament)
	assert.Equal(t, "in", together[1].Chosen)
	assert.Contains(t, together[1].Candidates[0].Evidence, "it fits the 3 sister files of the batch")
	odd := Together([]Clues{clear, {Size: [3]float64{120, 80, 40}}, clear}, filament)
	assert.Equal(t, "mm", odd[1].Chosen, "3 m long would be absurd, whatever the sisters are in")
}

func TestSettledIsNotAsked(t *testing.T) {
	e, err := Settled("in", Clues{Size: [3]float64{2, 1, 1}})
	require.NoError(t, err)
	assert.False(t, e.Doubtful)
	assert.Equal(t, [3]float64{50.8, 25.4, 25.4}, e.Candidates[0].SizeMM)
	_, err = Settled("furlong", Clues{})
	assert.ErrorContains(t, err, "furlong")
}

func TestLengthReadsWell(t *testing.T) {
	for mm, want := range map[float64]string{0.05: "50 µm", 0.4: "0.4 mm", 12.345: "12.3 mm", 120.4: "120 mm", 12000: "12 m"} {
		assert.Equal(t, want, Length(mm))
	}
}

func TestParseSize(t *testing.T) {
	for text, want := range map[string][3]float64{"": {}, "120x80x40mm": {120, 80, 40}, "120": {120}, "2 x 3 in": {50.8, 76.2}, "1.5×2cm": {15, 20}} {
		got, err := ParseSize(text)
		require.NoError(t, err, text)
		for i := range want {
			assert.InDelta(t, want[i], got[i], 1e-9, text)
		}
	}
	for _, text := range []string{"x", "mm", "1x2x3x4", "-5mm", "5ell", "0x1", "nan", "1e99"} {
		_, err := ParseSize(text)
		assert.Error(t, err, text)
	}
}
