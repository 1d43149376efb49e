package check

import "strings"

var unevenFace = Kind{
	Name: "uneven-face", Title: "Faces that are not flat", Usual: Note,
	What:   "The file describes faces of four or more corners that do not lie in one plane.",
	Harm:   "Each program may cut them into triangles another way; the shape differs by a hair.",
	Action: "They are cut into triangles once, on reading, and stay so.",
	sketch: sketches{"s M12 54L40 22 88 14 70 60z|b M12 54L40 22 88 14 70 60z|d M12 54L88 14",
		"s M12 54L40 22 88 14 70 60z|n M12 54L88 14"},
	find: func(s *Subject) *Finding {
		return &Finding{Count: s.Uneven, Summary: some(s.Uneven, "face of the file is not flat", "faces of the file are not flat")}
	},
}

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
