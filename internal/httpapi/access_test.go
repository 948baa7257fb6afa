package httpapi_test

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"path/filepath"
	"slices"
	"strings"
	"sync/atomic"
	"testing"
	"testing/fstest"
	"time"

	"github.com/getkin/kin-openapi/openapi3"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"codicil/api"
	"codicil/core/match"
	"codicil/core/rule"
	"codicil/internal/actor"
	"codicil/internal/app"
	"codicil/internal/app/people"
	"codicil/internal/app/trail"
	"codicil/internal/contract"
	"codicil/internal/demo"
	"codicil/internal/httpapi"
	"codicil/internal/standard"
	"codicil/internal/store"
)

// house is a server on which people sign in.
type house struct {
	t      *testing.T
	app    *app.App
	store  *store.Store
	server *httptest.Server
	file   string
	now    atomic.Int64 // nanoseconds since 1970
}

func (h *house) time() time.Time        { return time.Unix(0, h.now.Load()).UTC() }
func (h *house) setTime(at time.Time)   { h.now.Store(at.UnixNano()) }
func (h *house) later(by time.Duration) { h.now.Add(int64(by)) }

var owner = actor.Named("Ada", actor.CommandLine)

func openHouse(t *testing.T, options httpapi.Options) *house {
	t.Helper()
	h := &house{t: t, file: filepath.Join(t.TempDir(), "test.db")}
	h.setTime(morning())
	require.NoError(t, demo.Write(t.Context(), h.file))
	var err error
	h.store, err = store.Open(t.Context(), h.file)
	require.NoError(t, err)
	t.Cleanup(func() { require.NoError(t, h.store.Close()) })
	h.serve(options)
	return h
}

// openEmpty opens a server with the kinds, and nobody.
func openEmpty(t *testing.T) *house {
	t.Helper()
	h := &house{t: t}
	h.setTime(morning())
	var err error
	h.store, err = store.Open(t.Context(), "")
	require.NoError(t, err)
	t.Cleanup(func() { require.NoError(t, h.store.Close()) })
	kinds, err := standard.Kinds()
	require.NoError(t, err)
	lists, err := standard.Lists()
	require.NoError(t, err)
	require.NoError(t, h.store.SaveKinds(t.Context(), kinds, lists...))
	h.serve(httpapi.Options{})
	return h
}

func (h *house) serve(options httpapi.Options) {
	h.t.Helper()
	h.app = app.New(h.store, h.time)
	h.t.Cleanup(h.app.Close)
	options.Client = fstest.MapFS{"index.html": {Data: []byte("<title>Codicil</title>")}}
	handler, err := httpapi.New(h.app, options)
	require.NoError(h.t, err)
	h.server = httptest.NewServer(handler)
	h.t.Cleanup(h.server.Close)
}

func trailOf(kind string) trail.Query { return trail.Query{Kind: kind} }

func (h *house) own() context.Context { return actor.With(h.t.Context(), owner) }

// visitor asks with what they hold.
type visitor struct {
	*house
	header http.Header
}

// as lets somebody with roles come in; no companies: all.
func (h *house) as(name string, companies []string, roles ...string) *visitor {
	h.t.Helper()
	id := strings.ToLower(strings.ReplaceAll(name, " ", "-"))
	require.NoError(h.t, h.app.People.Found(h.own(), people.Founding{ID: id, Name: name, SignIn: id, Companies: companies, Roles: roles}))
	issued, err := h.app.SignIn.Become(h.own(), id)
	require.NoError(h.t, err)
	return &visitor{h, http.Header{"Cookie": {"__Host-codicil=" + issued.Token}}}
}

type answer struct {
	status int
	header http.Header
	text   string
}

func (a answer) code() string {
	var p contract.Problem
	_ = json.Unmarshal([]byte(a.text), &p)
	return p.Code
}

