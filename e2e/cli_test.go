package e2e

import (
	"archive/zip"
	"bytes"
	"encoding/json"
	"image/png"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"veneer/bureau/record"
	"veneer/client"
	"veneer/core/check"
	"veneer/core/format"
	"veneer/core/format/file"
	"veneer/core/geom"
	"veneer/core/mesh"
	"veneer/core/process"
	"veneer/core/repair"
)

// run runs the command line; env are more variables.
func run(t *testing.T, env []string, args ...string) (stdout, stderr string, code int) {
	t.Helper()
	cmd := exec.Command(binary, args...)
	cmd.Env = append(append(os.Environ(), "XDG_CONFIG_HOME="+filepath.Join(demoSet, "config")), env...)
	var out, errs bytes.Buffer
	cmd.Stdout, cmd.Stderr = &out, &errs
	err := cmd.Run()
	if err != nil {
		require.IsType(t, &exec.ExitError{}, err)
	}
	return out.String(), errs.String(), cmd.ProcessState.ExitCode()
}

func TestCheckCommand(t *testing.T) {
	zipped := filepath.Join(t.TempDir(), "parts.zip")
	require.NoError(t, os.MkdirAll(filepath.Join(demoSet, "empty"), 0o755))
	var out bytes.Buffer
	z := zip.NewWriter(&out)
	for _, name := range []string{"bollard.stl", "fog-bell.stl"} {
		w, err := z.Create("../deep/" + name)
		require.NoError(t, err)
		content, err := os.ReadFile(demoFile(t, name))
		require.NoError(t, err)
		w.Write(content)
	}
	require.NoError(t, z.Close())
	require.NoError(t, os.WriteFile(zipped, out.Bytes(), 0o644))
	cases := []struct {
		name   string
		args   []string
		code   int
		stdout []string
		stderr string
	}{
		{"a clean part", []string{"check", demoFile(t, "bollard.stl")}, 0, []string{"PASS", "100 × 100 × 120.2 mm", "closed and consistent, 1 shell", "overhang"}, ""},
		{"holes", []string{"check", demoFile(t, "fog-bell.stl")}, 1, []string{"REPAIR", "open-boundary", "3 open loops", "largest at"}, ""},
		{"a unit in doubt", []string{"check", demoFile(t, "hour-hand.stl"), "--process", "resin"}, 1, []string{"HOLD", "--answer unit=in"}, ""},
		{"a file cut short", []string{"check", demoFile(t, "cut-short.stl")}, 1, []string{"HOLD", "--answer cut-short=use", "promises 14784 triangles but the file holds only 8869"}, ""},
		{"an answer", []string{"check", demoFile(t, "cut-short.stl"), "--answer", "cut-short=use"}, 1, []string{"REPAIR", "answered: use"}, ""},
		{"a refusal", []string{"check", demoFile(t, "cut-short.stl"), "--answer", "cut-short=wait"}, 1, []string{"REJECT"}, ""},
		{"no such answer", []string{"check", demoFile(t, "cut-short.stl"), "--answer", "yes"}, 2, nil, "takes the word default, or a question and its answer"},
		{"a pattern", []string{"check", filepath.Dir(demoFile(t, "dial-face.obj")) + "/*-hand.*", "-p", "resin"}, 1, []string{"hour-hand.stl", "minute-hand.obj"}, ""},
		{"the unit given", []string{"check", demoFile(t, "hour-hand.stl"), "--unit", "in", "-p", "resin"}, 0, []string{"PASS", "121.5 × 23.05 × 3.85 mm", "set by the operator"}, ""},
		{"unreadable", []string{"check", demoFile(t, "holiday.stl")}, 2, []string{"REJECT", "a JPEG picture"}, ""},
		{"several files", []string{"check", demoFile(t, "bollard.stl"), demoFile(t, "fog-bell.stl")}, 1, []string{"verdict", "pass", "repair", "3 open-boundary"}, ""},
		{"several, one unreadable", []string{"check", demoFile(t, "bollard.stl"), demoFile(t, "torn-off.stl")}, 2, []string{"pass", "reject", "cut short"}, ""},
		{"no such file", []string{"check", "nowhere.stl"}, 2, nil, "nowhere.stl: no such file"},
		{"an empty folder", []string{"check", filepath.Dir(binary) + "/demo/empty"}, 2, nil, "holds no .stl"},
		{"a folder", []string{"check", filepath.Dir(demoFile(t, "float-ball.stl")), "-p", "powder"}, 2, []string{"float-ball.stl", "wave-panel.obj", "a JPEG picture"}, ""},
		{"an archive", []string{"check", zipped}, 1, []string{"bollard.stl", "fog-bell.stl"}, ""},
		{"no such process", []string{"check", "x.stl", "-p", "clay"}, 2, nil, "there are colour, filament, metal, powder, resin"},
		{"no such unit", []string{"check", "x.stl", "-u", "ell"}, 2, nil, `no unit is called "ell"`},
		{"no such flag", []string{"check", "x.stl", "--shiny"}, 2, nil, "see veneer check --help"},
		{"nothing to check", []string{"check"}, 2, nil, "requires at least 1 arg"},
		{"explain", []string{"explain", "open-boundary"}, 0, []string{"Open boundary", "On a print"}, ""},
		{"explain everything", []string{"explain"}, 0, []string{"flipped-triangle", "inside-out-shell", "unit"}, ""},
		{"explain nothing", []string{"explain", "sadness"}, 2, nil, `no finding is called "sadness"; there are unit`},
		{"batches without sign-in", []string{"batch", "list"}, 2, nil, "sign in first: veneer login"},
	}
	for _, c := range cases {
		t.Run(c.name, func(t *testing.T) {
			out, errs, code := run(t, nil, c.args...)
			assert.Equal(t, c.code, code, "%s%s", out, errs)
			for _, s := range c.stdout {
				assert.Contains(t, out, s)
			}
			assert.Contains(t, errs, c.stderr)
			assert.NotContains(t, out, "\x1b", "no colours into a pipe")
		})
	}
}

