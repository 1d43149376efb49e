package check

import "fmt"

var tooHeavy = Kind{
	Name: "too-heavy", Title: "More triangles than needed", Usual: Warning,
	What:   "The file has more triangles or bytes than the process's slicing software takes well.",
	Harm:   "Loading and slicing take long or fail, for detail that no printer shows.",
	Action: "It is reported. Making it lighter within a stated tolerance keeps what shows.",
	sketch: sketches{"s M10 60V12h80v48z|b M10 20h80M10 28h80M10 36h80M10 44h80M10 52h80M18 12v48M26 12v48M34 12v48M42 12v48M50 12v48M58 12v48M66 12v48M74 12v48M82 12v48",
		"s M10 60V12h80v48z|n M10 36h80M50 12v48"},
	find: func(s *Subject) *Finding {
		n, bytes := len(s.Mesh.Triangles), int64(84+50*len(s.Mesh.Triangles))
		if n <= s.Process.MaxTriangles && bytes <= s.Process.MaxBytes {
			return nil
		}
		return &Finding{Count: 1, Summary: fmt.Sprintf("%.3g million triangles, %d MB as STL; %s takes %.3g million and %d MB well",
			float64(n)/1e6, bytes>>20, s.Process.Name, float64(s.Process.MaxTriangles)/1e6, s.Process.MaxBytes>>20)}
	},
}
