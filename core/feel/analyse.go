package feel

// Conditions returns the atomic conditions of a formula: the parts that and, or, not(), all()
// and any() join, in the order of the text.
func (p *Program) Conditions() []Node { return atoms(p.root) }

func atoms(n Node) (found []Node) {
	switch n := n.(type) {
	case *Binary:
		if n.Operator == "and" || n.Operator == "or" {
			return append(atoms(n.Left), atoms(n.Right)...)
		}
	case *Call:
		if n.Function == "not" && len(n.Arguments) == 1 {
			return atoms(n.Arguments[0])
		}
		if _, ok := junction(n); ok {
			for _, argument := range n.Arguments {
				found = append(found, atoms(argument)...)
			}
			return found
		}
	}
	return []Node{n}
}

// Rewrite returns the formula with another text in place of one of its parts. Where
// the new text binds less strongly than the part it is put in parentheses. The error
// says what is wrong with the new text.
func (p *Program) Rewrite(part Node, text string) (string, error) {
	replacement, _, problem := parse(text, nil, (*parser).expression)
	if problem != nil {
		return "", *problem
	}
	if binding(replacement) < binding(part) {
		text = "(" + text + ")"
	}
	start, end := part.Span()
	return p.source[:start] + text + p.source[end:], nil
}

// Constraint is what a formula asks of one field, whatever the others hold.
type Constraint struct {
	// True and False are the values, other than null, for which the formula can be
	// true and false.
	True, False Set
	// NullTrue and NullFalse tell whether it can be true and false when the field
	// is null.
	NullTrue, NullFalse bool
}

// Constraint returns what the formula, a condition, asks of the field in the slot.
// Parts of which that cannot be said count as possible either way, so that what is
// outside the sets is certain.
// So does all of a formula that is too large to judge.
func (p *Program) Constraint(slot int) Constraint {
	a := &analysis{}
	if c := a.of(p.root, slot); !a.over() {
		return c
	}
	return anyConstraint
}

// analysis finds the constraints of the parts of a formula, each once.
type analysis struct {
	found map[asked]Constraint
	work  int // intervals that were put together
}

type asked struct {
	node Node
	slot int
}

// mostWork is how many intervals an analysis puts together: a tenth of a second.
const mostWork = 500_000

func (a *analysis) over() bool { return a.work > mostWork }

var anyConstraint = Constraint{Everything, Everything, true, true}

func (a *analysis) of(n Node, slot int) Constraint {
	at := asked{n, slot}
	if c, found := a.found[at]; found || a.over() {
		return c
	}
	c := a.find(n, slot)
	if a.found == nil {
		a.found = map[asked]Constraint{}
	}
	a.found[at] = c
	a.work += 1 + len(c.True) + len(c.False)
	return c
}

func (a *analysis) find(n Node, slot int) Constraint {
	switch n := n.(type) {
	case *Binary:
		if n.Operator != "and" && n.Operator != "or" {
			break
		}
		l, r := a.of(n.Left, slot), a.of(n.Right, slot)
		if n.Operator == "and" {
			return l.and(r)
		}
		return l.or(r)
	case *Call:
		if joined, ok := junction(n); ok {
			all := a.of(n.Arguments[0], slot)
			for _, argument := range n.Arguments[1:] {
				if c := a.of(argument, slot); joined == "and" {
					all = all.and(c)
				} else {
					all = all.or(c)
				}
			}
			return all
		}
		if n.Function == "not" && len(n.Arguments) == 1 {
			c := a.of(n.Arguments[0], slot)
			return Constraint{c.False, c.True, c.NullFalse, c.NullTrue}
		}
		if len(n.Arguments) == 1 && readsSlot(n.Arguments[0], slot) {
			switch n.Function {
			case "is blank":
				return blankConstraint(n)
			case "is filled":
				c := blankConstraint(n)
				return Constraint{c.False, c.True, false, true}
			}
		}
	}
	if c, ok := atomConstraint(n, func(m Node) bool { return readsSlot(m, slot) }); ok {
		return c
	}
	return anyConstraint
}

func (c Constraint) and(o Constraint) Constraint {
	return Constraint{c.True.Intersection(o.True), c.False.Union(o.False), c.NullTrue && o.NullTrue, c.NullFalse || o.NullFalse}
}

func (c Constraint) or(o Constraint) Constraint {
	return Constraint{c.True.Union(o.True), c.False.Intersection(o.False), c.NullTrue || o.NullTrue, c.NullFalse && o.NullFalse}
}

// junction tells whether a call is all() or any() of separate conditions, which join them as
// and and or do.
func junction(n *Call) (operator string, ok bool) {
	if len(n.Arguments) < 2 || n.Callee != nil {
		return "", false
	}
	operator, ok = map[string]string{"all": "and", "any": "or"}[n.Function]
	return operator, ok
}