func (v *visitor) ask(method, path string, body any) answer {
	v.t.Helper()
	var text []byte
	if raw, is := body.([]byte); is {
		text = raw
	} else if body != nil {
		var err error
		text, err = json.Marshal(body)
		require.NoError(v.t, err)
	}
	request, err := http.NewRequestWithContext(v.t.Context(), method, v.server.URL+path, bytes.NewReader(text))
	require.NoError(v.t, err)
	request.Header = v.header.Clone()
	if request.Header == nil {
		request.Header = http.Header{}
	}
	if _, raw := body.([]byte); raw {
		request.Header.Set("Content-Type", "application/octet-stream")
	}
	if body != nil && request.Header.Get("Content-Type") == "" {
		request.Header.Set("Content-Type", "application/json")
	}
	if host := request.Header.Get("Host"); host != "" {
		request.Host = host
	}
	response, err := http.DefaultClient.Do(request)
	require.NoError(v.t, err)
	told, err := io.ReadAll(response.Body)
	require.NoError(v.t, err)
	require.NoError(v.t, response.Body.Close())
	return answer{response.StatusCode, response.Header, string(told)}
}

// least is the least that a schema allows.
func least(ref *openapi3.SchemaRef, depth int) any {
	s := ref.Value
	for _, all := range [][]*openapi3.SchemaRef{s.AllOf, s.OneOf, s.AnyOf} {
		if len(all) > 0 {
			return least(all[0], depth+1)
		}
	}
	if len(s.Enum) > 0 {
		return s.Enum[0]
	}
	switch {
	case s.Type.Is("object"):
		object := map[string]any{}
		for _, name := range s.Required {
			object[name] = least(s.Properties[name], depth+1)
		}
		return object
	case s.Type.Is("array"):
		list := []any{}
		for range s.MinItems {
			list = append(list, least(s.Items, depth+1))
		}
		return list
	case s.Type.Is("integer"), s.Type.Is("number"):
		if s.Min != nil {
			return int(*s.Min)
		}
		return 1
	case s.Type.Is("boolean"):
		return false
	}
	if s.Format == "date-time" {
		return "2026-11-01T00:00:00Z"
	}
	return strings.Repeat("x", max(int(s.MinLength), 1))
}

type operation struct {
	*openapi3.Operation
	method, path string
	parameters   openapi3.Parameters
}

func operations(t *testing.T) (all []operation) {
	t.Helper()
	document, err := openapi3.NewLoader().LoadFromData(api.OpenAPI)
	require.NoError(t, err)
	for path, item := range document.Paths.Map() {
		for method, op := range item.Operations() {
			all = append(all, operation{op, method, path, slices.Concat(item.Parameters, op.Parameters)})
		}
	}
	slices.SortFunc(all, func(a, b operation) int { return strings.Compare(a.OperationID, b.OperationID) })
	return all
}

// request is one that the contract allows.
func (o *operation) request() (path string, body any) {
	path = o.path
	separator := "?"
	for _, p := range o.parameters {
		value := fmt.Sprint(least(p.Value.Schema, 0))
		switch {
		case p.Value.Name == "kind":
			value = "vendor"
		case p.Value.Schema.Value.Type.Is("string") && slices.Contains([]string{"day", "from", "to"}, p.Value.Name):
			value = "2026-11-24"
		case p.Value.Name == "once": // otherwise it goes on for minutes
			value = "true"
		}
		switch {
		case p.Value.In == "path":
			path = strings.ReplaceAll(path, "{"+p.Value.Name+"}", value)
		case p.Value.Required || p.Value.Name == "once":
			path += separator + p.Value.Name + "=" + value
			separator = "&"
		}
	}
	if o.RequestBody != nil {
		if json := o.RequestBody.Value.Content["application/json"]; json != nil {
			body = least(json.Schema, 0)
		} else {
			body = []byte("name\nx\n")
		}
	}
	return "/api/v1" + path, body
}

func (o *operation) permissions() (all []string, decided bool) {
	list, decided := o.Extensions["x-permission"].([]any)
	for _, p := range list {
		all = append(all, p.(string))
	}
	return all, decided
}

