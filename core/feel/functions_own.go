package feel

import "strings"

// ownFunctions are ours, named in the manner of the standard.
var ownFunctions = []builtin{
	{name: "is blank", forms: one(anything("value")), result: always(Boolean), takesNull: true, own: true,
		run:  func(_ *Frame, _ Node, a []Value) Value { return BooleanOf(isBlank(a[0])) },
		help: "Whether nothing, or only white space, is there.", example: `is blank(null) = true`},
	{name: "is filled", forms: one(anything("value")), result: always(Boolean), takesNull: true, own: true,
		run:  func(_ *Frame, _ Node, a []Value) Value { return BooleanOf(!isBlank(a[0])) },
		help: "Whether something is there.", example: `is filled("N30") = true`},
	// The check and the compiler know the tables; see crosswalk there.
	{name: crosswalkName, forms: one(text("name"), many(anything("key")), maybe(text("column"))), result: always(Any), own: true,
		help: "Looks a code up in a crosswalk: its first result column, or the column named last.", example: `crosswalk("terms", "N30") = 30`},
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
