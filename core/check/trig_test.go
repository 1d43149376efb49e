package check

import "math"

// cos and sin hit 0 and ±1 exactly, so that tests can compare sizes.
func cos(x float64) float64 { return math.Round(math.Cos(x)*1e12) / 1e12 }
func sin(x float64) float64 { return math.Round(math.Sin(x)*1e12) / 1e12 }
