package app_test

import (
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"codicil/core/field"
	"codicil/core/judge"
	"codicil/core/match"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/core/table"
	"codicil/internal/app"
	"codicil/internal/contract"
	"codicil/internal/fault"
	"codicil/internal/ledger"
	"codicil/internal/store"
)

// lives is an installation whose records live as people and programs make them live.
type lives struct {
	*rapid.T
	path    string
	store   *store.Store
	d       *app.App
	rules   []contract.RuleView
	made    int
	runs    []int64
	batches []int64
	follow  int64 // the map from quotations to orders
	blanked bool
	moved   bool // a rule that gives live values was
	log     []string
}

// lived are rules under which records depend on each other: live and copied sources, values by lines, names that must not be almost
// the same, and what a save does to another record.
var lived = []rule.Body{
	body("vendor", rule.Validate, "name", rule.Effect{Severity: rule.Refuse, Unique: &rule.Unique{Ignore: match.AllIgnored}, Message: "A vendor has this name."}),
	body("vendor", rule.Validate, "name", rule.Effect{Severity: rule.Advise, Unique: &rule.Unique{Near: true, Everywhere: true, Ignore: match.AllIgnored}, Message: "A vendor has nearly this name."}),
	body("vendor", rule.Default, "payment_terms", rule.Effect{Value: `"N30"`, Lifetime: rule.WheneverBlank}),
	body("vendor", rule.Default, "street", rule.Effect{Value: `"At " + city`, Lifetime: rule.KeepsUp}),
	body("customer", rule.Validate, "tax_number", rule.Effect{Severity: rule.Confirm, Unique: &rule.Unique{Everywhere: true, Ignore: match.AllIgnored}, Message: "It is there already."}),
	body("accounting_document", rule.Source, "reference", rule.Effect{Mode: rule.Live, Value: "vendor.city"}),
	body("accounting_document", rule.Default, "text", rule.Effect{Value: "vendor.name", Lifetime: rule.WheneverBlank}),
	body("sales_order", rule.Source, "payment_terms", rule.Effect{Mode: rule.Live, Value: "customer.payment_terms"}),
	body("sales_order", rule.Source, "delivery_place", rule.Effect{Mode: rule.Copied, Value: "customer.city"}),
	body("sales_order", rule.Source, "lines.tax_code", rule.Effect{Mode: rule.Live, Value: "line.item.tax_code"}),
	body("item", rule.Source, "name_local", rule.Effect{Mode: rule.Live, Value: "vendor.city"}),
	body("sales_order", rule.Source, "lines.text", rule.Effect{Mode: rule.Live, Value: "line.item.name_local"}),
	body("sales_order", rule.Source, "lines.unit", rule.Effect{Mode: rule.Copied, Value: "line.item.unit"}),
	body("sales_order", rule.Compute, "lines.amount", rule.Effect{Value: "line.quantity * line.price"}),
	body("sales_order", rule.Compute, "net_total", rule.Effect{Value: "sum(lines.amount)"}),
	body("sales_order", rule.FollowUp, "customer.credit_used", rule.Effect{Value: "if is blank(customer.credit_used) then net_total else customer.credit_used + net_total"}),
	body("sales_order", rule.FollowUp, "lines.item.last_sold_on", rule.Effect{Value: "ordered_on"}),
	body("quotation", rule.Source, "lines.tax_code", rule.Effect{Mode: rule.Live, Value: "line.item.tax_code"}),
	body("quotation", rule.Default, "lines.text", rule.Effect{Value: "line.item.name", Lifetime: rule.WheneverBlank}),
	body("sales_order", rule.Default, "note", rule.Effect{Lifetime: rule.NewOnly, Value: "previous.reference"}),
	body("sales_order", rule.Default, "confirmation", rule.Effect{Lifetime: rule.NewOnly, Series: "confirmations"}),
	body("sales_order", rule.Validate, "reference", rule.Effect{Severity: rule.Refuse, Unique: &rule.Unique{Ignore: match.Differences{match.Case}}, Message: "The reference is there already."}),
}

// livingKinds are those whose records live.
var livingKinds = []string{"vendor", "customer", "gl_account", "item", "quotation", "sales_order", "accounting_document"}

func (l *lives) say(format string, values ...any) {
	l.log = append(l.log, fmt.Sprintf(format, values...))
}

// told makes what happened a part of a failure.
func (l *lives) told() string { return strings.Join(l.log, "\n") }

