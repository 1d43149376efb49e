package store

import (
	"context"
	"errors"
	"time"

	"github.com/go-sql-driver/mysql"
	"github.com/jmoiron/sqlx"

	"veneer/bureau/record"
)

// ErrTaken says that a name is somebody's already.
var ErrTaken = errors.New("somebody has that name already")

// AddPerson records somebody who may sign in.
func (s *Store) AddPerson(ctx context.Context, by string, p record.Person) error {
	return s.in(ctx, func(tx *sqlx.Tx) error {
		_, err := tx.ExecContext(ctx, `INSERT INTO people (name, role, password_hash, created_at) VALUES (?, ?, ?, ?)`, p.Name, p.Role, p.PasswordHash, now())
		var is *mysql.MySQLError
		if errors.As(err, &is) && is.Number == 1062 {
			return ErrTaken
		}
		if err != nil {
			return err
		}
		return note(ctx, tx, by, "person added", 0, 0, map[string]any{"name": p.Name, "role": p.Role})
	})
}

// People counts those who may sign in.
func (s *Store) People(ctx context.Context) (n int, err error) {
	return n, s.db.GetContext(ctx, &n, `SELECT COUNT(*) FROM people`)
}

// EveryPerson lists those who may sign in, and those who may no more.
func (s *Store) EveryPerson(ctx context.Context) ([]record.Person, error) {
	list := []record.Person{}
	return list, s.db.SelectContext(ctx, &list, `SELECT * FROM people ORDER BY name`)
}

// PersonNamed finds somebody by name.
func (s *Store) PersonNamed(ctx context.Context, name string) (record.Person, error) {
	var p record.Person
	return p, missing(s.db.GetContext(ctx, &p, `SELECT * FROM people WHERE name = ?`, name))
}

// ErrLast says that nobody would be left who may let people in.
var ErrLast = errors.New("there would be no administrator left")

// ChangePerson sets somebody's role, whether they may sign in, and when hash is not
// empty their password; their sessions and tokens end when they may not, or when the
// password changes.
func (s *Store) ChangePerson(ctx context.Context, by string, id int64, role record.Role, active bool, hash string) error {
	return s.in(ctx, func(tx *sqlx.Tx) error {
		var p record.Person
		if err := tx.GetContext(ctx, &p, `SELECT * FROM people WHERE id = ? FOR UPDATE`, id); err != nil {
			return missing(err)
		}
		if _, err := tx.ExecContext(ctx, `UPDATE people SET role = ?, active = ?, failures = 0, locked_until = NULL WHERE id = ?`, role, active, id); err != nil {
			return err
		}
		var left int
		if err := tx.GetContext(ctx, &left, `SELECT COUNT(*) FROM people WHERE role = ? AND active`, record.Administrator); err != nil {
			return err
		}
		if left == 0 {
			return ErrLast
		}
		if hash != "" {
			if _, err := tx.ExecContext(ctx, `UPDATE people SET password_hash = ? WHERE id = ?`, hash, id); err != nil {
				return err
			}
		}
		if hash != "" || !active {
			for _, table := range []string{"sessions", "tokens"} {
				if _, err := tx.ExecContext(ctx, `DELETE FROM `+table+` WHERE person_id = ?`, id); err != nil {
					return err
				}
			}
		}
		return note(ctx, tx, by, "person changed", 0, 0, map[string]any{"name": p.Name, "role": role, "active": active, "password": hash != ""})
	})
}

// SignInFailed counts a wrong password, and locks the person out from so many on.
func (s *Store) SignInFailed(ctx context.Context, id int64, most int, until time.Time) error {
	_, err := s.db.ExecContext(ctx, `UPDATE people SET failures = failures + 1, locked_until = IF(failures >= ?, ?, locked_until) WHERE id = ?`, most, until.UTC(), id)
	return err
}

// AddSession records a session by the hash of its token, and forgets old ones.
func (s *Store) AddSession(ctx context.Context, tokenHash string, person int64, until time.Time) error {
	if _, err := s.db.ExecContext(ctx, `DELETE FROM sessions WHERE expires_at < ?`, now()); err != nil {
		return err
	}
	if _, err := s.db.ExecContext(ctx, `UPDATE people SET failures = 0, locked_until = NULL WHERE id = ?`, person); err != nil {
		return err
	}
	_, err := s.db.ExecContext(ctx, `INSERT INTO sessions (token_hash, person_id, expires_at) VALUES (?, ?, ?)`, tokenHash, person, until.UTC())
	return err
}

// SessionPerson is whose session or personal token it is, while it lasts, and what a
// token is for: everything for a session.
func (s *Store) SessionPerson(ctx context.Context, tokenHash string) (p record.Person, scope record.Scope, err error) {
	err = s.db.GetContext(ctx, &p, `SELECT p.* FROM sessions s JOIN people p ON p.id = s.person_id WHERE s.token_hash = ? AND s.expires_at > ? AND p.active`, tokenHash, now())
	if missing(err) != ErrNotFound {
		return p, record.Everything, err
	}
	var t record.Token
	if err := s.db.GetContext(ctx, &t, `SELECT id, person_id, scope FROM tokens WHERE token_hash = ? AND expires_at > ?`, tokenHash, now()); err != nil {
		return p, "", missing(err)
	}
	if _, err := s.db.ExecContext(ctx, `UPDATE tokens SET used_at = ? WHERE id = ?`, now(), t.ID); err != nil {
		return p, "", err
	}
	return p, t.Scope, missing(s.db.GetContext(ctx, &p, `SELECT * FROM people WHERE id = ? AND active`, t.PersonID))
}

// EndSession forgets a session.
func (s *Store) EndSession(ctx context.Context, tokenHash string) error {
	_, err := s.db.ExecContext(ctx, `DELETE FROM sessions WHERE token_hash = ?`, tokenHash)
	return err
}

// AddToken records a personal token by its hash.
func (s *Store) AddToken(ctx context.Context, by string, t record.Token, hash string) (record.Token, error) {
	t.CreatedAt = now()
	return t, s.in(ctx, func(tx *sqlx.Tx) error {
		res, err := tx.ExecContext(ctx, `INSERT INTO tokens (person_id, name, token_hash, scope, created_at, expires_at) VALUES (?, ?, ?, ?, ?, ?)`,
			t.PersonID, t.Name, hash, t.Scope, t.CreatedAt, t.ExpiresAt.UTC())
		if err != nil {
			return err
		}
		if t.ID, err = res.LastInsertId(); err != nil {
			return err
		}
		return note(ctx, tx, by, "token made", 0, 0, map[string]any{"name": t.Name, "scope": t.Scope})
	})
}

// Tokens lists a person's tokens.
func (s *Store) Tokens(ctx context.Context, person int64) ([]record.Token, error) {
	list := []record.Token{}
	return list, s.db.SelectContext(ctx, &list, `SELECT id, person_id, name, scope, created_at, expires_at, used_at FROM tokens WHERE person_id = ? ORDER BY id`, person)
}

// EndToken forgets one of a person's tokens.
func (s *Store) EndToken(ctx context.Context, by string, person, id int64) error {
	return s.in(ctx, func(tx *sqlx.Tx) error {
		res, err := tx.ExecContext(ctx, `DELETE FROM tokens WHERE id = ? AND person_id = ?`, id, person)
		if err != nil {
			return err
		}
		if n, err := res.RowsAffected(); err != nil || n == 0 {
			return errors.Join(err, ErrNotFound)
		}
		return note(ctx, tx, by, "token ended", 0, 0, map[string]any{"token": id})
	})
}
