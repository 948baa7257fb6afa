// Package table holds what rules look up: standing values, which hold for a period;
// crosswalks, which lead from codes to codes; number series, which give numbers; and the lists of
// codes that fields choose from.
//
// It must never know rules or documents, nor where tables are kept or which number was
// given last. Start reading at Set.
package table

import (
	"fmt"
	"slices"

	"codicil/core/field"
	"codicil/core/notice"
	"codicil/core/record"
)

// Set is all that the rules of an installation look up. It is never changed, only
// replaced.
type Set struct {
	Standing   []Standing
	Crosswalks []Crosswalk
	Series     []Series
	Lists      []List
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
	Column string `json:"column"`
	// Code is stable, Variant tells which text of it this is, and Params are what Message was
	// made from.
	Code    string            `json:"code"`
	Variant string            `json:"variant,omitempty"`
	Params  map[string]string `json:"params,omitempty"`
	Message string            `json:"message"`
}

// ProblemOf is a problem at a part of a table.
func ProblemOf(row int, column string, n notice.Notice) Problem {
	return Problem{row, column, n.Code, n.Variant, n.Named(), n.String()}
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

// wrong says what is wrong with a period by itself; nil for nothing.
func (p Period) wrong() (column string, wrong *notice.Notice) {
	for _, d := range []struct {
		column string
		day    record.Day
	}{{"from", p.From}, {"until", p.Until}} {
		if d.day == "" {
			continue
		}
		if _, err := record.ParseDay(string(d.day)); err != nil {
			return d.column, given(notADay.With(err))
		}
	}
	if p.From != "" && p.Until != "" && p.Until < p.From {
		return "until", given(endsFirst.With(p.Until, p.From))
	}
	return "", nil
}

func given(n notice.Notice) *notice.Notice { return &n }

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

// fitted puts a text into the stored form of a field; wrong says why it does not fit.
func fitted(f *field.Field, text string) (stored string, wrong *notice.Notice) {
	v, misfit := f.Parse(text)
	if misfit == nil && v.IsNull() {
		return "", nil
	}
	if misfit == nil {
		v, misfit = f.Settle(v, field.Surroundings{})
	}
	if misfit != nil {
		return text, &misfit.Notice
	}
	return field.Write(v), nil
}

// columnProblems says what is wrong with the columns of a table.
func columnProblems(columns []field.Field) (problems []Problem) {
	for i := range columns {
		f := &columns[i]
		switch {
		case !field.IsKey(f.Key):
			problems = append(problems, ProblemOf(-1, f.Key, notColumnKey.With(f.Key)))
		case slices.ContainsFunc(columns[:i], func(other field.Field) bool { return other.Key == f.Key }):
			problems = append(problems, ProblemOf(-1, f.Key, twoColumns.With(f.Key)))
		}
		// An amount is a number in a table: in which currency another column says.
		if !f.Traits().Tables {
			problems = append(problems, ProblemOf(-1, f.Key, notInTables.With(f.Label, f.Type)))
		} else if wrong := f.Sound(); wrong != nil {
			problems = append(problems, ProblemOf(-1, f.Key, badColumn.With(f.Label, wrong)))
		}
	}
	return problems
}
