package unit

import (
	"cmp"
	"fmt"
	"math"
	"slices"
	"strings"
	"unicode"

	"veneer/core/process"
)

// weigh gives the likelihood of a part's clues under each unit, and the
// reasons in words. Each kind of evidence is one function below.
func weigh(c Clues, p process.Process) (likelihood []float64, reasons [][]string) {
	hinted := hints(c.Hints)
	for _, u := range units {
		sides := c.in(u.mm)
		l := 1.0
		var why []string
		for _, look := range []func() (float64, string){
			func() (float64, string) { return declared(c.Declared, u.name) },
			func() (float64, string) { return hint(hinted, u.name) },
			func() (float64, string) { return earlier(c.Earlier, u.name, u.prior) },
			func() (float64, string) { return expected(sides, c.ExpectMM) },
			func() (float64, string) { return plausible(sides, p) },
			func() (float64, string) { return printable(sides, p) },
			func() (float64, string) { return round(sides) },
		} {
			factor, words := look()
			l *= factor
			if words != "" {
				why = append(why, words)
			}
		}
		likelihood, reasons = append(likelihood, l), append(reasons, why)
	}
	return likelihood, reasons
}

// declared: files rarely state a unit that they are not in.
func declared(stated, unit string) (float64, string) {
	switch stated {
	case "":
		return 1, ""
	case unit:
		return 500, "the file states this unit"
	}
	return 1, "the file states " + stated
}

// hints counts the units that free text names: a word of its own behind "unit"
// or "units", or a long word that is nothing else. "in" and "m" alone are not
// enough; they are words of many languages.
func hints(texts []string) map[string]int {
	named := map[string]int{}
	for _, text := range texts {
		words := strings.FieldsFunc(strings.ToLower(text), func(r rune) bool { return !unicode.IsLetter(r) })
		for i, w := range words {
			after := i > 0 && (words[i-1] == "unit" || words[i-1] == "units") || i > 1 && words[i-2] == "units" && words[i-1] == "are"
			for _, u := range units {
				if slices.Contains(u.words, w) && (after || len(w) > 3 || w == "mm" || w == "cm") {
					named[u.name]++
				}
			}
		}
	}
	return named
}

func hint(named map[string]int, unit string) (float64, string) {
	if len(named) != 1 { // none, or contradictory
		return 1, ""
	}
	if named[unit] > 0 {
		return 40, "the file's header or comments name this unit"
	}
	return 1, ""
}

// earlier: customers keep their programs. The share of a unit among a customer's
// earlier files, with the prior counted in as three more, against the prior.
func earlier(counts map[string]int, unit string, prior float64) (float64, string) {
	all := 0
	for _, n := range counts {
		all += n
	}
	if all == 0 {
		return 1, ""
	}
	const weight = 3
	factor := (float64(counts[unit]) + weight*prior) / (float64(all) + weight) / prior
	if n := counts[unit]; n > 0 {
		return factor, fmt.Sprintf("%d of the customer's %d earlier files were in this unit", n, all)
	}
	return factor, ""
}

// expected compares with the size that the customer stated, whichever way the
// part lies: within a few percent it is as good as certain.
func expected(sides, expect [3]float64) (float64, string) {
	if expect == ([3]float64{}) {
		return 1, ""
	}
	a, b := sides, expect
	slices.SortFunc(a[:], cmp.Compare)
	slices.SortFunc(b[:], cmp.Compare)
	worst := 0.0
	for i := range a {
		if b[i] > 0 { // sides that were not stated are 0
			worst = max(worst, math.Abs(math.Log(max(a[i], 1e-9)/b[i])))
		}
	}
	const few = 0.04
	factor := 1e-4 + math.Exp(-worst*worst/(2*few*few))
	switch {
	case worst < 2*few:
		return factor, "it has the size that the customer stated"
	case a[2] > b[2]:
		return factor, fmt.Sprintf("it is %.3g times the size that the customer stated", a[2]/b[2])
	}
	return factor, fmt.Sprintf("it is %.3g times smaller than the customer stated", b[2]/max(a[2], 1e-9))
}

// plausible is the likelihood of a part being that long for the process:
// log-normal about the ordinary length, and hardly ever beyond the machine.
func plausible(sides [3]float64, p process.Process) (float64, string) {
	longest := max(sides[0], sides[1], sides[2])
	if longest <= 0 {
		return 1, "a part without size says nothing"
	}
	const spread = 0.28 // of log10(length): two thirds of parts lie within a factor of 1.9
	z := math.Log10(longest/p.TypicalMM) / spread
	likelihood := math.Exp(-z*z/2) + 1e-7 // anything happens once
	machine := max(p.MachineMM[0], p.MachineMM[1], p.MachineMM[2])
	switch {
	case longest > machine:
		return likelihood * 0.3, fmt.Sprintf("%s long is more than the machine's %s", Length(longest), Length(machine))
	case z > 2 || z < -2:
		return likelihood, fmt.Sprintf("%s long is unusual for %s", Length(longest), p.Name)
	}
	return likelihood, fmt.Sprintf("%s long is ordinary for %s", Length(longest), p.Name)
}

// printable: a part whose shortest side is thinner than the process's thinnest
// wall can hardly be meant so.
func printable(sides [3]float64, p process.Process) (float64, string) {
	shortest := min(sides[0], sides[1], sides[2])
	if shortest > 0 && shortest < p.WallMM {
		return 0.1, fmt.Sprintf("its shortest side, %s, is thinner than any wall that prints", Length(shortest))
	}
	return 1, ""
}

// round looks at how many sides are whole numbers of half millimetres, or of
// sixteenths or twentieths of an inch. People draw round numbers, whatever unit a program
// then writes: 4.7244 means nothing, but 120 mm in inches.
func round(sides [3]float64) (float64, string) {
	const (
		half      = 0.5
		sixteenth = 25.4 / 16
		twentieth = 25.4 / 20
		often     = 0.5 // sides that are round when they were drawn in that unit
		inches    = 0.1 // parts drawn in inches
	)
	metric, imperial := 1.0, 1.0
	n, m := 0, 0
	for _, s := range sides {
		slack := 0.002 + 1e-6*s
		like := func(step float64) (float64, bool) {
			if s < step {
				return 1, false // too small to tell
			}
			chance := min(2*slack/step, 1)
			if off := math.Abs(s - step*math.Round(s/step)); off <= slack {
				return (often + (1-often)*chance) / chance, true
			}
			return 1 - often, false
		}
		x, whole := like(half)
		metric *= x
		if whole {
			n++
		}
		y, whole := like(sixteenth)
		if z, also := like(twentieth); also && !whole {
			y, whole = z, true
		}
		imperial *= y
		if whole {
			m++
		}
	}
	const most = 60 // coincidences must not decide all
	factor := (1-inches)*min(metric, most) + inches*min(imperial, most)
	switch {
	case n > 0 && metric >= imperial:
		return factor, fmt.Sprintf("%d of its sides are whole half millimetres", n)
	case m > 0:
		return factor, fmt.Sprintf("%d of its sides are whole fractions of an inch", m)
	}
	return factor, ""
}
