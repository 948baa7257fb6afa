package bench

import (
	"fmt"
	"testing"

	"codicil/core/field"
	"codicil/core/record"
)

// BenchmarkList searches, filters and sorts 5,000 records, as a page of a list does.
func BenchmarkList(b *testing.B) {
	kind := &record.Kind{Key: "vendor", Label: "Vendor", Title: []string{"name"}, Fields: []field.Field{
		{Key: "name", Label: "Name", Type: field.Text}, {Key: "city", Label: "City", Type: field.Text, Searched: true}, {Key: "limit", Label: "Limit", Type: field.Amount},
	}}
	var records []record.Listed
	for i := range 5000 {
		records = append(records, record.Listed{Number: fmt.Sprintf("V%05d", i), Company: fmt.Sprint(10 * (i%4 + 1)), Content: record.Content{Values: map[string]string{
			"name": fmt.Sprintf("Vendor %d of the quay", i), "city": fmt.Sprintf("Port %d", i%50), "limit": fmt.Sprintf("%d.50", i*7919%100000)}}})
	}
	for name, s := range map[string]record.Selection{
		"all, by number":        {},
		"searched":              {Search: "quay 12"},
		"filtered, by amount":   {Filters: []record.Filter{{Field: "limit", Relation: "from", Value: "50000"}}, Sort: "limit", Descending: true},
		"of a company, by name": {Companies: []string{"20"}, Sort: "name"},
	} {
		b.Run(name, func(b *testing.B) {
			for range b.N {
				if _, wrong := record.Select(kind, records, s, field.Plain); wrong != nil {
					b.Fatal(wrong)
				}
			}
		})
	}
}
