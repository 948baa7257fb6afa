package feel_test

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"codicil/core/decimal"
	"codicil/core/feel"
)

// tables are the crosswalks of the sample.
type tables map[string]feel.Value

func (t tables) Lookup(table string, keys []feel.Value, column string) (feel.Value, bool) {
	place := table
	for _, key := range keys {
		place += "/" + key.Plain()
	}
	v, found := t[place+"/"+column]
	return v, found
}

// sample is the scope that the cases in testdata are written against.
func sample(t testing.TB) (feel.Scope, *feel.Frame) {
	t.Helper()
	data, err := feel.FromJSON([]byte(`{"amount": 1480.25, "rate": 0.19, "country": "IE", "name": null, "active": true, "due": null,
		"codes": ["A", "B"], "vendor": {"terms": "N30", "bank": {"iban": "IE29"}}, "share": 0.05}`))
	require.NoError(t, err)
	scope, slots := feel.ScopeOf(data)
	slots[scope["due"].Slot] = feel.MustDate("2026-11-24")
	scope["due"] = feel.Symbol{Slot: scope["due"].Slot, Type: feel.DateType}
	scope["name"] = feel.Symbol{Slot: scope["name"].Slot, Type: feel.StringType, Label: "Vendor name"}
	scope["share"] = feel.Symbol{Slot: scope["share"].Slot, Type: feel.Type{Kind: feel.Number, Percent: true}}
	scope["crosswalk"] = feel.Symbol{Slot: -1, Tables: map[string]feel.Table{
		"terms": {Keys: []feel.Type{feel.StringType}, Columns: map[string]feel.Type{"days": feel.NumberType, "text": feel.StringType}, First: "days"},
		"rate":  {Keys: []feel.Type{feel.StringType, feel.DateType}, Columns: map[string]feel.Type{"rate": feel.NumberType}, First: "rate"},
	}}
	return scope, &feel.Frame{Slots: slots, Now: literal(t, `@"2026-11-24T10:15:00"`), Tables: tables{
		"terms/N30/days": feel.IntegerOf(30), "terms/N45/text": feel.StringOf("45 days net"),
		"rate/IE/2026-11-24/rate": feel.NumberOf(decimal.MustParse("0.23")),
	}}
}

func literal(t testing.TB, text string) feel.Value {
	t.Helper()
	program, problems := feel.Compile(text, nil, feel.Lenient)
	require.NoError(t, problems.Errors(), text)
	return program.Eval(&feel.Frame{})
}

// lines reads a file of cases, without its comments.
func lines(t testing.TB, file string, visit func(place, line string)) {
	t.Helper()
	text, err := os.ReadFile(file)
	require.NoError(t, err)
	number := 0
	for line := range strings.Lines(string(text)) {
		number++
		if line = strings.TrimSuffix(line, "\n"); line != "" && !strings.HasPrefix(line, "#") {
			visit(fmt.Sprintf("%s:%d: %s", file, number, line), line)
		}
	}
}

// Every case of the standard's chapters, and of our own functions: computed, and
// explained with the same value.
func TestCases(t *testing.T) {
	scope, frame := sample(t)
	files, err := filepath.Glob("testdata/cases/*-*.txt")
	require.NoError(t, err)
	require.Len(t, files, 4)
	for _, file := range files {
		lines(t, file, func(place, line string) {
			at := strings.LastIndex(line, " => ")
			require.Positive(t, at, place)
			program, problems := feel.Compile(line[:at], scope, feel.Lenient)
			if !assert.NoError(t, problems.Errors(), place) {
				return
			}
			assert.Equal(t, line[at+4:], program.Eval(frame).String(), place)
			explained, _ := program.Explain(frame)
			assert.Equal(t, program.Eval(frame).String(), explained.String(), "%s: the explanation gives another value", place)
			again, problems := feel.Compile(feel.Format(program.Root()), scope, feel.Lenient)
			if assert.NoError(t, problems.Errors(), "%s is written as %s", place, feel.Format(program.Root())) {
				assert.Equal(t, shape(program.Root()), shape(again.Root()), "%s is written as %s", place, feel.Format(program.Root()))
			}
		})
	}
}

