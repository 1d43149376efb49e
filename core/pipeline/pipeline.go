// Package pipeline is the way of the data through the core, in one place:
// bytes, mesh, unit, check, repair, bytes, and back again to prove it.
//
// It is what the command line does to a file and what a worker does to a part.
package pipeline

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"time"

	"golang.org/x/sync/errgroup"

	"veneer/core/check"
	"veneer/core/format"
	"veneer/core/format/file"
	"veneer/core/format/threemf"
	"veneer/core/mesh"
	"veneer/core/process"
	"veneer/core/repair"
	"veneer/core/repair/recast"
	"veneer/core/unit"
)

// Settings say how to treat a file.
type Settings struct {
	Process  process.Process
	Unit     string         // the unit a person has set; "" to infer it
	ExpectMM [3]float64     // the size that the customer stated; zero for none
	Sisters  []unit.Clues   // of files of the same format that came along
	Earlier  map[string]int // how many of the customer's earlier files were in each unit
	Limits   file.Limits
	// Answers to questions by their ids; with TakeDefaults, those that are not
	// answered take their default.
	Answers      map[string]string
	TakeDefaults bool
	// Method is how a repair is done; auto when empty.
	Method repair.Method
	// Recast is what drawing a new skin is set to; what is 0 follows from the process.
	Recast recast.Settings
	// Orders are steps that a person wants instead of what a repair would do.
	Orders []repair.Order
	// Progress is told the stage that begins and the share of the whole done; may be nil.
	Progress func(stage string, done float64)
	// Format is what results are written as; when empty, 3MF if there are names,
	// colours or textures to keep, else binary STL.
	Format file.Format
	// Beside takes and gives back what belongs to an OBJ that is written: its
	// materials and textures; nil to leave them out.
	Beside format.Beside
	// Now tells the time for the report's timings; without it they are 0. The core has no clock.
	Now func() time.Time
}

// Checked is a file that was read and checked. Mesh is in mm, and nil when the
// file could not be read; the report then says why and rejects it.
type Checked struct {
	Mesh   *mesh.Mesh
	Report *check.Report
}

// Read reads a file whose unit is known, and no more: it was checked before, as
// the report says.
func Read(ctx context.Context, src file.Source, unitName string, report *check.Report, set Settings) (*Checked, error) {
	mm, err := unit.Millimetres(unitName)
	if err != nil {
		return nil, err
	}
	model, err := format.Read(ctx, src, file.Options{Limits: set.Limits})
	if err != nil {
		return nil, err
	}
	model.Mesh.Scale(mm)
	return &Checked{model.Mesh, report}, nil
}

// Check reads a file, settles its unit and checks it. A file that cannot be
// read is a result, not an error; errors are cancellation and failing disks.
func Check(ctx context.Context, src file.Source, set Settings) (*Checked, error) {
	watch := newStopwatch(set)
	watch.at("read", 0)
	hash := sha256.New()
	var model *file.Model
	g, ctx2 := errgroup.WithContext(ctx)
	g.Go(func() error { // on another core, beside the reading
		_, err := io.Copy(hash, contextReader{ctx2, src.Section()})
		return err
	})
	var unread *file.Error
	g.Go(func() (err error) {
		model, err = format.Read(ctx2, src, file.Options{Limits: set.Limits, Progress: func(done float64) { watch.at("read", 0.5*done) }})
		if errors.As(err, &unread) {
			return nil // the hash is still wanted
		}
		return err
	})
	if err := g.Wait(); err != nil {
		return nil, err
	}
	id := check.File{Name: src.Name, Bytes: src.Size, SHA256: hex.EncodeToString(hash.Sum(nil))}
	if unread != nil {
		return &Checked{Report: unreadable(id, unread, set, watch)}, nil
	}
	id.Format = string(model.Format)

	clues := unit.Clues{Size: model.Mesh.Bounds().Size().Array(), Declared: model.Unit, Hints: model.Hints, ExpectMM: set.ExpectMM, Earlier: set.Earlier}
	estimate := unit.Together(append([]unit.Clues{clues}, set.Sisters...), set.Process)[0]
	if set.Unit != "" {
		var err error
		if estimate, err = unit.Settled(set.Unit, clues); err != nil {
			return nil, err
		}
	} else if set.TakeDefaults {
		estimate.Doubtful = false
	}
	mm, err := unit.Millimetres(estimate.Chosen)
	if err != nil {
		return nil, err
	}
	model.Mesh.Scale(mm)
	report, err := check.Run(ctx, model.Mesh, check.Settings{Process: set.Process, Unit: estimate, Answers: set.Answers, TakeDefaults: set.TakeDefaults,
		Lost: model.Lost, Uneven: model.Uneven, Short: model.Short, Against: model.Against, Mirrored: model.Mirrored, ZUp: model.Format == file.ThreeMF,
		Progress: func(stage string, done float64) { watch.at(stage, 0.5+0.5*done) }})
	if err != nil {
		return nil, err
	}
	report.File = id
	report.Timings = watch.stop()
	return &Checked{model.Mesh, report}, nil
}

func unreadable(id check.File, why *file.Error, set Settings, watch *stopwatch) *check.Report {
	return &check.Report{
		Schema: check.Schema, File: id, Unit: unit.Estimate{Candidates: []unit.Candidate{}}, Process: set.Process.Name,
		Shells: []check.ShellRow{}, Findings: []check.Finding{}, Questions: []check.Ask{}, Verdict: check.Reject, Unread: why.Error(), Timings: watch.stop(),
	}
}

