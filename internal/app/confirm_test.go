package app_test

import (
	"slices"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"codicil/core/match"
	"codicil/core/proof"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/internal/app"
	"codicil/internal/contract"
	"codicil/internal/fault"
	"codicil/internal/store"
)

// termsOfCustomer takes the payment terms of an order from its customer.
func termsOfCustomer(t *testing.T, d *app.App) contract.RuleView {
	t.Helper()
	return add(t, d, body("sales_order", rule.Source, "payment_terms", rule.Effect{Mode: rule.Live, Value: "customer.payment_terms"}), rule.InForce)
}

func runAll(t *testing.T, d *app.App, kind string) contract.ProofRun {
	t.Helper()
	run, err := d.Proofs.Run(as(t), contract.RunRequest{Kind: kind})
	require.NoError(t, err)
	return run
}

func TestAProofCarriesWhatItReadUntilItIsRefreshed(t *testing.T) {
	d := harbour(t)
	termsOfCustomer(t, d)
	customer := save(t, d, document("customer", "10", "WHOL", values{"name": "Quayside", "payment_terms": "N30"}))
	kept, err := d.Proofs.Keep(as(t), contract.KeepRequest{Document: withDay(document("sales_order", "10", "SO", values{"customer": customer.Number}))})
	require.NoError(t, err)
	assert.Equal(t, "N30", kept.Expect.Values["payment_terms"])
	require.Equal(t, "N30", kept.Given.Fixtures.Records["customer"][customer.Number]["payment_terms"])

	changed := document("customer", "10", "WHOL", values{"name": "Quayside", "payment_terms": "N14"})
	changed.Record = customer.Number
	_, err = d.Records.Save(as(t), contract.SaveRequest{Document: changed, Version: customer.Version})
	require.NoError(t, err)
	assert.Equal(t, 1, runAll(t, d, "sales_order").Held, "later changes of the customer do not change the proof")

	_, err = d.Proofs.Refresh(as(t), kept.ID)
	require.NoError(t, err)
	run := runAll(t, d, "sales_order")
	assert.Equal(t, 1, run.Failed, "what is expected stays, what is read is as it is now")
	assert.Equal(t, "N14", run.Results[0].Differences[0].Actual)
	assert.Empty(t, run.Results[0].Since, "no rule has changed")
}

func TestAFailingProofTellsWhichRulesChangedSince(t *testing.T) {
	d := office(t)
	v := add(t, d, terms(`"N30"`, rule.Scope{}), rule.InForce)
	_, err := d.Proofs.Keep(as(t), contract.KeepRequest{Document: withDay(document("vendor", "10", "TRAD", values{"name": "Quay"}))})
	require.NoError(t, err)
	next := v.Body
	next.Effect.Value = `"N45"`
	_, err = d.Rules.Change(as(t), v.ID, contract.RuleChange{Version: v.Version, Body: next, Reason: "a test"})
	require.NoError(t, err)
	added := add(t, d, body("vendor", rule.Default, "ends", rule.Effect{Lifetime: rule.NewOnly, Value: "today()"}), rule.InForce)
	run := runAll(t, d, "vendor")
	require.Equal(t, 1, run.Failed)
	assert.Equal(t, []contract.RuleChanged{{Rule: v.ID, From: v.Version, To: v.Version + 1}, {Rule: added.ID, To: added.Version}}, run.Results[0].Since)
}

func TestADraftIsProvedAsIfItWereInForce(t *testing.T) {
	d := office(t)
	draft := add(t, d, body("vendor", rule.Substitute, "terms", rule.Effect{Value: `"N30"`}))
	_, err := d.Proofs.Keep(as(t), contract.KeepRequest{Rules: []int64{draft.ID}, Document: withDay(document("vendor", "10", "TRAD", values{"name": "Quay"}))})
	require.NoError(t, err)
	assert.Equal(t, 1, runAll(t, d, "vendor").Held)
	confirmed, err := d.Coverage.Rule(as(t), draft.ID)
	require.NoError(t, err)
	assert.EqualValues(t, proof.ProvedBoth, confirmed.State)
	all, err := d.Coverage.Kind(as(t), "vendor", true)
	require.NoError(t, err)
	assert.Empty(t, all, "the board is about rules in force")
}

