// Package process holds the limits of printing processes as plain data: what
// the machine takes, what it resolves, what its slicing software turns well.
package process

import (
	"cmp"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"regexp"
	"slices"
	"strings"
)

// Process is one printing process with its limits. Lengths are in mm.
type Process struct {
	Name         string     `json:"name"`
	Title        string     `json:"title"`
	MachineMM    [3]float64 `json:"machine_mm"`    // width, depth, height it can build
	TypicalMM    float64    `json:"typical_mm"`    // longest side of an ordinary part
	WallMM       float64    `json:"wall_mm"`       // thinnest wall that prints
	DetailMM     float64    `json:"detail_mm"`     // finest feature that shows
	LayerMM      float64    `json:"layer_mm"`      // height of a layer
	OverhangDeg  float64    `json:"overhang_deg"`  // steepest overhang without support, from upright
	DensityGCM3  float64    `json:"density_g_cm3"` // of the material
	PricePerCM3  float64    `json:"price_per_cm3"` // in the bureau's currency
	MaxTriangles int        `json:"max_triangles"` // what its slicing software takes well
	MaxBytes     int64      `json:"max_bytes"`     // likewise
	NeedsDrains  bool       `json:"needs_drains"`  // closed hollows trap material
	DrainMM      float64    `json:"drain_mm"`      // narrowest drain that empties
	Consent      Consent    `json:"consent"`
	// Policy answers questions ahead, by their ids.
	Policy map[string]string `json:"policy,omitempty"`
}

// Consent is how much a repair may change without asking a person.
type Consent struct {
	MovedMM float64 `json:"moved_mm"` // how far points are moved
	Removed float64 `json:"removed"`  // share of the surface that is taken away
	Filled  float64 `json:"filled"`   // area of new surface, as a share of what was there
	Volume  float64 `json:"volume"`   // share by which the volume changes
}

// Default is the process a batch gets when nobody says otherwise.
const Default = "filament"

var ordinary = Consent{MovedMM: 0.02, Removed: 0.05, Filled: 0.5, Volume: 0.1}

// All are the processes Veneer starts with, in alphabetical order.
func All() []Process {
	return []Process{
		{Name: "colour", Title: "Full colour", MachineMM: [3]float64{254, 381, 203}, TypicalMM: 90, WallMM: 2, DetailMM: 0.4, LayerMM: 0.1, OverhangDeg: 90,
			DensityGCM3: 1.45, PricePerCM3: 0.90, MaxTriangles: 1_000_000, MaxBytes: 80 << 20, NeedsDrains: true, DrainMM: 5, Consent: ordinary},
		{Name: "filament", Title: "Melted filament", MachineMM: [3]float64{300, 300, 320}, TypicalMM: 100, WallMM: 0.8, DetailMM: 0.4, LayerMM: 0.2, OverhangDeg: 45,
			DensityGCM3: 1.24, PricePerCM3: 0.25, MaxTriangles: 1_000_000, MaxBytes: 60 << 20, Consent: ordinary},
		{Name: "metal", Title: "Fused metal powder", MachineMM: [3]float64{250, 250, 300}, TypicalMM: 60, WallMM: 0.4, DetailMM: 0.2, LayerMM: 0.04, OverhangDeg: 45,
			DensityGCM3: 7.9, PricePerCM3: 6.50, MaxTriangles: 2_000_000, MaxBytes: 120 << 20, NeedsDrains: true, DrainMM: 4, Consent: ordinary},
		{Name: "powder", Title: "Sintered powder", MachineMM: [3]float64{340, 340, 600}, TypicalMM: 90, WallMM: 0.7, DetailMM: 0.3, LayerMM: 0.1, OverhangDeg: 90,
			DensityGCM3: 0.95, PricePerCM3: 0.45, MaxTriangles: 2_000_000, MaxBytes: 120 << 20, NeedsDrains: true, DrainMM: 4, Consent: ordinary},
		{Name: "resin", Title: "Cured resin", MachineMM: [3]float64{192, 120, 245}, TypicalMM: 75, WallMM: 0.5, DetailMM: 0.1, LayerMM: 0.05, OverhangDeg: 60,
			DensityGCM3: 1.15, PricePerCM3: 0.35, MaxTriangles: 2_000_000, MaxBytes: 100 << 20, NeedsDrains: true, DrainMM: 3, Consent: ordinary},
	}
}

