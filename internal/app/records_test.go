package app_test

import (
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"codicil/core/field"
	"codicil/core/judge"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/internal/app"
	"codicil/internal/contract"
	"codicil/internal/fault"
	"codicil/internal/ledger"
	"codicil/internal/standard"
	"codicil/internal/store"
)

type values = map[string]string

// onCopy returns a store on a copy of what fill makes the first time.
func onCopy(t *testing.T, once *sync.Once, file *[]byte, fill func(s *store.Store)) *store.Store {
	t.Helper()
	path := filepath.Join(t.TempDir(), "copy.db")
	once.Do(func() {
		s, err := store.Open(as(t), path)
		require.NoError(t, err)
		fill(s)
		require.NoError(t, s.Close())
		*file, err = os.ReadFile(path)
		require.NoError(t, err)
	})
	require.NoError(t, os.WriteFile(path, *file, 0o600))
	s, err := store.Open(as(t), path)
	require.NoError(t, err)
	t.Cleanup(func() { require.NoError(t, s.Close()) })
	return s
}

func morning() time.Time { return time.Date(2026, 11, 24, 9, 0, 0, 0, time.UTC) }

var (
	harbourOnce sync.Once
	harbourFile []byte
)

// harbour is an application with the standard kinds, two companies, some accounts and a customer.
func harbour(t *testing.T) *app.App {
	t.Helper()
	return app.New(onCopy(t, &harbourOnce, &harbourFile, func(s *store.Store) { fillHarbour(t, s) }), morning)
}

func fillHarbour(t *testing.T, s *store.Store) {
	t.Helper()
	ctx := as(t)
	require.NoError(t, standard.Bring(ctx, s))
	d := app.New(s, morning)
	for _, c := range []record.Company{{Key: "10", Name: "Salt Works", Country: "IE", Currency: "EUR", Rounding: "half-up"}, {Key: "20", Name: "Chandlery", Country: "DK", Currency: "DKK", Rounding: "half-up"}} {
		_, err := d.Catalog.SaveCompany(ctx, c.Key, c)
		require.NoError(t, err)
	}
	for kind, key := range map[string]string{"vendor": "TRAD", "customer": "WHOL", "gl_account": "BS", "sales_order": "SO", "quotation": "QT", "accounting_document": "JE", "item": "SALT"} {
		_, err := d.Catalog.SaveType(ctx, kind, key, record.Type{Label: "Type " + key})
		require.NoError(t, err)
	}
	for number, v := range map[string]values{"1000": {"name": "Cash"}, "1100": {"name": "Receivables", "control_for": "customer"}, "4000": {"name": "Revenue"}} {
		_, err := s.AddRecord(ctx, record.Record{Ref: record.Ref{Kind: "gl_account", Number: number}, Company: "10", Type: "BS", State: record.Kept, Content: record.Content{Values: v}}, store.Numbering{}, nil, record.Stamp{At: store.Instant(d0)})
		require.NoError(t, err)
	}
}

var d0 = time.Date(2026, 1, 1, 0, 0, 0, 0, time.UTC)

func document(kind, company, kindType string, header values, lines ...values) judge.Document {
	d := judge.Document{Kind: kind, Company: company, Type: kindType, Entered: typed(header)}
	for i, l := range lines {
		d.Lines = append(d.Lines, judge.Line{Number: i + 1, Entered: typed(l)})
	}
	return d
}

func typed(v values) map[string]judge.Item {
	items := map[string]judge.Item{}
	for key, text := range v {
		items[key] = judge.Item{Typed: text}
	}
	return items
}

func save(t *testing.T, d *app.App, document judge.Document) contract.Record {
	t.Helper()
	answer, err := d.Records.Save(as(t), contract.SaveRequest{Document: document})
	require.NoError(t, err)
	require.NotNil(t, answer.Record, "%v", answer.Outcome.Messages)
	return *answer.Record
}

