package app_test

import (
	"fmt"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"codicil/core/field"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/core/table"
	"codicil/internal/contract"
	"codicil/internal/fault"
)

func TestAListOfChoicesIsKept(t *testing.T) {
	d, ctx := harbour(t), as(t)
	l := table.List{Label: "Ports", Entries: []table.Entry{{Code: "SKL", Label: "Skellport"}, {Code: "CAR", Label: "Port Carrow"}}}
	made, err := d.Lists.Save(ctx, "ports", contract.CodeListChange{List: l})
	require.NoError(t, err)
	assert.Equal(t, 1, made.Version)

	_, err = d.Fields.Add(ctx, "vendor", field.Field{Key: "port", Label: "Port", Section: "general", Type: field.Choice, List: "nowhere"})
	assert.Equal(t, "no-such-list", codeOf(t, err))
	_, err = d.Fields.Add(ctx, "vendor", field.Field{Key: "port", Label: "Port", Section: "general", Type: field.Choice, List: "ports"})
	require.NoError(t, err)

	// A list that fields choose from stays; what records, rules and proofs hold stays in it.
	assert.Equal(t, "in-use", codeOf(t, d.Lists.Delete(ctx, "ports")))
	add(t, d, rule.Body{Kind: "vendor", Family: rule.Default, Target: "port", Effect: rule.Effect{Value: `"SKL"`, Lifetime: rule.NewOnly}, On: rule.Occasions{New: true}}, rule.InForce)
	v := save(t, d, document("vendor", "10", "TRAD", values{"name": "Quay"}))
	assert.Equal(t, "SKL", v.Content.Values["port"])
	uses, err := d.Lists.Uses(ctx, "ports", "SKL")
	require.NoError(t, err)
	assert.Equal(t, 1, uses.Records)
	require.Len(t, uses.Uses, 2)
	assert.Equal(t, [2]string{"rule", "vendor"}, [2]string{uses.Uses[0].What, uses.Uses[1].What})
	without := made.List
	without.Entries = without.Entries[1:]
	_, err = d.Lists.Save(ctx, "ports", contract.CodeListChange{List: without, Version: 1})
	assert.Equal(t, "in-use", codeOf(t, err))
	without.Entries = made.List.Entries[:1]
	_, err = d.Lists.Save(ctx, "ports", contract.CodeListChange{List: without, Version: 1})
	require.NoError(t, err, "nothing holds CAR")
	_, err = d.Lists.Save(ctx, "ports", contract.CodeListChange{List: without, Version: 1})
	assert.Equal(t, "changed-meanwhile", codeOf(t, err))

	// An entry that ended cannot be chosen anew, and stays where it is saved.
	ended := without
	ended.Entries = []table.Entry{{Code: "SKL", Label: "Skellport", Period: table.Period{Until: "2026-01-31"}}, {Code: "KIL", Label: "Kilbrack"}}
	_, err = d.Lists.Save(ctx, "ports", contract.CodeListChange{List: ended, Version: 2})
	require.NoError(t, err)
	again, err := d.Records.Save(ctx, contract.SaveRequest{Document: document("vendor", "10", "TRAD", values{"name": "Quay 2", "port": "SKL"})})
	require.NoError(t, err)
	assert.Nil(t, again.Record)
	doc := document("vendor", "10", "TRAD", values{"name": "Quay Works", "port": "SKL"})
	doc.Record = v.Number
	kept, err := d.Records.Save(ctx, contract.SaveRequest{Document: doc, Version: v.Version})
	require.NoError(t, err)
	require.NotNil(t, kept.Record, "%v", kept.Outcome.Messages)
	assert.Equal(t, "SKL", kept.Record.Content.Values["port"])
}

