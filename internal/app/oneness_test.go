package app_test

import (
	"encoding/json"
	"fmt"
	"maps"
	"slices"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"codicil/core/evaluation"
	"codicil/core/field"
	"codicil/core/judge"
	"codicil/core/plan"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/core/table"
	"codicil/internal/app"
	"codicil/internal/contract"
	"codicil/internal/standard"
	"codicil/internal/store"
)

// candidates are rules of every family, on the header and on lines, that a book is drawn from:
// with links one and two deep, tables, days, the document before, fields that depend on each
// other, and days in the future.
var candidates = []rule.Body{
	body("sales_order", rule.Entry, "reference", rule.Effect{Need: rule.Required, Access: rule.Open}),
	body("sales_order", rule.Entry, "freight", rule.Effect{Access: rule.ReadOnly}),
	body("sales_order", rule.Entry, "lines.discount", rule.Effect{Access: rule.Hidden, Need: rule.Optional}),
	body("sales_order", rule.Entry, "note", rule.Effect{Cursor: rule.Stop, Keying: rule.Twice}),
	body("sales_order", rule.Source, "payment_terms", rule.Effect{Mode: rule.Copied, Value: "customer.payment_terms"}),
	body("sales_order", rule.Source, "credit_limit", rule.Effect{Mode: rule.Live, Value: "customer.credit_limit"}),
	body("sales_order", rule.Source, "currency", rule.Effect{Mode: rule.Live, Value: "customer.price_list.currency"}),
	body("sales_order", rule.Source, "lines.unit", rule.Effect{Mode: rule.Copied, Value: "line.item.unit"}),
	body("sales_order", rule.Source, "lines.tax_code", rule.Effect{Mode: rule.Live, Value: "line.item.tax_code"}),
	body("sales_order", rule.Default, "note", rule.Effect{Lifetime: rule.NewOnly, Value: `"as agreed"`}),
	body("sales_order", rule.Default, "ordered_on", rule.Effect{Lifetime: rule.NewOnly, Value: "today()"}),
	body("sales_order", rule.Default, "wanted_on", rule.Effect{Lifetime: rule.WheneverBlank, Value: "add days(ordered_on, 10)"}),
	body("sales_order", rule.Default, "delivery_place", rule.Effect{Lifetime: rule.KeepsUp, Value: "customer.city"}),
	body("sales_order", rule.Default, "lines.text", rule.Effect{Lifetime: rule.KeepsUp, Value: "line.item.name"}),
	body("sales_order", rule.Default, "salesperson", rule.Effect{Lifetime: rule.WheneverBlank, Value: "previous.salesperson"}),
	body("sales_order", rule.Default, "delivery_terms", rule.Effect{Lifetime: rule.WheneverBlank, Value: `crosswalk("terms", customer.country)`}),
	body("sales_order", rule.Default, "lines.discount", rule.Effect{Lifetime: rule.WheneverBlank, Value: "standing.rebate"}),
	body("sales_order", rule.Default, "reference", rule.Effect{Lifetime: rule.WheneverBlank, Fixed: true, Value: `"R-" + customer`}),
	body("sales_order", rule.Default, "confirmation", rule.Effect{Lifetime: rule.NewOnly, Series: "confirmations"}),
	body("sales_order", rule.Compute, "lines.amount", rule.Effect{Value: "line.quantity * line.price"}),
	body("sales_order", rule.Compute, "net_total", rule.Effect{Value: "sum(lines.amount)", Bands: []rule.Band{
		{Label: "small", Until: "100", Level: rule.Calm, Shape: rule.Round}, {Label: "large", Level: rule.Watch, Shape: rule.Square}}}),
	body("sales_order", rule.Substitute, "net_total", rule.Effect{Value: "net_total + 1"}),
	body("sales_order", rule.Substitute, "ordered_on", rule.Effect{Value: "month end(ordered_on)"}),
	body("sales_order", rule.Substitute, "salesperson", rule.Effect{Value: `upper case("k" + substring(customer, 1, 3))`}),
	body("sales_order", rule.Substitute, "lines.quantity", rule.Effect{Value: "ceiling(line.quantity)"}),
	body("sales_order", rule.Validate, "wanted_on", rule.Effect{Severity: rule.Refuse, Must: "wanted_on >= today()", Message: "Wanted on or after today, not on {wanted_on}."}),
	body("sales_order", rule.Validate, "net_total", rule.Effect{Severity: rule.Advise, Must: "net_total < 100", Message: "Large: {net_total}."}),
	body("sales_order", rule.Validate, "customer", rule.Effect{Severity: rule.Confirm, Must: `customer.country = "IE"`, Message: "Say why {customer.name} is served from here."}),
	body("sales_order", rule.Validate, "lines.quantity", rule.Effect{Severity: rule.Refuse, Must: "line.quantity < 1000", Message: "Too many."}),
	body("sales_order", rule.Validate, "reference", rule.Effect{Severity: rule.Advise, Message: "The reference is there already.", Unique: &rule.Unique{}}),
	body("sales_order", rule.FollowUp, "customer.credit_used", rule.Effect{Value: "if is blank(customer.credit_used) then 1 else customer.credit_used + 1"}),
}

