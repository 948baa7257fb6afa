package judge_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"codicil/core/engine"
	"codicil/core/feel"
	"codicil/core/field"
	"codicil/core/judge"
	"codicil/core/plan"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/core/table"
)

var kind = record.Kind{Key: "order", Label: "Order", Plural: "Orders", Day: "ordered_on", Fields: []field.Field{
	{Key: "ordered_on", Label: "Ordered on", Type: field.Date}, {Key: "reference", Label: "Reference", Type: field.Text}, {Key: "made_on", Label: "Made on", Type: field.Date},
	{Key: "clerk", Label: "Clerk", Type: field.Text}, {Key: "lines.item", Label: "Item", Type: field.Text}, {Key: "lines.count", Label: "Count", Type: field.Number},
}}

const today = record.Day("2026-11-24")

// gives is a default rule in force.
func gives(id int64, target, value string, change ...func(*rule.Rule)) rule.Rule {
	r := rule.Rule{ID: id, Version: 1, State: rule.InForce, Body: rule.Body{Kind: "order", Family: rule.Default, Target: target, On: rule.Occasions{New: true, Change: true}, Effect: rule.Effect{Lifetime: rule.NewOnly, Value: value}}}
	for _, c := range change {
		c(&r)
	}
	return r
}

func from(day record.Day) func(*rule.Rule) { return func(r *rule.Rule) { r.Scope.From = day } }

func until(day record.Day) func(*rule.Rule) { return func(r *rule.Rule) { r.Scope.Until = day } }

func circumstances(rules ...rule.Rule) *judge.Circumstances {
	return &judge.Circumstances{
		Book: plan.NewBook(&kind, nil, &table.Set{}, rules), Today: today, User: "Ada", Moment: rule.Saving,
		Scope: func(company, kindType string, day record.Day) (plan.Scope, error) {
			return plan.Scope{Company: &record.Company{Key: company, Currency: "EUR"}, Type: &record.Type{Key: kindType}, Day: day}, nil
		},
		Now: func(day record.Day) feel.Value {
			return judge.ReadLiteral(`date and time("` + string(day) + `T12:00:00")`)
		},
	}
}

func order(values map[string]string) *judge.Document {
	d := &judge.Document{Kind: "order", Company: "10", Type: "SO", Entered: map[string]judge.Item{}}
	for key, value := range values {
		d.Entered[key] = judge.Item{Value: value}
	}
	return d
}

// finals are the values of the header that came out, in stored form, without blanks.
func finals(t *testing.T, d *judge.Document, c *judge.Circumstances) (map[string]string, *judge.Judged) {
	t.Helper()
	j, err := judge.Judge(d, c)
	require.NoError(t, err)
	return j.Content("Ada", "").Values, j
}

func TestTheDayOfADocumentChoosesItsRulesAndTodayIsAnother(t *testing.T) {
	c := circumstances(gives(1, "reference", `"Y2026"`, until("2026-12-31")), gives(2, "reference", `"Y2027"`, from("2027-01-01")), gives(3, "made_on", "today()"))
	for _, test := range []struct {
		what            string
		day             record.Day // the day on which the work is taken to be done
		ordered         string
		reference, made string
		of              record.Day
	}{
		{"without a date it is that of the work", "", "", "Y2026", "2026-11-24", today},
		{"its own date counts", "", "2027-02-15", "Y2027", "2026-11-24", "2027-02-15"},
		{"as if today were another day", "2027-03-01", "", "Y2027", "2027-03-01", "2027-03-01"},
		{"its own date counts then too", "2027-03-01", "2026-12-31", "Y2026", "2027-03-01", "2026-12-31"},
	} {
		d := order(map[string]string{})
		d.Day = test.day
		if test.ordered != "" {
			d.Entered["ordered_on"] = judge.Item{Value: test.ordered}
		}
		got, j := finals(t, d, c)
		assert.Equal(t, [2]string{test.reference, test.made}, [2]string{got["reference"], got["made_on"]}, test.what)
		assert.Equal(t, test.of, j.Plan.Scope.Day, test.what)
	}
	typed := order(nil)
	typed.Entered["ordered_on"] = judge.Item{Typed: "15/02/2027"}
	typed.Format = &field.Format{Decimal: ".", Group: ",", Date: "dmy", Separator: "/"}
	got, _ := finals(t, typed, c)
	assert.Equal(t, "Y2027", got["reference"], "a date as typed is read in the format of the person")
}

