package desk

import (
	"context"
	"strings"

	"codicil/core/engine"
	"codicil/core/feel"
	"codicil/core/plan"
	"codicil/core/proof"
	"codicil/core/record"
	"codicil/internal/contract"
	"codicil/internal/ledger"
	"codicil/internal/store"
)

// trial is a test document on its way.
type trial struct {
	document proof.Document
	plan     *plan.Plan
	c        *engine.Case
	out      *engine.Outcome
	typed    map[string]string // texts that are not of their field's type
	reader   *reader
}

func (t *trial) outcome() contract.Outcome { return t.reader.outcome(t.out, t.c, t.typed) }

// noon of the document's day is the time of every test, so that a test that reads
// today() comes out the same whenever it is run.
func noon(day record.Day) feel.Value {
	program, _ := feel.Compile(`date and time("`+string(day)+`T12:00:00")`, nil, feel.Strict)
	return program.Eval(&feel.Frame{})
}

// try reads the document as the person typed it and takes it through the plan.
func (d *Desk) try(ctx context.Context, document proof.Document, format *record.Format, tried *contract.RuleChange) (*trial, error) {
	book, err := d.book(ctx, document.Kind)
	if err != nil {
		return nil, err
	}
	s, err := d.scope(ctx, document.Kind, document.Company, document.Type, document.Day)
	if err != nil {
		return nil, err
	}
	if tried != nil && tried.Body.Kind == document.Kind {
		book = book.With(changed(*tried))
	}
	t := &trial{plan: plan.Build(book, s), typed: map[string]string{}}
	if t.document, err = d.read(ctx, t, document, format); err != nil {
		return nil, err
	}
	t.c, err = t.document.Case(t.plan.Kind(), record.Surroundings{Company: s.Company, Day: s.Day}, d.user, noon(s.Day))
	if err != nil {
		return nil, invalid("unknown-field", "%v", err)
	}
	t.out = engine.Run(t.plan, t.c, true)
	t.reader = newReader(t.plan, t.out, format)
	return t, nil
}

// read turns typed texts into values, as far as they are of their field's type,
// and fetches the saved record that the document changes.
func (d *Desk) read(ctx context.Context, t *trial, document proof.Document, format *record.Format) (proof.Document, error) {
	kind, scope := t.plan.Kind(), t.plan.Scope
	if format == nil {
		format = document.Format
	}
	if format == nil {
		format = &record.Plain
	}
	entered := make(map[string]proof.Item, len(document.Entered))
	for key, item := range document.Entered {
		field := kind.Field(key)
		if field == nil {
			return document, invalid("unknown-field", "a %s has no field %q", strings.ToLower(kind.Label), key)
		}
		if item.Typed == "" {
			if item.Value != "" {
				entered[key] = item
			}
			continue
		}
		v, wrong := field.Read(item.Typed, *format, record.Surroundings{Company: scope.Company, Day: scope.Day})
		switch {
		case wrong != nil:
			t.typed[key] = item.Typed
			entered[key] = item
		case !v.IsNull():
			entered[key] = proof.Item{Value: record.Write(v)}
		}
	}
	document.Entered, document.Format = entered, nil
	if len(t.typed) > 0 {
		document.Format = format
	}
	if document.Record != "" && document.Stored == nil {
		saved, err := d.store.Record(ctx, document.Kind, document.Record)
		if err != nil {
			return document, explain(err)
		}
		document.Stored = saved.Values
	}
	return document, nil
}

// Try takes a test document through the plan. Nothing is kept.
func (d *Desk) Try(ctx context.Context, request contract.TryRequest) (contract.Outcome, error) {
	t, err := d.try(ctx, request.Document, request.Format, request.Rule)
	if err != nil {
		return contract.Outcome{}, err
	}
	return t.outcome(), nil
}

// Post posts a test document to the practice ledger. Only an accepted one is
// posted; for another the posting is nil and the outcome says why.
func (d *Desk) Post(ctx context.Context, request contract.TryRequest) (*contract.Posting, contract.Outcome, error) {
	t, err := d.try(ctx, request.Document, request.Format, nil)
	if err != nil {
		return nil, contract.Outcome{}, err
	}
	outcome := t.outcome()
	if t.out.Verdict != engine.Accepted {
		return nil, outcome, nil
	}
	posted, err := ledger.Post(ctx, d.store, store.Posting{
		Kind: t.document.Kind, Company: t.document.Company, Type: t.document.Type, Day: string(t.document.Day),
		Title: t.title(), Document: t.document, Outcome: outcome, PostedAt: d.clock().UTC(), PostedBy: d.user,
	})
	if err != nil {
		return nil, outcome, err
	}
	p := posting(posted)
	return &p, outcome, nil
}

// title is what a document is called in lists: the final value of its first field.
func (t *trial) title() string {
	return titleOf(t.plan.Kind(), func(i int) string { return t.reader.text(i, t.out.Fields[i].Final) })
}

func titleOf(kind *record.Kind, text func(field int) string) string {
	if len(kind.Fields) > 0 {
		if title := text(0); title != "" {
			return title
		}
	}
	return kind.Label + " without a name"
}

func posting(p store.Posting) contract.Posting {
	return contract.Posting{Summary: summary(p), Document: p.Document, Outcome: p.Outcome}
}

func summary(p store.Posting) contract.PostingSummary {
	return contract.PostingSummary{
		Number: p.Number, Kind: p.Kind, Company: p.Company, Type: p.Type, Day: p.Day, Title: p.Title,
		Record: p.Document.Record, PostedAt: p.PostedAt, PostedBy: p.PostedBy,
	}
}

// Postings returns the practice ledger, newest first.
func (d *Desk) Postings(ctx context.Context) ([]contract.PostingSummary, error) {
	rows, err := d.store.Postings(ctx)
	list := make([]contract.PostingSummary, len(rows))
	for i, p := range rows {
		list[i] = summary(p)
	}
	return list, err
}

// Posting returns one posting with its trace.
func (d *Desk) Posting(ctx context.Context, number string) (contract.Posting, error) {
	p, err := d.store.Posting(ctx, number)
	return posting(p), explain(err)
}

// Records returns the saved records of a kind.
func (d *Desk) Records(ctx context.Context, kindKey string) ([]contract.Record, error) {
	kind, err := d.kind(ctx, kindKey)
	if err != nil {
		return nil, err
	}
	rows, err := d.store.Records(ctx, kindKey)
	list := make([]contract.Record, len(rows))
	for i, r := range rows {
		title := titleOf(kind, func(field int) string { return r.Values[kind.Fields[field].Key] })
		list[i] = contract.Record{Number: r.Number, Kind: r.Kind, Company: r.Company, Type: r.Type, Title: title, Values: r.Values}
	}
	return list, err
}