// shape writes a tree with all that makes it what it is, but its places.
func shape(n feel.Node) string {
	var parts []string
	for _, child := range feel.Children(n) {
		parts = append(parts, shape(child))
	}
	own := ""
	switch n := n.(type) {
	case *feel.Literal:
		own = n.Value.String()
	case *feel.Name:
		own = n.Text
	case *feel.Path:
		own = n.Member
	case *feel.Binary:
		own = n.Operator
	case *feel.Test:
		own = n.Operator
	case *feel.RangeLiteral:
		own = fmt.Sprint(n.LowOpen, n.HighOpen)
	case *feel.InstanceOf:
		own = n.Wanted.String()
	case *feel.For:
		own = names(n.Iterators)
	case *feel.Quantified:
		own = fmt.Sprint(n.Every) + names(n.Iterators)
	case *feel.ContextLiteral:
		own = strings.Join(n.Keys, "|")
	case *feel.Definition:
		for _, p := range n.Parameters {
			own += p.Name + ":" + p.Type.String() + "|"
		}
	case *feel.Call:
		own = n.Function + "|" + strings.Join(n.ArgumentNames, "|")
	}
	return fmt.Sprintf("%T<%s>(%s)", n, own, strings.Join(parts, ","))
}

func names(iterators []feel.Iterator) (all string) {
	for _, i := range iterators {
		all += fmt.Sprint(i.Name, "|", i.To != nil, "|")
	}
	return all
}

func TestErrorsHaveTheirPlace(t *testing.T) {
	scope, _ := sample(t)
	lines(t, "testdata/cases/errors.txt", func(place, line string) {
		formula, want, found := strings.Cut(line, " !! ")
		require.True(t, found, place)
		_, problems := feel.Compile(formula, scope, feel.Strict)
		if !assert.Error(t, problems.Errors(), place) {
			return
		}
		message, at, _ := strings.Cut(strings.TrimSuffix(want, "]"), " [")
		assert.Contains(t, problems[0].Message, message, place)
		assert.Equal(t, at, fmt.Sprintf("%d:%d", problems[0].Line, problems[0].Column), place)
	})
}

func TestWarningsTellWhatIsHardlyMeant(t *testing.T) {
	scope, _ := sample(t)
	lines(t, "testdata/cases/warnings.txt", func(place, line string) {
		formula, want, suspicious := strings.Cut(line, " ?? ")
		formula = strings.TrimSuffix(formula, " ok")
		program, problems := feel.Compile(formula, scope, feel.Strict)
		require.NotNil(t, program, place)
		if !suspicious {
			assert.Empty(t, problems, place)
			return
		}
		if assert.Len(t, problems, 1, place) {
			message, at, _ := strings.Cut(strings.TrimSuffix(want, "]"), " [")
			assert.Contains(t, problems[0].Message, message, place)
			assert.Equal(t, at, fmt.Sprintf("%d:%d", problems[0].Line, problems[0].Column), place)
			assert.Equal(t, feel.Warning, problems[0].Severity, place)
		}
	})
}

func TestEveryExampleOfTheReferenceIsTrue(t *testing.T) {
	scope, frame := sample(t)
	for _, f := range append(feel.Forms(), feel.Functions()...) {
		program, problems := feel.Compile(f.Example, scope, feel.Strict)
		if assert.NoError(t, problems.Errors(), f.Example) {
			assert.Equal(t, "true", program.Eval(frame).String(), f.Example)
		}
		assert.NotEmpty(t, f.Help, f.Name)
	}
}

func TestFailuresSayWhereAndWhy(t *testing.T) {
	scope, frame := sample(t)
	program, problems := feel.Compile("amount +\n 1 / (rate - 0.19)", scope, feel.Strict)
	require.NoError(t, problems.Errors())
	assert.True(t, program.Eval(frame).IsNull())
	require.Len(t, frame.Failures, 1)
	assert.Equal(t, "division by zero", frame.Failures[0].Message)
	assert.Equal(t, "1 / (rate - 0.19)", program.Source()[frame.Failures[0].Start:frame.Failures[0].End])
	frame.Failures = nil
	blank, _ := feel.Compile("string length(name) > 3", scope, feel.Strict)
	assert.True(t, blank.Eval(frame).IsNull())
	assert.Empty(t, frame.Failures, "a blank is no failure")
}

func TestNamesOfSeveralWords(t *testing.T) {
	data, err := feel.FromJSON([]byte(`{"net total": 5, "net": 1, "read-only and safe": true}`))
	require.NoError(t, err)
	scope, slots := feel.ScopeOf(data)
	for formula, want := range map[string]string{
		"net total + net": "6", "read-only and safe": "true", "net  total*2": "10", "is filled( net total )": "true",
	} {
		program, problems := feel.Compile(formula, scope, feel.Lenient)
		require.NoError(t, problems.Errors(), formula)
		assert.Equal(t, want, program.Eval(&feel.Frame{Slots: slots}).String(), formula)
	}
}