func TestARuleGoesInForceProvedOrWithAReason(t *testing.T) {
	d := office(t)
	draft := add(t, d, terms(`"N30"`, rule.Scope{}))
	move := contract.RuleMove{State: rule.InForce, Version: draft.Version}
	_, err := d.Rules.Move(as(t), draft.ID, move)
	assert.Equal(t, "needs-reason", code(t, err))
	assert.ErrorContains(t, err, "its proofs do not show it both ways (it is not proved)")
	for _, entered := range []values{{"name": "Quay"}, {"name": "Quay", "terms": "N60"}} {
		_, err := d.Proofs.Keep(as(t), contract.KeepRequest{Rules: []int64{draft.ID}, Document: withDay(document("vendor", "10", "TRAD", entered))})
		require.NoError(t, err)
	}
	moved, err := d.Rules.Move(as(t), draft.ID, move)
	require.NoError(t, err, "it is proved both ways")
	assert.Empty(t, moved.Reason)

	other := add(t, d, body("vendor", rule.Default, "ends", rule.Effect{Lifetime: rule.NewOnly, Value: "today()"}))
	moved, err = d.Rules.Move(as(t), other.ID, contract.RuleMove{State: rule.InForce, Version: other.Version, Reason: " agreed "})
	require.NoError(t, err)
	assert.Equal(t, "agreed", moved.Reason)
}

// effect waits for the run that looks what a rule would do to existing records.
func effect(t *testing.T, d *app.App, request contract.ImpactRequest) (contract.Run, []contract.RunHit) {
	t.Helper()
	begun, err := d.Impact.Start(as(t), request)
	require.NoError(t, err)
	return done(t, d, begun.ID)
}

// Of every rule it is known whether it still does something: how often it acted, when last, and where its value stands.
func TestWhatComesOfARuleIsCounted(t *testing.T) {
	d := harbour(t)
	fills := add(t, d, body("vendor", rule.Default, "street", rule.Effect{Value: `"Quay 1"`, Lifetime: rule.NewOnly}), rule.InForce).ID
	warns := add(t, d, body("vendor", rule.Validate, "name", rule.Effect{Severity: rule.Advise, Must: `name != "Odd"`, Message: "Odd."}), rule.InForce).ID
	use := func(id int64) contract.RuleUse {
		all, err := d.Rules.List(as(t), "vendor")
		require.NoError(t, err)
		listed := all[slices.IndexFunc(all, func(r contract.RuleView) bool { return r.ID == id })]
		one, err := d.Rules.Get(as(t), id)
		require.NoError(t, err)
		assert.Equal(t, listed.Use, one.Use)
		return *one.Use
	}
	assert.Equal(t, contract.RuleUse{}, use(fills))
	r := save(t, d, document("vendor", "10", "TRAD", values{"name": "Odd"}))
	other := save(t, d, document("vendor", "10", "TRAD", values{"name": "Even"}))
	was := use(fills)
	assert.Equal(t, contract.RuleUse{Acted: 2, Standing: 2, Last: was.Last, Since: was.Last}, was)
	assert.NotEmpty(t, was.Last)
	assert.Equal(t, contract.RuleUse{Acted: 1, Last: was.Last, Since: was.Last}, use(warns), "a check leaves no value")

	changed := document("vendor", "10", "TRAD", values{"name": "Even", "street": "Elsewhere 2"})
	changed.Record = r.Number
	_, err := d.Records.Save(as(t), contract.SaveRequest{Document: changed, Version: r.Version})
	require.NoError(t, err)
	assert.Equal(t, 1, use(fills).Standing, "a person wrote over one")
	assert.Equal(t, 2, use(fills).Acted)
	assert.Equal(t, 1, use(warns).Acted, "it holds now")
	require.NoError(t, d.Records.Delete(as(t), record.Ref{Kind: "vendor", Number: other.Number}))
	assert.Zero(t, use(fills).Standing)
	_, err = d.Trials.Try(as(t), contract.TryRequest{Document: document("vendor", "10", "TRAD", values{"name": "Odd"})})
	require.NoError(t, err)
	assert.Equal(t, 1, use(warns).Acted, "a test document is no save")
	_, _, err = d.Records.Keep(as(t), contract.SaveRequest{Document: document("vendor", "10", "TRAD", values{"name": "Odd"})})
	require.NoError(t, err)
	assert.Equal(t, 2, use(warns).Acted, "one of many that are saved without their trace")
	assert.Equal(t, 3, use(fills).Acted)
}

