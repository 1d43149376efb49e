// Package report puts a part's record together for people: what it was, what was
// found, what was done and by how much that moved the surface, what is left, and who
// said so. One report is served as JSON, shown as a page, and printed as PDF.
package report

import (
	"cmp"
	"encoding/json"
	"fmt"
	"time"

	"veneer/bureau/record"
	"veneer/core/check"
	"veneer/core/process"
	"veneer/core/repair"
)

// Schema names the format of a part's report.
const Schema = "veneer.report/1"

// Part is the report of one part.
type Part struct {
	Schema   string           `json:"schema"`
	Made     time.Time        `json:"made"`
	Customer bool             `json:"customer"` // without internal notes and names
	Batch    record.Batch     `json:"batch"`
	Part     record.Part      `json:"part"`
	Process  process.Process  `json:"process"`
	Verdict  string           `json:"verdict"`
	Says     string           `json:"says"`     // the verdict in a sentence
	Received *check.Report    `json:"received"` // nil when it could not be read or is not checked
	Now      *check.Report    `json:"now"`      // of the newest revision
	Done     []Done           `json:"done"`     // on the way from the file as received to there
	Answers  []Answer         `json:"answers"`
	Findings []Finding        `json:"findings"`
	Notes    []record.Note    `json:"notes"`
	Signoffs []record.Signoff `json:"signoffs"`

	Pictures Pictures `json:"-"`
}

// Pictures are PNGs in the vault by their SHA-256; "" for none.
type Pictures struct{ Before, Marked, After string }

// Done is one revision on the way, and what made it.
type Done struct {
	Revision  int               `json:"revision"`
	At        time.Time         `json:"at"`
	Method    string            `json:"method"`
	Steps     []repair.Step     `json:"steps"`
	Deviation *repair.Deviation `json:"deviation_mm"`
	Triangles int               `json:"triangles"`
}

// Answer is what somebody decided.
type Answer struct {
	Question string    `json:"question"`
	Answer   string    `json:"answer"`
	By       string    `json:"by"`
	At       time.Time `json:"at"`
}

// Finding is one kind of finding before and after, with what it means.
type Finding struct {
	Kind     string         `json:"kind"`
	Title    string         `json:"title"`
	Severity check.Severity `json:"severity"`
	Before   int            `json:"before"`
	After    int            `json:"after"`
	Summary  string         `json:"summary"` // of what is left, or else of what was
	What     string         `json:"what"`
	Harm     string         `json:"harm"`
}

// Source is what a report is put together from.
type Source struct {
	Batch     record.Batch
	Process   process.Process
	Part      record.Part
	Revisions []record.Revision // with their reports and repairs, from 0 on
	Events    []record.Event    // of the batch
	Notes     []record.Note
	Signoffs  []record.Signoff
}

// New puts a report together; for the customer without notes and without names.
func New(s Source, made time.Time, customer bool) (p *Part, err error) {
	p = &Part{Schema: Schema, Made: made.UTC().Truncate(time.Second), Customer: customer, Batch: s.Batch, Part: s.Part, Process: s.Process, Verdict: s.Part.Verdict,
		Done: []Done{}, Answers: []Answer{}, Findings: []Finding{}, Notes: s.Notes, Signoffs: s.Signoffs}
	read := func(r record.Revision) (*check.Report, error) {
		if r.Verdict == string(check.Reject) {
			return nil, nil
		}
		return r.Checked()
	}
	first, last := s.Revisions[0], s.Revisions[s.Part.Current]
	if p.Received, err = read(first); err != nil {
		return nil, err
	}
	if p.Now, err = read(last); err != nil {
		return nil, err
	}
	if p.Now != nil && p.Now.Limits != nil { // those that it was checked against, whatever they are today
		p.Process = *p.Now.Limits
	}
	p.Pictures = Pictures{first.PictureSHA, first.MarkedSHA, last.PictureSHA}
	for r := last; r.Parent != nil; r = s.Revisions[*r.Parent] {
		d, err := doneBy(r)
		if err != nil {
			return nil, err
		}
		p.Done = append([]Done{d}, p.Done...)
	}
	p.answers(s.Events)
	p.findings()
	p.Says = p.sentence()
	if customer {
		p.Notes = []record.Note{}
		p.Batch.CreatedBy = ""
		for i := range p.Answers {
			p.Answers[i].By = ""
		}
		var signed []record.Signoff
		for _, s := range p.Signoffs {
			if s.State == record.Approved {
				s.ProposedBy, s.DecidedBy, s.Remark = "", "", ""
				signed = append(signed, s)
			}
		}
		p.Signoffs = append([]record.Signoff{}, signed...)
	}
	return p, nil
}

