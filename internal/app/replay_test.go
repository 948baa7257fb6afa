package app_test

import (
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"codicil/core/judge"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/internal/actor"
	"codicil/internal/app"
	"codicil/internal/contract"
	"codicil/internal/store"
)

// replayed runs a replay to its end and returns its figures.
func replayed(t *testing.T, d *app.App, id int64, request contract.ReplayRequest) (contract.Replay, []contract.RunHit) {
	t.Helper()
	begun, err := d.Replay.Start(as(t), id, request)
	require.NoError(t, err)
	run := ended(t, d, begun.ID)
	require.Equal(t, contract.RunStateDone, run.State, run.Problem)
	assert.Equal(t, id, run.Codicil)
	check, err := d.Codicils.Check(as(t), id, false)
	require.NoError(t, err)
	require.NotNil(t, check.Replay)
	assert.Equal(t, begun.ID, check.Replay.Run)
	page, err := d.Runs.Hits(as(t), begun.ID, "", 100)
	require.NoError(t, err)
	return *check.Replay, page.Hits
}

// put adds a rule to a codicil.
func put(t *testing.T, d *app.App, c contract.Codicil, b rule.Body) contract.RuleView {
	t.Helper()
	v, err := with(t, d, c).Rules.Create(as(t), contract.RuleChange{Body: b})
	require.NoError(t, err)
	require.True(t, v.Sound, "%v", v.Problems)
	return v
}

const journal = "accounting_document"

// sale posts a sale of a customer.
func sale(t *testing.T, d *app.App, customer, amount string) contract.Record {
	t.Helper()
	kept := save(t, d, document(journal, "10", "JE", values{"text": "Sale", "customer": customer}, values{"account": "1100", "debit": amount}, values{"account": "4000", "credit": amount}))
	posted := post(t, d, kept).Record
	require.NotNil(t, posted)
	return *posted
}

// What was posted is judged by what was so when it was posted: the records in their versions of then, the day and the person.
func TestAReplayJudgesByWhatWasSoThen(t *testing.T) {
	now := morning()
	s := onCopy(t, &harbourOnce, &harbourFile, func(s *store.Store) { fillHarbour(t, s) })
	d := app.New(s, func() time.Time { return now })
	customer := save(t, d, document("customer", "10", "WHOL", values{"name": "Harbour Grocers", "city": "Cork"}))
	posted := sale(t, d, customer.Number, "12.50")
	now = now.AddDate(0, 0, 3)
	moved := document("customer", "10", "WHOL", values{"name": "Harbour Grocers", "city": "Galway"})
	moved.Record = customer.Number
	_, err := d.Records.Save(as(t), contract.SaveRequest{Document: moved, Version: customer.Version})
	require.NoError(t, err)
	_, err = s.AddRecord(as(t), record.Record{Ref: record.Ref{Kind: journal, Number: "A1000077"}, Company: "10", Type: "JE", State: record.Posted, Content: record.Content{Values: values{"text": "Old", "customer": customer.Number}}}, store.Numbering{}, nil, record.Stamp{At: store.Instant(now)})
	require.NoError(t, err)
	later := sale(t, d, customer.Number, "1.00")

	c := prepare(t, d, "Cities")
	put(t, d, c, body(journal, rule.Substitute, "text", rule.Effect{Value: `customer.city + " " + string(today()) + " " + user.name`}))
	figures, hits := replayed(t, d, c.ID, contract.ReplayRequest{})
	assert.Equal(t, 3, figures.Posted)
	assert.Equal(t, 3, figures.Changed)
	assert.Equal(t, 1, figures.Unknown, "nobody knows what the old one read")
	assert.Zero(t, figures.Amounts)
	after := map[string]string{}
	for _, h := range hits {
		assert.True(t, h.Posted)
		after[h.Number] = h.Changes[0].After.Value
		assert.Equal(t, h.Number == "A1000077", h.Unknown)
	}
	assert.Equal(t, "Cork 2026-11-24 Ada", after[posted.Number], "where the customer was then")
	assert.Equal(t, "Galway 2026-11-27 Ada", after[later.Number])
	assert.Equal(t, "Galway 2026-11-27 Ada", after["A1000077"], "what is not known is what it is now")

	var file strings.Builder
	require.NoError(t, d.Runs.Export(as(t), figures.Run, 0, &file))
	assert.Contains(t, file.String(), ",posted,differs already,facts unknown")
	assert.Contains(t, file.String(), "Sale,Cork 2026-11-24 Ada,,true,false,false")
	assert.Contains(t, file.String(), "Old,Galway 2026-11-27 Ada,,true,true,true")

	one, err := d.Replay.One(as(t), c.ID, record.Ref{Kind: journal, Number: posted.Number})
	require.NoError(t, err)
	assert.True(t, one.Known)
	assert.Equal(t, "Sale", final(one.Before, "text"))
	assert.Equal(t, "Cork 2026-11-24 Ada", final(one.After, "text"))

	figures, _ = replayed(t, d, c.ID, contract.ReplayRequest{Until: "2026-11-24"})
	assert.Equal(t, 1, figures.Posted, "of that time")
	figures, hits = replayed(t, d, c.ID, contract.ReplayRequest{Since: "2026-11-25"})
	assert.Equal(t, 2, figures.Posted)
	assert.Len(t, hits, 2)
	_, err = d.Replay.Start(as(t), c.ID, contract.ReplayRequest{Since: "2026-11-25", Until: "2026-11-24"})
	assert.Equal(t, "not-a-day", codeOf(t, err))
}

