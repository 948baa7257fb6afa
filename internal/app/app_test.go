package app_test

import (
	"context"
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"codicil/core/field"
	"codicil/core/judge"
	"codicil/core/proof"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/internal/actor"
	"codicil/internal/app"
	"codicil/internal/clock"
	"codicil/internal/contract"
	"codicil/internal/fault"
	"codicil/internal/store"
)

// as is a context in which Ada asks.
func as(t interface{ Context() context.Context }) context.Context {
	return actor.With(t.Context(), actor.Named("Ada", actor.Program))
}

// nobody waits for an answer.
type nobody struct{}

func (nobody) Context() context.Context { return context.Background() }

// office is an application with one company, two groups and three fields, and no rules.
func office(t *testing.T) *app.App {
	t.Helper()
	return appOver(t, func() time.Time { return time.Date(2026, 11, 24, 9, 0, 0, 0, time.UTC) })
}

func appOver(t *testing.T, clock clock.Clock) *app.App {
	t.Helper()
	ctx := as(t)
	s, err := store.Open(ctx, "")
	require.NoError(t, err)
	t.Cleanup(func() { require.NoError(t, s.Close()) })
	require.NoError(t, s.SaveCompany(ctx, record.Company{Key: "10", Name: "Salt Works", Country: "IE", Currency: "EUR", Rounding: "half-up"}, record.Stamp{}))
	require.NoError(t, s.SaveCompany(ctx, record.Company{Key: "20", Name: "Chandlery", Country: "DK", Currency: "DKK", Rounding: "half-up"}, record.Stamp{}))
	require.NoError(t, s.SaveKinds(ctx, []record.Kind{{Key: "vendor", Label: "Vendor", Plural: "Vendors", Title: []string{"name"}, Fields: []field.Field{
		{Key: "name", Label: "Name", Type: field.Text}, {Key: "terms", Label: "Terms", Type: field.Text, Length: 4}, {Key: "ends", Label: "Ends", Type: field.Date},
	}}}))
	require.NoError(t, s.SaveType(ctx, record.Type{Kind: "vendor", Key: "TRAD", Label: "Trade goods"}, record.Stamp{}))
	require.NoError(t, s.SaveType(ctx, record.Type{Kind: "vendor", Key: "SERV", Label: "Services", Companies: []string{"10"}}, record.Stamp{}))
	return app.New(s, clock)
}

func terms(value string, scope rule.Scope) rule.Body {
	return rule.Body{Kind: "vendor", Family: rule.Default, Target: "terms", Scope: scope, On: rule.Occasions{New: true, Change: true},
		Effect: rule.Effect{Lifetime: rule.NewOnly, Value: value}}
}

func add(t *testing.T, d *app.App, body rule.Body, states ...rule.State) contract.RuleView {
	t.Helper()
	v, err := d.Rules.Create(as(t), contract.RuleChange{Body: body})
	require.NoError(t, err)
	for _, state := range states {
		v, err = d.Rules.Move(as(t), v.ID, contract.RuleMove{State: state, Version: v.Version, Reason: "a test"})
		require.NoError(t, err)
	}
	return v
}

func TestThePlanListsWhatActsFirstAndThenWhatRests(t *testing.T) {
	d := office(t)
	all := add(t, d, terms(`"N30"`, rule.Scope{}), rule.InForce)
	own := add(t, d, terms(`"N14"`, rule.Scope{Companies: []string{"10"}, Types: []string{"TRAD"}}), rule.InForce)
	suspended := add(t, d, terms(`"N60"`, rule.Scope{}), rule.InForce, rule.Suspended)
	draft := add(t, d, terms(`nonsense`, rule.Scope{}))
	add(t, d, terms(`"N90"`, rule.Scope{}), rule.InForce, rule.Retired)
	add(t, d, terms(`"DKK"`, rule.Scope{Companies: []string{"20"}}), rule.InForce)
	add(t, d, terms(`"OLD"`, rule.Scope{Until: "2026-11-23"}), rule.InForce)

	p, err := d.Rules.Plan(as(t), "vendor", "10", "TRAD", "2026-11-24")
	require.NoError(t, err)
	rules := p.Fields[1].Stations["default"]
	ids := []int64{}
	for _, r := range rules {
		ids = append(ids, r.ID)
	}
	assert.Equal(t, []int64{own.ID, all.ID, suspended.ID, draft.ID}, ids)
	assert.False(t, rules[0].Inherited, "made for this scope")
	assert.True(t, rules[1].Inherited, "made for a wider one")
	assert.False(t, rules[3].Sound)
	assert.Empty(t, p.Fields[0].Stations)
}

