package demo

import (
	"context"
	"fmt"

	"codicil/core/field"
	"codicil/core/record"
	"codicil/core/table"
	"codicil/internal/app"
	"codicil/internal/contract"
)

func until(day record.Day) table.Period { return table.Period{Until: day} }

func from(day record.Day) table.Period { return table.Period{From: day} }

// standing are the values of the year. The freight of Kaisan for the next one is still to
// be agreed, so that its end is announced.
var standing = []table.Standing{
	{Field: field.Field{Key: "rush_freight", Label: "Rush freight", Type: field.Number, Digits: 9, Decimals: 2}, Note: "Agreed with the carriers each autumn, in the company's currency.", Periods: []table.StandingValue{
		{Company: "10", Value: "48.50", Period: until("2026-12-31")}, {Company: "10", Value: "51", Period: from("2027-01-01")},
		{Company: "20", Value: "360", Period: until("2026-12-31")}, {Company: "20", Value: "375", Period: from("2027-01-01")},
		{Company: "30", Value: "7800", Period: until("2026-12-31")},
		{Company: "40", Value: "46"}}},
	{Field: field.Field{Key: "approver", Label: "Approver of invoices", Type: field.Text, Length: 24}, Note: "Appointed by the board for a year.", Periods: []table.StandingValue{
		{Value: "Grainne Hollis"}, {Company: "30", Value: "Kenji Umehara", Period: until("2027-03-31")}, {Company: "40", Value: "Ursina Caduff"}}},
}

func column(key, label string, fieldType field.Name, decimals int) field.Field {
	return field.Field{Key: key, Label: label, Type: fieldType, Decimals: decimals}
}

func row(keys []string, results ...string) table.Row { return table.Row{Keys: keys, Results: results} }

var crosswalks = []table.Crosswalk{
	{Key: "sales_tax", Label: "Standard sales tax", Note: "By the country of the company.", Keys: []field.Field{column("country", "Country", field.Text, 0)},
		Results: []field.Field{column("rate", "Rate", field.Percent, 2)},
		Rows: []table.Row{row([]string{"IE"}, "0.23"), row([]string{"DK"}, "0.25"), row([]string{"JP"}, "0.1"),
			{Keys: []string{"CH"}, Results: []string{"0.077"}, Period: until("2023-12-31")}, {Keys: []string{"CH"}, Results: []string{"0.081"}, Period: from("2024-01-01")}}},
	{Key: "due_days", Label: "Days of payment terms", Keys: []field.Field{column("terms", "Payment terms", field.Text, 0)}, Results: []field.Field{column("days", "Days", field.Number, 0)},
		Rows: []table.Row{row([]string{"N00"}, "0"), row([]string{"N14"}, "14"), row([]string{"N30"}, "30"), row([]string{"D10"}, "30"), row([]string{"N45"}, "45"), row([]string{"N60"}, "60")}},
	{Key: "transit", Label: "Days in transit", Note: "From the quay to the customer's door.", Keys: []field.Field{column("company", "Company", field.Text, 0), column("country", "Country", field.Text, 0)},
		Results: []field.Field{column("days", "Days", field.Number, 0), column("carrier", "Carrier", field.Text, 0)},
		Rows: []table.Row{row([]string{"10", "IE"}, "2", "Corrib"), row([]string{"10", "GB"}, "4", "Corrib"), row([]string{"10", "FR"}, "6", "Corrib"),
			row([]string{"20", "DK"}, "1", "Own cart"), row([]string{"20", "NO"}, "3", "Skagen Line"), row([]string{"20", "SE"}, "2", "Skagen Line"),
			row([]string{"30", "JP"}, "2", "Hamasaki"), row([]string{"40", "CH"}, "1", "Furnatal"), row([]string{"40", "AT"}, "2", "Furnatal"), row([]string{"40", "DE"}, "3", "Furnatal")},
		Default: []string{"10", ""}},
}

var series = []table.Series{
	{Key: "confirmations", Label: "Order confirmations", Note: "Read out over the telephone, so it has a check digit.", Start: 1, Step: 1, Reset: table.Yearly, ByCompany: true, Parts: []table.Part{
		{Is: table.Constant, Text: "C"}, {Is: table.Company}, {Is: table.Constant, Text: "-"}, {Is: table.ShortYear}, {Is: table.Constant, Text: "-"}, {Is: table.Counter, Digits: 4}, {Is: table.Check, Method: table.Luhn}}},
	{Key: "one_time", Label: "One-time vendors", Note: "Kept apart from our regular vendors.", Start: 1, Step: 1, Reset: table.Yearly, ByCompany: true,
		Numbers: &table.Numbered{Kind: "vendor", Types: []string{"ONCE"}}, Parts: []table.Part{
			{Is: table.Constant, Text: "E"}, {Is: table.Company}, {Is: table.Constant, Text: "-"}, {Is: table.ShortYear}, {Is: table.Counter, Digits: 2}}},
}

// listViews are what the group makes of those that come with the program.
var listViews = map[string][]table.ListView{
	"countries":      {{Only: []string{"AT", "CH", "DE", "DK", "ES", "FR", "GB", "IE", "JP", "NO", "PT", "SE"}}},
	"languages":      {{Only: []string{"DA", "DE", "EN", "FR", "JA"}}},
	"currencies":     {{Only: []string{"CHF", "DKK", "EUR", "GBP", "JPY"}}},
	"units":          {{Only: []string{"kg", "t", "l", "m", "pc", "box", "bag", "pal", "h"}}},
	"delivery_terms": {{Only: []string{"EXW", "FCA", "CIP", "DAP", "DDP"}}},
	"payment_terms": {
		{Company: "20", Labels: map[string]string{"N14": "Netto 14 dage", "N30": "Netto 30 dage", "N45": "Netto 45 dage", "N60": "Netto 60 dage"}},
		{Company: "40", Labels: map[string]string{"N14": "14 Tage netto", "N30": "30 Tage netto", "N45": "45 Tage netto", "N60": "60 Tage netto"}},
	},
}

// fillLists says what the companies use of the lists that come with the program.
func fillLists(ctx context.Context, d *app.App) error {
	for _, key := range []string{"countries", "currencies", "delivery_terms", "languages", "payment_terms", "units"} {
		there, err := d.Lists.Get(ctx, key)
		if err != nil {
			return err
		}
		l := there.List
		l.Views = listViews[key]
		if _, err := d.Lists.Save(ctx, key, contract.CodeListChange{List: l, Version: there.Version}); err != nil {
			return fmt.Errorf("list %s: %w", key, err)
		}
	}
	return nil
}

// fillTables fills in what the rules look up.
func fillTables(ctx context.Context, d *app.App) error {
	if err := fillLists(ctx, d); err != nil {
		return err
	}
	for _, s := range standing {
		s = nextFreight(s) // which was agreed later
		if _, err := d.Tables.SaveStanding(ctx, s.Field.Key, contract.StandingChange{Standing: s}); err != nil {
			return fmt.Errorf("standing value %s: %w", s.Field.Key, err)
		}
	}
	for _, c := range crosswalks {
		if _, err := d.Tables.SaveCrosswalk(ctx, c.Key, contract.CrosswalkChange{Crosswalk: c}); err != nil {
			return fmt.Errorf("crosswalk %s: %w", c.Key, err)
		}
	}
	for _, n := range series {
		if _, err := d.Tables.SaveSeries(ctx, n.Key, contract.SeriesChange{Series: n}); err != nil {
			return fmt.Errorf("number series %s: %w", n.Key, err)
		}
	}
	return nil
}