// Named finds one of the processes that Veneer starts with.
func Named(name string) (Process, error) { return Find(All(), name) }

// Find finds a process by name; the error lists those there are.
func Find(list []Process, name string) (Process, error) {
	var names []string
	for _, p := range list {
		if p.Name == name {
			return p, nil
		}
		names = append(names, p.Name)
	}
	return Process{}, fmt.Errorf("no process is called %q; there are %s", name, strings.Join(names, ", "))
}

// Read reads a process from its JSON and proves it. Limits that are unknown, or of the
// wrong kind, are errors.
func Read(r io.Reader) (p Process, err error) {
	d := json.NewDecoder(r)
	d.DisallowUnknownFields()
	if err := d.Decode(&p); err != nil {
		return p, fmt.Errorf("no process: %w", err)
	}
	return p, p.Prove()
}

// Prove tells what is wrong with a process: a name that could not stand on a command
// line, or a limit that no machine has.
func (p Process) Prove() error {
	if !isName.MatchString(p.Name) {
		return fmt.Errorf("a process's name has 1 to 40 small letters, digits and hyphens, and begins with a letter; not %q", p.Name)
	}
	if n := len([]rune(p.Title)); n == 0 || n > 60 {
		return errors.New("a process's title has 1 to 60 letters")
	}
	for _, is := range []struct {
		limit       string
		value       float64
		least, most float64
	}{
		{"machine_mm, the width,", p.MachineMM[0], 1, 100_000}, {"machine_mm, the depth,", p.MachineMM[1], 1, 100_000}, {"machine_mm, the height,", p.MachineMM[2], 1, 100_000},
		{"typical_mm", p.TypicalMM, 0.1, 100_000},
		{"wall_mm", p.WallMM, 0.001, 1000}, {"detail_mm", p.DetailMM, 0.001, 1000}, {"layer_mm", p.LayerMM, 0.001, 100},
		{"overhang_deg", p.OverhangDeg, 0, 90},
		{"density_g_cm3", p.DensityGCM3, 0.001, 30}, {"price_per_cm3", p.PricePerCM3, 0, 1e6},
		{"max_triangles", float64(p.MaxTriangles), 100, 1e9}, {"max_bytes", float64(p.MaxBytes), 1000, 1e12},
		{"drain_mm", p.DrainMM, 0, 1000},
		{"consent.moved_mm", p.Consent.MovedMM, 0, 1000}, {"consent.removed", p.Consent.Removed, 0, 1}, {"consent.filled", p.Consent.Filled, 0, 100}, {"consent.volume", p.Consent.Volume, 0, 100},
	} {
		if !(is.value >= is.least && is.value <= is.most) {
			return fmt.Errorf("%s is from %.10g to %.10g, not %.10g", is.limit, is.least, is.most, is.value)
		}
	}
	if p.NeedsDrains && p.DrainMM == 0 {
		return errors.New("a process that needs drains says how wide they are, by drain_mm")
	}
	if len(p.Policy) > 50 {
		return errors.New("a policy has at most 50 answers")
	}
	for question, answer := range p.Policy {
		if question == "" || answer == "" || len(question) > 60 || len(answer) > 60 {
			return fmt.Errorf("a policy answers questions by their ids, not %q by %q", question, answer)
		}
	}
	return nil
}

var isName = regexp.MustCompile(`^[a-z][a-z0-9-]{0,39}$`)

// Fit says how a part of that size fits the machine.
type Fit int

const (
	Fits       Fit = iota
	FitsTurned     // when turned by quarter turns
	FitsNot
)

// Fit compares a part's size in mm with the machine.
func (p Process) Fit(size [3]float64) Fit {
	within := func(a, b [3]float64) bool { return a[0] <= b[0] && a[1] <= b[1] && a[2] <= b[2] }
	if within(size, p.MachineMM) {
		return Fits
	}
	part, machine := size, p.MachineMM
	slices.SortFunc(part[:], cmp.Compare)
	slices.SortFunc(machine[:], cmp.Compare)
	if within(part, machine) {
		return FitsTurned
	}
	return FitsNot
}
