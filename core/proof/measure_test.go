package proof_test

import (
	"context"
	"encoding/json"
	"fmt"
	"os"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"codicil/core/field"
	"codicil/core/judge"
	"codicil/core/match"
	"codicil/core/plan"
	"codicil/core/proof"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/core/table"
)

var measured = record.Kind{Key: "vendor", Label: "Vendor", Sections: []record.Section{{Key: "general", Label: "General"}}, Fields: []field.Field{
	{Key: "name", Label: "Name", Type: field.Text},
	{Key: "country", Label: "Country", Type: field.Choice, Choices: []field.Option{{Code: "JP", Label: "Japan"}, {Code: "IE", Label: "Ireland"}, {Code: "DK", Label: "Denmark"}}},
	{Key: "limit", Label: "Credit limit", Type: field.Amount}, {Key: "terms", Label: "Payment terms", Type: field.Text},
	{Key: "half", Label: "Half", Type: field.Amount},
}}

var both = rule.Occasions{New: true, Change: true}

func bookOf(t require.TestingT, rules ...rule.Rule) *plan.Book {
	for i := range rules {
		rules[i].ID = int64(i + 1)
		if rules[i].State == "" {
			rules[i].State = rule.InForce
		}
	}
	book := plan.NewBook(&measured, nil, &table.Set{}, rules)
	for _, c := range book.Rules {
		require.True(t, c.Sound(), "%v", c.Problems)
	}
	return book
}

// given is a document of company 10: "country=JP limit=5".
func given(values string) judge.Document {
	d := judge.Document{Kind: "vendor", Company: "10", Type: "TRAD", Day: "2026-11-24", Entered: map[string]judge.Item{}}
	for pair := range strings.FieldsSeq(values) {
		key, text, _ := strings.Cut(pair, "=")
		d.Entered[key] = judge.Item{Value: text}
	}
	return d
}

// keep makes proofs of rule 1 that expect what comes out.
func keep(t require.TestingT, r *proof.Runner, documents ...judge.Document) (kept []proof.Proof) {
	for i, d := range documents {
		p := proof.Proof{ID: int64(i + 1), Rules: []int64{1}, Given: d}
		result := r.Run(&p, true)
		require.NoError(t, result.Err)
		p.Expect = proof.Expect(result.Outcome, result.Plan, nil)
		p.Expect.Mind(proof.WithDrafts(r.Book, p.Rules).Rules[0], result.Outcome)
		kept = append(kept, p)
	}
	return kept
}

func results(t require.TestingT, r *proof.Runner, proofs []proof.Proof) []proof.Result {
	all, err := r.RunAll(context.Background(), proofs, nil)
	require.NoError(t, err)
	return all
}

// shown are the goals of rule 1 that a proof shows, in words.
func shown(c proof.Confirmation) (words []string) {
	for _, g := range c.Goals {
		if len(g.Proofs) > 0 {
			words = append(words, g.Words)
		}
	}
	return words
}

func replaceTerms() rule.Rule {
	return rule.Rule{Body: rule.Body{Family: rule.Substitute, Target: "terms", When: `country = "JP" and limit > 120`, On: both, Effect: rule.Effect{Value: `"N45"`}}}
}

func TestAConditionIsShownOnlyWhereItDecides(t *testing.T) {
	r := runnerOf(bookOf(t, replaceTerms()))
	acts, still := "that it acts", "that it does not act"
	japan, other := "Country is JP: so, and that decides", "Country is JP: not so, and that decides"
	over, under := "Credit limit is over 120: so, and that decides", "Credit limit is over 120: not so, and that decides"
	for values, want := range map[string][]string{
		"country=JP limit=121": {acts, japan, over},
		"country=IE limit=121": {still, other},
		"country=JP limit=120": {still, under},
		"country=IE limit=120": {still}, // neither alone would change it
		"limit=121":            {still, other},
	} {
		confirmed := proof.ConfirmRule(r.Book.Rules[0], results(t, r, keep(t, r, given(values))))
		assert.Equal(t, want, shown(confirmed), values)
	}
}