// TestEveryOperationAsksForItsPermission goes through every operation of the contract as every role, and as nobody: who has
// one of the permissions that it names is let in, and nobody else. An operation of which nobody decided fails.
func TestEveryOperationAsksForItsPermission(t *testing.T) {
	h := openHouse(t, httpapi.Options{})
	roles, err := h.store.Roles(t.Context())
	require.NoError(t, err)
	require.Len(t, roles, 5)
	visitors := map[string]*visitor{}
	rights := map[string]*actor.Rights{}
	for _, r := range roles {
		visitors[r.Key] = h.as("Of "+r.Key, nil, r.Key)
		rights[r.Key] = &actor.Rights{}
		for _, p := range r.Permissions {
			rights[r.Key].Give(actor.Permission(p), nil)
		}
	}
	visitors["none"], rights["none"] = h.as("Of none", nil), &actor.Rights{}
	stranger := &visitor{house: h}
	let := 0
	for _, o := range operations(t) {
		permissions, decided := o.permissions()
		if !assert.True(t, decided, "%s: nobody decided who may; say x-permission in the contract", o.OperationID) {
			continue
		}
		path, body := o.request()
		if slices.Contains(permissions, "nobody") {
			if o.OperationID != "signOut" {
				assert.NotEqual(t, "sign-in-needed", stranger.ask(o.method, path, body).code(), o.OperationID)
			}
			continue
		}
		got := stranger.ask(o.method, path, body)
		assert.Equal(t, http.StatusUnauthorized, got.status, "%s as nobody: %.300s", o.OperationID, got.text)
		assert.Equal(t, "sign-in-needed", got.code(), o.OperationID)
		for role, v := range visitors {
			may := len(permissions) == 0 || slices.ContainsFunc(permissions, func(p string) bool { return rights[role].Has(actor.Permission(p), "") })
			got := v.ask(o.method, path, body)
			assert.NotEqual(t, http.StatusUnauthorized, got.status, "%s as %s", o.OperationID, role)
			assert.NotEqual(t, "bad-request", got.code(), "%s: the request is not one of the contract: %.300s", o.OperationID, got.text)
			if may {
				let++
				assert.False(t, got.status == http.StatusForbidden && strings.Contains(got.text, "takes the permission"), "%s as %s: %.300s", o.OperationID, role, got.text)
				continue
			}
			assert.Equal(t, http.StatusForbidden, got.status, "%s as %s: %.300s", o.OperationID, role, got.text)
			assert.Equal(t, "not-allowed", got.code(), "%s as %s", o.OperationID, role)
		}
	}
	assert.Greater(t, let, 300)
}

// Who may something for some kinds of records may it for no others.
func TestPermissionsAreByKind(t *testing.T) {
	h := openHouse(t, httpapi.Options{})
	_, err := h.app.People.SaveRole(h.own(), "vendors", contract.RoleChange{Name: "Keeper of vendors", Permissions: []string{"records.change"}, Kinds: []string{"vendor"}})
	require.NoError(t, err)
	v := h.as("Of vendors", nil, "vendors")
	assert.Equal(t, http.StatusOK, v.ask(http.MethodGet, "/api/v1/records/vendor/V10001", nil).status)
	assert.Equal(t, http.StatusOK, v.ask(http.MethodPost, "/api/v1/records/list", contract.ListRequest{Kind: "vendor", Columns: []string{}}).status)
	for path, body := range map[string]any{"/api/v1/records/list": contract.ListRequest{Kind: "customer", Columns: []string{}}, "/api/v1/records/count": contract.ListRequest{Kind: "customer", Columns: []string{}}, "/api/v1/runs/derive": contract.DeriveRequest{Kind: "vendor"}} {
		got := v.ask(http.MethodPost, path, body)
		assert.Equal(t, http.StatusForbidden, got.status, "%s %s", path, got.text)
	}
	assert.Equal(t, http.StatusForbidden, v.ask(http.MethodGet, "/api/v1/records/customer/C10001", nil).status)
}