func (l *lives) pick(label string, from ...string) string {
	return rapid.SampledFrom(from).Draw(l.T, label)
}

// numbers are those of the records of a kind.
func (l *lives) numbers(kind string) (all []string) {
	page, err := l.d.Records.List(as(nobody{}), contract.ListRequest{Kind: kind, Limit: 200})
	require.NoError(l, err, l.told())
	for _, r := range page.Rows {
		all = append(all, r.Number)
	}
	slices.Sort(all)
	return all
}

func (l *lives) one(kind string) (contract.Record, bool) {
	all := l.numbers(kind)
	if len(all) == 0 {
		return contract.Record{}, false
	}
	r, err := l.d.Records.Get(as(nobody{}), record.Ref{Kind: kind, Number: rapid.SampledFrom(all).Draw(l.T, kind)})
	require.NoError(l, err, l.told())
	return r, true
}

// document draws what somebody enters.
func (l *lives) document(kind string) judge.Document {
	link := func(kind string) string { return rapid.SampledFrom(append(l.numbers(kind), "")).Draw(l.T, "a "+kind) }
	var d judge.Document
	company := l.pick("company", "10", "10", "20")
	switch kind {
	case "vendor":
		d = document(kind, company, "TRAD", values{"name": l.pick("name", "Quay Ropes", "Quay Roeps Ltd", "quay ropes", "Tern", "Harbour Lamps", "Harbour Lamp"), "city": l.pick("city", "", "Cork", "Carrow"), "telephone": l.pick("telephone", "", "+353 1 555 0100")})
	case "customer":
		d = document(kind, company, "WHOL", values{"name": l.pick("name", "Tide Ltd", "Marsh", "Osa Lind"), "city": l.pick("city", "", "Cork", "Aarhus"), "payment_terms": l.pick("terms", "", "N14", "N60"), "tax_number": l.pick("tax", "", "IE1", "ie 1")})
	case "accounting_document":
		amount := l.pick("amount", "5", "12.50")
		d = document(kind, "10", "JE", values{"vendor": link("vendor"), "customer": link("customer"), "posting_date": "2026-01-05", "text": l.pick("text", "", "Ropes")},
			values{"account": l.pick("account", "1000", "4000"), "debit": amount}, values{"account": l.pick("account", "payables", "1100", "1000"), "credit": amount})
	case "item":
		d = document(kind, company, "SALT", values{"name": l.pick("name", "Flakes", "Brine"), "tax_code": l.pick("tax", "", "S", "R"), "unit": l.pick("unit", "", "kg", "g"), "vendor": link("vendor")})
	case "sales_order", "quotation":
		var lines []values
		for range rapid.IntRange(0, 2).Draw(l.T, "lines") {
			line := values{"item": link("item"), "quantity": l.pick("quantity", "", "2"), "price": l.pick("price", "", "1.5")}
			if kind == "quotation" {
				line["text"] = l.pick("text", "Salt", "Rope", "")
			}
			lines = append(lines, line)
		}
		d = document(kind, company, map[string]string{"sales_order": "SO", "quotation": "QT"}[kind], values{"customer": link("customer"), "reference": l.pick("reference", "", "", "A1", "a1", "A2")}, lines...)
		if on := l.pick("on", "", "2026-01-05", "2026-01-09"); on != "" && kind == "sales_order" {
			d.Entered["ordered_on"] = judge.Item{Typed: on}
		}
	default:
		d = document(kind, "10", "BS", values{"name": l.pick("name", "Cash", "Payables"), "control_for": l.pick("for", "", "vendor")})
	}
	d.Reasons = map[int64]string{}
	for _, r := range l.rules {
		d.Reasons[r.ID] = "known"
	}
	return d
}

func (l *lives) run(r contract.Run) contract.Run {
	var err error
	require.Eventually(l, func() bool {
		r, err = l.d.Runs.Get(as(nobody{}), r.ID)
		return err != nil || r.EndedAt != nil
	}, time.Minute, time.Millisecond)
	require.NoError(l, err, l.told())
	require.Equal(l, contract.RunStateDone, r.State, "%s\n%s", r.Problem, l.told())
	return r
}

