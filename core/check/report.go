package check

import (
	"fmt"
	"slices"

	"veneer/core/geom"
	"veneer/core/mesh"
	"veneer/core/process"
	"veneer/core/unit"
)

// Schema names the report's format.
const Schema = "veneer.check/1"

// Report is what a check found on one revision. Lengths are in mm, areas in
// mm², volumes in mm³.
type Report struct {
	Schema    string             `json:"schema"`
	File      File               `json:"file"`
	Unit      unit.Estimate      `json:"unit"`
	Geometry  Geometry           `json:"geometry"`
	Process   string             `json:"process"`
	Limits    *process.Process   `json:"limits,omitempty"`   // of the process, as they were
	Material  *Material          `json:"material,omitempty"` // when the volume has a meaning
	Shells    []ShellRow         `json:"shells"`             // the first of them
	Findings  []Finding          `json:"findings"`
	Questions []Ask              `json:"questions"`
	Answers   map[string]string  `json:"answers,omitempty"` // to questions, by their ids
	Verdict   Verdict            `json:"verdict"`
	Unread    string             `json:"unread,omitempty"` // why the file could not be read
	Timings   map[string]float64 `json:"timings_ms"`
}

// File says which bytes were checked.
type File struct {
	Name   string `json:"name"`
	Format string `json:"format"`
	Bytes  int64  `json:"bytes"`
	SHA256 string `json:"sha256"`
}

// Geometry holds the counts and measures of a mesh. Genus and VolumeMM3 are
// nil when they have no meaning; SelfIntersections in reports of versions that
// did not look.
type Geometry struct {
	Triangles           int        `json:"triangles"`
	Vertices            int        `json:"vertices"`
	Edges               int        `json:"edges"`
	Shells              int        `json:"shells"`
	Bodies              int        `json:"bodies"`
	Watertight          bool       `json:"watertight"`
	Oriented            bool       `json:"oriented"`
	Genus               *int       `json:"genus"`
	BoundaryEdges       int        `json:"boundary_edges"`
	BoundaryLoops       int        `json:"boundary_loops"`
	TeeJoints           int        `json:"tee_joints"` // corners of open boundaries on open edges
	NonManifoldEdges    int        `json:"non_manifold_edges"`
	NonManifoldVertices int        `json:"non_manifold_vertices"`
	InconsistentEdges   int        `json:"inconsistent_edges"`
	Degenerate          int        `json:"degenerate"`
	Duplicates          int        `json:"duplicates"`
	Flipped             int        `json:"flipped"`
	InsideOutShells     int        `json:"inside_out_shells"`
	SelfIntersections   *int       `json:"self_intersections"`
	AtLeast             bool       `json:"self_intersections_at_least,omitempty"` // there may be more
	MinMM               [3]float64 `json:"min_mm"`
	SizeMM              [3]float64 `json:"size_mm"`
	AreaMM2             float64    `json:"area_mm2"`
	VolumeMM3           *float64   `json:"volume_mm3"`
}

// ShellRow says what one shell is.
type ShellRow struct {
	Number    int        `json:"number"` // from 1
	Role      string     `json:"role"`   // outer skin, hollow, solid in solid, loose solid in a hollow, open surface, sheet, speck, loose piece
	Triangles int        `json:"triangles"`
	AtMM      [3]float64 `json:"at_mm"`
	SizeMM    [3]float64 `json:"size_mm"`
	AreaMM2   float64    `json:"area_mm2"`
	VolumeMM3 *float64   `json:"volume_mm3"` // of closed ones
	Depth     int        `json:"depth"`      // how many it lies in
	Inside    int        `json:"inside"`     // the number of the innermost of those; 0 for none
	InsideOut bool       `json:"inside_out,omitempty"`
	Overlaps  bool       `json:"overlaps,omitempty"` // it meets another
}

// maxShells is how many shells a report lists.
const maxShells = 500

// shellRows calls each shell what it is.
func (s *Subject) shellRows() []ShellRow {
	flat := s.sheets()
	role := map[int32]string{}
	specks, loose := s.strays()
	for _, i := range loose {
		role[i] = "loose piece"
	}
	for _, i := range specks {
		role[i] = "speck"
	}
	meets := map[int32]bool{}
	for _, p := range s.Crossings.Pairs {
		if a, b := s.Shells.Of[p[0]], s.Shells.Of[p[1]]; a != b {
			meets[a], meets[b] = true, true
		}
	}
	rows := make([]ShellRow, 0, min(len(s.Shells.List), maxShells))
	for i, shell := range s.Shells.List[:cap(rows)] {
		row := ShellRow{Number: i + 1, Role: "outer skin", Triangles: shell.Triangles, AtMM: roundAll(shell.Box.Centre()), SizeMM: roundAll(shell.Box.Size()),
			AreaMM2: shell.AreaMM2, Depth: shell.Depth, Inside: int(shell.Inside) + 1, InsideOut: shell.InsideOut(), Overlaps: meets[int32(i)]}
		switch {
		case role[int32(i)] != "":
			row.Role = role[int32(i)]
		case flat[i]:
			row.Role = "sheet"
		case !shell.Closed:
			row.Role = "open surface"
		case solidInSolid(shell):
			row.Role = "solid in solid"
		case shell.Depth%2 == 1:
			row.Role = "hollow"
		case shell.Depth > 0:
			row.Role = "loose solid in a hollow"
		}
		if shell.Closed && shell.Orientable {
			v := shell.VolumeMM3
			row.VolumeMM3 = &v
		}
		rows = append(rows, row)
	}
	return rows
}

