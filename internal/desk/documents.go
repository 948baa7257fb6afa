package desk

import (
	"cmp"
	"context"
	"fmt"
	"slices"

	"codicil/core/engine"
	"codicil/core/feel"
	"codicil/core/plan"
	"codicil/core/proof"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/core/table"
	"codicil/internal/contract"
	"codicil/internal/ledger"
	"codicil/internal/store"
)

// trial is a document on its way through its plan.
type trial struct {
	masters  *masters
	document proof.Document
	plan     *plan.Plan
	links    *links
	peers    *peers
	c        *engine.Case
	out      *engine.Outcome
	typed    map[string]string // texts that are not of their field's type, by address
	reader   *reader
	numbers  *numbers // nil: those of proofs
}

// place is for what the document gets its numbers.
func (t *trial) place() table.Place {
	s := t.plan.Scope
	return table.Place{Company: s.Company.Key, Type: s.Type.Key, Day: s.Day}
}

func (t *trial) outcome() contract.Outcome { return t.reader.outcome(t.c, t.typed) }

// content is what the document would hold when it is saved.
func (t *trial) content() record.Content {
	content := record.Content{Values: map[string]string{}}
	for _, line := range t.out.Lines {
		content.Lines = append(content.Lines, record.Line{Number: line.Number, Values: map[string]string{}})
	}
	for _, s := range t.out.Spots() {
		if s.Final.IsNull() {
			continue
		}
		values := content.Values
		if s.Line > 0 {
			values = content.Line(s.Line)
		}
		values[t.plan.Kind().Fields[s.Place].Column()] = record.Write(s.Final)
	}
	return content
}

func (t *trial) title() string {
	content := t.content()
	return t.links.titleOf(t.plan.Kind(), content.Values)
}

// ask is how a document is to be tried.
type ask struct {
	format *record.Format
	moment rule.Moment
	// rule is tried as it stands here, before it is kept; nil: none.
	rule *contract.RuleChange
	// now is the time of the work; null: noon of the document's day.
	now feel.Value
	// keyed tells that a person keys the document.
	keyed bool
	// drafts are rules that are taken as if they were in force where they are drafts.
	drafts []int64
	// asProof leaves series at their first numbers, as a proof does; given takes the
	// document as it stands, with what it carries of documents before and no more.
	asProof, given bool
}

// try reads the document as the person typed it and takes it through the plan.
func (d *Desk) try(ctx context.Context, document proof.Document, a ask) (*trial, error) {
	m, err := d.master(ctx)
	if err != nil {
		return nil, err
	}
	book, err := d.book(ctx, document.Kind)
	if err != nil {
		return nil, err
	}
	s, err := m.scope(document.Kind, document.Company, document.Type, document.Day)
	if err != nil {
		return nil, err
	}
	if with := proof.WithDrafts(book, a.drafts); with != book {
		return d.run(ctx, m, plan.Build(with, s), document, a)
	}
	if a.rule != nil && a.rule.Body.Kind == document.Kind {
		return d.run(ctx, m, plan.Build(book.With(changed(*a.rule)), s), document, a)
	}
	return d.run(ctx, m, d.plan(book, s), document, a)
}

// run takes a document through a plan.
func (d *Desk) run(ctx context.Context, m *masters, p *plan.Plan, document proof.Document, a ask) (*trial, error) {
	if a.moment == "" {
		a.moment = rule.Posting
	}
	if a.now.IsNull() {
		a.now = Noon(p.Scope.Day)
	}
	t := &trial{masters: m, plan: p, links: d.links(ctx, m, p.Scope.Company.Key), peers: d.peers(ctx, p.Kind()), typed: map[string]string{}}
	var err error
	if t.document, err = d.read(ctx, t, document, a.format); err != nil {
		return nil, err
	}
	if p.LooksBack && !a.given && t.document.Previous == nil {
		if err := d.lookBack(ctx, p, &t.document); err != nil {
			return nil, err
		}
	}
	p, t.c, err = t.document.Case(p, proof.Setting{Company: p.Scope.Company, User: d.user, Now: a.now, Moment: a.moment, Keyed: a.keyed, Linked: t.links, Peers: t.peers})
	t.plan = p
	if err != nil {
		return nil, invalid("unknown-field", "%v", err)
	}
	if p.Counts && !a.asProof {
		if t.numbers, err = d.numbers(ctx); err != nil {
			return nil, err
		}
		t.c.Numbers = t.numbers
	}
	t.out = engine.Run(p, t.c, true)
	t.reader = newReader(p, t.out, t.links, a.format)
	return t, cmp.Or(t.links.failed, t.peers.failed)
}

