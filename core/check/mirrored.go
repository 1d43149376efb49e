package check

var mirrored = Kind{
	Name: "mirrored", Title: "Placed as a mirror image", Usual: Note,
	What:   "The file places an object as the mirror image of how it is drawn.",
	Harm:   "None for the print, but a mirrored part may be the wrong hand: a left bracket for a right one.",
	Action: "The placement is carried out, and the triangles are turned to face outward again.",
	sketch: sketches{"s M12 60V12h12v36h18v12z|d M50 6V66|B M88 60V12H76v36H58v12z",
		"s M12 60V12h12v36h18v12z|d M50 6V66|N M88 60V12H76v36H58v12z"},
	find: func(s *Subject) *Finding {
		return &Finding{Count: s.Mirrored, Summary: some(s.Mirrored, "object is placed as a mirror image", "objects are placed as mirror images")}
	},
}
