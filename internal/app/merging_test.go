package app_test

import (
	"fmt"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"codicil/core/field"
	"codicil/core/judge"
	"codicil/core/match"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/internal/app"
	"codicil/internal/contract"
	"codicil/internal/ledger"
	"codicil/internal/store"
)

// byName finds names of vendors that are almost equal, in all companies.
var byName = match.Unique{Fields: []string{"name"}, Everywhere: true, Ignore: match.AllIgnored, Near: true}

// scanned looks for duplicates, and returns the groups.
func scanned(t *testing.T, d *app.App, kind string, by match.Unique) (contract.Run, []contract.DuplicateGroup) {
	t.Helper()
	r, err := d.Duplicates.Start(as(t), contract.ScanRequest{Kind: kind, Name: "Scan", By: by})
	require.NoError(t, err)
	run := ended(t, d, r.ID)
	require.Equal(t, contract.RunStateDone, run.State, run.Problem)
	page, err := d.Duplicates.Found(as(t), run.ID, "", "", 200)
	require.NoError(t, err)
	return run, page.Groups
}

// numbers are those of the records of groups.
func numbers(groups []contract.DuplicateGroup) (all [][]string) {
	for _, g := range groups {
		var of []string
		for _, r := range g.Records {
			of = append(of, r.Number)
		}
		all = append(all, of)
	}
	return all
}

func merged(t *testing.T, d *app.App, request contract.MergeRequest) (contract.Run, []contract.RunHit) {
	t.Helper()
	r, err := d.Merging.Start(as(t), request)
	require.NoError(t, err)
	return done(t, d, r.ID)
}

func vendor(t *testing.T, d *app.App, company string, v values) contract.Record {
	t.Helper()
	return save(t, d, document("vendor", company, "TRAD", v))
}

func get(t *testing.T, d *app.App, kind, number string) contract.Record {
	t.Helper()
	r, err := d.Records.Get(as(t), record.Ref{Kind: kind, Number: number})
	require.NoError(t, err)
	return r
}

// bill is an accounting document with a vendor.
func bill(t *testing.T, d *app.App, vendor, amount string) contract.Record {
	t.Helper()
	return save(t, d, document("accounting_document", "10", "JE", values{"text": "Ropes", "vendor": vendor, "posting_date": "2026-01-05"},
		values{"account": "4000", "debit": amount}, values{"account": "payables", "credit": amount}))
}

// payables is the harbour with an account that vendors are posted to.
func payables(t *testing.T) *app.App {
	t.Helper()
	d := harbour(t)
	t.Cleanup(d.Close)
	_, err := d.Catalog.SaveType(as(t), "gl_account", "BS", record.Type{Label: "Balance sheet"})
	require.NoError(t, err)
	account := document("gl_account", "10", "BS", values{"name": "Payables", "control_for": "vendor"})
	r := save(t, d, account)
	t.Logf("payables: %s", r.Number)
	return d
}

func TestAScanFindsExactAndNearDuplicates(t *testing.T) {
	d := harbour(t)
	t.Cleanup(d.Close)
	ropes := vendor(t, d, "10", values{"name": "Quay Ropes", "city": "Carrow"})
	again := vendor(t, d, "10", values{"name": "QUAY-ROPES"})
	near := vendor(t, d, "10", values{"name": "Quay Roeps Ltd"})
	other := vendor(t, d, "20", values{"name": "Quay Ropes"})
	vendor(t, d, "10", values{"name": "Harbour Lamps"})

	run, groups := scanned(t, d, "vendor", byName)
	assert.Equal(t, map[string]int{"exact": 1, "near": 3}, run.Counts)
	assert.Equal(t, [][]string{{ropes.Number, again.Number, other.Number}, {ropes.Number, near.Number}, {again.Number, near.Number}, {near.Number, other.Number}}, numbers(groups))
	assert.True(t, groups[0].Exact)
	assert.Equal(t, [3]int{90, 1, 10}, [3]int{groups[1].Alike, groups[1].Changes, groups[1].Letters})
	assert.Equal(t, []contract.DuplicateGroupAside{contract.LegalForm}, groups[1].Aside)
	assert.Equal(t, 2, groups[0].Records[0].Filled)

	within := byName
	within.Everywhere = false
	_, groups = scanned(t, d, "vendor", within)
	assert.Equal(t, [][]string{{ropes.Number, again.Number}, {ropes.Number, near.Number}, {again.Number, near.Number}}, numbers(groups), "within each company")
	_, groups = scanned(t, d, "vendor", match.Unique{Fields: []string{"name"}, Everywhere: true})
	assert.Equal(t, [][]string{{ropes.Number, other.Number}}, numbers(groups), "exactly")
	_, groups = scanned(t, d, "vendor", match.Unique{Fields: []string{"name", "city"}, Everywhere: true, Near: true, Ignore: match.AllIgnored})
	assert.Empty(t, groups, "a blank is like nothing")

	page, err := d.Duplicates.Found(as(t), run.ID, "near", "", 2)
	require.NoError(t, err)
	require.Len(t, page.Groups, 2)
	rest, err := d.Duplicates.Found(as(t), run.ID, "near", page.Next, 2)
	require.NoError(t, err)
	assert.Len(t, rest.Groups, 1)
	assert.Empty(t, rest.Next)

	for want, by := range map[string]match.Unique{
		"duplicates-fields": {}, "unknown-field": {Fields: []string{"nope"}}, "duplicates-twice": {Fields: []string{"name", "name"}}, "duplicates-near": {Fields: []string{"credit_limit"}, Near: true},
	} {
		_, err := d.Duplicates.Start(as(t), contract.ScanRequest{Kind: "vendor", By: by})
		assert.Equal(t, want, code(t, err))
	}
}

