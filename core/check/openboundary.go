package check

import (
	"fmt"
	"math"

	"veneer/core/geom"
)

var openBoundary = Kind{
	Name: OpeningQuestion, Title: "Open boundary", Usual: Error,
	What:   "The surface has an edge with a triangle on one side only. Such edges form a loop: the rim of a hole, or of a sheet that was never closed.",
	Harm:   "The slicing software cannot tell inside from outside near the hole. Layers may be left open, filled wrongly, or missing.",
	Action: "Each loop is filled with new triangles; the customer's triangles stay as they are. Rims that cannot be closed into something solid are left and reported. About an opening as large as the part, unless the part stands on it, a person is asked: a face may be missing, or it is the mouth of a cup.",
	sketch: sketches{"s M15 25 L50 10 L85 25 L85 55 L50 68 L15 55 Z|l M15 25 L50 38 L85 25 M50 38 L50 68|B M58 30l14-5 4 12-12 6z",
		"s M15 25 L50 10 L85 25 L85 55 L50 68 L15 55 Z|l M15 25 L50 38 L85 25 M50 38 L50 68|N M58 30l14-5 4 12-12 6z"},
	find: func(s *Subject) *Finding {
		f := &Finding{Count: len(s.Loops)}
		total, low, high := 0.0, math.Inf(1), math.Inf(-1)
		for _, loop := range s.Loops {
			var place Place
			box := geom.EmptyBox()
			for _, h := range loop.Halves {
				from, to := s.Topology.From(h), s.Topology.To(h)
				a, b := s.Mesh.Positions[from], s.Mesh.Positions[to]
				box = box.Extend(a).Extend(b)
				total += a.Distance(b)
				place.Triangles = append(place.Triangles, h/3)
				place.LineMM = append(place.LineMM, roundAll(a))
			}
			last := loop.Halves[len(loop.Halves)-1]
			place.LineMM = append(place.LineMM, s.line(s.Topology.To(last))...)
			place.AtMM, place.SizeMM = roundAll(box.Centre()), round(diameter(box))
			place.LayersMM = &[2]float64{round(box.Min.Z), round(box.Max.Z)}
			low, high = min(low, box.Min.Z), max(high, box.Max.Z)
			f.Places = append(f.Places, place)
		}
		f.Summary = fmt.Sprintf("%s, %s, %.4g mm of rim", some(len(s.Loops), "open loop", "open loops"),
			some(s.Edges.Boundary, "edge", "edges"), total)
		if low < high {
			f.Summary += fmt.Sprintf("; layers between %.4g and %.4g mm do not close", low, high)
		}
		f.asks = s.Short == "" && len(Openings(s.Topology, s.Shells, s.Loops, s.Process.WallMM)) > 0 // what a cut-short file lacks has a question of its own
		return f
	},
	ask: (*Subject).closeOrLeave,
}
