package workbench_test

import (
	"context"
	"fmt"
	"io"
	"log/slog"
	"os"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"veneer/bureau"
	"veneer/bureau/record"
	"veneer/bureau/store/storetest"
	"veneer/bureau/vault"
	"veneer/bureau/workbench"
	"veneer/core/format/file"
	"veneer/demo"
)

// The test binary is its own child: with VENEER_TASK it does a task and ends.
func TestMain(m *testing.M) {
	switch {
	case os.Getenv("VENEER_TASK") == "":
		storetest.Main(m)
	case len(os.Args) > 1 && os.Args[1] == "hang":
		time.Sleep(time.Hour)
	case len(os.Args) > 1 && os.Args[1] == "die":
		fmt.Fprintln(os.Stderr, "fatal error: the keel broke")
		os.Exit(2)
	default:
		if err := workbench.RunTask(context.Background(), os.Stdin, os.Stdout); err != nil {
			fmt.Fprintln(os.Stderr, err)
			os.Exit(1)
		}
	}
}

type bench struct {
	*workbench.Workbench
	bureau *bureau.Bureau
}

func open(t *testing.T) *bench {
	v, err := vault.Open(t.TempDir())
	require.NoError(t, err)
	s := storetest.Open(t)
	self, err := os.Executable()
	require.NoError(t, err)
	return &bench{&workbench.Workbench{Store: s, Vault: v, Name: "test", Workers: 2, Child: []string{self}, Scratch: t.TempDir(),
		Limits: file.DefaultLimits(), Memory: 2 << 30, Time: time.Minute, Lease: 5 * time.Second, Log: slog.New(slog.NewTextHandler(io.Discard, nil))},
		&bureau.Bureau{Store: s, Vault: v, Limits: file.DefaultLimits(), Parts: 100}}
}

func (b *bench) submit(t *testing.T, names ...string) int64 {
	t.Helper()
	in := b.bureau.Receive("ada")
	require.NoError(t, in.Set(t.Context(), "customer", "Harbour Museum"))
	for _, batch := range demo.Batches() {
		for _, f := range batch.Files {
			for _, n := range names {
				if f.Name == n {
					require.NoError(t, in.Set(t.Context(), "process", batch.Process))
					require.NoError(t, in.Add(f.Name, strings.NewReader(string(f.Bytes()))))
				}
			}
		}
	}
	batch, err := in.Close(t.Context())
	require.NoError(t, err)
	return batch.ID
}

// finish runs the workbench until the batch is done.
func (b *bench) finish(t *testing.T, id int64) record.Counts {
	t.Helper()
	ctx, stop := context.WithCancel(t.Context())
	done := make(chan struct{})
	go func() {
		defer close(done)
		b.Run(ctx)
	}()
	defer func() { stop(); <-done }()
	for range 600 {
		batch, err := b.Store.Batch(t.Context(), id)
		require.NoError(t, err)
		if batch.Counts.Done() {
			return batch.Counts
		}
		time.Sleep(100 * time.Millisecond)
	}
	require.Fail(t, "the batch is not done")
	return record.Counts{}
}

func (b *bench) only(t *testing.T, id int64) record.Part {
	parts, err := b.Store.Parts(t.Context(), id)
	require.NoError(t, err)
	require.NotEmpty(t, parts)
	return parts[0]
}

func TestJobsAreDone(t *testing.T) {
	b := open(t)
	id := b.submit(t, "fog-bell.stl", "bollard.stl", "torn-off.stl")
	counts := b.finish(t, id)
	assert.Equal(t, record.Counts{Parts: 3, Pass: 1, Repaired: 1, Reject: 1, Progress: 1}, counts)
	parts, err := b.Store.Parts(t.Context(), id)
	require.NoError(t, err)
	for _, p := range parts {
		revisions, err := b.Store.Revisions(t.Context(), p.ID)
		require.NoError(t, err)
		for _, r := range revisions {
			if p.Verdict == "reject" {
				assert.Contains(t, p.Problem, "cut short")
				continue
			}
			for _, sum := range []string{r.FileSHA256, r.PictureSHA, r.ViewSHA} {
				f, err := b.Vault.Open(sum)
				require.NoError(t, err)
				f.Close()
			}
		}
		if p.Name == "fog-bell.stl" {
			require.Len(t, revisions, 2)
			assert.Equal(t, "touch-up, 3 holes filled with 90 triangles", revisions[1].Title)
			assert.Equal(t, "fog-bell-touch-up.stl", revisions[1].FileName)
		}
	}
	left, err := os.ReadDir(b.Scratch)
	require.NoError(t, err)
	assert.Empty(t, left, "no scratch is left behind")
}

