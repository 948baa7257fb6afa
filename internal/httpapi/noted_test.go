package httpapi_test

import (
	"database/sql"
	"fmt"
	"net/http"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	_ "github.com/ncruces/go-sqlite3/driver"

	"codicil/core/judge"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/internal/contract"
	"codicil/internal/httpapi"
)

// derived are the tables that follow from others, or count what happens; they are no changes by themselves.
var derived = []string{"trail", "trail_head", "sqlite_", "goose", "record_", "rule_uses", "rule_book", "run_", "runs", "scanned_keys", "series", "break_counts", "load_files", "balances", "journal", "unique_", "links"}

// held are the rows of every table that holds what somebody changed.
func (h *house) held() map[string]string {
	h.t.Helper()
	db, err := sql.Open("sqlite3", "file:"+h.file+"?mode=ro")
	require.NoError(h.t, err)
	defer func() { _ = db.Close() }()
	names, err := db.QueryContext(h.t.Context(), "SELECT name FROM sqlite_master WHERE type = 'table'")
	require.NoError(h.t, err)
	var tables []string
	for names.Next() {
		var name string
		require.NoError(h.t, names.Scan(&name))
		if !slices.ContainsFunc(derived, func(d string) bool { return strings.HasPrefix(name, d) }) {
			tables = append(tables, name)
		}
	}
	require.NoError(h.t, names.Err())
	require.NoError(h.t, names.Close())
	held := map[string]string{}
	for _, table := range tables {
		rows, err := db.QueryContext(h.t.Context(), "SELECT * FROM "+table)
		require.NoError(h.t, err)
		columns, err := rows.Columns()
		require.NoError(h.t, err)
		var text strings.Builder
		for rows.Next() {
			values := make([]any, len(columns))
			for i := range values {
				values[i] = new(any)
			}
			require.NoError(h.t, rows.Scan(values...))
			for _, v := range values {
				fmt.Fprintf(&text, "%v|", *v.(*any))
			}
		}
		require.NoError(h.t, rows.Err())
		require.NoError(h.t, rows.Close())
		held[table] = text.String()
	}
	return held
}