func TestCheckAsJSON(t *testing.T) {
	out, _, code := run(t, nil, "check", demoFile(t, "fog-bell.stl"), "--json")
	assert.Equal(t, 1, code)
	var one check.Report
	require.NoError(t, json.Unmarshal([]byte(out), &one))
	assert.Equal(t, check.Schema, one.Schema)
	assert.Equal(t, 3, one.Geometry.BoundaryLoops)
	assert.Nil(t, one.Geometry.VolumeMM3)

	var many []check.Report
	out, _, _ = run(t, nil, "check", demoFile(t, "fog-bell.stl"), demoFile(t, "bollard.stl"), "--json")
	require.NoError(t, json.Unmarshal([]byte(out), &many))
	assert.Len(t, many, 2)

	out, _, code = run(t, nil, "check", "--jsonl", demoFile(t, "bollard.stl"), demoFile(t, "holiday.stl"))
	assert.Equal(t, 2, code)
	lines := strings.Split(strings.TrimSpace(out), "\n")
	require.Len(t, lines, 2)
	require.NoError(t, json.Unmarshal([]byte(lines[1]), &one))
	assert.Equal(t, check.Reject, one.Verdict)
}

func TestRepairCommand(t *testing.T) {
	dir := t.TempDir()
	out := filepath.Join(dir, "out.stl")
	bell := demoFile(t, "fog-bell.stl")
	original, err := os.ReadFile(bell)
	require.NoError(t, err)

	text, _, code := run(t, nil, "repair", bell, "--plan")
	assert.Equal(t, 0, code)
	assert.Contains(t, text, "Fill open boundaries")
	assert.NoFileExists(t, out)

	text, _, code = run(t, nil, "repair", bell, "-o", out)
	assert.Equal(t, 0, code, text)
	assert.Contains(t, text, "3 holes filled with 90 triangles")
	text, _, code = run(t, nil, "check", out)
	assert.Equal(t, 0, code, text)

	text, _, code = run(t, nil, "repair", out, "-o", filepath.Join(dir, "again.stl"), "--json")
	assert.Equal(t, 0, code)
	var r repair.Result
	require.NoError(t, json.Unmarshal([]byte(text), &r))
	assert.True(t, r.Repaired)
	assert.Equal(t, "veneer.repair/1", r.Schema)
	first, err := os.ReadFile(out)
	require.NoError(t, err)
	again, err := os.ReadFile(filepath.Join(dir, "again.stl"))
	require.NoError(t, err)
	assert.Equal(t, first, again, "repairing what was repaired changes no byte")

	text, errs, code := run(t, nil, "repair", demoFile(t, "hour-hand.stl"), "-p", "resin", "-o", filepath.Join(dir, "hand.stl"), "--json")
	assert.Equal(t, 1, code)
	assert.Contains(t, errs, "a question is open")
	require.NoError(t, json.Unmarshal([]byte(text), &r))
	assert.Len(t, r.Questions, 1)
	assert.NoFileExists(t, filepath.Join(dir, "hand.stl"))
	_, _, code = run(t, nil, "repair", demoFile(t, "hour-hand.stl"), "-p", "resin", "-o", filepath.Join(dir, "hand.stl"), "--answer", "default")
	assert.Equal(t, 0, code)
	assert.FileExists(t, filepath.Join(dir, "hand.stl"))

	text, _, code = run(t, nil, "repair", demoFile(t, "sextant-stand.stl"), "-p", "resin", "-o", filepath.Join(dir, "stand.stl"))
	assert.Equal(t, 0, code, text)
	assert.Contains(t, text, "240 triangles cut")
	text, _, code = run(t, nil, "repair", demoFile(t, "sextant-stand.stl"), "-p", "resin", "-o", filepath.Join(dir, "stand.stl"), "--method", "touch-up")
	assert.Equal(t, 1, code, "what is left is said")
	assert.Contains(t, text, "NOT REPAIRED")
	_, errs, code = run(t, nil, "repair", demoFile(t, "sea-chart.3mf"), "-o", filepath.Join(dir, "chart.stl"))
	assert.Equal(t, 2, code)
	assert.Contains(t, errs, "zip archive")
	for _, bad := range [][]string{{"repair", bell}, {"repair", bell, "-o", "x.gif"}, {"repair", bell, "-o", out, "--method", "magic"}, {"repair", bell, "-o", out, "--answer", "yes"}} {
		_, errs, code := run(t, nil, bad...)
		assert.Equal(t, 2, code, "%v", bad)
		assert.NotEmpty(t, errs)
	}
	files, err := os.ReadDir(dir)
	require.NoError(t, err)
	assert.Len(t, files, 4, "nothing half written is left")
	now, err := os.ReadFile(bell)
	require.NoError(t, err)
	assert.Equal(t, original, now, "the original stays as it is")
}

