package store

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"time"

	"github.com/jmoiron/sqlx"

	"veneer/bureau/record"
	"veneer/core/check"
	"veneer/core/repair"
	"veneer/core/unit"
)

// ErrLeaseLost says that a job is no longer this worker's: its lease ran out
// and another worker took it. What was done for it must be thrown away.
var ErrLeaseLost = errors.New("the job was taken by another worker")

func addJob(ctx context.Context, tx *sqlx.Tx, part int64, kind record.JobKind) error {
	return addOrder(ctx, tx, part, kind, 0, nil)
}

func addOrder(ctx context.Context, tx *sqlx.Tx, part int64, kind record.JobKind, from int, steps []string) error {
	text, err := json.Marshal(append([]string{}, steps...))
	if err != nil {
		return err
	}
	_, err = tx.ExecContext(ctx, `INSERT INTO jobs (part_id, kind, state, from_revision, steps, created_at) VALUES (?, ?, 'queued', ?, ?, ?)`, part, kind, from, string(text), now())
	return err
}

// Take claims the oldest job that is queued, or whose worker let its lease run
// out, for that long. It returns nil when there is none.
func (s *Store) Take(ctx context.Context, worker string, lease time.Duration) (*record.Job, error) {
	var job record.Job
	err := s.in(ctx, func(tx *sqlx.Tx) error {
		at := now()
		err := tx.GetContext(ctx, &job, `SELECT id, part_id, kind, state, attempts, from_revision, steps, study_id FROM jobs WHERE state = 'queued' ORDER BY id LIMIT 1 FOR UPDATE SKIP LOCKED`)
		if errors.Is(err, sql.ErrNoRows) {
			err = tx.GetContext(ctx, &job, `SELECT id, part_id, kind, state, attempts, from_revision, steps, study_id FROM jobs WHERE state = 'running' AND lease_until < ? ORDER BY id LIMIT 1 FOR UPDATE SKIP LOCKED`, at)
		}
		if err != nil {
			return err
		}
		job.Attempts++
		if _, err := tx.ExecContext(ctx, `UPDATE jobs SET state = 'running', worker = ?, lease_until = ?, attempts = ?, started_at = ? WHERE id = ?`,
			worker, at.Add(lease), job.Attempts, at, job.ID); err != nil {
			return err
		}
		return mark(ctx, tx, &job, record.PartWorking, "starting", 0, "")
	})
	if errors.Is(err, sql.ErrNoRows) {
		return nil, nil
	}
	if err != nil {
		return nil, err
	}
	return &job, nil
}

// Renew prolongs a job's lease and records how far it is.
func (s *Store) Renew(ctx context.Context, job *record.Job, worker string, lease time.Duration, stage string, done float64) error {
	return s.in(ctx, func(tx *sqlx.Tx) error {
		at := now()
		if err := mine(ctx, tx, job, worker, `UPDATE jobs SET lease_until = ? WHERE id = ? AND worker = ? AND state = 'running'`, at.Add(lease)); err != nil {
			return err
		}
		return mark(ctx, tx, job, record.PartWorking, stage[:min(len(stage), 60)], overall(job, done), "")
	})
}

// mark tells of a job where people look: at its part, or at its study, which leaves
// the part as it is.
func mark(ctx context.Context, tx *sqlx.Tx, job *record.Job, state record.PartState, stage string, progress float64, problem string) error {
	if job.StudyID != nil {
		_, err := tx.ExecContext(ctx, `UPDATE studies SET state = ?, stage = ?, progress = ?, problem = ? WHERE id = ?`, studyStates[state], stage, progress, problem, *job.StudyID)
		return err
	}
	_, err := tx.ExecContext(ctx, `UPDATE parts SET state = ?, stage = ?, progress = ?, problem = ?, updated_at = ? WHERE id = ?`, state, stage, progress, problem, now(), job.PartID)
	return err
}

var studyStates = map[record.PartState]string{record.PartWaiting: "queued", record.PartWorking: "running", record.PartDone: "done", record.PartFailed: "failed"}

