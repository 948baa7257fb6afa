package batches

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"time"

	"codicil/core/decimal"
	"codicil/core/field"
	"codicil/core/record"
	"codicil/internal/app/judging"
	"codicil/internal/contract"
	"codicil/internal/fault"
	"codicil/internal/store"
	"codicil/internal/view"
)

// progress is how far a batch is.
type progress struct {
	batch   *store.Batch
	viewer  view.Viewer
	links   *judging.Links
	entries []store.BatchDocument
	records []*record.Record // as they are saved; nil: deleted
}

// progress reads a batch. Cost: its documents.
func (s *Service) progress(ctx context.Context, b *store.Batch, format *field.Format) (*progress, error) {
	ref, kind, err := s.base.KindOf(ctx, b.Kind)
	if err != nil {
		return nil, err
	}
	p := &progress{batch: b, links: s.base.Links(ctx, ref, b.Company)}
	p.viewer = view.Viewer{Kind: kind, Company: ref.Company(b.Company), Titles: p.links, Format: format.OrPlain()}
	if p.entries, err = s.base.Store.BatchDocuments(ctx, b.ID); err != nil {
		return nil, err
	}
	p.records = make([]*record.Record, len(p.entries))
	for i := range p.entries {
		saved, err := s.base.Saved(ctx, record.Ref{Kind: b.Kind, Number: p.entries[i].Number})
		var missing *fault.Fault
		switch {
		case err == nil:
			p.records[i] = &saved.Record
		case !errors.As(err, &missing) || missing.Reason != fault.NotFound:
			return nil, err
		}
	}
	return p, nil
}

// standing are the records that count: neither deleted nor reversed.
func (p *progress) standing() (count int, total decimal.Number) {
	for _, r := range p.records {
		if r == nil || r.State == record.Reversed {
			continue
		}
		count++
		if n, is := p.amount(r); is {
			total = total.Plus(n)
		}
	}
	return count, total
}

func (p *progress) amount(r *record.Record) (decimal.Number, bool) {
	f := p.viewer.Kind.Field(p.batch.TotalField)
	if f == nil {
		return decimal.Number{}, false
	}
	v, wrong := f.Parse(r.Values[f.Key])
	if wrong != nil {
		return decimal.Number{}, false
	}
	return v.Number()
}

// shown writes an amount of the field that is added up, in the company's currency.
func (p *progress) shown(n decimal.Number) contract.Shown {
	f := p.viewer.Kind.Field(p.batch.TotalField)
	if f == nil {
		return contract.Shown{}
	}
	own := *f
	own.Currency, own.Unit = "", ""
	v, wrong := own.Parse(n.String())
	if wrong != nil {
		return contract.Shown{Value: n.String(), Text: n.String()}
	}
	return contract.Shown{Value: n.String(), Text: own.Show(v, p.viewer.Format, p.viewer.Company.Surroundings(""))}
}

// lacks says in words why the batch does not agree; none: it does. Cost: its documents.
func (p *progress) lacks() (why []string) {
	count, total := p.standing()
	if want := p.batch.Count; want > 0 && count != want {
		why = append(why, fmt.Sprintf("%d of %d documents are keyed", count, want))
	}
	if p.batch.Total != "" {
		if announced, err := decimal.Parse(p.batch.Total); err == nil && announced.Cmp(total) != 0 {
			why = append(why, fmt.Sprintf("%s was announced and %s is keyed", p.shown(announced).Text, p.shown(total).Text))
		}
	}
	left, differing := 0, 0
	for i, r := range p.records {
		switch {
		case r == nil || len(p.batch.Second) == 0 || r.State != record.Kept:
		case p.entries[i].Second == nil:
			left++
		case len(p.differences(i)) > 0:
			differing++
		}
	}
	if left > 0 {
		why = append(why, fmt.Sprintf("%d documents are still to be keyed again", left))
	}
	if differing > 0 {
		why = append(why, fmt.Sprintf("%d documents differ in what was keyed again", differing))
	}
	return why
}

// show shows a batch.
func (s *Service) show(ctx context.Context, b *store.Batch, format *field.Format) (contract.Batch, error) {
	p, err := s.progress(ctx, b, format)
	if err != nil {
		return contract.Batch{}, err
	}
	refusals, err := s.base.Store.Refusals(ctx, b.ID)
	if err != nil {
		return contract.Batch{}, err
	}
	count, total := p.standing()
	shown := contract.Batch{
		ID: b.ID, Version: b.Version, Kind: b.Kind, Company: b.Company, Type: b.Type, State: contract.BatchState(b.State), Made: signedBy(b.Made), Number: count,
		Head:  contract.BatchHead{Title: b.Title, Count: b.Count, Total: b.Total, TotalField: b.TotalField, Posting: contract.BatchPosting(b.Posting), Second: b.Second},
		Keyed: p.shown(total), Agrees: count > 0 && len(p.lacks()) == 0, People: p.people(refusals), Documents: []contract.BatchDocument{},
	}
	if announced, err := decimal.Parse(b.Total); err == nil {
		shown.Announced, shown.Difference = p.shown(announced), p.shown(announced.Minus(total))
	}
	for i := range p.entries {
		shown.Documents = append(shown.Documents, p.document(i))
	}
	return shown, p.links.Err()
}

func signedBy(by record.Stamp) contract.Signed { return contract.Signed{At: view.At(by), By: by.By} }

// document shows one document of the batch.
func (p *progress) document(i int) contract.BatchDocument {
	e, r := &p.entries[i], p.records[i]
	d := contract.BatchDocument{Position: e.Position, Number: e.Number, Keyed: signedBy(e.Keyed), Differences: p.differences(i)}
	if e.Second != nil {
		second := signedBy(e.SecondDone)
		d.Second = &second
	}
	if r == nil {
		return d
	}
	d.State, d.Title = r.State, p.links.TitleOf(p.viewer.Kind, r.Values)
	if at := p.viewer.Kind.Index(p.batch.TotalField); at >= 0 {
		d.Amount = p.viewer.Stored(&r.Content, at, 0, r.Values[p.batch.TotalField])
	}
	return d
}

// longestBreak is how long somebody may take over a document before it counts as a break.
const longestBreak = 10 * time.Minute

// people tells who keyed what, and how fast. Cost: the documents.
func (p *progress) people(refusals []store.BatchRefusals) []contract.BatchPerson {
	type work struct {
		contract.BatchPerson
		person string
		last   time.Time
		worked time.Duration
		gaps   int
	}
	var all []*work
	of := func(person, name string) *work {
		if i := slices.IndexFunc(all, func(w *work) bool { return w.person == person }); i >= 0 {
			return all[i]
		}
		all = append(all, &work{person: person, BatchPerson: contract.BatchPerson{By: name}})
		return all[len(all)-1]
	}
	for i := range p.entries {
		e := &p.entries[i]
		w := of(e.Keyed.Person, e.Keyed.By)
		w.Documents++
		at := view.At(e.Keyed)
		if gap := at.Sub(w.last); !w.last.IsZero() && gap <= longestBreak {
			w.worked += gap
			w.gaps++
		}
		w.last = at
		if e.Second != nil {
			of(e.SecondDone.Person, e.SecondDone.By).Second++
		}
	}
	for i := range refusals {
		of(refusals[i].Person, refusals[i].Name).Refused += refusals[i].Count
	}
	return view.List(all, func(w *work) contract.BatchPerson {
		if w.gaps >= 3 && w.worked > 0 {
			w.PerHour = int(time.Duration(w.gaps) * time.Hour / w.worked)
		}
		return w.BatchPerson
	})
}
