package store

import (
	"context"
	"strings"
	"unicode"

	"veneer/bureau/record"
)

// Search finds parts, the newest first, below the part `before` when that is not 0.
//
// Words are looked up by their beginnings in a full-text index, all of them together;
// finding and verdict by indexes of their own; what is left is compared row by row.
func (s *Store) Search(ctx context.Context, q record.Query, before int64, limit int) ([]record.Found, error) {
	from := `FROM parts p STRAIGHT_JOIN batches b ON b.id = p.batch_id LEFT JOIN revisions r ON r.part_id = p.id AND r.number = p.current`
	where, args := []string{"TRUE"}, []any{}
	and := func(condition string, values ...any) {
		where = append(where, condition)
		args = append(args, values...)
	}
	if words := searchWords(q.Text); words != "" {
		and(`MATCH (p.words) AGAINST (? IN BOOLEAN MODE)`, words)
	}
	if q.Finding != "" || q.Trouble {
		found, kind := ``, []any{}
		if q.Finding != "" {
			found, kind = found+` AND f.kind = ?`, []any{q.Finding}
		}
		if q.Trouble {
			found += ` AND f.severity IN ('error', 'question')`
		}
		and(`EXISTS (SELECT 1 FROM revisions z JOIN findings f ON f.revision_id = z.id WHERE z.part_id = p.id AND z.number = 0`+found+`)`, kind...)
	}
	if q.Format != "" {
		and(`SUBSTRING_INDEX(p.format, '-', 1) = ?`, q.Format)
	}
	if q.Mended != "" {
		and(`(r.verdict = 'pass' AND (SELECT z.verdict FROM revisions z WHERE z.part_id = p.id AND z.number = 0) <> 'pass') = ?`, q.Mended == "yes")
	}
	if q.Verdict != "" {
		and(`r.verdict = ?`, q.Verdict)
	}
	if q.Customer != "" {
		and(`b.customer = ?`, q.Customer)
	}
	if q.Process != "" {
		and(`b.process = ?`, q.Process)
	}
	if q.Signed != "" {
		and(`p.signed = ?`, q.Signed)
	}
	if q.LeastMM > 0 {
		and(`GREATEST(r.size_x, r.size_y, r.size_z) >= ?`, q.LeastMM)
	}
	if q.MostMM > 0 {
		and(`GREATEST(r.size_x, r.size_y, r.size_z) <= ?`, q.MostMM)
	}
	if !q.Since.IsZero() {
		and(`p.created_at >= ?`, q.Since.UTC())
	}
	if !q.Until.IsZero() {
		and(`p.created_at < ?`, q.Until.UTC())
	}
	if before > 0 {
		and(`p.id < ?`, before)
	}
	list := []record.Found{}
	err := s.db.SelectContext(ctx, &list, `SELECT `+partColumns+`, b.name AS batch_name, b.customer, b.process `+from+` WHERE `+strings.Join(where, " AND ")+` ORDER BY p.id DESC LIMIT ?`, append(args, limit)...)
	for i := range list {
		finish(&list[i].Part)
	}
	return list, err
}

// searchWords asks for all of a text's words by their beginnings. Words of fewer than
// three letters are in no index, and left out.
func searchWords(text string) string {
	var words []string
	for _, w := range strings.FieldsFunc(text, func(r rune) bool { return !unicode.IsLetter(r) && !unicode.IsDigit(r) && r != '_' }) {
		if len([]rune(w)) >= 3 {
			words = append(words, "+"+w+"*")
		}
	}
	return strings.Join(words, " ")
}
