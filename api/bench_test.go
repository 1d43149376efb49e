package api_test

import (
	"archive/zip"
	"bytes"
	"encoding/binary"
	"encoding/csv"
	"encoding/json"
	"image/png"
	"io"
	"math"
	"math/rand/v2"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"veneer/api"
	"veneer/bureau"
	"veneer/bureau/record"
	"veneer/client"
	"veneer/core/check"
	"veneer/core/pipeline"
)

// TestTypesAreUpToDate holds the console's types and the documentation's page against the description.
func TestTypesAreUpToDate(t *testing.T) {
	kept, err := os.ReadFile("../console/src/shared/api.gen.ts")
	require.NoError(t, err)
	assert.Equal(t, api.Describe().TypeScript(), string(kept), "run go generate ./api")
	kept, err = os.ReadFile("../docs/api.md")
	require.NoError(t, err)
	assert.Equal(t, api.Describe().Markdown(), string(kept), "run go generate ./api")
}

// TestEveryRouteIsDescribedAndGuarded calls each address of the description, for records
// that do not exist: with no sign-in, as each role, and with a token for reading. Who may
// not do as much as the description says is kept out, everybody else is let through.
func TestEveryRouteIsDescribedAndGuarded(t *testing.T) {
	server := serve(t)
	callers := map[record.Role]*client.Client{record.Viewer: signIn(t, server, "vic"), record.Operator: signIn(t, server, "ada"), record.Lead: signIn(t, server, "lea"), record.Administrator: signIn(t, server, "rex")}
	reading, err := callers[record.Administrator].NewToken(t.Context(), api.TokenOrder{Name: "night script", Scope: record.Reading, Days: 1})
	require.NoError(t, err)
	reader := &client.Client{Server: server, Token: reading.Token}
	res, err := http.Get(server + "/api/v1/openapi.json")
	require.NoError(t, err)
	var d api.Description
	require.NoError(t, json.NewDecoder(res.Body).Decode(&d))
	res.Body.Close()
	assert.Equal(t, "3.1.0", d.OpenAPI)
	call := func(c *client.Client, method, path string) int {
		req, err := http.NewRequest(method, server+"/api/v1"+path, strings.NewReader("{}"))
		require.NoError(t, err)
		req.Header.Set("Content-Type", "application/json")
		if c != nil {
			req.Header.Set("Authorization", "Bearer "+c.Token)
		}
		res, err := http.DefaultClient.Do(req)
		require.NoError(t, err)
		io.Copy(io.Discard, io.LimitReader(res.Body, 1000))
		res.Body.Close()
		return res.StatusCode
	}
	fill := strings.NewReplacer("{batch}", "99", "{part}", "99", "{number}", "0", "{study}", "9", "{upload}", strings.Repeat("a", 32), "{kind}", "open-boundary", "{name}", "x.png", "{question}", "unit", "{answer}", "mm", "{person}", "99", "{token}", "99", "{hook}", "99", "{process}", "clay", "{link}", "vnl_none", "{thing}", "file")
	n := 0
	for path, methods := range d.Paths {
		for method, op := range methods {
			n++
			at, method := fill.Replace(path), strings.ToUpper(method)
			assert.NotEmpty(t, op.Summary)
			assert.NotContains(t, at, "{")
			if op.Body != nil {
				for kind, c := range op.Body.Content {
					assert.True(t, kind != "application/json" || c.Example != nil, "%s %s has no example", method, path)
				}
			}
			if len(op.Security) == 0 {
				assert.Contains(t, []string{"/openapi.json", "/session", "/first", "/shared/{link}", "/shared/{link}/report.pdf", "/shared/{link}/files/{thing}"}, path, "open to anyone")
				if strings.HasPrefix(path, "/shared/") {
					assert.Equal(t, http.StatusNotFound, call(nil, method, at), "a link that is none")
				}
				continue
			}
			assert.Equal(t, http.StatusUnauthorized, call(nil, method, at), "%s %s", method, at)
			assert.Equal(t, http.StatusUnauthorized, call(&client.Client{Token: "vnr_" + strings.Repeat("0", 64)}, method, at), "%s %s with a token of nobody's", method, at)
			if path == "/session" || path == "/events" {
				continue // signing out would end the test, and a stream ends never
			}
			for _, role := range record.Roles {
				switch got := call(callers[role], method, at); {
				case !role.AtLeast(op.Role):
					assert.Equal(t, http.StatusForbidden, got, "%s %s as %s", method, at, role)
				case got == http.StatusForbidden || got == http.StatusUnauthorized || got >= 500:
					t.Errorf("%s %s as %s: %d", method, at, role, got)
				}
			}
			if method != http.MethodGet && !strings.HasSuffix(path, "/plan") && !strings.HasSuffix(path, "/studies") {
				assert.Equal(t, http.StatusForbidden, call(reader, method, at), "%s %s with a token for reading", method, at)
			}
		}
	}
	assert.Greater(t, n, 50)
}

