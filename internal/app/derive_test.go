package app_test

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"codicil/core/field"
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
		return counted(t, d, "vendor", record.Filter{Field: "payment_terms", Relation: "is", Value: terms})
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

// What a follow-up wrote, the number that a record was given, and what a person entered where no rule gives a value, can be given
// by no rule again: they stay.
func TestWhatNoRuleGivesAgainStays(t *testing.T) {
	d := harbour(t)
	t.Cleanup(d.Close)
	references(t, d)
	add(t, d, body("customer", rule.Default, "street", rule.Effect{Value: `"Q"`, Lifetime: rule.NewOnly}), rule.InForce)
	add(t, d, body("sales_order", rule.FollowUp, "customer.salesperson", rule.Effect{Value: "salesperson"}), rule.InForce)
	customer := save(t, d, document("customer", "10", "WHOL", values{"name": "Quay Grocers", "street": "Grocers"}))
	answer := post(t, d, save(t, d, document("sales_order", "10", "SO", values{"customer": customer.Number, "salesperson": "finn"})))
	require.NotNil(t, answer.Record, "%v", answer.Outcome.Messages)

	run, hits := derived(t, d, contract.DeriveRequest{Kind: "customer", Apply: true, Reason: "Try"})
	assert.Equal(t, map[string]int{"same": 1}, run.Counts, "%v", hits)
	run, hits = derived(t, d, contract.DeriveRequest{Kind: "customer", Typed: true, Apply: true, Reason: "Try"})
	assert.Equal(t, map[string]int{"change": 1}, run.Counts)
	require.Len(t, hits[0].Changes, 1, "the one that a rule gives: %s", hits[0].Told)
	now, err := d.Records.Get(as(t), record.Ref{Kind: "customer", Number: customer.Number})
	require.NoError(t, err)
	assert.Equal(t, map[string]string{"name": "Quay Grocers", "street": "Q", "salesperson": "FINN"}, now.Content.Values)

	vendor := save(t, d, document("vendor", "10", "TRAD", values{"name": "Rope"}))
	assert.Equal(t, "R0001", vendor.Content.Values["trading_as"])
	run, _ = derived(t, d, contract.DeriveRequest{Kind: "vendor", Typed: true, Apply: true, Reason: "Try"})
	assert.Equal(t, map[string]int{"same": 1}, run.Counts)
	next := save(t, d, document("vendor", "10", "TRAD", values{"name": "Twine"}))
	assert.Equal(t, "R0002", next.Content.Values["trading_as"], "and no number is lost")
}

// A record that stays as it is, is not told of for what a check says of it: nothing of it would be saved.
func TestARecordThatStaysIsNotRefused(t *testing.T) {
	d := harbour(t)
	t.Cleanup(d.Close)
	save(t, d, document("vendor", "10", "TRAD", values{"name": "Quay"}))
	add(t, d, body("vendor", rule.Validate, "street", rule.Effect{Severity: rule.Refuse, Must: "is filled(street)", Message: "Enter the street."}), rule.InForce)
	run, hits := derived(t, d, contract.DeriveRequest{Kind: "vendor"})
	assert.Equal(t, map[string]int{"same": 1}, run.Counts)
	assert.Empty(t, hits)
}

// The selection is that of the list: its filters by bands, and numbers as the person writes them.
func TestWhatTheListFindsIsDerived(t *testing.T) {
	d := harbour(t)
	t.Cleanup(d.Close)
	add(t, d, body("customer", rule.Compute, "credit_used", rule.Effect{Value: "credit_limit / 2", Bands: []rule.Band{
		{Label: "small", Until: "1000", Level: rule.Calm, Shape: rule.Round}, {Label: "large", Level: rule.Watch, Shape: rule.Diamond},
	}}), rule.InForce)
	for _, limit := range []string{"1000.50", "2000", "9000"} {
		save(t, d, document("customer", "10", "WHOL", values{"name": "Customer " + limit, "credit_limit": limit}))
	}
	add(t, d, body("customer", rule.Default, "street", rule.Effect{Value: `"Q"`, Lifetime: rule.NewOnly}), rule.InForce)
	german := field.Format{Decimal: ",", Group: ".", Date: "dmy", Separator: "."}
	for _, of := range []struct {
		field, relation, value string
		found                  int
	}{
		{"credit_used", "in-band", "large", 2},
		{"credit_limit", "from", "1.000,51", 2},
		{"credit_limit", "up-to", "1.000,50", 1},
		{"credit_used", "in-band", "enormous", 0},
	} {
		filter, found := record.Filter{Field: of.field, Relation: of.relation, Value: of.value}, of.found
		selection := record.Selection{Filters: []record.Filter{filter}}
		page, err := d.Records.List(as(t), contract.ListRequest{Kind: "customer", Selection: selection, Format: &german})
		require.NoError(t, err)
		run, _ := derived(t, d, contract.DeriveRequest{Kind: "customer", Selection: selection, Format: &german})
		assert.Equal(t, [2]int{found, found}, [2]int{page.Total, run.Counts["change"]}, "%v", filter)
	}
	run, _ := derived(t, d, contract.DeriveRequest{Kind: "customer", Except: []string{"nobody"}})
	assert.Equal(t, 3, run.Counts["change"])
}
