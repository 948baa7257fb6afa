package demo_test

import (
	"context"
	"database/sql"
	"fmt"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"codicil/core/decimal"
	"codicil/core/field"
	"codicil/core/judge"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/internal/actor"
	"codicil/internal/app"
	"codicil/internal/contract"
	"codicil/internal/demo"
	"codicil/internal/store"
)

var kindsWithRules = []string{"vendor", "quotation", "sales_order", "accounting_document", "item"}

// ada is a context in which Ada asks.
func ada(t *testing.T) context.Context {
	return actor.With(t.Context(), actor.Named("Ada", actor.Program))
}

// fill opens the scenario, on any other day than the proofs'.
func fill(t *testing.T) *app.App {
	t.Helper()
	path := filepath.Join(t.TempDir(), "demo.db")
	require.NoError(t, demo.Write(ada(t), path))
	s, err := store.Open(ada(t), path)
	require.NoError(t, err)
	t.Cleanup(func() { require.NoError(t, s.Close()) })
	return app.New(s, func() time.Time { return time.Date(2027, 3, 1, 12, 0, 0, 0, time.UTC) })
}

// rulesInForce returns the rules in force of all kinds.
func rulesInForce(t *testing.T, d *app.App) []contract.RuleView {
	t.Helper()
	var inForce []contract.RuleView
	for _, kind := range kindsWithRules {
		rules, err := d.Rules.List(ada(t), kind)
		require.NoError(t, err)
		inForce = append(inForce, slices.DeleteFunc(rules, func(r contract.RuleView) bool { return r.State != rule.InForce })...)
	}
	return inForce
}

func TestEveryRuleInForceIsProvedAndOneProofFailsOnPurpose(t *testing.T) {
	d := fill(t)
	rules := rulesInForce(t, d)
	for _, r := range rules {
		assert.True(t, r.Sound, r.Name)
		assert.NotEmpty(t, r.Proofs, "no proof for %s", r.Name)
		assert.NotEmpty(t, r.Body.Note.Why, r.Name)
	}
	assert.GreaterOrEqual(t, len(rules), 60)
	failed := []int64{}
	for _, kind := range kindsWithRules {
		proofs, err := d.Proofs.List(ada(t), kind)
		require.NoError(t, err)
		run, err := d.Proofs.Run(ada(t), contract.RunRequest{Kind: kind})
		require.NoError(t, err)
		require.Len(t, run.Results, len(proofs))
		for i, r := range run.Results {
			assert.Empty(t, r.Error)
			if !r.Held {
				failed = append(failed, r.Proof)
				assert.Equal(t, "Alpin gives German vendors sixty days", proofs[i].Name, "%v", r.Differences)
			}
		}
	}
	assert.Len(t, failed, 1)
}

// A rule that is no longer there must be missed by at least one of its proofs.
func TestEveryRuleThatGoesIsMissed(t *testing.T) {
	d := fill(t)
	for _, r := range rulesInForce(t, d) {
		request := contract.RunRequest{Kind: r.Body.Kind, Proofs: r.Proofs}
		before, err := d.Proofs.Run(ada(t), request)
		require.NoError(t, err)
		suspended, err := d.Rules.Move(ada(t), r.ID, contract.RuleMove{State: rule.Suspended, Version: r.Version})
		require.NoError(t, err)
		after, err := d.Proofs.Run(ada(t), request)
		require.NoError(t, err)
		assert.Greater(t, after.Failed, before.Failed, "no proof misses: %s", r.Sentence)
		_, err = d.Rules.Move(ada(t), r.ID, contract.RuleMove{State: rule.InForce, Version: suspended.Version, Reason: "a test"})
		require.NoError(t, err)
	}
}

func TestTheScenarioHasItsSizeAndItsRecordsPassTheRules(t *testing.T) {
	d := fill(t)
	posted := 0
	for kind, least := range map[string]int{"vendor": 40, "customer": 24, "item": 30, "sales_order": 48, "accounting_document": 150, "quotation": 8, "price_list": 4, "gl_account": 30, "cost_centre": 12} {
		page, err := d.Records.List(ada(t), contract.ListRequest{Kind: kind, Limit: 500})
		require.NoError(t, err)
		assert.GreaterOrEqual(t, page.Total, least, kind)
		for _, row := range page.Rows {
			if row.State != contract.RecordStateKept {
				posted++
				continue
			}
			r, err := d.Records.Get(ada(t), record.Ref{Kind: kind, Number: row.Number})
			require.NoError(t, err)
			document := judge.Document{Kind: kind, Company: r.Company, Type: r.Type, Day: demo.Day, Record: r.Number, Entered: map[string]judge.Item{}}
			for key, value := range r.Content.Values {
				document.Entered[key] = judge.Item{Value: value}
			}
			for _, l := range r.Content.Lines {
				line := judge.Line{Number: l.Number, Entered: map[string]judge.Item{}}
				for key, value := range l.Values {
					line.Entered[key] = judge.Item{Value: value}
				}
				document.Lines = append(document.Lines, line)
			}
			out, err := d.Trials.Try(ada(t), contract.TryRequest{Document: document})
			require.NoError(t, err)
			assert.Equal(t, contract.Accepted, out.Verdict, "%s: %v", r.Number, out.Messages)
			stays := func(fields []contract.FieldOutcome, values map[string]string) {
				for _, f := range fields {
					if !slices.Contains([]string{"", "0"}, f.Final.Value) {
						assert.Equal(t, values[strings.TrimPrefix(f.Key, field.LinePrefix)], f.Final.Value, "%s %s", r.Number, f.Key)
					}
				}
			}
			stays(out.Fields, r.Content.Values)
			for _, l := range out.Lines {
				stays(l.Fields, r.Content.Line(l.Number))
			}
		}
	}
	assert.GreaterOrEqual(t, posted, 200)
}