// world is an application with two customers, items and tables, and a book that was drawn.
type world struct {
	d        *app.App
	today    record.Day
	company  string
	linked   map[string]map[string]evaluation.Values
	customer []string
	items    []string
	rules    []contract.RuleView
}

var (
	worldOnce sync.Once
	worldFile []byte
	theWorld  world // what is in the file
)

func newWorld(t *testing.T) *world {
	s := onCopy(t, &worldOnce, &worldFile, func(s *store.Store) {
		fillHarbour(t, s)
		theWorld = fillWorld(t, app.New(s, morning))
	})
	w := theWorld
	w.d = app.New(s, morning)
	return &w
}

func fillWorld(t *testing.T, d *app.App) world {
	w := world{d: d, today: "2026-11-24", company: "10"}
	_, err := d.Catalog.SaveType(as(t), "price_list", "LIST", record.Type{Label: "List"})
	require.NoError(t, err)
	_, err = d.Tables.SaveStanding(as(t), "rebate", contract.StandingChange{Standing: table.Standing{
		Field:   field.Field{Key: "rebate", Label: "Rebate", Type: field.Percent},
		Periods: []table.StandingValue{{Value: "0.02", Period: table.Period{Until: "2026-12-31"}}, {Value: "0.03", Period: table.Period{From: "2027-01-01"}}}}})
	require.NoError(t, err)
	_, err = d.Tables.SaveCrosswalk(as(t), "terms", contract.CrosswalkChange{Crosswalk: table.Crosswalk{Label: "Terms",
		Keys: []field.Field{{Key: "country", Label: "Country", Type: field.Text}}, Results: []field.Field{{Key: "terms", Label: "Terms", Type: field.Text}},
		Rows: []table.Row{{Keys: []string{"IE"}, Results: []string{"EXW"}}, {Keys: []string{"DK"}, Results: []string{"FCA"}}}}})
	require.NoError(t, err)
	_, err = d.Tables.SaveSeries(as(t), "confirmations", contract.SeriesChange{Series: table.Series{Label: "Confirmations", Start: 1, Step: 1,
		Parts: []table.Part{{Is: table.Constant, Text: "K"}, {Is: table.ShortYear}, {Is: table.Counter, Digits: 4}}}})
	require.NoError(t, err)
	list := w.save(t, document("price_list", "10", "LIST", values{"name": "Euro", "currency": "EUR"}))
	for _, v := range []values{
		{"name": "Quay Grocers", "city": "Cork", "country": "IE", "payment_terms": "N30", "credit_limit": "500", "price_list": list.Number},
		{"name": "Tide & Søn", "city": "Aarhus", "country": "DK", "payment_terms": "N45", "price_list": list.Number},
	} {
		w.customer = append(w.customer, w.save(t, document("customer", "10", "WHOL", v)).Number)
	}
	for _, v := range []values{{"name": "Sea salt", "unit": "KG", "tax_code": "S1"}, {"name": "Flakes", "unit": "BAG"}} {
		answer, err := d.Records.Save(as(t), contract.SaveRequest{Document: document("item", "10", "SALT", v)})
		require.NoError(t, err)
		if answer.Record == nil { // codes of units and taxes are the kinds' own
			answer, err = d.Records.Save(as(t), contract.SaveRequest{Document: document("item", "10", "SALT", values{"name": v["name"]})})
			require.NoError(t, err)
		}
		w.items = append(w.items, answer.Record.Number)
	}
	w.linked = map[string]map[string]evaluation.Values{}
	for _, at := range [][2]string{{"price_list", list.Number}, {"customer", w.customer[0]}, {"customer", w.customer[1]}, {"item", w.items[0]}, {"item", w.items[1]}} {
		r, err := d.Records.Get(as(t), record.Ref{Kind: at[0], Number: at[1]})
		require.NoError(t, err)
		if w.linked[at[0]] == nil {
			w.linked[at[0]] = map[string]evaluation.Values{}
		}
		w.linked[at[0]][at[1]] = r.Content.Values
	}
	return w
}

