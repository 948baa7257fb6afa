package main

import (
	"bytes"
	"encoding/json"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"github.com/santhosh-tekuri/jsonschema/v6"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"codicil/api"
	"codicil/core/evaluation"
	"codicil/internal/release"
	"codicil/internal/store"
)

// emptyData makes a database without anything of a scenario.
func emptyData(t *testing.T) string {
	t.Helper()
	file := filepath.Join(t.TempDir(), "codicil.db")
	s, err := store.Open(t.Context(), file)
	require.NoError(t, err)
	require.NoError(t, s.Close())
	return file
}

func exported(t *testing.T, arguments ...string) string {
	t.Helper()
	out, errors, failed := run(t, "", append([]string{"export"}, arguments...)...)
	require.False(t, failed, errors)
	return out
}

func TestABookIsAsItsSchemaSays(t *testing.T) {
	document, err := jsonschema.UnmarshalJSON(bytes.NewReader(api.BookSchema))
	require.NoError(t, err)
	compiler := jsonschema.NewCompiler()
	require.NoError(t, compiler.AddResource("book.schema.json", document))
	schema, err := compiler.Compile("book.schema.json")
	require.NoError(t, err)
	validate := func(text string) error {
		book, err := jsonschema.UnmarshalJSON(strings.NewReader(text))
		require.NoError(t, err)
		return schema.Validate(book)
	}
	book := exported(t, "--demo")
	require.NoError(t, validate(book))
	assert.Error(t, validate(strings.Replace(book, `"family": "entry"`, `"family": "magic"`, 1)))
	assert.Equal(t, string(api.BookSchema), exported(t, "--schema"))
}

func TestABookIsReadDryFirstThenKeptThenSaysNothingNew(t *testing.T) {
	book := filepath.Join(t.TempDir(), "book.json")
	exported(t, "--demo", "--book", book)
	data := emptyData(t)

	out, errors, failed := run(t, "", "import", "--book", book, "--data", data)
	require.False(t, failed, errors)
	assert.Contains(t, out, "add    company        10 Brinewell Salt Works")
	assert.Contains(t, out, "add    crosswalk      Days in transit")
	assert.Contains(t, out, "Nothing was kept yet")
	assert.NotContains(t, exported(t, "--data", data), "Brinewell", "a dry run keeps nothing")

	out, errors, failed = run(t, "", "import", "--book", book, "--data", data, "--keep")
	require.False(t, failed, errors)
	assert.Contains(t, out, "Kept.")
	out, _, failed = run(t, "", "import", "--book", book, "--data", data)
	require.False(t, failed)
	assert.Contains(t, out, "0 changes. The file says nothing that is not here already.")

	// One rule says something else now: that is told, and nothing besides.
	text, err := os.ReadFile(book)
	require.NoError(t, err)
	changed := strings.Replace(string(text), `"why": "What we offer to everybody."`, `"why": "What we offered to everybody."`, 1)
	require.NotEqual(t, string(text), changed)
	require.NoError(t, os.WriteFile(book, []byte(changed), 0o600))
	out, _, failed = run(t, "", "import", "--book", book, "--data", data)
	require.False(t, failed)
	assert.Contains(t, out, "change rule")
	assert.Contains(t, out, "1 changes.")
}

func TestWhatIsNoBookIsRefusedWithItsReason(t *testing.T) {
	for text, want := range map[string]string{
		"oops":                                    "this is no book of rules",
		`{"format": "spreadsheet"}`:               `its format is "spreadsheet"`,
		`{"format": "codicil book"}`:              "the book is of version 0",
		`{"format": "codicil book", "rulez": []}`: `unknown field "rulez"`,
		`{"format": "codicil book", "rules": 7}`:  "rules holds a number, which does not belong there",
	} {
		file := filepath.Join(t.TempDir(), "book.json")
		require.NoError(t, os.WriteFile(file, []byte(text), 0o600))
		_, errors, failed := run(t, "", "import", "--book", file, "--data", emptyData(t))
		assert.True(t, failed, text)
		assert.Contains(t, errors, want)
	}
}