// foreign is what a person of company 30 must never be told: numbers and names of the others.
type foreign struct {
	marks []string
}

func (h *house) foreign() *foreign {
	h.t.Helper()
	kinds, err := h.store.Kinds(h.t.Context())
	require.NoError(h.t, err)
	f := &foreign{}
	ours := ""
	companies, err := h.store.Companies(h.t.Context())
	require.NoError(h.t, err)
	for _, c := range companies {
		if c.Key != "30" {
			f.marks = append(f.marks, c.Name)
		}
	}
	names := []string{}
	for i := range kinds {
		for r, err := range h.store.Records(h.t.Context(), kinds[i].Key, nil) {
			require.NoError(h.t, err)
			values := jsonOf(r.Values)
			for _, l := range r.Lines {
				values += jsonOf(l.Values)
			}
			switch {
			case kinds[i].Shared || r.Company == "30":
				ours += r.Number + " " + values
			default:
				f.marks = append(f.marks, `"`+r.Number, " "+r.Number)
				for _, key := range []string{"name", "tax_number", "bank_account", "email"} {
					if v := r.Values[key]; len(v) > 5 {
						names = append(names, v)
					}
				}
			}
		}
	}
	for _, name := range names {
		if !strings.Contains(ours, name) && !slices.Contains(f.marks, name) {
			f.marks = append(f.marks, name)
		}
	}
	require.Greater(h.t, len(f.marks), 200)
	return f
}

// in tells what of the others stands in an answer.
func (f *foreign) in(text string) (found []string) {
	for _, mark := range f.marks {
		if strings.Contains(text, mark) {
			found = append(found, mark)
		}
	}
	var value any
	for _, line := range append([]string{text}, strings.Split(text, "\n")...) {
		if json.Unmarshal([]byte(line), &value) == nil {
			found = append(found, companiesIn(value, "")...)
		}
	}
	return found
}

func other(company string) bool { return slices.Contains([]string{"10", "20", "40"}, company) }

// companiesIn finds keys of other companies where keys of companies stand.
func companiesIn(value any, at string) (found []string) {
	switch v := value.(type) {
	case map[string]any:
		for key, inner := range v {
			if at == "companies" && other(key) {
				found = append(found, at+"="+key)
			}
			if key != "params" { // which repeat what was asked
				found = append(found, companiesIn(inner, key)...)
			}
		}
	case []any:
		for _, inner := range v {
			found = append(found, companiesIn(inner, at)...)
		}
	case string:
		if (at == "company" || at == "companies") && other(v) {
			found = append(found, at+"="+v)
		}
	}
	return found
}

