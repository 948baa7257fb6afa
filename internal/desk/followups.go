package desk

import (
	"context"
	"fmt"
	"maps"
	"slices"

	"codicil/core/decimal"
	"codicil/core/feel"
	"codicil/internal/contract"
	"codicil/internal/store"
)

// followUp writes what a posting changes in linked records, in its transaction, and
// returns the records as they are then.
func (d *Desk) followUp(ctx context.Context, tx *store.Store, writes []contract.FollowUp) ([]store.Record, error) {
	var changed []store.Record
	for _, w := range writes {
		i := slices.IndexFunc(changed, func(r store.Record) bool { return r.Kind == w.Kind && r.Number == w.Number })
		if i < 0 {
			r, err := tx.Record(ctx, w.Kind, w.Number)
			if err != nil {
				return nil, err
			}
			r.Values = maps.Clone(r.Values)
			if r.Values == nil {
				r.Values = map[string]string{}
			}
			changed, i = append(changed, r), len(changed)
		}
		if w.After.Value == "" {
			delete(changed[i].Values, w.Field)
		} else {
			changed[i].Values[w.Field] = w.After.Value
		}
	}
	for i := range changed {
		var err error
		if changed[i], err = tx.ChangeRecord(ctx, changed[i], "follow-up", d.clock(), d.user); err != nil {
			return nil, err
		}
	}
	return changed, nil
}

// takenBack are the writes that undo those of a posting: a value that still stands goes
// back to the one before; a number that went on changing loses what the posting added. What
// else was changed meanwhile stays.
func (d *Desk) takenBack(ctx context.Context, m *masters, number string) ([]contract.FollowUp, error) {
	posted, err := d.store.Posting(ctx, books, number)
	if err != nil {
		return nil, explain(err)
	}
	links := d.links(ctx, m, posted.Company)
	current := map[string]string{}
	undone := []contract.FollowUp{}
	for _, w := range slices.Backward(posted.Outcome.FollowUps) {
		kind, r := links.find(w.Kind, w.Number)
		if r == nil || kind.Field(w.Field) == nil {
			continue
		}
		id := fmt.Sprint(w.Kind, "/", w.Number, "/", w.Field)
		now, changed := current[id]
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
		current[id] = next
		back := w
		back.Before, back.After = contract.Shown{Value: now, Text: now}, contract.Shown{Value: next, Text: next}
		undone = append(undone, back)
	}
	return undone, links.failed
}

// orZero reads an exact decimal; a blank is 0.
func orZero(text string) (decimal.Number, error) {
	if text == "" {
		return decimal.Number{}, nil
	}
	return decimal.Parse(text)
}
