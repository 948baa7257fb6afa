package httpapi_test

import (
	"bytes"
	"context"
	"database/sql"
	"encoding/json"
	"io"
	"net/http"
	"net/http/httptest"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"testing"
	"testing/fstest"
	"time"

	"github.com/getkin/kin-openapi/openapi3"
	"github.com/getkin/kin-openapi/openapi3filter"
	"github.com/getkin/kin-openapi/routers"
	"github.com/getkin/kin-openapi/routers/gorillamux"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"codicil/api"
	"codicil/core/engine"
	"codicil/core/field"
	"codicil/core/judge"
	"codicil/core/match"
	"codicil/core/record"
	"codicil/internal/app"
	"codicil/internal/contract"
	"codicil/internal/demo"
	"codicil/internal/httpapi"
	"codicil/internal/store"
)

// client asks a server with the demo data, and checks every answer against the contract.
type client struct {
	t      *testing.T
	server *httptest.Server
	router routers.Router
	file   string // of the database
}

// morning is an hour after the demo was filled in.
func morning() time.Time { return demo.Morning().Add(time.Hour) }

func start(t *testing.T) *client {
	t.Helper()
	ctx := t.Context()
	path := filepath.Join(t.TempDir(), "test.db")
	require.NoError(t, demo.Write(ctx, path))
	s, err := store.Open(ctx, path)
	require.NoError(t, err)
	t.Cleanup(func() { require.NoError(t, s.Close()) })
	served := app.New(s, morning)
	t.Cleanup(served.Close)
	handler, err := httpapi.New(served, httpapi.Options{Client: fstest.MapFS{"index.html": {Data: []byte("<title>Codicil</title>")}, "assets/x.js": {Data: []byte("1")}}, Guest: httpapi.As("Ada")})
	require.NoError(t, err)
	server := httptest.NewServer(handler)
	t.Cleanup(server.Close)
	document, err := openapi3.NewLoader().LoadFromData(api.OpenAPI)
	require.NoError(t, err)
	require.NoError(t, document.Validate(ctx))
	router, err := gorillamux.NewRouter(document)
	require.NoError(t, err)
	return &client{t, server, router, path}
}

// ask sends a request and reads the answer into the result, if one is given. It
// returns the status.
func (c *client) ask(method, path string, body, result any) int {
	c.t.Helper()
	var text []byte
	if body != nil {
		var err error
		text, err = json.Marshal(body)
		require.NoError(c.t, err)
	}
	request, err := http.NewRequestWithContext(c.t.Context(), method, c.server.URL+"/api/v1"+path, bytes.NewReader(text))
	require.NoError(c.t, err)
	if body != nil {
		request.Header.Set("Content-Type", "application/json")
	}
	response, err := http.DefaultClient.Do(request)
	require.NoError(c.t, err)
	answer, err := io.ReadAll(response.Body)
	require.NoError(c.t, err)
	require.NoError(c.t, response.Body.Close())

	plain, err := http.NewRequestWithContext(c.t.Context(), method, "/api/v1"+path, nil)
	require.NoError(c.t, err)
	if route, parameters, err := c.router.FindRoute(plain); err == nil {
		input := &openapi3filter.ResponseValidationInput{
			RequestValidationInput: &openapi3filter.RequestValidationInput{Request: plain, PathParams: parameters, Route: route},
			Status:                 response.StatusCode, Header: response.Header, Body: io.NopCloser(bytes.NewReader(answer)),
		}
		require.NoError(c.t, openapi3filter.ValidateResponse(c.t.Context(), input), "%s %s: %s", method, path, answer)
	}
	if result != nil {
		require.NoError(c.t, json.Unmarshal(answer, result), "%s", answer)
	}
	return response.StatusCode
}

// refused sends a request that must be answered with a problem, and returns it.
func (c *client) refused(method, path string, body any, status int, code string) contract.Problem {
	c.t.Helper()
	var p contract.Problem
	assert.Equal(c.t, status, c.ask(method, path, body, &p), "%s %s", method, path)
	assert.Equal(c.t, code, p.Code)
	assert.NotEmpty(c.t, p.Detail)
	return p
}

// inGerman asks for numbers and dates as german writes them.
const inGerman = "format[decimal]=,&format[group]=.&format[date]=dmy&format[separator]=."