// TestOtherCompaniesDoNotExist asks all that can be asked as people of one company: no answer, message, count or file tells
// of the others.
func TestOtherCompaniesDoNotExist(t *testing.T) {
	h := openHouse(t, httpapi.Options{})
	// A rule over all companies finds what is the same in another.
	everywhere, err := h.app.Rules.Create(h.own(), contract.RuleChange{Body: rule.Body{
		Kind: "vendor", Family: rule.Validate, Target: "tax_number", On: rule.Occasions{New: true, Change: true},
		Effect: rule.Effect{Severity: rule.Refuse, Unique: &rule.Unique{Everywhere: true}, Message: "This tax number is there already."},
	}})
	require.NoError(t, err)
	_, err = h.app.Rules.Move(h.own(), everywhere.ID, contract.RuleMove{State: rule.InForce, Version: 1, Reason: "all must differ"})
	require.NoError(t, err)
	f := h.foreign()
	all := h.as("Kai Sato", []string{"30"}, "keeper", "operator", "reader", "signer", "administrator")
	look := func(method, path string, body any) answer {
		t.Helper()
		got := all.ask(method, "/api/v1"+path, body)
		assert.Empty(t, f.in(got.text), "%s %s %s", method, path, jsonOf(body))
		return got
	}
	ours := func(path string) {
		t.Helper()
		got := look(http.MethodGet, path, nil)
		assert.Equal(t, http.StatusOK, got.status, "%s %.500s", path, got.text)
	}
	kinds, err := h.store.Kinds(t.Context())
	require.NoError(t, err)

	for _, path := range []string{
		"/catalog", "/rules", "/plan?kind=vendor&company=30&type=TRAD&day=2026-11-24", "/postings?ledger=books", "/postings?ledger=practice", "/ledgers/books", "/ledgers/practice", "/ledgers/books/journal", "/ledgers/practice/journal",
		"/ledgers/books/balances?by=account", "/ledgers/books/balances?by=vendor", "/ledgers/books/balances?by=customer", "/tables/standing", "/tables/crosswalks", "/tables/series", "/tables/crosswalks/transit/missing", "/tables/crosswalks/transit/export",
		"/follow-ons", "/waiting", "/waiting?since=2025-01-01T00:00:00Z", "/findings", "/findings/data", "/runs", "/loads", "/news?once=true&after=1", "/trail", "/trail/export?as=csv", "/trail/export?as=ndjson", "/persons", "/roles", "/keys", "/session", "/account/sessions",
		"/confirmation/report?kind=vendor&company=30&type=TRAD", "/confirmation/report/export?kind=vendor&company=30&type=TRAD",
		"/signing", "/batches", "/tables/lists", "/tables/lists/countries",
		"/records/last?kind=accounting_document&company=30&type=VI&mine=true", "/tables/crosswalks/transit", "/kinds/vendor/fields/removed", "/codicils/history?what=crosswalk&key=transit&row=",
	} {
		ours(path)
	}
	for i := range kinds {
		kind := kinds[i].Key
		h.proofs(all, f, kind)
		for _, path := range []string{"/rules?kind=", "/confirmation?kind=", "/duplicates?kind=", "/breaks?kind=", "/layouts?kind="} {
			ours(path + kind)
		}
		ours("/duplicates/" + kind + "/different")
		ours("/links/" + kind)
		var page contract.RecordPage
		got := look(http.MethodPost, "/records/list", contract.ListRequest{Kind: kind, Columns: []string{}, Limit: 500})
		require.NoError(t, json.Unmarshal([]byte(got.text), &page))
		saved, err := h.store.CountRecords(t.Context(), kind, []string{"30"})
		require.NoError(t, err)
		assert.Equal(t, saved, page.Total, kind)
		assert.Equal(t, saved, page.All, kind)
		look(http.MethodPost, "/records/export", contract.ListRequest{Kind: kind, Columns: []string{}})
	}
	// What is theirs is not found, whichever way it is asked for.
	for _, number := range []string{"V10001", "V20001"} {
		for _, path := range []string{"/records/vendor/" + number, "/records/vendor/" + number + "/history", "/records/vendor/" + number + "/versions/1/outcome", "/links/vendor?search=" + number, "/links/vendor?company=10&search=x"} {
			got := all.ask(http.MethodGet, "/api/v1"+path, nil)
			none := all.ask(http.MethodGet, "/api/v1"+strings.ReplaceAll(path, number, "V10999"), nil)
			assert.Equal(t, strings.ReplaceAll(none.text, "V10999", number), got.text, path)
			assert.Equal(t, none.status, got.status, path)
		}
	}
	for _, path := range []string{"/postings/A1000001?ledger=books", "/plan?kind=vendor&company=10&type=TRAD&day=2026-11-24", "/confirmation/report?kind=vendor&company=10&type=TRAD", "/layouts?kind=vendor&company=10"} {
		assert.GreaterOrEqual(t, all.ask(http.MethodGet, "/api/v1"+path, nil).status, 400, path)
	}
	for _, words := range []string{"V10001", "V10", "10", "A1000001"} {
		for i := range kinds {
			request := contract.ListRequest{Kind: kinds[i].Key, Columns: []string{}}
			request.Selection.Search = words
			look(http.MethodPost, "/records/list", request)
			request.Selection.Search, request.Selection.Companies = "", []string{"10"}
			var page contract.RecordPage
			require.NoError(t, json.Unmarshal([]byte(look(http.MethodPost, "/records/list", request).text), &page))
			assert.Zero(t, page.Total)
			var counted contract.RecordCount
			require.NoError(t, json.Unmarshal([]byte(look(http.MethodPost, "/records/count", request).text), &counted))
			assert.Zero(t, counted.Total)
		}
	}
	h.reachOver(all, f)
	h.changeNothing(all)
	h.runs(all, f)
}