func post(t *testing.T, d *app.App, r contract.Record) contract.SaveAnswer {
	t.Helper()
	answer, err := d.Posting.Post(as(t), record.Ref{Kind: r.Kind, Number: r.Number}, contract.PostRequest{Version: r.Version})
	require.NoError(t, err)
	return answer
}

// code is the code of an error that a user can act on.
func code(t *testing.T, err error) string {
	t.Helper()
	var known *fault.Fault
	require.ErrorAs(t, err, &known)
	assert.NotEmpty(t, known.Error())
	return known.Known()
}

func TestARecordIsSavedChangedAndRemembersWhatItWas(t *testing.T) {
	d := harbour(t)
	first := save(t, d, document("vendor", "10", "TRAD", values{"name": "Quay Ropes", "credit_limit": "1000"}))
	assert.Equal(t, "V10001", first.Number)
	assert.Equal(t, values{"name": "Quay Ropes", "credit_limit": "1000"}, first.Content.Values)
	change := document("vendor", "10", "TRAD", values{"name": "Quay Ropes Ltd", "clerk": "moya"})
	change.Record = first.Number
	answer, err := d.Records.Save(as(t), contract.SaveRequest{Document: change, Version: first.Version})
	require.NoError(t, err)
	assert.Equal(t, 2, answer.Record.Version)
	history, err := d.Records.History(as(t), record.Ref{Kind: "vendor", Number: first.Number}, &field.Format{Decimal: ",", Group: ".", Date: "dmy", Separator: "."})
	require.NoError(t, err)
	require.Len(t, history, 2)
	texts := []string{}
	for _, c := range history[0].Changes {
		texts = append(texts, c.Label+": "+c.Before.Text+" > "+c.After.Text)
	}
	assert.Equal(t, []string{"Name: Quay Ropes > Quay Ropes Ltd", "Credit limit: 1.000,00 > ", "Payables contact:  > MOYA"}, texts)
	assert.Equal(t, "Ada", history[0].ChangedBy)
}

func TestARefusedSaveKeepsNothing(t *testing.T) {
	d := harbour(t)
	answer, err := d.Records.Save(as(t), contract.SaveRequest{Document: document("vendor", "10", "TRAD", values{"name": "Quay Ropes", "bank_account": "IE28AIBK93115212345678"})})
	require.NoError(t, err)
	assert.Nil(t, answer.Record)
	assert.Equal(t, contract.Refused, answer.Outcome.Verdict)
	page, err := d.Records.List(as(t), contract.ListRequest{Kind: "vendor"})
	require.NoError(t, err)
	assert.Zero(t, page.All)
}

func TestTheSecondOfTwoChangesIsToldWhatTheFirstDid(t *testing.T) {
	d := harbour(t)
	r := save(t, d, document("vendor", "10", "TRAD", values{"name": "Quay Ropes", "city": "Carrow", "clerk": "MOYA"}))
	change := func(v values) contract.SaveRequest {
		request := contract.SaveRequest{Document: document("vendor", "10", "TRAD", v), Version: 1}
		request.Document.Record = r.Number
		return request
	}
	_, err := d.Records.Save(as(t), change(values{"name": "Quay Ropes", "city": "Ballinore", "clerk": "EOIN"}))
	require.NoError(t, err)
	mine := change(values{"name": "Quay Ropes", "city": "Kilbrack", "clerk": "MOYA"})
	_, err = d.Records.Save(as(t), mine)
	assert.Equal(t, "changed-meanwhile", code(t, err))
	merge, err := d.Records.Merge(as(t), mine)
	require.NoError(t, err)
	assert.Equal(t, 2, merge.Record.Version)
	require.Len(t, merge.Theirs, 1)
	assert.Equal(t, "EOIN", merge.Theirs[0].After.Value)
	require.Len(t, merge.Clashes, 1)
	assert.Equal(t, [3]string{"Carrow", "Ballinore", "Kilbrack"}, [3]string{merge.Clashes[0].Base.Value, merge.Clashes[0].Theirs.Value, merge.Clashes[0].Mine.Value})
}