func TestADayThatARuleMovesIsJudgedByWhereItComesToRest(t *testing.T) {
	c := circumstances(gives(1, "ordered_on", `@"2027-01-05"`), gives(2, "reference", `"Y2027"`, from("2027-01-01")))
	got, j := finals(t, order(nil), c)
	assert.Equal(t, map[string]string{"ordered_on": "2027-01-05", "reference": "Y2027"}, got)
	assert.Equal(t, engine.Accepted, j.Outcome.Verdict)

	c = circumstances(gives(1, "ordered_on", `@"2027-01-05"`, until("2026-12-31")), gives(2, "ordered_on", `@"2026-01-05"`, from("2027-01-01")))
	_, j = finals(t, order(nil), c)
	assert.Equal(t, engine.Refused, j.Outcome.Verdict)
	last := j.Outcome.Messages[len(j.Outcome.Messages)-1]
	assert.Equal(t, "day-moves", last.Code)
	assert.Contains(t, last.Text, "Change rule 1 and rule 2")
}

// counter gives 1, 2, 3 to one passage of a document.
type counter struct{ last int }

func (c *counter) Next(s *table.Series, p table.Place) (string, error) {
	c.last++
	return s.Format(int64(c.last), p, nil)
}

func TestADocumentThatIsJudgedAgainGetsTheSameNumber(t *testing.T) {
	tables := &table.Set{Series: []table.Series{{Key: "k", Label: "K", Start: 1, Step: 1, Parts: []table.Part{{Is: table.Counter, Digits: 3}}}}}
	numbered := gives(2, "reference", "")
	numbered.Effect.Series = "k"
	c := circumstances()
	c.Book = plan.NewBook(&kind, nil, tables, []rule.Rule{gives(1, "ordered_on", `@"2027-01-05"`), numbered})
	c.Numbers = func() engine.Numbers { return &counter{} }
	got, _ := finals(t, order(nil), c)
	assert.Equal(t, "001", got["reference"])
}

func TestAChangeOnTopOfTheBookActsAsItStands(t *testing.T) {
	c := circumstances(gives(1, "reference", `"old"`))
	changed := gives(1, "reference", `"new"`)
	fresh := gives(0, "clerk", `"MOYA"`)
	fresh.State = rule.Draft
	d := order(nil)
	d.Changes = &plan.Changes{Rules: []rule.Rule{changed, fresh}}
	got, j := finals(t, d, c)
	assert.Equal(t, map[string]string{"reference": "new", "clerk": "MOYA"}, got)
	assert.Equal(t, record.ByRule(1, 1), j.Content("Ada", "").Origins["reference"])
	got, _ = finals(t, order(nil), c)
	assert.Equal(t, map[string]string{"reference": "old"}, got, "the book is as it was")
	// A rule that has moved on is past the change.
	kept := gives(1, "reference", `"later"`)
	kept.Version = 2
	got, _ = finals(t, d, circumstances(kept))
	assert.Equal(t, "later", got["reference"])
}

func TestALineThatSaysNothingAtTheEndIsNoLine(t *testing.T) {
	d := order(nil)
	line := func(number int, item string) judge.Line {
		l := judge.Line{Number: number, Entered: map[string]judge.Item{}}
		if item != "" {
			l.Entered["item"] = judge.Item{Value: item}
		}
		return l
	}
	d.Lines = []judge.Line{line(1, ""), line(2, "Salt"), line(3, ""), line(4, "")}
	j, err := judge.Judge(d, circumstances(gives(1, "lines.count", "1")))
	require.NoError(t, err)
	var numbers []int
	for _, l := range j.Outcome.Lines {
		numbers = append(numbers, l.Number)
	}
	assert.Equal(t, []int{1, 2}, numbers)
}