// lookBack puts into the document what the person saved before it: of the kind, and of
// the kind and type, in the same company.
func (d *Desk) lookBack(ctx context.Context, p *plan.Plan, document *proof.Document) error {
	kind := p.Kind()
	s, err := d.shelf(ctx, kind.Key)
	if err != nil {
		return err
	}
	var last, lastOfType *store.Record
	later := func(r, than *store.Record) bool { return than == nil || r.ChangedAt > than.ChangedAt }
	for i := range s.rows {
		r := &s.rows[i]
		if r.Company != document.Company || r.ChangedBy != d.user || r.Number == document.Record || r.State == store.Reversed || r.Reverses != "" {
			continue
		}
		if later(r, last) {
			last = r
		}
		if r.Type == document.Type && later(r, lastOfType) {
			lastOfType = r
		}
	}
	content := func(r *store.Record) *record.Content {
		if r == nil {
			return nil
		}
		return &record.Content{Values: onlyKnown(kind, "", r.Values), Lines: onlyKnownLines(kind, r.Lines)}
	}
	document.Previous, document.PreviousOfType = content(last), content(lastOfType)
	return nil
}

// read turns typed texts into values, as far as they are of their field's type,
// and fetches the saved record that the document changes.
func (d *Desk) read(ctx context.Context, t *trial, document proof.Document, format *record.Format) (proof.Document, error) {
	if format == nil {
		format = document.Format
	}
	if format == nil {
		format = &record.Plain
	}
	var err error
	if document.Entered, err = t.read("", 0, document.Entered, *format); err != nil {
		return document, err
	}
	lines := slices.Clone(document.Lines)
	for i := range lines {
		if lines[i].Entered, err = t.read(record.LinePrefix, lines[i].Number, lines[i].Entered, *format); err != nil {
			return document, err
		}
	}
	document.Lines, document.Format = lines, nil
	if len(t.typed) > 0 {
		document.Format = format
	}
	if document.Record != "" && document.Stored == nil {
		saved, err := d.saved(ctx, document.Kind, document.Record)
		if err != nil {
			return document, err
		}
		kind := t.plan.Kind()
		document.Stored, document.StoredLines = onlyKnown(kind, "", saved.Values), onlyKnownLines(kind, saved.Lines)
	}
	return document, nil
}

// read reads the entered values of the header, or of one line.
func (t *trial) read(prefix string, line int, items map[string]proof.Item, format record.Format) (map[string]proof.Item, error) {
	kind, scope := t.plan.Kind(), t.plan.Scope
	entered := make(map[string]proof.Item, len(items))
	for key, item := range items {
		place := kind.Index(prefix + key)
		if place < 0 {
			return nil, invalid("unknown-field", "a %s has no field %q", kind.Noun(), prefix+key)
		}
		field := &kind.Fields[place]
		if item.Typed == "" {
			if item.Value != "" {
				entered[key] = item
			}
			continue
		}
		typed, again := item.Typed, item.Again
		if field.Type == record.ToRecord {
			typed, again = t.links.resolve(field.Kind, typed), t.links.resolve(field.Kind, again)
		}
		here := record.Surroundings{Company: scope.Company, Day: scope.Day}
		if unit := items[field.Unit]; field.Unit != "" {
			here.Unit = unit.Value + unit.Typed
		}
		v, wrong := field.Read(typed, format, here)
		switch {
		case wrong != nil:
			t.typed[proof.Address(kind, place, line)] = item.Typed
			entered[key] = item
		case !v.IsNull():
			entered[key] = proof.Item{Value: record.Write(v), Again: again}
			if second, wrong := field.Read(again, format, here); wrong == nil {
				entered[key] = proof.Item{Value: record.Write(v), Again: record.Write(second)}
			}
		}
	}
	return entered, nil
}

// enter makes the entered values of saved ones.
func enter(values map[string]string) map[string]proof.Item {
	items := make(map[string]proof.Item, len(values))
	for key, value := range values {
		items[key] = proof.Item{Value: value}
	}
	return items
}