// Material is what a part takes when it is printed solid.
type Material struct {
	Grams float64 `json:"grams"`
	Price float64 `json:"price"` // in the bureau's currency
}

func materialOf(g Geometry, p process.Process) *Material {
	if g.VolumeMM3 == nil || *g.VolumeMM3 <= 0 {
		return nil
	}
	cm3 := *g.VolumeMM3 / 1000
	return &Material{Grams: cm3 * p.DensityGCM3, Price: cm3 * p.PricePerCM3}
}

// Finding is one kind of thing that was seen.
type Finding struct {
	Kind        string   `json:"kind"`
	Severity    Severity `json:"severity"`
	Count       int      `json:"count"`
	Summary     string   `json:"summary"`
	Places      []Place  `json:"places"`
	PlacesTotal int      `json:"places_total"`

	asks bool // it raises its kind's question and stays what it is until that is answered
}

// Place is where a finding is: a point, the size of what is there, its
// triangles (the first of them; numbers are those of the mesh as read), and a
// line to draw where the finding has one.
type Place struct {
	AtMM           [3]float64   `json:"at_mm"`
	SizeMM         float64      `json:"size_mm"`
	Triangles      []int32      `json:"triangles"`
	TrianglesTotal int          `json:"triangles_total"`
	LineMM         [][3]float64 `json:"line_mm,omitempty"`
	LayersMM       *[2]float64  `json:"layers_mm,omitempty"` // from which height to which layers do not close there, or fill wrongly

	low, high float64 // heights that it reaches from and to
}

// Marked lists the triangles at the places of errors, for a picture.
func Marked(r *Report) (triangles []int32) {
	for _, f := range r.Findings {
		if f.Severity != Error {
			continue
		}
		for _, p := range f.Places {
			triangles = append(triangles, p.Triangles...)
		}
	}
	return triangles
}

// Ask is something only a person can decide.
type Ask struct {
	ID       string   `json:"id"`
	Kind     string   `json:"kind"`
	Text     string   `json:"text"`
	Evidence []string `json:"evidence"`
	Choices  []Choice `json:"choices"`
	Default  string   `json:"default"`
}

// Choice is one answer and what it would do.
type Choice struct {
	Answer string `json:"answer"`
	Effect string `json:"effect"`
	// Picture is the SHA-256 of a picture of the part with this answer, where one was kept.
	Picture string `json:"picture,omitempty"`

	leaves Severity // what the finding is once that is the answer; a note when empty
}

const (
	maxPlaces    = 200
	maxTriangles = 500 // of one place
	maxLine      = 400 // points of one place's line
)

// settle sorts the places by size, largest first, and caps lists.
func (f *Finding) settle() {
	if f.Places == nil {
		f.Places = []Place{}
	}
	slices.SortStableFunc(f.Places, func(a, b Place) int {
		switch {
		case a.SizeMM > b.SizeMM:
			return -1
		case a.SizeMM < b.SizeMM:
			return 1
		}
		return 0
	})
	f.PlacesTotal = max(f.PlacesTotal, len(f.Places))
	if len(f.Places) > maxPlaces {
		f.Places = f.Places[:maxPlaces]
	}
	for i := range f.Places {
		p := &f.Places[i]
		if p.Triangles == nil {
			p.Triangles = []int32{}
		}
		p.TrianglesTotal = max(p.TrianglesTotal, len(p.Triangles))
		if len(p.Triangles) > maxTriangles {
			p.Triangles = p.Triangles[:maxTriangles]
		}
		if n := len(p.LineMM); n > maxLine { // thin the line out evenly, ends kept
			line := make([][3]float64, maxLine)
			for k := range line {
				line[k] = p.LineMM[k*(n-1)/(maxLine-1)]
			}
			p.LineMM = line
		}
	}
}

// placeOf is the place that those triangles cover.
func (s *Subject) placeOf(triangles []int32) Place {
	box := geom.EmptyBox()
	for _, t := range triangles {
		for _, v := range s.Mesh.Triangles[t] {
			box = box.Extend(s.Mesh.Positions[v])
		}
	}
	return Place{AtMM: roundAll(box.Centre()), SizeMM: round(diameter(box)), Triangles: triangles, low: box.Min.Z, high: box.Max.Z}
}

// placesOf makes one place of the triangles that hang together through shared
// vertices, so that forty thousand triangles side by side are one row.
func (s *Subject) placesOf(triangles []int32) (places []Place) {
	first := map[int32]int32{} // a vertex's first of the found triangles; only their vertices, never the whole mesh
	joined := mesh.NewForest(len(triangles))
	for i, t := range triangles {
		for _, v := range s.Mesh.Triangles[t] {
			if j, ok := first[v]; ok {
				joined.Join(j, int32(i))
			} else {
				first[v] = int32(i)
			}
		}
	}
	members := make([][]int32, len(triangles))
	for i, t := range triangles {
		r := joined.Root(int32(i))
		members[r] = append(members[r], t)
	}
	for _, m := range members {
		if len(m) > 0 {
			places = append(places, s.placeOf(m))
		}
	}
	return places
}

// line is a row of vertices as points to draw.
func (s *Subject) line(vertices ...int32) (points [][3]float64) {
	for _, v := range vertices {
		points = append(points, roundAll(s.Mesh.Positions[v]))
	}
	return points
}

func roundAll(v geom.Vec) [3]float64 { return [3]float64{round(v.X), round(v.Y), round(v.Z)} }

// some is "1 hole" or "3 holes".
func some(n int, one, many string) string {
	if n == 1 {
		return "1 " + one
	}
	return fmt.Sprintf("%d %s", n, many)
}
