package feel

import (
	"strings"
	"unicode/utf8"

	"codicil/core/decimal"
)

func isBlank(v Value) bool {
	switch v.kind {
	case Null:
		return true
	case String:
		return strings.TrimSpace(v.text()) == ""
	case List:
		return len(v.items()) == 0
	}
	return false
}

func onText(run func(string) Value) func(*Frame, Node, []Value) Value {
	return func(f *Frame, n Node, a []Value) Value {
		if a[0].kind != String {
			return f.fail(n, "a text is needed; this is a "+a[0].kind.String())
		}
		return run(a[0].text())
	}
}

func onTexts(run func(s, match string) Value) func(*Frame, Node, []Value) Value {
	return func(f *Frame, n Node, a []Value) Value {
		if a[0].kind != String || a[1].kind != String {
			return f.fail(n, "two texts are needed")
		}
		return run(a[0].text(), a[1].text())
	}
}

func onDay(run func(days int64) Value) func(*Frame, Node, []Value) Value {
	return func(f *Frame, n Node, a []Value) Value {
		if a[0].kind != Date && a[0].kind != DateTime {
			return f.fail(n, "a date is needed; this is a "+a[0].kind.String())
		}
		return run(dateIn(a[0]).integer())
	}
}

// dateIn returns the date of a date or a date and time; null for anything else.
func dateIn(v Value) Value {
	switch v.kind {
	case Date:
		return v
	case DateTime:
		days, _ := splitDays(v.number)
		return dateOfDays(days)
	}
	return NullValue
}

func toNumber(f *Frame, n Node, a []Value) Value {
	if a[0].kind != String {
		return NullValue
	}
	s := a[0].text()
	separators := make([]string, 2)
	for i := range separators {
		if i+1 < len(a) && a[i+1].kind == String {
			separators[i] = a[i+1].text()
		}
	}
	if grouping := separators[0]; grouping != "" {
		s = strings.ReplaceAll(s, grouping, "")
	}
	if point := separators[1]; point != "" && point != "." {
		if strings.Contains(s, ".") {
			return f.fail(n, quote(a[0].text())+" is no number")
		}
		s = strings.ReplaceAll(s, point, ".")
	}
	number, err := decimal.Parse(s)
	if err != nil {
		return f.fail(n, quote(a[0].text())+" is no number")
	}
	return NumberOf(number)
}

// integers returns whole numbers; false when one is not.
func integers(values []Value) ([]int64, bool) {
	whole := make([]int64, len(values))
	for i, v := range values {
		if v.kind != Number {
			return nil, false
		}
		n, ok := v.number.Int64()
		if !ok {
			return nil, false
		}
		whole[i] = n
	}
	return whole, true
}

func toDate(f *Frame, n Node, a []Value) Value {
	if len(a) == 3 {
		parts, whole := integers(a)
		if !whole {
			return f.fail(n, "year, month and day must be whole numbers")
		}
		if d, ok := DateOf(parts[0], parts[1], parts[2]); ok {
			return d
		}
		return f.fail(n, "there is no such day")
	}
	if a[0].kind == String {
		if d, ok := ParseDate(a[0].text()); ok {
			return d
		}
		return f.fail(n, quote(a[0].text())+" is no date: write it as 2026-11-24")
	}
	if d := dateIn(a[0]); !d.IsNull() {
		return d
	}
	return f.fail(n, "a "+a[0].kind.String()+" has no date in it")
}

func toDateTime(f *Frame, n Node, a []Value) Value {
	if len(a) == 2 {
		if d := dateIn(a[0]); d.kind == Date && a[1].kind == Time {
			return joinDateTime(d, a[1])
		}
		return f.fail(n, "a date and a time are needed")
	}
	if a[0].kind == String {
		if v, ok := parseDateTime(a[0].text()); ok {
			return v
		}
		if d, ok := ParseDate(a[0].text()); ok {
			return joinDateTime(d, Value{kind: Time})
		}
	}
	return f.fail(n, quote(a[0].Plain())+" is no date and time: write it as 2026-11-24T08:30:00")
}

func toTime(f *Frame, n Node, a []Value) Value {
	if a[0].IsNull() || (len(a) > 1 && (a[1].IsNull() || a[2].IsNull())) {
		return NullValue
	}
	if len(a) == 1 {
		switch a[0].kind {
		case String:
			if v, ok := parseTime(a[0].text()); ok {
				return v
			}
		case DateTime:
			_, rest := splitDays(a[0].number)
			return zoned(Time, rest, a[0].zone())
		}
		return f.fail(n, quote(a[0].Plain())+" is no time: write it as 08:30:00")
	}
	parts, whole := integers(a[:2])
	second, isNumber := a[2].Number()
	if !whole || !isNumber || parts[0] < 0 || parts[0] > 23 || parts[1] < 0 || parts[1] > 59 || second.Sign() < 0 || second.Cmp(decimal.FromInt(60)) >= 0 {
		return f.fail(n, "there is no such time of day")
	}
	seconds, _ := decimal.FromInt(parts[0]*3600 + parts[1]*60).Add(second)
	if len(a) == 4 && a[3].kind == DayTimeDuration {
		return zoned(Time, seconds, &Zone{Offset: a[3].integer()})
	}
	return zoned(Time, seconds, nil)
}

func toDuration(f *Frame, n Node, a []Value) Value {
	if a[0].kind == String {
		if v, ok := parseDuration(a[0].text()); ok {
			return v
		}
	}
	return f.fail(n, quote(a[0].Plain())+" is no duration: write P14D for days, PT2H for hours, P1Y6M for years and months")
}

