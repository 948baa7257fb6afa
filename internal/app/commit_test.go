package app_test

import (
	"fmt"
	"maps"
	"slices"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/sync/errgroup"

	"codicil/core/engine"
	"codicil/core/field"
	"codicil/core/judge"
	"codicil/core/plan"
	"codicil/core/proof"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/core/table"
	"codicil/internal/app"
	"codicil/internal/contract"
)

// What a document is judged by comes from what is saved, never from who saves it.
func TestACallerStatesADocumentAndNotWhatItIsJudgedBy(t *testing.T) {
	d := harbour(t)
	add(t, d, body("vendor", rule.Source, "clerk", rule.Effect{Mode: rule.Live, Value: "parent.clerk"}))
	add(t, d, body("vendor", rule.Validate, "bank_account", rule.Effect{Severity: rule.Refuse, Message: "taken", Unique: &rule.Unique{}}), rule.InForce)
	kept := save(t, d, document("vendor", "10", "TRAD", values{"name": "Quay Ropes", "bank_account": "IE64IRCE92050112345678"}))
	for name, forge := range map[string]func(*judge.Document){
		"carried":  func(d *judge.Document) { d.Fixtures = &judge.Fixtures{Alike: []judge.Alike{{Rule: 2, Company: "10"}}} },
		"previous": func(d *judge.Document) { d.Previous = &record.Content{Values: values{"name": "x"}} },
		"user":     func(d *judge.Document) { d.User = "The treasurer" },
		"stored":   func(d *judge.Document) { d.Stored = values{"bank_account": "IE64IRCE92050112345678"} },
		"changes":  func(d *judge.Document) { d.Changes = &plan.Changes{Rules: []rule.Rule{{ID: 2, State: rule.Suspended}}} },
	} {
		forged := document("vendor", "10", "TRAD", values{"name": "Forged", "bank_account": "IE64IRCE92050112345678"})
		forge(&forged)
		_, err := d.Records.Save(as(t), contract.SaveRequest{Document: forged})
		assert.Equal(t, "stated-facts", code(t, err), name)
		assert.ErrorContains(t, err, name)
		// To try it is another matter: that is what trials are for.
		_, err = d.Trials.Try(as(t), contract.TryRequest{Document: forged})
		assert.NoError(t, err, name)
	}
	honest := document("vendor", "10", "TRAD", values{"name": "Second", "bank_account": "IE64IRCE92050112345678"})
	answer, err := d.Records.Save(as(t), contract.SaveRequest{Document: honest})
	require.NoError(t, err)
	assert.Nil(t, answer.Record)
	assert.Equal(t, kept.Number, answer.Outcome.Messages[0].Records[0].Key)
	// The day is today, whatever the document says.
	add(t, d, body("vendor", rule.Default, "agreement_start", rule.Effect{Lifetime: rule.NewOnly, Value: "today()"}), rule.InForce)
	early := document("vendor", "10", "TRAD", values{"name": "Early"})
	early.Day = "2020-01-01"
	assert.Equal(t, "2026-11-24", save(t, d, early).Content.Values["agreement_start"])
}

// A record that is deleted while another that names it is saved leaves no link that leads
// nowhere: one of the two is refused.
func TestNoLinkIsLeftDangling(t *testing.T) {
	d := harbour(t)
	for i := range 60 {
		customer := save(t, d, document("customer", "10", "WHOL", values{"name": fmt.Sprintf("Customer %d", i)}))
		var group sync.WaitGroup
		var deleted error
		var answer contract.SaveAnswer
		group.Go(func() { deleted = d.Records.Delete(as(t), record.Ref{Kind: "customer", Number: customer.Number}) })
		group.Go(func() {
			var err error
			answer, err = d.Records.Save(as(t), contract.SaveRequest{Document: document("sales_order", "10", "SO", values{"customer": customer.Number})})
			assert.NoError(t, err)
		})
		group.Wait()
		_, err := d.Records.Get(as(t), record.Ref{Kind: "customer", Number: customer.Number})
		if answer.Record != nil {
			assert.NoError(t, err, "try %d: the order names %s, which is gone", i, customer.Number)
			assert.Equal(t, "linked", code(t, deleted))
		} else {
			assert.NoError(t, deleted)
			assert.Equal(t, "no-such-record", answer.Outcome.Messages[0].Code)
		}
	}
}

// Of two rules that wait for each other only one can be put in force, however close together.
func TestTwoRulesThatWaitForEachOtherAreNotBothPutInForce(t *testing.T) {
	for range 20 {
		d := harbour(t)
		one := add(t, d, body("vendor", rule.Default, "name", rule.Effect{Lifetime: rule.NewOnly, Value: "trading_as"}))
		other := add(t, d, body("vendor", rule.Default, "trading_as", rule.Effect{Lifetime: rule.NewOnly, Value: "name"}))
		var group sync.WaitGroup
		refused := make([]error, 2)
		for i, r := range []contract.RuleView{one, other} {
			group.Go(func() {
				_, refused[i] = d.Rules.Move(as(t), r.ID, contract.RuleMove{State: rule.InForce, Version: r.Version, Reason: "at once"})
			})
		}
		group.Wait()
		require.NotEqual(t, refused[0] == nil, refused[1] == nil, "%v, %v", refused[0], refused[1])
		for _, err := range refused {
			if err != nil {
				assert.Equal(t, "loop", code(t, err))
			}
		}
	}
}

// A loop that only comes on a later day is found when the rule is put in force.
func TestALoopOfALaterDayIsFound(t *testing.T) {
	d := harbour(t)
	later := body("vendor", rule.Default, "name", rule.Effect{Lifetime: rule.NewOnly, Value: "trading_as"})
	later.Scope.From = "2027-06-01"
	add(t, d, later, rule.InForce)
	v := add(t, d, body("vendor", rule.Default, "trading_as", rule.Effect{Lifetime: rule.NewOnly, Value: "name"}))
	_, err := d.Rules.Move(as(t), v.ID, contract.RuleMove{State: rule.InForce, Version: v.Version, Reason: "a test"})
	assert.Equal(t, "loop", code(t, err))
}

