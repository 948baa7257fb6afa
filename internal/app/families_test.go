package app_test

import (
	"fmt"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"codicil/core/evaluation"
	"codicil/core/field"
	"codicil/core/judge"
	"codicil/core/match"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/core/table"
	"codicil/internal/app"
	"codicil/internal/contract"
	"codicil/internal/store"
)

func body(kind string, family rule.Family, target string, effect rule.Effect) rule.Body {
	return rule.Body{Kind: kind, Family: family, Target: target, Effect: effect, On: rule.Occasions{New: true, Change: true}}
}

func references(t *testing.T, d *app.App) {
	t.Helper()
	_, err := d.Tables.SaveSeries(as(t), "refs", contract.SeriesChange{Series: table.Series{Label: "References", Start: 1, Step: 1, Parts: []table.Part{{Is: table.Constant, Text: "R"}, {Is: table.Counter, Digits: 4}}}})
	require.NoError(t, err)
	add(t, d, body("vendor", rule.Default, "trading_as", rule.Effect{Lifetime: rule.NewOnly, Fixed: true, Series: "refs"}), rule.InForce)
}

// However many save at once, no number is given twice, and what was refused took none.
func TestASeriesGivesEveryNumberOnceAndLosesNone(t *testing.T) {
	d := harbour(t)
	references(t, d)
	add(t, d, body("vendor", rule.Entry, "name", rule.Effect{Need: rule.Required}), rule.InForce)
	var group sync.WaitGroup
	var mutex sync.Mutex
	given := map[string]int{}
	for i := range 40 {
		group.Go(func() {
			v := values{"name": fmt.Sprintf("Vendor %d", i)}
			if i%4 == 3 {
				v["name"] = "" // is refused
			}
			answer, err := d.Records.Save(as(t), contract.SaveRequest{Document: document("vendor", "10", "TRAD", v)})
			assert.NoError(t, err)
			if answer.Record == nil {
				return
			}
			mutex.Lock()
			defer mutex.Unlock()
			given[answer.Record.Content.Values["trading_as"]]++
		})
	}
	group.Wait()
	require.Len(t, given, 30)
	for n := range 30 {
		assert.Equal(t, 1, given[fmt.Sprintf("R%04d", n+1)], "number %d", n+1)
	}
	views, err := d.Tables.SeriesList(as(t))
	require.NoError(t, err)
	assert.Equal(t, "R0031", views[0].Counts[0].Next[0])
}

func TestASeriesNumbersTheRecordsItWasDesignedFor(t *testing.T) {
	d := harbour(t)
	s := table.Series{Label: "Trade vendors", Start: 5, Step: 5, End: 10, Parts: []table.Part{{Is: table.Constant, Text: "T"}, {Is: table.Counter, Digits: 3}},
		Numbers: &table.Numbered{Kind: "vendor", Types: []string{"TRAD"}}}
	_, err := d.Tables.SaveSeries(as(t), "trade", contract.SeriesChange{Series: s})
	require.NoError(t, err)
	assert.Equal(t, "T005", save(t, d, document("vendor", "10", "TRAD", values{"name": "One"})).Number)
	assert.Equal(t, "T010", save(t, d, document("vendor", "20", "TRAD", values{"name": "Two"})).Number)
	_, err = d.Records.Save(as(t), contract.SaveRequest{Document: document("vendor", "10", "TRAD", values{"name": "Three"})})
	assert.Equal(t, "exhausted", code(t, err))
	other := s
	other.Label, other.Numbers = "More", &table.Numbered{Kind: "vendor", Companies: []string{"10"}}
	_, err = d.Tables.SaveSeries(as(t), "more", contract.SeriesChange{Series: other})
	assert.Equal(t, "table-problems", code(t, err))
	assert.ErrorContains(t, err, "numbers some of these records already")
}

