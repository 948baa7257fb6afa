package app_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"codicil/core/field"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/internal/app"
	"codicil/internal/contract"
)

var berth = field.Field{Key: "berth", Label: "Berth", Section: "purchasing", Type: field.Text, Length: 10, Searched: true}

// berths is an application whose vendors have a berth, K12 for one and 7 for another.
func berths(t *testing.T) *app.App {
	t.Helper()
	d := harbour(t)
	_, err := d.Fields.Add(as(t), "vendor", berth)
	require.NoError(t, err)
	save(t, d, document("vendor", "10", "TRAD", values{"name": "Quay Ropes", "berth": "K12"}))
	save(t, d, document("vendor", "20", "TRAD", values{"name": "Fjord Nets", "berth": "7"}))
	return d
}

func TestAFieldThatCannotBeIsNotAdded(t *testing.T) {
	d := berths(t)
	for want, f := range map[string]field.Field{
		"not-a-key":          {Key: "Berth 2", Label: "Berth", Section: "general", Type: field.Text},
		"no-name":            {Key: "b", Section: "general", Type: field.Text},
		"no-lines":           {Key: "lines.b", Label: "B", Type: field.Text},
		"unknown-section":    {Key: "b", Label: "B", Section: "nowhere", Type: field.Text},
		"unknown-field-type": {Key: "b", Label: "B", Section: "general", Type: "colour"},
		"unknown-kind":       {Key: "b", Label: "B", Section: "general", Type: field.Link, Kind: "ship"},
		"no-choices":         {Key: "b", Label: "B", Section: "general", Type: field.Choice},
		"not-a-code":         {Key: "b", Label: "B", Section: "general", Type: field.Choice, Choices: []field.Option{{Code: "A"}, {Code: "A"}}},
		"not-a-pattern":      {Key: "b", Label: "B", Section: "general", Type: field.Text, Pattern: "("},
		"not-digits":         {Key: "b", Label: "B", Section: "general", Type: field.Number, Decimals: 40},
		"unknown-field":      {Key: "b", Label: "B", Section: "general", Type: field.Amount, Currency: "coin"},
		"key-taken":          {Key: "name", Label: "Name", Section: "general", Type: field.Text},
	} {
		_, err := d.Fields.Add(as(t), "vendor", f)
		assert.Equal(t, want, code(t, err))
	}
	_, err := d.Fields.Change(as(t), "vendor", "name", berth)
	assert.Equal(t, "standard-field", code(t, err))
}

func TestAnAddedFieldTakesPartLikeAnyOther(t *testing.T) {
	d := berths(t)
	body := rule.Body{Kind: "vendor", Family: rule.Default, Target: "berth", On: rule.Occasions{New: true, Change: true}, Effect: rule.Effect{Lifetime: rule.NewOnly, Value: `"K01"`}}
	add(t, d, body, rule.InForce)
	r := save(t, d, document("vendor", "10", "TRAD", values{"name": "Mole Paints"}))
	assert.Equal(t, "K01", r.Content.Values["berth"])
	page, err := d.Records.List(as(t), contract.ListRequest{Kind: "vendor", Selection: record.Selection{Search: "k12"}, Columns: []string{"berth"}})
	require.NoError(t, err)
	require.Len(t, page.Rows, 1)
	assert.Equal(t, []string{"K12"}, page.Rows[0].Cells)
	_, err = d.Fields.Add(as(t), "sales_order", field.Field{Key: "lines.pallets", Label: "Pallets", Type: field.Number, Digits: 3})
	require.NoError(t, err)
	order := save(t, d, document("sales_order", "10", "SO", nil, values{"pallets": "4"}))
	assert.Equal(t, "4", order.Content.Lines[0].Values["pallets"])
}

func TestAChangedTypeIsCheckedAgainstWhatIsSaved(t *testing.T) {
	d := berths(t)
	number := berth
	number.Type, number.Length = field.Number, 0
	check, err := d.Fields.Check(as(t), "vendor", "berth", number)
	require.NoError(t, err)
	assert.Equal(t, 2, check.Values)
	assert.Equal(t, 1, check.Misfits)
	assert.Equal(t, "K12", check.Examples[0].Value)
	assert.Equal(t, "V10001", check.Examples[0].Number)
	_, err = d.Fields.Change(as(t), "vendor", "berth", number)
	assert.Equal(t, "values-misfit", code(t, err))
	longer := berth
	longer.Length, longer.Label = 20, "Mooring"
	changed, err := d.Fields.Change(as(t), "vendor", "berth", longer)
	require.NoError(t, err)
	assert.Equal(t, "Mooring", changed.Label)
}