// step makes something happen to the records.
func (l *lives) step() {
	ctx := as(nobody{})
	kind := l.pick("kind", livingKinds...)
	what := l.pick("step", "merge", "derive", "derive twice", "load", "post", "reverse", "change", "rule", "delete", "blank", "field", "no field", "save", "change", "save", "post", "merge", "take back", "practice", "load", "test", "load orders", "load orders", "follow", "batch", "batch", "together", "together", "together")
	l.say("%s %s", what, kind)
	l.made++
	switch what {
	case "save":
		answer, err := l.d.Records.Save(ctx, contract.SaveRequest{Document: l.document(kind)})
		require.NoError(l, err, l.told())
		if answer.Record != nil {
			l.say("  %s %v", answer.Record.Number, answer.Record.Content.Values)
		}
	case "change":
		r, there := l.one(kind)
		if !there || r.State != record.Kept {
			return
		}
		d := l.document(kind)
		d.Record = r.Number
		answer, err := l.d.Records.Save(ctx, contract.SaveRequest{Document: d, Version: r.Version})
		require.NoError(l, err, l.told())
		l.say("  %s %v: %s", r.Number, d.Entered, answer.Outcome.Verdict)
	case "delete":
		if r, there := l.one(kind); there {
			err := l.d.Records.Delete(ctx, record.Ref{Kind: kind, Number: r.Number})
			l.say("  %s: %v", r.Number, err)
		}
	case "post":
		if r, there := l.one(l.pick("document", "accounting_document", "sales_order")); there && r.State == record.Kept {
			answer, err := l.d.Posting.Post(ctx, record.Ref{Kind: r.Kind, Number: r.Number}, contract.PostRequest{Version: r.Version})
			require.NoError(l, err, l.told())
			l.say("  %s: %s", r.Number, answer.Outcome.Verdict)
		}
	case "reverse":
		if r, there := l.one("accounting_document"); there && r.State == record.Posted {
			_, err := l.d.Posting.Reverse(ctx, record.Ref{Kind: r.Kind, Number: r.Number}, contract.ReverseRequest{Day: "2026-02-01", Version: r.Version})
			l.say("  %s: %v", r.Number, err)
		}
	case "merge":
		kind = l.pick("of", "vendor", "customer", "gl_account", "item")
		all := l.numbers(kind)
		if len(all) < 2 {
			return
		}
		survivor := rapid.SampledFrom(all).Draw(l.T, "survivor")
		gone := rapid.SampledFrom(all).Filter(func(n string) bool { return n != survivor }).Draw(l.T, "merged")
		l.say("  %s into %s", gone, survivor)
		l.writes(func() (contract.Run, error) {
			return l.d.Merging.Start(ctx, contract.MergeRequest{Kind: kind, Apply: true, Reason: "one", Merges: []contract.RecordMerge{{Survivor: survivor, Merged: []string{gone}}}})
		})
	case "load orders":
		all := l.numbers("sales_order")
		rows := "Company,Type,Number,Customer,Reference\n"
		for range rapid.IntRange(1, 3).Draw(l.T, "rows") {
			rows += "10,SO," + rapid.SampledFrom(append(all, "")).Draw(l.T, "order") + "," + rapid.SampledFrom(append(l.numbers("customer"), "")).Draw(l.T, "customer") + "," + l.pick("reference", "A1", "", "B7") + "\n"
		}
		l.say("  %s", rows)
		brought, err := l.d.Loads.Bring(ctx, "sales_order", "orders.csv", strings.NewReader(rows))
		require.NoError(l, err, l.told())
		brought.Setup.Key, brought.Setup.Post = []string{"number"}, l.pick("posted", "", "", "posted") != ""
		_, err = l.d.Loads.SetUp(ctx, brought.ID, brought.Setup)
		require.NoError(l, err, l.told())
		l.writes(func() (contract.Run, error) { return l.d.Loads.Start(ctx, brought.ID) })
	case "load":
		rows := "Company;Type;Name;City\n"
		for range rapid.IntRange(1, 3).Draw(l.T, "rows") {
			rows += l.pick("company", "10", "20") + ";TRAD;" + l.pick("name", "Quay Ropes", "Tern", "Tern Ltd", "Netmaker", "Quay Roeps Ltd") + ";" + l.pick("city", "", "Cork", "Ballinore") + "\n"
		}
		l.say("  %s", rows)
		brought, err := l.d.Loads.Bring(ctx, "vendor", "vendors.csv", strings.NewReader(rows))
		require.NoError(l, err, l.told())
		brought.Setup.Key = []string{"name"}
		if _, err = l.d.Loads.SetUp(ctx, brought.ID, brought.Setup); err != nil { // names are unique by no rule now
			l.say("  refused: %v", err)
			return
		}
		l.writes(func() (contract.Run, error) { return l.d.Loads.Start(ctx, brought.ID) })
	case "derive":
		typed := rapid.Bool().Draw(l.T, "typed")
		l.writes(func() (contract.Run, error) {
			return l.d.Derive.Start(ctx, contract.DeriveRequest{Kind: kind, Apply: true, Reason: "again", Typed: typed})
		})
	case "derive twice":
		request := contract.DeriveRequest{Kind: kind, Reason: "again", Typed: rapid.Bool().Draw(l.T, "typed")}
		for _, request.Apply = range []bool{true, false} {
			started, err := l.d.Derive.Start(ctx, request)
			require.NoError(l, err, l.told())
			run := l.run(started)
			l.say("  run %d: %v", run.ID, run.Counts)
			if !request.Apply {
				hits, err := l.d.Runs.Hits(ctx, run.ID, "", 5)
				require.NoError(l, err, l.told())
				require.Zero(l, run.Counts["change"], "what was derived changes again: %v\n%s", hits, l.told())
			}
		}
	case "blank":
		if r, there := l.one("customer"); there {
			l.blanked = true
			_, err := l.d.Personal.Blank(ctx, record.Ref{Kind: r.Kind, Number: r.Number}, contract.BlankRequest{Apply: true, Reason: "asked for"})
			l.say("  %s: %v", r.Number, err)
		}
	case "rule":
		at := rapid.IntRange(0, len(l.rules)-1).Draw(l.T, "rule")
		r := &l.rules[at]
		next := rule.State(l.pick("state", string(rule.InForce), string(rule.Suspended)))
		moved, err := l.d.Rules.Move(ctx, r.ID, contract.RuleMove{State: next, Version: r.Version, Reason: "moved"})
		if err == nil {
			*r, l.moved = moved, l.moved || r.Body.Effect.Mode == rule.Live
		}
		l.say("  %s: %s %v", r.Name, next, err)
	case "follow":
		r, there := l.one("quotation")
		if !there {
			return
		}
		begun, err := l.d.Records.Begin(ctx, l.follow, contract.BeginRequest{Number: r.Number, Type: "SO"})
		require.NoError(l, err, l.told())
		begun.Document.Reasons = l.document("item").Reasons
		answer, err := l.d.Records.Save(ctx, contract.SaveRequest{Document: begun.Document, Origin: &begun.Origin})
		require.NoError(l, err, l.told())
		l.say("  %s: %s", r.Number, answer.Outcome.Verdict)
	case "batch":
		l.batch()
	case "field":
		key := fmt.Sprint("x_", l.made)
		_, err := l.d.Fields.Add(ctx, kind, field.Field{Key: key, Label: fmt.Sprint("Extra ", l.made), Section: "general", Type: field.Text, Searched: true})
		l.say("  %s: %v", key, err)
	case "together":
		l.together()
	case "no field":
		kinds, err := l.store.Kinds(ctx)
		require.NoError(l, err)
		at := slices.IndexFunc(kinds, func(k record.Kind) bool { return k.Key == kind })
		if last := kinds[at].Fields[len(kinds[at].Fields)-1]; strings.HasPrefix(last.Key, "x_") {
			l.say("  %s: %v", last.Key, l.d.Fields.Remove(ctx, kind, last.Key))
		}
	case "take back":
		if len(l.runs) > 0 {
			id := rapid.SampledFrom(l.runs).Draw(l.T, "run")
			started, err := l.d.TakeBack.Start(ctx, id)
			if err != nil {
				l.say("  %d: %v", id, err)
				return
			}
			l.say("  %d: %v", id, l.run(started).Counts)
		}
	case "practice":
		l.say("  %v", l.d.Posting.Empty(ctx, ledger.Practice))
	case "test":
		_, outcome, err := l.d.Posting.PostTest(ctx, contract.TryRequest{Document: l.document(l.pick("document", "accounting_document", "sales_order"))})
		require.NoError(l, err, l.told())
		l.say("  %s", outcome.Verdict)
	}
}

