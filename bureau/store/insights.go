package store

import (
	"context"
	"slices"
	"time"

	"veneer/bureau/record"
)

// Insights sums up what came since a time: by week, by finding, by customer and by
// format, how long it took from intake to sign-off, and what hollowing saved. With a
// kind of finding, only parts count that had it, as an error or a question.
func (s *Store) Insights(ctx context.Context, since time.Time, kind string) (in record.Insights, err error) {
	in = record.Insights{Since: since.UTC(), Finding: kind, Weeks: []record.Week{}, Findings: []record.FindingTally{}, Customers: []record.SourceTally{}, Formats: []record.SourceTally{}, Hollowed: []record.Hollowed{}}
	args, which := []any{since.UTC()}, ` WHERE p.created_at >= ?`
	if kind != "" {
		which += ` AND z.id IN (SELECT revision_id FROM findings WHERE kind = ? AND severity IN ('error', 'question'))`
		args = append(args, kind)
	}
	const (
		from     = ` FROM parts p STRAIGHT_JOIN batches b ON b.id = p.batch_id STRAIGHT_JOIN revisions z ON z.part_id = p.id AND z.number = 0 LEFT JOIN revisions r ON r.part_id = p.id AND r.number = p.current `
		troubled = `SUM(z.id IN (SELECT revision_id FROM findings WHERE severity IN ('error', 'question')))`
		monday   = `DATE_FORMAT(DATE_SUB(p.created_at, INTERVAL WEEKDAY(p.created_at) DAY), '%Y-%m-%d') AS monday`
	)
	parts, found := from+which, from+`STRAIGHT_JOIN findings f ON f.revision_id = z.id AND f.severity IN ('error', 'question')`+which
	var kinds []struct{ Name, Kind string }
	var signed []struct {
		Monday string
		Hours  float64
	}
	for _, q := range []struct {
		to    any
		query string
	}{
		{&in.Weeks, `SELECT ` + monday + `, COUNT(*) AS parts, SUM(r.verdict = 'pass' AND z.verdict = 'pass') AS pass, SUM(r.verdict = 'pass' AND z.verdict <> 'pass') AS repaired,
			SUM(r.verdict = 'repair') AS repair, SUM(r.verdict = 'hold') AS hold, SUM(r.verdict = 'reject') AS reject` + parts + ` AND z.verdict <> '' GROUP BY monday ORDER BY monday`},
		{&in.Findings, `SELECT f.kind, COUNT(*) AS parts, SUM(r.verdict = 'pass') AS settled` + found + ` GROUP BY f.kind ORDER BY parts DESC, f.kind`},
		{&in.Customers, `SELECT b.customer AS name, COUNT(*) AS parts, ` + troubled + ` AS troubled` + parts + ` GROUP BY b.customer ORDER BY troubled DESC, parts DESC, name LIMIT 20`},
		{&kinds, `SELECT b.customer AS name, f.kind` + found + ` GROUP BY b.customer, f.kind ORDER BY b.customer, COUNT(*) DESC, f.kind`},
		{&in.Formats, `SELECT SUBSTRING_INDEX(p.format, '-', 1) AS name, COUNT(*) AS parts, ` + troubled + ` AS troubled` + parts + ` AND p.format <> '' GROUP BY name ORDER BY parts DESC, name`},
		{&in.Hollowed, `SELECT b.process, COUNT(*) AS parts, SUM(r.hollowed_mm3) AS volume_mm3` + parts + ` AND r.hollowed_mm3 > 0 GROUP BY b.process ORDER BY b.process`},
		{&signed, `SELECT ` + monday + `, TIMESTAMPDIFF(SECOND, p.created_at, s.decided_at) / 3600 AS hours` + from + `STRAIGHT_JOIN signoffs s ON s.part_id = p.id AND s.state = 'approved'` + which + ` ORDER BY hours`},
	} {
		if err := s.db.SelectContext(ctx, q.to, q.query, args...); err != nil {
			return in, err
		}
	}
	for i := range in.Customers {
		c := &in.Customers[i]
		for _, k := range kinds {
			if k.Name == c.Name && len(c.Kinds) < 3 {
				c.Kinds = append(c.Kinds, k.Kind)
			}
		}
	}
	in.Weeks = everyWeek(in.Weeks, since, time.Now())
	weekly := map[string][]float64{}
	var all []float64
	for _, x := range signed {
		weekly[x.Monday] = append(weekly[x.Monday], x.Hours)
		all = append(all, x.Hours)
	}
	in.SignedOff, in.HoursToSignOff = len(all), middle(all)
	for i := range in.Weeks {
		w := &in.Weeks[i]
		w.SignedOff, w.HoursToSignOff = len(weekly[w.Monday]), middle(weekly[w.Monday])
	}
	return in, s.worth(ctx, in.Hollowed)
}

// everyWeek is all weeks from that of one time to that of another; those of which nothing
// is known have nothing in them.
func everyWeek(known []record.Week, from, to time.Time) []record.Week {
	list := []record.Week{}
	day := from.UTC().AddDate(0, 0, -(int(from.UTC().Weekday())+6)%7)
	for ; !day.After(to); day = day.AddDate(0, 0, 7) {
		w := record.Week{Monday: day.Format(time.DateOnly)}
		if at := slices.IndexFunc(known, func(k record.Week) bool { return k.Monday == w.Monday }); at >= 0 {
			w = known[at]
		}
		list = append(list, w)
	}
	return list
}

// middle is the middle one of sorted values; nil when there is none.
func middle(values []float64) *float64 {
	if len(values) == 0 {
		return nil
	}
	return &values[len(values)/2]
}

// worth says what material that was saved would have weighed and cost.
func (s *Store) worth(ctx context.Context, list []record.Hollowed) error {
	for i := range list {
		h := &list[i]
		p, err := s.Process(ctx, h.Process)
		if err != nil {
			return err
		}
		h.MassG, h.Price = h.VolumeMM3/1000*p.DensityGCM3, h.VolumeMM3/1000*p.PricePerCM3
	}
	return nil
}