// proofs are looked at less what somebody of all companies has written into them.
func (h *house) proofs(v *visitor, f *foreign, kind string) {
	var proofs []contract.Proof
	require.NoError(h.t, json.Unmarshal([]byte(v.ask(http.MethodGet, "/api/v1/proofs?kind="+kind, nil).text), &proofs))
	for _, p := range proofs {
		p.Name, p.Given.Entered, p.Given.Lines, p.Expect.Values, p.Expect.Messages = "", nil, nil, nil, nil
		if p.Given.Fixtures != nil {
			p.Given.Fixtures.Missing, p.Given.Fixtures.Lookups = nil, nil // by what was written
		}
		assert.Empty(h.t, f.in(jsonOf(p)), jsonOf(p))
	}
}

func (h *house) vendorOf(company string, filled string) (number, value string) {
	h.t.Helper()
	for r, err := range h.store.Records(h.t.Context(), "vendor", []string{company}) {
		require.NoError(h.t, err)
		if r.Values[filled] != "" {
			return r.Number, r.Values[filled]
		}
	}
	require.Fail(h.t, "no vendor of "+company)
	return "", ""
}

// reachOver names in documents of company 30 what is of others.
func (h *house) reachOver(v *visitor, f *foreign) {
	t := h.t
	theirs, tax := h.vendorOf("10", "tax_number")
	_, country := h.vendorOf("10", "country")
	try := func(document map[string]any) string {
		got := v.ask(http.MethodPost, "/api/v1/try", map[string]any{"document": document})
		return got.text
	}
	same := try(map[string]any{"kind": "vendor", "company": "30", "type": "TRAD", "day": "2026-11-24", "entered": map[string]any{"name": map[string]any{"value": "Own"}, "country": map[string]any{"value": country}, "tax_number": map[string]any{"value": tax}}})
	assert.Contains(t, same, "This tax number is there already.", "the rule sees all companies")
	assert.Contains(t, same, "in another company")
	assert.NotContains(t, same, theirs)
	// A link to a record of another company is as one to none.
	link := func(number string) string {
		return strings.ReplaceAll(try(map[string]any{"kind": "accounting_document", "company": "30", "type": "VI", "day": "2026-11-24", "entered": map[string]any{"vendor": map[string]any{"typed": number}}}), number, "NUMBER")
	}
	assert.Equal(t, link("V10999"), link(theirs))
	name := ""
	for r, err := range h.store.Records(t.Context(), "vendor", []string{"10"}) {
		require.NoError(t, err)
		if r.Number == theirs {
			name = r.Values["name"]
		}
	}
	assert.NotContains(t, link(name), theirs, "nor is it found by its name")
	for _, document := range []map[string]any{
		{"kind": "vendor", "company": "10", "type": "TRAD", "day": "2026-11-24", "entered": map[string]any{}},
		{"kind": "vendor", "company": "30", "type": "TRAD", "record": theirs, "day": "2026-11-24", "entered": map[string]any{}},
	} {
		for path, body := range map[string]any{
			"/try": map[string]any{"document": document}, "/postings": map[string]any{"document": document}, "/proofs": map[string]any{"document": document, "name": "x"},
			"/records": map[string]any{"document": document, "version": 1}, "/records/merge": map[string]any{"document": document, "version": 1},
			"/formulas/check": map[string]any{"kind": "vendor", "target": "name", "part": "value", "formula": "name", "family": "compute", "document": document},
		} {
			got := v.ask(http.MethodPost, "/api/v1"+path, body)
			assert.GreaterOrEqual(t, got.status, 400, "%s %s", path, got.text)
			assert.Empty(t, f.in(strings.ReplaceAll(got.text, theirs, "")), "%s %s", path, got.text)
		}
	}
	got := v.ask(http.MethodPost, "/api/v1/evaluate", []any{map[string]any{"kind": "vendor", "company": "10", "type": "TRAD", "day": "2026-11-24", "values": map[string]any{}}})
	assert.GreaterOrEqual(t, got.status, 400, got.text)
}