// batch keys orders in a batch, of which there may be one already, and posts them.
func (l *lives) batch() {
	ctx := as(nobody{})
	if len(l.batches) == 0 || rapid.Bool().Draw(l.T, "another batch") {
		b, err := l.d.Batches.Begin(ctx, contract.BatchBegin{Kind: "sales_order", Company: "10", Type: "SO", Head: contract.BatchHead{Title: "Post", Posting: contract.BatchPosting(l.pick("posting", string(contract.PostingTogether), string(contract.PostingEach)))}})
		require.NoError(l, err, l.told())
		l.batches = append(l.batches, b.ID)
	}
	id := rapid.SampledFrom(l.batches).Draw(l.T, "batch")
	for range rapid.IntRange(0, 3).Draw(l.T, "documents") {
		d := l.document("sales_order")
		d.Company = "10"
		answer, err := l.d.Records.Save(ctx, contract.SaveRequest{Document: d, Keyed: true, Batch: id})
		if err != nil {
			l.say("  batch %d: %v", id, err)
			return
		}
		l.say("  batch %d: %s", id, answer.Outcome.Verdict)
	}
	b, err := l.d.Batches.Get(ctx, id, nil)
	require.NoError(l, err, l.told())
	answer, err := l.d.Batches.Post(ctx, id, contract.BatchPost{Version: b.Version, Reason: "known"})
	l.say("  batch %d: %v %v", id, answer.Refused, err)
}

