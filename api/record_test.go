package api_test

import (
	"bytes"
	"encoding/csv"
	"encoding/json"
	"io"
	"net/http"
	"net/http/httptest"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"veneer/api"
	"veneer/bureau/outgoing"
	"veneer/bureau/record"
	"veneer/bureau/report"
	"veneer/client"
)

// TestSignOff goes its way: an operator proposes, a lead sends back, it is proposed
// again and approved, and a change withdraws it.
func TestSignOff(t *testing.T) {
	server := serve(t)
	ada, lea := signIn(t, server, "ada"), signIn(t, server, "lea")
	all := submit(t, ada, "fog-bell.stl", "hour-hand.stl")
	ids := map[string]int64{}
	for _, p := range all.Parts {
		ids[p.Name] = p.ID
	}
	bell := ids["fog-bell.stl"]
	assert.ErrorContains(t, ada.Propose(t.Context(), ids["hour-hand.stl"]), "a question is open")
	assert.ErrorContains(t, lea.Decide(t.Context(), bell, true, ""), "nothing is proposed")
	require.NoError(t, ada.Propose(t.Context(), bell))
	assert.ErrorContains(t, ada.Propose(t.Context(), bell), "proposed already")
	assert.ErrorContains(t, ada.Decide(t.Context(), bell, true, ""), "takes a lead")
	assert.ErrorContains(t, lea.Decide(t.Context(), bell, false, " "), "say why")
	require.NoError(t, lea.Decide(t.Context(), bell, false, "the crown is too thin"))
	require.NoError(t, ada.Propose(t.Context(), bell))
	require.NoError(t, lea.Decide(t.Context(), bell, true, ""))
	require.NoError(t, ada.AddNote(t.Context(), bell, "the museum paints it"))
	p, err := ada.Part(t.Context(), bell)
	require.NoError(t, err)
	assert.Equal(t, "approved", p.Part.Signed)
	require.NoError(t, ada.Repair(t.Context(), bell, 1, "lighter-to=5000"))
	require.NoError(t, ada.WatchUntilDone(t.Context(), all.Batch.ID, nil))
	h, err := ada.History(t.Context(), bell)
	require.NoError(t, err)
	var states []record.SignState
	for _, s := range h.Signoffs {
		states = append(states, s.State)
	}
	assert.Equal(t, []record.SignState{record.SentBack, record.Withdrawn}, states)
	assert.Equal(t, "lea", h.Signoffs[0].DecidedBy)
	assert.Equal(t, "the museum paints it", h.Notes[0].Text)
	p, err = ada.Part(t.Context(), bell)
	require.NoError(t, err)
	assert.Empty(t, p.Part.Signed)
	a, err := signIn(t, server, "rex").VerifyAudit(t.Context())
	require.NoError(t, err)
	assert.Zero(t, a.Broken)
	assert.Greater(t, a.Lines, 10)
}

