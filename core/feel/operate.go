package feel

import "codicil/core/decimal"

func isDuration(k Kind) bool { return k == DayTimeDuration || k == YearMonthDuration }

func isMoment(k Kind) bool { return k == Date || k == DateTime || k == Time }

// arithmeticType returns the type of left operator right; false when there is no
// such operation (DMN 1.5, tables 56 to 61).
func arithmeticType(operator string, left, right Type) (Type, bool) {
	l, r := left.Kind, right.Kind
	if l == Any || r == Any || l == Null || r == Null {
		return AnyType, true
	}
	result, ok := arithmeticKind(operator, l, r)
	return Type{Kind: result}, ok
}

func arithmeticKind(operator string, l, r Kind) (Kind, bool) {
	switch operator {
	case "+":
		switch {
		case l == r && (l == Number || l == String || isDuration(l)):
			return l, true
		case isMoment(l) && isDuration(r):
			return l, l != Time || r == DayTimeDuration
		case isDuration(l) && isMoment(r):
			return r, r != Time || l == DayTimeDuration
		}
	case "-":
		switch {
		case l == r && (l == Number || isDuration(l)):
			return l, true
		case l == r && isMoment(l), l == DateTime && r == Date, l == Date && r == DateTime:
			return DayTimeDuration, true
		case isMoment(l) && isDuration(r):
			return l, l != Time || r == DayTimeDuration
		}
	case "*":
		switch {
		case l == Number && (r == Number || isDuration(r)):
			return r, true
		case isDuration(l) && r == Number:
			return l, true
		}
	case "/":
		switch {
		case l == r && (l == Number || isDuration(l)):
			return Number, true
		case isDuration(l) && r == Number:
			return l, true
		}
	case "**":
		return Number, l == Number && r == Number
	}
	return Any, false
}

// arithmetic applies + - * / **. A null operand gives null; anything else that
// has no result gives null and says why.
func arithmetic(operator string, a, b Value) (v Value, failure string) {
	if a.IsNull() || b.IsNull() {
		return NullValue, ""
	}
	kind, ok := arithmeticKind(operator, a.kind, b.kind)
	if !ok {
		return NullValue, "a " + a.kind.String() + " " + operator + " a " + b.kind.String() + " cannot be computed"
	}
	if kind == String {
		return StringOf(a.text() + b.text()), ""
	}
	switch {
	case isMoment(a.kind) && isDuration(b.kind):
		if operator == "-" {
			b.number = b.number.Neg()
		}
		return shift(a, b)
	case isDuration(a.kind) && isMoment(b.kind):
		return shift(b, a)
	case isMoment(a.kind):
		if a.kind == b.kind && (a.zone() == nil) != (b.zone() == nil) {
			return NullValue, "only one of the two has a time zone"
		}
		return elapsed(a, b), ""
	}
	var n decimal.Number
	switch operator {
	case "+":
		n, ok = a.number.Add(b.number)
	case "-":
		n, ok = a.number.Sub(b.number)
	case "*":
		n, ok = a.number.Mul(b.number)
	case "/":
		if b.number.Sign() == 0 {
			return NullValue, "division by zero"
		}
		n, ok = a.number.Quo(b.number)
	case "**":
		n, ok = a.number.Pow(b.number)
	}
	if !ok {
		return NullValue, "the result is out of range"
	}
	if kind == YearMonthDuration {
		n = n.Round(0, decimal.Down) // months are whole
	}
	return Value{kind: kind, number: n}, ""
}

// shift moves a date, time, or date and time by a duration.
func shift(moment, duration Value) (Value, string) {
	const outside = "the date is out of range"
	if duration.kind == YearMonthDuration {
		days, rest := moment.integer(), decimal.Zero
		if moment.kind == DateTime {
			days, rest = splitDays(moment.number)
		}
		moved, ok := addMonths(days, duration.integer())
		if !ok {
			return NullValue, outside
		}
		if moment.kind == Date {
			return dateOfDays(moved), ""
		}
		seconds, _ := decimal.FromInt(moved * secondsPerDay).Add(rest)
		return zoned(DateTime, seconds, moment.zone()), ""
	}
	if zone := moment.zone(); moment.kind == DateTime && zone != nil && zone.Name != "" {
		return shiftInZone(moment, duration, zone)
	}
	if moment.kind == Date {
		moment.number, _ = moment.number.Mul(decimal.FromInt(secondsPerDay))
	}
	seconds, ok := moment.number.Add(duration.number)
	if !ok {
		return NullValue, outside
	}
	switch moment.kind {
	case Time:
		_, seconds = splitDays(seconds)
		return zoned(Time, seconds, moment.zone()), ""
	case Date:
		return dateInRange(seconds)
	}
	if _, failure := dateInRange(seconds); failure != "" {
		return NullValue, failure
	}
	return zoned(DateTime, seconds, moment.zone()), ""
}

// shiftInZone moves a date and time of a named zone by the time that passes, so that
// a day on which the clocks change has 23 or 25 hours.
func shiftInZone(moment, duration Value, zone *Zone) (Value, string) {
	instant := moment.number.Minus(decimal.FromInt(zone.Offset))
	instant, ok := instant.Add(duration.number)
	if !ok {
		return NullValue, "the date is out of range"
	}
	if _, failure := dateInRange(instant); failure != "" {
		return NullValue, failure
	}
	whole, _ := instant.Round(0, decimal.Floor).Int64()
	offset := zone.offsetAt(whole)
	return Value{kind: DateTime, number: instant.Plus(decimal.FromInt(offset)), object: &Zone{Name: zone.Name, Offset: offset}}, ""
}

