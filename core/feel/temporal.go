package feel

import (
	"fmt"
	"regexp"
	"strconv"
	"strings"

	"codicil/core/decimal"
)

const (
	secondsPerDay = 86400
	maxOffset     = 14 * 3600 // of a time zone, in seconds
	// yearLimit is the range of years of XML Schema as the standard narrows it
	// (DMN 1.5, section 10.3.2.3.5).
	yearLimit = 999999999
)

// DateOf returns a calendar date; false when there is no such day.
func DateOf(year, month, day int64) (Value, bool) {
	if month < 1 || month > 12 || day < 1 || day > daysIn(year, month) || year > yearLimit || year < -yearLimit {
		return NullValue, false
	}
	return dateOfDays(daysFromCivil(year, month, day)), true
}

// MustDate reads a date written as 2026-11-24; it panics when there is no such day.
func MustDate(text string) Value {
	d, ok := ParseDate(text)
	if !ok {
		panic("feel: not a date: " + text)
	}
	return d
}

func dateOfDays(days int64) Value { return Value{kind: Date, number: decimal.FromInt(days)} }

// Civil returns year, month and day of a date or of the date part of a date and
// time; false for any other kind.
func (v Value) Civil() (year, month, day int64, ok bool) {
	switch v.kind {
	case Date:
		year, month, day = civilFromDays(v.integer())
		return year, month, day, true
	case DateTime:
		days, _ := splitDays(v.number)
		year, month, day = civilFromDays(days)
		return year, month, day, true
	}
	return 0, 0, 0, false
}

// daysFromCivil counts days since 1970-01-01 in the proleptic Gregorian calendar,
// by 400-year eras beginning on 1 March.
func daysFromCivil(y, m, d int64) int64 {
	if m <= 2 {
		y--
	}
	era := floorDiv(y, 400)
	yearOfEra := y - era*400
	dayOfYear := (153*((m+9)%12)+2)/5 + d - 1
	return era*146097 + yearOfEra*365 + yearOfEra/4 - yearOfEra/100 + dayOfYear - 719468
}

func civilFromDays(z int64) (y, m, d int64) {
	z += 719468
	era := floorDiv(z, 146097)
	dayOfEra := z - era*146097
	yearOfEra := (dayOfEra - dayOfEra/1460 + dayOfEra/36524 - dayOfEra/146096) / 365
	dayOfYear := dayOfEra - (365*yearOfEra + yearOfEra/4 - yearOfEra/100)
	mp := (5*dayOfYear + 2) / 153
	d = dayOfYear - (153*mp+2)/5 + 1
	m = (mp+2)%12 + 1
	y = yearOfEra + era*400
	if m <= 2 {
		y++
	}
	return y, m, d
}

func floorDiv(a, b int64) int64 {
	q := a / b
	if a%b < 0 {
		q--
	}
	return q
}

func daysIn(year, month int64) int64 {
	switch month {
	case 4, 6, 9, 11:
		return 30
	case 2:
		if year%4 == 0 && (year%100 != 0 || year%400 == 0) {
			return 29
		}
		return 28
	}
	return 31
}

// addMonths moves a date by whole months; a day that the new month does not have
// becomes its last day.
func addMonths(days, months int64) (int64, bool) {
	y, m, d := civilFromDays(days)
	if months > 12*yearLimit || months < -12*yearLimit {
		return 0, false
	}
	m += months - 1
	y += floorDiv(m, 12)
	m = m - floorDiv(m, 12)*12 + 1
	if y > yearLimit || y < -yearLimit {
		return 0, false
	}
	return daysFromCivil(y, m, min(d, daysIn(y, m))), true
}

func splitDays(seconds decimal.Number) (days int64, rest decimal.Number) {
	perDay := decimal.FromInt(secondsPerDay)
	quotient, _ := seconds.Quo(perDay)
	days, _ = quotient.Round(0, decimal.Floor).Int64()
	whole, _ := decimal.FromInt(days).Mul(perDay)
	rest, _ = seconds.Sub(whole)
	return days, rest
}

