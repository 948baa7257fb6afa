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
		{"Land", among("Irland|Dänemark|Japan|IE|Suiza"), field.Field{Type: field.Choice, List: "countries"}, "a label or code of the list Countries"},
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
		{"Article", func(i int) string { return fmt.Sprintf("%06d", 4711+i) }, field.Field{Type: field.Text, Length: 10}, "no two share"},
		{"Post code", func(i int) string { return fmt.Sprintf("0%d", 1000+i) }, field.Field{Type: field.Text, Length: 10}, "texts of up to 5"},
		{"Remark", func(i int) string { return fmt.Sprintf("Seen by Moya, number %d of the day", i) }, field.Field{Type: field.Text, Length: 40}, "texts of up to"},
		{"Nothing", among(""), field.Field{Type: field.Text}, "no row has a value"},
	} {
		s := sheetOf(t, 60, c.cell)
		s.Names[0] = c.name
		columns := s.Guess().Columns
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
	columns := s.Guess().Columns
	assert.Equal(t, "company", columns[0].Special)

	s = sheetOf(t, 30, func(i int) string { return fmt.Sprintf("V%03d", i%7) })
	s.Links = func(values []string) map[string]int { return map[string]int{"vendor": len(values), "item": 1} }
	columns = s.Guess().Columns
	assert.Equal(t, [2]string{"link", "vendor"}, [2]string{string(columns[0].Field.Type), columns[0].Field.Kind})

	// Names give keys, each once.
	s = learn.Sheet{Names: []string{"Größe (m)", "Größe, m", ""}, Rows: [][]string{{"1", "2", "3"}}}
	columns = s.Guess().Columns
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
		format := s.Guess().Format
		assert.Equal(t, want, format.Date)
	}
}

// Rows with one document's number are its lines: what differs among them is told from what is the same.
func TestLinesAreGuessed(t *testing.T) {
	read := func(text string) learn.Sheet {
		rows := strings.Split(strings.TrimSpace(text), "\n")
		s := learn.Sheet{Names: strings.Split(rows[0], ";")}
		for _, row := range rows[1:] {
			s.Rows = append(s.Rows, strings.Split(row, ";"))
		}
		return s
	}
	keys := func(g learn.Guess) string {
		var all []string
		for _, c := range g.Columns {
			assert.Equal(t, strings.HasPrefix(c.Field.Key, field.LinePrefix), c.Line, c.Name)
			all = append(all, c.Field.Key)
		}
		return strings.Join(all, " ")
	}
	orders := "Order;Customer;Ordered;Item;Quantity;Price\nSO-11;Salt Quay;2026-11-02;rope;5;2.50\nSO-11;Salt Quay;2026-11-02;sail;1;880.00\nSO-12;Tern Boats;2026-11-03;rope;7;2.50\nSO-14;Salt Quay;2026-11-03;oar;2;45.00\nSO-14;Salt Quay;2026-11-03;rope;9;2.50\n"
	for name, c := range map[string]struct {
		sheet   string
		by      int
		records int
		keys    string
	}{
		"an order with its lines":          {orders, 0, 3, "order customer ordered lines.item lines.quantity lines.price"},
		"the header in the first row only": {"Order;Customer;Item;Quantity\n4711;Salt Quay;rope;5\n;;sail;1\n4712;Tern Boats;rope;7\n;;oar;2\n", 0, 2, "order customer lines.item lines.quantity"},
		"the number not first":             {"Customer;Order;Item\nSalt Quay;S1;rope\nSalt Quay;S1;sail\nSalt Quay;S2;rope\nTern Boats;S3;oar\nTern Boats;S3;sail\n", 1, 3, "customer order lines.item"},
		"each row a record":                {"Name;Post code;Place\nTern Boats;4001;Quay\nSalt Quay;4001;Quay\nOar Works;4002;Isle\nRope Yard;4002;Isle\n", learn.EachRow, 4, "name post_code place"},
		"numbers that come again":          {"Name;Country;Fee\nTern;IE;10\nSalt;IE;20\nOar;DK;10\n", learn.EachRow, 3, "name country fee"},
		"a number in every row":            {"No;Day;Fee\n1;2026-11-02;10\n2;2026-11-02;20\n3;2026-11-03;10\n", learn.EachRow, 3, "no day fee"},
		"one number not in one place":      {"Order;Customer;Item\nS1;Salt;rope\nS2;Tern;sail\nS1;Salt;oar\nS2;Tern;rope\n", learn.EachRow, 4, "order customer item"},
		"nothing":                          {"Order;Item\n", learn.EachRow, 0, "order item"},
	} {
		s := read(c.sheet)
		g := s.Guess()
		assert.Equal(t, c.by, g.By, name)
		assert.Equal(t, c.records, g.Records, name)
		assert.Equal(t, c.keys, keys(g), name)
	}

	s := read(orders)
	g := s.Guess()
	assert.Equal(t, "text", string(g.Columns[0].Field.Type))
	assert.True(t, g.Columns[0].Unique, "no two orders share it")
	assert.Contains(t, g.Columns[0].Evidence, "3 different values in 5 rows: each is a record")
	assert.Contains(t, g.Columns[1].Evidence, "the same in all rows of one Order")
	assert.Contains(t, g.Columns[3].Evidence, "differs between the rows of one Order")

	// What somebody says goes before what is found out.
	for by, want := range map[int]string{learn.EachRow: "order customer ordered item quantity price", 2: "lines.order lines.customer ordered lines.item lines.quantity lines.price"} {
		s.By = &by
		assert.Equal(t, want, keys(s.Guess()))
	}
	// A file may say itself which lines a record has.
	s = learn.Sheet{Names: []string{"order", "lines.item"}, Rows: [][]string{{"S1", "rope"}, {"", "oar"}, {"S2"}}, Within: []bool{false, true, false}}
	g = s.Guess()
	assert.Equal(t, "order lines.item", keys(g))
	assert.Equal(t, 2, g.Records)
}
