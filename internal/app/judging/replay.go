package judging

import (
	"cmp"
	"context"

	"codicil/core/field"
	"codicil/core/judge"
	"codicil/core/record"
	"codicil/internal/store"
)

// Step is what became of a record in one version, with what was known of it then; nothing, where it was written without a judgement,
// or nobody knows.
type Step = store.JudgedVersion

// StepsOf are the versions of a record, as it stands, up to the last of which it is known what it was judged by, from the first
// after which that is known of all that people entered; none where it is known of none. Cost: its versions.
func StepsOf(h store.History, r *record.Record) ([]Step, error) {
	rows, err := h.Versions(r)
	if err != nil {
		return nil, err
	}
	for len(rows) > 0 && rows[len(rows)-1].Kept == nil {
		rows = rows[:len(rows)-1]
	}
	first := 0
	for i := range rows {
		if rows[i].Kept == nil && (rows[i].What == "saved" || rows[i].What == "posted") {
			first = i + 1
		}
	}
	if first > 0 { // what was saved last without being known is what the rest began with
		first--
	}
	return rows[first:], nil
}

// LookedBack tells whether a judgement looked at what was saved before: it found something, or a rule of its plan asked for it.
func (s Past) LookedBack(ctx context.Context, k *judge.Kept) (bool, error) {
	if cmp.Or(k.Basis.Previous.Number, k.Basis.PreviousOfType.Number, k.Basis.PreviousOfAnyone.Number) != "" {
		return true, nil
	}
	book, err := s.Cache.BookAt(ctx, k.Document.Kind, k.Basis.Version)
	if err != nil {
		return false, err
	}
	ref, err := s.Cache.Reference(ctx)
	if err != nil {
		return false, err
	}
	d, kind := &k.Document, book.Vocabulary.Kind
	scope, err := ref.Scope(kind, d.Company, d.Type, d.EnteredDay(kind, k.Basis.Today))
	return err == nil && s.Cache.Plan(book, scope).LooksBack, err
}

// Replay takes what people entered, step by step, through the rules of this service: with the records that were read
// then in their versions of then, on the day of then and for the person of then. What rules gave in one step is what the
// next finds saved. Numbers of series come out as they did; unique rules look at the other records that were there. The
// trials are those of the steps that were judged, the last last.
func (s Past) Replay(ctx context.Context, at record.Ref, steps []Step, a Ask) (trials []*Trial, err error) {
	m, err := s.Cache.Now(ctx, at.Kind)
	if err != nil {
		return nil, err
	}
	kind := m.Book.Vocabulary.Kind
	was, now := &record.Content{}, &record.Content{} // what was saved before the step, and what would be
	for i := range steps {
		step := &steps[i]
		if step.Kept == nil {
			if i == 0 {
				content := step.Content.Clone()
				now = &content
			} else {
				wrote(kind, now, was, &step.Content)
			}
			was = &step.Content
			continue
		}
		kept := *step.Kept
		kept.Document = entering(kind, &kept, was, now)
		t, err := s.again(ctx, &kept, a, &past{basis: &kept.Basis, book: m.Book, version: m.Version, own: at.Number, versions: s.versions})
		if err != nil {
			return nil, err
		}
		trials = append(trials, t)
		content := t.Judged.Content(kept.Basis.User, kept.Basis.At)
		was, now = &step.Content, &content
	}
	return trials, nil
}

// wrote writes what a step changed that no rule judged, as a posting of another document does.
func wrote(kind *record.Kind, into, before, after *record.Content) {
	for _, c := range record.Changes(kind, before, after) {
		f, origins := kind.Field(c.Field), after.Origins
		if c.Line > 0 {
			origins = after.OriginsOf(c.Line)
		}
		into.Set(f, c.Line, c.After, origins[f.Column()])
	}
}

// entering is the document of a step as it would have been entered: what the person left as it was saved is as it would be
// saved, and the rest as they entered it. What has been removed from the kind since is left out.
func entering(kind *record.Kind, kept *judge.Kept, was, now *record.Content) judge.Document {
	d := kept.Document
	if kept.Basis.Before == 0 {
		was, now = &record.Content{}, &record.Content{}
	}
	if kept.Basis.AsStored {
		d.Entered, d.Lines = Entered(KnownValues(kind, "", was.Values)), nil
		for _, l := range was.Lines {
			d.Lines = append(d.Lines, judge.Line{Number: l.Number, Entered: Entered(KnownValues(kind, field.LinePrefix, l.Values))})
		}
	}
	d.Entered = reentered(kind, "", d.Entered, was.Values, now.Values)
	lines := make([]judge.Line, len(d.Lines))
	for i, l := range d.Lines {
		l.Entered = reentered(kind, field.LinePrefix, l.Entered, was.Line(l.Number), now.Line(l.Number))
		lines[i] = l
	}
	d.Lines = lines
	if kept.Basis.Before > 0 {
		preceding := d.Preceding
		Baseline(kind, &d, &record.Record{Content: *now})
		d.Preceding = preceding
	}
	return d
}

// reentered are the items of the header or of one line.
func reentered(kind *record.Kind, prefix string, items map[string]judge.Item, was, now map[string]string) map[string]judge.Item {
	again := make(map[string]judge.Item, len(items))
	for key, item := range items {
		if kind.Index(prefix+key) < 0 || item == (judge.Item{Value: was[key]}) {
			continue
		}
		again[key] = item
	}
	for key, value := range now {
		item, there := items[key]
		if value != "" && kind.Index(prefix+key) >= 0 && (item == judge.Item{Value: was[key]} || (!there && was[key] == "")) {
			again[key] = judge.Item{Value: value}
		}
	}
	return again
}

// asOf returns a record as it was at an instant, nil where it was not there yet: for what a judgement did not read then.
func (s Past) asOf(ctx context.Context, at record.Ref, now *record.Record, instant, company string) (*record.Record, error) {
	if now == nil || now.Changed.At <= instant {
		return now, nil
	}
	version, err := s.Store.VersionAsOf(ctx, at, instant)
	if err != nil || version == 0 {
		return nil, err
	}
	return s.inVersion(ctx, at, version, now, company)
}