func service(entered map[string]string) judge.Document {
	d := judge.Document{Kind: "vendor", Company: "10", Type: "SERV", Day: "2026-11-24", Entered: map[string]judge.Item{
		"name": {Value: "Test Survey"}, "country": {Value: "IE"}, "control_account": {Value: "211000"}, "payment_method": {Value: "CARD"}, "email": {Value: "a@b.example"},
	}}
	for key, text := range entered {
		d.Entered[key] = judge.Item{Typed: text}
	}
	return d
}

// What is written says whether a page of a browser sent it, or a program.
func TestEveryRowSaysFromWhereItCame(t *testing.T) {
	c := start(t)
	body, err := json.Marshal(contract.SaveRequest{Document: service(nil)})
	require.NoError(t, err)
	for _, headers := range []http.Header{{}, {"Sec-Fetch-Mode": {"cors"}}} {
		request, err := http.NewRequestWithContext(t.Context(), http.MethodPost, c.server.URL+"/api/v1/records", bytes.NewReader(body))
		require.NoError(t, err)
		request.Header = headers
		request.Header.Set("Content-Type", "application/json")
		response, err := http.DefaultClient.Do(request)
		require.NoError(t, err)
		require.Equal(t, http.StatusOK, response.StatusCode)
		require.NoError(t, response.Body.Close())
	}
	db, err := sql.Open("sqlite3", c.file)
	require.NoError(t, err)
	defer func() { require.NoError(t, db.Close()) }()
	var program, page string
	require.NoError(t, db.QueryRowContext(t.Context(), "SELECT MAX(CASE at WHEN 2 THEN via END), MAX(CASE at WHEN 1 THEN via END) FROM (SELECT changed_via AS via, ROW_NUMBER() OVER (ORDER BY rowid DESC) AS at FROM records)").Scan(&program, &page))
	assert.Equal(t, []string{"program", "browser"}, []string{program, page})
}

func final(o contract.Outcome, field string) string {
	i := slices.IndexFunc(o.Fields, func(f contract.FieldOutcome) bool { return f.Key == field })
	return o.Fields[i].Final.Value
}

// readings are addresses of what can be read in the demo data, after a field and a few runs were made.
var readings = []string{
	"/duplicates?kind=vendor", "/duplicates/vendor/different", "/runs/3/duplicates", "/breaks?kind=vendor", "/loads", "/loads/2", "/loads/2/preview?format[decimal]=,&format[group]=.&format[date]=dmy&format[separator]=.", "/loads/2/refused",
	"/news?once=true", "/session", "/account/sessions", "/account/passkeys", "/persons", "/roles", "/keys", "/trail", "/trail/export?as=csv", "/trail/export?as=ndjson",
	"/catalog", "/plan?kind=vendor&company=30&type=TRAD&day=2026-11-24", "/rules?kind=vendor", "/rules/1", "/rules/1/versions", "/rules/history?kind=vendor&field=payment_terms",
	"/functions", "/names?kind=vendor&target=name", "/records/vendor/V10001", "/records/vendor/V10001/versions/1/outcome", "/records/vendor/V10001/history?format[decimal]=,&format[group]=.&format[date]=dmy&format[separator]=.", "/links/customer?search=quay&company=10", "/layouts?kind=vendor", "/follow-ons", "/ledgers/books", "/ledgers/books/journal", "/ledgers/books/balances?by=vendor", "/postings?ledger=books", "/kinds/vendor/fields/removed", "/proofs?kind=vendor", "/proofs/1", "/postings",
	"/tables/standing", "/tables/crosswalks", "/tables/crosswalks/transit", "/tables/crosswalks/transit/missing", "/tables/crosswalks/transit/export", "/tables/series", "/tables/lists", "/tables/lists/countries", "/tables/lists/countries/uses?code=IE", "/tables/lists/currencies/export", "/kinds/vendor/learned", "/learned",
	"/confirmation?kind=vendor", "/confirmation/report?kind=vendor&company=30&type=TRAD", "/confirmation/report/export?kind=vendor&company=30&type=TRAD",
	"/waiting", "/waiting?since=2026-11-01T00:00:00Z", "/codicils", "/codicils?state=in%20force&limit=1", "/codicils/1", "/codicils/1/filed", "/codicils/18/filed", "/signing", "/codicils/16/replays/vendor/V30001", "/codicils/history?what=field&key=vendor/berth", "/codicils/history?what=standing&key=rush_freight&row=", "/records/last?kind=accounting_document&company=10&type=VI&mine=true", "/records/last?kind=accounting_document&company=10&naming=V10002&field=vendor", "/batches", "/batches?kind=accounting_document&state=open", "/batches/1", "/codicils/compared?what=standing&key=rush_freight&row=20&from=1&to=15", "/plan?kind=vendor&company=30&type=TRAD&day=2026-11-24&rules=codicil-1", "/findings?kind=vendor", "/findings", "/findings/data", "/proofs/1/versions", "/rules/1/confirmation", "/runs", "/runs/1", "/runs/1/hits", "/runs/1/export", "/kinds/vendor/fields/berth/uses", "/postings/A1000001?ledger=books",
}

