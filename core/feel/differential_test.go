package feel_test

import (
	"bytes"
	"encoding/json"
	"math"
	"math/rand/v2"
	"os"
	"os/exec"
	"reflect"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"codicil/core/feel"
)

// writer makes expressions of a wanted type at random, over the names of the sample.
type writer struct{ *rand.Rand }

func (w writer) pick(choices ...string) string { return choices[w.IntN(len(choices))] }

// one returns one of the forms, made only when it is chosen.
func (w writer) one(forms ...func() string) string { return forms[w.IntN(len(forms))]() }

func (w writer) number(depth int) string {
	if depth <= 0 {
		return w.pick("amount", "rate", "0", "1", "2", "-3", "0.5", "12.25", "7", "x")
	}
	d := depth - 1
	return w.one(
		func() string {
			return "(" + w.number(d) + " " + w.pick("+", "-", "*") + " " + w.number(d) + ")"
		},
		func() string { return "(" + w.number(d) + " / " + w.pick("2", "3", "8", w.number(d)) + ")" },
		func() string { return w.pick("2", "3", "0.5") + " ** " + w.pick("2", "3", "0", "-1") },
		func() string { return "(if " + w.condition(d) + " then " + w.number(d) + " else " + w.number(d) + ")" },
		func() string { return w.pick("floor", "ceiling", "abs") + "(" + w.number(d) + ")" },
		func() string { return "string length(" + w.text(d) + ")" },
		func() string {
			return w.pick("sum", "min", "max", "count", "product", "mean") + "(" + w.numbers(d) + ")"
		},
		func() string { return w.numbers(d) + "[" + w.pick("1", "2", "-1") + "]" },
		func() string { return w.date(d) + "." + w.pick("year", "month", "day", "weekday") },
		func() string { return "modulo(" + w.number(d) + ", " + w.pick("3", "5", "-4") + ")" },
		func() string { return w.context(d) + "." + w.pick("a", "b") },
		func() string { return "(function(p, q) p * q)(" + w.number(d) + ", " + w.number(d) + ")" },
		func() string { return "get value({k: " + w.number(d) + "}, \"k\")" },
		func() string { return "decimal(" + w.number(d) + ", " + w.pick("0", "1", "2") + ")" },
	)
}

func (w writer) text(depth int) string {
	if depth <= 0 {
		return w.pick("country", `"IE"`, `"sea salt"`, `"a"`, `"Ærø"`, `"N30"`)
	}
	d := depth - 1
	return w.one(
		func() string { return "(" + w.text(d) + " + " + w.text(d) + ")" },
		func() string { return w.pick("upper case", "lower case") + "(" + w.text(d) + ")" },
		func() string { return "substring(" + w.text(d) + ` + "xy", ` + w.pick("1", "2", "-1") + ")" },
		func() string { return w.pick("substring before", "substring after") + "(" + w.text(d) + ", \"a\")" },
		func() string { return "(if " + w.condition(d) + " then " + w.text(d) + " else " + w.text(d) + ")" },
		func() string { return "string(" + w.date(d) + ")" },
		func() string { return "replace(" + w.text(d) + `, "[aeiou]", "$0-")` },
		func() string { return `string join([` + w.text(d) + ", " + w.text(d) + `], "; ")` },
		func() string { return "day of week(" + w.date(d) + ")" },
	)
}

func (w writer) date(depth int) string {
	if depth <= 0 {
		return w.pick(`date("2026-11-24")`, `@"2028-02-29"`, `@"2027-01-31"`, "date(2026, 3, 1)")
	}
	d := depth - 1
	return w.one(
		func() string {
			return "(" + w.date(d) + w.pick(" + ", " - ") + w.pick(`duration("P14D")`, `@"P1M"`, `@"P1Y2M"`, `@"-P3D"`) + ")"
		},
		func() string { return "(if " + w.condition(d) + " then " + w.date(d) + " else " + w.date(d) + ")" },
	)
}

func (w writer) numbers(depth int) string {
	if depth <= 0 {
		return w.pick("[1, 2, 3]", "[]", "[5]", "[3, 1, 2, 3]", "prices")
	}
	d := depth - 1
	return w.one(
		func() string { return "[" + w.number(d) + ", " + w.number(d) + "]" },
		func() string { return w.numbers(d) + "[item " + w.pick(">", "<=", "=") + " " + w.number(0) + "]" },
		func() string { return "(for i in " + w.numbers(d) + " return i * " + w.number(0) + ")" },
		func() string { return "(for i in 1..3, j in [10, 20] return i + j)" },
		func() string {
			return "(for i in 1.." + w.pick("4", "-2") + " return if i = 1 then 1 else partial[-1] + i)"
		},
		func() string { return w.pick("reverse", "distinct values", "flatten") + "(" + w.numbers(d) + ")" },
		func() string { return w.pick("concatenate", "union") + "(" + w.numbers(d) + ", " + w.numbers(d) + ")" },
		func() string { return "append(" + w.numbers(d) + ", " + w.number(0) + ")" },
		func() string { return "sort(" + w.numbers(d) + ", function(a, b) a < b)" },
		func() string { return "index of(" + w.numbers(d) + ", 2)" },
		func() string { return "[{v: " + w.number(d) + "}, {v: " + w.number(0) + "}].v" },
		func() string { return "insert before(append(" + w.numbers(d) + ", 8), 1, 9)" },
	)
}

