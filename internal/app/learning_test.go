package app_test

import (
	"fmt"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"codicil/core/field"
	"codicil/core/judge"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/internal/app"
	"codicil/internal/contract"
)

// vendors saves vendors in which the language follows from the country, services are blank of terms, and
// agreements end after they begin.
func vendors(t *testing.T, n int) *app.App {
	t.Helper()
	d := harbour(t)
	languages := map[string]string{"IE": "EN", "DK": "DA", "DE": "DE", "JP": "JA"}
	codes := []string{"IE", "DK", "DE", "JP"}
	for i := range n {
		country := codes[i*7%4]
		v := values{"name": fmt.Sprintf("Quay %d", i), "country": country, "language": languages[country], "payment_terms": "N30", "agreement_start": fmt.Sprintf("2026-%02d-%02d", 1+i%9, 1+i%28), "agreement_end": fmt.Sprintf("2026-%02d-%02d", 2+i%9+i%3, 1+i%28)}
		if i == 5 {
			v["language"] = "FR"
		}
		save(t, d, document("vendor", "10", "TRAD", v))
	}
	return d
}

func learned(t *testing.T, d *app.App) contract.Learned { return learnedOf(t, d, "vendor") }

func learnedOf(t *testing.T, d *app.App, kind string) contract.Learned {
	t.Helper()
	run, err := d.Learning.Start(as(t), kind)
	require.NoError(t, err)
	over := ended(t, d, run.ID)
	require.Equal(t, contract.RunStateDone, over.State, over.Problem)
	found, err := d.Learning.Get(as(t), kind, nil)
	require.NoError(t, err)
	return found
}

func proposed(t *testing.T, l contract.Learned, form contract.LearnedProposalForm, target string) contract.LearnedProposal {
	t.Helper()
	i := slices.IndexFunc(l.Proposals, func(p contract.LearnedProposal) bool { return p.Form == form && p.Target == target })
	require.GreaterOrEqual(t, i, 0, "%s of %s is proposed", form, target)
	return l.Proposals[i]
}

// What records bear out becomes a draft with proofs taken from them; what they do not bear out is told.
func TestWhatRecordsBearOutBecomesARule(t *testing.T) {
	d, ctx := vendors(t, 60), as(t)
	before, err := d.Learning.Get(ctx, "vendor", nil)
	require.NoError(t, err)
	assert.Nil(t, before.At, "nobody has looked")
	l := learned(t, d)
	assert.Equal(t, 60, l.Seen)

	language := proposed(t, l, "follows", "language")
	assert.Equal(t, [2]int{59, 1}, [2]int{language.Holds, language.Breaks})
	assert.Equal(t, []string{"country"}, language.Reads)
	require.Len(t, language.Exceptions, 1)
	assert.Equal(t, "Quay 5", language.Exceptions[0].Title)
	assert.Empty(t, language.Existing)

	accepted, err := d.Learning.Accept(ctx, "vendor", language.Key, contract.LearnedChoice{})
	require.NoError(t, err)
	assert.Equal(t, rule.Draft, accepted.Rule.State)
	assert.Contains(t, accepted.Rule.Body.Note.Why, "59 bear it out, 1 do not")
	assert.GreaterOrEqual(t, len(accepted.Proofs), 2)
	shown, err := d.Coverage.Rule(ctx, accepted.Rule.ID)
	require.NoError(t, err)
	assert.Equal(t, contract.ProvedBothWays, shown.State)
	made, err := d.Rules.Move(ctx, accepted.Rule.ID, contract.RuleMove{State: rule.InForce, Version: accepted.Rule.Version})
	require.NoError(t, err)
	assert.Equal(t, rule.InForce, made.State)
	next := save(t, d, document("vendor", "10", "TRAD", values{"name": "Quay next", "country": "JP"}))
	assert.Equal(t, "JA", next.Content.Values["language"])

	// Learned again, it says that there is a rule that says the same.
	l = learned(t, d)
	again := proposed(t, l, "follows", "language")
	require.Len(t, again.Existing, 1)
	assert.Equal(t, contract.LearnedExistingRelation("same"), again.Existing[0].Relation)

	// A check is proved by a document that is refused, though no record is.
	order := proposed(t, l, "order", "agreement_end")
	checked, err := d.Learning.Accept(ctx, "vendor", order.Key, contract.LearnedChoice{})
	require.NoError(t, err)
	shown, err = d.Coverage.Rule(ctx, checked.Rule.ID)
	require.NoError(t, err)
	assert.Equal(t, contract.ProvedBothWays, shown.State)
}