func TestCompareCommand(t *testing.T) {
	bell, mended := demoFile(t, "fog-bell.stl"), filepath.Join(t.TempDir(), "mended.stl")
	_, errs, code := run(t, nil, "repair", bell, "-o", mended)
	require.Equal(t, 0, code, errs)
	out, _, code := run(t, nil, "compare", bell, mended, "--json")
	assert.Equal(t, 0, code)
	var r struct {
		Deviation struct{ Max, P99, Mean float64 } `json:"deviation_mm"`
		Area      float64                          `json:"area_change_mm2"`
		A, B      check.Report
	}
	require.NoError(t, json.Unmarshal([]byte(out), &r))
	assert.InDelta(t, 5, r.Deviation.Max, 3, "the middle of the largest hole is that far from its rim")
	assert.Less(t, r.Deviation.Mean, 0.05)
	assert.Greater(t, r.Area, 200.0, "three holes' worth")
	assert.Equal(t, check.Repair, r.A.Verdict)
	assert.Equal(t, check.Pass, r.B.Verdict)
	var layers struct {
		Layers []struct {
			Wrong [2]bool `json:"wrong"`
		} `json:"layers"`
		Hollows [2]int `json:"hollows"`
	}
	require.NoError(t, json.Unmarshal([]byte(out), &layers))
	require.Len(t, layers.Layers, 40)
	assert.True(t, slices.ContainsFunc(layers.Layers, func(l struct {
		Wrong [2]bool `json:"wrong"`
	}) bool {
		return l.Wrong[0] && !l.Wrong[1]
	}), "a layer through a hole closes once it is filled")
	out, _, code = run(t, nil, "compare", mended, mended)
	assert.Equal(t, 0, code)
	assert.Contains(t, out, "lie on one another")
	_, errs, code = run(t, nil, "compare", bell, demoFile(t, "holiday.stl"))
	assert.Equal(t, 2, code)
	assert.Contains(t, errs, "JPEG")
}

// readModel reads what a mesh file holds.
func readModel(t *testing.T, path string) *mesh.Mesh {
	t.Helper()
	b, err := os.ReadFile(path)
	require.NoError(t, err)
	m, err := format.Read(t.Context(), file.Source{Name: filepath.Base(path), R: bytes.NewReader(b), Size: int64(len(b))}, file.Options{Limits: file.DefaultLimits()})
	require.NoError(t, err)
	return m.Mesh
}

