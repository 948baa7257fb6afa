package posting

import (
	"codicil/core/field"
	"codicil/core/judge"
	"codicil/core/record"
	"codicil/internal/access"
	"codicil/internal/actor"
	"codicil/internal/app/commit"
	"codicil/internal/app/judging"
	"codicil/internal/app/records"
	"codicil/internal/contract"
	"codicil/internal/fault"
	"codicil/internal/ledger"
	"codicil/internal/store"
	"codicil/internal/view"
	"context"
	"slices"
	"strconv"
	"strings"
)

func orPractice(name string) string {
	if name == "" {
		return ledger.Practice
	}
	return name
}

// Ledger tells how much a ledger holds.
func (s *Service) Ledger(ctx context.Context, name string) (contract.LedgerSummary, error) {
	if err := access.Need(ctx, actor.LedgerRead); err != nil {
		return contract.LedgerSummary{}, err
	}
	summary := contract.LedgerSummary{Ledger: name}
	counts, err := s.base.Store.CountLedger(ctx, name, actor.Of(ctx).ID, access.Scope(ctx))
	if err != nil {
		return summary, err
	}
	summary.Postings, summary.Entries, summary.Own = counts.Postings, counts.Entries, counts.Own
	if name == ledger.Practice {
		summary.Proofs, err = s.proofs.CountPosted(ctx)
	}
	return summary, err
}

// Empty removes what the person who asks posted to the practice ledger.
func (s *Service) Empty(ctx context.Context, name string) error {
	if err := access.Need(ctx, actor.PracticePost); err != nil {
		return err
	}
	if name != ledger.Practice {
		return fault.Hindered(booksStay)
	}
	return s.base.Line.Write(ctx, func(tx *store.Store, by record.Stamp) error { return tx.EmptyLedger(ctx, name, by) })
}

// journal shows entries of a ledger.
func (s *Service) journal(ctx context.Context, rows []ledger.Entry, format *field.Format) ([]contract.JournalEntry, error) {
	ref, err := s.base.Cache.Reference(ctx)
	if err != nil {
		return nil, err
	}
	links, show, accounts := s.base.Links(ctx, ref, ""), view.Amounts{Format: format.OrPlain()}, ledger.AccountKind(ref.Kinds)
	return view.List(rows, func(e ledger.Entry) contract.JournalEntry { return show.Entry(&e, links, accounts) }), links.Err()
}

// mostEntries is about how many entries of a journal are returned at once.
const mostEntries = 200

// Journal returns the journal of a ledger, newest posting first: whole postings, from the one after a place on.
func (s *Service) Journal(ctx context.Context, name, after string, format *field.Format) (contract.JournalPage, error) {
	if err := access.Need(ctx, actor.LedgerRead); err != nil {
		return contract.JournalPage{}, err
	}
	before, err := placeOf(after)
	if err != nil {
		return contract.JournalPage{}, err
	}
	rows, next, err := s.base.Store.Entries(ctx, name, access.Scope(ctx), before, mostEntries)
	if err != nil {
		return contract.JournalPage{}, err
	}
	page := contract.JournalPage{Next: placeAt(next)}
	page.Entries, err = s.journal(ctx, rows, format)
	return page, err
}

// placeOf reads a place in a ledger: the sequence of the last posting before it; 0 for "".
func placeOf(text string) (int64, error) {
	if text == "" {
		return 0, nil
	}
	sequence, err := strconv.ParseInt(text, 10, 64)
	if err != nil || sequence < 1 {
		return 0, fault.Bad(fault.NotAPlace, text)
	}
	return sequence, nil
}

func placeAt(sequence int64) string {
	if sequence == 0 {
		return ""
	}
	return strconv.FormatInt(sequence, 10)
}

// mostBalances is how many balances are returned at once.
const mostBalances = 500

// Balances returns the balances of a ledger by account, or by partners of a kind such as vendor,
// each by company and currency, from the one after a place on.
func (s *Service) Balances(ctx context.Context, name, by, after string, format *field.Format) (page contract.BalancePage, err error) {
	if err := access.Need(ctx, actor.LedgerRead); err != nil {
		return contract.BalancePage{}, err
	}
	ref, err := s.base.Cache.Reference(ctx)
	if err != nil {
		return page, err
	}
	kind := by
	if by == ledger.ByAccount {
		kind = ledger.AccountKind(ref.Kinds)
	} else if _, err := ref.Kind(by); err != nil {
		return page, err
	}
	q := store.BalanceQuery{Ledger: name, By: by, Kind: kind, Limit: mostBalances + 1, Companies: access.Scope(ctx)}
	if after != "" {
		if q.After, err = balanceAt(after); err != nil {
			return page, err
		}
	}
	rows, err := s.base.Store.Balances(ctx, q)
	if err != nil {
		return page, err
	}
	if len(rows) > mostBalances {
		rows = rows[:mostBalances]
		last := rows[mostBalances-1]
		page.Next = strings.Join([]string{last.Company, last.Currency, last.Key}, "~")
	}
	links, show := s.base.Links(ctx, ref, ""), view.Amounts{Format: format.OrPlain()}
	page.Balances = view.List(rows, func(b ledger.Balance) contract.Balance { return show.Balance(b, links.Title(kind, b.Key)) })
	return page, links.Err()
}

// balanceAt reads the place of a balance in their order; only its key, the last part, may hold what parts them.
func balanceAt(place string) (ledger.Balance, error) {
	parts := strings.SplitN(place, "~", 3)
	if len(parts) != 3 {
		return ledger.Balance{}, fault.Bad(fault.NotAPlace, place)
	}
	return ledger.Balance{Company: parts[0], Currency: parts[1], Key: parts[2]}, nil
}

