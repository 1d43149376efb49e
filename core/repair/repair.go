// Package repair makes a mesh printable by the lightest method that does, and
// calls it repaired only when the written result, read back and checked, has
// no error left.
//
// The idea: a repair is a plan (which steps, and why) made from a check, then
// a record of what each step did, then proof. Writing and reading back is
// handed in by the caller, so that this package knows meshes and no formats.
package repair

import (
	"context"
	"fmt"

	"veneer/core/check"
	"veneer/core/measure"
	"veneer/core/mesh"
	"veneer/core/process"
	"veneer/core/repair/touchup"
	"veneer/core/spatial"
)

// Schema names the format of a repair's record.
const Schema = "veneer.repair/1"

// Method is how a repair is done.
type Method string

const (
	Auto    Method = "auto"
	TouchUp Method = "touch-up"
)

// MethodNamed checks that a method of that name exists.
func MethodNamed(name string) (Method, error) {
	switch m := Method(name); m {
	case Auto, TouchUp:
		return m, nil
	}
	return "", fmt.Errorf("no repair method is called %q; there are auto and touch-up", name)
}

// Step is one planned step, and once it has run, what it changed.
type Step struct {
	Step            string `json:"step"`
	Title           string `json:"title"`
	Why             string `json:"why"`
	Changed         int    `json:"changed"`
	Detail          string `json:"detail,omitempty"`
	Left            string `json:"left,omitempty"`
	TrianglesBefore int    `json:"triangles_before"`
	TrianglesAfter  int    `json:"triangles_after"`
}

// Plan lists the steps that the report calls for, in order, none of them run.
// A part that passes needs none.
func Plan(r *check.Report) []Step {
	plan := []Step{}
	if r.Verdict == check.Pass || r.Verdict == check.Reject {
		return plan
	}
	for _, s := range touchup.Steps() {
		if why := s.Why(r); why != "" {
			plan = append(plan, Step{Step: s.Name, Title: s.Title, Why: why})
		}
	}
	return plan
}

// Settings are what a repair needs beside the mesh.
type Settings struct {
	Process process.Process
	// Verify rounds, writes, reads back and checks a mesh.
	Verify func(context.Context, *mesh.Mesh) (*check.Report, error)
	// Progress is told the step that begins and the share done; may be nil.
	Progress func(stage string, done float64)
}

// Result is what became of a mesh. Deviation is nil when nothing was repaired.
type Result struct {
	Schema       string        `json:"schema"`
	Method       Method        `json:"method"`
	Repaired     bool          `json:"repaired"`
	Verdict      check.Verdict `json:"verdict"`
	Steps        []Step        `json:"steps"`
	Deviation    *Deviation    `json:"deviation_mm"`
	VolumeChange *float64      `json:"volume_change_mm3"` // nil unless both volumes have a meaning
	Questions    []check.Ask   `json:"questions"`
	Before       *check.Report `json:"before"`
	After        *check.Report `json:"after"`
	Mesh         *mesh.Mesh    `json:"-"`
}

// Deviation is how far the result's surface is from the one that was repaired,
// two-sided, in mm, and where it is largest.
type Deviation struct {
	Max  float64    `json:"max"`
	P99  float64    `json:"p99"`
	Mean float64    `json:"mean"`
	AtMM [3]float64 `json:"at_mm"`
}

// Samples of each surface that the deviation is measured by.
const (
	leastDeviation = 1_000
	mostDeviation  = 20_000
)

// Deviate measures how far the result is from the mesh as it was, as
// measure.Compare does.
func Deviate(ctx context.Context, before, after *mesh.Mesh, samples int, corners bool) (*Deviation, error) {
	tree := func(m *mesh.Mesh) *spatial.Tree {
		return spatial.New(m, func(t int32) bool { return !m.RepeatsVertex(t) })
	}
	d, err := measure.Compare(ctx, tree(before), tree(after), samples, corners)
	return &Deviation{d.Max, d.P99, d.Mean, d.At.Array()}, err
}

// Run repairs a copy of the mesh as the plan for its report says, and verifies it.
func Run(ctx context.Context, m *mesh.Mesh, before *check.Report, set Settings) (*Result, error) {
	r := &Result{Schema: Schema, Method: TouchUp, Before: before, Steps: Plan(before), Mesh: m.Clone(), Questions: before.Questions}
	work := &touchup.Work{Mesh: r.Mesh, Report: before, Process: set.Process}
	byName := map[string]touchup.Step{}
	for _, s := range touchup.Steps() {
		byName[s.Name] = s
	}
	for i := range r.Steps {
		step := &r.Steps[i]
		if set.Progress != nil {
			set.Progress(step.Title, float64(i)/float64(len(r.Steps)+2))
		}
		step.TrianglesBefore = len(work.Mesh.Triangles)
		change, err := byName[step.Step].Run(ctx, work)
		if err != nil {
			return nil, fmt.Errorf("%s: %w", step.Step, err)
		}
		step.Changed, step.Left, step.TrianglesAfter = change.Count, change.Left, len(work.Mesh.Triangles)
		if change.Count > 0 {
			step.Detail = change.Detail
		}
		if err := ctx.Err(); err != nil {
			return nil, err
		}
	}
	if set.Progress != nil {
		set.Progress("verify", float64(len(r.Steps))/float64(len(r.Steps)+2))
	}
	after, err := set.Verify(ctx, r.Mesh)
	if err != nil {
		return nil, fmt.Errorf("verify: %w", err)
	}
	samples := min(max(len(m.Triangles), leastDeviation), mostDeviation)
	if r.Deviation, err = Deviate(ctx, m, r.Mesh, samples, false); err != nil {
		return nil, err
	}
	r.After, r.Verdict = after, after.Verdict
	r.Repaired = after.Verdict == check.Pass
	if v, w := before.Geometry.VolumeMM3, after.Geometry.VolumeMM3; v != nil && w != nil {
		change := *w - *v
		r.VolumeChange = &change
	}
	return r, nil
}
