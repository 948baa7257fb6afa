package feel

import (
	"slices"
	"strings"

	"codicil/core/decimal"
)

// conversionFunctions are those of DMN 1.5, section 10.3.4.1, and not() of 10.3.4.2.
var conversionFunctions = []builtin{
	{name: "number", forms: one(text("from"), maybe(text("grouping separator")), maybe(text("decimal separator"))), result: always(Number), takesNull: true, run: toNumber,
		help: "Reads a text as a number.", example: `number("1 200,5", " ", ",") = 1200.5`},
	{name: "string", forms: one(anything("from")), result: always(String),
		run: func(f *Frame, n Node, a []Value) Value {
			f.spend(n, a[0].weight())
			return StringOf(a[0].Plain())
		},
		help: "Writes any value as a text.", example: `string(1.1) = "1.1"`},
	{name: "date", forms: [][]parameter{{text("from")}, {of("from", DateTime)}, {day("from")}, {number("year"), number("month"), number("day")}}, result: always(Date), run: toDate,
		help: "Makes a date from a text, from year, month and day, or from a date and time.", example: `date(2026, 11, 24) = @"2026-11-24"`},
	{name: "date and time", forms: [][]parameter{{text("from")}, {day("date"), of("time", Time)}, {of("date", DateTime), of("time", Time)},
		{number("year"), number("month"), number("day"), number("hour"), number("minute"), number("second")},
		{number("year"), number("month"), number("day"), number("hour"), number("minute"), number("second"), of("offset", DayTimeDuration)},
		{number("year"), number("month"), number("day"), number("hour"), number("minute"), number("second"), text("timezone")}},
		result: always(DateTime), takesNull: true, run: toDateTime,
		help: "Makes a date with a time of day.", example: `date and time("2026-11-24T08:30:00") = @"2026-11-24T08:30:00"`},
	{name: "time", forms: [][]parameter{{text("from")}, {of("from", Time)}, {of("from", DateTime)}, {day("from")}, {number("hour"), number("minute"), number("second"), maybe(of("offset", DayTimeDuration))}}, result: always(Time), takesNull: true, run: toTime,
		help: "Makes a time of day.", example: `time(8, 30, 0) = @"08:30:00"`},
	{name: "duration", forms: one(text("from")), result: always(Any), run: toDuration,
		help: "Reads a duration: P14D, PT2H, P1Y6M.", example: `duration("P14D") = @"P14D"`},
	{name: "years and months duration", forms: one(anything("from"), anything("to")), result: always(YearMonthDuration), run: monthsBetween,
		help: "The whole months from one date to another.", example: `years and months duration(@"2026-01-31", @"2026-12-01") = @"P10M"`},
}

// booleanFunctions are those of DMN 1.5, section 10.3.4.2, and all() and any() over lists.
var booleanFunctions = []builtin{
	{name: "not", forms: one(of("negand", Boolean)), result: always(Boolean), takesNull: true, run: func(_ *Frame, _ Node, a []Value) Value {
		if a[0].kind != Boolean {
			return NullValue
		}
		return BooleanOf(!a[0].IsTrue())
	}, help: "Turns true into false and false into true.", example: `not(1 > 2) = true`},
	{name: "all", forms: [][]parameter{{list("list")}, {many(of("condition", Boolean))}}, result: always(Boolean), takesNull: true, run: overAll(yes, truth.and),
		help: "Whether every condition is true.", example: `all([1 < 2, 2 < 3]) = true`},
	{name: "any", forms: [][]parameter{{list("list")}, {many(of("condition", Boolean))}}, result: always(Boolean), takesNull: true, run: overAll(no, truth.or),
		help: "Whether at least one condition is true.", example: `any([1 > 2, 2 < 3]) = true`},
}

func overAll(start truth, join func(truth, truth) truth) run {
	return func(f *Frame, n Node, a []Value) Value {
		result := start
		for _, item := range itemsOf(a) {
			result = join(result, f.asTruth(n, item))
		}
		return result.value()
	}
}

// longestNumber is how many characters a text may have that is read as a number.
const longestNumber = 1000

