// Package demo makes the demo set: the files of a walk-in tide-clock exhibit
// that a harbour museum orders from the bureau Saltmarsh Print Works, in three
// batches. Each file has a known condition, written in a manifest that tests
// hold the check and the repair against.
package demo

import (
	"bytes"
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"slices"

	"veneer/core/geom"
	"veneer/core/mesh"
)

// Batch is one delivery of the museum.
type Batch struct {
	Name     string `json:"name"`
	Folder   string `json:"folder"`
	Customer string `json:"customer"`
	Process  string `json:"process"`
	Files    []File `json:"files"`
}

// File is one file with its known condition.
type File struct {
	Name      string         `json:"name"`
	Condition string         `json:"condition"`
	Findings  map[string]int `json:"findings"`          // every finding of the first check, with its count
	Verdict   string         `json:"verdict"`           // of the file as received
	Repaired  string         `json:"repaired"`          // verdict after repair; "" when none is tried
	Shells    int            `json:"shells"`            // 0 for files that cannot be read
	Joined    int            `json:"joined,omitempty"`  // shells after repair, when that joins some
	Genus     *int           `json:"genus,omitempty"`   // of the part as it was modelled
	Refusal   string         `json:"refusal,omitempty"` // words that the refusal must contain

	make   func() []byte
	beside []companion
}

// companion is a file that comes along with another: its materials or texture.
type companion struct {
	name string
	make func() []byte
}

// Beside makes the files that come along with the file, by their names.
func (f File) Beside() map[string][]byte {
	all := map[string][]byte{}
	for _, c := range f.beside {
		all[c.name] = c.make()
	}
	return all
}

// Bytes makes the file.
func (f File) Bytes() []byte { return f.make() }

func solid(s *shape) *mesh.Mesh {
	m := s.mesh()
	m.Round()
	return m
}

// damaged makes a good mesh and does something to it.
func damaged(s *shape, do ...func(*mesh.Mesh)) *mesh.Mesh {
	m := solid(s)
	for _, d := range do {
		d(m)
	}
	return m
}

func move(x, y, z float64) geom.Matrix { return geom.Matrix{1, 0, 0, 0, 1, 0, 0, 0, 1, x, y, z} }

func clean(name, condition string, shells, genus int, make func() []byte) File {
	return File{Name: name, Condition: condition, Findings: map[string]int{}, Verdict: "pass", Shells: shells, Genus: &genus, make: make}
}

func broken(name, condition string, shells int, findings map[string]int, repaired string, make func() []byte) File {
	return File{Name: name, Condition: condition, Findings: findings, Verdict: "repair", Repaired: repaired, Shells: shells, make: make}
}

func refused(name, condition, refusal string, make func() []byte) File {
	return File{Name: name, Condition: condition, Findings: map[string]int{}, Verdict: "reject", Refusal: refusal, make: make}
}

// overhanging are the files with surface that leans out further than their
// process prints without support, as they lie; in how many regions is the
// check's to count.
var overhanging = []string{"bollard.stl", "capstan.stl", "chain.3mf", "channel-buoy.obj", "fog-bell.stl", "horn-cleat.stl", "hull-section.obj",
	"lantern-cage.3mf", "mooring-post.stl", "bell-clapper.stl", "lamp-lens.stl", "rope-knot.stl", "sounding-board.stl", "sextant-stand.stl"}

// Batches is the demo set.
func Batches() []Batch {
	batches := batches()
	for _, b := range batches {
		for _, f := range b.Files {
			if slices.Contains(overhanging, f.Name) {
				f.Findings["overhang"] = -1
			}
		}
	}
	return batches
}

func batches() []Batch {
	return []Batch{
		{Name: "Tide gallery, floor pieces", Folder: "1-floor-pieces", Customer: "Harbour Museum", Process: "filament", Files: floorPieces()},
		{Name: "Tide gallery, dial and fittings", Folder: "2-dial-and-fittings", Customer: "Harbour Museum", Process: "resin", Files: dialAndFittings()},
		{Name: "Wall panels and late files", Folder: "3-wall-panels", Customer: "Harbour Museum, exhibitions", Process: "powder", Files: wallPanels()},
	}
}

