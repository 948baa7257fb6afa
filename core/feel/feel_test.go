package feel_test

import (
	"bufio"
	"fmt"
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"codicil/core/feel"
)

// sample is the scope that the cases in testdata are written against.
func sample(t testing.TB) (feel.Scope, *feel.Frame) {
	t.Helper()
	data, err := feel.FromJSON([]byte(`{"amount": 1480.25, "rate": 0.19, "country": "IE", "name": null, "active": true, "due": null,
		"codes": ["A", "B"], "vendor": {"terms": "N30", "bank": {"iban": "IE29"}}}`))
	require.NoError(t, err)
	scope, slots := feel.ScopeOf(data)
	slots[scope["due"].Slot] = feel.MustDate("2026-11-24")
	scope["due"] = feel.Symbol{Slot: scope["due"].Slot, Type: feel.DateType}
	scope["name"] = feel.Symbol{Slot: scope["name"].Slot, Type: feel.StringType, Label: "Vendor name"}
	return scope, &feel.Frame{Slots: slots, Now: literal(t, `@"2026-11-24T10:15:00"`)}
}

func literal(t testing.TB, text string) feel.Value {
	t.Helper()
	program, problems := feel.Compile(text, nil, feel.Lenient)
	require.NoError(t, problems.Errors(), text)
	return program.Eval(&feel.Frame{})
}

func TestCases(t *testing.T) {
	scope, frame := sample(t)
	file, err := os.Open("testdata/cases.txt")
	require.NoError(t, err)
	defer func() { _ = file.Close() }()
	lines := bufio.NewScanner(file)
	for number := 1; lines.Scan(); number++ {
		line := lines.Text()
		if line == "" || strings.HasPrefix(line, "#") {
			continue
		}
		if formula, want, isError := strings.Cut(line, " !! "); isError {
			_, problems := feel.Compile(formula, scope, feel.Strict)
			if assert.Error(t, problems.Errors(), "line %d: %s", number, line) {
				message, place, _ := strings.Cut(strings.TrimSuffix(want, "]"), " [")
				p := problems[0]
				assert.Contains(t, p.Message, message, "line %d: %s", number, line)
				assert.Equal(t, place, fmt.Sprintf("%d:%d", p.Line, p.Column), "line %d: %s", number, line)
			}
			continue
		}
		at := strings.LastIndex(line, " => ")
		require.Positive(t, at, "line %d", number)
		program, problems := feel.Compile(line[:at], scope, feel.Lenient)
		if assert.NoError(t, problems.Errors(), "line %d: %s", number, line) {
			assert.Equal(t, line[at+4:], program.Eval(frame).String(), "line %d: %s", number, line)
			explained, _ := program.Explain(frame)
			assert.Equal(t, program.Eval(frame).String(), explained.String(), "line %d: the explanation gives another value", number)
		}
	}
	require.NoError(t, lines.Err())
}

func TestEveryExampleOfTheReferenceIsTrue(t *testing.T) {
	_, frame := sample(t)
	for _, f := range feel.Functions() {
		program, problems := feel.Compile(f.Example, nil, feel.Strict)
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
		"1" + strings.Repeat(" in (1", 3000),
	} {
		assert.NotPanics(t, func() { feel.Compile(text, nil, feel.Lenient) })
	}
	_, problems := feel.Compile(strings.Repeat("(", 5000), nil, feel.Lenient)
	assert.ErrorContains(t, problems.Errors(), "nested")
}

// Whatever is typed, compiling and running must not panic, and the written value
// of what compiles must read back as the same value.
func FuzzCompile(f *testing.F) {
	cases, err := os.ReadFile("testdata/cases.txt")
	require.NoError(f, err)
	for line := range strings.Lines(string(cases)) {
		formula, _, _ := strings.Cut(strings.TrimSuffix(line, "\n"), " => ")
		f.Add(formula)
	}
	f.Fuzz(func(t *testing.T, text string) {
		scope, frame := sample(t)
		program, problems := feel.Compile(text, scope, feel.Lenient)
		if program == nil {
			require.Error(t, problems.Errors())
			return
		}
		v := program.Eval(frame)
		back, problems := feel.Compile(v.String(), nil, feel.Lenient)
		if problems.Errors() != nil {
			t.Fatalf("%q gives %s, which does not read back: %v", text, v, problems.Errors())
		}
		if got := back.Eval(&feel.Frame{}); !feel.Same(got, v) {
			t.Fatalf("%q gives %s, which reads back as %s", text, v, got)
		}
	})
}
