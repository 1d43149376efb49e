package workbench

import (
	"bufio"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path"
	"path/filepath"
	"runtime/debug"
	"strings"
	"syscall"
	"time"

	"veneer/bureau/record"
	"veneer/core/check"
	"veneer/core/format/file"
	"veneer/core/measure"
	"veneer/core/mesh"
	"veneer/core/picture"
	"veneer/core/pipeline"
	"veneer/core/process"
	"veneer/core/repair"
	"veneer/core/repair/recast"
	"veneer/core/spatial"
	"veneer/core/unit"
)

// Task is what a child process is told to do, as JSON on its standard input.
type Task struct {
	Kind    record.JobKind `json:"kind"`
	File    string         `json:"file"`    // where the bytes lie
	Name    string         `json:"name"`    // what the customer called them
	Unit    string         `json:"unit"`    // as set by a person, or ""
	Sisters []unit.Clues   `json:"sisters"` // of the batch's other files
	Earlier map[string]int `json:"earlier"` // units of the customer's earlier files
	Expect  string         `json:"expect"`  // the size that the customer stated

	Method  repair.Method     `json:"method"`  // that a person ordered; auto when empty
	Steps   []string          `json:"steps"`   // likewise
	Recast  recast.Settings   `json:"recast"`  // likewise
	Study   *Study            `json:"study"`   // what to work out, of a study
	Answers map[string]string `json:"answers"` // to questions, by their ids
	Path    string            `json:"path"`    // the file's own, among those that came
	Beside  []Companion       `json:"beside"`  // files that came along

	Process process.Process `json:"process"`
	Limits  file.Limits     `json:"limits"`
	Memory  int64           `json:"memory"` // bytes the child may use
	Dir     string          `json:"dir"`    // where it leaves its results
}

// Study is what a study works out, beside its kind: reports of the revisions are
// there already.
type Study struct {
	Kind    record.StudyKind `json:"kind"`
	Reports []*check.Report  `json:"reports"` // of the task's file, and of the other one
	File    string           `json:"file"`    // the other one of a comparison, in mm
	Name    string           `json:"name"`
	Unit    string           `json:"unit"`
}

// Companion is a file that came along: what the customer called it, and where
// its bytes lie.
type Companion struct {
	Path string `json:"path"`
	File string `json:"file"`
}

// open opens a file that came along by the path that the part names it by: from
// the part's folder, or else by its last element, the nearest folder first. The
// part's words only choose among the files of its batch.
func (t Task) open(name string) (io.ReadCloser, error) {
	folder := path.Dir(t.Path)
	exact := path.Join(folder, name)
	best, nearest := "", -1
	for _, c := range t.Beside {
		switch {
		case strings.EqualFold(c.Path, exact):
			return os.Open(c.File)
		case strings.EqualFold(path.Base(c.Path), path.Base(name)):
			if n := shared(path.Dir(c.Path), folder); n > nearest {
				best, nearest = c.File, n
			}
		}
	}
	if best == "" {
		return nil, fs.ErrNotExist
	}
	return os.Open(best)
}

// shared counts the elements that two paths begin with alike.
func shared(a, b string) (n int) {
	p, q := strings.Split(a, "/"), strings.Split(b, "/")
	for n < min(len(p), len(q)) && p[n] == q[n] {
		n++
	}
	return n
}

// Names of the results in a task's folder.
const (
	meshFile    = "mesh"
	pictureFile = "picture.png"
	viewFile    = "view.bin"
	lightFile   = "light.bin"
	frontFile   = "front.png"
	markedFile  = "marked.png"
)

// line is one line of a child's standard output: progress, or the end.
type line struct {
	Stage  string          `json:"stage,omitempty"`
	Done   float64         `json:"done,omitempty"`
	Report *check.Report   `json:"report,omitempty"`
	Repair *repair.Result  `json:"repair,omitempty"`
	Study  json.RawMessage `json:"study,omitempty"`
	Error  string          `json:"error,omitempty"`
}

// RunTask is the child's side: it reads a task, does it, and writes progress
// and the result as lines of JSON. It limits its own memory first, so that no
// file can take the service down.
func RunTask(ctx context.Context, in io.Reader, out io.Writer) error {
	var task Task
	if err := json.NewDecoder(in).Decode(&task); err != nil {
		return fmt.Errorf("read the task: %w", err)
	}
	if task.Memory > 0 {
		debug.SetMemoryLimit(task.Memory * 4 / 5)
		limit := syscall.Rlimit{Cur: uint64(task.Memory), Max: uint64(task.Memory)}
		if err := syscall.Setrlimit(syscall.RLIMIT_DATA, &limit); err != nil {
			return fmt.Errorf("limit memory: %w", err)
		}
	}
	w := bufio.NewWriter(out)
	say := func(l line) error {
		if err := json.NewEncoder(w).Encode(l); err != nil {
			return err
		}
		return w.Flush()
	}
	result, err := task.do(ctx, progressLines(say))
	if err != nil {
		result = line{Error: err.Error()}
	}
	return say(result)
}

