package store_test

import (
	"bytes"
	"context"
	"fmt"
	"strconv"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/jmoiron/sqlx"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"veneer/bureau/record"
	"veneer/bureau/store"
	"veneer/bureau/store/storetest"
	"veneer/core/check"
	"veneer/core/repair"
)

func TestMain(m *testing.M) { storetest.Main(m) }

func addBatch(t *testing.T, s *store.Store, auto bool, names ...string) int64 {
	t.Helper()
	var files []store.NewFile
	for _, n := range names {
		files = append(files, store.NewFile{Name: n, SHA256: strings.Repeat("ab", 32), Bytes: 100})
	}
	id, err := s.AddBatch(t.Context(), record.Batch{Name: "Tide gallery", Customer: "Harbour Museum", Process: "resin", AutoRepair: auto, CreatedBy: "ada"}, files, nil)
	require.NoError(t, err)
	return id
}

func report(v check.Verdict) *check.Report {
	r := &check.Report{Schema: check.Schema, File: check.File{Format: "stl-binary"}, Verdict: v, Findings: []check.Finding{}}
	r.Geometry.Triangles, r.Geometry.SizeMM = 12, [3]float64{1, 2, 3}
	if v == check.Repair {
		r.Findings = append(r.Findings, check.Finding{Kind: "open-boundary", Severity: check.Error, Count: 3, Summary: "3 open loops"})
	}
	return r
}

// openBoth opens the records, and the database below them.
func openBoth(t *testing.T) (*store.Store, *sqlx.DB) {
	t.Helper()
	dsn := storetest.DSN(t)
	s, err := store.Open(t.Context(), dsn)
	require.NoError(t, err)
	db, err := sqlx.Open("mysql", dsn)
	require.NoError(t, err)
	t.Cleanup(func() {
		db.Close()
		s.Close()
	})
	return s, db
}

const lease = time.Minute

func take(t *testing.T, s *store.Store, worker string) *record.Job {
	t.Helper()
	job, err := s.Take(t.Context(), worker, lease)
	require.NoError(t, err)
	return job
}

func TestMigrationsRunTwice(t *testing.T) {
	dsn := storetest.DSN(t)
	for range 2 {
		s, err := store.Open(t.Context(), dsn)
		require.NoError(t, err)
		require.NoError(t, s.Ready(t.Context()))
		require.NoError(t, s.Close())
	}
}

