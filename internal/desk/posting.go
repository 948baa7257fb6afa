package desk

import (
	"context"
	"fmt"
	"maps"
	"slices"

	"codicil/core/engine"
	"codicil/core/plan"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/internal/contract"
	"codicil/internal/ledger"
	"codicil/internal/store"
)

// PostRecord posts a kept document to the books, if its plan accepts it.
func (d *Desk) PostRecord(ctx context.Context, kindKey, number string, request contract.PostRequest) (contract.SaveAnswer, error) {
	d.saving.Lock()
	defer d.saving.Unlock()
	saved, err := d.saved(ctx, kindKey, number)
	if err != nil {
		return contract.SaveAnswer{}, err
	}
	m, kind, r := saved.masters, saved.kind, saved.Record
	if !kind.Posted {
		return contract.SaveAnswer{}, conflict("not-posted", "a %s is kept, not posted", kind.Noun())
	}
	if err := changeable(&r, request.Version); err != nil {
		return contract.SaveAnswer{}, err
	}
	clean := r
	clean.Values, clean.Lines = onlyKnown(kind, "", r.Values), onlyKnownLines(kind, r.Lines)
	document := documentOf(&clean)
	if document.Reasons, err = reasonsOf(request.Reasons); err != nil {
		return contract.SaveAnswer{}, err
	}
	t, err := d.trySaving(ctx, m, kind, document, ask{format: request.Format, moment: rule.Posting, keyed: request.Keyed})
	if err != nil {
		return contract.SaveAnswer{}, err
	}
	answer := contract.SaveAnswer{Outcome: t.outcome()}
	if t.out.Verdict != engine.Accepted {
		return answer, nil
	}
	r = t.keepIn(r)
	r.State = store.Posted
	posting, entries := t.posting(d, books, answer.Outcome), t.entries()
	posting.Number = r.Number
	var followed []store.Record
	err = d.store.Transaction(ctx, func(tx *store.Store) error {
		if err := t.numbers.take(ctx, tx); err != nil {
			return err
		}
		if _, err := ledger.Post(ctx, tx, posting, kind, entries); err != nil {
			return err
		}
		if r, err = tx.ChangeRecord(ctx, r, "posted", d.clock(), d.user); err != nil {
			return err
		}
		followed, err = d.followUp(ctx, tx, answer.Outcome.FollowUps)
		return err
	})
	if err != nil {
		return answer, explain(err)
	}
	d.shelve(append(followed, r)...)
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
		known = append(known, record.Line{Number: l.Number, Values: onlyKnown(kind, record.LinePrefix, l.Values)})
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
	d.saving.Lock()
	defer d.saving.Unlock()
	saved, err := d.saved(ctx, kindKey, number)
	if err != nil {
		return contract.Record{}, err
	}
	m, kind, r := saved.masters, saved.kind, saved.Record
	if err := d.mayReverse(ctx, m, &r, request.Version); err != nil {
		return contract.Record{}, err
	}
	s, err := m.scope(kindKey, r.Company, r.Type, record.Day(request.Day))
	if err != nil {
		return contract.Record{}, err
	}
	held := r.Content()
	content := record.Reverse(kind, &held)
	if kind.Day != "" {
		content.Values[kind.Day] = request.Day
	}
	back := store.Record{Kind: kindKey, Company: r.Company, Type: r.Type, State: store.Posted, Values: content.Values, Lines: content.Lines, Reverses: r.Number}
	// The rules of the day are left out, so the plan that shows the values has none.
	document := documentOf(&store.Record{Kind: kindKey, Company: r.Company, Type: r.Type, Values: onlyKnown(kind, "", back.Values), Lines: onlyKnownLines(kind, back.Lines)})
	document.Day = s.Day
	t, err := d.run(ctx, m, plan.Build(plan.NewBook(kind, m.kinds, m.tables, nil), s), document, ask{now: d.now()})
	if err != nil {
		return contract.Record{}, err
	}
	outcome := t.outcome()
	outcome.Verdict, outcome.Messages = contract.OutcomeVerdict(engine.Accepted), []contract.Message{}
	if outcome.FollowUps, err = d.takenBack(ctx, m, r.Number); err != nil {
		return contract.Record{}, err
	}
	posting, entries := t.posting(d, books, outcome), t.entries()
	posting.Reverses = r.Number
	var followed []store.Record
	err = d.store.Transaction(ctx, func(tx *store.Store) error {
		if back, err = tx.AddRecord(ctx, back, m.numbering(kind, t.place()), d.clock(), d.user); err != nil {
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
		followed, err = d.followUp(ctx, tx, outcome.FollowUps)
		return err
	})
	if err != nil {
		return contract.Record{}, explain(err)
	}
	d.shelve(append(followed, r, back)...)
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
	r, err := d.saved(ctx, kind, number)
	if err != nil {
		return err
	}
	if err := changeable(&r.Record, r.Version); err != nil {
		return err
	}
	uses, err := d.linksTo(ctx, r.masters, kind, number)
	if err != nil {
		return err
	}
	if len(uses) > 0 {
		return &Error{
			Reason: Conflict, Code: "linked", Count: len(uses), Uses: uses[:min(len(uses), mostUses)],
			Detail: fmt.Sprintf("%s is named by %d other records, so it cannot be deleted", number, len(uses)),
		}
	}
	if err := d.store.DeleteRecord(ctx, r.Record, d.clock(), d.user); err != nil {
		return explain(err)
	}
	d.unshelve(kind)
	return nil
}

// linksTo returns the records that link to one, or follow it.
func (d *Desk) linksTo(ctx context.Context, m *masters, kind, number string) ([]contract.Use, error) {
	uses := []contract.Use{}
	links := d.links(ctx, m, "")
	for i := range m.kinds {
		k := &m.kinds[i]
		s, err := d.shelf(ctx, k.Key)
		if err != nil {
			return nil, err
		}
		for j := range s.rows {
			r := &s.rows[j]
			itself := r.Kind == kind && r.Number == number
			if !itself && ((r.OriginKind == kind && r.OriginNumber == number) || names(k, r, kind, number)) {
				uses = append(uses, links.use(*r))
			}
		}
	}
	return uses, links.failed
}

// names tells whether a field of the record links to the one with the number.
func names(k *record.Kind, r *store.Record, kind, number string) bool {
	for i := range k.Fields {
		f := &k.Fields[i]
		if f.Type != record.ToRecord || f.Kind != kind {
			continue
		}
		if !f.OfLine() && r.Values[f.Key] == number {
			return true
		}
		if f.OfLine() && slices.ContainsFunc(r.Lines, func(l record.Line) bool { return l.Values[f.Column()] == number }) {
			return true
		}
	}
	return false
}
