package desk

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"codicil/core/engine"
	"codicil/core/feel"
	"codicil/core/field"
	"codicil/core/judge"
	"codicil/core/plan"
	"codicil/core/proof"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/core/table"
	"codicil/internal/clock"
	"codicil/internal/contract"
	"codicil/internal/ledger"
	"codicil/internal/store"
)

// trial is a document that was judged.
type trial struct {
	*judge.Judged
	masters  *masters
	book     *plan.Book // with the changes that the document states
	document judge.Document
	links    *links            // for showing; what the judgement read is in reads
	typed    map[string]string // texts that are not of their field's type, by address
	reader   *reader
	numbers  *numbers
	reads    *readSet
	version  judge.Version
}

// place is for what the document gets its numbers.
func (t *trial) place() table.Place {
	s := t.Plan.Scope
	return table.Place{Company: s.Company.Key, Type: s.Type.Key, Day: s.Day}
}

func (t *trial) outcome() contract.Outcome {
	o := t.reader.outcome(t.Case, t.typed)
	o.Day, o.Today, o.Version = string(t.Plan.Scope.Day), string(t.Today), t.version
	for _, r := range t.document.Changes.Left(t.book) {
		o.Changes = append(o.Changes, contract.RuleRef{Rule: r.ID, Version: r.Version, Name: r.Name})
	}
	return o
}

func (t *trial) title(content record.Content) string {
	return t.links.titleOf(t.Plan.Kind(), content.Values)
}

// ask is how a document is to be judged.
type ask struct {
	format *field.Format
	moment rule.Moment
	// keyed tells that a person keys the document.
	keyed bool
	// real tells that the document is to be saved or posted, or is shown as it would be: it may
	// state no facts, and the work is done today.
	real bool
	// drafts are rules that are taken as if they were in force where they are drafts.
	drafts []int64
	// over are records as they would be, which go before those that are saved.
	over map[ref]*store.Record
	// quiet leaves out the detail of the trace.
	quiet bool
	// facts are the addresses of the fields whose facts are told; nil: all, of a document of few
	// lines.
	facts []string
	// empty leaves out all rules: what is posted is taken back without asking any.
	empty bool
}

// try judges the document as the person typed it. All that differs between the plan, the form,
// saving, posting and programs stands in the document and in how it is asked.
func (d *Desk) try(ctx context.Context, document judge.Document, a ask) (*trial, error) {
	version, err := d.judgedBy(ctx)
	if err != nil {
		return nil, err
	}
	m, err := d.master(ctx)
	if err != nil {
		return nil, err
	}
	book, err := d.book(ctx, document.Kind)
	if err != nil {
		return nil, err
	}
	if facts := document.Facts(); a.real && len(facts) > 0 {
		return nil, invalid("stated-facts", "a document that is saved or posted is judged by what is saved: leave out %s", strings.Join(facts, ", "))
	}
	if _, err := record.ParseDay(string(document.Day)); document.Day != "" && err != nil {
		return nil, invalid("not-a-day", "%v", err)
	}
	if a.empty {
		book = plan.NewBook(book.Vocabulary.Kind, m.kinds, m.tables, nil)
	}
	t := &trial{masters: m, document: document, typed: map[string]string{}, version: version, reads: newReadSet(version.Book)}
	c := d.circumstances(ctx, m, book, document.Company, t.reads)
	c.Moment, c.Keyed, c.Detail, c.Facts = a.moment, a.keyed, !a.quiet, a.told(book.Vocabulary.Kind, &document)
	if c.Moment == "" {
		c.Moment = rule.Posting
	}
	linked := c.Linked.(*links)
	linked.over = a.over
	t.links = d.links(ctx, m, document.Company)
	if a.real {
		t.document.Day = ""
	}
	if err := d.state(ctx, t, &c, a.format); err != nil {
		return nil, err
	}
	c.Book = proof.WithDrafts(book, a.drafts)
	t.book = c.Book
	waiting, leave := context.WithTimeout(ctx, longestJudging)
	defer leave()
	c.Done = waiting.Done()
	if t.Judged, err = judge.Judge(&t.document, &c); err != nil {
		return nil, cmp.Or(ctx.Err(), unjudged(err))
	}
	t.Case.Done = ctx.Done() // what is asked of the case later has time of its own
	t.document.Day = t.Today
	t.numbers = t.Case.Numbers.(*numbers)
	t.reads.counts = t.numbers.counts()
	t.reader = newReader(t.Plan, t.Outcome, t.links, a.format)
	return t, cmp.Or(linked.failed, c.Peers.(*peers).failed, t.numbers.failed)
}

