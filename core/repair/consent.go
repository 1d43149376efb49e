package repair

import (
	"fmt"
	"math"

	"veneer/core/check"
	"veneer/core/process"
)

// ChangeQuestion is the question whether a repair that changes more than its
// process allows without asking may stand.
const ChangeQuestion = "change"

// The answers to it.
const (
	Accept = "accept"
	Refuse = "refuse"
)

// total is what the steps changed that nobody was asked about.
type total struct{ moved, redrawn, removed, filled float64 }

// beyond lists what goes beyond the limits, in words.
func (c total) beyond(r *Result, p process.Process) (why []string) {
	limits := p.Consent
	area := r.Before.Geometry.AreaMM2
	if c.moved > limits.MovedMM {
		why = append(why, fmt.Sprintf("points move by up to %.2g mm; %.2g mm are allowed", c.moved, limits.MovedMM))
	}
	if c.redrawn > p.DetailMM {
		why = append(why, fmt.Sprintf("the new skin is up to %.2g mm off the surface; %.2g mm, the finest that shows, are allowed", c.redrawn, p.DetailMM))
	}
	share := func(what string, part, whole, limit float64) {
		if whole > 0 && part > limit*whole {
			why = append(why, fmt.Sprintf("%s %.3g %%; %.3g %% are allowed", what, 100*part/whole, 100*limit))
		}
	}
	share("surface taken away:", c.removed, area, limits.Removed)
	share("new surface:", c.filled, area, limits.Filled)
	if _, asked := r.Before.Answers[check.NestedShell]; r.VolumeChange != nil && r.Before.Geometry.InsideOutShells == 0 && !asked && r.Method != Fuse && r.Method != Recast { // what overlaps was counted twice before
		share("the volume changes by", math.Abs(*r.VolumeChange), math.Abs(*r.Before.Geometry.VolumeMM3), limits.Volume)
	}
	return why
}

// consent opens the question about a change that is too large, or takes its
// answer. What a person answered already is left out.
func (r *Result) consent(c total, set Settings) {
	why := c.beyond(r, set.Process)
	if len(why) == 0 || !r.Repaired {
		return
	}
	answer, given := set.Answers[ChangeQuestion]
	if !given {
		answer, given = set.Process.Policy[ChangeQuestion]
	}
	if !given && set.TakeDefaults {
		answer = Accept
	}
	switch answer {
	case Accept:
		return
	case Refuse:
		r.Repaired, r.Verdict = false, check.Repair
	default:
		r.Repaired, r.Verdict = false, check.Hold
		q := check.Ask{ID: ChangeQuestion, Kind: ChangeQuestion, Text: "The repair changes more than the process allows without asking. Take it?", Evidence: why, Default: Accept,
			Choices: []check.Choice{
				{Answer: Accept, Effect: "the repaired part is taken as it is"},
				{Answer: Refuse, Effect: "the part is left unrepaired"},
			}}
		r.Questions = append(r.Questions, q)
		r.After.Questions = append(r.After.Questions, q)
	}
	r.After.Verdict = r.Verdict
}
