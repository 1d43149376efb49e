package api

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"mime"
	"net/http"
	"strconv"
	"time"

	"github.com/gin-gonic/gin"

	"veneer/bureau"
	"veneer/bureau/record"
	"veneer/bureau/report"
)

// NoteOrder is what somebody writes about a part, or about a kind of finding of it.
type NoteOrder struct {
	Kind string `json:"kind,omitempty"`
	Text string `json:"text"`
}

// Decision approves a sign-off, or sends it back.
type Decision struct {
	Approve bool   `json:"approve"`
	Remark  string `json:"remark,omitempty"`
}

// History is what people said and did about a part.
type History struct {
	Notes    []record.Note    `json:"notes"`
	Signoffs []record.Signoff `json:"signoffs"`
	Seen     *record.Seen     `json:"seen"` // an earlier part of the very same bytes
}

func (s *server) history(g *gin.Context) {
	n, ok := id(g, "part")
	if !ok {
		return
	}
	ctx := g.Request.Context()
	_, err := s.Bureau.Store.Part(ctx, n)
	if err != nil {
		s.fail(g, err)
		return
	}
	var h History
	var failed [3]error
	h.Notes, failed[0] = s.Bureau.Store.Notes(ctx, n)
	h.Signoffs, failed[1] = s.Bureau.Store.Signoffs(ctx, n)
	h.Seen, failed[2] = s.Bureau.Store.SameBytes(ctx, n)
	s.answer(g, h, errors.Join(failed[:]...))
}

func (s *server) addNote(g *gin.Context) {
	var in NoteOrder
	if n, ok := id(g, "part"); ok && order(g, &in) {
		if err := s.Bureau.AddNote(g.Request.Context(), person(g).Name, n, in.Kind, in.Text); err != nil {
			s.fail(g, err)
			return
		}
		g.Status(http.StatusCreated)
	}
}

func (s *server) propose(g *gin.Context) {
	if n, ok := id(g, "part"); ok {
		s.accept(g, s.Bureau.Store.Propose(g.Request.Context(), person(g).Name, n))
	}
}

func (s *server) decide(g *gin.Context) {
	var in Decision
	if n, ok := id(g, "part"); ok && order(g, &in) {
		s.accept(g, s.Bureau.Decide(g.Request.Context(), person(g).Name, n, in.Approve, in.Remark))
	}
}

func (s *server) answerAsBefore(g *gin.Context) {
	if n, ok := id(g, "part"); ok {
		s.accept(g, s.Bureau.AnswerAsBefore(g.Request.Context(), person(g).Name, n))
	}
}

// forCustomer is whether a report leaves out what is internal.
func forCustomer(g *gin.Context) bool { return g.Query("for") == "customer" }

func (s *server) partReport(g *gin.Context) {
	if n, ok := id(g, "part"); ok {
		r, err := s.Bureau.PartReport(g.Request.Context(), n, forCustomer(g))
		s.answer(g, r, err)
	}
}

// partPDF and batchPDF are made whole before the first byte is sent, so that what goes
// wrong is told.
func (s *server) partPDF(g *gin.Context) {
	if n, ok := id(g, "part"); ok {
		s.sendPartPDF(g, n, forCustomer(g))
	}
}

func (s *server) sendPartPDF(g *gin.Context, part int64, customer bool) {
	r, err := s.Bureau.PartReport(g.Request.Context(), part, customer)
	if err != nil {
		s.fail(g, err)
		return
	}
	s.sendPDF(g, r.Part.Name, func(w io.Writer) error { return r.PDF(w, s.Bureau.Picture) })
}

func (s *server) batchPDF(g *gin.Context) {
	n, ok := id(g, "batch")
	if !ok {
		return
	}
	list, err := s.Bureau.BatchReport(g.Request.Context(), n, forCustomer(g))
	if err != nil {
		s.fail(g, err)
		return
	}
	s.sendPDF(g, list[0].Batch.Name, func(w io.Writer) error { return report.BatchPDF(w, list, s.Bureau.Picture) })
}