// mostPostings is how many postings are returned at once.
const mostPostings = 200

// Postings returns the postings of a ledger, newest first, from the one after a place on, those with all words of a search in
// their number, name or company.
func (s *Service) Postings(ctx context.Context, name, after, search string) (contract.PostingPage, error) {
	if err := access.Need(ctx, actor.LedgerRead); err != nil {
		return contract.PostingPage{}, err
	}
	before, err := placeOf(after)
	if err != nil {
		return contract.PostingPage{}, err
	}
	rows, err := s.base.Store.Postings(ctx, store.PostingQuery{Ledger: orPractice(name), Before: before, Limit: mostPostings + 1, Words: strings.Fields(search), Companies: access.Scope(ctx)})
	page := contract.PostingPage{}
	if len(rows) > mostPostings {
		rows = rows[:mostPostings]
		page.Next = placeAt(rows[mostPostings-1].Sequence)
	}
	page.Postings = view.List(rows, view.PostingSummary)
	return page, err
}

// Posting returns one posting with its trace.
func (s *Service) Posting(ctx context.Context, name, number string, format *field.Format) (contract.Posting, error) {
	if err := access.Need(ctx, actor.LedgerRead); err != nil {
		return contract.Posting{}, err
	}
	p, err := s.base.Store.Posting(ctx, orPractice(name), number)
	if err != nil {
		return contract.Posting{}, commit.Explain(err)
	}
	if !access.In(ctx, p.Company) {
		return contract.Posting{}, commit.Explain(&store.NotFoundError{What: "posting", Key: number})
	}
	ref, kind, err := s.base.KindOf(ctx, p.Kind)
	if err != nil {
		return contract.Posting{}, err
	}
	links := s.base.Links(ctx, ref, p.Company)
	show := view.Viewer{Kind: kind, Company: ref.Company(p.Company), Titles: links, Format: format.OrPlain()}
	rows, err := s.base.Store.EntriesOf(ctx, p.Ledger, p.Sequence)
	if err != nil {
		return contract.Posting{}, err
	}
	entries, err := s.journal(ctx, rows, format)
	if err != nil {
		return contract.Posting{}, err
	}
	told, document, outcome, err := s.told(ctx, kind, &p, &show, format)
	if err != nil {
		return contract.Posting{}, err
	}
	shown := view.Posting(&p, document, told, outcome, entries)
	if shown.ReversedBy, err = s.base.Store.ReversalOf(ctx, p.Ledger, p.Number); err != nil {
		return shown, err
	}
	if p.Ledger == ledger.Practice {
		if shown.Proofs, err = s.proofs.KeptFrom(ctx, p.Number); err != nil {
			return shown, err
		}
	}
	return shown, links.Err()
}

// told tells what became of a document that was posted.
func (s *Service) told(ctx context.Context, kind *record.Kind, p *ledger.Posting, show *view.Viewer, format *field.Format) (contract.Told, judge.Document, contract.Outcome, error) {
	switch {
	case p.Document != nil: // by an earlier release
		return contract.Whole, *p.Document, show.Trace(&p.Trace), nil
	case p.Judged != nil:
		t, same, err := judging.PastOf(s.base, nil).Retell(ctx, p.Judged, judging.Ask{Format: format})
		if ctx.Err() != nil {
			return "", judge.Document{}, contract.Outcome{}, ctx.Err()
		}
		if err == nil && same {
			return contract.Again, p.Judged.Document, t.Outcome(), nil
		}
		return contract.Values, p.Judged.Document, show.Trace(&p.Trace), nil
	}
	at := record.Ref{Kind: p.Kind, Number: p.Number}
	versions, err := s.base.Store.RecordVersions(ctx, at.Kind, at.Number)
	if err != nil {
		return "", judge.Document{}, contract.Outcome{}, err
	}
	// The version that was posted: that of a reversing document is its first.
	i := slices.IndexFunc(versions, func(v record.Version) bool { return v.What == "posted" || v.Version == 1 })
	if i < 0 {
		return contract.Values, judge.Document{}, show.Trace(&p.Trace), nil
	}
	v, err := s.base.Store.JudgedVersion(ctx, at, versions[i].Version)
	if err != nil {
		return "", judge.Document{}, contract.Outcome{}, commit.Explain(err)
	}
	told, outcome, err := records.Told(ctx, s.base, at, &v, format)
	if told == contract.Values { // what was said and written stays
		receipt := show.Trace(&p.Trace)
		receipt.Fields, receipt.Lines = outcome.Fields, outcome.Lines
		outcome = receipt
	}
	document := judging.DocumentOf(kind, &record.Record{Ref: at, Company: p.Company, Type: p.Type, Content: v.Content})
	return told, document, outcome, err
}

// InScope lists the test postings of a company and type.
func (s *Service) InScope(ctx context.Context, kinds []record.Kind, names func(company, kindType string) bool) (uses []fault.Use, more int, err error) {
	scopes, err := s.base.Store.PostingScopes(ctx, ledger.Practice)
	for _, scope := range scopes {
		if !names(scope.Company, scope.Type) || !slices.ContainsFunc(kinds, func(k record.Kind) bool { return k.Key == scope.Kind }) {
			continue
		}
		postings, err := s.base.Store.Postings(ctx, store.PostingQuery{Ledger: ledger.Practice, Kind: scope.Kind, Company: scope.Company, Type: scope.Type, Limit: fault.MostUses})
		if err != nil {
			return nil, 0, err
		}
		for _, p := range postings {
			uses = append(uses, fault.Use{What: "posting", Key: p.Number, Title: p.Title})
		}
		more += scope.Count - len(postings)
	}
	return uses, more, err
}
