package e2e

import (
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"veneer/api"
	"veneer/client"
	"veneer/demo"
)

// TestBatchSurvivesAKill ends the service with SIGKILL in the middle of a
// batch, twice, and starts it again on the same folder: the batch finishes,
// every part once, as if nothing had happened.
func TestBatchSurvivesAKill(t *testing.T) {
	data := t.TempDir()
	s := start(t, data)
	c := s.client(t)
	floor := demo.Batches()[0]
	submission := client.Submission{Customer: floor.Customer, Process: floor.Process}
	for range 3 {
		submission.Paths = append(submission.Paths, pathsOf(floor)...)
	}
	batch, err := c.Submit(t.Context(), submission)
	require.NoError(t, err)
	for _, enough := range []int{3, 11} {
		require.NoError(t, c.Watch(t.Context(), batch.ID, func(b api.BatchWithParts) bool {
			return b.Batch.Counts.Parts-b.Batch.Counts.Waiting < enough
		}))
		s.kill()
		s = start(t, data)
		c = s.client(t)
		b, err := c.Batch(t.Context(), batch.ID)
		require.NoError(t, err)
		assert.Positive(t, b.Batch.Counts.Waiting, "it was killed in the middle")
	}
	began := time.Now()
	require.NoError(t, c.WatchUntilDone(t.Context(), batch.ID, nil))
	t.Logf("finished %s after the last start", time.Since(began).Round(time.Millisecond))
	b, err := c.Batch(t.Context(), batch.ID)
	require.NoError(t, err)
	assert.Equal(t, 18, b.Batch.Counts.Pass)
	assert.Equal(t, 12, b.Batch.Counts.Repaired)
	for _, p := range b.Parts {
		part, err := c.Part(t.Context(), p.ID)
		require.NoError(t, err)
		assert.Len(t, part.Revisions, p.Current+1, "no step was recorded twice")
		assert.LessOrEqual(t, p.Current, 1)
	}
	left, err := filepath.Glob(filepath.Join(data, "scratch", "*"))
	require.NoError(t, err)
	assert.Empty(t, left)
}

func TestSecondServiceOnTheSameFolderIsRefused(t *testing.T) {
	data := t.TempDir()
	start(t, data)
	_, errs, code := run(t, nil, "serve", "--data", data, "--listen", "127.0.0.1:0")
	assert.Equal(t, 2, code)
	assert.Contains(t, errs, "another service is running on the folder")
}

// TestConfigurationComesFromThreePlaces sets the same value in a file, in the
// environment and by a flag: the later ones win.
func TestConfigurationComesFromThreePlaces(t *testing.T) {
	dir := t.TempDir()
	path := filepath.Join(dir, "veneer.yaml")
	require.NoError(t, os.WriteFile(path, []byte("first-user: from-file\nlog-json: true\n"), 0o600))
	for want, env := range map[string]string{"from-file": "", "from-env": "VENEER_FIRST_USER=from-env"} {
		if env != "" {
			t.Setenv("VENEER_FIRST_USER", "from-env")
		}
		s := start(t, filepath.Join(dir, want), "--config", path)
		c := &client.Client{Server: s.address}
		_, err := c.SignIn(t.Context(), want, password)
		require.NoError(t, err)
		s.stop(t)
		assert.Contains(t, s.log.String(), `"msg":"ready"`)
		os.Unsetenv("VENEER_FIRST_USER")
	}
	t.Setenv("VENEER_FIRST_USER", "from-env")
	s := start(t, filepath.Join(dir, "flag"), "--config", path, "--first-user", "from-flag")
	_, err := (&client.Client{Server: s.address}).SignIn(t.Context(), "from-flag", password)
	require.NoError(t, err)
}

func TestConfigurationIsChecked(t *testing.T) {
	for _, c := range []struct{ args, env []string }{
		{[]string{"serve", "--workers", "0"}, nil},
		{[]string{"serve"}, []string{"VENEER_JOB_MEMORY=5"}},
		{[]string{"serve", "--config", "/nowhere.yaml"}, nil},
	} {
		_, errs, code := run(t, c.env, append(c.args, "--data", t.TempDir())...)
		assert.Equal(t, 2, code)
		assert.Contains(t, errs, "configuration")
	}
}