func TestNamespacesAreSlots(t *testing.T) {
	scope := feel.Scope{
		"terms":   {Slot: 0, Type: feel.StringType},
		"entered": {Slot: -1, Members: map[string]feel.Symbol{"terms": {Slot: 1, Type: feel.StringType}}},
	}
	program, problems := feel.Compile(`terms != entered.terms`, scope, feel.Strict)
	require.NoError(t, problems.Errors())
	assert.Equal(t, []int{0, 1}, program.Reads())
	assert.Equal(t, feel.True, program.Eval(&feel.Frame{Slots: []feel.Value{feel.StringOf("N30"), feel.StringOf("N45")}}))
	_, problems = feel.Compile(`entered.trems = "x"`, scope, feel.Strict)
	require.Error(t, problems.Errors())
	assert.Equal(t, "terms", problems[0].Suggestion)
	assert.Equal(t, 9, problems[0].Column)
	_, problems = feel.Compile(`entered = "x"`, scope, feel.Strict)
	assert.ErrorContains(t, problems.Errors(), "write entered.terms")
}

func TestAFieldIsFoundByItsLabel(t *testing.T) {
	scope, _ := sample(t)
	_, problems := feel.Compile(`vendor name = "x"`, scope, feel.Strict)
	require.Error(t, problems.Errors())
	assert.Equal(t, "name", problems[0].Suggestion)
}

func TestExplanationShowsTheValuesThatDecide(t *testing.T) {
	scope, frame := sample(t)
	program, problems := feel.Compile(`amount > 1200 and (country = "IE" or is blank(name))`, scope, feel.Strict)
	require.NoError(t, problems.Errors())
	_, steps := program.Explain(frame)
	values := map[string]string{}
	for _, s := range steps {
		values[s.Text] = s.Value.String()
	}
	assert.Equal(t, "1480.25", values["amount"])
	assert.Equal(t, "true", values["amount > 1200"])
	assert.NotContains(t, values, "is blank(name)", "what was not looked at has no value")
	assert.Len(t, program.Conditions(), 3)
}

func TestAnExplanationTellsEveryRoundOfALoop(t *testing.T) {
	program, problems := feel.Compile(`some p in [5, 20, 7] satisfies p > 10`, nil, feel.Strict)
	require.NoError(t, problems.Errors())
	v, steps := program.Explain(&feel.Frame{})
	assert.True(t, v.IsTrue())
	told := map[string]feel.Step{}
	for _, s := range steps {
		told[s.Text] = s
	}
	assert.Equal(t, []feel.Value{feel.False, feel.True}, told["p > 10"].Values(), "and no more after it was decided")
	assert.Equal(t, 2, told["p > 10"].Times())
	assert.Empty(t, told["[5, 20, 7]"].Values(), "what is computed once has one value")
}

// Unary tests as they stand in a cell: what they say of some values.
func TestUnaryTests(t *testing.T) {
	scope := feel.Scope{"limit": {Slot: 1, Type: feel.NumberType}}
	for tests, want := range map[string]string{ // of 3, 5, 7 and null, for a limit of 5
		"-": "true true true true", "5": "false true false false", "3, 7": "true false true false",
		"< 5": "true false false null", "<= limit": "true true false null", "[3..5]": "true true false null",
		"not(5)": "true false true true", "not(3, 7)": "false true false true", "not(< 5)": "false true true null",
		"? > limit or ? = 3": "true false true null", "not(? > 4) or ? = 7": "true false true null",
		"null": "false false false true", "> limit, [1..3]": "true false true null", "[3, 5]": "true true false false",
	} {
		program, problems := feel.CompileTests(tests, scope, feel.Symbol{Slot: 0, Type: feel.NumberType}, feel.Strict)
		if !assert.NoError(t, problems.Errors(), tests) {
			continue
		}
		var got []string
		for _, v := range []feel.Value{feel.IntegerOf(3), feel.IntegerOf(5), feel.IntegerOf(7), feel.NullValue} {
			got = append(got, program.Eval(&feel.Frame{Slots: []feel.Value{v, feel.IntegerOf(5)}}).String())
		}
		assert.Equal(t, want, strings.Join(got, " "), tests)
	}
	for tests, message := range map[string]string{`"x"`: "never in", "> ": "ends too early", "not(5": "missing", "5 5": "does not fit"} {
		_, problems := feel.CompileTests(tests, scope, feel.Symbol{Slot: 0, Type: feel.NumberType}, feel.Strict)
		assert.ErrorContains(t, problems.Errors(), message, tests)
	}
}

