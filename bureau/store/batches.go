package store

import (
	"context"
	"errors"

	"github.com/go-sql-driver/mysql"
	"github.com/jmoiron/sqlx"

	"veneer/bureau/record"
)

// NewFile is a file of a batch that lies in the vault already.
type NewFile struct {
	Name   string
	Path   string // among the files that came
	SHA256 string
	Bytes  int64
	Expect string // the size that the customer stated; "" for none
}

// AddBatch records a batch with its parts, each with its revision 0 and a job
// to inspect it, and the files that came along; all or nothing. Under a key that a
// batch of the same person was sent by before, that one is meant.
func (s *Store) AddBatch(ctx context.Context, b record.Batch, files []NewFile, beside []record.Companion) (id int64, err error) {
	at := now()
	err = s.in(ctx, func(tx *sqlx.Tx) error {
		res, err := tx.ExecContext(ctx, `INSERT INTO batches (name, customer, process, auto_repair, created_by, created_at, request_key) VALUES (?, ?, ?, ?, ?, ?, ?)`,
			b.Name, b.Customer, b.Process, b.AutoRepair, b.CreatedBy, at, b.RequestKey)
		var is *mysql.MySQLError
		if b.RequestKey != nil && errors.As(err, &is) && is.Number == 1062 { // it was taken in before
			return tx.GetContext(ctx, &id, `SELECT id FROM batches WHERE created_by = ? AND request_key = ?`, b.CreatedBy, *b.RequestKey)
		}
		if err != nil {
			return err
		}
		if id, err = res.LastInsertId(); err != nil {
			return err
		}
		for _, f := range files {
			res, err := tx.ExecContext(ctx, `INSERT INTO parts (batch_id, name, path, expect, state, bytes, created_at, updated_at, words) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?)`,
				id, f.Name, f.Path, f.Expect, record.PartWaiting, f.Bytes, at, at, f.Name+" "+b.Name+" "+b.Customer)
			if err != nil {
				return err
			}
			part, err := res.LastInsertId()
			if err != nil {
				return err
			}
			if _, err := tx.ExecContext(ctx, `INSERT INTO revisions (part_id, number, title, file_sha256, file_bytes, file_name, created_at) VALUES (?, 0, 'as received', ?, ?, ?, ?)`,
				part, f.SHA256, f.Bytes, f.Name, at); err != nil {
				return err
			}
			if err := addJob(ctx, tx, part, record.Inspect); err != nil {
				return err
			}
		}
		for _, c := range beside {
			if _, err := tx.ExecContext(ctx, `INSERT INTO companions (batch_id, path, sha256, bytes) VALUES (?, ?, ?, ?)`, id, c.Path, c.SHA256, c.Bytes); err != nil {
				return err
			}
		}
		return note(ctx, tx, b.CreatedBy, "batch received", id, 0, map[string]any{"files": len(files), "customer": b.Customer, "process": b.Process})
	})
	return id, err
}

// BatchUnder finds the batch that somebody sent under a key.
func (s *Store) BatchUnder(ctx context.Context, person, key string) (record.Batch, error) {
	var id int64
	if err := s.db.GetContext(ctx, &id, `SELECT id FROM batches WHERE created_by = ? AND request_key = ?`, person, key); err != nil {
		return record.Batch{}, missing(err)
	}
	return s.Batch(ctx, id)
}

// Batches lists batches, newest first, with their counts. before is the id
// below which to go on, 0 for the newest.
func (s *Store) Batches(ctx context.Context, before int64, limit int) ([]record.Batch, error) {
	list := []record.Batch{}
	if err := s.db.SelectContext(ctx, &list, `SELECT * FROM batches WHERE ? = 0 OR id < ? ORDER BY id DESC LIMIT ?`, before, before, limit); err != nil {
		return nil, err
	}
	if len(list) == 0 {
		return list, nil
	}
	ids := make([]int64, len(list))
	at := map[int64]int{}
	for i, b := range list {
		ids[i], at[b.ID] = b.ID, i
	}
	query, args, err := sqlx.In(`
		SELECT p.batch_id, p.state, COALESCE(z.verdict, '') AS received, COALESCE(r.verdict, '') AS verdict, COUNT(*) AS n, SUM(p.progress) AS progress
		FROM parts p LEFT JOIN revisions r ON r.part_id = p.id AND r.number = p.current LEFT JOIN revisions z ON z.part_id = p.id AND z.number = 0
		WHERE p.batch_id IN (?) GROUP BY p.batch_id, p.state, z.verdict, r.verdict`, ids)
	if err != nil {
		return nil, err
	}
	rows := []struct {
		BatchID  int64            `db:"batch_id"`
		State    record.PartState `db:"state"`
		Received string           `db:"received"`
		Verdict  string           `db:"verdict"`
		N        int              `db:"n"`
		Progress float64          `db:"progress"`
	}{}
	if err := s.db.SelectContext(ctx, &rows, query, args...); err != nil {
		return nil, err
	}
	for _, r := range rows {
		c := &list[at[r.BatchID]].Counts
		c.Parts += r.N
		switch {
		case r.State == record.PartWaiting || r.State == record.PartWorking:
			c.Waiting += r.N
			c.Progress += r.Progress
			continue
		case r.State == record.PartFailed:
			c.Failed += r.N
		case r.Verdict == "pass" && r.Received == "pass":
			c.Pass += r.N
		case r.Verdict == "pass":
			c.Repaired += r.N
		case r.Verdict == "repair":
			c.Repair += r.N
		case r.Verdict == "hold":
			c.Hold += r.N
		case r.Verdict == "reject":
			c.Reject += r.N
		}
		c.Progress += float64(r.N)
	}
	for i := range list {
		if c := &list[i].Counts; c.Parts > 0 {
			c.Progress /= float64(c.Parts)
		}
	}
	return list, nil
}

