package demo

import (
	"math"

	"veneer/core/geom"
)

// The pieces of the tide-clock exhibit. Every function returns a closed surface
// that faces outward, in mm; the conditions are made to them later.

func bollard() *shape {
	return lathe(smooth([][2]float64{{0, 0}, {46, 0}, {48, 3}, {48, 9}, {40, 13}, {31, 24}, {27, 48}, {28, 72}, {34, 84},
		{46, 92}, {50, 101}, {46, 110}, {30, 117}, {0, 120}}, 6), 96, nil)
}

func mooringPost() *shape {
	profile := [][2]float64{{0, 0}, {30, 0}, {30, 12}, {22, 16}}
	for i := range 9 { // rope grooves
		z := 40 + 7*float64(i)
		profile = append(profile, [2]float64{22, z - 3.4}, [2]float64{19.6, z - 2}, [2]float64{18.8, z}, [2]float64{19.6, z + 2})
	}
	profile = append(profile, [2]float64{22, 104}, [2]float64{24, 118}, [2]float64{27, 126}, [2]float64{24, 138}, [2]float64{12, 148}, [2]float64{0, 150})
	return lathe(profile, 72, nil)
}

func channelBuoy() *shape {
	return lathe(smooth([][2]float64{{0, 0}, {18, 1}, {44, 12}, {58, 30}, {60, 42}, {52, 50}, {34, 58}, {24, 78}, {17, 112}, {13, 134},
		{22, 140}, {24, 150}, {18, 160}, {0, 166}}, 6), 108, func(a, z float64) float64 {
		if z < 56 || z > 134 {
			return 1
		}
		return 1 + 0.05*math.Cos(8*a)
	})
}

func fogBell() *shape {
	outer := smooth([][2]float64{{58, 0}, {56, 4}, {50, 14}, {42, 34}, {37, 58}, {34, 76}, {26, 90}, {12, 97}, {9, 100}, {11, 108}, {0, 114}}, 7)
	inner := smooth([][2]float64{{0, 86}, {14, 84}, {26, 76}, {30, 60}, {35, 38}, {43, 16}, {50, 4}, {53, 0}}, 7)
	return lathe(append(inner, outer...), 120, nil)
}

func hornCleat() *shape {
	const half, rise, n = 80.0, 34.0, 40
	var sections [][]geom.Vec
	for i := range 81 {
		t := float64(i)/40 - 1 // -1..1
		x := half * t
		a := math.Abs(t)
		bulge := math.Sqrt(max(0, 1-math.Pow(a, 6))) // closes the horns' tips
		top := rise + 7*a*a*a
		foot := math.Max(0, math.Min(1, (0.42-a)/0.14)) // 1 over the base, 0 along the horns
		foot = foot * foot * (3 - 2*foot)
		thick := 7.5 * (0.15 + 0.85*bulge) * (1 - 0.35*a)
		low := (top - 2*thick) * (1 - foot)
		width := thick + 9*foot
		var section []geom.Vec
		for k := range n {
			s, c := math.Sincos(2 * math.Pi * float64(k) / n)
			flare := 1.0
			if s < 0 {
				flare += 0.5 * foot * -s
			}
			section = append(section, geom.Vec{X: x, Y: width * flare * soften(c), Z: (top+low)/2 + (top-low)/2*soften(s)})
		}
		sections = append(sections, section)
	}
	return loft(sections)
}

// soften squares an ellipse's corners a little.
func soften(x float64) float64 { return math.Copysign(math.Pow(math.Abs(x), 0.75), x) }

func lanternCage() *shape {
	profile := smooth([][2]float64{{34, 0}, {38, 8}, {44, 30}, {46, 60}, {44, 90}, {36, 118}, {18, 136}}, 8)
	var rows [][3]float64
	for _, p := range profile {
		rows = append(rows, [3]float64{p[0] - 4, p[0], p[1]})
	}
	const n = 96
	return windowed(rows, n, func(row, k int) bool {
		bar := k%12 < 4
		band := row < 6 || row >= 42 || row >= 22 && row < 26
		return !bar && !band
	})
}

