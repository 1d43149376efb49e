package bureau

import (
	"context"
	"encoding/json"
	"io"
	"maps"
	"slices"
	"time"

	"veneer/bureau/record"
	"veneer/bureau/report"
)

// PartReport puts a part's printability report together.
func (b *Bureau) PartReport(ctx context.Context, part int64, customer bool) (*report.Part, error) {
	p, err := b.Store.Part(ctx, part)
	if err != nil {
		return nil, err
	}
	batch, err := b.Store.Batch(ctx, p.BatchID)
	if err != nil {
		return nil, err
	}
	events, err := b.Store.Audit(ctx, batch.ID)
	if err != nil {
		return nil, err
	}
	limits, err := b.Store.Process(ctx, batch.Process)
	if err != nil {
		return nil, err
	}
	return b.reportOf(ctx, report.Source{Batch: batch, Process: limits, Part: p, Events: events}, customer)
}

// BatchReport puts the reports of all parts of a batch together.
func (b *Bureau) BatchReport(ctx context.Context, batch int64, customer bool) ([]*report.Part, error) {
	in, err := b.Store.Batch(ctx, batch)
	if err != nil {
		return nil, err
	}
	parts, err := b.Store.Parts(ctx, batch)
	if err != nil {
		return nil, err
	}
	events, err := b.Store.Audit(ctx, batch)
	if err != nil {
		return nil, err
	}
	limits, err := b.Store.Process(ctx, in.Process)
	if err != nil {
		return nil, err
	}
	var list []*report.Part
	for _, p := range parts {
		r, err := b.reportOf(ctx, report.Source{Batch: in, Process: limits, Part: p, Events: events}, customer)
		if err != nil {
			return nil, err
		}
		list = append(list, r)
	}
	return list, nil
}

// reportOf looks up what else a part's report is put together from.
func (b *Bureau) reportOf(ctx context.Context, s report.Source, customer bool) (*report.Part, error) {
	p := s.Part
	list, err := b.Store.Revisions(ctx, p.ID)
	if err != nil {
		return nil, err
	}
	for _, r := range list {
		if r.Number == 0 || r.Number == p.Current { // the two whose whole reports are printed
			if r, err = b.Store.Revision(ctx, p.ID, r.Number); err != nil {
				return nil, err
			}
		}
		s.Revisions = append(s.Revisions, r)
	}
	if s.Notes, err = b.Store.Notes(ctx, p.ID); err != nil {
		return nil, err
	}
	if s.Signoffs, err = b.Store.Signoffs(ctx, p.ID); err != nil {
		return nil, err
	}
	return report.New(s, time.Now(), customer)
}

// Picture opens a picture of the vault.
func (b *Bureau) Picture(sum string) (io.ReadCloser, error) { return b.Vault.Open(sum) }

// AnswersBefore are what was answered about an earlier part of the very same bytes,
// the unit among them; empty when there is none.
func (b *Bureau) AnswersBefore(ctx context.Context, part int64) (*record.Seen, map[string]string, error) {
	seen, err := b.Store.SameBytes(ctx, part)
	if err != nil || seen == nil {
		return nil, nil, err
	}
	answers := map[string]string{}
	if err := json.Unmarshal(seen.Answers, &answers); err != nil {
		return nil, nil, err
	}
	if seen.UnitSet != "" {
		answers[unitQuestion] = seen.UnitSet
	}
	return seen, answers, nil
}

// AnswerAsBefore answers the questions that are open about a part as they were
// answered about an earlier part of the very same bytes.
func (b *Bureau) AnswerAsBefore(ctx context.Context, person string, part int64) error {
	seen, answers, err := b.AnswersBefore(ctx, part)
	if err != nil {
		return err
	}
	if seen == nil {
		return invalid("no earlier part came as the same bytes")
	}
	open, err := b.questions(ctx, part)
	if err != nil {
		return err
	}
	for _, q := range open {
		answer, is := answers[q.ID]
		if !is {
			continue
		}
		for _, c := range q.Choices {
			if c.Answer == answer {
				return b.Answer(ctx, person, part, q.ID, answer, false)
			}
		}
	}
	return invalid("none of the open questions was answered about the earlier part (%s)", slices.Sorted(maps.Keys(answers)))
}
