package engine_test

import (
	"fmt"
	"slices"
	"testing"

	"pgregory.net/rapid"

	"codicil/core/engine"
	"codicil/core/feel"
	"codicil/core/plan"
	"codicil/core/rule"
)

// book draws rules at random: on every station, with and without conditions,
// over all scopes. Conditions read what was entered, so that there is no loop.
func book(t *rapid.T) []given {
	conditions := []string{"", `entered.country = "JP"`, `entered.limit > 100`, `is blank(entered.name)`, `entered.limit / 0 > 1`, `null`}
	return rapid.SliceOfN(rapid.Custom(func(t *rapid.T) given {
		g := given{
			Family: rapid.SampledFrom(rule.Families[:rule.FollowUp.Station()]).Draw(t, "family"), Target: rapid.SampledFrom([]string{"name", "terms", "tax"}).Draw(t, "target"),
			When: rapid.SampledFrom(conditions).Draw(t, "when"), Priority: rapid.IntRange(1, 3).Draw(t, "priority"),
			Companies: rapid.SampledFrom([][]string{nil, {"10"}, {"30"}}).Draw(t, "companies"), Types: rapid.SampledFrom([][]string{nil, {"TRAD"}}).Draw(t, "types"),
			On: &rule.Occasions{New: rapid.Bool().Draw(t, "new"), Change: true},
		}
		g.effect = effect{
			Need:     rapid.SampledFrom([]rule.Need{"", rule.Required, rule.Optional}).Draw(t, "need"),
			Access:   rapid.SampledFrom([]rule.Access{"", rule.Open, rule.ReadOnly, rule.Hidden}).Draw(t, "access"),
			Lifetime: rapid.SampledFrom([]rule.Lifetime{rule.NewOnly, rule.WheneverBlank, rule.KeepsUp}).Draw(t, "lifetime"),
			Value:    rapid.SampledFrom([]string{`"A"`, `"B"`, `entered.country`}).Draw(t, "value"),
			Mode:     rapid.SampledFrom([]rule.SourceMode{rule.Copied, rule.Live}).Draw(t, "tie"), Fixed: rapid.Bool().Draw(t, "fixed"),
			Must: `entered.limit < 500`, Message: "m", Severity: rapid.SampledFrom([]rule.Severity{rule.Refuse, rule.Confirm, rule.Advise}).Draw(t, "severity"),
		}
		if g.Family == rule.Entry {
			switch {
			case g.Access == rule.ReadOnly || g.Access == rule.Hidden:
				g.Need = ""
			case g.Access == "" && g.Need == "":
				g.Need = rule.Required
			}
		}
		if g.Family == rule.Source {
			g.Value = "parent.name"
		}
		return g
	}), 0, 12).Draw(t, "rules")
}

// drawn is a document and its rules at random.
func drawn(rt *rapid.T) journey {
	j := journey{Company: rapid.SampledFrom([]string{"10", "30"}).Draw(rt, "company"), Type: rapid.SampledFrom([]string{"TRAD", "SERV"}).Draw(rt, "type"), Rules: book(rt), Entered: map[string]string{}}
	for i := range j.Rules {
		j.Rules[i].ID = int64(i + 1)
	}
	for key, texts := range map[string][]string{"country": {"", "JP"}, "limit": {"", "50", "700"}, "name": {"", "Salt"}, "terms": {"", "N30"}} {
		j.Entered[key] = rapid.SampledFrom(texts).Draw(rt, key)
	}
	if rapid.Bool().Draw(rt, "saved") {
		j.Stored = map[string]string{"name": "Old", "tax": "IE1"}
	}
	return j
}