// TestAPartsWay follows a part from intake over check and repair to its record.
func TestAPartsWay(t *testing.T) {
	s, ctx := storetest.Open(t), t.Context()
	id := addBatch(t, s, true, "bell.stl", "höhe-⚓.obj")
	b, err := s.Batch(ctx, id)
	require.NoError(t, err)
	assert.Equal(t, 2, b.Counts.Waiting)
	assert.False(t, b.Counts.Done())

	job := take(t, s, "w1")
	require.NotNil(t, job)
	require.NoError(t, s.Renew(ctx, job, "w1", lease, "topology", 0.5))
	p, err := s.Part(ctx, job.PartID)
	require.NoError(t, err)
	assert.Equal(t, record.PartWorking, p.State)
	assert.Equal(t, "topology", p.Stage)
	assert.Equal(t, 0.25, p.Progress)
	require.NoError(t, s.Finish(ctx, job, "w1", store.Outcome{Report: report(check.Repair), Picture: "p0"}))

	other := take(t, s, "w1") // the other part comes before the repair that followed
	assert.Equal(t, record.Inspect, other.Kind)
	require.NoError(t, s.Finish(ctx, other, "w1", store.Outcome{Report: report(check.Pass)}))
	mend := take(t, s, "w2")
	require.NotNil(t, mend)
	assert.Equal(t, record.Mend, mend.Kind)
	assert.Equal(t, job.PartID, mend.PartID)
	result := &repair.Result{Schema: repair.Schema, Method: repair.TouchUp, Repaired: true, Before: report(check.Repair), After: report(check.Pass),
		Steps: []repair.Step{{Step: "fill", Changed: 3}}}
	require.NoError(t, s.Finish(ctx, mend, "w2", store.Outcome{Report: report(check.Pass), Repair: result, Title: "touch-up, 3 holes filled",
		File: store.NewFile{Name: "bell-touch-up.stl", SHA256: strings.Repeat("cd", 32), Bytes: 684}}))
	assert.Nil(t, take(t, s, "w1"), "nothing is left to do")

	p, err = s.Part(ctx, job.PartID)
	require.NoError(t, err)
	assert.Equal(t, record.PartDone, p.State)
	assert.Equal(t, 1, p.Current)
	assert.Equal(t, "pass", p.Verdict)
	assert.Equal(t, [3]float64{1, 2, 3}, p.SizeMM)
	require.Len(t, p.Findings, 1, "what was found in the file as received")
	assert.Equal(t, record.Finding{Kind: "open-boundary", Severity: check.Error, Count: 3, Summary: "3 open loops"}, p.Findings[0])
	b, err = s.Batch(ctx, id)
	require.NoError(t, err)
	assert.Equal(t, record.Counts{Parts: 2, Pass: 1, Repaired: 1, Progress: 1}, b.Counts)

	revisions, err := s.Revisions(ctx, job.PartID)
	require.NoError(t, err)
	require.Len(t, revisions, 2)
	assert.Nil(t, revisions[0].Parent)
	assert.Equal(t, 0, *revisions[1].Parent)
	assert.Nil(t, revisions[1].Report, "a list does not carry reports")
	assert.Contains(t, string(revisions[1].Repair), `"fill"`)
	assert.NotContains(t, string(revisions[1].Repair), `"before"`)
	r1, err := s.Revision(ctx, job.PartID, 1)
	require.NoError(t, err)
	assert.Contains(t, string(r1.Report), `"verdict":"pass"`)

	events, err := s.Audit(ctx, id)
	require.NoError(t, err)
	var actions []string
	for _, e := range events {
		actions = append(actions, e.Person+": "+e.Action)
	}
	assert.Equal(t, []string{"ada: batch received", "veneer: checked", "veneer: checked", "veneer: repaired"}, actions)
	parts, err := s.Parts(ctx, id)
	require.NoError(t, err)
	assert.Equal(t, "höhe-⚓.obj", parts[1].Name)
}

func TestBatchesThatDoNotRepairByThemselves(t *testing.T) {
	s := storetest.Open(t)
	addBatch(t, s, false, "bell.stl")
	job := take(t, s, "w")
	require.NoError(t, s.Finish(t.Context(), job, "w", store.Outcome{Report: report(check.Repair)}))
	assert.Nil(t, take(t, s, "w"))
	require.NoError(t, s.AskRepair(t.Context(), "ada", job.PartID, 0, nil))
	assert.ErrorIs(t, s.AskRepair(t.Context(), "ada", job.PartID, 0, nil), store.ErrBusy)
	assert.Equal(t, record.Mend, take(t, s, "w").Kind)
}

// TestEveryJobOnce lets many workers take many jobs at once.
func TestEveryJobOnce(t *testing.T) {
	s := storetest.Open(t)
	var names []string
	for i := range 120 {
		names = append(names, fmt.Sprint(i))
	}
	addBatch(t, s, true, names...)
	var lock sync.Mutex
	taken := map[int64]int{}
	var all sync.WaitGroup
	for w := range 8 {
		all.Go(func() {
			for {
				job, err := s.Take(context.Background(), fmt.Sprint("w", w), lease)
				if !assert.NoError(t, err) || job == nil {
					return
				}
				lock.Lock()
				taken[job.ID]++
				lock.Unlock()
			}
		})
	}
	all.Wait()
	assert.Len(t, taken, 120)
	for id, n := range taken {
		assert.Equal(t, 1, n, "job %d", id)
	}
}

