package feel_test

import (
	"fmt"
	"runtime"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"codicil/core/feel"
)

// slow is far past what any formula may take: what is not bounded takes minutes, so that a
// starved machine does not fail.
const slow = 90 * time.Second

// underRace tells that the race detector runs, which makes work without goroutines ten times
// slower and finds nothing in it.
var underRace bool

// Work that was once unbounded in time, or in the length of the formula.
func TestNoFormulaTakesLong(t *testing.T) {
	if underRace {
		t.Skip("run without the race detector")
	}
	pairs := make([]string, 420)
	for i := range pairs {
		pairs[i] = fmt.Sprintf(`(amount = %d and country = "%d")`, i, i)
	}
	for name, formula := range map[string]string{
		"a regular expression over a long text":   `matches(string join(for i in 1..100000 return "aaaaaaaaaa"), "(a?){1000}b")`,
		"one that is made anew":                   `count(for i in 1..100000 return matches("a", "(a?){900}" + string(i)))`,
		"workdays of a calendar":                  `count(for i in 1..1000 return add workdays(date("2020-01-01"), 19999))`,
		"an or of many pairs":                     strings.Join(pairs, " or "),
		"a sum of many":                           strings.Join(pairs[:400], " and ") + " or active",
		"constants that take long":                strings.Repeat(`amount = 1 or count(for i in 1..100000, j in 1..2 return i) = 0 or `, 60) + "active",
		"domains that are made and not gone into": `count(for i in 1..50000 return some j in 1..100000 satisfies true)`,
		"members of a list, again and again":      `{a: for i in 1..30000 return {b: i}, c: for i in 1..30000 return count(a.b)}.c[1]`,
		"equal texts":                             `{a: string join(for i in 1..60000 return "aaaaaaaaaa"), b: for i in 1..30 return a + string(i), c: count(for i in 1..5000 return list contains(b, a))}.c`,
		"equal contexts":                          `{a: for i in 1..200 return {key: string(i), value: i}, b: for i in 1..400 return context(a), c: count(distinct values(b))}.c`,
		"numbers with many digits":                `number(string join(for i in 1..100000 return "123456789")) = 1`,
		"a number in a text":                      `increment(string join(for i in 1..100000 return "123456789")) = "1"`,
		"powers":                                  `count(for i in 1..100000 return 1.000000001 ** (i + 0.123456789))`,
		"a deviation":                             `count(for i in 1..1000 return stddev(for j in 1..1000 return j / 7))`,
		"an order":                                `count(for i in 1..100 return sort(for j in 1..10000 return modulo(j * 7919, 10007)))`,
		"texts that are written":                  `{a: for i in 1..50000 return {key: i}, b: count(for i in 1..100 return string(a))}.b`,
		"texts that are replaced":                 `count(for i in 1..1000 return replace(string join(for j in 1..20000 return "ab"), "a", "a long text to put in"))`,
		"names that are near":                     strings.Repeat("abcdefghij ", 1500) + "= 1",
	} {
		t.Run(name, func(t *testing.T) {
			scope, frame := sample(t)
			frame.Workday = func(feel.Value) bool { return true }
			start := time.Now()
			program, problems := feel.Compile(formula, scope, feel.Strict)
			if program != nil {
				program.Eval(frame)
				_, _ = program.Explain(frame)
			} else {
				assert.Error(t, problems.Errors())
			}
			assert.Less(t, time.Since(start), slow)
		})
	}
}

func TestWhatNobodyWaitsForStops(t *testing.T) {
	program, problems := feel.Compile(`count(for i in 1..1000, j in 1..100 return i)`, nil, feel.Strict)
	require.NoError(t, problems.Errors())
	done := make(chan struct{})
	frame := &feel.Frame{Done: done}
	assert.Equal(t, "100000", program.Eval(frame).String())
	close(done)
	assert.True(t, program.Eval(frame).IsNull())
	require.NotEmpty(t, frame.Failures)
	assert.Contains(t, frame.Failures[0].Message, "stopped")
}