// Whatever the rules: without one that touched nothing the outcome is the same, to the last message; and what is upstream of it
// is enough to tell.
func TestARuleThatTouchesNothingDecidesNothing(t *testing.T) {
	untouched := 0
	rapid.Check(t, func(rt *rapid.T) {
		j := drawn(rt)
		p, c := j.prepare(t, rulesOf(j))
		out := engine.Run(p, c, false)
		for i, g := range j.Rules {
			if part := engine.Run(p.Upstream(standing(p, g.ID)...), c, false); part.Touched(g.ID) != out.Touched(g.ID) {
				rt.Fatalf("upstream of rule %d it is told that it touches something: %t; as a whole %t", g.ID, part.Touched(g.ID), out.Touched(g.ID))
			}
			if out.Touched(g.ID) {
				continue
			}
			untouched++
			without := j
			without.Rules = slices.Delete(slices.Clone(j.Rules), i, i+1)
			p, c := without.prepare(t, rulesOf(without))
			now := engine.Run(p, c, false)
			if now.Verdict != out.Verdict || len(now.Messages) != len(out.Messages) {
				rt.Fatalf("without rule %d the verdict is %s, with it %s", g.ID, now.Verdict, out.Verdict)
			}
			for m := range now.Messages {
				if now.Messages[m].Text != out.Messages[m].Text || now.Messages[m].Severity != out.Messages[m].Severity {
					rt.Fatalf("without rule %d it says %q, with it %q", g.ID, now.Messages[m].Text, out.Messages[m].Text)
				}
			}
			for f := range now.Fields {
				a, b := &now.Fields[f], &out.Fields[f]
				if !feel.Same(a.Final, b.Final) || a.Need != b.Need || a.Access != b.Access || a.Made != b.Made || a.Origin != b.Origin {
					rt.Fatalf("without rule %d %s is %v, with it %v", g.ID, kind.Fields[f].Key, a.Final, b.Final)
				}
			}
		}
	})
	if untouched == 0 {
		t.Fatal("no rule was ever without effect")
	}
}

// standing is a rule as it stands in a plan; nothing where it does not.
func standing(p *plan.Plan, id int64) (rules []*rule.Compiled) {
	for place := range kind.Fields {
		for _, family := range rule.Families {
			for _, c := range p.At(place, family) {
				if c.ID == id && len(rules) == 0 {
					rules = append(rules, c)
				}
			}
		}
	}
	return rules
}

// Whatever the rules: at most one acts at a station; it is the first in the order
// of scopes whose condition holds; every rule of the plan is accounted for once;
// the trace changes nothing; and a refusal, a failure or a missing reason is
// always in the verdict.
func TestTheInvariantsOfAJourney(t *testing.T) {
	rapid.Check(t, func(rt *rapid.T) {
		j := drawn(rt)
		p, c := j.prepare(t, rulesOf(j))
		out := engine.Run(p, c, true)
		quiet := engine.Run(p, c, false)
		if out.Verdict != quiet.Verdict || len(out.Messages) != len(quiet.Messages) {
			rt.Fatalf("with detail %s, without %s", out.Verdict, quiet.Verdict)
		}
		for i, f := range out.Fields {
			if !feel.Same(f.Final, quiet.Fields[i].Final) {
				rt.Fatalf("detail changes %s", kind.Fields[i].Key)
			}
			told := map[int64]bool{}
			for _, family := range rule.Families {
				acted := 0
				for at, a := range f.Rules {
					if a.Rule.Family != family {
						continue
					}
					if told[a.Rule.ID] {
						rt.Fatalf("rule %d is told twice", a.Rule.ID)
					}
					told[a.Rule.ID] = true
					if a.Did == engine.Acted {
						acted++
					}
					hadTheTurn := func(o engine.Act) bool {
						return o.Rule == a.By && o.Did != engine.WhenNotTrue && o.Did != engine.OtherOccasion && o.Did != engine.Beaten
					}
					if a.Did == engine.Beaten && !slices.ContainsFunc(f.Rules[:at], hadTheTurn) {
						rt.Fatalf("rule %d is beaten by one that had no turn", a.Rule.ID)
					}
				}
				if acted > 1 && family != rule.Entry {
					rt.Fatalf("%d rules act at %s of %s", acted, family, kind.Fields[i].Key)
				}
			}
			for aspect, met := range []string{string(f.Need), string(f.Access)} {
				for _, a := range f.Rules {
					said := []string{string(a.Rule.Effect.Need), string(a.Rule.Effect.Access)}[aspect]
					if a.Rule.Family != rule.Entry || said == "" || (a.Did != engine.Acted && a.Did != engine.Failed) {
						continue
					}
					if a.Did == engine.Acted && said != met && aspect == 0 {
						rt.Fatalf("%s is %q, though rule %d came first and says %q", kind.Fields[i].Key, met, a.Rule.ID, said)
					}
					break // the first that says something decides
				}
			}
			standing := 0
			for _, family := range rule.Families {
				standing += len(p.At(i, family))
			}
			if standing != len(told) {
				rt.Fatalf("%d rules stand at %s, %d are told", standing, kind.Fields[i].Key, len(told))
			}
		}
		want := engine.Accepted
		for _, m := range out.Messages {
			if m.Severity == rule.Refuse {
				want = engine.Refused
			} else if m.Severity == rule.Confirm && want == engine.Accepted {
				want = engine.NeedsReason
			}
		}
		if out.Verdict != want {
			rt.Fatalf("verdict %s with messages %s", out.Verdict, fmt.Sprint(out.Messages))
		}
	})
}
