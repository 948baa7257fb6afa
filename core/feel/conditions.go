package feel

// truth is the value of a condition: no, yes or, for null, unknown.
type truth uint8

const (
	no truth = iota
	yes
	unknown
)

func (t truth) value() Value {
	switch t {
	case no:
		return False
	case yes:
		return True
	}
	return NullValue
}

func truthOf(holds bool) truth {
	if holds {
		return yes
	}
	return no
}

// and is three-valued: no wins over unknown, unknown over yes (DMN 1.5, table 50).
func (t truth) and(o truth) truth {
	switch {
	case t == no || o == no:
		return no
	case t == yes && o == yes:
		return yes
	}
	return unknown
}

// or is three-valued: yes wins over unknown, unknown over no (DMN 1.5, table 50).
func (t truth) or(o truth) truth {
	switch {
	case t == yes || o == yes:
		return yes
	case t == no && o == no:
		return no
	}
	return unknown
}

// asTruth reads a value as a condition. What is neither true, false nor null is
// null, and said so.
func (f *Frame) asTruth(n Node, v Value) truth {
	switch v.kind {
	case Boolean:
		return truthOf(v.number.Sign() != 0)
	case Null:
		return unknown
	}
	f.fail(n, "a condition that is true or false is needed; this is a "+v.kind.String())
	return unknown
}

// test is a condition ready to run, without the detour over values.
type test func(*Frame) truth

// isTest tells whether the value of a node is a condition by its form.
func isTest(n Node) bool {
	switch n := n.(type) {
	case *Binary:
		switch n.Operator {
		case "and", "or", "=", "!=", "<", "<=", ">", ">=":
			return true
		}
	case *Between, *In, *Quantified, *InstanceOf:
		return true
	}
	return false
}

// compileTest compiles a node as a condition.
func (c compiler) compileTest(n Node) test {
	if !isTest(n) || c.shared[n] {
		run := c.compile(n)
		return func(f *Frame) truth { return f.asTruth(n, run(f)) }
	}
	run := c.translateTest(n)
	if !c.record {
		return run
	}
	id := n.base().id
	return func(f *Frame) truth {
		t := run(f)
		f.record(id, t.value())
		return t
	}
}

func (c compiler) translateTest(n Node) test {
	switch n := n.(type) {
	case *Binary:
		switch n.Operator {
		case "and":
			left, right := c.compileTest(n.Left), c.compileTest(n.Right)
			return func(f *Frame) truth {
				l := left(f)
				if l == no {
					return no
				}
				return l.and(right(f))
			}
		case "or":
			left, right := c.compileTest(n.Left), c.compileTest(n.Right)
			return func(f *Frame) truth {
				l := left(f)
				if l == yes {
					return yes
				}
				return l.or(right(f))
			}
		}
		return c.comparison(n, n.Operator, n.Left, n.Right)
	case *Between:
		return c.between(n, n.Subject, n.Low, n.High, false, false)
	case *In:
		return c.in(n)
	case *Quantified:
		return c.quantified(n)
	case *InstanceOf:
		operand, wanted := c.compile(n.Operand), n.Wanted
		return func(f *Frame) truth { return truthOf(instanceOf(operand(f), wanted)) }
	}
	panic("feel: no condition")
}

// outcomes says, for an operator, which results of comparing its sides make it true.
var outcomes = map[string][3]truth{
	"=": {no, yes, no}, "!=": {yes, no, yes},
	"<": {yes, no, no}, "<=": {yes, yes, no}, ">": {no, no, yes}, ">=": {no, yes, yes},
}

// comparison compiles left operator right. A field beside a number or a text is by
// far the most frequent condition, and gets the shortest way.
func (c compiler) comparison(n Node, operator string, left, right Node) test {
	accepted := outcomes[operator]
	if slot, isField := SlotOf(left); isField && !c.record && !isDynamic(left) {
		if short := fieldAndLiteral(n, operator, slot, right); short != nil {
			return short
		}
	}
	l, r := c.compile(left), c.compile(right)
	if c.record {
		return func(f *Frame) truth { return compare(f, n, operator, l(f), r(f)) }
	}
	return func(f *Frame) truth {
		a, b := l(f), r(f)
		if a.kind == Number && b.kind == Number {
			return accepted[1+a.number.Cmp(b.number)]
		}
		return compare(f, n, operator, a, b)
	}
}