func hullSection() *shape {
	const n = 28
	var sections [][]geom.Vec
	for i := range 61 {
		x := 3.2 * float64(i)
		t := float64(i) / 60
		beam := 62 * (1 - 0.75*math.Pow(t, 2.4))
		depth := 64 + 22*t*t
		var outer, inner []geom.Vec
		for k := range n + 1 {
			a := math.Pi * (float64(k)/n - 0.5) // sheer, keel, sheer
			shape := func(b, d float64) geom.Vec {
				return geom.Vec{X: x, Y: b * math.Copysign(math.Pow(math.Abs(math.Sin(a)), 0.8), math.Sin(a)), Z: 90 + 14*t - d*math.Pow(math.Abs(math.Cos(a)), 0.7)}
			}
			outer = append(outer, shape(beam, depth))
			inner = append(inner, shape(beam-4, depth-5))
		}
		section := append([]geom.Vec(nil), outer...)
		for k := n; k >= 0; k-- {
			section = append(section, inner[k])
		}
		sections = append(sections, section)
	}
	return loft(sections)
}

func capstan() *shape {
	return lathe(smooth([][2]float64{{0, 0}, {44, 0}, {46, 4}, {44, 12}, {36, 18}, {27, 40}, {26, 56}, {32, 74}, {46, 82}, {50, 90}, {49, 100}, {40, 106}, {0, 110}}, 6), 144,
		func(a, z float64) float64 {
			if z < 16 || z > 80 {
				return 1
			}
			return 1 + 0.10*math.Max(0, math.Cos(6*a))*math.Sin(math.Pi*(z-16)/64)
		})
}

// chainLink is a stadium-shaped link, lying flat.
func chainLink() *shape {
	const long, r, wire = 22.0, 13.0, 5.0
	around := 4*long/2 + 2*math.Pi*r
	return tube(func(t float64) geom.Vec {
		d := math.Mod(t+1, 1) * around
		switch {
		case d < long:
			return geom.Vec{X: d - long/2, Y: -r}
		case d < long+math.Pi*r:
			s, c := math.Sincos((d-long)/r - math.Pi/2)
			return geom.Vec{X: long/2 + r*c, Y: r * s}
		case d < 2*long+math.Pi*r:
			return geom.Vec{X: long/2 - (d - long - math.Pi*r), Y: r}
		default:
			s, c := math.Sincos((d-2*long-math.Pi*r)/r + math.Pi/2)
			return geom.Vec{X: -long/2 + r*c, Y: r * s}
		}
	}, 96, 24, func(float64, float64) float64 { return wire })
}

// numerals of the dial, as strokes in a box one high and about half as wide.
var strokes = map[rune][][4]float64{
	'I': {{0.25, 0, 0.25, 1}},
	'V': {{0, 1, 0.3, 0}, {0.3, 0, 0.6, 1}},
	'X': {{0, 0, 0.6, 1}, {0, 1, 0.6, 0}},
	'T': {{0, 1, 0.7, 1}, {0.35, 0, 0.35, 1}},
	'D': {{0, 0, 0, 1}, {0, 1, 0.35, 1}, {0.35, 1, 0.6, 0.7}, {0.6, 0.7, 0.6, 0.3}, {0.6, 0.3, 0.35, 0}, {0.35, 0, 0, 0}},
	'E': {{0, 0, 0, 1}, {0, 0, 0.55, 0}, {0, 0.5, 0.45, 0.5}, {0, 1, 0.55, 1}},
}

var widths = map[rune]float64{'I': 0.5, 'V': 0.85, 'X': 0.85, 'T': 0.95, 'D': 0.9, 'E': 0.8}

// textDistance is how far (x, y) is from the strokes of a text one high,
// centred at the origin.
func textDistance(text string, x, y float64) float64 {
	total := 0.0
	for _, c := range text {
		total += widths[c]
	}
	best := math.Inf(1)
	at := -total / 2
	for _, c := range text {
		pad := 0.12
		for _, s := range strokes[c] {
			best = min(best, segmentDistance(x-at-pad, y+0.5, s))
		}
		at += widths[c]
	}
	return best
}

func segmentDistance(x, y float64, s [4]float64) float64 {
	dx, dy := s[2]-s[0], s[3]-s[1]
	t := max(0, min(1, ((x-s[0])*dx+(y-s[1])*dy)/(dx*dx+dy*dy)))
	return math.Hypot(x-s[0]-t*dx, y-s[1]-t*dy)
}

// rise is 1 inside a stroke and falls to 0 over a bevel.
func rise(distance, half, bevel float64) float64 {
	t := max(0, min(1, (half+bevel-distance)/bevel))
	return t * t * (3 - 2*t)
}

var hours = []string{"XII", "I", "II", "III", "IIII", "V", "VI", "VII", "VIII", "IX", "X", "XI"}

