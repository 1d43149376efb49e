package demo_test

import (
	"bytes"
	"cmp"
	"context"
	"io"
	"math"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"veneer/core/check"
	"veneer/core/format/file"
	"veneer/core/pipeline"
	"veneer/core/process"
	"veneer/core/repair"
	"veneer/demo"
)

// TestManifest holds check and repair against the known condition of every
// file: each finding with its count and nothing beside them, the verdict, and
// the verdict of what the repair wrote.
func TestManifest(t *testing.T) {
	files := 0
	for _, b := range demo.Batches() {
		p, err := process.Named(b.Process)
		require.NoError(t, err)
		set := pipeline.Settings{Process: p, Limits: file.DefaultLimits()}
		for _, f := range b.Files {
			files++
			t.Run(f.Name, func(t *testing.T) {
				t.Parallel()
				content := f.Bytes()
				c, err := pipeline.Check(t.Context(), file.Source{Name: f.Name, R: bytes.NewReader(content), Size: int64(len(content)), Beside: func(name string) (io.ReadCloser, error) {
					if b, ok := f.Beside()[name]; ok {
						return io.NopCloser(bytes.NewReader(b)), nil
					}
					return nil, os.ErrNotExist
				}}, set)
				require.NoError(t, err)
				r := c.Report
				found := map[string]int{}
				for _, x := range r.Findings {
					found[x.Kind] = x.Count
					if f.Findings[x.Kind] == -1 { // present, the number is the reader's
						found[x.Kind] = -1
					}
				}
				assert.Equal(t, f.Findings, found)
				assert.Equal(t, f.Verdict, string(r.Verdict))
				assert.Equal(t, f.Shells, r.Geometry.Shells)
				if f.Refusal != "" {
					assert.Contains(t, r.Unread, f.Refusal)
					assert.Contains(t, r.Unread, f.Name)
				}
				if f.Genus != nil && f.Repaired == "" {
					require.NotNil(t, r.Geometry.Genus)
					assert.Equal(t, *f.Genus, *r.Geometry.Genus, "genus")
				}
				if f.Repaired != "" {
					if set := set; f.Verdict == "hold" { // with the default answers
						set.TakeDefaults = true
						c, err = pipeline.Check(t.Context(), file.Source{Name: f.Name, R: bytes.NewReader(content), Size: int64(len(content))}, set)
						require.NoError(t, err)
					}
					checkRepair(t, c, f, set)
				}
			})
		}
	}
	assert.GreaterOrEqual(t, files, 24)
}

func checkRepair(t *testing.T, c *pipeline.Checked, f demo.File, set pipeline.Settings) {
	out, err := os.Create(filepath.Join(t.TempDir(), "out.stl"))
	require.NoError(t, err)
	defer out.Close()
	result, err := pipeline.Mend(context.Background(), c, out, set)
	require.NoError(t, err)
	assert.Equal(t, f.Repaired, string(result.Verdict), "after repair: %v", summaries(result))
	assert.Equal(t, f.Repaired == "pass", result.Repaired)
	if result.Repaired {
		assert.True(t, result.After.Geometry.Watertight)
		assert.True(t, result.After.Geometry.Oriented)
		assert.Equal(t, cmp.Or(f.Joined, f.Shells), result.After.Geometry.Shells)
		assert.Positive(t, *result.After.Geometry.VolumeMM3)
		require.NotNil(t, result.Deviation)
		size := result.After.Geometry.SizeMM
		assert.LessOrEqual(t, result.Deviation.Max, math.Hypot(size[0], math.Hypot(size[1], size[2]))/2)
		if f.Genus != nil {
			assert.Equal(t, *f.Genus, *result.After.Geometry.Genus, "through-holes stay open")
		}
	}
}

func summaries(r *repair.Result) (list []string) {
	for _, f := range r.After.Findings {
		if f.Severity == check.Error {
			list = append(list, f.Summary)
		}
	}
	return list
}

// TestSetIsRepeatable makes files twice: the same bytes.
func TestSetIsRepeatable(t *testing.T) {
	first, again := demo.Batches(), demo.Batches()
	for i, b := range first {
		for j, f := range b.Files {
			assert.Equal(t, f.Bytes(), again[i].Files[j].Bytes(), f.Name)
		}
	}
}