// TestExamplesAreTaken sends the examples of the description for records that there are
// none of: the service understands each, and says what is wrong by one of them.
func TestExamplesAreTaken(t *testing.T) {
	server := serve(t)
	rex := signIn(t, server, "rex")
	send := func(method, path, body string) (int, string) {
		req, err := http.NewRequest(method, server+"/api/v1"+path, strings.NewReader(body))
		require.NoError(t, err)
		req.Header.Set("Content-Type", "application/json")
		req.Header.Set("Authorization", "Bearer "+rex.Token)
		res, err := http.DefaultClient.Do(req)
		require.NoError(t, err)
		text, err := io.ReadAll(res.Body)
		require.NoError(t, err)
		return res.StatusCode, string(text)
	}
	fill := strings.NewReplacer("{batch}", "99", "{part}", "99", "{person}", "99", "{process}", "resin")
	n := 0
	for path, methods := range api.Describe().Paths {
		for method, op := range methods {
			if op.Body == nil || op.Body.Content["application/json"].Example == nil {
				continue
			}
			n++
			example, err := json.Marshal(op.Body.Content["application/json"].Example)
			require.NoError(t, err)
			code, text := send(strings.ToUpper(method), fill.Replace(path), string(example))
			assert.NotEqual(t, http.StatusBadRequest, code, "%s %s: %s", method, path, text)
			code, text = send(strings.ToUpper(method), fill.Replace(path), "{")
			assert.Equal(t, http.StatusBadRequest, code, "%s %s", method, path)
			var p api.Problem
			require.NoError(t, json.Unmarshal([]byte(text), &p))
			assert.Contains(t, p.Detail, "JSON such as "+string(example))
		}
	}
	assert.Greater(t, n, 18)
}

// TestStudies compares two revisions and makes levels: each once, with files beside.
func TestStudies(t *testing.T) {
	server := serve(t)
	c := signIn(t, server, "ada")
	all := submit(t, c, "fog-bell.stl")
	bell := all.Parts[0].ID
	compared, err := c.Study(t.Context(), bell, api.StudyOrder{Kind: record.Compare, From: 0, To: 1})
	require.NoError(t, err)
	var found pipeline.Comparison
	require.NoError(t, json.Unmarshal(compared.Result, &found))
	assert.Equal(t, check.Repair, found.A.Verdict)
	assert.Equal(t, check.Pass, found.B.Verdict)
	assert.InDelta(t, 5.2, found.Deviation.Max, 0.5)
	most := 0.0
	for side, r := range map[string]*check.Report{"a": found.A, "b": found.B} {
		var b bytes.Buffer
		require.NoError(t, c.StudyFile(t.Context(), compared, "deviation-"+side+".bin", &b))
		require.Len(t, b.Bytes(), 4*r.Geometry.Vertices, "one number for each vertex of the view")
		for x := b.Bytes(); len(x) > 0; x = x[4:] {
			most = max(most, float64(math.Float32frombits(binary.LittleEndian.Uint32(x))))
		}
	}
	assert.LessOrEqual(t, most, found.Deviation.Max+1e-4)
	assert.Greater(t, most, found.Deviation.Max/2, "vertices are near where it is largest")
	again, err := c.Study(t.Context(), bell, api.StudyOrder{Kind: record.Compare, From: 0, To: 1})
	require.NoError(t, err)
	assert.Equal(t, compared.ID, again.ID, "what was worked out is kept")

	levels, err := c.Study(t.Context(), bell, api.StudyOrder{Kind: record.Levels, From: 1})
	require.NoError(t, err)
	var list []pipeline.Level
	require.NoError(t, json.Unmarshal(levels.Result, &list))
	require.Len(t, list, 3)
	for i, l := range list {
		var b bytes.Buffer
		require.NoError(t, c.StudyFile(t.Context(), levels, "level-"+l.Name+".png", &b))
		_, err := png.Decode(&b)
		require.NoError(t, err)
		if i > 0 {
			assert.Less(t, l.Triangles, list[i-1].Triangles)
		}
	}
	var words []string
	for _, mm := range list[1].StopsMM {
		words = append(words, strings.TrimRight(string(mustJSON(t, mm)), " "))
	}
	require.NoError(t, c.Repair(t.Context(), bell, 1, "lighter-within="+strings.Join(words, ",")))
	require.NoError(t, c.WatchUntilDone(t.Context(), all.Batch.ID, nil))
	p, err := c.Part(t.Context(), bell)
	require.NoError(t, err)
	assert.Equal(t, list[1].Triangles, p.Part.Triangles, "the level that was looked at")
	assert.Equal(t, "pass", p.Part.Verdict)

	for order, why := range map[api.StudyOrder]string{{Kind: "guess"}: "a study is compare or levels", {Kind: record.Compare, To: 9}: "no such record"} {
		_, err := c.Study(t.Context(), bell, order)
		assert.ErrorContains(t, err, why)
	}
	assert.ErrorContains(t, c.StudyFile(t.Context(), levels, "../level", io.Discard), "")
	jobs, err := c.Jobs(t.Context())
	require.NoError(t, err)
	kinds := map[record.JobKind]int{}
	for _, j := range jobs {
		kinds[j.Kind]++
		assert.Equal(t, "done", j.State)
		assert.Equal(t, "fog-bell.stl", j.PartName)
	}
	assert.Equal(t, map[record.JobKind]int{record.Inspect: 1, record.Mend: 2, record.Look: 2}, kinds)
}

