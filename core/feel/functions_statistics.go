package feel

import (
	"slices"

	"codicil/core/decimal"
)

// statisticsFunctions are the aggregates of DMN 1.5, section 10.3.4.4.
var statisticsFunctions = []builtin{
	{name: "sum", forms: numbers(), result: always(Number), run: onNumbers(func(f *Frame, n Node, numbers []decimal.Number) Value {
		return total(f, n, numbers, decimal.Zero, decimal.Number.Add)
	}), help: "The sum of numbers.", example: `sum([1.1, 2.2]) = 3.3`},
	{name: "product", forms: numbers(), result: always(Number), run: onNumbers(func(f *Frame, n Node, numbers []decimal.Number) Value {
		return total(f, n, numbers, decimal.FromInt(1), decimal.Number.Mul)
	}), help: "The product of numbers.", example: `product([2, 3, 4]) = 24`},
	{name: "mean", forms: numbers(), result: always(Number), run: onNumbers(mean),
		help: "The average of numbers.", example: `mean([1, 2, 6]) = 3`},
	{name: "median", forms: numbers(), result: always(Number), run: onNumbers(median),
		help: "The number in the middle.", example: `median([8, 2, 5, 3, 4]) = 4`},
	{name: "stddev", forms: numbers(), result: always(Number), run: onNumbers(deviation),
		help: "The standard deviation of a sample.", example: `decimal(stddev([2, 4, 7, 5]), 4) = 2.0817`},
	{name: "mode", forms: numbers(), result: func([]Type) Type { return ListType(NumberType) }, takesNull: true, run: mode,
		help: "The most frequent numbers, from the least.", example: `mode([6, 3, 9, 6, 6]) = [6]`},
	{name: "min", forms: [][]parameter{{list("list")}, {many(anything("value"))}}, result: ofItems, run: extreme(-1),
		help: "The least value.", example: `min(3, 1, 2) = 1`},
	{name: "max", forms: [][]parameter{{list("list")}, {many(anything("value"))}}, result: ofItems, run: extreme(1),
		help: "The greatest value.", example: `max(3, 1, 2) = 3`},
}

func numbers() [][]parameter {
	return [][]parameter{{of("list", List)}, {many(number("number"))}}
}

// ofItems is the type of one of the values.
func ofItems(types []Type) Type {
	if len(types) == 0 {
		return AnyType
	}
	if len(types) == 1 && types[0].Kind == List {
		return types[0].element()
	}
	return *joined(types).Element
}

// onNumbers runs an aggregate. Over nothing, or where one of the numbers is blank, it
// is null.
func onNumbers(run func(*Frame, Node, []decimal.Number) Value) run {
	return func(f *Frame, n Node, a []Value) Value {
		numbers, ok := numbersOf(f, n, a)
		if !ok || len(numbers) == 0 {
			return NullValue
		}
		return run(f, n, numbers)
	}
}

func numbersOf(f *Frame, n Node, a []Value) ([]decimal.Number, bool) {
	items := itemsOf(a)
	f.spend(n, len(items)) // numbers of 34 digits take a microsecond to add
	numbers := make([]decimal.Number, len(items))
	for i, item := range items {
		switch item.kind {
		case Number:
			numbers[i] = item.number
		case Null:
			return nil, false // a blank operand is no failure
		default:
			f.fail(n, "numbers are needed; one is a "+item.kind.String())
			return nil, false
		}
	}
	return numbers, true
}

func total(f *Frame, n Node, numbers []decimal.Number, start decimal.Number, join func(a, b decimal.Number) (decimal.Number, bool)) Value {
	for _, number := range numbers {
		var ok bool
		if start, ok = join(start, number); !ok {
			return f.fail(n, "the result is out of range")
		}
	}
	return NumberOf(start)
}

func mean(f *Frame, n Node, numbers []decimal.Number) Value {
	sum := total(f, n, numbers, decimal.Zero, decimal.Number.Add)
	if sum.IsNull() {
		return sum
	}
	average, _ := sum.number.Quo(decimal.FromInt(int64(len(numbers))))
	return NumberOf(average)
}

func median(f *Frame, n Node, numbers []decimal.Number) Value {
	slices.SortFunc(numbers, decimal.Number.Cmp)
	middle := len(numbers) / 2
	if len(numbers)%2 == 1 {
		return NumberOf(numbers[middle])
	}
	return mean(f, n, numbers[middle-1:middle+1])
}

func deviation(f *Frame, n Node, numbers []decimal.Number) Value {
	if len(numbers) < 2 {
		return f.fail(n, "a standard deviation needs at least two numbers")
	}
	average := mean(f, n, numbers)
	if average.IsNull() {
		return average
	}
	f.spend(n, 8*len(numbers))
	squares := decimal.Zero
	for _, number := range numbers {
		difference := number.Minus(average.number)
		square, ok := difference.Mul(difference)
		if !ok {
			return f.fail(n, "the result is out of range")
		}
		squares = squares.Plus(square)
	}
	variance, _ := squares.Quo(decimal.FromInt(int64(len(numbers) - 1)))
	root, _ := variance.Sqrt()
	return NumberOf(root)
}

func mode(f *Frame, n Node, a []Value) Value {
	if len(a) == 1 && a[0].IsNull() {
		return NullValue
	}
	numbers, ok := numbersOf(f, n, a)
	if !ok {
		return NullValue
	}
	slices.SortFunc(numbers, decimal.Number.Cmp)
	most, run := 0, 0
	frequent := []Value{}
	for i, number := range numbers {
		if run++; i == 0 || number.Cmp(numbers[i-1]) != 0 {
			run = 1
		}
		switch {
		case run > most:
			most, frequent = run, []Value{NumberOf(number)}
		case run == most:
			frequent = append(frequent, NumberOf(number))
		}
	}
	return ListOf(frequent)
}

func extreme(sign int) run {
	return func(f *Frame, n Node, a []Value) Value {
		items := itemsOf(a)
		if len(items) == 0 || hasNull(items) {
			return NullValue
		}
		best := single(items[0])
		if _, ok := Order(best, best); !ok {
			return f.fail(n, "a "+best.kind.String()+" has no order")
		}
		for _, item := range items[1:] {
			item = single(item)
			c, ok := Order(item, best)
			if !ok {
				return f.fail(n, "these values have no common order")
			}
			if c*sign > 0 {
				best = item
			}
		}
		return best
	}
}
