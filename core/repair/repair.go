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
	"maps"
	"slices"
	"strings"
	"time"

	"golang.org/x/sync/errgroup"

	"veneer/core/check"
	"veneer/core/measure"
	"veneer/core/mesh"
	"veneer/core/process"
	"veneer/core/repair/recast"
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
	Fuse    Method = "fuse"    // touch-up, then one skin of all that passes through each other
	Recast  Method = "recast"  // touch-up, then a new skin drawn around the whole
	ByHand  Method = "by-hand" // single steps that a person ordered
)

// MethodNamed checks that a method of that name exists.
func MethodNamed(name string) (Method, error) {
	switch m := Method(name); m {
	case Auto, TouchUp, Fuse, Recast:
		return m, nil
	}
	return "", fmt.Errorf("no repair method is called %q; there are auto, touch-up, fuse and recast", name)
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

	With    map[string]float64 `json:"with,omitempty"`   // what the step is set to
	Needs   *Need              `json:"needs,omitempty"`  // what it will take, for the heavy ones
	MovedMM float64            `json:"moved_mm"`         // how far points were moved at most
	MS      float64            `json:"ms"`               // how long it took
	Undone  string             `json:"undone,omitempty"` // why what it did was taken back

	HollowedMM3 float64 `json:"hollowed_mm3,omitempty"` // material that hollowing took out
}

// Need is what a step will take, about, on an ordinary machine of two cores.
type Need struct {
	Seconds float64 `json:"seconds"`
	Bytes   int64   `json:"bytes"` // of memory
}

// steps are those of a method, in order. What touching up cannot mend is fused
// when it is done, or drawn anew when that is what a person wants.
func (m Method) steps(set recast.Settings, progress func(string, float64)) []touchup.Step {
	switch m {
	case TouchUp:
		return touchup.Steps()
	case Recast:
		return append(touchup.Steps(), recastStep(set, progress))
	}
	return append(touchup.Steps(), fuseStep)
}

// Plan lists the steps of a method that the report calls for, in order, none of
// them run; or those that are ordered. A part that passes needs none.
func Plan(r *check.Report, set Settings) []Step {
	plan := []Step{}
	for _, o := range set.Orders {
		plan = append(plan, planned(o.step(set), r, set.Process, "ordered"))
	}
	if len(set.Orders) > 0 {
		return plan
	}
	if r.Verdict == check.Pass || r.Verdict == check.Reject {
		return plan
	}
	for _, s := range set.Method.steps(set.Recast, nil) {
		if why := s.Why(r); why != "" {
			plan = append(plan, planned(s, r, set.Process, why))
		}
	}
	return plan
}

func planned(s touchup.Step, r *check.Report, p process.Process, why string) Step {
	step := Step{Step: s.Name, Title: s.Title, Why: why}
	if s.With != nil {
		step.With = s.With(r, p)
	}
	if s.Needs != nil {
		n := s.Needs(r, p)
		step.Needs = &Need{n.Seconds, n.Bytes}
	}
	return step
}

// Settings are what a repair needs beside the mesh.
type Settings struct {
	Process process.Process
	Method  Method // auto when empty
	// Answers to questions by their ids; with TakeDefaults, those that are not
	// answered take their default.
	Answers      map[string]string
	TakeDefaults bool
	// Recast is what drawing a new skin is set to; what is 0 follows from the process.
	Recast recast.Settings
	// Orders, when there are any, are done instead of what a plan would do.
	Orders []Order
	// Now tells the time for the steps' record; without it they take none. The core has no clock.
	Now func() time.Time
	// Verify writes a mesh that is rounded to float32, reads it back and checks it.
	Verify func(context.Context, *mesh.Mesh) (*check.Report, error)
	// Progress is told the step that begins and the share done; may be nil.
	Progress func(stage string, done float64)
}

