package check

import "strings"

var lostContent = Kind{
	Name: "lost-content", Title: "Content that is not carried over", Usual: Note,
	What:   "The file holds something beside the surface that Veneer does not carry: curves, loose points, an extension it does not know.",
	Harm:   "Mostly none for the print; colours or settings of the customer's program may be missing from files written by Veneer.",
	Action: "It is listed. The file as received keeps everything.",
	sketch: sketches{"s M12 60V20h40v40z|b M60 24C70 4 80 50 92 20|t 76 62 curve",
		"s M12 60V20h40v40z|t 76 62 named"},
	find: func(s *Subject) *Finding {
		return &Finding{Count: len(s.Lost), Summary: "not carried over: " + strings.Join(s.Lost, "; ")}
	},
}