// However many rewrite one vendor at once, the versions are without a gap and every accepted
// change was made to what was there.
func TestManyWritersOfOneRecord(t *testing.T) {
	d := harbour(t)
	r := save(t, d, document("vendor", "10", "TRAD", values{"name": "Quay Ropes", "minimum_order": "0"}))
	var group sync.WaitGroup
	var mutex sync.Mutex
	kept := 0
	for range 12 {
		group.Go(func() {
			for range 20 {
				now, err := d.Records.Get(as(t), record.Ref{Kind: "vendor", Number: r.Number})
				assert.NoError(t, err)
				change := asSaved(&now, nil)
				change.Entered["note"] = judge.Item{}
				delete(change.Entered, "note")
				change.Entered["minimum_order"] = judge.Item{Value: fmt.Sprint(now.Version)}
				_, err = d.Records.Save(as(t), contract.SaveRequest{Document: change, Version: now.Version})
				if err != nil {
					assert.Equal(t, "changed-meanwhile", code(t, err))
					continue
				}
				mutex.Lock()
				kept++
				mutex.Unlock()
			}
		})
	}
	group.Wait()
	now, err := d.Records.Get(as(t), record.Ref{Kind: "vendor", Number: r.Number})
	require.NoError(t, err)
	assert.Equal(t, 1+kept, now.Version)
	assert.Equal(t, fmt.Sprint(kept), now.Content.Values["minimum_order"], "each change was made to the one before")
}

func TestTheRuleBookHasAVersionThatEverythingNames(t *testing.T) {
	d := harbour(t)
	version := func() int64 {
		c, err := d.Catalog.Catalog(as(t))
		require.NoError(t, err)
		return c.Version.Book
	}
	last := version()
	grows := func(what string, change func() error) {
		require.NoError(t, change(), what)
		now := version()
		assert.Greater(t, now, last, what)
		last = now
	}
	var v contract.RuleView
	grows("a rule", func() (err error) {
		v, err = d.Rules.Create(as(t), contract.RuleChange{Body: body("vendor", rule.Default, "clerk", rule.Effect{Lifetime: rule.NewOnly, Value: `"MOYA"`})})
		return err
	})
	grows("a rule in force", func() error {
		_, err := d.Rules.Move(as(t), v.ID, contract.RuleMove{State: rule.InForce, Version: v.Version, Reason: "a test"})
		return err
	})
	grows("a table", func() error {
		_, err := d.Tables.SaveStanding(as(t), "rate", contract.StandingChange{Standing: table.Standing{Field: field.Field{Key: "rate", Label: "Rate", Type: field.Number}, Periods: []table.StandingValue{{Value: "1"}}}})
		return err
	})
	grows("a field", func() error {
		_, err := d.Fields.Add(as(t), "vendor", field.Field{Key: "berth", Label: "Berth", Type: field.Text, Section: "general"})
		return err
	})
	layout := record.Layout{Sections: []record.LayoutSection{{Key: "general", Fields: []record.LayoutField{{Key: "name", Label: "Trading partner", Width: 4}}}}}
	for range 2 { // for all types of a company, again and again
		grows("a layout", func() error { _, err := d.Catalog.SaveLayout(as(t), "vendor", "10", "", layout); return err })
	}
	grows("a type", func() error {
		_, err := d.Catalog.SaveType(as(t), "vendor", "SERV", record.Type{Label: "Services"})
		return err
	})
	grows("a company", func() error {
		_, err := d.Catalog.SaveCompany(as(t), "30", record.Company{Name: "Kaisan", Country: "JP", Currency: "JPY", Rounding: "half-up"})
		return err
	})
	answer, err := d.Records.Save(as(t), contract.SaveRequest{Document: document("vendor", "10", "TRAD", values{"name": "Quay"})})
	require.NoError(t, err)
	assert.Equal(t, last, answer.Outcome.Version.Book)
	assert.NotEmpty(t, answer.Outcome.Version.Program)
	assert.Equal(t, last, version(), "what is saved is no change of the book")
	book, err := d.Books.Export(as(t))
	require.NoError(t, err)
	assert.Equal(t, last, book.RuleBook)
	// The company's own label is the one in refusals and on the plan.
	add(t, d, body("vendor", rule.Entry, "name", rule.Effect{Need: rule.Required}), rule.InForce)
	answer, err = d.Records.Save(as(t), contract.SaveRequest{Document: document("vendor", "10", "TRAD", values{})})
	require.NoError(t, err)
	assert.Equal(t, "Trading partner is required; enter it", answer.Outcome.Messages[0].Text)
	p, err := d.Rules.Plan(as(t), "vendor", "10", "TRAD", "2026-11-24")
	require.NoError(t, err)
	assert.Equal(t, "Trading partner", p.Fields[0].Label)
	p, err = d.Rules.Plan(as(t), "vendor", "20", "TRAD", "2026-11-24")
	require.NoError(t, err)
	assert.Equal(t, "Name", p.Fields[0].Label, "another company has its own")
}