func TestDocumentsGoThroughABookOneInALine(t *testing.T) {
	book := filepath.Join(t.TempDir(), "book.json")
	exported(t, "--demo", "--book", book)
	input, err := os.ReadFile("testdata/documents.ndjson")
	require.NoError(t, err)
	out, errors, failed := run(t, string(input), "run", "--book", book)
	require.True(t, failed, "some lines are bad")
	assert.Contains(t, errors, "2 documents: 1 accepted, 0 need a reason, 1 refused; 3 lines could not be read or judged.")
	var results []evaluation.Result
	for line := range strings.Lines(out) {
		var r evaluation.Result
		require.NoError(t, json.Unmarshal([]byte(line), &r))
		results = append(results, r)
	}
	require.Len(t, results, 5)

	order := results[0]
	assert.Positive(t, order.Book, "the version of the rule book")
	assert.Equal(t, release.Version, order.Program)
	assert.Equal(t, "order 1", order.ID)
	assert.Equal(t, "accepted", string(order.Verdict))
	assert.Equal(t, "N30", order.Values["payment_terms"])
	assert.Equal(t, "36.9", order.Values["gross_total"])
	assert.Equal(t, "bag", order.Lines[0].Values["unit"])
	assert.Equal(t, "0.37", order.Values["credit_taken"])
	names := []string{}
	for _, a := range order.Acting {
		names = append(names, string(a.Family)+" "+a.Field)
	}
	assert.Subset(t, names, []string{"source payment_terms", "compute gross_total", "default confirmation", "follow-up customer"})
	assert.Equal(t, "credit_used", order.Writes[0].Field)
	assert.Equal(t, "36.9", order.Writes[0].After)

	assert.Contains(t, results[1].Error, "line 2 is no document")
	assert.Equal(t, `line 3: there is no company "99"`, results[2].Error)
	assert.Equal(t, "refused", string(results[3].Verdict))
	assert.Equal(t, "Country is required; enter it", results[3].Messages[0].Text)
	assert.Contains(t, results[4].Error, `line 5: a vendor has no field "colour"`)
}

// A change is tried on one installation and taken to the next, where it becomes an open codicil of its own.
func TestACodicilIsTakenToAnotherInstallation(t *testing.T) {
	folder, data := t.TempDir(), emptyData(t)
	book, file := filepath.Join(folder, "book.txt"), filepath.Join(folder, "codicil.txt")
	exported(t, "--demo", "--text", "--book", book)
	_, errors, failed := run(t, "", "import", "--book", book, "--data", data, "--keep")
	require.False(t, failed, errors)
	exported(t, "--demo", "--codicil", "16", "--text", "--book", file)
	text, err := os.ReadFile(file)
	require.NoError(t, err)
	assert.Contains(t, string(text), "title: Chandlery vendors are paid within thirty days")
	assert.Contains(t, string(text), "# For vendors in 20, when Country is DK, fill Payment terms with N30 on a new record only.\nrule:\n")
	assert.Equal(t, 1, strings.Count(string(text), "\nrule:\n"), "nothing but what it changes")

	out, errors, failed := run(t, "", "import", "--book", file, "--data", data)
	require.False(t, failed, errors)
	assert.Contains(t, out, "change rule")
	assert.Contains(t, out, "1 changes. Nothing was kept yet")
	out, errors, failed = run(t, "", "import", "--book", file, "--data", data, "--keep")
	require.False(t, failed, errors)
	said := regexp.MustCompile(`Kept in codicil (\d+), Chandlery vendors are paid within thirty days, which is open`).FindStringSubmatch(out)
	require.NotNil(t, said, out)
	number := said[1]

	terms := func(rules string) string {
		t.Helper()
		vendor := `{"kind":"vendor","company":"20","type":"TRAD","values":{"name":"Skagen Rope","country":"DK"}}`
		out, errors, failed := run(t, vendor, append([]string{"run", "--data", data}, strings.Fields(rules)...)...)
		require.False(t, failed, errors)
		var result evaluation.Result
		require.NoError(t, json.Unmarshal([]byte(out), &result))
		return result.Values["payment_terms"]
	}
	assert.Equal(t, "N14", terms(""))
	assert.Equal(t, "N30", terms("--rules codicil-"+number))
	out, _, failed = run(t, "", "prove", "--data", data, "--rules", "codicil-"+number)
	assert.True(t, failed)
	assert.Contains(t, out, "Chandlery's terms for a Danish vendor")
	_, errors, failed = run(t, "", "run", "--data", data, "--rules", "yesterday")
	assert.True(t, failed)
	assert.Contains(t, errors, `"yesterday" is no day`)

	again := exported(t, "--data", data, "--codicil", number, "--text")
	block := func(text string) string {
		_, after, _ := strings.Cut(text, "\nrule:\n")
		after, _, _ = strings.Cut(after, "\n---")
		return regexp.MustCompile(`(?m)^  (id|version|changed\w+|reason):.*\n`).ReplaceAllString(after, "")
	}
	assert.Equal(t, block(string(text)), block(again), "what it changes is the same on both")

	// A whole book becomes one too, where that is wanted.
	changed := strings.Replace(mustRead(t, book), "why: What we offer to everybody.", "why: What we offered to everybody.", 1)
	out, errors, failed = run(t, changed, "import", "--data", data, "--keep", "--codicil", "From the branch")
	require.False(t, failed, errors)
	assert.Contains(t, out, "From the branch, which is open")
}

func mustRead(t *testing.T, file string) string {
	t.Helper()
	text, err := os.ReadFile(file)
	require.NoError(t, err)
	return string(text)
}