// Of what very many records hold it is told that there are more; of entries that go together each is looked for.
func TestACodeOfManyRecords(t *testing.T) {
	d, ctx := harbour(t), as(t)
	d.Lists.MostHeld = 3
	made, err := d.Lists.Save(ctx, "ports", contract.CodeListChange{List: table.List{Label: "Ports", Entries: []table.Entry{{Code: "SKL", Label: "Skellport"}, {Code: "CAR", Label: "Port Carrow"}, {Code: "KIL", Label: "Kilbrack"}}}})
	require.NoError(t, err)
	for _, key := range []string{"port", "winter_port"} {
		_, err = d.Fields.Add(ctx, "vendor", field.Field{Key: key, Label: key, Section: "general", Type: field.Choice, List: "ports"})
		require.NoError(t, err)
	}
	for i, held := range []values{{"port": "SKL", "winter_port": "SKL"}, {"port": "SKL"}, {"winter_port": "SKL"}, {"port": "SKL"}, {"port": "CAR"}, {"winter_port": "CAR"}, {"port": "CAR"}} {
		held["name"] = fmt.Sprintf("%c Works", 'A'+i)
		save(t, d, document("vendor", "10", "TRAD", held))
	}
	for code, want := range map[string]contract.CodeListUses{"SKL": {Records: 3, More: true}, "CAR": {Records: 3}, "KIL": {}} {
		uses, err := d.Lists.Uses(ctx, "ports", code)
		require.NoError(t, err)
		assert.Equal(t, [2]any{want.Records, want.More}, [2]any{uses.Records, uses.More}, code)
	}
	l := made.List
	for left, told := range map[int]string{0: "CAR cannot go: 3 records", 1: "SKL cannot go: more than 3 records"} {
		l.Entries = []table.Entry{made.List.Entries[left]}
		_, err = d.Lists.Save(ctx, "ports", contract.CodeListChange{List: l, Version: 1})
		assert.ErrorContains(t, err, told)
	}
	l.Entries = made.List.Entries[:2]
	_, err = d.Lists.Save(ctx, "ports", contract.CodeListChange{List: l, Version: 1})
	assert.NoError(t, err, "nothing holds KIL")
}

// What is written as CSV is read again as the same, with what companies make of it.
func TestAListIsWrittenAndReadAgain(t *testing.T) {
	d, ctx := harbour(t), as(t)
	for _, key := range []string{"currencies", "payment_terms"} {
		there, err := d.Lists.Get(ctx, key)
		require.NoError(t, err)
		l := there.List
		l.Views = []table.ListView{{Only: []string{l.Entries[0].Code, l.Entries[1].Code}}, {Company: "10", Only: []string{l.Entries[0].Code}, Labels: map[string]string{l.Entries[1].Code: "Own, with a comma"}}}
		l.Entries[1].Until = "2027-01-31"
		_, err = d.Lists.Save(ctx, key, contract.CodeListChange{List: l, Version: there.Version})
		require.NoError(t, err)
		text, err := d.Lists.Export(ctx, key)
		require.NoError(t, err)
		read, err := d.Lists.Read(ctx, contract.CodeListRead{List: table.List{Key: key, Label: l.Label}, Text: text, Replace: true})
		require.NoError(t, err)
		assert.Empty(t, read.Problems)
		assert.Equal(t, l.Entries, read.List.Entries, key)
		assert.Equal(t, l.Views, read.List.Views, key)
	}
	// Pasted rows without names are codes and labels; rows of the same code take its place.
	read, err := d.Lists.Read(ctx, contract.CodeListRead{List: table.List{Key: "x", Label: "X", Entries: []table.Entry{{Code: "A", Label: "a"}}}, Text: "A\tAye\nB\tBee"})
	require.NoError(t, err)
	assert.Equal(t, []table.Entry{{Code: "A", Label: "Aye"}, {Code: "B", Label: "Bee"}}, read.List.Entries)
	_, err = d.Lists.Read(ctx, contract.CodeListRead{List: table.List{Key: "x"}, Text: " "})
	assert.Equal(t, "no-rows", codeOf(t, err))
}