func (w *world) save(t require.TestingT, document judge.Document) contract.Record {
	answer, err := w.d.Records.Save(as(nobody{}), contract.SaveRequest{Document: document})
	require.NoError(t, err)
	require.NotNil(t, answer.Record, "%v", answer.Outcome.Messages)
	return *answer.Record
}

// draw draws a book: some of the candidates, for companies, days, occasions and conditions.
func draw(t *rapid.T) (bodies []rule.Body) {
	for i, b := range candidates {
		if !rapid.Bool().Draw(t, fmt.Sprintf("rule %d", i)) {
			continue
		}
		b.Priority = i
		b.Scope.Companies = rapid.SampledFrom([][]string{nil, nil, {"10"}, {"20"}}).Draw(t, "companies")
		b.Scope.From = rapid.SampledFrom([]record.Day{"", "", "2027-01-01"}).Draw(t, "from")
		b.When = rapid.SampledFrom([]string{"", "", "is filled(customer)", `entered.note = "rush"`}).Draw(t, "when")
		if b.Family != rule.FollowUp {
			b.On = rapid.SampledFrom([]rule.Occasions{{New: true, Change: true}, {New: true, Change: true}, {New: true}, {Change: true}}).Draw(t, "on")
		}
		bodies = append(bodies, b)
	}
	return bodies
}

// enforce puts the rules in force that make no loop.
func (w *world) enforce(t require.TestingT, bodies []rule.Body) {
	for _, b := range bodies {
		v, err := w.d.Rules.Create(as(nobody{}), contract.RuleChange{Body: b})
		require.NoError(t, err)
		if moved, err := w.d.Rules.Move(as(nobody{}), v.ID, contract.RuleMove{State: rule.InForce, Version: v.Version, Reason: "drawn"}); err == nil {
			v = moved
		}
		w.rules = append(w.rules, v)
	}
}

func (w *world) order(t *rapid.T) judge.Document {
	header := values{"customer": rapid.SampledFrom(append(w.customer, "")).Draw(t, "customer")}
	for key, texts := range map[string][]string{
		"ordered_on": {"", "2026-11-20", "2026-12-31", "2027-02-15"}, "note": {"", "rush"}, "wanted_on": {"", "2026-11-01", "2027-01-10"},
		"reference": {"", "A1", "A2"}, "salesperson": {"", "FINN"}, "payment_terms": {"", "", "N60"}, "net_total": {"", "", "7"}, "currency": {"", "", "EUR"},
	} {
		header[key] = rapid.SampledFrom(texts).Draw(t, key)
	}
	var lines []values
	for range rapid.IntRange(0, 3).Draw(t, "lines") {
		lines = append(lines, values{
			"item": rapid.SampledFrom(append(w.items, "")).Draw(t, "item"), "quantity": rapid.SampledFrom([]string{"", "2", "1.5", "1000"}).Draw(t, "quantity"),
			"price": rapid.SampledFrom([]string{"", "12.345", "60"}).Draw(t, "price"),
		})
	}
	d := document("sales_order", w.company, "SO", header, lines...)
	d.Entered, d.Reasons = read(d.Entered), map[int64]string{}
	for i := range d.Lines {
		d.Lines[i].Entered = read(d.Lines[i].Entered)
	}
	if rapid.Bool().Draw(t, "with reasons") {
		for _, r := range w.rules {
			d.Reasons[r.ID] = "known"
		}
	}
	return d
}

// read makes values in stored form of typed ones that are the same.
func read(items map[string]judge.Item) map[string]judge.Item {
	entered := map[string]judge.Item{}
	for key, item := range items {
		if item.Typed != "" {
			entered[key] = judge.Item{Value: item.Typed}
		}
	}
	return entered
}

// plainly is a document as a program states it.
func (w *world) plainly(d judge.Document, moment rule.Moment) evaluation.Document {
	texts := func(items map[string]judge.Item) evaluation.Values {
		v := evaluation.Values{}
		for key, item := range items {
			v[key] = item.Value
		}
		return v
	}
	b := evaluation.Document{Kind: d.Kind, Company: d.Company, Type: d.Type, Record: d.Record, Values: texts(d.Entered), Reasons: d.Reasons, Moment: moment}
	for _, l := range d.Lines {
		b.Lines = append(b.Lines, evaluation.Line{Number: l.Number, Values: texts(l.Entered)})
	}
	return b
}

