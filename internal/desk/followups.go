package desk

import (
	"context"
	"fmt"
	"maps"
	"slices"

	"codicil/core/decimal"
	"codicil/core/feel"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/internal/contract"
	"codicil/internal/store"
)

// followUps are the records that a posting writes to, as they will be. That they are as they
// were read is part of what the judgement relies on.
func (d *Desk) followUps(ctx context.Context, t *trial, writes []contract.FollowUp) (changed []store.Record, err error) {
	for _, w := range writes {
		i := slices.IndexFunc(changed, func(r store.Record) bool { return r.Kind == w.Kind && r.Number == w.Number })
		if i < 0 {
			saved, err := d.saved(ctx, w.Kind, w.Number)
			if err != nil {
				return nil, err
			}
			r := saved.Record
			t.reads.note(ref{w.Kind, w.Number}, &r)
			r.Values, r.Origins = maps.Clone(r.Values), maps.Clone(r.Origins)
			if r.Values == nil {
				r.Values = map[string]string{}
			}
			if r.Origins == nil {
				r.Origins = record.Origins{}
			}
			changed, i = append(changed, r), len(changed)
		}
		delete(changed[i].Origins, w.Field)
		if w.After.Value == "" {
			delete(changed[i].Values, w.Field)
			continue
		}
		changed[i].Values[w.Field] = w.After.Value
		if c := t.ruleOf(w.Rule); c != nil {
			changed[i].Origins[w.Field] = record.ByRule(c.ID, c.Version)
		}
	}
	return changed, nil
}

// ruleOf is the rule of the trial's book with the number; nil when there is none.
func (t *trial) ruleOf(id int64) *rule.Compiled {
	if i := slices.IndexFunc(t.book.Rules, func(c *rule.Compiled) bool { return c.ID == id }); i >= 0 {
		return t.book.Rules[i]
	}
	return nil
}

// changeAll writes records that something else changed; what says what.
func (d *Desk) changeAll(ctx context.Context, tx *store.Store, what string, changed []store.Record) (err error) {
	for i := range changed {
		if changed[i], err = tx.ChangeRecord(ctx, changed[i], what, d.clock(), d.user); err != nil {
			return err
		}
	}
	return nil
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
