package feel_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"codicil/core/feel"
)

func isTrue(a, b feel.Value) bool { return a.IsTrue() == b.IsTrue() }

// A condition made of its atomic ones comes to what the whole comes to, though each is
// computed by itself.
func TestADecisionComesToWhatItsFormulaComesTo(t *testing.T) {
	atoms := []string{"amount > 5", "rate = 0.19", `country = "IE"`, "active", "is blank(country)", "amount / 0 > 1"}
	var condition func(t *rapid.T, depth int) string
	condition = func(t *rapid.T, depth int) string {
		shape := 3
		if depth > 0 {
			shape = rapid.IntRange(0, 3).Draw(t, "shape")
		}
		switch shape {
		case 0:
			return "not(" + condition(t, depth-1) + ")"
		case 1:
			return "(" + condition(t, depth-1) + " and " + condition(t, depth-1) + ")"
		case 2:
			return "(" + condition(t, depth-1) + " or " + condition(t, depth-1) + ")"
		}
		return rapid.SampledFrom(atoms).Draw(t, "atom")
	}
	rapid.Check(t, func(t *rapid.T) {
		scope, frame := known(t)
		formula := condition(t, 3)
		program, problems := feel.Compile(formula, scope, feel.Strict)
		require.NoError(t, problems.Errors(), formula)
		whole := program.Eval(frame)
		frame.Failures = nil
		d := program.Decisions()[0]
		values := program.Look(d, frame)
		require.Len(t, values, len(program.Conditions()))
		if d.Value(values).String() != whole.String() {
			t.Fatalf("%s is %s, but its conditions come to %s", formula, whole, d.Value(values))
		}
		if len(frame.Failures) > 0 {
			t.Fatalf("looking told %v", frame.Failures)
		}
		for i := range values {
			on, off := append([]feel.Value{}, values...), append([]feel.Value{}, values...)
			on[i], off[i] = feel.True, feel.False
			if d.Decides(values, i, isTrue) != (d.Value(on).IsTrue() != d.Value(off).IsTrue()) {
				t.Fatalf("condition %d of %s", i, formula)
			}
		}
	})
}

func TestTheConditionsOfIfsAreDecisionsToo(t *testing.T) {
	scope := feel.Scope{"a": {Slot: 0, Type: feel.NumberType}, "b": {Slot: 1, Type: feel.BooleanType}}
	program, problems := feel.Compile(`if a > 1 and b then "x" else if a > 0 then "y" else string(count(for i in [1, 2] return if i > a then i else a))`, scope, feel.Strict)
	require.NoError(t, problems.Errors())
	var sizes []int
	for _, d := range program.Decisions() {
		sizes = append(sizes, len(d.Atoms))
	}
	assert.Equal(t, []int{2, 1}, sizes, "that of the loop is there only while the loop runs")
}