// Result is what became of a mesh. Deviation is nil when nothing was repaired.
type Result struct {
	Schema       string        `json:"schema"`
	Method       Method        `json:"method"`
	Called       string        `json:"called"` // what files and lists call it: its method, or what was ordered
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

// HollowedMM3 is the material that hollowing took out.
func (r *Result) HollowedMM3() (sum float64) {
	for _, s := range r.Steps {
		sum += s.HollowedMM3
	}
	return sum
}

// Deviation is how far the result's surface is from the one that was repaired,
// two-sided, in mm, and where it is largest. Walls of a hollow that it was given do not count.
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
// measure.Compare does; walls within the result's solid are left out when it is
// one.
func Deviate(ctx context.Context, before, after *mesh.Mesh, samples int, corners, solid bool) (*Deviation, error) {
	tree := func(m *mesh.Mesh) *spatial.Tree {
		return spatial.New(m, func(t int32) bool { return !m.RepeatsVertex(t) })
	}
	d, err := measure.Compare(ctx, tree(before), tree(after), samples, corners, solid)
	return &Deviation{d.Max, d.P99, d.Mean, d.At.Array()}, err
}

// Run repairs a copy of the mesh as the plan for its report says, and verifies it.
// When that leaves errors, and no method was asked for, the next heavier one goes
// on from there.
func Run(ctx context.Context, m *mesh.Mesh, before *check.Report, set Settings) (*Result, error) {
	r := &Result{Schema: Schema, Method: TouchUp, Before: before, Steps: Plan(before, set), Mesh: m.Clone(), Questions: before.Questions}
	work := &touchup.Work{Mesh: r.Mesh, Report: before, Process: set.Process}
	sum, err := r.steps(ctx, work, set)
	if err != nil {
		return nil, err
	}
	for {
		if err := r.verify(ctx, m, set); err != nil {
			return nil, err
		}
		next, why := r.heavier(set)
		if why == "" {
			break
		}
		work.Changed()
		r.Steps = append(r.Steps, planned(next, before, set.Process, why))
		if err := r.step(ctx, work, next.Run, &r.Steps[len(r.Steps)-1], &sum, set); err != nil {
			return nil, err
		}
	}
	r.Repaired = r.Verdict == check.Pass
	r.Called = string(r.Method)
	if len(set.Orders) == 0 {
		r.consent(sum, set)
	} else if r.Method == ByHand {
		r.Called = called(r.Steps)
	}
	return r, nil
}

// called is what ordered steps made of a part, in a word for each thing.
func called(steps []Step) string {
	var words []string
	for _, s := range steps {
		word := string(ByHand)
		switch _, lighter := lighterOrder(s.Step); {
		case lighter:
			word = "lighter"
		case s.Step == hollowOrder:
			word = "hollow"
		case s.Step == drainOrder:
			word = "drained"
		}
		if !slices.Contains(words, word) {
			words = append(words, word)
		}
	}
	return strings.Join(words, "-")
}

// verify writes what there is, reads it back and checks it, and measures beside
// how far it is from what it was.
func (r *Result) verify(ctx context.Context, m *mesh.Mesh, set Settings) error {
	if set.Progress != nil {
		set.Progress("verify", float64(len(r.Steps))/float64(len(r.Steps)+2))
	}
	r.Mesh.Round()
	g, ctx := errgroup.WithContext(ctx)
	g.Go(func() (err error) {
		if r.After, err = set.Verify(ctx, r.Mesh); err != nil {
			return fmt.Errorf("verify: %w", err)
		}
		return nil
	})
	g.Go(func() (err error) {
		samples := min(max(len(m.Triangles), leastDeviation), mostDeviation)
		if r.HollowedMM3() > 0 { // what is new within the solid that it was is no deviation
			r.Deviation, err = Deviate(ctx, r.Mesh, m, samples, false, true)
		} else {
			r.Deviation, err = Deviate(ctx, m, r.Mesh, samples, false, r.Method == Fuse || r.Method == Recast)
		}
		return err
	})
	if err := g.Wait(); err != nil {
		return err
	}
	r.Verdict, r.VolumeChange, r.Questions = r.After.Verdict, nil, slices.Clone(r.After.Questions)
	if v, w := r.Before.Geometry.VolumeMM3, r.After.Geometry.VolumeMM3; v != nil && w != nil {
		change := *w - *v
		r.VolumeChange = &change
	}
	return nil
}

// heavier is the step of the next heavier method, and why it is needed; none when
// the result passes or waits for an answer, when the heaviest was tried, and when
// a person wants it as it is.
func (r *Result) heavier(set Settings) (next touchup.Step, why string) {
	if r.Verdict != check.Repair || len(set.Orders) > 0 || set.Method != Auto && set.Method != "" {
		return next, ""
	}
	if answered(r.Before.Answers, check.Keep, check.Apart) {
		return next, ""
	}
	did := func(name string) bool {
		return slices.ContainsFunc(r.Steps, func(s Step) bool { return s.Step == name })
	}
	next = recastStep(set.Recast, set.Progress)
	switch n := r.After.Geometry.SelfIntersections; {
	case did(next.Name):
		return next, ""
	case n != nil && *n > 0 && !did(fuseStep.Name):
		return fuseStep, fmt.Sprintf("%s through each other after touching up", counted(*n, "pair of triangles passes", "pairs of triangles pass"))
	}
	var left []string
	for _, f := range r.After.Findings {
		if f.Severity == check.Error {
			left = append(left, fmt.Sprintf("%s %d", f.Kind, f.Count))
		}
	}
	return next, "still there: " + strings.Join(left, ", ")
}

// Preview is what a repair would make of a mesh if one question were answered so
// and the others by their defaults. It is not verified.
func Preview(ctx context.Context, m *mesh.Mesh, before *check.Report, p process.Process, question, answer string) (*mesh.Mesh, error) {
	as := *before
	as.Verdict = check.Repair
	as.Answers = maps.Clone(before.Answers)
	if as.Answers == nil {
		as.Answers = map[string]string{}
	}
	for _, q := range before.Questions {
		as.Answers[q.ID] = q.Default
	}
	as.Answers[question] = answer
	r := &Result{Before: &as, Steps: Plan(&as, Settings{Process: p, Method: TouchUp}), Mesh: m.Clone()}
	_, err := r.steps(ctx, &touchup.Work{Mesh: r.Mesh, Report: &as, Process: p}, Settings{Process: p, Method: TouchUp})
	return r.Mesh, err
}

// steps does what the plan says, or what was ordered instead, to the result's mesh.
func (r *Result) steps(ctx context.Context, work *touchup.Work, set Settings) (sum total, err error) {
	work.Fusing = slices.ContainsFunc(r.Steps, func(s Step) bool { return s.Step == fuseStep.Name })
	run := map[string]stepFunc{}
	for _, s := range set.Method.steps(set.Recast, set.Progress) {
		run[s.Name] = s.Run
	}
	if len(set.Orders) > 0 {
		r.Method = ByHand
	}
	wrong := -1 // defects before the step, once counted
	for i := range r.Steps {
		step := &r.Steps[i]
		if set.Progress != nil {
			set.Progress(step.Title, float64(i)/float64(len(r.Steps)+2))
		}
		do := run[step.Step]
		if len(set.Orders) > 0 {
			do = set.Orders[i].step(set).Run
		} else if !drawsAnew(step) {
			do = guarded(do, step, &wrong)
		}
		if err := r.step(ctx, work, do, step, &sum, set); err != nil {
			return sum, err
		}
	}
	return sum, nil
}

// drawsAnew reports whether a step makes a new skin, which needs no guard.
func drawsAnew(s *Step) bool { return s.Step == fuseStep.Name || Method(s.Step) == Recast }

// step does one step, writes down what it did, and adds it up.
func (r *Result) step(ctx context.Context, work *touchup.Work, do stepFunc, step *Step, sum *total, set Settings) error {
	change, err := recorded(ctx, do, work, step, set.Now)
	if err != nil {
		return fmt.Errorf("%s: %w", step.Step, err)
	}
	if drawsAnew(step) && change.Count > 0 {
		r.Method = Method(step.Step)
	}
	if r.Method == Recast {
		sum.redrawn, change.MovedMM = change.MovedMM, 0
	}
	sum.moved, sum.removed, sum.filled = max(sum.moved, change.MovedMM), sum.removed+change.RemovedMM2, sum.filled+change.FilledMM2
	return ctx.Err()
}

// stepFunc is what a step does.
type stepFunc = func(context.Context, *touchup.Work) (touchup.Change, error)

// guarded is a step that is undone when it leaves more wrong than there was: the
// mesh is then as it was before it. wrong is kept from step to step.
func guarded(run stepFunc, step *Step, wrong *int) stepFunc {
	return func(ctx context.Context, work *touchup.Work) (touchup.Change, error) {
		saved := work.Mesh.Clone()
		if *wrong < 0 {
			*wrong = defects(work)
		}
		change, err := run(ctx, work)
		if err != nil || change.Count == 0 {
			return change, err
		}
		work.Changed()
		more := defects(work)
		if more > *wrong {
			*work.Mesh = *saved
			work.Changed()
			step.Undone = fmt.Sprintf("it would have left %d defects where there were %d", more, *wrong)
			return touchup.Change{}, nil
		}
		*wrong = more
		return change, nil
	}
}

// recorded runs a step and writes down what it did.
func recorded(ctx context.Context, run stepFunc, work *touchup.Work, step *Step, now func() time.Time) (touchup.Change, error) {
	var start time.Time
	if now != nil {
		start = now()
	}
	before := len(work.Mesh.Triangles)
	change, err := run(ctx, work)
	if err != nil {
		return change, err
	}
	if change.Count > 0 {
		work.Changed()
	}
	step.TrianglesBefore = before
	step.Changed, step.Left, step.MovedMM, step.HollowedMM3, step.TrianglesAfter = change.Count, change.Left, change.MovedMM, change.HollowedMM3, len(work.Mesh.Triangles)
	if change.Count > 0 {
		step.Detail = change.Detail
	}
	if now != nil {
		step.MS = float64(now().Sub(start).Microseconds()) / 1000
	}
	return change, nil
}

// defects counts what is wrong with a mesh's topology; one triangle twice, or
// without area, weighs as much as the four edges that dropping it may open.
func defects(work *touchup.Work) int {
	m, topo := work.Mesh, work.Topology()
	edges := topo.Count()
	flat := m.Flat()
	return edges.Boundary + edges.NonManifold + edges.Inconsistent + 4*(flat+len(topo.Duplicates()))
}
