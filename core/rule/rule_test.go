package rule_test

import (
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"codicil/core/feel"
	"codicil/core/field"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/core/table"
)

var kind = record.Kind{Key: "vendor", Label: "Vendor", Plural: "Vendors", Fields: []field.Field{
	{Key: "country", Label: "Country", Type: field.Choice, Choices: []field.Option{{Code: "JP", Label: "Japan"}, {Code: "IE", Label: "Ireland"}}},
	{Key: "terms", Label: "Payment terms", Type: field.Text, Length: 4},
	{Key: "limit", Label: "Credit limit", Type: field.Amount},
	{Key: "rate", Label: "Discount", Type: field.Percent, Decimals: 1},
	{Key: "block", Label: "Payment block", Type: field.YesNo},
	{Key: "begins", Label: "Agreement begins", Type: field.Date},
	{Key: "clerk", Label: "Clerk", Type: field.Link, Kind: "person"},
}}

var vocabulary = rule.NewVocabulary(&kind, []record.Kind{{Key: "person", Fields: []field.Field{
	{Key: "name", Label: "Name", Type: field.Text, Length: 4}, {Key: "away", Label: "Away", Type: field.YesNo}, {Key: "deputy", Label: "Deputy", Type: field.Link, Kind: "person"},
}}}, &table.Set{
	Standing:   []table.Standing{{Field: field.Field{Key: "base_limit", Label: "Base limit", Type: field.Number}}},
	Crosswalks: []table.Crosswalk{{Key: "terms", Label: "Terms", Keys: []field.Field{{Key: "country", Label: "Country", Type: field.Text}}, Results: []field.Field{{Key: "terms", Label: "Terms", Type: field.Text}, {Key: "days", Label: "Days", Type: field.Number}}}},
	Series:     []table.Series{{Key: "short", Label: "Short", Parts: []table.Part{{Is: table.Counter, Digits: 4}}, Start: 1, Step: 1}, {Key: "long", Label: "Long", Parts: []table.Part{{Is: table.Counter, Digits: 5}}, Start: 1, Step: 1}},
})

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
		{"no lifetime", compile(rule.Default, "terms", "", rule.Effect{Value: `"N30"`}), "lifetime", "new only, whenever blank or keeps up"},
		{"no manner", compile(rule.Entry, "terms", "", rule.Effect{}), "need", "choose what the rule says"},
		{"no message", compile(rule.Validate, "limit", "", rule.Effect{Must: "limit > 0", Severity: rule.Refuse}), "message", "what is wrong"},
		{"a value in the message that is no name", compile(rule.Validate, "limit", "", rule.Effect{Must: "limit > 0", Message: "at least {limti}", Severity: rule.Refuse}), "message", "in {limti}: there is no field or name"},
		{"a brace that is not closed", compile(rule.Validate, "limit", "", rule.Effect{Must: "limit > 0", Message: "at least {limit", Severity: rule.Refuse}), "message", "write } after it"},
		{"a brace that is not opened", compile(rule.Validate, "limit", "", rule.Effect{Must: "limit > 0", Message: "at least limit}", Severity: rule.Refuse}), "message", "has no { before it"},
		{"no severity", compile(rule.Validate, "limit", "", rule.Effect{Must: "limit > 0", Message: "x"}), "severity", "refuse, confirm or advise"},
		{"nothing that must hold", compile(rule.Validate, "limit", "", rule.Effect{Message: "x", Severity: rule.Refuse}), "must", "what must hold"},
		{"unknown field to watch", compile(rule.Validate, "limit", "", rule.Effect{Must: "limit > 0", Message: "x", Severity: rule.Refuse, WhenChanged: []string{"nope"}}), "whenChanged", `no field "nope"`},
		{"a series that is not there", compile(rule.Default, "terms", "", rule.Effect{Lifetime: rule.NewOnly, Series: "none"}), "value", "there is no number series"},
		{"numbers too long for the field", compile(rule.Default, "terms", "", rule.Effect{Lifetime: rule.NewOnly, Series: "long"}), "value", "have 5 characters, and Payment terms takes 4"},
		{"a series for a number", compile(rule.Default, "limit", "", rule.Effect{Lifetime: rule.NewOnly, Series: "short"}), "value", "gives texts"},
		{"a standing value of another type", compile(rule.Default, "terms", "", value("standing.base_limit")), "value", "this gives a number"},
		{"an unknown standing value", compile(rule.Default, "limit", "", value("standing.bas_limit")), "value", "did you mean base_limit"},
		{"an unknown crosswalk", compile(rule.Default, "terms", "", value(`crosswalk("term", country)`)), "value", "did you mean terms"},
		{"a column of another type", compile(rule.Default, "terms", "", value(`crosswalk("terms", country, "days")`)), "value", "this gives a number"},
		{"a source that is none", compile(rule.Source, "terms", "", rule.Effect{Mode: rule.Live, Value: `"N30"`}), "value", "one field of a linked record"},
		{"a source without a tie", compile(rule.Source, "terms", "", rule.Effect{Value: "clerk.name"}), "tie", "copied or live"},
		{"a source of another type", compile(rule.Source, "limit", "", rule.Effect{Mode: rule.Live, Value: "clerk.name"}), "value", "this gives a string"},
		{"keyed twice and hidden", compile(rule.Entry, "terms", "", rule.Effect{Access: rule.Hidden, Keying: rule.Twice}), "cursor", "nobody enters a field that is hidden"},
		{"a place that messages do not point to", compile(rule.Validate, "limit", "", rule.Effect{Must: "limit > 0", Message: "x", Severity: rule.Refuse, Points: "moon"}), "points", "field, the line or the document"},
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

