package rule_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"codicil/core/feel"
	"codicil/core/record"
	"codicil/core/rule"
)

var kind = record.Kind{Key: "vendor", Label: "Vendor", Plural: "Vendors", Fields: []record.Field{
	{Key: "country", Label: "Country", Type: record.Choice, Choices: []record.Option{{Code: "JP", Label: "Japan"}, {Code: "IE", Label: "Ireland"}}},
	{Key: "terms", Label: "Payment terms", Type: record.Text, Length: 4},
	{Key: "limit", Label: "Credit limit", Type: record.Amount},
	{Key: "rate", Label: "Discount", Type: record.Percent, Decimals: 1},
	{Key: "block", Label: "Payment block", Type: record.YesNo},
	{Key: "begins", Label: "Agreement begins", Type: record.Date},
	{Key: "clerk", Label: "Clerk", Type: record.ToRecord, Kind: "person"},
}}

var vocabulary = rule.NewVocabulary(&kind, []record.Kind{{Key: "person", Fields: []record.Field{
	{Key: "name", Label: "Name", Type: record.Text, Length: 4}, {Key: "away", Label: "Away", Type: record.YesNo}, {Key: "deputy", Label: "Deputy", Type: record.ToRecord, Kind: "person"},
}}})

func compile(family rule.Family, target, when string, effect rule.Effect) *rule.Compiled {
	return rule.Compile(rule.Rule{ID: 7, Body: rule.Body{Kind: "vendor", Family: family, Target: target, When: when, Effect: effect, On: rule.Occasions{New: true, Change: true}}}, vocabulary)
}

func TestWhatIsWrongWithARuleIsSaidAtItsPart(t *testing.T) {
	value := func(text string) rule.Effect { return rule.Effect{Value: text, Lifetime: rule.NewOnly} }
	check := rule.Effect{Must: "limit > 0", Severity: rule.Refuse, Message: "enter one"}
	for _, c := range []struct {
		name    string
		rule    *rule.Compiled
		part    string
		message string
	}{
		{"unknown field in a condition", compile(rule.Default, "terms", `contry = "JP"`, value(`"N30"`)), "when", "did you mean country?"},
		{"a condition that is no condition", compile(rule.Default, "terms", `limit + 1`, value(`"N30"`)), "when", "this gives a number"},
		{"value of another type", compile(rule.Default, "terms", "", value("30")), "value", "this gives a number, but Payment terms holds a string"},
		{"a constant too long", compile(rule.Substitute, "terms", "", value(`"N30 or more"`)), "value", "takes 4 characters at most"},
		{"a constant that is no choice", compile(rule.Substitute, "country", "", value(`"XX"`)), "value", `no value "XX"`},
		{"no value", compile(rule.Substitute, "terms", "", value("")), "value", "write the value"},
		{"no lifetime", compile(rule.Default, "terms", "", rule.Effect{Value: `"N30"`}), "lifetime", "new only or whenever blank"},
		{"no manner", compile(rule.Entry, "terms", "", rule.Effect{}), "manner", "choose how"},
		{"no message", compile(rule.Validate, "limit", "", rule.Effect{Must: "limit > 0", Severity: rule.Refuse}), "message", "what is wrong"},
		{"no severity", compile(rule.Validate, "limit", "", rule.Effect{Must: "limit > 0", Message: "x"}), "severity", "refuse, confirm or advise"},
		{"nothing that must hold", compile(rule.Validate, "limit", "", rule.Effect{Message: "x", Severity: rule.Refuse}), "must", "what must hold"},
		{"unknown field to watch", compile(rule.Validate, "limit", "", rule.Effect{Must: "limit > 0", Message: "x", Severity: rule.Refuse, WhenChanged: []string{"nope"}}), "whenChanged", `no field "nope"`},
		{"unknown target", compile(rule.Default, "nope", "", value(`"N30"`)), "target", `no field "nope"`},
		{"unknown family", compile("magic", "terms", "", value(`"N30"`)), "family", "no rule family"},
	} {
		assert.False(t, c.rule.Sound(), c.name)
		if assert.NotEmpty(t, c.rule.Problems, c.name) {
			assert.Equal(t, c.part, c.rule.Problems[0].Part, c.name)
			assert.Contains(t, c.rule.Problems[0].Message, c.message, c.name)
		}
	}
	never := rule.Rule{Body: rule.Body{Family: rule.Validate, Target: "limit", Effect: check}}
	assert.False(t, rule.Compile(never, vocabulary).Sound(), "a rule without occasions never runs")
	backwards := rule.Rule{Body: rule.Body{Family: rule.Validate, Target: "limit", Effect: check, On: rule.Occasions{New: true}, Scope: rule.Scope{From: "2026-02-01", Until: "2026-01-31"}}}
	assert.False(t, rule.Compile(backwards, vocabulary).Sound())
	assert.True(t, compile(rule.Validate, "limit", "", check).Sound())
}

