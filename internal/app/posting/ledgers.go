package posting

import (
	"cmp"
	"codicil/core/field"
	"codicil/core/record"
	"codicil/internal/actor"
	"codicil/internal/app/commit"
	"codicil/internal/contract"
	"codicil/internal/fault"
	"codicil/internal/ledger"
	"codicil/internal/store"
	"codicil/internal/view"
	"context"
	"slices"
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
	summary := contract.LedgerSummary{Ledger: name}
	postings, err := s.base.Store.Postings(ctx, name)
	if err != nil {
		return summary, err
	}
	entries, err := s.base.Store.Entries(ctx, name)
	if err != nil {
		return summary, err
	}
	summary.Postings, summary.Entries = len(postings), len(entries)
	person := actor.Of(ctx).ID
	for _, p := range postings {
		if p.Posted.Person == person {
			summary.Own++
		}
	}
	if name == ledger.Practice {
		summary.Proofs, err = s.proofs.CountPosted(ctx)
	}
	return summary, err
}

// Empty removes what the person who asks posted to the practice ledger.
func (s *Service) Empty(ctx context.Context, name string) error {
	if name != ledger.Practice {
		return fault.Hindered(booksStay)
	}
	return s.base.Line.Write(ctx, func(tx *store.Store, by record.Stamp) error { return tx.EmptyLedger(ctx, name, by.Person) })
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

// Journal returns the journal of a ledger, newest posting first.
func (s *Service) Journal(ctx context.Context, name string, format *field.Format) ([]contract.JournalEntry, error) {
	rows, err := s.base.Store.Entries(ctx, name)
	if err != nil {
		return nil, err
	}
	entries, err := s.journal(ctx, rows, format)
	slices.Reverse(entries)
	// Within a posting the lines keep their order.
	slices.SortStableFunc(entries, func(a, b contract.JournalEntry) int {
		if a.Posting == b.Posting {
			return cmp.Compare(a.Line, b.Line)
		}
		return 0
	})
	return entries, err
}

// Balances returns the balances of a ledger by account, or by partners of a kind such as vendor,
// each by company and currency.
func (s *Service) Balances(ctx context.Context, name, by string, format *field.Format) ([]contract.Balance, error) {
	ref, err := s.base.Cache.Reference(ctx)
	if err != nil {
		return nil, err
	}
	rows, err := s.base.Store.Entries(ctx, name)
	if err != nil {
		return nil, err
	}
	kind := by
	if by == "account" {
		kind = ledger.AccountKind(ref.Kinds)
	} else if _, err := ref.Kind(by); err != nil {
		return nil, err
	}
	links, show := s.base.Links(ctx, ref, ""), view.Amounts{Format: format.OrPlain()}
	balances := view.List(ledger.Balances(rows, by), func(b ledger.Balance) contract.Balance {
		return show.Balance(b, links.Title(kind, b.Key))
	})
	slices.SortFunc(balances, func(a, b contract.Balance) int {
		return strings.Compare(a.Company+" "+a.Key+" "+a.Currency, b.Company+" "+b.Key+" "+b.Currency)
	})
	return balances, links.Err()
}

// Postings returns the postings of a ledger, newest first.
func (s *Service) Postings(ctx context.Context, name string) ([]contract.PostingSummary, error) {
	rows, err := s.base.Store.Postings(ctx, orPractice(name))
	return view.List(rows, view.PostingSummary), err
}

// Posting returns one posting with its trace.
func (s *Service) Posting(ctx context.Context, name, number string, format *field.Format) (contract.Posting, error) {
	p, err := s.base.Store.Posting(ctx, orPractice(name), number)
	if err != nil {
		return contract.Posting{}, commit.Explain(err)
	}
	ref, kind, err := s.base.KindOf(ctx, p.Kind)
	if err != nil {
		return contract.Posting{}, err
	}
	links := s.base.Links(ctx, ref, p.Company)
	show := view.Viewer{Kind: kind, Company: ref.Company(p.Company), Titles: links, Format: format.OrPlain()}
	rows, err := s.base.Store.EntriesOf(ctx, p.Ledger, p.Number)
	if err != nil {
		return contract.Posting{}, err
	}
	entries, err := s.journal(ctx, rows, format)
	if err != nil {
		return contract.Posting{}, err
	}
	shown := view.Posting(&p, show.Trace(&p.Trace), entries)
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

// InScope lists the test postings of a company and type.
func (s *Service) InScope(ctx context.Context, kinds []record.Kind, names func(company, kindType string) bool) (uses []fault.Use, err error) {
	postings, err := s.base.Store.Postings(ctx, ledger.Practice)
	for _, p := range postings {
		if names(p.Company, p.Type) && slices.ContainsFunc(kinds, func(k record.Kind) bool { return k.Key == p.Kind }) {
			uses = append(uses, fault.Use{What: "posting", Key: p.Number, Title: p.Title})
		}
	}
	return uses, err
}
