package field

import (
	"fmt"
	"regexp"
	"strconv"
	"strings"

	"codicil/core/feel"
)

// Days are a day told by its distance from another: the end of next month, 30 days later.
type Days struct {
	// Years, Months, Weeks, Days and Workdays are how far it is; at most one is not 0.
	Years, Months, Weeks, Days, Workdays int
	// Edge is the first or the last day of the month or year that is reached; "" is the day itself.
	Edge string
	// OfYear tells that the edge is that of the year.
	OfYear bool
}

// The edges of a month or year.
const (
	First = "start"
	Last  = "end"
)

var (
	edgeWords   = regexp.MustCompile(`^(?:the )?(start|beginning|first day|end|last day) of (?:the )?(this |current |next |last |previous )?(month|year)$`)
	aheadWords  = regexp.MustCompile(`^in (\d{1,5}) (day|week|month|year|workday|working day)s?$`)
	behindWords = regexp.MustCompile(`^(\d{1,5}) (day|week|month|year|workday|working day)s? ago$`)
	apartWords  = regexp.MustCompile(`^(\d{1,5}) (day|week|month|year|workday|working day)s? (after|before|from) (.+)$`)
)

// DaysOf reads the distance of a day from today in words: today, tomorrow, in 30 days, 2 weeks
// ago, end of next month. base is what it is counted from, where the words name something else
// than today: "30 days after Document date". False where the text is nothing of the kind.
func DaysOf(text string) (d Days, base string, ok bool) {
	text = strings.Join(strings.Fields(text), " ")
	lower := strings.ToLower(text)
	switch lower {
	case "today":
		return Days{}, "", true
	case "tomorrow":
		return Days{Days: 1}, "", true
	case "yesterday":
		return Days{Days: -1}, "", true
	}
	if m := edgeWords.FindStringSubmatch(lower); m != nil {
		d.Edge = map[string]string{"end": Last, "last day": Last}[m[1]]
		if d.Edge == "" {
			d.Edge = First
		}
		far := map[string]int{"next ": 1, "last ": -1, "previous ": -1}[m[2]]
		if m[3] == "year" {
			d.OfYear, d.Years = true, far
		} else {
			d.Months = far
		}
		return d, "", true
	}
	if m := aheadWords.FindStringSubmatch(lower); m != nil {
		return distance(m[1], m[2], 1), "", true
	}
	if m := behindWords.FindStringSubmatch(lower); m != nil {
		return distance(m[1], m[2], -1), "", true
	}
	if m := apartWords.FindStringSubmatch(lower); m != nil {
		sign := 1
		if m[3] == "before" {
			sign = -1
		}
		base = text[len(text)-len(m[4]):]
		if m[4] == "today" || m[4] == "now" {
			base = ""
		}
		return distance(m[1], m[2], sign), base, m[3] != "from" || base == ""
	}
	return d, "", false
}

func distance(count, unit string, sign int) (d Days) {
	n, _ := strconv.Atoi(count)
	n *= sign
	switch unit {
	case "day":
		d.Days = n
	case "week":
		d.Weeks = n
	case "month":
		d.Months = n
	case "year":
		d.Years = n
	default:
		d.Workdays = n
	}
	return d
}

// From is the day that has the distance from another; false where workdays are counted, which
// only a company's calendar knows.
func (d Days) From(day feel.Value) (feel.Value, bool) {
	year, month, of, ok := day.Civil()
	if !ok || d.Workdays != 0 {
		return feel.NullValue, false
	}
	if d.OfYear {
		if d.Edge == Last {
			return feel.DateOf(year+int64(d.Years), 12, 31)
		}
		return feel.DateOf(year+int64(d.Years), 1, 1)
	}
	months := year*12 + month - 1 + int64(d.Months) + 12*int64(d.Years)
	year, month = months/12, months%12+1
	last := lastOf(year, month)
	switch d.Edge {
	case First:
		of = 1
	case Last:
		of = last
	}
	reached, ok := feel.DateOf(year, month, min(of, last))
	if !ok {
		return reached, false
	}
	return reached.PlusDays(int64(d.Days) + 7*int64(d.Weeks)), true
}

func lastOf(year, month int64) int64 {
	for _, day := range []int64{31, 30, 29} {
		if _, ok := feel.DateOf(year, month, day); ok {
			return day
		}
	}
	return 28
}