// TestReports reads the report of a part, for the team and for the customer, and the
// words of its PDF; and of a batch, as PDF and as a table.
func TestReports(t *testing.T) {
	server := serve(t)
	c := signIn(t, server, "ada")
	all := submit(t, c, "fog-bell.stl", "hour-hand.stl", "holiday.stl")
	ids := map[string]int64{}
	for _, p := range all.Parts {
		ids[p.Name] = p.ID
	}
	bell := ids["fog-bell.stl"]
	require.NoError(t, c.SetUnit(t.Context(), ids["hour-hand.stl"], "in", false))
	require.NoError(t, c.AddNote(t.Context(), bell, "the museum paints it"))
	require.NoError(t, c.Propose(t.Context(), bell))
	require.NoError(t, signIn(t, server, "lea").Decide(t.Context(), bell, true, "fine"))
	require.NoError(t, c.WatchUntilDone(t.Context(), all.Batch.ID, nil))
	read := func(part int64, customer bool) (r report.Part) {
		var b bytes.Buffer
		require.NoError(t, c.ReportJSON(t.Context(), part, customer, &b))
		require.NoError(t, json.Unmarshal(b.Bytes(), &r))
		return r
	}
	r := read(bell, false)
	assert.Equal(t, "veneer.report/1", r.Schema)
	assert.Equal(t, "pass", r.Verdict)
	assert.Equal(t, "open-boundary", r.Findings[0].Kind)
	assert.Equal(t, [2]int{3, 0}, [2]int{r.Findings[0].Before, r.Findings[0].After})
	require.Len(t, r.Done, 1)
	assert.Equal(t, "touch-up", r.Done[0].Method)
	assert.InDelta(t, 4.7, r.Done[0].Deviation.Max, 1)
	assert.Len(t, r.Notes, 1)
	outside := read(bell, true)
	assert.Empty(t, outside.Notes)
	text, err := json.Marshal(outside)
	require.NoError(t, err)
	for _, name := range []string{`"ada"`, `"lea"`, "paints"} {
		assert.NotContains(t, string(text), name)
	}
	hand := read(ids["hour-hand.stl"], false)
	require.Len(t, hand.Answers, 1)
	assert.Equal(t, [3]string{"unit", "in", "ada"}, [3]string{hand.Answers[0].Question, hand.Answers[0].Answer, hand.Answers[0].By})
	assert.Contains(t, read(ids["holiday.stl"], false).Says, "JPEG picture")

	dir := t.TempDir()
	words := func(name string, fetch func(b *bytes.Buffer) error) string {
		var b bytes.Buffer
		require.NoError(t, fetch(&b))
		require.True(t, bytes.HasPrefix(b.Bytes(), []byte("%PDF-")))
		path := filepath.Join(dir, name)
		require.NoError(t, os.WriteFile(path, b.Bytes(), 0o600))
		out, err := exec.Command("pdftotext", "-layout", path, "-").Output()
		require.NoError(t, err, "pdftotext is needed: make test installs it")
		return strings.Join(strings.Fields(string(out)), " ")
	}
	team := words("team.pdf", func(b *bytes.Buffer) error { return c.ReportPDF(t.Context(), bell, false, b) })
	for _, want := range []string{"fog-bell.stl", "mended, read back and checked again", "Open boundary", "3, now 0", "3 holes filled", "116 × 116 × 114 mm", "the museum paints it", "r1 approved, lea", "page 1 of"} {
		assert.Contains(t, team, want)
	}
	assert.NotContains(t, words("customer.pdf", func(b *bytes.Buffer) error { return c.ReportPDF(t.Context(), bell, true, b) }), ", lea")
	batch := words("batch.pdf", func(b *bytes.Buffer) error { return c.BatchReportPDF(t.Context(), all.Batch.ID, false, b) })
	for _, want := range []string{"3: 1 as received, 1 mended, 1 rejected", "hour-hand.stl", "JPEG picture"} {
		assert.Contains(t, batch, want)
	}
	var b bytes.Buffer
	require.NoError(t, c.BatchCSV(t.Context(), all.Batch.ID, &b))
	rows, err := csv.NewReader(&b).ReadAll()
	require.NoError(t, err)
	require.Len(t, rows, 4)
	assert.Error(t, c.ReportPDF(t.Context(), 99, false, &b))
}

