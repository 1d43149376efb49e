package store

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"

	"github.com/jmoiron/sqlx"

	"veneer/bureau/record"
)

// AskStudy queues a study, unless the same was asked before and did not fail.
func (s *Store) AskStudy(ctx context.Context, ask record.Study) (study record.Study, err error) {
	err = s.in(ctx, func(tx *sqlx.Tx) error {
		err := tx.GetContext(ctx, &study, `SELECT * FROM studies WHERE part_id = ? AND kind = ? AND from_revision = ? AND to_revision = ? AND about = ? FOR UPDATE`,
			ask.PartID, ask.Kind, ask.From, ask.To, ask.About)
		switch {
		case err == nil && study.State != "failed":
			return nil
		case err == nil:
			_, err = tx.ExecContext(ctx, `UPDATE studies SET state = 'queued', problem = '', progress = 0 WHERE id = ?`, study.ID)
		case errors.Is(err, sql.ErrNoRows):
			var res sql.Result
			if res, err = tx.ExecContext(ctx, `INSERT INTO studies (part_id, kind, from_revision, to_revision, about, created_by, created_at) VALUES (?, ?, ?, ?, ?, ?, ?)`,
				ask.PartID, ask.Kind, ask.From, ask.To, ask.About, ask.CreatedBy, now()); err == nil {
				study.ID, err = res.LastInsertId()
			}
		}
		if err != nil {
			return err
		}
		if _, err := tx.ExecContext(ctx, `INSERT INTO jobs (part_id, kind, state, from_revision, study_id, created_at) VALUES (?, ?, 'queued', ?, ?, ?)`,
			ask.PartID, record.Look, ask.From, study.ID, now()); err != nil {
			return err
		}
		return tx.GetContext(ctx, &study, `SELECT * FROM studies WHERE id = ?`, study.ID)
	})
	return study, err
}

// Study is one study of a part.
func (s *Store) Study(ctx context.Context, part, id int64) (record.Study, error) {
	var study record.Study
	err := s.db.GetContext(ctx, &study, `SELECT * FROM studies WHERE id = ? AND part_id = ?`, id, part)
	return study, missing(err)
}

// FinishStudy records what a study found, and where the files lie that came with it,
// while the job is still the worker's.
func (s *Store) FinishStudy(ctx context.Context, job *record.Job, worker string, result []byte, files map[string]string) error {
	where, err := json.Marshal(files)
	if err != nil {
		return err
	}
	return s.in(ctx, func(tx *sqlx.Tx) error {
		if err := mine(ctx, tx, job, worker, `UPDATE jobs SET state = 'done', finished_at = ? WHERE id = ? AND worker = ? AND state = 'running'`, now()); err != nil {
			return err
		}
		_, err := tx.ExecContext(ctx, `UPDATE studies SET state = 'done', stage = '', progress = 1, result = ?, files = ? WHERE id = ?`, string(result), string(where), *job.StudyID)
		return err
	})
}