// TestLostLease takes a job from a worker that went silent; what that worker
// hands in later is refused and changes nothing.
func TestLostLease(t *testing.T) {
	s, ctx := storetest.Open(t), t.Context()
	addBatch(t, s, true, "bell.stl")
	silent, err := s.Take(ctx, "silent", -time.Second)
	require.NoError(t, err)
	second := take(t, s, "second")
	require.NotNil(t, second)
	assert.Equal(t, silent.ID, second.ID)
	assert.Equal(t, 2, second.Attempts)
	for what, err := range map[string]error{
		"renew":   s.Renew(ctx, silent, "silent", lease, "x", 1),
		"finish":  s.Finish(ctx, silent, "silent", store.Outcome{Report: report(check.Reject)}),
		"fail":    s.Fail(ctx, silent, "silent", "no", false),
		"release": s.Release(ctx, silent, "silent"),
	} {
		assert.ErrorIs(t, err, store.ErrLeaseLost, what)
	}
	require.NoError(t, s.Finish(ctx, second, "second", store.Outcome{Report: report(check.Pass)}))
	assert.ErrorIs(t, s.Finish(ctx, second, "second", store.Outcome{Report: report(check.Pass)}), store.ErrLeaseLost, "once only")
	p, err := s.Part(ctx, second.PartID)
	require.NoError(t, err)
	assert.Equal(t, "pass", p.Verdict)
}

func TestFailedAndReleasedJobs(t *testing.T) {
	s, ctx := storetest.Open(t), t.Context()
	id := addBatch(t, s, true, "bell.stl")
	job := take(t, s, "w")
	require.NoError(t, s.Release(ctx, job, "w"))
	job = take(t, s, "w")
	require.NotNil(t, job)
	assert.Equal(t, 1, job.Attempts, "a job given back was not tried")
	require.NoError(t, s.Fail(ctx, job, "w", "it broke off", true))
	job = take(t, s, "w")
	require.NotNil(t, job)
	assert.Equal(t, 2, job.Attempts)
	require.NoError(t, s.Fail(ctx, job, "w", "it broke off again", false))
	assert.Nil(t, take(t, s, "w"))
	b, err := s.Batch(ctx, id)
	require.NoError(t, err)
	assert.Equal(t, 1, b.Counts.Failed)
	p, err := s.Part(ctx, job.PartID)
	require.NoError(t, err)
	assert.Equal(t, "it broke off again", p.Problem)
	require.NoError(t, s.SetUnit(ctx, "ada", job.PartID, "in"), "a person can have it tried again")
	p, err = s.Part(ctx, job.PartID)
	require.NoError(t, err)
	assert.Equal(t, "in", p.UnitSet)
}

func TestPeopleAndSessions(t *testing.T) {
	s, ctx := storetest.Open(t), t.Context()
	require.NoError(t, s.AddPerson(ctx, "veneer", record.Person{Name: "ada", Role: record.Operator, PasswordHash: "x"}))
	assert.Error(t, s.AddPerson(ctx, "veneer", record.Person{Name: "ada", Role: record.Viewer, PasswordHash: "y"}), "names are unique")
	n, err := s.People(ctx)
	require.NoError(t, err)
	assert.Equal(t, 1, n)
	ada, err := s.PersonNamed(ctx, "ada")
	require.NoError(t, err)
	require.NoError(t, s.AddSession(ctx, strings.Repeat("1", 64), ada.ID, time.Now().Add(time.Hour)))
	require.NoError(t, s.AddSession(ctx, strings.Repeat("2", 64), ada.ID, time.Now().Add(-time.Hour)))
	p, _, err := s.SessionPerson(ctx, strings.Repeat("1", 64))
	require.NoError(t, err)
	assert.Equal(t, "ada", p.Name)
	_, _, err = s.SessionPerson(ctx, strings.Repeat("2", 64))
	assert.ErrorIs(t, err, store.ErrNotFound, "run out")
	require.NoError(t, s.EndSession(ctx, strings.Repeat("1", 64)))
	_, _, err = s.SessionPerson(ctx, strings.Repeat("1", 64))
	assert.ErrorIs(t, err, store.ErrNotFound)
}

func TestMissingRecords(t *testing.T) {
	s, ctx := storetest.Open(t), t.Context()
	_, err := s.Batch(ctx, 7)
	assert.ErrorIs(t, err, store.ErrNotFound)
	_, err = s.Part(ctx, 7)
	assert.ErrorIs(t, err, store.ErrNotFound)
	_, err = s.Revision(ctx, 7, 0)
	assert.ErrorIs(t, err, store.ErrNotFound)
	assert.ErrorIs(t, s.AskRepair(ctx, "ada", 7, 0, nil), store.ErrNotFound)
	list, err := s.Batches(ctx, 0, 10)
	require.NoError(t, err)
	assert.Empty(t, list)
}