// together makes several things happen at the same time; each may be refused.
func (l *lives) together() {
	ctx := as(nobody{})
	var all []func() error
	for range rapid.IntRange(2, 6).Draw(l.T, "at once") {
		kind := l.pick("kind", "sales_order", "accounting_document", "customer", "vendor")
		what := l.pick("of them", "change", "save", "post", "derive", "merge", "delete", "rule")
		l.say("  %s %s", what, kind)
		switch what {
		case "save":
			d := l.document(kind)
			all = append(all, func() error {
				_, err := l.d.Records.Save(ctx, contract.SaveRequest{Document: d})
				return err
			})
		case "change", "post", "delete":
			r, there := l.one(kind)
			if !there {
				continue
			}
			d := l.document(kind)
			d.Record = r.Number
			all = append(all, func() (err error) {
				switch what {
				case "change":
					_, err = l.d.Records.Save(ctx, contract.SaveRequest{Document: d, Version: r.Version})
				case "post":
					_, err = l.d.Posting.Post(ctx, record.Ref{Kind: r.Kind, Number: r.Number}, contract.PostRequest{Version: r.Version})
				default:
					err = l.d.Records.Delete(ctx, record.Ref{Kind: r.Kind, Number: r.Number})
				}
				return err
			})
		case "derive":
			all = append(all, func() error {
				r, err := l.d.Derive.Start(ctx, contract.DeriveRequest{Kind: kind, Apply: true, Reason: "again", Typed: true})
				if err == nil {
					l.run(r)
				}
				return err
			})
		case "merge":
			of := l.pick("of", "vendor", "customer")
			numbers := l.numbers(of)
			if len(numbers) < 2 {
				continue
			}
			all = append(all, func() error {
				r, err := l.d.Merging.Start(ctx, contract.MergeRequest{Kind: of, Apply: true, Reason: "one", Merges: []contract.RecordMerge{{Survivor: numbers[0], Merged: []string{numbers[1]}}}})
				if err == nil {
					l.run(r)
				}
				return err
			})
		case "rule":
			r := l.rules[rapid.IntRange(0, len(l.rules)-1).Draw(l.T, "rule")]
			l.moved = true
			all = append(all, func() error {
				next := rule.Suspended
				if r.State == rule.Suspended {
					next = rule.InForce
				}
				_, err := l.d.Rules.Move(ctx, r.ID, contract.RuleMove{State: next, Version: r.Version, Reason: "moved"})
				return err
			})
		}
	}
	var wait sync.WaitGroup
	errs := make([]error, len(all))
	for i, do := range all {
		wait.Go(func() { errs[i] = do() })
	}
	wait.Wait()
	for _, err := range errs {
		var known *fault.Fault
		if err != nil && (!errors.As(err, &known) || known.Reason == fault.Unable) {
			require.NoError(l, err, l.told())
		}
		l.say("  %v", err)
	}
	for i := range l.rules {
		now, err := l.d.Rules.Get(ctx, l.rules[i].ID)
		require.NoError(l, err)
		l.rules[i] = now
	}
}