func TestARuleInForceKeepsItsField(t *testing.T) {
	d := berths(t)
	body := rule.Body{Kind: "vendor", Family: rule.Default, Target: "clerk", On: rule.Occasions{New: true}, When: `berth = "K12"`, Effect: rule.Effect{Lifetime: rule.NewOnly, Value: `"MOYA"`}}
	r := add(t, d, body, rule.InForce)
	uses, err := d.Fields.Uses(as(t), "vendor", "berth")
	require.NoError(t, err)
	assert.Equal(t, 2, uses.Values)
	require.Len(t, uses.Uses, 1)
	assert.Equal(t, r.Name, uses.Uses[0].Title)
	assert.Equal(t, "in-use", code(t, d.Fields.Remove(as(t), "vendor", "berth")))
	yes := berth
	yes.Type = field.YesNo
	_, err = d.Fields.Change(as(t), "vendor", "berth", yes)
	assert.Error(t, err, "the rule compares it with a text")
	_, err = d.Rules.Move(as(t), r.ID, contract.RuleMove{State: rule.Suspended, Version: r.Version})
	require.NoError(t, err)
	require.NoError(t, d.Fields.Remove(as(t), "vendor", "berth"))
}

func TestARemovedFieldComesBackWithItsValues(t *testing.T) {
	d := berths(t)
	_, err := d.Catalog.SaveLayout(as(t), "vendor", "10", "", record.Layout{Sections: []record.LayoutSection{{Key: "general", Fields: []record.LayoutField{{Key: "berth", Label: "Quay berth", Width: 3}}}}})
	require.NoError(t, err)
	uses, err := d.Fields.Uses(as(t), "vendor", "berth")
	require.NoError(t, err)
	assert.Equal(t, "10 Salt Works", uses.Uses[0].Title)
	require.NoError(t, d.Fields.Remove(as(t), "vendor", "berth"))
	// Meanwhile the record is changed without the field.
	change := document("vendor", "10", "TRAD", values{"name": "Quay Ropes Ltd"})
	change.Record = "V10001"
	answer, err := d.Records.Save(as(t), contract.SaveRequest{Document: change, Version: 1})
	require.NoError(t, err)
	require.NotNil(t, answer.Record, "%v", answer.Outcome.Messages)
	removed, err := d.Fields.Removed(as(t), "vendor")
	require.NoError(t, err)
	require.Len(t, removed, 1)
	assert.Equal(t, 2, removed[0].Values)
	_, err = d.Fields.Add(as(t), "vendor", berth)
	assert.Equal(t, "key-removed", code(t, err))
	_, err = d.Fields.Restore(as(t), "vendor", "berth")
	require.NoError(t, err)
	r, err := d.Records.Get(as(t), record.Ref{Kind: "vendor", Number: "V10001"})
	require.NoError(t, err)
	assert.Equal(t, values{"name": "Quay Ropes Ltd", "berth": "K12"}, r.Content.Values)
	view, err := d.Catalog.Layout(as(t), "vendor", "10", "TRAD")
	require.NoError(t, err)
	assert.Equal(t, "Quay berth", view.Layout.Sections[0].Fields[0].Label)
}

// A map whose condition reads a field is named before the field goes; without it the map no longer applies, until the field is back.
func TestAMapThatReadsAFieldIsNamedBeforeTheFieldGoes(t *testing.T) {
	d := berths(t)
	_, err := d.Catalog.SaveFollowOn(as(t), record.FollowOn{Name: "Neighbour", From: "vendor", To: "vendor", Type: "TRAD", When: `berth = "K12"`, Pairs: []record.Pair{{From: "name", To: "name"}}})
	require.NoError(t, err)
	uses, err := d.Fields.Uses(as(t), "vendor", "berth")
	require.NoError(t, err)
	require.Len(t, uses.Uses, 1)
	assert.Equal(t, [2]string{"map", "Neighbour"}, [2]string{uses.Uses[0].What, uses.Uses[0].Title})
	offered := func() int {
		r, err := d.Records.Get(as(t), record.Ref{Kind: "vendor", Number: "V10001"})
		require.NoError(t, err)
		return len(r.Next)
	}
	assert.Equal(t, 1, offered())
	require.NoError(t, d.Fields.Remove(as(t), "vendor", "berth"))
	assert.Zero(t, offered())
	_, err = d.Fields.Restore(as(t), "vendor", "berth")
	require.NoError(t, err)
	assert.Equal(t, 1, offered())
}

func TestTheNarrowestLayoutShows(t *testing.T) {
	d := berths(t)
	named := func(label string) record.Layout {
		return record.Layout{Sections: []record.LayoutSection{{Key: "general", Fields: []record.LayoutField{{Key: "name", Label: label, Width: 6}}}}}
	}
	for scope, label := range map[[2]string]string{{"", ""}: "all", {"", "TRAD"}: "type", {"10", ""}: "company", {"10", "TRAD"}: "both"} {
		_, err := d.Catalog.SaveLayout(as(t), "vendor", scope[0], scope[1], named(label))
		require.NoError(t, err)
	}
	_, err := d.Catalog.SaveType(as(t), "vendor", "SERV", record.Type{Label: "Services"})
	require.NoError(t, err)
	for scope, want := range map[[2]string]string{{"10", "TRAD"}: "both", {"10", "SERV"}: "company", {"20", "TRAD"}: "type", {"20", "SERV"}: "all"} {
		view, err := d.Catalog.Layout(as(t), "vendor", scope[0], scope[1])
		require.NoError(t, err)
		assert.Equal(t, want, view.Layout.Sections[0].Fields[0].Label, scope)
		assert.Len(t, view.Others, 4)
	}
	view, err := d.Catalog.DeleteLayout(as(t), "vendor", "10", "TRAD")
	require.NoError(t, err)
	assert.Equal(t, "company", view.Layout.Sections[0].Fields[0].Label)
	_, err = d.Catalog.SaveLayout(as(t), "vendor", "99", "", named("x"))
	assert.Equal(t, "unknown-company", code(t, err))
}