// Try takes a test document through the plan. Nothing is kept.
func (d *Desk) Try(ctx context.Context, request contract.TryRequest) (contract.Outcome, error) {
	t, err := d.try(ctx, request.Document, ask{format: request.Format, rule: request.Rule, moment: request.Moment, keyed: request.Keyed})
	if err != nil {
		return contract.Outcome{}, err
	}
	return t.outcome(), nil
}

// Post posts a test document to the practice ledger. Only an accepted one is
// posted; for another the posting is nil and the outcome says why.
func (d *Desk) Post(ctx context.Context, request contract.TryRequest) (*contract.Posting, contract.Outcome, error) {
	t, err := d.try(ctx, request.Document, ask{format: request.Format, moment: rule.Posting})
	if err != nil {
		return nil, contract.Outcome{}, err
	}
	outcome := t.outcome()
	if t.out.Verdict != engine.Accepted {
		return nil, outcome, nil
	}
	posted, entries := t.posting(d, practice, outcome), t.entries()
	// A test takes no number from anybody: those of series come from the practice only.
	err = d.store.Transaction(ctx, func(tx *store.Store) error {
		posted, err = ledger.Post(ctx, tx, posted, t.plan.Kind(), entries)
		return err
	})
	if err != nil {
		return nil, outcome, err
	}
	p := contract.Posting{Summary: summary(posted), Document: posted.Document, Outcome: outcome, Proofs: []contract.Use{}}
	p.Entries, err = d.journal(ctx, entries, request.Format)
	return &p, outcome, err
}

// posting is what a ledger keeps of the trial.
func (t *trial) posting(d *Desk, ledger string, outcome contract.Outcome) store.Posting {
	return store.Posting{
		Ledger: ledger, Kind: t.document.Kind, Company: t.document.Company, Type: t.document.Type, Day: string(t.document.Day),
		Title: t.title(), Document: t.document, Outcome: outcome, PostedAt: d.clock().UTC(), PostedBy: d.user,
	}
}

// entries are the lines of the journal that the trial makes.
func (t *trial) entries() []store.Entry {
	content := t.content()
	return ledger.Entries(t.plan.Kind(), &content, t.plan.Scope, func(kind, account, field string) string {
		text, _ := t.links.Follow(kind, account, field).Text()
		return text
	})
}

func (d *Desk) showPosting(ctx context.Context, p store.Posting, format *record.Format) (contract.Posting, error) {
	shown := contract.Posting{Summary: summary(p), Document: p.Document, Outcome: p.Outcome, Proofs: []contract.Use{}}
	rows, err := d.store.EntriesOf(ctx, p.Ledger, p.Number)
	if err != nil {
		return shown, err
	}
	if shown.Entries, err = d.journal(ctx, rows, format); err != nil {
		return shown, err
	}
	if shown.ReversedBy, err = d.store.ReversalOf(ctx, p.Ledger, p.Number); err != nil {
		return shown, err
	}
	if p.Ledger != practice {
		return shown, nil
	}
	proofs, err := d.store.ProofsOf(ctx, p.Number)
	shown.Proofs = list(proofs, func(kept proof.Proof) contract.Use {
		return contract.Use{What: "proof", Key: fmt.Sprint(kept.ID), Title: kept.Name}
	})
	return shown, err
}

func summary(p store.Posting) contract.PostingSummary {
	return contract.PostingSummary{
		Number: p.Number, Kind: p.Kind, Company: p.Company, Type: p.Type, Day: p.Day, Title: p.Title,
		Record: p.Document.Record, Reverses: p.Reverses, PostedAt: p.PostedAt, PostedBy: p.PostedBy,
	}
}

// Postings returns the postings of a ledger, newest first.
func (d *Desk) Postings(ctx context.Context, ledger string) ([]contract.PostingSummary, error) {
	rows, err := d.store.Postings(ctx, orPractice(ledger))
	return list(rows, summary), err
}

// Posting returns one posting with its trace.
func (d *Desk) Posting(ctx context.Context, ledger, number string, format *record.Format) (contract.Posting, error) {
	p, err := d.store.Posting(ctx, orPractice(ledger), number)
	if err != nil {
		return contract.Posting{}, explain(err)
	}
	m, kind, err := d.masterOf(ctx, p.Kind)
	if err != nil {
		return contract.Posting{}, err
	}
	show := viewer{kind, m.company(p.Company), d.links(ctx, m, p.Company), formatOf(format)}
	show.again(&p.Outcome)
	shown, err := d.showPosting(ctx, p, format)
	if err == nil {
		err = show.links.failed
	}
	return shown, err
}