// Lines count too: two documents with the same serial number, say.
func TestAScanLooksIntoLines(t *testing.T) {
	d := harbour(t)
	t.Cleanup(d.Close)
	order := func(texts ...string) string {
		var lines []values
		for _, text := range texts {
			lines = append(lines, values{"text": text})
		}
		return save(t, d, document("sales_order", "10", "SO", values{"reference": "R"}, lines...)).Number
	}
	one, two := order("Lamp A1", "Rope"), order("Net", "lamp a1", "lamp a1")
	_, groups := scanned(t, d, "sales_order", match.Unique{Fields: []string{"lines.text"}, Ignore: match.AllIgnored, Near: true})
	assert.Equal(t, [][]string{{one, two}}, numbers(groups))
}

// What a unique rule compares is offered, and what somebody defined stays until it is removed.
func TestDefinitionsOfDuplicates(t *testing.T) {
	d := harbour(t)
	t.Cleanup(d.Close)
	unique := add(t, d, body("vendor", rule.Validate, "tax_number", rule.Effect{Severity: rule.Refuse, Unique: &rule.Unique{Everywhere: true, Ignore: match.AllIgnored}, Message: "It is there already."}), rule.InForce)
	require.NoError(t, d.Duplicates.Define(as(t), "vendor", "Names", byName))
	run, _ := scanned(t, d, "vendor", byName)
	found, err := d.Duplicates.Get(as(t), "vendor")
	require.NoError(t, err)
	require.Len(t, found.Definitions, 2)
	assert.Equal(t, unique.ID, found.Definitions[0].Rule)
	assert.Equal(t, []string{"tax_number"}, found.Definitions[0].By.Fields)
	assert.Nil(t, found.Definitions[0].Run)
	assert.Equal(t, "Names", found.Definitions[1].Name)
	assert.Equal(t, []string{"Name"}, found.Definitions[1].Labels)
	assert.Equal(t, run.ID, found.Definitions[1].Run.ID)
	require.NoError(t, d.Duplicates.Remove(as(t), "vendor", "Names"))
	assert.Equal(t, "not-found", code(t, d.Duplicates.Remove(as(t), "vendor", "Names")))
	assert.Equal(t, "duplicates-name", code(t, d.Duplicates.Define(as(t), "vendor", " ", byName)))
}

// Who said that two are different is remembered: by the scan, and by the rule that would ask.
func TestDifferentRecordsAreLeftAlone(t *testing.T) {
	d := harbour(t)
	t.Cleanup(d.Close)
	a, b := vendor(t, d, "10", values{"name": "Quay Ropes"}), vendor(t, d, "10", values{"name": "Quay Roeps"})
	add(t, d, body("vendor", rule.Validate, "name", rule.Effect{Severity: rule.Confirm, Unique: &rule.Unique{Near: true, Ignore: match.AllIgnored}, Message: "Is it the same?"}), rule.InForce)
	change := func() contract.SaveAnswer {
		now := get(t, d, "vendor", a.Number)
		r := document("vendor", "10", "TRAD", values{"name": "Quay Ropes", "city": "Carrow"})
		r.Record = a.Number
		answer, err := d.Records.Save(as(t), contract.SaveRequest{Document: r, Version: now.Version})
		require.NoError(t, err)
		return answer
	}
	assert.Equal(t, contract.NeedsReason, change().Outcome.Verdict)
	assert.Equal(t, "different-reason", code(t, d.Duplicates.SayDifferent(as(t), "vendor", contract.DifferentRequest{Numbers: []string{a.Number, b.Number}})))
	assert.Equal(t, "different-same", code(t, d.Duplicates.SayDifferent(as(t), "vendor", contract.DifferentRequest{Numbers: []string{a.Number, a.Number}, Reason: "x"})))
	require.NoError(t, d.Duplicates.SayDifferent(as(t), "vendor", contract.DifferentRequest{Numbers: []string{b.Number, a.Number}, Reason: "Two brothers"}))
	assert.Equal(t, contract.Accepted, change().Outcome.Verdict, "nobody is asked again")
	run, groups := scanned(t, d, "vendor", byName)
	assert.Empty(t, groups)
	assert.Equal(t, 1, run.Counts["different"])
	page, err := d.Duplicates.Different(as(t), "vendor", "")
	require.NoError(t, err)
	require.Len(t, page.Differences, 1)
	assert.Equal(t, [4]string{a.Number, "Quay Roeps", "Two brothers", "Ada"}, [4]string{page.Differences[0].Number, page.Differences[0].OtherTitle, page.Differences[0].Why, page.Differences[0].SaidBy})
	// Who says at entry why a new one is another says the same.
	third := document("vendor", "10", "TRAD", values{"name": "Quay Ropess"})
	asked, err := d.Records.Save(as(t), contract.SaveRequest{Document: third})
	require.NoError(t, err)
	require.Nil(t, asked.Record)
	third.Reasons = map[int64]string{asked.Outcome.Messages[0].Rule: "A third brother"}
	saved := save(t, d, third)
	page, err = d.Duplicates.Different(as(t), "vendor", "")
	require.NoError(t, err)
	require.Len(t, page.Differences, 2)
	assert.Equal(t, [3]string{a.Number, saved.Number, "A third brother"}, [3]string{page.Differences[1].Number, page.Differences[1].Other, page.Differences[1].Why})
	require.NoError(t, d.Records.Delete(as(t), record.Ref{Kind: "vendor", Number: saved.Number}))
	require.NoError(t, d.Duplicates.TakeDifferentBack(as(t), "vendor", a.Number, b.Number))
	_, groups = scanned(t, d, "vendor", byName)
	assert.Len(t, groups, 1)
}