// Every stored value knows who gave it, through saves and postings.
func TestEveryStoredValueKnowsItsOrigin(t *testing.T) {
	d := harbour(t)
	filled := add(t, d, body("sales_order", rule.Default, "salesperson", rule.Effect{Lifetime: rule.NewOnly, Value: `"FINN"`}), rule.InForce)
	computed := add(t, d, body("sales_order", rule.Compute, "lines.amount", rule.Effect{Value: "line.quantity * line.price"}), rule.InForce)
	item := save(t, d, document("item", "10", "SALT", values{"name": "Salt"}))
	customer := save(t, d, document("customer", "10", "WHOL", values{"name": "Quay"}))
	r := save(t, d, document("sales_order", "10", "SO", values{"customer": customer.Number, "reference": "A1"}, values{"item": item.Number, "quantity": "2", "price": "3"}))
	byRule := func(v contract.RuleView) record.Origin { return record.ByRule(v.ID, v.Version) }
	assert.Equal(t, record.Origins{"customer": record.Person, "reference": record.Person, "salesperson": byRule(filled)}, r.Content.Origins)
	assert.Equal(t, record.Origins{"item": record.Person, "quantity": record.Person, "price": record.Person, "amount": byRule(computed)}, r.Content.Lines[0].Origins)
	// Who saves it again changes nobody's authorship but that of what is changed.
	change := asSaved(&r, nil)
	change.Entered["reference"] = judge.Item{Value: "A2"}
	answer, err := d.Records.Save(as(t), contract.SaveRequest{Document: change, Version: r.Version})
	require.NoError(t, err)
	assert.Equal(t, r.Content.Origins, answer.Record.Content.Origins)
	posted := post(t, d, *answer.Record)
	require.NotNil(t, posted.Record)
	assert.Equal(t, r.Content.Origins, posted.Record.Content.Origins)
	history, err := d.Records.History(as(t), record.Ref{Kind: "sales_order", Number: r.Number}, nil)
	require.NoError(t, err)
	assert.Len(t, history, 3)

	// What came over from the record before is carried, unless somebody changed it.
	f, err := d.Catalog.SaveFollowOn(as(t), record.FollowOn{Name: "Order again", From: "sales_order", To: "sales_order", Type: "SO", Pairs: []record.Pair{{From: "customer", To: "customer"}, {From: "reference", To: "reference"}}})
	require.NoError(t, err)
	begun, err := d.Records.Begin(as(t), f.ID, contract.BeginRequest{Number: r.Number})
	require.NoError(t, err)
	begun.Document.Entered["reference"] = judge.Item{Value: "B7"}
	next, err := d.Records.Save(as(t), contract.SaveRequest{Document: begun.Document, Origin: &begun.Origin})
	require.NoError(t, err)
	require.NotNil(t, next.Record, "%v", next.Outcome.Messages)
	assert.Equal(t, record.Origins{"customer": record.Carried, "reference": record.Person, "salesperson": byRule(filled)}, next.Record.Content.Origins)
}

// A live value is that of the linked record in every list as soon as that is saved; what is
// posted keeps what it had.
func TestALiveValueIsLiveWhereverItIsRead(t *testing.T) {
	d := harbour(t)
	live := add(t, d, body("sales_order", rule.Source, "credit_limit", rule.Effect{Mode: rule.Live, Value: "customer.credit_limit"}), rule.InForce)
	add(t, d, body("sales_order", rule.Source, "note", rule.Effect{Mode: rule.Live, Value: "customer.price_list.name"}), rule.InForce)
	_, err := d.Catalog.SaveType(as(t), "price_list", "LIST", record.Type{Label: "List"})
	require.NoError(t, err)
	list := save(t, d, document("price_list", "10", "LIST", values{"name": "Summer"}))
	customer := save(t, d, document("customer", "10", "WHOL", values{"name": "Quay", "credit_limit": "500", "price_list": list.Number}))
	open := save(t, d, document("sales_order", "10", "SO", values{"customer": customer.Number}))
	frozen := post(t, d, save(t, d, document("sales_order", "10", "SO", values{"customer": customer.Number})))
	assert.Equal(t, [2]string{"500", "Summer"}, [2]string{open.Content.Values["credit_limit"], open.Content.Values["note"]})
	change := func(r contract.Record, key, value string) {
		now, err := d.Records.Get(as(t), record.Ref{Kind: r.Kind, Number: r.Number})
		require.NoError(t, err)
		document := asSaved(&now, nil)
		document.Entered[key] = judge.Item{Value: value}
		answer, err := d.Records.Save(as(t), contract.SaveRequest{Document: document, Version: now.Version})
		require.NoError(t, err)
		require.NotNil(t, answer.Record, "%v", answer.Outcome.Messages)
	}
	change(customer, "credit_limit", "900")
	change(list, "name", "Winter")
	now, err := d.Records.Get(as(t), record.Ref{Kind: "sales_order", Number: open.Number})
	require.NoError(t, err)
	assert.Equal(t, [2]string{"900", "Winter"}, [2]string{now.Content.Values["credit_limit"], now.Content.Values["note"]}, "over one link, and over two")
	assert.Equal(t, record.ByRule(live.ID, live.Version), now.Content.Origins["credit_limit"])
	text, err := exported(t, d, contract.ListRequest{Kind: "sales_order", Columns: []string{"credit_limit", "note"}, Selection: record.Selection{Filters: []record.Filter{{Field: "credit_limit", Relation: "is", Value: "900"}}}})
	require.NoError(t, err)
	assert.Equal(t, "number,company,type,state,credit_limit,note\n"+open.Number+",10,SO,kept,900,Winter\n", text)
	posted, err := d.Records.Get(as(t), record.Ref{Kind: "sales_order", Number: frozen.Record.Number})
	require.NoError(t, err)
	assert.Equal(t, "500", posted.Content.Values["credit_limit"], "posting froze it")
	history, err := d.Records.History(as(t), record.Ref{Kind: "sales_order", Number: open.Number}, nil)
	require.NoError(t, err)
	assert.Equal(t, "live", history[0].What)
}

// More records than one commit takes follow in further commits.
func TestManyLiveValuesFollowInTurn(t *testing.T) {
	d := harbour(t)
	add(t, d, body("sales_order", rule.Source, "credit_limit", rule.Effect{Mode: rule.Live, Value: "customer.credit_limit"}), rule.InForce)
	customer := save(t, d, document("customer", "10", "WHOL", values{"name": "Quay", "credit_limit": "500"}))
	const orders = 1100
	for range orders {
		save(t, d, document("sales_order", "10", "SO", values{"customer": customer.Number}))
	}
	document := asSaved(&customer, nil)
	document.Entered["credit_limit"] = judge.Item{Value: "900"}
	_, err := d.Records.Save(as(t), contract.SaveRequest{Document: document, Version: customer.Version})
	require.NoError(t, err)
	assert.Equal(t, orders, counted(t, d, "sales_order", record.Filter{Field: "credit_limit", Relation: "is", Value: "900"}))
}

