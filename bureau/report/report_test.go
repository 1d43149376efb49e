package report_test

import (
	"bytes"
	"encoding/json"
	"errors"
	"image"
	"image/png"
	"io"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"veneer/bureau/record"
	"veneer/bureau/report"
	"veneer/core/check"
	"veneer/core/process"
	"veneer/core/repair"
)

var noon = time.Date(2026, 11, 26, 12, 0, 0, 0, time.UTC)

func document(t *testing.T, v any) record.JSON {
	t.Helper()
	b, err := json.Marshal(v)
	require.NoError(t, err)
	return b
}

func checked(v check.Verdict, found ...check.Finding) *check.Report {
	r := &check.Report{Schema: check.Schema, Verdict: v, Findings: found}
	r.Geometry.Triangles, r.Geometry.SizeMM, r.Unit.Chosen = 1200, [3]float64{120, 80, 40.25}, "mm"
	return r
}

func finding(kind string, severity check.Severity, n int) check.Finding {
	return check.Finding{Kind: kind, Severity: severity, Count: n, Summary: "so many", Places: []check.Place{{AtMM: [3]float64{0, 0, 10}, SizeMM: 4}}}
}

// source is a part that was mended twice, the second time from what was received.
func source(t *testing.T) report.Source {
	first, second := 0, 0
	part := record.Part{ID: 7, Name: "fog-bell.stl", State: record.PartDone, Verdict: "pass", Received: "repair", Current: 2, Format: "stl-binary", Bytes: 1_400_000}
	id := part.ID
	other := id + 1
	resin, err := process.Named("resin")
	require.NoError(t, err)
	return report.Source{
		Process: resin,
		Batch:   record.Batch{ID: 1, Name: "Floor pieces", Customer: "Harbour Museum", Process: "resin", CreatedBy: "ada", CreatedAt: noon},
		Part:    part,
		Revisions: []record.Revision{
			{Number: 0, Report: document(t, checked(check.Repair, finding("open-boundary", check.Error, 3), finding("thin-wall", check.Warning, 1))), Verdict: "repair", PictureSHA: "before", MarkedSHA: "marked"},
			{Number: 1, Parent: &first, Verdict: "repair", Repair: document(t, repair.Result{Method: repair.TouchUp})},
			{Number: 2, Parent: &second, Verdict: "pass", PictureSHA: "after", CreatedAt: noon, Report: document(t, checked(check.Pass, finding("thin-wall", check.Warning, 2))),
				Repair: document(t, repair.Result{Method: repair.Fuse, Deviation: &repair.Deviation{Max: 0.5}, Steps: []repair.Step{{Step: "fill", Title: "Fill open boundaries", Detail: "3 holes filled"}, {Step: "orient", Title: "Turn"}}})},
		},
		Events: []record.Event{
			{Person: "ada", Action: "unit set", PartID: &id, At: noon, Detail: document(t, map[string]string{"unit": "cm"})},
			{Person: "ben", Action: "unit set", PartID: &id, At: noon.Add(time.Hour), Detail: document(t, map[string]string{"unit": "mm"})},
			{Person: "ben", Action: "question answered", PartID: &other, At: noon, Detail: document(t, map[string]string{"question": "sheet", "answer": "drop"})},
			{Person: "veneer", Action: "checked", PartID: &id, At: noon, Detail: document(t, map[string]int{"revision": 0})},
		},
		Notes:    []record.Note{{Text: "the museum paints it", CreatedBy: "ada", CreatedAt: noon}},
		Signoffs: []record.Signoff{{Revision: 1, State: record.SentBack, ProposedBy: "ada", DecidedBy: "lea", Remark: "too thin", ProposedAt: noon}, {Revision: 2, State: record.Approved, ProposedBy: "ada", DecidedBy: "lea", ProposedAt: noon, DecidedAt: &noon}},
	}
}

// TestReportFollowsTheWay goes from the newest revision back to what was received, takes
// the last word on each question, and counts findings before and after.
func TestReportFollowsTheWay(t *testing.T) {
	r, err := report.New(source(t), noon, false)
	require.NoError(t, err)
	require.Len(t, r.Done, 1, "the first repair is not on the way")
	assert.Equal(t, [2]any{2, "fuse"}, [2]any{r.Done[0].Revision, r.Done[0].Method})
	assert.Len(t, r.Done[0].Steps, 1, "what changed nothing is left out")
	assert.Equal(t, []report.Answer{{Question: "unit", Answer: "mm", By: "ben", At: noon.Add(time.Hour)}}, r.Answers)
	require.Len(t, r.Findings, 2)
	assert.Equal(t, [3]any{"open-boundary", 3, 0}, [3]any{r.Findings[0].Kind, r.Findings[0].Before, r.Findings[0].After})
	assert.Equal(t, [3]any{"thin-wall", 1, 2}, [3]any{r.Findings[1].Kind, r.Findings[1].Before, r.Findings[1].After})
	assert.Len(t, r.Left(), 1)
	assert.Equal(t, "This part was mended, read back and checked again, and prints. One warning remains; see below.", r.Says)
}