func TestDecimateCommand(t *testing.T) {
	dir := t.TempDir()
	knot, dial, out := demoFile(t, "rope-knot.stl"), demoFile(t, "tide-dial.3mf"), filepath.Join(dir, "light.stl")
	type record struct {
		Schema    string
		Triangles [2]int
		Bytes     int64
		WithinMM  float64                          `json:"within_mm"`
		Deviation struct{ Max, P99, Mean float64 } `json:"deviation_mm"`
		Verdict   check.Verdict
		After     check.Report
	}
	lighten := func(want int, args ...string) (r record) {
		t.Helper()
		text, errs, code := run(t, nil, append([]string{"decimate", "--json"}, args...)...)
		require.Equal(t, want, code, errs)
		require.NoError(t, json.Unmarshal([]byte(text), &r))
		assert.Equal(t, "veneer.decimate/1", r.Schema)
		return r
	}
	r := lighten(0, knot, "--deviation", "0.1", "-o", out)
	assert.LessOrEqual(t, r.WithinMM, 0.1)
	assert.LessOrEqual(t, r.Deviation.Max, r.WithinMM+1e-6)
	assert.Less(t, r.Triangles[1], r.Triangles[0]/2)
	assert.True(t, r.After.Geometry.Oriented)
	info, err := os.Stat(out)
	require.NoError(t, err)
	assert.Equal(t, info.Size(), r.Bytes)
	r = lighten(0, knot, "--share", "0.1", "-o", out)
	assert.InDelta(t, r.Triangles[0]/10, r.Triangles[1], 2)
	r = lighten(0, knot, "--triangles", "5000", "-o", out)
	assert.InDelta(t, 5000, r.Triangles[1], 2)

	light := filepath.Join(dir, "dial.3mf") // what covers it survives
	r = lighten(0, dial, "--bytes", "400kB", "-o", light)
	assert.Less(t, r.Bytes, int64(400_000))
	assert.Greater(t, r.Bytes, int64(300_000))
	a, b := readModel(t, dial), readModel(t, light)
	assert.Equal(t, len(a.Bodies), len(b.Bodies))
	areas := func(m *mesh.Mesh) map[string]float64 {
		area := map[string]float64{}
		for i := range m.Triangles {
			name := "bare"
			if m.Covers != nil && m.Covers[i].Texture > 0 {
				name = m.Textures[m.Covers[i].Texture-1].Name
			}
			if m.BodyOf != nil {
				name += " " + m.Bodies[m.BodyOf[i]].Name
			}
			area[name] += m.AreaNormal(int32(i)).Length() / 2
		}
		return area
	}
	after := areas(b)
	for name, x := range areas(a) {
		assert.InEpsilon(t, x, after[name], 0.02, name)
	}

	text, _, code := run(t, nil, "decimate", knot, "--levels", "--json")
	assert.Equal(t, 0, code)
	var levels []struct {
		Name      string
		Triangles int
		Bytes     int64
		WithinMM  float64 `json:"within_mm"`
	}
	require.NoError(t, json.Unmarshal([]byte(text), &levels))
	require.Len(t, levels, 3)
	assert.Less(t, levels[2].Triangles, levels[1].Triangles)
	text, _, code = run(t, nil, "decimate", knot, "--level", levels[1].Name, "-o", out)
	assert.Equal(t, 0, code)
	assert.Len(t, readModel(t, out).Triangles, levels[1].Triangles, "what was shown is what is written")
	assert.Contains(t, text, "No point of either surface is farther")

	r = lighten(0, knot, "--share", "0.1", "--keep", "0,-100,-100,100,100,100", "-o", out) // half of it stays as it is
	kept := func(path string) map[geom.Vec]bool {
		m, list := readModel(t, path), map[geom.Vec]bool{}
		for _, p := range m.Positions {
			if p = p.Single(); p.X >= 0 {
				list[p] = true
			}
		}
		return list
	}
	now := kept(out)
	for p := range kept(knot) {
		assert.True(t, now[p], "%v is gone", p)
	}
	assert.Less(t, r.Triangles[1], r.Triangles[0]*3/4)

	half := filepath.Join(dir, "half.stl") // Ctrl-C leaves no half file
	c := exec.Command(binary, "decimate", knot, "--deviation", "0.02", "-o", half)
	require.NoError(t, c.Start())
	time.Sleep(300 * time.Millisecond)
	require.NoError(t, c.Process.Signal(os.Interrupt))
	assert.Error(t, c.Wait(), "it was ended")
	_, err = os.Stat(half)
	assert.ErrorIs(t, err, os.ErrNotExist)

	bell := demoFile(t, "fog-bell.stl") // what is open stays open, and nothing worse
	r = lighten(1, bell, "--deviation", "0.05", "-o", out)
	assert.Equal(t, check.Repair, r.Verdict)
	assert.Equal(t, 3, r.After.Geometry.BoundaryLoops)
	for _, bad := range [][]string{
		{"decimate", knot, "-o", out},
		{"decimate", knot, "--share", "0.5", "--triangles", "10", "-o", out},
		{"decimate", knot, "--share", "2", "-o", out},
		{"decimate", knot, "--bytes", "much", "-o", out},
		{"decimate", knot, "--deviation", "-1", "-o", out},
		{"decimate", knot, "--level", "none", "-o", out},
		{"decimate", knot, "--share", "0.5"},
		{"decimate", knot, "--share", "0.5", "--keep", "1,2,3", "-o", out},
		{"decimate", knot, "--share", "0.5", "-o", knot},
		{"decimate", bell, "--bytes", "2kB", "-o", filepath.Join(dir, "none.stl")},
	} {
		_, errs, code := run(t, nil, bad...)
		assert.Equal(t, 2, code, "%v", bad)
		assert.NotEmpty(t, errs)
	}
	files, err := os.ReadDir(dir)
	require.NoError(t, err)
	assert.Len(t, files, 2, "nothing half written is left")
}

