// Package store keeps the bureau's records in MariaDB.
//
// One method is one thing the bureau does to its records, in one transaction;
// the SQL is in plain sight. Jobs are rows taken under a lease, so that any
// number of workers may share a database and a killed worker loses nothing.
package store

import (
	"context"
	"database/sql"
	"embed"
	"errors"
	"fmt"
	"io/fs"
	"time"

	"github.com/go-sql-driver/mysql"
	"github.com/jmoiron/sqlx"
	"github.com/pressly/goose/v3"
)

// ErrNotFound says that there is no such record.
var ErrNotFound = errors.New("not found")

//go:embed migrations/*.sql
var migrations embed.FS

// Store is the bureau's database.
type Store struct{ db *sqlx.DB }

// Open connects to a database and brings its tables up to date.
func Open(ctx context.Context, dsn string) (*Store, error) {
	c, err := mysql.ParseDSN(dsn)
	if err != nil {
		return nil, fmt.Errorf("database address: %w", err)
	}
	c.ParseTime, c.Loc, c.Collation, c.ClientFoundRows = true, time.UTC, "utf8mb4_unicode_ci", true
	if c.Params == nil {
		c.Params = map[string]string{}
	}
	c.Params["time_zone"] = "'+00:00'"
	connector, err := mysql.NewConnector(c)
	if err != nil {
		return nil, err
	}
	db := sqlx.NewDb(sql.OpenDB(connector), "mysql")
	db.SetMaxOpenConns(32)
	db.SetMaxIdleConns(8)
	files, err := fs.Sub(migrations, "migrations")
	if err != nil {
		return nil, err
	}
	provider, err := goose.NewProvider(goose.DialectMySQL, db.DB, files)
	if err == nil {
		_, err = provider.Up(ctx)
	}
	if err != nil {
		db.Close()
		return nil, fmt.Errorf("bring the database up to date: %w", err)
	}
	return &Store{db}, nil
}

// Close lets go of the database.
func (s *Store) Close() error { return s.db.Close() }

// Ready reports whether the database answers.
func (s *Store) Ready(ctx context.Context) error { return s.db.PingContext(ctx) }

// now is the time as the database keeps it.
func now() time.Time { return time.Now().UTC().Truncate(time.Microsecond) }

// in runs do in a transaction under READ COMMITTED, where taking a job does
// not keep others from adding one.
// Two that wait for each other are told so by the database, which undoes the one; that
// one is done again.
func (s *Store) in(ctx context.Context, do func(*sqlx.Tx) error) error {
	for try := 1; ; try++ {
		err := s.once(ctx, do)
		var is *mysql.MySQLError
		if !errors.As(err, &is) || is.Number != 1213 || try == 10 {
			return err
		}
	}
}

func (s *Store) once(ctx context.Context, do func(*sqlx.Tx) error) error {
	tx, err := s.db.BeginTxx(ctx, &sql.TxOptions{Isolation: sql.LevelReadCommitted})
	if err != nil {
		return err
	}
	if err := do(tx); err != nil {
		tx.Rollback()
		return err
	}
	return tx.Commit()
}

func nullable(id int64) *int64 {
	if id == 0 {
		return nil
	}
	return &id
}

func missing(err error) error {
	if errors.Is(err, sql.ErrNoRows) {
		return ErrNotFound
	}
	return err
}
