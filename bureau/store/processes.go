package store

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"time"

	"github.com/jmoiron/sqlx"

	"veneer/bureau/record"
	"veneer/core/process"
)

// processRow is a process that was changed or added, as it is kept.
type processRow struct {
	Name      string      `db:"name"`
	Limits    record.JSON `db:"limits"`
	ChangedBy string      `db:"changed_by"`
	ChangedAt time.Time   `db:"changed_at"`
}

// Processes lists the printing processes by name: those that come along, as they are
// now, and those that were added.
func (s *Store) Processes(ctx context.Context) ([]record.ProcessRow, error) {
	return processes(ctx, s.db)
}

func processes(ctx context.Context, db sqlx.QueryerContext) ([]record.ProcessRow, error) {
	var list []record.ProcessRow
	for _, p := range process.All() {
		list = append(list, record.ProcessRow{Process: p, Origin: record.Shipped})
	}
	var rows []processRow
	if err := sqlx.SelectContext(ctx, db, &rows, `SELECT * FROM processes`); err != nil {
		return nil, err
	}
	for _, row := range rows {
		p := record.ProcessRow{Origin: record.Changed, ChangedBy: row.ChangedBy, ChangedAt: &row.ChangedAt}
		if err := json.Unmarshal(row.Limits, &p.Process); err != nil {
			return nil, fmt.Errorf("the process %s: %w", row.Name, err)
		}
		if at := slices.IndexFunc(list, func(q record.ProcessRow) bool { return q.Name == row.Name }); at >= 0 {
			list[at] = p
			continue
		}
		p.Origin = record.Added
		list = append(list, p)
	}
	slices.SortFunc(list, func(a, b record.ProcessRow) int { return strings.Compare(a.Name, b.Name) })
	return list, nil
}

// Process finds a process by name; the error lists those there are.
func (s *Store) Process(ctx context.Context, name string) (process.Process, error) {
	list, err := s.Processes(ctx)
	if err != nil {
		return process.Process{}, err
	}
	var plain []process.Process
	for _, p := range list {
		plain = append(plain, p.Process)
	}
	return process.Find(plain, name)
}

// SetProcess changes a process, or adds one. What differs goes into the audit trail.
func (s *Store) SetProcess(ctx context.Context, person string, p process.Process) error {
	limits, err := json.Marshal(p)
	if err != nil {
		return err
	}
	return s.in(ctx, func(tx *sqlx.Tx) error {
		was, is, err := processNamed(ctx, tx, p.Name)
		if err != nil {
			return err
		}
		if _, err := tx.ExecContext(ctx, `INSERT INTO processes (name, limits, changed_by, changed_at) VALUES (?, ?, ?, ?)
			ON DUPLICATE KEY UPDATE limits = VALUES(limits), changed_by = VALUES(changed_by), changed_at = VALUES(changed_at)`, p.Name, limits, person, now()); err != nil {
			return err
		}
		if !is {
			return note(ctx, tx, person, "process added", 0, 0, map[string]any{"process": p.Name})
		}
		return noteChange(ctx, tx, person, was.Process, p)
	})
}

// ResetProcess brings a process back to what it came as, or takes out one that was
// added while no batch uses it.
func (s *Store) ResetProcess(ctx context.Context, person, name string) error {
	return s.in(ctx, func(tx *sqlx.Tx) error {
		was, is, err := processNamed(ctx, tx, name)
		switch {
		case err != nil:
			return err
		case !is:
			return ErrNotFound
		case was.Origin == record.Shipped:
			return fmt.Errorf("%w: %s is as it came", ErrState, name)
		}
		var used int
		if err := tx.GetContext(ctx, &used, `SELECT COUNT(*) FROM batches WHERE process = ?`, name); err != nil {
			return err
		}
		if was.Origin == record.Added && used > 0 {
			return fmt.Errorf("%w: batches use %s, %d of them", ErrState, name, used)
		}
		if _, err := tx.ExecContext(ctx, `DELETE FROM processes WHERE name = ?`, name); err != nil {
			return err
		}
		if was.Origin == record.Added {
			return note(ctx, tx, person, "process removed", 0, 0, map[string]any{"process": name})
		}
		shipped, err := process.Named(name)
		if err != nil {
			return err
		}
		return noteChange(ctx, tx, person, was.Process, shipped)
	})
}

// processNamed finds a process for a change; the table is locked against others.
func processNamed(ctx context.Context, tx *sqlx.Tx, name string) (p record.ProcessRow, is bool, err error) {
	var locked []string
	if err := tx.SelectContext(ctx, &locked, `SELECT name FROM processes WHERE name = ? FOR UPDATE`, name); err != nil {
		return p, false, err
	}
	list, err := processes(ctx, tx)
	if err != nil {
		return p, false, err
	}
	at := slices.IndexFunc(list, func(q record.ProcessRow) bool { return q.Name == name })
	if at < 0 {
		return p, false, nil
	}
	return list[at], true, nil
}

// noteChange tells the audit trail which limits of a process are others now.
func noteChange(ctx context.Context, tx *sqlx.Tx, person string, was, is process.Process) error {
	limits := func(p process.Process) (m map[string]any, err error) {
		text, err := json.Marshal(p)
		if err != nil {
			return nil, err
		}
		return m, json.Unmarshal(text, &m)
	}
	from, err := limits(was)
	if err != nil {
		return err
	}
	to, err := limits(is)
	if err != nil {
		return err
	}
	for name, value := range to {
		if fmt.Sprint(value) == fmt.Sprint(from[name]) {
			delete(from, name)
			delete(to, name)
		}
	}
	return note(ctx, tx, person, "process changed", 0, 0, map[string]any{"process": is.Name, "from": from, "to": to})
}
