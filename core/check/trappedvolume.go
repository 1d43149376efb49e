package check

import (
	"fmt"
	"math"
	"strings"
)

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