// tideDial is a round plate with raised numerals, a rim, ticks and a wave ring.
func tideDial() *shape {
	const radius, nr, na = 58.0, 150, 480
	relief := func(r, a float64) float64 {
		x, y := r*math.Sin(a), r*math.Cos(a)
		h := 3.0
		h += 1.6 * rise(math.Abs(r-56), 1.2, 0.8)
		if r > 46 && r < 54 {
			tick := math.Mod(a/(2*math.Pi)*60+60.5, 1) - 0.5
			h += 0.7 * rise(math.Abs(tick)*2*math.Pi*r/60, 0.35, 0.35) * rise(math.Abs(r-51.5), 1.4, 0.5)
		}
		hour := int(math.Mod(math.Round(a/(2*math.Pi)*12)+12, 12))
		s, c := math.Sincos(2 * math.Pi * float64(hour) / 12)
		u, v := (x-40*s)*c-(y-40*c)*s, (x-40*s)*s+(y-40*c)*c
		h += 1.4 * rise(textDistance(hours[hour], u/9, v/9)*9, 0.65, 0.5)
		if r < 31 && r > 8 {
			h += 0.8 * rise(math.Abs(math.Mod(r+1.6*math.Sin(9*a)+30, 6)-3), 0.8, 0.9)
		}
		h += 1.2 * rise(r, 5, 1)
		return h
	}
	s := &shape{}
	middle, under := s.point(0, 0, relief(0, 0)), s.point(0, 0, 0)
	var last, low []int32
	for i := 1; i <= nr; i++ {
		r := radius * float64(i) / nr
		var row []int32
		for k := range na {
			a := 2 * math.Pi * float64(k) / na
			row = append(row, s.point(r*math.Cos(a), r*math.Sin(a), relief(r, math.Pi/2-a)))
		}
		for k := range na {
			if i == 1 {
				s.face(middle, row[k], row[(k+1)%na])
			} else {
				s.face(last[k], row[k], row[(k+1)%na], last[(k+1)%na])
			}
		}
		last = row
	}
	for k := range na {
		a := 2 * math.Pi * float64(k) / na
		low = append(low, s.point(radius*math.Cos(a), radius*math.Sin(a), 0))
	}
	s.ring(low, last)
	for k := range na {
		s.face(under, low[(k+1)%na], low[k])
	}
	return s
}

// hand is a pointer with an eye and a crescent, as long as said.
func dialFace() *shape {
	return lathe([][2]float64{{0, 0}, {58, 0}, {60, 2}, {60, 4}, {57, 6}, {30, 6.5}, {0, 7}}, 72, nil)
}

func sextantStand() *shape {
	s := lathe(smooth([][2]float64{{0, 0}, {32, 0}, {34, 3}, {30, 9}, {14, 13}, {0, 14}}, 5), 72, nil)
	s.add(lathe(smooth([][2]float64{{0, 5}, {6, 5}, {6.5, 20}, {5, 52}, {8, 58}, {0, 62}}, 5), 48, nil), geom.Identity)
	return s
}

func hand(length float64) *shape {
	w := length * 0.035
	outline := [][2]float64{}
	for i := range 25 { // round the boss
		a := math.Pi * (0.18 + (2-0.36)*float64(i)/24)
		outline = append(outline, [2]float64{3 * w * math.Cos(a), 3 * w * math.Sin(a)})
	}
	outline = append(outline, [2]float64{length * 0.55, -w * 0.8}, [2]float64{length * 0.62, -w * 2.2}, [2]float64{length, 0},
		[2]float64{length * 0.62, w * 2.2}, [2]float64{length * 0.55, w * 0.8})
	return extrude(outline, [][][2]float64{circle(0, 0, 1.5*w, 32, true)}, w)
}

func compassRose() *shape {
	const size = 90.0
	return slab(size, size, 150, 150, func(x, y float64) float64 {
		r, a := math.Hypot(x, y), math.Atan2(y, x)
		h := 3.0
		for i, long := range []float64{40, 28} { // four long points, four short ones between
			b := math.Mod(a+float64(i)*math.Pi/4+4*math.Pi, math.Pi/2) - math.Pi/4
			across, along := math.Abs(r*math.Sin(math.Pi/4-math.Abs(b))), r*math.Cos(math.Pi/4-math.Abs(b))
			if edge := (long - along) * 0.22; edge > 0 {
				h = max(h, 3+max(0, 4.5*(1-along/long)*(1-across/edge)+0.4))
			}
		}
		return h + 1.2*rise(math.Abs(r-41.5), 0.9, 0.6)
	})
}