// The catalogue has each list once, and says which names are an administrator's own.
func TestTheCatalogueHasTheLists(t *testing.T) {
	d, ctx := harbour(t), as(t)
	there, err := d.Lists.Get(ctx, "countries")
	require.NoError(t, err)
	l := there.List
	for i := range l.Entries {
		if l.Entries[i].Code == "IE" {
			l.Entries[i].Label = "Home"
		}
	}
	_, err = d.Lists.Save(ctx, "countries", contract.CodeListChange{List: l, Version: there.Version})
	require.NoError(t, err)
	c, err := d.Catalog.Catalog(ctx)
	require.NoError(t, err)
	for _, k := range c.Kinds {
		for _, f := range k.Kind.Fields {
			assert.True(t, f.List == "" || len(f.Choices) == 0, f.Key)
		}
	}
	for _, list := range c.Lists {
		if list.Key == "countries" {
			assert.Equal(t, []string{"IE"}, list.Renamed)
			assert.Len(t, list.Options, 249)
		}
	}
	_, err = d.Catalog.SaveCompany(ctx, "70", record.Company{Name: "Northern Salt", Country: "norway", Currency: "norwegian krone", Rounding: "half-up"})
	require.NoError(t, err)
	_, err = d.Catalog.SaveCompany(ctx, "71", record.Company{Name: "Nowhere Salt", Country: "NO", Currency: "PTSX", Rounding: "half-up"})
	require.Error(t, err)
	assert.Contains(t, err.Error(), "PTSX")
}

// A column of a table chooses from a list as a field does.
func TestATableChoosesFromAList(t *testing.T) {
	d, ctx := harbour(t), as(t)
	transit := table.Crosswalk{
		Key: "transit", Label: "Transit", Keys: []field.Field{{Key: "country", Label: "Country", Type: field.Choice, List: "countries"}},
		Results: []field.Field{{Key: "days", Label: "Days", Type: field.Number}}, Rows: []table.Row{{Keys: []string{"XX"}, Results: []string{"2"}}},
	}
	wrong, err := d.Tables.CheckCrosswalk(ctx, transit)
	require.NoError(t, err)
	require.Len(t, wrong.Problems, 1)
	assert.Equal(t, [2]any{0, "country"}, [2]any{wrong.Problems[0].Row, wrong.Problems[0].Column})
	transit.Rows[0].Keys[0] = "LI"
	saved, err := d.Tables.SaveCrosswalk(ctx, "transit", contract.CrosswalkChange{Crosswalk: transit})
	require.NoError(t, err)
	assert.Empty(t, saved.Problems)
	assert.Empty(t, saved.Crosswalk.Keys[0].Choices, "the codes are kept with the list alone")

	home := table.Standing{Field: field.Field{Key: "home", Label: "Home country", Type: field.Choice, List: "countries"}, Periods: []table.StandingValue{{Value: "Atlantis"}}}
	checked, err := d.Tables.CheckStanding(ctx, home)
	require.NoError(t, err)
	require.Len(t, checked.Problems, 1)
	home.Periods[0].Value = "IE"
	_, err = d.Tables.SaveStanding(ctx, "home", contract.StandingChange{Standing: home})
	require.NoError(t, err)

	// Rules read both, and the list knows by what it is held.
	add(t, d, rule.Body{Kind: "customer", Family: rule.Default, Target: "country", Effect: rule.Effect{Value: "standing.home", Lifetime: rule.NewOnly}, On: rule.Occasions{New: true}}, rule.InForce)
	assert.Equal(t, "IE", save(t, d, document("customer", "10", "WHOL", values{"name": "Quay Grocers"})).Content.Values["country"])
	uses, err := d.Lists.Uses(ctx, "countries", "LI")
	require.NoError(t, err)
	assert.True(t, slices.ContainsFunc(uses.Uses, func(u fault.Use) bool { return u.What == "crosswalk" && u.Key == "transit" }))
	list, err := d.Lists.Get(ctx, "countries")
	require.NoError(t, err)
	without := list.List
	without.Entries = slices.DeleteFunc(slices.Clone(without.Entries), func(e table.Entry) bool { return e.Code == "LI" })
	_, err = d.Lists.Save(ctx, "countries", contract.CodeListChange{List: without, Version: list.Version})
	require.Error(t, err, "a row of a crosswalk holds the entry")
}
