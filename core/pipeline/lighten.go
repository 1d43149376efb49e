package pipeline

import (
	"context"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"

	"veneer/core/check"
	"veneer/core/decimate"
	"veneer/core/format"
	"veneer/core/format/file"
	"veneer/core/geom"
	"veneer/core/mesh"
	"veneer/core/process"
	"veneer/core/repair"
	"veneer/core/repair/touchup"
)

// Goal says how light a part is to become; one of its fields is given, or none,
// which drops what adds nothing to the shape.
type Goal struct {
	Triangles int     // at most so many
	Share     float64 // of the triangles that there are
	Bytes     int64   // a file of at most that size
	// DeviationMM is how far no point of either surface may be from the other.
	DeviationMM float64
	// Stops are deviations to stop at on the way there, as Suggest does.
	Stops []float64
	// Keep are boxes, in mm, in which every vertex stays where it is.
	Keep []geom.Box
}

// kept marks the vertices that stay; nil when none must.
func (g Goal) kept(m *mesh.Mesh) []bool {
	if len(g.Keep) == 0 {
		return nil
	}
	is := make([]bool, len(m.Positions))
	for v, p := range m.Positions {
		is[v] = slices.ContainsFunc(g.Keep, func(b geom.Box) bool { return b.Contains(geom.Box{Min: p, Max: p}) })
	}
	return is
}

// Lightened is what became of a part that was made lighter.
type Lightened struct {
	Schema    string  `json:"schema"`
	Format    string  `json:"format"`
	Triangles [2]int  `json:"triangles"` // before and after
	Bytes     int64   `json:"bytes"`     // of what was written
	WithinMM  float64 `json:"within_mm"` // no point of either surface is farther from the other; 0 when that was not asked for
	// Deviation is measured, at many points and all vertices.
	Deviation    *repair.Deviation `json:"deviation_mm"`
	VolumeChange *float64          `json:"volume_change_mm3"`
	Lost         []string          `json:"lost"` // what the format cannot hold
	Verdict      check.Verdict     `json:"verdict"`
	Before       *check.Report     `json:"before"`
	After        *check.Report     `json:"after"`
	Mesh         *mesh.Mesh        `json:"-"`
}

// LightenSchema names the format of the record of a reduction.
const LightenSchema = "veneer.decimate/1"

// Level is one of several suggestions of how light a part may be.
type Level struct {
	Name      string  `json:"name"`
	Triangles int     `json:"triangles"`
	Bytes     int64   `json:"bytes"`
	WithinMM  float64 `json:"within_mm"`
	Why       string  `json:"why"`
	// StopsMM are the tolerances by which it came to be, its own the last.
	StopsMM []float64 `json:"stops_mm"`

	Mesh *mesh.Mesh `json:"-"`
}

// begun is a mesh that can be made lighter, rounded and without triangles of no
// area, and the settings with a format to weigh it in.
func begun(c *Checked, set Settings) (*mesh.Mesh, Settings, error) {
	if c.Mesh == nil {
		return nil, set, errors.New(c.Report.Unread)
	}
	if set.Format == "" {
		set.Format = Keeping(c.Mesh)
	}
	m := c.Mesh.Clone()
	m.Round()
	if m.Flat() > 0 {
		touchup.DropFlat(m)
	}
	if len(m.Triangles) == 0 {
		return nil, set, errors.New("there is no surface to make lighter")
	}
	return m, set, nil
}

// Lighten makes a checked part lighter and writes it to out, in mm; what was
// written is read back and checked. A part in an unreadable file, and a goal that
// cannot be, are errors.
func Lighten(ctx context.Context, c *Checked, goal Goal, out Bytes, set Settings) (*Lightened, error) {
	whole, set, err := begun(c, set)
	if err != nil {
		return nil, err
	}
	progress := func(done float64) {
		if set.Progress != nil {
			set.Progress("make lighter", 0.7*done)
		}
	}
	keep := goal.kept(whole)
	to := decimate.Settings{ToleranceMM: goal.DeviationMM, Triangles: goal.Triangles, Keep: keep}
	switch {
	case goal.Share > 0:
		to.Triangles = max(4, int(goal.Share*float64(len(c.Mesh.Triangles))))
	case goal.Bytes > 0:
		size, err := weigh(whole, set.Format)
		if err != nil {
			return nil, err
		}
		to.Triangles = fitting(goal.Bytes, size, len(whole.Triangles))
	}
	var made decimate.Result
	for try := 0; ; try++ {
		if made = (decimate.Result{Mesh: whole}); to.Triangles == 0 || to.Triangles < len(whole.Triangles) {
			var way []decimate.Settings
			for _, mm := range goal.Stops {
				way = append(way, decimate.Settings{ToleranceMM: mm, Keep: keep})
			}
			stops, err := decimate.Levels(ctx, whole, append(way, to), progress)
			if err != nil {
				return nil, err
			}
			made = stops[len(stops)-1]
		}
		if goal.Bytes == 0 {
			break
		}
		size, err := weigh(made.Mesh, set.Format)
		if err != nil {
			return nil, err
		}
		if size <= goal.Bytes {
			break
		}
		if n := len(made.Mesh.Triangles); try == 5 || n > to.Triangles+to.Triangles/10 { // it does not become lighter
			return nil, fmt.Errorf("the part cannot be made as light as %d bytes of %s without breaking it; it takes %d with %d triangles", goal.Bytes, set.Format, size, n)
		}
		to.Triangles = min(fitting(goal.Bytes, size, len(made.Mesh.Triangles)), to.Triangles-1)
	}
	if set.Progress != nil {
		set.Progress("verify", 0.75)
	}
	r := &Lightened{Schema: LightenSchema, Format: string(set.Format), Triangles: [2]int{len(c.Mesh.Triangles), len(made.Mesh.Triangles)}, WithinMM: made.WithinMM,
		Lost: append([]string{}, format.Loses(set.Format, c.Mesh)...), Before: c.Report, Mesh: made.Mesh}
	if r.After, err = WriteAndCheck(ctx, made.Mesh, c.Report.File.Name, out, set); err != nil {
		return nil, err
	}
	r.Bytes, r.Verdict = r.After.File.Bytes, r.After.Verdict
	if r.Deviation, err = repair.Deviate(ctx, c.Mesh, made.Mesh, min(max(len(c.Mesh.Triangles), 10_000), 100_000), true, false); err != nil {
		return nil, err
	}
	if v, w := c.Report.Geometry.VolumeMM3, r.After.Geometry.VolumeMM3; v != nil && w != nil {
		change := *w - *v
		r.VolumeChange = &change
	}
	return r, nil
}

