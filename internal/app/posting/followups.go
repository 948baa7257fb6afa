package posting

import (
	"codicil/core/decimal"
	"codicil/core/feel"
	"codicil/core/record"
	"codicil/internal/actor"
	"codicil/internal/app/commit"
	"codicil/internal/app/judging"
	"codicil/internal/app/records"
	"codicil/internal/cache"
	"codicil/internal/ledger"
	"context"
	"maps"
	"slices"
)

// followUps are the records that a posting writes to, as they will be. That they are as they
// were read is part of what the judgement relies on.
func (s *Service) followUps(ctx context.Context, t *judging.Trial, writes []ledger.Write) (*records.Changed, error) {
	var before, changed []record.Record
	for _, w := range writes {
		at := record.Ref{Kind: w.Kind, Number: w.Number}
		i := slices.IndexFunc(changed, func(r record.Record) bool { return r.Ref == at })
		if i < 0 {
			saved, err := s.base.Saved(actor.Whole(ctx), at) // a rule writes it, wherever it is
			if err != nil {
				return nil, err
			}
			r := saved.Record
			t.Reads.Record(at, &r)
			r.Values, r.Origins = maps.Clone(r.Values), maps.Clone(r.Origins)
			if r.Values == nil {
				r.Values = map[string]string{}
			}
			if r.Origins == nil {
				r.Origins = record.Origins{}
			}
			before, changed, i = append(before, saved.Record), append(changed, r), len(changed)
		}
		delete(changed[i].Origins, w.Field)
		if w.After.Value == "" {
			delete(changed[i].Values, w.Field)
			continue
		}
		changed[i].Values[w.Field] = w.After.Value
		if c := judging.InBook(t.Book, w.Rule); c != nil {
			changed[i].Origins[w.Field] = record.ByRule(c.ID, c.Version)
		}
	}
	return records.ChangedFrom(ctx, s.base, before, changed)
}

// takenBack are the writes that undo those of a posting: a value that still stands goes
// back to the one before; a number that went on changing loses what the posting added. What
// else was changed meanwhile stays.
func (s *Service) takenBack(ctx context.Context, ref *cache.Reference, number string) ([]ledger.Write, error) {
	posted, err := s.base.Store.Posting(ctx, ledger.Books, number)
	if err != nil {
		return nil, commit.Explain(err)
	}
	links := s.base.Links(ctx, ref, posted.Company)
	type place struct {
		record.Ref
		field string
	}
	current := map[place]string{}
	undone := []ledger.Write{}
	for _, w := range slices.Backward(posted.Trace.FollowUps) {
		at := place{record.Ref{Kind: w.Kind, Number: w.Number}, w.Field}
		kind, r := links.Find(at.Ref)
		if r == nil || kind.Field(w.Field) == nil {
			continue
		}
		now, changed := current[at]
		if !changed {
			now = r.Values[w.Field]
		}
		next := w.Before.Value
		if now != w.After.Value {
			was, errBefore := orZero(w.Before.Value)
			became, errAfter := orZero(w.After.Value)
			is, errNow := orZero(now)
			if kind.Field(w.Field).FeelType().Kind != feel.Number || errBefore != nil || errAfter != nil || errNow != nil {
				continue
			}
			next = is.Minus(became.Minus(was)).String()
		}
		current[at] = next
		back := w
		back.Before, back.After = ledger.Told{Value: now, Text: now}, ledger.Told{Value: next, Text: next}
		undone = append(undone, back)
	}
	return undone, links.Err()
}

// orZero reads an exact decimal; a blank is 0.
func orZero(text string) (decimal.Number, error) {
	if text == "" {
		return decimal.Number{}, nil
	}
	return decimal.Parse(text)
}
