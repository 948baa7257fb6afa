package desk

import (
	"context"
	"fmt"
	"maps"
	"slices"
	"time"

	"codicil/core/engine"
	"codicil/core/plan"
	"codicil/core/proof"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/internal/contract"
	"codicil/internal/ledger"
	"codicil/internal/store"
)

// use names a saved record.
func (l *links) use(r store.Record) contract.Use {
	return contract.Use{What: r.Kind, Key: r.Number, Title: l.title(r.Kind, r.Number)}
}

// show returns a record as people see it.
func (d *Desk) showRecord(ctx context.Context, m *masters, r store.Record) (contract.Record, error) {
	k, err := m.kind(r.Kind)
	if err != nil {
		return contract.Record{}, err
	}
	links := d.links(ctx, m, r.Company)
	shown := contract.Record{
		Number: r.Number, Kind: r.Kind, Company: r.Company, Type: r.Type, State: contract.RecordState(r.State), Version: r.Version,
		Title: links.titleOf(k, r.Values), Content: r.Content(), Reverses: r.Reverses, ReversedBy: r.ReversedBy,
	}
	if shown.Content.Values == nil {
		shown.Content.Values = map[string]string{}
	}
	if r.OriginNumber != "" {
		shown.Origin = &contract.Use{What: r.OriginKind, Key: r.OriginNumber, Title: links.title(r.OriginKind, r.OriginNumber)}
	}
	followers, err := d.followers(ctx, m, r.Kind, r.Number)
	if err != nil {
		return shown, err
	}
	shown.Followers = list(followers, links.use)
	shown.ChangedAt, err = time.Parse(time.RFC3339, r.ChangedAt)
	if err != nil {
		return shown, fmt.Errorf("record %s: %w", r.Number, err)
	}
	shown.ChangedBy = r.ChangedBy
	return shown, links.failed
}

// Record returns one record.
func (d *Desk) Record(ctx context.Context, kind, number string) (contract.Record, error) {
	m, r, err := d.saved(ctx, kind, number)
	if err != nil {
		return contract.Record{}, err
	}
	return d.showRecord(ctx, m, r)
}

// followers returns the records that follow the one with the number.
func (d *Desk) followers(ctx context.Context, m *masters, kind, number string) ([]store.Record, error) {
	followers := []store.Record{}
	for i := range m.kinds {
		s, err := d.shelf(ctx, m.kinds[i].Key)
		if err != nil {
			return nil, err
		}
		for _, r := range s.rows {
			if r.OriginNumber == number && r.OriginKind == kind {
				followers = append(followers, r)
			}
		}
	}
	return followers, nil
}

// saved returns a saved record.
func (d *Desk) saved(ctx context.Context, kind, number string) (*masters, store.Record, error) {
	m, err := d.master(ctx)
	if err != nil {
		return nil, store.Record{}, err
	}
	k, err := m.kind(kind)
	if err != nil {
		return nil, store.Record{}, err
	}
	s, err := d.shelf(ctx, kind)
	if err != nil {
		return nil, store.Record{}, err
	}
	r := s.find(number)
	if r == nil {
		return nil, store.Record{}, &Error{Reason: NotFound, Code: "not-found", Detail: k.Noun() + " " + number + " does not exist; it may have been deleted"}
	}
	return m, *r, nil
}

// changeable refuses the change of a record that is posted, or that somebody
// changed since the version.
func changeable(r *store.Record, version int) error {
	if r.State != store.Kept {
		return conflict("posted", "%s is posted and never changes; reverse it by a reversing document instead", r.Number)
	}
	if r.Version != version {
		return explain(store.ErrStale)
	}
	return nil
}

// SaveRecord keeps a new or changed record, if its plan accepts it.
func (d *Desk) SaveRecord(ctx context.Context, request contract.SaveRequest) (contract.SaveAnswer, error) {
	m, err := d.master(ctx)
	if err != nil {
		return contract.SaveAnswer{}, err
	}
	document := request.Document
	kind, err := m.kind(document.Kind)
	if err != nil {
		return contract.SaveAnswer{}, err
	}
	before := store.Record{Kind: kind.Key, Company: document.Company, State: store.Kept}
	if document.Record != "" {
		if _, before, err = d.saved(ctx, kind.Key, document.Record); err != nil {
			return contract.SaveAnswer{}, err
		}
		if err := changeable(&before, request.Version); err != nil {
			return contract.SaveAnswer{}, err
		}
		document.Company = before.Company
	}
	document.Stored, document.StoredLines = nil, nil
	t, err := d.trySaving(ctx, m, kind, document, request.Format, rule.Saving)
	if err != nil {
		return contract.SaveAnswer{}, err
	}
	answer := contract.SaveAnswer{Outcome: t.outcome()}
	if t.out.Verdict != engine.Accepted {
		return answer, nil
	}
	r := before
	content := t.content()
	r.Type, r.Values, r.Lines = document.Type, withRemoved(kind, "", content.Values, before.Values), content.Lines
	for i, l := range r.Lines {
		old := before.Content()
		r.Lines[i].Values = withRemoved(kind, record.LinePrefix, l.Values, old.Line(l.Number))
	}
	if document.Record == "" {
		if request.Origin != nil {
			if _, _, err := d.saved(ctx, request.Origin.What, request.Origin.Key); err != nil {
				return answer, err
			}
			r.OriginKind, r.OriginNumber = request.Origin.What, request.Origin.Key
		}
		r, err = d.store.AddRecord(ctx, r, kind.Prefix, kind.Digits, d.clock(), d.user)
	} else {
		r, err = d.store.ChangeRecord(ctx, r, "saved", d.clock(), d.user)
	}
	if err != nil {
		return answer, explain(err)
	}
	d.shelve(r)
	shown, err := d.showRecord(ctx, m, r)
	answer.Record = &shown
	return answer, err
}

