package check

import (
	"context"
	"fmt"
	"math"
	"strings"

	"veneer/core/measure"
)

// walls are what the samples of a surface show.
type walls struct {
	thin, gaps []measure.Region
	overhang   measure.Overhang
	pockets    []measure.Pocket
}

const (
	mostSamples = 50_000
	leastSample = 4_000
)

// wallsOf measures walls, gaps and overhangs. Samples lie as close as the
// thinnest wall is, while there are enough of them.
func (s *Subject) wallsOf(ctx context.Context) (w walls, err error) {
	area := 0.0
	for _, shell := range s.Shells.List {
		area += shell.AreaMM2
	}
	if area == 0 {
		return w, ctx.Err()
	}
	p := s.Process
	n := int(min(max(area/(p.WallMM*p.WallMM), leastSample), mostSamples))
	samples := measure.Samples(s.Mesh, n, nil)
	spacing := math.Sqrt(area / float64(n))
	find := func(limit float64, outward bool) ([]measure.Region, error) {
		thin, err := measure.Thickness(ctx, s.Tree, samples, limit, outward)
		return measure.Regions(thin, max(1.5*spacing, limit)), err
	}
	if w.thin, err = find(p.WallMM*(1-1e-6), false); err != nil { // a wall of just that is thick enough
		return w, err
	}
	if w.gaps, err = find(p.DetailMM*(1-1e-6), true); err != nil {
		return w, err
	}
	if p.OverhangDeg < 90 {
		if w.overhang, err = measure.Overhangs(ctx, s.Tree, p.OverhangDeg, p.LayerMM, leastSample); err != nil {
			return w, err
		}
	}
	if p.NeedsDrains && s.Edges.Boundary == 0 && s.Edges.NonManifold == 0 && s.Edges.Inconsistent == 0 {
		w.pockets, _, err = measure.Pockets(ctx, s.Topology, p.DrainMM)
	}
	return w, err
}

var thinWall = Kind{
	Name: "thin-wall", Title: "Thin walls", Usual: Warning,
	What:   "The part is thinner somewhere than the process prints reliably. Measured straight through the wall, and by the largest ball that fits in it; tapering edges do not count.",
	Harm:   "Such walls come out with holes, warp, break in cleaning, or are left out.",
	Action: "Regions are listed with their thinnest value, both ways measured, and their area. Thickening is a person's decision.",
	sketch: sketches{"s M10 62V42h36V10h4V42h40v20z|B M46 10h4v32h-4z",
		"s M10 62V42h36V10h4V42h40v20z|n M34 24h10m-4-4 4 4-4 4M62 24H52m4-4-4 4 4 4|t 80 28 0.3 mm"},
	find: func(s *Subject) *Finding {
		f := s.regions(s.walls.thin)
		if f.Count > 0 {
			thinnest, ball, area := sumRegions(s.walls.thin)
			f.Summary = fmt.Sprintf("%s thinner than %.3g mm, the thinnest %.2g mm (by ball %.2g mm), %.3g cm² in all",
				some(f.Count, "region is", "regions are"), s.Process.WallMM, thinnest, ball, area/100)
		}
		return f
	},
}

var fineDetail = Kind{
	Name: "fine-detail", Title: "Detail finer than the printer", Usual: Note,
	What:   "Two surfaces face each other across a gap narrower than the process resolves.",
	Harm:   "The gap closes up: letters fill in, hinges fuse.",
	Action: "Regions are listed with the narrowest gap. Nothing is changed.",
	sketch: sketches{"s M10 62V12h38v36h2V12h40v50z|b M48 48V12M50 48V12",
		"s M10 62V12h38v36h2V12h40v50z|N M48 14h2v34h-2z|t 50 10 0.1 mm"},
	find: func(s *Subject) *Finding {
		f := s.regions(s.walls.gaps)
		if f.Count > 0 {
			narrowest, _, area := sumRegions(s.walls.gaps)
			f.Summary = fmt.Sprintf("%s narrower than %.3g mm, the narrowest %.2g mm, %.3g cm² in all",
				some(f.Count, "gap is", "gaps are"), s.Process.DetailMM, narrowest, area/100)
		}
		return f
	},
}

