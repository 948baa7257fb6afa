package view

import (
	"time"

	"codicil/core/decimal"
	"codicil/core/field"
	"codicil/core/judge"
	"codicil/core/record"
	"codicil/internal/clock"
	"codicil/internal/contract"
	"codicil/internal/fault"
	"codicil/internal/ledger"
)

// At is the time of a stamp; the zero time where it has none.
func At(s record.Stamp) time.Time {
	t, _ := clock.When(s)
	return t
}

// Use names a saved record.
func Use(titles Titles, r *record.Record) fault.Use {
	return fault.Use{What: r.Kind, Key: r.Number, Title: titles.Title(r.Kind, r.Number)}
}

// Record shows a saved record.
func Record(r *record.Record, title string, titles Titles, followers []record.Record) contract.Record {
	shown := contract.Record{
		Number: r.Number, Kind: r.Kind, Company: r.Company, Type: r.Type, State: contract.RecordState(r.State), Version: r.Version,
		Title: title, Content: r.Content, Late: r.Late, Reverses: r.Reverses, ReversedBy: r.ReversedBy,
		Followers: List(followers, func(f record.Record) fault.Use { return Use(titles, &f) }), ChangedAt: At(r.Changed), ChangedBy: r.Changed.By,
	}
	if shown.Content.Values == nil {
		shown.Content.Values = map[string]string{}
	}
	if p := r.Preceding; p.Number != "" {
		shown.Origin = &fault.Use{What: p.Kind, Key: p.Number, Title: titles.Title(p.Kind, p.Number)}
	}
	return shown
}

// Former shows a record that was merged into another, by a run.
func Former(number, into, why string, run int64, merged record.Stamp) contract.FormerRecord {
	return contract.FormerRecord{Number: number, Into: into, Why: why, Run: run, MergedAt: At(merged), MergedBy: merged.By}
}

// RecordVersion shows what changed with a version of a record; before is the version before,
// and ruleName names a rule.
func (v *Viewer) RecordVersion(version, before *record.Version, ruleName func(int64) string) contract.RecordVersion {
	was := record.Content{}
	if before != nil {
		was = before.Content
	}
	shown := contract.RecordVersion{
		Version: version.Version, What: version.What, Type: version.Type, ChangedAt: At(version.Changed), ChangedBy: version.Changed.By,
		Changes: List(record.Changes(v.Kind, &was, &version.Content), func(c record.Change) contract.ValueChange {
			return v.Change(&was, &version.Content, c)
		}),
	}
	for _, r := range version.Content.Reasons {
		shown.Reasons = append(shown.Reasons, contract.GivenReason{Rule: r.Rule, Name: ruleName(r.Rule), Line: r.Line, Text: r.Text, By: r.By, At: r.At})
	}
	return shown
}

// PostingSummary shows a posting in a list.
func PostingSummary(p ledger.Posting) contract.PostingSummary {
	return contract.PostingSummary{
		Number: p.Number, Kind: p.Kind, Company: p.Company, Type: p.Type, Day: string(p.Day), Title: p.Title,
		Record: recordOf(&p), Reverses: p.Reverses, PostedAt: At(p.Posted), PostedBy: p.Posted.By,
	}
}

// Posting shows a posting with its outcome.
func Posting(p *ledger.Posting, document judge.Document, told contract.Told, outcome contract.Outcome, entries []contract.JournalEntry) contract.Posting {
	return contract.Posting{Summary: PostingSummary(*p), Document: document, Told: told, Outcome: outcome, Entries: entries, Proofs: []fault.Use{}}
}

// recordOf is the number of the record that was posted, or that a test document changes.
func recordOf(p *ledger.Posting) string {
	switch {
	case p.Document != nil:
		return p.Document.Record
	case p.Judged != nil:
		return p.Judged.Document.Record
	}
	return p.Number
}

// Amounts shows the amounts of a ledger to one person.
type Amounts struct{ Format field.Format }

// shown leaves a zero blank.
func (a Amounts) shown(n decimal.Number, currency string) contract.Shown {
	if n.Sign() == 0 {
		return contract.Shown{}
	}
	return a.always(n, currency)
}

// always shows a zero too.
func (a Amounts) always(n decimal.Number, currency string) contract.Shown {
	return contract.Shown{Value: n.String(), Text: ledger.Show(n, currency, a.Format)}
}

// Entry shows an entry of a journal; accounts is the kind of record that journals post to.
func (a Amounts) Entry(e *ledger.Entry, titles Titles, accounts string) contract.JournalEntry {
	debit, credit := ledger.Amounts(*e)
	shown := contract.JournalEntry{
		Posting: e.Posting, Line: e.Line, Company: e.Company, Day: e.Day.Show(a.Format), Account: e.Account,
		AccountTitle: titles.Title(accounts, e.Account), Text: e.Text, Currency: e.Currency,
		Debit: a.shown(debit, e.Currency), Credit: a.shown(credit, e.Currency),
		Partner: e.Partner.Number, PartnerTitle: titles.Title(e.Partner.Kind, e.Partner.Number),
	}
	if now := titles.Now(e.Partner.Kind, e.Partner.Number); now != e.Partner.Number {
		shown.PartnerNow = now
	}
	if now := titles.Now(accounts, e.Account); now != e.Account {
		shown.AccountNow = now
	}
	return shown
}

// Balance shows a balance.
func (a Amounts) Balance(b ledger.Balance, title string) contract.Balance {
	return contract.Balance{
		Company: b.Company, Key: b.Key, Title: title, Currency: b.Currency, Entries: b.Entries,
		Debit: a.shown(b.Debit, b.Currency), Credit: a.shown(b.Credit, b.Currency), Balance: a.always(b.Debit.Minus(b.Credit), b.Currency),
	}
}

// Row shows a record in a list.
func (v *Viewer) Row(r *record.Record, title string, columns []string) contract.RecordRow {
	return contract.RecordRow{
		Number: r.Number, Company: r.Company, Type: r.Type, State: contract.RecordState(r.State), Title: title,
		Cells: List(columns, func(column string) string { return v.Cell(&r.Content, column) }),
	}
}
