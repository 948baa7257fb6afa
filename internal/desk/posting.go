package desk

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"slices"

	"codicil/core/engine"
	"codicil/core/field"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/internal/contract"
	"codicil/internal/ledger"
	"codicil/internal/store"
)

// PostRecord posts a kept document to the books, if its plan accepts it.
func (d *Desk) PostRecord(ctx context.Context, kindKey, number string, request contract.PostRequest) (answer contract.SaveAnswer, err error) {
	reasons, err := reasonsOf(request.Reasons)
	if err != nil {
		return answer, err
	}
	var m *masters
	var r store.Record
	posted := false
	err = d.commit(ctx, func() (*pending, error) {
		saved, err := d.saved(ctx, kindKey, number)
		if err != nil {
			return nil, err
		}
		m, r = saved.masters, saved.Record
		if !saved.kind.Posted {
			return nil, conflict("not-posted", "a %s is kept, not posted", saved.kind.Noun())
		}
		if err := changeable(&r, request.Version); err != nil {
			return nil, err
		}
		document := documentOf(saved.kind, &r)
		document.Reasons = reasons
		t, err := d.try(ctx, document, ask{format: request.Format, moment: rule.Posting, keyed: request.Keyed, real: true})
		if err != nil {
			return nil, err
		}
		answer = contract.SaveAnswer{Outcome: t.outcome()}
		if t.Outcome.Verdict != engine.Accepted {
			return &pending{}, nil
		}
		r = t.keepIn(d, r)
		r.State = store.Posted
		posting, entries := t.posting(d, books, answer.Outcome), t.entries()
		posting.Number = r.Number
		followed, err := d.followUps(ctx, t, answer.Outcome.FollowUps)
		if err != nil {
			return nil, err
		}
		others, err := d.live(ctx, t, followed...)
		if err != nil {
			return nil, err
		}
		return &pending{
			reads: t.reads,
			write: func(tx *store.Store) (err error) {
				if err := t.numbers.take(ctx, tx); err != nil {
					return err
				}
				if _, err := ledger.Post(ctx, tx, posting, saved.kind, entries); err != nil {
					return err
				}
				if r, err = tx.ChangeRecord(ctx, r, "posted", d.clock(), d.user); err != nil {
					return err
				}
				return errors.Join(d.changeAll(ctx, tx, "follow-up", followed), others.write(ctx, d, tx))
			},
			done: func() {
				posted = true
				d.shelve(append(append(others.changed, followed...), r)...)
			},
		}, nil
	})
	if err != nil || !posted {
		return answer, err
	}
	if err := d.catchUp(ctx); err != nil {
		return answer, err
	}
	shown, err := d.showRecord(ctx, m, r)
	answer.Record = &shown
	return answer, err
}

// onlyKnown leaves out the values of fields that were removed from the kind.
func onlyKnown(kind *record.Kind, prefix string, values map[string]string) map[string]string {
	known := maps.Clone(values)
	maps.DeleteFunc(known, func(key, _ string) bool { return kind.Index(prefix+key) < 0 })
	return known
}

func onlyKnownLines(kind *record.Kind, lines []record.Line) []record.Line {
	var known []record.Line
	for _, l := range lines {
		known = append(known, record.Line{Number: l.Number, Values: onlyKnown(kind, field.LinePrefix, l.Values)})
	}
	return known
}

func reasonsOf(texts map[string]string) (map[int64]string, error) {
	reasons := map[int64]string{}
	for key, text := range texts {
		var id int64
		if _, err := fmt.Sscan(key, &id); err != nil {
			return nil, invalid("bad-reason", "%q is no rule to give a reason for", key)
		}
		reasons[id] = text
	}
	return reasons, nil
}

