// Package bureau is what the service does, in the trade's words: it takes in
// batches, keeps what was received, has parts checked and mended, and says who
// may do what. It knows nothing of HTTP.
package bureau

import (
	"cmp"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"github.com/alexedwards/argon2id"

	"veneer/bureau/record"
	"veneer/bureau/store"
	"veneer/bureau/vault"
	"veneer/core/check"
	"veneer/core/format/file"
	"veneer/core/process"
	"veneer/core/repair"
	"veneer/core/repair/recast"
	"veneer/core/unit"
)

// ErrInvalid marks requests that cannot be met as they are; its message says why.
var ErrInvalid = errors.New("invalid request")

func invalid(format string, a ...any) error {
	return fmt.Errorf("%w: %s", ErrInvalid, fmt.Sprintf(format, a...))
}

// Bureau ties the records to the files.
type Bureau struct {
	Store     *store.Store
	Vault     *vault.Vault
	Uploads   *Uploads
	Limits    file.Limits // of files, and of what archives may unpack to
	Parts     int         // most files in one batch
	Session   time.Duration
	Passwords *argon2id.Params // nil for the default strength
	Another   bool             // somebody else approves than proposed
	FirstCode string           // lets the first administrator in, while there is nobody; "" for none
}

// SetProcess changes a printing process, or adds one.
func (b *Bureau) SetProcess(ctx context.Context, person string, p process.Process) error {
	if err := p.Prove(); err != nil {
		return invalid("%v", err)
	}
	questions := append(check.Questions(), repair.ChangeQuestion)
	for question := range p.Policy {
		if !slices.Contains(questions, question) {
			return invalid("no question is called %q; those that can be answered ahead are %s", question, strings.Join(questions, ", "))
		}
	}
	return b.Store.SetProcess(ctx, person, p)
}

// Answer settles a question that is open about a part, which is then checked
// again; with alike, also for all parts of the batch with the same question.
func (b *Bureau) Answer(ctx context.Context, person string, part int64, question, answer string, alike bool) error {
	open, err := b.questions(ctx, part)
	if err != nil {
		return err
	}
	if open == nil {
		return invalid("the part is not checked yet")
	}
	at := slices.IndexFunc(open, func(q check.Ask) bool { return q.ID == question })
	if at < 0 {
		return invalid("no question %q is open about this part", question)
	}
	if q := open[at]; !slices.ContainsFunc(q.Choices, func(c check.Choice) bool { return c.Answer == answer }) {
		return invalid("%q is no answer to the question %q", answer, question)
	}
	if question == unitQuestion {
		return b.SetUnit(ctx, person, part, answer, alike)
	}
	if err := b.Store.SetAnswer(ctx, person, part, question, answer); err != nil || !alike {
		return err
	}
	return b.others(ctx, part, question, func(other int64) error { return b.Store.SetAnswer(ctx, person, other, question, answer) })
}

const unitQuestion = "unit"

// questions lists what is open about a part: about its file as received and
// about its newest revision. It is nil before the part is checked.
func (b *Bureau) questions(ctx context.Context, part int64) ([]check.Ask, error) {
	p, err := b.Store.Part(ctx, part)
	if err != nil {
		return nil, err
	}
	var open []check.Ask
	for _, number := range slices.Compact([]int{0, p.Current}) {
		r, err := b.Store.Revision(ctx, part, number)
		if err != nil {
			return nil, err
		}
		report, err := r.Checked()
		if err != nil || report == nil {
			return nil, err
		}
		open = append(open, report.Questions...)
	}
	return append([]check.Ask{}, open...), nil
}

// others does something to the other parts of a part's batch that have the same
// question open; those that are being worked on are left out.
func (b *Bureau) others(ctx context.Context, part int64, question string, do func(other int64) error) error {
	p, err := b.Store.Part(ctx, part)
	if err != nil {
		return err
	}
	parts, err := b.Store.Parts(ctx, p.BatchID)
	if err != nil {
		return err
	}
	for _, q := range parts {
		if q.ID == part || q.Verdict != string(check.Hold) || question == unitQuestion && q.UnitSet != "" {
			continue
		}
		open, err := b.questions(ctx, q.ID)
		if err != nil {
			return err
		}
		if !slices.ContainsFunc(open, func(q check.Ask) bool { return q.ID == question }) {
			continue
		}
		if err := do(q.ID); err != nil && !errors.Is(err, store.ErrBusy) {
			return err
		}
	}
	return nil
}