func TestBatchesAreListedInPages(t *testing.T) {
	s, ctx := storetest.Open(t), t.Context()
	for range 5 {
		addBatch(t, s, true, "a.stl")
	}
	first, err := s.Batches(ctx, 0, 3)
	require.NoError(t, err)
	rest, err := s.Batches(ctx, first[2].ID, 3)
	require.NoError(t, err)
	var ids []int64
	for _, b := range append(first, rest...) {
		ids = append(ids, b.ID)
	}
	assert.Equal(t, []int64{5, 4, 3, 2, 1}, ids)
}

// TestStoppedJobs takes a part off its worker: what was checked stays as it was, what
// never was has failed, and can be asked for again.
func TestStoppedJobs(t *testing.T) {
	s := storetest.Open(t)
	ctx := t.Context()
	addBatch(t, s, true, "a.stl")
	job := take(t, s, "one")
	require.NoError(t, s.Cancel(ctx, "ada", job.PartID))
	assert.ErrorIs(t, s.Renew(ctx, job, "one", lease, "check", 0.5), store.ErrLeaseLost)
	assert.ErrorIs(t, s.Finish(ctx, job, "one", store.Outcome{Report: report(check.Pass)}), store.ErrLeaseLost)
	p, err := s.Part(ctx, job.PartID)
	require.NoError(t, err)
	assert.Equal(t, record.PartFailed, p.State)
	assert.Equal(t, "ada stopped the check", p.Problem)
	require.NoError(t, s.Cancel(ctx, "ada", job.PartID), "there is nothing left to stop")

	require.NoError(t, s.Recheck(ctx, "ada", job.PartID))
	job = take(t, s, "one")
	require.NoError(t, s.Finish(ctx, job, "one", store.Outcome{Report: report(check.Repair)}))
	mend := take(t, s, "two")
	require.Equal(t, record.Mend, mend.Kind)
	require.NoError(t, s.Cancel(ctx, "ada", mend.PartID))
	p, err = s.Part(ctx, mend.PartID)
	require.NoError(t, err)
	assert.Equal(t, record.PartDone, p.State)
	assert.Equal(t, "repair", p.Verdict)
	assert.Empty(t, p.Problem)
	assert.ErrorIs(t, s.Cancel(ctx, "ada", 99), store.ErrNotFound)
	jobs, err := s.Jobs(ctx, 10)
	require.NoError(t, err)
	states := []string{}
	for _, j := range jobs {
		states = append(states, j.State)
	}
	assert.Equal(t, []string{"stopped", "done", "stopped"}, states)
}

// TestStudiesLeaveThePart alone: its state is told of the study, not of the part; the
// same is asked once, and again only when it failed.
func TestStudiesLeaveThePart(t *testing.T) {
	s := storetest.Open(t)
	ctx := t.Context()
	addBatch(t, s, false, "a.stl")
	job := take(t, s, "one")
	require.NoError(t, s.Finish(ctx, job, "one", store.Outcome{Report: report(check.Repair)}))
	ask := record.Study{PartID: job.PartID, Kind: record.Levels, About: strings.Repeat("c", 64), CreatedBy: "ada"}
	first, err := s.AskStudy(ctx, ask)
	require.NoError(t, err)
	same, err := s.AskStudy(ctx, ask)
	require.NoError(t, err)
	assert.Equal(t, first.ID, same.ID)
	study := take(t, s, "one")
	require.Equal(t, record.Look, study.Kind)
	assert.Nil(t, take(t, s, "two"), "one job for both")
	require.NoError(t, s.Renew(ctx, study, "one", lease, "make lighter", 0.25))
	now, err := s.Study(ctx, job.PartID, first.ID)
	require.NoError(t, err)
	assert.Equal(t, [2]any{"running", 0.25}, [2]any{now.State, now.Progress})
	p, err := s.Part(ctx, job.PartID)
	require.NoError(t, err)
	assert.Equal(t, record.PartDone, p.State)

	require.NoError(t, s.Fail(ctx, study, "one", "too large", false))
	p, err = s.Part(ctx, job.PartID)
	require.NoError(t, err)
	assert.Equal(t, record.PartDone, p.State)
	assert.Empty(t, p.Problem)
	failed, err := s.Study(ctx, job.PartID, first.ID)
	require.NoError(t, err)
	assert.Equal(t, [2]string{"failed", "too large"}, [2]string{failed.State, failed.Problem})
	_, err = s.AskStudy(ctx, ask)
	require.NoError(t, err)
	study = take(t, s, "one")
	require.NoError(t, s.FinishStudy(ctx, study, "one", []byte(`[1]`), map[string]string{"level.png": "ab"}))
	assert.ErrorIs(t, s.FinishStudy(ctx, study, "one", nil, nil), store.ErrLeaseLost)
	done, err := s.Study(ctx, job.PartID, first.ID)
	require.NoError(t, err)
	assert.Equal(t, [2]string{"done", "[1]"}, [2]string{done.State, string(done.Result)})
	_, err = s.Study(ctx, 77, first.ID)
	assert.ErrorIs(t, err, store.ErrNotFound)
}