// overall is a part's progress: inspecting and mending are half each.
func overall(job *record.Job, done float64) float64 {
	switch job.Kind {
	case record.Mend:
		return 0.5 + done/2
	case record.Look:
		return done
	}
	return done / 2
}

func mine(ctx context.Context, tx *sqlx.Tx, job *record.Job, worker, query string, first ...any) error {
	res, err := tx.ExecContext(ctx, query, append(first, job.ID, worker)...)
	if err != nil {
		return err
	}
	if n, err := res.RowsAffected(); err != nil || n == 0 {
		return errors.Join(err, ErrLeaseLost)
	}
	return nil
}

// Outcome is what a finished job hands in. Files lie in the vault already.
type Outcome struct {
	Report  *check.Report
	Repair  *repair.Result // of a mend
	Title   string         // of the revision that a mend made
	File    NewFile        // likewise
	Picture string         // SHA-256, "" for none
	View    string
	Light   string
	Front   string
	Marked  string
}

// Finish records what a job found or made, and adds the job that follows: a
// part that needs a repair, in a batch that repairs by itself, is mended. It
// all happens in one transaction, and only while the job is still the
// worker's, so that a job that ran twice counts once.
func (s *Store) Finish(ctx context.Context, job *record.Job, worker string, o Outcome) error {
	return s.in(ctx, func(tx *sqlx.Tx) error {
		at := now()
		if err := mine(ctx, tx, job, worker, `UPDATE jobs SET state = 'done', finished_at = ? WHERE id = ? AND worker = ? AND state = 'running'`, at); err != nil {
			return err
		}
		var part struct {
			BatchID    int64 `db:"batch_id"`
			AutoRepair bool  `db:"auto_repair"`
		}
		if err := tx.GetContext(ctx, &part, `SELECT p.batch_id, b.auto_repair FROM parts p JOIN batches b ON b.id = p.batch_id WHERE p.id = ? FOR UPDATE`, job.PartID); err != nil {
			return err
		}
		number, action, detail := 0, "checked", map[string]any{"verdict": o.Report.Verdict}
		if job.Kind == record.Mend {
			if err := tx.GetContext(ctx, &number, `SELECT MAX(number) + 1 FROM revisions WHERE part_id = ?`, job.PartID); err != nil {
				return err
			}
			switch {
			case o.Repair.Method == repair.ByHand:
				action = "changed"
			case o.Repair.Repaired:
				action = "repaired"
			default:
				action = "repair tried"
			}
			detail["made"] = o.Repair.Called
		}
		detail["revision"] = number
		if err := putRevision(ctx, tx, job.PartID, number, job.From, o); err != nil {
			return err
		}
		state, progress := record.PartDone, 1.0
		if job.Kind == record.Inspect && o.Report.Verdict == check.Repair && part.AutoRepair {
			if err := addJob(ctx, tx, job.PartID, record.Mend); err != nil {
				return err
			}
			state, progress = record.PartWaiting, 0.5
		}
		if _, err := tx.ExecContext(ctx, `UPDATE parts SET state = ?, stage = '', problem = ?, progress = ?, current = ?, updated_at = ? WHERE id = ?`,
			state, o.Report.Unread, progress, number, at, job.PartID); err != nil {
			return err
		}
		if number == 0 {
			if _, err := tx.ExecContext(ctx, `UPDATE parts SET format = ? WHERE id = ?`, o.Report.File.Format, job.PartID); err != nil {
				return err
			}
		}
		if err := note(ctx, tx, "veneer", action, part.BatchID, job.PartID, detail); err != nil {
			return err
		}
		if err := settle(ctx, tx, part.BatchID); err != nil {
			return err
		}
		return told(ctx, tx, part.BatchID, job.PartID, o.Report.Verdict == check.Hold)
	})
}