func (w writer) context(depth int) string {
	if depth <= 0 {
		return "{a: 1, b: a + 1}"
	}
	return w.one(
		func() string { return "{a: " + w.number(depth-1) + ", b: a}" },
		func() string { return "context put({a: 1}, \"b\", " + w.number(depth-1) + ")" },
		func() string { return "context merge([{a: 3}, {b: " + w.number(depth-1) + "}])" },
	)
}

func (w writer) condition(depth int) string {
	if depth <= 0 {
		return w.pick("active", "true", "false", "null", "1 < 2")
	}
	d := depth - 1
	return w.one(
		func() string { return "(" + w.condition(d) + " " + w.pick("and", "or") + " " + w.condition(d) + ")" },
		func() string { return "not(" + w.condition(d) + ")" },
		func() string { return w.number(d) + w.pick(" < ", " <= ", " > ", " >= ", " = ", " != ") + w.number(d) },
		func() string { return w.text(d) + w.pick(" = ", " != ", " < ") + w.text(d) },
		func() string { return w.date(d) + w.pick(" < ", " >= ", " = ") + w.date(d) },
		func() string {
			return w.number(d) + " between " + w.pick("-3", "0", "x") + " and " + w.pick("4", "7", "amount")
		},
		func() string {
			return "(" + w.number(d) + " in " + w.pick("[1..5]", "(1..5)", "[0..12.25)", "(1, 2, 7)", "(< 3, > 6)", "> 2", "[1, 2]") + ")"
		},
		func() string { return w.text(d) + ` in ("IE", "DK", "a")` },
		func() string {
			return w.pick("contains", "starts with", "ends with") + "(" + w.text(d) + ", " + w.text(0) + ")"
		},
		func() string {
			return w.pick("some", "every") + " q in " + w.numbers(d) + " satisfies q > " + w.number(0)
		},
		func() string { return "list contains(" + w.numbers(d) + ", " + w.number(0) + ")" },
		func() string { return w.pick("all", "any") + "([" + w.condition(d) + ", " + w.condition(d) + "])" },
		func() string { return w.number(d) + " instance of number" },
		func() string { return w.text(d) + " instance of " + w.pick("string", "number", "Any") },
		func() string { return "matches(" + w.text(d) + `, "^[a-z ]+$")` },
		func() string {
			return w.pick("before", "after", "includes", "overlaps") + "([1..5], " + w.pick("[5..9]", "(5..9]", "[2..3]", "[1..5]") + ")"
		},
		func() string { return "([" + w.number(d) + ", 2] = [" + w.number(d) + ", 2])" },
		func() string { return w.number(d) + " = " + w.pick("null", "1") },
	)
}

const sampleJSON = `{"amount": 1480.25, "rate": 0.19, "x": 4, "country": "IE", "active": true, "prices": [12.5, 3, 40]}`

// disagreements are the ways in which the two interpreters were found to differ, each
// with the clause of DMN 1.5 that decides it. The random expressions keep clear of them.
var disagreements = []struct{ expression, ours, theirs, clause string }{
	{"min(@\"2026-11-24\", @\"2026-03-01\")", `"2026-03-01"`, `null`, "10.3.4.4: min and max take any items that can be compared"},
	{"3 between 5 and 1", `false`, `true`, "10.3.2.7, table 54: e1 >= e2 and e1 <= e3; the ends are not put in order"},
	{"[1] = [1, 2]", `false`, `null`, "10.3.2.3.3, table 42: lists of different length are not equal"},
	{"insert before([], 1, 9)", `null`, `[9]`, "10.3.4.4: a position lies between 1 and the number of items"},
	{"coincides([1..5], [2..3])", `false`, `null`, "10.3.4.11, table 81"},
	{"median([12, 3, 40])", `12`, `3`, "10.3.4.4: the middle of the sorted list"},
	{`substring("a", 2)`, `null`, `""`, "10.3.4.3: the start position lies inside the text"},
	{`"a" < 1`, `null`, `false`, "10.3.2.7, table 53: values of different kinds have no order"},
	{`if "x" then 1 else 2`, `2`, `1`, "10.3.2.7, table 49: only true goes to then"},
	{"[2, null][item != 7]", `[2,null]`, `[2]`, "10.3.2.7, table 51: null != 7 is true"},
	{"during([1..5], [1..9])", `true`, `null`, "10.3.4.11, table 81"},
	{"1/3", `0.3333333333333333333333333333333333`, `0.3333333333333333`, "10.3.2.3.1: 34 digits"},
	{"0.1 + 0.2 = 0.3", `true`, `false`, "10.3.2.3.1: numbers are decimal"},
	{"5 in [1..null]", `null`, `true`, "10.3.2.7, table 55: e1 >= e2 and e1 <= e3"},
	{`range("[1..5]")`, `"[1..5]"`, `null`, "10.3.4.1: range(from)"},
}