func (s *Subject) regions(list []measure.Region) *Finding {
	f := &Finding{Count: len(list), PlacesTotal: len(list)}
	for _, r := range list[:min(len(list), maxPlaces)] {
		f.Places = append(f.Places, Place{AtMM: roundAll(r.At), SizeMM: round(diameter(r.Box)), Triangles: r.Triangles})
	}
	return f
}

func sumRegions(list []measure.Region) (thinnest, ball, area float64) {
	thinnest, ball = math.Inf(1), math.Inf(1)
	for _, r := range list {
		thinnest, ball, area = min(thinnest, r.ThinnestMM), min(ball, r.SphereMM), area+r.AreaMM2
	}
	return thinnest, ball, area
}

var overhang = Kind{
	Name: "overhang", Title: "Overhangs", Usual: Note,
	What:   "Surface that faces down and leans out further than the process prints in the air, as the part lies now.",
	Harm:   "It needs support, which costs material and leaves marks, or it sags.",
	Action: "Area and the volume of the support below it are estimated. Another way to lay the part may need less.",
	sketch: sketches{"s M12 64V10h76v16H34v38z|B M36 26h52v5H36z",
		"s M12 64V10h76v16H34v38z|N M36 26h52v5H36z|d M44 31V64M56 31V64M68 31V64M80 31V64"},
	find: func(s *Subject) *Finding {
		o := s.walls.overhang
		if len(o.Triangles) == 0 {
			return nil
		}
		f := &Finding{Places: s.placesOf(o.Triangles)}
		f.Count = len(f.Places)
		f.Summary = fmt.Sprintf("%s in %s leans out more than %.0f°, about %.3g cm³ of support", areaWords(o.AreaMM2), some(f.Count, "region", "regions"),
			s.Process.OverhangDeg, o.SupportMM3/1000)
		return f
	},
}

func areaWords(mm2 float64) string {
	if mm2 < 10 {
		return fmt.Sprintf("%.2g mm²", mm2)
	}
	return fmt.Sprintf("%.3g cm²", mm2/100)
}

var trappedVolume = Kind{
	Name: "trapped-volume", Title: "Trapped material", Usual: Warning,
	What:   "A hollow is sealed on all sides, or joined to the outside only by passages narrower than a drain, and the process fills it with resin or powder while printing.",
	Harm:   "The material stays inside: weight, cost, and resin that may leak or burst the part later.",
	Action: "Each hollow and pocket is listed with its volume. A drain of the named width lets the material out; where it goes is a person's decision.",
	sketch: sketches{"s M50 6a34 29 0 1 0 .1 0z|B M50 18a20 17 0 1 0 .1 0z",
		"s M50 6a34 29 0 1 0 .1 0z|N M50 18a20 17 0 1 0 .1 0z|t 50 39 drain?"},
	find: func(s *Subject) *Finding {
		if !s.Process.NeedsDrains {
			return nil
		}
		f, sealed := &Finding{}, 0
		var closed, narrow float64
		for i, shell := range s.Shells.List {
			if !shell.Closed || shell.Depth%2 == 0 || solidInSolid(shell) {
				continue
			}
			sealed++
			closed += math.Abs(shell.VolumeMM3)
			if len(f.Places) < maxPlaces {
				f.Places = append(f.Places, s.shellPlace(int32(i)))
			}
		}
		for _, p := range s.walls.pockets {
			narrow += p.VolumeMM3
			f.Places = append(f.Places, Place{AtMM: roundAll(p.At), SizeMM: round(diameter(p.Box))})
		}
		f.Count = sealed + len(s.walls.pockets)
		f.PlacesTotal = f.Count
		var words []string
		if sealed > 0 {
			words = append(words, fmt.Sprintf("%s %.4g cm³", some(sealed, "sealed hollow holds", "sealed hollows hold"), closed/1000))
		}
		if n := len(s.walls.pockets); n > 0 {
			words = append(words, fmt.Sprintf("%s about %.2g cm³ behind passages narrower than that", some(n, "pocket holds", "pockets hold"), narrow/1000))
		}
		f.Summary = fmt.Sprintf("a drain has %.3g mm: %s", s.Process.DrainMM, strings.Join(words, "; "))
		return f
	},
}