// result is what two answers of different form are compared by.
type result struct {
	Verdict  string
	Day      string
	Values   map[string]string
	Messages []string
}

func ofOutcome(o *contract.Outcome) result {
	r := result{Verdict: string(o.Verdict), Day: o.Day, Values: map[string]string{}}
	put := func(fields []contract.FieldOutcome, line int) {
		for _, f := range fields {
			if f.Final.Value != "" {
				r.Values[judge.AddressOf(f.Key, line)] = f.Final.Value
			}
		}
	}
	for _, f := range o.Fields {
		if f.Final.Value != "" {
			r.Values[f.Key] = f.Final.Value
		}
	}
	for _, l := range o.Lines {
		put(l.Fields, l.Number)
	}
	for _, m := range o.Messages {
		r.Messages = append(r.Messages, fmt.Sprintf("%s %s %s/%d rule %d", m.Severity, m.Code, m.Field, m.Line, m.Rule))
	}
	slices.Sort(r.Messages)
	return r
}

func ofResult(b *evaluation.Result) result {
	r := result{Verdict: string(b.Verdict), Day: string(b.Day), Values: map[string]string{}}
	maps.Copy(r.Values, b.Values)
	for _, l := range b.Lines {
		for key, text := range l.Values {
			r.Values[judge.AddressOf(field.LinePrefix+key, l.Number)] = text
		}
	}
	for _, m := range b.Messages {
		r.Messages = append(r.Messages, fmt.Sprintf("%s %s %s/%d rule %d", m.Severity, m.Code, m.Field, m.Line, m.Rule))
	}
	slices.Sort(r.Messages)
	return r
}

func ofContent(c *record.Content) map[string]string {
	all := maps.Clone(c.Values)
	for _, l := range c.Lines {
		for key, text := range l.Values {
			all[judge.AddressOf(field.LinePrefix+key, l.Number)] = text
		}
	}
	return all
}

func same(t *rapid.T, what string, want, got any) {
	one, err := json.MarshalIndent(want, "", " ")
	require.NoError(t, err)
	other, err := json.MarshalIndent(got, "", " ")
	require.NoError(t, err)
	if string(one) != string(other) {
		assert.Equal(t, string(one), string(other), what)
		t.FailNow()
	}
}

// fewCases tells that so few books are drawn that some things may be in none.
var fewCases bool

