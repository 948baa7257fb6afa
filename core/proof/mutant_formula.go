package proof

import (
	"fmt"
	"slices"
	"strings"

	"codicil/core/feel"
	"codicil/core/field"
	"codicil/core/rule"
)

// condition makes wrong versions of a condition.
func (m *mutation) condition(part string, program *feel.Program, source string, write func(*rule.Body, string)) {
	if program == nil {
		return
	}
	rewrite := func(change string, node feel.Node, text string) {
		if whole, err := program.Rewrite(node, text); err == nil {
			m.add(change, func(b *rule.Body) { write(b, whole) })
		}
	}
	text := func(n feel.Node) string { start, end := n.Span(); return source[start:end] }
	decision := program.Decisions()[0]
	for _, atom := range decision.Atoms {
		was := text(atom)
		for _, changed := range m.variants(atom, source) {
			rewrite(m.became(was, changed), atom, changed)
		}
		rewrite(fmt.Sprintf("“%s” were turned round", m.c.Words(was)), atom, "not("+was+")")
	}
	if part == "when" && len(decision.Atoms) == 1 {
		m.add("it acted always", func(b *rule.Body) { b.When = "" })
	}
	joins(decision.Root, func(n *feel.Binary) {
		left, right := text(n.Left), text(n.Right)
		rewrite(fmt.Sprintf("“%s” were left out", m.c.Words(left)), n, right)
		rewrite(fmt.Sprintf("“%s” were left out", m.c.Words(right)), n, left)
		other := map[string]string{"and": "or", "or": "and"}[n.Operator]
		swapped := braced(n.Left, left, n.Operator) + " " + other + " " + braced(n.Right, right, n.Operator)
		rewrite(fmt.Sprintf("“%s” became “%s” between “%s” and “%s”", n.Operator, other, m.c.Words(left), m.c.Words(right)), n, swapped)
	})
}

// braced puts what is joined the same way in parentheses, so that it stays together.
func braced(n feel.Node, text, operator string) string {
	if inner, ok := n.(*feel.Binary); ok && (inner.Operator == "or" || inner.Operator == operator) {
		return "(" + text + ")"
	}
	return text
}

// joins visits the and and or of a decision.
func joins(n feel.Node, visit func(*feel.Binary)) {
	switch n := n.(type) {
	case *feel.Binary:
		if n.Operator == "and" || n.Operator == "or" {
			visit(n)
			joins(n.Left, visit)
			joins(n.Right, visit)
		}
	case *feel.Call:
		if n.Function == "not" && len(n.Arguments) == 1 {
			joins(n.Arguments[0], visit)
		}
	}
}

var looser = map[string]string{"<": "<=", "<=": "<", ">": ">=", ">=": ">"}

// variants returns slightly other texts of a part of a formula.
func (m *mutation) variants(root feel.Node, source string) (texts []string) {
	first, last := root.Span()
	replace := func(start, end int, text string) {
		texts = append(texts, source[first:start]+text+source[end:last])
	}
	feel.Walk(root, func(n feel.Node) {
		start, end := n.Span()
		switch n := n.(type) {
		case *feel.Binary:
			if other := looser[n.Operator]; other != "" {
				_, leftEnd := n.Left.Span()
				rightStart, _ := n.Right.Span()
				replace(leftEnd, rightStart, " "+other+" ")
			}
		case *feel.Test:
			if other := looser[n.Operator]; other != "" {
				operand, _ := n.Operand.Span()
				replace(start, operand, other+" ")
			}
		case *feel.In:
			m.without(n, replace)
		case *feel.Literal:
			taken := 0
			for _, other := range m.others(n, beside(root, n)) {
				code := n.Value.Kind() == feel.String
				if code && (taken > 0 || strings.Contains(source[first:last], other)) {
					continue // one other code is enough, and not one that stands there already
				}
				taken++
				replace(start, end, other)
			}
		}
	})
	return texts
}

// without leaves out each of several tests of an in.
func (m *mutation) without(n *feel.In, replace func(start, end int, text string)) {
	tests := n.Tests
	if list, ok := tests[0].(*feel.ListLiteral); ok && len(tests) == 1 {
		tests = list.Items
	}
	for i := range tests {
		if len(tests) < 2 {
			return
		}
		start, end := tests[i].Span()
		if i+1 < len(tests) {
			end, _ = tests[i+1].Span()
		} else {
			_, start = tests[i-1].Span()
		}
		replace(start, end, "")
	}
}

