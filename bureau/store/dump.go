package store

import (
	"bufio"
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"
	"time"

	"github.com/jmoiron/sqlx"
)

// tables are all there are, those that others refer to first. Sessions are left out:
// who comes back after a restore signs in again.
var tables = []string{"processes", "people", "tokens", "batches", "parts", "revisions", "findings", "companions", "studies", "jobs", "signoffs", "notes", "links", "hooks", "deliveries", "audit", "chain"}

// dumpHead begins a dump.
type dumpHead struct {
	Schema  string `json:"schema"`
	Version int64  `json:"version"` // of the tables
}

const dumpSchema = "veneer.dump/1"

type dumpTable struct {
	Table   string   `json:"table"`
	Columns []string `json:"columns"`
}

// Dump writes all records as lines of JSON: a head, then for each table its name and
// columns, and a line for each row. It sees one moment, whatever happens meanwhile.
func (s *Store) Dump(ctx context.Context, out io.Writer) error {
	tx, err := s.db.BeginTxx(ctx, &sql.TxOptions{Isolation: sql.LevelRepeatableRead, ReadOnly: true})
	if err != nil {
		return err
	}
	defer tx.Rollback()
	w := bufio.NewWriter(out)
	lines := json.NewEncoder(w)
	head := dumpHead{Schema: dumpSchema}
	if err := tx.GetContext(ctx, &head.Version, `SELECT MAX(version_id) FROM goose_db_version WHERE is_applied`); err != nil {
		return err
	}
	if err := lines.Encode(head); err != nil {
		return err
	}
	for _, table := range tables {
		rows, err := tx.QueryxContext(ctx, `SELECT * FROM `+table+` ORDER BY 1`)
		if err != nil {
			return err
		}
		columns, err := rows.Columns()
		if err == nil {
			err = lines.Encode(dumpTable{table, columns})
		}
		for err == nil && rows.Next() {
			var row []any
			if row, err = rows.SliceScan(); err != nil {
				break
			}
			for i, v := range row {
				switch v := v.(type) {
				case []byte:
					row[i] = string(v)
				case time.Time:
					row[i] = v.UTC().Format("2006-01-02 15:04:05.000000")
				}
			}
			err = lines.Encode(row)
		}
		if err := errors.Join(err, rows.Err(), rows.Close()); err != nil {
			return fmt.Errorf("%s: %w", table, err)
		}
	}
	return w.Flush()
}

// Load puts the records of a dump into a database that has none.
func (s *Store) Load(ctx context.Context, in io.Reader) error {
	if n, err := s.People(ctx); err != nil || n > 0 {
		return errors.Join(err, errors.New("there are records already; restore into an empty folder"))
	}
	tx, err := s.db.BeginTxx(ctx, nil)
	if err != nil {
		return err
	}
	defer tx.Rollback()
	if _, err := tx.ExecContext(ctx, `SET FOREIGN_KEY_CHECKS = 0`); err != nil {
		return err
	}
	if _, err := tx.ExecContext(ctx, `DELETE FROM chain`); err != nil {
		return err
	}
	lines := json.NewDecoder(in)
	lines.UseNumber()
	var head dumpHead
	if err := lines.Decode(&head); err != nil || head.Schema != dumpSchema {
		return errors.Join(err, errors.New("this is no dump of Veneer's records"))
	}
	var version int64
	if err := tx.GetContext(ctx, &version, `SELECT MAX(version_id) FROM goose_db_version WHERE is_applied`); err != nil {
		return err
	}
	if head.Version != version {
		return fmt.Errorf("the dump is of version %d of the records, this program's is %d; restore it with the program that made it", head.Version, version)
	}
	known := map[string]bool{}
	for _, t := range tables {
		known[t] = true
	}
	insert := ""
	for {
		var line json.RawMessage
		if err := lines.Decode(&line); err == io.EOF {
			break
		} else if err != nil {
			return err
		}
		if line[0] == '{' {
			var t dumpTable
			if err := json.Unmarshal(line, &t); err != nil || !known[t.Table] {
				return errors.Join(err, fmt.Errorf("the dump has a table %q that is not known", t.Table))
			}
			quoted := make([]string, len(t.Columns))
			for i, c := range t.Columns {
				quoted[i] = "`" + strings.ReplaceAll(c, "`", "") + "`"
			}
			insert = `INSERT INTO ` + t.Table + ` (` + strings.Join(quoted, ", ") + `) VALUES (?` + strings.Repeat(", ?", len(quoted)-1) + `)`
			continue
		}
		var row []any
		numbers := json.NewDecoder(strings.NewReader(string(line)))
		numbers.UseNumber()
		if err := numbers.Decode(&row); err != nil {
			return err
		}
		for i, v := range row {
			if n, is := v.(json.Number); is {
				row[i] = n.String()
			}
		}
		if _, err := tx.ExecContext(ctx, insert, row...); err != nil {
			return fmt.Errorf("%.60s…: %w", insert, err)
		}
	}
	if _, err := tx.ExecContext(ctx, `SET FOREIGN_KEY_CHECKS = 1`); err != nil {
		return err
	}
	return tx.Commit()
}