func TestLayersCommand(t *testing.T) {
	bell, dir := demoFile(t, "fog-bell.stl"), t.TempDir()
	out, _, code := run(t, nil, "layers", bell, "--every", "2")
	assert.Equal(t, 1, code)
	assert.Contains(t, out, "57 layers, 17 of them do not close")
	out, _, code = run(t, nil, "layers", bell, "--at", "36", "-o", filepath.Join(dir, "bell.svg"), "--json")
	assert.Equal(t, 1, code)
	var lines []struct {
		Area *float64 `json:"area_mm2"`
		Open int
	}
	require.NoError(t, json.Unmarshal([]byte(out), &lines))
	require.Len(t, lines, 1)
	assert.Equal(t, 1, lines[0].Open)
	assert.Nil(t, lines[0].Area, "while a line is open nobody can tell")
	svg, err := os.ReadFile(filepath.Join(dir, "bell.svg"))
	require.NoError(t, err)
	assert.Contains(t, string(svg), "<svg")
	out, _, code = run(t, nil, "layers", demoFile(t, "bollard.stl"), "--every", "40", "-o", filepath.Join(dir, "bollard.svg"))
	assert.Equal(t, 0, code)
	assert.Contains(t, out, "3 layers, all close")
	assert.FileExists(t, filepath.Join(dir, "bollard-0003.svg"))
	for _, bad := range [][]string{{"layers", bell}, {"layers", bell, "--at", "1", "--every", "2"}, {"layers", bell, "--every", "0"}, {"layers", bell, "--at", "1", "-o", "x.png"}, {"layers", bell, "--every", "1e-6"}} {
		_, _, code := run(t, nil, bad...)
		assert.Equal(t, 2, code, "%v", bad)
	}
}