// TestSearchFindsAgain looks for parts by words, findings, verdicts, sizes and days, and
// recognises a file that came before.
func TestSearchFindsAgain(t *testing.T) {
	c := signIn(t, serve(t), "ada")
	all := submit(t, c, "fog-bell.stl", "hour-hand.stl", "bell-clapper.stl", "mooring-post.stl")
	ids := map[string]int64{}
	for _, p := range all.Parts {
		ids[p.Name] = p.ID
	}
	require.NoError(t, c.AddNote(t.Context(), ids["mooring-post.stl"], "Ordered again for the harbourmaster"))
	for _, q := range []struct {
		query string
		want  []string
	}{
		{"q=bell", []string{"bell-clapper.stl", "fog-bell.stl"}},
		{"q=fog+museum", []string{"fog-bell.stl"}},
		{"q=harbourm", []string{"mooring-post.stl"}},
		{"q=%2Bbell+-%22)(*", []string{"bell-clapper.stl", "fog-bell.stl"}},
		{"finding=unit", []string{"hour-hand.stl"}},
		{"verdict=hold", []string{"hour-hand.stl"}},
		{"finding=open-boundary&least=100", []string{"fog-bell.stl"}},
		{"most=10", nil},
		{"since=2020-01-01&until=2020-01-02", nil},
		{"customer=Nobody", nil},
		{"q=no-such-word", nil},
	} {
		values, err := url.ParseQuery(q.query)
		require.NoError(t, err)
		list, err := c.Search(t.Context(), values)
		require.NoError(t, err, q.query)
		var names []string
		for _, p := range list {
			names = append(names, p.Name)
		}
		assert.ElementsMatch(t, q.want, names, q.query)
	}
	_, err := c.Search(t.Context(), url.Values{"since": {"yesterday"}})
	assert.ErrorContains(t, err, "since is a day")

	require.NoError(t, c.SetUnit(t.Context(), ids["hour-hand.stl"], "in", false))
	require.NoError(t, c.WatchUntilDone(t.Context(), all.Batch.ID, nil))
	again := submit(t, c, "hour-hand.stl")
	hand := again.Parts[0]
	require.Equal(t, "hold", hand.Verdict)
	h, err := c.History(t.Context(), hand.ID)
	require.NoError(t, err)
	require.NotNil(t, h.Seen)
	assert.Equal(t, [2]any{ids["hour-hand.stl"], "in"}, [2]any{h.Seen.PartID, h.Seen.UnitSet})
	require.NoError(t, c.AnswerAsBefore(t.Context(), hand.ID))
	require.NoError(t, c.WatchUntilDone(t.Context(), again.Batch.ID, nil))
	p, err := c.Part(t.Context(), hand.ID)
	require.NoError(t, err)
	assert.Equal(t, "pass", p.Part.Verdict)
	assert.Error(t, c.AnswerAsBefore(t.Context(), ids["fog-bell.stl"]))
}

// TestPeopleAndTokens lets people in and out: roles, personal tokens, wrong passwords,
// and the last administrator.
func TestPeopleAndTokens(t *testing.T) {
	server := serve(t)
	rex, ada := signIn(t, server, "rex"), signIn(t, server, "ada")
	require.NoError(t, rex.AddPerson(t.Context(), api.PersonOrder{Name: "ben", Role: record.Operator, Password: password}))
	assert.ErrorContains(t, rex.AddPerson(t.Context(), api.PersonOrder{Name: "ben", Role: record.Operator, Password: password}), "that name already")
	assert.ErrorContains(t, rex.AddPerson(t.Context(), api.PersonOrder{Name: "cy", Role: "king", Password: password}), "a role is")
	assert.ErrorContains(t, rex.AddPerson(t.Context(), api.PersonOrder{Name: "cy", Role: record.Viewer, Password: "short"}), "at least 8")
	ben := signIn(t, server, "ben")
	made, err := ben.NewToken(t.Context(), api.TokenOrder{Name: "script", Scope: record.Everything, Days: 7})
	require.NoError(t, err)
	assert.True(t, strings.HasPrefix(made.Token, "vnr_"))
	script := &client.Client{Server: server, Token: made.Token}
	_, err = script.Batches(t.Context())
	require.NoError(t, err)
	assert.Error(t, ada.EndToken(t.Context(), made.Record.ID), "another's token")
	_, err = ben.NewToken(t.Context(), api.TokenOrder{Name: "x", Scope: "ruling", Days: 7})
	assert.ErrorContains(t, err, "a token is for")
	_, err = ben.NewToken(t.Context(), api.TokenOrder{Name: "x", Scope: record.Reading, Days: 9999})
	assert.ErrorContains(t, err, "366 days")

	list, err := rex.People(t.Context())
	require.NoError(t, err)
	ids := map[string]int64{}
	for _, p := range list {
		ids[p.Name] = p.ID
	}
	no := false
	require.NoError(t, rex.ChangePerson(t.Context(), ids["ben"], api.PersonOrder{Role: record.Operator, Active: &no}))
	_, err = script.Batches(t.Context())
	assert.ErrorContains(t, err, "sign in first", "his token ended with him")
	_, err = (&client.Client{Server: server}).SignIn(t.Context(), "ben", password)
	assert.ErrorContains(t, err, "name or password is wrong")
	assert.ErrorContains(t, rex.ChangePerson(t.Context(), ids["rex"], api.PersonOrder{Role: record.Lead}), "no administrator left")

	for range 5 {
		_, err = (&client.Client{Server: server}).SignIn(t.Context(), "vic", "guess")
		assert.ErrorContains(t, err, "name or password is wrong")
	}
	_, err = (&client.Client{Server: server}).SignIn(t.Context(), "vic", password)
	assert.ErrorContains(t, err, "too many wrong passwords", "even with the right one, for a while")
	require.NoError(t, rex.ChangePerson(t.Context(), ids["vic"], api.PersonOrder{Role: record.Viewer}))
	_, err = (&client.Client{Server: server}).SignIn(t.Context(), "vic", password)
	require.NoError(t, err, "an administrator lets in again")
	for range 30 {
		_, err = (&client.Client{Server: server}).SignIn(t.Context(), "nobody", "guess")
	}
	assert.ErrorContains(t, err, "too many sign-ins from this address")
}