func TestTheStatesOfARule(t *testing.T) {
	r := runnerOf(bookOf(t, replaceTerms()))
	state := func(r *proof.Runner, proofs []proof.Proof) proof.State {
		return proof.Confirm(r.Book, results(t, r, proofs))[0].State
	}
	act, still := given("country=JP limit=200"), given("country=IE limit=200")
	assert.Equal(t, proof.NotProved, state(r, nil))
	assert.Equal(t, proof.ProvedToAct, state(r, keep(t, r, act)))
	assert.Equal(t, proof.ProvedNotToAct, state(r, keep(t, r, still)))
	kept := keep(t, r, act, still)
	assert.Equal(t, proof.ProvedBoth, state(r, kept))

	changed := replaceTerms()
	changed.When = `country = "DK"`
	assert.Equal(t, proof.Failing, state(runnerOf(bookOf(t, changed)), kept))

	gone := kept[0]
	gone.Given.Entered = map[string]judge.Item{"no_such_field": {Value: "1"}}
	assert.Equal(t, proof.OutOfDate, state(r, append(slices.Clone(kept), gone)))

	always := rule.Rule{Body: rule.Body{Family: rule.Entry, Target: "name", On: both, Effect: rule.Effect{Need: rule.Required}}}
	r = runnerOf(bookOf(t, always))
	assert.Equal(t, proof.ProvedBoth, state(r, keep(t, r, act)), "a rule that acts everywhere cannot keep still")
}

// A proof that does not expect the field of a rule says nothing of it, unless it names it.
func TestOnlyProofsThatWouldTellCount(t *testing.T) {
	r := runnerOf(bookOf(t, replaceTerms()))
	proofs := keep(t, r, given("country=JP limit=200"))
	proofs[0].Rules = nil
	delete(proofs[0].Expect.Values, "terms")
	assert.Equal(t, proof.NotProved, proof.Confirm(r.Book, results(t, r, proofs))[0].State)
}

func TestBothLifetimesOfADefaultAreShown(t *testing.T) {
	for lifetime, cleared := range map[rule.Lifetime]string{
		rule.NewOnly:       "a saved record whose field was cleared stays as it is",
		rule.WheneverBlank: "a saved record whose field was cleared is filled again",
	} {
		r := runnerOf(bookOf(t, rule.Rule{Body: rule.Body{Family: rule.Default, Target: "terms", On: both, Effect: rule.Effect{Value: `"N30"`, Lifetime: lifetime}}}))
		saved := given("country=IE")
		saved.Stored = map[string]string{"country": "IE", "terms": "N60"}
		confirmed := proof.ConfirmRule(r.Book.Rules[0], results(t, r, keep(t, r, given("country=IE"), saved)))
		assert.Contains(t, shown(confirmed), "a new record")
		assert.Contains(t, shown(confirmed), cleared)
	}
}

func TestEveryBandIsAGoal(t *testing.T) {
	bands := []rule.Band{{Label: "low", Until: "100", Level: rule.Calm, Shape: rule.Round}, {Label: "high", Level: rule.Watch, Shape: rule.Bar}}
	r := runnerOf(bookOf(t, rule.Rule{Body: rule.Body{Family: rule.Compute, Target: "limit", On: both, Effect: rule.Effect{Bands: bands}}}))
	confirmed := proof.ConfirmRule(r.Book.Rules[0], results(t, r, keep(t, r, given("limit=99"))))
	assert.Contains(t, shown(confirmed), "the band low")
	assert.NotContains(t, shown(confirmed), "the band high")
}

func TestWrongVersionsOfRules(t *testing.T) {
	var cases []struct {
		Rule    rule.Body
		Changes []string
	}
	text, err := os.ReadFile("testdata/mutants.json")
	require.NoError(t, err)
	require.NoError(t, json.Unmarshal(text, &cases))
	for _, c := range cases {
		book := bookOf(t, rule.Rule{Body: c.Rule})
		var changes []string
		for _, m := range proof.Mutants(book.Rules[0], book, proof.Extent{}, &record.Company{Key: "10", Currency: "EUR"}) {
			changes = append(changes, m.Change)
			if m.OfRule() {
				assert.NotEqual(t, c.Rule, m.Body, m.Change)
			}
		}
		assert.Equal(t, c.Changes, changes)
	}
}