// settle has the files whose unit is in doubt looked at again, once, when all
// files of the batch have been inspected: by then their sisters are known. The
// batch's row is locked, so exactly one of the jobs that finish last does it.
func settle(ctx context.Context, tx *sqlx.Tx, batch int64) error {
	var left int
	if err := tx.GetContext(ctx, &left, `SELECT COUNT(*) FROM jobs j JOIN parts p ON p.id = j.part_id
		WHERE p.batch_id = ? AND j.kind = 'inspect' AND j.state IN ('queued', 'running')`, batch); err != nil || left > 0 {
		return err
	}
	res, err := tx.ExecContext(ctx, `UPDATE batches SET settled = TRUE WHERE id = ? AND settled = FALSE`, batch)
	if err != nil {
		return err
	}
	if n, err := res.RowsAffected(); err != nil || n == 0 {
		return err
	}
	var doubtful []int64
	if err := tx.SelectContext(ctx, &doubtful, `SELECT p.id FROM parts p JOIN revisions r ON r.part_id = p.id AND r.number = 0
		WHERE p.batch_id = ? AND p.state = 'done' AND p.unit_set = '' AND JSON_VALUE(r.report, '$.unit.doubtful') = 1
		AND EXISTS (SELECT 1 FROM parts q WHERE q.batch_id = p.batch_id AND q.id <> p.id AND SUBSTRING_INDEX(q.format, '-', 1) = SUBSTRING_INDEX(p.format, '-', 1))`, batch); err != nil {
		return err
	}
	for _, id := range doubtful {
		if err := addJob(ctx, tx, id, record.Inspect); err != nil {
			return err
		}
		if _, err := tx.ExecContext(ctx, `UPDATE parts SET state = ?, progress = 0, updated_at = ? WHERE id = ?`, record.PartWaiting, now(), id); err != nil {
			return err
		}
	}
	return nil
}

// Sisters are the unit clues of the batch's other files of the same kind, as
// far as they have been inspected.
func (s *Store) Sisters(ctx context.Context, part record.Part) ([]unit.Clues, error) {
	var texts []string
	if err := s.db.SelectContext(ctx, &texts, `SELECT JSON_EXTRACT(r.report, '$.unit.clues') FROM parts p JOIN revisions r ON r.part_id = p.id AND r.number = 0
		WHERE p.batch_id = ? AND p.id <> ? AND SUBSTRING_INDEX(p.format, '-', 1) = SUBSTRING_INDEX(?, '-', 1)
		AND JSON_EXTRACT(r.report, '$.unit.clues') IS NOT NULL ORDER BY p.id LIMIT 200`, part.BatchID, part.ID, part.Format); err != nil {
		return nil, err
	}
	list := make([]unit.Clues, len(texts))
	for i, text := range texts {
		if err := json.Unmarshal([]byte(text), &list[i]); err != nil {
			return nil, err
		}
	}
	return list, nil
}

// Earlier counts in which units the customer's earlier files of the same ending
// were, the newest 50 of those that are settled.
func (s *Store) Earlier(ctx context.Context, part record.Part, customer string) (map[string]int, error) {
	var units []string
	err := s.db.SelectContext(ctx, &units, `SELECT JSON_VALUE(r.report, '$.unit.chosen') FROM parts p
		JOIN batches b ON b.id = p.batch_id JOIN revisions r ON r.part_id = p.id AND r.number = 0
		WHERE b.customer = ? AND b.id < ? AND b.settled AND r.verdict NOT IN ('', 'reject') AND JSON_VALUE(r.report, '$.unit.doubtful') = 0
		AND LOWER(SUBSTRING_INDEX(p.name, '.', -1)) = LOWER(SUBSTRING_INDEX(?, '.', -1)) ORDER BY p.id DESC LIMIT 50`, customer, part.BatchID, part.Name)
	counts := map[string]int{}
	for _, u := range units {
		counts[u]++
	}
	return counts, err
}