func floorPieces() []File {
	return []File{
		clean("bollard.stl", "clean", 1, 0, func() []byte { return binarySTL(solid(bollard())) }),
		clean("mooring-post.stl", "clean, as text", 1, 0, func() []byte { return textSTL(solid(mooringPost()), "mooring post") }),
		clean("channel-buoy.obj", "clean, faces of four corners", 1, 0, func() []byte { return polygonOBJ("channel_buoy", channelBuoy()) }).withUneven(),
		broken("fog-bell.stl", "three holes", 1, map[string]int{"open-boundary": 3}, "pass", func() []byte {
			return binarySTL(damaged(fogBell(),
				func(m *mesh.Mesh) { punch(m, geom.Vec{X: 40, Y: 20, Z: 36}, 7) },
				func(m *mesh.Mesh) { punch(m, geom.Vec{X: -36, Y: 6, Z: 60}, 5) },
				func(m *mesh.Mesh) { punch(m, geom.Vec{X: 10, Y: -52, Z: 12}, 6) }))
		}),
		broken("horn-cleat.stl", "24 flipped triangles", 1, map[string]int{"flipped-triangle": 24}, "pass", func() []byte {
			return binarySTL(damaged(hornCleat(), func(m *mesh.Mesh) { flip(m, 24, 5) }))
		}),
		clean("lantern-cage.3mf", "clean, 16 windows", 1, 17, func() []byte {
			return package3MF("millimeter", item{"lantern cage", solid(lanternCage()), geom.Identity})
		}),
		broken("hull-section.obj", "inside out", 1, map[string]int{"inside-out-shell": 1}, "pass", func() []byte {
			s := hullSection()
			for _, f := range s.faces {
				for i, j := 0, len(f)-1; i < j; i, j = i+1, j-1 {
					f[i], f[j] = f[j], f[i]
				}
			}
			return polygonOBJ("hull_section", s)
		}).withUneven(),
		broken("capstan.stl", "40 triangles twice", 1, map[string]int{"duplicate-triangle": 40, "non-manifold-edge": 120, "self-intersection": 40}, "pass", func() []byte {
			return binarySTL(damaged(capstan(), func(m *mesh.Mesh) { repeat(m, 40, 8) }))
		}),
		clean("chain.3mf", "clean, five links that hang in one another", 5, 5, func() []byte {
			link := solid(chainLink())
			items := []item{{"chain link", link, geom.Identity}}
			for i := 1; i < 5; i++ {
				at := move(36*float64(i), 0, 0)
				if i%2 == 1 { // every other link stands upright
					at = geom.Matrix{1, 0, 0, 0, 0, 1, 0, -1, 0, 36 * float64(i), 0, 0}
				}
				items = append(items, item{at: at})
			}
			return package3MF("millimeter", items...)
		}),
		clean("wind-vanes.3mf", "clean, the second placed as a mirror image", 2, 4, func() []byte {
			return package3MF("millimeter", item{"wind vane", solid(windVane()), geom.Identity},
				item{at: geom.Matrix{-1, 0, 0, 0, 1, 0, 0, 0, 1, 0, 40, 0}})
		}).with("mirrored", 1).with("thin-wall", -1),
	}
}

