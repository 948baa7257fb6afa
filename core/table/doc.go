// Package table holds what rules look up: standing values, which hold for a period;
// crosswalks, which lead from codes to codes; and number series, which give numbers.
//
// It must never know rules or documents, nor where tables are kept or which number was
// given last. Start reading at Set.
package table

import (
	"fmt"
	"slices"

	"codicil/core/field"
	"codicil/core/record"
)

// Set is all that the rules of an installation look up. It is never changed, only
// replaced.
type Set struct {
	Standing   []Standing
	Crosswalks []Crosswalk
	Series     []Series
}

// Crosswalk returns the crosswalk with the key; nil when there is none.
func (s *Set) Crosswalk(key string) *Crosswalk {
	return find(s.Crosswalks, func(c *Crosswalk) bool { return c.Key == key })
}

// Numbers returns the series with the key; nil when there is none.
func (s *Set) Numbers(key string) *Series {
	return find(s.Series, func(n *Series) bool { return n.Key == key })
}

func find[T any](list []T, is func(*T) bool) *T {
	for i := range list {
		if is(&list[i]) {
			return &list[i]
		}
	}
	return nil
}

// Problem is something wrong with a table, at one of its parts.
type Problem struct {
	// Row counts from 0; -1: the table itself.
	Row int `json:"row"`
	// Column is the key of a column, "from", "until", "company", or "" for the whole.
	Column  string `json:"column"`
	Message string `json:"message"`
}

func problem(row int, column, format string, args ...any) Problem {
	return Problem{row, column, fmt.Sprintf(format, args...)}
}

// Period is from when until when something holds, both days included.
type Period struct {
	From  record.Day `json:"from"`  // "": from the beginning
	Until record.Day `json:"until"` // "": without an end
}

// Holds tells whether the day is in the period.
func (p Period) Holds(day record.Day) bool {
	return (p.From == "" || p.From <= day) && (p.Until == "" || day <= p.Until)
}

// Overlaps tells whether a day is in both periods.
func (p Period) Overlaps(q Period) bool {
	return (p.Until == "" || q.From <= p.Until) && (q.Until == "" || p.From <= q.Until)
}

// wrong says what is wrong with a period by itself; "" for nothing.
func (p Period) wrong() (column, message string) {
	for column, day := range map[string]record.Day{"from": p.From, "until": p.Until} {
		if day == "" {
			continue
		}
		if _, err := record.ParseDay(string(day)); err != nil {
			return column, err.Error()
		}
	}
	if p.From != "" && p.Until != "" && p.Until < p.From {
		return "until", fmt.Sprintf("it ends on %s, before it begins on %s", p.Until, p.From)
	}
	return "", ""
}

// String writes the period as people say it: "from 2026-01-01 until 2026-12-31".
func (p Period) String() string {
	switch {
	case p.From == "" && p.Until == "":
		return "always"
	case p.Until == "":
		return "from " + string(p.From)
	case p.From == "":
		return "until " + string(p.Until)
	}
	return fmt.Sprintf("from %s until %s", p.From, p.Until)
}

// fitted puts a text into the stored form of a field; the message says what is wrong.
func fitted(f *field.Field, text string) (stored, message string) {
	v, wrong := f.Parse(text)
	if wrong != nil {
		return text, wrong.String()
	}
	if v.IsNull() {
		return "", ""
	}
	if v, wrong = f.Settle(v, field.Surroundings{}); wrong != nil {
		return text, wrong.String()
	}
	return field.Write(v), ""
}

// columnProblems says what is wrong with the columns of a table.
func columnProblems(columns []field.Field) (problems []Problem) {
	for i := range columns {
		f := &columns[i]
		switch {
		case !field.IsKey(f.Key):
			problems = append(problems, problem(-1, f.Key, "%q cannot be the key of a column; use small letters, digits and _, with a letter first", f.Key))
		case slices.ContainsFunc(columns[:i], func(other field.Field) bool { return other.Key == f.Key }):
			problems = append(problems, problem(-1, f.Key, "there are two columns %q; give one another key", f.Key))
		}
		if message := soundColumn(f); message != "" {
			problems = append(problems, problem(-1, f.Key, "%s: %s", f.Label, message))
		}
	}
	return problems
}

func soundColumn(f *field.Field) string {
	// An amount is a number in a table: in which currency another column says.
	if !f.Traits().Tables {
		return fmt.Sprintf("a table holds no %s; choose another type", f.Type)
	}
	if wrong := f.Sound(); wrong != nil {
		return wrong.String()
	}
	return ""
}
