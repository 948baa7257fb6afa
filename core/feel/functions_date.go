package feel

// dateFunctions are those of DMN 1.5, sections 10.3.4.7 and 10.3.4.8, and four of our own.
var dateFunctions = []builtin{
	{name: "today", forms: one(), result: always(Date), run: func(f *Frame, _ Node, _ []Value) Value { return dateIn(f.Now) },
		help: "The date of today.", example: `today() > @"2020-01-01"`},
	{name: "now", forms: one(), result: always(DateTime), run: func(f *Frame, _ Node, _ []Value) Value { return f.Now },
		help: "The date and time at this moment.", example: `date(now()) = today()`},
	{name: "add days", forms: [][]parameter{{day("date"), number("days")}, {of("date", DateTime), number("days")}}, result: always(Date), run: addDays, own: true,
		help: "The date so many days later, or earlier for a negative number.", example: `add days(@"2028-02-28", 1) = @"2028-02-29"`},
	{name: "add months", forms: [][]parameter{{day("date"), number("months")}, {of("date", DateTime), number("months")}}, result: always(Date), run: addMonthsTo, own: true,
		help: "The date so many months later; a day that the month lacks becomes its last.", example: `add months(@"2027-01-31", 1) = @"2027-02-28"`},
	{name: "add workdays", forms: [][]parameter{{day("date"), number("days")}, {of("date", DateTime), number("days")}}, result: always(Date), long: true, run: addWorkdays, own: true,
		help: "The date so many workdays later or earlier, by the calendar of the company; without one Monday to Friday.", example: `add workdays(@"2026-11-27", 1) = @"2026-11-30"`},
	{name: "month end", forms: [][]parameter{{day("date")}, {of("date", DateTime)}}, result: always(Date), own: true, run: onDay(func(days int64) Value {
		year, month, _ := civilFromDays(days)
		return dateOfDays(daysFromCivil(year, month, daysIn(year, month)))
	}), help: "The last day of the date's month.", example: `month end(@"2028-02-10") = @"2028-02-29"`},
	{name: "day of week", forms: one(anything("date")), result: always(String), run: onDay(func(days int64) Value {
		return StringOf([]string{"Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday", "Sunday"}[weekday(days)-1])
	}), help: "The English name of the day.", example: `day of week(@"2026-11-24") = "Tuesday"`},
	{name: "day of year", forms: one(anything("date")), result: always(Number), run: onDay(func(days int64) Value {
		year, _, _ := civilFromDays(days)
		return IntegerOf(days - daysFromCivil(year, 1, 1) + 1)
	}), help: "The number of the day in its year.", example: `day of year(@"2026-02-01") = 32`},
	{name: "week of year", forms: one(anything("date")), result: always(Number), run: onDay(func(days int64) Value {
		thursday := days - weekday(days) + 4 // the week belongs to the year of its Thursday
		year, _, _ := civilFromDays(thursday)
		return IntegerOf((thursday-daysFromCivil(year, 1, 1))/7 + 1)
	}), help: "The number of the week, from Monday on, by ISO 8601.", example: `week of year(@"2027-01-01") = 53`},
	{name: "month of year", forms: one(anything("date")), result: always(String), run: onDay(func(days int64) Value {
		_, month, _ := civilFromDays(days)
		return StringOf([]string{"January", "February", "March", "April", "May", "June", "July", "August", "September", "October", "November", "December"}[month-1])
	}), help: "The English name of the month.", example: `month of year(@"2026-11-24") = "November"`},
	{name: "is", forms: one(anything("value1"), anything("value2")), result: always(Boolean), takesNull: true, run: func(_ *Frame, _ Node, a []Value) Value {
		return BooleanOf(a[0].kind == a[1].kind && Same(a[0], a[1]) && sameZone(a[0].zone(), a[1].zone()))
	}, help: "Whether two values are one and the same, also in their type and time zone.", example: `is(@"08:30:00Z", @"08:30:00") = false`},
}

// sameZone tells whether two values were written for the same zone.
func sameZone(a, b *Zone) bool {
	if a == nil || b == nil {
		return a == b
	}
	return *a == *b
}

func onDay(run func(days int64) Value) run {
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
		f.spend(n, 1)
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
		return dateIn(a[0])
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
