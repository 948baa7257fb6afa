package learn

import (
	"fmt"
	"regexp"
	"slices"
	"strings"
	"unicode"

	"codicil/core/feel"
	"codicil/core/field"
	"codicil/core/table"
)

// Column is what the values of a column of a spreadsheet say of the field that it could be.
type Column struct {
	// Name is what the column is called; Special is "company" or "type" where it holds one of those, and
	// no field is made of it.
	Name    string
	Special string
	Field   field.Field
	// Filled and Different are how many of the values are there, and how many different ones.
	Filled, Different int
	// Unique tells that no two records, or lines, share a value.
	Unique bool
	// Line tells that it belongs to the lines of a record.
	Line bool
	// Groups tells that rows with the same value could be one record: they stand below each other, and some do.
	Groups bool
	// Evidence says in words why the field is what it is.
	Evidence []string
}

// Sheet is a spreadsheet that fields are made of.
type Sheet struct {
	Names []string
	Rows  [][]string
	// Lists are those that a column may choose from.
	Lists []table.List
	// Companies are the keys of the companies, by key and by name.
	Companies map[string]string
	// Links tells how many of some values are records of which kind: by kind.
	Links func(values []string) map[string]int
	// By is the column whose value the rows of one record share, which are its lines; EachRow: each row is a
	// record; nil: it is found out.
	By *int
	// Within tells of each row whether it is a further line of the record before; nil: the file does not say.
	Within []bool
}

// Guess is what a spreadsheet could be.
type Guess struct {
	Columns []Column
	Format  field.Format // how it writes numbers and dates
	By      int          // see Sheet
	Records int          // how many its rows are
}

// mostTried is how many different values of a column are compared with lists and records.
const mostTried = 300

// formats are the ways in which numbers and dates may be written, the plain one first.
var formats = []field.Format{
	field.Plain,
	{Decimal: ".", Group: ",", Date: "dmy", Separator: "/"}, {Decimal: ",", Group: ".", Date: "dmy", Separator: "."},
	{Decimal: ".", Group: "’", Date: "dmy", Separator: "."}, {Decimal: ".", Group: ",", Date: "mdy", Separator: "/"},
}

var (
	leadingZero = regexp.MustCompile(`^0[0-9]`)
	moneyName   = regexp.MustCompile(`(?i)amount|price|total|net|gross|cost|limit|value|sum|freight|fee|deposit|tax$`)
	dateLike    = regexp.MustCompile(`^\d{1,4}[-./]\d{1,2}[-./]\d{1,4}$`)
)

// Guess makes fields of the columns of a spreadsheet: their types, lengths, decimals, choices and links,
// each with its evidence; which of its rows are one record; and the way in which it writes numbers and dates. Cost: the cells, some of them
// by the formats, and of each column some different values by the lists.
func (s *Sheet) Guess() Guess {
	format, r := s.format(), s.records()
	g := Guess{Columns: make([]Column, len(s.Names)), Format: format, By: r.by, Records: len(r.starts)}
	all := s.single().starts
	keys := map[string]bool{}
	for i, name := range s.Names {
		rows, prefix, name := r.starts, "", strings.TrimSpace(name)
		if r.lines[i] {
			rows, prefix, name = all, field.LinePrefix, strings.TrimPrefix(name, field.LinePrefix)
		}
		c := s.column(i, name, rows, i == r.by, format)
		c.Groups = s.Within == nil && s.groups(i)
		if c.Line = r.lines[i]; r.by != EachRow {
			c.Evidence = append(c.Evidence, s.place(i, &r))
		}
		key := prefix + keyOf(c.Name, i)
		for n := 2; keys[key]; n++ {
			key = fmt.Sprintf("%s%s_%d", prefix, keyOf(c.Name, i), n)
		}
		keys[key] = true
		c.Field.Key, c.Field.Label, c.Field.Loaded = key, c.Name, true
		g.Columns[i] = c
	}
	return g
}