// TestCustomersSeeNoNames leaves out notes, names, and sign-offs that were no approval.
func TestCustomersSeeNoNames(t *testing.T) {
	r, err := report.New(source(t), noon, true)
	require.NoError(t, err)
	text := string(document(t, r))
	for _, inside := range []string{"ada", "ben", "lea", "paints", "too thin"} {
		assert.NotContains(t, text, `"`+inside, inside)
	}
	require.Len(t, r.Signoffs, 1)
	assert.Equal(t, record.Approved, r.Signoffs[0].State)
}

func TestWhatItSays(t *testing.T) {
	hollowed := source(t)
	hollowed.Part.Received = "pass"
	r, err := report.New(hollowed, noon, false)
	require.NoError(t, err)
	assert.Contains(t, r.Says, "This part prints, as it did when it was received. What was done to it since")
	for _, c := range []struct {
		verdict, problem string
		state            record.PartState
		want             string
	}{
		{"hold", "", record.PartDone, "on hold: a question about it is open"},
		{"repair", "", record.PartDone, "errors are left"},
		{"reject", "the file is empty; ask for it again", record.PartDone, "the file is empty; ask for it again"},
		{"", "it needs more memory", record.PartFailed, "it needs more memory"},
		{"", "", record.PartWaiting, "not checked yet"},
		{"repair", "", record.PartWorking, "still being worked on"},
	} {
		s := source(t)
		s.Part.Verdict, s.Part.Problem, s.Part.State, s.Part.Current = c.verdict, c.problem, c.state, 0
		if c.verdict == "" || c.verdict == "reject" {
			s.Revisions[0].Report = nil
		}
		r, err := report.New(s, noon, false)
		require.NoError(t, err)
		assert.Contains(t, r.Says, c.want)
		var b bytes.Buffer
		require.NoError(t, r.PDF(&b, pictures), "whatever there is can be printed")
	}
}

// pictures opens a small picture for each hash.
func pictures(sum string) (io.ReadCloser, error) {
	if sum == "gone" {
		return nil, errors.New("the picture is gone")
	}
	var b bytes.Buffer
	if err := png.Encode(&b, image.NewNRGBA(image.Rect(0, 0, 40, 30))); err != nil {
		return nil, err
	}
	return io.NopCloser(&b), nil
}

// TestPDF prints the same bytes for the same record, breaks long ones over pages, and
// tells when a picture cannot be had.
func TestPDF(t *testing.T) {
	printed := func(s report.Source) []byte {
		r, err := report.New(s, noon, false)
		require.NoError(t, err)
		var b bytes.Buffer
		require.NoError(t, r.PDF(&b, pictures))
		return b.Bytes()
	}
	pages := func(pdf []byte) int { return strings.Count(string(pdf), "/Type /Page\n") }
	short := printed(source(t))
	assert.Equal(t, short, printed(source(t)))
	long := source(t)
	for range 60 {
		long.Notes = append(long.Notes, record.Note{Text: strings.Repeat("it stands on its rim, with the crown up. ", 8), CreatedBy: "ada", CreatedAt: noon})
	}
	long.Part.Name = strings.Repeat("a very long name of a part ", 12) + ".stl"
	assert.Greater(t, pages(printed(long)), pages(short)+1)
	gone := source(t)
	gone.Revisions[0].PictureSHA = "gone"
	r, err := report.New(gone, noon, false)
	require.NoError(t, err)
	assert.ErrorContains(t, r.PDF(io.Discard, pictures), "gone")

	var list []*report.Part
	for range 40 {
		list = append(list, r)
	}
	assert.Error(t, report.BatchPDF(io.Discard, list, pictures))
	gone.Revisions[0].PictureSHA = ""
	r, err = report.New(gone, noon, false)
	require.NoError(t, err)
	for i := range list {
		list[i] = r
	}
	var b bytes.Buffer
	require.NoError(t, report.BatchPDF(&b, list, pictures))
	assert.Greater(t, pages(b.Bytes()), 42, "a list over several pages, and one for each part")
	assert.Error(t, report.BatchPDF(io.Discard, nil, pictures))
}