// TestTheAuditTrailHolds changes, takes out and puts in lines of the trail behind the
// service's back: each shows.
// TestWhoProposedDoesNotApprove holds where the bureau wants another; sending back one's
// own proposal is fine.
func TestWhoProposedDoesNotApprove(t *testing.T) {
	s, ctx := storetest.Open(t), t.Context()
	addBatch(t, s, false, "bell.stl")
	job := take(t, s, "w1")
	require.NoError(t, s.Finish(ctx, job, "w1", store.Outcome{Report: report(check.Pass)}))
	require.NoError(t, s.Propose(ctx, "lea", job.PartID))
	err := s.Decide(ctx, "lea", job.PartID, true, true, "")
	assert.ErrorIs(t, err, store.ErrState)
	assert.ErrorContains(t, err, "lea proposed it; somebody else approves")
	require.NoError(t, s.Decide(ctx, "lea", job.PartID, false, true, "not yet"))
	require.NoError(t, s.Propose(ctx, "lea", job.PartID))
	require.NoError(t, s.Decide(ctx, "ben", job.PartID, true, true, ""))
	list, err := s.Signoffs(ctx, job.PartID)
	require.NoError(t, err)
	assert.Equal(t, "ben", list[1].DecidedBy)
}

func TestTheAuditTrailHolds(t *testing.T) {
	ctx := t.Context()
	s, db := openBoth(t)
	for range 4 {
		addBatch(t, s, false, "a.stl")
	}
	check := func(want int64) {
		t.Helper()
		lines, broken, err := s.VerifyAudit(ctx)
		require.NoError(t, err)
		assert.Equal(t, want, broken)
		if want == 0 {
			assert.Equal(t, 4, lines)
		}
	}
	check(0)
	for _, c := range []struct {
		do, undo string
		broken   int64
	}{
		{"UPDATE audit SET person = 'eve' WHERE id = 2", "UPDATE audit SET person = 'ada' WHERE id = 2", 2},
		{"UPDATE audit SET detail = '{}' WHERE id = 3", "", 3},
	} {
		var kept string
		require.NoError(t, db.GetContext(ctx, &kept, "SELECT detail FROM audit WHERE id = 3"))
		db.MustExecContext(ctx, c.do)
		check(c.broken)
		if c.undo == "" {
			db.MustExecContext(ctx, "UPDATE audit SET detail = ? WHERE id = 3", kept)
		} else {
			db.MustExecContext(ctx, c.undo)
		}
		check(0)
	}
	db.MustExecContext(ctx, "DELETE FROM audit WHERE id = 4")
	check(4)
	db.MustExecContext(ctx, "DELETE FROM audit WHERE id = 2")
	check(3)
}