func TestATypeThatACompanyDoesNotUseHasNoPlan(t *testing.T) {
	d := office(t)
	_, err := d.Rules.Plan(as(t), "vendor", "20", "SERV", "2026-11-24")
	var known *fault.Fault
	require.ErrorAs(t, err, &known)
	assert.Equal(t, "type-not-used", known.Code)
	assert.Contains(t, known.Error(), "Services is not used in company 20")
}

func TestAGivenNameStaysWhenTheRuleChanges(t *testing.T) {
	d := office(t)
	v, err := d.Rules.Create(as(t), contract.RuleChange{Name: "What Finn wanted", Body: terms(`"N30"`, rule.Scope{})})
	require.NoError(t, err)
	v, err = d.Rules.Change(as(t), v.ID, contract.RuleChange{Version: v.Version, Name: v.Name, Body: terms(`"N45"`, rule.Scope{})})
	require.NoError(t, err)
	assert.Equal(t, "What Finn wanted", v.Name)
	assert.Equal(t, "Vendor · Terms defaults to N45", v.ProposedName)
}

func TestTodayIsTheDayOfTheTestDocument(t *testing.T) {
	d := office(t)
	body := terms("", rule.Scope{})
	body.Target, body.Effect = "ends", rule.Effect{Lifetime: rule.NewOnly, Value: "add days(today(), 1)"}
	add(t, d, body, rule.InForce)
	for day, want := range map[record.Day]string{"2026-11-24": "2026-11-25", "2028-02-28": "2028-02-29"} {
		out, err := d.Trials.Try(as(t), contract.TryRequest{Document: judge.Document{Kind: "vendor", Company: "10", Type: "TRAD", Day: day, Entered: map[string]judge.Item{"name": {Value: "x"}}}})
		require.NoError(t, err)
		assert.Equal(t, want, out.Fields[2].Final.Value)
	}
}

func TestChosenFieldsOnlyAreExpected(t *testing.T) {
	d := office(t)
	v := add(t, d, terms(`"N30"`, rule.Scope{}), rule.InForce)
	document := judge.Document{Kind: "vendor", Company: "10", Type: "TRAD", Day: "2026-11-24", Entered: map[string]judge.Item{"name": {Value: "Salt"}}}
	p, err := d.Proofs.Keep(as(t), contract.KeepRequest{Document: document, Fields: []string{"terms"}})
	require.NoError(t, err)
	assert.Equal(t, map[string]string{"terms": "N30"}, p.Expect.Values)
	assert.Equal(t, []int64{v.ID}, p.Rules, "it proves the rule that acted")
	assert.Equal(t, "Trade goods in 10: Salt, accepted", p.Name)
}

// Proofs run on all processors; the results come out in the order of the proofs.
func TestManyProofsRunAtOnce(t *testing.T) {
	d := office(t)
	add(t, d, terms(`"N30"`, rule.Scope{}), rule.InForce)
	for i := range 60 {
		want := "N30"
		if i%7 == 0 {
			want = "N99"
		}
		document := judge.Document{Kind: "vendor", Company: "10", Type: "TRAD", Day: "2026-11-24", Entered: map[string]judge.Item{"name": {Value: "Salt"}}}
		_, err := d.Proofs.Keep(as(t), contract.KeepRequest{Document: document, Expect: &proof.Expectation{Verdict: "accepted", Values: map[string]string{"terms": want}}})
		require.NoError(t, err)
	}
	run, err := d.Proofs.Run(context.WithoutCancel(as(t)), contract.RunRequest{Kind: "vendor"})
	require.NoError(t, err)
	assert.Equal(t, 51, run.Held)
	assert.Equal(t, 9, run.Failed)
	assert.True(t, slices.IsSortedFunc(run.Results, func(a, b contract.ProofResult) int { return int(a.Proof - b.Proof) }))
	assert.False(t, run.Results[0].Held)
	assert.True(t, run.Results[1].Held)
}

// counted is how many records of a kind a filter finds: a list tells only as many as it counts in a moment.
func counted(t *testing.T, d *app.App, kind string, filter record.Filter) int {
	t.Helper()
	found, err := d.Records.Count(as(t), contract.ListRequest{Kind: kind, Selection: record.Selection{Filters: []record.Filter{filter}}})
	require.NoError(t, err)
	require.False(t, found.More)
	return found.Total
}
