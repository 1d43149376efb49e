package store

import (
	"context"
	"database/sql"
	"errors"
	"fmt"

	"github.com/jmoiron/sqlx"

	"veneer/bureau/record"
)

// ErrState says that a record is not where the request thinks it is.
var ErrState = errors.New("that cannot be done as things stand")

// Propose says that a part's newest revision is fit to be handed over.
func (s *Store) Propose(ctx context.Context, person string, part int64) error {
	return s.in(ctx, func(tx *sqlx.Tx) error {
		var p struct {
			BatchID int64            `db:"batch_id"`
			State   record.PartState `db:"state"`
			Current int              `db:"current"`
			Signed  string           `db:"signed"`
			Verdict string           `db:"verdict"`
		}
		if err := tx.GetContext(ctx, &p, `SELECT p.batch_id, p.state, p.current, p.signed, r.verdict FROM parts p JOIN revisions r ON r.part_id = p.id AND r.number = p.current WHERE p.id = ? FOR UPDATE`, part); err != nil {
			return missing(err)
		}
		switch {
		case p.State == record.PartWaiting || p.State == record.PartWorking:
			return ErrBusy
		case p.Signed == string(record.Proposed) || p.Signed == string(record.Approved):
			return fmt.Errorf("%w: it is %s already", ErrState, p.Signed)
		case p.Verdict == "" || p.Verdict == "hold":
			return fmt.Errorf("%w: a question is open", ErrState)
		}
		if _, err := tx.ExecContext(ctx, `INSERT INTO signoffs (part_id, revision, state, proposed_by, proposed_at) VALUES (?, ?, ?, ?, ?)`, part, p.Current, record.Proposed, person, now()); err != nil {
			return err
		}
		if _, err := tx.ExecContext(ctx, `UPDATE parts SET signed = ?, updated_at = ? WHERE id = ?`, record.Proposed, now(), part); err != nil {
			return err
		}
		return note(ctx, tx, person, "sign-off proposed", p.BatchID, part, map[string]any{"revision": p.Current})
	})
}

// Decide approves what was proposed, or sends it back with a remark. With another, who
// proposed does not approve.
func (s *Store) Decide(ctx context.Context, person string, part int64, approve, another bool, remark string) error {
	state, action := record.SentBack, "sign-off sent back"
	if approve {
		state, action = record.Approved, "signed off"
	}
	return s.in(ctx, func(tx *sqlx.Tx) error {
		var p struct {
			BatchID int64  `db:"batch_id"`
			Signed  string `db:"signed"`
		}
		if err := tx.GetContext(ctx, &p, `SELECT batch_id, signed FROM parts WHERE id = ? FOR UPDATE`, part); err != nil {
			return missing(err)
		}
		if p.Signed != string(record.Proposed) {
			return fmt.Errorf("%w: nothing is proposed", ErrState)
		}
		var by string
		if err := tx.GetContext(ctx, &by, `SELECT proposed_by FROM signoffs WHERE part_id = ? AND state = ?`, part, record.Proposed); err != nil {
			return missing(err)
		}
		if another && approve && by == person {
			return fmt.Errorf("%w: %s proposed it; somebody else approves", ErrState, person)
		}
		if _, err := tx.ExecContext(ctx, `UPDATE signoffs SET state = ?, decided_by = ?, decided_at = ?, remark = ? WHERE part_id = ? AND state = ?`, state, person, now(), remark, part, record.Proposed); err != nil {
			return err
		}
		if _, err := tx.ExecContext(ctx, `UPDATE parts SET signed = ?, updated_at = ? WHERE id = ?`, state, now(), part); err != nil {
			return err
		}
		return note(ctx, tx, person, action, p.BatchID, part, map[string]any{"remark": remark})
	})
}

// withdraw takes a sign-off back that a change has overtaken.
func withdraw(ctx context.Context, tx *sqlx.Tx, batch, part int64) error {
	res, err := tx.ExecContext(ctx, `UPDATE signoffs SET state = ?, decided_at = ? WHERE part_id = ? AND state IN (?, ?)`, record.Withdrawn, now(), part, record.Proposed, record.Approved)
	if err != nil {
		return err
	}
	if n, err := res.RowsAffected(); err != nil || n == 0 {
		return err
	}
	if _, err := tx.ExecContext(ctx, `UPDATE parts SET signed = '' WHERE id = ?`, part); err != nil {
		return err
	}
	return note(ctx, tx, "veneer", "sign-off withdrawn", batch, part, map[string]any{"why": "the part changes"})
}

// Signoffs lists a part's sign-offs, the newest last.
func (s *Store) Signoffs(ctx context.Context, part int64) ([]record.Signoff, error) {
	list := []record.Signoff{}
	return list, s.db.SelectContext(ctx, &list, `SELECT * FROM signoffs WHERE part_id = ? ORDER BY id`, part)
}

// AddNote keeps what somebody wrote about a part, or about a kind of finding of it.
func (s *Store) AddNote(ctx context.Context, person string, part int64, kind, text string) error {
	return s.in(ctx, func(tx *sqlx.Tx) error {
		var batch int64
		if err := tx.GetContext(ctx, &batch, `SELECT batch_id FROM parts WHERE id = ? FOR UPDATE`, part); err != nil {
			return missing(err)
		}
		if _, err := tx.ExecContext(ctx, `INSERT INTO notes (part_id, kind, text, created_by, created_at) VALUES (?, ?, ?, ?, ?)`, part, kind, text, person, now()); err != nil {
			return err
		}
		if err := addWords(ctx, tx, part, text); err != nil {
			return err
		}
		return note(ctx, tx, person, "note written", batch, part, map[string]any{"kind": kind, "text": text})
	})
}

// Notes lists what was written about a part, the oldest first.
func (s *Store) Notes(ctx context.Context, part int64) ([]record.Note, error) {
	list := []record.Note{}
	return list, s.db.SelectContext(ctx, &list, `SELECT * FROM notes WHERE part_id = ? ORDER BY id`, part)
}

// addWords has a part found by more words.
func addWords(ctx context.Context, tx *sqlx.Tx, part int64, words string) error {
	_, err := tx.ExecContext(ctx, `UPDATE parts SET words = LEFT(CONCAT(words, ' ', ?), 20000), updated_at = ? WHERE id = ?`, words, now(), part)
	return err
}

// SameBytes finds the newest other part that came as the very same bytes and was
// checked, and what came of it; nil when there is none.
func (s *Store) SameBytes(ctx context.Context, part int64) (*record.Seen, error) {
	var seen record.Seen
	err := s.db.GetContext(ctx, &seen, `SELECT q.id AS part_id, q.name, q.batch_id, b.name AS batch_name, q.created_at, q.current, q.unit_set, q.answers, COALESCE(c.verdict, '') AS verdict
		FROM revisions r JOIN revisions s ON s.file_sha256 = r.file_sha256 AND s.number = 0 AND s.part_id <> r.part_id
		JOIN parts q ON q.id = s.part_id JOIN batches b ON b.id = q.batch_id LEFT JOIN revisions c ON c.part_id = q.id AND c.number = q.current
		WHERE r.part_id = ? AND r.number = 0 AND s.verdict <> '' AND q.id < ? ORDER BY q.id DESC LIMIT 1`, part, part)
	if errors.Is(err, sql.ErrNoRows) {
		return nil, nil
	}
	return &seen, err
}
