package pipeline_test

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"math"
	"os"
	"path/filepath"
	"runtime"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"veneer/core/check"
	"veneer/core/format/file"
	"veneer/core/format/stl"
	"veneer/core/geom"
	"veneer/core/mesh"
	"veneer/core/mesh/meshtest"
	"veneer/core/pipeline"
	"veneer/core/process"
)

func encoded(tb testing.TB, m *mesh.Mesh) []byte {
	var b bytes.Buffer
	require.NoError(tb, stl.WriteBinary(&b, m))
	return b.Bytes()
}

func source(name string, b []byte) file.Source {
	return file.Source{Name: name, R: bytes.NewReader(b), Size: int64(len(b))}
}

func settings(tb testing.TB) pipeline.Settings {
	p, err := process.Named(process.Default)
	require.NoError(tb, err)
	return pipeline.Settings{Process: p, Limits: file.DefaultLimits()}
}

func TestCheckFillsTheReport(t *testing.T) {
	b := encoded(t, meshtest.Bumpy(20))
	set := settings(t)
	clock := time.Unix(0, 0)
	set.Now = func() time.Time { clock = clock.Add(time.Millisecond); return clock }
	var stages []string
	last := 0.0
	set.Progress = func(stage string, done float64) {
		stages = append(stages, stage)
		assert.GreaterOrEqual(t, done, last-1e-9, "progress never runs backwards")
		last = done
	}
	c, err := pipeline.Check(t.Context(), source("torus.stl", b), set)
	require.NoError(t, err)
	sum := sha256.Sum256(b)
	assert.Equal(t, check.File{Name: "torus.stl", Format: "stl-binary", Bytes: int64(len(b)), SHA256: hex.EncodeToString(sum[:])}, c.Report.File)
	assert.Equal(t, check.Pass, c.Report.Verdict)
	for _, stage := range []string{"read", "weld", "topology", "self_intersection"} {
		assert.Contains(t, c.Report.Timings, stage)
	}
	assert.Positive(t, c.Report.Timings["read"])
	assert.Equal(t, 1.0, last)
	assert.Contains(t, stages, "topology")
}

func TestUnitsScaleTheMesh(t *testing.T) {
	m := meshtest.Bumpy(12)
	m.Scale(1.0137 / 25.4) // nothing round
	b := encoded(t, m)
	set := settings(t)
	c, err := pipeline.Check(t.Context(), source("a.stl", b), set)
	require.NoError(t, err)
	assert.Equal(t, check.Hold, c.Report.Verdict, "4 of something long")
	set.Unit = "in"
	c, err = pipeline.Check(t.Context(), source("a.stl", b), set)
	require.NoError(t, err)
	assert.Equal(t, check.Pass, c.Report.Verdict)
	assert.InDelta(t, 101, c.Report.Geometry.SizeMM[0], 2)
	set.Unit, set.ExpectMM = "", [3]float64{101}
	c, err = pipeline.Check(t.Context(), source("a.stl", b), set)
	require.NoError(t, err)
	assert.Equal(t, "in", c.Report.Unit.Chosen, "the customer said how long it is")
	set.Unit = "ell"
	_, err = pipeline.Check(t.Context(), source("a.stl", b), set)
	assert.ErrorContains(t, err, "ell")
}

func TestUnreadableIsAResult(t *testing.T) {
	c, err := pipeline.Check(t.Context(), source("photo.stl", []byte("\xff\xd8\xff\xe0")), settings(t))
	require.NoError(t, err)
	assert.Nil(t, c.Mesh)
	assert.Equal(t, check.Reject, c.Report.Verdict)
	assert.Contains(t, c.Report.Unread, "JPEG")
	assert.Len(t, c.Report.File.SHA256, 64, "what was refused is still known by its bytes")
	_, err = pipeline.Mend(t.Context(), c, nil, settings(t))
	assert.ErrorContains(t, err, "JPEG")
}

// failing is a disk that breaks.
type failing struct{}

var errDisk = errors.New("disk on fire")

func (failing) ReadAt([]byte, int64) (int, error) { return 0, errDisk }