func TestEveryReadingAnswersAsTheContractSays(t *testing.T) {
	c := start(t)
	added := field.Field{Key: "berth", Label: "Berth", Section: "general", Type: field.Text}
	require.Equal(t, http.StatusCreated, c.ask(http.MethodPost, "/kinds/vendor/fields", added, nil))
	require.Equal(t, http.StatusCreated, c.ask(http.MethodPost, "/runs", contract.ImpactRequest{Rule: 1}, nil))
	require.Equal(t, http.StatusCreated, c.ask(http.MethodPost, "/loads/2/check", nil, nil))
	require.Equal(t, http.StatusCreated, c.ask(http.MethodPost, "/runs/duplicates", contract.ScanRequest{Kind: "vendor", By: match.Unique{Fields: []string{"name"}, Ignore: match.AllIgnored}}, nil))
	require.Eventually(t, func() bool {
		var runs []contract.Run
		return c.ask(http.MethodGet, "/runs", nil, &runs) == http.StatusOK && runs[0].EndedAt != nil && runs[1].EndedAt != nil && runs[2].EndedAt != nil
	}, time.Minute, 5*time.Millisecond)
	require.Equal(t, http.StatusCreated, c.ask(http.MethodPost, "/kinds/vendor/learned", nil, nil))
	var learned contract.Learned
	require.Eventually(t, func() bool {
		return c.ask(http.MethodGet, "/kinds/vendor/learned", nil, &learned) == http.StatusOK && len(learned.Proposals) > 0
	}, time.Minute, 5*time.Millisecond)
	called := map[string]bool{}
	for _, path := range append(slices.Clone(readings), "/kinds/vendor/learned/"+learned.Proposals[0].Key+"/exceptions") {
		assert.Equal(t, http.StatusOK, c.ask(http.MethodGet, path, nil, nil), path)
		request, err := http.NewRequestWithContext(t.Context(), http.MethodGet, "/api/v1"+path, nil)
		require.NoError(t, err)
		route, _, err := c.router.FindRoute(request)
		require.NoError(t, err, path)
		called[route.Path] = true
	}
	document, err := openapi3.NewLoader().LoadFromData(api.OpenAPI)
	require.NoError(t, err)
	for path, operations := range document.Paths.Map() {
		assert.True(t, operations.Get == nil || called[path], "GET %s is not called here", path)
	}
}

func jsonOf(v any) string {
	text, _ := json.Marshal(v)
	return string(text)
}

func TestOnlyWhatIsAcceptedIsPosted(t *testing.T) {
	c := start(t)
	var o contract.Outcome
	assert.Equal(t, http.StatusOK, c.ask(http.MethodPost, "/postings", contract.TryRequest{Document: service(map[string]string{"payment_method": "TRF"})}, &o))
	assert.Equal(t, contract.Refused, o.Verdict)
	var posted contract.PostingPage
	c.ask(http.MethodGet, "/postings", nil, &posted)
	assert.Empty(t, posted.Postings)

	var p contract.Posting
	format := contract.Format{Decimal: ",", Group: ".", Date: "dmy", Separator: "."}
	document := service(map[string]string{"credit_limit": "1.200,505", "agreement_end": "31.12.2026"})
	require.Equal(t, http.StatusCreated, c.ask(http.MethodPost, "/postings", contract.TryRequest{Document: document, Format: &format}, &p))
	assert.Equal(t, "PV10-00001", p.Summary.Number)
	assert.Equal(t, "1200.51", final(p.Outcome, "credit_limit"), "read as typed, rounded to cents")
	var again contract.Posting
	c.ask(http.MethodGet, "/postings/PV10-00001?"+inGerman, nil, &again)
	assert.Equal(t, p, again)
	assert.Equal(t, "2026-11-19", final(again.Outcome, "agreement_review"))
	c.refused(http.MethodGet, "/postings/PV10-99999", nil, http.StatusNotFound, "not-found")
}