// A reason stays with the version, is shown in the history and the posting, and is asked again
// only when what the check reads has changed.
func TestAReasonIsKeptAndNotAskedAgain(t *testing.T) {
	d := harbour(t)
	check := add(t, d, body("sales_order", rule.Validate, "salesperson", rule.Effect{Severity: rule.Confirm, Must: `salesperson = "FINN"`, Message: "Say why it is not Finn."}), rule.InForce)
	given := document("sales_order", "10", "SO", values{"salesperson": "BIRK"})
	given.Reasons = map[int64]string{check.ID: "Finn is away"}
	r := save(t, d, given)
	require.Len(t, r.Content.Reasons, 1)
	assert.Equal(t, "Finn is away", r.Content.Reasons[0].Text)
	assert.Equal(t, "Ada", r.Content.Reasons[0].By)

	change := asSaved(&r, nil)
	change.Entered["reference"] = judge.Item{Value: "A1"}
	answer, err := d.Records.Save(as(t), contract.SaveRequest{Document: change, Version: r.Version})
	require.NoError(t, err)
	require.NotNil(t, answer.Record, "nobody is asked again: %v", answer.Outcome.Messages)
	assert.Equal(t, r.Content.Reasons, answer.Record.Content.Reasons)
	assert.Equal(t, "Finn is away", answer.Outcome.Messages[0].Given.Text)

	change = asSaved(answer.Record, nil)
	change.Entered["salesperson"] = judge.Item{Value: "SIF"}
	another, err := d.Records.Save(as(t), contract.SaveRequest{Document: change, Version: answer.Record.Version})
	require.NoError(t, err)
	assert.Nil(t, another.Record, "another salesperson is another question")
	assert.EqualValues(t, engine.NeedsReason, another.Outcome.Verdict)

	posted := post(t, d, *answer.Record)
	require.NotNil(t, posted.Record, "%v", posted.Outcome.Messages)
	p, err := d.Posting.Posting(as(t), "books", r.Number, nil)
	require.NoError(t, err)
	assert.Equal(t, "Finn is away", p.Outcome.Messages[0].Reason)
	history, err := d.Records.History(as(t), record.Ref{Kind: "sales_order", Number: r.Number}, nil)
	require.NoError(t, err)
	assert.Equal(t, []string{"Finn is away", "Finn is away", "Finn is away"}, []string{history[0].Reasons[0].Text, history[1].Reasons[0].Text, history[2].Reasons[0].Text})
	assert.Equal(t, check.Name, history[0].Reasons[0].Name)
}

func TestTheHistoryOfADeletedRecordCanBeRead(t *testing.T) {
	d := harbour(t)
	r := save(t, d, document("vendor", "10", "TRAD", values{"name": "Quay Ropes"}))
	require.NoError(t, d.Records.Delete(as(t), record.Ref{Kind: "vendor", Number: r.Number}))
	_, err := d.Records.Get(as(t), record.Ref{Kind: "vendor", Number: r.Number})
	assert.Equal(t, "not-found", code(t, err))
	history, err := d.Records.History(as(t), record.Ref{Kind: "vendor", Number: r.Number}, nil)
	require.NoError(t, err)
	require.Len(t, history, 2)
	assert.Equal(t, "deleted", history[0].What)
	assert.Equal(t, "Quay Ropes", history[1].Changes[0].After.Text)
	_, err = d.Records.History(as(t), record.Ref{Kind: "vendor", Number: "V10999"}, nil)
	assert.Equal(t, "not-found", code(t, err))
}

// Changing a rule in force asks as much as putting one in force; why it was done stays with
// its versions. A retired rule can be taken up again.
func TestARuleInForceIsNotChangedWithoutAWord(t *testing.T) {
	d := harbour(t)
	save(t, d, document("vendor", "10", "TRAD", values{"name": "Quay Ropes"}))
	v := add(t, d, body("vendor", rule.Validate, "name", rule.Effect{Severity: rule.Refuse, Must: `is filled(name)`, Message: "m"}), rule.InForce)
	next := v.Body
	next.Effect.Must = `name = "Other"`
	_, err := d.Rules.Change(as(t), v.ID, contract.RuleChange{Version: v.Version, Body: next})
	assert.Equal(t, "needs-reason", code(t, err))
	assert.ErrorContains(t, err, "it would refuse 1 of 1 saved records")
	run, _ := effect(t, d, contract.ImpactRequest{Rule: v.ID, Change: &contract.RuleChange{Version: v.Version, Body: next}})
	assert.Equal(t, map[string]int{"looked": 1, "refused": 1, "changed": 0}, run.Counts)
	v, err = d.Rules.Change(as(t), v.ID, contract.RuleChange{Version: v.Version, Body: next, Reason: "agreed with Moya"})
	require.NoError(t, err)
	versions, err := d.Rules.Versions(as(t), v.ID)
	require.NoError(t, err)
	assert.Equal(t, "agreed with Moya", versions[0].Reason)
	assert.Equal(t, "a test", versions[1].Reason)
	assert.Equal(t, []string{"For vendors in all companies, refuse unless Name is Other.", "For vendors in all companies, refuse unless Name is filled."}, []string{versions[0].Sentence, versions[1].Sentence})
	// A name or a note is no change of what it does.
	_, err = d.Rules.Change(as(t), v.ID, contract.RuleChange{Version: v.Version, Name: "Mine", Body: next})
	require.NoError(t, err)
	v, err = d.Rules.Get(as(t), v.ID)
	require.NoError(t, err)

	// Many at once ask the same, and say which rule blocks this.
	draft := add(t, d, body("vendor", rule.Substitute, "clerk", rule.Effect{Value: `"MOYA"`}))
	loop := add(t, d, body("vendor", rule.Default, "name", rule.Effect{Lifetime: rule.NewOnly, Value: "name + trading_as"}))
	broken := add(t, d, body("vendor", rule.Default, "clerk", rule.Effect{Lifetime: rule.NewOnly, Value: "nonsense"}))
	dry, err := d.Rules.MoveMany(as(t), contract.MoveManyRequest{Rules: []int64{draft.ID, loop.ID, broken.ID}, State: rule.InForce, Dry: true})
	require.NoError(t, err)
	assert.Equal(t, 1, dry.Affected, "a draft counts as if it acted")
	codes := map[int64]string{}
	for _, r := range dry.InTheWay {
		codes[r.Rule] = r.Code
	}
	assert.Equal(t, map[int64]string{draft.ID: "needs-reason", loop.ID: "needs-reason", broken.ID: "unsound-rule"}, codes)
	_, err = d.Rules.MoveMany(as(t), contract.MoveManyRequest{Rules: []int64{draft.ID, broken.ID}, State: rule.InForce, Reason: "all of them"})
	assert.Equal(t, "unsound-rule", code(t, err))
	assert.ErrorContains(t, err, fmt.Sprintf("rule %d", broken.ID))
	kept, err := d.Rules.Get(as(t), draft.ID)
	require.NoError(t, err)
	assert.Equal(t, rule.Draft, kept.State, "all of them, or none")

	v, err = d.Rules.Move(as(t), v.ID, contract.RuleMove{State: rule.Retired, Version: v.Version})
	require.NoError(t, err)
	v, err = d.Rules.Move(as(t), v.ID, contract.RuleMove{State: rule.Draft, Version: v.Version})
	require.NoError(t, err)
	assert.Equal(t, rule.Draft, v.State)
}