// Where many records are saved, a run makes the keys of a unique rule before it is in force, and lists what is there twice.
func TestTheKeysOfAUniqueRuleAreMadeByARun(t *testing.T) {
	d := harbour(t)
	t.Cleanup(d.Close)
	d.Impact.InPlace = 2
	for _, name := range []string{"Quayside", "Quayside", "Alone"} {
		save(t, d, document("vendor", "10", "TRAD", values{"name": name}))
	}
	drawn, err := d.Rules.Create(as(t), contract.RuleChange{Body: body("vendor", rule.Validate, "name", rule.Effect{Severity: rule.Refuse, Unique: &rule.Unique{}, Message: "There is one."})})
	require.NoError(t, err)
	move := contract.RuleMove{State: rule.InForce, Version: drawn.Version, Reason: "asked for"}
	_, err = d.Rules.Move(as(t), drawn.ID, move)
	var waits *fault.Fault
	require.ErrorAs(t, err, &waits)
	require.Equal(t, "not-compared", waits.Code)
	require.Len(t, waits.Uses, 1)
	run, err := strconv.ParseInt(waits.Uses[0].Key, 10, 64)
	require.NoError(t, err)
	require.Eventually(t, func() bool {
		r, err := d.Runs.Get(as(t), run)
		require.NoError(t, err)
		return r.State == contract.RunStateDone
	}, time.Minute, time.Millisecond)
	page, err := d.Runs.Hits(as(t), run, "", 10)
	require.NoError(t, err)
	assert.Len(t, page.Hits, 2, "the two that are the same")
	moved, err := d.Rules.Move(as(t), drawn.ID, move)
	require.NoError(t, err, "its keys are there now")
	assert.Equal(t, rule.InForce, moved.State)
	answer, err := d.Records.Save(as(t), contract.SaveRequest{Document: document("vendor", "10", "TRAD", values{"name": "Alone"})})
	require.NoError(t, err)
	assert.Equal(t, contract.Refused, answer.Outcome.Verdict)
}

func TestExistingRecordsAreCountedBeforeARuleRefusesThem(t *testing.T) {
	d := harbour(t)
	for _, v := range []values{{"name": "One", "street": "Quay 1"}, {"name": "Two"}, {"name": "Three"}} {
		save(t, d, document("vendor", "10", "TRAD", v))
	}
	save(t, d, document("vendor", "20", "TRAD", values{"name": "Elsewhere"}))
	refuses := body("vendor", rule.Validate, "street", rule.Effect{Severity: rule.Refuse, Must: "is filled(street)", Message: "Enter the street."})
	refuses.Scope.Companies = []string{"10"}
	draft := add(t, d, refuses)
	run, hits := effect(t, d, contract.ImpactRequest{Rule: draft.ID})
	assert.Equal(t, map[string]int{"looked": 3, "refused": 2, "changed": 0}, run.Counts)
	assert.Equal(t, [2]int{4, 4}, [2]int{run.Done, run.Total})
	require.Len(t, hits, 2)
	assert.Equal(t, "Enter the street.", hits[0].Told)
	assert.EqualValues(t, "refuse", hits[0].What)

	fills := add(t, d, body("vendor", rule.Substitute, "street", rule.Effect{Value: `"Quay 1"`}))
	run, hits = effect(t, d, contract.ImpactRequest{Rule: fills.ID})
	assert.Equal(t, map[string]int{"looked": 4, "refused": 0, "changed": 3}, run.Counts)
	assert.Equal(t, "Street blank → Quay 1", hits[0].Told)
	assert.Equal(t, []string{"", "Quay 1"}, []string{hits[0].Changes[0].Before.Value, hits[0].Changes[0].After.Value})
	var text strings.Builder
	require.NoError(t, d.Runs.Export(as(t), run.ID, 0, &text))
	assert.Equal(t, 4, strings.Count(text.String(), "\n"), "a head and three lines")

	_, err := d.Rules.Move(as(t), draft.ID, contract.RuleMove{State: rule.InForce, Version: draft.Version})
	assert.ErrorContains(t, err, "it would refuse 2 of 3 saved records as they stand")
}