func putRevision(ctx context.Context, tx *sqlx.Tx, part int64, number, parent int, o Outcome) error {
	report, err := json.Marshal(o.Report)
	if err != nil {
		return err
	}
	g := o.Report.Geometry
	if number > 0 {
		steps, err := json.Marshal(struct { // the reports are kept with their revisions
			*repair.Result
			Before *check.Report `json:"before,omitempty"`
			After  *check.Report `json:"after,omitempty"`
		}{Result: o.Repair})
		if err != nil {
			return err
		}
		var before float64 // taken out on the way to where it starts from
		if err := tx.GetContext(ctx, &before, `SELECT hollowed_mm3 FROM revisions WHERE part_id = ? AND number = ?`, part, parent); err != nil {
			return err
		}
		if _, err := tx.ExecContext(ctx, `INSERT INTO revisions (part_id, number, parent, title, file_sha256, file_bytes, file_name, repair, hollowed_mm3, created_at)
			VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?)`, part, number, parent, o.Title, o.File.SHA256, o.File.Bytes, o.File.Name, steps, before+o.Repair.HollowedMM3(), now()); err != nil {
			return err
		}
	}
	var id int64
	if err := tx.GetContext(ctx, &id, `SELECT id FROM revisions WHERE part_id = ? AND number = ?`, part, number); err != nil {
		return err
	}
	if _, err := tx.ExecContext(ctx, `UPDATE revisions SET report = ?, verdict = ?, triangles = ?, size_x = ?, size_y = ?, size_z = ?, picture_sha256 = ?, view_sha256 = ?, light_sha256 = ?, front_sha256 = ?, marked_sha256 = ? WHERE id = ?`,
		report, o.Report.Verdict, g.Triangles, g.SizeMM[0], g.SizeMM[1], g.SizeMM[2], o.Picture, o.View, o.Light, o.Front, o.Marked, id); err != nil {
		return err
	}
	if _, err := tx.ExecContext(ctx, `DELETE FROM findings WHERE revision_id = ?`, id); err != nil {
		return err
	}
	for _, f := range o.Report.Findings {
		summary := []rune(f.Summary)
		if _, err := tx.ExecContext(ctx, `INSERT INTO findings (revision_id, kind, severity, count, summary) VALUES (?, ?, ?, ?, ?)`,
			id, f.Kind, f.Severity, f.Count, string(summary[:min(len(summary), 1000)])); err != nil {
			return err
		}
	}
	return nil
}

// Fail records that a job could not be done. With another try left it is
// queued again; otherwise the part shows why.
func (s *Store) Fail(ctx context.Context, job *record.Job, worker, why string, again bool) error {
	return s.in(ctx, func(tx *sqlx.Tx) error {
		at := now()
		jobState, partState := "failed", record.PartFailed
		if again {
			jobState, partState = "queued", record.PartWaiting
		}
		if err := mine(ctx, tx, job, worker, `UPDATE jobs SET state = ?, error = ?, finished_at = ? WHERE id = ? AND worker = ? AND state = 'running'`, jobState, why, at); err != nil {
			return err
		}
		if err := mark(ctx, tx, job, partState, "", map[bool]float64{true: 0, false: 1}[again], why); err != nil {
			return err
		}
		var batch int64
		if err := tx.GetContext(ctx, &batch, `SELECT batch_id FROM parts WHERE id = ?`, job.PartID); err != nil {
			return err
		}
		return note(ctx, tx, "veneer", fmt.Sprintf("%s failed", job.Kind), batch, job.PartID, map[string]any{"why": why, "again": again})
	})
}

// Release gives a job back untouched, when its worker stops in good order.
func (s *Store) Release(ctx context.Context, job *record.Job, worker string) error {
	return s.in(ctx, func(tx *sqlx.Tx) error {
		if err := mine(ctx, tx, job, worker, `UPDATE jobs SET state = 'queued', attempts = attempts - 1 WHERE id = ? AND worker = ? AND state = 'running'`); err != nil {
			return err
		}
		return mark(ctx, tx, job, record.PartWaiting, "", 0, "")
	})
}