// What no rule read when a document was posted is read as it was then, by the time: a record behind another.
func TestAReplayReadsWhatNobodyReadThenAsItWas(t *testing.T) {
	now := morning()
	s := onCopy(t, &harbourOnce, &harbourFile, func(s *store.Store) { fillHarbour(t, s) })
	d := app.New(s, func() time.Time { return now })
	_, err := d.Catalog.SaveType(as(t), "price_list", "STD", record.Type{Label: "Standard"})
	require.NoError(t, err)
	named := func(number, name string, version int) contract.Record {
		list := document("price_list", "10", "STD", values{"name": name})
		list.Record = number
		answer, err := d.Records.Save(as(t), contract.SaveRequest{Document: list, Version: version})
		require.NoError(t, err)
		require.NotNil(t, answer.Record, "%v", answer.Outcome.Messages)
		return *answer.Record
	}
	prices := named("", "Spring", 0)
	customer := save(t, d, document("customer", "10", "WHOL", values{"name": "Harbour Grocers", "price_list": prices.Number}))
	now = now.AddDate(0, 0, 1)
	early := sale(t, d, customer.Number, "12.50")
	now = now.AddDate(0, 0, 1)
	prices = named(prices.Number, "Summer", prices.Version)
	now = now.AddDate(0, 0, 1)
	late := sale(t, d, customer.Number, "1.00")
	now = now.AddDate(0, 0, 1)
	named(prices.Number, "Autumn", prices.Version)

	c := prepare(t, d, "Price lists")
	put(t, d, c, body(journal, rule.Substitute, "text", rule.Effect{Value: "customer.price_list.name"}))
	_, hits := replayed(t, d, c.ID, contract.ReplayRequest{})
	after := map[string]string{}
	for _, h := range hits {
		after[h.Number] = h.Changes[0].After.Value
	}
	assert.Equal(t, map[string]string{early.Number: "Spring", late.Number: "Summer"}, after)
}