// Merging rewrites what is not posted, keeps what is, and lets the number of what was merged lead to the survivor wherever it
// is read, listed and summed. It is taken back whole.
func TestRecordsAreMerged(t *testing.T) {
	d := payables(t)
	keep := vendor(t, d, "10", values{"name": "Quay Ropes", "city": "Carrow"})
	lose := vendor(t, d, "10", values{"name": "Quay Ropes Ltd", "street": "Pier 1", "city": "Ballinore"})
	posted := bill(t, d, lose.Number, "12.50")
	require.Equal(t, contract.Accepted, post(t, d, posted).Outcome.Verdict)
	require.Equal(t, contract.Accepted, post(t, d, bill(t, d, keep.Number, "7.50")).Outcome.Verdict)
	open := bill(t, d, lose.Number, "3")
	names := add(t, d, body("accounting_document", rule.Default, "vendor", rule.Effect{Value: `"` + lose.Number + `"`, Lifetime: rule.NewOnly}), rule.InForce)

	preview, err := d.Merging.Preview(as(t), contract.MergePlan{Kind: "vendor", Numbers: []string{keep.Number, lose.Number}, Survivor: keep.Number})
	require.NoError(t, err)
	assert.Empty(t, preview.Hindrances)
	assert.Equal(t, []contract.MergeFollower{{Kind: "accounting_document", Label: "Accounting documents", Open: 1, Posted: 1}}, preview.Followers)
	require.Len(t, preview.Names, 1)
	assert.Equal(t, fmt.Sprint(names.ID), preview.Names[0].Use.Key)
	results := values{}
	for _, f := range preview.Fields {
		results[f.Field] = f.Result.Value
	}
	assert.Equal(t, [3]string{"Quay Ropes", "Carrow", "Pier 1"}, [3]string{results["name"], results["city"], results["street"]}, "what is blank is filled")

	request := contract.MergeRequest{Kind: "vendor", Merges: []contract.RecordMerge{{Survivor: keep.Number, Merged: []string{lose.Number}, Values: map[string]string{"city": lose.Number}}}}
	run, _ := merged(t, d, request)
	assert.Equal(t, map[string]int{"merge": 1, "rewrite": 1, "names": 1}, run.Counts)
	assert.Equal(t, 1, get(t, d, "vendor", lose.Number).Version, "a check changes nothing")
	request.Apply = true
	_, err = d.Merging.Start(as(t), request)
	assert.Equal(t, "merge-reason", code(t, err))
	request.Reason = "One vendor"
	run, hits := merged(t, d, request)
	assert.Equal(t, map[string]int{"merge": 1, "rewrite": 1, "names": 1}, run.Counts)
	assert.Equal(t, lose.Number, hits[0].Number)
	assert.Equal(t, "into "+keep.Number+" Quay Ropes", hits[0].Said)

	now := get(t, d, "vendor", keep.Number)
	assert.Equal(t, [3]string{"Quay Ropes", "Ballinore", "Pier 1"}, [3]string{now.Content.Values["name"], now.Content.Values["city"], now.Content.Values["street"]})
	require.Len(t, now.Former, 1)
	assert.Equal(t, [3]string{lose.Number, "One vendor", "Ada"}, [3]string{now.Former[0].Number, now.Former[0].Why, now.Former[0].MergedBy})
	gone := get(t, d, "vendor", lose.Number)
	assert.Equal(t, [2]string{string(contract.RecordStateMerged), keep.Number}, [2]string{string(gone.State), gone.MergedInto})
	assert.Equal(t, "Quay Ropes Ltd", gone.Content.Values["name"], "what was merged can be read")
	history, err := d.Records.History(as(t), record.Ref{Kind: "vendor", Number: keep.Number}, &field.Plain)
	require.NoError(t, err)
	var told []string
	for _, v := range history {
		told = append(told, v.Of+" "+v.What)
	}
	assert.ElementsMatch(t, []string{" merged", " saved", lose.Number + " merged", lose.Number + " saved"}, told)

	assert.Equal(t, keep.Number, get(t, d, "accounting_document", open.Number).Content.Values["vendor"], "what is not posted is rewritten")
	assert.Equal(t, lose.Number, get(t, d, "accounting_document", posted.Number).Content.Values["vendor"], "what is posted keeps the number")
	posting, err := d.Posting.Posting(as(t), ledger.Books, posted.Number, &field.Plain)
	require.NoError(t, err)
	assert.Equal(t, [2]string{"Quay Ropes", keep.Number}, [2]string{posting.Entries[1].PartnerTitle, posting.Entries[1].PartnerNow})
	balances := func() (all []string) {
		page, err := d.Posting.Balances(as(t), ledger.Books, "vendor", "", &field.Plain)
		require.NoError(t, err)
		for _, b := range page.Balances {
			all = append(all, fmt.Sprint(b.Key, " ", b.Balance.Value, " ", b.Entries))
		}
		return all
	}
	assert.Equal(t, []string{keep.Number + " -20 2"}, balances())
	list := func(kind string, selection record.Selection) (all []string) {
		page, err := d.Records.List(as(t), contract.ListRequest{Kind: kind, Selection: selection})
		require.NoError(t, err)
		for _, r := range page.Rows {
			all = append(all, r.Number)
		}
		return all
	}
	of := func(relation, number string) record.Selection {
		return record.Selection{Filters: []record.Filter{{Field: "vendor", Relation: relation, Value: number}}}
	}
	assert.Len(t, list("accounting_document", of("is", keep.Number)), 3)
	assert.Len(t, list("accounting_document", of("is", lose.Number)), 3, "the number leads to the survivor")
	assert.Empty(t, list("accounting_document", of("is-not", keep.Number)))
	assert.Equal(t, []string{keep.Number}, list("vendor", record.Selection{Search: lose.Number}))
	assert.Equal(t, []string{keep.Number}, list("vendor", record.Selection{}))

	// The number still works where it is typed, and where a rule gives it.
	typed := bill(t, d, lose.Number, "1")
	assert.Equal(t, keep.Number, typed.Content.Values["vendor"])
	options, err := d.Records.FindLinks(as(t), "vendor", lose.Number, "10")
	require.NoError(t, err)
	require.Len(t, options, 1)
	assert.Equal(t, keep.Number, options[0].Number, "the old number is found where one chooses a record")
	l := setUp(t, d, bring(t, d, "vendor", "v.csv", "number,company,type,telephone\n"+lose.Number+",10,TRAD,+353 1 555 0100\n"), func(s *contract.LoadSetup) { s.Key = []string{"number"} })
	loaded, err := d.Loads.Check(as(t), l.ID)
	require.NoError(t, err)
	loaded, rows := done(t, d, loaded.ID)
	assert.Equal(t, map[string]int{"change": 1}, loaded.Counts, "%v", rows)
	assert.Equal(t, keep.Number, rows[0].Number)
	given := save(t, d, document("accounting_document", "10", "JE", values{"text": "Given", "posting_date": "2026-01-05"}))
	assert.Equal(t, keep.Number, given.Content.Values["vendor"])
	assert.Equal(t, "stands-for", code(t, d.Records.Delete(as(t), record.Ref{Kind: "vendor", Number: keep.Number})))
	_, err = d.Merging.Preview(as(t), contract.MergePlan{Kind: "vendor", Numbers: []string{keep.Number, lose.Number}})
	assert.Equal(t, "not-found", code(t, err))

	back, err := d.TakeBack.Start(as(t), run.ID)
	require.NoError(t, err)
	run, hits = done(t, d, back.ID)
	assert.Equal(t, map[string]int{"restored": 2}, run.Counts, "%v", hits)
	assert.Equal(t, keep.Content.Values, get(t, d, "vendor", keep.Number).Content.Values)
	assert.Empty(t, get(t, d, "vendor", keep.Number).Former)
	again := get(t, d, "vendor", lose.Number)
	assert.Equal(t, contract.RecordStateKept, again.State)
	assert.Equal(t, lose.Content.Values, again.Content.Values)
	assert.Equal(t, lose.Number, get(t, d, "accounting_document", open.Number).Content.Values["vendor"])
	assert.Equal(t, []string{keep.Number + " -7.5 1", lose.Number + " -12.5 1"}, balances())
}