// Cancel stops what is being done to a part, or waits to be: its jobs are taken off
// their workers. The part is as it was, or failed when it never was checked.
func (s *Store) Cancel(ctx context.Context, person string, part int64) error {
	return s.in(ctx, func(tx *sqlx.Tx) error {
		var p struct {
			BatchID int64            `db:"batch_id"`
			State   record.PartState `db:"state"`
		}
		if err := tx.GetContext(ctx, &p, `SELECT batch_id, state FROM parts WHERE id = ? FOR UPDATE`, part); err != nil {
			return missing(err)
		}
		res, err := tx.ExecContext(ctx, `UPDATE jobs SET state = 'stopped', finished_at = ? WHERE part_id = ? AND study_id IS NULL AND state IN ('queued', 'running')`, now(), part)
		if err != nil {
			return err
		}
		if n, err := res.RowsAffected(); err != nil || n == 0 {
			return err // it has ended by itself
		}
		var checked int
		if err := tx.GetContext(ctx, &checked, `SELECT COUNT(*) FROM revisions WHERE part_id = ? AND number = 0 AND verdict <> ''`, part); err != nil {
			return err
		}
		state, problem := record.PartDone, ""
		if checked == 0 {
			state, problem = record.PartFailed, fmt.Sprintf("%s stopped the check", person)
		}
		if err := mark(ctx, tx, &record.Job{PartID: part}, state, "", 1, problem); err != nil {
			return err
		}
		if err := note(ctx, tx, person, "stopped", p.BatchID, part, map[string]any{}); err != nil {
			return err
		}
		return settle(ctx, tx, p.BatchID)
	})
}

// Recheck has a part inspected once more.
func (s *Store) Recheck(ctx context.Context, person string, part int64) error {
	return s.ask(ctx, part, record.Inspect, func(tx *sqlx.Tx, batch int64) error {
		return note(ctx, tx, person, "check asked for", batch, part, map[string]any{})
	})
}

// Jobs lists what runs, what waits in its order, and what ended last.
func (s *Store) Jobs(ctx context.Context, ended int) ([]record.JobRow, error) {
	list := []record.JobRow{}
	const columns = `SELECT j.id, j.kind, j.state, COALESCE(s.stage, p.stage) AS stage, COALESCE(s.progress, p.progress) AS progress, j.worker, j.error, j.part_id, p.name AS part_name,
		b.id AS batch_id, b.name AS batch_name, j.created_at, j.started_at, j.finished_at
		FROM jobs j JOIN parts p ON p.id = j.part_id JOIN batches b ON b.id = p.batch_id LEFT JOIN studies s ON s.id = j.study_id `
	for _, query := range []string{
		`WHERE j.state = 'running' ORDER BY j.id`,
		`WHERE j.state = 'queued' ORDER BY j.id LIMIT 500`,
		fmt.Sprintf(`WHERE j.state IN ('done', 'failed', 'stopped') ORDER BY j.id DESC LIMIT %d`, ended),
	} {
		var some []record.JobRow
		if err := s.db.SelectContext(ctx, &some, columns+query); err != nil {
			return nil, err
		}
		list = append(list, some...)
	}
	return list, nil
}

// SetUnit records which unit a person says a part is in and has it inspected
// again. A part at work cannot be changed.
func (s *Store) SetUnit(ctx context.Context, person string, part int64, unit string) error {
	return s.ask(ctx, part, record.Inspect, func(tx *sqlx.Tx, batch int64) error {
		if _, err := tx.ExecContext(ctx, `UPDATE parts SET unit_set = ? WHERE id = ?`, unit, part); err != nil {
			return err
		}
		return note(ctx, tx, person, "unit set", batch, part, map[string]any{"unit": unit})
	})
}

