package api_test

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"image/png"
	"io"
	"log/slog"
	"mime/multipart"
	"net/http"
	"net/http/httptest"
	"os"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/alexedwards/argon2id"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"veneer/api"
	"veneer/bureau"
	"veneer/bureau/outgoing"
	"veneer/bureau/record"
	"veneer/bureau/store/storetest"
	"veneer/bureau/vault"
	"veneer/bureau/workbench"
	"veneer/client"
	"veneer/core/check"
	"veneer/core/format"
	"veneer/core/format/file"
	"veneer/demo"
)

// The test binary is the workbench's child as well.
func TestMain(m *testing.M) {
	if os.Getenv("VENEER_TASK") != "" {
		if err := workbench.RunTask(context.Background(), os.Stdin, os.Stdout); err != nil {
			os.Exit(1)
		}
		return
	}
	storetest.Main(m)
}

const password = "correct tide"

// serve runs a whole service and returns its address.
func serve(t *testing.T) string {
	t.Helper()
	v, err := vault.Open(t.TempDir())
	require.NoError(t, err)
	s := storetest.Open(t)
	uploads, err := bureau.OpenUploads(t.TempDir())
	require.NoError(t, err)
	b := &bureau.Bureau{Store: s, Vault: v, Uploads: uploads, Limits: file.DefaultLimits(), Parts: 100, Session: time.Hour,
		Passwords: &argon2id.Params{Memory: 8 * 1024, Iterations: 1, Parallelism: 1, SaltLength: 16, KeyLength: 32}}
	require.NoError(t, b.AddPerson(t.Context(), "veneer", "ada", password, record.Operator))
	require.NoError(t, b.AddPerson(t.Context(), "veneer", "vic", password, record.Viewer))
	require.NoError(t, b.AddPerson(t.Context(), "veneer", "lea", password, record.Lead))
	require.NoError(t, b.AddPerson(t.Context(), "veneer", "rex", password, record.Administrator))
	quiet := slog.New(slog.NewTextHandler(io.Discard, nil))
	self, err := os.Executable()
	require.NoError(t, err)
	bench := &workbench.Workbench{Store: s, Vault: v, Name: "test", Workers: 1, Child: []string{self}, Scratch: t.TempDir(),
		Limits: file.DefaultLimits(), Memory: 2 << 30, Time: time.Minute, Lease: 5 * time.Second, Log: quiet}
	ctx, stop := context.WithCancel(context.Background())
	done := make(chan struct{})
	go func() { defer close(done); bench.Run(ctx) }()
	posted := make(chan struct{})
	go func() {
		defer close(posted)
		(&outgoing.Post{Store: s, Log: quiet, First: 100 * time.Millisecond}).Run(ctx)
	}()
	console := http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) { io.WriteString(w, "console") })
	web := httptest.NewServer(api.Handler(api.Config{Bureau: b, Console: console, Log: quiet}))
	t.Cleanup(func() {
		stop()
		<-done
		<-posted
		web.CloseClientConnections()
		web.Close()
	})
	return web.URL
}

func signIn(t *testing.T, server, name string) *client.Client {
	t.Helper()
	c := &client.Client{Server: server}
	_, err := c.SignIn(t.Context(), name, password)
	require.NoError(t, err)
	return c
}

// submit sends files of the demo set and waits until they are done.
func submit(t *testing.T, c *client.Client, names ...string) api.BatchWithParts {
	t.Helper()
	all := submitted(t, c, client.Submission{Customer: "Harbour Museum", Process: "resin", Paths: written(t, names...)})
	require.Len(t, all.Parts, len(names))
	return all
}

// written lists files of the demo set, with what comes along with them, in a folder.
func written(t *testing.T, names ...string) (paths []string) {
	t.Helper()
	dir := t.TempDir()
	write := func(name string, content []byte) {
		require.NoError(t, os.WriteFile(dir+"/"+name, content, 0o600))
		paths = append(paths, dir+"/"+name)
	}
	for _, b := range demo.Batches() {
		for _, f := range b.Files {
			if slices.Contains(names, f.Name) {
				write(f.Name, f.Bytes())
				for name, content := range f.Beside() {
					write(name, content)
				}
			}
		}
	}
	return paths
}

