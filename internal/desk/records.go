package desk

import (
	"context"
	"fmt"
	"maps"
	"slices"
	"time"

	"codicil/core/engine"
	"codicil/core/proof"
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
	r, err := d.saved(ctx, kind, number)
	if err != nil {
		return contract.Record{}, err
	}
	return d.showRecord(ctx, r.masters, r.Record)
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
func (d *Desk) SaveRecord(ctx context.Context, request contract.SaveRequest) (contract.SaveAnswer, error) {
	document := request.Document
	d.saving.Lock()
	defer d.saving.Unlock()
	m, kind, err := d.masterOf(ctx, document.Kind)
	if err != nil {
		return contract.SaveAnswer{}, err
	}
	before := store.Record{Kind: kind.Key, Company: document.Company, State: store.Kept}
	if document.Record != "" {
		saved, err := d.saved(ctx, kind.Key, document.Record)
		if err != nil {
			return contract.SaveAnswer{}, err
		}
		before = saved.Record
		if err := changeable(&before, request.Version); err != nil {
			return contract.SaveAnswer{}, err
		}
		document.Company = before.Company
	}
	document.Stored, document.StoredLines = nil, nil
	t, err := d.trySaving(ctx, m, kind, document, ask{format: request.Format, moment: rule.Saving, keyed: request.Keyed})
	if err != nil {
		return contract.SaveAnswer{}, err
	}
	answer := contract.SaveAnswer{Outcome: t.outcome()}
	if t.out.Verdict != engine.Accepted {
		return answer, nil
	}
	r := t.keepIn(before)
	r.Type = document.Type
	if document.Record == "" {
		if request.Origin != nil {
			if _, err := d.saved(ctx, request.Origin.What, request.Origin.Key); err != nil {
				return answer, err
			}
			r.OriginKind, r.OriginNumber = request.Origin.What, request.Origin.Key
		}
	}
	err = d.store.Transaction(ctx, func(tx *store.Store) error {
		if err := t.numbers.take(ctx, tx); err != nil {
			return err
		}
		if document.Record == "" {
			r, err = tx.AddRecord(ctx, r, m.numbering(kind, t.place()), d.clock(), d.user)
		} else {
			r, err = tx.ChangeRecord(ctx, r, "saved", d.clock(), d.user)
		}
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

// keepIn puts what came out of the trial in place of what the record held.
func (t *trial) keepIn(before store.Record) store.Record {
	kind, content, old := t.plan.Kind(), t.content(), before.Content()
	before.Values, before.Lines = withRemoved(kind, "", content.Values, old.Values), content.Lines
	for i, l := range before.Lines {
		before.Lines[i].Values = withRemoved(kind, record.LinePrefix, l.Values, old.Line(l.Number))
	}
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

// trySaving takes a record through its plan on the document's own day, or today.
func (d *Desk) trySaving(ctx context.Context, m *masters, kind *record.Kind, document proof.Document, a ask) (*trial, error) {
	document.Day = d.today()
	if item, there := document.Entered[kind.Day]; there {
		field, here := kind.Field(kind.Day), record.Surroundings{Day: document.Day}
		v, wrong := field.Parse(item.Value)
		if item.Typed != "" {
			v, wrong = field.Read(item.Typed, formatOf(a.format), here)
		}
		if wrong == nil && !v.IsNull() {
			document.Day = record.Day(record.Write(v))
		}
	}
	a.now = d.now()
	return d.try(ctx, document, a)
}

// dayOf is the date of a saved record: its own, or that of the work.
func dayOf(kind *record.Kind, r *store.Record, today record.Day) record.Day {
	if day, err := record.ParseDay(r.Values[kind.Day]); err == nil {
		return day
	}
	return today
}

// documentOf is the document of a saved record as it stands.
func documentOf(r *store.Record) proof.Document {
	document := proof.Document{Kind: r.Kind, Company: r.Company, Type: r.Type, Record: r.Number, Entered: enter(r.Values)}
	for _, l := range r.Lines {
		document.Lines = append(document.Lines, proof.Line{Number: l.Number, Entered: enter(l.Values)})
	}
	return document
}

// RecordHistory returns what a record has been, newest first.
func (d *Desk) RecordHistory(ctx context.Context, kindKey, number string, format *record.Format) ([]contract.RecordVersion, error) {
	saved, err := d.saved(ctx, kindKey, number)
	if err != nil {
		return nil, err
	}
	m, kind, r := saved.masters, saved.kind, saved.Record
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
	document.Company, document.Stored, document.StoredLines = r.Company, nil, nil
	t, err := d.trySaving(ctx, m, kind, document, ask{format: request.Format, moment: rule.Saving})
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