// Files lists the SHA-256 of every file of the vault that some record needs, each once.
func (s *Store) Files(ctx context.Context) (sums []string, err error) {
	if err := s.db.SelectContext(ctx, &sums, `SELECT DISTINCT sum FROM (
		SELECT file_sha256 AS sum FROM revisions UNION ALL SELECT picture_sha256 FROM revisions UNION ALL SELECT view_sha256 FROM revisions
		UNION ALL SELECT light_sha256 FROM revisions UNION ALL SELECT front_sha256 FROM revisions UNION ALL SELECT marked_sha256 FROM revisions
		UNION ALL SELECT sha256 FROM companions) AS files WHERE sum <> ''`); err != nil {
		return nil, err
	}
	more, err := s.studyFiles(ctx)
	if err != nil {
		return nil, err
	}
	sums = append(sums, more...)
	slices.Sort(sums)
	return slices.Compact(sums), nil
}

// studyFiles lists the files that came with studies, and the pictures of questions'
// outcomes in reports.
func (s *Store) studyFiles(ctx context.Context) (sums []string, err error) {
	var texts []string
	if err := s.db.SelectContext(ctx, &texts, `SELECT files FROM studies`); err != nil {
		return nil, err
	}
	for _, text := range texts {
		var files map[string]string
		if err := json.Unmarshal([]byte(text), &files); err != nil {
			return nil, err
		}
		for _, sum := range files {
			if sum != "" {
				sums = append(sums, sum)
			}
		}
	}
	texts = nil
	if err := s.db.SelectContext(ctx, &texts, `SELECT JSON_EXTRACT(report, '$.questions[*].choices[*].picture') FROM revisions WHERE report LIKE '%"picture":%'`); err != nil {
		return nil, err
	}
	for _, text := range texts {
		var list []string
		if json.Unmarshal([]byte(text), &list) == nil {
			sums = append(sums, list...)
		}
	}
	return sums, nil
}

// OldOriginals lists the files as received that came before a time, and that no newer
// part or revision uses.
func (s *Store) OldOriginals(ctx context.Context, before time.Time) (sums []string, err error) {
	return sums, s.db.SelectContext(ctx, &sums, `SELECT DISTINCT r.file_sha256 FROM revisions r WHERE r.number = 0 AND r.created_at < ?
		AND NOT EXISTS (SELECT 1 FROM revisions q WHERE q.file_sha256 = r.file_sha256 AND (q.number > 0 OR q.created_at >= ?)) ORDER BY 1`, before.UTC(), before.UTC())
}

// Note adds a line to the audit trail that is about no batch.
func (s *Store) Note(ctx context.Context, person, action string, detail any) error {
	return s.in(ctx, func(tx *sqlx.Tx) error { return note(ctx, tx, person, action, 0, 0, detail) })
}
