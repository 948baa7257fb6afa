package learn

import (
	"slices"
	"strings"

	"codicil/core/decimal"
	"codicil/core/feel"
	"codicil/core/field"
	"codicil/core/record"
)

// texts gives every different value a number, so that equal values are equal numbers. 0 is blank.
type texts struct {
	ids     map[string]int32
	all     []string
	numbers []decimal.Number // of those that are numbers
	isNum   []bool
	days    []int32 // of those that are dates: the days since 1970; noDay: none
}

const noDay = int32(-1 << 31)

func newTexts() *texts {
	t := &texts{ids: map[string]int32{"": 0}}
	t.put("")
	return t
}

func (t *texts) put(text string) {
	t.all = append(t.all, text)
	n, err := decimal.Parse(text)
	t.numbers, t.isNum = append(t.numbers, n), append(t.isNum, err == nil && text != "")
	day := noDay
	if v, ok := feel.ParseDate(text); ok && len(text) == len("2026-11-24") {
		day = dayNumber(v)
	}
	t.days = append(t.days, day)
}

func dayNumber(v feel.Value) int32 {
	text := v.Plain()
	year, month, day := atoi(text[:4]), atoi(text[5:7]), atoi(text[8:10])
	return daysFromCivil(year, month, day)
}

func atoi(digits string) (n int32) {
	for _, d := range digits {
		n = n*10 + (d - '0')
	}
	return n
}

// daysFromCivil counts the days since 1970-01-01 in the Gregorian calendar.
func daysFromCivil(y, m, d int32) int32 {
	if m <= 2 {
		y--
		m += 12
	}
	era := y / 400
	yoe := y - era*400
	doy := (153*(m-3)+2)/5 + d - 1
	return era*146097 + yoe*365 + yoe/4 - yoe/100 + doy - 719468
}

// civil is the year, month and day of a count of days.
func civil(days int32) (y, m, d int32) {
	days += 719468
	era := days / 146097
	doe := days - era*146097
	yoe := (doe - doe/1460 + doe/36524 - doe/146096) / 365
	doy := doe - (365*yoe + yoe/4 - yoe/100)
	mp := (5*doy + 2) / 153
	d, m, y = doy-(153*mp+2)/5+1, mp+3, yoe+era*400
	if m > 12 {
		m, y = m-12, y+1
	}
	return y, m, d
}

func monthLength(y, m int32) int32 {
	next := daysFromCivil(y, m+1, 1)
	if m == 12 {
		next = daysFromCivil(y+1, 1, 1)
	}
	return next - daysFromCivil(y, m, 1)
}

// id is the number of a value of a field. Numbers that are equal have one, whatever their zeros.
func (t *texts) id(f *field.Field, text string) int32 {
	if text == "" {
		return 0
	}
	if f != nil && f.FeelType().Kind == feel.Number && strings.Contains(text, ".") {
		text = strings.TrimRight(strings.TrimRight(text, "0"), ".")
		if text == "-0" || text == "" {
			text = "0"
		}
	}
	if id, there := t.ids[text]; there {
		return id
	}
	id := int32(len(t.all))
	t.ids[text] = id
	t.put(text)
	return id
}

// column is one field over all rows of a sheet.
type column struct {
	key   string
	field *field.Field // nil: the company or the type
	ids   []int32
	// What is counted once all rows are there.
	filled  int
	values  []int32         // the different values, in the order in which they came; without blank
	counts  map[int32]int32 // of the values
	codes   []int32         // by row: the place of the value in values, from 1; 0: blank
	inlined bool            // a column of the header, in the sheet of lines
}

// few tells whether the column has so few values that others can follow from each.
func (c *column) few(rows int) bool {
	return len(c.values) >= 2 && len(c.values) <= 400 && len(c.values) <= max(2, c.filled/5) && c.filled >= rows/50
}

// sheet is the header of all records, or all lines.
type sheet struct {
	texts   *texts
	columns []*column
	company *column
	kinds   *column // the types
	places  []Place
	parent  *sheet
	parents []int32
	above   []*column // the columns of the header, by line
	done    bool
}

func newSheet(t *texts, fields []field.Field) *sheet {
	s := &sheet{texts: t, company: &column{key: "company.key"}, kinds: &column{key: "type.key"}}
	for i := range fields {
		s.columns = append(s.columns, &column{key: fields[i].Key, field: &fields[i]})
	}
	return s
}

func (s *sheet) rows() int { return len(s.places) }

func (s *sheet) place(row int) Place { return s.places[row] }

func (s *sheet) add(company, kindType string, at Place, values map[string]string, parent int32) {
	s.places = append(s.places, at)
	s.parents = append(s.parents, parent)
	s.company.ids = append(s.company.ids, s.texts.id(nil, company))
	s.kinds.ids = append(s.kinds.ids, s.texts.id(nil, kindType))
	for _, c := range s.columns {
		c.ids = append(c.ids, s.texts.id(c.field, values[c.field.Column()]))
	}
}

// finish counts the values of the columns. Cost: the rows by the columns.
func (s *sheet) finish() {
	if s.done {
		return
	}
	s.done = true
	if s.parent != nil {
		s.parent.finish()
		for _, c := range s.parent.columns {
			inlined := &column{key: c.key, field: c.field, ids: make([]int32, s.rows()), inlined: true}
			for row, parent := range s.parents {
				inlined.ids[row] = c.ids[parent]
			}
			s.above = append(s.above, inlined)
		}
	}
	for _, c := range slices.Concat(s.columns, s.above, []*column{s.company, s.kinds}) {
		c.count()
	}
}

func (c *column) count() {
	c.counts = map[int32]int32{}
	at := map[int32]int32{}
	c.codes = make([]int32, len(c.ids))
	for row, id := range c.ids {
		if id == 0 {
			continue
		}
		c.filled++
		code := at[id]
		if code == 0 {
			c.values = append(c.values, id)
			code = int32(len(c.values))
			at[id] = code
		}
		c.codes[row] = code
		c.counts[id]++
	}
}

// most is the value that is there most often, and how often.
func (c *column) most() (value int32, count int) {
	for _, id := range c.values {
		if n := int(c.counts[id]); n > count {
			value, count = id, n
		}
	}
	return value, count
}

// readable are the columns that a rule on the sheet's fields can read: its own, those of the header, the
// company and the type.
func (s *sheet) readable() []*column {
	return slices.Concat([]*column{s.company, s.kinds}, s.above, s.columns)
}

// linkedSheet is the records of a kind that links lead to.
type linkedSheet struct {
	kind    *record.Kind
	texts   *texts
	at      map[int32]int32 // the row by the number of the record
	columns [][]int32       // by field of the header
}

func newLinkedSheet(t *texts, kind *record.Kind) *linkedSheet {
	return &linkedSheet{kind: kind, texts: t, at: map[int32]int32{}, columns: make([][]int32, kind.Headers())}
}

func (s *linkedSheet) rows() int { return len(s.at) }

func (s *linkedSheet) add(r *record.Record) {
	id := s.texts.id(nil, r.Number)
	if _, twice := s.at[id]; twice {
		return
	}
	s.at[id] = int32(len(s.at))
	for i := range s.columns {
		f := &s.kind.Fields[i]
		s.columns[i] = append(s.columns[i], s.texts.id(f, r.Values[f.Key]))
	}
}
