package number

import (
	"math"
	"math/rand/v2"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// agree holds Float against strconv: the same value, bit by bit, for every
// text that both take. (strconv takes more: words, underscores, hexadecimals.)
func agree(t require.TestingT, text string) {
	x, ok := Float([]byte(text))
	want, err := strconv.ParseFloat(text, 64)
	if ok {
		require.NoError(t, err, text)
		require.Equal(t, math.Float64bits(want), math.Float64bits(x), text)
	}
	long := text + " " + strings.Repeat("x", 64)
	if x, n := Prefix([]byte(long)); n > 0 && !strings.ContainsFunc(text, func(r rune) bool { return r <= ' ' }) {
		require.Equal(t, len(text), n, text)
		require.NoError(t, err, text)
		require.Equal(t, math.Float64bits(want), math.Float64bits(x), text)
	}
}

func TestFloatIsCorrectlyRounded(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 1))
	for range 100_000 {
		x := math.Float64frombits(r.Uint64())
		if math.IsNaN(x) || math.IsInf(x, 0) {
			continue
		}
		agree(t, strconv.FormatFloat(x, 'g', 1+r.IntN(20), 64))
		agree(t, strconv.FormatFloat(float64(float32(r.NormFloat64()*100)), 'f', r.IntN(12), 64))
	}
}

func TestFloat(t *testing.T) {
	for text, want := range map[string]float64{"0": 0, "1": 1, "+2.5": 2.5, "-.5": -0.5, "3.": 3, "1e3": 1000, "1E-2": 0.01,
		"00001.50": 1.5, "123456789012345678901234567890": 123456789012345678901234567890, "4.9e-324": 4.9e-324} {
		x, ok := Float([]byte(text))
		assert.True(t, ok, text)
		assert.Equal(t, want, x, text)
	}
	for _, text := range []string{"", ".", "-", "e5", "1e", "1e+", "nan", "inf", "0x10", "1_0", "1,5", "1.2.3", "--1", "1e999"} {
		_, ok := Float([]byte(text))
		assert.False(t, ok, text)
	}
}

func TestInt(t *testing.T) {
	for text, want := range map[string]int64{"0": 0, "-7": -7, "+12": 12, "99999999999999999999": 1 << 40} {
		x, ok := Int([]byte(text))
		assert.True(t, ok, text)
		assert.Equal(t, want, x, text)
	}
	for _, text := range []string{"", "-", "1.0", "a", "1a"} {
		_, ok := Int([]byte(text))
		assert.False(t, ok, text)
	}
}

func FuzzFloat(f *testing.F) {
	for _, s := range []string{"1.5", "-0", "9007199254740993", "1e22", "1e23", "8.5e-22", "123456789012345678.5"} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, s string) { agree(t, s) })
}