// TestLinksShowOnePart lets somebody without an account see one report, its file and its
// pictures, and nothing else, until the link ends.
func TestLinksShowOnePart(t *testing.T) {
	server := serve(t)
	c := signIn(t, server, "ada")
	all := submit(t, c, "fog-bell.stl", "bollard.stl")
	var bell int64
	for _, p := range all.Parts {
		if p.Name == "fog-bell.stl" {
			bell = p.ID
		}
	}
	require.NoError(t, c.AddNote(t.Context(), bell, "the museum paints it"))
	link, err := c.NewLink(t.Context(), bell, 7)
	require.NoError(t, err)
	token := strings.TrimPrefix(link.Path, "/shared/")
	get := func(path string, as string) (int, []byte) {
		req, err := http.NewRequest(http.MethodGet, server+"/api/v1"+path, nil)
		require.NoError(t, err)
		if as != "" {
			req.Header.Set("Authorization", "Bearer "+as)
		}
		res, err := http.DefaultClient.Do(req)
		require.NoError(t, err)
		defer res.Body.Close()
		body, err := io.ReadAll(res.Body)
		require.NoError(t, err)
		return res.StatusCode, body
	}
	code, body := get("/shared/"+token, "")
	require.Equal(t, 200, code)
	var r report.Part
	require.NoError(t, json.Unmarshal(body, &r))
	assert.Equal(t, "fog-bell.stl", r.Part.Name)
	assert.NotContains(t, string(body), "paints")
	for path, want := range map[string]int{"/report.pdf": 200, "/files/file": 200, "/files/file?received=1": 200, "/files/picture": 200, "/files/view": 404, "/files/..%2Ffile": 404} {
		code, _ := get("/shared/"+token+path, "")
		assert.Equal(t, want, code, path)
	}
	for _, path := range []string{"/batches", "/parts/" + num(bell), "/search"} {
		code, _ := get(path, token)
		assert.Equal(t, 401, code, "a link is no sign-in")
	}
	code, _ = get("/shared/vnl_"+strings.Repeat("0", 64), "")
	assert.Equal(t, 404, code)
	_, err = c.NewLink(t.Context(), bell, 0)
	assert.ErrorContains(t, err, "1 to 366 days")
	second, err := c.NewLink(t.Context(), bell, 30)
	require.NoError(t, err)
	links, err := c.Links(t.Context(), bell)
	require.NoError(t, err)
	require.Len(t, links, 2)
	assert.NotNil(t, links[0].OpenedAt)
	assert.Nil(t, links[1].OpenedAt, "nobody looked yet")
	assert.Equal(t, "ada", links[0].CreatedBy)
	require.NoError(t, c.EndLink(t.Context(), bell, links[0].ID))
	code, _ = get("/shared/"+token, "")
	assert.Equal(t, 404, code)
	assert.ErrorContains(t, c.EndLink(t.Context(), bell, links[0].ID), "no such record")
	assert.ErrorContains(t, c.EndLink(t.Context(), bell+1, links[1].ID), "no such record", "not by way of another part")
	code, _ = get(second.Path, "")
	assert.Equal(t, 200, code)
	require.NoError(t, c.EndLinks(t.Context(), bell))
	code, _ = get(second.Path, "")
	assert.Equal(t, 404, code)
}

