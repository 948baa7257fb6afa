package feel

// rangeFunctions are those of DMN 1.5, section 10.3.4.11 (table 81), and range() of
// 10.3.4.1.
var rangeFunctions = []builtin{
	{name: "range", forms: one(text("from")), result: always(Range), run: toRange,
		help: "Reads a text as a range.", example: `range("[18..21)") = [18..21)`},
	relation("before", [][]parameter{points, pointInRange, rangeAndPoint, ranges}, "Whether the first lies wholly before the second.", `before([1..5], 10) = true`, func(a, b span) bool {
		return less(a.high, b.low) || (equal(a.high, b.low) && !(a.high.included && b.low.included))
	}),
	relation("after", [][]parameter{points, pointInRange, rangeAndPoint, ranges}, "Whether the first lies wholly after the second.", `after(10, [1..5]) = true`, func(a, b span) bool {
		return less(b.high, a.low) || (equal(b.high, a.low) && !(b.high.included && a.low.included))
	}),
	relation("meets", [][]parameter{ranges}, "Whether the first ends where the second starts.", `meets([1..5], [5..10]) = true`, meets),
	relation("met by", [][]parameter{ranges}, "Whether the first starts where the second ends.", `met by([5..10], [1..5]) = true`, func(a, b span) bool { return meets(b, a) }),
	relation("overlaps", [][]parameter{ranges}, "Whether the two have a value in common.", `overlaps([1..5], [3..8]) = true`, overlaps),
	relation("overlaps before", [][]parameter{ranges}, "Whether the first starts before the second and ends inside it.", `overlaps before([1..5], [3..8]) = true`, overlapsBefore),
	relation("overlaps after", [][]parameter{ranges}, "Whether the first starts inside the second and ends after it.", `overlaps after([3..8], [1..5]) = true`, func(a, b span) bool { return overlapsBefore(b, a) }),
	relation("finishes", [][]parameter{pointInRange, ranges}, "Whether the first ends with the second and starts in it.", `finishes([5..10], [1..10]) = true`, finishes),
	relation("finished by", [][]parameter{rangeAndPoint, ranges}, "Whether the second ends with the first and starts in it.", `finished by([1..10], 10) = true`, func(a, b span) bool { return finishes(b, a) }),
	relation("includes", [][]parameter{rangeAndPoint, ranges}, "Whether the second lies inside the first.", `includes([1..10], 5) = true`, includes),
	relation("during", [][]parameter{pointInRange, ranges}, "Whether the first lies inside the second.", `during(5, [1..10]) = true`, func(a, b span) bool { return includes(b, a) }),
	relation("starts", [][]parameter{pointInRange, ranges}, "Whether the first starts with the second and ends in it.", `starts([1..5], [1..10]) = true`, starts),
	relation("started by", [][]parameter{rangeAndPoint, ranges}, "Whether the second starts with the first and ends in it.", `started by([1..10], 1) = true`, func(a, b span) bool { return starts(b, a) }),
	relation("coincides", [][]parameter{points, ranges}, "Whether the two are the same.", `coincides([1..5], [1..5]) = true`, func(a, b span) bool {
		return equal(a.low, b.low) && equal(a.high, b.high) && a.low.included == b.low.included && a.high.included == b.high.included
	}),
}

// The forms of the functions of ranges.
var (
	points        = []parameter{anything("point1"), anything("point2")}
	pointInRange  = []parameter{anything("point"), of("range", Range)}
	rangeAndPoint = []parameter{of("range", Range), anything("point")}
	ranges        = []parameter{of("range1", Range), of("range2", Range)}
)

// edge is an end of a range; infinite is -1 or 1 where the range has no bound.
type edge struct {
	value    Value
	infinite int
	included bool
}

// span is a range, or a single value as a range of one.
type span struct{ low, high edge }

func spanOf(v Value) span {
	if v.kind != Range {
		return span{edge{v, 0, true}, edge{v, 0, true}}
	}
	b := v.bounds()
	s := span{edge{b.Low, 0, !b.LowOpen}, edge{b.High, 0, !b.HighOpen}}
	if b.Low.IsNull() {
		s.low = edge{infinite: -1}
	}
	if b.High.IsNull() {
		s.high = edge{infinite: 1}
	}
	return s
}

func less(a, b edge) bool {
	if a.infinite != 0 || b.infinite != 0 {
		return a.infinite < b.infinite
	}
	c, _ := Order(a.value, b.value)
	return c < 0
}