// place says why a column belongs to the records, or to their lines.
func (s *Sheet) place(at int, r *records) string {
	by := strings.TrimSpace(s.Names[r.by])
	switch {
	case at == r.by:
		return fmt.Sprintf("%d different values in %d rows: each is a record", len(r.starts), len(s.Rows))
	case r.lines[at]:
		return "differs between the rows of one " + by
	}
	return "the same in all rows of one " + by
}

// keyOf makes the key of a field of its name.
func keyOf(name string, place int) string {
	var key strings.Builder
	for _, r := range strings.ToLower(name) {
		switch {
		case r >= 'a' && r <= 'z' || r >= '0' && r <= '9' && key.Len() > 0:
			key.WriteRune(r)
		case key.Len() > 0 && !strings.HasSuffix(key.String(), "_"):
			key.WriteByte('_')
		}
		if key.Len() == 36 {
			break
		}
	}
	if made := strings.Trim(key.String(), "_"); made != "" {
		return made
	}
	return fmt.Sprintf("column_%d", place+1)
}

// format is the way that reads most of what looks like a date or a number with decimals.
func (s *Sheet) format() field.Format {
	date, amount := field.Field{Type: field.Date}, field.Field{Type: field.Number, Decimals: 6}
	best, most := field.Plain, -1
	var dates, numbers []string
	for _, row := range s.Rows[:min(len(s.Rows), 500)] {
		for _, cell := range row {
			switch {
			case dateLike.MatchString(cell):
				dates = append(dates, cell)
			case strings.ContainsAny(cell, ".,’") && strings.Trim(cell, "0123456789.,’-") == "" && cell != "":
				numbers = append(numbers, cell)
			}
		}
	}
	for _, f := range formats {
		read := 0
		for _, text := range dates {
			if v, wrong := date.Read(text, f, field.Surroundings{}); wrong == nil && v.Kind() == feel.Date {
				read += 2
			}
		}
		for _, text := range numbers {
			// Numbers are read leniently; it is the last mark that is the decimal point.
			if _, wrong := amount.Read(text, f, field.Surroundings{}); wrong == nil && strings.LastIndexAny(text, ".,’") == strings.LastIndex(text, f.Decimal) {
				read++
			}
		}
		if read > most {
			best, most = f, read
		}
	}
	return best
}

// column makes a field of a column, of some rows; named tells that its values are what records are known by.
func (s *Sheet) column(at int, name string, rows []int, named bool, format field.Format) Column {
	c := Column{Name: name}
	counts := map[string]int{}
	var values []string
	for _, row := range rows {
		v := s.cell(row, at)
		if v == "" {
			continue
		}
		c.Filled++
		if counts[v]++; counts[v] == 1 {
			values = append(values, v)
		}
	}
	c.Different, c.Unique = len(values), len(values) == c.Filled && c.Filled > 1
	if c.Name == "" {
		c.Name = fmt.Sprintf("Column %d", at+1)
	}
	say := func(text string, parts ...any) { c.Evidence = append(c.Evidence, fmt.Sprintf(text, parts...)) }
	c.Field = field.Field{Type: field.Text, Length: 60}
	if c.Filled == 0 {
		say("no row has a value")
		return c
	}
	some := values[:min(len(values), mostTried)]
	switch {
	case s.special(&c, some):
	case s.linked(&c, some, say):
	case s.typed(&c, some, format, say):
	case s.listed(&c, some, say):
	case !named && s.numeric(&c, some, format, say):
	default:
		text(&c, values, say)
	}
	if c.Unique && c.Field.Type == field.Text {
		say("no two share a value")
	}
	if blank := len(rows) - c.Filled; blank > 0 {
		say("%d of %d are blank", blank, len(rows))
	}
	return c
}

// share tells whether nearly all of some values are so.
func share(values []string, is func(string) bool) bool {
	n := 0
	for _, v := range values {
		if is(v) {
			n++
		}
	}
	return n*100 >= len(values)*97
}

func (s *Sheet) special(c *Column, values []string) bool {
	if !strings.Contains(strings.ToLower(c.Name), "company") || !share(values, func(v string) bool { return s.Companies[strings.ToLower(v)] != "" }) {
		return false
	}
	c.Special = "company"
	c.Evidence = append(c.Evidence, "every value is one of the companies")
	return true
}

