// Package workbench does the bureau's jobs: it takes them from the records one
// by one, runs each in a child process with limits on memory and time, and
// hands the results in.
//
// The idea: the service itself never touches a mesh. Whatever a file makes the
// core do, the worst is a dead child and a part that says so. A job is held
// under a lease that is renewed while its child lives; when the whole machine
// goes away, the lease runs out and another worker takes the job.
package workbench

import (
	"bufio"
	"bytes"
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"log/slog"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync"
	"syscall"
	"time"

	"veneer/bureau/record"
	"veneer/bureau/store"
	"veneer/bureau/vault"
	"veneer/core/check"
	"veneer/core/format/file"
	"veneer/core/repair"
	"veneer/core/repair/recast"
	"veneer/core/unit"
)

// Workbench takes and does jobs.
type Workbench struct {
	Store   *store.Store
	Vault   *vault.Vault
	Name    string   // of this worker, unlike any other's
	Workers int      // jobs done at a time
	Child   []string // command that runs RunTask
	Scratch string   // folder for children's results
	Limits  file.Limits
	Memory  int64         // bytes a child may use
	Time    time.Duration // a job may take
	Lease   time.Duration // after which a silent worker's job is taken again
	Log     *slog.Logger
}

const (
	tries = 2                      // of a job that broke off
	idle  = 250 * time.Millisecond // between looks for a job
)

// Run does jobs until ctx is cancelled; jobs at work are then stopped and
// given back. It returns when all its workers have ended.
func (b *Workbench) Run(ctx context.Context) {
	if err := errors.Join(os.RemoveAll(b.Scratch), os.MkdirAll(b.Scratch, 0o700)); err != nil {
		b.Log.Error("scratch folder", "err", err)
		return
	}
	var all sync.WaitGroup
	for i := range b.Workers {
		worker := fmt.Sprintf("%s/%d", b.Name, i)
		all.Go(func() {
			for ctx.Err() == nil {
				if !b.one(ctx, worker) {
					select {
					case <-ctx.Done():
					case <-time.After(idle):
					}
				}
			}
		})
	}
	all.Wait()
}

// one takes and does a single job; false when there was none.
func (b *Workbench) one(ctx context.Context, worker string) bool {
	job, err := b.Store.Take(ctx, worker, b.Lease)
	if err != nil {
		if ctx.Err() == nil {
			b.Log.Error("take a job", "err", err)
		}
		return false
	}
	if job == nil {
		return false
	}
	log := b.Log.With("job", job.ID, "part", job.PartID, "kind", job.Kind)
	start := time.Now()
	outcome, err := b.do(ctx, job, worker)
	// What follows must be written even while the service stops.
	end, cancel := context.WithTimeout(context.WithoutCancel(ctx), 20*time.Second)
	defer cancel()
	switch {
	case err == nil && outcome.study != nil:
		err = b.Store.FinishStudy(end, job, worker, outcome.study, outcome.files)
		log.Info("study done", "ms", time.Since(start).Milliseconds())
	case err == nil:
		err = b.Store.Finish(end, job, worker, outcome.Outcome)
		log.Info("job done", "ms", time.Since(start).Milliseconds(), "verdict", outcome.Report.Verdict)
	case ctx.Err() != nil:
		err = b.Store.Release(end, job, worker)
		log.Info("job given back")
	case errors.Is(err, store.ErrLeaseLost):
	default:
		again := !errors.Is(err, errFinal) && job.Attempts < tries
		log.Warn("job failed", "err", err, "again", again)
		err = b.Store.Fail(end, job, worker, err.Error(), again)
	}
	if err != nil {
		log.Error("job could not be handed in", "err", err)
	}
	return true
}

// outcome is what a job hands in: of a study, its result and the files with it.
type outcome struct {
	store.Outcome
	study []byte
	files map[string]string
}