// told tells of which fields the facts are told.
func (a *ask) told(kind *record.Kind, document *judge.Document) func(place, line int) bool {
	switch {
	case a.facts == nil && len(document.Lines) <= linesWithFacts:
		return nil
	case len(a.facts) == 0:
		return judge.NoFacts
	}
	wanted := map[[2]int]bool{}
	for _, address := range a.facts {
		place, line := judge.Place(kind, address)
		wanted[[2]int{place, line}] = true
	}
	return func(place, line int) bool { return wanted[[2]int{place, line}] }
}

// linesWithFacts is how many lines a document may have of which all facts are told.
const linesWithFacts = 50

// longestJudging is how long judging one document may take.
const longestJudging = 20 * time.Second

// unjudged is the error of a document that could not be judged.
func unjudged(err error) error {
	var known *Error
	switch {
	case errors.As(err, &known):
		return err
	case errors.Is(err, judge.ErrStopped):
		return invalid("took-too-long", "the rules took longer than %s over this document and were stopped; it has too many lines, or a formula goes through too much", longestJudging)
	case errors.Is(err, judge.ErrTooManyLines):
		return invalid("too-many-lines", "%v; divide it", err)
	}
	return invalid("unknown-field", "%v", err)
}

// circumstances are what the store has to say of documents of a company: who asks, when, and
// all other records. reads notes what is read; nil: nobody relies on it.
func (d *Desk) circumstances(ctx context.Context, m *masters, book *plan.Book, company string, reads *readSet) judge.Circumstances {
	kind := book.Vocabulary.Kind
	at := m.company(company)
	linked := d.links(ctx, m, company)
	linked.reads = reads
	return judge.Circumstances{
		Book: book, Build: d.plan, Today: d.today(at), Now: clock.Now(at, d.clock()), User: d.user,
		Scope: func(company, kindType string, day record.Day) (plan.Scope, error) {
			return m.scope(kind.Key, company, kindType, day)
		},
		Linked: linked, Peers: &peers{desk: d, ctx: ctx, kind: kind, reads: reads}, Numbers: func() engine.Numbers { return &numbers{desk: d, ctx: ctx} }, Done: ctx.Done(),
	}
}

// state fills in what the document does not state: the saved record that it changes, what
// it follows, and what the person saved before; and it turns typed texts into values, as far
// as they are of their field's type.
func (d *Desk) state(ctx context.Context, t *trial, c *judge.Circumstances, format *field.Format) error {
	document, kind := &t.document, c.Book.Vocabulary.Kind
	if document.Record != "" && document.Stored == nil {
		saved, err := d.saved(ctx, document.Kind, document.Record)
		if err != nil {
			return err
		}
		t.reads.note(ref{document.Kind, document.Record}, &saved.Record)
		document.Stored, document.StoredLines = onlyKnown(kind, "", saved.Values), onlyKnownLines(kind, saved.Lines)
		document.StoredOrigins, document.StoredReasons = saved.Origins, saved.Reasons
		document.Preceding = nil
		if saved.OriginNumber != "" {
			document.Preceding = &engine.Preceding{Kind: saved.OriginKind, Number: saved.OriginNumber}
		}
	}
	if p := document.Preceding; p != nil && p.Followers == 0 {
		followers, err := d.followers(ctx, t.masters, p.Kind, p.Number)
		if err != nil {
			return err
		}
		at := ref{p.Kind, p.Number}
		t.reads.follows[at] = standing(followers, ref{})
		document.Preceding = &engine.Preceding{Kind: p.Kind, Number: p.Number, Followers: standing(followers, ref{document.Kind, document.Record})}
	}
	if err := d.read(t, c, format); err != nil {
		return err
	}
	if document.Previous != nil || !looksBack(c.Book, document.Changes) {
		return nil
	}
	asked := askedPrior{kind: document.Kind, company: document.Company, kindType: document.Type, user: cmp.Or(document.User, c.User), except: document.Record}
	if err := d.askPrior(ctx, &asked); err != nil {
		return err
	}
	t.reads.prior = append(t.reads.prior, asked)
	content := func(at ref) *record.Content {
		if at.number == "" {
			return nil
		}
		s, err := d.shelf(ctx, at.kind)
		if err != nil {
			return nil
		}
		r := s.find(at.number)
		if r == nil {
			return nil
		}
		return &record.Content{Values: onlyKnown(kind, "", r.Values), Lines: onlyKnownLines(kind, r.Lines)}
	}
	document.Previous, document.PreviousOfType = content(asked.last), content(asked.lastOfType)
	return nil
}