func TestConvertCommand(t *testing.T) {
	dir := t.TempDir()
	for _, name := range []string{"chain.stl", "chain.obj", "chain.3mf"} { // from one to the next
		from := demoFile(t, "chain.3mf")
		out := filepath.Join(dir, name)
		text, errs, code := run(t, nil, "convert", from, out)
		assert.Equal(t, 0, code, errs)
		assert.Contains(t, text, "23\u202f040 triangles in mm, read back and the same")
		text, _, code = run(t, nil, "check", out, "--json")
		assert.Equal(t, 0, code)
		var r check.Report
		require.NoError(t, json.Unmarshal([]byte(text), &r))
		assert.Equal(t, 5, r.Geometry.Shells)
		assert.InDelta(t, 201.938, r.Geometry.SizeMM[0], 0.001)
	}
	text, _, code := run(t, nil, "convert", demoFile(t, "chain.3mf"), filepath.Join(dir, "text.stl"), "--text", "--json")
	assert.Equal(t, 0, code)
	assert.Contains(t, text, `"format": "stl-ascii"`)
	text, _, code = run(t, nil, "convert", demoFile(t, "chain.3mf"), filepath.Join(dir, "chain2.stl"))
	assert.Equal(t, 0, code)
	assert.Contains(t, text, "not carried over: which of its 5 bodies a triangle belongs to")

	coloured := filepath.Join(dir, "coloured.obj")
	require.NoError(t, os.WriteFile(coloured, []byte("mtllib paint.mtl\nv 0 0 0\nv 60 0 0\nv 0 60 0\nv 0 0 60\nusemtl red\nf 1 3 2\nf 1 2 4\nusemtl blue\nf 2 3 4\nf 1 4 3\n"), 0o600))
	require.NoError(t, os.WriteFile(filepath.Join(dir, "paint.mtl"), []byte("newmtl red\nKd 1 0 0\nnewmtl blue\nKd 0 0 1\n"), 0o600))
	_, errs, code := run(t, nil, "convert", coloured, filepath.Join(dir, "coloured.3mf"))
	require.Equal(t, 0, code, errs)
	_, errs, code = run(t, nil, "convert", filepath.Join(dir, "coloured.3mf"), filepath.Join(dir, "again.obj"))
	require.Equal(t, 0, code, errs)
	library, err := os.ReadFile(filepath.Join(dir, "again.mtl"))
	require.NoError(t, err)
	assert.Contains(t, string(library), "Kd 1.000000 0.000000 0.000000")
	assert.Contains(t, string(library), "Kd 0.000000 0.000000 1.000000")

	for _, bad := range [][]string{{"a.stl", "b.gif"}, {demoFile(t, "chain.3mf"), filepath.Join(dir, "b.obj"), "--text"}, {demoFile(t, "sea-chart.3mf"), filepath.Join(dir, "c.stl")}} {
		_, errs, code := run(t, nil, append([]string{"convert"}, bad...)...)
		assert.Equal(t, 2, code, "%v", bad)
		assert.NotEmpty(t, errs)
	}
	_, errs, code = run(t, nil, "convert", demoFile(t, "hour-hand.stl"), filepath.Join(dir, "hand.3mf"), "-p", "resin")
	assert.Equal(t, 1, code)
	assert.Contains(t, errs, "a question is open")
	assert.NoFileExists(t, filepath.Join(dir, "hand.3mf"))
	_, _, code = run(t, nil, "check", demoFile(t, "hour-hand.stl"), "-p", "resin", "--expect", "122mm")
	assert.Equal(t, 0, code, "the customer's size settles the unit")
}

// TestConvertKeepsTextures converts a painted OBJ with its library and picture
// to 3MF and back.
func TestConvertKeepsTextures(t *testing.T) {
	dir := t.TempDir()
	dial, packed := demoFile(t, "dial-face.obj"), filepath.Join(dir, "dial.3mf")
	out, errs, code := run(t, nil, "convert", dial, packed)
	assert.Equal(t, 0, code, errs)
	assert.NotContains(t, out, "not carried over")
	_, errs, code = run(t, nil, "convert", packed, filepath.Join(dir, "again.obj"))
	assert.Equal(t, 0, code, errs)
	want, err := os.ReadFile(demoFile(t, "dial-face.png"))
	require.NoError(t, err)
	got, err := os.ReadFile(filepath.Join(dir, "dial-face.png"))
	require.NoError(t, err)
	assert.Equal(t, want, got)
	library, err := os.ReadFile(filepath.Join(dir, "again.mtl"))
	require.NoError(t, err)
	assert.Contains(t, string(library), "map_Kd dial-face.png")

	require.NoError(t, os.WriteFile(filepath.Join(dir, "dial-face.png"), []byte("mine"), 0o600))
	_, errs, code = run(t, nil, "convert", packed, filepath.Join(dir, "third.obj"))
	assert.Equal(t, 2, code)
	assert.Contains(t, errs, "is there already and is another picture")
	assert.NoFileExists(t, filepath.Join(dir, "third.obj"))
	_, errs, code = run(t, nil, "convert", packed, packed)
	assert.Equal(t, 2, code)
	assert.Contains(t, errs, "files are never written over")
	left, err := filepath.Glob(filepath.Join(dir, ".veneer*"))
	require.NoError(t, err)
	assert.Empty(t, left)
}

