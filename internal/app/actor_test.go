package app_test

import (
	"database/sql"
	"fmt"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"codicil/core/field"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/core/table"
	"codicil/internal/actor"
	"codicil/internal/app"
	"codicil/internal/contract"
	"codicil/internal/standard"
	"codicil/internal/store"
)

// The lists that come with the program were written by nobody.
var notOfTheProgram = map[string]string{"lookup_versions": " WHERE what <> 'list'"}

// Every row that a person writes tells who that was, by a name that lasts and by what they were
// called, and from where they asked.
func TestEveryRowTellsWhoWroteIt(t *testing.T) {
	path := filepath.Join(t.TempDir(), "codicil.db")
	s, err := store.Open(t.Context(), path)
	require.NoError(t, err)
	require.NoError(t, standard.Bring(t.Context(), s))
	ctx := actor.With(t.Context(), actor.Actor{ID: "p-1", Name: "Moya Keane", Via: actor.Browser, Rights: actor.Rights{Whole: true}})
	d := app.New(s, func() time.Time { return time.Date(2026, 11, 24, 9, 0, 0, 0, time.UTC) })
	must := func(err error) { t.Helper(); require.NoError(t, err) }

	_, err = d.Catalog.SaveCompany(ctx, "10", record.Company{Name: "Salt Works", Country: "IE", Currency: "EUR", Rounding: "half-up"})
	must(err)
	for kind, key := range map[string]string{"customer": "WHOL", "sales_order": "SO", "vendor": "TRAD"} {
		_, err = d.Catalog.SaveType(ctx, kind, key, record.Type{Label: "Type " + key})
		must(err)
	}
	_, err = d.Fields.Add(ctx, "customer", field.Field{Key: "berth", Label: "Berth", Section: "general", Type: field.Text})
	must(err)
	_, err = d.Fields.Add(ctx, "customer", field.Field{Key: "quay", Label: "Quay", Section: "general", Type: field.Text})
	must(err)
	must(d.Fields.Remove(ctx, "customer", "quay"))
	_, err = d.Catalog.SaveLayout(ctx, "customer", "10", "", record.Layout{})
	must(err)
	_, err = d.Catalog.SaveFollowOn(ctx, record.FollowOn{Name: "Order of customer", From: "customer", To: "sales_order", Pairs: []record.Pair{{From: "#", To: "customer"}}})
	must(err)
	_, err = d.Catalog.SavePreferences(ctx, contract.Preferences{Format: &field.Plain})
	must(err)
	_, err = d.Tables.SaveStanding(ctx, "rebate", contract.StandingChange{Standing: table.Standing{Field: field.Field{Label: "Rebate", Type: field.Percent}, Periods: []table.StandingValue{{Value: "0.02"}}}})
	must(err)
	made, err := d.Rules.Create(ctx, contract.RuleChange{Body: rule.Body{Kind: "customer", Family: rule.Default, Target: "berth", On: rule.Occasions{New: true, Change: true}, Effect: rule.Effect{Lifetime: rule.NewOnly, Value: `"K12"`}}})
	must(err)
	made, err = d.Rules.Move(ctx, made.ID, contract.RuleMove{State: rule.InForce, Version: made.Version, Reason: "a test"})
	must(err)
	_, err = d.Coverage.SetAside(ctx, made.ID, contract.AsideRequest{Change: "it acted always", Reason: "nobody does that"})
	must(err)
	answer, err := d.Records.Save(ctx, contract.SaveRequest{Document: document("customer", "10", "WHOL", values{"name": "Quay Grocers", "country": "IE"})})
	must(err)
	require.NotNil(t, answer.Record, "%v", answer.Outcome.Messages)
	order := document("sales_order", "10", "SO", values{"customer": answer.Record.Number})
	_, err = d.Proofs.Keep(ctx, contract.KeepRequest{Document: order, Name: "An order"})
	must(err)
	_, _, err = d.Posting.PostTest(ctx, contract.TryRequest{Document: document("customer", "10", "WHOL", values{"name": "Tide", "country": "IE"})})
	must(err)
	require.NoError(t, s.Close())

	db, err := sql.Open("sqlite3", path)
	require.NoError(t, err)
	defer func() { require.NoError(t, db.Close()) }()
	looked := map[string]int{}
	for _, name := range strings.Fields("companies types added_fields layouts follow_ons preferences lookup_versions rule_versions set_asides records record_versions proofs proof_versions postings") {
		columns, err := db.QueryContext(t.Context(), "SELECT name FROM pragma_table_info(?) WHERE name LIKE '%person' OR name LIKE '%via' OR name LIKE '%\\_by' ESCAPE '\\'", name)
		require.NoError(t, err)
		var names []string
		for columns.Next() {
			var column string
			require.NoError(t, columns.Scan(&column))
			names = append(names, column)
		}
		require.NoError(t, columns.Err())
		require.NotEmpty(t, names, "%s tells nobody", name)
		for _, column := range names {
			if column == "reversed_by" || (strings.HasPrefix(column, "removed_") && name == "added_fields") {
				continue
			}
			want := "Moya Keane"
			switch {
			case strings.HasSuffix(column, "person"):
				want = "p-1"
			case strings.HasSuffix(column, "via"):
				want = "browser"
			}
			var all, told int
			require.NoError(t, db.QueryRowContext(t.Context(), fmt.Sprintf("SELECT COUNT(*), COUNT(CASE WHEN %s = ? THEN 1 END) FROM %s", column, name)+notOfTheProgram[name], want).Scan(&all, &told))
			assert.Positive(t, all, name)
			assert.Equal(t, all, told, "%s.%s", name, column)
			looked[name]++
		}
	}
	assert.Len(t, looked, 14)
	var removed string
	require.NoError(t, db.QueryRowContext(t.Context(), "SELECT removed_by || '/' || removed_person || '/' || removed_via FROM added_fields WHERE removed_at IS NOT NULL").Scan(&removed))
	assert.Equal(t, "Moya Keane/p-1/browser", removed)
}

