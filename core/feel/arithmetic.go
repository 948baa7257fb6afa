package feel

import "codicil/core/decimal"

// arithmetic compiles left operator right for + - * / **. Numbers take the
// shortest way.
func (c compiler) arithmetic(n *Binary) code {
	left, right, operator := c.compile(n.Left), c.compile(n.Right), n.Operator
	general := func(f *Frame, l, r Value) Value {
		if operator == "**" {
			f.spend(n, costly)
		}
		v, failure := arithmetic(operator, l, r)
		if failure != "" {
			return f.fail(n, failure)
		}
		if v.kind == String {
			return f.made(n, v)
		}
		return v
	}
	operation := map[string]func(a, b decimal.Number) (decimal.Number, bool){
		"+": decimal.Number.Add, "-": decimal.Number.Sub, "*": decimal.Number.Mul,
	}[operator]
	if operation == nil || c.record {
		return func(f *Frame) Value { return general(f, left(f), right(f)) }
	}
	return func(f *Frame) Value {
		l, r := left(f), right(f)
		if l.kind == Number && r.kind == Number {
			if result, ok := operation(l.number, r.number); ok {
				return Value{kind: Number, number: result}
			}
		}
		return general(f, l, r)
	}
}
