package feel

import "sync"

type code func(*Frame) Value

// Program is a formula ready to run. It never changes and may be shared.
type Program struct {
	source  string
	root    Node
	nodes   int
	locals  int
	bounded bool
	run     code

	explained sync.Once
	recording code
	told      []Part

	decided   sync.Once
	decisions []*Decision
}

// Compile reads, checks and compiles a formula. The program is nil when the
// problems hold an error; warnings may come with a program.
func Compile(source string, scope Scope, mode Mode) (*Program, Problems) {
	return compile(source, checker{source: source, scope: scope, mode: mode}, (*parser).expression)
}

// CompileTests compiles unary tests (DMN 1.5, section 10.3.1.2, rules 13 to 17):
// tests of one value as they stand in a cell, "< 5, [10..20]" or "not(…)". The
// value is read from the slot; ? names it.
func CompileTests(source string, scope Scope, input Symbol, mode Mode) (*Program, Problems) {
	c := checker{source: source, scope: Scope{Input: input}, mode: mode}
	for name, symbol := range scope {
		c.scope[name] = symbol
	}
	return compile(source, c, (*parser).unaryTests)
}

func compile(source string, c checker, rule func(*parser) Node) (*Program, Problems) {
	root, nodes, problem := parse(source, c.scope.names(), rule)
	if problem != nil {
		return nil, Problems{*problem}
	}
	c.check(root)
	if name, ok := root.(*Name); ok && name.function != nil && c.mode == Strict {
		c.report(root, Error, "unknown-name", name.Text+"()", "%s is a function: write %s(…)", name.Text, name.Text)
	}
	if half, ok := root.(*Test); ok && c.mode == Strict {
		c.report(root, Error, "syntax", "", "what %s compares is missing: write it before %s", half.Operator, half.Operator)
	}
	if c.problems.Errors() != nil {
		return nil, c.problems
	}
	c.suspect(root)
	return &Program{source: source, root: root, nodes: nodes, locals: c.size, bounded: c.bounded, run: compiler{shared: sharedParts(root)}.compile(root)}, c.problems
}

// Eval computes the value of the formula.
func (p *Program) Eval(f *Frame) Value { return p.evaluate(f, p.run) }

func (p *Program) evaluate(f *Frame, run code) Value {
	if len(f.locals) < p.locals {
		f.locals = make([]Value, p.locals)
	}
	if p.bounded {
		return f.bounded(run)
	}
	return run(f)
}

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
		if n.local < 0 && n.symbol.Slot >= 0 {
			return n.symbol.Slot, true
		}
	case *Path:
		if n.symbol != nil && n.symbol.Slot >= 0 {
			return n.symbol.Slot, true
		}
	}
	return 0, false
}

// compiler turns a tree into closures. With record, every closure also keeps its
// value for the explanation, and none of the short ways is taken: so that the
// explanation is a second, plainer computation of the same formula.
type compiler struct {
	record bool
	shared map[Node]bool // see sharedParts
}

func (c compiler) compile(n Node) code {
	run := c.recorded(n)
	if c.shared[n] {
		return c.sharing(n, run)
	}
	return run
}

func (c compiler) recorded(n Node) code {
	var run code
	if isTest(n) {
		test := c.translateTest(n)
		run = func(f *Frame) Value { return test(f).value() }
	} else {
		run = c.translate(n)
	}
	if !c.record {
		return run
	}
	id := n.base().id
	return func(f *Frame) Value {
		v := run(f)
		f.record(id, v)
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
		return readName(n)
	case *Path:
		return c.path(n)
	case *Filter:
		return c.filter(n)
	case *Negate:
		operand := c.compile(n.Operand)
		return func(f *Frame) Value {
			v := operand(f)
			switch v.kind {
			case Number, DayTimeDuration, YearMonthDuration:
				return Value{kind: v.kind, number: v.number.Neg()}
			case Null:
				return NullValue
			}
			return f.fail(n, "only a number or a duration can be negative; this is a "+v.kind.String())
		}
	case *Binary:
		return c.arithmetic(n)
	case *Test:
		return c.half(n)
	case *RangeLiteral:
		return c.rangeLiteral(n)
	case *If:
		condition, then, otherwise := c.compileTest(n.Condition), c.compile(n.Then), c.compile(n.Else)
		return func(f *Frame) Value {
			if condition(f) == yes {
				return then(f)
			}
			return otherwise(f)
		}
	case *For:
		return c.loop(n)
	case *ListLiteral:
		items := c.compileAll(n.Items)
		return func(f *Frame) Value {
			values := make([]Value, len(items))
			for i, item := range items {
				values[i] = item(f)
			}
			return f.made(n, ListOf(values))
		}
	case *ContextLiteral:
		return c.context(n)
	case *Definition:
		body := c.compile(n.Body)
		return func(f *Frame) Value {
			captured := make([]Value, n.first)
			copy(captured, f.locals)
			return Value{kind: Function, object: &function{definition: n, body: body, captured: captured}}
		}
	case *Call:
		return c.call(n)
	}
	return func(*Frame) Value { return NullValue }
}

