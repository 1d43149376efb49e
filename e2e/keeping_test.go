package e2e

import (
	"bytes"
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
	"veneer/bureau"
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

// acknowledged is what the service said it has.
type acknowledged struct {
	sync.Mutex
	batches []int64
	keys    map[int64]string // under which batches were sent
	notes   map[int64]int    // of each part
	units   map[int64]string // that were answered
	signed  map[int64]string // how far sign-offs are
	pieces  map[string]int64 // how far uploads are, by their names
	ids     map[string]string
}

func (a *acknowledged) keep(do func()) {
	a.Lock()
	defer a.Unlock()
	do()
}

// deliver sends batches of three small blocks, now and then with a part of which the unit
// is in doubt, until it cannot.
func (a *acknowledged) deliver(ctx context.Context, t *testing.T, c *client.Client, round int) {
	for i := 0; ctx.Err() == nil; i++ {
		key := fmt.Sprintf("%d-%d", round, i)
		paths := planks(t, 1000*round+3*i, 3)
		if i%3 == 0 {
			paths[2] = demoFile(t, "hour-hand.stl")
		}
		b, err := c.Submit(ctx, client.Submission{Customer: "Harbour Museum", Process: "resin", Paths: paths, Key: key})
		if err != nil {
			return // it was killed
		}
		a.keep(func() { a.batches, a.keys[b.ID] = append(a.batches, b.ID), key })
		time.Sleep(150 * time.Millisecond)
	}
}

// decide writes notes, answers questions, proposes and approves, until it cannot.
func (a *acknowledged) decide(ctx context.Context, c *client.Client) {
	for turn := 0; ctx.Err() == nil; turn++ {
		id := int64(0)
		a.keep(func() {
			if len(a.batches) > 0 {
				id = a.batches[turn%len(a.batches)]
			}
		})
		if id == 0 {
			time.Sleep(20 * time.Millisecond)
			continue
		}
		all, err := c.Batch(ctx, id)
		if err != nil {
			return
		}
		for _, p := range all.Parts {
			if p.State != record.PartDone {
				continue
			}
			if c.AddNote(ctx, p.ID, "seen") == nil {
				a.keep(func() { a.notes[p.ID]++ })
			}
			switch {
			case p.Verdict == "hold":
				if c.SetUnit(ctx, p.ID, "in", false) == nil {
					a.keep(func() { a.units[p.ID] = "in" })
				}
			case p.Signed == "":
				if c.Propose(ctx, p.ID) == nil {
					a.keep(func() { a.signed[p.ID] = "proposed" })
				}
			case p.Signed == "proposed":
				if c.Decide(ctx, p.ID, true, "") == nil {
					a.keep(func() { a.signed[p.ID] = "approved" })
				}
			}
			break
		}
		time.Sleep(20 * time.Millisecond)
	}
}

// The uploads that come in pieces, and how large those are.
const (
	heavyName  = "heavy-plank-%d.stl"
	heavyBytes = 2_000_000
	pieceBytes = 100_000
)

// heavy is a text STL of so many bytes, for it ends in a long remark.
func heavy(n int) []byte {
	text := append(plank(n), "solid after\nendsolid "...)
	return append(text, bytes.Repeat([]byte{'x'}, heavyBytes-len(text))...)
}

// upload sends a file in small pieces, going on with what a round before began, until it
// cannot.
func (a *acknowledged) upload(ctx context.Context, c *client.Client, round int) {
	for i := 0; ctx.Err() == nil; i++ {
		n := round/3*100 + i // a file takes a few rounds
		name := fmt.Sprintf(heavyName, n)
		var up bureau.Upload
		a.keep(func() { up.ID, up.Offset = a.ids[name], a.pieces[name] })
		if up.ID == "" {
			if err := c.BeginUpload(ctx, name, heavyBytes, &up); err != nil {
				return
			}
			a.keep(func() { a.ids[name] = up.ID })
		} else if c.UploadAt(ctx, up.ID, &up) != nil {
			return
		}
		for content := heavy(n); up.Offset < heavyBytes; time.Sleep(10 * time.Millisecond) {
			if c.AddPiece(ctx, &up, content[up.Offset:min(up.Offset+pieceBytes, heavyBytes)]) != nil {
				return
			}
			a.keep(func() { a.pieces[name] = up.Offset })
		}
	}
}

// TestNothingAcknowledgedIsLost kills the service at random moments while batches,
// pieces of files, answers, notes and sign-offs come in, and starts it again: what was
// acknowledged is there. VENEER_KILLS says how often.
func TestNothingAcknowledgedIsLost(t *testing.T) {
	rounds := 4
	if n, err := strconv.Atoi(os.Getenv("VENEER_KILLS")); err == nil {
		rounds = n
	}
	data := t.TempDir()
	s := start(t, data)
	random := rand.New(rand.NewPCG(5, 17))
	a := &acknowledged{keys: map[int64]string{}, notes: map[int64]int{}, units: map[int64]string{}, signed: map[int64]string{}, pieces: map[string]int64{}, ids: map[string]string{}}
	for round := range rounds {
		c := s.client(t)
		ctx, stop := context.WithCancel(t.Context())
		var work sync.WaitGroup
		work.Go(func() { a.deliver(ctx, t, c, round) })
		work.Go(func() { a.decide(ctx, c) })
		work.Go(func() { a.upload(ctx, c, round) })
		time.Sleep(time.Duration(100+random.IntN(1400)) * time.Millisecond)
		s.kill()
		stop()
		work.Wait()
		s = start(t, data)
	}
	c := s.client(t)
	require.NotEmpty(t, a.batches)
	for _, id := range a.batches {
		all, err := c.Batch(t.Context(), id)
		require.NoError(t, err)
		assert.Len(t, all.Parts, 3)
	}
	for part, n := range a.notes {
		h, err := c.History(t.Context(), part)
		require.NoError(t, err)
		assert.GreaterOrEqual(t, len(h.Notes), n)
	}
	for part, unit := range a.units {
		p, err := c.Part(t.Context(), part)
		require.NoError(t, err)
		assert.Equal(t, unit, p.Part.UnitSet)
	}
	for part, state := range a.signed {
		p, err := c.Part(t.Context(), part)
		require.NoError(t, err)
		assert.True(t, p.Part.Signed == state || p.Part.Signed == "approved", "%s, not %q", state, p.Part.Signed)
	}
	whole := 0
	for name, id := range a.ids {
		var up bureau.Upload
		require.NoError(t, c.UploadAt(t.Context(), id, &up))
		assert.GreaterOrEqual(t, up.Offset, a.pieces[name])
		var n int
		_, err := fmt.Sscanf(name, heavyName, &n)
		require.NoError(t, err)
		content := heavy(n)
		if up.Offset < heavyBytes {
			require.NoError(t, c.AddPiece(t.Context(), &up, content[up.Offset:]))
		}
		asked := client.Submission{Customer: "Harbour Museum", Process: "resin", Uploads: []string{id}, Key: id}
		b, err := c.Submit(t.Context(), asked)
		require.NoError(t, err)
		again, err := c.Submit(t.Context(), asked) // its upload is gone by now
		require.NoError(t, err)
		assert.Equal(t, b.ID, again.ID)
		all, err := c.Batch(t.Context(), b.ID)
		require.NoError(t, err)
		var got bytes.Buffer
		require.NoError(t, c.Fetch(t.Context(), all.Parts[0].ID, 0, "file", &got))
		assert.True(t, bytes.Equal(content, got.Bytes()), "%s is not what was sent", name)
		whole++
	}
	last := a.batches[len(a.batches)-1] // sent once more under its key, as if the answer was lost
	b, err := c.Submit(t.Context(), client.Submission{Customer: "Harbour Museum", Process: "resin", Paths: planks(t, 1, 3), Key: a.keys[last]})
	require.NoError(t, err)
	assert.Equal(t, last, b.ID)
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
	t.Logf("%d rounds, %d batches, %d parts with notes, %d units, %d sign-offs, %d uploads", rounds, len(a.batches), len(a.notes), len(a.units), len(a.signed), whole)
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
