package api

import (
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"mime"
	"net/http"
	"path/filepath"
	"strconv"
	"strings"

	"github.com/gin-gonic/gin"

	"veneer/bureau"
	"veneer/bureau/record"
	"veneer/core/check"
	"veneer/core/process"
)

// BatchWithParts is a batch as its page shows it.
type BatchWithParts struct {
	Batch  record.Batch       `json:"batch"`
	Parts  []record.Part      `json:"parts"`
	Beside []record.Companion `json:"beside"` // files that came along
}

// PartWithRevisions is a part as its page shows it.
type PartWithRevisions struct {
	Part      record.Part       `json:"part"`
	Batch     record.Batch      `json:"batch"`
	Revisions []record.Revision `json:"revisions"`
}

// Kind is the explanation of a finding kind.
type Kind struct {
	Name     string         `json:"name"`
	Title    string         `json:"title"`
	Severity check.Severity `json:"severity"`
	What     string         `json:"what"`
	Harm     string         `json:"harm"`
	Action   string         `json:"action"`
}

func (s *server) processes(g *gin.Context) { g.JSON(http.StatusOK, process.All()) }

func (s *server) kinds(g *gin.Context) {
	list := []Kind{}
	for _, k := range check.Kinds() {
		list = append(list, Kind{k.Name, k.Title, k.Usual, k.What, k.Harm, k.Action})
	}
	g.JSON(http.StatusOK, list)
}

func (s *server) sketch(g *gin.Context) {
	k, ok := check.KindNamed(g.Param("kind"))
	if !ok {
		problem(g, http.StatusNotFound, "there is no such kind of finding")
		return
	}
	g.Header("Cache-Control", "private, max-age=3600")
	g.Data(http.StatusOK, "image/svg+xml; charset=utf-8", []byte(k.Sketch()))
}

// id reads a number from the address; false when it is none.
func id(g *gin.Context, name string) (int64, bool) {
	n, err := strconv.ParseInt(g.Param(name), 10, 64)
	if err != nil || n < 0 {
		problem(g, http.StatusNotFound, "there is no such record")
		return 0, false
	}
	return n, true
}

func (s *server) batches(g *gin.Context) {
	before, _ := strconv.ParseInt(g.Query("before"), 10, 64)
	limit, err := strconv.Atoi(g.DefaultQuery("limit", "50"))
	if err != nil || limit < 1 || limit > 500 {
		problem(g, http.StatusBadRequest, "limit is a number from 1 to 500")
		return
	}
	list, err := s.Bureau.Store.Batches(g.Request.Context(), before, limit)
	s.answer(g, list, err)
}

func (s *server) batchWithParts(g *gin.Context, id int64) (b BatchWithParts, err error) {
	if b.Batch, err = s.Bureau.Store.Batch(g.Request.Context(), id); err != nil {
		return b, err
	}
	if b.Parts, err = s.Bureau.Store.Parts(g.Request.Context(), id); err != nil {
		return b, err
	}
	b.Beside, err = s.Bureau.Store.Companions(g.Request.Context(), id)
	return b, err
}

func (s *server) batch(g *gin.Context) {
	n, ok := id(g, "batch")
	if !ok {
		return
	}
	b, err := s.batchWithParts(g, n)
	s.answer(g, b, err)
}

func (s *server) audit(g *gin.Context) {
	n, ok := id(g, "batch")
	if !ok {
		return
	}
	list, err := s.Bureau.Store.Audit(g.Request.Context(), n)
	s.answer(g, list, err)
}

// receive takes a batch as multipart form: the fields name, customer, process,
// repair and expect, then the files, each streamed to disk as it comes.
func (s *server) receive(g *gin.Context) {
	form, err := g.Request.MultipartReader()
	if err != nil {
		problem(g, http.StatusBadRequest, "send a multipart form with the fields name, customer, process, repair, expect, then the files")
		return
	}
	in := s.Bureau.Receive(person(g).Name)
	for {
		part, err := form.NextPart()
		if err == io.EOF {
			break
		}
		if err != nil {
			problem(g, http.StatusBadRequest, "the form broke off: "+err.Error())
			return
		}
		if err := take(in, part.FormName(), rawName(part.Header.Get("Content-Disposition")), part); err != nil {
			s.fail(g, err)
			return
		}
	}
	batch, err := in.Close(g.Request.Context())
	if err != nil {
		s.fail(g, err)
		return
	}
	g.Header("Location", fmt.Sprintf("/api/v1/batches/%d", batch.ID))
	g.JSON(http.StatusCreated, batch)
}