// withRemoved keeps the values of fields that were removed from the kind, so that
// they are there when the field comes back.
func withRemoved(kind *record.Kind, prefix string, values, before map[string]string) map[string]string {
	all := maps.Clone(values)
	for key, value := range before {
		if kind.Index(prefix+key) < 0 {
			all[key] = value
		}
	}
	return all
}

// trySaving takes a record through its plan on the document's own day, or today.
func (d *Desk) trySaving(ctx context.Context, m *masters, kind *record.Kind, document proof.Document, format *record.Format, moment rule.Moment) (*trial, error) {
	document.Day = d.today()
	if item, there := document.Entered[kind.Day]; there {
		field, here := kind.Field(kind.Day), record.Surroundings{Day: document.Day}
		v, wrong := field.Parse(item.Value)
		if item.Typed != "" {
			v, wrong = field.Read(item.Typed, formatOf(format), here)
		}
		if wrong == nil && !v.IsNull() {
			document.Day = record.Day(record.Write(v))
		}
	}
	return d.try(ctx, document, ask{format: format, moment: moment, now: d.now()})
}

// documentOf is the document of a saved record as it stands.
func documentOf(r *store.Record) proof.Document {
	document := proof.Document{Kind: r.Kind, Company: r.Company, Type: r.Type, Record: r.Number, Entered: enter(r.Values)}
	for _, l := range r.Lines {
		document.Lines = append(document.Lines, proof.Line{Number: l.Number, Entered: enter(l.Values)})
	}
	return document
}