func TestRulesOfOneStationChangePlaces(t *testing.T) {
	first, second := replaceTerms(), replaceTerms()
	first.Priority, second.Priority = 1, 2
	book := bookOf(t, first, second)
	var turned []string
	for _, c := range book.Rules {
		for _, m := range proof.Mutants(c, book, proof.Extent{}, nil) {
			if strings.Contains(m.Change, "went before") {
				turned = append(turned, m.Change)
				changed := c.Rule
				changed.Body = m.Body
				assert.Equal(t, -1, rule.Less(&book.Rules[0].Rule, &book.Rules[1].Rule))
				other := book.Rules[2-c.ID]
				assert.NotEqual(t, rule.Less(&c.Rule, &other.Rule), rule.Less(&changed, &other.Rule), m.Change)
			}
		}
	}
	assert.Equal(t, []string{"rule 2 went before it", "it went before rule 1"}, turned)
}

func TestStrengthIsTheShareThatIsNoticed(t *testing.T) {
	r := runnerOf(bookOf(t, replaceTerms()))
	unnoticed := func(documents ...judge.Document) (changes []string) {
		measured, err := r.Measure(t.Context(), r.Book.Rules, results(t, r, keep(t, r, documents...)), nil)
		require.NoError(t, err)
		for _, m := range measured[0].Unnoticed {
			changes = append(changes, m.Change)
		}
		assert.Equal(t, measured[0].Mutants-len(changes), measured[0].Noticed())
		return changes
	}
	boundary := "“Credit limit is over 120” became “Credit limit is at least 120”"
	far := []judge.Document{given("country=JP limit=500"), given("country=IE limit=500"), given("country=JP limit=1")}
	assert.Contains(t, unnoticed(far...), boundary)
	assert.NotContains(t, unnoticed(append(far, given("country=JP limit=120"))...), boundary)
	assert.Len(t, unnoticed(), len(proof.Mutants(r.Book.Rules[0], r.Book, proof.Extent{}, nil)), "without proofs nothing is noticed")
}

// search takes suggestions as proofs until there are no more, and measures again.
func search(t require.TestingT, r *proof.Runner, bases ...judge.Document) (proof.Confirmation, proof.Strength) {
	var kept []proof.Proof
	c := proof.WithDrafts(r.Book, []int64{1}).Rules[0]
	for range 3 {
		s := proof.Search{Runner: r, Rule: c, Results: results(t, r, kept), Numbers: func(string, string) []string { return nil }}
		for _, d := range bases {
			s.Bases = append(s.Bases, proof.Base{Document: d, Origin: "a base"})
		}
		found, err := s.Run(context.Background())
		require.NoError(t, err)
		if len(found) == 0 {
			break
		}
		for _, suggestion := range found {
			kept = append(kept, keep(t, r, suggestion.Document)...)
			kept[len(kept)-1].ID = int64(len(kept))
		}
	}
	all := results(t, r, kept)
	measured, err := r.Measure(context.Background(), []*rule.Compiled{c}, all, nil)
	require.NoError(t, err)
	return proof.ConfirmRule(c, all), measured[0]
}

func TestSuggestionsReachComputedNumbersByWhatIsEntered(t *testing.T) {
	r := runnerOf(bookOf(t,
		rule.Rule{Body: rule.Body{Family: rule.Validate, Target: "half", On: rule.Occasions{New: true}, Effect: rule.Effect{Severity: rule.Refuse, Must: "half <= 1000", Message: "too much"}}},
		rule.Rule{Body: rule.Body{Family: rule.Compute, Target: "half", On: both, Effect: rule.Effect{Value: "limit / 2"}}}))
	confirmed, strength := search(t, r, given("country=IE limit=40"))
	assert.Equal(t, proof.ProvedBoth, confirmed.State)
	assert.Empty(t, strength.Unnoticed)
}

