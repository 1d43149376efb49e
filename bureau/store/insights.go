package store

import (
	"context"
	"slices"
	"time"

	"veneer/bureau/record"
)

// Insights sums up what came since a time: by week, by finding, by customer and by
// format, and how long it took from intake to sign-off.
func (s *Store) Insights(ctx context.Context, since time.Time) (in record.Insights, err error) {
	in = record.Insights{Since: since.UTC(), Weeks: []record.Week{}, Findings: []record.FindingTally{}, Customers: []record.SourceTally{}, Formats: []record.SourceTally{}}
	const parts = ` FROM parts p JOIN batches b ON b.id = p.batch_id JOIN revisions z ON z.part_id = p.id AND z.number = 0 LEFT JOIN revisions r ON r.part_id = p.id AND r.number = p.current WHERE p.created_at >= ?`
	const troubled = `z.id IN (SELECT revision_id FROM findings WHERE severity IN ('error', 'question'))`
	for _, q := range []struct {
		to    any
		query string
	}{
		{&in.Weeks, `SELECT DATE_FORMAT(DATE_SUB(p.created_at, INTERVAL WEEKDAY(p.created_at) DAY), '%Y-%m-%d') AS monday, COUNT(*) AS parts, SUM(r.verdict = 'pass' AND p.current = 0) AS pass, SUM(r.verdict = 'pass' AND p.current > 0) AS repaired,
			SUM(r.verdict = 'repair') AS repair, SUM(r.verdict = 'hold') AS hold, SUM(r.verdict = 'reject') AS reject` + parts + ` AND z.verdict <> '' GROUP BY monday ORDER BY monday`},
		{&in.Findings, `SELECT f.kind, COUNT(*) AS parts, SUM(r.verdict = 'pass') AS settled FROM parts p JOIN revisions z ON z.part_id = p.id AND z.number = 0 JOIN findings f ON f.revision_id = z.id AND f.severity IN ('error', 'question')
			LEFT JOIN revisions r ON r.part_id = p.id AND r.number = p.current WHERE p.created_at >= ? GROUP BY f.kind ORDER BY parts DESC, f.kind`},
		{&in.Customers, `SELECT b.customer AS name, COUNT(*) AS parts, SUM(` + troubled + `) AS troubled` + parts + ` GROUP BY b.customer ORDER BY troubled DESC, parts DESC, name LIMIT 20`},
		{&in.Formats, `SELECT SUBSTRING_INDEX(p.format, '-', 1) AS name, COUNT(*) AS parts, SUM(` + troubled + `) AS troubled` + parts + ` AND p.format <> '' GROUP BY name ORDER BY parts DESC, name`},
	} {
		if err := s.db.SelectContext(ctx, q.to, q.query, since.UTC()); err != nil {
			return in, err
		}
	}
	for i := range in.Customers {
		c := &in.Customers[i]
		if err := s.db.SelectContext(ctx, &c.Kinds, `SELECT f.kind FROM parts p JOIN batches b ON b.id = p.batch_id JOIN revisions z ON z.part_id = p.id AND z.number = 0 JOIN findings f ON f.revision_id = z.id AND f.severity IN ('error', 'question')
			WHERE p.created_at >= ? AND b.customer = ? GROUP BY f.kind ORDER BY COUNT(*) DESC, f.kind LIMIT 3`, since.UTC(), c.Name); err != nil {
			return in, err
		}
	}
	var hours []float64
	if err := s.db.SelectContext(ctx, &hours, `SELECT TIMESTAMPDIFF(SECOND, p.created_at, s.decided_at) / 3600 FROM signoffs s JOIN parts p ON p.id = s.part_id WHERE s.state = 'approved' AND p.created_at >= ?`, since.UTC()); err != nil {
		return in, err
	}
	if in.SignedOff = len(hours); len(hours) > 0 {
		slices.Sort(hours)
		in.HoursToSignOff = &hours[len(hours)/2]
	}
	return in, nil
}
