package store

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"time"

	"github.com/jmoiron/sqlx"

	"veneer/bureau/record"
)

// AddLink records an address that shows one part's report, by the hash of its token.
func (s *Store) AddLink(ctx context.Context, person string, part int64, tokenHash string, until time.Time) error {
	return s.in(ctx, func(tx *sqlx.Tx) error {
		var batch int64
		if err := tx.GetContext(ctx, &batch, `SELECT batch_id FROM parts WHERE id = ?`, part); err != nil {
			return missing(err)
		}
		if _, err := tx.ExecContext(ctx, `INSERT INTO links (part_id, token_hash, created_by, created_at, expires_at) VALUES (?, ?, ?, ?, ?)`, part, tokenHash, person, now(), until.UTC()); err != nil {
			return err
		}
		return note(ctx, tx, person, "link made", batch, part, map[string]any{"until": until.UTC().Format(time.DateOnly)})
	})
}

// LinkedPart is the part that a link shows, while it lasts. That it was opened is kept.
func (s *Store) LinkedPart(ctx context.Context, tokenHash string) (part int64, err error) {
	if err := s.db.GetContext(ctx, &part, `SELECT part_id FROM links WHERE token_hash = ? AND expires_at > ?`, tokenHash, now()); err != nil {
		return 0, missing(err)
	}
	_, err = s.db.ExecContext(ctx, `UPDATE links SET opened_at = ? WHERE token_hash = ?`, now(), tokenHash)
	return part, err
}

// Links lists the links to a part that last, the oldest first.
func (s *Store) Links(ctx context.Context, part int64) ([]record.Link, error) {
	list := []record.Link{}
	return list, s.db.SelectContext(ctx, &list, `SELECT id, part_id, created_by, created_at, expires_at, opened_at FROM links WHERE part_id = ? AND expires_at > ? ORDER BY id`, part, now())
}

// EndLink ends one link to a part, or all of them for 0.
func (s *Store) EndLink(ctx context.Context, person string, part, link int64) error {
	return s.in(ctx, func(tx *sqlx.Tx) error {
		var batch int64
		if err := tx.GetContext(ctx, &batch, `SELECT batch_id FROM parts WHERE id = ?`, part); err != nil {
			return missing(err)
		}
		res, err := tx.ExecContext(ctx, `DELETE FROM links WHERE part_id = ? AND ? IN (0, id)`, part, link)
		if err != nil {
			return err
		}
		n, err := res.RowsAffected()
		if err != nil || n == 0 && link != 0 {
			return errors.Join(err, ErrNotFound)
		}
		return note(ctx, tx, person, "links ended", batch, part, map[string]any{"links": n})
	})
}

// AddHook records somebody to be told.
func (s *Store) AddHook(ctx context.Context, person, url, secret string) (h record.Hook, err error) {
	h = record.Hook{URL: url, CreatedBy: person, CreatedAt: now()}
	return h, s.in(ctx, func(tx *sqlx.Tx) error {
		res, err := tx.ExecContext(ctx, `INSERT INTO hooks (url, secret, created_by, created_at) VALUES (?, ?, ?, ?)`, url, secret, person, h.CreatedAt)
		if err != nil {
			return err
		}
		if h.ID, err = res.LastInsertId(); err != nil {
			return err
		}
		return note(ctx, tx, person, "hook added", 0, 0, map[string]any{"url": url})
	})
}

// Hooks lists who is told, with the last trouble in telling them.
func (s *Store) Hooks(ctx context.Context) ([]record.Hook, error) {
	list := []record.Hook{}
	return list, s.db.SelectContext(ctx, &list, `SELECT h.id, h.url, h.created_by, h.created_at, (SELECT COUNT(*) FROM deliveries d WHERE d.hook_id = h.id AND d.state = 'waiting') AS waiting,
		COALESCE((SELECT d.error FROM deliveries d WHERE d.hook_id = h.id ORDER BY d.id DESC LIMIT 1), '') AS error FROM hooks h ORDER BY h.id`)
}

// EndHook has somebody told no more.
func (s *Store) EndHook(ctx context.Context, person string, id int64) error {
	return s.in(ctx, func(tx *sqlx.Tx) error {
		res, err := tx.ExecContext(ctx, `DELETE FROM hooks WHERE id = ?`, id)
		if err != nil {
			return err
		}
		if n, err := res.RowsAffected(); err != nil || n == 0 {
			return errors.Join(err, ErrNotFound)
		}
		return note(ctx, tx, person, "hook ended", 0, 0, map[string]any{"hook": id})
	})
}

// tell queues an event for everybody who is told, in the transaction of what it tells
// of: it is told at least once, whatever happens.
func tell(ctx context.Context, tx *sqlx.Tx, event string, what any) error {
	body, err := json.Marshal(map[string]any{"event": event, "at": now(), "about": what})
	if err != nil {
		return err
	}
	_, err = tx.ExecContext(ctx, `INSERT INTO deliveries (hook_id, event, body, next_at, created_at) SELECT id, ?, ?, ?, ? FROM hooks`, event, string(body), now(), now())
	return err
}

// told queues what a finished job gives to tell: a question that opened, and a batch of
// which nothing waits any more.
func told(ctx context.Context, tx *sqlx.Tx, batch, part int64, held bool) error {
	if held {
		if err := tell(ctx, tx, "question.opened", map[string]any{"batch": batch, "part": part}); err != nil {
			return err
		}
	}
	var left int
	if err := tx.GetContext(ctx, &left, `SELECT COUNT(*) FROM parts WHERE batch_id = ? AND state IN ('waiting', 'working')`, batch); err != nil || left > 0 {
		return err
	}
	return tell(ctx, tx, "batch.done", map[string]any{"batch": batch})
}

// TakeDelivery takes the next delivery that is due, and keeps others off it for a
// minute; nil when there is none.
func (s *Store) TakeDelivery(ctx context.Context) (*record.Delivery, error) {
	var d record.Delivery
	err := s.in(ctx, func(tx *sqlx.Tx) error {
		if err := tx.GetContext(ctx, &d, `SELECT d.id, d.event, d.body, d.attempts, h.url, h.secret FROM deliveries d JOIN hooks h ON h.id = d.hook_id
			WHERE d.state = 'waiting' AND d.next_at <= ? ORDER BY d.next_at LIMIT 1 FOR UPDATE SKIP LOCKED`, now()); err != nil {
			return err
		}
		d.Attempts++
		_, err := tx.ExecContext(ctx, `UPDATE deliveries SET attempts = ?, next_at = ? WHERE id = ?`, d.Attempts, now().Add(time.Minute), d.ID)
		return err
	})
	if errors.Is(err, sql.ErrNoRows) {
		return nil, nil
	}
	return &d, err
}

// Delivered records how a delivery went: state is done, failed, or waiting for next.
func (s *Store) Delivered(ctx context.Context, id int64, state, why string, next time.Time) error {
	_, err := s.db.ExecContext(ctx, `UPDATE deliveries SET state = ?, error = ?, next_at = ? WHERE id = ?`, state, why[:min(len(why), 500)], next.UTC(), id)
	return err
}