// What moves is counted by kind, company and field; what is otherwise already is counted apart, and figures of another
// codicil or book are said to be old.
func TestAReplayCountsWhatMovesAndWhatDrifted(t *testing.T) {
	d := harbour(t)
	customer := save(t, d, document("customer", "10", "WHOL", values{"name": "Harbour Grocers"}))
	sale(t, d, customer.Number, "12.50")
	sale(t, d, customer.Number, "100")
	c := prepare(t, d, "Twice")
	double := func(field string) rule.Body {
		b := body(journal, rule.Substitute, "lines."+field, rule.Effect{Value: "line." + field + " * 2"})
		b.When = "is filled(line." + field + ")"
		return b
	}
	put(t, d, c, double("debit"))
	put(t, d, c, double("credit"))
	figures, _ := replayed(t, d, c.ID, contract.ReplayRequest{})
	assert.Equal(t, 2, figures.Amounts)
	assert.Zero(t, figures.Drifted)
	assert.Zero(t, figures.Refused)
	require.Len(t, figures.Effects, 2)
	for _, e := range figures.Effects {
		assert.Equal(t, 2, e.Records)
		assert.Equal(t, []contract.MovedAmount{{Currency: "EUR", Amount: "112.5", Text: "112.50"}}, e.Moved)
	}
	nearer := body(journal, rule.Substitute, "lines.debit", rule.Effect{Value: "line.debit * 3"})
	nearer.Scope.Companies = []string{"10"}
	put(t, d, c, nearer)
	check, err := d.Codicils.Check(as(t), c.ID, true)
	require.NoError(t, err)
	assert.True(t, check.Replay.Stale, "the codicil is another")
	assert.Contains(t, check.Lines[3], "replay it again")
	figures, hits := replayed(t, d, c.ID, contract.ReplayRequest{})
	assert.Equal(t, 2, figures.Refused, "debit and credit differ")
	assert.Equal(t, contract.RunHitWhatRefuse, hits[0].What)
	check, err = d.Codicils.Check(as(t), c.ID, true)
	require.NoError(t, err)
	assert.Contains(t, check.Lines[3], "2 would be refused")
	assert.Contains(t, check.Lines[4], "Amounts of 2 posted documents")
	assert.Contains(t, check.Doubts[len(check.Doubts)-1].Message, "it would refuse")

	// Another rule in force makes what is saved another than it would be, which is not the codicil's doing.
	add(t, d, body(journal, rule.Substitute, "text", rule.Effect{Value: `"As ever"`}), rule.InForce)
	check, err = d.Codicils.Check(as(t), c.ID, false)
	require.NoError(t, err)
	assert.True(t, check.Replay.Stale, "the book is another")
	figures, hits = replayed(t, d, c.ID, contract.ReplayRequest{})
	assert.Equal(t, 2, figures.Drifted)
	for _, h := range hits {
		assert.True(t, h.Drifted)
		for _, change := range h.Changes {
			assert.NotEqual(t, "text", change.Field)
		}
	}
	move(t, d, c.ID, contract.CodicilWithdrawn)
	_, err = d.Replay.Start(as(t), c.ID, contract.ReplayRequest{})
	assert.Equal(t, "codicil-ended", codeOf(t, err))
}

// What a run found is kept as everybody reads it, and told as the person who looks writes numbers and days.
func TestWhatARunFoundIsToldInThePersonsFormat(t *testing.T) {
	d := harbour(t)
	c := prepare(t, d, "Dearer")
	customer := save(t, d, document("customer", "10", "WHOL", values{"name": "Harbour Grocers"}))
	posted := sale(t, d, customer.Number, "1250")
	dearer := body(journal, rule.Substitute, "lines.debit", rule.Effect{Value: "line.debit + 0.5"})
	dearer.When = "is filled(line.debit)"
	put(t, d, c, dearer)
	put(t, d, c, body(journal, rule.Substitute, "due_on", rule.Effect{Value: `date("2026-12-31")`}))
	figures, hits := replayed(t, d, c.ID, contract.ReplayRequest{})
	require.Len(t, hits, 1)
	assert.Contains(t, hits[0].Told, "blank → 2026-12-31")
	who := actor.Named("Ada", actor.Program)
	who.Format = continentalFormat
	page, err := d.Hits(actor.With(t.Context(), who), figures.Run, "", 100, 0)
	require.NoError(t, err)
	require.Len(t, page.Hits, 1)
	assert.Contains(t, page.Hits[0].Told, "blank → 31.12.2026")
	assert.Contains(t, page.Hits[0].Told, "1.250,00 → 1.250,50")
	assert.Equal(t, hits[0].Said, page.Hits[0].Said)
	one, err := d.Replay.One(actor.With(t.Context(), who), c.ID, record.Ref{Kind: journal, Number: posted.Number})
	require.NoError(t, err)
	assert.Equal(t, page.Hits[0].Told, one.Hit.Told)
}

// A unique rule asks what was there then, and does not find the document itself.
func TestAReplayOfUniqueRules(t *testing.T) {
	now := morning()
	d := app.New(onCopy(t, &harbourOnce, &harbourFile, func(s *store.Store) { fillHarbour(t, s) }), func() time.Time { return now })
	customer := save(t, d, document("customer", "10", "WHOL", values{"name": "Harbour Grocers"}))
	sale(t, d, customer.Number, "5.00")
	now = now.Add(time.Hour)
	second := sale(t, d, customer.Number, "6.00")
	c := prepare(t, d, "Once a customer")
	put(t, d, c, body(journal, rule.Validate, "text", rule.Effect{Severity: rule.Refuse, Unique: &rule.Unique{With: []string{"customer"}}, Message: "It is there"}))
	_, hits := replayed(t, d, c.ID, contract.ReplayRequest{})
	require.Len(t, hits, 1, "the first was alone then")
	assert.Equal(t, second.Number, hits[0].Number)
	assert.Contains(t, hits[0].Said, "It is there")
}