// What was posted balances, in every company and currency, and every vendor and
// customer of a control account is named.
func TestTheBooksBalance(t *testing.T) {
	d := fill(t)
	balances, err := d.Posting.Balances(ada(t), "books", "account", "", nil)
	require.NoError(t, err)
	sums := map[string]decimal.Number{}
	for _, b := range balances.Balances {
		sums[b.Company+b.Currency] = sums[b.Company+b.Currency].Plus(decimal.MustParse(b.Balance.Value))
		assert.NotEmpty(t, b.Title, b.Key)
	}
	assert.GreaterOrEqual(t, len(sums), 4)
	for key, sum := range sums {
		assert.Zero(t, sum.Sign(), "%s: %s", key, sum)
	}
	seen := 0
	for after := ""; ; {
		page, err := d.Posting.Journal(ada(t), "books", after, nil)
		require.NoError(t, err)
		seen += len(page.Entries)
		if after = page.Next; after == "" {
			break
		}
	}
	summary, err := d.Posting.Ledger(ada(t), "books")
	require.NoError(t, err)
	assert.Equal(t, summary.Entries, seen, "the pages hold every entry once")
	page, err := d.Posting.Journal(ada(t), "books", "", nil)
	require.NoError(t, err)
	for _, e := range page.Entries {
		if slices.Contains([]string{"110000", "210000", "211000", "213000"}, e.Account) {
			assert.NotEmpty(t, e.PartnerTitle, "%s line %d", e.Posting, e.Line)
		}
	}
}

// What the program carries along is what the sources fill in: a difference means that
// make prepared has to be run again.
func TestThePreparedScenarioIsTheOneThatIsFilledIn(t *testing.T) {
	prepared, filled := filepath.Join(t.TempDir(), "prepared.db"), filepath.Join(t.TempDir(), "filled.db")
	require.NoError(t, demo.Write(ada(t), prepared))
	require.NoError(t, demo.Make(ada(t), filled, false))
	want, got := rows(t, filled), rows(t, prepared)
	require.Greater(t, len(want), 1000)
	for i := range min(len(want), len(got)) {
		require.Equal(t, want[i], got[i], "run make prepared")
	}
	require.Zero(t, len(want)-len(got), "run make prepared") // which does not print all rows
}

// rows returns every row of every table as text.
func rows(t *testing.T, path string) []string {
	t.Helper()
	db, err := sql.Open("sqlite3", path)
	require.NoError(t, err)
	defer func() { require.NoError(t, db.Close()) }()
	tables := []string{}
	// What words find is kept in a form of its own, which follows from the records.
	found, err := db.QueryContext(t.Context(), "SELECT name FROM pragma_table_list WHERE schema = 'main' AND type = 'table' AND name NOT IN ('goose_db_version', 'sqlite_schema') ORDER BY name")
	require.NoError(t, err)
	for found.Next() {
		var name string
		require.NoError(t, found.Scan(&name))
		tables = append(tables, name)
	}
	require.NoError(t, found.Err())
	all := []string{}
	for _, table := range tables {
		found, err := db.QueryContext(t.Context(), "SELECT * FROM "+strconv.Quote(table))
		require.NoError(t, err)
		columns, err := found.Columns()
		require.NoError(t, err)
		for found.Next() {
			cells := make([]any, len(columns))
			for i := range cells {
				cells[i] = new(any)
			}
			require.NoError(t, found.Scan(cells...))
			row := table
			for i, c := range cells {
				if columns[i] == "seed" { // every file has its own
					continue
				}
				row += fmt.Sprintf(" %s=%v", columns[i], *c.(*any))
			}
			all = append(all, row)
		}
		require.NoError(t, found.Err())
	}
	slices.Sort(all)
	return all
}

// A file can be added to again and again: what is drawn goes on where it was, so that nothing is drawn twice.
func TestManyRecordsAreAddedToAFileAgainAndAgain(t *testing.T) {
	path := filepath.Join(t.TempDir(), "many.db")
	for range 7 {
		require.NoError(t, demo.Generate(t.Context(), path, demo.Size{Vendors: 2, Documents: 1}, 1, func(string, int, int) {}))
	}
	s, err := store.Open(t.Context(), path)
	require.NoError(t, err)
	defer func() { require.NoError(t, s.Close()) }()
	names := map[string]int{}
	for r, err := range s.Records(t.Context(), "vendor", nil) {
		require.NoError(t, err)
		if strings.HasPrefix(r.Values["email"], "office") {
			names[r.Values["name"]]++
		}
	}
	assert.Len(t, names, 14)
}
