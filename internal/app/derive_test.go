package app_test

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"codicil/core/record"
	"codicil/core/rule"
	"codicil/internal/app"
	"codicil/internal/contract"
)

func derived(t *testing.T, d *app.App, request contract.DeriveRequest) (contract.Run, []contract.RunHit) {
	t.Helper()
	r, err := d.Derive.Start(as(t), request)
	require.NoError(t, err)
	return done(t, d, r.ID)
}

// After a rule changed, what it gave is derived again: seen first, with the typed values kept, single records left out,
// saved with a reason, and taken back. Posted documents are never touched.
func TestValuesAreDerivedAgain(t *testing.T) {
	d := harbour(t)
	t.Cleanup(d.Close)
	terms := add(t, d, body("vendor", rule.Default, "payment_terms", rule.Effect{Value: `"N30"`, Lifetime: rule.NewOnly}), rule.InForce)
	for i := range 50 {
		v := values{"name": fmt.Sprintf("Vendor %d", i)}
		if i < 5 {
			v["payment_terms"] = "N60" // typed
		}
		save(t, d, document("vendor", "10", "TRAD", v))
	}
	changed := terms.Body
	changed.Effect.Value = `"N14"`
	_, err := d.Rules.Change(as(t), terms.ID, contract.RuleChange{Version: terms.Version, Body: changed, Reason: "New terms"})
	require.NoError(t, err)

	fields := []string{"payment_terms"}
	run, hits := derived(t, d, contract.DeriveRequest{Kind: "vendor", Fields: fields})
	assert.Equal(t, map[string]int{"change": 45, "same": 5}, run.Counts)
	assert.Equal(t, "Payment terms N30 → N14", hits[0].Told)
	list := func(terms string) int {
		page, err := d.Records.List(as(t), contract.ListRequest{Kind: "vendor", Selection: record.Selection{Filters: []record.Filter{{Field: "payment_terms", Relation: "is", Value: terms}}}})
		require.NoError(t, err)
		return page.Total
	}
	assert.Equal(t, [3]int{45, 0, 5}, [3]int{list("N30"), list("N14"), list("N60")}, "nothing is saved")

	_, err = d.Derive.Start(as(t), contract.DeriveRequest{Kind: "vendor", Fields: fields, Apply: true})
	assert.Equal(t, "derive-reason", code(t, err))
	_, err = d.Derive.Start(as(t), contract.DeriveRequest{Kind: "vendor", Fields: []string{"nope"}})
	assert.Equal(t, "unknown-field", code(t, err))
	apply := contract.DeriveRequest{Kind: "vendor", Fields: fields, Apply: true, Reason: "New terms", Except: []string{hits[0].Number}}
	run, _ = derived(t, d, apply)
	assert.Equal(t, map[string]int{"change": 44, "same": 5}, run.Counts)
	assert.Equal(t, [3]int{1, 44, 5}, [3]int{list("N30"), list("N14"), list("N60")})
	back, err := d.TakeBack.Start(as(t), run.ID)
	require.NoError(t, err)
	run, _ = done(t, d, back.ID)
	assert.Equal(t, map[string]int{"restored": 44}, run.Counts)
	assert.Equal(t, [3]int{45, 0, 5}, [3]int{list("N30"), list("N14"), list("N60")})

	apply.Except, apply.Typed = nil, true
	run, _ = derived(t, d, apply)
	assert.Equal(t, map[string]int{"change": 50}, run.Counts, "typed values too, where one says so")
}

// What a check refuses is listed and stays as it is; a record that is posted is not looked at.
func TestWhatIsRefusedIsNotDerived(t *testing.T) {
	d := harbour(t)
	t.Cleanup(d.Close)
	kept := save(t, d, document("vendor", "10", "TRAD", values{"name": "Quay"}))
	add(t, d, body("vendor", rule.Validate, "street", rule.Effect{Severity: rule.Refuse, Must: "is filled(street)", Message: "Enter the street."}), rule.InForce)
	add(t, d, body("vendor", rule.Default, "payment_terms", rule.Effect{Value: `"N30"`, Lifetime: rule.NewOnly}), rule.InForce)
	posted := post(t, d, save(t, d, document("sales_order", "10", "SO", values{"reference": "A"}, values{"quantity": "1"})))
	run, hits := derived(t, d, contract.DeriveRequest{Kind: "vendor", Apply: true, Reason: "Try"})
	assert.Equal(t, map[string]int{"refuse": 1}, run.Counts)
	assert.Equal(t, "Enter the street.", hits[0].Said)
	now, err := d.Records.Get(as(t), record.Ref{Kind: "vendor", Number: kept.Number})
	require.NoError(t, err)
	assert.Equal(t, 1, now.Version)
	if posted.Record != nil && posted.Record.State == "posted" {
		run, _ = derived(t, d, contract.DeriveRequest{Kind: "sales_order", Apply: true, Reason: "Try"})
		assert.Empty(t, run.Counts)
	}
}