// looksBack tells whether a rule that may act reads what was saved before. Cost: the rules.
func looksBack(b *plan.Book, changes *plan.Changes) bool {
	return slices.ContainsFunc(changes.On(b).Rules, func(c *rule.Compiled) bool {
		return c.State == rule.InForce && b.Vocabulary.LooksBack(c.Reads())
	})
}

// askPrior finds what a person saved last before a document: of the kind, and of the kind and
// type, in the same company. Cost: the records of the kind.
func (d *Desk) askPrior(ctx context.Context, a *askedPrior) error {
	s, err := d.shelf(ctx, a.kind)
	if err != nil {
		return err
	}
	var last, lastOfType *store.Record
	later := func(r, than *store.Record) bool { return than == nil || r.ChangedAt > than.ChangedAt }
	for i := range s.rows {
		r := &s.rows[i]
		if r.Company != a.company || r.ChangedBy != a.user || r.Number == a.except || r.State == store.Reversed || r.Reverses != "" {
			continue
		}
		if later(r, last) {
			last = r
		}
		if r.Type == a.kindType && later(r, lastOfType) {
			lastOfType = r
		}
	}
	found := func(r *store.Record) (ref, int) {
		if r == nil {
			return ref{}, 0
		}
		return ref{r.Kind, r.Number}, r.Version
	}
	a.last, a.version = found(last)
	a.lastOfType, a.versionOfType = found(lastOfType)
	return nil
}

// read turns typed texts into values, as far as they are of their field's type: first the day
// of the document, from which the others' short dates are read.
func (d *Desk) read(t *trial, c *judge.Circumstances, format *field.Format) error {
	document, kind := &t.document, c.Book.Vocabulary.Kind
	if format == nil {
		format = document.Format
	}
	if format == nil {
		format = &field.Plain
	}
	company := t.masters.company(document.Company)
	if company == nil {
		return invalid("unknown-company", "there is no company %q", document.Company)
	}
	stated := *document
	stated.Format = format
	from := cmp.Or(document.Day, c.Today)
	here := company.Surroundings(stated.EnteredDay(kind, from))
	entered, err := t.enter(kind, "", 0, document.Entered, *format, here, from.Value())
	if err != nil {
		return err
	}
	document.Entered = entered
	lines := slices.Clone(document.Lines)
	for i := range lines {
		if lines[i].Entered, err = t.enter(kind, field.LinePrefix, lines[i].Number, lines[i].Entered, *format, here, here.Day); err != nil {
			return err
		}
	}
	document.Lines, document.Format = lines, nil
	if len(t.typed) > 0 {
		document.Format = format
	}
	return nil
}

