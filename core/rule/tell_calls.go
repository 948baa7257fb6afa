package rule

import (
	"strings"

	"codicil/core/feel"
	"codicil/core/field"
)

// callWords is how a call of a function is told: $1 is its first argument.
type callWords struct {
	arguments int
	words     string
	binds     int
}

var calls = map[string]callWords{
	"is blank": {1, "$1 is blank", tellsComparison}, "is filled": {1, "$1 is filled", tellsComparison},
	"contains": {2, "$1 contains $2", tellsComparison}, "starts with": {2, "$1 starts with $2", tellsComparison}, "ends with": {2, "$1 ends with $2", tellsComparison}, "matches": {2, "$1 matches $2", tellsComparison},
	"list contains": {2, "$2 is one of $1", tellsComparison},
	"sum":           {1, "the sum of $1", tellsValue}, "count": {1, "the number of $1", tellsValue}, "mean": {1, "the average of $1", tellsValue}, "min": {1, "the smallest of $1", tellsValue}, "max": {1, "the largest of $1", tellsValue},
	"product": {1, "the product of $1", tellsValue}, "median": {1, "the median of $1", tellsValue},
	"add days": {2, "$2 days after $1", tellsValue}, "add months": {2, "$2 months after $1", tellsValue}, "add workdays": {2, "$2 workdays after $1", tellsValue}, "month end": {1, "the end of the month of $1", tellsValue},
	"date": {1, "the date of $1", tellsValue}, "now": {0, "now", tellsValue},
	"round half up": {2, "$1 rounded to $2 places", tellsValue}, "round up": {2, "$1 rounded up to $2 places", tellsValue}, "round down": {2, "$1 rounded down to $2 places", tellsValue}, "decimal": {2, "$1 rounded to even at $2 places", tellsValue},
	"floor": {1, "$1 rounded down", tellsValue}, "ceiling": {1, "$1 rounded up", tellsValue}, "abs": {1, "$1 as a positive number", tellsValue}, "modulo": {2, "the remainder of $1 ÷ $2", tellsValue}, "sqrt": {1, "the square root of $1", tellsValue},
	"string": {1, "$1 as a text", tellsValue}, "number": {1, "$1 as a number", tellsValue}, "string length": {1, "the length of $1", tellsValue}, "upper case": {1, "$1 in upper case", tellsValue}, "lower case": {1, "$1 in lower case", tellsValue},
	"substring before": {2, "what is before $2 in $1", tellsValue}, "substring after": {2, "what is after $2 in $1", tellsValue}, "increment": {1, "the number after $1", tellsValue}, "distinct values": {1, "the different values of $1", tellsValue},
	"week of year": {1, "the week of $1", tellsValue}, "day of week": {1, "the day of the week of $1", tellsValue}, "month of year": {1, "the month of $1", tellsValue},
}

func (t *teller) call(n *feel.Call) bool {
	if n.Callee != nil || n.ArgumentNames != nil {
		return false
	}
	switch n.Function {
	case "not":
		if in, ok := n.Arguments[0].(*feel.In); ok {
			t.tell(in.Subject, tellsSum)
			t.tests(in, true)
			return true
		}
		t.say(n, "not (")
		t.tell(n.Arguments[0], tellsChoice)
		t.say(n, ")")
		return true
	case "all", "any":
		if len(n.Arguments) > 1 {
			t.say(n, "(")
			for i, a := range n.Arguments {
				if i > 0 {
					t.say(n, map[string]string{"all": " and ", "any": " or "}[n.Function])
				}
				t.tell(a, tellsComparison)
			}
			t.say(n, ")")
			return true
		}
		return false
	case "duration":
		v, _ := feel.Constant(n.Arguments[0])
		text, _ := v.Text()
		if !isDuration.MatchString(text) || !strings.ContainsAny(text, "0123456789") {
			return false
		}
		t.say(n, durationWords(text))
		return true
	case "crosswalk":
		return t.lookUp(n)
	case "min", "max", "sum", "mean":
		if len(n.Arguments) > 1 {
			t.say(n, map[string]string{"min": "the smallest of ", "max": "the largest of ", "sum": "the sum of ", "mean": "the average of "}[n.Function])
			t.several(n, n.Arguments, ", ", " and ")
			return true
		}
	case "substring":
		if v, constant := feel.Constant(n.Arguments[1]); constant && len(n.Arguments) == 3 && v.String() == "1" {
			t.say(n, "the first ")
			t.tell(n.Arguments[2], tellsValue)
			t.say(n, " characters of ")
			t.tell(n.Arguments[0], tellsValue)
			return true
		}
	}
	say, found := calls[n.Function]
	if !found || len(n.Arguments) != say.arguments {
		return false
	}
	var first *field.Field
	if say.arguments > 0 {
		first = t.field(n.Arguments[0])
	}
	rest := say.words
	for rest != "" {
		at := strings.IndexByte(rest, '$')
		if at < 0 {
			t.say(n, rest)
			break
		}
		t.say(n, rest[:at])
		place := int(rest[at+1] - '1')
		argument := n.Arguments[place]
		if _, constant := feel.Constant(argument); constant && place > 0 && say.binds == tellsComparison {
			t.value(argument, first)
		} else {
			t.tell(argument, tellsValue)
		}
		rest = rest[at+2:]
	}
	return true
}

// lookUp tells what a crosswalk gives.
func (t *teller) lookUp(n *feel.Call) bool {
	literal, ok := n.Arguments[0].(*feel.Literal)
	if !ok {
		return false
	}
	key, _ := literal.Value.Text()
	table := t.v.Tables.Crosswalk(key)
	if table == nil || len(n.Arguments)-1 < len(table.Keys) {
		return false
	}
	what := table.Label
	if len(table.Results) > 1 {
		what = table.Results[0].Label + " in " + table.Label
	}
	if len(n.Arguments)-1 > len(table.Keys) {
		last, isText := n.Arguments[len(n.Arguments)-1].(*feel.Literal)
		if !isText {
			return false
		}
		name, _ := last.Value.Text()
		for i := range table.Results {
			if table.Results[i].Key == name && len(table.Results) > 1 {
				what = table.Results[i].Label + " in " + table.Label
			}
		}
	}
	t.say(n, what+" for ")
	t.several(n, n.Arguments[1:1+len(table.Keys)], ", ", " and ")
	return true
}