func take(in *bureau.Intake, field, name string, body io.Reader) error {
	if name != "" {
		return in.Add(name, body)
	}
	value, err := io.ReadAll(io.LimitReader(body, 4096))
	return errors.Join(err, in.Set(field, string(value)))
}

func rawName(disposition string) string {
	_, words, err := mime.ParseMediaType(disposition)
	if err != nil {
		return ""
	}
	return words["filename"]
}

func (s *server) part(g *gin.Context) {
	n, ok := id(g, "part")
	if !ok {
		return
	}
	var p PartWithRevisions
	var err error
	ctx := g.Request.Context()
	if p.Part, err = s.Bureau.Store.Part(ctx, n); err == nil {
		if p.Batch, err = s.Bureau.Store.Batch(ctx, p.Part.BatchID); err == nil {
			p.Revisions, err = s.Bureau.Store.Revisions(ctx, n)
		}
	}
	s.answer(g, p, err)
}

func (s *server) setUnit(g *gin.Context) {
	n, ok := id(g, "part")
	if !ok {
		return
	}
	var in struct {
		Unit  string `json:"unit"`
		Alike bool   `json:"alike"` // for all parts of the batch whose unit is in doubt
	}
	if err := g.ShouldBindJSON(&in); err != nil {
		problem(g, http.StatusBadRequest, `send {"unit": "mm"} or another unit`)
		return
	}
	s.accept(g, s.Bureau.SetUnit(g.Request.Context(), person(g).Name, n, in.Unit, in.Alike))
}

func (s *server) answerQuestion(g *gin.Context) {
	n, ok := id(g, "part")
	if !ok {
		return
	}
	var in struct {
		Question string `json:"question"`
		Answer   string `json:"answer"`
		Alike    bool   `json:"alike"` // for all parts of the batch with the same question
	}
	if err := g.ShouldBindJSON(&in); err != nil {
		problem(g, http.StatusBadRequest, `send {"question": "cut-short", "answer": "use"}, by the ids in the report's questions`)
		return
	}
	s.accept(g, s.Bureau.Answer(g.Request.Context(), person(g).Name, n, in.Question, in.Answer, in.Alike))
}

func (s *server) setExpect(g *gin.Context) {
	n, ok := id(g, "part")
	if !ok {
		return
	}
	var in struct {
		Size string `json:"size"`
	}
	if err := g.ShouldBindJSON(&in); err != nil {
		problem(g, http.StatusBadRequest, `send {"size": "120x80x40mm"}`)
		return
	}
	s.accept(g, s.Bureau.Expect(g.Request.Context(), person(g).Name, n, in.Size))
}

func (s *server) repair(g *gin.Context) {
	n, ok := id(g, "part")
	if !ok {
		return
	}
	var in RepairOrder
	if g.Request.ContentLength != 0 && g.ShouldBindJSON(&in) != nil {
		problem(g, http.StatusBadRequest, `send nothing, or {"from": 0, "method": "fuse"}, or {"from": 1, "steps": ["drop-shell=2"]}`)
		return
	}
	s.accept(g, s.Bureau.Repair(g.Request.Context(), person(g).Name, n, in.From, in.Method, in.Steps))
}

// RepairOrder says from which revision a part is mended, by which method when not
// by the lightest that does, or by which steps and no others.
type RepairOrder struct {
	From   int      `json:"from"`
	Method string   `json:"method,omitempty"`
	Steps  []string `json:"steps,omitempty"`
}

// RepairsBegun tells how many parts of a batch are being mended.
type RepairsBegun struct {
	Parts int `json:"parts"`
}

func (s *server) repairBatch(g *gin.Context) {
	n, ok := id(g, "batch")
	if !ok {
		return
	}
	parts, err := s.Bureau.RepairBatch(g.Request.Context(), person(g).Name, n)
	if err != nil {
		s.fail(g, err)
		return
	}
	g.JSON(http.StatusAccepted, RepairsBegun{parts})
}

