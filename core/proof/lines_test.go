package proof_test

import (
	"fmt"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"codicil/core/engine"
	"codicil/core/feel"
	"codicil/core/field"
	"codicil/core/judge"
	"codicil/core/plan"
	"codicil/core/proof"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/core/table"
)

var (
	customerKind = record.Kind{Key: "customer", Label: "Customer", Shared: true, Sections: []record.Section{{Key: "general", Label: "General"}}, Fields: []field.Field{
		{Key: "name", Label: "Name", Type: field.Text}, {Key: "terms", Label: "Payment terms", Type: field.Text}, {Key: "used", Label: "Credit used", Type: field.Amount},
	}}
	orderKind = record.Kind{Key: "order", Label: "Order", Posted: true, Sections: []record.Section{{Key: "general", Label: "General"}, {Key: "lines", Label: "Lines"}}, Fields: []field.Field{
		{Key: "customer", Label: "Customer", Type: field.Link, Kind: "customer"}, {Key: "terms", Label: "Payment terms", Type: field.Text}, {Key: "total", Label: "Total", Type: field.Amount},
		{Key: "lines.item", Label: "Item", Type: field.Text, Section: "lines"}, {Key: "lines.quantity", Label: "Quantity", Type: field.Number, Section: "lines"},
		{Key: "lines.price", Label: "Price", Type: field.Amount, Section: "lines"}, {Key: "lines.amount", Label: "Amount", Type: field.Amount, Section: "lines"},
	}}
)

// customers are linked records by number and field.
type customers map[string]map[string]string

func (c customers) Follow(_, key, field string) feel.Value {
	v, _ := customerKind.Field(field).Parse(c[key][field])
	return v
}

func (c customers) Now(_, key string) string { return key }

func (c customers) Missing(_, key string) string {
	if c[key] == nil {
		return "there is no customer " + key
	}
	return ""
}

// orders runs proofs of orders of customers against rules.
func orders(t require.TestingT, linked customers, bodies ...rule.Body) *proof.Runner {
	var rules []rule.Rule
	for i, b := range bodies {
		if b.On == (rule.Occasions{}) {
			b.On = both
		}
		rules = append(rules, rule.Rule{ID: int64(i + 1), State: rule.InForce, Body: b})
	}
	book := plan.NewBook(&orderKind, []record.Kind{customerKind, orderKind}, &table.Set{}, rules)
	for _, c := range book.Rules {
		require.True(t, c.Sound(), "%v", c.Problems)
	}
	r := runnerOf(book)
	alone := r.Facts
	r.Facts = func(company string) (judge.Circumstances, func() error) {
		setting, failed := alone(company)
		if linked != nil {
			setting.Linked = linked
		}
		return setting, failed
	}
	return r
}

// ordered is an order with lines: "item=I1 quantity=2 price=10".
func ordered(header string, lines ...string) judge.Document {
	d := given(header)
	d.Kind = "order"
	for i, text := range lines {
		d.Lines = append(d.Lines, judge.Line{Number: i + 1, Entered: given(text).Entered})
	}
	return d
}

// saved makes the document a change of what is saved.
func saved(d judge.Document, stored map[string]string) judge.Document {
	d.Stored = stored
	return d
}

var amount = rule.Body{Family: rule.Compute, Target: "lines.amount", Effect: rule.Effect{Value: "line.quantity * line.price"}}

func TestConditionsOfLinesAreShownByAnyLine(t *testing.T) {
	refuses := rule.Body{Family: rule.Validate, Target: "lines.quantity", When: `line.item != "FREE"`, Effect: rule.Effect{Severity: rule.Refuse, Must: "line.quantity > 0", Message: "too few"}}
	r := orders(t, nil, refuses)
	show := func(d ...judge.Document) []string {
		return shown(proof.ConfirmRule(r.Book.Rules[0], results(t, r, keep(t, r, d...))))
	}
	speaks, still := "that it gives its message", "that it does not act"
	assert.Equal(t, []string{speaks, "Item is not FREE: so, and that decides", "Quantity is over 0: not so, and that decides"}, show(ordered("", "item=I1 quantity=0")))
	both := show(ordered("", "item=FREE quantity=0", "item=I1 quantity=0", "item=I1 quantity=2"))
	assert.Subset(t, both, []string{speaks, still, "Item is not FREE: not so, and that decides", "Quantity is over 0: so, and that decides"})
}