func toNumber(f *Frame, n Node, a []Value) Value {
	if a[0].kind != String {
		return NullValue
	}
	s := a[0].text()
	separators := make([]string, 2)
	for i, allowed := range []string{" .,", ".,"} {
		if i+1 >= len(a) || a[i+1].IsNull() {
			continue
		}
		separators[i], _ = a[i+1].Text()
		if len(separators[i]) != 1 || !strings.Contains(allowed, separators[i]) {
			return f.fail(n, `the grouping separator is " ", "," or ".", the decimal separator "." or ","`)
		}
	}
	if separators[0] != "" && separators[0] == separators[1] {
		return f.fail(n, "the two separators must differ")
	}
	if len(s) > longestNumber {
		return f.fail(n, "this is too long for a number")
	}
	if grouping := separators[0]; grouping != "" {
		s = strings.ReplaceAll(s, grouping, "")
	}
	if point := separators[1]; point == "," {
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
		n, ok := v.number.Int64()
		if !ok || v.kind != Number {
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

// hasNull tells whether one of the values is null.
func hasNull(values []Value) bool { return slices.ContainsFunc(values, Value.IsNull) }

func toDateTime(f *Frame, n Node, a []Value) Value {
	switch {
	case hasNull(a[:min(len(a), 6)]):
		return NullValue
	case len(a) == 1 && a[0].kind == String:
		if v, ok := ParseDateTime(a[0].text()); ok {
			return v
		}
		if d, ok := ParseDate(a[0].text()); ok {
			return joinDateTime(d, Value{kind: Time})
		}
	case len(a) == 1 && a[0].kind == DateTime:
		return a[0]
	case len(a) == 2:
		if d := dateIn(a[0]); d.kind == Date && a[1].kind == Time {
			return joinDateTime(d, a[1])
		}
		return f.fail(n, "a date and a time are needed")
	case len(a) >= 6:
		d := toDate(f, n, a[:3])
		if d.IsNull() {
			return d
		}
		clock := toTime(f, n, a[3:6])
		if clock.IsNull() {
			return clock
		}
		if len(a) == 7 {
			zone, ok := zoneFrom(a[6])
			if !ok {
				return f.fail(n, "there is no time zone "+a[6].String())
			}
			clock = zoned(Time, clock.number, zone)
		}
		return joinDateTime(d, clock)
	}
	return f.fail(n, quote(a[0].Plain())+" is no date and time: write it as 2026-11-24T08:30:00")
}

// zoneFrom reads an offset or the name of a zone; null is none.
func zoneFrom(v Value) (*Zone, bool) {
	switch v.kind {
	case Null:
		return nil, true
	case DayTimeDuration:
		seconds, whole := v.number.Int64()
		return &Zone{Offset: seconds}, whole && seconds <= maxOffset && seconds >= -maxOffset
	case String:
		if v.text() == "" {
			return nil, false
		}
		if strings.ContainsAny(v.text()[:1], "Z+-") {
			if !zonePattern.MatchString(v.text()) {
				return nil, false
			}
			return parseZone(v.text())
		}
		return parseZone("@" + v.text())
	}
	return nil, false
}

func toTime(f *Frame, n Node, a []Value) Value {
	if hasNull(a[:min(len(a), 3)]) {
		return NullValue
	}
	if len(a) == 1 {
		switch a[0].kind {
		case String:
			if v, ok := parseTime(a[0].text()); ok {
				return v
			}
		case Time:
			return a[0]
		case DateTime:
			_, rest := splitDays(a[0].number)
			return zoned(Time, rest, a[0].zone())
		case Date:
			return zoned(Time, decimal.Zero, &Zone{})
		}
		return f.fail(n, quote(a[0].Plain())+" is no time: write it as 08:30:00")
	}
	parts, whole := integers(a[:2])
	second, isNumber := a[2].Number()
	if !whole || !isNumber || parts[0] < 0 || parts[0] > 23 || parts[1] < 0 || parts[1] > 59 || second.Sign() < 0 || second.Cmp(decimal.FromInt(60)) >= 0 {
		return f.fail(n, "there is no such time of day")
	}
	seconds, _ := decimal.FromInt(parts[0]*3600 + parts[1]*60).Add(second.Round(9, decimal.Down))
	if len(a) == 4 {
		zone, ok := zoneFrom(a[3])
		if !ok {
			return f.fail(n, "an offset is at most 14 hours")
		}
		return zoned(Time, seconds, zone)
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