// instant orders two times or two dates with time: by the moment they mean where
// both have a zone, else as they are written.
func instant(a, b Value) int {
	x, y := a.number, b.number
	if a.zone() != nil && b.zone() != nil {
		x, _ = x.Sub(decimal.FromInt(a.zone().Offset))
		y, _ = y.Sub(decimal.FromInt(b.zone().Offset))
	}
	return x.Cmp(y)
}

var (
	datePattern      = regexp.MustCompile(`^(-?(?:[1-9][0-9]{4,8}|[0-9]{4}))-([0-9]{2})-([0-9]{2})$`)
	timePattern      = regexp.MustCompile(`^([0-9]{2}):([0-9]{2}):([0-9]{2})(\.[0-9]{1,9})?([Zz]|[+-][0-9]{2}:[0-9]{2}(?::[0-9]{2})?|@[A-Za-z0-9_+/-]{1,64})?$`)
	dayTimePattern   = regexp.MustCompile(`^(-)?P(?:([0-9]+)D)?(T(?:([0-9]+)H)?(?:([0-9]+)M)?(?:([0-9]+(?:\.[0-9]+)?)S)?)?$`)
	zonePattern      = regexp.MustCompile(`^(Z|[+-][0-9]{2}:[0-9]{2}(?::[0-9]{2})?)$`)
	yearMonthPattern = regexp.MustCompile(`^(-)?P(?:([0-9]+)Y)?(?:([0-9]+)M)?$`)
)

// ParseDate reads a date written as 2026-11-24.
func ParseDate(text string) (Value, bool) {
	// Nearly all dates have a year of four digits: those are read without the pattern, which takes longer.
	if len(text) == len("2026-11-24") && text[4] == '-' && text[7] == '-' {
		year, one := digits(text[:4])
		month, two := digits(text[5:7])
		day, three := digits(text[8:])
		if one && two && three {
			return DateOf(year, month, day)
		}
	}
	m := datePattern.FindStringSubmatch(text)
	if m == nil {
		return NullValue, false
	}
	return DateOf(integerIn(m[1]), integerIn(m[2]), integerIn(m[3]))
}

// digits reads a number of digits only.
func digits(text string) (n int64, ok bool) {
	for _, c := range []byte(text) {
		if c < '0' || c > '9' {
			return 0, false
		}
		n = 10*n + int64(c-'0')
	}
	return n, true
}

func integerIn(text string) int64 {
	i, _ := strconv.ParseInt(text, 10, 64)
	return i
}

// parseTime reads a time of day: 14:30:00, 14:30:00.5Z, 14:30:00+01:00.
func parseTime(text string) (Value, bool) {
	m := timePattern.FindStringSubmatch(text)
	if m == nil {
		return NullValue, false
	}
	hour, minute, second := integerIn(m[1]), integerIn(m[2]), integerIn(m[3])
	if hour > 23 || minute > 59 || second > 59 {
		return NullValue, false
	}
	seconds := decimal.FromInt(hour*3600 + minute*60 + second)
	if m[4] != "" {
		seconds, _ = seconds.Add(decimal.MustParse("0" + m[4]))
	}
	zone, ok := parseZone(m[5])
	if !ok {
		return NullValue, false
	}
	return zoned(Time, seconds, zone), true
}

// ParseDateTime reads a date and time written as 2026-11-24T14:30:00, with or without a zone.
func ParseDateTime(text string) (Value, bool) {
	datePart, timePart, found := strings.Cut(text, "T")
	if !found {
		return NullValue, false
	}
	date, ok := ParseDate(datePart)
	clock, okTime := parseTime(timePart)
	if !ok || !okTime {
		return NullValue, false
	}
	return joinDateTime(date, clock), true
}

func joinDateTime(date, clock Value) Value {
	seconds, _ := decimal.FromInt(date.integer() * secondsPerDay).Add(clock.number)
	return zoned(DateTime, seconds, clock.zone())
}