// TestAHundredThousandParts fills the records and asks the database how it would answer
// what the pages ask: by an index each, never by reading all parts.
func TestAHundredThousandParts(t *testing.T) {
	ctx := t.Context()
	s, db := openBoth(t)
	for _, fill := range []string{
		`INSERT INTO batches (id, name, customer, process, auto_repair, created_by, created_at) SELECT seq, CONCAT('delivery ', seq), CONCAT('customer ', seq % 97), 'resin', TRUE, 'ada', NOW(6) - INTERVAL (2000 - seq) HOUR FROM seq_1_to_2000`,
		`INSERT INTO parts (id, batch_id, name, state, bytes, created_at, updated_at, words) SELECT seq, 1 + (seq - 1) DIV 50, CONCAT('plank-', seq, '.stl'), 'done', 684, NOW(6) - INTERVAL (seq % 100) * 14 DAY, NOW(6), CONCAT('plank ', seq, ' delivery customer', IF(seq % 1000 = 0, ' scarfjoint', '')) FROM seq_1_to_100000`,
		`INSERT INTO revisions (id, part_id, number, title, file_sha256, file_bytes, file_name, verdict, created_at) SELECT seq, seq, 0, 'as received', REPEAT('a', 64), 684, 'plank.stl', IF(seq % 500 = 0, 'hold', 'pass'), NOW(6) FROM seq_1_to_100000`,
		`INSERT INTO findings (revision_id, kind, severity, count, summary) SELECT seq, IF(seq % 700 = 0, 'open-boundary', 'overhang'), 'note', 1, 'one' FROM seq_1_to_100000`,
		`ANALYZE TABLE batches, parts, revisions, findings`,
	} {
		_, err := db.ExecContext(ctx, fill)
		require.NoError(t, err)
	}
	took := func(what string, do func() int, want int) {
		t.Helper()
		began := time.Now()
		assert.Equal(t, want, do(), what)
		t.Logf("%s: %s", what, time.Since(began).Round(time.Millisecond))
	}
	took("the newest batches", func() int {
		list, err := s.Batches(ctx, 0, 100)
		require.NoError(t, err)
		return len(list)
	}, 100)
	took("a batch's parts", func() int {
		list, err := s.Parts(ctx, 1000)
		require.NoError(t, err)
		return len(list)
	}, 50)
	for what, q := range map[string]record.Query{"words": {Text: "scarfjoint"}, "a verdict": {Verdict: "hold"}, "a finding": {Finding: "open-boundary"}, "nothing": {}} {
		took("a search for "+what, func() int {
			list, err := s.Search(ctx, q, 0, 50)
			require.NoError(t, err)
			return len(list)
		}, 50)
	}
	took("metrics", func() int {
		_, parts, err := s.Tally()
		require.NoError(t, err)
		return parts["hold"]
	}, 200)
	took("insights", func() int {
		in, err := s.Insights(ctx, time.Now().AddDate(0, 0, -80), "")
		require.NoError(t, err)
		n := len(in.Weeks)
		require.GreaterOrEqual(t, n, 12)
		assert.Equal(t, [3]int{1000, 0, 1000}, [3]int{in.Weeks[n-3].Parts, in.Weeks[n-2].Parts, in.Weeks[n-1].Parts}, "every second one with nothing in it")
		require.Len(t, in.Customers, 20)
		return in.Weeks[n-1].Pass
	}, 800)
	for query, most := range map[string]int{
		`SELECT p.id FROM parts p WHERE p.created_at >= NOW(6) - INTERVAL 80 DAY`:                                             20000,
		`SELECT a.id FROM audit a WHERE a.person = 'ada' ORDER BY a.id DESC LIMIT 100`:                                        1000,
		`SELECT * FROM batches ORDER BY id DESC LIMIT 100`:                                                                    200,
		`SELECT p.id FROM parts p LEFT JOIN revisions r ON r.part_id = p.id AND r.number = p.current WHERE p.batch_id = 1000`: 200,
		`SELECT p.id FROM parts p WHERE MATCH (p.words) AGAINST ('+scarfjoint*' IN BOOLEAN MODE)`:                             200,
		`SELECT f.id FROM findings f JOIN revisions r ON r.id = f.revision_id WHERE f.kind = 'open-boundary'`:                 2000,
		`SELECT id FROM jobs WHERE state = 'queued' ORDER BY id LIMIT 1`:                                                      10,
		`SELECT r.id FROM revisions r WHERE r.verdict = 'hold'`:                                                               2000,
	} {
		var rows []struct {
			Table string  `db:"table"`
			Key   *string `db:"key"`
			Rows  *int    `db:"rows"`
		}
		require.NoError(t, db.Unsafe().SelectContext(ctx, &rows, "EXPLAIN "+query))
		for _, r := range rows {
			if assert.NotNil(t, r.Key, "%s: %s is read without an index", query, r.Table) && r.Rows != nil {
				assert.LessOrEqual(t, *r.Rows, most, "%s: %s", query, r.Table)
			}
		}
	}
}