func lampLens() *shape {
	profile := [][2]float64{{0, 0}, {30, 0}, {30, 4}}
	for i := range 9 { // stepped prisms, thicker to the middle
		z := 6 + 6*float64(i)
		bulge := 8 * math.Sin(math.Pi*(float64(i)+1)/10)
		profile = append(profile, [2]float64{27, z}, [2]float64{29 + bulge, z + 1}, [2]float64{28.5 + bulge*0.8, z + 4.6})
	}
	profile = append(profile, [2]float64{27, 61}, [2]float64{30, 63}, [2]float64{30, 67}, [2]float64{0, 67})
	return lathe(profile, 128, nil)
}

func portholeFrame() *shape {
	holes := [][][2]float64{circle(0, 0, 38, 96, true)}
	for i := range 8 {
		s, c := math.Sincos(2*math.Pi*float64(i)/8 + 0.2)
		holes = append(holes, circle(47*c, 47*s, 2.6, 24, true))
	}
	return extrude(circle(0, 0, 55, 128, false), holes, 8)
}

// ropeKnot is a trefoil of three-stranded rope.
func ropeKnot() *shape {
	return tube(func(t float64) geom.Vec {
		a := 2 * math.Pi * t
		return geom.Vec{X: 17 * (math.Sin(a) + 2*math.Sin(2*a)), Y: 17 * (math.Cos(a) - 2*math.Cos(2*a)), Z: -14 * math.Sin(3*a)}
	}, 900, 36, func(a, t float64) float64 {
		return 6.4 * (0.82 + 0.18*math.Abs(math.Cos(1.5*a+2*math.Pi*24*t)))
	})
}

func bellClapper() *shape {
	return lathe(smooth([][2]float64{{0, 0}, {9, 1}, {14, 8}, {15, 15}, {11, 24}, {5, 31}, {4, 44}, {4, 74}, {7, 80}, {8, 86}, {4, 92}, {0, 93}}, 5), 64, nil)
}

func tideGear() *shape {
	var outline [][2]float64
	const teeth = 32
	for i := range teeth {
		for _, p := range [][2]float64{{0, 34}, {0.22, 34.4}, {0.36, 38.6}, {0.64, 38.6}, {0.78, 34.4}} {
			s, c := math.Sincos(2 * math.Pi * (float64(i) + p[0]) / teeth)
			outline = append(outline, [2]float64{p[1] * c, p[1] * s})
		}
	}
	holes := [][][2]float64{circle(0, 0, 6, 48, true)}
	for i := range 5 {
		s, c := math.Sincos(2 * math.Pi * float64(i) / 5)
		holes = append(holes, circle(20*c, 20*s, 7.5, 40, true))
	}
	return extrude(outline, holes, 9)
}

// ball is a sphere of n by 2n quads.
func ball(radius float64, n int) *shape {
	profile := [][2]float64{{0, -radius}}
	for i := 1; i < n; i++ {
		s, c := math.Sincos(math.Pi * float64(i) / float64(n))
		profile = append(profile, [2]float64{radius * s, -radius * c})
	}
	return lathe(append(profile, [2]float64{0, radius}), 2*n, nil)
}

// hollowBall is a sphere with a spherical hollow; its skin faces inward there,
// unless the hollow is to face the wrong way.
func hollowBall(outer, inner float64, n int, wrong bool) *shape {
	s := ball(outer, n)
	hollow := ball(inner, n)
	if !wrong {
		for _, f := range hollow.faces {
			for i, j := 0, len(f)-1; i < j; i, j = i+1, j-1 {
				f[i], f[j] = f[j], f[i]
			}
		}
	}
	s.add(hollow, geom.Identity)
	return s
}

func wallSign() *shape {
	return slab(150, 52, 300, 104, func(x, y float64) float64 {
		h := 4 + 1.6*rise(textDistance("TIDE", x/34, y/34)*34, 2.2, 1.1)
		edge := min(75-math.Abs(x), 26-math.Abs(y))
		return h + 1.2*rise(math.Abs(edge-3), 1, 0.6)
	})
}

func wavePanel() *shape {
	return slab(720, 380, 180, 95, func(x, y float64) float64 {
		return 16 + 6*math.Sin(x/38+1.4*math.Sin(y/60)) + 2.5*math.Sin((x+2*y)/17)
	})
}

func windVane() *shape {
	outline := [][2]float64{{-70, -3}, {-44, -3}, {-34, -14}, {-8, -3}, {44, -3}, {40, -12}, {78, 0}, {40, 12}, {44, 3}, {-8, 3}, {-34, 14}, {-44, 3}, {-70, 3}, {-60, 0}}
	return extrude(outline, [][][2]float64{circle(10, 0, 2, 24, true), circle(-30, 0, 3, 24, true)}, 5)
}
