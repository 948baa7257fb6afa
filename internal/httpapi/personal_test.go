package httpapi_test

import (
	"bytes"
	"database/sql"
	"encoding/json"
	"fmt"
	"net/http"
	"os"
	"testing"
	"time"

	"github.com/klauspost/compress/zstd"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"codicil/core/field"
	"codicil/core/judge"
	"codicil/core/record"
	"codicil/internal/app/backups"
	"codicil/internal/contract"
	"codicil/internal/httpapi"
	"codicil/internal/store"
)

// stands tells in which tables a text stands, whatever is packed unpacked.
func (h *house) stands(text string) (tables map[string]int) {
	h.t.Helper()
	var dictionaries []zstd.DOption
	for number := range uint32(2) {
		dictionary, err := os.ReadFile(fmt.Sprintf("../store/dictionary%d.txt", number+1))
		require.NoError(h.t, err)
		dictionaries = append(dictionaries, zstd.WithDecoderDictRaw(number+1, dictionary))
	}
	unpack, err := zstd.NewReader(nil, dictionaries...)
	require.NoError(h.t, err)
	defer unpack.Close()
	db, err := sql.Open("sqlite3", "file:"+h.file+"?mode=ro")
	require.NoError(h.t, err)
	defer func() { _ = db.Close() }()
	var names []string
	found, err := db.QueryContext(h.t.Context(), "SELECT name FROM sqlite_master WHERE type = 'table' AND sql NOT LIKE 'CREATE VIRTUAL%'")
	require.NoError(h.t, err)
	for found.Next() {
		var name string
		require.NoError(h.t, found.Scan(&name))
		names = append(names, name)
	}
	require.NoError(h.t, found.Err())
	require.NoError(h.t, found.Close())
	tables = map[string]int{}
	for _, name := range names {
		rows, err := db.QueryContext(h.t.Context(), "SELECT * FROM "+name)
		require.NoError(h.t, err)
		columns, err := rows.Columns()
		require.NoError(h.t, err)
		for rows.Next() {
			values := make([]any, len(columns))
			for i := range values {
				values[i] = new(any)
			}
			require.NoError(h.t, rows.Scan(values...))
			for _, v := range values {
				raw := fmt.Append(nil, *v.(*any))
				if b, is := (*v.(*any)).([]byte); is {
					raw = b
				}
				if plain, err := unpack.DecodeAll(raw, nil); err == nil && bytes.HasPrefix(raw, []byte{0x28, 0xb5, 0x2f, 0xfd}) {
					raw = plain
				}
				if bytes.Contains(raw, []byte(text)) {
					tables[name]++
				}
			}
		}
		require.NoError(h.t, rows.Err())
		require.NoError(h.t, rows.Close())
	}
	return tables
}

// blanks asks to blank a vendor, or what that would be.
func (v *visitor) blanks(number, reason string, apply bool) (told contract.BlankTold, got answer) {
	v.t.Helper()
	got = v.ask(http.MethodPost, "/api/v1/records/vendor/"+number+"/blank", contract.BlankRequest{Apply: apply, Reason: reason})
	if got.status == http.StatusOK {
		require.NoError(v.t, json.Unmarshal([]byte(got.text), &told))
	}
	return told, got
}