func TestNamesThatAnExpressionDeclares(t *testing.T) {
	scope, frame := sample(t)
	for formula, want := range map[string]string{
		`for amount in [1, 2] return amount`:                                           "[1, 2]", // hides the field
		`[{amount: 1}, {amount: 2000}][amount > 1480].amount`:                          "[2000]", // the item's entry comes first
		`[{price: 1}, {price: 2000}][price > amount].price`:                            "[2000]", // the field is there where the item has none
		`{is blank: function(x) "mine", r: is blank(1)}.r`:                             `"mine"`, // hides a function
		`(for net total in [1], qty per box in [3] return net total * qty per box)[1]`: "3",
	} {
		program, problems := feel.Compile(formula, scope, feel.Strict)
		require.NoError(t, problems.Errors(), formula)
		assert.Equal(t, want, program.Eval(frame).String(), formula)
	}
}

func TestJSON(t *testing.T) {
	for _, text := range []string{
		`null`, `0.1`, `12345678901234567890.123456789`, `"<a & b>"`, `[1,2,"x",null,true]`, `{"b":1,"a":{"c":[]}}`,
	} {
		v, err := feel.FromJSON([]byte(text))
		require.NoError(t, err, text)
		out, err := v.MarshalJSON()
		require.NoError(t, err)
		assert.Equal(t, text, string(out))
	}
	for formula, want := range map[string]string{
		`@"2026-11-24"`: `"2026-11-24"`, `@"P1DT2H"`: `"P1DT2H"`, `[1..5)`: `"[1..5)"`, `@"08:30:00"`: `"08:30:00"`,
	} {
		out, err := literal(t, formula).MarshalJSON()
		require.NoError(t, err)
		assert.Equal(t, want, string(out))
	}
	for _, bad := range []string{``, `{`, `{"a":1,"a":2}`, `1 2`, `{"a":1e99999}`, strings.Repeat("[", 500)} {
		_, err := feel.FromJSON([]byte(bad))
		assert.Error(t, err, bad)
	}
}

func TestLimitsAreErrorsNotCrashes(t *testing.T) {
	for _, text := range []string{
		strings.Repeat("(", 100000), strings.Repeat("-", 19000) + "1", strings.Repeat("1+", 9000) + "1",
		strings.Repeat("if true then ", 1000), strings.Repeat("[", 5000), strings.Repeat("x", 30000),
		"1" + strings.Repeat(" in (1", 3000), strings.Repeat("not(", 4000), strings.Repeat("{a:", 4000),
		strings.Repeat("for x in ", 2000), "1 instance of " + strings.Repeat("list<", 3000), "1" + strings.Repeat("[1", 3000),
		strings.Repeat("function(x) ", 1500) + "1", strings.Repeat("[1..", 3000),
	} {
		assert.NotPanics(t, func() { feel.Compile(text, nil, feel.Lenient) })
	}
	_, problems := feel.Compile(strings.Repeat("(", 5000), nil, feel.Lenient)
	assert.ErrorContains(t, problems.Errors(), "nested")
}

