package table

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"codicil/core/feel"
	"codicil/core/field"
	"codicil/core/notice"
	"codicil/core/record"
)

// Standing is a named value that everybody gets for a period: a freight rate, an
// approver. Rules read it as standing.key, on the date of their document.
type Standing struct {
	// Field says what the value is; its key is the name.
	Field field.Field `json:"field"`
	// Note says what the value is for.
	Note    string          `json:"note"`
	Periods []StandingValue `json:"periods"`
}

// StandingValue is the value of a period, for one company or for all.
type StandingValue struct {
	Company string `json:"company"` // "": all that have none of their own on the day
	Period
	Value string `json:"value"` // in stored form
}

// On returns the value of a company on a day: its own before that of all. False when
// there is none.
func (s *Standing) On(company string, day record.Day) (feel.Value, bool) {
	p := s.PeriodOn(company, day)
	if p == nil {
		return feel.NullValue, false
	}
	v, wrong := s.Field.Parse(p.Value)
	return v, wrong == nil && !v.IsNull()
}

// PeriodOn returns the period that holds for a company on a day: its own before that of all.
// nil: there is none.
func (s *Standing) PeriodOn(company string, day record.Day) *StandingValue {
	for _, owner := range []string{company, ""} {
		for i := range s.Periods {
			if p := &s.Periods[i]; p.Company == owner && p.Holds(day) {
				return p
			}
		}
	}
	return nil
}

// Check puts the values into their stored form, sorts the periods by company and day, and
// says what is wrong. Rows of problems are counted as they were given. Cost: that of sorting.
func (s *Standing) Check() []Problem {
	problems := columnProblems([]field.Field{s.Field})
	rows := make([]int, len(s.Periods)) // in the order of company and day
	for i := range rows {
		rows[i] = i
	}
	slices.SortStableFunc(rows, func(a, b int) int {
		p, q := &s.Periods[a], &s.Periods[b]
		return cmp.Or(strings.Compare(p.Company, q.Company), strings.Compare(string(p.From), string(q.From)))
	})
	sorted := make([]StandingValue, len(rows))
	var longest *StandingValue // of the company's periods so far the one that ends last
	for at, row := range rows {
		sorted[at] = s.Periods[row]
		p := &sorted[at]
		column, misplaced := p.wrong()
		if misplaced != nil {
			problems = append(problems, ProblemOf(row, column, *misplaced))
		}
		var wrong *notice.Notice
		if p.Value, wrong = fitted(&s.Field, p.Value); wrong == nil && p.Value == "" {
			wrong = given(noValue.With())
		}
		if wrong != nil {
			problems = append(problems, ProblemOf(row, "value", *wrong))
		}
		if misplaced != nil {
			continue
		}
		if longest == nil || longest.Company != p.Company {
			longest = p
			continue
		}
		if longest.Overlaps(p.Period) {
			problems = append(problems, ProblemOf(row, "from", overlap.With(longest.Period, p.Period)))
		}
		if longest.Until != "" && (p.Until == "" || p.Until > longest.Until) {
			longest = p
		}
	}
	if len(rows) > 0 { // none stay none
		s.Periods = sorted
	}
	slices.SortStableFunc(problems, func(a, b Problem) int { return cmp.Compare(a.Row, b.Row) })
	return problems
}

// Soon is how many days ahead the end of the last period is announced.
const Soon = 60

// Notice is something about a table that somebody should know before it is discovered.
type Notice struct {
	// Code is "gap", "ends", "ended", "none", "nearly-exhausted" or "exhausted".
	Code    string     `json:"code"`
	Company string     `json:"company"` // "": all
	Day     record.Day `json:"day"`     // from when
	Message string     `json:"message"`
}

// Notices tells for which of the companies, from today on, there is or will be no value:
// a gap between two periods, and an end within Soon days. write writes a day for who is told.
func (s *Standing) Notices(companies []string, today record.Day, write func(record.Day) string) (notices []Notice) {
	told := map[string]bool{}
	for _, company := range companies {
		for _, n := range s.noticesOf(company, today, write) {
			// What lacks for want of a value for all is said once.
			if key := n.Code + string(n.Day) + n.Company; !told[key] {
				told[key] = true
				notices = append(notices, n)
			}
		}
	}
	return notices
}

func (s *Standing) noticesOf(company string, today record.Day, write func(record.Day) string) (notices []Notice) {
	owner := company
	if !slices.ContainsFunc(s.Periods, func(p StandingValue) bool { return p.Company == company }) {
		owner = ""
	}
	say := func(code string, day record.Day, format string, args ...any) {
		whose := "for all companies"
		if owner != "" {
			whose = "for company " + owner
		}
		notices = append(notices, Notice{code, owner, day, s.Field.Label + " " + whose + " " + fmt.Sprintf(format, args...)})
	}
	day, horizon := today, Later(today, Soon)
	if _, there := s.On(company, day); !there {
		next := s.begins(company, day)
		if next == "" {
			say("none", day, "has no value today and none later")
			return notices
		}
		say("gap", day, "has no value until %s", write(Later(next, -1)))
		day = next
	}
	for {
		end := s.ends(company, day)
		if end == "" {
			return notices
		}
		gap := Later(end, 1)
		if _, there := s.On(company, gap); there {
			day = gap
			continue
		}
		next := s.begins(company, gap)
		switch {
		case next != "":
			say("gap", gap, "has no value from %s until %s", write(gap), write(Later(next, -1)))
			day = next
			continue
		case end <= horizon:
			say("ends", gap, "ends on %s, and nothing follows", write(end))
		}
		return notices
	}
}

// ends returns the last day of the period that holds for the company on the day; "" when
// it never ends.
func (s *Standing) ends(company string, day record.Day) record.Day {
	if p := s.PeriodOn(company, day); p != nil {
		return p.Until
	}
	return ""
}

// begins returns the first day after the day on which a period for the company begins; ""
// when none does.
func (s *Standing) begins(company string, day record.Day) (first record.Day) {
	for i := range s.Periods {
		p := &s.Periods[i]
		if (p.Company == company || p.Company == "") && p.From > day && (first == "" || p.From < first) {
			first = p.From
		}
	}
	return first
}

// Later returns the day some days after another; before it, for a negative count.
func Later(day record.Day, days int64) record.Day {
	return record.Day(day.Value().PlusDays(days).Plain())
}