// writes lets a run write; half of them are taken back at once, and then all is as it was.
func (l *lives) writes(begin func() (contract.Run, error)) {
	before := l.snapshot()
	started, err := begin()
	if err != nil {
		l.say("  refused: %v", err)
		return
	}
	l.endsAndBegins()
	run := l.run(started)
	l.say("  run %d: %v", run.ID, run.Counts)
	l.runs = append(l.runs, run.ID)
	if !rapid.Bool().Draw(l.T, "taken back") || run.Writes == 0 {
		return
	}
	started, err = l.d.TakeBack.Start(as(nobody{}), run.ID)
	require.NoError(l, err, l.told())
	l.endsAndBegins()
	back := l.run(started)
	l.say("  taken back: %v", back.Counts)
	if run.Counts["posted"] > 0 || l.moved {
		return // what is posted stays; a rule that was put in force is asked for live values now, and was not before
	}
	sameSets(l, "after what was taken back\n"+l.told(), before, l.snapshot())
}

// endsAndBegins lets the program end, in some cases, whatever it is doing, and begin again.
func (l *lives) endsAndBegins() {
	if !rapid.SampledFrom([]bool{false, false, false, true}).Draw(l.T, "ends") {
		return
	}
	l.say("  the program ends and begins")
	l.close()
	l.open(l.path)
	require.NoError(l, l.d.Resume(as(nobody{})), l.told())
}

func (l *lives) open(path string) {
	s, err := store.Open(as(nobody{}), path)
	require.NoError(l, err, l.told())
	l.path, l.store, l.d = path, s, app.New(s, morning)
}

func (l *lives) close() {
	l.d.Close()
	require.NoError(l, l.store.Close(), l.told())
}

// snapshot is all that the records are, and all by which they are found and summed.
func (l *lives) snapshot() map[string][]string {
	require.NoError(l, l.d.Records.CatchUp(as(nobody{})))
	all := besideRecords(l, l.path)
	for _, kind := range livingKinds {
		for _, number := range l.numbers(kind) {
			r, err := l.d.Records.Get(as(nobody{}), record.Ref{Kind: kind, Number: number})
			require.NoError(l, err, l.told())
			l.liveIsTrue(&r)
			r.Version, r.ChangedBy, r.Next = 0, "", nil
			r.ChangedAt = d0
			text, err := json.Marshal(r)
			require.NoError(l, err)
			all["records"] = append(all["records"], string(text))
		}
	}
	return all
}

// found is the snapshot, with what some words find.
func (l *lives) found() map[string][]string {
	all := l.snapshot()
	l.postedIsToldAgain()
	for _, kind := range livingKinds {
		for _, number := range l.numbers(kind) {
			l.isToldAgain(record.Ref{Kind: kind, Number: number})
		}
		for _, word := range []string{"quay", "rop", "roeps ltd", "tern", "lamp", "cork", "carrow", "n30", "osa", "tide", "salt", "a1", "10"} {
			page, err := l.d.Records.List(as(nobody{}), contract.ListRequest{Kind: kind, Limit: 200, Selection: record.Selection{Search: word}})
			require.NoError(l, err, l.told())
			for _, r := range page.Rows {
				all["words"] = append(all["words"], word+" "+kind+" "+r.Number)
			}
		}
	}
	return all
}

// isToldAgain looks whether each version of a record is told as it was judged, whatever became of what it read.
func (l *lives) isToldAgain(at record.Ref) {
	r, err := l.d.Records.Get(as(nobody{}), at)
	require.NoError(l, err, l.told())
	if l.blanked || r.Reverses != "" || at.Kind == "gl_account" { // the last two nobody judged
		return
	}
	versions, err := l.d.Records.History(as(nobody{}), at, &field.Plain)
	require.NoError(l, err, l.told())
	for i := range versions {
		v := &versions[i]
		if v.Of != "" {
			continue
		}
		told, err := l.d.Records.ToldOf(as(nobody{}), at, v.Version, "", nil)
		require.NoError(l, err, "%v version %d\n%s", at, v.Version, l.told())
		require.Equal(l, contract.Again, told.Told, "%v version %d: %s\n%s", at, v.Version, v.What, l.told())
	}
}

// postedIsToldAgain looks whether each posting is told as it was judged.
func (l *lives) postedIsToldAgain() {
	for _, name := range []string{ledger.Books, ledger.Practice} {
		page, err := l.d.Posting.Postings(as(nobody{}), name, "", "")
		require.NoError(l, err, l.told())
		for _, listed := range page.Postings {
			p, err := l.d.Posting.Posting(as(nobody{}), name, listed.Number, nil)
			require.NoError(l, err, l.told())
			if listed.Reverses == "" && !l.blanked {
				require.Equal(l, contract.Again, p.Told, "%s %s\n%s", name, listed.Number, l.told())
			}
		}
	}
}