// submitted sends a batch and waits until it is done.
func submitted(t *testing.T, c *client.Client, s client.Submission) api.BatchWithParts {
	t.Helper()
	b, err := c.Submit(t.Context(), s)
	require.NoError(t, err)
	require.NoError(t, c.WatchUntilDone(t.Context(), b.ID, nil))
	all, err := c.Batch(t.Context(), b.ID)
	require.NoError(t, err)
	return all
}

func TestABatchThroughTheClient(t *testing.T) {
	c := signIn(t, serve(t), "ada")
	ctx := t.Context()
	all := submit(t, c, "fog-bell.stl", "hour-hand.stl", "holiday.stl")
	assert.Equal(t, record.Counts{Parts: 3, Repaired: 1, Hold: 1, Reject: 1, Progress: 1}, all.Batch.Counts)
	byName := map[string]record.Part{}
	for _, p := range all.Parts {
		byName[p.Name] = p
	}

	bell := byName["fog-bell.stl"]
	part, err := c.Part(ctx, bell.ID)
	require.NoError(t, err)
	require.Len(t, part.Revisions, 2)
	before, err := c.Report(ctx, bell.ID, 0)
	require.NoError(t, err)
	assert.Equal(t, check.Repair, before.Verdict)
	assert.Len(t, before.Findings[0].Places, 3)
	after, err := c.Report(ctx, bell.ID, 1)
	require.NoError(t, err)
	assert.Equal(t, check.Pass, after.Verdict)
	for thing, begins := range map[string]string{"file": "Veneer", "picture": "\x89PNG", "view": "VNV1", "report": `{"schema":"veneer.check/1"`} {
		var b bytes.Buffer
		require.NoError(t, c.Fetch(ctx, bell.ID, 1, thing, &b))
		assert.True(t, strings.HasPrefix(b.String(), begins), "%s begins with %.20q", thing, b.String())
	}
	assert.ErrorContains(t, c.Repair(ctx, byName["holiday.stl"].ID, 0), "nothing that a repair could work on")

	hand := byName["hour-hand.stl"]
	assert.ErrorContains(t, c.Repair(ctx, hand.ID, 0), "a question about the part is open")
	assert.ErrorContains(t, c.SetUnit(ctx, hand.ID, "ell", false), "ell")
	require.NoError(t, c.SetUnit(ctx, hand.ID, "in", false))
	require.NoError(t, c.WatchUntilDone(ctx, all.Batch.ID, nil))
	part, err = c.Part(ctx, hand.ID)
	require.NoError(t, err)
	assert.Equal(t, "pass", part.Part.Verdict)
	assert.InDelta(t, 121.55, part.Part.SizeMM[0], 0.1)

	events, err := c.Audit(ctx, all.Batch.ID)
	require.NoError(t, err)
	var said []string
	for _, e := range events {
		if e.Person == "ada" {
			said = append(said, e.Action)
		}
	}
	assert.Equal(t, []string{"batch received", "unit set"}, said)
	list, err := c.Batches(ctx)
	require.NoError(t, err)
	assert.Len(t, list, 1)
}

// TestOneAnswerForAllAlike settles the units of a whole batch at once.
func TestOneAnswerForAllAlike(t *testing.T) {
	c := signIn(t, serve(t), "ada")
	dir := t.TempDir()
	s := client.Submission{Customer: "Harbour Museum", Process: "resin"}
	for i := range 3 { // sizes that say nothing: inches, or centimetres
		x, path := 4.7283+0.1371*float64(i), fmt.Sprintf("%s/part-%d.obj", dir, i)
		require.NoError(t, os.WriteFile(path, fmt.Appendf(nil, "v 0 0 0\nv %g 0 0\nv 0 2.3171 0\nv 0 0 1.1127\nf 1 3 2\nf 1 2 4\nf 2 3 4\nf 1 4 3\n", x), 0o600))
		s.Paths = append(s.Paths, path)
	}
	b, err := c.Submit(t.Context(), s)
	require.NoError(t, err)
	require.NoError(t, c.WatchUntilDone(t.Context(), b.ID, nil))
	all, err := c.Batch(t.Context(), b.ID)
	require.NoError(t, err)
	require.Equal(t, 3, all.Batch.Counts.Hold, "%+v", all.Batch.Counts)
	require.NoError(t, c.SetUnit(t.Context(), all.Parts[1].ID, "in", true))
	require.NoError(t, c.WatchUntilDone(t.Context(), b.ID, nil))
	all, err = c.Batch(t.Context(), b.ID)
	require.NoError(t, err)
	assert.Equal(t, 3, all.Batch.Counts.Pass)
	for _, p := range all.Parts {
		assert.Equal(t, "in", p.UnitSet)
	}
}