// progressLines passes progress on a few times a second.
func progressLines(say func(line) error) func(string, float64) {
	var last time.Time
	return func(stage string, done float64) {
		if time.Since(last) < 150*time.Millisecond {
			return
		}
		last = time.Now()
		say(line{Stage: stage, Done: done}) // a parent that is gone ends the child anyway
	}
}

func (t Task) do(ctx context.Context, progress func(string, float64)) (line, error) {
	f, err := os.Open(t.File)
	if err != nil {
		return line{}, err
	}
	defer f.Close()
	info, err := f.Stat()
	if err != nil {
		return line{}, err
	}
	expect, err := unit.ParseSize(t.Expect)
	if err != nil {
		return line{}, err
	}
	set := pipeline.Settings{Process: t.Process, Unit: t.Unit, Sisters: t.Sisters, Earlier: t.Earlier, ExpectMM: expect, Answers: t.Answers,
		Limits: t.Limits, Progress: progress, Now: time.Now}
	set.Method, set.Recast = t.Method, t.Recast
	for _, text := range t.Steps {
		order, err := repair.ParseOrder(text)
		if err != nil {
			return line{}, err
		}
		set.Orders = append(set.Orders, order)
	}
	src := file.Source{Name: t.Name, R: f, Size: info.Size(), Beside: t.open}
	if t.Kind == record.Look {
		found, err := t.study(ctx, src, set)
		return line{Study: found}, err
	}
	checked, err := pipeline.Check(ctx, src, set)
	if err != nil {
		return line{}, err
	}
	switch t.Kind {
	case record.Inspect:
		if checked.Mesh != nil {
			err = errors.Join(t.draw(ctx, checked.Mesh), t.drawMarked(checked.Mesh, checked.Report), t.drawOutcomes(ctx, checked))
		}
		return line{Report: checked.Report}, err
	case record.Mend:
		if checked.Mesh == nil {
			return line{}, errors.New(checked.Report.Unread)
		}
		out, err := os.Create(filepath.Join(t.Dir, meshFile))
		if err != nil {
			return line{}, err
		}
		defer out.Close()
		result, err := pipeline.Mend(ctx, checked, out, set)
		if err != nil {
			return line{}, err
		}
		return line{Report: result.After, Repair: result}, errors.Join(t.draw(ctx, result.Mesh), t.drawMarked(result.Mesh, result.After))
	}
	return line{}, fmt.Errorf("no task is called %q", t.Kind)
}

// drawMarked leaves a picture with the triangles of errors marked, when there are any.
func (t Task) drawMarked(m *mesh.Mesh, r *check.Report) error {
	opt := picture.DefaultOptions(m)
	opt.Marked = check.Marked(r)
	if len(opt.Marked) == 0 {
		return nil
	}
	return t.write(markedFile, func(w *bufio.Writer) error { return picture.WritePNG(w, m, opt) })
}

// The map of walls that a view shows: by so many samples at most, and up to so
// many times the thinnest wall that prints.
const (
	wallSamples = 20_000
	wallTimes   = 4
)

// A view of more than heavy triangles has a lighter one beside it, which a browser
// shows at once.
const (
	heavy      = 300_000
	lightViews = 150_000
)

// draw leaves the picture and the view data of a mesh.
func (t Task) draw(ctx context.Context, m *mesh.Mesh) error {
	walls, err := measure.Walls(ctx, spatial.New(m, func(t int32) bool { return !m.ZeroArea(t) }), measure.Samples(m, wallSamples, nil), wallTimes*t.Process.WallMM)
	if err != nil {
		return err
	}
	if len(m.Triangles) > heavy {
		light, err := pipeline.ForView(ctx, m, lightViews)
		if err != nil {
			return err
		}
		if err := t.write(lightFile, func(w *bufio.Writer) error { return picture.WriteView(w, light, walls) }); err != nil {
			return err
		}
	}
	return errors.Join(
		t.write(frontFile, func(w *bufio.Writer) error { return picture.WritePNG(w, m, picture.FrontOptions(m)) }),
		t.write(pictureFile, func(w *bufio.Writer) error { return picture.WritePNG(w, m, picture.DefaultOptions(m)) }),
		t.write(viewFile, func(w *bufio.Writer) error { return picture.WriteView(w, m, walls) }))
}
