package feel

import (
	"slices"

	"codicil/core/decimal"
)

// suspect warns of what is legal in a rule but hardly meant.
func (c *checker) suspect(root Node) {
	if c.mode != Strict {
		return
	}
	s := suspicion{checker: c, constant: map[Node]bool{}, reads: map[Node][]reader{}}
	s.survey(root)
	if s.alwaysTheSame(root, false); s.analysis.over() {
		c.report(root, Warning, "too-large", "", "this is too large to judge whether parts of it are always or never true")
	}
}

// suspicion looks for conditions that are always the same.
type suspicion struct {
	*checker
	analysis analysis
	constant map[Node]bool     // whether a part is the same in every evaluation
	reads    map[Node][]reader // the slots that a part reads, and a part that reads each
	frame    Frame             // computes constant parts
}

type reader struct {
	slot int
	node Node
}

// survey finds what is constant and what every part reads. Cost: the nodes times the fields
// that the formula reads.
func (s *suspicion) survey(n Node) {
	constant, reads := constantByItself(n), []reader(nil)
	if slot, ok := SlotOf(n); ok {
		reads = []reader{{slot, n}}
	}
	for _, child := range Children(n) {
		s.survey(child)
		constant = constant && s.constant[child]
		for _, r := range s.reads[child] {
			if !slices.ContainsFunc(reads, func(known reader) bool { return known.slot == r.slot }) {
				reads = append(reads, r)
			}
		}
	}
	s.constant[n], s.reads[n] = constant, reads
}

// alwaysTheSame warns of conditions that do not depend on anything, or that one field
// decides whatever it holds. It tells of the innermost such condition only. decides
// means that the node itself stands where a condition is asked.
func (s *suspicion) alwaysTheSame(n Node, decides bool) (told bool) {
	if n.Type().Kind == Boolean && s.constant[n] && (decides || isTest(n)) {
		s.frame.spent = max(s.frame.spent, MaxTotal-MaxSteps/4) // all of them together
		v := (&Program{root: n, bounded: true, locals: s.size, run: compiler{}.compile(n)}).Eval(&s.frame)
		if s.frame.ended {
			return false
		}
		s.report(n, Warning, "constant", "", "this is always %s, whatever the document holds", v)
		return true
	}
	for _, child := range Children(n) {
		if !isBareTest(n, child) {
			told = s.alwaysTheSame(child, asksCondition(n, child)) || told
		}
	}
	if told || !isTest(n) {
		return told
	}
	for _, r := range s.reads[n] {
		constraint := s.analysis.of(n, r.slot)
		if s.analysis.over() {
			return false
		}
		kind := r.node.Type().Kind
		name := s.source[r.node.base().start:r.node.base().end]
		switch {
		case constraint.True.empty(kind) && !constraint.NullTrue:
			s.report(n, Warning, "never", "", "this is never true: no value of %s fits%s", name, neverHint(n))
			return true
		case constraint.False.empty(kind) && !constraint.NullFalse && len(constraint.True) > 0:
			s.report(n, Warning, "always", "", "this is true for every value of %s%s", name, alwaysHint(n))
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

// constantByItself tells whether the value of a node is the same in every evaluation as far as
// the node itself goes.
func constantByItself(n Node) bool {
	switch n := n.(type) {
	case *Name:
		return false
	case *Path:
		return n.symbol == nil && n.link == nil
	case *Call:
		return n.Callee == nil && n.table == nil && n.Function != "today" && n.Function != "now" && n.Function != "add workdays"
	}
	return true
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
