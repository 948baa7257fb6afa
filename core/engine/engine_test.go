package engine_test

import (
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"os"
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

var kind = record.Kind{Key: "vendor", Label: "Vendor", Plural: "Vendors", Fields: []field.Field{
	{Key: "name", Label: "Name", Type: field.Text},
	{Key: "country", Label: "Country", Type: field.Text, Length: 2},
	{Key: "tax", Label: "Tax number", Type: field.Text},
	{Key: "terms", Label: "Payment terms", Type: field.Text, Length: 10},
	{Key: "limit", Label: "Credit limit", Type: field.Amount, Currency: "currency"},
	{Key: "currency", Label: "Currency", Type: field.Text, Length: 3},
	{Key: "block", Label: "Payment block", Type: field.YesNo},
	{Key: "begins", Label: "Agreement begins", Type: field.Date},
	{Key: "ends", Label: "Agreement ends", Type: field.Date},
	{Key: "parent", Label: "Parent", Type: field.Link, Kind: "vendor"},
}}

var companies = map[string]*record.Company{
	"10": {Key: "10", Name: "Salt Works", Country: "IE", Currency: "EUR"},
	"30": {Key: "30", Name: "Kaisan", Country: "JP", Currency: "JPY"},
}

// given is a rule as the cases write it.
type given struct {
	ID                        int64
	Family                    rule.Family
	Target, When              string
	Companies, Types, Changed []string
	From, Until               record.Day
	Priority                  int
	State                     rule.State
	On                        *rule.Occasions
	effect
}

// effect is written beside the rest, as it has no reading of its own.
type effect rule.Effect

func (g given) rule() rule.Rule {
	r := rule.Rule{ID: g.ID, Version: 1, State: rule.InForce, Body: rule.Body{
		Kind: "vendor", Family: g.Family, Target: g.Target, When: g.When, Effect: rule.Effect(g.effect), Priority: g.Priority,
		Scope: rule.Scope{Companies: g.Companies, Types: g.Types, From: g.From, Until: g.Until},
		On:    rule.Occasions{New: true, Change: true},
	}}
	if g.On != nil {
		r.On = *g.On
	}
	if g.State != "" {
		r.State = g.State
	}
	return r
}

type journey struct {
	Name, Company, Type, Loop string
	Day                       record.Day
	Moment                    rule.Moment
	Rules                     []given
	Entered, Stored           map[string]string
	Origins                   record.Origins
	Derive                    []string
	Reasons                   map[int64]string
	Final, Made               map[string]string
	Did                       map[int64]string
	Verdict                   engine.Verdict
	Messages                  []string
}

func (j journey) prepare(t testing.TB, rules []rule.Rule) (*plan.Plan, *engine.Case) {
	t.Helper()
	company, day := companies[j.Company], j.Day
	if company == nil {
		company = companies["10"]
	}
	if day == "" {
		day = "2026-11-24"
	}
	book := plan.NewBook(&kind, []record.Kind{kind}, &table.Set{}, rules)
	for _, c := range book.Rules {
		require.True(t, c.Sound(), "%v", c.Problems)
	}
	d := judge.Document{Kind: "vendor", Company: company.Key, Type: j.Type, Day: day, Entered: map[string]judge.Item{}, Stored: j.Stored, StoredOrigins: j.Origins, Reasons: j.Reasons}
	for key, text := range j.Entered {
		d.Entered[key] = judge.Item{Typed: text}
	}
	for _, key := range j.Derive {
		d.Entered[key] = judge.Item{Derive: true}
	}
	if j.Moment == "" {
		j.Moment = rule.Posting
	}
	return caseOf(t, &d, judge.Circumstances{Book: book, User: "Ada", Moment: j.Moment})
}

// caseOf is the plan and the case with which a document is judged.
func caseOf(t testing.TB, d *judge.Document, c judge.Circumstances) (p *plan.Plan, engaged *engine.Case) {
	t.Helper()
	c.Scope = func(company, kindType string, day record.Day) (plan.Scope, error) {
		return plan.Scope{Company: companies[company], Type: &record.Type{Key: kindType}, Day: day}, nil
	}
	c.Now = func(record.Day) feel.Value { return judge.ReadLiteral(`@"2026-11-24T23:59:00"`) }
	c.Watch = func(with *plan.Plan, made *engine.Case) { p, engaged = with, made }
	_, err := judge.Judge(d, &c)
	require.NoError(t, err)
	return p, engaged
}

func journeys(t testing.TB) (list []journey) {
	t.Helper()
	text, err := os.ReadFile("testdata/journeys.json")
	require.NoError(t, err)
	require.NoError(t, json.Unmarshal(text, &list))
	return list
}

func rulesOf(j journey) (rules []rule.Rule) {
	for _, g := range j.Rules {
		rules = append(rules, g.rule())
	}
	return rules
}

func TestJourneys(t *testing.T) {
	for _, j := range journeys(t) {
		t.Run(j.Name, func(t *testing.T) {
			p, c := j.prepare(t, rulesOf(j))
			out := engine.Run(p, c, true)
			assert.Equal(t, j.Verdict, out.Verdict)
			for key, want := range j.Final {
				assert.Equal(t, want, field.Write(out.Fields[kind.Index(key)].Final), key)
			}
			for key, want := range j.Made {
				assert.Equal(t, want, out.Fields[kind.Index(key)].Made, key)
			}
			did := map[int64]string{}
			for _, f := range out.Fields {
				for _, a := range f.Rules {
					did[a.Rule.ID] = a.Did
				}
			}
			for id, want := range j.Did {
				assert.Equal(t, want, did[id], "rule %d", id)
			}
			if j.Loop != "" {
				require.NotNil(t, p.Loop)
				assert.Equal(t, j.Loop, p.Loop.Describe(&kind))
				return
			}
			messages := []string{}
			for i := range out.Messages {
				m := &out.Messages[i]
				messages = append(messages, fmt.Sprintf("%s %s: %s", m.Severity, m.Key(&kind), m.Text))
			}
			assert.ElementsMatch(t, append([]string{}, j.Messages...), messages)
		})
	}
}

// The order in which rules were written never matters, and leaving out the
// detail never changes an outcome.
func TestOutcomesDoNotDependOnTheOrderOfRules(t *testing.T) {
	random := rand.New(rand.NewPCG(1, 2))
	for _, j := range journeys(t) {
		rules := rulesOf(j)
		p, c := j.prepare(t, rules)
		want := engine.Run(p, c, false)
		for range 10 {
			random.Shuffle(len(rules), func(a, b int) { rules[a], rules[b] = rules[b], rules[a] })
			p, c := j.prepare(t, rules)
			got := engine.Run(p, c, true)
			assert.Equal(t, want.Verdict, got.Verdict, j.Name)
			for i := range want.Fields {
				assert.True(t, feel.Same(want.Fields[i].Final, got.Fields[i].Final), "%s: %s", j.Name, kind.Fields[i].Key)
			}
		}
	}
}

func TestTheTraceTellsTheValuesThatDecided(t *testing.T) {
	j := journey{Entered: map[string]string{"country": "JP", "limit": "150"}, Rules: []given{
		{ID: 3, Family: rule.Substitute, Target: "terms", When: `country = "JP" and limit > 120`, effect: effect{Value: `"N45"`}},
		{ID: 4, Family: rule.Substitute, Target: "terms", Priority: 5, effect: effect{Value: `"N30"`}},
	}}
	p, c := j.prepare(t, rulesOf(j))
	acts := engine.Run(p, c, true).Fields[kind.Index("terms")].Rules
	require.Len(t, acts, 2)
	facts := map[string]string{}
	for _, f := range acts[0].Facts {
		facts[f.Text] = f.Value.String()
	}
	assert.Equal(t, "150", facts["limit"])
	assert.Equal(t, "true", facts["limit > 120"])
	assert.Equal(t, `"N45"`, acts[0].After.String())
	assert.Equal(t, engine.Beaten, acts[1].Did)
	assert.EqualValues(t, 3, acts[1].By.ID)
}