func (s *Sheet) linked(c *Column, values []string, say func(string, ...any)) bool {
	if s.Links == nil {
		return false
	}
	best, most := "", 0
	for kind, n := range s.Links(values) {
		if n > most || n == most && kind < best {
			best, most = kind, n
		}
	}
	if most*100 < len(values)*97 {
		return false
	}
	c.Field.Type, c.Field.Kind, c.Field.Length = field.Link, best, 0
	say("%d of %d different values are numbers of saved records", most, len(values))
	return true
}

func (s *Sheet) typed(c *Column, values []string, format field.Format, say func(string, ...any)) bool {
	reads := func(name field.Name, first func(string) bool) bool {
		f := field.Field{Type: name, Label: c.Name}
		return share(values, func(v string) bool {
			if !first(v) {
				return false
			}
			read, wrong := f.Read(v, format, field.Surroundings{})
			if wrong == nil {
				_, wrong = f.Settle(read, field.Surroundings{})
			}
			return wrong == nil || wrong.Advice
		})
	}
	has := func(part string) func(string) bool {
		return func(v string) bool { return strings.Contains(v, part) }
	}
	switch {
	case reads(field.Date, dateLike.MatchString):
		c.Field.Type, c.Field.Length = field.Date, 0
		say("every value is a date, such as %s", values[0])
	case reads(field.Percent, has("%")):
		c.Field.Type, c.Field.Length, c.Field.Decimals, c.Field.Digits = field.Percent, 0, 1, 3
		say("every value has a %% sign")
	case reads(field.Email, has("@")):
		c.Field.Type, c.Field.Length, c.Field.Case = field.Email, 80, "lower"
		say("every value is an e-mail address")
	case reads(field.WebAddress, func(v string) bool { return strings.Contains(v, "://") || strings.HasPrefix(v, "www.") }):
		c.Field.Type, c.Field.Length = field.WebAddress, 80
		say("every value is a web address")
	case reads(field.YesNo, func(v string) bool {
		return slices.Contains([]string{"yes", "no", "true", "false", "y", "n"}, strings.ToLower(v))
	}):
		c.Field.Type, c.Field.Length = field.YesNo, 0
		say("every value is a yes or a no")
	case reads(field.Telephone, func(v string) bool { return strings.HasPrefix(v, "+") && len(v) > 7 }):
		c.Field.Type, c.Field.Length = field.Telephone, 24
		say("every value is a telephone number with its country")
	case reads(field.BankAccount, func(v string) bool {
		return len(v) >= 15 && unicode.IsLetter(rune(v[0])) && unicode.IsDigit(rune(v[2]))
	}):
		c.Field.Type, c.Field.Length, c.Field.Case = field.BankAccount, 34, "upper"
		say("every value is an IBAN whose check digits fit")
	default:
		return false
	}
	return true
}

// listed looks for the list that has the values, by their codes or labels; short texts that come again and
// again are choices of the column's own.
func (s *Sheet) listed(c *Column, values []string, say func(string, ...any)) bool {
	best, most, byLabel := -1, 0, false
	for i := range s.Lists {
		l := &s.Lists[i]
		f := field.Field{Type: field.Choice}
		codes := map[string]bool{}
		for _, o := range l.Options() {
			f.Choices = append(f.Choices, field.Option{Code: o.Code, Label: o.Label})
			codes[o.Code] = true
		}
		hits, labels := 0, 0
		for _, v := range values {
			if codes[v] {
				hits++
			} else if codes[field.CodeOf(l.Standard, v)] || slices.ContainsFunc(f.Choices, func(o field.Option) bool { return strings.EqualFold(o.Label, v) }) {
				hits++
				labels++
			}
		}
		// A name that fits decides between lists that share codes.
		score := hits * 10
		if related(c.Name, l.Label) {
			score += 5
		}
		if hits*100 >= len(values)*97 && (len(values) > 1 || related(c.Name, l.Label)) && score > most {
			best, most, byLabel = i, score, labels > 0
		}
	}
	if best >= 0 && (len(values) >= 3 || related(c.Name, s.Lists[best].Label)) {
		c.Field.Type, c.Field.List, c.Field.Length = field.Choice, s.Lists[best].Key, 0
		say("every value is %s of the list %s", map[bool]string{true: "a label or code", false: "a code"}[byLabel], s.Lists[best].Label)
		return true
	}
	if len(values) < 2 || len(values) > 15 || c.Filled < 8*len(values) || slices.ContainsFunc(values, func(v string) bool { return len([]rune(v)) > 20 }) || share(values, isNumeric) {
		return false
	}
	slices.Sort(values)
	c.Field.Type, c.Field.Length = field.Choice, 0
	for _, v := range values {
		c.Field.Choices = append(c.Field.Choices, field.Option{Code: v, Label: v})
	}
	say("%d different values come again and again", len(values))
	return true
}

