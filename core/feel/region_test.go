package feel_test

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"codicil/core/feel"
)

// within tells whether a region lets values of subjects through.
func within(region feel.Region, values map[string]feel.Value) bool {
	for _, box := range region {
		inside := true
		for name, side := range box {
			v := values[name]
			inside = inside && (v.IsNull() && side.Null || !v.IsNull() && side.Values.Contains(v))
		}
		if inside {
			return true
		}
	}
	return false
}

// conditionOf draws a condition over a number, a text and a yes or no.
func conditionOf(depth int) *rapid.Generator[string] {
	return rapid.Custom(func(t *rapid.T) string {
		if depth > 0 {
			switch rapid.IntRange(0, 5).Draw(t, "form") {
			case 0, 1:
				operator := rapid.SampledFrom([]string{"and", "or"}).Draw(t, "operator")
				return fmt.Sprintf("(%s %s %s)", conditionOf(depth-1).Draw(t, "left"), operator, conditionOf(depth-1).Draw(t, "right"))
			case 2:
				return "not(" + conditionOf(depth-1).Draw(t, "of") + ")"
			case 3:
				return fmt.Sprintf("(if %s then %s else %s)", conditionOf(depth-1).Draw(t, "if"), conditionOf(depth-1).Draw(t, "then"), conditionOf(depth-1).Draw(t, "else"))
			}
		}
		number := func() int { return rapid.IntRange(0, 4).Draw(t, "number") }
		text := func() string { return rapid.SampledFrom([]string{"a", "b", "c"}).Draw(t, "text") }
		return rapid.SampledFrom([]func() string{
			func() string {
				return fmt.Sprintf("n %s %d", rapid.SampledFrom([]string{"<", "<=", ">", ">=", "=", "!="}).Draw(t, "operator"), number())
			},
			func() string { return fmt.Sprintf("%d < n", number()) },
			func() string { return fmt.Sprintf("n between %d and %d", number(), number()) },
			func() string { return fmt.Sprintf("n in (%d, > %d)", number(), number()) },
			func() string { return fmt.Sprintf("s in (%q, %q)", text(), text()) },
			func() string { return fmt.Sprintf("s = %q", text()) },
			func() string { return fmt.Sprintf("%q != s", text()) },
			func() string { return "is blank(n)" },
			func() string { return "is filled(s)" },
			func() string { return "b" },
			func() string { return "s != null" },
			func() string { return rapid.SampledFrom([]string{"true", "false", "null"}).Draw(t, "constant") },
		}).Draw(t, "atom")()
	})
}

var regionScope = feel.Scope{
	"n": {Slot: 0, Type: feel.NumberType}, "s": {Slot: 1, Type: feel.StringType}, "b": {Slot: 2, Type: feel.BooleanType},
}

// cases are all values that the property tries.
func cases(visit func(*feel.Frame, map[string]feel.Value)) {
	numbers := []feel.Value{feel.NullValue}
	for i := range 6 {
		numbers = append(numbers, feel.IntegerOf(int64(i)))
	}
	for _, n := range numbers {
		for _, s := range []feel.Value{feel.NullValue, feel.StringOf("a"), feel.StringOf("b"), feel.StringOf("c"), feel.StringOf("d")} {
			for _, b := range []feel.Value{feel.NullValue, feel.True, feel.False} {
				visit(&feel.Frame{Slots: []feel.Value{n, s, b}}, map[string]feel.Value{"n": n, "s": s, "b": b})
			}
		}
	}
}

// A region of a condition holds just the values for which the condition comes to the outcome, and
// what is left of one region without another is in the first and not in the second.
func TestARegionIsWhereAConditionIsSo(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		compile := func(name string) *feel.Program {
			text := conditionOf(3).Draw(t, name)
			p, problems := feel.Compile(text, regionScope, feel.Lenient)
			require.NotNil(t, p, "%s: %v", text, problems)
			return p
		}
		one, other := compile("one"), compile("other")
		regions := &feel.Regions{}
		is := map[feel.Outcome]func(feel.Value) bool{
			feel.IsTrue: feel.Value.IsTrue, feel.IsFalse: feel.Value.IsFalse,
			feel.NotTrue:  func(v feel.Value) bool { return !v.IsTrue() },
			feel.NotFalse: func(v feel.Value) bool { return !v.IsFalse() },
		}
		of := map[feel.Outcome]feel.Region{}
		for outcome := range is {
			of[outcome] = regions.Of(one.Root(), outcome)
		}
		theirs := regions.Of(other.Root(), feel.IsTrue)
		left, both := regions.Without(of[feel.IsTrue], theirs), regions.And(of[feel.IsTrue], theirs)
		if regions.Over {
			t.Skip("too much to judge")
		}
		cases(func(f *feel.Frame, values map[string]feel.Value) {
			v, w := one.Eval(f), other.Eval(f)
			for outcome, so := range is {
				require.Equal(t, so(v), within(of[outcome], values), "outcome %d of %v", outcome, values)
			}
			require.Equal(t, v.IsTrue() && !w.IsTrue(), within(left, values), "without, of %v", values)
			require.Equal(t, v.IsTrue() && w.IsTrue(), within(both, values), "and, of %v", values)
		})
		for _, box := range of[feel.IsTrue] {
			for name, side := range box {
				v, ok := regions.Pick(name, side)
				require.True(t, ok)
				require.True(t, v.IsNull() && side.Null || side.Values.Contains(v), "%s of %s is not within %v", v, name, side)
			}
		}
	})
}
