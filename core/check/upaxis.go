package check

import "fmt"

var upAxis = Kind{
	Name: "up-axis", Title: "Perhaps drawn with Y up", Usual: Note,
	What:   "The part has a flat base on its lowest Y side and none on its lowest Z side. Some programs count Y as up; printing counts Z.",
	Harm:   "It lies on its back in the build space. The shape is right.",
	Action: "It is a suggestion only: nothing is turned by itself.",
	sketch: sketches{"l M8 64h60|s M14 50h56v12h-56z|b M84 60H58m6-5-6 5 6 5|t 88 52 Y",
		"l M8 64h60|s M30 10h14v52h-14z|n M60 60V20m-5 6 5-6 5 6|t 68 18 Z"},
	find: func(s *Subject) *Finding {
		size := s.Box.Size()
		onZ, onY := s.base(2), s.base(1)
		if s.ZUp || onY < 0.25*size.X*size.Z || onZ > 0.02*size.X*size.Y || onZ > 0.05*onY {
			return nil
		}
		return &Finding{Count: 1, Summary: fmt.Sprintf("a flat base of %.3g cm² lies on its lowest Y side and none on its lowest Z side; with Y up it would be %s",
			onY/100, sides([3]float64{size.X, size.Z, size.Y}))}
	},
}

// base is the area in mm² of the triangles that lie exactly in the lowest plane
// of an axis.
func (s *Subject) base(axis int) (area float64) {
	low := s.Box.Min.Array()[axis]
	at := func(v int32) float64 {
		switch p := s.Mesh.Positions[v]; axis {
		case 1:
			return p.Y
		default:
			return p.Z
		}
	}
	for t, v := range s.Mesh.Triangles {
		if at(v[0]) == low && at(v[1]) == low && at(v[2]) == low {
			area += s.Mesh.AreaNormal(int32(t)).Length() / 2
		}
	}
	return area
}