func TestSuggestionsShowThatAWiderScopeWouldBeNoticed(t *testing.T) {
	narrow := replaceTerms()
	narrow.Scope.Companies = []string{"10"}
	r := runnerOf(bookOf(t, narrow))
	elsewhere := given("country=IE limit=40")
	elsewhere.Company = "20"
	_, strength := search(t, r, given("country=IE limit=40"), elsewhere)
	assert.Empty(t, strength.Unnoticed)
}

// Whatever two conditions a rule has, suggestions prove it both ways, and what is then left
// unnoticed cannot be told from the rule by any value next to its constants.
func TestSuggestionsProveAnyRuleOfTwoConditions(t *testing.T) {
	conditions := []string{`country = "JP"`, `country in ("JP", "DK")`, `limit > 120`, `limit >= 7.5`, `limit < 50`, `limit between 10 and 20`, `is filled(name)`, `not(country = "IE")`, `is blank(name)`}
	rapid.Check(t, func(t *rapid.T) {
		a := rapid.SampledFrom(conditions).Draw(t, "first")
		b := rapid.SampledFrom(conditions).Draw(t, "second")
		join := rapid.SampledFrom([]string{"and", "or"}).Draw(t, "join")
		fieldOf := func(condition string) string {
			for _, key := range []string{"country", "limit", "name"} {
				if strings.Contains(condition, key) {
					return key
				}
			}
			return ""
		}
		if fieldOf(a) == fieldOf(b) {
			return // they may exclude each other
		}
		r := runnerOf(bookOf(t, rule.Rule{Body: rule.Body{
			Family: rule.Substitute, Target: "terms", When: fmt.Sprintf("%s %s %s", a, join, b), On: rule.Occasions{New: true}, Effect: rule.Effect{Value: `"N45"`}}}))
		confirmed, strength := search(t, r, given("country=IE limit=40"))
		if confirmed.State != proof.ProvedBoth || confirmed.Reached() != len(confirmed.Goals) || len(strength.Unnoticed) > 0 {
			t.Fatalf("%s, %d of %d goals; no proof notices if %v", confirmed.State, confirmed.Reached(), len(confirmed.Goals), strength.Unnoticed)
		}
	})
}

func TestARunThatIsStoppedSaysSo(t *testing.T) {
	r := runnerOf(bookOf(t, replaceTerms()))
	proofs := slices.Repeat(keep(t, r, given("country=JP limit=200")), 500)
	ctx, stop := context.WithCancel(t.Context())
	done := 0
	all, err := r.RunAll(ctx, proofs, func(*proof.Result) {
		if done++; done == 10 {
			stop()
		}
	})
	require.ErrorIs(t, err, context.Canceled)
	ran := 0
	for i := range all {
		if all[i].Proof != nil {
			ran++
		}
	}
	assert.GreaterOrEqual(t, ran, 10)
	assert.Less(t, ran, 500)
}

// peers are other records with names, for unique rules.
type peers []string

func (p peers) Same(c *rule.Compiled, _, key string, _ []string) (found []string) {
	for i, name := range p {
		if own, filled := c.Effect.Unique.Ignore.Key([]string{name}); filled && own == key {
			found = append(found, fmt.Sprintf("V%d", i+1))
		}
	}
	return found
}