// A check that would refuse what is rewritten, a posted document, and records of two companies hinder a merge; nothing of it is
// written.
func TestWhatIsRefusedIsNotMerged(t *testing.T) {
	d := payables(t)
	keep, lose := vendor(t, d, "10", values{"name": "Quay Ropes"}), vendor(t, d, "10", values{"name": "Quay Ropes Ltd"})
	other := vendor(t, d, "20", values{"name": "Quay Ropes"})
	open := bill(t, d, lose.Number, "3")
	add(t, d, body("accounting_document", rule.Validate, "vendor", rule.Effect{Severity: rule.Refuse, Must: `vendor != "` + keep.Number + `"`, Message: "Not this vendor."}), rule.InForce)
	request := contract.MergeRequest{Kind: "vendor", Apply: true, Reason: "One vendor", Merges: []contract.RecordMerge{{Survivor: keep.Number, Merged: []string{lose.Number}}}}
	run, hits := merged(t, d, request)
	assert.Equal(t, map[string]int{"refuse": 1}, run.Counts)
	assert.Equal(t, open.Number, hits[0].Number)
	assert.Contains(t, hits[0].Said, "Not this vendor.")
	assert.Equal(t, 1, get(t, d, "vendor", lose.Number).Version)
	assert.Zero(t, run.Writes)
	preview, err := d.Merging.Preview(as(t), contract.MergePlan{Kind: "vendor", Numbers: []string{keep.Number, lose.Number}, Survivor: keep.Number})
	require.NoError(t, err)
	require.Len(t, preview.Hindrances, 1)
	assert.Equal(t, open.Number, preview.Hindrances[0].Use.Key)

	request.Merges[0].Merged = []string{other.Number}
	run, hits = merged(t, d, request)
	assert.Equal(t, map[string]int{"refuse": 1}, run.Counts)
	assert.Contains(t, hits[0].Said, "company 20")
	posted, also := bill(t, d, lose.Number, "1"), bill(t, d, lose.Number, "1")
	post(t, d, posted)
	run, hits = merged(t, d, contract.MergeRequest{Kind: "accounting_document", Apply: true, Reason: "Twice", Merges: []contract.RecordMerge{{Survivor: also.Number, Merged: []string{posted.Number}}}})
	assert.Equal(t, map[string]int{"refuse": 1}, run.Counts)
	assert.Contains(t, hits[0].Said, "is posted")

	for want, request := range map[string]contract.MergeRequest{
		"merge-nothing":   {Kind: "vendor"},
		"merge-twice":     {Kind: "vendor", Merges: []contract.RecordMerge{{Survivor: keep.Number, Merged: []string{keep.Number}}}},
		"merge-not-among": {Kind: "vendor", Merges: []contract.RecordMerge{{Survivor: keep.Number, Merged: []string{lose.Number}, Values: map[string]string{"city": other.Number}}}},
		"unknown-field":   {Kind: "vendor", Merges: []contract.RecordMerge{{Survivor: keep.Number, Merged: []string{lose.Number}, Values: map[string]string{"nope": lose.Number}}}},
		"not-found":       {Kind: "vendor", Scan: 99},
	} {
		_, err := d.Merging.Start(as(t), request)
		assert.Equal(t, want, code(t, err))
	}
}

