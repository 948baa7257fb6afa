package judging

import (
	"context"
	"maps"
	"slices"
	"strings"

	"codicil/core/decimal"
	"codicil/core/engine"
	"codicil/core/field"
	"codicil/core/judge"
	"codicil/core/record"
	"codicil/internal/store"
)

// Remainder is what a person keys in a journal for what balances: in an amount the amount, in an account the account of
// the other side with its amount.
const Remainder = "="

// remainder is a place in which one was keyed.
type remainder struct {
	line   int    // its place among the lines
	column string // without the prefix of lines
}

// takeRemainders takes out of a keyed document where remainders were keyed. Cost: the lines once.
func takeRemainders(kind *record.Kind, document *judge.Document, keyed bool) (taken []remainder) {
	if !keyed || kind.Journal == nil {
		return nil
	}
	j := kind.Journal
	for i := range document.Lines {
		for _, key := range []string{j.Account, j.Debit, j.Credit} {
			if column := columnOf(key); document.Lines[i].Entered[column].Typed == Remainder {
				taken = append(taken, remainder{i, column})
			}
		}
	}
	if len(taken) == 0 {
		return nil
	}
	document.Lines = slices.Clone(document.Lines)
	for _, r := range taken {
		line := &document.Lines[r.line]
		line.Entered = maps.Clone(line.Entered)
		delete(line.Entered, r.column)
	}
	return taken
}

// putRemainders enters what balances where that was keyed. Cost: the document is judged once without.
func putRemainders(ctx context.Context, s *Service, t *Trial, c *judge.Circumstances, taken []remainder) error {
	if len(taken) == 0 {
		return nil
	}
	kind, without := c.Book.Vocabulary.Kind, t.Document
	judged, err := judge.Judge(&without, c)
	if err != nil {
		return Unjudged(err)
	}
	j, out := kind.Journal, judged.Outcome
	lacks := out.Balance.Lacks() // in debit
	nothing := out.Balance.Debits.Sign() == 0 && out.Balance.Credits.Sign() == 0
	for _, r := range taken {
		line := &t.Document.Lines[r.line]
		final := func(key string) (decimal.Number, bool) {
			if f := out.Field(kind.Index(key), line.Number); f != nil {
				return f.Final.Number()
			}
			return decimal.Number{}, false // of a line in which nothing else was keyed
		}
		debit, hasDebit := final(j.Debit)
		credit, hasCredit := final(j.Credit)
		if r.column == columnOf(j.Account) {
			account, err := offset(ctx, s, t, kind, out)
			if err != nil {
				return err
			}
			if account == "" { // it is told as an account that is not there
				line.Entered[r.column] = judge.Item{Value: Remainder}
				continue
			}
			line.Entered[r.column] = judge.Item{Value: account}
			if hasDebit || hasCredit {
				continue
			}
		}
		lacks = lacks.Plus(debit).Minus(credit) // what the line itself holds goes
		amount := lacks
		if nothing {
			amount = stated(kind, out)
			if r.column == columnOf(j.Credit) {
				amount = amount.Neg()
			}
		}
		delete(line.Entered, columnOf(j.Debit))
		delete(line.Entered, columnOf(j.Credit))
		if amount.Sign() == 0 {
			continue
		}
		side := j.Debit
		if amount.Sign() < 0 {
			side = j.Credit
		}
		line.Entered[columnOf(side)] = judge.Item{Value: amount.Abs().String()}
		lacks, nothing = lacks.Minus(amount), false
	}
	return nil
}

func columnOf(key string) string { return strings.TrimPrefix(key, field.LinePrefix) }

// stated is the amount that the header says the document is of; 0: none.
func stated(kind *record.Kind, out *engine.Outcome) decimal.Number {
	for _, key := range kind.Signed {
		if at := kind.Index(key); at >= 0 && at < len(out.Fields) {
			if n, is := out.Fields[at].Final.Number(); is {
				return n
			}
		}
	}
	return decimal.Number{}
}

// offset is the account against which a document is posted: that of the partner's last document of the type, or else the only
// account that keeps balances by partners of the kind; "": there is none to tell. Cost: one document and two accounts.
func offset(ctx context.Context, s *Service, t *Trial, kind *record.Kind, out *engine.Outcome) (string, error) {
	j := kind.Journal
	accounts := kind.Fields[kind.Index(j.Account)].Kind
	for _, name := range j.Partners {
		at := kind.Index(name)
		if at < 0 {
			continue
		}
		number, is := out.Fields[at].Final.Text()
		if !is {
			continue
		}
		partner := record.Ref{Kind: kind.Fields[at].Kind, Number: number}
		controls := func(account string) bool {
			control, _ := t.Links.Follow(accounts, account, j.Control).Text()
			return control == partner.Kind
		}
		last, err := s.Store.Last(ctx, store.LastQuery{Kind: kind.Key, Company: t.Document.Company, Type: t.Document.Type, Naming: partner, Except: t.Document.Record})
		if err != nil {
			return "", err
		}
		if last != nil {
			for _, l := range last.Lines {
				if account := l.Values[columnOf(j.Account)]; controls(account) {
					return account, nil
				}
			}
		}
		return only(ctx, s, t, accounts, j.Control, partner.Kind)
	}
	return "", nil
}

// only is the one record of a kind that a document may name whose field says something; "": there is none, or several.
func only(ctx context.Context, s *Service, t *Trial, kind, of, value string) (string, error) {
	k, err := t.Reference.Kind(kind)
	if err != nil {
		return "", err
	}
	selection := record.Selection{Filters: []record.Filter{{Field: of, Relation: "is", Value: value}}}
	if !k.Shared {
		selection.Companies = []string{t.Document.Company}
	}
	selector, err := s.Selector(ctx, k, selection, field.Plain)
	if err != nil {
		return "", err
	}
	page, err := s.Store.List(ctx, store.ListQuery{Selector: selector, Limit: 2, Uncounted: true})
	if err != nil || len(page.Rows) != 1 {
		return "", err
	}
	return page.Rows[0].Number, nil
}