// LightenOrder says above how many triangles a part is made lighter, to that many or
// as light as it gets within so many mm.
type LightenOrder struct {
	Above    int     `json:"above"`
	WithinMM float64 `json:"within_mm,omitempty"`
}

func (s *server) lightenBatch(g *gin.Context) {
	n, ok := id(g, "batch")
	if !ok {
		return
	}
	var in LightenOrder
	if g.ShouldBindJSON(&in) != nil {
		problem(g, http.StatusBadRequest, `send {"above": 500000}, or {"above": 500000, "within_mm": 0.05}`)
		return
	}
	parts, err := s.Bureau.LightenBatch(g.Request.Context(), person(g).Name, n, in.Above, in.WithinMM)
	if err != nil {
		s.fail(g, err)
		return
	}
	g.JSON(http.StatusAccepted, LightenBegun{parts})
}

// LightenBegun tells how many parts of a batch are being made lighter.
type LightenBegun struct {
	Parts int `json:"parts"`
}

// revision finds the revision that the address names; false when it answered already.
func (s *server) revision(g *gin.Context) (r record.Revision, ok bool) {
	part, ok := id(g, "part")
	if !ok {
		return r, false
	}
	number, ok := id(g, "number")
	if !ok {
		return r, false
	}
	r, err := s.Bureau.Store.Revision(g.Request.Context(), part, int(number))
	if err != nil {
		s.fail(g, err)
		return r, false
	}
	return r, true
}

func (s *server) report(g *gin.Context) {
	r, ok := s.revision(g)
	if !ok {
		return
	}
	if r.Report == nil {
		problem(g, http.StatusNotFound, "the revision is not checked yet")
		return
	}
	g.Data(http.StatusOK, "application/json; charset=utf-8", r.Report)
}

func (s *server) file(g *gin.Context) {
	r, ok := s.revision(g)
	if !ok {
		return
	}
	h := g.Writer.Header()
	h.Set("Content-Disposition", mime.FormatMediaType("attachment", map[string]string{"filename": r.FileName}))
	h.Set("X-Content-SHA256", r.FileSHA256)
	s.serve(g, r.FileSHA256, "application/octet-stream")
}

func (s *server) picture(g *gin.Context) {
	if r, ok := s.revision(g); ok {
		s.serve(g, r.PictureSHA, "image/png")
	}
}

// outcome sends the picture of what an answer to an open question would do.
func (s *server) outcome(g *gin.Context) {
	r, ok := s.revision(g)
	if !ok {
		return
	}
	var report check.Report
	if r.Report != nil {
		if err := json.Unmarshal(r.Report, &report); err != nil {
			s.fail(g, err)
			return
		}
	}
	for _, q := range report.Questions {
		for _, c := range q.Choices {
			if q.ID == g.Param("question") && c.Answer == g.Param("answer") {
				s.serve(g, c.Picture, "image/png")
				return
			}
		}
	}
	problem(g, http.StatusNotFound, "no such answer is open about this revision")
}

func (s *server) view(g *gin.Context) {
	if r, ok := s.revision(g); ok {
		s.serve(g, r.ViewSHA, "application/octet-stream")
	}
}

// serve sends a file of the vault; it may be cached for ever, being named by its hash.
func (s *server) serve(g *gin.Context, sum, kind string) {
	if sum == "" {
		problem(g, http.StatusNotFound, "there is none for this revision")
		return
	}
	f, err := s.Bureau.Vault.Open(sum)
	if err != nil {
		s.fail(g, err)
		return
	}
	defer f.Close()
	info, err := f.Stat()
	if err != nil {
		s.fail(g, err)
		return
	}
	h := g.Writer.Header()
	h.Set("Content-Type", kind)
	h.Set("Cache-Control", "private, no-cache")
	h.Set("ETag", `"`+sum+`"`)
	if !strings.HasPrefix(kind, "image/") && h.Get("Content-Disposition") == "" {
		h.Set("Content-Disposition", "attachment")
	}
	http.ServeContent(g.Writer, g.Request, filepath.Base(sum), info.ModTime(), f)
}
