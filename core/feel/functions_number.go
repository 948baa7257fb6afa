package feel

import (
	"fmt"

	"codicil/core/decimal"
)

// numberFunctions are those of DMN 1.5, section 10.3.4.5.
var numberFunctions = []builtin{
	{name: "decimal", forms: one(number("n"), number("scale")), result: always(Number), run: rounding(decimal.HalfEven),
		help: "Rounds to a number of places; a tie goes to the even digit.", example: `decimal(2.345, 2) = 2.34`},
	{name: "round half up", forms: one(number("n"), number("scale")), result: always(Number), run: rounding(decimal.HalfUp),
		help: "Rounds to a number of places; a tie goes away from zero.", example: `round half up(2.345, 2) = 2.35`},
	{name: "round half down", forms: one(number("n"), number("scale")), result: always(Number), run: rounding(decimal.HalfDown),
		help: "Rounds to a number of places; a tie goes towards zero.", example: `round half down(2.345, 2) = 2.34`},
	{name: "round up", forms: one(number("n"), number("scale")), result: always(Number), run: rounding(decimal.Up),
		help: "Rounds away from zero.", example: `round up(1.121, 2) = 1.13`},
	{name: "round down", forms: one(number("n"), number("scale")), result: always(Number), run: rounding(decimal.Down),
		help: "Rounds towards zero.", example: `round down(1.129, 2) = 1.12`},
	{name: "floor", forms: one(number("n"), maybe(number("scale"))), result: always(Number), run: rounding(decimal.Floor),
		help: "The next lower whole number, or number of so many places.", example: `floor(1.9) = 1`},
	{name: "ceiling", forms: one(number("n"), maybe(number("scale"))), result: always(Number), run: rounding(decimal.Ceiling),
		help: "The next higher whole number, or number of so many places.", example: `ceiling(1.1) = 2`},
	{name: "abs", forms: one(anything("n")), result: sameAs, run: func(f *Frame, n Node, a []Value) Value {
		v := single(a[0])
		if v.kind != Number && !isDuration(v.kind) {
			return f.fail(n, "abs needs a number or a duration")
		}
		return Value{kind: v.kind, number: v.number.Abs()}
	}, help: "The value without its sign.", example: `abs(-5) = 5`},
	{name: "modulo", forms: one(number("dividend"), number("divisor")), result: always(Number), run: modulo,
		help: "The remainder of a division; it has the sign of the divisor.", example: `modulo(12, 5) = 2`},
	{name: "sqrt", forms: one(number("number")), result: always(Number), long: true, run: onNumber(decimal.Number.Sqrt, "a negative number has no square root"),
		help: "The square root.", example: `sqrt(16) = 4`},
	{name: "log", forms: one(number("number")), result: always(Number), long: true, run: onNumber(decimal.Number.Ln, "only a number above zero has a logarithm"),
		help: "The natural logarithm.", example: `decimal(log(10), 8) = 2.30258509`},
	{name: "exp", forms: one(number("number")), result: always(Number), long: true, run: onNumber(decimal.Number.Exp, "the result is out of range"),
		help: "e to the power of the number.", example: `decimal(exp(1), 8) = 2.71828183`},
	{name: "odd", forms: one(number("number")), result: always(Boolean), run: parity(true),
		help: "Whether a whole number is odd.", example: `odd(5) = true`},
	{name: "even", forms: one(number("number")), result: always(Boolean), run: parity(false),
		help: "Whether a whole number is even.", example: `even(4) = true`},
}

// sameAs is the type of the one argument.
func sameAs(types []Type) Type {
	if len(types) == 1 {
		return types[0]
	}
	return AnyType
}

func onNumber(compute func(decimal.Number) (decimal.Number, bool), failure string) run {
	return func(f *Frame, n Node, a []Value) Value {
		if a[0].kind != Number {
			return f.fail(n, "a number is needed; this is a "+a[0].kind.String())
		}
		f.spend(n, costly)
		result, ok := compute(a[0].number)
		if !ok {
			return f.fail(n, failure)
		}
		return NumberOf(result)
	}
}

func parity(odd bool) run {
	return func(f *Frame, n Node, a []Value) Value {
		if a[0].kind != Number {
			return f.fail(n, "a number is needed; this is a "+a[0].kind.String())
		}
		rest, _ := a[0].number.Mod(decimal.FromInt(2))
		if !rest.IsWhole() {
			return f.fail(n, "only a whole number is odd or even")
		}
		return BooleanOf((rest.Sign() != 0) == odd)
	}
}

func rounding(mode decimal.Mode) run {
	return func(f *Frame, n Node, a []Value) Value {
		places := int64(0)
		if len(a) > 1 && !a[1].IsNull() {
			whole := false
			places, whole = a[1].number.Int64()
			if a[1].kind != Number || !whole || places > decimal.MaxPlaces || places < decimal.MinPlaces {
				return f.fail(n, fmt.Sprintf("the scale must be a whole number of places from %d to %d", decimal.MinPlaces, decimal.MaxPlaces))
			}
		}
		if a[0].kind != Number {
			return f.fail(n, "only a number can be rounded")
		}
		return NumberOf(a[0].number.Round(int(places), mode))
	}
}

func modulo(f *Frame, n Node, a []Value) Value {
	if a[0].kind != Number || a[1].kind != Number {
		return f.fail(n, "modulo needs two numbers")
	}
	rest, ok := a[0].number.Mod(a[1].number)
	if !ok {
		return f.fail(n, "division by zero")
	}
	return NumberOf(rest)
}