// Of many who save the same version at once, one is heard.
func TestConcurrentChangesOfOneVersionAreKeptOnce(t *testing.T) {
	d := harbour(t)
	r := save(t, d, document("vendor", "10", "TRAD", values{"name": "Quay Ropes"}))
	var group sync.WaitGroup
	kept := make(chan string, 8)
	for _, city := range []string{"A", "B", "C", "D", "E", "F", "G", "H"} {
		group.Go(func() {
			request := contract.SaveRequest{Document: document("vendor", "10", "TRAD", values{"name": "Quay Ropes", "city": city}), Version: r.Version}
			request.Document.Record = r.Number
			if answer, err := d.Records.Save(as(t), request); err == nil && answer.Record != nil {
				kept <- city
			}
		})
	}
	group.Wait()
	close(kept)
	cities := []string{}
	for city := range kept {
		cities = append(cities, city)
	}
	require.Len(t, cities, 1)
	now, err := d.Records.Get(as(t), record.Ref{Kind: "vendor", Number: r.Number})
	require.NoError(t, err)
	assert.Equal(t, cities[0], now.Content.Values["city"])
}

func TestADocumentIsPostedOnceAndReversed(t *testing.T) {
	d := harbour(t)
	customer := save(t, d, document("customer", "10", "WHOL", values{"name": "Harbour Grocers"}))
	half := save(t, d, document("accounting_document", "10", "JE", values{"text": "Sale", "customer": "harbour", "posting_date": "2026-11-20"},
		values{"account": "receiv", "debit": "12.50"}, values{"account": "4000", "credit": "12"}))
	assert.Equal(t, "A1000001", half.Number)
	assert.Equal(t, customer.Number, half.Content.Values["customer"], "a part of a name that only one has finds the record")
	refused := post(t, d, half)
	assert.Nil(t, refused.Record)
	assert.Contains(t, refused.Outcome.Messages[0].Text, "differ by 0.50 EUR")

	mended := document("accounting_document", "10", "JE", values{"text": "Sale", "customer": customer.Number, "posting_date": "2026-11-20"}, values{"account": "1100", "debit": "12.50"}, values{"account": "4000", "credit": "12.50"})
	mended.Record = half.Number
	answer, err := d.Records.Save(as(t), contract.SaveRequest{Document: mended, Version: half.Version})
	require.NoError(t, err)
	posted := post(t, d, *answer.Record).Record
	require.NotNil(t, posted)
	assert.Equal(t, contract.RecordStatePosted, posted.State)

	_, err = d.Records.Save(as(t), contract.SaveRequest{Document: mended, Version: posted.Version})
	assert.Equal(t, "posted", code(t, err))
	_, err = d.Posting.Post(as(t), record.Ref{Kind: posted.Kind, Number: posted.Number}, contract.PostRequest{Version: posted.Version})
	assert.Equal(t, "posted", code(t, err))
	assert.Equal(t, "posted", code(t, d.Records.Delete(as(t), record.Ref{Kind: posted.Kind, Number: posted.Number})))

	balance := func(by string) string {
		page, err := d.Posting.Balances(as(t), "books", by, "", nil)
		require.NoError(t, err)
		require.NotEmpty(t, page.Balances)
		return page.Balances[0].Title + " " + page.Balances[0].Balance.Text
	}
	assert.Equal(t, "Receivables 12.50", balance("account"))
	assert.Equal(t, "Harbour Grocers 12.50", balance("customer"))
	back, err := d.Posting.Reverse(as(t), record.Ref{Kind: posted.Kind, Number: posted.Number}, contract.ReverseRequest{Version: posted.Version, Day: "2026-11-30"})
	require.NoError(t, err)
	assert.Equal(t, posted.Number, back.Reverses)
	assert.Equal(t, "2026-11-30", back.Content.Values["posting_date"])
	assert.Equal(t, "Receivables 0.00", balance("account"))
	assert.Equal(t, "Harbour Grocers 0.00", balance("customer"))
	_, err = d.Posting.Reverse(as(t), record.Ref{Kind: posted.Kind, Number: posted.Number}, contract.ReverseRequest{Version: posted.Version + 1, Day: "2026-11-30"})
	assert.Equal(t, "not-posted", code(t, err))
	_, err = d.Posting.Reverse(as(t), record.Ref{Kind: back.Kind, Number: back.Number}, contract.ReverseRequest{Version: back.Version, Day: "2026-11-30"})
	assert.Equal(t, "reverses", code(t, err))
	posting, err := d.Posting.Posting(as(t), "books", posted.Number, nil)
	require.NoError(t, err)
	assert.Equal(t, back.Number, posting.ReversedBy)
	assert.Equal(t, "books-stay", code(t, d.Posting.Empty(as(t), "books")))
}