// TestRecordCommands fetches reports, finds a part, makes a token and uses it.
func TestRecordCommands(t *testing.T) {
	s := start(t, t.TempDir())
	c := s.client(t)
	b, err := c.Submit(t.Context(), client.Submission{Customer: "Harbour Museum", Process: "resin", Paths: []string{demoFile(t, "fog-bell.stl")}})
	require.NoError(t, err)
	require.NoError(t, c.WatchUntilDone(t.Context(), b.ID, nil))
	env, dir := []string{"VENEER_SERVER=" + s.address, "VENEER_TOKEN=" + c.Token}, t.TempDir()
	for _, args := range [][]string{{"report", "1", "-o", "part.pdf"}, {"report", "1", "--customer", "-o", "part.json"}, {"batch", "report", "1", "-o", "batch.pdf"}, {"batch", "report", "1", "-o", "batch.csv"}} {
		args[len(args)-1] = filepath.Join(dir, args[len(args)-1])
		_, errs, code := run(t, env, args...)
		require.Zero(t, code, errs)
		info, err := os.Stat(args[len(args)-1])
		require.NoError(t, err)
		assert.Greater(t, info.Size(), int64(100))
	}
	for _, args := range [][]string{{"report", "1", "-o", filepath.Join(dir, "part.doc")}, {"report", "one", "-o", filepath.Join(dir, "x.pdf")}, {"report", "99", "-o", filepath.Join(dir, "x.pdf")}} {
		_, errs, code := run(t, env, args...)
		assert.Equal(t, 2, code, "%v", args)
		assert.NotEmpty(t, errs)
	}
	files, err := os.ReadDir(dir)
	require.NoError(t, err)
	assert.Len(t, files, 4, "nothing half written is left")
	out, errs, code := run(t, env, "search", "museum", "--finding", "open-boundary")
	require.Zero(t, code, errs)
	assert.Contains(t, out, "fog-bell.stl")
	token, errs, code := run(t, env, "token", "new", "night script", "--reading")
	require.Zero(t, code, errs)
	env[1] = "VENEER_TOKEN=" + strings.TrimSpace(token)
	out, _, code = run(t, env, "batch", "list")
	require.Zero(t, code)
	assert.Contains(t, out, "Harbour Museum")
	_, errs, code = run(t, env, "batch", "repair", "1")
	assert.NotZero(t, code)
	assert.Contains(t, errs, "for reading only")

	picture := filepath.Join(dir, "bell.png")
	_, errs, code = run(t, nil, "picture", demoFile(t, "fog-bell.stl"), "--marked", "--view", "below", "-o", picture)
	require.Zero(t, code, errs)
	content, err := os.ReadFile(picture)
	require.NoError(t, err)
	img, err := png.Decode(bytes.NewReader(content))
	require.NoError(t, err)
	assert.Equal(t, 960, img.Bounds().Dx())
}

// TestProcessCommands changes a process by a file, which also serves commands that work
// on plain files, adds one, and reads in the trail who did it.
func TestProcessCommands(t *testing.T) {
	s := start(t, t.TempDir())
	env, dir := []string{"VENEER_SERVER=" + s.address, "VENEER_TOKEN=" + s.client(t).Token}, t.TempDir()
	text, errs, code := run(t, env, "process", "show", "resin")
	require.Zero(t, code, errs)
	var resin process.Process
	require.NoError(t, json.Unmarshal([]byte(text), &resin))
	write := func(name string, p process.Process) string {
		content, err := json.Marshal(p)
		require.NoError(t, err)
		path := filepath.Join(dir, name)
		require.NoError(t, os.WriteFile(path, content, 0o600))
		return path
	}
	resin.MaxTriangles = 100
	file := write("resin.json", resin)
	text, _, code = run(t, nil, "check", demoFile(t, "bollard.stl"), "-p", file)
	require.Zero(t, code)
	assert.Contains(t, text, "too-heavy")
	_, errs, code = run(t, env, "process", "set", file)
	require.Zero(t, code, errs)
	tin := resin
	tin.Name, tin.Title = "tin", "Cast tin"
	_, errs, code = run(t, env, "process", "set", write("tin.json", tin))
	require.Zero(t, code, errs)
	text, _, code = run(t, env, "process", "list")
	require.Zero(t, code)
	for _, want := range []string{"tin", "Cast tin", "added", "changed", operator} {
		assert.Contains(t, text, want)
	}
	tin.WallMM = 0
	for _, bad := range [][]string{{"process", "set", write("bad.json", tin)}, {"process", "set", filepath.Join(dir, "none.json")}, {"process", "show", "clay"}, {"process", "reset", "clay"}, {"check", demoFile(t, "bollard.stl"), "-p", filepath.Join(dir, "bad.json")}} {
		_, errs, code := run(t, env, bad...)
		assert.Equal(t, 2, code, "%v", bad)
		assert.NotEmpty(t, errs)
	}
	_, errs, code = run(t, env, "process", "reset", "tin")
	require.Zero(t, code, errs)
	text, _, code = run(t, env, "audit", "list", "--action", "process changed")
	require.Zero(t, code)
	assert.Contains(t, text, `{"from":{"max_triangles":2000000},"process":"resin","to":{"max_triangles":100}}`)
	text, _, code = run(t, env, "audit", "list", "--person", operator, "--json")
	require.Zero(t, code)
	var lines []record.TrailLine
	require.NoError(t, json.Unmarshal([]byte(text), &lines))
	assert.Equal(t, "process removed", lines[0].Action)
}