// A key that must be unique goes to the survivor with its value, and back; rules that ask do not ask because of what is merged.
func TestUniqueValuesGoToTheSurvivor(t *testing.T) {
	d := harbour(t)
	t.Cleanup(d.Close)
	add(t, d, body("vendor", rule.Validate, "trading_as", rule.Effect{Severity: rule.Refuse, Unique: &rule.Unique{Everywhere: true}, Message: "It is there already."}), rule.InForce)
	keep := vendor(t, d, "10", values{"name": "Quay Ropes"})
	lose := vendor(t, d, "10", values{"name": "Quay Roeps", "trading_as": "T1"})
	add(t, d, body("vendor", rule.Validate, "name", rule.Effect{Severity: rule.Confirm, Unique: &rule.Unique{Near: true, Ignore: match.AllIgnored}, Message: "Is it the same?"}), rule.InForce)
	preview, err := d.Merging.Preview(as(t), contract.MergePlan{Kind: "vendor", Numbers: []string{keep.Number, lose.Number}, Survivor: keep.Number})
	require.NoError(t, err)
	assert.Empty(t, preview.Asks)
	run, _ := merged(t, d, contract.MergeRequest{Kind: "vendor", Apply: true, Reason: "One", Merges: []contract.RecordMerge{{Survivor: keep.Number, Merged: []string{lose.Number}}}})
	assert.Equal(t, 1, run.Counts["merge"])
	assert.Equal(t, "T1", get(t, d, "vendor", keep.Number).Content.Values["trading_as"])
	refused := func() bool {
		answer, err := d.Records.Save(as(t), contract.SaveRequest{Document: document("vendor", "10", "TRAD", values{"name": "Harbour Lamps", "trading_as": "T1"})})
		require.NoError(t, err)
		return answer.Record == nil
	}
	assert.True(t, refused())
	back, err := d.TakeBack.Start(as(t), run.ID)
	require.NoError(t, err)
	run, _ = done(t, d, back.ID)
	assert.Equal(t, map[string]int{"restored": 1}, run.Counts)
	assert.Empty(t, get(t, d, "vendor", keep.Number).Content.Values["trading_as"])
	assert.Equal(t, "T1", get(t, d, "vendor", lose.Number).Content.Values["trading_as"])
	assert.True(t, refused())
}