func TestSuggestionsWriteTheSameValueOtherwise(t *testing.T) {
	unique := rule.Rule{Body: rule.Body{Family: rule.Validate, Target: "name", On: rule.Occasions{New: true}, Effect: rule.Effect{Severity: rule.Refuse, Message: "known", Unique: &rule.Unique{Ignore: match.Differences{"case", "spaces"}}}}}
	r := runnerOf(bookOf(t, unique))
	alone := r.Facts
	r.Facts = func(company string) (judge.Circumstances, func() error) {
		setting, failed := alone(company)
		setting.Uniqueness = peers{"Quay-Ropes"}
		return setting, failed
	}
	known := given("country=IE")
	known.Entered["name"] = judge.Item{Value: "Quay-Ropes"}
	confirmed, strength := search(t, r, given("name=Other country=IE"), known)
	assert.Equal(t, proof.ProvedBoth, confirmed.State)
	for _, m := range strength.Unnoticed {
		assert.NotContains(t, m.Change, "counted", "capitals and spaces are told apart by no proof")
	}
}

func TestSuggestionsLookUpCodesWithAndWithoutARow(t *testing.T) {
	tables := &table.Set{Crosswalks: []table.Crosswalk{{
		Key: "days", Label: "Days", Keys: []field.Field{{Key: "country", Label: "Country", Type: field.Text}}, Results: []field.Field{{Key: "terms", Label: "Terms", Type: field.Text}},
		Rows: []table.Row{{Keys: []string{"JP"}, Results: []string{"N45"}}, {Keys: []string{"IE"}, Results: []string{"N30"}}}, Default: []string{"N10"},
	}}}
	book := plan.NewBook(&measured, nil, tables, []rule.Rule{{ID: 1, State: rule.InForce, Body: rule.Body{Family: rule.Substitute, Target: "terms", On: rule.Occasions{New: true}, When: "is filled(country)", Effect: rule.Effect{Value: `crosswalk("days", country)`}}}})
	require.True(t, book.Rules[0].Sound(), "%v", book.Rules[0].Problems)
	confirmed, _ := search(t, runnerOf(book), given("country=IE"))
	assert.Subset(t, shown(confirmed), []string{"a code that has a row in the crosswalk days", "a code that has no row of its own in the crosswalk days"})
	assert.Equal(t, proof.ProvedBoth, confirmed.State)
}

// What a proof carries goes before what is there now; what it does not carry is read as it is.
func TestWhatIsCarriedGoesBeforeWhatIsThere(t *testing.T) {
	tables := func(terms string) *table.Set {
		return &table.Set{
			Standing: []table.Standing{{Field: field.Field{Key: "limit", Label: "Limit", Type: field.Number}, Periods: []table.StandingValue{{Value: map[string]string{"N30": "120", "N45": "999"}[terms]}}}},
			Crosswalks: []table.Crosswalk{{Key: "days", Label: "Days", Keys: []field.Field{{Key: "country", Label: "Country", Type: field.Text}}, Results: []field.Field{{Key: "terms", Label: "Terms", Type: field.Text}},
				Rows: []table.Row{{Keys: []string{"IE"}, Results: []string{terms}}}}},
		}
	}
	runner := func(terms string) *proof.Runner {
		book := plan.NewBook(&measured, nil, tables(terms), []rule.Rule{{ID: 1, State: rule.InForce, Body: rule.Body{Family: rule.Substitute, Target: "terms", On: both, When: "limit > standing.limit", Effect: rule.Effect{Value: `crosswalk("days", country)`}}}})
		require.True(t, book.Rules[0].Sound(), "%v", book.Rules[0].Problems)
		return runnerOf(book)
	}
	before := runner("N30")
	p := keep(t, before, given("country=IE limit=500"))[0]
	require.Equal(t, "N30", p.Expect.Values["terms"])
	var err error
	p.Given.Fixtures, err = before.Carry(&p)
	require.NoError(t, err)
	assert.Equal(t, map[string]string{"limit": "120"}, p.Given.Fixtures.Standing)
	assert.Equal(t, []judge.Lookup{{Crosswalk: "days", Keys: []string{`"IE"`}, Column: "terms", Value: `"N30"`}}, p.Given.Fixtures.Lookups)

	after := runner("N45")
	again := after.Run(&p, false)
	assert.True(t, again.Held(), "%v", again.Differences)
	p.Given.Fixtures = nil
	again = after.Run(&p, false)
	assert.False(t, again.Held(), "without it the limit of today is not met")
}