// liveIsTrue looks whether the live values of a record are those of the records that it names.
func (l *lives) liveIsTrue(r *contract.Record) {
	if l.moved || r.State != contract.RecordStateKept {
		return
	}
	switch r.Kind {
	case "accounting_document":
		l.isOf(r, r.Content.Values, "reference", "vendor", "city")
	case "sales_order":
		l.isOf(r, r.Content.Values, "payment_terms", "customer", "payment_terms")
		for _, line := range r.Content.Lines {
			l.isOf(r, line.Values, "text", "item", "name_local")
		}
	case "item":
		l.isOf(r, r.Content.Values, "name_local", "vendor", "city")
	}
	for _, line := range r.Content.Lines {
		l.isOf(r, line.Values, "tax_code", "item", "tax_code")
	}
}

// isOf looks whether a value of a record or of a line is that of the record that a link names.
func (l *lives) isOf(r *contract.Record, v map[string]string, key, link, of string) {
	if v[link] == "" {
		return
	}
	named, err := l.d.Records.Get(as(nobody{}), record.Ref{Kind: link, Number: v[link]})
	if err == nil && named.MergedInto != "" {
		named, err = l.d.Records.Get(as(nobody{}), record.Ref{Kind: link, Number: named.MergedInto})
	}
	require.NoError(l, err, l.told())
	require.Equal(l, named.Content.Values[of], v[key], "%s of %s %s\n%s", key, r.Kind, r.Number, l.told())
}

// besideRecords is what the file keeps beside records, to find and to sum them.
func besideRecords(t require.TestingT, path string) map[string][]string {
	db, err := sql.Open("sqlite3", "file:"+path+"?mode=ro&_pragma=busy_timeout(10000)")
	require.NoError(t, err)
	defer func() { require.NoError(t, db.Close()) }()
	all := map[string][]string{}
	for name, query := range map[string]string{
		"keys":     "SELECT r.kind, r.number, r.company, c.field, hex(k.key), k.company FROM record_keys k LEFT JOIN record_columns c ON c.id = k.field LEFT JOIN records r ON r.id = k.record",
		"links":    "SELECT l.to_kind, l.to_number, r.kind, r.number FROM record_links l LEFT JOIN records r ON r.id = l.record",
		"unique":   "SELECT s.kind, s.definition, u.company, u.key, r.number FROM unique_keys u LEFT JOIN unique_sets s ON s.id = u.unique_set LEFT JOIN records r ON r.id = u.record",
		"names":    "SELECT s.kind, s.definition, u.mark, r.number, u.name FROM unique_names u LEFT JOIN unique_sets s ON s.id = u.unique_set LEFT JOIN records r ON r.id = u.record",
		"balances": "SELECT ledger, what, company, key, currency, debit, credit, entries FROM balances WHERE entries <> 0",
		"standing": "SELECT rule, standing FROM rule_uses WHERE standing <> 0",
		"counts":   "SELECT kind, count FROM record_counts WHERE count <> 0",
	} {
		err := func() error {
			rows, err := db.Query(query)
			if err != nil {
				return err
			}
			defer func() { _ = rows.Close() }()
			columns, err := rows.Columns()
			if err != nil {
				return err
			}
			cells, into := make([]sql.NullString, len(columns)), make([]any, len(columns))
			for i := range cells {
				into[i] = &cells[i]
			}
			for rows.Next() {
				if err := rows.Scan(into...); err != nil {
					return err
				}
				texts := make([]string, len(cells))
				for i, c := range cells {
					texts[i] = c.String
				}
				all[name] = append(all[name], strings.Join(texts, " | "))
			}
			return rows.Err()
		}()
		require.NoError(t, err, name)
		slices.Sort(all[name])
	}
	return all
}

// forgetful is a copy of a file that knows nothing but what records are: when it is opened, what is kept beside them is made anew.
func forgetful(t require.TestingT, path string) string {
	text, err := os.ReadFile(path)
	require.NoError(t, err)
	anew := path + ".anew"
	require.NoError(t, os.WriteFile(anew, text, 0o600))
	db, err := sql.Open("sqlite3", "file:"+anew)
	require.NoError(t, err)
	for _, statement := range []string{"UPDATE record_indexes SET made = ''", "UPDATE unique_sets SET ready = 0", "DELETE FROM balances", "DELETE FROM rule_uses", "UPDATE record_counts SET count = (SELECT count(*) FROM records r WHERE r.kind = record_counts.kind)"} {
		_, err := db.Exec(statement)
		require.NoError(t, err)
	}
	require.NoError(t, db.Close())
	return anew
}