func TestALinkLeadsToARecordOfTheCompany(t *testing.T) {
	d := harbour(t)
	danish := save(t, d, document("customer", "20", "WHOL", values{"name": "Havnekiosk", "city": "Vesterhavn"}))
	own := save(t, d, document("customer", "10", "WHOL", values{"name": "Harbour Kiosk"}))
	answer, err := d.Records.Save(as(t), contract.SaveRequest{Document: document("sales_order", "10", "SO", values{"customer": danish.Number})})
	require.NoError(t, err)
	require.Len(t, answer.Outcome.Messages, 1)
	assert.Contains(t, answer.Outcome.Messages[0].Text, "belongs to another company")
	save(t, d, document("accounting_document", "20", "JE", nil, values{"account": "1000"})) // accounts are shared

	options, err := d.Records.FindLinks(as(t), "customer", "kiosk", "10")
	require.NoError(t, err)
	require.Len(t, options, 1)
	assert.Equal(t, own.Number, options[0].Number)
	options, err = d.Records.FindLinks(as(t), "customer", "vesterh", "")
	require.NoError(t, err)
	require.Len(t, options, 1)
	assert.Equal(t, "Vesterhavn", options[0].About)
}

func TestWhatOthersNameIsNotDeleted(t *testing.T) {
	d := harbour(t)
	customer := save(t, d, document("customer", "10", "WHOL", values{"name": "Harbour Grocers"}))
	order := save(t, d, document("sales_order", "10", "SO", values{"customer": customer.Number}))
	err := d.Records.Delete(as(t), record.Ref{Kind: "customer", Number: customer.Number})
	assert.Equal(t, "linked", code(t, err))
	var known *fault.Fault
	require.ErrorAs(t, err, &known)
	assert.Equal(t, 1, known.Count)
	assert.Equal(t, []contract.Use{{What: "sales_order", Key: order.Number, Title: "Harbour Grocers"}}, known.Uses)
	require.NoError(t, d.Records.Delete(as(t), record.Ref{Kind: "sales_order", Number: order.Number}))
	require.NoError(t, d.Records.Delete(as(t), record.Ref{Kind: "customer", Number: customer.Number}))
	_, err = d.Records.Get(as(t), record.Ref{Kind: "customer", Number: customer.Number})
	assert.Equal(t, "not-found", code(t, err))
	again := save(t, d, document("customer", "10", "WHOL", values{"name": "Harbour Grocers"}))
	assert.NotEqual(t, customer.Number, again.Number, "a number is never given twice")
}