// parseDuration reads P1DT2H (days and time) or P1Y2M (years and months).
func parseDuration(text string) (Value, bool) {
	if m := yearMonthPattern.FindStringSubmatch(text); m != nil && (m[2] != "" || m[3] != "") {
		if len(m[2]) > 9 || len(m[3]) > 11 {
			return NullValue, false
		}
		months := integerIn(m[2])*12 + integerIn(m[3])
		if m[1] != "" {
			months = -months
		}
		return Value{kind: YearMonthDuration, number: decimal.FromInt(months)}, true
	}
	m := dayTimePattern.FindStringSubmatch(text)
	if m == nil || m[2]+m[4]+m[5]+m[6] == "" || m[3] == "T" {
		return NullValue, false
	}
	total := decimal.Zero
	for i, unit := range map[int]int64{2: secondsPerDay, 4: 3600, 5: 60, 6: 1} {
		if m[i] == "" {
			continue
		}
		n, err := decimal.Parse(m[i])
		if err != nil || len(m[i]) > 20 {
			return NullValue, false
		}
		part, _ := n.Mul(decimal.FromInt(unit))
		total, _ = total.Add(part)
	}
	if m[1] != "" {
		total = total.Neg()
	}
	return Value{kind: DayTimeDuration, number: total}, true
}

// parseTemporal reads the text of an @-literal: any date, time or duration.
func parseTemporal(text string) (Value, bool) {
	for _, parse := range []func(string) (Value, bool){ParseDate, ParseDateTime, parseTime, parseDuration} {
		if v, ok := parse(text); ok {
			return v, true
		}
	}
	return NullValue, false
}

func writeTemporal(v Value) string {
	switch v.kind {
	case Date:
		return writeDate(v.integer())
	case Time:
		return writeTime(v.number) + writeZone(v.zone())
	case DateTime:
		days, rest := splitDays(v.number)
		return writeDate(days) + "T" + writeTime(rest) + writeZone(v.zone())
	case YearMonthDuration:
		return writeYearMonth(v.integer())
	}
	return writeDayTime(v.number)
}

func writeDate(days int64) string {
	y, m, d := civilFromDays(days)
	if y < 0 {
		return fmt.Sprintf("-%04d-%02d-%02d", -y, m, d)
	}
	return fmt.Sprintf("%04d-%02d-%02d", y, m, d)
}

func writeTime(seconds decimal.Number) string {
	whole, _ := seconds.Round(0, decimal.Floor).Int64()
	text := fmt.Sprintf("%02d:%02d:%02d", whole/3600, whole/60%60, whole%60)
	if _, fraction, found := strings.Cut(seconds.String(), "."); found {
		text += "." + fraction
	}
	return text
}

func writeYearMonth(months int64) string {
	sign := ""
	if months < 0 {
		sign, months = "-", -months
	}
	text := sign + "P"
	if months/12 != 0 {
		text += fmt.Sprintf("%dY", months/12)
	}
	if months%12 != 0 || months == 0 {
		text += fmt.Sprintf("%dM", months%12)
	}
	return text
}

func writeDayTime(seconds decimal.Number) string {
	if seconds.Sign() == 0 {
		return "PT0S"
	}
	sign := ""
	if seconds.Sign() < 0 {
		sign, seconds = "-", seconds.Neg()
	}
	days, rest := splitDays(seconds)
	text := sign + "P"
	if days != 0 {
		text += fmt.Sprintf("%dD", days)
	}
	whole, _ := rest.Round(0, decimal.Floor).Int64()
	last, _ := rest.Sub(decimal.FromInt(whole / 60 * 60))
	if rest.Sign() != 0 {
		text += "T"
	}
	if whole/3600 != 0 {
		text += fmt.Sprintf("%dH", whole/3600)
	}
	if whole/60%60 != 0 {
		text += fmt.Sprintf("%dM", whole/60%60)
	}
	if last.Sign() != 0 {
		text += last.String() + "S"
	}
	return text
}

// Weekday returns the day of the week of a date, 1 for Monday to 7 for Sunday; 0 for
// any other value.
func (v Value) Weekday() int {
	if v.kind != Date {
		return 0
	}
	return int(weekday(v.integer()))
}

// PlusDays returns the date so many days later; null for what is no date.
func (v Value) PlusDays(days int64) Value {
	if v.kind != Date {
		return NullValue
	}
	moved, _ := inRange(v.integer() + days)
	return moved
}

// midnight is the first moment of a date, in UTC (DMN 1.5, section 10.3.2.9.4).
func midnight(date Value) Value {
	return joinDateTime(date, zoned(Time, decimal.Zero, &Zone{}))
}