// fieldAndLiteral compares the value of a slot with a number or a text; nil where the
// right side is neither.
func fieldAndLiteral(n Node, operator string, slot int, right Node) test {
	literal, isLiteral := right.(*Literal)
	if !isLiteral {
		return nil
	}
	row := slot >= RowSlot
	if row {
		slot -= RowSlot
	}
	v, accepted := literal.Value, outcomes[operator]
	switch {
	case v.kind == Number:
		return func(f *Frame) truth {
			field := f.at(slot, row)
			if field.kind == Number {
				return accepted[1+field.number.Cmp(v.number)]
			}
			return compare(f, n, operator, *field, v)
		}
	case v.kind == String && (operator == "=" || operator == "!="):
		text, equal := v.text(), operator == "="
		return func(f *Frame) truth {
			field := f.at(slot, row)
			if field.kind == String {
				return truthOf((field.text() == text) == equal)
			}
			return compare(f, n, operator, *field, v)
		}
	}
	return nil
}

func (f *Frame) at(slot int, row bool) *Value {
	if row {
		return &f.Row[slot]
	}
	return &f.Slots[slot]
}

func isDynamic(n Node) bool {
	name, ok := n.(*Name)
	return ok && len(name.maybe) > 0
}

// compare applies = != < <= > >= (DMN 1.5, tables 51 to 53).
func compare(f *Frame, n Node, operator string, a, b Value) truth {
	if operator == "=" || operator == "!=" {
		if a.kind != b.kind && !a.IsNull() && !b.IsNull() && !(isDuration(a.kind) && isDuration(b.kind)) {
			f.fail(n, "a "+a.kind.String()+" cannot be compared with a "+b.kind.String())
			return unknown
		}
		f.spend(n, a.burden())
		return truthOf(Same(a, b) == (operator == "="))
	}
	if a.IsNull() || b.IsNull() {
		return unknown
	}
	order, ok := Order(a, b)
	if !ok {
		f.fail(n, "a "+a.kind.String()+" cannot be compared with a "+b.kind.String()+zoneHint(a, b))
		return unknown
	}
	return outcomes[operator][1+order]
}

func zoneHint(a, b Value) string {
	if a.kind == b.kind && (a.zone() == nil) != (b.zone() == nil) {
		return ": only one of them has a time zone"
	}
	return ""
}

// between compiles subject >= low and subject <= high, with open ends without the =.
func (c compiler) between(n, subject, low, high Node, lowOpen, highOpen bool) test {
	value := c.compile(subject)
	within := c.within(n, low, high, lowOpen, highOpen)
	return func(f *Frame) truth { return within(f, value(f)) }
}

// valueTest is a test of a value that is already computed.
type valueTest func(*Frame, Value) truth

func fromOperator(open bool) string {
	if open {
		return ">"
	}
	return ">="
}

func toOperator(open bool) string {
	if open {
		return "<"
	}
	return "<="
}

func (c compiler) within(n, low, high Node, lowOpen, highOpen bool) valueTest {
	from, to := fromOperator(lowOpen), toOperator(highOpen)
	lowest, highest := c.compile(low), c.compile(high)
	a, b := outcomes[from], outcomes[to]
	r, isRange := n.(*RangeLiteral)
	return func(f *Frame, v Value) truth {
		l, h := lowest(f), highest(f)
		if isRange && c.record && !l.IsNull() && !h.IsNull() {
			f.record(r.id, RangeOf(&Interval{l, h, lowOpen, highOpen}))
		}
		if v.kind == Number && l.kind == Number && h.kind == Number {
			return a[1+v.number.Cmp(l.number)].and(b[1+v.number.Cmp(h.number)])
		}
		return compare(f, n, from, v, l).and(compare(f, n, to, v, h))
	}
}