func TestAFollowOnBeginsWithWhatTheMapCarries(t *testing.T) {
	d := harbour(t)
	customer := save(t, d, document("customer", "10", "WHOL", values{"name": "Harbour Grocers"}))
	quotation := save(t, d, document("quotation", "10", "QT", values{"customer": customer.Number, "reference": "Your call"}, values{"text": "Salt", "quantity": "3", "price": "2.5"}))
	m := record.FollowOn{Name: "Order", From: "quotation", To: "sales_order", Pairs: []record.Pair{{From: "#", To: "quotation"}, {From: "customer", To: "customer"}, {From: "quoted_on", To: "reference"}}}
	_, err := d.Catalog.SaveFollowOn(as(t), m)
	assert.Equal(t, "pairs-misfit", code(t, err))
	m.Pairs[2] = record.Pair{From: "lines.text", To: "lines.text"}
	m, err = d.Catalog.SaveFollowOn(as(t), m)
	require.NoError(t, err)
	_, err = d.Records.Begin(as(t), m.ID, contract.BeginRequest{Number: quotation.Number})
	assert.Equal(t, "unknown-type", code(t, err), "the map leaves the type to the person")
	begun, err := d.Records.Begin(as(t), m.ID, contract.BeginRequest{Number: quotation.Number, Type: "SO"})
	require.NoError(t, err)
	assert.Equal(t, quotation.Number, begun.Document.Entered["quotation"].Value)
	assert.Equal(t, "Salt", begun.Document.Lines[0].Entered["text"].Value)
	assert.Empty(t, begun.Earlier)
	answer, err := d.Records.Save(as(t), contract.SaveRequest{Document: begun.Document, Origin: &begun.Origin})
	require.NoError(t, err)
	require.NotNil(t, answer.Record, "%v", answer.Outcome.Messages)
	order := post(t, d, *answer.Record).Record
	require.NotNil(t, order)
	begun, err = d.Records.Begin(as(t), m.ID, contract.BeginRequest{Number: quotation.Number, Type: "SO"})
	require.NoError(t, err)
	assert.Equal(t, order.Number, begun.Earlier[0].Key)
	now, err := d.Records.Get(as(t), record.Ref{Kind: "quotation", Number: quotation.Number})
	require.NoError(t, err)
	assert.Equal(t, order.Number, now.Followers[0].Key)
	assert.Equal(t, "linked", code(t, d.Records.Delete(as(t), record.Ref{Kind: "quotation", Number: quotation.Number})))
}

func TestWhatIsFollowedByAPostedDocumentIsNotReversed(t *testing.T) {
	d := harbour(t)
	first := *post(t, d, save(t, d, document("sales_order", "10", "SO", values{"note": "one"}))).Record
	answer, err := d.Records.Save(as(t), contract.SaveRequest{Document: document("sales_order", "10", "SO", values{"note": "two"}), Origin: &contract.Use{What: "sales_order", Key: first.Number}})
	require.NoError(t, err)
	second := *post(t, d, *answer.Record).Record
	_, err = d.Posting.Reverse(as(t), record.Ref{Kind: first.Kind, Number: first.Number}, contract.ReverseRequest{Version: first.Version, Day: "2026-11-24"})
	assert.Equal(t, "followed", code(t, err))
	_, err = d.Posting.Reverse(as(t), record.Ref{Kind: second.Kind, Number: second.Number}, contract.ReverseRequest{Version: second.Version, Day: "2026-11-24"})
	require.NoError(t, err)
	_, err = d.Posting.Reverse(as(t), record.Ref{Kind: first.Kind, Number: first.Number}, contract.ReverseRequest{Version: first.Version, Day: "2026-11-24"})
	require.NoError(t, err)
}

func TestTheDayOfADocumentIsThatOfItsDateField(t *testing.T) {
	d := harbour(t)
	body := rule.Body{Kind: "accounting_document", Family: rule.Default, Target: "text", On: rule.Occasions{New: true, Change: true}, Scope: rule.Scope{From: "2027-01-01"}, Effect: rule.Effect{Lifetime: rule.NewOnly, Value: `"new year"`}}
	add(t, d, body, rule.InForce)
	before := save(t, d, document("accounting_document", "10", "JE", values{"posting_date": "2026-12-31"}))
	assert.Empty(t, before.Content.Values["text"])
	after := save(t, d, document("accounting_document", "10", "JE", values{"posting_date": "2027-01-01"}))
	assert.Equal(t, "new year", after.Content.Values["text"])
}