// None of these may hang or eat the memory: each ends soon, with null and the reason.
func TestNoFormulaCanExhaustTheProcess(t *testing.T) {
	for formula, reason := range map[string]string{
		`for i in 1..1000000000 return i`:                                  "100000 items",
		`count(for i in 1..90000, j in 1..90000 return i)`:                 "100000 items",
		`some i in 1..90000, j in 1..90000, k in 1..90000 satisfies false`: "steps",
		`(function(f) f(f))(function(f) f(f))`:                             "deep",
		`(function(f, n) f(f, n + 1))(function(f, n) f(f, n + 1), 1)`:      "deep",
		`(function(f, n) if n = 0 then 1 else f(f, n - 1) + f(f, n - 1))(function(f, n) if n = 0 then 1 else f(f, n - 1) + f(f, n - 1), 60)`: "steps",
		`for i in 1..60 return if i = 1 then "ab" else partial[-1] + partial[-1]`:                                                            "too large",
		`for i in 1..60 return if i = 1 then [1] else concatenate(partial[-1], partial[-1])`:                                                 "100000 items",
		`for i in 1..60 return if i = 1 then [1] else [partial[-1], partial[-1]]`:                                                            "too large",
		`(for i in 1..60 return if i = 1 then {a: 1} else {a: partial[-1], b: partial[-1]}) = 1`:                                             "too large",
		`{l: for i in 1..50000 return i, e: for i in 1..50000 return list contains(l, -1)}.e`:                                                "steps",
		`{l: for i in 1..50000 return i, e: for i in 1..50000 return l = l}.e`:                                                               "steps",
		`for i in 1..100000 return exp(i / 10)`:                                                                                              "steps",
		`for i in 1..100000 return string(1e6000 + i) + string join((for j in 1..100 return "abcdefgh"))`:                                    "steps",
		`distinct values(for i in 1..100000 return i)`:                                                                                       "steps",
		`sort((for i in 1..100000 return -i), function(a, b) some k in 1..100 satisfies a + k < b)`:                                          "steps",
		`replace(string join((for i in 1..20000 return "a")), "a", string join((for i in 1..2000 return "bbbb")))`:                           "too long",
		`(for i in 1..100000 return i)[some x in 1..100 satisfies false]`:                                                                    "steps",
	} {
		program, problems := feel.Compile(formula, nil, feel.Lenient)
		if !assert.NoError(t, problems.Errors(), formula) {
			continue
		}
		frame := &feel.Frame{}
		program.Eval(frame)
		if assert.NotEmpty(t, frame.Failures, formula) {
			assert.Contains(t, frame.Failures[len(frame.Failures)-1].Message, reason, formula)
		}
		_, _ = program.Explain(frame)
	}
}

func TestAFrameIsUsableAfterALimitWasMet(t *testing.T) {
	frame := &feel.Frame{Slots: []feel.Value{feel.IntegerOf(4)}}
	scope := feel.Scope{"x": {Slot: 0, Type: feel.NumberType}}
	endless, problems := feel.Compile(`substring("abc", (function(f) f(f))(function(f) f(f)))`, scope, feel.Lenient)
	require.NoError(t, problems.Errors())
	assert.True(t, endless.Eval(frame).IsNull())
	program, problems := feel.Compile(`sum(for i in 1..x return max(i, 2))`, scope, feel.Strict)
	require.NoError(t, problems.Errors())
	for range 3 {
		assert.Equal(t, "11", program.Eval(frame).String())
	}
}

// Whatever is typed, compiling and running must not panic, what compiles must be
// written so that it reads back as the same tree, and its value too.
func FuzzCompile(f *testing.F) {
	files, err := filepath.Glob("testdata/cases/*.txt")
	require.NoError(f, err)
	for _, file := range files {
		lines(f, file, func(_, line string) {
			formula, _, _ := strings.Cut(line, " => ")
			f.Add(formula)
		})
	}
	f.Fuzz(func(t *testing.T, text string) {
		scope, frame := sample(t)
		_, _ = feel.CompileTests(text, scope, feel.Symbol{Slot: 0, Type: feel.NumberType}, feel.Strict)
		program, problems := feel.Compile(text, scope, feel.Lenient)
		if program == nil {
			require.Error(t, problems.Errors())
			return
		}
		written := feel.Format(program.Root())
		again, problems := feel.Compile(written, scope, feel.Lenient)
		if problems.Errors() != nil {
			t.Fatalf("%q is written as %q, which does not read back: %v", text, written, problems.Errors())
		}
		if shape(again.Root()) != shape(program.Root()) {
			t.Fatalf("%q is written as %q, which is another tree", text, written)
		}
		v := program.Eval(frame)
		if explained, _ := program.Explain(frame); explained.String() != v.String() {
			t.Fatalf("%q gives %s, explained as %s", text, v, explained)
		}
		if strings.Contains(v.String(), "function") || len(v.String()) > feel.MaxLength {
			return // a function is written without what it saw
		}
		back, problems := feel.Compile(v.String(), nil, feel.Lenient)
		if problems.Errors() != nil {
			if strings.Contains(problems.Errors().Error(), "nested") {
				return
			}
			t.Fatalf("%q gives %s, which does not read back: %v", text, v, problems.Errors())
		}
		if got := back.Eval(&feel.Frame{}); !feel.Same(got, v) {
			t.Fatalf("%q gives %s, which reads back as %s", text, v, got)
		}
	})
}