// Nothing is written for nobody: a use case whose context says no person is a mistake.
func TestNobodyWritesNothing(t *testing.T) {
	d := harbour(t)
	_, err := d.Records.Save(t.Context(), contract.SaveRequest{Document: document("customer", "10", "WHOL", values{"name": "Quay Grocers", "country": "IE"})})
	assert.ErrorContains(t, err, "sign in first")
	_, err = d.Catalog.SaveType(t.Context(), "customer", "NEW", record.Type{Label: "New"})
	assert.ErrorContains(t, err, "sign in first")
}

// What a person saved last is theirs, whatever they are called meanwhile.
func TestAPersonIsKnownByMoreThanTheirName(t *testing.T) {
	d := harbour(t)
	named := func(id, name string) contract.RecordVersion {
		ctx := actor.With(t.Context(), actor.Actor{ID: id, Name: name, Via: actor.Program, Rights: actor.Rights{Whole: true}})
		r := save(t, d, document("customer", "10", "WHOL", values{"name": "Of " + name, "country": "IE"}))
		_, err := d.Records.Save(ctx, contract.SaveRequest{Document: withRecord(document("customer", "10", "WHOL", values{"name": "Of " + name, "country": "IE"}), r.Number), Version: 1})
		require.NoError(t, err)
		history, err := d.Records.History(ctx, record.Ref{Kind: "customer", Number: r.Number}, nil)
		require.NoError(t, err)
		return history[0]
	}
	assert.Equal(t, "Moya Keane", named("p-1", "Moya Keane").ChangedBy)
	assert.Equal(t, "Sam Burke", named("p-3", "Sam Burke").ChangedBy)
	add(t, d, rule.Body{Kind: "customer", Family: rule.Default, Target: "city", On: rule.Occasions{New: true, Change: true}, Effect: rule.Effect{Lifetime: rule.WheneverBlank, Value: "previous.name"}}, rule.InForce)
	next := func(id string) string {
		ctx := actor.With(t.Context(), actor.Actor{ID: id, Name: "Moya O'Dea", Via: actor.Program, Rights: actor.Rights{Whole: true}})
		out, err := d.Trials.Try(ctx, contract.TryRequest{Document: document("customer", "10", "WHOL", values{"name": "x", "country": "IE"})})
		require.NoError(t, err)
		for _, f := range out.Fields {
			if f.Key == "city" {
				return f.Final.Value
			}
		}
		return "?"
	}
	assert.Equal(t, "Of Moya Keane", next("p-1"), "under another name")
	assert.Empty(t, next("p-2"), "somebody else of that name saved nothing")
}