func TestWhatIsPersonalIsBlankedEverywhere(t *testing.T) {
	h := openHouse(t, httpapi.Options{})
	folder := t.TempDir()
	h.app.Back(backups.Plan{Folder: folder, Every: time.Hour, Keep: 3})
	require.Eventually(t, func() bool { return len(h.app.Backups.Kept()) == 1 }, time.Minute, 10*time.Millisecond)
	moya := h.as("Moya Burke", nil, "administrator", "keeper", "operator", "reader")
	const email, older, name = "rosa.tiernan@post.example", "rosa@old.example", "Rosa Tiernan Sailmaking"
	entered := map[string]judge.Item{
		"name": {Value: name}, "country": {Value: "IE"}, "control_account": {Value: "211000"}, "bank_account": {Value: "IE31BRNW99010177777701"}, "email": {Value: older}, "city": {Value: "Port Carrow"},
	}
	vendor := judge.Document{Kind: "vendor", Company: "10", Type: "SERV", Entered: entered}
	save := func(body contract.SaveRequest) contract.Record {
		t.Helper()
		got := moya.ask(http.MethodPost, "/api/v1/records", body)
		var saved contract.SaveAnswer
		require.NoError(t, json.Unmarshal([]byte(got.text), &saved))
		require.NotNil(t, saved.Record, got.text)
		return *saved.Record
	}
	step := func(method, path string, body any) string {
		t.Helper()
		got := moya.ask(method, "/api/v1"+path, body)
		require.Less(t, got.status, 300, "%s %s", path, got.text)
		return got.text
	}
	test := vendor
	test.Day = "2026-11-24"
	require.Contains(t, step(http.MethodPost, "/postings", contract.TryRequest{Document: test}), `"summary"`)
	kept := save(contract.SaveRequest{Document: vendor})
	entered["email"] = judge.Item{Value: email}
	vendor.Record = kept.Number
	kept = save(contract.SaveRequest{Document: vendor, Version: kept.Version})
	vendor.Record = ""

	// Other records name them, one of which is posted; tests, proofs and files hold them.
	step(http.MethodPost, "/kinds/accounting_document/fields", field.Field{Key: "contact", Label: "Contact", Section: "general", Type: field.Text})
	step(http.MethodPost, "/kinds/accounting_document/fields", field.Field{Key: "remark", Label: "Remark", Section: "general", Type: field.Text})
	step(http.MethodPut, "/kinds/accounting_document/fields/contact/personal", contract.PersonalMark{Personal: true})
	for number, state := range map[string]string{"X1": record.Kept, "X2": record.Posted, "X3": record.Kept} {
		values := map[string]string{"vendor": kept.Number, "contact": email}
		if number == "X3" {
			values = map[string]string{"vendor": kept.Number, "remark": "called " + name}
		}
		_, err := h.store.AddRecord(t.Context(), record.Record{Ref: record.Ref{Kind: "accounting_document", Number: number}, Company: "10", Type: "KR", State: state, Content: record.Content{Values: values}}, store.Numbering{}, nil, record.Stamp{At: store.Instant(h.time()), By: "x", Person: "x", Via: "browser"})
		require.NoError(t, err)
	}
	step(http.MethodPost, "/proofs", contract.KeepRequest{Document: test, Name: "Proof of " + name})
	step(http.MethodPost, "/runs", contract.ImpactRequest{Rule: 1})
	step(http.MethodPost, "/runs/export", contract.ListRequest{Kind: "vendor", Columns: []string{"name", "email"}, Selection: record.Selection{Search: name}})
	require.Eventually(t, func() bool {
		var runs []contract.Run
		require.NoError(t, json.Unmarshal([]byte(step(http.MethodGet, "/runs", nil)), &runs))
		return runs[0].EndedAt != nil && runs[1].EndedAt != nil
	}, time.Minute, 10*time.Millisecond)
	run, err := h.store.Run(t.Context(), 1)
	require.NoError(t, err)
	require.NoError(t, h.store.SaveRun(t.Context(), run, []store.RunResult{{Rank: 9, Place: 9, Result: map[string]any{"number": kept.Number, "why": "the name " + name + " is like another"}}}, nil))
	for _, table := range []string{"records", "record_versions", "proofs", "proof_versions", "postings", "run_results"} {
		assert.Positive(t, h.stands(email)[table]+h.stands(name)[table], table)
	}

	step(http.MethodPost, "/backup", nil)

	// Who may, and how.
	for _, other := range []*visitor{h.as("Keeper", nil, "keeper", "operator", "reader", "signer"), h.as("Thirty", []string{"30"}, "administrator")} {
		_, got := other.blanks(kept.Number, "asked", true)
		assert.Equal(t, http.StatusForbidden, got.status)
	}
	_, got := moya.blanks(kept.Number, " ", true)
	assert.Equal(t, "blank-reason", got.code())
	_, got = moya.blanks("V19999", "asked", true)
	assert.Equal(t, http.StatusNotFound, got.status)
	got = moya.ask(http.MethodPost, "/api/v1/records/accounting_document/X2/blank", contract.BlankRequest{Apply: true, Reason: "asked"})
	assert.Equal(t, "blank-posted", got.code())

	require.Contains(t, step(http.MethodGet, "/records/vendor/"+kept.Number, nil), email)
	before, _ := moya.blanks(kept.Number, "", false)
	assert.Equal(t, []string{"Account holder", "Bank account", "City", "E-mail", "Name"}, before.Fields)
	assert.Equal(t, 2, before.Versions)
	assert.Equal(t, "X1", before.Records[0].Key)
	assert.Equal(t, "X2", before.Posted[0].Key)
	assert.Equal(t, "X3", before.Elsewhere[0].Key)
	assert.Len(t, before.Proofs, 1)
	assert.Len(t, before.Practice, 1)
	assert.Positive(t, before.Results)
	assert.Equal(t, 1, before.Exports)
	assert.Equal(t, 2, before.Loads)
	assert.Len(t, before.Backups, 1)
	require.Len(t, before.BackupsMade, 1)
	assert.Equal(t, "Moya Burke", before.BackupsMade[0].By)
	assert.Positive(t, h.stands(email)["records"], "what is only told changes nothing")

	told, got := moya.blanks(kept.Number, "Asked by letter, 12 November", true)
	require.Equal(t, http.StatusOK, got.status, got.text)
	assert.NotContains(t, got.text, "osa")
	for _, uses := range [][]contract.Use{before.Records, before.Posted, before.Elsewhere} {
		for i := range uses {
			uses[i].Title = "Vendor without a name" // as they are called now
		}
	}
	assert.Equal(t, before, told)
	for _, text := range []string{email, older, name, "IE31BRNW99010177777701"} {
		tables := h.stands(text)
		assert.LessOrEqual(t, tables["records"], 2, "%s: the posted document, and one where it is not said to be personal", text)
		delete(tables, "records")
		assert.LessOrEqual(t, tables["record_versions"], 2, text)
		delete(tables, "record_versions")
		assert.Empty(t, tables, text)
	}
	assert.NotContains(t, moya.ask(http.MethodGet, "/api/v1/records/vendor/"+kept.Number+"/history", nil).text, "osa")
	assert.NotContains(t, step(http.MethodGet, "/records/vendor/"+kept.Number, nil), "osa")
	listed := step(http.MethodPost, "/records/list", contract.ListRequest{Kind: "vendor", Columns: []string{}, Selection: record.Selection{Search: "Tiernan"}})
	assert.NotContains(t, listed, kept.Number, "they are no longer found by what they were called")
	again, _ := moya.blanks(kept.Number, "", false)
	assert.Empty(t, again.Fields)

	// What is not theirs stays; what is kept can be read; the chain is whole and says that it was done.
	assert.Contains(t, step(http.MethodGet, "/records/vendor/V10001", nil), "Skerry Sacks")
	assert.Positive(t, h.stands("Port Carrow")["records"])
	for version := 1; version <= 3; version++ {
		step(http.MethodGet, fmt.Sprintf("/records/vendor/%s/versions/%d/outcome", kept.Number, version), nil)
	}
	step(http.MethodGet, fmt.Sprintf("/proofs/%d", before.Proofs[0]), nil)
	step(http.MethodGet, fmt.Sprintf("/proofs/%d/versions", before.Proofs[0]), nil)
	step(http.MethodGet, "/postings/"+before.Practice[0]+"?ledger=practice", nil)
	_, err = h.store.VerifyTrail(t.Context(), nil, nil)
	require.NoError(t, err)
	page, err := h.app.Trail.Page(h.own(), trailOf("vendor"), "")
	require.NoError(t, err)
	whats := []string{}
	for _, e := range page.Entries[:2] {
		whats = append(whats, e.What)
	}
	assert.Contains(t, whats, "values blanked")
	// Who was deleted is blanked, too: their versions stayed.
	leaving := contract.SaveRequest{Document: vendor}
	leaving.Document.Entered = map[string]judge.Item{"name": {Value: "Cormac Leaving"}, "country": {Value: "IE"}, "control_account": {Value: "211000"}, "email": {Value: "cormac@leaving.example"}, "bank_account": {Value: "IE31BRNW99010177777701"}}
	gone := save(leaving)
	step(http.MethodDelete, "/records/vendor/"+gone.Number, nil)
	require.Positive(t, h.stands("cormac@leaving.example")["record_versions"])
	_, got = moya.blanks(gone.Number, "Asked", true)
	require.Equal(t, http.StatusOK, got.status, got.text)
	assert.Empty(t, h.stands("cormac@leaving.example"))
}