// Formula writes the day as a formula; base is the formula of what it is counted from.
func (d Days) Formula(base string) string {
	if d.OfYear {
		year := base + ".year"
		if d.Years != 0 {
			year += fmt.Sprintf(" %s %d", map[bool]string{true: "+", false: "-"}[d.Years > 0], max(d.Years, -d.Years))
		}
		return fmt.Sprintf("date(%s, %s)", year, map[string]string{First: "1, 1", Last: "12, 31"}[d.Edge])
	}
	text := base
	if months := d.Months + 12*d.Years; months != 0 {
		if d.Edge == First {
			months--
		}
		if months != 0 {
			text = fmt.Sprintf("add months(%s, %d)", base, months)
		}
	} else if d.Edge == First {
		text = fmt.Sprintf("add months(%s, -1)", base)
	}
	switch {
	case d.Edge == Last:
		text = fmt.Sprintf("month end(%s)", text)
	case d.Edge == First:
		text = fmt.Sprintf("add days(month end(%s), 1)", text)
	case d.Workdays != 0:
		text = fmt.Sprintf("add workdays(%s, %d)", base, d.Workdays)
	case d.Days+7*d.Weeks != 0:
		text = fmt.Sprintf("add days(%s, %d)", base, d.Days+7*d.Weeks)
	}
	return text
}

// Words tells the day; base is what it is counted from, "" today.
func (d Days) Words(base string) string {
	count := func(n int, unit string) string {
		words := fmt.Sprintf("%d %ss", max(n, -n), unit)
		if n == 1 || n == -1 {
			words = "1 " + unit
		}
		switch {
		case base != "" && n > 0:
			return words + " after " + base
		case base != "":
			return words + " before " + base
		case n > 0:
			return "in " + words
		}
		return words + " ago"
	}
	which := map[int]string{-1: "last ", 0: "this ", 1: "next "}
	switch {
	case d.OfYear:
		return d.Edge + " of " + which[d.Years] + "year"
	case d.Edge != "":
		return d.Edge + " of " + which[d.Months] + "month"
	case d.Days == 1 && base == "":
		return "tomorrow"
	case d.Days == -1 && base == "":
		return "yesterday"
	case d.Days != 0:
		return count(d.Days, "day")
	case d.Weeks != 0:
		return count(d.Weeks, "week")
	case d.Workdays != 0:
		return count(d.Workdays, "workday")
	case d.Years != 0:
		return count(d.Years, "year")
	case d.Months != 0:
		return count(d.Months, "month")
	case base != "":
		return base
	}
	return "today"
}

var (
	counted  = regexp.MustCompile(`^add (days|months|workdays)\((.+), (-?\d{1,6})\)$`)
	monthEnd = regexp.MustCompile(`^month end\((.+)\)$`)
	ofYear   = regexp.MustCompile(`^date\((.+)\.year(?: ([+-]) 1)?, (1, 1|12, 31)\)$`)
)

// DaysIn is the other way round: the distance that a formula says, and the formula of what it is
// counted from. False for any other formula. formula is written as feel.Format does.
func DaysIn(formula string) (d Days, base string, ok bool) {
	if m := ofYear.FindStringSubmatch(formula); m != nil {
		d.OfYear, d.Years = true, map[string]int{"+": 1, "-": -1}[m[2]]
		d.Edge = map[string]string{"1, 1": First, "12, 31": Last}[m[3]]
		return d, m[1], true
	}
	inner := formula
	if m := counted.FindStringSubmatch(formula); m != nil && m[1] == "days" && m[3] == "1" && monthEnd.MatchString(m[2]) {
		d.Edge, inner = First, m[2]
	}
	if m := monthEnd.FindStringSubmatch(inner); m != nil {
		if d.Edge == "" {
			d.Edge = Last
		}
		base = m[1]
		if months := counted.FindStringSubmatch(m[1]); months != nil && months[1] == "months" {
			d.Months, _ = strconv.Atoi(months[3])
			base = months[2]
		}
		if d.Edge == First {
			d.Months++
		}
		return d, base, d.Months >= -1 && d.Months <= 1
	}
	m := counted.FindStringSubmatch(formula)
	if m == nil {
		return d, "", false
	}
	n, _ := strconv.Atoi(m[3])
	switch m[1] {
	case "days":
		d.Days = n
	case "months":
		d.Months = n
	case "workdays":
		d.Workdays = n
	}
	return d, m[2], n != 0
}