func TestSuggestionsChangeLinesAndWhatIsSummedFromThem(t *testing.T) {
	total := rule.Body{Family: rule.Compute, Target: "total", Effect: rule.Effect{Value: "sum(lines.amount)"}}
	confirm := rule.Body{Family: rule.Validate, Target: "total", On: rule.Occasions{New: true}, Effect: rule.Effect{Severity: rule.Confirm, Must: "total <= 500", Message: "much"}}
	r := orders(t, nil, confirm, total, amount)
	confirmed, strength := search(t, r, ordered("", "item=I1 quantity=1 price=10", "item=I2 quantity=2 price=5"))
	assert.Equal(t, proof.ProvedBoth, confirmed.State)
	assert.Empty(t, strength.Unnoticed, "500.01 is reached exactly through the price of a line")

	discount := rule.Body{Family: rule.Substitute, Target: "lines.price", On: rule.Occasions{New: true}, When: `line.item = "I1" and line.quantity >= 100`, Effect: rule.Effect{Value: "9"}}
	confirmed, strength = search(t, orders(t, nil, discount), ordered("", "item=I2 quantity=1 price=10"))
	assert.Equal(t, proof.ProvedBoth, confirmed.State)
	assert.Equal(t, len(confirmed.Goals), confirmed.Reached())
	assert.Empty(t, strength.Unnoticed)
}

func TestEveryWayOfASourceIsAGoal(t *testing.T) {
	linked := customers{"C1": {"name": "One", "terms": "N30"}, "C2": {"name": "Two", "terms": "N14"}}
	for tie, want := range map[rule.SourceMode]map[string]judge.Document{
		rule.Copied: {
			"a new record":                      ordered("customer=C1"),
			"a saved record whose link changes": saved(ordered("customer=C2 terms=N30"), map[string]string{"customer": "C1", "terms": "N30"}),
			"a saved record whose link stays":   saved(ordered("customer=C1 terms=N60"), map[string]string{"customer": "C1", "terms": "N60"}),
			"that it does not act":              ordered("customer=C1 terms=N90"),
			"that it acts":                      ordered("customer=C2"),
		},
		rule.Live: {
			"a new record": ordered("customer=C1"),
			"a saved record, after its linked record has changed": saved(ordered("customer=C1 terms=N60"), map[string]string{"customer": "C1", "terms": "N60"}),
		},
	} {
		r := orders(t, linked, rule.Body{Family: rule.Source, Target: "terms", Effect: rule.Effect{Mode: tie, Value: "customer.terms"}})
		for goal, d := range want {
			assert.Contains(t, shown(proof.ConfirmRule(r.Book.Rules[0], results(t, r, keep(t, r, d)))), goal, "%s", tie)
		}
	}
}

func TestWhatPostingWritesIsExpectedAndMissed(t *testing.T) {
	linked := customers{"C1": {"used": "10"}}
	counts := rule.Body{Family: rule.FollowUp, Target: "customer.used", When: "total > 0", Effect: rule.Effect{Value: "customer.used + total"}}
	r := orders(t, linked, counts)
	kept := keep(t, r, ordered("customer=C1 total=5"), ordered("customer=C1 total=0"))
	assert.Equal(t, map[string]string{"customer C1 used": "15"}, kept[0].Expect.Writes)
	all := results(t, r, kept)
	assert.Equal(t, proof.ProvedBoth, proof.ConfirmRule(r.Book.Rules[0], all).State)
	wrong := counts
	wrong.Effect.Value = "customer.used - total"
	changed := orders(t, linked, wrong).Run(&kept[0], false)
	assert.Equal(t, []proof.Difference{{What: "write", Field: "customer C1 used", Expected: "15", Actual: "5"}}, changed.Differences)
}

func TestHowAFieldIsMetIsExpectedOnLinesToo(t *testing.T) {
	required := rule.Body{Family: rule.Entry, Target: "lines.item", When: "line.quantity > 0", Effect: rule.Effect{Need: rule.Required, Cursor: rule.Stop}}
	r := orders(t, nil, required)
	kept := keep(t, r, ordered("", "item=I1 quantity=2", "item=I2"))
	assert.Equal(t, map[string]string{"lines.1.item": "required, stop", "lines.2.item": ""}, kept[0].Expect.EntryStates)
	assert.Equal(t, proof.ProvedBoth, proof.ConfirmRule(r.Book.Rules[0], results(t, r, kept)).State, "it acts in one line and keeps still in the other")
	looser := required
	looser.Effect.Cursor = ""
	changed := orders(t, nil, looser).Run(&kept[0], false)
	assert.Equal(t, []proof.Difference{{What: "manner", Field: "lines.1.item", Expected: "required, stop", Actual: "required"}}, changed.Differences)
}