// TestSistersSettleADoubtfulUnit sends a part whose unit is unclear alone,
// among others that are plainly in inches: once all are known it is looked at
// again, and is no longer in doubt.
func TestSistersSettleADoubtfulUnit(t *testing.T) {
	b := open(t)
	in := b.bureau.Receive("ada")
	require.NoError(t, in.Set(t.Context(), "customer", "Harbour Museum"))
	cuboid := func(x, y, z float64) string {
		var s strings.Builder
		for i := range 8 {
			fmt.Fprintf(&s, "v %g %g %g\n", x*float64(i&1), y*float64(i>>1&1), z*float64(i>>2))
		}
		return s.String() + "f 1 3 4 2\nf 5 6 8 7\nf 1 2 6 5\nf 3 7 8 4\nf 1 5 7 3\nf 2 4 8 6\n"
	}
	require.NoError(t, in.Add("unclear.obj", strings.NewReader(cuboid(9.03, 7.717, 5.1131))))
	for i := range 3 {
		require.NoError(t, in.Add(fmt.Sprintf("clear-%d.obj", i), strings.NewReader(cuboid(150/25.4, 90/25.4, (20.5+float64(i))/25.4))))
	}
	batch, err := in.Close(t.Context())
	require.NoError(t, err)
	counts := b.finish(t, batch.ID)
	assert.Equal(t, 4, counts.Pass, "%+v", counts)
	assert.InDelta(t, 9.03*25.4, b.only(t, batch.ID).SizeMM[0], 1e-6)
}

func TestMemoryLimitEndsTheChildOnly(t *testing.T) {
	b := open(t)
	b.Memory = 40 << 20 // far too little for the dial
	id := b.submit(t, "tide-dial.3mf")
	assert.Equal(t, 1, b.finish(t, id).Failed)
	assert.Contains(t, b.only(t, id).Problem, "more than the 0.0 GiB a job may use")
}

func TestTimeLimit(t *testing.T) {
	b := open(t)
	b.Child = append(b.Child, "hang")
	b.Time = 300 * time.Millisecond
	id := b.submit(t, "bollard.stl")
	assert.Equal(t, 1, b.finish(t, id).Failed)
	assert.Contains(t, b.only(t, id).Problem, "it took longer than a job may")
}

func TestDeadChildrenAreTriedTwice(t *testing.T) {
	b := open(t)
	b.Child = append(b.Child, "die")
	id := b.submit(t, "bollard.stl")
	assert.Equal(t, 1, b.finish(t, id).Failed)
	assert.Equal(t, "the work on it broke off: fatal error: the keel broke", b.only(t, id).Problem)
	events, err := b.Store.Audit(t.Context(), id)
	require.NoError(t, err)
	assert.Len(t, events, 3, "received, failed, failed")
}

// TestStoppingGivesJobsBack stops the workbench while a child hangs: the job
// is queued again and not counted as tried.
func TestStoppingGivesJobsBack(t *testing.T) {
	b := open(t)
	child := b.Child
	b.Child = append(child[:1:1], "hang")
	id := b.submit(t, "bollard.stl")
	ctx, stop := context.WithCancel(t.Context())
	done := make(chan struct{})
	go func() {
		defer close(done)
		b.Run(ctx)
	}()
	require.Eventually(t, func() bool { return b.only(t, id).State == record.PartWorking }, 10*time.Second, 20*time.Millisecond)
	stop()
	<-done
	assert.Equal(t, record.PartWaiting, b.only(t, id).State)
	b.Child = child
	assert.Equal(t, 1, b.finish(t, id).Pass)
}