// Merged over again, every number leads to the last; taken back step by step, each leads to what it did before.
func TestNumbersLeadOnHoweverOftenIsMerged(t *testing.T) {
	d := payables(t)
	a, b, c := vendor(t, d, "10", values{"name": "A"}), vendor(t, d, "10", values{"name": "B"}), vendor(t, d, "10", values{"name": "C"})
	posted := bill(t, d, a.Number, "5")
	post(t, d, posted)
	one := func(survivor, loser string) contract.Run {
		run, _ := merged(t, d, contract.MergeRequest{Kind: "vendor", Apply: true, Reason: "One", Merges: []contract.RecordMerge{{Survivor: survivor, Merged: []string{loser}}}})
		require.Equal(t, 1, run.Counts["merge"])
		return run
	}
	takeBack := func(id int64) map[string]int {
		back, err := d.TakeBack.Start(as(t), id)
		require.NoError(t, err)
		run, _ := done(t, d, back.ID)
		return run.Counts
	}
	partner := func() string {
		p, err := d.Posting.Posting(as(t), ledger.Books, posted.Number, &field.Plain)
		require.NoError(t, err)
		return p.Entries[1].PartnerNow
	}
	first := one(b.Number, a.Number)
	assert.Equal(t, b.Number, partner())
	second := one(c.Number, b.Number)
	assert.Equal(t, c.Number, partner())
	assert.Len(t, get(t, d, "vendor", c.Number).Former, 2)
	assert.Equal(t, map[string]int{"stays": 1}, takeBack(first.ID), "b was merged since")
	assert.Equal(t, map[string]int{"restored": 1}, takeBack(second.ID))
	assert.Equal(t, b.Number, partner())
	assert.Len(t, get(t, d, "vendor", b.Number).Former, 1)
	assert.Equal(t, map[string]int{"restored": 1}, takeBack(first.ID))
	assert.Empty(t, partner())

	// What was changed since stays merged, and so does what was rewritten for it.
	open := bill(t, d, a.Number, "2")
	third := one(b.Number, a.Number)
	now := get(t, d, "vendor", b.Number)
	change := document("vendor", "10", "TRAD", values{"name": "B2"})
	change.Record = b.Number
	_, err := d.Records.Save(as(t), contract.SaveRequest{Document: change, Version: now.Version})
	require.NoError(t, err)
	assert.Equal(t, map[string]int{"stays": 2}, takeBack(third.ID))
	assert.Equal(t, b.Number, get(t, d, "accounting_document", open.Number).Content.Values["vendor"])
}

// The exact duplicates of a scan are merged together, into the one that is preferred; some may be left out.
func TestExactDuplicatesAreMergedTogether(t *testing.T) {
	d := payables(t)
	var all [3][]contract.Record
	for i := range all {
		for k := range 2 + i {
			v := values{"name": fmt.Sprintf("Vendor Number %d of the quay", i)}
			if k == 1 {
				v["city"] = "Carrow"
			}
			all[i] = append(all[i], vendor(t, d, "10", v))
		}
	}
	bill(t, d, all[2][2].Number, "5")
	exact := byName
	exact.Near = false
	scan, groups := scanned(t, d, "vendor", exact)
	require.Len(t, groups, 3)
	request := contract.MergeRequest{Kind: "vendor", Scan: scan.ID, Except: []string{groups[0].Place}, Apply: true, Reason: "Twice"}
	run, _ := merged(t, d, request)
	assert.Equal(t, map[string]int{"merge": 5}, run.Counts)
	assert.Equal(t, []string{"open", "merged", "merged"}, func() (states []string) {
		page, err := d.Duplicates.Found(as(t), scan.ID, "exact", "", 10)
		require.NoError(t, err)
		for _, g := range page.Groups {
			states = append(states, string(g.State))
		}
		return states
	}())
	assert.Len(t, get(t, d, "vendor", all[2][2].Number).Former, 3, "the one that is used survives")
	assert.Equal(t, "Carrow", get(t, d, "vendor", all[2][2].Number).Content.Values["city"])
	assert.Len(t, get(t, d, "vendor", all[1][1].Number).Former, 2, "otherwise the one with more values")
	request.Except, request.Prefer = nil, contract.Oldest
	run, _ = merged(t, d, request)
	assert.Equal(t, map[string]int{"merge": 1}, run.Counts)
	assert.Len(t, get(t, d, "vendor", all[0][0].Number).Former, 1)
}

// Of records with lines those of the survivor stand, those of the others, or all.
func TestLinesOfMergedRecords(t *testing.T) {
	d := harbour(t)
	t.Cleanup(d.Close)
	for lines, want := range map[contract.MergeLines][]string{"": {"A"}, contract.MergeLinesMerged: {"B", "C"}, contract.MergeLinesBoth: {"A", "B", "C"}} {
		one := save(t, d, document("sales_order", "10", "SO", values{"reference": "R"}, values{"text": "A", "quantity": "1"}))
		two := save(t, d, document("sales_order", "10", "SO", values{"reference": "R"}, values{"text": "B", "quantity": "1"}, values{"text": "C", "quantity": "2"}))
		run, hits := merged(t, d, contract.MergeRequest{Kind: "sales_order", Apply: true, Reason: "Twice", Merges: []contract.RecordMerge{{Survivor: one.Number, Merged: []string{two.Number}, Lines: lines}}})
		require.Equal(t, map[string]int{"merge": 1}, run.Counts, "%v", hits)
		var texts []string
		for _, l := range get(t, d, "sales_order", one.Number).Content.Lines {
			texts = append(texts, l.Values["text"])
		}
		assert.Equal(t, want, texts)
		back, err := d.TakeBack.Start(as(t), run.ID)
		require.NoError(t, err)
		done(t, d, back.ID)
		assert.Len(t, get(t, d, "sales_order", two.Number).Content.Lines, 2)
	}
}