func TestNoNumberIsGivenTwiceOrLost(t *testing.T) {
	c := start(t)
	const many = 24
	var group sync.WaitGroup
	for range many {
		group.Go(func() {
			body, _ := json.Marshal(contract.TryRequest{Document: service(nil)})
			response, err := http.Post(c.server.URL+"/api/v1/postings", "application/json", bytes.NewReader(body))
			if assert.NoError(t, err) {
				assert.Equal(t, http.StatusCreated, response.StatusCode)
				_ = response.Body.Close()
			}
		})
	}
	group.Wait()
	var posted contract.PostingPage
	c.ask(http.MethodGet, "/postings", nil, &posted)
	require.Len(t, posted.Postings, many)
	assert.Equal(t, "PV10-00024", posted.Postings[0].Number)
	assert.Equal(t, "PV10-00001", posted.Postings[many-1].Number)
}

func TestAChangeOfASavedRecordIsTriedWithoutTouchingIt(t *testing.T) {
	c := start(t)
	d := judge.Document{Kind: "vendor", Company: "10", Type: "SERV", Day: "2026-11-24", Record: "V10002", Entered: map[string]judge.Item{"name": {Value: "X"}, "country": {Value: "IE"}}}
	var o contract.Outcome
	c.ask(http.MethodPost, "/try", contract.TryRequest{Document: d}, &o)
	assert.Empty(t, final(o, "payment_terms"), "a default for new records keeps still")
	assert.Equal(t, "EN", final(o, "language"), "one for whenever blank fills again")
	var r contract.Record
	c.ask(http.MethodGet, "/records/vendor/V10002", nil, &r)
	assert.Equal(t, "Harrow Point Tank Inspection", r.Content.Values["name"])
}

// Of a document of very many lines the trace keeps to what rules made and said.
func TestTheTraceOfALongDocumentIsShort(t *testing.T) {
	c := start(t)
	line := map[string]judge.Item{"item": {Value: "I1001"}, "quantity": {Value: "2"}, "price": {Value: "19"}}
	dids := func(count int) map[contract.ActDid]int {
		d := judge.Document{Kind: "sales_order", Company: "10", Type: "SO", Day: "2026-11-24", Entered: map[string]judge.Item{"customer": {Value: "C10001"}}}
		for i := range count {
			d.Lines = append(d.Lines, judge.Line{Number: i + 1, Entered: line})
		}
		var o contract.Outcome
		require.Equal(t, http.StatusOK, c.ask(http.MethodPost, "/try", contract.TryRequest{Document: d}, &o))
		require.Len(t, o.Lines, count)
		found := map[contract.ActDid]int{}
		for _, f := range o.Lines[count-1].Fields {
			for _, a := range f.Acts {
				found[a.Did]++
			}
		}
		return found
	}
	short, long := dids(2), dids(1001)
	assert.Positive(t, short[contract.ActDid(engine.NotNeeded)]+short[contract.ActDid(engine.Holds)])
	assert.Equal(t, short[contract.ActDid(engine.Acted)], long[contract.ActDid(engine.Acted)])
	assert.Zero(t, long[contract.ActDid(engine.NotNeeded)]+long[contract.ActDid(engine.Holds)])
}