// TestWhoMayDoWhat calls every address as nobody, as a viewer and as an operator.
// TestMaterialsComeAlong sends a painted part with a hole in it, its material
// library and its picture: the paint is there after the repair, too.
func TestMaterialsComeAlong(t *testing.T) {
	c := signIn(t, serve(t), "ada")
	dir := t.TempDir()
	s := client.Submission{Customer: "Harbour Museum", Process: "resin", Expect: []string{"dial-face.obj=120x120x7mm"}}
	for _, f := range demo.Batches()[1].Files {
		if f.Name != "dial-face.obj" {
			continue
		}
		content := f.Bytes()
		files := f.Beside()
		files[f.Name] = content[:bytes.LastIndexByte(content[:len(content)-1], '\n')+1] // without its last face
		for name, b := range files {
			require.NoError(t, os.WriteFile(dir+"/"+name, b, 0o600))
			s.Paths, s.Names = append(s.Paths, dir+"/"+name), append(s.Names, "drawings/"+name)
		}
	}
	b, err := c.Submit(t.Context(), s)
	require.NoError(t, err)
	require.NoError(t, c.WatchUntilDone(t.Context(), b.ID, nil))
	all, err := c.Batch(t.Context(), b.ID)
	require.NoError(t, err)
	require.Len(t, all.Parts, 1, "what comes along is no part")
	assert.Len(t, all.Beside, 2)
	p := all.Parts[0]
	assert.Equal(t, "120x120x7mm", p.Expect)
	assert.Equal(t, "pass", p.Verdict)
	require.Equal(t, 1, p.Current, "%v", p.Findings)
	before, err := c.Report(t.Context(), p.ID, 0)
	require.NoError(t, err)
	for _, f := range before.Findings {
		assert.NotEqual(t, "lost-content", f.Kind, f.Summary)
	}
	assert.Contains(t, before.Unit.Candidates[0].Evidence, "it has the size that the customer stated")
	var result bytes.Buffer
	require.NoError(t, c.Fetch(t.Context(), p.ID, 1, "file", &result))
	m, err := format.Read(t.Context(), file.Source{Name: "dial.3mf", R: bytes.NewReader(result.Bytes()), Size: int64(result.Len())}, file.Options{Limits: file.DefaultLimits()})
	require.NoError(t, err)
	require.Len(t, m.Mesh.Textures, 1)
	assert.Equal(t, "\x89PNG", string(m.Mesh.Textures[0].Data[:4]))
	covered := 0
	for _, cover := range m.Mesh.Covers {
		covered += int(cover.Texture)
	}
	assert.GreaterOrEqual(t, covered, len(m.Mesh.Triangles)-2, "only the fill has none")
}

// TestQuestionsAreAnswered goes on with a file that is cut short, and states
// the size of one whose unit is in doubt.
func TestQuestionsAreAnswered(t *testing.T) {
	c, ctx := signIn(t, serve(t), "ada"), t.Context()
	all := submit(t, c, "hour-hand.stl", "cut-short.stl")
	require.Equal(t, 2, all.Batch.Counts.Hold)
	hand, short := all.Parts[0].ID, all.Parts[1].ID
	assert.ErrorContains(t, c.Answer(ctx, short, "unit", "in", false), "no question \"unit\" is open")
	assert.ErrorContains(t, c.Answer(ctx, short, "cut-short", "perhaps", false), "is no answer")
	require.NoError(t, c.Answer(ctx, short, "cut-short", "use", true))
	assert.ErrorContains(t, c.Expect(ctx, hand, "large"), "large")
	require.NoError(t, c.Expect(ctx, hand, "122x23mm"))
	require.NoError(t, c.WatchUntilDone(ctx, all.Batch.ID, nil))
	all, err := c.Batch(ctx, all.Batch.ID)
	require.NoError(t, err)
	assert.Equal(t, "pass", all.Parts[0].Verdict)
	assert.Equal(t, 1, all.Parts[1].Current, "repaired with what is there: %s", all.Parts[1].Verdict)
	r, err := c.Report(ctx, hand, 0)
	require.NoError(t, err)
	assert.Equal(t, "in", r.Unit.Chosen)
	r, err = c.Report(ctx, short, 0)
	require.NoError(t, err)
	assert.Equal(t, map[string]string{"cut-short": "use"}, r.Answers)
}