// Expect says how large the customer stated a part to be; it is then checked
// again. The empty text takes the statement back.
func (b *Bureau) Expect(ctx context.Context, person string, part int64, size string) error {
	size = strings.TrimSpace(size)
	if err := statedSize(size); err != nil {
		return err
	}
	p, err := b.Store.Part(ctx, part)
	if err != nil {
		return err
	}
	if p.UnitSet != "" {
		return invalid("the unit of %s was set by a person; a stated size would not change it", p.Name)
	}
	return b.Store.SetExpect(ctx, person, part, size)
}

// SetUnit says in which unit a part's numbers are; it is then checked again.
// With alike, the same goes for all parts of the batch whose unit is in doubt.
func (b *Bureau) SetUnit(ctx context.Context, person string, part int64, name string, alike bool) error {
	if _, err := unit.Millimetres(name); err != nil {
		return invalid("%v", err)
	}
	p, err := b.Store.Part(ctx, part)
	if err != nil {
		return err
	}
	if p.Verdict == "reject" {
		return invalid("%s could not be read; a unit does not help", p.Name)
	}
	if err := b.Store.SetUnit(ctx, person, part, name); err != nil || !alike {
		return err
	}
	return b.others(ctx, part, unitQuestion, func(other int64) error { return b.Store.SetUnit(ctx, person, other, name) })
}

// Order is a person's wish for a repair: from which revision, by which method when
// not by the lightest that does and what that is set to, or by which steps and no
// others.
type Order struct {
	From   int      `json:"from"`
	Method string   `json:"method,omitempty"`
	Recast []string `json:"recast,omitempty"` // of a recast: cell=0.2, gap=0.1, smallest=0.3, tolerance=0.05
	Steps  []string `json:"steps,omitempty"`
}

// settings checks what a method is set to.
func (o Order) settings() (draw recast.Settings, err error) {
	if len(o.Recast) > 0 && o.Method != string(repair.Recast) {
		return draw, invalid("only a recast is set to anything")
	}
	for _, text := range o.Recast {
		if draw, err = repair.SetRecast(draw, text); err != nil {
			return draw, invalid("%v", err)
		}
	}
	return draw, nil
}

// orders reads the steps.
func (o Order) orders() (list []repair.Order, err error) {
	if len(o.Steps) > 50 {
		return nil, invalid("at most 50 steps at a time")
	}
	for _, text := range o.Steps {
		step, err := repair.ParseOrder(text)
		if err != nil {
			return nil, invalid("%v", err)
		}
		list = append(list, step)
	}
	return list, nil
}

// Plan lists the steps that a repair of a revision would take, none of them run.
func (b *Bureau) Plan(ctx context.Context, part int64, o Order) ([]repair.Step, error) {
	method, err := repair.MethodNamed(cmp.Or(o.Method, string(repair.Auto)))
	if err != nil {
		return nil, invalid("%v", err)
	}
	draw, err := o.settings()
	if err != nil {
		return nil, err
	}
	orders, err := o.orders()
	if err != nil {
		return nil, err
	}
	p, err := b.Store.Part(ctx, part)
	if err != nil {
		return nil, err
	}
	batch, err := b.Store.Batch(ctx, p.BatchID)
	if err != nil {
		return nil, err
	}
	limits, err := b.Store.Process(ctx, batch.Process)
	if err != nil {
		return nil, err
	}
	report, err := b.Report(ctx, part, o.From)
	if err != nil {
		return nil, err
	}
	return repair.Plan(report, repair.Settings{Process: limits, Method: method, Recast: draw, Orders: orders}), nil
}

// Report is the check report of a revision.
func (b *Bureau) Report(ctx context.Context, part int64, number int) (*check.Report, error) {
	r, err := b.Store.Revision(ctx, part, number)
	if err != nil {
		return nil, err
	}
	report, err := r.Checked()
	if err == nil && report == nil {
		err = invalid("revision %d is not checked yet", number)
	}
	return report, err
}

// Study has something worked out about one revision of a part, or two, or finds
// what was worked out before.
func (b *Bureau) Study(ctx context.Context, person string, part int64, kind record.StudyKind, from, to int) (record.Study, error) {
	numbers := []int{from}
	switch kind {
	case record.Compare:
		numbers = append(numbers, to)
	case record.Levels:
		to = 0
	default:
		return record.Study{}, invalid("a study is %s or %s, not %q", record.Compare, record.Levels, kind)
	}
	about := sha256.New()
	for _, n := range numbers {
		r, err := b.Store.Revision(ctx, part, n)
		if err != nil {
			return record.Study{}, err
		}
		if r.Report == nil || r.Verdict == string(check.Reject) {
			return record.Study{}, invalid("revision %d has no surface that was checked", n)
		}
		fmt.Fprintln(about, r.ViewSHA)
	}
	return b.Store.AskStudy(ctx, record.Study{PartID: part, Kind: kind, From: from, To: to, About: hex.EncodeToString(about.Sum(nil)), CreatedBy: person})
}