func TestAListIsExportedExactlyWithALineForEachLine(t *testing.T) {
	d := harbour(t)
	save(t, d, document("sales_order", "10", "SO", values{"reference": `say "quay", please`, "ordered_on": "2026-11-24"}, values{"quantity": "3"}, values{"quantity": "4.5"}))
	text, err := exported(t, d, contract.ListRequest{Kind: "sales_order", Columns: []string{"reference", "ordered_on"}})
	require.NoError(t, err)
	assert.Equal(t, "number,company,type,state,reference,ordered_on\nSO100001,10,SO,kept,\"say \"\"quay\"\", please\",2026-11-24\n", text)
	text, err = exported(t, d, contract.ListRequest{Kind: "sales_order", Columns: []string{"reference", "lines.quantity"}})
	require.NoError(t, err)
	assert.Equal(t, "number,company,type,state,line,reference,lines.quantity\nSO100001,10,SO,kept,1,\"say \"\"quay\"\", please\",3\nSO100001,10,SO,kept,2,\"say \"\"quay\"\", please\",4.5\n", text)
	_, err = exported(t, d, contract.ListRequest{Kind: "sales_order", Columns: []string{"nope"}})
	assert.Equal(t, "unknown-field", code(t, err))
}

func TestAConditionNamesARecordAsPeopleDo(t *testing.T) {
	d := harbour(t)
	customer := save(t, d, document("customer", "10", "WHOL", values{"name": "Harbour Grocers"}))
	for _, text := range []string{"grocers", customer.Number, customer.Number + " Harbour Grocers"} {
		f, err := d.Formulas.Compose(as(t), contract.ComposeRequest{Kind: "sales_order", Target: "lines.quantity", Conditions: contract.Conditions{Join: "and", Conditions: []rule.Condition{{Field: "customer", Relation: "is", Values: []string{text}}, {Field: "line.quantity", Relation: "over", Values: []string{"5"}}}}})
		require.NoError(t, err)
		assert.Equal(t, `customer = "`+customer.Number+`" and line.quantity > 5`, f.Formula)
	}
}