// enter reads the entered values of the header, or of one line; dayOf is what the day field
// itself is read from.
func (t *trial) enter(kind *record.Kind, prefix string, line int, items map[string]judge.Item, format field.Format, here field.Surroundings, dayFrom feel.Value) (map[string]judge.Item, error) {
	entered := make(map[string]judge.Item, len(items))
	for key, item := range items {
		place := kind.Index(prefix + key)
		if place < 0 {
			return nil, invalid("unknown-field", "a %s has no field %q", kind.Noun(), prefix+key)
		}
		f := &kind.Fields[place]
		if item.Typed == "" {
			if item.Value != "" || item.Derive {
				entered[key] = item
			}
			continue
		}
		typed, again := item.Typed, item.Again
		if f.IsLink() {
			typed, again = t.links.resolve(f.Kind, typed), t.links.resolve(f.Kind, again)
		}
		from := here
		if prefix == "" && key == kind.Day {
			from.Day = dayFrom
		}
		if unit := items[f.Unit]; f.Unit != "" {
			from.Unit = unit.Value + unit.Typed
		}
		v, wrong := f.Read(typed, format, from)
		switch {
		case wrong != nil:
			t.typed[judge.Address(kind, place, line)] = item.Typed
			entered[key] = item
		case !v.IsNull():
			read := judge.Item{Value: field.Write(v), Again: again, Carried: item.Carried}
			if second, wrong := f.Read(again, format, from); wrong == nil {
				read.Again = field.Write(second)
			}
			entered[key] = read
		}
	}
	return entered, nil
}

// enter makes the entered values of saved ones.
func enter(values map[string]string) map[string]judge.Item {
	items := make(map[string]judge.Item, len(values))
	for key, value := range values {
		items[key] = judge.Item{Value: value}
	}
	return items
}

// Try takes a document through the rules. Nothing is kept.
func (d *Desk) Try(ctx context.Context, request contract.TryRequest) (contract.Outcome, error) {
	t, err := d.try(ctx, request.Document, ask{format: request.Format, moment: request.Moment, keyed: request.Keyed, facts: request.Facts})
	if err != nil {
		return contract.Outcome{}, err
	}
	return t.outcome(), nil
}

// Post posts a test document to the practice ledger, by exactly the rules that it was tried
// by. Only an accepted one is posted; for another the posting is nil and the outcome says why.
func (d *Desk) Post(ctx context.Context, request contract.TryRequest) (shown *contract.Posting, outcome contract.Outcome, err error) {
	err = d.commit(ctx, func() (*pending, error) {
		shown = nil
		t, err := d.try(ctx, request.Document, ask{format: request.Format, moment: rule.Posting, keyed: request.Keyed})
		if err != nil {
			return nil, err
		}
		outcome = t.outcome()
		if t.Outcome.Verdict != engine.Accepted {
			return &pending{}, nil
		}
		posted, entries := t.posting(d, practice, outcome), t.entries()
		return &pending{
			reads: t.reads,
			// A test takes no number from anybody: those of series come from the practice only.
			write: func(tx *store.Store) error {
				posted, err = ledger.Post(ctx, tx, posted, t.Plan.Kind(), entries)
				return err
			},
			done: func() {
				shown = &contract.Posting{Summary: summary(posted), Document: posted.Document, Outcome: outcome, Proofs: []contract.Use{}}
				shown.Entries, err = d.journal(ctx, entries, request.Format)
			},
		}, nil
	})
	return shown, outcome, err
}

// posting is what a ledger keeps of the trial.
func (t *trial) posting(d *Desk, ledger string, outcome contract.Outcome) store.Posting {
	return store.Posting{
		Ledger: ledger, Kind: t.document.Kind, Company: t.document.Company, Type: t.document.Type, Day: string(t.Plan.Scope.Day),
		Title: t.title(t.content(d)), Document: t.document, Outcome: outcome, PostedAt: d.clock().UTC(), PostedBy: d.user,
	}
}

// content is what a record holds that is saved as the document came out.
func (t *trial) content(d *Desk) record.Content {
	return t.Content(d.user, d.clock().UTC().Format(time.RFC3339))
}

// entries are the lines of the journal that the trial makes.
func (t *trial) entries() []store.Entry {
	content := t.Content("", "")
	return ledger.Entries(t.Plan.Kind(), &content, t.Plan.Scope, func(kind, account, field string) string {
		text, _ := t.links.Follow(kind, account, field).Text()
		return text
	})
}

func (d *Desk) showPosting(ctx context.Context, p store.Posting, format *field.Format) (contract.Posting, error) {
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
func (d *Desk) Posting(ctx context.Context, ledger, number string, format *field.Format) (contract.Posting, error) {
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