// TestEarlierFilesTellTheUnit sends an unclear file after many of the same
// customer that were in inches.
func TestEarlierFilesTellTheUnit(t *testing.T) {
	c, ctx := signIn(t, serve(t), "ada"), t.Context()
	send := func(customer string, sizes ...float64) record.Part {
		dir := t.TempDir()
		s := client.Submission{Customer: customer, Process: "resin"}
		for i, x := range sizes {
			path := fmt.Sprintf("%s/part-%d.obj", dir, i)
			require.NoError(t, os.WriteFile(path, fmt.Appendf(nil, "v 0 0 0\nv %g 0 0\nv 0 2.3171 0\nv 0 0 1.1127\nf 1 3 2\nf 1 2 4\nf 2 3 4\nf 1 4 3\n", x), 0o600))
			s.Paths = append(s.Paths, path)
		}
		b, err := c.Submit(ctx, s)
		require.NoError(t, err)
		require.NoError(t, c.WatchUntilDone(ctx, b.ID, nil))
		all, err := c.Batch(ctx, b.ID)
		require.NoError(t, err)
		return all.Parts[0]
	}
	first := send("Harbour Museum", 4.7283, 4.9173, 4.3131, 4.1777, 4.5353, 4.6617)
	require.Equal(t, "hold", first.Verdict)
	require.NoError(t, c.SetUnit(ctx, first.ID, "in", true))
	require.NoError(t, c.WatchUntilDone(ctx, first.BatchID, nil))
	stranger, known := send("Lighthouse Friends", 4.8191), send("Harbour Museum", 4.8191)
	chance := func(p record.Part) float64 {
		r, err := c.Report(ctx, p.ID, 0)
		require.NoError(t, err)
		for _, u := range r.Unit.Candidates {
			if u.Unit == "in" {
				return u.Probability
			}
		}
		return 0
	}
	assert.Greater(t, chance(known), chance(stranger)+0.2)
}

func TestWhoMayDoWhat(t *testing.T) {
	server := serve(t)
	operator, viewer := signIn(t, server, "ada"), signIn(t, server, "vic")
	all := submit(t, operator, "bollard.stl")
	part := "/parts/" + num(all.Parts[0].ID)
	cases := []struct {
		method, path             string
		nobody, viewer, operator int
	}{
		{"GET", "/session", 401, 200, 200},
		{"GET", "/processes", 401, 200, 200},
		{"GET", "/kinds", 401, 200, 200},
		{"GET", "/batches", 401, 200, 200},
		{"GET", "/batches?limit=9999", 401, 400, 400},
		{"GET", "/batches/1", 401, 200, 200},
		{"GET", "/batches/99", 401, 404, 404},
		{"GET", "/batches/one", 401, 404, 404},
		{"GET", "/batches/1/audit", 401, 200, 200},
		{"GET", "/batches/99/events", 401, 404, 404},
		{"GET", part, 401, 200, 200},
		{"GET", part + "/revisions/0/report", 401, 200, 200},
		{"GET", part + "/revisions/0/file", 401, 200, 200},
		{"GET", part + "/revisions/0/picture", 401, 200, 200},
		{"GET", part + "/revisions/0/view", 401, 200, 200},
		{"GET", part + "/revisions/7/file", 401, 404, 404},
		{"GET", part + "/revisions/0/outcomes/unit/mm", 401, 404, 404},
		{"POST", "/batches", 401, 403, 400},
		{"POST", part + "/unit", 401, 403, 400},
		{"POST", part + "/repair", 401, 403, 422},
		{"POST", "/batches/1/repair", 401, 403, 202},
		{"POST", "/batches/99/repair", 401, 403, 404},
		{"PUT", "/batches", 405, 405, 405},
		{"GET", "/nothing", 404, 404, 404},
	}
	for _, c := range cases {
		for who, want := range map[string]int{"": c.nobody, viewer.Token: c.viewer, operator.Token: c.operator} {
			req, err := http.NewRequest(c.method, server+"/api/v1"+c.path, nil)
			require.NoError(t, err)
			if who != "" {
				req.Header.Set("Authorization", "Bearer "+who)
			}
			res, err := http.DefaultClient.Do(req)
			require.NoError(t, err)
			body, _ := io.ReadAll(res.Body)
			res.Body.Close()
			assert.Equal(t, want, res.StatusCode, "%s %s: %s", c.method, c.path, body)
			if want >= 400 {
				var p api.Problem
				assert.NoError(t, json.Unmarshal(body, &p))
				assert.NotEmpty(t, p.Detail)
				assert.Equal(t, "application/problem+json", res.Header.Get("Content-Type"))
			}
		}
	}
}