// What is shown with a rule that is being written is what is posted, and a proof that is kept
// from it carries the rule until it is in force.
func TestADraftIsPostedAsItIsShown(t *testing.T) {
	d := harbour(t)
	v := add(t, d, body("vendor", rule.Default, "clerk", rule.Effect{Lifetime: rule.NewOnly, Value: `"MOYA"`}), rule.InForce)
	next := v.Body
	next.Effect.Value = `"KURTX"`
	given := document("vendor", "10", "TRAD", values{"name": "Quay"})
	given.Day = "2026-11-24"
	given.Changes = &plan.Changes{Rules: []rule.Rule{{ID: v.ID, Version: v.Version, State: rule.Draft, Name: v.Name, Body: next}}}
	shown, err := d.Trials.Try(as(t), contract.TryRequest{Document: given})
	require.NoError(t, err)
	posted, outcome, err := d.Posting.PostTest(as(t), contract.TryRequest{Document: given})
	require.NoError(t, err)
	require.NotNil(t, posted)
	assert.Equal(t, shown, outcome)
	assert.Equal(t, []contract.RuleRef{{Rule: v.ID, Version: v.Version, Name: v.Name}}, posted.Outcome.Changes)
	clerk := func(o contract.Outcome) string {
		for _, f := range o.Fields {
			if f.Key == "clerk" {
				return f.Final.Value
			}
		}
		return ""
	}
	assert.Equal(t, "KURTX", clerk(posted.Outcome))
	kept, err := d.Proofs.Keep(as(t), contract.KeepRequest{Document: posted.Document, Posting: posted.Summary.Number})
	require.NoError(t, err)
	holds := func() bool {
		run, err := d.Proofs.Run(as(t), contract.RunRequest{Kind: "vendor", Proofs: []int64{kept.ID}})
		require.NoError(t, err)
		return run.Held == 1
	}
	assert.True(t, holds(), "with the rule that it carries")
	v, err = d.Rules.Change(as(t), v.ID, contract.RuleChange{Version: v.Version, Body: next, Reason: "a test"})
	require.NoError(t, err)
	assert.True(t, holds(), "with the rule in force")
	next.Effect.Value = `"SIF"`
	_, err = d.Rules.Change(as(t), v.ID, contract.RuleChange{Version: v.Version, Body: next, Reason: "a test"})
	require.NoError(t, err)
	assert.False(t, holds(), "the rule has moved on")
}

// Accepting what came out says why, can be taken back, and is told by whom and when.
func TestAProofRemembersWhatItWas(t *testing.T) {
	d := office(t)
	v := add(t, d, terms(`"N30"`, rule.Scope{}), rule.InForce)
	p, err := d.Proofs.Keep(as(t), contract.KeepRequest{Document: withDay(document("vendor", "10", "TRAD", values{"name": "Quay"}))})
	require.NoError(t, err)
	next := v.Body
	next.Effect.Value = `"N45"`
	_, err = d.Rules.Change(as(t), v.ID, contract.RuleChange{Version: v.Version, Body: next, Reason: "a test"})
	require.NoError(t, err)
	_, err = d.Proofs.Accept(as(t), p.ID, contract.AcceptRequest{Why: "  "})
	assert.Equal(t, "no-reason", code(t, err))
	accepted, err := d.Proofs.Accept(as(t), p.ID, contract.AcceptRequest{Why: "the terms were raised"})
	require.NoError(t, err)
	assert.Equal(t, "N45", accepted.Expect.Values["terms"])
	_, err = d.Proofs.Accept(as(t), p.ID, contract.AcceptRequest{Why: "again", Version: 1})
	assert.Equal(t, "changed-meanwhile", code(t, err))
	back, err := d.Proofs.TakeBack(as(t), p.ID)
	require.NoError(t, err)
	assert.Equal(t, "N30", back.Expect.Values["terms"])
	versions, err := d.Proofs.Versions(as(t), p.ID)
	require.NoError(t, err)
	told := []string{}
	for _, v := range versions {
		told = append(told, fmt.Sprintf("%d %s by %s: %s", v.Version, v.What, v.ChangedBy, v.Why))
	}
	assert.Equal(t, []string{"3 taken back by Ada: as it was in version 1", "2 accepted by Ada: the terms were raised", "1 kept by Ada: "}, told)
}

// Proofs of before expected the texts of messages; they expect who speaks now.
func TestAnOlderProofExpectsWhoSpeaks(t *testing.T) {
	expected := proof.Message{Severity: rule.Refuse, Field: "name", Rule: 7}
	assert.True(t, expected.Fits(proof.Message{Severity: rule.Refuse, Field: "name", Rule: 7, Code: "rule", Values: []string{"5"}}))
	assert.False(t, expected.Fits(proof.Message{Severity: rule.Advise, Field: "name", Rule: 7, Code: "rule"}))
}

