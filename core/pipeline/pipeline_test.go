package pipeline_test

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
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