// ReverseRecord takes a posted document back by a reversing one, posted on a day.
// No rule has a say: what was posted must always be possible to take back.
func (d *Desk) ReverseRecord(ctx context.Context, kindKey, number string, request contract.ReverseRequest) (contract.Record, error) {
	var m *masters
	var back store.Record
	err := d.commit(ctx, func() (*pending, error) {
		saved, err := d.saved(ctx, kindKey, number)
		if err != nil {
			return nil, err
		}
		kind, r := saved.kind, saved.Record
		m = saved.masters
		day, err := record.ParseDay(request.Day)
		if err != nil {
			return nil, invalid("not-a-day", "%v", err)
		}
		if err := d.mayReverse(ctx, m, &r, request.Version); err != nil {
			return nil, err
		}
		held := r.Content()
		content := record.Reverse(kind, &held)
		if kind.Day != "" {
			content.Values[kind.Day] = request.Day
		}
		back = store.Record{Kind: kindKey, Company: r.Company, Type: r.Type, State: store.Posted, Values: content.Values, Lines: content.Lines, Reverses: r.Number}
		document := documentOf(kind, &back)
		document.Day = day
		t, err := d.try(ctx, document, ask{moment: rule.Posting, empty: true})
		if err != nil {
			return nil, err
		}
		t.reads.note(ref{kindKey, number}, &r)
		followers, err := d.followers(ctx, m, kindKey, number)
		if err != nil {
			return nil, err
		}
		t.reads.follows[ref{kindKey, number}] = standing(followers, ref{})
		outcome := t.outcome()
		outcome.Verdict, outcome.Messages = contract.OutcomeVerdict(engine.Accepted), []contract.Message{}
		if outcome.FollowUps, err = d.takenBack(ctx, m, r.Number); err != nil {
			return nil, err
		}
		followed, err := d.followUps(ctx, t, outcome.FollowUps)
		if err != nil {
			return nil, err
		}
		others, err := d.live(ctx, t, followed...)
		if err != nil {
			return nil, err
		}
		_, seed, err := d.version(ctx)
		if err != nil {
			return nil, err
		}
		posting, entries := t.posting(d, books, outcome), t.entries()
		posting.Reverses = r.Number
		return &pending{
			reads: t.reads,
			write: func(tx *store.Store) (err error) {
				if back, err = tx.AddRecord(ctx, back, m.numbering(kind, t.place(), seed), d.clock(), d.user); err != nil {
					return err
				}
				posting.Number = back.Number
				if _, err := ledger.Post(ctx, tx, posting, kind, entries); err != nil {
					return err
				}
				r.State, r.ReversedBy = store.Reversed, back.Number
				if r, err = tx.ChangeRecord(ctx, r, "reversed", d.clock(), d.user); err != nil {
					return err
				}
				return errors.Join(d.changeAll(ctx, tx, "follow-up", followed), others.write(ctx, d, tx))
			},
			done: func() { d.shelve(append(append(others.changed, followed...), r, back)...) },
		}, nil
	})
	if err != nil {
		return contract.Record{}, err
	}
	if err := d.catchUp(ctx); err != nil {
		return contract.Record{}, err
	}
	return d.showRecord(ctx, m, back)
}

// mayReverse refuses to take back what is not posted, is a reversing document
// itself, or has followers that are posted.
func (d *Desk) mayReverse(ctx context.Context, m *masters, r *store.Record, version int) error {
	switch {
	case r.State != store.Posted:
		return conflict("not-posted", "%s is %s; only a posted document can be reversed", r.Number, r.State)
	case r.Reverses != "":
		return conflict("reverses", "%s reverses %s itself; post the document again instead", r.Number, r.Reverses)
	case r.Version != version:
		return explain(store.ErrStale)
	}
	followers, err := d.followers(ctx, m, r.Kind, r.Number)
	if err != nil {
		return err
	}
	followers = slices.DeleteFunc(followers, func(f store.Record) bool { return f.State != store.Posted })
	if len(followers) == 0 {
		return nil
	}
	return &Error{
		Reason: Conflict, Code: "followed", Count: len(followers), Uses: list(followers, d.links(ctx, m, r.Company).use),
		Detail: fmt.Sprintf("%s is followed by posted documents; reverse those first", r.Number),
	}
}

// DeleteRecord deletes a record that is not posted and that nothing links to.
func (d *Desk) DeleteRecord(ctx context.Context, kind, number string) error {
	return d.alone(ctx, func() (*pending, error) {
		r, err := d.saved(ctx, kind, number)
		if err != nil {
			return nil, err
		}
		if err := changeable(&r.Record, r.Version); err != nil {
			return nil, err
		}
		uses, err := d.linksTo(ctx, r.masters, kind, number)
		if err != nil {
			return nil, err
		}
		if len(uses) > 0 {
			return nil, &Error{
				Reason: Conflict, Code: "linked", Count: len(uses), Uses: uses[:min(len(uses), mostUses)],
				Detail: fmt.Sprintf("%s is named by %d other records, so it cannot be deleted", number, len(uses)),
			}
		}
		return &pending{
			write: func(tx *store.Store) error { return tx.DeleteRecord(ctx, r.Record, d.clock(), d.user) },
			done:  func() { d.unshelve(r.Record) },
		}, nil
	})
}

// linksTo returns the other records that link to one, or follow it.
func (d *Desk) linksTo(ctx context.Context, m *masters, kind, number string) ([]contract.Use, error) {
	rows, err := d.namedBy(ctx, m, ref{kind, number})
	if err != nil {
		return nil, err
	}
	rows = slices.DeleteFunc(rows, func(r store.Record) bool { return r.Kind == kind && r.Number == number })
	links := d.links(ctx, m, "")
	return append([]contract.Use{}, list(rows, links.use)...), links.failed
}
