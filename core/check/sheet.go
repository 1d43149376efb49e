package check

import (
	"fmt"
	"math"
	"slices"

	"veneer/core/geom"
	"veneer/core/mesh"
)

// SheetQuestion is the question what to do with surfaces that enclose nothing
// beside solids that do; its answers are Thicken, Remove and Keep.
const SheetQuestion = "sheet"

// Thicken gives a sheet the thickness of a wall.
const Thicken = "thicken"

// Keep leaves a surface as it is.
const Keep = "keep"

var sheet = Kind{
	Name: SheetQuestion, Title: "Sheet without thickness", Usual: Error,
	What:   "A surface encloses nothing: it is a skin with air on both sides, or two skins on one another.",
	Harm:   "It has no inside to fill. Slicing software drops it, or prints a stray line.",
	Action: "It is reported: open shells that would be thinner than the thinnest wall if their rims were closed, or that lie within their rim like a sail, and closed ones that enclose nothing. A person is asked whether it gets the thickness of the thinnest wall that prints, or is left over; specks are removed.",
	sketch: sketches{"s M8 60V30h40v30z|b M48 30C62 16 78 36 94 22",
		"s M8 60V30h40v30z|n M48 30C62 16 78 36 94 22|t 72 56 keep?"},
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
		shells, _ := s.looseSheets()
		f.asks = shells > 0
		return f
	},
	ask: func(s *Subject) Ask {
		n, area := s.looseSheets()
		whole := 0.0
		for _, shell := range s.Shells.List {
			whole += shell.AreaMM2
		}
		q := Ask{ID: SheetQuestion, Kind: SheetQuestion, Text: "Sheets without thickness belong to the part. Give them one?", Default: Thicken,
			Evidence: []string{fmt.Sprintf("%s up %.3g %% of the surface", some(n, "sheet makes", "sheets make"), 100*area/whole)},
			Choices: []Choice{
				{Answer: Thicken, Effect: fmt.Sprintf("they become walls %.2g mm thick, the thinnest that prints", s.Process.WallMM), leaves: Error},
				{Answer: Remove, Effect: "they are taken away; the solids stay", leaves: Error},
				{Answer: Keep, Effect: "they stay as they are: the part cannot print until they have a thickness", leaves: Error},
			}}
		if area == whole { // something must stay
			q.Choices = slices.Delete(q.Choices, 1, 2)
		}
		return q
	},
}

// sheets tells which shells are sheets; several kinds ask.
func (s *Subject) sheets() []bool {
	if s.flat == nil {
		s.flat = Sheets(s.Topology, s.Shells, s.Loops, s.Process.WallMM)
	}
	return s.flat
}

// looseSheets counts the sheets that a person decides about, and their area:
// those that are open, no specks, and not torn off a solid, which joining the seam
// would mend.
func (s *Subject) looseSheets() (n int, area float64) {
	flat := s.sheets()
	torn := map[int32]bool{}
	for _, p := range s.seams() {
		torn[s.Shells.Of[p[0]/3]], torn[s.Shells.Of[p[1]/3]] = true, true
	}
	for i, shell := range s.Shells.List {
		if size := shell.Box.Size(); flat[i] && !torn[int32(i)] && max(size.X, size.Y, size.Z) >= SpeckMM(s.Process) {
			n++
			area += shell.AreaMM2
		}
	}
	return n, area
}

// A skin that its rim lies around like a hem is a sheet, however it curves: flat
// lids on its rims would have that share of its area or more, and run on from its
// triangles there with that cosine or more on average. A missing face's lid meets
// the walls around it steeply.
const (
	hemArea = 0.6
	hemFlat = 0.7
)

// Sheets tells which shells are sheets, by their mean thickness: twice the
// volume by the area, each open loop closed by a fan to its middle. Open ones
// thinner than wall mm are, closed ones that enclose nothing, and open ones that
// lie within their rim like a sail.
func Sheets(topo *mesh.Topology, shells *mesh.Shells, loops []mesh.Loop, wall float64) []bool {
	positions := topo.Mesh.Positions
	volume := make([]float64, len(shells.List))
	for i, shell := range shells.List {
		volume[i] = shell.VolumeMM3
	}
	lids, along, around := make([]float64, len(volume)), make([]float64, len(volume)), make([]float64, len(volume))
	for _, loop := range loops {
		i := shells.Of[loop.Halves[0]/3]
		points := make([]geom.Vec, len(loop.Halves))
		for k, h := range loop.Halves {
			points[k] = positions[topo.From(h)]
		}
		lid := geom.PolygonNormal(points)
		lids[i] += lid.Length() / 2
		for k, h := range loop.Halves {
			l := points[k].Distance(positions[topo.To(h)])
			around[i] += l
			along[i] += l * math.Abs(topo.Mesh.AreaNormal(h/3).Unit().Dot(lid.Unit()))
		}
		o := shells.List[i].Box.Centre()
		middle := positions[topo.From(loop.Halves[0])].Sub(o).Scale(0)
		for _, h := range loop.Halves {
			middle = middle.Add(positions[topo.From(h)].Sub(o).Scale(1 / float64(len(loop.Halves))))
		}
		for _, h := range loop.Halves {
			a, b := positions[topo.From(h)].Sub(o), positions[topo.To(h)].Sub(o)
			v := b.Dot(a.Cross(middle)) / 6
			if shells.Flip != nil && shells.Flip[h/3] {
				v = -v
			}
			volume[i] += v
		}
	}
	flat := make([]bool, len(volume))
	for i, shell := range shells.List {
		if shell.AreaMM2 == 0 || !shell.Orientable {
			continue
		}
		t := 2 * math.Abs(volume[i]) / shell.AreaMM2
		sail := !shell.Closed && lids[i] >= hemArea*shell.AreaMM2 && along[i] >= hemFlat*around[i]
		flat[i] = shell.Closed && t < 1e-6*math.Sqrt(shell.AreaMM2) || !shell.Closed && t < wall || sail
	}
	return flat
}