// The facts of a short document are told, and those of a field when it is asked for.
func TestTheFactsOfAFieldAreToldWhenAskedFor(t *testing.T) {
	c := start(t)
	facts := func(o contract.Outcome, field string) (count int) {
		for _, f := range o.Fields {
			if f.Key == field {
				for _, a := range f.Acts {
					count += len(a.Facts)
				}
			}
		}
		return count
	}
	var all, one contract.Outcome
	c.ask(http.MethodPost, "/try", contract.TryRequest{Document: service(nil)}, &all)
	c.ask(http.MethodPost, "/try", contract.TryRequest{Document: service(nil), Facts: []string{"payment_terms"}}, &one)
	told := slices.DeleteFunc(all.Fields, func(f contract.FieldOutcome) bool { return facts(all, f.Key) == 0 })
	require.NotEmpty(t, told)
	for _, f := range told {
		if f.Key != "payment_terms" {
			assert.Zero(t, facts(one, f.Key), f.Key)
		}
	}
	assert.Equal(t, facts(all, "payment_terms"), facts(one, "payment_terms"))
}

func TestProofsAreKeptRunAcceptedAndRemoved(t *testing.T) {
	c := start(t)
	var p contract.Proof
	require.Equal(t, http.StatusCreated, c.ask(http.MethodPost, "/proofs", contract.KeepRequest{Document: service(map[string]string{"lead_time": "soon"})}, &p))
	assert.Equal(t, "refused", string(p.Expect.Verdict))
	assert.Equal(t, "soon", p.Given.Entered["lead_time"].Typed, "what is not of the field's type is kept as typed")
	assert.NotEmpty(t, p.Name)
	run := func() contract.ProofResult {
		var r contract.ProofRun
		require.Equal(t, http.StatusOK, c.ask(http.MethodPost, "/proofs/run", contract.RunRequest{Kind: "vendor", Proofs: []int64{p.ID}}, &r))
		require.Len(t, r.Results, 1)
		return r.Results[0]
	}
	assert.True(t, run().Held)

	var v contract.RuleView
	c.ask(http.MethodGet, "/rules/9", nil, &v) // payment terms N30
	v.Body.Effect.Value = `"N60"`
	require.Equal(t, http.StatusOK, c.ask(http.MethodPut, "/rules/9", contract.RuleChange{Version: v.Version, Body: v.Body, Reason: "a test"}, nil))
	failed := run()
	require.False(t, failed.Held)
	assert.Equal(t, "Payment terms", failed.Differences[0].Label)
	assert.Equal(t, "N30", failed.Differences[0].Expected)
	assert.Equal(t, "N60", failed.Differences[0].Actual)
	require.Len(t, failed.Differences[0].Acts, 2, "of the stop and of the terms")
	assert.Equal(t, 3, failed.Differences[0].Acts[1].Version)

	require.Equal(t, http.StatusOK, c.ask(http.MethodPost, "/proofs/"+jsonOf(p.ID)+"/accept", contract.AcceptRequest{Why: "the terms were raised"}, &p))
	assert.Equal(t, [2]any{2, "Ada"}, [2]any{p.Version, p.ChangedBy})
	assert.True(t, run().Held)
	assert.Equal(t, http.StatusNoContent, c.ask(http.MethodDelete, "/proofs/"+jsonOf(p.ID), nil, nil))
	c.refused(http.MethodGet, "/proofs/"+jsonOf(p.ID), nil, http.StatusNotFound, "not-found")
}