// Today is that of the company's time zone, for everything alike.
func TestTodayIsThatOfTheCompany(t *testing.T) {
	late := time.Date(2026, 11, 24, 20, 30, 0, 0, time.UTC) // the 25th in Tokyo
	d := officeAt(t, late)
	_, err := d.Catalog.SaveCompany(as(t), "30", record.Company{Name: "Kaisan", Country: "JP", Currency: "JPY", Rounding: "half-up", TimeZone: "Asia/Tokyo"})
	require.NoError(t, err)
	add(t, d, body("vendor", rule.Default, "ends", rule.Effect{Lifetime: rule.NewOnly, Value: "today()"}), rule.InForce)
	for company, want := range map[string]string{"10": "2026-11-24", "30": "2026-11-25"} {
		given := document("vendor", company, "TRAD", values{"name": "Quay"})
		out, err := d.Trials.Try(as(t), contract.TryRequest{Document: given, Moment: rule.Saving})
		require.NoError(t, err)
		r := save(t, d, given)
		assert.Equal(t, [3]string{want, want, want}, [3]string{out.Today, out.Fields[2].Final.Value, r.Content.Values["ends"]}, company)
	}
}

// The day of a document is that of its own field, wherever it is judged; a rule that moves it
// on and on is refused.
func TestADocumentIsJudgedByTheRulesOfItsDay(t *testing.T) {
	d := harbour(t)
	later := body("sales_order", rule.Default, "reference", rule.Effect{Lifetime: rule.NewOnly, Value: `"Y2027"`})
	later.Scope.From = "2027-01-01"
	add(t, d, later, rule.InForce)
	moved := add(t, d, body("sales_order", rule.Default, "ordered_on", rule.Effect{Lifetime: rule.NewOnly, Value: "date(2027, 2, 1)"}), rule.InForce)
	for entered, want := range map[string]string{"2027-02-15": "Y2027", "2026-12-31": "", "": "Y2027"} {
		given := document("sales_order", "10", "SO", values{})
		if entered != "" {
			given.Entered["ordered_on"] = judge.Item{Value: entered}
		}
		shown, err := d.Trials.Try(as(t), contract.TryRequest{Document: given, Moment: rule.Saving})
		require.NoError(t, err)
		r := save(t, d, given)
		assert.Equal(t, [2]string{want, want}, [2]string{ofOutcome(&shown).Values["reference"], r.Content.Values["reference"]}, "ordered on %q", entered)
	}
	// In 2027 another rule puts it back before that year.
	back := body("sales_order", rule.Substitute, "ordered_on", rule.Effect{Value: "date(2026, 6, 1)"})
	back.Scope.From = "2027-01-01"
	other := add(t, d, back, rule.InForce)
	answer, err := d.Records.Save(as(t), contract.SaveRequest{Document: document("sales_order", "10", "SO", values{})})
	require.NoError(t, err)
	assert.Nil(t, answer.Record)
	m := answer.Outcome.Messages[len(answer.Outcome.Messages)-1]
	assert.Equal(t, "day-moves", m.Code)
	assert.Contains(t, m.Text, fmt.Sprintf("rule %d and rule %d", moved.ID, other.ID))
}

// An order that is invoiced already says so, and a check can read it.
func TestWhatFollowsAlreadyCanBeChecked(t *testing.T) {
	d := harbour(t)
	add(t, d, body("sales_order", rule.Validate, "reference", rule.Effect{Severity: rule.Refuse, Must: "preceding.followers = 0", Message: "{preceding.number} is followed already."}), rule.InForce)
	quote := save(t, d, document("quotation", "10", "QT", values{}))
	follow := func() contract.SaveAnswer {
		answer, err := d.Records.Save(as(t), contract.SaveRequest{Document: document("sales_order", "10", "SO", values{}), Origin: &contract.Use{What: "quotation", Key: quote.Number}})
		require.NoError(t, err)
		return answer
	}
	first := follow()
	require.NotNil(t, first.Record, "%v", first.Outcome.Messages)
	again := follow()
	assert.Nil(t, again.Record)
	assert.Equal(t, quote.Number+" is followed already.", again.Outcome.Messages[0].Text)
	// The first one is not in its own way.
	change := asSaved(first.Record, nil)
	answer, err := d.Records.Save(as(t), contract.SaveRequest{Document: change, Version: first.Record.Version})
	require.NoError(t, err)
	assert.NotNil(t, answer.Record)
}

// The number that is shown ahead is the one that is given, random parts and all.
func TestARandomNumberIsGivenAsItWasShown(t *testing.T) {
	d := harbour(t)
	view, err := d.Tables.SaveSeries(as(t), "orders", contract.SeriesChange{Series: table.Series{Label: "Orders", Start: 1, Step: 1,
		Parts: []table.Part{{Is: table.Constant, Text: "S"}, {Is: table.Counter, Digits: 3}, {Is: table.Constant, Text: "-"}, {Is: table.Random, Digits: 5}}, Numbers: &table.Numbered{Kind: "sales_order"}}})
	require.NoError(t, err)
	for i := range 3 {
		r := save(t, d, document("sales_order", "10", "SO", values{}))
		assert.Equal(t, view.Counts[0].Next[i], r.Number)
	}
}

// A document that is judged again, because a rule moves its day, takes no second number.
func TestADayThatMovesTakesOneNumber(t *testing.T) {
	d := harbour(t)
	_, err := d.Tables.SaveSeries(as(t), "confirmations", contract.SeriesChange{Series: table.Series{Label: "Confirmations", Start: 1, Step: 1, Parts: []table.Part{{Is: table.Constant, Text: "K"}, {Is: table.Counter, Digits: 3}}}})
	require.NoError(t, err)
	add(t, d, body("sales_order", rule.Default, "ordered_on", rule.Effect{Lifetime: rule.NewOnly, Value: `today() + duration("P1D")`}), rule.InForce)
	add(t, d, body("sales_order", rule.Default, "reference", rule.Effect{Lifetime: rule.NewOnly, Series: "confirmations"}), rule.InForce)
	for _, want := range []string{"K001", "K002", "K003"} {
		shown, err := d.Trials.Try(as(t), contract.TryRequest{Document: document("sales_order", "10", "SO", values{"note": "x"}), Moment: rule.Saving})
		require.NoError(t, err)
		assert.Equal(t, "2026-11-25", shown.Day)
		r := save(t, d, document("sales_order", "10", "SO", values{"note": "x"}))
		assert.Equal(t, []string{want, want}, []string{ofOutcome(&shown).Values["reference"], r.Content.Values["reference"]})
	}
}

