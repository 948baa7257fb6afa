package desk

import (
	"context"
	"fmt"
	"maps"
	"slices"
	"time"

	"codicil/core/engine"
	"codicil/core/field"
	"codicil/core/judge"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/internal/contract"
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
		Title: links.titleOf(k, r.Values), Content: r.Content(), Late: r.Late, Reverses: r.Reverses, ReversedBy: r.ReversedBy,
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
	r, err := d.saved(ctx, kind, number)
	if err != nil {
		return contract.Record{}, err
	}
	return d.showRecord(ctx, r.masters, r.Record)
}

// kept is a saved record with its kind.
type kept struct {
	*masters
	kind *record.Kind
	store.Record
}

// saved returns a saved record.
func (d *Desk) saved(ctx context.Context, kindKey, number string) (*kept, error) {
	m, k, err := d.masterOf(ctx, kindKey)
	if err != nil {
		return nil, err
	}
	s, err := d.shelf(ctx, kindKey)
	if err != nil {
		return nil, err
	}
	r := s.find(number)
	if r == nil {
		return nil, &Error{Reason: NotFound, Code: "not-found", Detail: k.Noun() + " " + number + " does not exist; it may have been deleted"}
	}
	return &kept{m, k, *r}, nil
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
func (d *Desk) SaveRecord(ctx context.Context, request contract.SaveRequest) (answer contract.SaveAnswer, err error) {
	var m *masters
	var r store.Record
	saved := false
	err = d.commit(ctx, func() (*pending, error) {
		t, before, err := d.trySaving(ctx, request)
		if err != nil {
			return nil, err
		}
		m, answer = t.masters, contract.SaveAnswer{Outcome: t.outcome()}
		if t.Outcome.Verdict != engine.Accepted {
			return &pending{}, nil
		}
		_, seed, err := d.version(ctx)
		if err != nil {
			return nil, err
		}
		r = t.keepIn(d, before)
		others, err := d.live(ctx, t, r)
		if err != nil {
			return nil, err
		}
		return &pending{
			reads: t.reads,
			write: func(tx *store.Store) (err error) {
				if err := t.numbers.take(ctx, tx); err != nil {
					return err
				}
				if r.Number == "" {
					r, err = tx.AddRecord(ctx, r, m.numbering(t.Plan.Kind(), t.place(), seed), d.clock(), d.user)
				} else {
					r, err = tx.ChangeRecord(ctx, r, "saved", d.clock(), d.user)
				}
				if err != nil {
					return err
				}
				return others.write(ctx, d, tx)
			},
			done: func() {
				saved = true
				d.shelve(append(others.changed, r)...)
			},
		}, nil
	})
	if err != nil || !saved {
		return answer, err
	}
	if err := d.catchUp(ctx); err != nil {
		return answer, err
	}
	shown, err := d.showRecord(ctx, m, r)
	answer.Record = &shown
	return answer, err
}

// trySaving judges a record as saving it would, and returns it as it was before.
func (d *Desk) trySaving(ctx context.Context, request contract.SaveRequest) (*trial, store.Record, error) {
	document := request.Document
	_, kind, err := d.masterOf(ctx, document.Kind)
	if err != nil {
		return nil, store.Record{}, err
	}
	before := store.Record{Kind: kind.Key, Company: document.Company, Type: document.Type, State: store.Kept}
	if document.Record != "" {
		saved, err := d.saved(ctx, kind.Key, document.Record)
		if err != nil {
			return nil, before, err
		}
		before = saved.Record
		if err := changeable(&before, request.Version); err != nil {
			return nil, before, err
		}
		document.Company, before.Type = before.Company, document.Type
	} else if request.Origin != nil {
		if document, err = d.followingOn(ctx, document, *request.Origin); err != nil {
			return nil, before, err
		}
		before.OriginKind, before.OriginNumber = request.Origin.What, request.Origin.Key
	}
	t, err := d.try(ctx, document, ask{format: request.Format, moment: rule.Saving, keyed: request.Keyed, real: true})
	return t, before, err
}

// followingOn says of a new document which record it follows, and which of its values came
// over from that: those that a map from that kind would carry.
func (d *Desk) followingOn(ctx context.Context, document judge.Document, origin contract.Use) (judge.Document, error) {
	saved, err := d.saved(ctx, origin.What, origin.Key)
	if err != nil {
		return document, err
	}
	document.Preceding = &engine.Preceding{Kind: origin.What, Number: origin.Key}
	to, err := saved.masters.kind(document.Kind)
	if err != nil {
		return document, err
	}
	maps, err := d.store.FollowOns(ctx)
	if err != nil {
		return document, err
	}
	held := saved.Content()
	for _, f := range maps {
		if f.From != origin.What || f.To != document.Kind {
			continue
		}
		carried := f.Apply(saved.kind, to, saved.Number, &held)
		document.Entered = asCarried(document.Entered, carried.Values)
		lines := slices.Clone(document.Lines)
		for i := range lines {
			lines[i].Entered = asCarried(lines[i].Entered, carried.Line(lines[i].Number))
		}
		document.Lines = lines
	}
	return document, nil
}

// asCarried marks the entered values that are those that came over.
func asCarried(entered map[string]judge.Item, carried map[string]string) map[string]judge.Item {
	marked := maps.Clone(entered)
	for key, item := range entered {
		if item.Value != "" && item.Value == carried[key] {
			item.Carried = true
			marked[key] = item
		}
	}
	return marked
}

// keepIn puts what came out of the trial in place of what the record held.
func (t *trial) keepIn(d *Desk, before store.Record) store.Record {
	kind, content, old := t.Plan.Kind(), t.content(d), before.Content()
	content.Values = withRemoved(kind, "", content.Values, old.Values)
	for i, l := range content.Lines {
		content.Lines[i].Values = withRemoved(kind, field.LinePrefix, l.Values, old.Line(l.Number))
	}
	before.Late = false
	before.Hold(content)
	return before
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

// documentOf is the document of a saved record as it stands, without fields that were removed
// from the kind.
func documentOf(kind *record.Kind, r *store.Record) judge.Document {
	document := judge.Document{Kind: r.Kind, Company: r.Company, Type: r.Type, Record: r.Number, Entered: enter(onlyKnown(kind, "", r.Values))}
	for _, l := range onlyKnownLines(kind, r.Lines) {
		document.Lines = append(document.Lines, judge.Line{Number: l.Number, Entered: enter(l.Values)})
	}
	return document
}

// RecordHistory returns what a record has been, newest first; also one that was deleted.
func (d *Desk) RecordHistory(ctx context.Context, kindKey, number string, format *field.Format) ([]contract.RecordVersion, error) {
	m, kind, err := d.masterOf(ctx, kindKey)
	if err != nil {
		return nil, err
	}
	versions, err := d.store.RecordVersions(ctx, kindKey, number)
	if err != nil {
		return nil, err
	}
	if len(versions) == 0 {
		return nil, missing(kind.Noun() + " " + number)
	}
	company := ""
	if s, err := d.shelf(ctx, kindKey); err == nil {
		if r := s.find(number); r != nil {
			company = r.Company
		}
	}
	rules, err := d.store.Rules(ctx, kindKey)
	if err != nil {
		return nil, err
	}
	named := func(id int64) string {
		if i := slices.IndexFunc(rules, func(r rule.Rule) bool { return r.ID == id }); i >= 0 {
			return rules[i].Name
		}
		return fmt.Sprintf("rule %d", id)
	}
	show := viewer{kind, m.company(company), d.links(ctx, m, company), formatOf(format)}
	history := []contract.RecordVersion{}
	for i, v := range versions {
		before := record.Content{}
		if i+1 < len(versions) {
			before = versions[i+1].Content
		}
		shown := contract.RecordVersion{
			Version: v.Version, What: v.What, Type: v.Type, ChangedAt: v.ChangedAt, ChangedBy: v.ChangedBy,
			Changes: list(record.Changes(kind, &before, &v.Content), func(c record.Change) contract.ValueChange { return show.change(&before, &v.Content, c) }),
		}
		for _, r := range v.Content.Reasons {
			shown.Reasons = append(shown.Reasons, contract.GivenReason{Rule: r.Rule, Name: named(r.Rule), Line: r.Line, Text: r.Text, By: r.By, At: r.At})
		}
		history = append(history, shown)
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
	saved, err := d.saved(ctx, request.Document.Kind, request.Document.Record)
	if err != nil {
		return contract.Merge{}, err
	}
	m, kind, r := saved.masters, saved.kind, saved.Record
	versions, err := d.store.RecordVersions(ctx, r.Kind, r.Number)
	if err != nil {
		return contract.Merge{}, err
	}
	i := slices.IndexFunc(versions, func(v store.RecordVersion) bool { return v.Version == request.Version })
	if i < 0 {
		return contract.Merge{}, missing(fmt.Sprintf("version %d of %s", request.Version, r.Number))
	}
	document := request.Document
	document.Company = r.Company
	t, err := d.try(ctx, document, ask{format: request.Format, moment: rule.Saving, real: true})
	if err != nil {
		return contract.Merge{}, err
	}
	base, theirs, mine := versions[i].Content, r.Content(), t.content(d)
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