func TestAProposalIsLeftAlone(t *testing.T) {
	d, ctx := vendors(t, 40), as(t)
	terms := proposed(t, learned(t, d), "constant", "payment_terms")
	require.NoError(t, d.Learning.Leave(ctx, "vendor", terms.Key, "we agree them one by one"))
	assert.Equal(t, "we agree them one by one", proposed(t, learned(t, d), "constant", "payment_terms").Aside, "also when it is learned again")
	require.NoError(t, d.Learning.Leave(ctx, "vendor", terms.Key, ""))
	assert.Empty(t, proposed(t, learned(t, d), "constant", "payment_terms").Aside)
	assert.Equal(t, "no-proposal", codeOf(t, d.Learning.Leave(ctx, "vendor", "nothing", "x")))
	_, err := d.Learning.Accept(ctx, "vendor", terms.Key, contract.LearnedChoice{Instead: 7})
	assert.Equal(t, "no-other-form", codeOf(t, err))
}

// What does not bear a proposal out is listed as it is now, with what the rule would give; once it is put right it is no
// exception any more.
func TestExceptionsAreListedToBeCorrected(t *testing.T) {
	d, ctx := vendors(t, 60), as(t)
	l := learned(t, d)
	language := proposed(t, l, "follows", "language")
	found, err := d.Learning.Exceptions(ctx, "vendor", language.Key, 0, nil)
	require.NoError(t, err)
	require.Len(t, found, 1)
	one := found[0]
	assert.Equal(t, "Quay 5", one.Title)
	require.Len(t, one.Changes, 2, "the value, and what it follows from")
	assert.Equal(t, [3]string{"language", "FR", "JA"}, [3]string{one.Changes[0].Field, one.Changes[0].Before.Value, one.Changes[0].After.Value})
	assert.Equal(t, [2]string{"country", "JP"}, [2]string{one.Changes[1].Field, one.Changes[1].Before.Value})
	for i := range language.Instead {
		_, err := d.Learning.Exceptions(ctx, "vendor", language.Key, i+1, nil)
		require.NoError(t, err)
	}

	kept, err := d.Records.Get(ctx, record.Ref{Kind: "vendor", Number: one.Number})
	require.NoError(t, err)
	right := document("vendor", "10", "TRAD", kept.Content.Values)
	right.Record = one.Number
	right.Entered["language"] = judge.Item{Value: "JA"}
	answer, err := d.Records.Save(ctx, contract.SaveRequest{Document: right, Version: kept.Version})
	require.NoError(t, err)
	require.NotNil(t, answer.Record, "%v", answer.Outcome.Messages)
	found, err = d.Learning.Exceptions(ctx, "vendor", language.Key, 0, nil)
	require.NoError(t, err)
	assert.Empty(t, found)

	// A check gives no value: the fields that it compares are listed.
	_, err = d.Learning.Exceptions(ctx, "vendor", proposed(t, l, "order", "agreement_end").Key, 0, nil)
	require.NoError(t, err)
	_, err = d.Learning.Exceptions(ctx, "vendor", "nothing", 0, nil)
	assert.Equal(t, "no-proposal", codeOf(t, err))
	_, err = d.Learning.Exceptions(ctx, "vendor", language.Key, 99, nil)
	assert.Equal(t, "no-other-form", codeOf(t, err))
}

// An exception in a line is told with its line, and what the rule would give there.
func TestAnExceptionInALineIsTold(t *testing.T) {
	d, ctx := harbour(t), as(t)
	customer := save(t, d, document("customer", "10", "WHOL", values{"name": "Quay Grocers"}))
	for i := range 40 {
		quantity, price := 2+i%7, 3+i%11
		amount := quantity * price
		if i == 9 {
			amount++
		}
		save(t, d, document("sales_order", "10", "SO", values{"customer": customer.Number},
			values{"quantity": fmt.Sprint(quantity), "price": fmt.Sprint(price), "amount": fmt.Sprint(amount)},
			values{"quantity": fmt.Sprint(price), "price": fmt.Sprint(quantity), "amount": fmt.Sprint(quantity * price)}))
	}
	run, err := d.Learning.Start(ctx, "sales_order")
	require.NoError(t, err)
	ended(t, d, run.ID)
	l, err := d.Learning.Get(ctx, "sales_order", nil)
	require.NoError(t, err)
	found, err := d.Learning.Exceptions(ctx, "sales_order", proposed(t, l, "computed", "lines.amount").Key, 0, nil)
	require.NoError(t, err)
	require.Len(t, found, 1)
	wrong := found[0].Changes[0]
	assert.Equal(t, [4]any{"lines.amount", 1, "49", "48"}, [4]any{wrong.Field, wrong.Line, wrong.Before.Value, wrong.After.Value})
	for _, c := range found[0].Changes[1:] {
		assert.Equal(t, 1, c.Line, c.Field)
	}
}