// TestHollowCommand hollows a part and proves the result like any other.
func TestHollowCommand(t *testing.T) {
	out := filepath.Join(t.TempDir(), "hollow.stl")
	text, errs, code := run(t, nil, "repair", demoFile(t, "mooring-post.stl"), "-p", "resin", "--step", "hollow=2.5", "-o", out)
	require.Zero(t, code, text+errs)
	assert.Contains(t, text, "less material")
	assert.Contains(t, text, "2 drains of 3 mm")
	text, _, code = run(t, nil, "check", out, "-p", "resin")
	require.Zero(t, code)
	assert.Contains(t, text, "closed and consistent")
	assert.NotContains(t, text, "trapped-volume")
	text, _, code = run(t, nil, "repair", demoFile(t, "fog-bell.stl"), "-p", "resin", "--step", "hollow=2", "-o", filepath.Join(t.TempDir(), "x.stl"))
	assert.Equal(t, 1, code)
	assert.Contains(t, text, "mend it first")
	_, errs, code = run(t, nil, "repair", demoFile(t, "bollard.stl"), "--step", "hollow=wide", "-o", out)
	assert.Equal(t, 2, code)
	assert.Contains(t, errs, "hollow=WALL,DRAIN,NUMBER")
}

func TestBatchCommands(t *testing.T) {
	s := start(t, t.TempDir())
	home := []string{"XDG_CONFIG_HOME=" + t.TempDir()}
	cmd := exec.Command(binary, "login", "--server", s.address, "--name", operator)
	cmd.Env, cmd.Stdin = append(os.Environ(), home...), strings.NewReader(password+"\n")
	out, err := cmd.CombinedOutput()
	require.NoError(t, err, string(out))
	assert.Contains(t, string(out), "signed in at")

	folder := filepath.Dir(demoFile(t, "float-ball.stl"))
	text, errs, code := run(t, home, "batch", "submit", folder, "--customer", "Harbour Museum", "--process", "powder", "--name", "Wall panels", "--watch")
	assert.Equal(t, 1, code, "not all pass: %s", errs)
	for _, s := range []string{"2 pass, 1 repaired, 2 on hold, 6 rejected", "wall-sign.stl", "pass (r1)", "this is a JPEG picture"} {
		assert.Contains(t, text, s)
	}
	text, _, code = run(t, home, "batch", "list")
	assert.Equal(t, 0, code)
	assert.Contains(t, text, "Wall panels")
	text, _, _ = run(t, home, "batch", "show", "1", "--json")
	assert.True(t, json.Valid([]byte(text)))
	dir := filepath.Join(t.TempDir(), "got")
	_, errs, code = run(t, home, "batch", "fetch", "1", "-o", dir)
	require.Equal(t, 0, code, errs)
	assert.FileExists(t, filepath.Join(dir, "wall-sign-touch-up.stl"))
	assert.FileExists(t, filepath.Join(dir, "wall-sign-touch-up.stl.report.json"))
	_, _, code = run(t, nil, "check", filepath.Join(dir, "wall-sign-touch-up.stl"), "-p", "powder")
	assert.Equal(t, 0, code, "what was fetched passes")
	_, errs, code = run(t, home, "batch", "fetch", "1", "-o", dir)
	assert.Equal(t, 2, code)
	assert.Contains(t, errs, "is there already")
	_, errs, code = run(t, home, "batch", "show", "77")
	assert.Equal(t, 2, code)
	assert.Contains(t, errs, "no such record")
	_, errs, code = run(t, home, "batch", "submit", t.TempDir(), "--customer", "x")
	assert.Equal(t, 2, code)
	assert.Contains(t, errs, "holds no .stl")
}