func TestFailingDisksAndCancellingAreErrors(t *testing.T) {
	_, err := pipeline.Check(t.Context(), file.Source{Name: "a.stl", R: failing{}, Size: 1000}, settings(t))
	assert.ErrorIs(t, err, errDisk)
	ctx, cancel := context.WithCancel(t.Context())
	cancel()
	_, err = pipeline.Check(ctx, source("a.stl", encoded(t, meshtest.Bumpy(50))), settings(t))
	assert.ErrorIs(t, err, context.Canceled)
}

// TestSameOnOneCore gives the same report and bytes whatever the number of cores.
func TestSameOnOneCore(t *testing.T) {
	m := meshtest.Bumpy(60)
	m.Triangles = append(m.Triangles[:100], m.Triangles[103:]...)
	for i := 500; i < 520; i++ {
		v := &m.Triangles[i]
		v[0], v[1] = v[1], v[0]
	}
	b := encoded(t, m)
	var reports []*check.Report
	var outputs [][]byte
	for _, cores := range []int{1, 2, 4} {
		defer runtime.GOMAXPROCS(runtime.GOMAXPROCS(cores))
		c, err := pipeline.Check(t.Context(), source("a.stl", b), settings(t))
		require.NoError(t, err)
		reports = append(reports, c.Report)
		out, err := os.Create(filepath.Join(t.TempDir(), "out.stl"))
		require.NoError(t, err)
		defer out.Close()
		_, err = pipeline.Mend(t.Context(), c, out, settings(t))
		require.NoError(t, err)
		written, err := os.ReadFile(out.Name())
		require.NoError(t, err)
		outputs = append(outputs, written)
	}
	for i := 1; i < 3; i++ {
		assert.Equal(t, reports[0], reports[i])
		assert.Equal(t, outputs[0], outputs[i])
	}
}

// BenchmarkCheck checks a closed binary STL of a million triangles, from a
// file. ratio is its time over that of reading the file's bytes and touching
// each, in the same run.
func BenchmarkCheck(b *testing.B) {
	content := encoded(b, meshtest.Bumpy(707))
	path := filepath.Join(b.TempDir(), "million.stl")
	require.NoError(b, os.WriteFile(path, content, 0o600))
	f, err := os.Open(path)
	require.NoError(b, err)
	defer f.Close()
	src := file.Source{Name: "million.stl", R: f, Size: int64(len(content))}
	b.SetBytes(src.Size)
	var touching, checking time.Duration
	for b.Loop() {
		start := time.Now()
		touch(b, f, src.Size)
		touching += time.Since(start)
		start = time.Now()
		c, err := pipeline.Check(b.Context(), src, settings(b))
		require.NoError(b, err)
		require.Equal(b, check.Pass, c.Report.Verdict)
		checking += time.Since(start)
	}
	b.ReportMetric(checking.Seconds()/touching.Seconds(), "ratio")
	b.ReportMetric(checking.Seconds()/float64(b.N), "check-s/op")
	b.ReportMetric(float64(checking.Nanoseconds())/float64(b.N)/float64(2*707*707), "ns/triangle")
}

var sink byte

func touch(b *testing.B, f *os.File, size int64) {
	buf := make([]byte, 1<<20)
	for at := int64(0); at < size; {
		n, err := f.ReadAt(buf, at)
		if n == 0 {
			require.NoError(b, err)
		}
		x := byte(0)
		for _, c := range buf[:n] {
			x ^= c
		}
		sink ^= x
		at += int64(n)
	}
}

// bytesOf is a file in memory.
type bytesOf struct{ b []byte }

func (m *bytesOf) Write(p []byte) (int, error)    { m.b = append(m.b, p...); return len(p), nil }
func (m *bytesOf) Seek(int64, int) (int64, error) { return 0, nil }
func (m *bytesOf) Truncate(int64) error           { m.b = nil; return nil }
func (m *bytesOf) ReadAt(p []byte, at int64) (int, error) {
	return bytes.NewReader(m.b).ReadAt(p, at)
}