// A run of merges that is cut off goes on where it was, and comes to the same.
func TestAMergeThatIsCutOffGoesOn(t *testing.T) {
	const groups, bills = 40, 5
	outcome := func(t *testing.T, cut, scan bool) (counts map[string]int, told []string) {
		t.Helper()
		path := filepath.Join(t.TempDir(), "harbour.db")
		d, s := onDisk(t, path)
		if !cut {
			t.Cleanup(func() { d.Close(); assert.NoError(t, s.Close()) })
		}
		fillHarbour(t, s)
		request := contract.MergeRequest{Kind: "vendor", Apply: true, Reason: "Twice"}
		for i := range groups {
			one := vendor(t, d, "10", values{"name": fmt.Sprintf("Vendor %d", i), "city": "Carrow", "street": "Pier", "telephone": "+353665550141"}).Number
			two := vendor(t, d, "10", values{"name": fmt.Sprintf("VENDOR %d", i)}).Number
			for range bills {
				save(t, d, document("accounting_document", "10", "JE", values{"text": "Ropes", "vendor": two}, values{"account": "4000", "debit": "1"}))
			}
			request.Merges = append(request.Merges, contract.RecordMerge{Survivor: one, Merged: []string{two}})
		}
		asked := request
		if scan {
			found, _ := scanned(t, d, "vendor", match.Unique{Fields: []string{"name"}, Ignore: match.AllIgnored})
			require.Equal(t, groups, found.Counts["exact"])
			asked = contract.MergeRequest{Kind: "vendor", Apply: true, Reason: "Twice", Scan: found.ID, Prefer: contract.Complete}
		}
		run, err := d.Merging.Start(as(t), asked)
		require.NoError(t, err)
		if cut {
			require.Eventually(t, func() bool {
				r, err := d.Runs.Get(as(t), run.ID)
				return err == nil && (r.Counts["merge"] >= 2 || r.EndedAt != nil)
			}, time.Minute, time.Millisecond)
			d.Close()
			require.NoError(t, s.Close())
			d, s = onDisk(t, path)
			t.Cleanup(func() { d.Close(); assert.NoError(t, s.Close()) })
			cutOff, err := d.Runs.Get(as(t), run.ID)
			require.NoError(t, err)
			require.Equal(t, contract.RunStateCutOff, cutOff.State)
			require.NoError(t, d.Resume(as(t)))
		}
		run, hits := done(t, d, run.ID)
		for _, h := range hits {
			told = append(told, fmt.Sprint(h.What, " ", h.Number))
		}
		for i, m := range request.Merges {
			require.Equal(t, bills, counted(t, d, "accounting_document", record.Filter{Field: "vendor", Relation: "is", Value: m.Survivor}), "%d", i)
			require.Equal(t, contract.RecordStateMerged, get(t, d, "vendor", m.Merged[0]).State)
		}
		assert.Equal(t, groups, run.Done)
		return run.Counts, told
	}
	for _, scan := range []bool{false, true} {
		counts, told := outcome(t, false, scan)
		assert.Equal(t, map[string]int{"merge": groups, "rewrite": groups * bills}, counts)
		cutCounts, cutTold := outcome(t, true, scan)
		assert.Equal(t, counts, cutCounts)
		assert.ElementsMatch(t, told, cutTold)
	}
}

// Pairs that are different come by pages, each once, whatever stands in their numbers.
func TestDifferentPairsComeByPages(t *testing.T) {
	s := onCopy(t, &harbourOnce, &harbourFile, func(s *store.Store) { fillHarbour(t, s) })
	d := app.New(s, morning)
	const pairs = 250
	for i := range pairs {
		numbers := []string{fmt.Sprintf("V~%d", i/20), fmt.Sprintf("V~%d~%d", i/20, i%20)}
		for _, number := range numbers {
			if _, err := s.Record(as(t), "vendor", number); err == nil {
				continue
			}
			_, err := s.AddRecord(as(t), record.Record{Ref: record.Ref{Kind: "vendor", Number: number}, Company: "10", Type: "TRAD", State: record.Kept, Content: record.Content{Values: values{"name": number}}}, store.Numbering{}, nil, record.Stamp{})
			require.NoError(t, err)
		}
		of := store.DifferenceOf("vendor", numbers[0], numbers[1])
		of.Why = "Two quays"
		require.NoError(t, s.SaveDifference(as(t), of))
	}
	seen := map[string]int{}
	for after := ""; ; {
		page, err := d.Duplicates.Different(as(t), "vendor", after)
		require.NoError(t, err)
		for _, p := range page.Differences {
			seen[p.Number+" "+p.Other]++
		}
		if after = page.Next; after == "" {
			break
		}
	}
	assert.Len(t, seen, pairs)
	for pair, times := range seen {
		assert.Equal(t, 1, times, pair)
	}
	for _, odd := range []string{"V1", "x~V1", "9~V1", "-1~V1"} {
		_, err := d.Duplicates.Different(as(t), "vendor", odd)
		assert.Equal(t, "not-a-place", code(t, err), odd)
	}
}