func sameSets(t require.TestingT, what string, want, got map[string][]string) {
	for _, key := range slices.Sorted(maps.Keys(want)) {
		if !slices.Equal(want[key], got[key]) {
			assert.Equal(t, strings.Join(want[key], "\n"), strings.Join(got[key], "\n"), key+" "+what)
			require.FailNow(t, key)
		}
	}
}

// However records live, what is kept beside them is what is made of them anew; a restart changes nothing; and a run that is taken back
// leaves all as it was.
func TestWhatIsKeptBesideRecordsIsWhatTheyAre(t *testing.T) {
	var file []byte
	var follow int64
	{
		path := filepath.Join(t.TempDir(), "lives.db")
		s, err := store.Open(as(t), path)
		require.NoError(t, err)
		fillHarbour(t, s)
		d := app.New(s, morning)
		save(t, d, document("gl_account", "10", "BS", values{"name": "Payables", "control_for": "vendor"}))
		_, err = d.Tables.SaveSeries(as(t), "confirmations", contract.SeriesChange{Series: table.Series{Label: "Confirmations", Start: 1, Step: 1,
			Parts: []table.Part{{Is: table.Constant, Text: "K"}, {Is: table.Counter, Digits: 4}}}})
		require.NoError(t, err)
		m, err := d.Catalog.SaveFollowOn(as(t), record.FollowOn{Name: "Order", From: "quotation", To: "sales_order", Pairs: []record.Pair{{From: "#", To: "quotation"}, {From: "customer", To: "customer"}, {From: "lines.item", To: "lines.item"}, {From: "lines.text", To: "lines.text"}, {From: "lines.quantity", To: "lines.quantity"}}})
		require.NoError(t, err)
		follow = m.ID
		for _, b := range lived {
			add(t, d, b, rule.InForce)
		}
		salt := save(t, d, document("item", "10", "SALT", values{"name": "Flakes", "tax_code": "S", "unit": "kg"}))
		save(t, d, document("item", "10", "SALT", values{"name": "Brine", "tax_code": "R"}))
		save(t, d, document("quotation", "10", "QT", values{"reference": "Q1"}, values{"item": salt.Number, "quantity": "2"}))
		one, two := vendor(t, d, "10", values{"name": "Quay Ropes", "city": "Cork"}), vendor(t, d, "10", values{"name": "Tern"})
		vendor(t, d, "20", values{"name": "Quay Roeps"})
		for _, name := range []string{"Osa Lind", "Tide Ltd"} {
			c := save(t, d, document("customer", "10", "WHOL", values{"name": name, "city": "Aarhus", "payment_terms": "N14"}))
			save(t, d, document("sales_order", "10", "SO", values{"customer": c.Number, "reference": name}, values{"item": salt.Number, "text": "Salt", "quantity": "2", "price": "1.5"}))
		}
		bill(t, d, one.Number, "3")
		post(t, d, bill(t, d, two.Number, "4"))
		d.Close()
		require.NoError(t, s.Close())
		file, err = os.ReadFile(path)
		require.NoError(t, err)
	}
	rapid.Check(t, func(rt *rapid.T) {
		if !rapid.SampledFrom([]bool{false, false, false, false, true}).Draw(rt, "lives") {
			return // a life takes a second
		}
		dir := t.TempDir()
		path := filepath.Join(dir, "lives.db")
		require.NoError(rt, os.WriteFile(path, file, 0o600))
		l := &lives{T: rt, follow: follow}
		l.open(path)
		for _, kind := range livingKinds {
			list, err := l.d.Rules.List(as(t), kind)
			require.NoError(rt, err)
			l.rules = append(l.rules, list...)
		}
		for range rapid.IntRange(10, 40).Draw(rt, "steps") {
			l.step()
		}
		before := l.found()
		l.close()
		l.open(path)
		sameSets(rt, "after a restart\n"+l.told(), before, l.found())
		l.close()

		l.open(forgetful(rt, path))
		sameSets(rt, "as made anew\n"+l.told(), l.found(), before)
		l.close()
	})
}
