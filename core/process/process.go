// Package process holds the limits of printing processes as plain data: what
// the machine takes, what it resolves, what its slicing software turns well.
package process

import (
	"cmp"
	"fmt"
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

// Named finds a process by name; the error lists those there are.
func Named(name string) (Process, error) {
	var names []string
	for _, p := range All() {
		if p.Name == name {
			return p, nil
		}
		names = append(names, p.Name)
	}
	return Process{}, fmt.Errorf("no process is called %q; there are %s", name, strings.Join(names, ", "))
}

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
