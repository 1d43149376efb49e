package e2e

import (
	"context"
	"fmt"
	"io"
	"math/rand/v2"
	"net/http"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/sync/errgroup"

	"veneer/api"
	"veneer/bureau/record"
	"veneer/client"
)

// plank is a small block as a text STL; each number makes another one.
func plank(n int) []byte {
	a, b, c := 20+float64(n%50), 10+float64(n%7), 5+float64(n)/1000
	var s strings.Builder
	s.WriteString("solid plank\n")
	corner := func(i int) string {
		return fmt.Sprintf("vertex %g %g %g\n", a*float64(i&1), b*float64(i>>1&1), c*float64(i>>2&1))
	}
	for _, t := range [][3]int{{0, 2, 3}, {0, 3, 1}, {4, 5, 7}, {4, 7, 6}, {0, 1, 5}, {0, 5, 4}, {2, 6, 7}, {2, 7, 3}, {0, 4, 6}, {0, 6, 2}, {1, 3, 7}, {1, 7, 5}} {
		fmt.Fprintf(&s, "facet normal 0 0 0\nouter loop\n%s%s%sendloop\nendfacet\n", corner(t[0]), corner(t[1]), corner(t[2]))
	}
	s.WriteString("endsolid plank\n")
	return []byte(s.String())
}

func planks(t *testing.T, from, n int) (paths []string) {
	t.Helper()
	dir := t.TempDir()
	for i := range n {
		path := filepath.Join(dir, fmt.Sprintf("plank-%05d.stl", from+i))
		require.NoError(t, os.WriteFile(path, plank(from+i), 0o600))
		paths = append(paths, path)
	}
	return paths
}

// TestBackupUnderLoad takes a backup while batches come in, and restores it on an empty
// folder: what was acknowledged before is there, each record with its files, and the
// audit trail holds; the work that was left goes on.
func TestBackupUnderLoad(t *testing.T) {
	data := t.TempDir()
	s := start(t, data)
	c := s.client(t)
	first, err := c.Submit(t.Context(), client.Submission{Customer: "Harbour Museum", Process: "resin", Paths: append(planks(t, 0, 5), demoFile(t, "fog-bell.stl"))})
	require.NoError(t, err)
	require.NoError(t, c.WatchUntilDone(t.Context(), first.ID, nil))
	ctx, stop := context.WithCancel(t.Context())
	var load errgroup.Group
	load.Go(func() error {
		for i := 0; ctx.Err() == nil; i++ {
			if _, err := c.Submit(ctx, client.Submission{Customer: "Harbour Museum", Process: "resin", Paths: planks(t, 100+4*i, 4)}); err != nil && ctx.Err() == nil {
				return err
			}
		}
		return nil
	})
	time.Sleep(400 * time.Millisecond)
	kept := filepath.Join(t.TempDir(), "kept.tar")
	env := []string{"VENEER_SERVER=" + s.address, "VENEER_TOKEN=" + c.Token}
	out, errs, code := run(t, env, "backup", "-o", kept)
	require.Zero(t, code, out+errs)
	stop()
	require.NoError(t, load.Wait())
	s.stop(t)

	fresh := t.TempDir()
	out, errs, code = run(t, nil, "restore", kept, "--data", fresh)
	require.Zero(t, code, out+errs)
	assert.Contains(t, out, "restored, with")
	_, errs, code = run(t, nil, "restore", kept, "--data", fresh)
	assert.NotZero(t, code, "it is not empty any more")
	assert.Contains(t, errs, "restore into an empty folder")
	s = start(t, fresh)
	c = s.client(t)
	env = []string{"VENEER_SERVER=" + s.address, "VENEER_TOKEN=" + c.Token}
	batches, err := c.Batches(t.Context())
	require.NoError(t, err)
	require.NotEmpty(t, batches)
	for _, b := range batches {
		require.NoError(t, c.WatchUntilDone(t.Context(), b.ID, nil))
		all, err := c.Batch(t.Context(), b.ID)
		require.NoError(t, err)
		assert.Contains(t, []int{6, 4}, len(all.Parts), "a batch is there as a whole")
		for _, p := range all.Parts {
			assert.Equal(t, "pass", p.Verdict, p.Name)
			require.NoError(t, c.Fetch(t.Context(), p.ID, p.Current, "file", io.Discard))
		}
	}
	out, _, code = run(t, env, "audit", "verify")
	assert.Zero(t, code, out)
	out, _, code = run(t, env, "vault", "verify")
	assert.Zero(t, code, out)

	part, err := c.Part(t.Context(), 6) // one bit of the bell turns
	require.NoError(t, err)
	sum := part.Revisions[0].FileSHA256
	path := filepath.Join(fresh, "vault", sum[:2], sum[2:4], sum)
	content, err := os.ReadFile(path)
	require.NoError(t, err)
	content[1000] ^= 1
	require.NoError(t, os.Chmod(path, 0o600))
	require.NoError(t, os.WriteFile(path, content, 0o600))
	out, _, code = run(t, env, "vault", "verify")
	assert.Equal(t, 1, code)
	assert.Equal(t, sum+": its bytes changed\n", out)
}