// Repair has a part mended from one of its revisions, when that one's verdict
// calls for it; or has the named steps done to it, whatever the verdict.
func (b *Bureau) Repair(ctx context.Context, person string, part int64, o Order) error {
	from, method, steps := o.From, o.Method, o.Steps
	if method != "" {
		if _, err := repair.MethodNamed(method); err != nil {
			return invalid("%v", err)
		}
		if len(steps) > 0 {
			return invalid("a method or steps, not both")
		}
	}
	if _, err := o.settings(); err != nil {
		return err
	}
	if _, err := o.orders(); err != nil {
		return err
	}
	r, err := b.Store.Revision(ctx, part, from)
	if err != nil {
		return err
	}
	if len(steps) > 0 && r.Verdict != "" && r.Verdict != "reject" {
		report, err := r.Checked()
		if err != nil {
			return err
		}
		if report.Unit.Doubtful {
			return invalid("the part's unit is in doubt; settle it first")
		}
		return b.Store.AskRepair(ctx, person, part, from, steps)
	}
	switch r.Verdict {
	case "repair":
		if method != "" {
			steps = append([]string{record.MethodStep + method}, o.Recast...)
		}
		return b.Store.AskRepair(ctx, person, part, from, steps)
	case "hold":
		return invalid("a question about the part is open; answer it first")
	case "pass":
		return invalid("the part passes as it is; there is nothing to repair")
	}
	return invalid("there is nothing that a repair could work on")
}

// each does something to parts of a batch that are done: to those that are listed,
// to all for nil. Parts that are being worked on and those that it makes no sense
// for are passed over; it tells how many were not.
func (b *Bureau) each(ctx context.Context, batch int64, list []int64, do func(record.Part) error) (done int, err error) {
	if _, err := b.Store.Batch(ctx, batch); err != nil {
		return 0, err
	}
	parts, err := b.Store.Parts(ctx, batch)
	if err != nil {
		return 0, err
	}
	for _, p := range parts {
		if p.State != record.PartDone || list != nil && !slices.Contains(list, p.ID) {
			continue
		}
		switch err := do(p); {
		case err == nil:
			done++
		case !errors.Is(err, store.ErrBusy) && !errors.Is(err, ErrInvalid):
			return done, err
		}
	}
	return done, nil
}

// RepairBatch has parts of a batch mended whose newest revision calls for it: those
// that are listed, or all for nil. Parts with an open question wait for their
// answers. It tells how many.
func (b *Bureau) RepairBatch(ctx context.Context, person string, batch int64, list []int64) (asked int, err error) {
	return b.each(ctx, batch, list, func(p record.Part) error {
		return b.Repair(ctx, person, p.ID, Order{From: p.Current})
	})
}

// SetUnits says in which unit the numbers of the listed parts of a batch are. It
// tells for how many that was of use.
func (b *Bureau) SetUnits(ctx context.Context, person string, batch int64, list []int64, unit string) (asked int, err error) {
	return b.each(ctx, batch, append([]int64{}, list...), func(p record.Part) error {
		return b.SetUnit(ctx, person, p.ID, unit, false)
	})
}

// LightenBatch has parts of a batch made lighter, those that are listed or all for nil, whose newest revision has more
// triangles than above: to that many, or as light as they get within so many mm when
// that is given. Parts whose unit is in doubt wait. It tells how many.
func (b *Bureau) LightenBatch(ctx context.Context, person string, batch int64, list []int64, above int, withinMM float64) (asked int, err error) {
	if above < 4 {
		return 0, invalid("say above how many triangles a part is too heavy, 4 or more")
	}
	step := fmt.Sprintf("lighter-to=%d", above)
	if withinMM != 0 {
		step = fmt.Sprintf("lighter-within=%g", withinMM)
	}
	if _, err := repair.ParseOrder(step); err != nil {
		return 0, invalid("%v", err)
	}
	return b.each(ctx, batch, list, func(p record.Part) error {
		if p.Triangles <= above {
			return invalid("it is light enough")
		}
		return b.Repair(ctx, person, p.ID, Order{From: p.Current, Steps: []string{step}})
	})
}