func equal(a, b edge) bool { return !less(a, b) && !less(b, a) }

// touches: two equal ends that both belong to their ranges.
func touches(a, b edge) bool { return equal(a, b) && a.included && b.included }

func meets(a, b span) bool { return touches(a.high, b.low) }

func overlaps(a, b span) bool {
	return (less(b.low, a.high) || touches(a.high, b.low)) && (less(a.low, b.high) || touches(a.low, b.high))
}

// startsBy: a starts with b or before it; endsBy: a ends with b or before it.
func startsBy(a, b edge) bool {
	return less(a, b) || (equal(a, b) && (a.included || !b.included))
}

func endsBy(a, b edge) bool {
	return less(a, b) || (equal(a, b) && (!a.included || b.included))
}

func overlapsBefore(a, b span) bool {
	return (less(a.low, b.low) || (equal(a.low, b.low) && a.low.included && !b.low.included)) &&
		(less(b.low, a.high) || touches(a.high, b.low)) && endsBy(a.high, b.high)
}

func finishes(a, b span) bool {
	return equal(a.high, b.high) && a.high.included == b.high.included && startsBy(b.low, a.low)
}

func includes(a, b span) bool { return startsBy(a.low, b.low) && endsBy(b.high, a.high) }

func starts(a, b span) bool {
	return equal(a.low, b.low) && a.low.included == b.low.included && endsBy(a.high, b.high)
}

// relation makes the function that tells whether two ranges or values stand so to
// each other.
func relation(name string, forms [][]parameter, help, example string, holds func(a, b span) bool) builtin {
	return builtin{name: name, forms: forms, result: always(Boolean), help: help, example: example,
		run: func(f *Frame, n Node, a []Value) Value {
			x, y := spanOf(single(a[0])), spanOf(single(a[1]))
			kinds := map[Kind]bool{}
			for _, e := range []edge{x.low, x.high, y.low, y.high} {
				if e.infinite == 0 {
					kinds[e.value.kind] = true
					if _, ordered := Order(e.value, e.value); !ordered {
						return f.fail(n, "a "+e.value.kind.String()+" has no order")
					}
				}
			}
			if len(kinds) > 1 {
				return f.fail(n, "these values have no common order")
			}
			return BooleanOf(holds(x, y))
		}}
}

// toRange reads a range of literals. What stands in the text is never computed.
func toRange(f *Frame, n Node, a []Value) Value {
	text, _ := a[0].Text()
	root, _, problem := parse(text, nil, (*parser).expression)
	if problem != nil {
		return f.fail(n, quote(text)+" is no range: write it as [1..5]")
	}
	var low, high Node
	interval := &Interval{}
	switch r := root.(type) {
	case *RangeLiteral:
		low, high, interval.LowOpen, interval.HighOpen = r.Low, r.High, r.LowOpen, r.HighOpen
	case *Test:
		switch r.Operator {
		case "<", "<=":
			high, interval.LowOpen, interval.HighOpen = r.Operand, true, r.Operator == "<"
		case ">", ">=":
			low, interval.LowOpen, interval.HighOpen = r.Operand, r.Operator == ">", true
		}
	}
	ok := low != nil || high != nil
	for end, into := range map[Node]*Value{low: &interval.Low, high: &interval.High} {
		if end != nil {
			v, constant := constantEnd(end)
			*into = v
			ok = ok && constant
		}
	}
	if ok && low != nil && high != nil {
		_, ok = Order(interval.Low, interval.High)
	}
	if !ok {
		return f.fail(n, quote(text)+" is no range: write it as [1..5]")
	}
	return RangeOf(interval)
}

// constantEnd reads the end of a range that is written as a text: a literal, a negative
// number, or a conversion of a literal text as in date("2026-11-24").
func constantEnd(n Node) (Value, bool) {
	switch n := n.(type) {
	case *Literal:
		return n.Value, !n.Value.IsNull()
	case *Negate:
		v, ok := constantEnd(n.Operand)
		return Value{kind: v.kind, number: v.number.Neg()}, ok && (v.kind == Number || isDuration(v.kind))
	case *Call:
		text := ""
		if len(n.Arguments) == 1 {
			text, _ = literalText(n.Arguments[0])
		}
		read := map[string]func(string) (Value, bool){"date": ParseDate, "time": parseTime, "date and time": ParseDateTime, "duration": parseDuration}[n.Function]
		if read != nil {
			return read(text)
		}
	}
	return NullValue, false
}