// TestEveryChangeIsInTheTrail does one of each sort of change: whatever changed a table that holds what people change is in the
// trail, with who did it and from where.
func TestEveryChangeIsInTheTrail(t *testing.T) {
	h := openHouse(t, httpapi.Options{})
	moya := h.as("Moya Burke", nil, "administrator", "keeper", "operator", "reader")
	changed := map[string]bool{}
	step := func(what, method, path string, body any) {
		t.Helper()
		before := h.held()
		head, err := h.store.TrailHead(t.Context())
		require.NoError(t, err)
		got := moya.ask(method, "/api/v1"+path, body)
		require.Less(t, got.status, 300, "%s: %s", what, got.text)
		after := h.held()
		now, err := h.store.TrailHead(t.Context())
		require.NoError(t, err)
		for table, rows := range after {
			if rows != before[table] {
				changed[table] = true
				assert.Greater(t, now.Last, head.Last, "%s changed %s and is not in the trail", what, table)
			}
		}
		page, err := h.app.Trail.Page(h.own(), trailOf(""), "")
		require.NoError(t, err)
		assert.Equal(t, "Moya Burke", page.Entries[0].By, what)
		assert.Equal(t, "127.0.0.1", page.Entries[0].Address, what)
	}
	vendor := judge.Document{Kind: "vendor", Company: "10", Type: "SERV", Entered: map[string]judge.Item{
		"name": {Value: "Harbour Survey Co"}, "country": {Value: "IE"}, "control_account": {Value: "211000"}, "bank_account": {Value: "IE21BRNW99010199999999"}, "email": {Value: "a@b.example"},
	}}
	step("saving", http.MethodPost, "/records", contract.SaveRequest{Document: vendor})
	number := ""
	for r, err := range h.store.Records(t.Context(), "vendor", []string{"10"}) {
		require.NoError(t, err)
		if r.Values["name"] == "Harbour Survey Co" {
			number = r.Number
		}
	}
	require.NotEmpty(t, number)
	step("saying different", http.MethodPost, "/duplicates/vendor/different", contract.DifferentRequest{Numbers: []string{number, "V10001"}, Reason: "other people"})
	step("taking that back", http.MethodDelete, "/duplicates/vendor/different?number="+number+"&other=V10001", nil)
	step("deleting", http.MethodDelete, "/records/vendor/"+number, nil)
	step("a company", http.MethodPut, "/companies/50", record.Company{Key: "50", Name: "Brinewell Far", Country: "IE", Currency: "EUR", Rounding: "half-up", Calendar: record.Calendar{FreeDays: []int{}, Holidays: []record.Holiday{}}})
	step("removing it", http.MethodDelete, "/companies/50", nil)
	step("a type", http.MethodPut, "/types/vendor/NEW", record.Type{Kind: "vendor", Key: "NEW", Label: "New", Companies: []string{}})
	step("removing it", http.MethodDelete, "/types/vendor/NEW", nil)
	step("a field", http.MethodPost, "/kinds/vendor/fields", map[string]any{"key": "berth", "label": "Berth", "section": "general", "type": "text"})
	step("removing it", http.MethodDelete, "/kinds/vendor/fields/berth", nil)
	step("bringing it back", http.MethodPost, "/kinds/vendor/fields/berth/restore", nil)
	step("marking it as personal", http.MethodPut, "/kinds/vendor/fields/berth/personal", contract.PersonalMark{Personal: true})
	step("blanking", http.MethodPost, "/records/vendor/V10002/blank", contract.BlankRequest{Apply: true, Reason: "asked"})
	step("a definition", http.MethodPut, "/duplicates/vendor/definitions/Names", uniqueEverywhere("name"))
	step("a rule", http.MethodPost, "/rules", contract.RuleChange{Body: rule.Body{Kind: "vendor", Family: rule.Default, Target: "city", On: rule.Occasions{New: true}, Effect: rule.Effect{Lifetime: rule.NewOnly, Value: `"x"`}}})
	rules, err := h.store.Rules(t.Context(), "vendor")
	require.NoError(t, err)
	last := rules[len(rules)-1]
	step("putting it in force", http.MethodPost, fmt.Sprintf("/rules/%d/state", last.ID), contract.RuleMove{State: rule.InForce, Version: 1, Reason: "wanted"})
	step("keeping a proof", http.MethodPost, "/proofs", contract.KeepRequest{Document: judge.Document{Kind: "vendor", Company: "10", Type: "SERV", Day: "2026-11-24", Entered: vendor.Entered}, Name: "A proof"})
	proofs, err := h.store.Proofs(t.Context(), "vendor")
	require.NoError(t, err)
	step("removing it", http.MethodDelete, fmt.Sprintf("/proofs/%d", proofs[len(proofs)-1].ID), nil)
	step("leaving a finding", http.MethodPost, "/findings/silence", contract.SilenceRequest{Key: "a|b", Reason: "fine"})
	step("a format", http.MethodPut, "/preferences", contract.Preferences{})
	step("posting a test", http.MethodPost, "/postings", contract.TryRequest{Document: judge.Document{Kind: "vendor", Company: "10", Type: "SERV", Day: "2026-11-24", Entered: vendor.Entered}})
	step("emptying", http.MethodDelete, "/ledgers/practice", nil)
	step("a file", http.MethodPost, "/loads?kind=vendor&name=v.csv", []byte("name\nx\n"))
	loads, err := h.store.Loads(t.Context(), 1)
	require.NoError(t, err)
	step("setting it up", http.MethodPut, fmt.Sprintf("/loads/%d", loads[0].ID), contract.LoadSetup{Name: "List", Columns: map[string]string{"name": "name"}, Constants: map[string]string{"company": "10", "type": "SERV"}, Key: []string{}, Found: "update", Missing: "add", Blanks: "keep", Reasons: map[string]string{}})
	step("removing the set-up", http.MethodDelete, "/loads/set-ups/vendor/List", nil)
	step("a role", http.MethodPut, "/roles/vendors", contract.RoleChange{Name: "Vendors", Permissions: []string{"records.read"}, Kinds: []string{}})
	step("a person", http.MethodPost, "/persons", contract.PersonChange{Name: "New", SignInName: "new", Companies: []string{}, Roles: []string{"vendors"}})
	step("a key", http.MethodPost, "/keys", contract.KeyChange{Name: "Nightly", Permissions: []string{"records.read"}, Kinds: []string{}, Companies: []string{"10"}, Ends: "2026-12-31"})
	step("an export", http.MethodPost, "/records/export", contract.ListRequest{Kind: "vendor", Columns: []string{}})
	step("a run", http.MethodPost, "/runs/proofs", contract.ProofsRequest{})
	step("a backup", http.MethodPost, "/backup", nil)
	_, err = h.store.VerifyTrail(t.Context(), nil, nil)
	require.NoError(t, err)
	for _, table := range []string{"records", "companies", "types", "added_fields", "rules", "rule_versions", "proofs", "silences", "postings", "loads", "roles", "persons", "program_keys", "different_records", "duplicate_definitions", "personal_fields"} {
		assert.True(t, changed[table], "%s was changed by none of these", table)
	}
	// Nothing of a secret is in it.
	text := moya.ask(http.MethodGet, "/api/v1/trail/export?as=ndjson", nil).text
	for _, secret := range []string{"codicil_", "argon2id"} {
		assert.NotContains(t, text, secret)
	}
}

func TestTheTrailAsAFileHoldsNoFormulas(t *testing.T) {
	h := openHouse(t, httpapi.Options{})
	h.signIn("=cmd|' /c calc'!a0", good, "")
	require.NoError(t, h.app.People.WriteRefusals(t.Context()))
	text := h.as("Moya", nil, "administrator").ask(http.MethodGet, "/api/v1/trail/export?as=csv", nil).text
	assert.Contains(t, text, ",'=cmd|")
	assert.NotContains(t, text, ",=")
}