// do runs the job's child and puts what it made into the vault.
func (b *Workbench) do(ctx context.Context, job *record.Job, worker string) (*outcome, error) {
	part, err := b.Store.Part(ctx, job.PartID)
	if err != nil {
		return nil, err
	}
	batch, err := b.Store.Batch(ctx, part.BatchID)
	if err != nil {
		return nil, err
	}
	received, err := b.Store.Revision(ctx, part.ID, 0)
	if err != nil {
		return nil, err
	}
	p, err := b.Store.Process(ctx, batch.Process)
	if err != nil {
		return nil, err
	}
	dir, err := os.MkdirTemp(b.Scratch, "job-")
	if err != nil {
		return nil, err
	}
	defer os.RemoveAll(dir)
	var sisters []unit.Clues
	var earlier map[string]int
	chosen := part.UnitSet
	if job.Kind != record.Inspect && chosen == "" { // in the unit that the check settled on
		report, err := checked(received)
		if err != nil {
			return nil, err
		}
		chosen = report.Unit.Chosen
	} else if earlier, err = b.Store.Earlier(ctx, part, batch.Customer); err != nil {
		return nil, err
	} else if batch.Settled { // before that, who is known depends on who was faster
		if sisters, err = b.Store.Sisters(ctx, part); err != nil {
			return nil, err
		}
	}
	companions, err := b.Store.Companions(ctx, batch.ID)
	if err != nil {
		return nil, err
	}
	var beside []Companion
	for _, c := range companions {
		beside = append(beside, Companion{c.Path, b.Vault.Path(c.SHA256)})
	}
	answers := map[string]string{}
	if err := json.Unmarshal(part.Answers, &answers); err != nil {
		return nil, fmt.Errorf("the answers: %w", err)
	}
	source, name, where := received.FileSHA256, part.Name, part.Path
	if job.From > 0 { // what was written before, in mm
		from, err := b.Store.Revision(ctx, part.ID, job.From)
		if err != nil {
			return nil, err
		}
		source, name, where, chosen, beside = from.FileSHA256, from.FileName, from.FileName, "mm", nil
	}
	var steps []string
	if err := json.Unmarshal(job.Steps, &steps); err != nil {
		return nil, fmt.Errorf("the steps: %w", err)
	}
	method, draw, err := ordered(steps)
	if err != nil {
		return nil, err
	}
	if method != "" {
		steps = nil
	}
	var study *Study
	if job.StudyID != nil {
		if study, err = b.studyOf(ctx, job, part.UnitSet); err != nil {
			return nil, err
		}
	}
	task := Task{Method: method, Recast: draw, Study: study, Steps: steps, Sisters: sisters, Earlier: earlier, Expect: part.Expect, Answers: answers, Path: where, Beside: beside, Kind: job.Kind, File: b.Vault.Path(source), Name: name, Unit: chosen,
		Process: p, Limits: b.Limits, Memory: b.Memory, Dir: dir}
	result, err := b.runChild(ctx, job, worker, task)
	if err != nil {
		return nil, err
	}
	o := &outcome{Outcome: store.Outcome{Report: result.Report, Repair: result.Repair}, study: result.Study}
	keep := func(name string) (sum string, n int64, err error) {
		f, err := os.Open(filepath.Join(dir, name))
		if errors.Is(err, os.ErrNotExist) {
			return "", 0, nil
		} else if err != nil {
			return "", 0, err
		}
		defer f.Close()
		return b.Vault.Put(f, 0)
	}
	if study != nil {
		o.files = map[string]string{}
		entries, err := os.ReadDir(dir)
		if err != nil {
			return nil, err
		}
		for _, e := range entries {
			if o.files[e.Name()], _, err = keep(e.Name()); err != nil {
				return nil, err
			}
		}
		return o, nil
	}
	if o.Light, _, err = keep(lightFile); err != nil {
		return nil, err
	}
	if o.Front, _, err = keep(frontFile); err != nil {
		return nil, err
	}
	if o.Marked, _, err = keep(markedFile); err != nil {
		return nil, err
	}
	if o.Picture, _, err = keep(pictureFile); err != nil {
		return nil, err
	}
	if o.View, _, err = keep(viewFile); err != nil {
		return nil, err
	}
	for i := range o.Report.Questions {
		for k := range o.Report.Questions[i].Choices {
			if o.Report.Questions[i].Choices[k].Picture, _, err = keep(outcomeFile(i, k)); err != nil {
				return nil, err
			}
		}
	}
	if job.Kind == record.Mend {
		o.Title = title(result)
		o.File.Name = strings.TrimSuffix(part.Name, filepath.Ext(part.Name)) + "-" + result.Repair.Called + ending(result.Report)
		if o.File.SHA256, o.File.Bytes, err = keep(meshFile); err != nil {
			return nil, err
		}
	}
	return o, nil
}

// ordered reads the method that stands in place of a job's steps, with what a new
// skin is set to; the method is empty when there is none.
func ordered(steps []string) (method repair.Method, draw recast.Settings, err error) {
	for _, step := range steps {
		name, is := strings.CutPrefix(step, record.MethodStep)
		if is {
			method = repair.Method(name)
			continue
		}
		if method == "" {
			return "", draw, nil
		}
		if draw, err = repair.SetRecast(draw, step); err != nil {
			return "", draw, err
		}
	}
	return method, draw, nil
}

// studyOf is what a job's study looks at, beside the revision that it starts from.
func (b *Workbench) studyOf(ctx context.Context, job *record.Job, unitSet string) (*Study, error) {
	asked, err := b.Store.Study(ctx, job.PartID, *job.StudyID)
	if err != nil {
		return nil, err
	}
	s := &Study{Kind: asked.Kind}
	numbers := []int{asked.From}
	if asked.Kind == record.Compare {
		numbers = append(numbers, asked.To)
	}
	for _, n := range numbers {
		r, err := b.Store.Revision(ctx, job.PartID, n)
		if err != nil {
			return nil, err
		}
		report, err := checked(r)
		if err != nil {
			return nil, err
		}
		s.Reports = append(s.Reports, report)
		s.File, s.Name, s.Unit = b.Vault.Path(r.FileSHA256), r.FileName, "mm"
		if n == 0 {
			s.Unit = cmp.Or(unitSet, report.Unit.Chosen)
		}
	}
	return s, nil
}