func num(n int64) string { b, _ := json.Marshal(n); return string(b) }

func TestSignInAndOut(t *testing.T) {
	server := serve(t)
	c := &client.Client{Server: server}
	_, err := c.SignIn(t.Context(), "ada", "wrong")
	assert.EqualError(t, err, "name or password is wrong")
	res, err := http.Post(server+"/api/v1/session", "application/json", strings.NewReader(`{"name":"ada","password":"`+password+`"}`))
	require.NoError(t, err)
	res.Body.Close()
	cookie := res.Cookies()[0]
	assert.True(t, cookie.HttpOnly)
	assert.Equal(t, http.SameSiteStrictMode, cookie.SameSite)

	send := func(method, path string, header map[string]string) int {
		req, err := http.NewRequest(method, server+path, nil)
		require.NoError(t, err)
		req.AddCookie(cookie)
		for k, v := range header {
			req.Header.Set(k, v)
		}
		res, err := http.DefaultClient.Do(req)
		require.NoError(t, err)
		res.Body.Close()
		return res.StatusCode
	}
	assert.Equal(t, 200, send("GET", "/api/v1/session", nil))
	assert.Equal(t, 403, send("DELETE", "/api/v1/session", map[string]string{"Sec-Fetch-Site": "cross-site"}))
	assert.Equal(t, 403, send("DELETE", "/api/v1/session", map[string]string{"Origin": "http://elsewhere.example"}))
	assert.Equal(t, 204, send("DELETE", "/api/v1/session", map[string]string{"Origin": server}))
	assert.Equal(t, 401, send("GET", "/api/v1/session", nil))
}