// What a linked record was before tells a value that was copied from one that is always that of the linked record.
func TestWhatALinkedRecordWasBeforeTellsACopy(t *testing.T) {
	d := harbour(t)
	var customers []contract.Record
	terms, places := []string{"N30", "N14", "N60", "N00"}, []string{"Quay 1", "Quay 2", "Quay 3", "Quay 4", "Quay 5"}
	entered := func(i, since int) values {
		return values{"name": fmt.Sprintf("Grocer %d", i), "payment_terms": terms[(i*3+since)%4], "city": places[(i*2+since)%5]}
	}
	for i := range 12 {
		customers = append(customers, save(t, d, document("customer", "10", "WHOL", entered(i, 0))))
	}
	order := func(i, since int) values {
		of := entered(i%12, since)
		return values{"customer": customers[i%12].Number, "reference": fmt.Sprintf("PO %d", i), "payment_terms": of["payment_terms"], "delivery_place": of["city"]}
	}
	var orders []contract.Record
	for i := range 60 {
		orders = append(orders, save(t, d, document("sales_order", "10", "SO", order(i, 0))))
	}
	for i, c := range customers {
		change := document("customer", "10", "WHOL", entered(i, 1))
		change.Record = c.Number
		answer, err := d.Records.Save(as(t), contract.SaveRequest{Document: change, Version: c.Version})
		require.NoError(t, err)
		require.NotNil(t, answer.Record, "%v", answer.Outcome.Messages)
	}
	// The terms stay as they were agreed; the place is where the customer is now.
	for i, o := range orders {
		of := order(i, 0)
		of["delivery_place"] = entered(i%12, 1)["city"]
		change := document("sales_order", "10", "SO", of)
		change.Record = o.Number
		answer, err := d.Records.Save(as(t), contract.SaveRequest{Document: change, Version: o.Version})
		require.NoError(t, err)
		require.NotNil(t, answer.Record, "%v", answer.Outcome.Messages)
	}
	for i := range 20 {
		save(t, d, document("sales_order", "10", "SO", order(60+i, 1)))
	}
	l := learnedOf(t, d, "sales_order")
	for target, mode := range map[string]rule.SourceMode{"payment_terms": rule.Copied, "delivery_place": rule.Live} {
		p := proposed(t, l, "source", target)
		assert.Equal(t, [2]int{80, 0}, [2]int{p.Holds, p.Breaks}, target)
		assert.False(t, p.Unsure, target)
		accepted, err := d.Learning.Accept(as(t), "sales_order", p.Key, contract.LearnedChoice{})
		require.NoError(t, err)
		assert.Equal(t, mode, accepted.Rule.Body.Effect.Mode, target)
		assert.Empty(t, p.Exceptions, target)
		shown, err := d.Coverage.Rule(as(t), accepted.Rule.ID)
		require.NoError(t, err)
		assert.Contains(t, []contract.ConfirmationState{contract.ProvedBothWays, contract.ProvedToAct}, shown.State, target)
	}
}

// Codes that follow from very many others become a crosswalk, whose column has the choices of the field.
func TestCodesThatFollowFromManyBecomeACrosswalk(t *testing.T) {
	d := harbour(t)
	terms := []string{"N30", "N14", "N60", "N00"}
	countries := []string{"IE", "DK", "DE", "JP", "FR", "ES", "IT", "PT", "NL", "BE", "AT", "CH", "SE", "NO", "FI", "PL"}
	for i := range 160 {
		save(t, d, document("vendor", "10", "TRAD", values{"name": fmt.Sprintf("Quay %d", i), "country": countries[i%16], "payment_terms": terms[i%16*7%4]}))
	}
	p := proposed(t, learned(t, d), "follows", "payment_terms")
	require.NotZero(t, p.Rows, "a crosswalk: %s", p.Sentence)
	accepted, err := d.Learning.Accept(as(t), "vendor", p.Key, contract.LearnedChoice{})
	require.NoError(t, err)
	shown, err := d.Coverage.Rule(as(t), accepted.Rule.ID)
	require.NoError(t, err)
	assert.Equal(t, contract.ProvedBothWays, shown.State)
	tables, err := d.Tables.Crosswalks(as(t))
	require.NoError(t, err)
	require.Len(t, tables, 1)
	assert.Equal(t, field.Choice, tables[0].Results[0].Type)
	assert.Equal(t, 16, tables[0].Rows)
}