// Live values are those of now, whatever is taken back: those of what a merge rewrote, and those of what was changed before its
// record changed. A live value that follows is nobody's change, and hinders no taking back.
func TestLiveValuesFollowWhatIsTakenBack(t *testing.T) {
	d := payables(t)
	add(t, d, body("accounting_document", rule.Source, "reference", rule.Effect{Mode: rule.Live, Value: "vendor.city"}), rule.InForce)
	keep, lose := vendor(t, d, "10", values{"name": "Tern"}), vendor(t, d, "10", values{"name": "Quay Ropes", "city": "Cork"})
	open := bill(t, d, lose.Number, "3")
	reference := func() string { return get(t, d, open.Kind, open.Number).Content.Values["reference"] }
	back := func(id int64) map[string]int {
		run, err := d.TakeBack.Start(as(t), id)
		require.NoError(t, err)
		run, _ = done(t, d, run.ID)
		return run.Counts
	}
	move := func(number, city string) {
		changed := document("vendor", "10", "TRAD", values{"name": get(t, d, "vendor", number).Content.Values["name"], "city": city})
		changed.Record = number
		answer, err := d.Records.Save(as(t), contract.SaveRequest{Document: changed, Version: get(t, d, "vendor", number).Version})
		require.NoError(t, err)
		require.NotNil(t, answer.Record)
	}
	require.Equal(t, "Cork", reference())

	run, _ := merged(t, d, contract.MergeRequest{Kind: "vendor", Apply: true, Reason: "One vendor", Merges: []contract.RecordMerge{{Survivor: keep.Number, Merged: []string{lose.Number}, Values: map[string]string{"city": keep.Number}}}})
	assert.Empty(t, reference(), "the survivor is in no city")
	assert.Equal(t, map[string]int{"restored": 2}, back(run.ID))
	assert.Equal(t, "Cork", reference())

	l := setUp(t, d, bring(t, d, "accounting_document", "bills.csv", "Number,Company,Type,Vendor\n"+open.Number+",10,JE,"+keep.Number+"\n"), func(s *contract.LoadSetup) { s.Key = []string{"number"} })
	run, hits := loaded(t, d, l.ID)
	require.Equal(t, map[string]int{"change": 1}, run.Counts, "%v", hits)
	move(keep.Number, "Carrow")
	assert.Equal(t, "Carrow", reference())
	move(lose.Number, "Ballinore")
	assert.Equal(t, map[string]int{"restored": 1}, back(run.ID))
	assert.Equal(t, lose.Number, get(t, d, open.Kind, open.Number).Content.Values["vendor"])
	assert.Equal(t, "Ballinore", reference(), "not that of then")
}

// What follows a record that is merged follows the survivor then, and the merged one again once the merge is taken back.
func TestWhatFollowedTheMergedFollowsTheSurvivor(t *testing.T) {
	d := payables(t)
	m, err := d.Catalog.SaveFollowOn(as(t), record.FollowOn{Name: "Neighbour", From: "vendor", To: "vendor", Type: "TRAD", Pairs: []record.Pair{{From: "city", To: "city"}}})
	require.NoError(t, err)
	kept, gone := vendor(t, d, "10", values{"name": "Quay Ropes", "city": "Carrow"}), vendor(t, d, "10", values{"name": "Quay Ropes", "city": "Carrow"})
	begun, err := d.Records.Begin(as(t), m.ID, contract.BeginRequest{Number: gone.Number})
	require.NoError(t, err)
	begun.Document.Entered["name"] = judge.Item{Value: "Fjord Nets"}
	answer, err := d.Records.Save(as(t), contract.SaveRequest{Document: begun.Document, Origin: &begun.Origin})
	require.NoError(t, err)
	require.NotNil(t, answer.Record)
	follower := answer.Record.Number

	run, hits := merged(t, d, contract.MergeRequest{Kind: "vendor", Apply: true, Reason: "One vendor", Merges: []contract.RecordMerge{{Survivor: kept.Number, Merged: []string{gone.Number}}}})
	require.Equal(t, contract.RunStateDone, run.State, run.Problem)
	assert.Equal(t, 1, run.Counts["rewrite"], "%+v", hits)
	followed := func() string { return get(t, d, "vendor", follower).Origin.Key }
	assert.Equal(t, kept.Number, followed())
	assert.Len(t, get(t, d, "vendor", kept.Number).Followers, 1)

	back, err := d.TakeBack.Start(as(t), run.ID)
	require.NoError(t, err)
	require.Equal(t, contract.RunStateDone, ended(t, d, back.ID).State)
	assert.Equal(t, gone.Number, followed())
	assert.Len(t, get(t, d, "vendor", gone.Number).Followers, 1)
	assert.Empty(t, get(t, d, "vendor", kept.Number).Followers)
}
