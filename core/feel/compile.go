package feel

import (
	"sync"
)

// Frame holds what one evaluation reads and what it reports. A Frame may be used
// for many evaluations, one after the other.
type Frame struct {
	// Slots are the values of the scope's symbols.
	Slots []Value
	// Row are the values of the symbols from RowSlot on: those of one line.
	Row []Value
	// Linked finds linked records; nil: there are none.
	Linked Linked
	// Now is the date and time that now() and today() tell; null when there is no clock.
	Now Value
	// Workday tells which days are worked; nil: Monday to Friday.
	Workday func(date Value) bool
	// Failures are what went wrong where the standard gives null: a division by
	// zero, a text that is no date. Eval appends; the caller empties.
	Failures []Failure

	stack    []Value
	recorded []Value
}

// Failure is something that went wrong while a formula ran, at its place.
type Failure struct {
	Message    string
	Start, End int
}

func (f *Frame) fail(n Node, message string) Value {
	start, end := n.Span()
	f.Failures = append(f.Failures, Failure{message, start, end})
	return NullValue
}

type code func(*Frame) Value

// Program is a formula ready to run. It never changes and may be shared.
type Program struct {
	source string
	root   Node
	nodes  int
	run    code

	explained sync.Once
	recording code
	told      []told
}

// Compile reads, checks and compiles a formula. The program is nil when the
// problems hold an error; warnings may come with a program.
func Compile(source string, scope Scope, mode Mode) (*Program, Problems) {
	root, nodes, problem := parse(source, scope.names())
	if problem != nil {
		return nil, Problems{*problem}
	}
	c := checker{source: source, scope: scope, mode: mode}
	c.check(root)
	if c.problems.Errors() != nil {
		return nil, c.problems
	}
	return &Program{source: source, root: root, nodes: nodes, run: compiler{}.compile(root)}, c.problems
}

// Eval computes the value of the formula.
func (p *Program) Eval(f *Frame) Value { return p.run(f) }

// Source returns the text of the formula.
func (p *Program) Source() string { return p.source }

// Root returns the tree of the formula.
func (p *Program) Root() Node { return p.root }

// Type returns the type of the formula's value.
func (p *Program) Type() Type { return p.root.Type() }

// Reads returns the slots that the formula may read, each once, in the order of the text.
func (p *Program) Reads() []int {
	var slots []int
	seen := map[int]bool{}
	Walk(p.root, func(n Node) {
		if slot, ok := SlotOf(n); ok && !seen[slot] {
			seen[slot] = true
			slots = append(slots, slot)
		}
	})
	return slots
}

// SlotOf returns the slot that a node reads directly; false when it reads none.
func SlotOf(n Node) (int, bool) {
	switch n := n.(type) {
	case *Name:
		if n.symbol.Slot >= 0 {
			return n.symbol.Slot, true
		}
	case *Path:
		if n.symbol != nil && n.symbol.Slot >= 0 {
			return n.symbol.Slot, true
		}
	}
	return 0, false
}

type compiler struct{ record bool }

func (c compiler) compile(n Node) code {
	run := c.translate(n)
	if !c.record {
		return run
	}
	id := n.base().id
	return func(f *Frame) Value {
		v := run(f)
		f.recorded[id] = v
		return v
	}
}

func (c compiler) compileAll(nodes []Node) []code {
	all := make([]code, len(nodes))
	for i, n := range nodes {
		all[i] = c.compile(n)
	}
	return all
}

func (c compiler) translate(n Node) code {
	switch n := n.(type) {
	case *Literal:
		v := n.Value
		return func(*Frame) Value { return v }
	case *Name:
		return readSlot(n.symbol.Slot)
	case *Path:
		if n.symbol != nil {
			return readSlot(n.symbol.Slot)
		}
		base, member := c.compile(n.Base), n.Member
		if link := n.link; link != nil {
			return func(f *Frame) Value { return follow(f, link, base(f), member) }
		}
		return func(f *Frame) Value { return memberOf(base(f), member) }
	case *Negate:
		operand := c.compile(n.Operand)
		return func(f *Frame) Value {
			v := operand(f)
			if v.kind == Number || v.kind == DayTimeDuration || v.kind == YearMonthDuration {
				return Value{kind: v.kind, number: v.number.Neg()}
			}
			return NullValue
		}
	case *Binary:
		return c.binary(n)
	case *Between:
		subject, low, high := c.compile(n.Subject), c.compile(n.Low), c.compile(n.High)
		return func(f *Frame) Value {
			v := subject(f)
			return and(compare(f, n, ">=", v, low(f)), compare(f, n, "<=", v, high(f)))
		}
	case *In:
		return c.in(n)
	case *RangeLiteral:
		low, high, lowOpen, highOpen := c.compile(n.Low), c.compile(n.High), n.LowOpen, n.HighOpen
		return func(f *Frame) Value {
			return RangeOf(&Interval{Low: low(f), High: high(f), LowOpen: lowOpen, HighOpen: highOpen})
		}
	case *If:
		condition, then, otherwise := c.compile(n.Condition), c.compile(n.Then), c.compile(n.Else)
		return func(f *Frame) Value {
			if condition(f).IsTrue() {
				return then(f)
			}
			return otherwise(f)
		}
	case *ListLiteral:
		items := c.compileAll(n.Items)
		return func(f *Frame) Value {
			values := make([]Value, len(items))
			for i, item := range items {
				values[i] = item(f)
			}
			return ListOf(values)
		}
	case *ContextLiteral:
		keys, entries := n.Keys, c.compileAll(n.Values)
		return func(f *Frame) Value {
			values := make([]Value, len(entries))
			for i, entry := range entries {
				values[i] = entry(f)
			}
			return ContextOf(&Entries{Keys: keys, Values: values})
		}
	case *Call:
		return c.call(n)
	}
	return func(*Frame) Value { return NullValue }
}