func TestCompaniesAndTypesAreKeptWhileTheyAreUsed(t *testing.T) {
	d := berths(t)
	good := record.Company{Name: "Alpin", Country: "ch", Currency: "chf", Rounding: "half-even"}
	kept, err := d.Catalog.SaveCompany(as(t), "40", good)
	require.NoError(t, err)
	assert.Equal(t, "CHF", kept.Currency)
	good.Country, good.Currency, good.TimeZone = "Switzerland", "Swiss franc", "Europe/Zurich"
	kept, err = d.Catalog.SaveCompany(as(t), "40", good)
	require.NoError(t, err)
	assert.Equal(t, [2]string{"CH", "CHF"}, [2]string{kept.Country, kept.Currency}, "they are found by their names")
	for want, change := range map[string]func(*record.Company){
		"no-name": func(c *record.Company) { c.Name = " " }, "not-a-country": func(c *record.Company) { c.Country = "Atlantis" }, "not-a-currency": func(c *record.Company) { c.Currency = "XYZQ" },
		"not-a-rounding": func(c *record.Company) { c.Rounding = "down" }, "no-workday": func(c *record.Company) { c.Calendar.FreeDays = []int{1, 2, 3, 4, 5, 6, 7} },
		"not-a-zone": func(c *record.Company) { c.TimeZone = "Alpin/Chur" }, "not-a-format": func(c *record.Company) {
			c.Format = &field.Format{Decimal: ".", Group: ".", Date: "dmy", Separator: "."}
		},
		"not-a-day": func(c *record.Company) { c.Calendar.Holidays = []record.Holiday{{Day: "1.1.2027"}} },
	} {
		bad := good
		change(&bad)
		_, err := d.Catalog.SaveCompany(as(t), "40", bad)
		assert.Equal(t, want, code(t, err))
	}
	_, err = d.Catalog.SaveCompany(as(t), "for ty", good)
	assert.Equal(t, "not-a-key", code(t, err))
	require.NoError(t, d.Catalog.DeleteCompany(as(t), "40"))
	assert.Equal(t, "in-use", code(t, d.Catalog.DeleteCompany(as(t), "10")))
	assert.Equal(t, "not-found", code(t, d.Catalog.DeleteCompany(as(t), "77")))

	_, err = d.Catalog.SaveType(as(t), "vendor", "TRAD", record.Type{Label: "Trade", Companies: []string{"10"}})
	assert.Equal(t, "in-use", code(t, err), "a vendor of company 20 has it")
	_, err = d.Catalog.SaveType(as(t), "vendor", "ONCE", record.Type{Label: "One-time", Companies: []string{"10"}})
	require.NoError(t, err)
	answer, err := d.Records.Save(as(t), contract.SaveRequest{Document: document("vendor", "20", "ONCE", values{"name": "X"})})
	assert.Nil(t, answer.Record)
	assert.Equal(t, "type-not-used", code(t, err))
	require.NoError(t, d.Catalog.DeleteType(as(t), "vendor", "ONCE"))
	assert.Equal(t, "in-use", code(t, d.Catalog.DeleteType(as(t), "vendor", "TRAD")))
}

// The holidays of a company are no workdays for its rules.
func TestRulesCountTheWorkdaysOfTheCompany(t *testing.T) {
	d := harbour(t)
	for key, calendar := range map[string]record.Calendar{"10": {FreeDays: []int{6, 7}, Holidays: []record.Holiday{{Day: "2026-12-25", Name: "Christmas Day"}}}, "20": {FreeDays: []int{5, 6, 7}}} {
		_, err := d.Catalog.SaveCompany(as(t), key, record.Company{Name: "Company " + key, Country: "IE", Currency: "EUR", Rounding: "half-up", Calendar: calendar})
		require.NoError(t, err)
	}
	body := rule.Body{Kind: "accounting_document", Family: rule.Default, Target: "due_on", On: rule.Occasions{New: true, Change: true}, Effect: rule.Effect{Lifetime: rule.NewOnly, Value: "add workdays(document_date, 2)"}}
	add(t, d, body, rule.InForce)
	for _, c := range [][3]string{ // company, date, two workdays later
		{"10", "2026-12-24", "2026-12-29"}, // over Christmas Day and a weekend
		{"10", "2026-12-22", "2026-12-24"},
		{"20", "2026-12-23", "2026-12-28"}, // where nobody works on a Friday
	} {
		r := save(t, d, document("accounting_document", c[0], "JE", values{"document_date": c[1]}))
		assert.Equal(t, c[2], r.Content.Values["due_on"], c)
	}
}
