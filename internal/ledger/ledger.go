// Package ledger is the simulated ERP that documents are posted to: the books, and
// the practice ledger of the tests, by the same code.
//
// It must never know rules; what it gets has passed them. Start reading at Post
// and Entries.
package ledger

import (
	"context"
	"fmt"

	"codicil/core/decimal"
	"codicil/core/field"
	"codicil/core/judge"
	"codicil/core/plan"
	"codicil/core/record"
)

// The ledgers.
const (
	Books    = "books"
	Practice = "practice"
)

// Posting is a document of a ledger, with all that its rules did.
type Posting struct {
	Ledger   string // Books or Practice
	Number   string
	Sequence int64 // its place in the ledger, from 1

	Kind, Company, Type string
	Day                 record.Day
	Title               string
	// Document is the test document; nil for one of the books, which is its record's.
	Document *judge.Document
	// Judged is what a test document was judged by; nil: not known, or with the record.
	Judged   *judge.Kept
	Trace    Trace
	Reverses string // the number of the posting that this one takes back; may be ""
	Posted   record.Stamp
}

// Entry is one line of a ledger's journal.
type Entry struct {
	Ledger, Posting string
	Line            int
	Company         string
	Day             record.Day
	Account, Text   string
	Debit, Credit   string // exact decimals; "": none
	Currency        string
	Partner         record.Ref // empty: the account keeps no partners
}

// Keeper is where postings are kept.
type Keeper interface {
	// NextNumber takes the next number of a series; the first is 1.
	NextNumber(ctx context.Context, series string) (int64, error)
	AddPosting(ctx context.Context, p Posting, entries []Entry) error
}

// Post gives the posting its place in its ledger and adds it with its entries. It
// belongs into a transaction. A posting without a number gets the next one of the
// ledger's own series.
func Post(ctx context.Context, s Keeper, p Posting, kind *record.Kind, entries []Entry) (Posting, error) {
	sequence, err := s.NextNumber(ctx, p.Ledger)
	if err != nil {
		return p, fmt.Errorf("take the next place in the ledger: %w", err)
	}
	p.Sequence = sequence
	if p.Number == "" {
		number, err := s.NextNumber(ctx, p.Ledger+"/"+p.Kind+"/"+p.Company)
		if err != nil {
			return p, fmt.Errorf("take the next number: %w", err)
		}
		p.Number = fmt.Sprintf("P%s%s-%05d", kind.Prefix, p.Company, number)
	}
	for i := range entries {
		entries[i].Ledger, entries[i].Posting = p.Ledger, p.Number
	}
	return p, s.AddPosting(ctx, p, entries)
}

// Entries makes the journal of a finished document: one entry for each line, none
// for a kind that has no journal. follow returns a field of a linked record.
func Entries(kind *record.Kind, content *record.Content, s plan.Scope, follow func(kind, key, fd string) string) []Entry {
	j := kind.Journal
	if j == nil {
		return nil
	}
	account, debit := kind.Field(j.Account), kind.Field(j.Debit)
	var entries []Entry
	for _, line := range content.Lines {
		get := func(key string) string {
			if f := kind.Field(key); f != nil {
				return content.Get(f, line.Number)
			}
			return ""
		}
		e := Entry{
			Line: line.Number, Company: s.Company.Key, Day: s.Day, Account: get(j.Account), Text: get(j.Text),
			Debit: get(j.Debit), Credit: get(j.Credit), Currency: get(debit.Currency),
		}
		if e.Currency == "" {
			e.Currency = s.Company.Currency
		}
		if e.Partner.Kind = follow(account.Kind, e.Account, j.Control); e.Partner.Kind != "" {
			for _, name := range j.Partners {
				if kind.Field(name).Kind != e.Partner.Kind {
					continue
				}
				if e.Partner.Number = get(field.LinePrefix + name); e.Partner.Number == "" {
					e.Partner.Number = get(name)
				}
			}
		}
		entries = append(entries, e)
	}
	return entries
}

// AccountKind returns the kind of record that journals post to.
func AccountKind(kinds []record.Kind) string {
	for i := range kinds {
		if j := kinds[i].Journal; j != nil {
			return kinds[i].Field(j.Account).Kind
		}
	}
	return ""
}

// Amounts returns the debit and the credit of an entry.
func Amounts(e Entry) (debit, credit decimal.Number) {
	debit, _ = decimal.Parse(e.Debit) // "" gives zero
	credit, _ = decimal.Parse(e.Credit)
	return debit, credit
}

// Balance is what was posted to an account or partner of a company in a currency.
type Balance struct {
	Company, Key, Currency string
	Debit, Credit          decimal.Number
	Entries                int
}

// ByAccount is what balances are by, where not by the partners of a kind.
const ByAccount = "account"

// Balances adds up entries by account, or by the partners of one kind.
func Balances(entries []Entry, by string) []Balance {
	type key struct{ company, key, currency string }
	places := map[key]int{}
	var balances []Balance
	for _, e := range entries {
		k := key{e.Company, e.Account, e.Currency}
		if by != ByAccount {
			if e.Partner.Kind != by {
				continue
			}
			k.key = e.Partner.Number
		}
		place, there := places[k]
		if !there {
			place = len(balances)
			places[k] = place
			balances = append(balances, Balance{Company: k.company, Key: k.key, Currency: k.currency})
		}
		b := &balances[place]
		debit, credit := Amounts(e)
		b.Debit, b.Credit = b.Debit.Plus(debit), b.Credit.Plus(credit)
		b.Entries++
	}
	return balances
}

// Show writes an amount of a currency for a person.
func Show(n decimal.Number, currency string, format field.Format) string {
	places, _ := field.CurrencyDecimals(currency)
	return format.Number(n.Fixed(max(n.Places(), places)))
}
