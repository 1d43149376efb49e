// Package check looks at one mesh and says everything that is known to be
// wrong with it, in one report with one verdict.
//
// The idea: a finding kind is a value (name, texts for people, and a function
// that looks for it), each in a file of its own. Run computes the shared facts
// once, asks every kind in the registry in order, and draws the verdict from
// what they found. A kind owns its question and nothing else.
package check

import (
	"cmp"
	"context"
	"math"

	"golang.org/x/sync/errgroup"

	"veneer/core/geom"
	"veneer/core/mesh"
	"veneer/core/process"
	"veneer/core/spatial"
	"veneer/core/unit"
)

// Severity of a finding.
type Severity string

const (
	Error    Severity = "error"
	Warning  Severity = "warning"
	Question Severity = "question"
	Note     Severity = "note"
)

// Verdict of a revision.
type Verdict string

const (
	Pass   Verdict = "pass"
	Repair Verdict = "repair"
	Hold   Verdict = "hold"
	Reject Verdict = "reject"
)

// Kind is one kind of thing a check can see.
type Kind struct {
	Name   string
	Title  string
	Usual  Severity
	What   string // what it is, in plain words
	Harm   string // what it does to a print
	Action string // what Veneer does about it
	sketch sketches
	find   func(*Subject) *Finding
	ask    func(*Subject) Ask // of kinds that ask a person: the question that a finding raises
}

// Questions lists the ids of the questions that findings raise, for which a process may
// hold answers ahead; the unit is asked of every part anew.
func Questions() (ids []string) {
	for _, k := range Kinds() {
		if k.ask != nil && k.Name != unitDoubt.Name {
			ids = append(ids, k.Name)
		}
	}
	return ids
}

// Kinds is the registry, in the order in which findings are reported.
func Kinds() []Kind {
	return []Kind{
		unitDoubt,
		cutShort,
		openBoundary,
		nonManifoldEdge,
		notOrientable,
		flippedTriangle,
		insideOutShell,
		duplicateTriangle,
		degenerateTriangle,
		unweldedSeam,
		selfIntersection,
		overlappingShells,
		nestedShell,
		strayShell,
		sheet,
		nonManifoldVertex,
		storedNormals,
		oversize,
		thinWall,
		trappedVolume,
		offBed,
		upAxis,
		mirrored,
		tooHeavy,
		overhang,
		fineDetail,
		sliver,
		unevenFace,
		lostContent,
	}
}

// KindNamed finds a kind by name.
func KindNamed(name string) (Kind, bool) {
	for _, k := range Kinds() {
		if k.Name == name {
			return k, true
		}
	}
	return Kind{}, false
}

// Settings are what a check needs beside the mesh.
type Settings struct {
	Process process.Process
	Unit    unit.Estimate
	// What the reader saw of the file; see the model of the same names.
	Lost     []string
	Uneven   int
	Short    string
	Against  []int32
	Mirrored int
	ZUp      bool // the format says which way is up
	// Answers to questions by their ids; with TakeDefaults, those that are not
	// answered take their default.
	Answers      map[string]string
	TakeDefaults bool
	// Progress is told the stage that begins and the share of the check done; may be nil.
	Progress func(stage string, done float64)
}

// Subject is a mesh with the facts that several kinds need.
type Subject struct {
	Settings
	Mesh     *mesh.Mesh
	Topology *mesh.Topology
	Edges    mesh.EdgeCounts
	Shells   *mesh.Shells
	Loops    []mesh.Loop
	Box      geom.Box // of the whole part

	Duplicates          []int32 // triangles
	Degenerate          []int32 // triangles
	NonManifoldVertices []int32
	fans                int

	Tree      *spatial.Tree // of the triangles with area
	Crossings spatial.Crossings
	walls     walls
	flat      []bool // by shell: see sheets
}

// Run checks a mesh whose positions are in mm. It reads the mesh only, gives
// the same report whatever the number of cores, and returns early with the
// context's error once that is cancelled.
func Run(ctx context.Context, m *mesh.Mesh, set Settings) (*Report, error) {
	s, err := study(ctx, m, set)
	if err != nil {
		return nil, err
	}
	r := s.report()
	for _, k := range Kinds() {
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		f := k.find(s)
		if f == nil || f.Count == 0 {
			continue
		}
		f.Kind = k.Name
		if f.Severity == "" {
			f.Severity = k.Usual
		}
		f.settle()
		if err := s.layersOf(ctx, f); err != nil {
			return nil, err
		}
		if f.Severity == Question || f.asks {
			s.question(r, f, k.ask(s))
		}
		r.Findings = append(r.Findings, *f)
	}
	r.Verdict = verdict(r)
	s.progress("done", 1)
	return r, nil
}

// question opens the question that a finding raises, or takes its answer: the
// finding is a note from then on.
func (s *Subject) question(r *Report, f *Finding, q Ask) {
	answer, given := s.answer(q)
	for _, c := range q.Choices {
		if given && c.Answer == answer {
			f.Severity = cmp.Or(c.leaves, Note)
			f.Summary += "; answered: " + answer
			if r.Answers == nil {
				r.Answers = map[string]string{}
			}
			r.Answers[q.ID] = answer
			return
		}
	}
	r.Questions = append(r.Questions, q)
}

