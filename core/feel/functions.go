package feel

import (
	"slices"
	"strings"
	"unicode/utf8"

	"codicil/core/decimal"
)

// functions are the built-in functions: those of DMN 1.5, section 10.3.4, that
// are read so far, and at the end our own.
var functions = []builtin{
	{name: "number", forms: one(text("from"), maybe(text("grouping separator")), maybe(text("decimal separator"))), result: always(Number), takesNull: true, run: toNumber,
		help: "Reads a text as a number.", example: `number("1 200,5", " ", ",") = 1200.5`},
	{name: "string", forms: one(anything("from")), result: always(String),
		run:  func(_ *Frame, _ Node, a []Value) Value { return StringOf(a[0].Plain()) },
		help: "Writes any value as a text.", example: `string(1.1) = "1.1"`},
	{name: "date", forms: [][]parameter{{text("from")}, {of("from", DateTime)}, {day("from")}, {number("year"), number("month"), number("day")}}, result: always(Date), run: toDate,
		help: "Makes a date from a text, from year, month and day, or from a date and time.", example: `date(2026, 11, 24) = @"2026-11-24"`},
	{name: "date and time", forms: [][]parameter{{text("from")}, {day("date"), of("time", Time)}, {of("date", DateTime), of("time", Time)}}, result: always(DateTime), run: toDateTime,
		help: "Makes a date with a time of day.", example: `date and time("2026-11-24T08:30:00") = @"2026-11-24T08:30:00"`},
	{name: "time", forms: [][]parameter{{text("from")}, {of("from", DateTime)}, {number("hour"), number("minute"), number("second"), maybe(of("offset", DayTimeDuration))}}, result: always(Time), takesNull: true, run: toTime,
		help: "Makes a time of day.", example: `time(8, 30, 0) = @"08:30:00"`},
	{name: "duration", forms: one(text("from")), result: always(Any), run: toDuration,
		help: "Reads a duration: P14D, PT2H, P1Y6M.", example: `duration("P14D") = @"P14D"`},
	{name: "years and months duration", forms: one(anything("from"), anything("to")), result: always(YearMonthDuration), run: monthsBetween,
		help: "The whole months from one date to another.", example: `years and months duration(@"2026-01-31", @"2026-12-01") = @"P10M"`},

	{name: "not", forms: one(of("negand", Boolean)), result: always(Boolean), takesNull: true, run: func(_ *Frame, _ Node, a []Value) Value {
		if a[0].kind != Boolean {
			return NullValue
		}
		return BooleanOf(!a[0].IsTrue())
	}, help: "Turns true into false and false into true.", example: `not(1 > 2) = true`},

	{name: "string length", forms: one(text("string")), result: always(Number), run: onText(func(s string) Value { return IntegerOf(int64(utf8.RuneCountInString(s))) }),
		help: "The number of characters.", example: `string length("Salz") = 4`},
	{name: "upper case", forms: one(text("string")), result: always(String), run: onText(func(s string) Value { return StringOf(strings.ToUpper(s)) }),
		help: "The text in capitals.", example: `upper case("ie") = "IE"`},
	{name: "lower case", forms: one(text("string")), result: always(String), run: onText(func(s string) Value { return StringOf(strings.ToLower(s)) }),
		help: "The text in small letters.", example: `lower case("IE") = "ie"`},
	{name: "substring", forms: one(text("string"), number("start position"), maybe(number("length"))), result: always(String), takesNull: true, run: substring,
		help: "Part of a text; the first character is 1, the last -1.", example: `substring("Brinewell", 1, 5) = "Brine"`},
	{name: "substring before", forms: one(text("string"), text("match")), result: always(String), run: onTexts(func(s, match string) Value {
		before, _, found := strings.Cut(s, match)
		if !found {
			before = ""
		}
		return StringOf(before)
	}), help: "What stands before the first match.", example: `substring before("IE-7781", "-") = "IE"`},
	{name: "substring after", forms: one(text("string"), text("match")), result: always(String), run: onTexts(func(s, match string) Value {
		_, after, _ := strings.Cut(s, match)
		return StringOf(after)
	}), help: "What stands after the first match.", example: `substring after("IE-7781", "-") = "7781"`},
	{name: "contains", forms: one(text("string"), text("match")), result: always(Boolean), run: onTexts(func(s, m string) Value { return BooleanOf(strings.Contains(s, m)) }),
		help: "Whether a text has another inside.", example: `contains("sea salt", "salt") = true`},
	{name: "starts with", forms: one(text("string"), text("match")), result: always(Boolean), run: onTexts(func(s, m string) Value { return BooleanOf(strings.HasPrefix(s, m)) }),
		help: "Whether a text begins with another.", example: `starts with("IE7781", "IE") = true`},
	{name: "ends with", forms: one(text("string"), text("match")), result: always(Boolean), run: onTexts(func(s, m string) Value { return BooleanOf(strings.HasSuffix(s, m)) }),
		help: "Whether a text ends with another.", example: `ends with("Brinewell ApS", "ApS") = true`},

	{name: "list contains", forms: one(list("list"), anything("element")), result: always(Boolean), takesNull: true, run: func(_ *Frame, _ Node, a []Value) Value {
		if a[0].kind != List {
			return NullValue
		}
		return BooleanOf(slices.ContainsFunc(a[0].items(), func(v Value) bool { return Same(v, a[1]) }))
	}, help: "Whether a list has the element.", example: `list contains(["IE", "DK"], "DK") = true`},
	{name: "count", forms: one(list("list")), result: always(Number), run: func(_ *Frame, _ Node, a []Value) Value { return IntegerOf(int64(len(a[0].items()))) },
		help: "The number of items.", example: `count([1, 2, 3]) = 3`},
	{name: "sum", forms: [][]parameter{{list("list")}, {many(number("number"))}}, result: always(Number), run: sum,
		help: "The sum of numbers.", example: `sum([1.1, 2.2]) = 3.3`},
	{name: "min", forms: [][]parameter{{list("list")}, {many(anything("value"))}}, result: always(Any), run: extreme(-1),
		help: "The least value.", example: `min(3, 1, 2) = 1`},
	{name: "max", forms: [][]parameter{{list("list")}, {many(anything("value"))}}, result: always(Any), run: extreme(1),
		help: "The greatest value.", example: `max(3, 1, 2) = 3`},

	{name: "decimal", forms: one(number("n"), number("scale")), result: always(Number), run: rounding(decimal.HalfEven),
		help: "Rounds to a number of places; a tie goes to the even digit.", example: `decimal(2.345, 2) = 2.34`},
	{name: "round half up", forms: one(number("n"), number("scale")), result: always(Number), run: rounding(decimal.HalfUp),
		help: "Rounds to a number of places; a tie goes up.", example: `round half up(2.345, 2) = 2.35`},
	{name: "round up", forms: one(number("n"), number("scale")), result: always(Number), run: rounding(decimal.Up),
		help: "Rounds away from zero.", example: `round up(1.121, 2) = 1.13`},
	{name: "round down", forms: one(number("n"), number("scale")), result: always(Number), run: rounding(decimal.Down),
		help: "Rounds towards zero.", example: `round down(1.129, 2) = 1.12`},
	{name: "floor", forms: one(number("n"), maybe(number("scale"))), result: always(Number), run: rounding(decimal.Floor),
		help: "The next lower whole number.", example: `floor(1.9) = 1`},
	{name: "ceiling", forms: one(number("n"), maybe(number("scale"))), result: always(Number), run: rounding(decimal.Ceiling),
		help: "The next higher whole number.", example: `ceiling(1.1) = 2`},
	{name: "abs", forms: one(anything("n")), result: func(t []Type) Type {
		if len(t) == 1 {
			return t[0]
		}
		return AnyType
	}, run: func(f *Frame, n Node, a []Value) Value {
		if a[0].kind != Number && !isDuration(a[0].kind) {
			return f.fail(n, "abs needs a number or a duration")
		}
		return Value{kind: a[0].kind, number: a[0].number.Abs()}
	}, help: "The value without its sign.", example: `abs(-5) = 5`},
	{name: "modulo", forms: one(number("dividend"), number("divisor")), result: always(Number), run: modulo,
		help: "The remainder of a division; it has the sign of the divisor.", example: `modulo(12, 5) = 2`},

	{name: "today", forms: one(), result: always(Date), run: func(f *Frame, _ Node, _ []Value) Value { return dateIn(f.Now) },
		help: "The date of today.", example: `today() > @"2020-01-01"`},
	{name: "now", forms: one(), result: always(DateTime), run: func(f *Frame, _ Node, _ []Value) Value { return f.Now },
		help: "The date and time at this moment.", example: `date(now()) = today()`},
	{name: "day of week", forms: one(anything("date")), result: always(String), run: onDay(func(days int64) Value {
		return StringOf([]string{"Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday", "Sunday"}[weekday(days)-1])
	}), help: "The English name of the day.", example: `day of week(@"2026-11-24") = "Tuesday"`},
	{name: "day of year", forms: one(anything("date")), result: always(Number), run: onDay(func(days int64) Value {
		year, _, _ := civilFromDays(days)
		return IntegerOf(days - daysFromCivil(year, 1, 1) + 1)
	}), help: "The number of the day in its year.", example: `day of year(@"2026-02-01") = 32`},
	{name: "month of year", forms: one(anything("date")), result: always(String), run: onDay(func(days int64) Value {
		_, month, _ := civilFromDays(days)
		return StringOf([]string{"January", "February", "March", "April", "May", "June", "July", "August", "September", "October", "November", "December"}[month-1])
	}), help: "The English name of the month.", example: `month of year(@"2026-11-24") = "November"`},

	{name: "is blank", forms: one(anything("value")), result: always(Boolean), takesNull: true,
		run:  func(_ *Frame, _ Node, a []Value) Value { return BooleanOf(isBlank(a[0])) },
		help: "Whether nothing, or only white space, is there.", example: `is blank(null) = true`},
	{name: "is filled", forms: one(anything("value")), result: always(Boolean), takesNull: true,
		run:  func(_ *Frame, _ Node, a []Value) Value { return BooleanOf(!isBlank(a[0])) },
		help: "Whether something is there.", example: `is filled("N30") = true`},
	{name: "add days", forms: one(day("date"), number("days")), result: always(Date), run: addDays,
		help: "The date so many days later, or earlier for a negative number.", example: `add days(@"2028-02-28", 1) = @"2028-02-29"`},
	{name: "add months", forms: one(day("date"), number("months")), result: always(Date), run: addMonthsTo,
		help: "The date so many months later; a day that the month lacks becomes its last.", example: `add months(@"2027-01-31", 1) = @"2027-02-28"`},
	{name: "add workdays", forms: one(day("date"), number("days")), result: always(Date), run: addWorkdays,
		help: "The date so many workdays later or earlier, by the calendar of the company; without one Monday to Friday.", example: `add workdays(@"2026-11-27", 1) = @"2026-11-30"`},
	{name: "month end", forms: one(day("date")), result: always(Date), run: onDay(func(days int64) Value {
		year, month, _ := civilFromDays(days)
		return dateOfDays(daysFromCivil(year, month, daysIn(year, month)))
	}), help: "The last day of the date's month.", example: `month end(@"2028-02-10") = @"2028-02-29"`},
}