// Of two who save the same unique value at once, one is refused.
func TestAUniqueValueIsCaughtUnderConcurrentSaving(t *testing.T) {
	d := harbour(t)
	add(t, d, body("vendor", rule.Validate, "tax_number", rule.Effect{Severity: rule.Refuse, Message: "known", Unique: &rule.Unique{With: []string{"city"}, Ignore: match.AllIgnored}}), rule.InForce)
	var group sync.WaitGroup
	var mutex sync.Mutex
	saved, clashes := 0, 0
	for range 8 {
		group.Go(func() {
			answer, err := d.Records.Save(as(t), contract.SaveRequest{Document: document("vendor", "10", "TRAD", values{"name": "Quay", "tax_number": "IE5260181E", "city": "Carrow"})})
			assert.NoError(t, err)
			mutex.Lock()
			defer mutex.Unlock()
			if answer.Record != nil {
				saved++
				return
			}
			clashes++
			assert.Equal(t, []contract.Use{{What: "vendor", Key: "V10001", Title: "Quay"}}, answer.Outcome.Messages[0].Records)
		})
	}
	group.Wait()
	assert.Equal(t, 1, saved)
	assert.Equal(t, 7, clashes)
	// Whichever field is filled last: the city makes it another one, and the same again.
	other := save(t, d, document("vendor", "10", "TRAD", values{"name": "Pier", "tax_number": "IE5260181E", "city": "Ballinore"}))
	change := document("vendor", "10", "TRAD", values{"name": "Pier", "tax_number": "IE5260181E", "city": "carrow"})
	change.Record = other.Number
	answer, err := d.Records.Save(as(t), contract.SaveRequest{Document: change, Version: other.Version})
	require.NoError(t, err)
	assert.Nil(t, answer.Record)
	// A record never clashes with itself.
	itself := document("vendor", "10", "TRAD", values{"name": "Pier Ltd", "tax_number": "IE5260181E", "city": "Ballinore"})
	itself.Record = other.Number
	answer, err = d.Records.Save(as(t), contract.SaveRequest{Document: itself, Version: other.Version})
	require.NoError(t, err)
	assert.NotNil(t, answer.Record, "%v", answer.Outcome.Messages)
}

// Posting writes to linked records, a reversal takes back what the posting added, and what
// somebody else changed meanwhile stays.
func TestAFollowUpIsUndoneByTheReversal(t *testing.T) {
	d := harbour(t)
	customer := save(t, d, document("customer", "10", "WHOL", values{"name": "Quay Grocers", "credit_used": "100"}))
	add(t, d, body("sales_order", rule.FollowUp, "customer.credit_used", rule.Effect{Value: "customer.credit_used + gross_total"}), rule.InForce)
	add(t, d, body("sales_order", rule.FollowUp, "customer.salesperson", rule.Effect{Value: "salesperson"}), rule.InForce)
	held := func(field string) string {
		r, err := d.Records.Get(as(t), record.Ref{Kind: "customer", Number: customer.Number})
		require.NoError(t, err)
		return r.Content.Values[field]
	}
	order := func(total string) contract.Record {
		r := save(t, d, document("sales_order", "10", "SO", values{"customer": customer.Number, "gross_total": total, "salesperson": "finn"}))
		answer := post(t, d, r)
		require.NotNil(t, answer.Record, "%v", answer.Outcome.Messages)
		require.NotEmpty(t, answer.Outcome.FollowUps)
		return *answer.Record
	}
	save(t, d, document("sales_order", "10", "SO", values{"customer": customer.Number, "gross_total": "7"}))
	assert.Equal(t, "100", held("credit_used"), "keeping a document writes nothing")
	first := order("10.50")
	assert.Equal(t, "110.5", held("credit_used"))
	assert.Equal(t, "FINN", held("salesperson"))
	order("20")
	assert.Equal(t, "130.5", held("credit_used"))
	back, err := d.Posting.Reverse(as(t), record.Ref{Kind: "sales_order", Number: first.Number}, contract.ReverseRequest{Version: first.Version, Day: "2026-11-25"})
	require.NoError(t, err)
	assert.Equal(t, "120", held("credit_used"), "the second order stays counted")
	posting, err := d.Posting.Posting(as(t), "books", back.Number, nil)
	require.NoError(t, err)
	assert.NotEmpty(t, posting.Outcome.FollowUps)
	history, err := d.Records.History(as(t), record.Ref{Kind: "customer", Number: customer.Number}, nil)
	require.NoError(t, err)
	assert.Equal(t, "follow-up", history[0].What)
	// A test posting writes to nobody.
	test, _, err := d.Posting.PostTest(as(t), contract.TryRequest{Document: withDay(document("sales_order", "10", "SO", values{"customer": customer.Number, "gross_total": "5"}))})
	require.NoError(t, err)
	require.NotNil(t, test)
	assert.Equal(t, "120", held("credit_used"))
}