// blankConstraint is that of is blank(field): for a text white space is blank too,
// which no interval tells.
func blankConstraint(n *Call) Constraint {
	c := Constraint{True: nil, False: Everything, NullTrue: true}
	if n.Arguments[0].Type().Kind == String || n.Arguments[0].Type().Kind == Any {
		c.True = Set{{Low: StringOf(""), High: StringOf(""), LowOpen: false}}
		c.False = c.True.Complement()
	}
	return c
}

// readsSlot tells whether a node is the field itself.
func readsSlot(n Node, slot int) bool {
	at, ok := SlotOf(n)
	return ok && at == slot && !isDynamic(n)
}

// atomConstraint is that of a comparison with constants of what is told to be the subject.
func atomConstraint(n Node, is func(Node) bool) (Constraint, bool) {
	switch n := n.(type) {
	case *Name, *Path:
		if is(n) && n.Type().Kind == Boolean {
			return Constraint{True: Only(True), False: Only(False)}, true
		}
	case *Binary:
		operator, left, right := n.Operator, n.Left, n.Right
		if is(right) {
			operator, left, right = mirrored(operator), right, left
		}
		if is(left) {
			return comparisonConstraint(operator, right)
		}
	case *Between:
		if is(n.Subject) {
			return rangeConstraint(n.Low, n.High, false, false)
		}
	case *In:
		if is(n.Subject) {
			return membership(n)
		}
	}
	return Constraint{}, false
}

func mirrored(operator string) string {
	if m, ok := map[string]string{"<": ">", "<=": ">=", ">": "<", ">=": "<="}[operator]; ok {
		return m
	}
	return operator
}

// Constant returns the value of a literal, also of a negative number.
func Constant(n Node) (Value, bool) {
	switch n := n.(type) {
	case *Literal:
		return n.Value, true
	case *Negate:
		if v, ok := Constant(n.Operand); ok && v.kind == Number {
			return NumberOf(v.number.Neg()), true
		}
	}
	return NullValue, false
}

func comparisonConstraint(operator string, operand Node) (Constraint, bool) {
	v, constant := Constant(operand)
	if !constant {
		return Constraint{}, false
	}
	equality := operator == "=" || operator == "!="
	if v.IsNull() {
		if !equality {
			return Constraint{}, true // never true and never false
		}
		c := Constraint{False: Everything, NullTrue: true}
		if operator == "!=" {
			c = Constraint{True: Everything, NullFalse: true}
		}
		return c, true
	}
	var holds Set
	switch operator {
	case "=", "!=":
		holds = Only(v)
	case "<", "<=":
		holds = Set{{High: v, LowOpen: true, HighOpen: operator == "<"}}
	case ">", ">=":
		holds = Set{{Low: v, LowOpen: operator == ">", HighOpen: true}}
	default:
		return Constraint{}, false
	}
	if operator == "!=" {
		return Constraint{True: holds.Complement(), False: holds, NullTrue: true}, true
	}
	return Constraint{True: holds, False: holds.Complement(), NullFalse: equality}, true
}

func rangeConstraint(low, high Node, lowOpen, highOpen bool) (Constraint, bool) {
	l, constant := Constant(low)
	h, constantToo := Constant(high)
	if !constant || !constantToo || l.IsNull() || h.IsNull() {
		return Constraint{}, false
	}
	from, _ := comparisonConstraint(fromOperator(lowOpen), low)
	to, _ := comparisonConstraint(toOperator(highOpen), high)
	return Constraint{True: from.True.Intersection(to.True), False: from.False.Union(to.False)}, true
}

// membership is that of field in (tests), all of them constants, ranges and comparisons.
func membership(n *In) (Constraint, bool) {
	tests := n.Tests
	if list, ok := tests[0].(*ListLiteral); ok && len(tests) == 1 {
		tests = list.Items
	}
	all := Constraint{False: Everything, NullFalse: true}
	for _, t := range tests {
		var c Constraint
		var ok bool
		switch t := t.(type) {
		case *Test:
			c, ok = comparisonConstraint(t.Operator, t.Operand)
		case *RangeLiteral:
			c, ok = rangeConstraint(t.Low, t.High, t.LowOpen, t.HighOpen)
		default:
			c, ok = comparisonConstraint("=", t)
		}
		if !ok {
			return Constraint{}, false
		}
		all = Constraint{all.True.Union(c.True), all.False.Intersection(c.False), all.NullTrue || c.NullTrue, all.NullFalse && c.NullFalse}
	}
	return all, true
}