// TestHostileUploads sends names and forms that nobody well-meaning would.
func TestHostileUploads(t *testing.T) {
	server := serve(t)
	c := signIn(t, server, "ada")
	post := func(write func(*multipart.Writer)) (int, string) {
		var b bytes.Buffer
		form := multipart.NewWriter(&b)
		write(form)
		form.Close()
		req, err := http.NewRequest("POST", server+"/api/v1/batches", &b)
		require.NoError(t, err)
		req.Header.Set("Content-Type", form.FormDataContentType())
		req.Header.Set("Authorization", "Bearer "+c.Token)
		res, err := http.DefaultClient.Do(req)
		require.NoError(t, err)
		defer res.Body.Close()
		text, _ := io.ReadAll(res.Body)
		return res.StatusCode, string(text)
	}
	status, text := post(func(f *multipart.Writer) {
		f.WriteField("customer", "<script>alert(1)</script>")
		w, _ := f.CreateFormFile("file", "../../../etc/passwd")
		w.Write([]byte("root"))
		w, _ = f.CreateFormFile("file", "a\r\nSet-Cookie: x.stl")
		w.Write([]byte("x"))
	})
	require.Equal(t, 201, status, text)
	b, err := c.Batch(t.Context(), 1)
	require.NoError(t, err)
	assert.Equal(t, "passwd", b.Parts[0].Name)
	for _, p := range b.Parts {
		req, _ := http.NewRequest("GET", server+"/api/v1/parts/"+num(p.ID)+"/revisions/0/file", nil)
		req.Header.Set("Authorization", "Bearer "+c.Token)
		res, err := http.DefaultClient.Do(req)
		require.NoError(t, err)
		res.Body.Close()
		assert.Empty(t, res.Header.Get("Set-Cookie"))
		assert.True(t, strings.HasPrefix(res.Header.Get("Content-Disposition"), "attachment; filename"))
		assert.Equal(t, "nosniff", res.Header.Get("X-Content-Type-Options"))
	}
	for name, write := range map[string]func(*multipart.Writer){
		"no files":        func(f *multipart.Writer) { f.WriteField("customer", "x") },
		"no customer":     func(f *multipart.Writer) { w, _ := f.CreateFormFile("file", "a.stl"); w.Write([]byte("x")) },
		"unknown process": func(f *multipart.Writer) { f.WriteField("process", "clay") },
		"unknown field":   func(f *multipart.Writer) { f.WriteField("shoe", "42") },
	} {
		status, text := post(write)
		assert.Equal(t, 422, status, "%s: %s", name, text)
	}
	list, err := c.Batches(t.Context())
	require.NoError(t, err)
	assert.Len(t, list, 1, "refused batches leave no record")
}

func TestHealth(t *testing.T) {
	server := serve(t)
	for path, want := range map[string]string{"/healthz": "ok\n", "/readyz": "ready\n", "/parts/7": "console"} {
		res, err := http.Get(server + path)
		require.NoError(t, err)
		body, _ := io.ReadAll(res.Body)
		res.Body.Close()
		assert.Equal(t, want, string(body))
		assert.Contains(t, res.Header.Get("Content-Security-Policy"), "default-src 'self'")
	}
}

// TestEventsTellStateFirst opens a stream on a finished batch: everything comes at once.
func TestEventsTellStateFirst(t *testing.T) {
	c := signIn(t, serve(t), "ada")
	b := submit(t, c, "bollard.stl", "torn-off.stl")
	seen := 0
	require.NoError(t, c.Watch(t.Context(), b.Batch.ID, func(now api.BatchWithParts) bool {
		seen = len(now.Parts)
		return false
	}))
	assert.Equal(t, 2, seen)
	err := c.Watch(t.Context(), 99, func(api.BatchWithParts) bool { return true })
	assert.ErrorContains(t, err, "no such record", "a refusal ends the watch")
}

