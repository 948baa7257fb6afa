package feel

// Decision is a condition in a formula, made of atomic conditions: of the whole formula, or
// of an if in it that stands in no loop and no function.
type Decision struct {
	Root  Node
	Atoms []Node
	code  []code
}

// Decisions returns the decisions of a formula: first the whole, where it is a condition,
// then the conditions of its ifs, in the order of the text.
func (p *Program) Decisions() []*Decision {
	p.decided.Do(func() {
		add := func(root Node) {
			d := &Decision{Root: root, Atoms: atoms(root)}
			for _, atom := range d.Atoms {
				d.code = append(d.code, compiler{}.compile(atom))
			}
			p.decisions = append(p.decisions, d)
		}
		if p.root.Type().Kind == Boolean {
			add(p.root)
		}
		p.branches(p.root, add)
	})
	return p.decisions
}

func (p *Program) branches(n Node, add func(Node)) {
	switch n := n.(type) {
	case *For, *Quantified, *Filter, *Definition:
		return // what they read is there only while they run
	case *If:
		add(n.Condition)
	}
	for _, child := range Children(n) {
		p.branches(child, add)
	}
}

// Look computes every atomic condition of a decision of the formula, also those that the
// formula itself would not have looked at. What fails is null, and is not told.
func (p *Program) Look(d *Decision, f *Frame) []Value {
	failures := len(f.Failures)
	values := make([]Value, len(d.code))
	for i, run := range d.code {
		values[i] = p.evaluate(f, run)
	}
	f.Failures = f.Failures[:failures]
	return values
}

// Value is what the decision comes to when its atomic conditions have the values.
func (d *Decision) Value(values []Value) Value {
	at := 0
	return decide(d.Root, values, &at)
}

func decide(n Node, values []Value, at *int) Value {
	switch n := n.(type) {
	case *Binary:
		if n.Operator == "and" || n.Operator == "or" {
			l, r := truthAt(decide(n.Left, values, at)), truthAt(decide(n.Right, values, at))
			if n.Operator == "and" {
				return l.and(r).value()
			}
			return l.or(r).value()
		}
	case *Call:
		if n.Function == "not" && len(n.Arguments) == 1 {
			switch inner := decide(n.Arguments[0], values, at); {
			case inner.IsTrue():
				return False
			case inner.IsFalse():
				return True
			}
			return NullValue
		}
		if joined, ok := junction(n); ok {
			all := truthAt(decide(n.Arguments[0], values, at))
			for _, argument := range n.Arguments[1:] {
				if t := truthAt(decide(argument, values, at)); joined == "and" {
					all = all.and(t)
				} else {
					all = all.or(t)
				}
			}
			return all.value()
		}
	}
	*at++
	return values[*at-1]
}

func truthAt(v Value) truth {
	switch {
	case v.IsTrue():
		return truthOf(true)
	case v.IsFalse():
		return truthOf(false)
	}
	return unknown
}

// Decides tells whether the atomic condition at the place decides: whether with it turned
// the decision would come out otherwise, the others being as they are. same tells whether two
// outcomes count as the same: for a when, null is not true.
func (d *Decision) Decides(values []Value, place int, same func(a, b Value) bool) bool {
	turned := append([]Value{}, values...)
	turned[place] = True
	on := d.Value(turned)
	turned[place] = False
	return !same(on, d.Value(turned))
}