// What was saved before a document is known only where a rule asked for it then; that it is not known is said.
func TestAReplayTellsThatNobodyKnowsWhatWasBefore(t *testing.T) {
	d := harbour(t)
	customer := save(t, d, document("customer", "10", "WHOL", values{"name": "Harbour Grocers"}))
	sale(t, d, customer.Number, "12.50")
	sale(t, d, customer.Number, "25")
	back := body(journal, rule.Validate, "reference", rule.Effect{Severity: rule.Advise, Must: `is blank(reference) or reference != previous.reference`, Message: "Again"})
	c := prepare(t, d, "As before")
	put(t, d, c, back)
	figures, _ := replayed(t, d, c.ID, contract.ReplayRequest{})
	assert.Equal(t, 2, figures.Unknown)
	move(t, d, c.ID, contract.CodicilInForce)
	later := sale(t, d, customer.Number, "30")
	c = prepare(t, d, "As before, once more")
	put(t, d, c, back)
	figures, _ = replayed(t, d, c.ID, contract.ReplayRequest{})
	assert.Equal(t, 2, figures.Unknown, "of the third it is known")
	one, err := d.Replay.One(as(t), c.ID, record.Ref{Kind: journal, Number: later.Number})
	require.NoError(t, err)
	assert.True(t, one.Known)
}

// What a replay says with a codicil is what saving, changing and posting would have made of the same entries by the same
// rules: as defaults fill, sources follow, totals are worked out and checks refuse.
func TestAReplayIsWhatPostingWouldHaveMade(t *testing.T) {
	when := func(b rule.Body, condition string) rule.Body { b.When = condition; return b }
	// A currency that looks back decides how many decimals the amounts beside it have.
	currency := body(journal, rule.Default, "currency", rule.Effect{Lifetime: rule.NewOnly, Value: `if is filled(previous.total) then "KWD" else "EUR"`})
	total := body(journal, rule.Compute, "total", rule.Effect{Value: "sum(lines.debit[is filled(item)])"})
	for name, b := range map[string]rule.Body{
		"new only":          body(journal, rule.Default, "text", rule.Effect{Lifetime: rule.NewOnly, Value: `"Filled"`}),
		"whenever blank":    body(journal, rule.Default, "reference", rule.Effect{Lifetime: rule.WheneverBlank, Value: `"R-" + customer.city`}),
		"kept up":           body(journal, rule.Default, "approver", rule.Effect{Lifetime: rule.KeepsUp, Value: `customer.name + " " + customer.city`}),
		"copied":            body(journal, rule.Source, "payment_terms", rule.Effect{Mode: rule.Copied, Value: "customer.payment_terms"}),
		"in lines":          body(journal, rule.Substitute, "lines.text", rule.Effect{Value: `customer.city`}),
		"for some lines":    when(body(journal, rule.Substitute, "lines.text", rule.Effect{Value: `"Large"`}), "line.debit > 20"),
		"worked out":        body(journal, rule.Compute, "total", rule.Effect{Value: "sum(lines.debit[is filled(item)])"}),
		"a check":           body(journal, rule.Validate, "lines.debit", rule.Effect{Severity: rule.Refuse, Must: "line.debit < 30", Message: "Too much", Moments: []rule.Moment{rule.Posting}}),
		"as before":         body(journal, rule.Default, "reference", rule.Effect{Lifetime: rule.NewOnly, Value: `previous.text`}),
		"a check on saving": body(journal, rule.Validate, "text", rule.Effect{Severity: rule.Advise, Must: `text != "Second"`, Message: "Say more"}),
		"in its currency":   body(journal, rule.Substitute, "total", rule.Effect{Value: "total + 0.004"}),
	} {
		t.Run(name, func(t *testing.T) {
			var there []rule.Body
			if name == "in its currency" {
				there = []rule.Body{currency, total}
			}
			numbers, d := entries(t, there...)
			c := prepare(t, d, name)
			put(t, d, c, b)
			_, real := entries(t, append(there, b)...)
			_, hits := replayed(t, d, c.ID, contract.ReplayRequest{})
			for _, number := range numbers {
				at := record.Ref{Kind: journal, Number: number}
				one, err := d.Replay.One(as(t), c.ID, at)
				require.NoError(t, err)
				assert.True(t, one.Known)
				assert.False(t, one.Drifted)
				found := slices.ContainsFunc(hits, func(h contract.RunHit) bool { return h.Number == number })
				assert.Equal(t, one.Hit.What != contract.RunHitWhatSame, found, "%s in the run", number)
				made, err := real.Records.Get(as(t), at)
				require.NoError(t, err)
				if one.After.Verdict != "accepted" {
					assert.NotEqual(t, contract.RecordStatePosted, made.State, "%s was posted", number)
					continue
				}
				assert.Equal(t, contract.RecordStatePosted, made.State, "%s was not posted", number)
				for _, f := range one.After.Fields {
					assert.Equal(t, made.Content.Values[f.Key], f.Final.Value, "%s of %s", f.Key, number)
				}
				for i, l := range one.After.Lines {
					for _, f := range l.Fields {
						assert.Equal(t, made.Content.Lines[i].Values[f.Key[len("lines."):]], f.Final.Value, "%s in line %d of %s", f.Key, l.Number, number)
					}
				}
			}
		})
	}
}

