package check

import (
	"fmt"
	"math"
)

var sheet = Kind{
	Name: "sheet", Title: "Sheet without thickness", Usual: Error,
	What:   "A surface encloses nothing: it is a skin with air on both sides, or two skins on one another.",
	Harm:   "It has no inside to fill. Slicing software drops it, or prints a stray line.",
	Action: "It is reported: open shells that would be thinner than the thinnest wall if their rims were closed, and closed ones that enclose nothing.",
	sketch: sketches{"s M8 60V30h40v30z|b M48 30C62 16 78 36 94 22",
		"s M8 60V30h40v30z|n M48 30C62 16 78 36 94 22|t 72 56 listed"},
	find: func(s *Subject) *Finding {
		flat := s.sheets()
		f := &Finding{}
		for i := range s.Shells.List {
			if !flat[i] {
				continue
			}
			f.Count++
			if len(f.Places) < maxPlaces {
				f.Places = append(f.Places, s.shellPlace(int32(i)))
			}
		}
		f.PlacesTotal = f.Count
		f.Summary = fmt.Sprintf("%s nothing", some(f.Count, "surface encloses", "surfaces enclose"))
		return f
	},
}

// sheets tells which shells are sheets, by their mean thickness: twice the
// volume by the area, each open loop closed by a fan to its middle.
func (s *Subject) sheets() []bool {
	volume := make([]float64, len(s.Shells.List))
	for i, shell := range s.Shells.List {
		volume[i] = shell.VolumeMM3
	}
	for _, loop := range s.Loops {
		i := s.Shells.Of[loop.Halves[0]/3]
		o := s.Shells.List[i].Box.Centre()
		middle := s.Mesh.Positions[s.Topology.From(loop.Halves[0])].Sub(o).Scale(0)
		for _, h := range loop.Halves {
			middle = middle.Add(s.Mesh.Positions[s.Topology.From(h)].Sub(o).Scale(1 / float64(len(loop.Halves))))
		}
		for _, h := range loop.Halves {
			a, b := s.Mesh.Positions[s.Topology.From(h)].Sub(o), s.Mesh.Positions[s.Topology.To(h)].Sub(o)
			v := b.Dot(a.Cross(middle)) / 6
			if s.Shells.Flip != nil && s.Shells.Flip[h/3] {
				v = -v
			}
			volume[i] += v
		}
	}
	flat := make([]bool, len(volume))
	for i, shell := range s.Shells.List {
		if shell.AreaMM2 == 0 || !shell.Orientable {
			continue
		}
		t := 2 * math.Abs(volume[i]) / shell.AreaMM2
		flat[i] = shell.Closed && t < 1e-6*math.Sqrt(shell.AreaMM2) || !shell.Closed && t < s.Process.WallMM
	}
	return flat
}