// A stored code is never read as another: not as the choice whose label it is, nor as one that
// begins with it.
func TestWhatIsStoredIsReadExactly(t *testing.T) {
	d := harbour(t)
	f := field.Field{Key: "grade", Label: "Grade", Type: field.Choice, Section: "general", Choices: []field.Option{{Code: "B", Label: "A"}, {Code: "A", Label: "Alpha"}, {Code: "X1", Label: "Extra"}}}
	_, err := d.Fields.Add(as(t), "vendor", f)
	require.NoError(t, err)
	given := document("vendor", "10", "TRAD", values{"name": "Quay"})
	given.Entered["grade"] = judge.Item{Value: "A"}
	r := save(t, d, given)
	assert.Equal(t, "A", r.Content.Values["grade"])
	again := asSaved(&r, nil)
	answer, err := d.Records.Save(as(t), contract.SaveRequest{Document: again, Version: r.Version})
	require.NoError(t, err)
	assert.Equal(t, "A", answer.Record.Content.Values["grade"])
	given.Entered = maps.Clone(given.Entered)
	given.Entered["grade"] = judge.Item{Value: "X"}
	out, err := d.Trials.Try(as(t), contract.TryRequest{Document: given})
	require.NoError(t, err)
	assert.EqualValues(t, engine.Refused, out.Verdict, "a code that is no choice is refused, not read as one that begins so")
	typed := document("vendor", "10", "TRAD", values{"name": "Quay", "grade": "ext"})
	assert.Equal(t, "X1", save(t, d, typed).Content.Values["grade"], "a person may type the beginning of a label")
}

func officeAt(t *testing.T, now time.Time) *app.App {
	t.Helper()
	return appOver(t, func() time.Time { return now })
}

// What can no longer be computed as it was is told by the values that were kept, with who gave them.
func TestWhatComesOutOtherwiseNowIsToldByItsValues(t *testing.T) {
	d := harbour(t)
	v := add(t, d, body("vendor", rule.Compute, "credit_limit", rule.Effect{Value: "0.125"}), rule.InForce)
	r := save(t, d, document("vendor", "10", "TRAD", values{"name": "Quay Ropes"}))
	require.Equal(t, "0.13", r.Content.Values["credit_limit"])
	told := func() (contract.Told, contract.FieldOutcome) {
		told, err := d.Records.ToldOf(as(t), record.Ref{Kind: "vendor", Number: r.Number}, 1, "", nil)
		require.NoError(t, err)
		i := slices.IndexFunc(told.Outcome.Fields, func(f contract.FieldOutcome) bool { return f.Key == "credit_limit" })
		return told.Told, told.Outcome.Fields[i]
	}
	how, f := told()
	assert.Equal(t, contract.Again, how)
	assert.NotEmpty(t, f.Acts)
	_, err := d.Catalog.SaveCompany(as(t), "10", record.Company{Name: "Salt Works", Country: "IE", Currency: "EUR", Rounding: "half-even"})
	require.NoError(t, err)
	how, f = told()
	assert.Equal(t, contract.Values, how, "0.125 is rounded to 0.12 now")
	assert.Equal(t, "0.13", f.Final.Value)
	assert.Equal(t, fmt.Sprintf("rule %d v%d", v.ID, v.Version), f.Origin)
	assert.Empty(t, f.Acts)
	_, err = d.Records.ToldOf(as(t), record.Ref{Kind: "vendor", Number: r.Number}, 9, "", nil)
	assert.Equal(t, "not-found", code(t, err))
}

// Fields that came since, or went, change nothing in what is told of a record, whatever a company calls its fields.
func TestWhatWasJudgedIsToldWithTheFieldsOfThen(t *testing.T) {
	d := harbour(t)
	_, err := d.Catalog.SaveLayout(as(t), "vendor", "10", "", record.Layout{Sections: []record.LayoutSection{{Key: "general", Fields: []record.LayoutField{{Key: "name", Label: "Trading partner", Width: 6}}}}})
	require.NoError(t, err)
	r := save(t, d, document("vendor", "10", "TRAD", values{"name": "Quay Ropes"}))
	told := func() []contract.FieldOutcome {
		told, err := d.Records.ToldOf(as(t), record.Ref{Kind: "vendor", Number: r.Number}, 1, "", nil)
		require.NoError(t, err)
		assert.Equal(t, contract.Again, told.Told)
		return told.Outcome.Fields
	}
	before := told()
	_, err = d.Fields.Add(as(t), "vendor", field.Field{Key: "berth", Label: "Berth", Section: "general", Type: field.Text, Length: 20})
	require.NoError(t, err)
	assert.Equal(t, before, told())
}

// Who gave the values of lines is known as long as they stand, however often the document is saved and posted.
func TestLinesKeepTheirOrigins(t *testing.T) {
	d := harbour(t)
	v := add(t, d, body("sales_order", rule.Default, "lines.text", rule.Effect{Lifetime: rule.NewOnly, Value: `"Ropes"`}), rule.InForce)
	r := save(t, d, document("sales_order", "10", "SO", values{"reference": "A1"}, values{"quantity": "2"}))
	want := record.Origins{"quantity": record.Person, "text": record.ByRule(v.ID, v.Version)}
	assert.Equal(t, want, r.Content.Lines[0].Origins)
	change := asSaved(&r, nil)
	change.Entered["reference"] = judge.Item{Value: "A2"}
	answer, err := d.Records.Save(as(t), contract.SaveRequest{Document: change, Version: r.Version})
	require.NoError(t, err)
	assert.Equal(t, want, answer.Record.Content.Lines[0].Origins)
	posted := post(t, d, *answer.Record)
	require.NotNil(t, posted.Record, "%v", posted.Outcome.Messages)
	assert.Equal(t, want, posted.Record.Content.Lines[0].Origins)
}