func TestASuggestionIsMarkedUntilItIsRead(t *testing.T) {
	d := office(t)
	v := add(t, d, terms(`"N30"`, rule.Scope{}), rule.InForce)
	_, err := d.Proofs.Keep(as(t), contract.KeepRequest{Rules: []int64{v.ID}, Document: withDay(document("vendor", "10", "TRAD", values{"name": "Quay"}))})
	require.NoError(t, err)
	found, err := d.Coverage.Suggest(as(t), v.ID, contract.SuggestRequest{})
	require.NoError(t, err)
	require.NotEmpty(t, found)
	shown := []string{}
	for _, s := range found {
		shown = append(shown, s.Shows...)
		kept, err := d.Proofs.Keep(as(t), contract.KeepRequest{Document: s.Document, Name: s.Name, Rules: []int64{v.ID}, Unread: true})
		require.NoError(t, err)
		assert.True(t, kept.Unread)
		read, err := d.Proofs.MarkRead(as(t), kept.ID)
		require.NoError(t, err)
		assert.False(t, read.Unread)
	}
	assert.Contains(t, shown, "that it does not act")
	confirmed, err := d.Coverage.Rule(as(t), v.ID)
	require.NoError(t, err)
	assert.EqualValues(t, proof.ProvedBoth, confirmed.State)
	assert.Equal(t, confirmed.Strength.Mutants, confirmed.Strength.Noticed, "%v", confirmed.Strength.Unnoticed)
	found, err = d.Coverage.Suggest(as(t), v.ID, contract.SuggestRequest{})
	require.NoError(t, err)
	assert.Empty(t, found)
}

func TestTheReportTellsEveryRuleOfAScopeWithItsProofs(t *testing.T) {
	d := office(t)
	v := add(t, d, terms(`"N30"`, rule.Scope{Companies: []string{"10"}}), rule.InForce)
	add(t, d, body("vendor", rule.Default, "ends", rule.Effect{Lifetime: rule.NewOnly, Value: "today()"}), rule.InForce)
	_, err := d.Proofs.Keep(as(t), contract.KeepRequest{Rules: []int64{v.ID}, Name: "Terms", Document: withDay(document("vendor", "10", "TRAD", values{"name": "Quay"}))})
	require.NoError(t, err)
	report, err := d.Coverage.Report(as(t), "vendor", "10", "TRAD")
	require.NoError(t, err)
	require.Len(t, report.Rules, 2)
	kept := time.Date(2026, 11, 24, 9, 0, 0, 0, time.UTC)
	assert.Equal(t, []contract.ReportedProof{{ID: 1, Name: "Terms", Version: 1, KeptAt: &kept, KeptBy: "Ada", Held: true}}, report.Rules[0].Proofs)
	assert.Equal(t, "Ada", report.RanBy)
	text, err := d.Coverage.Export(as(t), "vendor", "10", "TRAD")
	require.NoError(t, err)
	assert.Contains(t, text, "no proof")
	assert.Equal(t, 3, strings.Count(text, "\n"))
}