func TestBadRequestsAreProblemsWithStableCodes(t *testing.T) {
	c := start(t)
	d := service(nil)
	for code, change := range map[string]func(*judge.Document){
		"unknown-company": func(d *judge.Document) { d.Company = "99" },
		"unknown-type":    func(d *judge.Document) { d.Type = "XXXX" },
		"unknown-kind":    func(d *judge.Document) { d.Kind = "boat" },
		"not-a-day":       func(d *judge.Document) { d.Day = "24.11.2026" },
		"unknown-field":   func(d *judge.Document) { d.Entered = map[string]judge.Item{"nope": {Value: "1"}} },
	} {
		wrong := d
		change(&wrong)
		c.refused(http.MethodPost, "/try", contract.TryRequest{Document: wrong}, http.StatusUnprocessableEntity, code)
	}
	c.refused(http.MethodPost, "/try", map[string]any{"document": map[string]any{"kind": "vendor"}}, http.StatusBadRequest, "bad-request")
	// What a document is judged by is found out, not believed.
	for _, change := range []func(*judge.Document){
		func(d *judge.Document) { d.Fixtures = &judge.Fixtures{} },
		func(d *judge.Document) { d.User = "Somebody" },
		func(d *judge.Document) { d.Stored = map[string]string{"name": "x"} },
		func(d *judge.Document) { d.Previous = &record.Content{Values: map[string]string{}} },
	} {
		forged := d
		change(&forged)
		c.refused(http.MethodPost, "/records", contract.SaveRequest{Document: forged}, http.StatusUnprocessableEntity, "stated-facts")
	}
	c.refused(http.MethodPost, "/try", "nonsense", http.StatusBadRequest, "bad-request")
	long := d
	long.Lines = slices.Repeat([]judge.Line{{Number: 1, Entered: map[string]judge.Item{}}}, judge.MaxLines+1)
	c.refused(http.MethodPost, "/try", contract.TryRequest{Document: long}, http.StatusUnprocessableEntity, "too-many-lines")
	c.refused(http.MethodGet, "/rules/abc", nil, http.StatusBadRequest, "bad-request")
	c.refused(http.MethodGet, "/nowhere", nil, http.StatusNotFound, "not-found")
	c.refused(http.MethodPost, "/try", contract.TryRequest{Document: judge.Document{Kind: "vendor", Company: "10", Type: "SERV", Day: "2026-11-24", Entered: map[string]judge.Item{"name": {Value: strings.Repeat("x", 5<<20)}}}}, http.StatusRequestEntityTooLarge, "request-entity-too-large")
}

func TestOnlyThisMachineIsServed(t *testing.T) {
	c := start(t)
	for header, value := range map[string]string{"Host": "evil.example", "Origin": "https://evil.example"} {
		request, err := http.NewRequestWithContext(t.Context(), http.MethodGet, c.server.URL+"/api/v1/catalog", nil)
		require.NoError(t, err)
		request.Header.Set(header, value)
		if header == "Host" {
			request.Host = value
		}
		response, err := http.DefaultClient.Do(request)
		require.NoError(t, err)
		assert.Equal(t, http.StatusForbidden, response.StatusCode, header)
		require.NoError(t, response.Body.Close())
	}
	for why, n := range map[string]httpapi.Network{
		"say with --host":        {Address: "0.0.0.0:0"},
		"give the files of TLS":  {Address: "0.0.0.0:0", Hosts: []string{"codicil.example"}},
		"listens on 127.0.0.1":   {Address: "0.0.0.0:0", Hosts: []string{"codicil.example"}, Local: true},
		"give both files of TLS": {Address: "127.0.0.1:0", Certificate: "x.pem"},
	} {
		err := httpapi.Serve(context.Background(), n, &httpapi.Handler{Handler: http.NotFoundHandler()}, func(string) {})
		assert.ErrorContains(t, err, why)
	}
}

func TestScreensHaveAddresses(t *testing.T) {
	c := start(t)
	for path, want := range map[string]int{"/": 200, "/plan": 200, "/ledger/PV10-00001": 200, "/assets/x.js": 200, "/assets/gone.js": 404} {
		response, err := http.Get(c.server.URL + path)
		require.NoError(t, err)
		assert.Equal(t, want, response.StatusCode, path)
		assert.NotEmpty(t, response.Header.Get("Content-Security-Policy"))
		require.NoError(t, response.Body.Close())
	}
}

func TestAPersonsWayOfWritingIsKept(t *testing.T) {
	c := start(t)
	way := field.Format{Decimal: ",", Group: ".", Date: "dmy", Separator: "."}
	require.Equal(t, http.StatusOK, c.ask(http.MethodPut, "/preferences", contract.Preferences{Format: &way}, nil))
	var catalog contract.Catalog
	require.Equal(t, http.StatusOK, c.ask(http.MethodGet, "/catalog", nil, &catalog))
	assert.Equal(t, &way, catalog.Format)
	way.Group = ","
	c.refused(http.MethodPut, "/preferences", contract.Preferences{Format: &way}, http.StatusUnprocessableEntity, "not-a-format")
	require.Equal(t, http.StatusOK, c.ask(http.MethodPut, "/preferences", contract.Preferences{}, nil))
	catalog = contract.Catalog{}
	require.Equal(t, http.StatusOK, c.ask(http.MethodGet, "/catalog", nil, &catalog))
	assert.Nil(t, catalog.Format)
}