// changeNothing tries to change what holds in other companies too.
func (h *house) changeNothing(v *visitor) {
	t := h.t
	kinds, err := h.store.Kinds(t.Context())
	require.NoError(t, err)
	var rules []rule.Rule
	for i := range kinds {
		of, err := h.store.Rules(t.Context(), kinds[i].Key)
		require.NoError(t, err)
		rules = append(rules, of...)
	}
	all, theirs := int64(0), int64(0)
	for _, r := range rules {
		switch {
		case len(r.Scope.Companies) == 0 && all == 0:
			all = r.ID
		case len(r.Scope.Companies) > 0 && !slices.Contains(r.Scope.Companies, "30"):
			theirs = r.ID
		}
	}
	require.NotZero(t, all)
	require.NotZero(t, theirs)
	for path, want := range map[string]int{fmt.Sprintf("/rules/%d", all): http.StatusForbidden, fmt.Sprintf("/rules/%d", theirs): http.StatusNotFound} {
		got := v.ask(http.MethodPost, "/api/v1"+path+"/state", map[string]any{"state": "suspended", "version": 1})
		assert.Equal(t, want, got.status, "%s %s", path, got.text)
		assert.Equal(t, want, v.ask(http.MethodDelete, "/api/v1"+path, nil).status, path)
	}
	scoped := contract.RuleChange{Body: rule.Body{Kind: "vendor", Family: rule.Default, Target: "city", Scope: rule.Scope{Companies: []string{"10"}}, On: rule.Occasions{New: true}, Effect: rule.Effect{Lifetime: rule.NewOnly, Value: `"x"`}}}
	assert.Equal(t, http.StatusForbidden, v.ask(http.MethodPost, "/api/v1/rules", scoped).status)
	assert.Equal(t, "unknown-company", v.ask(http.MethodPost, "/api/v1/rules/read", scoped).code())
	assert.Equal(t, http.StatusForbidden, v.ask(http.MethodPost, "/api/v1/findings/silence", contract.SilenceRequest{Key: "a|b", Reason: "x"}).status)
	for path, body := range map[string]any{
		"/companies/10": map[string]any{"key": "10", "name": "Mine now", "country": "IE", "currency": "EUR", "rounding": "half-up", "calendar": map[string]any{"freeDays": []int{}, "holidays": []any{}}},
		"/roles/keeper": map[string]any{"name": "All", "permissions": []string{"rules.read"}, "kinds": []string{}, "version": 1},
	} {
		got := v.ask(http.MethodPut, "/api/v1"+path, body)
		assert.Equal(t, http.StatusForbidden, got.status, "%s %s", path, got.text)
	}
	var added contract.PersonAdded
	got := v.ask(http.MethodPost, "/api/v1/persons", contract.PersonChange{Name: "Own", SignInName: "own.person", Companies: []string{"30"}, Roles: []string{"reader"}})
	require.Equal(t, http.StatusCreated, got.status, got.text)
	require.NoError(t, json.Unmarshal([]byte(got.text), &added))
	for _, change := range []contract.PersonChange{
		{Name: "Own", SignInName: "own.person", Companies: []string{"10"}, Version: 1}, {Name: "Own", SignInName: "own.person", Companies: []string{}, Everywhere: true, Version: 1},
	} {
		assert.GreaterOrEqual(t, v.ask(http.MethodPut, "/api/v1/persons/"+added.Person.ID, change).status, 400)
	}
	assert.Equal(t, http.StatusNotFound, v.ask(http.MethodPost, "/api/v1/persons/Petra%20Vance/reset", nil).status, "who is in all companies is not theirs")
}

