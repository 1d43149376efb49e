package check

import "fmt"

var unitDoubt = Kind{
	Name: "unit", Title: "Unit in doubt", Usual: Question,
	What:   "The file's numbers could be in more than one unit: it does not say which, and more than one gives a plausible size.",
	Harm:   "A part in inches read as millimetres comes out 25.4 times too small.",
	Action: "The size in each unit is shown with its probability, and a person chooses. The file itself is not changed.",
	sketch: sketches{"s M40 30h20v20h-20z|t 50 66 4.8 what?|d M20 12h60",
		"s M22 8h56v48h-56z|t 50 68 4.8 in"},
	find: func(s *Subject) *Finding {
		if !s.Unit.Doubtful {
			return nil
		}
		first := s.Unit.Candidates[0]
		f := &Finding{Count: 1}
		f.Summary = fmt.Sprintf("%s is only %.0f %% likely (%s)", first.Unit, 100*first.Probability, sides(first.SizeMM))
		for _, c := range s.Unit.Candidates[1:] {
			if c.Probability >= 0.05 {
				f.Summary += fmt.Sprintf(", %s %.0f %% (%s)", c.Unit, 100*c.Probability, sides(c.SizeMM))
			}
		}
		return f
	},
	ask: askUnit,
}

// askUnit asks a person for the unit; the most likely one is the default.
func askUnit(s *Subject) Ask {
	e := s.Unit
	q := Ask{ID: "unit", Kind: "unit", Text: "In which unit are the file's numbers?", Default: e.Chosen, Evidence: []string{}}
	for _, c := range e.Candidates {
		if c.Probability < 0.001 && len(q.Choices) > 0 {
			continue
		}
		q.Choices = append(q.Choices, Choice{Answer: c.Unit, Effect: "the part is " + sides(c.SizeMM)})
		for _, why := range c.Evidence {
			q.Evidence = append(q.Evidence, fmt.Sprintf("%s (%.0f %%): %s", c.Unit, 100*c.Probability, why))
		}
	}
	return q
}