func dialAndFittings() []File {
	return []File{
		clean("tide-dial.3mf", "clean, raised numerals, many triangles", 1, 0, func() []byte {
			return package3MF("millimeter", item{"tide dial", solid(tideDial()), geom.Identity})
		}),
		{Name: "hour-hand.stl", Condition: "made in inches, and does not say so: 4.8 of something long", Findings: map[string]int{"unit": 1}, Verdict: "hold", Shells: 1,
			make: func() []byte {
				m := hand(110).mesh()
				m.Scale(1 / 25.4)
				m.Round()
				return binarySTL(m)
			}},
		clean("minute-hand.obj", "clean", 1, 1, func() []byte { return polygonOBJ("minute_hand", hand(156)) }),
		broken("compass-rose.stl", "6 edges split on one side, with triangles without area in the slits", 1,
			map[string]int{"degenerate-triangle": 6, "self-intersection": 12}, "pass", func() []byte {
				return binarySTL(damaged(compassRose(), func(m *mesh.Mesh) { crack(m, 6, 3) }))
			}),
		broken("lamp-lens.stl", "a hole and 30 flipped triangles", 1, map[string]int{"open-boundary": 1, "flipped-triangle": 30}, "pass", func() []byte {
			return textSTL(damaged(lampLens(), func(m *mesh.Mesh) { punch(m, geom.Vec{X: 34, Z: 34}, 6) }, func(m *mesh.Mesh) { flip(m, 30, 9) }), "lamp lens")
		}).with("fine-detail", -1),
		clean("porthole-frame.3mf", "clean, in inches and said so", 1, 9, func() []byte {
			m := portholeFrame().mesh()
			m.Scale(1 / 25.4)
			m.Round()
			return package3MF("inch", item{"porthole frame", m, geom.Identity})
		}).with("sliver", 4),
		clean("dial-face.obj", "clean, painted, with a material library and a picture beside it", 1, 0, func() []byte {
			return paintedOBJ("dial_face", dialFace(), "dial-face.mtl", "face", func(p geom.Vec) [2]float64 { return [2]float64{0.5 + p.X/120, 0.5 + p.Y/120} })
		}).along("dial-face.mtl", func() []byte { return []byte("newmtl face\nKd 1 1 1\nmap_Kd dial-face.png\n") }).along("dial-face.png", dialPicture),
		clean("sounding-board.stl", "clean, drawn with Y up and two metres away from the origin", 1, 1, func() []byte {
			m := solid(hand(120))
			for i, p := range m.Positions { // the floor becomes the lowest Y side
				m.Positions[i] = geom.Vec{X: p.X + 2000, Y: p.Z, Z: -p.Y}
			}
			m.Round()
			return binarySTL(m)
		}).with("off-bed", 1).with("up-axis", 1),
		clean("rope-knot.stl", "clean", 1, 1, func() []byte { return binarySTL(solid(ropeKnot())) }),
		broken("bell-clapper.stl", "3 fins standing off the surface", 1, map[string]int{"open-boundary": 3, "non-manifold-edge": 3}, "pass", func() []byte {
			return binarySTL(damaged(bellClapper(), func(m *mesh.Mesh) { fin(m, 3, 4) }))
		}),
		broken("sextant-stand.stl", "a post pushed into its foot and never joined", 2, map[string]int{"overlapping-shells": 1, "self-intersection": -1}, "pass", func() []byte {
			return binarySTL(solid(sextantStand()))
		}).joins(1),
		broken("tide-gear.stl", "the underside is missing", 1, map[string]int{"open-boundary": 7}, "pass", func() []byte {
			m := solid(tideGear())
			m.Keep(func(t int32) bool {
				a, b, c := m.Corners(t)
				return a.Z != 0 || b.Z != 0 || c.Z != 0
			})
			return binarySTL(m)
		}).with("sliver", 2).ofGenus(6),
	}
}

