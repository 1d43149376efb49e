// Package unit settles in which unit a file's numbers are. STL and OBJ carry
// none: 80 may be millimetres, inches or metres.
//
// The idea: each unit is a hypothesis with a prior (how often files come in
// it), and every piece of evidence multiplies in how likely it is under that
// unit. The result is a probability with its reasons, never a bare guess; when
// no unit is likely enough, or the likely one contradicts what the file says, a
// person is asked. How well the probabilities hold is measured: see
// docs/units.md.
package unit

import (
	"cmp"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"unicode"

	"veneer/core/process"
)

// Sure is the probability from which on a unit is chosen without asking.
const Sure = 0.9

var units = []struct {
	name  string
	mm    float64
	prior float64
	words []string // by which headers, comments and names call it
}{
	{"mm", 1, 0.55, []string{"mm", "millimeter", "millimeters", "millimetre", "millimetres"}},
	{"in", 25.4, 0.13, []string{"in", "inch", "inches"}},
	{"cm", 10, 0.13, []string{"cm", "centimeter", "centimeters", "centimetre", "centimetres"}},
	{"m", 1000, 0.13, []string{"m", "meter", "meters", "metre", "metres"}},
	{"ft", 304.8, 0.03, []string{"ft", "foot", "feet"}},
	{"um", 0.001, 0.03, []string{"um", "µm", "micron", "microns", "micrometer", "micrometers", "micrometre", "micrometres"}},
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
	Clues      *Clues      `json:"clues,omitempty"` // what it was drawn from, for sister files
}

// Clues are what may tell a part's unit.
type Clues struct {
	Size     [3]float64 `json:"size"`               // of the part, in the file's own numbers
	Declared string     `json:"declared,omitempty"` // the unit that the file states
	Hints    []string   `json:"hints,omitempty"`    // free text of the file: header, comments, names
	ExpectMM [3]float64 `json:"expect_mm"`          // the size that the customer stated; zero for none
	// Earlier is how many of the customer's earlier files of the format were in each unit.
	Earlier map[string]int `json:"earlier,omitempty"`
}

// in is the size if the numbers are in units of that many mm.
func (c Clues) in(mm float64) [3]float64 {
	return [3]float64{c.Size[0] * mm, c.Size[1] * mm, c.Size[2] * mm}
}

// Settled is the estimate when a person has said which unit it is.
func Settled(name string, c Clues) (Estimate, error) {
	mm, err := Millimetres(name)
	if err != nil {
		return Estimate{}, err
	}
	e := Estimate{Chosen: name, Confidence: 1, Candidates: []Candidate{{
		Unit: name, Probability: 1, SizeMM: c.in(mm), Evidence: []string{"set by the operator"}}}}
	if c.Declared != "" {
		e.Declared = &c.Declared
	}
	e.Clues = &c
	return e, nil
}

// Infer weighs the units for one part.
func Infer(c Clues, p process.Process) Estimate {
	return Together([]Clues{c}, p)[0]
}

// sameUnit is how likely a file is in the unit of its batch. However many
// sisters there are, they cannot outweigh a part by more than that.
const sameUnit = 0.97

// Together weighs the units for the parts of one batch that come in one
// format: most likely from one program, and so in one unit. What is known of
// each part speaks for its sisters too.
func Together(parts []Clues, p process.Process) []Estimate {
	likelihoods := make([][]float64, len(parts))
	reasons := make([][][]string, len(parts))
	for i, c := range parts {
		likelihoods[i], reasons[i] = weigh(c, p)
	}
	estimates := make([]Estimate, len(parts))
	for i, c := range parts {
		batch := make([]float64, len(units)) // the batch's unit, by the sisters alone
		alone := make([]float64, len(units))
		for u := range units {
			batch[u], alone[u] = units[u].prior, units[u].prior*likelihoods[i][u]
		}
		for j := range parts {
			if j == i {
				continue
			}
			any := 0.0 // a sister's likelihood when her unit is her own
			for u := range units {
				any += units[u].prior * likelihoods[j][u]
			}
			for u := range units {
				batch[u] *= sameUnit*likelihoods[j][u] + (1-sameUnit)*any
			}
			normalise(batch)
		}
		weights := make([]float64, len(units))
		for u := range units {
			weights[u] = likelihoods[i][u] * (sameUnit*batch[u] + (1-sameUnit)*units[u].prior)
		}
		estimates[i] = estimate(c, weights, reasons[i])
		if len(parts) > 1 {
			normalise(alone)
			sisters(&estimates[i], alone, len(parts)-1)
		}
	}
	return estimates
}

func normalise(w []float64) {
	sum := 0.0
	for _, x := range w {
		sum += x
	}
	if sum > 0 {
		for i := range w {
			w[i] /= sum
		}
	}
}

func estimate(c Clues, weights []float64, reasons [][]string) Estimate {
	normalise(weights)
	e := Estimate{Clues: &c}
	if c.Declared != "" {
		e.Declared = &c.Declared
	}
	for u := range units {
		e.Candidates = append(e.Candidates, Candidate{units[u].name, weights[u], c.in(units[u].mm), reasons[u]})
	}
	slices.SortStableFunc(e.Candidates, func(a, b Candidate) int { return cmp.Compare(b.Probability, a.Probability) })
	e.Chosen, e.Confidence = e.Candidates[0].Unit, e.Candidates[0].Probability
	e.Doubtful = e.Confidence < Sure || c.Declared != "" && e.Chosen != c.Declared
	return e
}

// sisters adds to the reasons what the batch did to each candidate.
func sisters(e *Estimate, alone []float64, n int) {
	for i := range e.Candidates {
		c := &e.Candidates[i]
		for u := range units {
			if units[u].name != c.Unit {
				continue
			}
			switch {
			case c.Probability > alone[u]+0.02:
				c.Evidence = append(c.Evidence, fmt.Sprintf("it fits the %d sister files of the batch", n))
			case c.Probability < alone[u]-0.02:
				c.Evidence = append(c.Evidence, fmt.Sprintf("it does not fit the %d sister files of the batch", n))
			}
		}
	}
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

// ParseSize reads a stated size such as 120x80x40mm, 4.5x2in or 30 cm into mm.
// Sides that are not given are 0; the empty text is no size. Without a unit the
// numbers are mm.
func ParseSize(text string) (mm [3]float64, err error) {
	text = strings.ToLower(strings.ReplaceAll(text, " ", ""))
	if text == "" {
		return mm, nil
	}
	number := strings.TrimRightFunc(text, func(r rune) bool { return unicode.IsLetter(r) && r != 'x' })
	scale := 1.0
	if name := text[len(number):]; name != "" {
		if scale, err = Millimetres(name); err != nil {
			return mm, err
		}
	}
	sides := strings.FieldsFunc(number, func(r rune) bool { return r == 'x' || r == '×' })
	if len(sides) < 1 || len(sides) > 3 {
		return mm, fmt.Errorf("%q is no size; write it like 120x80x40mm", text)
	}
	for i, s := range sides {
		x, err := strconv.ParseFloat(s, 64)
		if err != nil || !(x > 0 && x < 1e9) {
			return mm, fmt.Errorf("%q is no size; write it like 120x80x40mm", text)
		}
		mm[i] = x * scale
	}
	return mm, nil
}