// ForView is a copy of a mesh with about so many triangles, to be looked at and
// nothing else: how far it is off is not shown of it.
func ForView(ctx context.Context, m *mesh.Mesh, triangles int) (*mesh.Mesh, error) {
	light := m.Clone()
	light.Round()
	if light.Flat() > 0 {
		touchup.DropFlat(light)
	}
	if len(light.Triangles) <= triangles {
		return light, nil
	}
	made, err := decimate.Run(ctx, light, decimate.Settings{Triangles: triangles}, nil)
	return made.Mesh, err
}

// weigh tells how large a file a mesh makes.
func weigh(m *mesh.Mesh, as file.Format) (int64, error) {
	n := &counter{w: io.Discard}
	err := format.Write(n, as, m, format.WriteOptions{Name: "part"})
	return n.n, err
}

// fitting is how many triangles make a file of at most that size, when so many make
// one of another.
func fitting(want, size int64, triangles int) int {
	return max(4, int(0.995*float64(want)/float64(size)*float64(triangles)))
}

// Shares of the finest detail that a process shows: nobody sees what is lost below
// the first, and the printer does not show what is lost below the last.
var levels = []struct {
	name  string
	share float64
	why   string
}{
	{"fine", 0.05, "nothing to be seen or felt"},
	{"even", 0.25, "below what the printer shows"},
	{"plain", 0.75, "as much as the printer may just show"},
}

// Suggest makes a part lighter in three stops of one way, and tells how light
// each is, in a format. The stops follow from how fine the process prints; the last
// one is what its slicing software takes well, when that is lighter still.
func Suggest(ctx context.Context, c *Checked, p process.Process, set Settings) ([]Level, error) {
	whole, set, err := begun(c, set)
	if err != nil {
		return nil, err
	}
	var sets []decimate.Settings
	for _, l := range levels {
		sets = append(sets, decimate.Settings{ToleranceMM: l.share * p.DetailMM})
	}
	made, err := decimate.Levels(ctx, whole, sets, func(done float64) {
		if set.Progress != nil {
			set.Progress("make lighter", done)
		}
	})
	if err != nil {
		return nil, err
	}
	var list []Level
	for i, l := range levels {
		stops := make([]float64, i+1)
		for k := range stops {
			stops[k] = sets[k].ToleranceMM
		}
		size, err := weigh(made[i].Mesh, set.Format)
		if err != nil {
			return nil, err
		}
		level := Level{Name: l.name, Triangles: len(made[i].Mesh.Triangles), Bytes: size, WithinMM: made[i].WithinMM, Why: l.why, StopsMM: stops, Mesh: made[i].Mesh}
		if n := len(made[i].Mesh.Triangles); n > p.MaxTriangles {
			level.Why += fmt.Sprintf("; more than the %d triangles that the slicing software takes well", p.MaxTriangles)
		} else if size > p.MaxBytes {
			level.Why += fmt.Sprintf("; larger than the %d MB that the slicing software takes well", p.MaxBytes>>20)
		}
		list = append(list, level)
	}
	return list, nil
}

// LevelNamed is the goal of a level of those that Suggest tells of.
func LevelNamed(name string, p process.Process) (Goal, error) {
	var names []string
	var stops []float64
	for _, l := range levels {
		mm := l.share * p.DetailMM
		if l.name == name {
			return Goal{DeviationMM: mm, Stops: stops}, nil
		}
		names, stops = append(names, l.name), append(stops, mm)
	}
	return Goal{}, fmt.Errorf("no level is called %q; there are %s", name, strings.Join(names, ", "))
}
