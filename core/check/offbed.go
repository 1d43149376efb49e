package check

import (
	"fmt"
	"math"

	"veneer/core/geom"
)

var offBed = Kind{
	Name: "off-bed", Title: "Far from the origin", Usual: Warning,
	What:   "The part lies far away from the point that coordinates are counted from, further than twice the machine's longest side.",
	Harm:   "It may show up outside of the build space, and far out the format's numbers are coarse: details jump from step to step.",
	Action: "Nothing is moved by itself. Setting the part on the bed moves it.",
	sketch: sketches{"l M6 64h34M6 64V34|B M76 8h18v16h-18z|d M10 60L74 22",
		"l M6 64h34M6 64V34|s M12 46h18v16h-18z|n M70 22L40 46m0-6v6h6"},
	find: func(s *Subject) *Finding {
		if s.Box.Empty() {
			return nil
		}
		away, m := distance(s.Box), s.Process.MachineMM
		if away <= 2*max(m[0], m[1], m[2]) {
			return nil
		}
		farthest := 0.0
		for i, lo := range s.Box.Min.Array() {
			farthest = max(farthest, math.Abs(lo), math.Abs(s.Box.Max.Array()[i]))
		}
		step := float64(math.Nextafter32(float32(farthest), math.MaxFloat32) - float32(farthest))
		return &Finding{Count: 1, Places: []Place{{AtMM: roundAll(s.Box.Centre()), SizeMM: round(diameter(s.Box))}},
			Summary: fmt.Sprintf("it lies %.4g mm from the origin, where single-precision numbers go in steps of %.2g mm", away, step)}
	},
}

// distance is how far the origin is from a box; 0 inside of it.
func distance(b geom.Box) float64 {
	var d [3]float64
	for i, lo := range b.Min.Array() {
		d[i] = max(lo, -b.Max.Array()[i], 0)
	}
	return math.Sqrt(d[0]*d[0] + d[1]*d[1] + d[2]*d[2])
}