// Bytes is where a result is written and read back from, and written again when
// that did not do; an *os.File is one.
type Bytes interface {
	io.WriteSeeker
	io.ReaderAt
	Truncate(size int64) error
}

// Mend repairs a checked file and writes the result to out in mm, whether or
// not it passes; the result's After is the check of those bytes.
func Mend(ctx context.Context, c *Checked, out Bytes, set Settings) (*repair.Result, error) {
	if c.Mesh == nil {
		return nil, errors.New(c.Report.Unread)
	}
	verify := func(ctx context.Context, m *mesh.Mesh) (*check.Report, error) {
		return WriteAndCheck(ctx, m, c.Report.File.Name, out, set)
	}
	return repair.Run(ctx, c.Mesh, c.Report, repair.Settings{Process: set.Process, Method: set.Method, Answers: set.Answers, TakeDefaults: set.TakeDefaults, Orders: set.Orders, Recast: set.Recast, Now: set.Now, Verify: verify, Progress: set.Progress})
}

// WriteAndCheck writes a mesh that is rounded to float32 to out, reads it back
// from there and checks what it reads.
func WriteAndCheck(ctx context.Context, m *mesh.Mesh, name string, out Bytes, set Settings) (*check.Report, error) {
	if set.Format == "" {
		set.Format = Keeping(m)
	}
	src, err := write(m, out, name, name, set)
	if err != nil {
		return nil, err
	}
	set.Unit, set.Progress = "mm", nil
	back, err := Check(ctx, src, set)
	if err != nil {
		return nil, err
	}
	return back.Report, nil
}

// Keeping is the lightest format that keeps all that a mesh holds.
func Keeping(m *mesh.Mesh) file.Format {
	if len(m.Bodies) > 0 || m.Colours != nil || m.Covers != nil {
		return file.ThreeMF
	}
	return file.STLBinary
}

// write writes a mesh and returns what was written as a source. title is what
// a 3MF calls itself.
func write(m *mesh.Mesh, out Bytes, name, title string, set Settings) (file.Source, error) {
	if _, err := out.Seek(0, io.SeekStart); err != nil {
		return file.Source{}, fmt.Errorf("write: %w", err)
	}
	if err := out.Truncate(0); err != nil {
		return file.Source{}, fmt.Errorf("write: %w", err)
	}
	count := &counter{w: out}
	if err := format.Write(count, set.Format, m, format.WriteOptions{Name: name, Beside: set.Beside, About: about(title)}); err != nil {
		return file.Source{}, fmt.Errorf("write: %w", err)
	}
	src := file.Source{Name: name, R: out, Size: count.n}
	if set.Beside != nil {
		src.Beside = set.Beside.Open
	}
	return src, nil
}

// about is what a 3MF says of itself.
func about(name string) []threemf.Metadata {
	return []threemf.Metadata{{Name: "Application", Value: "Veneer"}, {Name: "Title", Value: name}}
}

// Conversion is what came of writing a file in another format.
type Conversion struct {
	Format    file.Format `json:"format"`
	Triangles int         `json:"triangles"`
	Lost      []string    `json:"lost"`   // what the new format cannot hold
	Folded    int         `json:"folded"` // triangles that the format's precision leaves without area
}

// Convert writes a checked file in another format, in mm, and proves it: what
// was written is read back and compared corner by corner. Triangles keep their
// order.
func Convert(ctx context.Context, c *Checked, out Bytes, name string, set Settings) (*Conversion, error) {
	if c.Mesh == nil {
		return nil, errors.New(c.Report.Unread)
	}
	r := &Conversion{Format: set.Format, Triangles: len(c.Mesh.Triangles), Lost: append([]string{}, format.Loses(set.Format, c.Mesh)...)}
	if set.Format == file.STLBinary || set.Format == file.STLASCII {
		r.Folded = format.Folds(c.Mesh)
	}
	src, err := write(c.Mesh, out, name, c.Report.File.Name, set)
	if err != nil {
		return nil, err
	}
	return r, format.ReadBack(ctx, src, set.Format, c.Mesh, set.Limits)
}

type counter struct {
	w io.Writer
	n int64
}

func (c *counter) Write(b []byte) (int, error) {
	n, err := c.w.Write(b)
	c.n += int64(n)
	return n, err
}

type contextReader struct {
	ctx context.Context
	r   io.Reader
}

func (c contextReader) Read(b []byte) (int, error) {
	if err := c.ctx.Err(); err != nil {
		return 0, err
	}
	return c.r.Read(b)
}

// stopwatch passes progress on and adds up what each stage took. Welding is
// part of reading.
type stopwatch struct {
	set   Settings
	stage string
	since time.Time
	ms    map[string]float64
}

func newStopwatch(set Settings) *stopwatch {
	return &stopwatch{set: set, ms: map[string]float64{"read": 0, "weld": 0, "topology": 0, "self_intersection": 0}}
}

func (s *stopwatch) at(stage string, done float64) {
	if s.set.Progress != nil {
		s.set.Progress(stage, done)
	}
	if stage == s.stage {
		return
	}
	s.lap()
	s.stage = stage
}

func (s *stopwatch) lap() {
	if s.set.Now == nil {
		return
	}
	now := s.set.Now()
	if s.stage != "" {
		s.ms[s.stage] += float64(now.Sub(s.since).Microseconds()) / 1000
	}
	s.since = now
}

func (s *stopwatch) stop() map[string]float64 {
	s.lap()
	delete(s.ms, "done")
	return s.ms
}