// Whatever the book and the document: what is shown while it is typed is what saving, posting
// to either ledger, a program, a book without its database and a proof make of it.
func TestWhatIsShownIsWhatHappens(t *testing.T) {
	t.Parallel()
	ctx := as(t)
	seen := map[string]int{}
	kinds, err := standard.Kinds()
	require.NoError(t, err)
	rapid.Check(t, func(rt *rapid.T) {
		w := newWorld(t)
		w.enforce(rt, draw(rt))
		exported, err := w.d.Books.Export(ctx)
		require.NoError(rt, err)
		apart := exported.World(kinds, func() time.Time { return time.Date(2026, 11, 24, 9, 0, 0, 0, time.UTC) })

		given := w.order(rt)
		version := 0
		then := map[int]contract.Outcome{} // by version of the record
		practised := map[string]contract.Outcome{}
		for range 2 { // new, and as a change
			try := func(moment rule.Moment) contract.Outcome {
				out, err := w.d.Trials.Try(ctx, contract.TryRequest{Document: given, Moment: moment})
				require.NoError(rt, err)
				return out
			}
			shown := try(rule.Saving)
			same(rt, "tried twice", shown, try(rule.Saving))
			count(seen, &shown, version > 0)

			evaluated, err := w.d.Trials.Evaluate(ctx, []evaluation.Document{w.plainly(given, rule.Saving)})
			require.NoError(rt, err)
			require.Empty(rt, evaluated[0].Error)
			same(rt, "over HTTP, for a program", ofOutcome(&shown), ofResult(&evaluated[0]))

			posted, outcome, err := w.d.Posting.PostTest(ctx, contract.TryRequest{Document: given})
			require.NoError(rt, err)
			before := try(rule.Posting)
			same(rt, "posted to the practice ledger", before, outcome)
			if posted != nil {
				same(rt, "the posting", before, posted.Outcome)
				practised[posted.Summary.Number] = outcome
			}
			alone := w.plainly(given, rule.Posting)
			alone.Linked = w.linked
			if version == 0 && !w.looksOutside() {
				ran := evaluation.Run(apart, &alone)
				require.Empty(rt, ran.Error)
				same(rt, "by a book without its database", ofOutcome(&before), ofResult(&ran))
			}
			kept, err := w.d.Proofs.Keep(ctx, contract.KeepRequest{Document: given})
			require.NoError(rt, err)
			run, err := w.d.Proofs.Run(ctx, contract.RunRequest{Kind: given.Kind, Proofs: []int64{kept.ID}})
			require.NoError(rt, err)
			require.Equal(rt, 1, run.Held, "a proof holds when it was just kept: %v", run.Results)

			answer, err := w.d.Records.Save(ctx, contract.SaveRequest{Document: given, Version: version})
			require.NoError(rt, err)
			same(rt, "saved", shown, answer.Outcome)
			if answer.Record == nil {
				return
			}
			same(rt, "stored", ofOutcome(&shown).Values, ofContent(&answer.Record.Content))
			version = answer.Record.Version
			then[version] = answer.Outcome

			// Saving again at once changes nothing.
			again := asSaved(answer.Record, given.Reasons)
			out, err := w.d.Trials.Try(ctx, contract.TryRequest{Document: again, Moment: rule.Saving})
			require.NoError(rt, err)
			if out.Verdict == contract.Accepted && !w.occasional() {
				same(rt, "saved again", ofContent(&answer.Record.Content), ofOutcome(&out).Values)
				for _, f := range out.Fields {
					require.Nil(rt, f.Stored, f.Key)
				}
			}
			given = again
			if rapid.Bool().Draw(rt, "another customer") {
				given.Entered["customer"] = judge.Item{Value: w.customer[1]}
			}
			if rapid.Bool().Draw(rt, "a field is cleared") {
				delete(given.Entered, rapid.SampledFrom([]string{"note", "wanted_on", "delivery_place"}).Draw(rt, "cleared"))
			}
		}
		// Posted to the books as it was shown to be.
		r, err := w.d.Records.Get(ctx, record.Ref{Kind: given.Kind, Number: given.Record})
		require.NoError(rt, err)
		as := asSaved(&r, given.Reasons)
		shown, err := w.d.Trials.Try(ctx, contract.TryRequest{Document: as, Moment: rule.Posting})
		require.NoError(rt, err)
		reasons := map[string]string{}
		for id, text := range given.Reasons {
			reasons[fmt.Sprint(id)] = text
		}
		answer, err := w.d.Posting.Post(ctx, record.Ref{Kind: given.Kind, Number: given.Record}, contract.PostRequest{Version: r.Version, Reasons: reasons})
		require.NoError(rt, err)
		same(rt, "posted to the books", shown, answer.Outcome)

		// Whatever becomes of rules and linked records later: it is told as it was.
		if answer.Record != nil {
			then[answer.Record.Version] = answer.Outcome
		}
		w.enforce(rt, draw(rt))
		for version, outcome := range then {
			told, err := w.d.Records.ToldOf(ctx, record.Ref{Kind: given.Kind, Number: given.Record}, version, "", nil)
			require.NoError(rt, err)
			require.Equal(rt, contract.Again, told.Told, "version %d", version)
			same(rt, "told again", outcome, told.Outcome)
		}
		for number, outcome := range practised {
			posting, err := w.d.Posting.Posting(ctx, "practice", number, nil)
			require.NoError(rt, err)
			require.Equal(rt, contract.Again, posting.Told)
			same(rt, "the test posting told again", outcome, posting.Outcome)
		}
		if answer.Record != nil {
			posting, err := w.d.Posting.Posting(ctx, "books", given.Record, nil)
			require.NoError(rt, err)
			require.Equal(rt, contract.Again, posting.Told)
			same(rt, "the posting told again", answer.Outcome, posting.Outcome)
		}
	})
	for _, family := range rule.Families {
		for _, occasion := range []string{"new", "change"} {
			if fewCases || family == rule.FollowUp {
				continue // a follow-up is counted when it posts
			}
			assert.Positive(t, seen[string(family)+" "+occasion], "%s on %s records was never drawn", family, occasion)
		}
	}
}

// looksOutside tells whether a rule in force reads what a book without its database does not
// have: other records of the kind.
func (w *world) looksOutside() bool {
	return slices.ContainsFunc(w.rules, func(r contract.RuleView) bool {
		return r.State == rule.InForce && (r.Body.Effect.Unique != nil || slices.Contains([]string{"previous.salesperson"}, r.Body.Effect.Value))
	})
}