// SetAnswer records a person's answer to a question about a part and has the
// part inspected again.
func (s *Store) SetAnswer(ctx context.Context, person string, part int64, question, answer string) error {
	return s.ask(ctx, part, record.Inspect, func(tx *sqlx.Tx, batch int64) error {
		var text string
		if err := tx.GetContext(ctx, &text, `SELECT answers FROM parts WHERE id = ?`, part); err != nil {
			return err
		}
		answers := map[string]string{}
		if err := json.Unmarshal([]byte(text), &answers); err != nil {
			return err
		}
		answers[question] = answer
		now, err := json.Marshal(answers)
		if err != nil {
			return err
		}
		if _, err := tx.ExecContext(ctx, `UPDATE parts SET answers = ? WHERE id = ?`, string(now), part); err != nil {
			return err
		}
		if err := addWords(ctx, tx, part, question+" "+answer); err != nil {
			return err
		}
		return note(ctx, tx, person, "question answered", batch, part, map[string]any{"question": question, "answer": answer})
	})
}

// SetExpect records the size that the customer stated for a part and has the
// part inspected again.
func (s *Store) SetExpect(ctx context.Context, person string, part int64, size string) error {
	return s.ask(ctx, part, record.Inspect, func(tx *sqlx.Tx, batch int64) error {
		if _, err := tx.ExecContext(ctx, `UPDATE parts SET expect = ? WHERE id = ?`, size, part); err != nil {
			return err
		}
		return note(ctx, tx, person, "size stated", batch, part, map[string]any{"size": size})
	})
}

// AskRepair queues a repair of a part from one of its revisions: of what calls
// for one, or the steps that are named.
func (s *Store) AskRepair(ctx context.Context, person string, part int64, from int, steps []string) error {
	return s.order(ctx, part, record.Mend, from, steps, func(tx *sqlx.Tx, batch int64) error {
		return note(ctx, tx, person, "repair asked for", batch, part, map[string]any{"from": from, "steps": append([]string{}, steps...)})
	})
}

// ErrBusy says that a part has a job already.
var ErrBusy = errors.New("the part is being worked on; wait until it is done")

func (s *Store) ask(ctx context.Context, part int64, kind record.JobKind, also func(tx *sqlx.Tx, batch int64) error) error {
	return s.order(ctx, part, kind, 0, nil, also)
}

func (s *Store) order(ctx context.Context, part int64, kind record.JobKind, from int, steps []string, also func(tx *sqlx.Tx, batch int64) error) error {
	return s.in(ctx, func(tx *sqlx.Tx) error {
		var p struct {
			BatchID int64            `db:"batch_id"`
			State   record.PartState `db:"state"`
		}
		if err := tx.GetContext(ctx, &p, `SELECT batch_id, state FROM parts WHERE id = ? FOR UPDATE`, part); err != nil {
			return missing(err)
		}
		if p.State == record.PartWaiting || p.State == record.PartWorking {
			return ErrBusy
		}
		if err := addOrder(ctx, tx, part, kind, from, steps); err != nil {
			return err
		}
		if _, err := tx.ExecContext(ctx, `UPDATE parts SET state = ?, stage = '', progress = 0, updated_at = ? WHERE id = ?`, record.PartWaiting, now(), part); err != nil {
			return err
		}
		if err := withdraw(ctx, tx, p.BatchID, part); err != nil {
			return err
		}
		return also(tx, p.BatchID)
	})
}

// Tally counts jobs by their states, and parts by the verdicts of their newest
// revisions.
func (s *Store) Tally() (jobs, parts map[string]int, err error) {
	count := func(query string) (map[string]int, error) {
		var rows []struct {
			Name string `db:"name"`
			N    int    `db:"n"`
		}
		err := s.db.Select(&rows, query)
		of := map[string]int{}
		for _, r := range rows {
			of[r.Name] = r.N
		}
		return of, err
	}
	if jobs, err = count(`SELECT state AS name, COUNT(*) AS n FROM jobs GROUP BY state`); err != nil {
		return nil, nil, err
	}
	parts, err = count(`SELECT r.verdict AS name, COUNT(*) AS n FROM parts p JOIN revisions r ON r.part_id = p.id AND r.number = p.current GROUP BY r.verdict`)
	return jobs, parts, err
}