func readSlot(slot int) code {
	if slot >= RowSlot {
		slot -= RowSlot
		return func(f *Frame) Value { return f.Row[slot] }
	}
	return func(f *Frame) Value { return f.Slots[slot] }
}

// follow reads a field of the record that a key names, or of each that a list of
// keys names.
func follow(f *Frame, link *Link, key Value, field string) Value {
	if key.kind == List {
		values := make([]Value, len(key.items()))
		for i, item := range key.items() {
			values[i] = follow(f, link, item, field)
		}
		return ListOf(values)
	}
	text, ok := key.Text()
	if !ok || f.Linked == nil {
		return NullValue
	}
	return f.Linked.Follow(link.Kind, text, field)
}

func (c compiler) binary(n *Binary) code {
	left, right, operator := c.compile(n.Left), c.compile(n.Right), n.Operator
	switch operator {
	case "and":
		return func(f *Frame) Value {
			l := left(f)
			if l.IsFalse() {
				return False
			}
			return and(l, right(f))
		}
	case "or":
		return func(f *Frame) Value {
			l := left(f)
			if l.IsTrue() {
				return True
			}
			return or(l, right(f))
		}
	case "=", "!=", "<", "<=", ">", ">=":
		return func(f *Frame) Value { return compare(f, n, operator, left(f), right(f)) }
	}
	return func(f *Frame) Value {
		l := left(f)
		v, failure := arithmetic(operator, l, right(f))
		if failure != "" {
			return f.fail(n, failure)
		}
		return v
	}
}

func (c compiler) in(n *In) code {
	subject := c.compile(n.Subject)
	tests := make([]func(*Frame, Value) Value, len(n.Tests))
	for i, test := range n.Tests {
		if t, ok := test.(*Test); ok {
			operand, operator := c.compile(t.Operand), t.Operator
			tests[i] = func(f *Frame, v Value) Value { return compare(f, t, operator, v, operand(f)) }
			continue
		}
		value := c.compile(test)
		tests[i] = func(f *Frame, v Value) Value { return contained(f, test, v, value(f)) }
	}
	return func(f *Frame) Value {
		v := subject(f)
		result := False
		for _, test := range tests {
			result = or(result, test(f, v))
			if result.IsTrue() {
				return True
			}
		}
		return result
	}
}

// contained is the test of v by a value after in: member of a list, inside a
// range, or equal.
func contained(f *Frame, n Node, v, test Value) Value {
	switch {
	case test.kind == Range && v.kind != Range:
		if v.IsNull() {
			return NullValue
		}
		return test.bounds().holds(v)
	case test.kind == List && v.kind != List:
		result := False
		for _, item := range test.items() {
			result = or(result, contained(f, n, v, item))
		}
		return result
	}
	return compare(f, n, "=", v, test)
}

func (c compiler) call(n *Call) code {
	arguments, run, strict := c.compileAll(n.Arguments), n.function.run, !n.function.takesNull
	places := n.function.places(n)
	size := max(len(arguments), len(n.form))
	if places == nil {
		size = len(arguments)
	}
	return func(f *Frame) Value {
		base := len(f.stack)
		for range size {
			f.stack = append(f.stack, NullValue)
		}
		defer func() { f.stack = f.stack[:base] }()
		for i, argument := range arguments {
			v := argument(f)
			if v.IsNull() && strict {
				return NullValue
			}
			place := i
			if places != nil {
				place = places[i]
			}
			f.stack[base+place] = v
		}
		return run(f, n, f.stack[base:base+size:base+size])
	}
}
