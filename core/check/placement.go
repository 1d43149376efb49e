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
			a, b, c := s.Mesh.Corners(int32(t))
			area += b.Sub(a).Cross(c.Sub(a)).Length() / 2
		}
	}
	return area
}

var mirrored = Kind{
	Name: "mirrored", Title: "Placed as a mirror image", Usual: Note,
	What:   "The file places an object as the mirror image of how it is drawn.",
	Harm:   "None for the print, but a mirrored part may be the wrong hand: a left bracket for a right one.",
	Action: "The placement is carried out, and the triangles are turned to face outward again.",
	sketch: sketches{"s M12 60V12h12v36h18v12z|d M50 6V66|B M88 60V12H76v36H58v12z",
		"s M12 60V12h12v36h18v12z|d M50 6V66|N M88 60V12H76v36H58v12z"},
	find: func(s *Subject) *Finding {
		return &Finding{Count: s.Mirrored, Summary: some(s.Mirrored, "object is placed as a mirror image", "objects are placed as mirror images")}
	},
}
