package ledger_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"codicil/core/decimal"
	"codicil/core/field"
	"codicil/core/plan"
	"codicil/core/record"
	"codicil/internal/ledger"
	"codicil/internal/store"
)

var kind = record.Kind{
	Key: "booked", Prefix: "B", Journal: &record.Journal{Account: "lines.account", Debit: "lines.debit", Credit: "lines.credit", Text: "lines.text", Control: "kept_by", Partners: []string{"vendor", "customer"}},
	Fields: []field.Field{
		{Key: "vendor", Type: field.Link, Kind: "vendor"}, {Key: "customer", Type: field.Link, Kind: "customer"}, {Key: "currency", Type: field.Text},
		{Key: "lines.account", Type: field.Link, Kind: "account"}, {Key: "lines.debit", Type: field.Amount, Currency: "currency"}, {Key: "lines.credit", Type: field.Amount, Currency: "currency"},
		{Key: "lines.text", Type: field.Text}, {Key: "lines.vendor", Type: field.Link, Kind: "vendor"},
	},
}

var scope = plan.Scope{Company: &record.Company{Key: "10", Currency: "EUR"}, Day: "2026-11-24"}

func keeps(_, account, _ string) string {
	return map[string]string{"2100": "vendor", "1100": "customer"}[account]
}

func TestTheJournalNamesThePartnerOfAControlAccount(t *testing.T) {
	content := record.Content{Values: map[string]string{"vendor": "V1", "currency": "DKK"}, Lines: []record.Line{
		{Number: 1, Values: map[string]string{"account": "5000", "debit": "80", "text": "Rope"}},
		{Number: 2, Values: map[string]string{"account": "2100", "credit": "50"}},
		{Number: 4, Values: map[string]string{"account": "2100", "credit": "30", "vendor": "V2"}},
	}}
	entries := ledger.Entries(&kind, &content, scope, keeps)
	require.Len(t, entries, 3)
	assert.Equal(t, ledger.Entry{Line: 1, Company: "10", Day: "2026-11-24", Account: "5000", Text: "Rope", Debit: "80", Currency: "DKK"}, entries[0])
	assert.Equal(t, "V1", entries[1].Partner.Number, "that of the header")
	assert.Equal(t, "V2", entries[2].Partner.Number, "the line's own goes first")
	assert.Equal(t, 4, entries[2].Line)
	delete(content.Values, "currency")
	assert.Equal(t, "EUR", ledger.Entries(&kind, &content, scope, keeps)[0].Currency, "the company's currency")
	assert.Nil(t, ledger.Entries(&record.Kind{}, &content, scope, keeps), "a kind without a journal")
}

// However amounts are spread over accounts, the balances add up to debits less
// credits, exactly, and every entry is counted once.
func TestBalancesAddUpExactly(t *testing.T) {
	rapid.Check(t, func(rt *rapid.T) {
		var entries []ledger.Entry
		want, cents := decimal.Number{}, rapid.IntRange(0, 1_000_000)
		for range rapid.IntRange(0, 30).Draw(rt, "entries") {
			e := ledger.Entry{Company: rapid.SampledFrom([]string{"10", "20"}).Draw(rt, "company"), Account: rapid.SampledFrom([]string{"1", "2", "3"}).Draw(rt, "account"), Currency: "EUR"}
			amount := decimal.FromInt(int64(cents.Draw(rt, "cents"))).Round(0, decimal.HalfUp)
			amount, _ = amount.Mul(decimal.MustParse("0.01"))
			if rapid.Bool().Draw(rt, "debit") {
				e.Debit, want = amount.String(), want.Plus(amount)
			} else {
				e.Credit, want = amount.String(), want.Minus(amount)
			}
			entries = append(entries, e)
		}
		sum, counted := decimal.Number{}, 0
		for _, b := range ledger.Balances(entries, "account") {
			sum, counted = sum.Plus(b.Debit).Minus(b.Credit), counted+b.Entries
		}
		if sum.Cmp(want) != 0 || counted != len(entries) {
			rt.Fatalf("%s for %s, %d of %d entries", sum, want, counted, len(entries))
		}
	})
}

func TestAmountsHaveTheDecimalsOfTheirCurrency(t *testing.T) {
	format := field.Format{Decimal: ",", Group: "."}
	assert.Equal(t, "1.480,00", ledger.Show(decimal.MustParse("1480"), "EUR", format))
	assert.Equal(t, "-1.480", ledger.Show(decimal.MustParse("-1480"), "JPY", format))
}

func TestEachLedgerHasItsOwnNumbersAndAnEmptiedOneBeginsAnew(t *testing.T) {
	ctx := t.Context()
	s, err := store.Open(ctx, "")
	require.NoError(t, err)
	defer func() { require.NoError(t, s.Close()) }()
	require.NoError(t, s.SaveKinds(ctx, []record.Kind{kind}))
	require.NoError(t, s.SaveCompany(ctx, record.Company{Key: "10", Rounding: "half-up"}, record.Stamp{}))
	post := func(name, number string) ledger.Posting {
		p, err := ledger.Post(ctx, s, ledger.Posting{Ledger: name, Number: number, Kind: "booked", Company: "10", Posted: record.Stamp{By: "Ada L.", Person: "Ada"}}, &kind, []ledger.Entry{{Line: 1, Account: "1", Debit: "5"}})
		require.NoError(t, err)
		return p
	}
	assert.Equal(t, "PB10-00001", post(ledger.Practice, "").Number)
	assert.Equal(t, "PB10-00002", post(ledger.Practice, "").Number)
	assert.Equal(t, "B1", post(ledger.Books, "B1").Number)
	require.NoError(t, s.EmptyLedger(ctx, ledger.Practice, record.Stamp{By: "Ben", Person: "Ben"}))
	entries, _, err := s.Entries(ctx, ledger.Practice, nil, 0, 100)
	require.NoError(t, err)
	assert.Len(t, entries, 2, "what others posted stays")
	require.NoError(t, s.EmptyLedger(ctx, ledger.Practice, record.Stamp{By: "Ada", Person: "Ada"}))
	entries, _, err = s.Entries(ctx, ledger.Practice, nil, 0, 100)
	require.NoError(t, err)
	assert.Empty(t, entries)
	entries, _, err = s.Entries(ctx, ledger.Books, nil, 0, 100)
	require.NoError(t, err)
	assert.Len(t, entries, 1)
	assert.Equal(t, "PB10-00001", post(ledger.Practice, "").Number)
}