func TestAProofMayExpectThatItsRulesAct(t *testing.T) {
	d := office(t)
	v := add(t, d, terms(`"N30"`, rule.Scope{}), rule.InForce)
	kept, err := d.Proofs.Keep(as(t), contract.KeepRequest{Acting: true, Fields: []string{"name"}, Document: withDay(document("vendor", "10", "TRAD", values{"name": "Quay"}))})
	require.NoError(t, err)
	assert.Equal(t, []int64{v.ID}, kept.Expect.Acting)
	next := v.Body
	next.When = `name = "Other"`
	_, err = d.Rules.Change(as(t), v.ID, contract.RuleChange{Version: v.Version, Body: next, Reason: "a test"})
	require.NoError(t, err)
	run := runAll(t, d, "vendor")
	require.Equal(t, 1, run.Failed, "no value that it expects has changed, but the rule does not act")
	assert.EqualValues(t, "rule", run.Results[0].Differences[0].What)
}

// A saved record whose header is blank is changed all the same: a proof of that is no proof of a new one.
func TestAProofOfAChangeOfABlankRecordIsOfAChange(t *testing.T) {
	d := harbour(t)
	onNew := body("vendor", rule.Substitute, "street", rule.Effect{Value: `"New"`})
	onNew.On = rule.Occasions{New: true}
	add(t, d, onNew, rule.InForce)
	given := document("vendor", "10", "TRAD", values{"name": "Quay"})
	given.Stored = map[string]string{}
	kept, err := d.Proofs.Keep(as(t), contract.KeepRequest{Document: given})
	require.NoError(t, err)
	run, err := d.Proofs.Run(as(t), contract.RunRequest{Kind: "vendor", Proofs: []int64{kept.ID}})
	require.NoError(t, err)
	assert.Equal(t, 1, run.Held, "%v", run.Results)
}

// What wrong versions of a unique rule would find among the saved records counts, though no keys are made for them: saving stays
// what it costs.
func TestWrongVersionsOfAUniqueRuleMakeNoKeys(t *testing.T) {
	s := onCopy(t, &harbourOnce, &harbourFile, func(s *store.Store) { fillHarbour(t, s) })
	d := app.New(s, morning)
	t.Cleanup(d.Close)
	for _, name := range []string{"Quayside Lamps", "Alone"} {
		save(t, d, document("vendor", "10", "TRAD", values{"name": name}))
	}
	save(t, d, document("vendor", "20", "TRAD", values{"name": "Fjord Nets"}))
	r := add(t, d, body("vendor", rule.Validate, "name", rule.Effect{Severity: rule.Refuse, Unique: &rule.Unique{}, Message: "There is one."}), rule.InForce)
	prove := func(name string) []string {
		_, err := d.Proofs.Keep(as(t), contract.KeepRequest{Document: withDay(document("vendor", "10", "TRAD", values{"name": name})), Rules: []int64{r.ID}})
		require.NoError(t, err)
		confirmed, err := d.Coverage.Rule(as(t), r.ID)
		require.NoError(t, err)
		return confirmed.Strength.Unnoticed
	}
	near, everywhere, folded := "it looked for values that are almost equal too", "it looked in all companies", "case were ignored"
	assert.Subset(t, prove("Alone"), []string{near, everywhere, folded})
	assert.NotContains(t, prove("Quayside Lamp"), near, "one that is saved is almost equal")
	assert.NotContains(t, prove("Fjord Nets"), everywhere, "another company has one")
	assert.NotContains(t, prove("ALONE"), folded)
	_, err := d.Coverage.Suggest(as(t), r.ID, contract.SuggestRequest{})
	require.NoError(t, err)
	name, none := []string{"name"}, match.Differences{}
	for own, u := range map[bool]match.Unique{true: {Fields: name, Ignore: none}, false: {Fields: name, Ignore: none, Near: true}} {
		kept, err := s.HasUnique(as(t), "vendor", u)
		require.NoError(t, err)
		assert.Equal(t, own, kept, "%v", u)
	}
}