func TestAMessageHasValuesInIt(t *testing.T) {
	c := compile(rule.Validate, "limit", "", rule.Effect{Must: "limit > 0", Severity: rule.Refuse, Message: "{{{limit}}} of {clerk.name}, twice {limit * 2}, {terms}"})
	require.True(t, c.Sound(), c.Problems)
	var fields []string
	for _, p := range c.Message {
		if p.Program != nil && p.Field != nil {
			fields = append(fields, p.Field.Label)
		}
	}
	assert.Equal(t, []string{"Credit limit", "Name", "Payment terms"}, fields)
	values := []feel.Value{feel.IntegerOf(5), feel.StringOf("Moya"), feel.IntegerOf(10), feel.NullValue}
	text := c.MessageText(values, func(_ rule.Piece, v feel.Value) string { return "<" + v.Plain() + ">" })
	assert.Equal(t, "{<5>} of <Moya>, twice <10>, blank", text)
	assert.Subset(t, c.Reads(), []int{2, 6}, "what the message reads is there when it is written")
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
// is makes a condition with values.
func is(field, relation string, values ...string) rule.Condition {
	return rule.Condition{Field: field, Relation: relation, Values: append([]string{}, values...)}
}

func all(conditions ...rule.Condition) rule.Conditions {
	return rule.Conditions{Join: "and", Conditions: conditions}
}

func anyOf(conditions ...rule.Condition) rule.Conditions {
	return rule.Conditions{Join: "or", Conditions: conditions}
}

func group(c rule.Conditions) rule.Condition {
	return rule.Condition{Values: []string{}, Group: &c}
}

func TestConditionsGoBothWaysWithoutLoss(t *testing.T) {
	for _, c := range []struct {
		formula string
		want    rule.Conditions
	}{
		{`country = "JP" and limit > 120000`, all(is("country", "is", "JP"), is("limit", "over", "120000"))},
		{`limit < -5 or is blank(terms) or rate >= 0.05`, anyOf(is("limit", "under", "-5"), is("terms", "is-blank"), is("rate", "from", "5.0 %"))},
		{`limit between 1 and 2.5`, all(is("limit", "between", "1", "2.5"))},
		{`country in ("JP", "IE")`, all(is("country", "one-of", "JP", "IE"))},
		{`not(country in ("JP", "IE"))`, all(is("country", "none-of", "JP", "IE"))},
		{`starts with(terms, "N")`, all(is("terms", "starts-with", "N"))},
		{`begins >= @"2026-01-01"`, all(is("begins", "from", "2026-01-01"))},
		{`block = true`, all(is("block", "is", "yes"))},
		{`country = "JP" and (limit > 1 or block = true)`, all(is("country", "is", "JP"), group(anyOf(is("limit", "over", "1"), is("block", "is", "yes"))))},
		{`(country = "JP" and limit > 1) or (country = "IE" and limit > 2)`, anyOf(group(all(is("country", "is", "JP"), is("limit", "over", "1"))), group(all(is("country", "is", "IE"), is("limit", "over", "2"))))},
		{`limit > entered.limit`, all(rule.Condition{Field: "limit", Relation: "over", Values: []string{}, Other: "entered.limit"})},
		{`clerk.deputy.name = "Moya"`, all(is("clerk.deputy.name", "is", "Moya"))},
		{`begins > today()`, all(rule.Condition{Field: "begins", Relation: "after", Values: []string{}, Other: "today()"})},
		{`company.country = "IE" and stored.limit < 5`, all(is("company.country", "is", "IE"), is("stored.limit", "under", "5"))},
	} {
		program, problems := feel.Compile(c.formula, vocabulary.Scope, feel.Strict)
		require.NoError(t, problems.Errors(), c.formula)
		got, ok := vocabulary.Decompose(program, 0, false)
		require.True(t, ok, c.formula)
		assert.Equal(t, c.want, got, c.formula)
		back, err := vocabulary.Compose(got, 0)
		require.NoError(t, err, c.formula)
		assert.Equal(t, c.formula, back)
	}
	for formula, same := range map[string]string{ // other ways to write the same
		`limit in [1..5]`: `limit between 1 and 5`, `country in ["JP", "IE"]`: `country in ("JP", "IE")`, `((limit > 1) and (limit < 5))`: `limit > 1 and limit < 5`,
	} {
		program, _ := feel.Compile(formula, vocabulary.Scope, feel.Strict)
		got, ok := vocabulary.Decompose(program, 0, false)
		require.True(t, ok, formula)
		back, err := vocabulary.Compose(got, 0)
		require.NoError(t, err)
		assert.Equal(t, same, back)
	}
	for _, formula := range []string{
		`country = "JP" and (limit > 1 or (block = true and rate > 0.1))`, `limit + 1 > 2`, `if block then true else false`, `"JP" = country`,
		`limit in [1..5)`, `limit in (> 5, 3)`, `country = "XX"`, `not(country = "JP")`, `some x in [1] satisfies limit > x`, `limit between 1 and limit`,
	} {
		program, problems := feel.Compile(formula, vocabulary.Scope, feel.Strict)
		require.NoError(t, problems.Errors(), formula)
		_, ok := vocabulary.Decompose(program, 0, true)
		assert.False(t, ok, "%s stays a formula", formula)
	}
	nothing, ok := vocabulary.Decompose(nil, 0, false)
	assert.True(t, ok)
	assert.Empty(t, nothing.Conditions)
}

// A yes/no field by itself is null when it is blank. As a condition of a rule that is
// the same as not being yes; as something that must hold it is not.
func TestAYesNoFieldByItself(t *testing.T) {
	program, problems := feel.Compile("block and limit > 1", vocabulary.Scope, feel.Strict)
	require.NoError(t, problems.Errors())
	got, ok := vocabulary.Decompose(program, 0, true)
	assert.True(t, ok)
	assert.Equal(t, all(is("block", "is", "yes"), is("limit", "over", "1")), got)
	_, ok = vocabulary.Decompose(program, 0, false)
	assert.False(t, ok)
}

func TestIncompleteConditionsSayWhatIsMissing(t *testing.T) {
	for message, c := range map[string]rule.Condition{
		"needs a value":            is("limit", "over"),
		`no field "nope"`:          is("nope", "is", "1"),
		"cannot be compared":       is("block", "over", "1"),
		"must be a number; \"x\"":  is("limit", "over", "x"),
		`Country has no value "Q"`: is("country", "is", "Q"),
		`compared with "country"`:  {Field: "limit", Relation: "over", Other: "country"},
		`compared with "nope"`:     {Field: "limit", Relation: "over", Other: "nope"},
	} {
		for _, conditions := range []rule.Conditions{all(c), all(group(anyOf(c, is("limit", "over", "1"))))} {
			_, err := vocabulary.Compose(conditions, 0)
			assert.ErrorContains(t, err, message)
			assert.ErrorContains(t, err, "condition 1")
		}
	}
}

// Random conditions, nested once, come back from their formula as they were.
func TestRandomConditionsComeBack(t *testing.T) {
	atom := rapid.Custom(func(t *rapid.T) rule.Condition {
		return rapid.SampledFrom([]rule.Condition{
			is("country", "is", "JP"), is("country", "none-of", "JP", "IE"), is("limit", "between", "-1.5", "7"), is("limit", "up-to", "0.001"), is("terms", "contains", `a "b" \ c`),
			is("rate", "over", "2.5 %"), is("block", "is", "no"), is("begins", "before", "2028-02-29"), is("clerk.away", "is", "yes"), is("clerk", "is-filled"),
			{Field: "terms", Relation: "is-not", Values: []string{}, Other: "stored.terms"},
		}).Draw(t, "condition")
	})
	rapid.Check(t, func(t *rapid.T) {
		join := rapid.SampledFrom([]string{"and", "or"}).Draw(t, "join")
		other := map[string]string{"and": "or", "or": "and"}[join]
		c := rule.Conditions{Join: join, Conditions: []rule.Condition{}}
		for range rapid.IntRange(2, 4).Draw(t, "conditions") {
			if rapid.Bool().Draw(t, "nested") {
				c.Conditions = append(c.Conditions, group(rule.Conditions{Join: other, Conditions: rapid.SliceOfN(atom, 2, 4).Draw(t, "group")}))
			} else {
				c.Conditions = append(c.Conditions, atom.Draw(t, "condition"))
			}
		}
		text, err := vocabulary.Compose(c, 0)
		require.NoError(t, err)
		program, problems := feel.Compile(text, vocabulary.Scope, feel.Strict)
		require.NoError(t, problems.Errors(), text)
		back, ok := vocabulary.Decompose(program, 0, false)
		require.True(t, ok, text)
		assert.Equal(t, c, back, text)
	})
}

func TestNamesThatARuleMayUse(t *testing.T) {
	for text, want := range map[string][3]string{
		"limit": {"Credit limit", "This document", "number"}, "stored.limit": {"Credit limit as last saved", "As last saved", "number"},
		"clerk.name": {"Name of Clerk", "Clerk", "string"}, "clerk.deputy.name": {"Name of Deputy of Clerk", "Deputy of Clerk", "string"},
		"company.country": {"Country of the company", "Company, type and user", "string"}, "today()": {"today", "Company, type and user", "date"},
	} {
		name := vocabulary.NameOf(0, text)
		if assert.NotNil(t, name, text) {
			assert.Equal(t, want, [3]string{name.Label, name.Group, name.Type.String()}, text)
		}
	}
	assert.Nil(t, vocabulary.NameOf(0, "clerk.deputy.deputy.name"), "two links at most")
	for _, name := range vocabulary.Names(0) {
		_, problems := feel.Compile("is filled("+name.Text+")", vocabulary.Scope, feel.Strict)
		assert.NoError(t, problems.Errors(), "every name that is offered can be used")
	}
}

func TestRulesReadAsSentences(t *testing.T) {
	names := rule.Wording{Kind: &kind, Companies: map[string]string{"30": "30 Kaisan"}, Types: map[string]string{"TRAD": "trade vendors"}}
	scoped := compile(rule.Substitute, "terms", `country = "JP" and limit > 120000`, rule.Effect{Value: `"N45"`})
	scoped.Scope = rule.Scope{Companies: []string{"30"}, Types: []string{"TRAD"}}
	for _, c := range []struct {
		rule             *rule.Compiled
		sentence, phrase string
	}{
		{scoped, "For trade vendors in 30 Kaisan, when Country is JP and Credit limit is over 120000, replace Payment terms with N45.", "N45 when Country is JP and Credit limit is over 120000"},
		{compile(rule.Entry, "terms", "block", rule.Effect{Need: rule.Required}), "For vendors in all companies, when Payment block is yes, Payment terms is required.", "required when Payment block is yes"},
		{compile(rule.Default, "rate", "", rule.Effect{Value: "0.02", Lifetime: rule.NewOnly}), "For vendors in all companies, fill Discount with 2.0 % on a new record only.", "2.0 %"},
		{compile(rule.Default, "block", "", rule.Effect{Value: "false", Lifetime: rule.WheneverBlank}), "For vendors in all companies, fill Payment block with no whenever it is blank.", "no"},
		{compile(rule.Substitute, "terms", "", rule.Effect{Value: "country"}), "For vendors in all companies, replace Payment terms with Country.", "Country"},
		{compile(rule.Compute, "limit", "is blank(terms)", rule.Effect{Value: "rate * 1000"}), "For vendors in all companies, when Payment terms is blank, compute Credit limit as Discount × 1000.", "Discount × 1000 when Payment terms is blank"},
		{compile(rule.Substitute, "terms", "", rule.Effect{}), "For vendors in all companies, replace Payment terms with …", "…"},
		{compile(rule.Substitute, "terms", "clerk.away", rule.Effect{Value: "clerk.deputy.name"}), "For vendors in all companies, when Away of Clerk is yes, replace Payment terms with Name of Deputy of Clerk.", "Name of Deputy of Clerk when Away of Clerk is yes"},
		{compile(rule.Validate, "rate", "", rule.Effect{Must: "rate <= 0.05", Severity: rule.Refuse, Message: "x"}), "For vendors in all companies, refuse unless Discount is at most 5.0 %.", "must be at most 5.0 %"},
		{compile(rule.Validate, "rate", `country in ("JP", "IE")`, rule.Effect{Must: "limit > 0", Severity: rule.Advise, Message: "x"}), "For vendors in all companies, when Country is one of JP or IE, advise unless Credit limit is over 0.", "ideally: Credit limit is over 0 when Country is one of JP or IE"},
	} {
		assert.Equal(t, c.sentence, rule.Sentence(c.rule, names))
		assert.Equal(t, c.phrase, rule.Phrase(c.rule, names))
	}
	nested := compile(rule.Entry, "terms", `(country = "JP" or country = "IE" or limit > 5) and (block or limit > entered.limit) and rate > 0.1`, rule.Effect{Access: rule.Hidden})
	assert.Equal(t, "hidden when any of Country is JP, Country is IE or Credit limit is over 5, and either Payment block is yes or Credit limit is over Credit limit as entered, and Discount is over 10.0 %", rule.Phrase(nested, names))
	assert.Equal(t, "Vendor · Payment terms becomes N45 when Country is JP and Credit limit is over 120000", rule.ProposeName(scoped))
}

// A sentence says when a rule holds and runs, in the labels of the company and as the person writes.
func TestSentencesSayDaysAndOccasionsAsThePersonWritesThem(t *testing.T) {
	labelled := kind
	labelled.Fields = slices.Clone(kind.Fields)
	labelled.Fields[kind.Index("limit")].Label = "Ceiling"
	labelled.Fields[kind.Index("clerk")].Label = "Buyer"
	german := field.Format{Decimal: ",", Group: ".", Date: "dmy", Separator: "."}
	w := rule.Wording{Kind: &labelled, Show: rule.Written(german)}
	check := compile(rule.Validate, "limit", `limit > 1200.5 and clerk.away and entered.limit = 1`, rule.Effect{
		Must: "limit <= 120000", Severity: rule.Refuse, Message: "x", Moments: []rule.Moment{rule.Saving, rule.Posting}, WhenChanged: []string{"limit", "rate"},
	})
	check.On = rule.Occasions{Change: true}
	check.Scope = rule.Scope{From: "2026-01-01", Until: "2026-03-31"}
	assert.Equal(t, "For vendors in all companies from 01.01.2026 until 31.03.2026, when Ceiling is over 1.200,5 and Away of Buyer is yes and Ceiling as entered is 1, refuse unless Ceiling is at most 120.000, on changes only, on saving and on posting, only when Ceiling or Discount changed.", rule.Sentence(check, w))
	assert.Equal(t, "changes only, on saving and on posting, only when Ceiling or Discount changed", rule.RunsOn(check, w))
	once := compile(rule.Default, "rate", "", rule.Effect{Value: `if limit > 1200.5 then 0.025 else 0.1`, Lifetime: rule.NewOnly})
	assert.Equal(t, "For vendors in all companies, fill Discount with 2,5 % if Ceiling is over 1.200,5, otherwise 10,0 % on a new record only.", rule.Sentence(once, w))
	assert.Equal(t, "new records only", rule.RunsOn(once, w))
}

// Whatever a rule says, finished or not, it is read and said without a panic: people see every
// draft.
func TestAnyRuleCanBeReadAndSaid(t *testing.T) {
	formula := rapid.SampledFrom([]string{"", "0.02", `"N45"`, "country", "clerk.deputy.name", "limit >", "nobody = 1", "is blank(terms)", `entered.terms`, "base_limit", "for x in", "terms(country).days", "live"})
	target := rapid.SampledFrom([]string{"", "country", "limit", "rate", "clerk", "clerk.name", "clerk.nobody", "nobody", "nobody.name", "lines.amount", "section:general", "section:", "."})
	band := rapid.Custom(func(t *rapid.T) rule.Band {
		return rule.Band{Label: rapid.SampledFrom([]string{"", "low"}).Draw(t, "label"), Until: rapid.SampledFrom([]string{"", "5", "x", "-1"}).Draw(t, "until"), Including: rapid.Bool().Draw(t, "including"), Level: rapid.SampledFrom([]rule.Level{"", rule.Calm, "loud"}).Draw(t, "tone")}
	})
	rapid.Check(t, func(t *rapid.T) {
		e := rule.Effect{
			Need:     rapid.SampledFrom([]rule.Need{"", rule.Required, rule.Optional, "x"}).Draw(t, "need"),
			Access:   rapid.SampledFrom([]rule.Access{"", rule.Hidden, "x"}).Draw(t, "access"),
			Mode:     rapid.SampledFrom([]rule.SourceMode{"", rule.Copied, rule.Live, "x"}).Draw(t, "tie"),
			Lifetime: rapid.SampledFrom([]rule.Lifetime{"", rule.NewOnly, rule.KeepsUp, "x"}).Draw(t, "lifetime"),
			Value:    formula.Draw(t, "value"), Must: formula.Draw(t, "must"), Message: rapid.SampledFrom([]string{"", "m", "{limit}", "{nobody} {"}).Draw(t, "message"),
			Severity: rapid.SampledFrom([]rule.Severity{"", rule.Refuse, "x"}).Draw(t, "severity"), Series: rapid.SampledFrom([]string{"", "short", "nobody"}).Draw(t, "series"),
			Points: rapid.SampledFrom([]rule.MessageTarget{"", rule.ToLine, "x"}).Draw(t, "points"), Bands: rapid.SliceOfN(band, 0, 3).Draw(t, "bands"),
		}
		if rapid.Bool().Draw(t, "unique") {
			e.Unique = &rule.Unique{With: rapid.SliceOfN(target, 0, 2).Draw(t, "with"), Near: rapid.Bool().Draw(t, "near")}
		}
		family := rapid.SampledFrom(append([]rule.Family{"", "nonsense"}, rule.Families...)).Draw(t, "family")
		c := compile(family, target.Draw(t, "target"), formula.Draw(t, "when"), e)
		assert.NotEmpty(t, rule.Sentence(c, rule.Wording{Kind: &kind}))
		_ = rule.Phrase(c, rule.Wording{})
		_ = rule.ProposeName(c)
		_, _ = c.Conditions("when"), c.Conditions("must")
		for _, p := range c.Problems {
			assert.NotEmpty(t, p.Message)
			assert.NotEmpty(t, p.Code)
		}
	})
}

func TestAFormulaIsToldInWords(t *testing.T) {
	order := record.Kind{Key: "order", Label: "Order", Plural: "Orders", Fields: []field.Field{
		{Key: "net_total", Label: "Net total", Type: field.Amount}, {Key: "tax_rate", Label: "Tax rate", Type: field.Percent, Decimals: 1}, {Key: "country", Label: "Country", Type: field.Text},
		{Key: "due", Label: "Due date", Type: field.Date}, {Key: "blocked", Label: "Blocked", Type: field.YesNo}, {Key: "clerk", Label: "Clerk", Type: field.Link, Kind: "person"},
		{Key: "lines.item", Label: "Item", Type: field.Text}, {Key: "lines.amount", Label: "Amount", Type: field.Amount}, {Key: "lines.country", Label: "Country", Type: field.Text},
	}}
	v := rule.NewVocabulary(&order, []record.Kind{{Key: "person", Fields: []field.Field{{Key: "name", Label: "Name", Type: field.Text}}}}, vocabulary.Tables)
	for formula, want := range map[string]string{
		`net_total * tax_rate`:                                               "Net total × Tax rate",
		`(net_total + 5) * tax_rate - 1`:                                     "(Net total + 5) × Tax rate − 1",
		`net_total - (tax_rate - 1)`:                                         "Net total − (Tax rate − 1)",
		`sum(lines.amount)`:                                                  "the sum of Amount of the lines",
		`sum(lines[item = "A"].amount) > 100`:                                "the sum of Amount of the lines where (Item is A) is over 100",
		`count(lines)`:                                                       "the number of the lines",
		`country in ("IE", "DK")`:                                            "Country is IE or DK",
		`not(country in ("IE", "DK", "JP"))`:                                 "Country is not IE, DK or JP",
		`country = "IE" and net_total > 100 or blocked`:                      "Country is IE and Net total is over 100 or Blocked",
		`(country = "IE" or blocked) and tax_rate = 0.05`:                    "(Country is IE or Blocked) and Tax rate is 5.0 %",
		`if blocked then net_total / 2 else 0`:                               "Net total ÷ 2 if Blocked, otherwise 0",
		`due > today() and due <= @"2026-12-31"`:                             "Due date is after today and Due date is on or before 2026-12-31",
		`add months(due, 3)`:                                                 "3 months after Due date",
		`due.year = 2026`:                                                    "the year of Due date is 2026",
		`clerk.name = "Moya"`:                                                "Name of Clerk is Moya",
		`is blank(country) or entered.country != stored.country`:             "Country is blank or Country as entered is not Country as last saved",
		`some line in lines satisfies line.amount > 5`:                       "in some line Amount is over 5",
		`every line in lines satisfies line.item = "A" and line.amount >= 0`: "in every line Item is A and Amount is at least 0",
		`some line in lines satisfies is filled(line.item)`:                  "in some line Item is filled",
		`count(lines[is blank(item) or amount > net_total])`:                 "the number of the lines where (Item is blank or Amount is over Net total)",
		`sum(lines.amount[is filled(item)])`:                                 "the sum of Amount of the lines where (Amount is filled)",
		`some a in lines.amount satisfies is filled(a) and a > net_total`:    "in some line Amount is filled and Amount is over Net total",
		`crosswalk("terms", country, "days") > standing.base_limit`:          "Days in Terms for Country is over Base limit (standing)",
		`net_total in [1..5)`:                                                "Net total is from 1 to under 5",
		`net_total in (< 5, > 10)`:                                           "Net total is under 5 or over 10",
		`max(net_total, 5)`:                                                  "the largest of Net total and 5",
		`substring(country, 1, 2) = "IE"`:                                    "the first 2 characters of Country is IE",
		`not(blocked)`:                                                       "not (Blocked)",
		`country = null`:                                                     "Country is blank",
		`blocked = true`:                                                     "Blocked is yes",
		`100 < net_total`:                                                    "Net total is over 100",
		`all(blocked, net_total > 5)`:                                        "(Blocked and Net total is over 5)",
		`round half up(net_total * 0.1, 2)`:                                  "(Net total × 0.1) rounded to 2 places",
		`net_total between 1 and 5 and not(net_total in (2..3])`:             "Net total is between 1 and 5 and Net total is not over 2 to 3",
		`country in ["IE", "DK"] or blocked = null`:                          "Country is IE or DK or Blocked is blank",
		`due - today() > duration("P1D")`:                                    "Due date − today is over 1 day",
		`due > due + duration("P1Y2M")`:                                      "Due date is after Due date + 1 year 2 months",
		`due - due < @"-P2DT1H3M4.5S"`:                                       "Due date − Due date is under −2 days 1 hour 3 minutes 4.5 seconds",
		`due - today() > duration(country)`:                                  "Due date − today is over duration(country)",
		`[1, 2, 3]`:                                                          "1, 2 and 3",
		`for l in lines return l.amount`:                                     "for l in lines return l.amount",
	} {
		program, problems := feel.Compile(formula, v.ScopeOf(0), feel.Lenient)
		require.NoError(t, problems.Errors(), formula)
		words := v.Tell(program, 0, nil, rule.Wording{Kind: &order})
		assert.Equal(t, want, rule.Text(words), formula)
		for _, w := range words {
			require.True(t, 0 <= w.Start && w.Start < w.End && w.End <= len(formula), formula)
			if w.Code {
				assert.Equal(t, formula[w.Start:w.End], w.Text)
			}
		}
	}
	program, _ := feel.Compile(`line.country = country`, v.ScopeOf(7), feel.Strict)
	assert.Equal(t, "Country of the line is Country", rule.Text(v.Tell(program, 7, nil, rule.Wording{Kind: &order})))
	program, _ = feel.Compile(`count(lines[item = line.item]) = 1`, v.ScopeOf(7), feel.Strict)
	assert.Equal(t, "the number of the lines where (Item is Item of this line) is 1", rule.Text(v.Tell(program, 7, nil, rule.Wording{Kind: &order})))
	tied := v.Tell(func() *feel.Program {
		p, _ := feel.Compile(`net_total * tax_rate`, v.ScopeOf(0), feel.Strict)
		return p
	}(), 0, nil, rule.Wording{Kind: &order})
	assert.Equal(t, []rule.Word{{Text: "Net total", Start: 0, End: 9}, {Text: " × ", Start: 0, End: 20}, {Text: "Tax rate", Start: 12, End: 20}}, tied)
}

// A value is typed as people say it: a day in words, a label, a share, a text in quotes, a formula.
func TestATypedValueIsUnderstood(t *testing.T) {
	order := record.Kind{Key: "order", Label: "Order", Plural: "Orders", Fields: []field.Field{
		{Key: "total", Label: "Net total", Type: field.Amount, Digits: 9}, {Key: "rate", Label: "Tax rate", Type: field.Percent, Decimals: 1, Digits: 3},
		{Key: "due", Label: "Due date", Type: field.Date}, {Key: "ordered", Label: "Ordered on", Type: field.Date}, {Key: "note", Label: "Note", Type: field.Text, Length: 40},
		{Key: "country", Label: "Country", Type: field.Choice, Length: 2, Choices: []field.Option{{Code: "IE", Label: "Ireland"}, {Code: "DK", Label: "Denmark"}}},
	}}
	v := rule.NewVocabulary(&order, []record.Kind{order}, vocabulary.Tables)
	german := field.Format{Decimal: ",", Group: ".", Date: "dmy", Separator: "."}
	for _, c := range [][3]string{
		{"due", "today", "today()"}, {"due", "End of next month", "month end(add months(today(), 1))"}, {"due", "30 days after ordered on", "add days(ordered, 30)"},
		{"due", "24.11.2026", `@"2026-11-24"`}, {"due", "Ordered on", "ordered"}, {"due", "add months(ordered, 2)", "add months(ordered, 2)"},
		{"rate", "5%", "0.05"}, {"rate", "2,5 %", "0.025"}, {"total", "1.200,50", "1200.5"}, {"total", "10 % of Net total", "total * 0.1"}, {"total", "total * 2", "total * 2"},
		{"total", "=ROUND(total, 2)", "round half up(total, 2)"}, {"note", "Country", "country"}, {"note", `"Country"`, `"Country"`}, {"note", "hello", `"hello"`},
		{"note", "=country", "country"}, {"country", "Denmark", `"DK"`}, {"country", "ie", `"IE"`},
	} {
		place := order.Index(c[0])
		formula, err := v.Meant(c[1], place, &order.Fields[place], german)
		require.NoError(t, err, c[1])
		assert.Equal(t, c[2], formula, c[1])
	}
	for field, text := range map[string]string{"due": "someday", "total": "much", "rate": "total +"} {
		place := order.Index(field)
		_, err := v.Meant(text, place, &order.Fields[place], german)
		assert.Error(t, err, text)
	}
	one := func(f, relation, value string) rule.Condition {
		return v.Understand(rule.Conditions{Join: "and", Conditions: []rule.Condition{{Field: f, Relation: relation, Values: []string{value}}}}, 0, func(*field.Field, string) bool { return false }).Conditions[0]
	}
	assert.Equal(t, rule.Condition{Field: "country", Relation: "one-of", Values: []string{"IE", "DK"}}, one("country", "is", "IE, DK,"))
	assert.Equal(t, rule.Condition{Field: "due", Relation: "after", Values: []string{}, Other: "ordered"}, one("due", "after", "ordered on"))
	assert.Equal(t, []string{"a, b"}, one("note", "is", "a, b").Values, "a text may hold commas")
	written, err := v.Compose(rule.Conditions{Join: "and", Conditions: []rule.Condition{{Field: "due", Relation: "after", Values: []string{"end of next month"}}}}, 0)
	require.NoError(t, err)
	assert.Equal(t, "due > month end(add months(today(), 1))", written)
	program, problems := feel.Compile(written, v.ScopeOf(0), feel.Strict)
	require.NoError(t, problems.Errors())
	again, holds := v.Decompose(program, 0, true)
	require.True(t, holds)
	assert.Equal(t, []string{"end of next month"}, again.Conditions[0].Values, "the sentence holds it again")
}

// Cases are typed as in a spreadsheet, and read back the same way.
func TestCasesAreTypedAsPeopleWriteThem(t *testing.T) {
	german := field.Format{Decimal: ",", Group: ".", Date: "dmy", Separator: "."}
	place, target := vocabulary.TargetOf("terms")
	typed := feel.Cases{
		Columns: []feel.CaseColumn{{Subject: "country"}, {Subject: "limit"}, {Subject: "rate"}},
		Rows: []feel.Case{
			{Tests: []string{"JP, IE", "over 1.200,5", "-"}, Value: "N45"},
			{Tests: []string{"IE", "100 to 200", "5 %"}, Value: "country"},
			{Tests: []string{`not("JP")`, "blank", "<= 10 %"}, Value: `"N 10"`},
			{Tests: []string{"", "5", ""}, Value: "nothing"},
		},
		Otherwise: "N60",
	}
	meant := vocabulary.MeantCases(typed, place, target, german)
	assert.Equal(t, []feel.Case{
		{Tests: []string{`"JP", "IE"`, "> 1200.5", ""}, Value: `"N45"`},
		{Tests: []string{`"IE"`, "[100..200]", "0.05"}, Value: "country"},
		{Tests: []string{`not("JP")`, "= null", "<= 0.1"}, Value: `"N 10"`},
		{Tests: []string{"", "5", ""}, Value: "null"},
	}, meant.Rows)
	assert.Equal(t, `"N60"`, meant.Otherwise)
	formula, err := meant.Formula()
	require.NoError(t, err)
	program, problems := feel.Compile(formula, vocabulary.ScopeOf(place), feel.Strict)
	require.NoError(t, problems.Errors())
	again, ok := program.Cases()
	require.True(t, ok)
	shown := vocabulary.ShownCases(again, place, target, rule.Wording{Show: rule.Written(german)})
	assert.Equal(t, []string{"JP, IE", "> 1.200,5", ""}, shown.Rows[0].Tests)
	assert.Equal(t, []string{"IE", "100 to 200", "5,0 %"}, shown.Rows[1].Tests)
	assert.Equal(t, "N60", shown.Otherwise)
	assert.Equal(t, meant.Rows, vocabulary.MeantCases(shown, place, target, german).Rows, "what is shown can be typed")
	assert.Equal(t, "Credit limit", vocabulary.SubjectWords("limit", place, rule.Wording{}))
}

// What is wrong with the formulas of a rule is said as its writer understands it, each with a
// correction that the part takes; the rest stays as it is.
func TestTheProblemsOfARuleAreAdvised(t *testing.T) {
	c := compile(rule.Default, "terms", `=country<>"JP"`, rule.Effect{Value: `IF(limit>1,5;"N30";"N45")`})
	require.False(t, c.Sound())
	said := map[string]string{}
	for _, p := range c.Advised() {
		said[p.Part] = p.Message + " → " + p.Suggestion
	}
	assert.Contains(t, said["when"], `a formula begins without =; <> is written != → `)
	assert.Contains(t, said["value"], `if limit > 1.5 then "N30" else "N45"`)
	assert.Contains(t, said["lifetime"], "new only")
	sound := compile(rule.Default, "terms", "", rule.Effect{Value: `"N30"`, Lifetime: rule.NewOnly})
	assert.Empty(t, sound.Advised())
	// A correction of another type than the part is none.
	number := compile(rule.Default, "terms", "", rule.Effect{Value: `=limit*2`, Lifetime: rule.NewOnly})
	assert.Empty(t, number.Advised()[0].Suggestion)
}