// checked is the report of a revision that some work starts from.
func checked(r record.Revision) (*check.Report, error) {
	report, err := r.Checked()
	if err == nil && report == nil {
		err = fmt.Errorf("revision %d is not checked", r.Number)
	}
	return report, err
}

// ending is the file name's ending for a result: 3MF when there was more than a
// surface to keep.
func ending(r *check.Report) string {
	if r.File.Format == string(file.ThreeMF) {
		return ".3mf"
	}
	return ".stl"
}

// title says what a repair did: "touch-up, 3 holes filled with 41 triangles".
func title(l *line) string {
	words := []string{l.Repair.Called}
	for _, s := range l.Repair.Steps {
		if s.Detail != "" {
			words = append(words, s.Detail)
		}
	}
	t := []rune(strings.Join(words, ", "))
	if len(t) > 300 {
		t = append(t[:299], '…')
	}
	return string(t)
}

// errFinal marks failures that another try would only repeat.
var errFinal = errors.New("")

// runChild runs one task. The goroutine that renews the lease ends before
// runChild returns; when the lease is lost the child is killed.
func (b *Workbench) runChild(ctx context.Context, job *record.Job, worker string, task Task) (*line, error) {
	ctx, cancel := context.WithTimeoutCause(ctx, b.Time, errTooLong)
	defer cancel()
	lease, lose := context.WithCancelCause(ctx)
	defer lose(nil)

	input, err := json.Marshal(task)
	if err != nil {
		return nil, err
	}
	cmd := exec.CommandContext(lease, b.Child[0], b.Child[1:]...)
	cmd.Stdin = bytes.NewReader(input)
	cmd.Env = []string{"PATH=" + os.Getenv("PATH"), "GOTRACEBACK=single", "VENEER_TASK=1"}
	cmd.SysProcAttr = &syscall.SysProcAttr{Setpgid: true, Pdeathsig: syscall.SIGKILL}
	stderr := &lastWords{}
	cmd.Stderr = stderr
	stdout, err := cmd.StdoutPipe()
	if err != nil {
		return nil, err
	}
	if err := cmd.Start(); err != nil {
		return nil, fmt.Errorf("start the child process: %w", err)
	}

	var progress struct {
		sync.Mutex
		stage string
		done  float64
	}
	progress.stage = "starting"
	var renewing sync.WaitGroup
	renewing.Go(func() {
		for {
			select {
			case <-lease.Done():
				return
			case <-time.After(min(b.Lease/4, 400*time.Millisecond)):
			}
			progress.Lock()
			stage, done := progress.stage, progress.done
			progress.Unlock()
			if err := b.Store.Renew(lease, job, worker, b.Lease, stage, done); errors.Is(err, store.ErrLeaseLost) {
				lose(err)
				return
			}
		}
	})
	var last *line
	lines := bufio.NewReaderSize(stdout, 1<<16)
	for {
		text, err := lines.ReadBytes('\n')
		if err != nil {
			break
		}
		l := new(line)
		if json.Unmarshal(text, l) != nil {
			continue
		}
		if l.Stage != "" {
			progress.Lock()
			progress.stage, progress.done = l.Stage, l.Done
			progress.Unlock()
			continue
		}
		last = l
	}
	exit := cmd.Wait()
	cause := context.Cause(lease)
	lose(nil)
	renewing.Wait()
	switch {
	case cause != nil:
		return nil, cause
	case last != nil && last.Error != "":
		return nil, fmt.Errorf("%w%s", errFinal, last.Error)
	case exit != nil || last == nil || last.Report == nil && last.Study == nil:
		return nil, errors.New(stderr.why(exit, b.Memory))
	}
	return last, nil
}

var errTooLong = fmt.Errorf("%wit took longer than a job may; raise --job-time or make the file smaller", errFinal)

// lastWords keeps the start of what a child wrote to its standard error.
type lastWords struct{ text []byte }

func (e *lastWords) Write(b []byte) (int, error) {
	if room := 4096 - len(e.text); room > 0 {
		e.text = append(e.text, b[:min(room, len(b))]...)
	}
	return len(b), nil
}

// why puts a child's end into words for the operator.
func (e *lastWords) why(exit error, memory int64) string {
	text := string(e.text)
	lacking := func(words string) bool { return strings.Contains(text, words) }
	inRuntime := strings.HasPrefix(text, "SIGSEGV")                                                              // a fault of the program's own is a panic; the runtime's own is an allocation that failed
	if inRuntime || lacking("out of memory") || lacking("cannot allocate memory") || lacking("Failed to mmap") { // the last is the race detector's
		return fmt.Sprintf("it needs more than the %.1f GiB a job may use; raise --job-memory or make the file smaller", float64(memory)/(1<<30))
	}
	first, _, _ := strings.Cut(strings.TrimSpace(text), "\n")
	if first == "" {
		first = fmt.Sprint(exit)
	}
	return "the work on it broke off: " + first
}