func monthsBetween(f *Frame, n Node, a []Value) Value {
	from, to := dateIn(a[0]), dateIn(a[1])
	if from.IsNull() || to.IsNull() {
		return f.fail(n, "two dates are needed")
	}
	y1, m1, d1 := civilFromDays(from.integer())
	y2, m2, d2 := civilFromDays(to.integer())
	months := (y2-y1)*12 + m2 - m1
	if months > 0 && d2 < d1 {
		months--
	} else if months < 0 && d2 > d1 {
		months++
	}
	return Value{kind: YearMonthDuration, number: decimal.FromInt(months)}
}

func substring(f *Frame, n Node, a []Value) Value {
	if a[0].kind != String || a[1].kind != Number {
		return NullValue
	}
	runes := []rune(a[0].text())
	start, whole := a[1].number.Int64()
	length := int64(utf8.RuneCountInString(a[0].text()))
	if !whole || start == 0 || start > length || start < -length {
		return f.fail(n, "the start position must be a whole number inside the text")
	}
	if start < 0 {
		start += length + 1
	}
	end := length
	if len(a) == 3 && a[2].kind == Number {
		count, whole := a[2].number.Int64()
		if !whole || count < 1 {
			return f.fail(n, "the length must be a whole number of at least 1")
		}
		end = min(length, start-1+min(count, length))
	}
	return StringOf(string(runes[start-1 : end]))
}

func sum(f *Frame, n Node, a []Value) Value {
	items := itemsOf(a)
	if len(items) == 0 {
		return NullValue
	}
	total := decimal.Zero
	for _, item := range items {
		if item.kind == Null {
			return NullValue // a blank operand is no failure
		}
		if item.kind != Number {
			return f.fail(n, "sum needs numbers; one is "+item.kind.String())
		}
		var ok bool
		if total, ok = total.Add(item.number); !ok {
			return f.fail(n, "the sum is out of range")
		}
	}
	return NumberOf(total)
}

func extreme(sign int) func(*Frame, Node, []Value) Value {
	return func(f *Frame, n Node, a []Value) Value {
		items := itemsOf(a)
		if len(items) == 0 {
			return NullValue
		}
		best := items[0]
		for _, item := range items[1:] {
			c, ok := Order(item, best)
			if !ok {
				return f.fail(n, "these values have no common order")
			}
			if c*sign > 0 {
				best = item
			}
		}
		return best
	}
}

func rounding(mode decimal.Mode) func(*Frame, Node, []Value) Value {
	return func(f *Frame, n Node, a []Value) Value {
		places := int64(0)
		if len(a) > 1 {
			whole := false
			places, whole = a[1].number.Int64()
			if a[1].kind != Number || !whole || places > decimal.MaxPlaces || places < -decimal.MaxPlaces {
				return f.fail(n, "the scale must be a whole number of places")
			}
		}
		if a[0].kind != Number {
			return f.fail(n, "only a number can be rounded")
		}
		return NumberOf(a[0].number.Round(int(places), mode))
	}
}

func modulo(f *Frame, n Node, a []Value) Value {
	if a[0].kind != Number || a[1].kind != Number {
		return f.fail(n, "modulo needs two numbers")
	}
	quotient, ok := a[0].number.Quo(a[1].number)
	if !ok {
		return f.fail(n, "division by zero")
	}
	// dividend - divisor * floor(dividend / divisor), DMN 1.5, table 76
	whole, _ := a[1].number.Mul(quotient.Round(0, decimal.Floor))
	rest, _ := a[0].number.Sub(whole)
	return NumberOf(rest)
}

// wholeDays reads date and count of a function that moves a date.
func wholeDays(f *Frame, n Node, a []Value) (days, count int64, ok bool) {
	d := dateIn(a[0])
	count, whole := a[1].number.Int64()
	if d.IsNull() || a[1].kind != Number || !whole || count > 4e6 || count < -4e6 {
		f.fail(n, "a date and a whole number are needed")
		return 0, 0, false
	}
	return d.integer(), count, true
}

func addDays(f *Frame, n Node, a []Value) Value {
	days, count, ok := wholeDays(f, n, a)
	if !ok {
		return NullValue
	}
	v, failure := inRange(days + count)
	if failure != "" {
		return f.fail(n, failure)
	}
	return v
}

func addMonthsTo(f *Frame, n Node, a []Value) Value {
	days, count, ok := wholeDays(f, n, a)
	if !ok {
		return NullValue
	}
	moved, ok := addMonths(days, count)
	if !ok {
		return f.fail(n, "the date is out of range")
	}
	return dateOfDays(moved)
}

// mostWorkdays is how far workdays of a calendar are counted, one by one: more than
// seventy years.
const mostWorkdays = 20000

// walkWorkdays goes on day by day until so many were worked.
func (f *Frame) walkWorkdays(n Node, days, step, count int64) Value {
	for walked := int64(0); walked < 8*mostWorkdays && count <= mostWorkdays; walked++ {
		days += step
		date, failure := inRange(days)
		if failure != "" {
			return f.fail(n, failure)
		}
		if f.Workday(date) {
			if count--; count == 0 {
				return date
			}
		}
	}
	return f.fail(n, "these are too many workdays to count")
}

func addWorkdays(f *Frame, n Node, a []Value) Value {
	days, count, ok := wholeDays(f, n, a)
	if !ok {
		return NullValue
	}
	if count == 0 {
		return a[0]
	}
	step := int64(1)
	if count < 0 {
		step, count = -1, -count
	}
	if f.Workday != nil {
		return f.walkWorkdays(n, days, step, count)
	}
	for weekday(days) > 5 { // from a weekend, count from the workday before it
		days -= step
	}
	days += count / 5 * 7 * step
	for rest := count % 5; rest > 0; {
		days += step
		if weekday(days) <= 5 {
			rest--
		}
	}
	v, failure := inRange(days)
	if failure != "" {
		return f.fail(n, failure)
	}
	return v
}
