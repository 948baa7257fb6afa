package feel_test

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"codicil/core/decimal"
	"codicil/core/feel"
)

func evaluate(t require.TestingT, formula string) feel.Value {
	program, problems := feel.Compile(formula, nil, feel.Lenient)
	require.NoError(t, problems.Errors(), formula)
	return program.Eval(&feel.Frame{})
}

func TestThreeValuedLogicIsThatOfTheStandard(t *testing.T) {
	const order = "true false null"
	and := map[string]string{"true": "true false null", "false": "false false false", "null": "null false null"}
	or := map[string]string{"true": "true true true", "false": "true false null", "null": "true null null"}
	for i, right := range strings.Fields(order) {
		for left := range and {
			assert.Equal(t, strings.Fields(and[left])[i], evaluate(t, left+" and "+right).String(), "%s and %s", left, right)
			assert.Equal(t, strings.Fields(or[left])[i], evaluate(t, left+" or "+right).String(), "%s or %s", left, right)
		}
	}
}

// Calendar arithmetic must agree with Go's own calendar, which counts otherwise.
func TestTheCalendarAgreesWithAnIndependentOne(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		start := time.Date(rapid.IntRange(1, 9999).Draw(t, "year"), time.Month(rapid.IntRange(1, 12).Draw(t, "month")), rapid.IntRange(1, 28).Draw(t, "day"), 0, 0, 0, 0, time.UTC)
		days := rapid.IntRange(-100000, 100000).Draw(t, "days")
		end := start.AddDate(0, 0, days)
		if end.Year() < 1 || end.Year() > 9999 {
			return
		}
		from, to := start.Format(time.DateOnly), end.Format(time.DateOnly)
		for formula, want := range map[string]string{
			fmt.Sprintf(`add days(@%q, %d)`, from, days):        fmt.Sprintf(`@%q`, to),
			fmt.Sprintf(`(@%q - @%q) / @"P1D"`, to, from):       fmt.Sprint(days),
			fmt.Sprintf(`@%q.weekday`, to):                      fmt.Sprint((int(end.Weekday())+6)%7 + 1),
			fmt.Sprintf(`day of year(@%q)`, to):                 fmt.Sprint(end.YearDay()),
			fmt.Sprintf(`day of week(@%q)`, to):                 fmt.Sprintf("%q", end.Weekday()),
			fmt.Sprintf(`month end(@%q) + @"P1D"`, from):        fmt.Sprintf(`@%q`, start.AddDate(0, 1, 1-start.Day()).Format(time.DateOnly)),
			fmt.Sprintf(`add months(@%q, 1)`, from):             fmt.Sprintf(`@%q`, start.AddDate(0, 1, 0).Format(time.DateOnly)), // day 28 is in every month
			fmt.Sprintf(`date(@%q.year, @%q.month, 1)`, to, to): fmt.Sprintf(`@%q`, end.AddDate(0, 0, 1-end.Day()).Format(time.DateOnly)),
		} {
			if got := evaluate(t, formula).String(); got != want && !strings.Contains(want, "10000-") {
				t.Fatalf("%s = %s, want %s", formula, got, want)
			}
		}
	})
}

// Walking day by day, as anybody would count on fingers.
func TestWorkdaysAreCountedOneByOne(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		start := time.Date(2026, 1, 1, 0, 0, 0, 0, time.UTC).AddDate(0, 0, rapid.IntRange(0, 800).Draw(t, "start"))
		count := rapid.IntRange(-60, 60).Draw(t, "count")
		day, step := start, 1
		if count < 0 {
			step = -1
		}
		for left := count * step; left > 0; {
			day = day.AddDate(0, 0, step)
			if day.Weekday() != time.Saturday && day.Weekday() != time.Sunday {
				left--
			}
		}
		formula := fmt.Sprintf(`add workdays(@%q, %d)`, start.Format(time.DateOnly), count)
		if got, want := evaluate(t, formula).Plain(), day.Format(time.DateOnly); got != want {
			t.Fatalf("%s = %s, want %s", formula, got, want)
		}
	})
}

