package check

// CutShort is the question whether to go on with a file that is cut short.
const CutShort = "cut-short"

// The answers to it.
const (
	Use  = "use"  // go on with the triangles that are there
	Wait = "wait" // reject it until a whole file comes
)

var cutShort = Kind{
	Name: CutShort, Title: "Cut short", Usual: Question,
	What:   "The file ends before it should: its header promises more triangles than it holds, or its text breaks off within a triangle.",
	Harm:   "A piece of the part may be missing. A repair would close the gap with a guess.",
	Action: "Everything that is whole is read and checked, and a person decides whether that is enough. With less than half of the promised triangles the file is refused.",
	sketch: sketches{"s M15 60V20h30l6 8-5 8 6 8-5 8 4 8z|b M45 20l6 8-5 8 6 8-5 8 4 8|d M51 20h34v40h-34",
		"s M15 60V20h30v40z|n M45 20v40"},
	find: func(s *Subject) *Finding {
		if s.Short == "" {
			return nil
		}
		return &Finding{Count: 1, Summary: s.Short}
	},
	ask: func(s *Subject) Ask {
		return Ask{ID: CutShort, Kind: CutShort, Text: "The file is cut short. Go on with what is there?", Default: Use, Evidence: []string{s.Short},
			Choices: []Choice{
				{Answer: Use, Effect: "the triangles that are there are checked and repaired; what is missing is closed like a hole"},
				{Answer: Wait, Effect: "the part is rejected until a whole file comes"},
			}}
	},
}