func TestAProofCarriesRecordsThatItMayNotNameAndMissesThoseThatAreNotThere(t *testing.T) {
	linked := customers{"C1": {"name": "One", "terms": "N30"}}
	live := rule.Body{Family: rule.Source, Target: "terms", Effect: rule.Effect{Mode: rule.Live, Value: "customer.terms"}}
	r := orders(t, linked, live)
	for number, verdict := range map[string]engine.Verdict{"C1": engine.Accepted, "C9": engine.Refused} {
		p := keep(t, r, ordered("customer="+number))[0]
		require.Equal(t, verdict, p.Expect.Verdict)
		carry(t, r, &p)
		// Neither a customer that came since, nor one that went, changes it.
		for _, now := range []customers{{}, {"C1": {"terms": "N99"}, "C9": {"terms": "N99"}}} {
			again := orders(t, now, live).Run(&p, false)
			assert.True(t, again.Held(), "%s: %v", number, again.Differences)
		}
	}
}

func carry(t require.TestingT, r *proof.Runner, p *proof.Proof) {
	var err error
	p.Given.Fixtures, err = r.Carry(p)
	require.NoError(t, err)
}

// Whatever customers there are and whatever an order has, a proof of it comes out the same when
// every customer is another.
func TestWhatAProofCarriesIsAllThatItNeeds(t *testing.T) {
	terms := rapid.SampledFrom([]string{"", "N10", "N30"})
	used := rapid.SampledFrom([]string{"", "0", "120.5"})
	some := func(t *rapid.T, name string) customers {
		c := customers{}
		for i := range rapid.IntRange(0, 3).Draw(t, name) {
			c[fmt.Sprint("C", i)] = map[string]string{"terms": terms.Draw(t, "terms"), "used": used.Draw(t, "used")}
		}
		return c
	}
	bodies := []rule.Body{
		{Family: rule.Source, Target: "terms", Effect: rule.Effect{Mode: rule.Copied, Value: "customer.terms"}},
		{Family: rule.Validate, Target: "total", Effect: rule.Effect{Severity: rule.Confirm, Must: "total + customer.used < 200", Message: "over by {customer.used}"}},
		{Family: rule.FollowUp, Target: "customer.used", Effect: rule.Effect{Value: "customer.used + total"}},
		amount,
	}
	rapid.Check(t, func(t *rapid.T) {
		then, now := some(t, "then"), some(t, "now")
		document := ordered(fmt.Sprintf("customer=C%d total=%d", rapid.IntRange(0, 3).Draw(t, "customer"), rapid.IntRange(0, 300).Draw(t, "total")), "item=I1 quantity=2 price=10")
		r := orders(t, then, bodies...)
		p := keep(t, r, document)[0]
		carry(t, r, &p)
		if again := orders(t, now, bodies...).Run(&p, false); !again.Held() {
			t.Fatalf("%v, err %v", again.Differences, again.Err)
		}
		if alone := orders(t, nil, bodies...).Run(&p, false); !alone.Held() {
			t.Fatalf("without any customers: %v, err %v", alone.Differences, alone.Err)
		}
	})
}

func TestWrongVersionsOfUniqueAndBandedRulesAreSound(t *testing.T) {
	r := orders(t, nil,
		rule.Body{Family: rule.Validate, Target: "lines.item", Effect: rule.Effect{Severity: rule.Advise, Message: "twice", Unique: &rule.Unique{With: []string{"lines.price"}}}},
		rule.Body{Family: rule.Compute, Target: "lines.quantity", Effect: rule.Effect{Bands: []rule.Band{{Label: "few", Until: "10", Level: rule.Calm, Shape: rule.Round}, {Label: "many", Level: rule.Watch, Shape: rule.Bar}}}})
	for _, c := range r.Book.Rules {
		mutants := proof.Mutants(c, r.Book, proof.Extent{}, nil)
		assert.Greater(t, len(mutants), 3)
		for _, m := range mutants {
			assert.True(t, rule.Compile(rule.Rule{ID: c.ID, Body: m.Body}, c.Vocabulary()).Sound(), m.Change)
		}
		changes := []string{}
		for _, m := range mutants {
			changes = append(changes, m.Change)
		}
		slices.Sort(changes)
		assert.Equal(t, changes, slices.Compact(slices.Clone(changes)), "each is told once")
	}
}