func TestAgreesWithAnIndependentInterpreter(t *testing.T) {
	w := writer{rand.New(rand.NewPCG(34, 2026))}
	var expressions []string
	for range 4000 {
		depth := 1 + w.IntN(3)
		expressions = append(expressions, w.one(
			func() string { return w.number(depth) }, func() string { return w.text(depth) }, func() string { return w.date(depth) },
			func() string { return w.numbers(depth) }, func() string { return w.condition(depth) }, func() string { return w.condition(depth) }))
	}
	theirs := feelin(t, expressions)
	for i, expression := range expressions {
		text := ours(t, expression)
		if theirs[i].Error != "" || !near(decoded(t, text), decoded(t, theirs[i].Value)) {
			t.Errorf("%s\n  ours   %s\n  theirs %s %s", expression, text, theirs[i].Value, theirs[i].Error)
		}
	}
}

func TestDisagreementsAreDecidedByTheStandard(t *testing.T) {
	var expressions []string
	for _, d := range disagreements {
		expressions = append(expressions, d.expression)
	}
	theirs := feelin(t, expressions)
	for i, d := range disagreements {
		assert.Equal(t, d.ours, string(ours(t, d.expression)), "%s: %s", d.expression, d.clause)
		assert.Equal(t, d.theirs, string(theirs[i].Value), "%s: the other interpreter has changed; is this still a disagreement?", d.expression)
	}
}

type answer struct {
	Value json.RawMessage
	Error string
}

// feelin computes expressions over the sample with the other interpreter.
func feelin(t *testing.T, expressions []string) []answer {
	_, err := os.Stat("../../web/node_modules/feelin")
	require.NoError(t, err, "the other interpreter is not installed: run npm ci in web, or make test")
	var input bytes.Buffer
	for _, expression := range expressions {
		line, err := json.Marshal(map[string]any{"expression": expression, "context": json.RawMessage(sampleJSON)})
		require.NoError(t, err)
		input.Write(append(line, '\n'))
	}
	command := exec.CommandContext(t.Context(), "node", "tests/feelin.mjs")
	command.Dir, command.Stdin, command.Stderr = "../../web", &input, os.Stderr
	output, err := command.Output()
	require.NoError(t, err)
	var answers []answer
	for line := range bytes.Lines(output) {
		var a answer
		require.NoError(t, json.Unmarshal(line, &a))
		answers = append(answers, a)
	}
	require.Len(t, answers, len(expressions))
	return answers
}

// ours computes an expression over the sample, as JSON.
func ours(t *testing.T, expression string) []byte {
	data, err := feel.FromJSON([]byte(sampleJSON))
	require.NoError(t, err)
	scope, slots := feel.ScopeOf(data)
	program, problems := feel.Compile(expression, scope, feel.Lenient)
	require.NoError(t, problems.Errors(), expression)
	text, err := program.Eval(&feel.Frame{Slots: slots}).MarshalJSON()
	require.NoError(t, err)
	return text
}

func decoded(t *testing.T, text []byte) (v any) {
	require.NoError(t, json.Unmarshal(text, &v))
	return v
}

// near compares values, numbers as the binary floats that they are over there.
func near(a, b any) bool {
	switch a := a.(type) {
	case float64:
		b, ok := b.(float64)
		return ok && math.Abs(a-b) <= 1e-9*math.Max(1, math.Max(math.Abs(a), math.Abs(b)))
	case []any:
		b, ok := b.([]any)
		if !ok || len(a) != len(b) {
			return false
		}
		for i := range a {
			if !near(a[i], b[i]) {
				return false
			}
		}
		return true
	case map[string]any:
		b, ok := b.(map[string]any)
		if !ok || len(a) != len(b) {
			return false
		}
		for key := range a {
			if !near(a[key], b[key]) {
				return false
			}
		}
		return true
	}
	return reflect.DeepEqual(a, b)
}
