package feel

import (
	"math/big"
	"strings"
)

// ownFunctions are ours, named in the manner of the standard.
var ownFunctions = []builtin{
	{name: "is blank", forms: one(anything("value")), result: always(Boolean), takesNull: true, own: true,
		run:  func(_ *Frame, _ Node, a []Value) Value { return BooleanOf(isBlank(a[0])) },
		help: "Whether nothing, or only white space, is there.", example: `is blank(null) = true`},
	{name: "is filled", forms: one(anything("value")), result: always(Boolean), takesNull: true, own: true,
		run:  func(_ *Frame, _ Node, a []Value) Value { return BooleanOf(!isBlank(a[0])) },
		help: "Whether something is there.", example: `is filled("N30") = true`},
	{name: "increment", forms: one(text("text"), maybe(number("step"))), result: always(String), own: true, run: increment,
		help: "The text with the last number in it counted on by 1, or by a step; zeros before it stay. Null without a number.", example: `increment("INV-0099/A") = "INV-0100/A"`},
	// The check and the compiler know the tables; see crosswalk there.
	{name: crosswalkName, forms: one(text("name"), many(anything("key")), maybe(text("column"))), result: always(Any), own: true,
		help: "Looks a code up in a crosswalk: its first result column, or the column named last.", example: `crosswalk("terms", "N30") = 30`},
}

// increment counts the last run of digits in a text on.
func increment(f *Frame, n Node, a []Value) Value {
	text, step := a[0].text(), int64(1)
	if len(a) > 1 && !a[1].IsNull() {
		whole, ok := a[1].number.Int64()
		if !ok {
			return f.fail(n, "the step is a whole number")
		}
		step = whole
	}
	end := strings.LastIndexAny(text, "0123456789") + 1
	if end == 0 {
		return f.fail(n, "there is no number in "+quote(text))
	}
	begin := end
	for begin > 0 && text[begin-1] >= '0' && text[begin-1] <= '9' {
		begin--
	}
	if end-begin > longestNumber {
		return f.fail(n, "the number in the text is too long")
	}
	count, ok := new(big.Int).SetString(text[begin:end], 10)
	if !ok || count.Add(count, big.NewInt(step)).Sign() < 0 {
		return f.fail(n, "the number in "+quote(text)+" would fall below 0")
	}
	digits := count.String()
	return StringOf(text[:begin] + strings.Repeat("0", max(0, end-begin-len(digits))) + digits + text[end:])
}

func isBlank(v Value) bool {
	switch v.kind {
	case Null:
		return true
	case String:
		return strings.TrimSpace(v.text()) == ""
	case List:
		return len(v.items()) == 0
	}
	return false
}
