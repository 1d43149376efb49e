package dropfolder_test

import (
	"context"
	"io"
	"log/slog"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"veneer/bureau"
	"veneer/bureau/dropfolder"
	"veneer/bureau/record"
	"veneer/bureau/store/storetest"
	"veneer/bureau/vault"
	"veneer/core/format/file"
)

func TestMain(m *testing.M) { storetest.Main(m) }

const quiet = 400 * time.Millisecond

// watch watches a new folder for the length of the test.
func watch(t *testing.T) (dir string, batches func() []record.Batch, b *bureau.Bureau) {
	v, err := vault.Open(t.TempDir())
	require.NoError(t, err)
	b = &bureau.Bureau{Store: storetest.Open(t), Vault: v, Limits: file.DefaultLimits(), Parts: 10}
	dir = t.TempDir()
	f := &dropfolder.Folder{Dir: dir, Bureau: b, Quiet: quiet, Log: slog.New(slog.NewTextHandler(io.Discard, nil))}
	ctx, stop := context.WithCancel(context.Background())
	done := make(chan struct{})
	go func() { defer close(done); f.Run(ctx) }()
	t.Cleanup(func() { stop(); <-done })
	return dir, func() []record.Batch {
		list, err := b.Store.Batches(t.Context(), 0, 10)
		require.NoError(t, err)
		return list
	}, b
}

func put(t *testing.T, path, content string) {
	require.NoError(t, os.MkdirAll(filepath.Dir(path), 0o755))
	require.NoError(t, os.WriteFile(path, []byte(content), 0o644))
}

func soon(t *testing.T, what func() bool) {
	t.Helper()
	require.Eventually(t, what, 10*time.Second, 20*time.Millisecond)
}

func TestASubFolderIsABatch(t *testing.T) {
	dir, batches, b := watch(t)
	put(t, filepath.Join(dir, "lobby", "bell.stl"), "bytes")
	put(t, filepath.Join(dir, "lobby", "deep", "hull.obj"), "bytes")
	put(t, filepath.Join(dir, "lobby", "batch.json"), `{"customer": "Harbour Museum", "process": "resin"}`)
	put(t, filepath.Join(dir, "loose.stl"), "not in a sub-folder")
	soon(t, func() bool { return len(batches()) == 1 })
	batch := batches()[0]
	assert.Equal(t, "lobby", batch.Name)
	assert.Equal(t, "Harbour Museum", batch.Customer)
	assert.Equal(t, "resin", batch.Process)
	parts, err := b.Store.Parts(t.Context(), batch.ID)
	require.NoError(t, err)
	require.Len(t, parts, 2)
	assert.Equal(t, "bell.stl", parts[0].Name)
	soon(t, func() bool { _, err := os.Stat(filepath.Join(dir, "taken", "1-lobby", "bell.stl")); return err == nil })
	assert.FileExists(t, filepath.Join(dir, "loose.stl"))

	put(t, filepath.Join(dir, "lobby", "again.stl"), "bytes") // the same name once more
	soon(t, func() bool { return len(batches()) == 2 })
}

// TestHalfWrittenFoldersWait keeps writing for longer than the quiet time: the
// batch is taken once, whole.
func TestHalfWrittenFoldersWait(t *testing.T) {
	dir, batches, b := watch(t)
	for i := range 8 {
		put(t, filepath.Join(dir, "slow", string(rune('a'+i))+".stl"), "bytes")
		time.Sleep(quiet / 3)
		assert.Empty(t, batches())
	}
	soon(t, func() bool { return len(batches()) == 1 })
	parts, err := b.Store.Parts(t.Context(), batches()[0].ID)
	require.NoError(t, err)
	assert.Len(t, parts, 8)
}

func TestRefusedFoldersSayWhy(t *testing.T) {
	dir, batches, _ := watch(t)
	put(t, filepath.Join(dir, "odd", "bell.stl"), "bytes")
	put(t, filepath.Join(dir, "odd", "batch.json"), `{"process": "clay"}`)
	why := filepath.Join(dir, "refused", "odd", "refused.txt")
	soon(t, func() bool { _, err := os.Stat(why); return err == nil })
	text, err := os.ReadFile(why)
	require.NoError(t, err)
	assert.Contains(t, string(text), `no process is called "clay"`)
	assert.Empty(t, batches())
	assert.FileExists(t, filepath.Join(dir, "refused", "odd", "bell.stl"))
}
