package feel_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"codicil/core/feel"
)

// Computing what is the same in every line once changes nothing: neither the values, nor what
// fails, nor what an explanation tells.
func TestPartsThatLinesShareComeToTheSame(t *testing.T) {
	scope := feel.Scope{
		"xs":   {Slot: 0, Type: feel.ListType(feel.NumberType)},
		"t":    {Slot: 1, Type: feel.NumberType},
		"line": {Slot: -1, Members: map[string]feel.Symbol{"x": {Slot: feel.RowSlot, Type: feel.NumberType}}},
	}
	var programs []*feel.Program
	for _, formula := range []string{
		`sum(xs) + line.x`, `count(xs[item > line.x])`, `count(xs[item > t]) + line.x`, `some y in xs satisfies y = line.x`, `(some y in xs satisfies y = t) and line.x > 1`,
		`if line.x > 1 then sum(xs) / 0 else max(xs)`, `max(xs) / t - max(line.x, t)`, `for x in xs return x * t`, `sum(xs) > 3 or line.x = 1`, `line.x in xs`, `(function(f) f(line.x) + sum(xs))(function(y) y + sum(xs))`,
		`{a: sum(xs), b: a + line.x}.b`, `xs[1] + line.x`, `count(for y in xs, z in [line.x, t] return y + z)`, `string(xs) + string(line.x)`,
	} {
		program, problems := feel.Compile(formula, scope, feel.Lenient)
		require.NoError(t, problems.Errors(), formula)
		programs = append(programs, program)
	}
	number := rapid.Map(rapid.IntRange(0, 3), func(i int) feel.Value {
		if i == 0 {
			return feel.NullValue
		}
		return feel.IntegerOf(int64(i))
	})
	rapid.Check(t, func(rt *rapid.T) {
		draw := func() []feel.Value {
			return []feel.Value{feel.ListOf(rapid.SliceOfN(number, 0, 4).Draw(rt, "xs")), number.Draw(rt, "t")}
		}
		frame := &feel.Frame{Slots: draw(), Row: []feel.Value{feel.NullValue}}
		aside := draw()
		frame.NextRound()
		compare := func() {
			program := rapid.SampledFrom(programs).Draw(rt, "program")
			plain := &feel.Frame{Slots: frame.Slots, Row: frame.Row}
			frame.Failures = frame.Failures[:0]
			if rapid.Bool().Draw(rt, "explained") {
				got, steps := program.Explain(frame)
				want, told := program.Explain(plain)
				assert.Equal(rt, want.String(), got.String(), program.Source())
				require.Len(rt, steps, len(told), program.Source())
				for i := range told {
					assert.Equal(rt, told[i].Text+" "+told[i].Value.String(), steps[i].Text+" "+steps[i].Value.String())
				}
			} else {
				assert.Equal(rt, program.Eval(plain).String(), program.Eval(frame).String(), program.Source())
			}
			assert.Len(rt, frame.Failures, len(plain.Failures), program.Source())
		}
		rt.Repeat(map[string]func(*rapid.T){
			"compute": func(*rapid.T) { compare() },
			"another line": func(*rapid.T) {
				frame.Row = []feel.Value{number.Draw(rt, "x")}
				compare()
			},
			"another round": func(*rapid.T) {
				frame.Slots, aside = draw(), draw()
				frame.NextRound()
			},
			"with other values aside": func(*rapid.T) {
				frame.Aside(func() feel.Value {
					defer func(now []feel.Value) { frame.Slots = now }(frame.Slots)
					frame.Slots = aside
					compare()
					return feel.NullValue
				})
			},
		})
	})
}

func TestAValueIsToldInBrief(t *testing.T) {
	for formula, want := range map[string]string{
		`"abc"`: "abc", `"abcdefghijkl"`: "abcdefghi…", `[1, 2]`: "[1, 2]", `for i in 1..100 return i`: "a list of 100", `["abcdefg", "hijklmn"]`: "a list of 2",
		`string join(for i in 1..100 return "é")`: "ééééééééé…", `123456789.123`: "123456789…",
	} {
		assert.Equal(t, want, literal(t, formula).Brief(10), formula)
	}
}
