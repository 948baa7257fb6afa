package desk

import (
	"cmp"
	"context"
	"slices"
	"strings"

	"codicil/core/decimal"
	"codicil/core/field"
	"codicil/core/record"
	"codicil/internal/contract"
	"codicil/internal/ledger"
	"codicil/internal/store"
)

// The ledgers: the books hold what the companies posted, the practice ledger what
// was posted to try rules.
const (
	books    = ledger.Books
	practice = ledger.Practice
)

func orPractice(name string) string {
	if name == "" {
		return practice
	}
	return name
}

// Ledger tells how much a ledger holds.
func (d *Desk) Ledger(ctx context.Context, name string) (contract.LedgerSummary, error) {
	summary := contract.LedgerSummary{Ledger: name}
	postings, err := d.store.Postings(ctx, name)
	if err != nil {
		return summary, err
	}
	entries, err := d.store.Entries(ctx, name)
	if err != nil {
		return summary, err
	}
	summary.Postings, summary.Entries = len(postings), len(entries)
	for _, p := range postings {
		if p.PostedBy == d.user {
			summary.Own++
		}
	}
	m, err := d.master(ctx)
	if err != nil || name != practice {
		return summary, err
	}
	for _, k := range m.kinds {
		proofs, err := d.store.Proofs(ctx, k.Key)
		if err != nil {
			return summary, err
		}
		for _, p := range proofs {
			if p.Posting != "" {
				summary.Proofs++
			}
		}
	}
	return summary, nil
}

// EmptyLedger removes what the person who asks posted to the practice ledger.
func (d *Desk) EmptyLedger(ctx context.Context, name string) error {
	if name != practice {
		return conflict("books-stay", "what is posted to the books stays there; reverse a document instead")
	}
	return d.alone(ctx, func() (*pending, error) {
		return &pending{write: func(tx *store.Store) error { return tx.EmptyLedger(ctx, name, d.user) }}, nil
	})
}

// amounts shows the amounts of a ledger to one person.
type amounts struct{ format field.Format }

func (a amounts) shown(n decimal.Number, currency string) contract.Shown {
	if n.Sign() == 0 {
		return contract.Shown{}
	}
	return a.always(n, currency)
}

// always shows a zero too.
func (a amounts) always(n decimal.Number, currency string) contract.Shown {
	return contract.Shown{Value: n.String(), Text: ledger.Show(n, currency, a.format)}
}

// journal shows entries of a ledger.
func (d *Desk) journal(ctx context.Context, rows []store.Entry, format *field.Format) ([]contract.JournalEntry, error) {
	m, err := d.master(ctx)
	if err != nil {
		return nil, err
	}
	links, show := d.links(ctx, m, ""), amounts{formatOf(format)}
	shown := []contract.JournalEntry{}
	for _, e := range rows {
		debit, credit := ledger.Amounts(e)
		shown = append(shown, contract.JournalEntry{
			Posting: e.Posting, Line: e.Line, Company: e.Company, Day: record.Day(e.Day).Show(show.format), Account: e.Account,
			AccountTitle: links.title(ledger.AccountKind(m.kinds), e.Account), Text: e.Text, Currency: e.Currency,
			Debit: show.shown(debit, e.Currency), Credit: show.shown(credit, e.Currency),
			Partner: e.Partner, PartnerTitle: links.title(e.PartnerKind, e.Partner),
		})
	}
	return shown, links.failed
}

// Journal returns the journal of a ledger, newest posting first.
func (d *Desk) Journal(ctx context.Context, name string, format *field.Format) ([]contract.JournalEntry, error) {
	rows, err := d.store.Entries(ctx, name)
	if err != nil {
		return nil, err
	}
	entries, err := d.journal(ctx, rows, format)
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

// Balances returns the balances of a ledger by account, vendor or customer, each
// by company and currency.
func (d *Desk) Balances(ctx context.Context, name, by string, format *field.Format) ([]contract.Balance, error) {
	m, err := d.master(ctx)
	if err != nil {
		return nil, err
	}
	rows, err := d.store.Entries(ctx, name)
	if err != nil {
		return nil, err
	}
	kind := by
	if by == "account" {
		kind = ledger.AccountKind(m.kinds)
	}
	links, show := d.links(ctx, m, ""), amounts{formatOf(format)}
	balances := list(ledger.Balances(rows, by), func(b ledger.Balance) contract.Balance {
		return contract.Balance{
			Company: b.Company, Key: b.Key, Title: links.title(kind, b.Key), Currency: b.Currency, Entries: b.Entries,
			Debit: show.shown(b.Debit, b.Currency), Credit: show.shown(b.Credit, b.Currency), Balance: show.always(b.Debit.Minus(b.Credit), b.Currency),
		}
	})
	slices.SortFunc(balances, func(a, b contract.Balance) int {
		return strings.Compare(a.Company+" "+a.Key+" "+a.Currency, b.Company+" "+b.Key+" "+b.Currency)
	})
	return balances, links.failed
}