func TestTheFactsThatADocumentStatesAreNamed(t *testing.T) {
	d := order(map[string]string{"reference": "x"})
	assert.Empty(t, d.Facts())
	d.User, d.Fixtures, d.Stored = "Bo", &judge.Fixtures{}, map[string]string{}
	d.Previous = &record.Content{}
	d.Changes = &plan.Changes{Rules: []rule.Rule{gives(1, "clerk", `"X"`)}}
	assert.Equal(t, []string{"carried", "changes", "previous", "stored", "user"}, d.Facts())
}

func TestWhatDoesNotExistIsAnError(t *testing.T) {
	d := order(map[string]string{"nobody": "x"})
	_, err := judge.Judge(d, circumstances())
	assert.ErrorContains(t, err, "nobody")
	d = order(nil)
	d.Day = "24.11.2026"
	_, err = judge.Judge(d, circumstances())
	assert.Error(t, err)
}

// What stands in for a table goes before what a proof carries, on the days that it is about and
// nowhere else.
func TestWhatStandsInForATableGoesBeforeWhatIsCarried(t *testing.T) {
	kind := record.Kind{Key: "vendor", Label: "Vendor", Fields: []field.Field{{Key: "code", Label: "Code", Type: field.Text}, {Key: "freight", Label: "Freight", Type: field.Number}, {Key: "days", Label: "Days", Type: field.Number}}}
	tables := &table.Set{
		Standing:   []table.Standing{{Field: field.Field{Key: "freight", Label: "Freight", Type: field.Number}, Periods: []table.StandingValue{{Value: "5"}}}},
		Crosswalks: []table.Crosswalk{{Key: "days", Label: "Days", Keys: []field.Field{{Key: "code", Label: "Code", Type: field.Text}}, Results: []field.Field{{Key: "days", Label: "Days", Type: field.Number}}, Rows: []table.Row{{Keys: []string{"A"}, Results: []string{"1"}}}}},
	}
	compute := func(id int64, target, value string) rule.Rule {
		return rule.Rule{ID: id, State: rule.InForce, Body: rule.Body{Family: rule.Compute, Target: target, On: rule.Occasions{New: true}, Effect: rule.Effect{Value: value}}}
	}
	c := judge.Circumstances{
		Book: plan.NewBook(&kind, nil, tables, []rule.Rule{compute(1, "freight", "standing.freight"), compute(2, "days", `crosswalk("days", code)`)}), Today: "2026-11-24",
		Scope: func(string, string, record.Day) (plan.Scope, error) {
			return plan.Scope{Company: &record.Company{Key: "10"}, Type: &record.Type{Key: "TRAD"}, Day: "2026-11-24"}, nil
		},
		Now: func(record.Day) feel.Value { return feel.NullValue },
	}
	d := judge.Document{Kind: "vendor", Company: "10", Type: "TRAD", Entered: map[string]judge.Item{"code": {Value: "A"}},
		Fixtures: &judge.Fixtures{Standing: map[string]string{"freight": "7"}, Lookups: []judge.Lookup{{Crosswalk: "days", Keys: []string{`"A"`}, Column: "days", Value: "3"}}}}
	came := func() [2]string {
		j, err := judge.Judge(&d, &c)
		require.NoError(t, err)
		return [2]string{field.Write(j.Outcome.Fields[1].Final), field.Write(j.Outcome.Fields[2].Final)}
	}
	assert.Equal(t, [2]string{"7", "3"}, came(), "as it is carried")
	c.Instead = &judge.Instead{
		Standing: func(company string, day record.Day) map[string]feel.Value {
			if company != "10" || day != "2026-11-24" {
				return nil
			}
			return map[string]feel.Value{"freight": feel.IntegerOf(8)}
		},
		Lookup: func(name string, keys []feel.Value, column string, _ record.Day) (feel.Value, bool) {
			return feel.IntegerOf(4), name == "days" && field.Write(keys[0]) == "A" && column == "days"
		},
	}
	assert.Equal(t, [2]string{"8", "4"}, came())
	d.Entered = map[string]judge.Item{"code": {Value: "B"}}
	assert.Equal(t, [2]string{"8", ""}, came(), "another row is as it was: there is none")
}