func withDay(d judge.Document) judge.Document { d.Day = "2026-11-24"; return d }

func TestWhatThePersonSavedBeforeIsRepeatedInTheSameCompany(t *testing.T) {
	d := harbour(t)
	add(t, d, body("vendor", rule.Default, "clerk", rule.Effect{Lifetime: rule.NewOnly, Value: "previous.clerk"}), rule.InForce)
	save(t, d, document("vendor", "10", "TRAD", values{"name": "One", "clerk": "MOYA"}))
	save(t, d, document("vendor", "20", "TRAD", values{"name": "Two", "clerk": "BIRK"}))
	assert.Equal(t, "MOYA", save(t, d, document("vendor", "10", "TRAD", values{"name": "Three"})).Content.Values["clerk"])
	// A kept test carries what was saved before it, and so comes out the same later.
	kept, err := d.Proofs.Keep(as(t), contract.KeepRequest{Document: withDay(document("vendor", "10", "TRAD", values{"name": "Four"}))})
	require.NoError(t, err)
	assert.Equal(t, "MOYA", kept.Given.Previous.Values["clerk"])
	save(t, d, document("vendor", "10", "TRAD", values{"name": "Five", "clerk": "EOIN"}))
	run, err := d.Proofs.Run(as(t), contract.RunRequest{Kind: "vendor"})
	require.NoError(t, err)
	assert.Equal(t, 1, run.Held)
}

func TestATableThatRulesNeedStaysAsTheyNeedIt(t *testing.T) {
	d := harbour(t)
	days := table.Crosswalk{Key: "days", Label: "Days", Keys: []field.Field{{Key: "terms", Label: "Terms", Type: field.Text}},
		Results: []field.Field{{Key: "days", Label: "Days", Type: field.Number}}, Rows: []table.Row{{Keys: []string{"N30"}, Results: []string{"30"}}}}
	view, err := d.Tables.SaveCrosswalk(as(t), "days", contract.CrosswalkChange{Crosswalk: days})
	require.NoError(t, err)
	add(t, d, body("vendor", rule.Compute, "lead_time", rule.Effect{Value: `crosswalk("days", payment_terms)`}), rule.InForce)
	assert.Equal(t, "in-use", code(t, d.Tables.DeleteCrosswalk(as(t), "days")))
	changed := days
	changed.Results = []field.Field{{Key: "days", Label: "Days", Type: field.Text}}
	_, err = d.Tables.SaveCrosswalk(as(t), "days", contract.CrosswalkChange{Crosswalk: changed, Version: view.Version})
	assert.Equal(t, "in-use", code(t, err))
	// A row more is another matter, and holds at once. Who changed an older version is told.
	days.Rows = append(days.Rows, table.Row{Keys: []string{"N60"}, Results: []string{"60"}})
	_, err = d.Tables.SaveCrosswalk(as(t), "days", contract.CrosswalkChange{Crosswalk: days, Version: view.Version})
	require.NoError(t, err)
	assert.Equal(t, "60", save(t, d, document("vendor", "10", "TRAD", values{"name": "One", "payment_terms": "N60"})).Content.Values["lead_time"])
	_, err = d.Tables.SaveCrosswalk(as(t), "days", contract.CrosswalkChange{Crosswalk: days, Version: view.Version})
	assert.Equal(t, "changed-meanwhile", code(t, err))
	// Codes that are not there are told with the records that have them.
	days.Rows = days.Rows[:1]
	_, err = d.Tables.SaveCrosswalk(as(t), "days", contract.CrosswalkChange{Crosswalk: days, Version: view.Version + 1})
	require.NoError(t, err)
	missing, err := d.Tables.MissingCodes(as(t), "days")
	require.NoError(t, err)
	assert.True(t, missing.Whole)
	require.Len(t, missing.Codes, 1)
	assert.Equal(t, []string{"N60"}, missing.Codes[0].Codes)
	assert.Equal(t, 1, missing.Codes[0].Count)
	assert.Equal(t, "V10001", missing.Codes[0].Examples[0].Key)
}