// TestNothingAcknowledgedIsLost kills the service at random moments while batches,
// answers, notes and sign-offs come in, and starts it again: what was acknowledged is
// there. VENEER_KILLS says how often.
func TestNothingAcknowledgedIsLost(t *testing.T) {
	rounds := 4
	if n, err := strconv.Atoi(os.Getenv("VENEER_KILLS")); err == nil {
		rounds = n
	}
	data := t.TempDir()
	s := start(t, data)
	random := rand.New(rand.NewPCG(5, 17))
	type batch struct {
		id    int64
		key   string
		parts int
	}
	var (
		lock    sync.Mutex
		batches []batch
		notes   = map[int64]int{} // of each part
		signed  = map[int64]bool{}
	)
	for round := range rounds {
		c := s.client(t)
		ctx, stop := context.WithCancel(t.Context())
		var work errgroup.Group
		work.Go(func() error {
			for i := 0; ctx.Err() == nil; i++ {
				key := fmt.Sprintf("%d-%d", round, i)
				b, err := c.Submit(ctx, client.Submission{Customer: "Harbour Museum", Process: "resin", Paths: planks(t, 1000*round+3*i, 3), Key: key})
				if err != nil {
					return nil // it was killed
				}
				lock.Lock()
				batches = append(batches, batch{b.ID, key, 3})
				lock.Unlock()
				time.Sleep(150 * time.Millisecond)
			}
			return nil
		})
		work.Go(func() error {
			for turn := 0; ctx.Err() == nil; turn++ {
				lock.Lock()
				id := int64(0)
				if len(batches) > 0 {
					id = batches[turn%len(batches)].id
				}
				lock.Unlock()
				if id == 0 {
					time.Sleep(20 * time.Millisecond)
					continue
				}
				all, err := c.Batch(ctx, id)
				if err != nil {
					return nil
				}
				part := all.Parts[0]
				for _, p := range all.Parts {
					if p.State == record.PartDone && p.Signed == "" {
						part = p
					}
				}
				if c.AddNote(ctx, part.ID, "seen") == nil {
					lock.Lock()
					notes[part.ID]++
					lock.Unlock()
				}
				time.Sleep(20 * time.Millisecond)
				if part.State == record.PartDone && part.Signed == "" && c.Propose(ctx, part.ID) == nil {
					lock.Lock()
					signed[part.ID] = true
					lock.Unlock()
				}
			}
			return nil
		})
		time.Sleep(time.Duration(100+random.IntN(1400)) * time.Millisecond)
		s.kill()
		stop()
		require.NoError(t, work.Wait())
		s = start(t, data)
	}
	c := s.client(t)
	require.NotEmpty(t, batches)
	for _, b := range batches {
		all, err := c.Batch(t.Context(), b.id)
		require.NoError(t, err)
		assert.Len(t, all.Parts, b.parts)
	}
	for part, n := range notes {
		h, err := c.History(t.Context(), part)
		require.NoError(t, err)
		assert.GreaterOrEqual(t, len(h.Notes), n)
		assert.True(t, !signed[part] || len(h.Signoffs) > 0)
	}
	again := batches[len(batches)-1] // sent once more under its key, for the answer was lost
	b, err := c.Submit(t.Context(), client.Submission{Customer: "Harbour Museum", Process: "resin", Paths: planks(t, 1, 3), Key: again.key})
	require.NoError(t, err)
	assert.Equal(t, again.id, b.ID)
	list, err := c.Batches(t.Context())
	require.NoError(t, err)
	for _, b := range list {
		require.NoError(t, c.WatchUntilDone(t.Context(), b.ID, nil))
	}
	env := []string{"VENEER_SERVER=" + s.address, "VENEER_TOKEN=" + c.Token}
	out, _, code := run(t, env, "audit", "verify")
	assert.Zero(t, code, out)
	out, _, code = run(t, env, "vault", "verify")
	assert.Zero(t, code, out)
	t.Logf("%d rounds, %d batches, %d parts with notes, %d proposed", rounds, len(batches), len(notes), len(signed))
}

// TestManyClientsAtOnce submits a hundred parts by eight clients while four watch all of
// it: no call fails, and every part is done.
func TestManyClientsAtOnce(t *testing.T) {
	s := start(t, t.TempDir())
	c := s.client(t)
	ctx, stop := context.WithCancel(t.Context())
	var watching, sending errgroup.Group
	var slowest time.Duration
	var lock sync.Mutex
	for range 4 {
		watching.Go(func() error {
			for ctx.Err() == nil {
				began := time.Now()
				if _, err := c.Batches(ctx); err != nil && ctx.Err() == nil {
					return err
				}
				lock.Lock()
				slowest = max(slowest, time.Since(began))
				lock.Unlock()
				time.Sleep(50 * time.Millisecond)
			}
			return nil
		})
	}
	var ids [8]int64
	for i := range ids {
		paths := planks(t, 2000+13*i, 13)
		sending.Go(func() error {
			b, err := c.Submit(ctx, client.Submission{Customer: fmt.Sprintf("customer %d", i), Process: "resin", Paths: paths})
			if err == nil {
				ids[i] = b.ID
				err = c.WatchUntilDone(ctx, b.ID, func(api.BatchWithParts) {})
			}
			return err
		})
	}
	require.NoError(t, sending.Wait())
	stop()
	require.NoError(t, watching.Wait())
	for _, id := range ids {
		b, err := c.Batch(t.Context(), id)
		require.NoError(t, err)
		assert.Equal(t, 13, b.Batch.Counts.Pass)
	}
	t.Logf("the slowest list took %s", slowest)
	req, err := http.NewRequest(http.MethodGet, s.address+"/api/v1/metrics", nil)
	require.NoError(t, err)
	req.Header.Set("Authorization", "Bearer "+c.Token)
	res, err := http.DefaultClient.Do(req)
	require.NoError(t, err)
	text, err := io.ReadAll(res.Body)
	res.Body.Close()
	require.NoError(t, err)
	assert.Contains(t, string(text), `veneer_parts{verdict="pass"} 104`)
	assert.Contains(t, string(text), `veneer_requests_total{method="POST",route="/api/v1/batches",status="201"} 8`)
}
