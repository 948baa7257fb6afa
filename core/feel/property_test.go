package feel_test

import (
	"fmt"
	"math/rand/v2"
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

// A function that takes a list, or its items one by one, gives the same of both, blanks
// among them or not; and all and any are and and or.
func TestItemsOneByOneAreAsInAList(t *testing.T) {
	truths := []string{"null", "true", "false"}
	numbers := []string{"null", "1", "-2.5", "3", "0"}
	for _, function := range []string{"all", "any", "sum", "product", "mean", "median", "stddev", "mode", "min", "max"} {
		drawn := numbers
		if function == "all" || function == "any" {
			drawn = truths
		}
		rapid.Check(t, func(rt *rapid.T) {
			given := rapid.SliceOfN(rapid.SampledFrom(drawn), 2, 4).Draw(rt, "given")
			apart, together := function+"("+strings.Join(given, ", ")+")", function+"(["+strings.Join(given, ", ")+"])"
			a, b := evaluate(rt, apart).String(), evaluate(rt, together).String()
			assert.Equal(rt, b, a, apart)
			if joined, ok := map[string]string{"all": " and ", "any": " or "}[function]; ok {
				assert.Equal(rt, evaluate(rt, strings.Join(given, joined)).String(), a, apart)
			}
		})
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

// known is a scope with types for the names that a writer uses, and random values of
// those types, blank ones among them.
func known(t *rapid.T) (feel.Scope, *feel.Frame) {
	number := func(name string) feel.Value {
		text := rapid.SampledFrom([]string{"", "0", "1", "-2.5", "1480.25", "0.19", "1e20", "7"}).Draw(t, name)
		if text == "" {
			return feel.NullValue
		}
		return feel.NumberOf(decimal.MustParse(text))
	}
	values := map[string]feel.Value{
		"amount": number("amount"), "rate": number("rate"), "x": number("x"),
		"country": rapid.SampledFrom([]feel.Value{feel.NullValue, feel.StringOf("IE"), feel.StringOf("sea salt")}).Draw(t, "country"),
		"active":  rapid.SampledFrom([]feel.Value{feel.NullValue, feel.True, feel.False}).Draw(t, "active"),
		"prices":  feel.ListOf([]feel.Value{number("first"), number("second")}),
	}
	types := map[string]feel.Type{"amount": feel.NumberType, "rate": feel.NumberType, "x": feel.NumberType, "country": feel.StringType,
		"active": feel.BooleanType, "prices": feel.ListType(feel.NumberType)}
	scope, frame := feel.Scope{}, &feel.Frame{}
	for name, value := range values {
		scope[name] = feel.Symbol{Slot: len(frame.Slots), Type: types[name]}
		frame.Slots = append(frame.Slots, value)
	}
	return scope, frame
}

// What the check accepts as a type must, on any values of the fields' types, blank
// ones too, give a value of that type and never fail over a type; and is explained
// with that very value.
func TestWhatTheCheckAcceptsRuns(t *testing.T) {
	accepted := 0
	rapid.Check(t, func(t *rapid.T) {
		scope, frame := known(t)
		w := writer{rand.New(rand.NewPCG(rapid.Uint64().Draw(t, "seed"), 1))}
		depth := rapid.IntRange(0, 4).Draw(t, "depth")
		for _, formula := range []string{w.number(depth), w.text(depth), w.date(depth), w.numbers(depth), w.condition(depth), w.context(depth)} {
			program, problems := feel.Compile(formula, scope, feel.Strict)
			if problems.Errors() != nil {
				continue // the writer also makes what never holds, as a text that is a number
			}
			accepted++
			frame.Failures = nil
			v := program.Eval(frame)
			for _, f := range frame.Failures {
				for _, wrong := range []string{"cannot be compared", "cannot be computed", "needed", "must be a", "only a number or", "has no order", "only a function"} {
					if strings.Contains(f.Message, wrong) {
						t.Fatalf("%s: %s", formula, f.Message)
					}
				}
			}
			if !v.IsNull() && !feel.TypeOf(v).Fits(program.Type()) {
				t.Fatalf("%s gives %s, not a %s", formula, v, program.Type())
			}
			if explained, _ := program.Explain(frame); !feel.Same(explained, v) {
				t.Fatalf("%s gives %s, explained as %s", formula, v, explained)
			}
		}
	})
	assert.Greater(t, accepted, 200, "hardly anything was accepted, so hardly anything was tried")
}

// test writes a condition on x at random.
func (w writer) test(depth int) string {
	constant := func() string { return w.pick("-1", "0", "1", "2.5", "3", "10") }
	if depth > 0 {
		return w.one(
			func() string { return "(" + w.test(depth-1) + w.pick(" and ", " or ") + w.test(depth-1) + ")" },
			func() string { return "not(" + w.test(depth-1) + ")" },
		)
	}
	return w.one(
		func() string { return "x" + w.pick(" < ", " <= ", " > ", " >= ", " = ", " != ") + constant() },
		func() string { return constant() + w.pick(" < ", " <= ", " > ", " >= ", " = ", " != ") + "x" },
		func() string { return "x between " + constant() + " and " + constant() },
		func() string {
			return "x in " + w.pick("[", "(") + constant() + ".." + constant() + w.pick("]", ")")
		},
		func() string { return "x in (" + constant() + ", > " + constant() + ", [" + constant() + "..3))" },
		func() string { return "is blank(x)" }, func() string { return "is filled(x)" },
		func() string { return "x = null" }, func() string { return "amount > " + constant() },
		func() string { return "x > amount" },
	)
}

// What a constraint rules out never happens: a value outside its sets does not make
// the formula true, or false, whatever the other fields hold.
func TestAConstraintRulesOutOnlyWhatNeverHappens(t *testing.T) {
	ruledOut := 0
	rapid.Check(t, func(t *rapid.T) {
		scope := feel.Scope{"x": {Slot: 0, Type: feel.NumberType}, "amount": {Slot: 1, Type: feel.NumberType}}
		w := writer{rand.New(rand.NewPCG(rapid.Uint64().Draw(t, "seed"), 2))}
		formula := w.test(rapid.IntRange(0, 4).Draw(t, "depth"))
		program, problems := feel.Compile(formula, scope, feel.Strict)
		if problems.Errors() != nil {
			t.Fatal(formula, problems)
		}
		c := program.Constraint(0)
		for _, text := range []string{"", "-2", "-1", "-0.5", "0", "0.5", "1", "2", "2.5", "2.7", "3", "7", "10", "11"} {
			for _, amount := range []string{"", "-1", "2", "10"} {
				frame := &feel.Frame{Slots: []feel.Value{feel.NullValue, feel.NullValue}}
				if text != "" {
					frame.Slots[0] = feel.NumberOf(decimal.MustParse(text))
				}
				if amount != "" {
					frame.Slots[1] = feel.NumberOf(decimal.MustParse(amount))
				}
				canBeTrue, canBeFalse := c.NullTrue, c.NullFalse
				if text != "" {
					canBeTrue, canBeFalse = c.True.Contains(frame.Slots[0]), c.False.Contains(frame.Slots[0])
				}
				v := program.Eval(frame)
				if (v.IsTrue() && !canBeTrue) || (v.IsFalse() && !canBeFalse) {
					t.Fatalf("%s is %s for x %q; the constraint says %s and %s", formula, v, text, c.True, c.False)
				}
				if !canBeTrue || !canBeFalse {
					ruledOut++
				}
			}
		}
	})
	assert.Greater(t, ruledOut, 500)
}

func TestSetsAreWrittenAsTests(t *testing.T) {
	scope := feel.Scope{"x": {Slot: 0, Type: feel.NumberType}, "c": {Slot: 1, Type: feel.StringType}}
	for formula, want := range map[string]string{
		"x > 5": "> 5", "x <= 5 or x > 10": "<= 5, > 10", "x in [1..5) and x != 3": "[1..3), (3..5)", "not(x = 2)": "< 2, > 2",
		"x between 1 and 5 and x > 5": "", "x > 1 or x <= 1": "-", "x in (3, 1, 2)": "1, 2, 3",
	} {
		program, problems := feel.Compile(formula, scope, feel.Strict)
		require.NoError(t, problems.Errors())
		assert.Equal(t, want, program.Constraint(0).True.String(), formula)
	}
	program, _ := feel.Compile(`c in ("IE", "DK") and x > 1`, scope, feel.Strict)
	assert.Equal(t, `"DK", "IE"`, program.Constraint(1).True.String())
	assert.Equal(t, "> 1", program.Constraint(0).True.String())
}

func TestAConditionIsRewrittenInPlace(t *testing.T) {
	scope, _ := sample(t)
	program, problems := feel.Compile(`amount > 1200 and not(country = "IE" or active)`, scope, feel.Strict)
	require.NoError(t, problems.Errors())
	var conditions []string
	for _, c := range program.Conditions() {
		start, end := c.Span()
		conditions = append(conditions, program.Source()[start:end])
	}
	assert.Equal(t, []string{"amount > 1200", `country = "IE"`, "active"}, conditions)
	for i, want := range []string{
		`(amount > 1200 or active) and not(country = "IE" or active)`,
		`amount > 1200 and not((amount > 1200 or active) or active)`,
		`amount > 1200 and not(country = "IE" or (amount > 1200 or active))`,
	} {
		text, err := program.Rewrite(program.Conditions()[i], "amount > 1200 or active")
		require.NoError(t, err)
		assert.Equal(t, want, text)
	}
	text, err := program.Rewrite(program.Conditions()[0], "amount >= 1200")
	require.NoError(t, err)
	assert.Equal(t, `amount >= 1200 and not(country = "IE" or active)`, text)
	_, err = program.Rewrite(program.Conditions()[0], "amount >")
	assert.ErrorContains(t, err, "ends too early")
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

// A date is read where the calendar has it and it is written in full, whatever else its letters are; the oracle is that of
// the standard library.
func TestDatesAreReadAsTheyAreWritten(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		text := rapid.StringMatching(`[0-9]{3,5}-[0-9]{1,3}-[0-9]{1,3}|[0-9]{4}-(0[1-9]|1[0-2])-(0[1-9]|[12][0-9]|3[01])|[0-9:/ ٣-]{10}`).Draw(t, "text")
		_, err := time.Parse(time.DateOnly, text)
		v, read := feel.ParseDate(text)
		if len(text) > len(time.DateOnly) { // years of more digits are none to the standard library
			return
		}
		if read != (err == nil) {
			t.Fatalf("%q is read: %t, %v", text, read, err)
		}
		if read && v.String() != `@"`+text+`"` {
			t.Fatalf("%q is read as %s", text, v)
		}
	})
}