// TestDumpAndLoad carries all records over to another database: what is dumped there is
// the same, to the letter.
func TestDumpAndLoad(t *testing.T) {
	s, ctx := storetest.Open(t), t.Context()
	require.NoError(t, s.AddPerson(ctx, "veneer", record.Person{Name: "ada", Role: record.Lead, PasswordHash: "x"}))
	addBatch(t, s, true, "a.stl", "quoted ' \\ \"ü\x01.stl")
	for range 2 {
		job := take(t, s, "one")
		require.NoError(t, s.Finish(ctx, job, "one", store.Outcome{Report: report(check.Pass), Picture: strings.Repeat("c", 64)}))
		require.NoError(t, s.AddNote(ctx, "ada", job.PartID, "open-boundary", "line one\nline two"))
		require.NoError(t, s.Propose(ctx, "ada", job.PartID))
		require.NoError(t, s.AddLink(ctx, "ada", job.PartID, strings.Repeat(strconv.Itoa(int(job.PartID)), 64), time.Now().Add(time.Hour)))
	}
	study, err := s.AskStudy(ctx, record.Study{PartID: 1, Kind: record.Levels, About: strings.Repeat("d", 64), CreatedBy: "ada"})
	require.NoError(t, err)
	require.NoError(t, s.FinishStudy(ctx, take(t, s, "one"), "one", []byte(`[{"name":"even"}]`), map[string]string{"level.png": strings.Repeat("e", 64)}))
	var before, after bytes.Buffer
	require.NoError(t, s.Dump(ctx, &before))
	other := storetest.Open(t)
	require.NoError(t, other.Load(ctx, bytes.NewReader(before.Bytes())))
	require.NoError(t, other.Dump(ctx, &after))
	assert.Equal(t, before.String(), after.String())
	_, broken, err := other.VerifyAudit(ctx)
	require.NoError(t, err)
	assert.Zero(t, broken)
	kept, err := other.Study(ctx, 1, study.ID)
	require.NoError(t, err)
	assert.Equal(t, `[{"name":"even"}]`, string(kept.Result))
	sums, err := other.Files(ctx)
	require.NoError(t, err)
	assert.Equal(t, []string{"a", "c", "e"}, []string{sums[0][:1], sums[1][:1], sums[2][:1]})
	assert.Len(t, sums, 3)
	assert.ErrorContains(t, other.Load(ctx, bytes.NewReader(before.Bytes())), "there are records already")
	for text, why := range map[string]string{"": "no dump", "{}": "no dump", `{"schema":"veneer.dump/1","version":1}`: "of version 1", "[1,2]": "no dump"} {
		assert.ErrorContains(t, storetest.Open(t).Load(ctx, strings.NewReader(text)), why)
	}
	cut := before.Bytes()[:before.Len()*2/3]
	empty := storetest.Open(t)
	assert.Error(t, empty.Load(ctx, bytes.NewReader(cut)))
	n, err := empty.People(ctx)
	require.NoError(t, err)
	assert.Zero(t, n, "all or nothing")
}

// TestOldOriginalsGo are those that nothing newer needs.
func TestOldOriginalsGo(t *testing.T) {
	s, ctx := storetest.Open(t), t.Context()
	for i, sum := range []string{"a", "b", "b"} {
		_, err := s.AddBatch(ctx, record.Batch{Name: "x", Customer: "Harbour Museum", Process: "resin", CreatedBy: "ada"}, []store.NewFile{{Name: "a.stl", SHA256: strings.Repeat(sum, 64), Bytes: 84}}, nil)
		require.NoError(t, err)
		if i == 1 {
			time.Sleep(5 * time.Millisecond)
		}
	}
	p, err := s.Part(ctx, 3)
	require.NoError(t, err)
	list, err := s.OldOriginals(ctx, p.CreatedAt)
	require.NoError(t, err)
	assert.Equal(t, []string{strings.Repeat("a", 64)}, list, "the second came again later")
	list, err = s.OldOriginals(ctx, time.Now().Add(time.Hour))
	require.NoError(t, err)
	assert.Len(t, list, 2)
	list, err = s.OldOriginals(ctx, time.Now().Add(-time.Hour))
	require.NoError(t, err)
	assert.Empty(t, list)
}