func TestTheFormulasOfADocumentAreBoundedTogether(t *testing.T) {
	short, problems := feel.Compile(`count(for i in 1..10 return i)`, nil, feel.Strict)
	require.NoError(t, problems.Errors())
	frame := &feel.Frame{}
	frame.Spent(feel.MaxTotal)
	assert.True(t, short.Eval(frame).IsNull())
	require.NotEmpty(t, frame.Failures)
	assert.Contains(t, frame.Failures[0].Message, "formulas of this document")
	frame.Reset()
	assert.Equal(t, "10", short.Eval(frame).String())
}

// heavy draws formulas of what takes time and room, one in the other.
func heavy(t *rapid.T, depth int) string {
	count := rapid.SampledFrom([]string{"10", "1000", "100000"}).Draw(t, "count")
	if depth == 0 {
		return rapid.SampledFrom([]string{"1", `"abc"`, "amount", "codes", "[1, 2, 3]", "1..100", "123456789.123456789", `@"2026-11-24"`, "name", "{a: 1}"}).Draw(t, "leaf")
	}
	inner := func() string { return heavy(t, depth-1) }
	switch rapid.IntRange(0, 15).Draw(t, "form") {
	case 0:
		return "(for i in 1.." + count + " return " + inner() + ")"
	case 1:
		return "(some i in 1.." + count + " satisfies " + inner() + " = i)"
	case 2:
		return "string join(for i in 1.." + count + " return string(" + inner() + "))"
	case 3:
		return "(for i in " + inner() + ", j in " + inner() + " return [i, j])"
	case 4:
		return "distinct values(flatten([" + inner() + ", " + inner() + "]))"
	case 5:
		return "matches(string(" + inner() + "), \"(a?b|[0-9]*){20}c\")"
	case 6:
		return "(for i in 1.." + count + " return if i = 1 then " + inner() + " else partial[-1])"
	case 7:
		return "sort(for i in 1.." + count + " return " + inner() + ", function(a, b) string(a) < string(b))"
	case 8:
		return "{x: " + inner() + ", y: for i in 1.." + count + " return x, z: y = " + inner() + "}"
	case 9:
		return "replace(string(" + inner() + "), \"[0-9]\", string(" + inner() + "))"
	case 10:
		return "split(string(" + inner() + "), \"1\")"
	case 11:
		return "[" + inner() + ", " + inner() + "][item != " + inner() + "]"
	case 12:
		return "concatenate([" + inner() + "], for i in 1.." + count + " return " + inner() + ")"
	case 13:
		return "index of(for i in 1.." + count + " return " + inner() + ", " + inner() + ")"
	case 14:
		return "(1.0000001 + count([" + inner() + "])) ** 12345.678"
	default:
		return "context merge(for i in 1.." + count + " return {a: " + inner() + ", b: i})"
	}
}

// Whatever a person writes ends soon, and needs little room.
func TestHeavyFormulasEnd(t *testing.T) {
	if underRace {
		t.Skip("run without the race detector")
	}
	drawn := rapid.Custom(func(rt *rapid.T) string { return heavy(rt, rapid.IntRange(1, 4).Draw(rt, "depth")) })
	for seed := range 40 {
		formula := drawn.Example(seed)
		scope, frame := sample(t)
		program, _ := feel.Compile(formula, scope, feel.Lenient)
		if program == nil {
			continue
		}
		var before, after runtime.MemStats
		runtime.ReadMemStats(&before)
		start := time.Now()
		program.Eval(frame)
		assert.Less(t, time.Since(start), slow, formula)
		runtime.ReadMemStats(&after)
		assert.Less(t, (after.TotalAlloc-before.TotalAlloc)>>20, uint64(600), "megabytes that %s makes", formula)
	}
}