// A kind that nobody wrote code for is saved, linked, listed, ruled and followed.
func TestAKindIsData(t *testing.T) {
	ctx := as(t)
	s, err := store.Open(ctx, "")
	require.NoError(t, err)
	defer func() { require.NoError(t, s.Close()) }()
	require.NoError(t, s.SaveKinds(ctx, []record.Kind{
		{Key: "harbour", Label: "Harbour", Plural: "Harbours", TypeLabel: "Harbour class", Prefix: "H", Digits: 2, Shared: true, Title: []string{"name"}, Sections: []record.Section{{Key: "general", Label: "General"}},
			Fields: []field.Field{{Key: "name", Label: "Name", Section: "general", Type: field.Text}, {Key: "dues", Label: "Dues", Section: "general", Type: field.Amount}}},
		{Key: "voyage", Label: "Voyage", Plural: "Voyages", TypeLabel: "Voyage type", Prefix: "VY", Digits: 2, Posted: true, Day: "sailed", Sections: []record.Section{{Key: "general", Label: "General"}, {Key: "lines", Label: "Calls"}},
			Fields: []field.Field{{Key: "sailed", Label: "Sailed", Section: "general", Type: field.Date}, {Key: "dues", Label: "Dues", Section: "general", Type: field.Amount},
				{Key: "lines.harbour", Label: "Harbour", Section: "lines", Type: field.Link, Kind: "harbour"}, {Key: "lines.dues", Label: "Dues", Section: "lines", Type: field.Amount}}},
	}))
	d := app.New(s, func() time.Time { return time.Date(2026, 11, 24, 9, 0, 0, 0, time.UTC) })
	_, err = d.Catalog.SaveCompany(ctx, "10", record.Company{Name: "Salt Works", Country: "IE", Currency: "EUR", Rounding: "half-up"})
	require.NoError(t, err)
	for _, kind := range []string{"harbour", "voyage"} {
		_, err := d.Catalog.SaveType(ctx, kind, "A", record.Type{Label: "A"})
		require.NoError(t, err)
	}
	both := rule.Occasions{New: true, Change: true}
	add(t, d, rule.Body{Kind: "voyage", Family: rule.Default, Target: "lines.dues", On: both, Effect: rule.Effect{Lifetime: rule.WheneverBlank, Value: "line.harbour.dues"}}, rule.InForce)
	add(t, d, rule.Body{Kind: "voyage", Family: rule.Substitute, Target: "dues", On: both, Effect: rule.Effect{Value: "sum(lines.dues)"}}, rule.InForce)
	first := save(t, d, document("harbour", "10", "A", values{"name": "Carrow", "dues": "12.50"}))
	save(t, d, document("harbour", "10", "A", values{"name": "Ballinore", "dues": "3"}))
	assert.Equal(t, "H1001", first.Number)
	voyage := save(t, d, document("voyage", "10", "A", values{"sailed": "2026-11-23"}, values{"harbour": "carrow"}, values{"harbour": "Ballinore"}))
	assert.Equal(t, "15.5", voyage.Content.Values["dues"])
	assert.Equal(t, "linked", code(t, d.Records.Delete(ctx, record.Ref{Kind: "harbour", Number: first.Number})))
	posted := post(t, d, voyage).Record
	require.NotNil(t, posted)
	summary, err := d.Posting.Ledger(ctx, "books")
	require.NoError(t, err)
	assert.Equal(t, [2]int{1, 0}, [2]int{summary.Postings, summary.Entries}, "a kind without a journal makes no entries")
	_, err = d.Catalog.SaveFollowOn(ctx, record.FollowOn{Name: "Return", From: "voyage", To: "voyage", Pairs: []record.Pair{{From: "lines.harbour", To: "lines.harbour"}}})
	require.NoError(t, err)
}

// withRecord states that a document changes a saved record.
func withRecord(d judge.Document, number string) judge.Document {
	d.Record = number
	return d
}

// Balances of very many accounts come by pages, each once and in order, whatever stands in their keys.
func TestBalancesComeByPages(t *testing.T) {
	s := onCopy(t, &harbourOnce, &harbourFile, func(s *store.Store) { fillHarbour(t, s) })
	d := app.New(s, morning)
	kinds, err := s.Kinds(as(t))
	require.NoError(t, err)
	booked := kinds[slices.IndexFunc(kinds, func(k record.Kind) bool { return k.Key == journal })]
	const accounts = 1203
	entries := make([]ledger.Entry, accounts)
	for i := range entries {
		entries[i] = ledger.Entry{Line: i + 1, Company: "10", Account: fmt.Sprintf("7~%04d~", i), Debit: "1", Currency: "EUR"}
	}
	_, err = ledger.Post(as(t), s, ledger.Posting{Ledger: ledger.Books, Number: "A1", Kind: journal, Company: "10", Type: "JE", Posted: record.Stamp{By: "Ada", Person: "Ada"}}, &booked, entries)
	require.NoError(t, err)
	var keys []string
	for after, pages := "", 0; ; {
		page, err := d.Posting.Balances(as(t), ledger.Books, ledger.ByAccount, after, nil)
		require.NoError(t, err)
		for _, b := range page.Balances {
			keys = append(keys, b.Key)
		}
		if pages++; page.Next == "" {
			assert.Equal(t, 3, pages)
			break
		}
		after = page.Next
	}
	require.Len(t, keys, accounts)
	assert.True(t, slices.IsSorted(keys))
	assert.Len(t, slices.Compact(keys), accounts)
	_, err = d.Posting.Balances(as(t), ledger.Books, ledger.ByAccount, "10~EUR", nil)
	assert.Equal(t, "not-a-place", code(t, err))
}