// With a calendar the same, over its own free days and holidays.
func TestWorkdaysFollowTheCalendar(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		free := map[string]bool{}
		start := time.Date(2026, 1, 1, 0, 0, 0, 0, time.UTC).AddDate(0, 0, rapid.IntRange(0, 800).Draw(t, "start"))
		for range rapid.IntRange(0, 20).Draw(t, "holidays") {
			free[start.AddDate(0, 0, rapid.IntRange(-60, 60).Draw(t, "holiday")).Format(time.DateOnly)] = true
		}
		dayOff := rapid.IntRange(1, 7).Draw(t, "day off")
		works := func(date feel.Value) bool { return !free[date.Plain()] && date.Weekday() != dayOff }
		count := rapid.IntRange(-40, 40).Draw(t, "count")
		day, step := start, 1
		if count < 0 {
			step = -1
		}
		for left := count * step; left > 0; {
			day = day.AddDate(0, 0, step)
			if !free[day.Format(time.DateOnly)] && (int(day.Weekday())+6)%7+1 != dayOff {
				left--
			}
		}
		formula := fmt.Sprintf(`add workdays(@%q, %d)`, start.Format(time.DateOnly), count)
		program, problems := feel.Compile(formula, nil, feel.Strict)
		if problems.Errors() != nil {
			t.Fatal(problems)
		}
		if got, want := program.Eval(&feel.Frame{Workday: works}).Plain(), day.Format(time.DateOnly); got != want {
			t.Fatalf("%s = %s, want %s", formula, got, want)
		}
	})
}

func TestACalendarWithoutWorkdaysEnds(t *testing.T) {
	program, problems := feel.Compile(`add workdays(@"2026-11-24", 3)`, nil, feel.Strict)
	require.NoError(t, problems.Errors())
	frame := feel.Frame{Workday: func(feel.Value) bool { return false }}
	assert.True(t, program.Eval(&frame).IsNull())
	assert.Len(t, frame.Failures, 1)
}

func TestWhatIsWrittenReadsBack(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		seconds := rapid.Int64Range(-1e9, 1e9).Draw(t, "seconds")
		months := rapid.Int64Range(-20000, 20000).Draw(t, "months")
		text := rapid.String().Draw(t, "text")
		for _, v := range []feel.Value{
			evaluate(t, fmt.Sprintf(`@"PT1S" * %d`, seconds)), evaluate(t, fmt.Sprintf(`@"P1M" * %d`, months)),
			evaluate(t, fmt.Sprintf(`@"2000-01-01T00:00:00Z" + @"PT1S" * %d`, seconds)), evaluate(t, fmt.Sprintf(`@"12:00:00+05:30" + @"PT1S" * %d`, seconds)),
			feel.StringOf(text), feel.ListOf([]feel.Value{feel.StringOf(text), feel.NullValue}),
		} {
			if back := evaluate(t, v.String()); !feel.Same(v, back) {
				t.Fatalf("%s reads back as %s", v, back)
			}
		}
	})
}

