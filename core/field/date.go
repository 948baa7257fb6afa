package field

import (
	"regexp"
	"slices"
	"strconv"

	"codicil/core/feel"
	"codicil/core/notice"
)

// Date is a calendar day.
const Date Name = "date"

var notDate = notice.Define("not-a-date", "{field} must be a date; {value:q} is not. Write it as {example}, or +30 for thirty days on")
var notStoredDate = notice.Define("not-a-date.stored", "{field} must be a date; {value:q} is not. Write it as 2026-11-24")

func init() { register(60, date{}) }

type date struct{}

func (date) Traits() Traits {
	return Traits{Name: Date, Label: "Date", Input: "date", Width: 102, Settings: []string{}, Tables: true, Uniform: true}
}

func (date) Formula() feel.Type { return feel.DateType }

var (
	isoDate    = regexp.MustCompile(`^\d{4}-\d{2}-\d{2}$`)
	dateParts  = regexp.MustCompile(`^(\d{1,4})[./\- ](\d{1,2})(?:[./\- ](\d{1,4})?)?$`)
	dayOffset  = regexp.MustCompile(`^[+-]\d{1,5}$`)
	onlyDigits = regexp.MustCompile(`^(\d{2})(\d{2})(\d{2}|\d{4})$`)
)

// Read reads 24/11/2026, 24.11., 241126, 2026-11-24, and +30 from the document's day on.
func (date) Read(f *Field, text string, format Format, s Surroundings) (feel.Value, *Misfit) {
	wrong := misfit(notDate, f.Label, text, format.Day(feel.MustDate("2026-11-24")))
	if isoDate.MatchString(text) {
		if d, ok := feel.ParseDate(text); ok {
			return d, nil
		}
		return feel.NullValue, wrong
	}
	day := s.Day
	if dayOffset.MatchString(text) && !day.IsNull() {
		days, _ := strconv.ParseInt(text, 10, 64)
		return day.PlusDays(days), nil
	}
	year, _, _, _ := day.Civil()
	parts := dateParts.FindStringSubmatch(text)
	if parts == nil && format.Date != "ymd" {
		parts = onlyDigits.FindStringSubmatch(text)
	}
	if parts == nil {
		return feel.NullValue, wrong
	}
	var numbers [3]int64
	for i, part := range parts[1:] {
		numbers[i], _ = strconv.ParseInt(part, 10, 64)
	}
	var d, m int64
	switch format.Date {
	case "dmy":
		d, m = numbers[0], numbers[1]
	case "mdy":
		m, d = numbers[0], numbers[1]
	default:
		if parts[3] == "" {
			m, d = numbers[0], numbers[1]
		} else {
			year, m, d = numbers[0], numbers[1], numbers[2]
		}
	}
	if format.Date != "ymd" && parts[3] != "" {
		year = numbers[2]
		if len(parts[3]) <= 2 {
			year = nearest(year, day)
		}
	}
	if v, ok := feel.DateOf(year, m, d); ok {
		return v, nil
	}
	return feel.NullValue, wrong
}

// nearest is the year of two digits that is nearest to a day; of two that are as near the
// earlier.
func nearest(digits int64, day feel.Value) int64 {
	now, _, _, ok := day.Civil()
	if !ok {
		return 2000 + digits
	}
	year := now - now%100 + digits
	switch {
	case year-now >= 50:
		return year - 100
	case now-year > 50:
		return year + 100
	}
	return year
}

func (date) Parse(f *Field, text string) (feel.Value, *Misfit) {
	if d, ok := feel.ParseDate(text); ok && isoDate.MatchString(text) {
		return d, nil
	}
	return feel.NullValue, misfit(notStoredDate, f.Label, text)
}

func (date) Fit(_ *Field, v feel.Value, _ Surroundings) (feel.Value, *Misfit) { return v, nil }

func (date) Show(_ *Field, v feel.Value, format Format, _ Surroundings) string { return format.Day(v) }

func (date) Plain(_ *Field, v feel.Value) string { return Write(v) }

func (date) SortKey() func(feel.Value) string { return exactly() }

func (date) Relations() []Relation { return slices.Concat(equality, sequence, presence) }

// Neighbours are the days before and after.
func (date) Neighbours(_ *Field, v feel.Value, _ Surroundings) []feel.Value {
	return []feel.Value{v.PlusDays(1), v.PlusDays(-1)}
}

// Samples are the day of the document, and days around it.
func (date) Samples(_ *Field, s Surroundings) []feel.Value {
	if s.Day.IsNull() {
		return nil
	}
	return []feel.Value{s.Day, s.Day.PlusDays(1), s.Day.PlusDays(-1), s.Day.PlusDays(30)}
}

func (date) Places(*Field, Surroundings) (int, bool) { return 0, false }

func (date) Width(*Field) int { return 3 }

func (date) Describe(*Field) string { return spaced(Date) }

func (date) Check(*Field) *Misfit { return nil }

func (date) Accepts(*Field, *Field) (string, bool) { return "", true }