var (
	firstDay = daysFromCivil(-yearLimit, 1, 1)
	lastDay  = daysFromCivil(yearLimit, 12, 31)
)

func dateInRange(seconds decimal.Number) (Value, string) {
	if seconds.Abs().Cmp(decimal.FromInt(lastDay*secondsPerDay)) > 0 {
		return NullValue, "the date is out of range"
	}
	days, _ := splitDays(seconds)
	return inRange(days)
}

func inRange(days int64) (Value, string) {
	if days < firstDay || days > lastDay {
		return NullValue, "the date is out of range"
	}
	return dateOfDays(days), ""
}

// elapsed returns the duration from b to a; a date counts as its midnight.
func elapsed(a, b Value) Value {
	seconds := func(v Value) decimal.Number {
		n := v.number
		if v.kind == Date {
			n, _ = n.Mul(decimal.FromInt(secondsPerDay))
		}
		if a.zone() != nil && b.zone() != nil {
			n, _ = n.Sub(decimal.FromInt(v.zone().Offset))
		}
		return n
	}
	n, _ := seconds(a).Sub(seconds(b))
	return Value{kind: DayTimeDuration, number: n}
}

// properties are the parts of dates, times and durations (DMN 1.5, table 65), and of ranges.
var properties = map[Kind]map[string]Kind{
	Date: {"year": Number, "month": Number, "day": Number, "weekday": Number},
	DateTime: {"year": Number, "month": Number, "day": Number, "weekday": Number, "hour": Number, "minute": Number,
		"second": Number, "time offset": DayTimeDuration, "timezone": String},
	Time:              {"hour": Number, "minute": Number, "second": Number, "time offset": DayTimeDuration, "timezone": String},
	DayTimeDuration:   {"days": Number, "hours": Number, "minutes": Number, "seconds": Number},
	YearMonthDuration: {"years": Number, "months": Number},
	Range:             {"start": Any, "end": Any, "start included": Boolean, "end included": Boolean},
}

// memberOf is v.member: an entry of a context, a property, or that of every item of a
// list. It is null of null, and false of what has no such member.
func memberOf(v Value, member string) (Value, bool) {
	switch v.kind {
	case Null:
		return NullValue, true
	case Context:
		return v.entries().Get(member)
	case List:
		items := make([]Value, len(v.items()))
		for i, item := range v.items() {
			items[i], _ = memberOf(item, member)
		}
		return ListOf(items), true
	}
	if _, found := properties[v.kind][member]; !found {
		return NullValue, false
	}
	return property(v, member), true
}

// property returns a part of a date, time, duration or range; null where the value
// has none, as a time without a zone.
func property(v Value, member string) Value {
	switch v.kind {
	case Date, DateTime:
		year, month, day, _ := v.Civil()
		switch member {
		case "year":
			return IntegerOf(year)
		case "month":
			return IntegerOf(month)
		case "day":
			return IntegerOf(day)
		case "weekday":
			return IntegerOf(weekday(daysFromCivil(year, month, day)))
		}
		if v.kind == DateTime {
			_, rest := splitDays(v.number)
			return timeMember(rest, v.zone(), member)
		}
	case Time:
		return timeMember(v.number, v.zone(), member)
	case YearMonthDuration:
		months := v.integer()
		switch member {
		case "years":
			return IntegerOf(months / 12)
		case "months":
			return IntegerOf(months % 12)
		}
	case DayTimeDuration:
		return durationMember(v.number, member)
	case Range:
		b := v.bounds()
		switch member {
		case "start":
			return b.Low
		case "end":
			return b.High
		case "start included":
			return BooleanOf(!b.LowOpen)
		case "end included":
			return BooleanOf(!b.HighOpen)
		}
	}
	return NullValue
}

// weekday counts from Monday, 1, to Sunday, 7.
func weekday(days int64) int64 { return days + 3 - floorDiv(days+3, 7)*7 + 1 }

func timeMember(seconds decimal.Number, zone *Zone, member string) Value {
	whole, _ := seconds.Round(0, decimal.Floor).Int64()
	switch member {
	case "hour":
		return IntegerOf(whole / 3600)
	case "minute":
		return IntegerOf(whole / 60 % 60)
	case "second":
		second, _ := seconds.Sub(decimal.FromInt(whole / 60 * 60))
		return NumberOf(second)
	case "time offset":
		if zone != nil && zone.Name == "" {
			return Value{kind: DayTimeDuration, number: decimal.FromInt(zone.Offset)}
		}
	case "timezone":
		if zone != nil && zone.Name != "" {
			return StringOf(zone.Name)
		}
	}
	return NullValue
}

func durationMember(seconds decimal.Number, member string) Value {
	negative := seconds.Sign() < 0
	days, rest := splitDays(seconds.Abs())
	whole, _ := rest.Round(0, decimal.Floor).Int64()
	var n decimal.Number
	switch member {
	case "days":
		n = decimal.FromInt(days)
	case "hours":
		n = decimal.FromInt(whole / 3600)
	case "minutes":
		n = decimal.FromInt(whole / 60 % 60)
	case "seconds":
		n, _ = rest.Sub(decimal.FromInt(whole / 60 * 60))
	default:
		return NullValue
	}
	if negative {
		n = n.Neg()
	}
	return NumberOf(n)
}
