package store

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"strings"
	"time"

	"github.com/jmoiron/sqlx"

	"veneer/bureau/record"
)

// The audit trail is a chain: each line carries a hash over itself and the hash of
// the line before it, so that a line that was changed, taken out or put in shows from
// there on. Where the chain ends is kept apart.

// note adds a line to the audit trail, in the transaction of what it tells of. The end
// of the chain is locked from then on until the transaction ends.
func note(ctx context.Context, tx *sqlx.Tx, person, action string, batch, part int64, detail any) error {
	text, err := json.Marshal(detail)
	if err != nil {
		return err
	}
	var last string
	if err := tx.GetContext(ctx, &last, `SELECT hash FROM chain WHERE id = 1 FOR UPDATE`); err != nil {
		return err
	}
	e := record.Event{At: now(), Person: person, Action: action, BatchID: nullable(batch), PartID: nullable(part), Detail: text}
	e.Hash = link(last, e)
	if _, err = tx.ExecContext(ctx, `INSERT INTO audit (at, person, action, batch_id, part_id, detail, hash) VALUES (?, ?, ?, ?, ?, ?, ?)`,
		e.At, e.Person, e.Action, e.BatchID, e.PartID, text, e.Hash); err != nil {
		return err
	}
	_, err = tx.ExecContext(ctx, `UPDATE chain SET hash = ? WHERE id = 1`, e.Hash)
	return err
}

// link is the hash of a line after the one of that hash.
func link(last string, e record.Event) string {
	of := func(id *int64) int64 {
		if id == nil {
			return 0
		}
		return *id
	}
	sum := sha256.Sum256(fmt.Appendf(nil, "%s\n%s\n%q\n%q\n%d\n%d\n%s", last, e.At.UTC().Format(time.RFC3339Nano), e.Person, e.Action, of(e.BatchID), of(e.PartID), []byte(e.Detail)))
	return hex.EncodeToString(sum[:])
}

// Audit lists what happened to a batch and its parts, oldest first.
func (s *Store) Audit(ctx context.Context, batch int64) ([]record.Event, error) {
	list := []record.Event{}
	return list, s.db.SelectContext(ctx, &list, `SELECT * FROM audit WHERE batch_id = ? ORDER BY id`, batch)
}

// Trail lists lines of the audit trail, the newest first: those of a person, of an
// action, of a part, where these are given, below the line `before` when that is not 0.
func (s *Store) Trail(ctx context.Context, q record.TrailQuery, before int64, limit int) ([]record.TrailLine, error) {
	where, args := []string{"TRUE"}, []any{}
	and := func(is bool, condition string, value any) {
		if is {
			where, args = append(where, condition), append(args, value)
		}
	}
	and(q.Person != "", `a.person = ?`, q.Person)
	and(q.Action != "", `a.action = ?`, q.Action)
	and(q.Part != 0, `a.part_id = ?`, q.Part)
	and(q.Batch != 0, `a.batch_id = ?`, q.Batch)
	and(before != 0, `a.id < ?`, before)
	list := []record.TrailLine{}
	return list, s.db.SelectContext(ctx, &list, `SELECT a.*, COALESCE(b.name, '') AS batch_name, COALESCE(p.name, '') AS part_name FROM audit a LEFT JOIN batches b ON b.id = a.batch_id LEFT JOIN parts p ON p.id = a.part_id
		WHERE `+strings.Join(where, " AND ")+` ORDER BY a.id DESC LIMIT ?`, append(args, limit)...)
}

// Actions lists all that the audit trail tells of, by name.
func (s *Store) Actions(ctx context.Context) ([]string, error) {
	list := []string{}
	return list, s.db.SelectContext(ctx, &list, `SELECT DISTINCT action FROM audit ORDER BY action`)
}

// VerifyAudit follows the chain of the audit trail, and returns how many lines hold,
// and the number of the first that does not; 0 when all do. Lines from before there
// was a chain count as what they are.
func (s *Store) VerifyAudit(ctx context.Context) (lines int, broken int64, err error) {
	var end string
	if err := s.db.GetContext(ctx, &end, `SELECT hash FROM chain WHERE id = 1`); err != nil {
		return 0, 0, err
	}
	rows, err := s.db.QueryxContext(ctx, `SELECT * FROM audit ORDER BY id`)
	if err != nil {
		return 0, 0, err
	}
	defer rows.Close()
	last, id := "", int64(0)
	for rows.Next() {
		var e record.Event
		if err := rows.StructScan(&e); err != nil {
			return 0, 0, err
		}
		if id = e.ID; last == "" && e.Hash == "" {
			lines++
			continue
		}
		if e.Hash != link(last, e) {
			return lines, e.ID, nil
		}
		last = e.Hash
		lines++
		if last == end { // what comes after was added meanwhile
			break
		}
	}
	if err := rows.Err(); err != nil {
		return 0, 0, err
	}
	if last != end {
		return lines, id + 1, nil // lines are missing at the end
	}
	return lines, 0, nil
}