// BenchmarkMend repairs and verifies a million triangles of which one in a
// hundred is missing, turned, there twice or torn off.
func BenchmarkMend(b *testing.B) {
	m := meshtest.Bumpy(707)
	for t := int32(0); t < int32(len(m.Triangles)); t += 101 {
		v := m.Triangles[t]
		switch t / 101 % 4 {
		case 0:
			m.Triangles[t] = mesh.Triangle{v[0], v[1], v[1]}
		case 1:
			m.Turn(t)
		case 2:
			m.Append(t, v)
		case 3:
			p, q, r := m.Corners(t)
			middle := p.Add(q).Add(r).Scale(1. / 3)
			for i := range v {
				m.Positions = append(m.Positions, m.Positions[v[i]].Lerp(middle, 1e-3).Single())
				m.Triangles[t][i] = int32(len(m.Positions) - 1)
			}
		}
	}
	start := time.Now()
	checked, err := pipeline.Check(b.Context(), source("torus.stl", encoded(b, m)), settings(b))
	require.NoError(b, err)
	took := time.Since(start).Seconds()
	mendBench(b, checked)
	b.ReportMetric(took, "check-s")
}

// bowl is half a ball whose rim has n edges; each ring of points below has half
// as many, down to five and the lowest point.
func bowl(n int32, wave float64) *mesh.Mesh {
	m := &mesh.Mesh{}
	ring := func(n int32, share float64) (first int32) {
		first = int32(len(m.Positions))
		for i := range n {
			a := 2 * math.Pi * float64(i) / float64(n)
			s, c := math.Sincos(share * math.Pi / 2)
			m.Positions = append(m.Positions, geom.Vec{X: 50 * s * math.Cos(a), Y: 50 * s * math.Sin(a), Z: -50*c + wave*s*math.Sin(3*a)}.Single())
		}
		return first
	}
	share := 1.0
	fine := ring(n, share)
	for n > 5 && n%2 == 0 {
		share -= math.Pi / float64(n) // about as far down as an edge is long
		coarse := ring(n/2, share)
		for i := range n / 2 {
			a, b, c := fine+2*i, fine+2*i+1, fine+(2*i+2)%n
			d, e := coarse+i, coarse+(i+1)%(n/2)
			m.Triangles = append(m.Triangles, mesh.Triangle{a, d, b}, mesh.Triangle{b, d, e}, mesh.Triangle{b, e, c})
		}
		fine, n = coarse, n/2
	}
	m.Positions = append(m.Positions, geom.Vec{Z: -50})
	for i := range n {
		m.Triangles = append(m.Triangles, mesh.Triangle{fine + i, int32(len(m.Positions) - 1), fine + (i+1)%n})
	}
	return m
}

// BenchmarkMendOneHole fills a hole with a rim of twenty thousand edges, flat
// and curved.
func BenchmarkMendOneHole(b *testing.B) {
	for name, wave := range map[string]float64{"flat": 0, "curved": 3} {
		b.Run(name, func(b *testing.B) {
			m := bowl(20_480, wave)
			set := settings(b)
			set.TakeDefaults = true
			checked, err := pipeline.Check(b.Context(), source("ring.stl", encoded(b, m)), set)
			require.NoError(b, err)
			mendBench(b, checked)
		})
	}
}

func mendBench(b *testing.B, checked *pipeline.Checked) {
	set := settings(b)
	set.Unit, set.TakeDefaults, set.Now = "mm", true, time.Now
	for b.Loop() {
		r, err := pipeline.Mend(b.Context(), checked, &bytesOf{}, set)
		require.NoError(b, err)
		require.Equal(b, check.Pass, r.Verdict, "%+v", r.Steps)
		b.ReportMetric(float64(len(r.Mesh.Triangles)), "triangles")
		for _, s := range r.Steps {
			b.ReportMetric(s.MS, s.Step+"-ms")
		}
	}
}

// TestForView makes a copy to be looked at: as light as asked for, and the mesh as it was.
func TestForView(t *testing.T) {
	m := meshtest.Bumpy(60)
	before := len(m.Triangles)
	light, err := pipeline.ForView(t.Context(), m, 1000)
	require.NoError(t, err)
	assert.InDelta(t, 1000, len(light.Triangles), 2)
	assert.Len(t, m.Triangles, before)
	same, err := pipeline.ForView(t.Context(), m, before)
	require.NoError(t, err)
	assert.Len(t, same.Triangles, before)
	ctx, cancel := context.WithCancel(t.Context())
	cancel()
	_, err = pipeline.ForView(ctx, m, 1000)
	assert.ErrorIs(t, err, context.Canceled)
}