// occasional tells whether a rule runs for new records only or for changes only, so that the
// first change is another occasion than the first save.
func (w *world) occasional() bool {
	return slices.ContainsFunc(w.rules, func(r contract.RuleView) bool { return !r.Body.On.New || !r.Body.On.Change })
}

func asSaved(r *contract.Record, reasons map[int64]string) judge.Document {
	d := judge.Document{Kind: r.Kind, Company: r.Company, Type: r.Type, Record: r.Number, Entered: map[string]judge.Item{}, Reasons: reasons}
	for key, text := range r.Content.Values {
		d.Entered[key] = judge.Item{Value: text}
	}
	for _, l := range r.Content.Lines {
		line := judge.Line{Number: l.Number, Entered: map[string]judge.Item{}}
		for key, text := range l.Values {
			line.Entered[key] = judge.Item{Value: text}
		}
		d.Lines = append(d.Lines, line)
	}
	return d
}

// count counts the families that acted or spoke, by occasion.
func count(seen map[string]int, o *contract.Outcome, change bool) {
	occasion := map[bool]string{false: "new", true: "change"}[change]
	fields := slices.Clone(o.Fields)
	for _, l := range o.Lines {
		fields = append(fields, l.Fields...)
	}
	for _, f := range fields {
		for _, a := range f.Acts {
			if a.Did == "acted" || a.Did == "speaks" {
				seen[a.Family+" "+occasion]++
			}
		}
	}
}

// The order in which rules were written does not matter; a rule that is suspended, or made for
// another company, is like none; a draft on top of the book acts as it does in force.
func TestABookIsWhatItsRulesSay(t *testing.T) {
	t.Parallel()
	ctx := as(t)
	rapid.Check(t, func(rt *rapid.T) {
		one, other := newWorld(t), newWorld(t)
		bodies := draw(rt)
		one.enforce(rt, bodies)
		inForce := []rule.Body{}
		for _, r := range one.rules {
			if r.State == rule.InForce {
				inForce = append(inForce, r.Body)
			}
		}
		slices.Reverse(inForce)
		other.enforce(rt, inForce)
		given := one.order(rt)
		given.Reasons = nil
		judged := func(w *world, d judge.Document) result {
			out, err := w.d.Trials.Try(ctx, contract.TryRequest{Document: d, Moment: rule.Saving})
			require.NoError(rt, err)
			r := ofOutcome(&out)
			for i := range r.Messages {
				r.Messages[i] = r.Messages[i][:len(r.Messages[i])-len("0")] // the numbers of rules differ
			}
			r.Messages = nil
			return r
		}
		want := judged(one, given)
		same(rt, "the order of rules", want, judged(other, given))
		if len(inForce) == 0 {
			return
		}
		picked := rapid.SampledFrom(other.rules).Draw(rt, "picked")
		if picked.State != rule.InForce {
			return
		}
		// Suspended, or for another company, it is like none.
		without := func(change rule.Rule) result {
			d := given
			d.Changes = &plan.Changes{Rules: []rule.Rule{change}}
			return judged(other, d)
		}
		suspended := rule.Rule{ID: picked.ID, Version: picked.Version, State: rule.Suspended, Body: picked.Body}
		foreign := suspended
		foreign.State, foreign.Scope.Companies = rule.InForce, []string{"20"}
		absent := without(suspended)
		same(rt, "for another company", absent, without(foreign))
		_, err := other.d.Rules.Move(ctx, picked.ID, contract.RuleMove{State: rule.Suspended, Version: picked.Version})
		require.NoError(rt, err)
		same(rt, "suspended", absent, judged(other, given))
		// On top of the book it acts as in force, kept or not.
		for _, id := range []int64{0, picked.ID} {
			d := given
			d.Changes = &plan.Changes{Rules: []rule.Rule{{ID: id, Version: picked.Version + 1, State: rule.Draft, Body: picked.Body}}}
			same(rt, "on top of the book", want, judged(other, d))
			posted, out, err := other.d.Posting.PostTest(ctx, contract.TryRequest{Document: d})
			require.NoError(rt, err)
			require.Len(rt, out.Changes, 1, "the posting names the draft")
			if posted != nil {
				require.Equal(rt, id, posted.Outcome.Changes[0].Rule)
			}
		}
	})
}
