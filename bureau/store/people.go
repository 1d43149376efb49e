package store

import (
	"context"
	"time"

	"github.com/jmoiron/sqlx"

	"veneer/bureau/record"
)

// AddPerson records somebody who may sign in.
func (s *Store) AddPerson(ctx context.Context, by string, p record.Person) error {
	return s.in(ctx, func(tx *sqlx.Tx) error {
		if _, err := tx.ExecContext(ctx, `INSERT INTO people (name, role, password_hash, created_at) VALUES (?, ?, ?, ?)`, p.Name, p.Role, p.PasswordHash, now()); err != nil {
			return err
		}
		return note(ctx, tx, by, "person added", 0, 0, map[string]any{"name": p.Name, "role": p.Role})
	})
}

// People counts those who may sign in.
func (s *Store) People(ctx context.Context) (n int, err error) {
	return n, s.db.GetContext(ctx, &n, `SELECT COUNT(*) FROM people`)
}

// PersonNamed finds somebody by name.
func (s *Store) PersonNamed(ctx context.Context, name string) (record.Person, error) {
	var p record.Person
	return p, missing(s.db.GetContext(ctx, &p, `SELECT * FROM people WHERE name = ?`, name))
}

// AddSession records a session by the hash of its token, and forgets old ones.
func (s *Store) AddSession(ctx context.Context, tokenHash string, person int64, until time.Time) error {
	if _, err := s.db.ExecContext(ctx, `DELETE FROM sessions WHERE expires_at < ?`, now()); err != nil {
		return err
	}
	_, err := s.db.ExecContext(ctx, `INSERT INTO sessions (token_hash, person_id, expires_at) VALUES (?, ?, ?)`, tokenHash, person, until.UTC())
	return err
}

// SessionPerson is whose session it is, while it lasts.
func (s *Store) SessionPerson(ctx context.Context, tokenHash string) (record.Person, error) {
	var p record.Person
	return p, missing(s.db.GetContext(ctx, &p, `SELECT p.* FROM sessions s JOIN people p ON p.id = s.person_id WHERE s.token_hash = ? AND s.expires_at > ?`, tokenHash, now()))
}

// EndSession forgets a session.
func (s *Store) EndSession(ctx context.Context, tokenHash string) error {
	_, err := s.db.ExecContext(ctx, `DELETE FROM sessions WHERE token_hash = ?`, tokenHash)
	return err
}