// What a person was is blanked in what named them once, in what was deleted since, and in what took their values over in a merge that
// was taken back; what others held of their own stays.
func TestWhatAPersonWasElsewhereIsBlanked(t *testing.T) {
	h := openHouse(t, httpapi.Options{})
	moya := h.as("Moya Burke", nil, "administrator", "keeper", "operator", "reader")
	step := func(method, path string, body, into any) {
		t.Helper()
		got := moya.ask(method, "/api/v1"+path, body)
		require.Less(t, got.status, 300, "%s %s", path, got.text)
		if into != nil {
			require.NoError(t, json.Unmarshal([]byte(got.text), into))
		}
	}
	save := func(kind, kindType, number string, version int, texts map[string]string) contract.Record {
		t.Helper()
		d := judge.Document{Kind: kind, Company: "10", Type: kindType, Record: number, Entered: map[string]judge.Item{}}
		for key, text := range texts {
			d.Entered[key] = judge.Item{Value: text}
		}
		var saved contract.SaveAnswer
		step(http.MethodPost, "/records", contract.SaveRequest{Document: d, Version: version}, &saved)
		require.NotNil(t, saved.Record, "%v", saved.Outcome.Messages)
		return *saved.Record
	}
	run := func(path string, body any) (r contract.Run) {
		t.Helper()
		step(http.MethodPost, path, body, &r)
		require.Eventually(t, func() bool {
			step(http.MethodGet, fmt.Sprintf("/runs/%d", r.ID), nil, &r)
			return r.EndedAt != nil
		}, time.Minute, 10*time.Millisecond)
		require.Equal(t, contract.RunStateDone, r.State, r.Problem)
		return r
	}
	step(http.MethodPost, "/kinds/sales_order/fields", field.Field{Key: "contact", Label: "Contact", Section: "general", Type: field.Text}, nil)
	step(http.MethodPut, "/kinds/sales_order/fields/contact/personal", contract.PersonalMark{Personal: true}, nil)
	const email, name = "osa.lind@post.example", "Osa Lind"
	osa := save("customer", "WHOL", "", 0, map[string]string{"name": name, "email": email, "city": "Carrow", "country": "IE", "control_account": "110000"})
	marsh := save("customer", "WHOL", "", 0, map[string]string{"name": "Marsh Grocers", "city": "Carrow", "country": "IE", "control_account": "110000"})
	order := save("sales_order", "SO", "", 0, map[string]string{"customer": osa.Number, "contact": name})
	save("sales_order", "SO", order.Number, order.Version, map[string]string{"customer": marsh.Number, "contact": ""})
	gone := save("sales_order", "SO", "", 0, map[string]string{"customer": osa.Number, "contact": name})
	step(http.MethodDelete, "/records/sales_order/"+gone.Number, nil, nil)
	merge := run("/runs/merge", contract.MergeRequest{Kind: "customer", Apply: true, Reason: "one", Merges: []contract.RecordMerge{{Survivor: marsh.Number, Merged: []string{osa.Number}}}})
	got := moya.ask(http.MethodPost, "/api/v1/records/customer/"+osa.Number+"/blank", contract.BlankRequest{Apply: true, Reason: "asked"})
	assert.Equal(t, "blank-merged", got.code())
	run(fmt.Sprintf("/runs/%d/take-back", merge.ID), nil)
	require.Positive(t, h.stands(email)["record_versions"])

	var before, told contract.BlankTold
	step(http.MethodPost, "/records/customer/"+osa.Number+"/blank", contract.BlankRequest{}, &before)
	require.Positive(t, h.stands(email)["record_versions"], "what is only told changes nothing")
	step(http.MethodPost, "/records/customer/"+osa.Number+"/blank", contract.BlankRequest{Apply: true, Reason: "asked"}, &told)
	assert.Equal(t, before.Versions, told.Versions)
	assert.Greater(t, told.Versions, 4, "those of others count, too")
	assert.Empty(t, h.stands(email))
	assert.Empty(t, h.stands(name))
	var kept contract.Record
	step(http.MethodGet, "/records/customer/"+marsh.Number, nil, &kept)
	assert.Equal(t, "Carrow", kept.Content.Values["city"], "it is their own")
	assert.Positive(t, h.stands("Marsh Grocers")["record_versions"])
}