// beside is what a literal is compared with, or else the part it stands in.
func beside(root feel.Node, literal feel.Node) (other feel.Node) {
	feel.Walk(root, func(n feel.Node) {
		var subject feel.Node
		var operands []feel.Node
		switch n := n.(type) {
		case *feel.Binary:
			subject, operands = n.Left, []feel.Node{n.Right}
			if n.Left == literal {
				subject, operands = n.Right, []feel.Node{n.Left}
			}
		case *feel.Between:
			subject, operands = n.Subject, []feel.Node{n.Low, n.High}
		case *feel.In:
			subject = n.Subject
			for _, test := range n.Tests {
				feel.Walk(test, func(inner feel.Node) { operands = append(operands, inner) })
			}
		}
		if slices.Contains(operands, literal) {
			other = subject
		}
	})
	return other
}

// others returns constants next to one. field is the field that it is compared with or put
// into; nil: none that is known.
func (m *mutation) others(n *feel.Literal, subject feel.Node) (texts []string) {
	var f *field.Field
	if subject != nil {
		f = m.c.FieldOf(subject)
	}
	return m.next(n.Value, f)
}

func (m *mutation) next(v feel.Value, f *field.Field) (texts []string) {
	if v.IsNull() {
		return nil
	}
	if f == nil || !feel.TypeOf(v).Fits(f.FeelType()) {
		f = field.Holding(v)
	}
	for _, other := range f.Neighbours(v, m.here) {
		texts = append(texts, other.String())
	}
	if n, isNumber := v.Number(); isNumber {
		if swapped := transposed(n.String()); swapped != "" && !slices.Contains(texts, swapped) {
			texts = append(texts, swapped)
		}
	}
	return texts
}

// value makes wrong versions of the value that a rule gives.
func (m *mutation) value() {
	c := m.c
	if c.Value == nil || c.Family == rule.Source {
		return
	}
	source := c.Effect.Value
	if v, constant := feel.Constant(c.Value.Root()); constant {
		field := &c.Vocabulary().Kind.Fields[c.Field]
		if c.Remote != nil {
			field = c.Remote
		}
		for i, text := range m.next(v, field) {
			if i > 0 && v.Kind() == feel.String {
				break
			}
			m.add(fmt.Sprintf("the value “%s” became “%s”", source, text), func(b *rule.Body) { b.Effect.Value = text })
		}
		return
	}
	set := func(text string) func(*rule.Body) { return func(b *rule.Body) { b.Effect.Value = text } }
	var conditions []feel.Node
	for _, d := range c.Value.Decisions() {
		if d.Root == c.Value.Root() {
			continue
		}
		conditions = append(conditions, d.Root)
		for _, atom := range d.Atoms {
			start, end := atom.Span()
			was := source[start:end]
			for _, changed := range m.variants(atom, source) {
				if text, err := c.Value.Rewrite(atom, changed); err == nil {
					m.add(m.became(was, changed)+" in its value", set(text))
				}
			}
			if text, err := c.Value.Rewrite(atom, "not("+was+")"); err == nil {
				m.add(fmt.Sprintf("“%s” in its value were turned round", c.Words(was)), set(text))
			}
		}
	}
	for _, part := range outside(c.Value.Root(), conditions) {
		start, end := part.Span()
		was := source[start:end]
		for _, changed := range m.variants(part, source) {
			if text, err := c.Value.Rewrite(part, changed); err == nil {
				m.add(fmt.Sprintf("“%s” became “%s” in its value", was, changed), set(text))
			}
		}
	}
	feel.Walk(c.Value.Root(), func(n feel.Node) {
		binary, ok := n.(*feel.Binary)
		if !ok || arithmetic[binary.Operator] == "" {
			return
		}
		start, end := binary.Span()
		_, left := binary.Left.Span()
		right, _ := binary.Right.Span()
		changed := source[start:left] + " " + arithmetic[binary.Operator] + " " + source[right:end]
		if text, err := c.Value.Rewrite(binary, changed); err == nil {
			m.add(fmt.Sprintf("“%s” became “%s” in its value", source[start:end], changed), set(text))
		}
	})
}

var arithmetic = map[string]string{"+": "-", "-": "+", "*": "/", "/": "*"}

// outside are the literals of a value and their comparisons that stand in no condition.
func outside(n feel.Node, conditions []feel.Node) (parts []feel.Node) {
	if slices.Contains(conditions, n) {
		return nil
	}
	if literal, ok := n.(*feel.Literal); ok {
		return []feel.Node{literal}
	}
	for _, child := range feel.Children(n) {
		parts = append(parts, outside(child, conditions)...)
	}
	return parts
}