// TestHollowingIsCounted hollows a part that passes and makes it lighter: it passes as
// received still, and what was saved is told, also of what was made from it.
func TestHollowingIsCounted(t *testing.T) {
	server := serve(t)
	c := signIn(t, server, "ada")
	all := submit(t, c, "bollard.stl")
	id := all.Parts[0].ID
	assert.ErrorContains(t, c.Repair(t.Context(), id, 0, "hollow=thick"), "give the thickness of the walls")
	require.NoError(t, c.Repair(t.Context(), id, 0, "hollow=4,5,1"))
	require.NoError(t, c.WatchUntilDone(t.Context(), all.Batch.ID, nil))
	require.NoError(t, c.Repair(t.Context(), id, 1, "lighter-share=0.5"))
	require.NoError(t, c.WatchUntilDone(t.Context(), all.Batch.ID, nil))
	p, err := c.Part(t.Context(), id)
	require.NoError(t, err)
	require.Len(t, p.Revisions, 3)
	assert.Equal(t, [2]string{"pass", "pass"}, [2]string{p.Part.Verdict, p.Part.Received})
	saved := p.Revisions[1].Hollowed
	assert.InDelta(t, 326_000, saved, 5_000, "mm³ of a bollard of 500 cm³")
	assert.Equal(t, saved, p.Revisions[2].Hollowed)
	b, err := c.Batch(t.Context(), all.Batch.ID)
	require.NoError(t, err)
	assert.Equal(t, [2]int{1, 0}, [2]int{b.Batch.Counts.Pass, b.Batch.Counts.Repaired})
	in, err := c.Insights(t.Context(), 1, "")
	require.NoError(t, err)
	require.Len(t, in.Hollowed, 1)
	h := in.Hollowed[0]
	assert.Equal(t, record.Hollowed{Process: "resin", Parts: 1, VolumeMM3: saved, MassG: h.MassG, Price: h.Price}, h)
	assert.InDelta(t, saved/1000*1.15, h.MassG, 1e-6)
	assert.InDelta(t, saved/1000*0.35, h.Price, 1e-6)
	var r bytes.Buffer
	require.NoError(t, c.ReportJSON(t.Context(), id, true, &r))
	assert.Contains(t, r.String(), "less material")
	assert.Contains(t, r.String(), "1 drain of 5 mm")
}