// runs lets runs look at everything.
func (h *house) runs(v *visitor, f *foreign) {
	t := h.t
	for path, body := range map[string]any{
		"/runs": contract.ImpactRequest{Rule: 1}, "/runs/export": contract.ListRequest{Kind: "vendor", Columns: []string{}}, "/runs/proofs": contract.ProofsRequest{},
		"/runs/duplicates": contract.ScanRequest{Kind: "vendor", By: *uniqueEverywhere("name")}, "/runs/derive": contract.DeriveRequest{Kind: "vendor"},
	} {
		var run contract.Run
		got := v.ask(http.MethodPost, "/api/v1"+path, body)
		require.Less(t, got.status, 300, "%s %s", path, got.text)
		require.NoError(t, json.Unmarshal([]byte(got.text), &run))
		require.Eventually(t, func() bool {
			got = v.ask(http.MethodGet, fmt.Sprintf("/api/v1/runs/%d", run.ID), nil)
			_ = json.Unmarshal([]byte(got.text), &run)
			return run.EndedAt != nil
		}, time.Minute, 5*time.Millisecond)
		assert.Empty(t, f.in(got.text), "%s: %s", path, got.text)
		for _, of := range []string{"/hits", "/export", "/duplicates"} {
			got := v.ask(http.MethodGet, fmt.Sprintf("/api/v1/runs/%d%s", run.ID, of), nil)
			assert.True(t, got.status == http.StatusOK || of == "/duplicates", "%s%s: %d %s", path, of, got.status, got.text)
			assert.Empty(t, f.in(got.text), "%s%s: %.1000s", path, of, got.text)
		}
	}
	assert.Equal(t, http.StatusForbidden, v.ask(http.MethodPost, "/api/v1/runs/breaks", contract.BreaksRequest{Kind: "vendor"}).status, "what it counts holds for everybody")
	// What somebody of all companies lets run is not theirs.
	run, err := h.app.Impact.Start(h.own(), contract.ImpactRequest{Rule: 1})
	require.NoError(t, err)
	for _, of := range []string{"", "/hits", "/export"} {
		assert.Equal(t, http.StatusNotFound, v.ask(http.MethodGet, fmt.Sprintf("/api/v1/runs/%d%s", run.ID, of), nil).status, of)
	}
	assert.Equal(t, http.StatusNotFound, v.ask(http.MethodPost, fmt.Sprintf("/api/v1/runs/%d/stop", run.ID), nil).status)
	for _, of := range []string{"", "/preview", "/refused"} {
		assert.Equal(t, http.StatusNotFound, v.ask(http.MethodGet, "/api/v1/loads/2"+of, nil).status, of)
	}
	// A file that names other companies loads nothing of them.
	theirs, tax := h.vendorOf("10", "tax_number")
	file := []byte("number,company,type,name,country,tax_number\n" + theirs + ",,,Taken over,IE,\n,10,TRAD,New there,IE,\n,30,TRAD,New here,IE," + tax + "\n")
	got := v.ask(http.MethodPost, "/api/v1/loads?kind=vendor&name=x.csv", file)
	require.Equal(t, http.StatusCreated, got.status, got.text)
	var load contract.Load
	require.NoError(t, json.Unmarshal([]byte(got.text), &load))
	got = v.ask(http.MethodGet, fmt.Sprintf("/api/v1/loads/%d/preview?format[decimal]=,&format[group]=.&format[date]=dmy&format[separator]=.", load.ID), nil)
	assert.Equal(t, http.StatusOK, got.status, got.text)
	told := strings.ReplaceAll(strings.ReplaceAll(strings.ReplaceAll(got.text, theirs, ""), tax, ""), `"company":"10"`, "")
	assert.Empty(t, f.in(told), got.text)
}

func uniqueEverywhere(fields ...string) *match.Unique {
	return &match.Unique{Fields: fields, Everywhere: true, Ignore: match.Differences{}}
}
