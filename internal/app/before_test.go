package app_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"codicil/core/judge"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/internal/contract"
)

// What was saved before is looked up for documents whose rules read it, and known only of those.
func TestWhatWasBeforeIsKnownWhereRulesOfTheTypeReadIt(t *testing.T) {
	d := harbour(t)
	_, err := d.Catalog.SaveType(as(t), journal, "RE", record.Type{Label: "Recurring entry"})
	require.NoError(t, err)
	back := body(journal, rule.Default, "reference", rule.Effect{Lifetime: rule.NewOnly, Value: "previous.text"})
	back.Scope.Types = []string{"RE"}
	add(t, d, back, rule.InForce)
	customer := save(t, d, document("customer", "10", "WHOL", values{"name": "Harbour Grocers"}))
	posts := func(kindType, text string) contract.Record {
		kept := save(t, d, document(journal, "10", kindType, values{"text": text, "customer": customer.Number}, values{"account": "1100", "debit": "5"}, values{"account": "4000", "credit": "5"}))
		return *post(t, d, kept).Record
	}
	posts("RE", "Rent")
	assert.Empty(t, posts("JE", "Cash").Content.Values["reference"])
	assert.Equal(t, "Cash", posts("RE", "Rent").Content.Values["reference"], "the one before was of another type")

	c := prepare(t, d, "In all types")
	back.Scope.Types, back.Effect.Value = nil, `"B-" + previous.text`
	put(t, d, c, back)
	figures, _ := replayed(t, d, c.ID, contract.ReplayRequest{})
	assert.Equal(t, 1, figures.Unknown, "of the entry of the other type nobody asked")
}

// A proof has what it states of what was saved before, whatever is saved since; so have saved records that a rule is tried on.
func TestAProofDoesNotLookBackAtWhatIsSavedSince(t *testing.T) {
	d := harbour(t)
	back := body(journal, rule.Default, "reference", rule.Effect{Lifetime: rule.WheneverBlank, Value: "previous.text"})
	filled := add(t, d, back, rule.InForce)
	_, err := d.Proofs.Keep(as(t), contract.KeepRequest{Name: "Nothing before", Rules: []int64{filled.ID}, Fields: []string{"reference"}, Document: judge.Document{Kind: journal, Company: "10", Type: "JE", Day: "2026-11-24"}})
	require.NoError(t, err)
	customer := save(t, d, document("customer", "10", "WHOL", values{"name": "Harbour Grocers"}))
	first, second := sale(t, d, customer.Number, "5"), sale(t, d, customer.Number, "6")
	assert.Empty(t, first.Content.Values["reference"])
	assert.Equal(t, "Sale", second.Content.Values["reference"])
	run, err := d.Proofs.Run(as(t), contract.RunRequest{Kind: journal})
	require.NoError(t, err)
	assert.Equal(t, 1, run.Held, "%v", run.Results)
	begun, err := d.Impact.Start(as(t), contract.ImpactRequest{Rule: filled.ID})
	require.NoError(t, err)
	require.Equal(t, contract.RunStateDone, ended(t, d, begun.ID).State)
	page, err := d.Runs.Hits(as(t), begun.ID, "", 100)
	require.NoError(t, err)
	assert.Empty(t, page.Hits)
}

// What was saved before is there in every judgement of a document: also where one goes before, to find what balances.
func TestWhatBalancesIsFoundBesideWhatWasSavedBefore(t *testing.T) {
	d := harbour(t)
	add(t, d, body(journal, rule.Default, "text", rule.Effect{Lifetime: rule.NewOnly, Value: "previous.text"}), rule.InForce)
	customer := save(t, d, document("customer", "10", "WHOL", values{"name": "Harbour Grocers"}))
	sale(t, d, customer.Number, "5")
	out := keyed(t, d, document(journal, "10", "JE", values{"customer": customer.Number}, values{"account": "4000", "debit": "7"}, values{"account": "1000", "credit": "="}))
	assert.Equal(t, "7", inLine(out, 2, "credit"))
	for _, f := range out.Fields {
		if f.Key == "text" {
			assert.Equal(t, "Sale", f.Final.Value)
		}
	}
}