// TestProcesses has a lead change a process and add one: parts are checked against what
// it is by then, and the audit trail tells what was changed.
func TestProcesses(t *testing.T) {
	server := serve(t)
	ada, lea := signIn(t, server, "ada"), signIn(t, server, "lea")
	heavy := func(asked client.Submission) bool {
		return slices.ContainsFunc(submitted(t, ada, asked).Parts[0].Findings, func(f record.Finding) bool { return f.Kind == "too-heavy" })
	}
	asked := client.Submission{Customer: "Harbour Museum", Process: "resin", Paths: written(t, "bollard.stl")}
	assert.False(t, heavy(asked))
	named := func(name string) record.ProcessRow {
		list, err := ada.Processes(t.Context())
		require.NoError(t, err)
		for _, p := range list {
			if p.Name == name {
				return p
			}
		}
		return record.ProcessRow{}
	}
	resin := named("resin")
	assert.Equal(t, record.Shipped, resin.Origin)
	resin.MaxTriangles = 100
	assert.ErrorContains(t, ada.SetProcess(t.Context(), resin.Process), "takes a lead")
	require.NoError(t, lea.SetProcess(t.Context(), resin.Process))
	assert.Equal(t, [2]string{"changed", "lea"}, [2]string{string(named("resin").Origin), named("resin").ChangedBy})
	assert.True(t, heavy(asked), "it counts from now on")

	tin := resin.Process
	tin.Name, tin.Title, tin.WallMM = "tin", "Cast tin", -1
	assert.ErrorContains(t, lea.SetProcess(t.Context(), tin), "wall_mm is from")
	tin.WallMM, tin.Policy = 2, map[string]string{"stray-shel": "drop"}
	assert.ErrorContains(t, lea.SetProcess(t.Context(), tin), "answered ahead are")
	tin.Policy = map[string]string{"stray-shell": "drop"}
	require.NoError(t, lea.SetProcess(t.Context(), tin))
	asked.Process = "tin"
	assert.True(t, heavy(asked))
	assert.ErrorContains(t, lea.ResetProcess(t.Context(), "tin"), "batches use tin, 1 of them")
	asked.Process = "clay"
	_, err := ada.Submit(t.Context(), asked)
	assert.ErrorContains(t, err, "there are colour, filament, metal, powder, resin, tin")
	require.NoError(t, lea.ResetProcess(t.Context(), "resin"))
	var kept bytes.Buffer
	require.NoError(t, ada.ReportJSON(t.Context(), 2, false, &kept))
	var r report.Part
	require.NoError(t, json.Unmarshal(kept.Bytes(), &r))
	assert.Equal(t, 100, r.Process.MaxTriangles, "a report keeps what its part was checked against")
	assert.Equal(t, 2_000_000, named("resin").MaxTriangles)
	assert.ErrorContains(t, lea.ResetProcess(t.Context(), "resin"), "as it came")
	assert.ErrorContains(t, lea.ResetProcess(t.Context(), "clay"), "no such record")

	_, err = ada.Trail(t.Context(), nil)
	assert.ErrorContains(t, err, "takes a lead")
	trail, err := lea.Trail(t.Context(), url.Values{"person": {"lea"}})
	require.NoError(t, err)
	require.Len(t, trail.Lines, 3)
	assert.Equal(t, "process changed", trail.Lines[2].Action)
	assert.JSONEq(t, `{"process": "resin", "from": {"max_triangles": 2000000}, "to": {"max_triangles": 100}}`, string(trail.Lines[2].Detail))
	assert.Contains(t, trail.Actions, "batch received")
	older, err := lea.Trail(t.Context(), url.Values{"person": {"lea"}, "before": {num(trail.Lines[1].ID)}})
	require.NoError(t, err)
	assert.Equal(t, trail.Lines[2:], older.Lines)
	about, err := lea.Trail(t.Context(), url.Values{"action": {"batch received"}, "batch": {"1"}})
	require.NoError(t, err)
	require.Len(t, about.Lines, 1)
	assert.Equal(t, "bollard.stl", about.Lines[0].BatchName)
	_, err = lea.Trail(t.Context(), url.Values{"part": {"the bell"}})
	assert.ErrorContains(t, err, "part is a number")
}

// TestHooksAreTold has a program told of a question and of a batch that is done, with a
// signature that holds; it says no twice first.
func TestHooksAreTold(t *testing.T) {
	server := serve(t)
	rex := signIn(t, server, "rex")
	type post struct {
		header http.Header
		body   []byte
	}
	var refused atomic.Int32
	posts := make(chan post, 10)
	other := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		body, _ := io.ReadAll(r.Body)
		if refused.Add(1) <= 2 {
			w.WriteHeader(http.StatusServiceUnavailable)
			return
		}
		posts <- post{r.Header, body}
	}))
	defer other.Close()
	h, err := rex.NewHook(t.Context(), other.URL+"/told")
	require.NoError(t, err)
	_, err = rex.NewHook(t.Context(), "file:///etc/passwd")
	assert.ErrorContains(t, err, "begins with https://")
	all := submit(t, signIn(t, server, "ada"), "hour-hand.stl")
	got := map[string]bool{}
	for len(got) < 2 {
		select {
		case p := <-posts:
			require.NoError(t, outgoing.Verify(h.Secret, p.header, p.body, time.Now(), time.Minute))
			assert.ErrorIs(t, outgoing.Verify("other", p.header, p.body, time.Now(), time.Minute), outgoing.ErrSignature)
			assert.ErrorIs(t, outgoing.Verify(h.Secret, p.header, append(p.body, ' '), time.Now(), time.Minute), outgoing.ErrSignature)
			assert.ErrorIs(t, outgoing.Verify(h.Secret, p.header, p.body, time.Now().Add(time.Hour), time.Minute), outgoing.ErrSignature)
			var said struct {
				Event string
				About struct{ Batch, Part int64 }
			}
			require.NoError(t, json.Unmarshal(p.body, &said))
			assert.Equal(t, said.Event, p.header.Get("Veneer-Event"))
			assert.Equal(t, all.Batch.ID, said.About.Batch)
			got[said.Event] = true
		case <-time.After(30 * time.Second):
			require.Fail(t, "nothing was told")
		}
	}
	assert.Equal(t, map[string]bool{"question.opened": true, "batch.done": true}, got)
	list, err := rex.Hooks(t.Context())
	require.NoError(t, err)
	require.Len(t, list, 1)
}