func doneBy(r record.Revision) (Done, error) {
	d := Done{Revision: r.Number, At: r.CreatedAt, Steps: []repair.Step{}, Triangles: r.Triangles}
	if r.Repair == nil {
		return d, nil
	}
	var how repair.Result
	if err := json.Unmarshal(r.Repair, &how); err != nil {
		return d, fmt.Errorf("the repair of revision %d: %w", r.Number, err)
	}
	d.Method, d.Deviation = cmp.Or(how.Called, string(how.Method)), how.Deviation
	for _, s := range how.Steps {
		if s.Detail != "" || s.Left != "" || s.Undone != "" {
			d.Steps = append(d.Steps, s)
		}
	}
	return d, nil
}

// answers lists what people decided, the last word on each question.
func (p *Part) answers(events []record.Event) {
	at := map[string]int{}
	for _, e := range events {
		if e.PartID == nil || *e.PartID != p.Part.ID {
			continue
		}
		var said struct{ Question, Answer, Unit, Size string }
		if json.Unmarshal(e.Detail, &said) != nil {
			continue
		}
		a := Answer{By: e.Person, At: e.At}
		switch e.Action {
		case "unit set":
			a.Question, a.Answer = "unit", said.Unit
		case "question answered":
			a.Question, a.Answer = said.Question, said.Answer
		case "size stated":
			a.Question, a.Answer = "stated size", said.Size
		default:
			continue
		}
		if i, is := at[a.Question]; is {
			p.Answers[i] = a
			continue
		}
		at[a.Question] = len(p.Answers)
		p.Answers = append(p.Answers, a)
	}
}

// findings lists the kinds found before or after, in the order of the check.
func (p *Part) findings() {
	of := func(r *check.Report, kind string) *check.Finding {
		if r != nil {
			for i := range r.Findings {
				if r.Findings[i].Kind == kind {
					return &r.Findings[i]
				}
			}
		}
		return nil
	}
	for _, k := range check.Kinds() {
		before, after := of(p.Received, k.Name), of(p.Now, k.Name)
		if before == nil && after == nil {
			continue
		}
		f := Finding{Kind: k.Name, Title: k.Title, What: k.What, Harm: k.Harm}
		if before != nil {
			f.Before, f.Summary, f.Severity = before.Count, before.Summary, before.Severity
		}
		if after != nil {
			f.After, f.Summary, f.Severity = after.Count, after.Summary, after.Severity
		}
		p.Findings = append(p.Findings, f)
	}
}

// Left are the findings that are there still.
func (p *Part) Left() (list []Finding) {
	for _, f := range p.Findings {
		if f.After > 0 {
			list = append(list, f)
		}
	}
	return list
}

func (p *Part) sentence() string {
	warnings := 0
	for _, f := range p.Left() {
		if f.Severity == check.Warning {
			warnings++
		}
	}
	but := ""
	if warnings == 1 {
		but = " One warning remains; see below."
	} else if warnings > 1 {
		but = fmt.Sprintf(" %d warnings remain; see below.", warnings)
	}
	switch {
	case p.Part.State == record.PartFailed:
		return "The work on this part failed: " + p.Part.Problem
	case p.Verdict == "pass" && p.Part.Current == 0:
		return "This part prints as it was received." + but
	case p.Part.Mended():
		return "This part was mended, read back and checked again, and prints." + but
	case p.Verdict == "pass":
		return "This part prints, as it did when it was received. What was done to it since was read back and checked again." + but
	case p.Verdict != "" && (p.Part.State == record.PartWaiting || p.Part.State == record.PartWorking):
		return "This part is still being worked on."
	case p.Verdict == "hold":
		return "This part is on hold: a question about it is open."
	case p.Verdict == "repair":
		return "This part does not print as it is: errors are left."
	case p.Verdict == "reject":
		return "Nothing can be printed from this file: " + p.Part.Problem
	}
	return "This part is not checked yet."
}