func TestRowsAreReadInWhateverOrderTheirColumnsAreNamed(t *testing.T) {
	d := harbour(t)
	rates := table.Crosswalk{Key: "rates", Label: "Rates", Keys: []field.Field{{Key: "country", Label: "Country", Type: field.Text}},
		Results: []field.Field{{Key: "rate", Label: "Rate", Type: field.Number, Decimals: 2}}, Rows: []table.Row{{Keys: []string{"IE"}, Results: []string{"1"}}}}
	german := &field.Format{Decimal: ",", Group: ".", Date: "dmy", Separator: "."}
	view, err := d.Tables.ReadCrosswalk(as(t), contract.CrosswalkRead{Crosswalk: rates, Format: german, Text: "Until;Rate;Country\n31.12.2026;1.234,50;DK\n;7;IE\n;x;JP\n"})
	require.NoError(t, err)
	assert.Equal(t, []table.Row{
		{Keys: []string{"IE"}, Results: []string{"7"}},
		{Keys: []string{"DK"}, Results: []string{"1234.5"}, Period: table.Period{Until: "2026-12-31"}},
		{Keys: []string{"JP"}, Results: []string{"x"}},
	}, view.Crosswalk.Rows)
	require.Len(t, view.Problems, 1)
	assert.Equal(t, 2, view.Problems[0].Row)
	_, err = d.Tables.ReadCrosswalk(as(t), contract.CrosswalkRead{Crosswalk: rates, Text: "Country,Rate\n"})
	assert.Equal(t, "no-rows", code(t, err))
}

func TestRulesAreCopiedFromOneScopeToAnother(t *testing.T) {
	d := office(t)
	own := add(t, d, terms(`"N14"`, rule.Scope{Companies: []string{"20"}}), rule.InForce)
	add(t, d, terms(`"N30"`, rule.Scope{}), rule.InForce)
	request := contract.CopyRequest{Kind: "vendor", From: contract.PlanScope{Company: "20", Type: "TRAD"}, To: contract.PlanScope{Company: "10", Type: "TRAD"}, Dry: true}
	copies, err := d.Rules.Copy(as(t), request)
	require.NoError(t, err)
	require.Len(t, copies, 1, "what holds for all is no rule of that scope")
	assert.Equal(t, own.ID, copies[0].Rule)
	assert.Contains(t, copies[0].Sentence, "in 10 Salt Works, fill Terms with N14")
	rules, err := d.Rules.List(as(t), "vendor")
	require.NoError(t, err)
	assert.Len(t, rules, 2, "nothing is kept yet")
	request.Dry = false
	copies, err = d.Rules.Copy(as(t), request)
	require.NoError(t, err)
	made, err := d.Rules.Get(as(t), copies[0].Copy)
	require.NoError(t, err)
	assert.Equal(t, rule.Draft, made.State)
	assert.Equal(t, []string{"10"}, made.Body.Scope.Companies)
	copies, err = d.Rules.Copy(as(t), request)
	require.NoError(t, err)
	assert.Equal(t, made.ID, copies[0].Already, "the same is not copied twice")
}

func TestManyRulesMoveTogetherOrNotAtAll(t *testing.T) {
	d := office(t)
	one := add(t, d, terms(`"N30"`, rule.Scope{}), rule.InForce)
	draft := add(t, d, terms(`"N60"`, rule.Scope{}))
	save(t, d, document("vendor", "10", "TRAD", values{"name": "One"}))
	check := body("vendor", rule.Validate, "name", rule.Effect{Severity: rule.Advise, Must: `name != "One"`, Message: "again"})
	speaks := add(t, d, check, rule.InForce)
	answer, err := d.Rules.MoveMany(as(t), contract.MoveManyRequest{Rules: []int64{one.ID, speaks.ID}, State: rule.Suspended, Dry: true})
	require.NoError(t, err)
	assert.Equal(t, 1, answer.Affected, "one record makes a rule speak")
	assert.Equal(t, []any{1, true}, []any{answer.Looked, answer.Whole})
	state := func(id int64) rule.State {
		v, err := d.Rules.Get(as(t), id)
		require.NoError(t, err)
		return v.State
	}
	assert.Equal(t, rule.InForce, state(one.ID), "nothing is kept yet")
	_, err = d.Rules.MoveMany(as(t), contract.MoveManyRequest{Rules: []int64{one.ID, draft.ID}, State: rule.Suspended})
	assert.Equal(t, "wrong-state", code(t, err), "a draft cannot be suspended")
	assert.Equal(t, rule.InForce, state(one.ID), "all or none")
	_, err = d.Rules.MoveMany(as(t), contract.MoveManyRequest{Rules: []int64{one.ID, speaks.ID}, State: rule.Suspended})
	require.NoError(t, err)
	assert.Equal(t, rule.Suspended, state(one.ID))
}