// PostRecord posts a kept document to the books, if its plan accepts it.
func (d *Desk) PostRecord(ctx context.Context, kindKey, number string, request contract.PostRequest) (contract.SaveAnswer, error) {
	m, r, err := d.saved(ctx, kindKey, number)
	if err != nil {
		return contract.SaveAnswer{}, err
	}
	kind, err := m.kind(kindKey)
	if err != nil {
		return contract.SaveAnswer{}, err
	}
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
	t, err := d.trySaving(ctx, m, kind, document, request.Format, rule.Posting)
	if err != nil {
		return contract.SaveAnswer{}, err
	}
	answer := contract.SaveAnswer{Outcome: t.outcome()}
	if t.out.Verdict != engine.Accepted {
		return answer, nil
	}
	content := t.content()
	r.State, r.Values, r.Lines = store.Posted, withRemoved(kind, "", content.Values, r.Values), content.Lines
	posting, entries := t.posting(d, books, answer.Outcome), t.entries()
	posting.Number = r.Number
	err = d.store.Transaction(ctx, func(tx *store.Store) error {
		if _, err := ledger.Post(ctx, tx, posting, kind, entries); err != nil {
			return err
		}
		r, err = tx.ChangeRecord(ctx, r, "posted", d.clock(), d.user)
		return err
	})
	if err != nil {
		return answer, explain(err)
	}
	d.shelve(r)
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
	m, r, err := d.saved(ctx, kindKey, number)
	if err != nil {
		return contract.Record{}, err
	}
	kind, err := m.kind(kindKey)
	if err != nil {
		return contract.Record{}, err
	}
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
	t, err := d.run(ctx, m, plan.Build(plan.NewBook(kind, m.kinds, nil), s), document, ask{now: d.now()})
	if err != nil {
		return contract.Record{}, err
	}
	outcome := t.outcome()
	outcome.Verdict, outcome.Messages = contract.OutcomeVerdict(engine.Accepted), []contract.Message{}
	posting, entries := t.posting(d, books, outcome), t.entries()
	posting.Reverses = r.Number
	err = d.store.Transaction(ctx, func(tx *store.Store) error {
		if back, err = tx.AddRecord(ctx, back, kind.Prefix, kind.Digits, d.clock(), d.user); err != nil {
			return err
		}
		posting.Number = back.Number
		if _, err := ledger.Post(ctx, tx, posting, kind, entries); err != nil {
			return err
		}
		r.State, r.ReversedBy = store.Reversed, back.Number
		r, err = tx.ChangeRecord(ctx, r, "reversed", d.clock(), d.user)
		return err
	})
	if err != nil {
		return contract.Record{}, explain(err)
	}
	d.shelve(r, back)
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
	m, r, err := d.saved(ctx, kind, number)
	if err != nil {
		return err
	}
	if err := changeable(&r, r.Version); err != nil {
		return err
	}
	uses, err := d.linksTo(ctx, m, kind, number)
	if err != nil {
		return err
	}
	if len(uses) > 0 {
		return &Error{
			Reason: Conflict, Code: "linked", Count: len(uses), Uses: uses[:min(len(uses), mostUses)],
			Detail: fmt.Sprintf("%s is named by %d other records, so it cannot be deleted", number, len(uses)),
		}
	}
	if err := d.store.DeleteRecord(ctx, r, d.clock(), d.user); err != nil {
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

// RecordHistory returns what a record has been, newest first.
func (d *Desk) RecordHistory(ctx context.Context, kindKey, number string, format *record.Format) ([]contract.RecordVersion, error) {
	m, r, err := d.saved(ctx, kindKey, number)
	if err != nil {
		return nil, err
	}
	kind, err := m.kind(kindKey)
	if err != nil {
		return nil, err
	}
	versions, err := d.store.RecordVersions(ctx, kindKey, number)
	if err != nil {
		return nil, err
	}
	show := viewer{kind, m.company(r.Company), d.links(ctx, m, r.Company), formatOf(format)}
	history := []contract.RecordVersion{}
	for i, v := range versions {
		before := record.Content{}
		if i+1 < len(versions) {
			before = versions[i+1].Content
		}
		history = append(history, contract.RecordVersion{
			Version: v.Version, What: v.What, Type: v.Type, ChangedAt: v.ChangedAt, ChangedBy: v.ChangedBy,
			Changes: list(record.Changes(kind, &before, &v.Content), func(c record.Change) contract.ValueChange { return show.change(&before, &v.Content, c) }),
		})
	}
	return history, show.links.failed
}

// change shows one change between two states of a record.
func (v *viewer) change(before, after *record.Content, c record.Change) contract.ValueChange {
	place := v.kind.Index(c.Field)
	return contract.ValueChange{
		Field: c.Field, Line: c.Line, Label: v.kind.Fields[place].Label,
		Before: v.stored(before, place, c.Line, c.Before), After: v.stored(after, place, c.Line, c.After),
	}
}

// MergeRecord tells what somebody else changed in a record since the version, and
// where this person changed the same field to something else.
func (d *Desk) MergeRecord(ctx context.Context, request contract.SaveRequest) (contract.Merge, error) {
	m, r, err := d.saved(ctx, request.Document.Kind, request.Document.Record)
	if err != nil {
		return contract.Merge{}, err
	}
	kind, err := m.kind(r.Kind)
	if err != nil {
		return contract.Merge{}, err
	}
	versions, err := d.store.RecordVersions(ctx, r.Kind, r.Number)
	if err != nil {
		return contract.Merge{}, err
	}
	i := slices.IndexFunc(versions, func(v store.RecordVersion) bool { return v.Version == request.Version })
	if i < 0 {
		return contract.Merge{}, missing(fmt.Sprintf("version %d of %s", request.Version, r.Number))
	}
	document := request.Document
	document.Company, document.Stored, document.StoredLines = r.Company, nil, nil
	t, err := d.trySaving(ctx, m, kind, document, request.Format, rule.Saving)
	if err != nil {
		return contract.Merge{}, err
	}
	base, theirs, mine := versions[i].Content, r.Content(), t.content()
	others, clashes := record.Merge(kind, &base, &theirs, &mine)
	shown, err := d.showRecord(ctx, m, r)
	if err != nil {
		return contract.Merge{}, err
	}
	show := &t.reader.viewer
	return contract.Merge{
		Record: shown,
		Theirs: list(others, func(c record.Change) contract.ValueChange { return show.change(&base, &theirs, c) }),
		Clashes: list(clashes, func(c record.Clash) contract.Clash {
			place := kind.Index(c.Field)
			return contract.Clash{
				Field: c.Field, Line: c.Line, Label: kind.Fields[place].Label, Base: show.stored(&base, place, c.Line, c.Base),
				Theirs: show.stored(&theirs, place, c.Line, c.Theirs), Mine: show.stored(&mine, place, c.Line, c.Mine),
			}
		}),
	}, nil
}