// answer is what a person says to a question, if anything.
func (s *Subject) answer(q Ask) (answer string, given bool) {
	if answer, given = s.Answers[q.ID]; given {
		return answer, given
	}
	if answer, given = s.Process.Policy[q.ID]; !given && s.TakeDefaults {
		return q.Default, true
	}
	return answer, given
}

// study computes the shared facts. What does not depend on one another runs
// side by side; every goroutine writes its own field and ends before study does.
func study(ctx context.Context, m *mesh.Mesh, set Settings) (*Subject, error) {
	s := &Subject{Settings: set, Mesh: m}
	var g errgroup.Group
	g.Go(func() error {
		flat := make([]bool, len(m.Triangles))
		for t := range int32(len(m.Triangles)) {
			if flat[t] = m.ZeroArea(t); flat[t] {
				s.Degenerate = append(s.Degenerate, t)
			}
		}
		s.Box = m.Bounds()
		s.Tree = spatial.New(m, func(t int32) bool { return !flat[t] })
		return ctx.Err()
	})
	s.progress("topology", 0)
	s.Topology = mesh.NewTopology(m)
	s.Edges = s.Topology.Count()
	if err := ctx.Err(); err != nil {
		g.Wait()
		return nil, err
	}
	s.progress("shells", 0.2)
	g.Go(func() error {
		s.Shells = mesh.NewShells(s.Topology, s.Edges)
		return ctx.Err()
	})
	s.NonManifoldVertices, s.fans = s.Topology.NonManifoldVertices()
	s.Loops = s.Topology.Loops()
	s.Duplicates = s.Topology.Duplicates()
	if err := g.Wait(); err != nil {
		return nil, err
	}
	s.progress("self_intersection", 0.4)
	var err error
	s.Crossings, err = s.Tree.Crossings(ctx, maxCrossings, func(done float64) { s.progress("self_intersection", 0.4+0.4*done) })
	if err != nil {
		return nil, err
	}
	s.progress("walls", 0.8)
	s.walls, err = s.wallsOf(ctx)
	s.progress("findings", 0.95)
	return s, err
}

// maxCrossings is how many pairs of triangles are counted before the report
// says "at least": enough for any part that is worth repairing.
const maxCrossings = 2_000_000

func (s *Subject) progress(stage string, done float64) {
	if s.Progress != nil {
		s.Progress(stage, done)
	}
}

// report fills in the geometry.
func (s *Subject) report() *Report {
	g := Geometry{
		Triangles:           len(s.Mesh.Triangles),
		Vertices:            len(s.Mesh.Positions),
		Edges:               s.Edges.Edges,
		Shells:              len(s.Shells.List),
		Bodies:              max(len(s.Mesh.Bodies), 1),
		Watertight:          s.Edges.Boundary == 0 && s.Edges.NonManifold == 0 && s.Edges.Edges > 0,
		BoundaryEdges:       s.Edges.Boundary,
		BoundaryLoops:       len(s.Loops),
		TeeJoints:           len(s.Topology.Tees(s.Loops, SeamMM(diameter(s.Box)))),
		NonManifoldEdges:    s.Edges.NonManifold,
		NonManifoldVertices: len(s.NonManifoldVertices),
		InconsistentEdges:   s.Edges.Inconsistent,
		Degenerate:          len(s.Degenerate),
		Duplicates:          len(s.Duplicates),
		MinMM:               s.Box.Min.Array(),
		SizeMM:              s.Box.Size().Array(),
	}
	if s.Box.Empty() {
		g.MinMM = [3]float64{}
	}
	if len(s.Mesh.Bodies) == 0 {
		g.Bodies = len(s.Shells.List) // nobody named any: the shells are the bodies
	}
	g.Oriented = g.Watertight && s.Edges.Inconsistent == 0
	volume, faces := 0.0, 0
	for _, shell := range s.Shells.List {
		g.AreaMM2 += shell.AreaMM2
		g.Flipped += shell.Flipped
		volume += shell.VolumeMM3
		faces += shell.Triangles
		if shell.InsideOut() {
			g.InsideOutShells++
		}
	}
	crossings := len(s.Crossings.Pairs)
	g.SelfIntersections, g.AtLeast = &crossings, s.Crossings.AtLeast
	if g.Oriented {
		// V - E + F = 2·shells - 2·genus, a vertex counted once for each of its fans.
		genus := len(s.Shells.List) - (s.fans-s.Edges.Edges+faces)/2
		g.Genus, g.VolumeMM3 = &genus, &volume
	}
	limits := s.Process // a copy, for the report outlives the subject
	return &Report{Schema: Schema, Unit: s.Unit, Geometry: g, Material: materialOf(g, s.Process), Process: s.Process.Name, Limits: &limits, Shells: s.shellRows(), Findings: []Finding{}, Questions: []Ask{}}
}

// verdict draws the conclusion: nothing printable, a question open, an error
// left, or pass.
func verdict(r *Report) Verdict {
	if r.Geometry.Triangles == 0 || r.Geometry.AreaMM2 == 0 || r.Answers[CutShort] == Wait {
		return Reject
	}
	if len(r.Questions) > 0 {
		return Hold
	}
	for _, f := range r.Findings {
		if f.Severity == Error {
			return Repair
		}
	}
	return Pass
}

// diameter is the length of a box's diagonal.
func diameter(b geom.Box) float64 {
	if b.Empty() {
		return 0
	}
	return b.Size().Length()
}

// round keeps places readable: a ten-thousandth of a mm is far below any printer.
func round(x float64) float64 { return math.Round(x*1e4) / 1e4 }
