package api

import (
	"context"
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
	if err := in.Under(g.Request.Context(), g.GetHeader("Idempotency-Key")); err != nil {
		s.fail(g, err)
		return
	}
	for {
		part, err := form.NextPart()
		if err == io.EOF {
			break
		}
		if err != nil {
			problem(g, http.StatusBadRequest, "the form broke off: "+err.Error())
			return
		}
		if err := s.take(g.Request.Context(), in, person(g).Name, part.FormName(), rawName(part.Header.Get("Content-Disposition")), part); err != nil {
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

func (s *server) take(ctx context.Context, in *bureau.Intake, person, field, name string, body io.Reader) error {
	if name != "" {
		return in.Add(name, body)
	}
	value, err := io.ReadAll(io.LimitReader(body, 4096))
	if err != nil {
		return err
	}
	if field == "upload" {
		return in.AddUpload(s.Bureau.Uploads, person, string(value))
	}
	return in.Set(ctx, field, string(value))
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

// UnitOrder says in which unit a part is.
type UnitOrder struct {
	Unit  string `json:"unit"`
	Alike bool   `json:"alike,omitempty"` // for all parts of the batch whose unit is in doubt
}

func (s *server) setUnit(g *gin.Context) {
	var in UnitOrder
	if n, ok := id(g, "part"); ok && order(g, &in) {
		s.accept(g, s.Bureau.SetUnit(g.Request.Context(), person(g).Name, n, in.Unit, in.Alike))
	}
}

// AnswerOrder answers a question.
type AnswerOrder struct {
	Question string `json:"question"`
	Answer   string `json:"answer"`
	Alike    bool   `json:"alike,omitempty"` // for all parts of the batch with the same question
}

func (s *server) answerQuestion(g *gin.Context) {
	var in AnswerOrder
	if n, ok := id(g, "part"); ok && order(g, &in) {
		s.accept(g, s.Bureau.Answer(g.Request.Context(), person(g).Name, n, in.Question, in.Answer, in.Alike))
	}
}

// ExpectOrder says how large the customer stated a part to be: 120x80x40mm.
type ExpectOrder struct {
	Size string `json:"size"`
}

func (s *server) setExpect(g *gin.Context) {
	var in ExpectOrder
	if n, ok := id(g, "part"); ok && order(g, &in) {
		s.accept(g, s.Bureau.Expect(g.Request.Context(), person(g).Name, n, in.Size))
	}
}

// order reads a body into in; false when it answered already.
func order(g *gin.Context, in any) bool { return read(g, in, "send JSON such as ") }

// orderOrNothing is order for what may be left out.
func orderOrNothing(g *gin.Context, in any) bool {
	return g.Request.ContentLength == 0 || read(g, in, "send nothing, or JSON such as ")
}

func read(g *gin.Context, in any, send string) bool {
	if g.ShouldBindJSON(in) == nil {
		return true
	}
	problem(g, http.StatusBadRequest, send+content{Example: g.MustGet(exampleKey)}.exampleText())
	return false
}

func (s *server) repair(g *gin.Context) {
	var in bureau.Order
	if n, ok := id(g, "part"); ok && orderOrNothing(g, &in) {
		s.accept(g, s.Bureau.Repair(g.Request.Context(), person(g).Name, n, in))
	}
}

func (s *server) plan(g *gin.Context) {
	var in bureau.Order
	if n, ok := id(g, "part"); ok && orderOrNothing(g, &in) {
		steps, err := s.Bureau.Plan(g.Request.Context(), n, in)
		s.answer(g, steps, err)
	}
}

func (s *server) recheck(g *gin.Context) {
	if n, ok := id(g, "part"); ok {
		s.accept(g, s.Bureau.Store.Recheck(g.Request.Context(), person(g).Name, n))
	}
}

func (s *server) stop(g *gin.Context) {
	if n, ok := id(g, "part"); ok {
		s.accept(g, s.Bureau.Store.Cancel(g.Request.Context(), person(g).Name, n))
	}
}

// PartList names parts of a batch; all when it names none.
type PartList struct {
	Parts []int64 `json:"parts,omitempty"`
}

// LightenOrder says above how many triangles a part is made lighter, to that many or
// as light as it gets within so many mm.
type LightenOrder struct {
	PartList
	Above    int     `json:"above"`
	WithinMM float64 `json:"within_mm,omitempty"`
}

// UnitsOrder says in which unit parts are.
type UnitsOrder struct {
	Parts []int64 `json:"parts"`
	Unit  string  `json:"unit"`
}

// Begun tells how many parts are being worked on.
type Begun struct {
	Parts int `json:"parts"`
}

func (s *server) begun(g *gin.Context, parts int, err error) {
	if err != nil {
		s.fail(g, err)
		return
	}
	g.JSON(http.StatusAccepted, Begun{parts})
}

func (s *server) repairBatch(g *gin.Context) {
	var in PartList
	if n, ok := id(g, "batch"); ok && orderOrNothing(g, &in) {
		parts, err := s.Bureau.RepairBatch(g.Request.Context(), person(g).Name, n, in.Parts)
		s.begun(g, parts, err)
	}
}

func (s *server) lightenBatch(g *gin.Context) {
	var in LightenOrder
	if n, ok := id(g, "batch"); ok && order(g, &in) {
		parts, err := s.Bureau.LightenBatch(g.Request.Context(), person(g).Name, n, in.Parts, in.Above, in.WithinMM)
		s.begun(g, parts, err)
	}
}

func (s *server) setUnits(g *gin.Context) {
	var in UnitsOrder
	if n, ok := id(g, "batch"); ok && order(g, &in) {
		parts, err := s.Bureau.SetUnits(g.Request.Context(), person(g).Name, n, in.Parts, in.Unit)
		s.begun(g, parts, err)
	}
}

// export sends a zip as it is made; when it breaks off, so does the answer.
func (s *server) export(g *gin.Context) {
	n, ok := id(g, "batch")
	if !ok {
		return
	}
	var parts []int64
	for _, word := range strings.FieldsFunc(g.Query("parts"), func(r rune) bool { return r == ',' }) {
		part, err := strconv.ParseInt(word, 10, 64)
		if err != nil {
			problem(g, http.StatusBadRequest, "parts are numbers with commas between")
			return
		}
		parts = append(parts, part)
	}
	batch, err := s.Bureau.Store.Batch(g.Request.Context(), n)
	if err != nil {
		s.fail(g, err)
		return
	}
	h := g.Writer.Header()
	h.Set("Content-Type", zipType)
	h.Set("Content-Disposition", mime.FormatMediaType("attachment", map[string]string{"filename": bureau.ShownName(batch.Name) + ".zip"}))
	if err := s.Bureau.Export(g.Request.Context(), n, parts, g.Writer); err != nil {
		s.Log.Error("export", "batch", n, "err", err)
		panic(http.ErrAbortHandler) // the zip must not look whole
	}
}

func (s *server) jobs(g *gin.Context) {
	list, err := s.Bureau.Store.Jobs(g.Request.Context(), 50)
	s.answer(g, list, err)
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
	if r, ok := s.revision(g); ok {
		s.sendFile(g, r)
	}
}

func (s *server) sendFile(g *gin.Context, r record.Revision) {
	h := g.Writer.Header()
	h.Set("Content-Disposition", mime.FormatMediaType("attachment", map[string]string{"filename": r.FileName}))
	h.Set("X-Content-SHA256", r.FileSHA256)
	s.serve(g, r.FileSHA256, "application/octet-stream")
}

func (s *server) picture(g *gin.Context) {
	if r, ok := s.revision(g); ok {
		sum := r.PictureSHA
		if g.Query("front") != "" {
			sum = r.FrontSHA
		}
		s.serve(g, sum, pngType)
	}
}

// outcome sends the picture of what an answer to an open question would do.
func (s *server) outcome(g *gin.Context) {
	r, ok := s.revision(g)
	if !ok {
		return
	}
	report, err := r.Checked()
	if err != nil {
		s.fail(g, err)
		return
	}
	var open []check.Ask
	if report != nil {
		open = report.Questions
	}
	for _, q := range open {
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
		sum := r.ViewSHA
		if g.Query("light") != "" && r.LightSHA != "" {
			sum = r.LightSHA
		}
		s.serve(g, sum, bytesType)
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