func TestScopesAndTheirOrder(t *testing.T) {
	scope := rule.Scope{Companies: []string{"30"}, Types: []string{"TRAD"}, From: "2026-01-01", Until: "2026-12-31"}
	assert.True(t, scope.Covers("30", "TRAD", "2026-01-01"))
	assert.True(t, scope.Covers("30", "TRAD", "2026-12-31"))
	assert.False(t, scope.Covers("30", "TRAD", "2027-01-01"))
	assert.False(t, scope.Covers("10", "TRAD", "2026-06-01"))
	assert.False(t, scope.Covers("30", "SERV", "2026-06-01"))

	of := func(id int64, priority int, companies, types []string) *rule.Rule {
		return &rule.Rule{ID: id, Body: rule.Body{Priority: priority, Scope: rule.Scope{Companies: companies, Types: types}}}
	}
	inOrder := []*rule.Rule{
		of(9, 50, []string{"30"}, []string{"TRAD"}), of(8, 1, []string{"30"}, nil), of(7, 1, nil, []string{"TRAD"}), of(5, 1, nil, nil), of(6, 1, nil, nil), of(1, 2, nil, nil),
	}
	for i := range inOrder[1:] {
		assert.Equal(t, -1, rule.Less(inOrder[i], inOrder[i+1]))
		assert.Equal(t, 1, rule.Less(inOrder[i+1], inOrder[i]))
	}
}

func TestTheLifeOfARule(t *testing.T) {
	assert.True(t, rule.Draft.MayBecome(rule.InForce))
	assert.True(t, rule.InForce.MayBecome(rule.Suspended))
	assert.True(t, rule.Suspended.MayBecome(rule.InForce))
	assert.False(t, rule.InForce.MayBecome(rule.Draft))
	assert.False(t, rule.Retired.MayBecome(rule.InForce))
}

// A sentence and its formula are two views of one thing.
func TestConditionsGoBothWays(t *testing.T) {
	for _, c := range []struct {
		formula string
		want    rule.Conditions
	}{
		{`country = "JP" and limit > 120000`, rule.Conditions{Join: "and", Conditions: []rule.Condition{{"country", "is", []string{"JP"}}, {"limit", "over", []string{"120000"}}}}},
		{`limit < -5 or is blank(terms) or rate >= 0.05`, rule.Conditions{Join: "or", Conditions: []rule.Condition{{"limit", "under", []string{"-5"}}, {"terms", "is-blank", []string{}}, {"rate", "from", []string{"5.0 %"}}}}},
		{`limit between 1 and 2.5`, rule.Conditions{Join: "and", Conditions: []rule.Condition{{"limit", "between", []string{"1", "2.5"}}}}},
		{`country in ("JP", "IE")`, rule.Conditions{Join: "and", Conditions: []rule.Condition{{"country", "one-of", []string{"JP", "IE"}}}}},
		{`not(country in ("JP", "IE"))`, rule.Conditions{Join: "and", Conditions: []rule.Condition{{"country", "none-of", []string{"JP", "IE"}}}}},
		{`starts with(terms, "N")`, rule.Conditions{Join: "and", Conditions: []rule.Condition{{"terms", "starts-with", []string{"N"}}}}},
		{`begins >= @"2026-01-01"`, rule.Conditions{Join: "and", Conditions: []rule.Condition{{"begins", "from", []string{"2026-01-01"}}}}},
		{`block = true`, rule.Conditions{Join: "and", Conditions: []rule.Condition{{"block", "is", []string{"yes"}}}}},
	} {
		program, problems := feel.Compile(c.formula, vocabulary.Scope, feel.Strict)
		require.NoError(t, problems.Errors(), c.formula)
		got, ok := rule.Decompose(program, &kind)
		require.True(t, ok, c.formula)
		assert.Equal(t, c.want, got, c.formula)
		back, err := rule.Compose(got, &kind)
		require.NoError(t, err, c.formula)
		assert.Equal(t, c.formula, back)
	}
	for _, formula := range []string{
		`country = "JP" and (limit > 1 or block)`, `limit > rate`, `limit + 1 > 2`, `entered.limit > 2`, `if block then true else false`, `"JP" = country`, `limit in [1..5]`,
	} {
		program, problems := feel.Compile(formula, vocabulary.Scope, feel.Strict)
		require.NoError(t, problems.Errors(), formula)
		_, ok := rule.Decompose(program, &kind)
		assert.False(t, ok, "%s stays a formula", formula)
	}
	nothing, ok := rule.Decompose(nil, &kind)
	assert.True(t, ok)
	assert.Empty(t, nothing.Conditions)
}

