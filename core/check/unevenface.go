package check

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