func (s *server) sendPDF(g *gin.Context, name string, print func(io.Writer) error) {
	var b bytes.Buffer
	if err := print(&b); err != nil {
		s.fail(g, err)
		return
	}
	h := g.Writer.Header()
	h.Set("Content-Disposition", mime.FormatMediaType("inline", map[string]string{"filename": bureau.ShownName(name) + ".report.pdf"}))
	h.Set("Cache-Control", "private, no-store")
	g.Data(http.StatusOK, pdfType, b.Bytes())
}

func (s *server) batchCSV(g *gin.Context) {
	n, ok := id(g, "batch")
	if !ok {
		return
	}
	var b bytes.Buffer
	if err := s.Bureau.Table(g.Request.Context(), n, &b); err != nil {
		s.fail(g, err)
		return
	}
	g.Writer.Header().Set("Content-Disposition", mime.FormatMediaType("attachment", map[string]string{"filename": fmt.Sprintf("batch-%d.csv", n)}))
	g.Data(http.StatusOK, csvType, b.Bytes())
}

// Trail is a piece of the audit trail, and all that the whole of it tells of.
type Trail struct {
	Lines   []record.TrailLine `json:"lines"`
	Actions []string           `json:"actions"`
}

func (s *server) trail(g *gin.Context) {
	q := record.TrailQuery{Person: g.Query("person"), Action: g.Query("action")}
	var before int64
	for name, to := range map[string]*int64{"batch": &q.Batch, "part": &q.Part, "before": &before} {
		if text := g.Query(name); text != "" {
			n, err := strconv.ParseInt(text, 10, 64)
			if err != nil {
				problem(g, http.StatusBadRequest, name+" is a number")
				return
			}
			*to = n
		}
	}
	var t Trail
	var failed [2]error
	t.Lines, failed[0] = s.Bureau.Store.Trail(g.Request.Context(), q, before, 100)
	t.Actions, failed[1] = s.Bureau.Store.Actions(g.Request.Context())
	s.answer(g, t, errors.Join(failed[:]...))
}

// AuditCheck tells whether the audit trail holds.
type AuditCheck struct {
	Lines  int   `json:"lines"`  // that hold
	Broken int64 `json:"broken"` // the first that does not; 0 when all do
}

func (s *server) verifyAudit(g *gin.Context) {
	lines, broken, err := s.Bureau.Store.VerifyAudit(g.Request.Context())
	s.answer(g, AuditCheck{lines, broken}, err)
}

func (s *server) search(g *gin.Context) {
	q := record.Query{Text: g.Query("q"), Finding: g.Query("finding"), Verdict: g.Query("verdict"), Customer: g.Query("customer"), Process: g.Query("process"), Signed: g.Query("signed"),
		Format: g.Query("format"), Mended: g.Query("mended"), Trouble: g.Query("trouble") != ""}
	number := func(name string, to *float64) bool {
		if text := g.Query(name); text != "" {
			x, err := strconv.ParseFloat(text, 64)
			if err != nil {
				problem(g, http.StatusBadRequest, name+" is a length in mm")
				return false
			}
			*to = x
		}
		return true
	}
	day := func(name string, to *time.Time, plus int) bool {
		if text := g.Query(name); text != "" {
			at, err := time.Parse(time.DateOnly, text)
			if err != nil {
				problem(g, http.StatusBadRequest, name+" is a day such as 2026-11-24")
				return false
			}
			*to = at.AddDate(0, 0, plus)
		}
		return true
	}
	if !number("least", &q.LeastMM) || !number("most", &q.MostMM) || !day("since", &q.Since, 0) || !day("until", &q.Until, 1) {
		return
	}
	before, _ := strconv.ParseInt(g.Query("before"), 10, 64)
	list, err := s.Bureau.Store.Search(g.Request.Context(), q, before, 50)
	s.answer(g, list, err)
}