// entries does some work on documents of a harbour by some rules, and returns the numbers of the documents.
func entries(t *testing.T, rules ...rule.Body) ([]string, *app.App) {
	t.Helper()
	now := morning()
	s := onCopy(t, &harbourOnce, &harbourFile, func(s *store.Store) { fillHarbour(t, s) })
	d := app.New(s, func() time.Time { return now })
	// That a rule looked back is why it is known what was saved before.
	add(t, d, body(journal, rule.Validate, "reference", rule.Effect{Severity: rule.Advise, Must: `is blank(reference) or reference != previous.reference`, Message: "Again"}), rule.InForce)
	for _, b := range rules {
		add(t, d, b, rule.InForce)
	}
	customer := save(t, d, document("customer", "10", "WHOL", values{"name": "Harbour Grocers", "city": "Cork", "payment_terms": "N30"}))
	lines := func(amount string) []values {
		return []values{{"account": "1100", "debit": amount}, {"account": "4000", "credit": amount}}
	}
	var numbers []string
	posts := func(r contract.Record) {
		numbers = append(numbers, r.Number)
		post(t, d, r)
	}
	changes := func(r contract.Record, header values, amount string) contract.Record {
		changed := document(journal, "10", "JE", header, lines(amount)...)
		changed.Record = r.Number
		for key, value := range r.Content.Values { // a form sends what it shows
			if _, there := header[key]; !there {
				changed.Entered[key] = judge.Item{Value: value}
			}
		}
		answer, err := d.Records.Save(as(t), contract.SaveRequest{Document: changed, Version: r.Version})
		require.NoError(t, err)
		require.NotNil(t, answer.Record, "%v", answer.Outcome.Messages)
		return *answer.Record
	}
	posts(save(t, d, document(journal, "10", "JE", values{"customer": customer.Number}, lines("12.50")...)))
	posts(save(t, d, document(journal, "10", "JE", values{"customer": customer.Number, "text": "Said", "reference": "Mine"}, lines("25")...)))
	posts(changes(save(t, d, document(journal, "10", "JE", values{"customer": customer.Number, "text": "First"}, lines("40")...)), values{"text": "Second"}, "24"))
	// What no rule judged between saving and posting, as where a load is taken back, stands beside what rules had filled.
	restored := save(t, d, document(journal, "10", "JE", values{"customer": customer.Number}, lines("22")...))
	r, err := s.Record(as(t), journal, restored.Number)
	require.NoError(t, err)
	r.Content = r.Content.Clone()
	r.Values["due_date"], r.Lines[1].Values["text"] = "2026-12-24", "Restored"
	r, err = s.ChangeRecord(as(t), r, "restored", nil, record.Stamp{At: store.Instant(now.Add(time.Minute)), Person: "Ada", By: "Ada"})
	require.NoError(t, err)
	restored.Version = r.Version
	now = now.Add(time.Hour)
	d = app.New(s, func() time.Time { return now }) // it has not seen the record before
	posts(restored)
	// Between saving and posting the customer moves.
	waits := save(t, d, document(journal, "10", "JE", values{"customer": customer.Number}, lines("7")...))
	now = now.Add(time.Hour)
	moved := document("customer", "10", "WHOL", values{"name": "Harbour Grocers", "city": "Galway", "payment_terms": "N14"})
	moved.Record = customer.Number
	_, err = d.Records.Save(as(t), contract.SaveRequest{Document: moved, Version: customer.Version})
	require.NoError(t, err)
	now = now.Add(time.Hour)
	posts(waits)
	posts(save(t, d, document(journal, "10", "JE", values{"customer": customer.Number}, lines("31")...)))
	return numbers, d
}