// What moving rules together would do is looked at while others write; each is asked with those before it as they would be.
func TestNobodyWaitsWhileRulesAreLookedAt(t *testing.T) {
	s := onCopy(t, &harbourOnce, &harbourFile, func(s *store.Store) { fillHarbour(t, s) })
	d := app.New(s, morning)
	t.Cleanup(d.Close)
	first := add(t, d, body("vendor", rule.Default, "name", rule.Effect{Lifetime: rule.NewOnly, Value: "trading_as"}))
	second := add(t, d, body("vendor", rule.Default, "trading_as", rule.Effect{Lifetime: rule.NewOnly, Value: "name"}))
	ask := contract.MoveManyRequest{Rules: []int64{first.ID, second.ID, first.ID}, State: rule.InForce, Dry: true, Reason: "a test"}
	require.NoError(t, s.Transaction(as(t), func(*store.Store) error { // somebody writes for long
		answer, err := d.Rules.MoveMany(as(t), ask)
		require.NoError(t, err)
		require.Len(t, answer.InTheWay, 1)
		assert.Equal(t, []any{second.ID, "loop"}, []any{answer.InTheWay[0].Rule, answer.InTheWay[0].Code}, "with the first they would wait for each other")
		require.Len(t, answer.Rules, 1)
		assert.Equal(t, rule.InForce, answer.Rules[0].State, "as it would be")
		return nil
	}))
	unique := add(t, d, body("vendor", rule.Validate, "name", rule.Effect{Severity: rule.Refuse, Unique: &rule.Unique{}, Message: "There is one."}))
	save(t, d, document("vendor", "10", "TRAD", values{"name": "Quay Ropes"}))
	d.Impact.InPlace = 0
	ask.Rules = []int64{unique.ID}
	answer, err := d.Rules.MoveMany(as(t), ask)
	require.NoError(t, err)
	require.Len(t, answer.InTheWay, 1)
	assert.Equal(t, "not-compared", answer.InTheWay[0].Code, "a run compares what is saved")
	runs, err := d.Runs.List(as(t))
	require.NoError(t, err)
	ended(t, d, runs[0].ID)
	ask.Dry = false
	answer, err = d.Rules.MoveMany(as(t), ask)
	require.NoError(t, err)
	assert.Equal(t, rule.InForce, answer.Rules[0].State)
	again, err := d.Rules.Get(as(t), unique.ID)
	require.NoError(t, err)
	assert.Equal(t, answer.Rules[0].Version, again.Version)
}

func TestDocumentsAreEvaluatedAgainstTheRulesInForce(t *testing.T) {
	d := harbour(t)
	references(t, d)
	saved := save(t, d, document("customer", "10", "WHOL", values{"name": "Quay", "payment_terms": "N60"}))
	add(t, d, body("sales_order", rule.Source, "payment_terms", rule.Effect{Mode: rule.Copied, Value: "customer.payment_terms"}), rule.InForce)
	order := func(v values) evaluation.Document {
		return evaluation.Document{Kind: "sales_order", Company: "10", Type: "SO", Day: "2026-11-24", Values: v}
	}
	brought := order(values{"customer": "C9"})
	brought.Linked = map[string]map[string]evaluation.Values{"customer": {"C9": {"payment_terms": "N14"}}}
	results, err := d.Trials.Evaluate(as(t), []evaluation.Document{order(values{"customer": saved.Number}), brought, order(values{"customer": "C8"}), {Kind: "boat", Values: evaluation.Values{}}})
	require.NoError(t, err)
	assert.Equal(t, "N60", results[0].Values["payment_terms"])
	assert.Equal(t, "N14", results[1].Values["payment_terms"], "what the document brings along goes first")
	assert.Equal(t, "no-such-record", results[2].Messages[0].Code)
	assert.Equal(t, `there is no kind of record "boat"`, results[3].Error)
}