// TestInsights counts what came, and what became of it.
func TestInsights(t *testing.T) {
	server := serve(t)
	c := signIn(t, server, "ada")
	all := submit(t, c, "fog-bell.stl", "hour-hand.stl", "bollard.stl", "holiday.stl")
	in, err := c.Insights(t.Context(), 4, "")
	require.NoError(t, err)
	require.Len(t, in.Weeks, 4)
	assert.Zero(t, in.Weeks[0].Parts)
	w := in.Weeks[3]
	assert.Equal(t, [6]int{4, 1, 1, 0, 1, 1}, [6]int{w.Parts, w.Pass, w.Repaired, w.Repair, w.Hold, w.Reject})
	assert.Equal(t, []record.FindingTally{{Kind: "open-boundary", Parts: 1, Settled: 1}, {Kind: "unit", Parts: 1}}, in.Findings)
	assert.Equal(t, [2]int{4, 2}, [2]int{in.Customers[0].Parts, in.Customers[0].Troubled})
	assert.Equal(t, []string{"open-boundary", "unit"}, in.Customers[0].Kinds)
	assert.Equal(t, []record.SourceTally{{Name: "stl", Parts: 3, Troubled: 2}}, in.Formats)
	assert.Nil(t, w.HoursToSignOff)
	_, err = c.Insights(t.Context(), 0, "")
	assert.ErrorContains(t, err, "1 to 520")

	ids := map[string]int64{}
	for _, p := range all.Parts {
		ids[p.Name] = p.ID
	}
	require.NoError(t, c.Propose(t.Context(), ids["fog-bell.stl"]))
	require.NoError(t, signIn(t, server, "lea").Decide(t.Context(), ids["fog-bell.stl"], true, ""))
	in, err = c.Insights(t.Context(), 4, "open-boundary")
	require.NoError(t, err)
	w = in.Weeks[3]
	assert.Equal(t, [3]int{1, 1, 1}, [3]int{w.Parts, w.Repaired, w.SignedOff})
	assert.InDelta(t, 0, *w.HoursToSignOff, 0.1)
	assert.Equal(t, w.HoursToSignOff, in.HoursToSignOff)
	assert.Equal(t, []record.SourceTally{{Name: "Harbour Museum", Parts: 1, Troubled: 1, Kinds: []string{"open-boundary"}}}, in.Customers)

	// Every number leads to its parts.
	for query, want := range map[string][]string{
		"trouble=1":               {"fog-bell.stl", "hour-hand.stl"},
		"trouble=1&finding=unit":  {"hour-hand.stl"},
		"verdict=pass&mended=yes": {"fog-bell.stl"},
		"verdict=pass&mended=no":  {"bollard.stl"},
		"format=stl&verdict=pass": {"bollard.stl", "fog-bell.stl"},
		"format=obj":              nil,
		"verdict=reject&format=":  {"holiday.stl"},
	} {
		values, err := url.ParseQuery(query)
		require.NoError(t, err)
		list, err := c.Search(t.Context(), values)
		require.NoError(t, err)
		var names []string
		for _, p := range list {
			names = append(names, p.Name)
		}
		slices.Sort(names)
		assert.Equal(t, want, names, query)
	}
}