// Batch is one batch with its counts.
func (s *Store) Batch(ctx context.Context, id int64) (record.Batch, error) {
	list, err := s.Batches(ctx, id+1, 1)
	if err != nil {
		return record.Batch{}, err
	}
	if len(list) == 0 || list[0].ID != id {
		return record.Batch{}, ErrNotFound
	}
	return list[0], nil
}

const partColumns = `p.*, COALESCE(r.verdict, '') AS verdict, COALESCE((SELECT z.verdict FROM revisions z WHERE z.part_id = p.id AND z.number = 0), '') AS received, COALESCE(r.triangles, 0) AS triangles,
	COALESCE(r.size_x, 0) AS size_x, COALESCE(r.size_y, 0) AS size_y, COALESCE(r.size_z, 0) AS size_z,
	COALESCE(r.picture_sha256, '') <> '' AS has_picture`

// Parts lists a batch's parts in the order in which they came, with the
// findings of the files as received.
func (s *Store) Parts(ctx context.Context, batch int64) ([]record.Part, error) {
	list := []record.Part{}
	err := s.db.SelectContext(ctx, &list, `SELECT `+partColumns+` FROM parts p
		LEFT JOIN revisions r ON r.part_id = p.id AND r.number = p.current WHERE p.batch_id = ? ORDER BY p.id`, batch)
	if err != nil {
		return nil, err
	}
	findings := []struct {
		PartID int64 `db:"part_id"`
		record.Finding
	}{}
	err = s.db.SelectContext(ctx, &findings, `SELECT r.part_id, f.kind, f.severity, f.count, f.summary FROM findings f
		JOIN revisions r ON r.id = f.revision_id AND r.number = 0 JOIN parts p ON p.id = r.part_id WHERE p.batch_id = ? ORDER BY f.id`, batch)
	if err != nil {
		return nil, err
	}
	at := map[int64]*record.Part{}
	for i := range list {
		finish(&list[i])
		at[list[i].ID] = &list[i]
	}
	for _, f := range findings {
		p := at[f.PartID]
		p.Findings = append(p.Findings, f.Finding)
	}
	return list, nil
}

// Companions lists the files that came along with a batch's parts.
func (s *Store) Companions(ctx context.Context, batch int64) ([]record.Companion, error) {
	list := []record.Companion{}
	return list, s.db.SelectContext(ctx, &list, `SELECT path, sha256, bytes FROM companions WHERE batch_id = ? ORDER BY id`, batch)
}

// Part is one part.
func (s *Store) Part(ctx context.Context, id int64) (record.Part, error) {
	var p record.Part
	err := s.db.GetContext(ctx, &p, `SELECT `+partColumns+` FROM parts p
		LEFT JOIN revisions r ON r.part_id = p.id AND r.number = p.current WHERE p.id = ?`, id)
	if err != nil {
		return p, missing(err)
	}
	finish(&p)
	err = s.db.SelectContext(ctx, &p.Findings, `SELECT f.kind, f.severity, f.count, f.summary FROM findings f
		JOIN revisions r ON r.id = f.revision_id WHERE r.part_id = ? AND r.number = 0 ORDER BY f.id`, id)
	return p, err
}

func finish(p *record.Part) {
	p.SizeMM = [3]float64{p.SizeX, p.SizeY, p.SizeZ}
	p.Findings = []record.Finding{}
}

// Revisions lists a part's revisions from 0 on, without their reports.
func (s *Store) Revisions(ctx context.Context, part int64) ([]record.Revision, error) {
	list := []record.Revision{}
	err := s.db.SelectContext(ctx, &list, `SELECT id, part_id, number, parent, title, file_sha256, file_bytes, file_name,
		picture_sha256, view_sha256, light_sha256, hollowed_mm3, verdict, triangles, size_x, size_y, size_z, repair, created_at FROM revisions WHERE part_id = ? ORDER BY number`, part)
	for i := range list {
		list[i].Light = list[i].LightSHA != ""
	}
	return list, err
}

// Revision is one revision of a part.
func (s *Store) Revision(ctx context.Context, part int64, number int) (record.Revision, error) {
	var r record.Revision
	err := s.db.GetContext(ctx, &r, `SELECT * FROM revisions WHERE part_id = ? AND number = ?`, part, number)
	return r, missing(err)
}