// What nobody changes after the first save, where other fields are changed often, is proposed to be read-only then.
func TestWhatNobodyChangesIsProposedToStay(t *testing.T) {
	d := harbour(t)
	for i := range 40 {
		r := save(t, d, document("vendor", "10", "TRAD", values{"name": fmt.Sprintf("Quay %d", i), "street": fmt.Sprintf("Quay street %d", i*i), "city": "Port", "postal_code": "P1"}))
		change := document("vendor", "10", "TRAD", values{"name": fmt.Sprintf("Quay %d", i), "street": fmt.Sprintf("Quay street %d", i*i), "city": fmt.Sprintf("Town %d", i%7), "postal_code": fmt.Sprint("P", i%9)})
		change.Record = r.Number
		answer, err := d.Records.Save(as(t), contract.SaveRequest{Document: change, Version: r.Version})
		require.NoError(t, err)
		require.NotNil(t, answer.Record, "%v", answer.Outcome.Messages)
	}
	l := learned(t, d)
	p := proposed(t, l, "unchanged", "street")
	assert.Equal(t, [2]int{40, 0}, [2]int{p.Holds, p.Breaks})
	for _, busy := range []string{"city", "postal_code"} {
		assert.False(t, slices.ContainsFunc(l.Proposals, func(p contract.LearnedProposal) bool { return p.Form == "unchanged" && p.Target == busy }), busy)
	}
	accepted, err := d.Learning.Accept(as(t), "vendor", p.Key, contract.LearnedChoice{})
	require.NoError(t, err)
	_, err = d.Rules.Move(as(t), accepted.Rule.ID, contract.RuleMove{State: rule.InForce, Version: accepted.Rule.Version, Reason: "learned"})
	require.NoError(t, err)
	change := document("vendor", "10", "TRAD", values{"name": "Quay 1", "street": "Elsewhere"})
	change.Record = "V10001"
	answer, err := d.Records.Save(as(t), contract.SaveRequest{Document: change, Version: 2})
	require.NoError(t, err)
	require.NotNil(t, answer.Record, "%v", answer.Outcome.Messages)
	assert.Equal(t, "Quay street 0", answer.Record.Content.Values["street"])
}

// Numbers that begin anew each year become a series, which goes on after those that were given.
func TestNumbersThatBeginAnewEachYearBecomeASeries(t *testing.T) {
	d := harbour(t)
	customer := save(t, d, document("customer", "10", "WHOL", values{"name": "Grocer"}))
	for i := range 60 {
		year, count := 2025, i+1
		if i >= 25 {
			year, count = 2026, i-24
		}
		save(t, d, document("sales_order", "10", "SO", values{"customer": customer.Number, "ordered_on": fmt.Sprintf("%d-%02d-%02d", year, 1+i%10, 1+i%28), "reference": fmt.Sprintf("R-%d-%04d", year, count)}))
	}
	p := proposed(t, learnedOf(t, d, "sales_order"), "numbers", "reference")
	assert.Equal(t, [2]int{60, 0}, [2]int{p.Holds, p.Breaks})
	accepted, err := d.Learning.Accept(as(t), "sales_order", p.Key, contract.LearnedChoice{})
	require.NoError(t, err)
	_, err = d.Rules.Move(as(t), accepted.Rule.ID, contract.RuleMove{State: rule.InForce, Version: accepted.Rule.Version, Reason: "learned"})
	require.NoError(t, err)
	next := save(t, d, document("sales_order", "10", "SO", values{"customer": customer.Number, "ordered_on": "2026-11-24"}))
	assert.Equal(t, "R-2026-0036", next.Content.Values["reference"])
	following := save(t, d, document("sales_order", "10", "SO", values{"customer": customer.Number, "ordered_on": "2027-01-04"}))
	assert.Equal(t, "R-2027-0001", following.Content.Values["reference"])
}