func mustJSON(t *testing.T, v any) []byte {
	b, err := json.Marshal(v)
	require.NoError(t, err)
	return b
}

// TestPlansAndSettings tells what a repair would take, and mends with what a person set.
func TestPlansAndSettings(t *testing.T) {
	c := signIn(t, serve(t), "ada")
	all := submit(t, c, "fog-bell.stl")
	bell := all.Parts[0].ID
	plan, err := c.Plan(t.Context(), bell, bureau.Order{})
	require.NoError(t, err)
	assert.Equal(t, "fill", plan[0].Step)
	coarse := bureau.Order{Method: "recast", Recast: []string{"cell=2", "tolerance=0.4"}}
	plan, err = c.Plan(t.Context(), bell, coarse)
	require.NoError(t, err)
	last := plan[len(plan)-1]
	assert.Equal(t, 2.0, last.With["cell_mm"])
	assert.Positive(t, last.Needs.Bytes)
	require.NoError(t, c.Order(t.Context(), bell, coarse))
	require.NoError(t, c.WatchUntilDone(t.Context(), all.Batch.ID, nil))
	p, err := c.Part(t.Context(), bell)
	require.NoError(t, err)
	assert.Contains(t, p.Revisions[2].Title, "on cells of 2 mm")
	assert.Contains(t, p.Revisions[2].FileName, "-recast.stl")
	for _, bad := range []bureau.Order{{Method: "fuse", Recast: []string{"cell=2"}}, {Method: "recast", Recast: []string{"cell=0"}}, {Method: "recast", Recast: []string{"walls=3"}}} {
		assert.Error(t, c.Order(t.Context(), bell, bad))
		_, err := c.Plan(t.Context(), bell, bad)
		assert.Error(t, err)
	}
}

// TestExport reads the zip of a batch: each part that could be read under a name of
// its own, byte by byte what the revision is, its report, and a table of all.
func TestExport(t *testing.T) {
	c := signIn(t, serve(t), "ada")
	all := submit(t, c, "fog-bell.stl", "bollard.stl", "holiday.stl")
	open := func(parts []int64) map[string][]byte {
		var b bytes.Buffer
		require.NoError(t, c.Export(t.Context(), all.Batch.ID, parts, &b))
		z, err := zip.NewReader(bytes.NewReader(b.Bytes()), int64(b.Len()))
		require.NoError(t, err)
		files := map[string][]byte{}
		for _, f := range z.File {
			r, err := f.Open()
			require.NoError(t, err)
			files[f.Name], err = io.ReadAll(r)
			require.NoError(t, err)
		}
		return files
	}
	files := open(nil)
	require.Len(t, files, 5)
	var b bytes.Buffer
	for _, p := range all.Parts {
		if p.Name == "fog-bell.stl" {
			require.NoError(t, c.Fetch(t.Context(), p.ID, 1, "file", &b))
		}
	}
	assert.Equal(t, b.Bytes(), files["fog-bell-touch-up.stl"])
	var r check.Report
	require.NoError(t, json.Unmarshal(files["reports/bollard.stl.report.json"], &r))
	assert.Equal(t, check.Pass, r.Verdict)
	rows, err := csv.NewReader(bytes.NewReader(files["parts.csv"])).ReadAll()
	require.NoError(t, err)
	require.Len(t, rows, 4)
	assert.Contains(t, rows[3][12], "JPEG picture", "one that could not be read says why")
	assert.Len(t, open([]int64{all.Parts[1].ID}), 3)
}

