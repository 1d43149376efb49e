// Package unit settles in which unit a file's numbers are. STL and OBJ carry
// none: 80 may be millimetres, inches or metres.
//
// The idea: each unit is a hypothesis with a prior (how often files come in
// it), and every piece of evidence multiplies in how likely it is under that
// unit. The result is a probability with its reasons, never a bare guess; when
// no unit is likely enough, a person is asked.
package unit

import (
	"cmp"
	"fmt"
	"math"
	"slices"

	"veneer/core/geom"
	"veneer/core/process"
)

// Sure is the probability from which on a unit is chosen without asking.
const Sure = 0.9

var units = []struct {
	name  string
	mm    float64
	prior float64
}{
	{"mm", 1, 0.86},
	{"in", 25.4, 0.06},
	{"cm", 10, 0.035},
	{"m", 1000, 0.035},
	{"ft", 304.8, 0.005},
	{"um", 0.001, 0.005},
}

// Names are the units' names, most common first.
func Names() (names []string) {
	for _, u := range units {
		names = append(names, u.name)
	}
	return names
}

// Millimetres is how many mm one of the unit is.
func Millimetres(name string) (float64, error) {
	for _, u := range units {
		if u.name == name {
			return u.mm, nil
		}
	}
	return 0, fmt.Errorf("no unit is called %q; there are %v", name, Names())
}

// Candidate is one unit with its probability, the part's size in it, and why.
type Candidate struct {
	Unit        string     `json:"unit"`
	Probability float64    `json:"probability"`
	SizeMM      [3]float64 `json:"size_mm"`
	Evidence    []string   `json:"evidence"`
}

// Estimate is what is known of a file's unit. Declared is nil when the file
// says nothing. Doubtful means that a person should choose.
type Estimate struct {
	Declared   *string     `json:"declared"`
	Chosen     string      `json:"chosen"`
	Confidence float64     `json:"confidence"`
	Doubtful   bool        `json:"doubtful"`
	Candidates []Candidate `json:"candidates"`
}

// Settled is the estimate when a person has said which unit it is.
func Settled(name string, declared string, size geom.Vec) (Estimate, error) {
	mm, err := Millimetres(name)
	if err != nil {
		return Estimate{}, err
	}
	e := Estimate{Chosen: name, Confidence: 1, Candidates: []Candidate{{
		Unit: name, Probability: 1, SizeMM: size.Scale(mm).Array(), Evidence: []string{"set by the operator"}}}}
	if declared != "" {
		e.Declared = &declared
	}
	return e, nil
}

// Infer weighs the units for a part of that size, in the file's own numbers.
// declared is the unit the file states, or "".
func Infer(size geom.Vec, declared string, p process.Process) Estimate {
	e := Estimate{}
	if declared != "" {
		e.Declared = &declared
	}
	longest := max(size.X, size.Y, size.Z)
	total := 0.0
	for _, u := range units {
		c := Candidate{Unit: u.name, SizeMM: size.Scale(u.mm).Array()}
		likelihood, why := plausible(longest*u.mm, p)
		c.Probability = u.prior * likelihood
		c.Evidence = append(c.Evidence, why)
		switch declared {
		case "":
		case u.name:
			c.Probability *= 200 // files rarely state a unit they are not in
			c.Evidence = append(c.Evidence, "the file states this unit")
		default:
			c.Evidence = append(c.Evidence, "the file states "+declared)
		}
		total += c.Probability
		e.Candidates = append(e.Candidates, c)
	}
	if total > 0 {
		for i := range e.Candidates {
			e.Candidates[i].Probability /= total
		}
	}
	slices.SortStableFunc(e.Candidates, func(a, b Candidate) int { return cmp.Compare(b.Probability, a.Probability) })
	e.Chosen, e.Confidence = e.Candidates[0].Unit, e.Candidates[0].Probability
	e.Doubtful = e.Confidence < Sure || declared != "" && e.Chosen != declared
	return e
}

// plausible is the likelihood of a part being that long in mm for the process:
// log-normal about the ordinary length, and hardly ever beyond the machine.
func plausible(longest float64, p process.Process) (float64, string) {
	if longest <= 0 {
		return 1, "a part without size says nothing"
	}
	const spread = 0.42 // of log10(length): two thirds of parts lie within a factor of 2.6
	z := math.Log10(longest/p.TypicalMM) / spread
	likelihood := math.Exp(-z * z / 2)
	machine := max(p.MachineMM[0], p.MachineMM[1], p.MachineMM[2])
	length := Length(longest)
	switch {
	case longest > machine:
		return likelihood * 0.1, fmt.Sprintf("%s long is more than the machine's %s", length, Length(machine))
	case longest < 5*p.WallMM:
		return likelihood * 0.1, fmt.Sprintf("%s long is less than five of the process's thinnest walls", length)
	case z > 2 || z < -2:
		return likelihood, fmt.Sprintf("%s long is unusual for %s", length, p.Name)
	}
	return likelihood, fmt.Sprintf("%s long is ordinary for %s", length, p.Name)
}

// Length writes a length in mm, or in µm or m where that reads better, with
// sensible digits.
func Length(mm float64) string {
	switch {
	case mm >= 10000:
		return fmt.Sprintf("%.4g m", mm/1000)
	case mm >= 100:
		return fmt.Sprintf("%.0f mm", mm)
	case mm >= 0.1:
		return fmt.Sprintf("%.3g mm", mm)
	default:
		return fmt.Sprintf("%.3g µm", mm*1000)
	}
}