// typed makes formulas of one type over the names of the sample scope.
func typed(t *rapid.T, kind string, depth int) string {
	sub := func(kind string) string { return typed(t, kind, depth-1) }
	pick := func(choices ...func() string) string { return rapid.SampledFrom(choices).Draw(t, "form")() }
	say := func(text string) func() string { return func() string { return text } }
	if depth == 0 {
		return map[string]string{
			"number": rapid.SampledFrom([]string{"amount", "rate", "0", "-2.5", "7"}).Draw(t, "number"),
			"string": rapid.SampledFrom([]string{"country", "name", `""`, `"IE"`}).Draw(t, "string"),
			"bool":   rapid.SampledFrom([]string{"active", "true", "false", "null"}).Draw(t, "bool"),
			"date":   rapid.SampledFrom([]string{"due", `@"2028-02-29"`, "today()"}).Draw(t, "date"),
		}[kind]
	}
	switch kind {
	case "number":
		operator := rapid.SampledFrom([]string{"+", "-", "*", "/", "**"}).Draw(t, "operator")
		return pick(
			func() string { return "(" + sub("number") + " " + operator + " " + sub("number") + ")" },
			func() string { return "string length(" + sub("string") + ")" },
			func() string { return "(if " + sub("bool") + " then " + sub("number") + " else " + sub("number") + ")" },
			func() string { return "round half up(" + sub("number") + ", 2)" },
			func() string { return sub("date") + ".year" }, say("sum(amount, rate)"))
	case "string":
		return pick(func() string { return "(" + sub("string") + " + " + sub("string") + ")" }, func() string { return "upper case(" + sub("string") + ")" }, func() string { return "string(" + sub("number") + ")" })
	case "date":
		return pick(func() string { return "add months(" + sub("date") + ", 3)" }, func() string { return "month end(" + sub("date") + ")" }, func() string { return "(" + sub("date") + ` + @"P10D")` })
	}
	comparison := rapid.SampledFrom([]string{"=", "!=", "<", "<=", ">", ">="}).Draw(t, "comparison")
	return pick(
		func() string { return "(" + sub("bool") + " and " + sub("bool") + ")" },
		func() string { return "(" + sub("bool") + " or " + sub("bool") + ")" },
		func() string { return "not(" + sub("bool") + ")" },
		func() string { return "(" + sub("number") + " " + comparison + " " + sub("number") + ")" },
		func() string { return "(" + sub("date") + " " + comparison + " " + sub("date") + ")" },
		func() string {
			return "(" + sub("number") + " between " + sub("number") + " and " + sub("number") + ")"
		},
		func() string { return "(" + sub("string") + " in (" + sub("string") + ", " + sub("string") + "))" },
		func() string { return "is blank(" + sub("string") + ")" })
}

// What the strict check accepts never fails with a type error when it runs, gives
// a value of the type that was promised, and is explained with that very value.
func TestWhatTheCheckAcceptsRuns(t *testing.T) {
	scope, frame := sample(t)
	rapid.Check(t, func(t *rapid.T) {
		kind := rapid.SampledFrom([]string{"number", "string", "bool", "date"}).Draw(t, "kind")
		formula := typed(t, kind, rapid.IntRange(0, 4).Draw(t, "depth"))
		program, problems := feel.Compile(formula, scope, feel.Strict)
		if err := problems.Errors(); err != nil {
			t.Fatalf("%s: %v", formula, err)
		}
		frame.Failures = nil
		v := program.Eval(frame)
		for _, f := range frame.Failures {
			if strings.Contains(f.Message, "cannot be") || strings.Contains(f.Message, "is needed") {
				t.Fatalf("%s: %s", formula, f.Message)
			}
		}
		if !feel.TypeOf(v).Fits(program.Type()) {
			t.Fatalf("%s gives %s, not a %s", formula, v, program.Type())
		}
		if explained, _ := program.Explain(frame); !feel.Same(explained, v) {
			t.Fatalf("%s gives %s, explained as %s", formula, v, explained)
		}
	})
}

func TestNumbersKeepAllTheirDigitsThroughAFormula(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		text := rapid.StringMatching(`[1-9][0-9]{0,16}\.[0-9]{0,15}[1-9]`).Draw(t, "number")
		if got := evaluate(t, text+" + 0").String(); got != text {
			t.Fatalf("%s + 0 = %s", text, got)
		}
		n, err := decimal.Parse(text)
		require.NoError(t, err)
		if doubled, _ := n.Add(n); evaluate(t, text+" * 2").String() != doubled.String() {
			t.Fatalf("%s * 2", text)
		}
	})
}