// TestStepsByHand orders single steps from any revision: each makes a revision
// of its own, with its parent and what was done, and none takes one away.
func TestStepsByHand(t *testing.T) {
	server := serve(t)
	c := signIn(t, server, "ada")
	all := submit(t, c, "fog-bell.stl", "net-float.obj")
	require.NoError(t, c.WatchUntilDone(t.Context(), all.Batch.ID, nil))
	bell, float := all.Parts[0].ID, all.Parts[1].ID
	order := func(part int64, from int, steps ...string) api.PartWithRevisions {
		t.Helper()
		require.NoError(t, c.Repair(t.Context(), part, from, steps...))
		require.NoError(t, c.WatchUntilDone(t.Context(), all.Batch.ID, nil))
		p, err := c.Part(t.Context(), part)
		require.NoError(t, err)
		return p
	}
	report, err := c.Report(t.Context(), bell, 0)
	require.NoError(t, err)
	at := report.Findings[0].Places[0].LineMM[0]
	hole := fmt.Sprintf("fill-hole=%g,%g,%g", at[0], at[1], at[2])
	p := order(bell, 0, hole)
	require.Len(t, p.Revisions, 3)
	assert.Equal(t, 0, *p.Revisions[2].Parent)
	assert.Equal(t, "by-hand, 1 hole filled with 33 triangles", p.Revisions[2].Title)
	assert.Equal(t, "repair", p.Revisions[2].Verdict, "two holes are left")
	p = order(bell, 2)
	require.Len(t, p.Revisions, 4)
	assert.Equal(t, 2, *p.Revisions[3].Parent)
	assert.Equal(t, "pass", p.Part.Verdict)
	p = order(bell, 3, "turn-shell=1", "remove-triangles=5,7")
	assert.Equal(t, 3, *p.Revisions[4].Parent)
	assert.Equal(t, "repair", p.Part.Verdict)
	n, err := c.RepairBatch(t.Context(), all.Batch.ID)
	require.NoError(t, err)
	assert.Equal(t, 1, n, "the float waits for its answer")
	require.NoError(t, c.WatchUntilDone(t.Context(), all.Batch.ID, nil))
	p, err = c.Part(t.Context(), bell)
	require.NoError(t, err)
	assert.Equal(t, "pass", p.Part.Verdict)
	assert.Len(t, p.Revisions, 6)
	assert.Equal(t, 4, *p.Revisions[5].Parent)

	before := p.Revisions[5].Triangles // heavy parts are made lighter, the others stay
	p = order(bell, 5, "lighter-within=0.05")
	require.Len(t, p.Revisions, 7)
	assert.Equal(t, "pass", p.Part.Verdict)
	assert.Less(t, p.Revisions[6].Triangles, before)
	assert.Contains(t, p.Revisions[6].Title, "no point of either surface is farther than 0.05 mm")
	n, err = c.LightenBatch(t.Context(), all.Batch.ID, 5000, 0)
	require.NoError(t, err)
	require.Positive(t, n)
	require.NoError(t, c.WatchUntilDone(t.Context(), all.Batch.ID, nil))
	p, err = c.Part(t.Context(), bell)
	require.NoError(t, err)
	require.Len(t, p.Revisions, 8)
	assert.InDelta(t, 5000, p.Revisions[7].Triangles, 2)
	assert.Equal(t, "pass", p.Part.Verdict)
	_, err = c.LightenBatch(t.Context(), all.Batch.ID, 0, 0)
	assert.ErrorContains(t, err, "above how many triangles")
	_, err = c.LightenBatch(t.Context(), all.Batch.ID, 100, -1)
	assert.ErrorContains(t, err, "above 0")

	report, err = c.Report(t.Context(), float, 0)
	require.NoError(t, err)
	pictures := map[string]bool{}
	for _, choice := range report.Questions[0].Choices {
		var b bytes.Buffer
		require.NoError(t, c.Fetch(t.Context(), float, 0, "outcomes/"+report.Questions[0].ID+"/"+choice.Answer, &b))
		pictures[b.String()] = true
		_, err := png.Decode(&b)
		require.NoError(t, err)
	}
	assert.Len(t, pictures, 2, "each answer has a picture of its own")
	p = order(float, 0, "drop-shell=2") // instead of answering
	assert.Equal(t, "pass", p.Part.Verdict)
	for order, why := range map[string]string{"polish": "no step is called", "drop-shell=x": "no step is called", "fill-hole=1,2": "no step is called"} {
		assert.ErrorContains(t, c.Repair(t.Context(), bell, 0, order), why)
	}
	assert.ErrorContains(t, c.Repair(t.Context(), bell, 77), "no such record")
	assert.ErrorContains(t, c.RepairBy(t.Context(), bell, 0, "polish"), "no repair method is called")
	for _, method := range []string{"touch-up", "recast"} { // side by side, from what was received
		require.NoError(t, c.RepairBy(t.Context(), bell, 0, method))
		require.NoError(t, c.WatchUntilDone(t.Context(), all.Batch.ID, nil))
		p, err = c.Part(t.Context(), bell)
		require.NoError(t, err)
		last := p.Revisions[len(p.Revisions)-1]
		assert.Equal(t, 0, *last.Parent)
		assert.Equal(t, "pass", last.Verdict)
		assert.True(t, strings.HasPrefix(last.Title, method), last.Title)
	}
	require.NoError(t, c.Repair(t.Context(), bell, 0, "drop-shell=9"))
	require.NoError(t, c.WatchUntilDone(t.Context(), all.Batch.ID, nil))
	p, err = c.Part(t.Context(), bell)
	require.NoError(t, err)
	assert.Contains(t, p.Part.Problem, "there is no shell 9; there are 1")
}
