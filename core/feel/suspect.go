package feel

import "codicil/core/decimal"

// suspect warns of what is legal in a rule but hardly meant.
func (c *checker) suspect(root Node) {
	if c.mode == Strict {
		c.alwaysTheSame(root, false)
	}
}

// alwaysTheSame warns of conditions that do not depend on anything, or that one field
// decides whatever it holds. It tells of the innermost such condition only. decides
// means that the node itself stands where a condition is asked.
func (c *checker) alwaysTheSame(n Node, decides bool) (told bool) {
	if n.Type().Kind == Boolean && isConstant(n) && (decides || isTest(n)) {
		v := (&Program{root: n, bounded: true, locals: c.size, run: compiler{}.compile(n)}).Eval(&Frame{})
		c.report(n, Warning, "constant", "", "this is always %s, whatever the document holds", v)
		return true
	}
	for _, child := range Children(n) {
		if !isBareTest(n, child) {
			told = c.alwaysTheSame(child, asksCondition(n, child)) || told
		}
	}
	if told || !isTest(n) {
		return told
	}
	for _, slot := range slotsIn(n) {
		field := fieldAt(n, slot)
		constraint := constraintOf(n, slot)
		name := c.source[field.base().start:field.base().end]
		switch {
		case constraint.True.empty(field.Type().Kind) && !constraint.NullTrue:
			c.report(n, Warning, "never", "", "this is never true: no value of %s fits%s", name, neverHint(n))
			return true
		case constraint.False.empty(field.Type().Kind) && !constraint.NullFalse && len(constraint.True) > 0:
			c.report(n, Warning, "always", "", "this is true for every value of %s%s", name, alwaysHint(n))
			return true
		}
	}
	return false
}

// isBareTest tells whether a child is a test after in that is no condition by itself.
func isBareTest(parent, child Node) bool {
	in, ok := parent.(*In)
	return ok && child != in.Subject && !namesInput(child)
}

// asksCondition tells whether a node asks a child whether it is true.
func asksCondition(parent, child Node) bool {
	switch parent := parent.(type) {
	case *Binary:
		return parent.Operator == "and" || parent.Operator == "or"
	case *If:
		return child == parent.Condition
	case *Quantified:
		return child == parent.Condition
	case *Call:
		return parent.Function == "not"
	}
	return false
}

// isConstant tells whether the value of a node is the same in every evaluation.
func isConstant(n Node) bool {
	constant := true
	Walk(n, func(inner Node) {
		switch inner := inner.(type) {
		case *Name:
			constant = false
		case *Path:
			constant = constant && inner.symbol == nil && inner.link == nil
		case *Call:
			constant = constant && inner.Callee == nil && inner.table == nil && inner.Function != "today" && inner.Function != "now" && inner.Function != "add workdays"
		}
	})
	return constant
}

func fieldAt(n Node, slot int) (field Node) {
	Walk(n, func(inner Node) {
		if at, ok := SlotOf(inner); ok && at == slot && field == nil {
			field = inner
		}
	})
	return field
}

func neverHint(n Node) string {
	if b, ok := n.(*Binary); ok && b.Operator == "and" {
		return "; was or meant?"
	}
	return ""
}

func alwaysHint(n Node) string {
	if b, ok := n.(*Binary); ok && b.Operator == "or" {
		return "; was and meant?"
	}
	return ""
}

// percentAmong warns when a percent stands beside a whole number above one, which is
// hardly meant as so many hundred percent.
func (c *checker) percentAmong(subject Type, operands ...Node) {
	if !subject.Percent {
		return
	}
	for _, operand := range operands {
		if list, ok := operand.(*ListLiteral); ok {
			c.percentAmong(subject, list.Items...)
			continue
		}
		v, constant := Constant(operand)
		share := AsShare(v)
		if !constant || share == "" {
			continue
		}
		c.report(operand, Warning, "percent", share, "%s means %s00 %%: a percent is written as its share, so %s %% is %s", v, v, v, share)
		return
	}
}

// AsShare writes a whole number above one as the share that it would be in percent: 5
// as 0.05. "" for any other value, which may well be meant as it stands.
func AsShare(v Value) string {
	number, isNumber := v.Number()
	if !isNumber || number.Abs().Cmp(decimal.FromInt(1)) <= 0 || number.Places() > 0 {
		return ""
	}
	share, _ := number.Quo(decimal.FromInt(100))
	return share.String()
}