// TestUploadsGoOn sends a file in pieces, of which some come twice, some too early and
// one breaks off; then with the client, as part of a batch.
func TestUploadsGoOn(t *testing.T) {
	server := serve(t)
	c, other, lea := signIn(t, server, "ada"), signIn(t, server, "vic"), signIn(t, server, "lea")
	content := make([]byte, 3<<20)
	rand.NewChaCha8([32]byte{7}).Read(content)
	path := filepath.Join(t.TempDir(), "hull.stl")
	require.NoError(t, os.WriteFile(path, content, 0o600))
	add := func(c *client.Client, id string, offset string, piece []byte) (int, bureau.Upload) {
		req, err := http.NewRequest(http.MethodPatch, server+"/api/v1/uploads/"+id+"?offset="+offset, bytes.NewReader(piece))
		require.NoError(t, err)
		req.Header.Set("Authorization", "Bearer "+c.Token)
		res, err := http.DefaultClient.Do(req)
		require.NoError(t, err)
		defer res.Body.Close()
		var up bureau.Upload
		json.NewDecoder(res.Body).Decode(&up)
		return res.StatusCode, up
	}
	id, err := c.Upload(t.Context(), path, "hull.stl", nil)
	require.NoError(t, err)
	for _, try := range []struct {
		who    *client.Client
		id     string
		offset string
		piece  []byte
		want   int
	}{
		{c, id, "0", content[:10], http.StatusConflict},
		{c, id, "3145728", []byte("more"), http.StatusUnprocessableEntity},
		{c, id, "near", nil, http.StatusBadRequest},
		{c, strings.Repeat("b", 32), "0", nil, http.StatusNotFound},
		{c, "../../etc/passwd", "0", nil, http.StatusNotFound},
		{other, id, "3145728", nil, http.StatusForbidden},
		{lea, id, "3145728", nil, http.StatusNotFound},
	} {
		got, _ := add(try.who, try.id, try.offset, try.piece)
		assert.Equal(t, try.want, got, "%s at %s", try.id, try.offset)
	}
	_, err = lea.Submit(t.Context(), client.Submission{Customer: "Harbour Museum", Process: "resin", Uploads: []string{id}})
	assert.ErrorContains(t, err, "no such upload", "another's")
	submitted := func(field string) (int, string) {
		body := "--x\r\nContent-Disposition: form-data; name=\"customer\"\r\n\r\nHarbour Museum\r\n--x\r\nContent-Disposition: form-data; name=\"upload\"\r\n\r\n" + field + "\r\n--x--\r\n"
		req, err := http.NewRequest(http.MethodPost, server+"/api/v1/batches", strings.NewReader(body))
		require.NoError(t, err)
		req.Header.Set("Authorization", "Bearer "+c.Token)
		req.Header.Set("Content-Type", "multipart/form-data; boundary=x")
		res, err := http.DefaultClient.Do(req)
		require.NoError(t, err)
		defer res.Body.Close()
		text, _ := io.ReadAll(res.Body)
		return res.StatusCode, string(text)
	}
	code, text := submitted(id)
	require.Equal(t, http.StatusCreated, code, text)
	code, text = submitted(id)
	assert.Equal(t, http.StatusUnprocessableEntity, code, "it was taken in")
	assert.Contains(t, text, "no such upload")
	b, err := c.Batch(t.Context(), 1)
	require.NoError(t, err)
	assert.Equal(t, "hull.stl", b.Parts[0].Name)
	assert.EqualValues(t, len(content), b.Parts[0].Bytes)
	var back bytes.Buffer
	require.NoError(t, c.WatchUntilDone(t.Context(), 1, nil))
	require.NoError(t, c.Fetch(t.Context(), b.Parts[0].ID, 0, "file", &back))
	assert.Equal(t, content, back.Bytes())
}

// TestUnitsForMany settles the unit of the parts that are listed, and no others.
func TestUnitsForMany(t *testing.T) {
	c := signIn(t, serve(t), "ada")
	all := submit(t, c, "hour-hand.stl", "bollard.stl")
	n, err := c.SetUnits(t.Context(), all.Batch.ID, []int64{all.Parts[0].ID, all.Parts[1].ID}, "in")
	require.NoError(t, err)
	assert.Equal(t, 2, n)
	require.NoError(t, c.WatchUntilDone(t.Context(), all.Batch.ID, nil))
	now, err := c.Batch(t.Context(), all.Batch.ID)
	require.NoError(t, err)
	for i, p := range now.Parts {
		assert.Equal(t, "in", p.UnitSet)
		if p.Name == "bollard.stl" {
			assert.InDelta(t, 25.4*all.Parts[i].SizeMM[0], p.SizeMM[0], 0.01)
		}
	}
	n, err = c.SetUnits(t.Context(), all.Batch.ID, nil, "mm")
	require.NoError(t, err)
	assert.Zero(t, n, "none was named")
}
