package pipeline

import (
	"context"
	"math"

	"veneer/core/check"
	"veneer/core/measure"
	"veneer/core/mesh"
	"veneer/core/repair"
)

// Comparison is what differs between two parts, A and B. Changes are from A to B,
// and nil where one of the two has no meaning.
type Comparison struct {
	Schema       string            `json:"schema"`
	Deviation    *repair.Deviation `json:"deviation_mm"`
	VolumeChange *float64          `json:"volume_change_mm3"`
	AreaChange   float64           `json:"area_change_mm2"`
	Hollows      [2]int            `json:"hollows"`
	Holes        [2]*int           `json:"through_holes"`
	Layers       []LayerPair       `json:"layers"`
	A            *check.Report     `json:"a"`
	B            *check.Report     `json:"b"`
}

// LayerPair is one level cut through both parts.
type LayerPair struct {
	ZMM     float64    `json:"z_mm"`
	AreaMM2 [2]float64 `json:"area_mm2"` // within closed lines
	Wrong   [2]bool    `json:"wrong"`    // it does not close, or fills otherwise than once
}

const (
	compareSamples = 200_000 // of each surface
	compareLayers  = 40
)

// Compare measures what differs between two parts that were read, where they lie in
// the same place.
func Compare(ctx context.Context, a, b *Checked) (*Comparison, error) {
	d, err := repair.Deviate(ctx, a.Mesh, b.Mesh, compareSamples, true, false)
	if err != nil {
		return nil, err
	}
	p, q := a.Report.Geometry, b.Report.Geometry
	r := &Comparison{Schema: "veneer.compare/1", A: a.Report, B: b.Report, Deviation: d, AreaChange: q.AreaMM2 - p.AreaMM2,
		Hollows: [2]int{hollows(a.Report), hollows(b.Report)}, Holes: [2]*int{p.Genus, q.Genus}}
	if v, w := p.VolumeMM3, q.VolumeMM3; v != nil && w != nil {
		change := *w - *v
		r.VolumeChange = &change
	}
	box := a.Mesh.Bounds().Union(b.Mesh.Bounds())
	heights := measure.Heights(box, box.Size().Z/compareLayers)
	var layers [2][]measure.Layer
	for i, m := range []*mesh.Mesh{a.Mesh, b.Mesh} {
		if layers[i], err = measure.Layers(ctx, mesh.NewTopology(m), heights); err != nil {
			return nil, err
		}
	}
	for i, z := range heights {
		x, y := layers[0][i], layers[1][i]
		r.Layers = append(r.Layers, LayerPair{z, [2]float64{x.AreaMM2, y.AreaMM2}, [2]bool{x.Wrong(), y.Wrong()}})
	}
	return r, nil
}

func hollows(r *check.Report) (n int) {
	for _, s := range r.Shells {
		if s.Role == "hollow" {
			n++
		}
	}
	return n
}

// Worst is the layer whose area changes by the largest share of what there is in
// the fullest layer; nil when none changes.
func (r *Comparison) Worst() (worst *LayerPair) {
	most := 0.0
	for i, l := range r.Layers {
		if d := math.Abs(l.AreaMM2[1] - l.AreaMM2[0]); d > most {
			most, worst = d, &r.Layers[i]
		}
	}
	return worst
}
