package learn_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"codicil/core/field"
	"codicil/core/learn"
	"codicil/internal/standard"
)

func sheetOf(t *testing.T, rows int, cell func(row int) string) learn.Sheet {
	t.Helper()
	lists, err := standard.Lists()
	require.NoError(t, err)
	s := learn.Sheet{Names: []string{"Column"}, Lists: lists, Companies: map[string]string{"10": "10", "salt works": "10"}}
	for i := range rows {
		s.Rows = append(s.Rows, []string{cell(i)})
	}
	return s
}

// The type of a field is read from the values of its column, with the evidence.
func TestColumnsAreGuessed(t *testing.T) {
	among := func(texts string) func(int) string {
		list := strings.Split(texts, "|")
		return func(i int) string { return list[i%len(list)] }
	}
	for _, c := range []struct {
		name string
		cell func(int) string
		want field.Field
		says string
	}{
		{"Country", among("IE|DK|JP|CH"), field.Field{Type: field.Choice, List: "countries"}, "a code of the list Countries"},
		{"Land", among("Ireland|Denmark|Japan|IE"), field.Field{Type: field.Choice, List: "countries"}, "a label or code of the list Countries"},
		{"Currency", among("EUR|DKK|EUR"), field.Field{Type: field.Choice, List: "currencies"}, "list Currencies"},
		{"Unit", among("kg|pc|box"), field.Field{Type: field.Choice, List: "units"}, "list Units"},
		{"Berth side", among("port|starboard|stern"), field.Field{Type: field.Choice}, "3 different values come again and again"},
		{"Opened", func(i int) string { return fmt.Sprintf("%02d.%02d.2026", 1+i%28, 1+i%12) }, field.Field{Type: field.Date}, "is a date"},
		{"Fee", func(i int) string { return fmt.Sprintf("1.%03d,50", i) }, field.Field{Type: field.Amount}, "amount of money"},
		{"Depth", func(i int) string { return fmt.Sprint(i * 7 % 45) }, field.Field{Type: field.Number}, "is a number with up to 0 decimals"},
		{"Ratio", func(i int) string { return fmt.Sprintf("%d.%03d", i, i) }, field.Field{Type: field.Number, Decimals: 3}, "up to 3 decimals"},
		{"Discount", among("5 %|10%|2.5 %"), field.Field{Type: field.Percent, Decimals: 1}, "% sign"},
		{"Mail", func(i int) string { return fmt.Sprintf("a%d@quay.example", i) }, field.Field{Type: field.Email}, "e-mail address"},
		{"Blocked", among("yes|no|no"), field.Field{Type: field.YesNo}, "a yes or a no"},
		{"Article", func(i int) string { return fmt.Sprintf("%06d", 4711+i) }, field.Field{Type: field.Text, Length: 10}, "no two rows share"},
		{"Post code", func(i int) string { return fmt.Sprintf("0%d", 1000+i) }, field.Field{Type: field.Text, Length: 10}, "texts of up to 5"},
		{"Remark", func(i int) string { return fmt.Sprintf("Seen by Moya, number %d of the day", i) }, field.Field{Type: field.Text, Length: 40}, "texts of up to"},
		{"Nothing", among(""), field.Field{Type: field.Text}, "no row has a value"},
	} {
		s := sheetOf(t, 60, c.cell)
		s.Names[0] = c.name
		columns, _ := s.Guess()
		got := columns[0].Field
		assert.Equal(t, c.want.Type, got.Type, c.name)
		assert.Equal(t, c.want.List, got.List, c.name)
		if c.want.Decimals > 0 || got.Type == field.Number {
			assert.Equal(t, c.want.Decimals, got.Decimals, c.name)
		}
		if c.want.Length > 0 {
			assert.Equal(t, c.want.Length, got.Length, c.name)
		}
		assert.Contains(t, strings.Join(columns[0].Evidence, "; "), c.says, c.name)
		if got.List == "" { // what a list offers is filled in where it is kept
			assert.Nil(t, got.Sound(), c.name)
		}
	}
}

func TestACompanyAndLinksAreFound(t *testing.T) {
	s := sheetOf(t, 30, func(i int) string { return []string{"10", "Salt Works"}[i%2] })
	s.Names[0] = "Company"
	columns, _ := s.Guess()
	assert.Equal(t, "company", columns[0].Special)

	s = sheetOf(t, 30, func(i int) string { return fmt.Sprintf("V%03d", i%7) })
	s.Links = func(values []string) map[string]int { return map[string]int{"vendor": len(values), "item": 1} }
	columns, _ = s.Guess()
	assert.Equal(t, [2]string{"link", "vendor"}, [2]string{string(columns[0].Field.Type), columns[0].Field.Kind})

	// Names give keys, each once.
	s = learn.Sheet{Names: []string{"Größe (m)", "Größe, m", ""}, Rows: [][]string{{"1", "2", "3"}}}
	columns, _ = s.Guess()
	assert.Equal(t, []string{"gr_e_m", "gr_e_m_2", "column_3"}, []string{columns[0].Field.Key, columns[1].Field.Key, columns[2].Field.Key})
}

// A file says by its dates and numbers how it writes them.
func TestTheWayOfWritingIsGuessed(t *testing.T) {
	for want, rows := range map[string][][]string{
		"mdy": {{"11/24/2026", "1,234.50"}, {"02/28/2026", "9.25"}},
		"dmy": {{"24.11.2026", "1.234,50"}, {"28.02.2026", "9,25"}},
		"ymd": {{"2026-11-24", "1234.50"}, {"2026-02-28", "9.25"}},
	} {
		s := learn.Sheet{Names: []string{"Day", "Fee"}, Rows: rows}
		_, format := s.Guess()
		assert.Equal(t, want, format.Date)
	}
}
