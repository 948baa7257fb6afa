package table

import (
	"strings"

	"codicil/core/feel"
	"codicil/core/field"
	"codicil/core/notice"
	"codicil/core/record"
)

// Crosswalk leads from one or more codes to others. Rules look it up as
// crosswalk("key", code).
type Crosswalk struct {
	Key   string `json:"key"`
	Label string `json:"label"`
	Note  string `json:"note"`
	// Keys are the columns that are looked up, Results those that are found.
	Keys    []field.Field `json:"keys"`
	Results []field.Field `json:"results"`
	Rows    []Row         `json:"rows"`
	// Default are the results for codes that have no row; empty: such a code is an error.
	Default []string `json:"default"`
}

// Row is a row of a crosswalk, every value in its stored form.
type Row struct {
	Keys    []string `json:"keys"`
	Results []string `json:"results"`
	Period
}

// Check puts the values into their stored form and says what is wrong.
func (c *Crosswalk) Check() []Problem {
	var problems []Problem
	c.Label = strings.TrimSpace(c.Label)
	switch {
	case !field.IsKey(c.Key):
		problems = append(problems, ProblemOf(-1, "", notCrosswalkKey.With(c.Key)))
	case c.Label == "":
		problems = append(problems, ProblemOf(-1, "", noCrosswalkName.With()))
	case len(c.Keys) == 0 || len(c.Results) == 0:
		problems = append(problems, ProblemOf(-1, "", noColumns.With()))
	}
	columns := append(append([]field.Field{}, c.Keys...), c.Results...)
	problems = append(problems, columnProblems(columns)...)
	copy(c.Keys, columns)
	copy(c.Results, columns[len(c.Keys):])
	if len(problems) > 0 {
		return problems
	}
	periods := map[string][]int{}
	for i := range c.Rows {
		row := &c.Rows[i]
		row.Keys, row.Results = sized(row.Keys, len(c.Keys)), sized(row.Results, len(c.Results))
		if column, wrong := row.wrong(); wrong != nil {
			problems = append(problems, ProblemOf(i, column, *wrong))
		}
		for j := range c.Keys {
			var wrong *notice.Notice
			if row.Keys[j], wrong = fitted(&c.Keys[j], row.Keys[j]); wrong == nil && row.Keys[j] == "" {
				wrong = given(noKey.With(c.Keys[j].Label))
			}
			if wrong != nil {
				problems = append(problems, ProblemOf(i, c.Keys[j].Key, *wrong))
			}
		}
		for j := range c.Results {
			var wrong *notice.Notice
			if row.Results[j], wrong = fitted(&c.Results[j], row.Results[j]); wrong != nil {
				problems = append(problems, ProblemOf(i, c.Results[j].Key, *wrong))
			}
		}
		joined := join(row.Keys)
		for _, other := range periods[joined] {
			if c.Rows[other].Overlaps(row.Period) {
				problems = append(problems, ProblemOf(i, c.Keys[0].Key, twoRows.With(strings.Join(row.Keys, ", "), other+1)))
				break
			}
		}
		periods[joined] = append(periods[joined], i)
	}
	if len(c.Default) > 0 {
		c.Default = sized(c.Default, len(c.Results))
		blank := true
		for j := range c.Results {
			var wrong *notice.Notice
			if c.Default[j], wrong = fitted(&c.Results[j], c.Default[j]); wrong != nil {
				problems = append(problems, ProblemOf(len(c.Rows), c.Results[j].Key, badOther.With(wrong)))
			}
			blank = blank && c.Default[j] == ""
		}
		if blank {
			c.Default = nil
		}
	}
	return problems
}

// sized returns the values of a row, as many as it has columns.
func sized(values []string, count int) []string {
	row := make([]string, count)
	copy(row, values)
	return row
}

// join makes one text of the codes of a row.
func join(codes []string) string { return strings.Join(codes, "\x1f") }

// Table describes the crosswalk to the formula language. typeOf gives the type of a
// column.
func (c *Crosswalk) Table(typeOf func(*field.Field) feel.Type) feel.Table {
	t := feel.Table{Columns: map[string]feel.Type{}}
	for i := range c.Keys {
		t.Keys = append(t.Keys, typeOf(&c.Keys[i]))
	}
	for i := range c.Results {
		t.Columns[c.Results[i].Key] = typeOf(&c.Results[i])
	}
	if len(c.Results) > 0 {
		t.First = c.Results[0].Key
	}
	return t
}

// Has tells whether there is a row for the codes on a day besides the default.
func (c *Crosswalk) Has(keys []feel.Value, day record.Day) bool {
	joined := codes(keys)
	for i := range c.Rows {
		if row := &c.Rows[i]; row.Holds(day) && join(row.Keys) == joined {
			return true
		}
	}
	return false
}

// Index finds the rows of crosswalks that hold on one day. It never changes.
type Index struct {
	tables map[string]*indexed
}

type indexed struct {
	columns map[string]int
	rows    map[string][]feel.Value
	other   []feel.Value // nil: a code without a row is an error
}

// NewIndex makes the index of a day.
func NewIndex(crosswalks []Crosswalk, day record.Day) *Index {
	index := &Index{map[string]*indexed{}}
	for i := range crosswalks {
		c := &crosswalks[i]
		t := &indexed{columns: map[string]int{}, rows: make(map[string][]feel.Value, len(c.Rows))}
		for j := range c.Results {
			t.columns[c.Results[j].Key] = j
		}
		for j := range c.Rows {
			if row := &c.Rows[j]; row.Holds(day) {
				t.rows[join(row.Keys)] = c.results(row.Results)
			}
		}
		if len(c.Default) > 0 {
			t.other = c.results(c.Default)
		}
		index.tables[c.Key] = t
	}
	return index
}

func (c *Crosswalk) results(texts []string) []feel.Value {
	values := make([]feel.Value, len(c.Results))
	for i := range c.Results {
		values[i], _ = c.Results[i].Parse(texts[i])
	}
	return values
}

// Lookup returns the value of a column in the row of the keys, or in the default row;
// false when there is neither.
func (x *Index) Lookup(key string, keys []feel.Value, column string) (feel.Value, bool) {
	t := x.tables[key]
	if t == nil {
		return feel.NullValue, false
	}
	row, found := t.rows[codes(keys)]
	if !found {
		row = t.other
	}
	at, known := t.columns[column]
	if row == nil || !known {
		return feel.NullValue, false
	}
	return row[at], true
}

// Has tells whether the crosswalk has a row for the codes besides its default.
func (x *Index) Has(key string, keys []feel.Value) bool {
	t := x.tables[key]
	if t == nil {
		return false
	}
	_, found := t.rows[codes(keys)]
	return found
}

func codes(keys []feel.Value) string {
	if len(keys) == 1 {
		return field.Write(keys[0])
	}
	texts := make([]string, len(keys))
	for i, key := range keys {
		texts[i] = field.Write(key)
	}
	return join(texts)
}