func wallPanels() []File {
	return []File{
		clean("float-ball.stl", "clean, with a hollow", 2, 0, func() []byte { return binarySTL(solid(hollowBall(38, 34, 48, false))) }).with("nested-shell", 1).with("trapped-volume", 1),
		{Name: "net-float.obj", Condition: "the hollow's skin faces the wrong way, so that it could be a solid left inside", Verdict: "hold", Repaired: "pass", Shells: 2,
			Findings: map[string]int{"inside-out-shell": 1, "nested-shell": 1}, make: func() []byte { return polygonOBJ("net_float", hollowBall(30, 26, 40, true)) }},
		broken("wall-sign.stl", "two holes and 12 triangles twice", 1, map[string]int{"open-boundary": 2, "duplicate-triangle": 12, "non-manifold-edge": 36, "self-intersection": 12}, "pass", func() []byte {
			return binarySTL(damaged(wallSign(),
				func(m *mesh.Mesh) { punch(m, geom.Vec{X: -30, Y: 5, Z: 5}, 3) },
				func(m *mesh.Mesh) { punch(m, geom.Vec{X: 52, Y: -12, Z: 5}, 4) },
				func(m *mesh.Mesh) { repeat(m, 12, 6) }))
		}),
		{Name: "wave-panel.obj", Condition: "clean, but larger than the machine", Findings: map[string]int{"oversize": 1, "uneven-face": -1}, Verdict: "pass", Shells: 1,
			make: func() []byte { return polygonOBJ("wave_panel", wavePanel()) }},
		refused("late-sketch.stl", "empty", "empty", func() []byte { return nil }),
		{Name: "cut-short.stl", Condition: "cut off in the middle of the transfer: three fifths of its triangles are there", Verdict: "hold", Shells: 1,
			Findings: map[string]int{"cut-short": 1, "open-boundary": 1}, make: func() []byte {
				b := binarySTL(solid(bollard()))
				return b[:len(b)*3/5]
			}},
		refused("torn-off.stl", "cut off soon after its start", "cut short", func() []byte {
			b := binarySTL(solid(bollard()))
			return b[:len(b)/5]
		}),
		refused("holiday.stl", "a JPEG picture under another name", "JPEG", func() []byte {
			return append([]byte("\xff\xd8\xff\xe0\x00\x10JFIF\x00"), bytes.Repeat([]byte{0x55, 0xaa, 0x13}, 900)...)
		}),
		refused("sounding-lead.stl", "a coordinate that is no number", "line", func() []byte {
			return bytes.Replace(textSTL(solid(bellClapper()), "sounding lead"), []byte("vertex 0 0 0"), []byte("vertex nan 0 0"), 1)
		}),
		refused("tally-board.obj", "a face names a vertex that is not there", "line", func() []byte {
			return append(polygonOBJ("tally_board", slab(60, 40, 6, 4, func(x, y float64) float64 { return 3 })), "f 1 2 9999\n"...)
		}),
		refused("sea-chart.3mf", "no package at all", "zip", func() []byte { return []byte("This was meant to be the chart, sorry.\n") }),
	}
}

// with adds a finding that does not change the verdict.
func (f File) with(kind string, count int) File {
	f.Findings[kind] = count
	return f
}

// joins says how many shells the part has once those that overlap are one.
func (f File) joins(n int) File {
	f.Joined = n
	return f
}

// ofGenus says how many through-holes the part has as it was modelled.
func (f File) ofGenus(n int) File {
	f.Genus = &n
	return f
}

// along adds a file that comes along.
func (f File) along(name string, make func() []byte) File {
	f.beside = append(f.beside, companion{name, make})
	return f
}

// withUneven says that the file's four-sided faces are not all flat; how many
// is the reader's to count.
func (f File) withUneven() File {
	f.Findings["uneven-face"] = -1
	return f
}

// Write makes the whole set below dir, a folder for each batch, with
// manifest.json beside them.
func Write(dir string) ([]Batch, error) {
	batches := Batches()
	for _, b := range batches {
		folder := filepath.Join(dir, b.Folder)
		if err := os.MkdirAll(folder, 0o755); err != nil {
			return nil, err
		}
		for _, f := range b.Files {
			all := f.Beside()
			all[f.Name] = f.Bytes()
			for name, content := range all {
				if err := os.WriteFile(filepath.Join(folder, name), content, 0o644); err != nil {
					return nil, fmt.Errorf("demo set: %w", err)
				}
			}
		}
	}
	text, err := json.MarshalIndent(batches, "", "  ")
	if err != nil {
		return nil, err
	}
	return batches, os.WriteFile(filepath.Join(dir, "manifest.json"), append(text, '\n'), 0o644)
}