func TestIncompleteConditionsSayWhatIsMissing(t *testing.T) {
	for message, c := range map[string]rule.Condition{
		"needs a value":            {Field: "limit", Relation: "over"},
		`no field "nope"`:          {Field: "nope", Relation: "is", Values: []string{"1"}},
		"cannot be compared":       {Field: "block", Relation: "over", Values: []string{"1"}},
		"is a number; \"x\"":       {Field: "limit", Relation: "over", Values: []string{"x"}},
		`Country has no value "Q"`: {Field: "country", Relation: "is", Values: []string{"Q"}},
	} {
		_, err := rule.Compose(rule.Conditions{Conditions: []rule.Condition{c}}, &kind)
		assert.ErrorContains(t, err, message)
		assert.ErrorContains(t, err, "condition 1")
	}
}

func TestRulesReadAsSentences(t *testing.T) {
	names := rule.Names{Kind: &kind, Companies: map[string]string{"30": "30 Kaisan"}, Types: map[string]string{"TRAD": "trade vendors"}}
	scoped := compile(rule.Substitute, "terms", `country = "JP" and limit > 120000`, rule.Effect{Value: `"N45"`})
	scoped.Scope = rule.Scope{Companies: []string{"30"}, Types: []string{"TRAD"}}
	for _, c := range []struct {
		rule             *rule.Compiled
		sentence, phrase string
	}{
		{scoped, "For trade vendors in 30 Kaisan, when Country is JP and Credit limit is over 120000, replace Payment terms with N45.", "N45 when Country is JP and Credit limit is over 120000"},
		{compile(rule.Entry, "terms", "block", rule.Effect{Manner: rule.Required}), "For vendors in all companies, when Payment block is yes, Payment terms is required.", "required when Payment block is yes"},
		{compile(rule.Default, "rate", "", rule.Effect{Value: "0.02", Lifetime: rule.NewOnly}), "For vendors in all companies, fill Discount with 2.0 % on a new record only.", "2.0 %"},
		{compile(rule.Default, "block", "", rule.Effect{Value: "false", Lifetime: rule.WheneverBlank}), "For vendors in all companies, fill Payment block with no whenever it is blank.", "no"},
		{compile(rule.Substitute, "terms", "", rule.Effect{Value: "country"}), "For vendors in all companies, replace Payment terms with Country.", "Country"},
		{compile(rule.Substitute, "terms", "clerk.away", rule.Effect{Value: "clerk.deputy.name"}), "For vendors in all companies, when Away of Clerk is yes, replace Payment terms with Name of Deputy of Clerk.", "Name of Deputy of Clerk when Away of Clerk is yes"},
		{compile(rule.Validate, "rate", "", rule.Effect{Must: "rate <= 0.05", Severity: rule.Refuse, Message: "x"}), "For vendors in all companies, refuse unless Discount is up to 5.0 %.", "must be up to 5.0 %"},
		{compile(rule.Validate, "rate", `country in ("JP", "IE")`, rule.Effect{Must: "limit > 0", Severity: rule.Advise, Message: "x"}), "For vendors in all companies, when Country is one of JP or IE, advise unless Credit limit is over 0.", "better: Credit limit is over 0 when Country is one of JP or IE"},
	} {
		assert.Equal(t, c.sentence, rule.Sentence(c.rule, names))
		assert.Equal(t, c.phrase, rule.Phrase(c.rule, &kind))
	}
	assert.Equal(t, "Vendor · Payment terms becomes N45 when Country is JP and Credit limit is over 120000", rule.ProposeName(scoped, &kind))
}