// related tells whether two names share a word, in the singular or plural.
func related(a, b string) bool {
	stem := func(word string) string {
		word = strings.TrimSuffix(strings.ToLower(word), "s")
		return strings.TrimSuffix(strings.TrimSuffix(word, "ie"), "y")
	}
	for _, x := range strings.Fields(a) {
		for _, y := range strings.Fields(b) {
			if len(x) > 2 && stem(x) == stem(y) {
				return true
			}
		}
	}
	return false
}

func isNumeric(text string) bool {
	return text != "" && strings.Trim(text, "0123456789.,’'- ") == "" && strings.ContainsAny(text, "0123456789")
}

func (s *Sheet) numeric(c *Column, values []string, format field.Format, say func(string, ...any)) bool {
	f := field.Field{Type: field.Number, Label: c.Name, Decimals: 12}
	decimals, digits, fewest := 0, 0, 12
	all := share(values, func(v string) bool {
		if !isNumeric(v) || leadingZero.MatchString(v) {
			return false
		}
		read, wrong := f.Read(v, format, field.Surroundings{})
		n, ok := read.Number()
		if wrong != nil || !ok {
			return false
		}
		// As many as are written: 201.00 has two.
		written := max(n.Places(), decimalsOf(v, format))
		decimals, digits, fewest = max(decimals, written), max(digits, n.Abs().IntegerDigits()), min(fewest, written)
		return true
	})
	if !all {
		return false
	}
	// Digits of one length that name something are no number.
	if decimals == 0 && c.Unique && len(values) > 5 && sameLength(values) && len(values[0]) >= 4 {
		return false
	}
	c.Field.Type, c.Field.Length, c.Field.Digits = field.Number, 0, max(digits+2, 5)
	c.Field.Decimals = decimals
	say("every value is a number with up to %d decimals", decimals)
	if decimals == 2 && fewest == 2 || decimals <= 2 && moneyName.MatchString(c.Name) {
		c.Field.Type, c.Field.Decimals = field.Amount, 0
		say("it looks like an amount of money")
	}
	return true
}

// decimalsOf is how many digits are written behind the decimal point.
func decimalsOf(text string, format field.Format) int {
	at := strings.LastIndex(text, format.Decimal)
	if at < 0 {
		return 0
	}
	return len(text) - at - len(format.Decimal)
}

func sameLength(values []string) bool {
	return !slices.ContainsFunc(values, func(v string) bool { return len(v) != len(values[0]) })
}

func text(c *Column, values []string, say func(string, ...any)) {
	longest, upper := 0, true
	for _, v := range values {
		longest = max(longest, len([]rune(v)))
		upper = upper && v == strings.ToUpper(v) && strings.IndexFunc(v, unicode.IsLetter) >= 0
	}
	c.Field.Length = 2000
	for _, most := range []int{10, 20, 40, 60, 120, 255} {
		if longest <= most {
			c.Field.Length = most
			break
		}
	}
	say("texts of up to %d characters, %d different", longest, len(values))
	if upper {
		c.Field.Case = "upper"
		say("all in capitals")
	}
	c.Field.Searched = c.Unique || c.Different*2 > c.Filled
}