// readName reads a name where the check found it.
func readName(n *Name) code {
	base := func(*Frame) Value { return NullValue }
	switch {
	case n.local >= 0:
		local := n.local
		base = func(f *Frame) Value { return f.locals[local] }
	case n.symbol.Slot >= 0:
		base = readSlot(n.symbol.Slot)
	case n.function != nil:
		v := Value{kind: Function, object: n.function.value}
		base = func(*Frame) Value { return v }
	}
	if len(n.maybe) == 0 {
		return base
	}
	return func(f *Frame) Value {
		for _, local := range n.maybe {
			if item := f.locals[local]; item.kind == Context {
				if v, found := item.entries().Get(n.Text); found {
					return v
				}
			}
		}
		return base(f)
	}
}

func readSlot(slot int) code {
	if slot >= RowSlot {
		slot -= RowSlot
		return func(f *Frame) Value { return f.Row[slot] }
	}
	return func(f *Frame) Value { return f.Slots[slot] }
}

func (c compiler) path(n *Path) code {
	if n.symbol != nil {
		return readSlot(n.symbol.Slot)
	}
	base, member := c.compile(n.Base), n.Member
	if link := n.link; link != nil {
		return func(f *Frame) Value {
			key := base(f)
			f.spend(n, 4*key.weight())
			return follow(f, link, key, member)
		}
	}
	return func(f *Frame) Value {
		of := base(f)
		if of.kind == List {
			f.spend(n, len(of.items())/4)
		}
		v, found := memberOf(of, member)
		if !found {
			return f.fail(n, "there is no ."+member+" here")
		}
		return v
	}
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

// rangeLiteral makes a range; without one of its ends it is null, as the standard
// has only "< 5" for a range without a bound.
func (c compiler) rangeLiteral(n *RangeLiteral) code {
	low, high, lowOpen, highOpen := c.compile(n.Low), c.compile(n.High), n.LowOpen, n.HighOpen
	return func(f *Frame) Value {
		l, h := low(f), high(f)
		if l.IsNull() || h.IsNull() {
			return NullValue
		}
		if _, ordered := Order(l, h); !ordered {
			return f.fail(n, "a range from a "+l.kind.String()+" to a "+h.kind.String()+" has no order")
		}
		return RangeOf(&Interval{Low: l, High: h, LowOpen: lowOpen, HighOpen: highOpen})
	}
}

// half makes the range of the values for which a comparison holds.
func (c compiler) half(n *Test) code {
	operand, operator := c.compile(n.Operand), n.Operator
	return func(f *Frame) Value {
		v := operand(f)
		if v.IsNull() {
			return NullValue
		}
		if _, ordered := Order(v, v); !ordered {
			return f.fail(n, "a "+v.kind.String()+" has no order")
		}
		switch operator {
		case "<", "<=":
			return RangeOf(&Interval{High: v, LowOpen: true, HighOpen: operator == "<"})
		case ">", ">=":
			return RangeOf(&Interval{Low: v, LowOpen: operator == ">", HighOpen: true})
		}
		return RangeOf(&Interval{Low: v, High: v})
	}
}

// context makes a context; every entry is a local for those after it.
func (c compiler) context(n *ContextLiteral) code {
	keys, entries, first := n.Keys, c.compileAll(n.Values), n.first
	return func(f *Frame) Value {
		values := make([]Value, len(entries))
		for i, entry := range entries {
			values[i] = entry(f)
			f.locals[first+i] = values[i]
		}
		return f.made(n, ContextOf(&Entries{Keys: keys, Values: values}))
	}
}
