package plan_test

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"codicil/core/field"
	"codicil/core/plan"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/core/table"
)

func kindOf(fields int) *record.Kind {
	k := &record.Kind{Key: "vendor", Label: "Vendor"}
	for i := range fields {
		k.Fields = append(k.Fields, field.Field{Key: fmt.Sprintf("f%d", i), Label: fmt.Sprintf("F%d", i), Type: field.Text})
	}
	return k
}

func substitute(id int64, target, value string) rule.Rule {
	return rule.Rule{ID: id, State: rule.InForce, Body: rule.Body{Family: rule.Substitute, Target: target, Effect: rule.Effect{Value: value}, On: rule.Occasions{New: true}}}
}

var here = plan.Scope{Company: &record.Company{Key: "10"}, Type: &record.Type{Key: "TRAD"}, Day: "2026-11-24"}

func TestFieldsComeAfterThoseTheirRulesRead(t *testing.T) {
	book := plan.NewBook(kindOf(4), nil, &table.Set{}, []rule.Rule{substitute(1, "f0", "f1 + f3"), substitute(2, "f1", "f3"), substitute(3, "f3", "f2")})
	p := plan.Build(book, here)
	require.Nil(t, p.Loop)
	assert.Equal(t, []int{2, 3, 1, 0}, p.Order)
}

func TestRulesTakeTheirPlacesTogetherAsOneAfterTheOther(t *testing.T) {
	book := plan.NewBook(kindOf(3), nil, &table.Set{}, []rule.Rule{substitute(1, "f0", `"a"`), substitute(2, "f1", `"b"`), substitute(3, "f2", `"c"`)})
	changes := []rule.Rule{substitute(5, "f1", `"d"`), substitute(2, "f2", `"e"`), substitute(5, "f0", `"f"`), substitute(4, "f0", `"g"`)}
	one := book
	for _, r := range changes {
		one = one.Put(r)
	}
	said := func(b *plan.Book) (all []string) {
		for _, c := range b.Rules {
			all = append(all, fmt.Sprint(c.ID, c.Target, c.Effect.Value))
		}
		return all
	}
	assert.Equal(t, []string{`1f0"a"`, `2f2"e"`, `3f2"c"`, `5f0"f"`, `4f0"g"`}, said(book.Put(changes...)))
	assert.Equal(t, said(one), said(book.Put(changes...)))
	assert.Len(t, book.Rules, 3, "the book itself stays")
}

func TestALoopIsReportedWithItsPathOnly(t *testing.T) {
	book := plan.NewBook(kindOf(5), nil, &table.Set{}, []rule.Rule{substitute(1, "f0", "f1"), substitute(2, "f1", "f2"), substitute(3, "f2", "f3"), substitute(4, "f3", "f1")})
	p := plan.Build(book, here)
	require.NotNil(t, p.Loop)
	assert.Equal(t, "F1 (rule 2) → F2 (rule 3) → F3 (rule 4) → F1", p.Loop.Describe(p.Kind()))
	assert.Len(t, p.Order, 5, "the plan still lists every field once")
}

func TestOnlySoundRulesInForceStandInThePlan(t *testing.T) {
	draft, unsound, elsewhere := substitute(1, "f0", `"a"`), substitute(2, "f0", "nope"), substitute(3, "f0", `"c"`)
	draft.State = rule.Draft
	elsewhere.Scope.Companies = []string{"20"}
	book := plan.NewBook(kindOf(1), nil, &table.Set{}, []rule.Rule{draft, unsound, elsewhere, substitute(4, "f0", `"d"`)})
	candidates := plan.Build(book, here).At(0, rule.Substitute)
	require.Len(t, candidates, 1)
	assert.EqualValues(t, 4, candidates[0].ID)

	tried := plan.Build(book.With(draft), here).At(0, rule.Substitute)
	assert.Len(t, tried, 2, "a rule that is tried acts before it is in force")
	assert.Len(t, plan.Build(book, here).At(0, rule.Substitute), 1, "and leaves the book as it was")
}

func BenchmarkPlanFromTenThousandRules(b *testing.B) {
	var rules []rule.Rule
	for i := range 10000 {
		r := substitute(int64(i+1), fmt.Sprintf("f%d", i%30), `"x"`)
		r.When = fmt.Sprintf(`f%d = "y" and f%d != "z"`, (i+1)%30+30, (i+2)%30+30)
		r.Scope.Companies = []string{fmt.Sprint(i % 50 * 10)}
		rules = append(rules, r)
	}
	book := plan.NewBook(kindOf(60), nil, &table.Set{}, rules)
	b.ResetTimer()
	for range b.N {
		plan.Build(book, here)
	}
}