// A value is told by the version in which it came, whatever was saved and written since.
func TestAValueIsToldByTheVersionInWhichItCame(t *testing.T) {
	d := harbour(t)
	v := add(t, d, body("vendor", rule.Default, "clerk", rule.Effect{Lifetime: rule.NewOnly, Value: `"MOYA"`}), rule.InForce)
	r := save(t, d, document("vendor", "10", "TRAD", values{"name": "Quay Ropes"}))
	change := asSaved(&r, nil)
	change.Entered["name"] = judge.Item{Value: "Quay Ropes Ltd"}
	_, err := d.Records.Save(as(t), contract.SaveRequest{Document: change, Version: r.Version})
	require.NoError(t, err)
	at := record.Ref{Kind: "vendor", Number: r.Number}
	for address, version := range map[string]int{"clerk": 1, "name": 2, "": 2} {
		told, err := d.Records.ToldOf(as(t), at, 2, address, nil)
		require.NoError(t, err)
		assert.Equal(t, version, told.Version, address)
		if address != "clerk" {
			continue
		}
		i := slices.IndexFunc(told.Outcome.Fields, func(f contract.FieldOutcome) bool { return f.Key == "clerk" })
		require.NotEmpty(t, told.Outcome.Fields[i].Acts)
		assert.Equal(t, v.ID, told.Outcome.Fields[i].Acts[0].Rule)
	}
	_, err = d.Records.ToldOf(as(t), at, 2, "nope", nil)
	assert.Equal(t, "unknown-field", code(t, err))
}

// A document that names a vendor while it is saved has its live values, whichever of the two is written first.
func TestWhatNamesARecordAsItChangesHasItsLiveValues(t *testing.T) {
	d := payables(t)
	add(t, d, body("accounting_document", rule.Source, "reference", rule.Effect{Mode: rule.Live, Value: "vendor.city"}), rule.InForce)
	one := vendor(t, d, "10", values{"name": "Quay Ropes", "city": "Cork"})
	const rounds, bills = 12, 3
	for round := range rounds {
		city := fmt.Sprint("Carrow ", round)
		changed := document("vendor", "10", "TRAD", values{"name": "Quay Ropes", "city": city})
		changed.Record = one.Number
		numbers := make([]string, bills)
		var group errgroup.Group
		group.Go(func() error {
			answer, err := d.Records.Save(as(t), contract.SaveRequest{Document: changed, Version: one.Version})
			if err == nil {
				one = *answer.Record
			}
			return err
		})
		for i := range bills {
			group.Go(func() error {
				answer, err := d.Records.Save(as(t), contract.SaveRequest{Document: document("accounting_document", "10", "JE", values{"vendor": "V10001"})})
				if err == nil {
					numbers[i] = answer.Record.Number
				}
				return err
			})
		}
		require.NoError(t, group.Wait())
		for _, number := range numbers {
			require.Equal(t, city, get(t, d, "accounting_document", number).Content.Values["reference"], "round %d", round)
		}
	}
}

// A live value that reads another live value follows it, over as many records as lead to it, also where more follow than one commit
// takes; one that it reads in its condition, too.
func TestALiveValueFollowsALiveValue(t *testing.T) {
	d := harbour(t)
	for _, kind := range []string{"customer", "sales_order"} {
		_, err := d.Fields.Add(as(t), kind, field.Field{Key: "season", Label: "Season", Section: "general", Type: field.Text, Length: 40})
		require.NoError(t, err)
	}
	add(t, d, body("customer", rule.Source, "season", rule.Effect{Mode: rule.Live, Value: "price_list.name"}), rule.InForce)
	add(t, d, body("sales_order", rule.Source, "season", rule.Effect{Mode: rule.Live, Value: "customer.season"}), rule.InForce)
	asked := body("sales_order", rule.Source, "note", rule.Effect{Mode: rule.Live, Value: "customer.name"})
	asked.When = `starts with(customer.season, "W")`
	add(t, d, asked, rule.InForce)
	_, err := d.Catalog.SaveType(as(t), "price_list", "LIST", record.Type{Label: "List"})
	require.NoError(t, err)
	list := save(t, d, document("price_list", "10", "LIST", values{"name": "Summer"}))
	customer := save(t, d, document("customer", "10", "WHOL", values{"name": "Quay", "price_list": list.Number}))
	const orders = 1010
	for range orders {
		save(t, d, document("sales_order", "10", "SO", values{"customer": customer.Number}))
	}
	count := func(key, value string) int {
		return counted(t, d, "sales_order", record.Filter{Field: key, Relation: "is", Value: value})
	}
	assert.Equal(t, orders, count("season", "Summer"))
	document := asSaved(&list, nil)
	document.Entered["name"] = judge.Item{Value: "Winter"}
	_, err = d.Records.Save(as(t), contract.SaveRequest{Document: document, Version: list.Version})
	require.NoError(t, err)
	assert.Equal(t, "Winter", get(t, d, "customer", customer.Number).Content.Values["season"])
	assert.Equal(t, [2]int{orders, orders}, [2]int{count("season", "Winter"), count("note", "Quay")})
}

// Where records lead in a circle, what is live becomes the same all around, and ends.
func TestLiveValuesEndInACircle(t *testing.T) {
	d := harbour(t)
	_, err := d.Fields.Add(as(t), "vendor", field.Field{Key: "parent", Label: "Parent", Section: "general", Type: field.Link, Kind: "vendor"})
	require.NoError(t, err)
	_, err = d.Fields.Add(as(t), "vendor", field.Field{Key: "family", Label: "Family", Section: "general", Type: field.Text, Length: 20})
	require.NoError(t, err)
	var circle []contract.Record
	for i := range 4 {
		circle = append(circle, vendor(t, d, "10", values{"name": fmt.Sprint("Quay ", i), "family": fmt.Sprint("F", i)}))
	}
	saved := func(i int) {
		now := get(t, d, "vendor", circle[i].Number)
		document := asSaved(&now, nil)
		document.Entered["parent"] = judge.Item{Value: circle[(i+1)%len(circle)].Number}
		document.Entered["city"] = judge.Item{Value: fmt.Sprint("Carrow ", now.Version)}
		answer, err := d.Records.Save(as(t), contract.SaveRequest{Document: document, Version: now.Version})
		require.NoError(t, err)
		require.NotNil(t, answer.Record, "%v", answer.Outcome.Messages)
	}
	for i := range circle {
		saved(i)
	}
	add(t, d, body("vendor", rule.Source, "family", rule.Effect{Mode: rule.Live, Value: "parent.family"}), rule.InForce)
	saved(0)
	for i := range circle {
		assert.Equal(t, "F1", get(t, d, "vendor", circle[i].Number).Content.Values["family"], "%d", i)
	}
}
