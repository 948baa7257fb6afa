package finding

import (
	"slices"
	"strings"

	"codicil/core/engine"
	"codicil/core/feel"
	"codicil/core/field"
	"codicil/core/plan"
	"codicil/core/rule"
)

// Named is a value that a condition of a rule names for a field whose values are not listed: that
// records have it can only be seen in them.
type Named struct {
	Rule    *rule.Compiled
	Subject string // as formulas write it
	Field   *field.Field
	Value   feel.Value
	Found   bool
	node    feel.Node
	program *feel.Program
}

// NamedBy returns the values that the rules in force name for texts and links: what they are equal to,
// or one of.
func NamedBy(b *plan.Book) (list []Named) {
	for _, c := range b.Rules {
		if c.State != rule.InForce || !c.Sound() {
			continue
		}
		for _, program := range []*feel.Program{c.When, c.Must} {
			if program == nil {
				continue
			}
			for _, atom := range program.Conditions() {
				of, values := equals(atom)
				f := (*field.Field)(nil)
				if of != nil {
					f = c.FieldOf(of)
				}
				if f == nil || len(f.Choices) > 0 || f.FeelType().Kind != feel.String {
					continue
				}
				subject := feel.Format(of)
				probe, problems := feel.Compile(subject, c.Vocabulary().ScopeOf(c.Field), feel.Strict)
				if problems.Errors() != nil {
					continue
				}
				for _, v := range values {
					known := func(n Named) bool { return n.Rule == c && n.Subject == subject && feel.Same(n.Value, v) }
					if !v.IsNull() && !slices.ContainsFunc(list, known) {
						list = append(list, Named{Rule: c, Subject: subject, Field: f, Value: v, node: of, program: probe})
					}
				}
			}
		}
	}
	return list
}

// equals returns what a condition asks to be equal to a constant, or to one of several.
func equals(n feel.Node) (of feel.Node, values []feel.Value) {
	switch n := n.(type) {
	case *feel.Binary:
		if n.Operator != "=" {
			return nil, nil
		}
		if v, constant := feel.Constant(n.Right); constant {
			return n.Left, []feel.Value{v}
		}
		if v, constant := feel.Constant(n.Left); constant {
			return n.Right, []feel.Value{v}
		}
	case *feel.In:
		tests := n.Tests
		if list, ok := tests[0].(*feel.ListLiteral); ok && len(tests) == 1 {
			tests = list.Items
		}
		for _, t := range tests {
			v, constant := feel.Constant(t)
			if !constant {
				return nil, nil
			}
			values = append(values, v)
		}
		return n.Subject, values
	}
	return nil, nil
}

// Reads are the slots that must be there to tell whether a document has the value.
func (n *Named) Reads() []int { return n.program.Reads() }

// In tells whether a document has the value: in its header, or in a line. Cost: the formula, in every line.
func (n *Named) In(t *engine.Probes) bool {
	for _, line := range t.Out.NumbersOf(n.Rule.Field) {
		found, ok := t.Value(engine.Probe{Place: n.Rule.Field, Line: line, Family: rule.Validate, Program: n.program})
		if ok && feel.Same(found, n.Value) {
			return true
		}
	}
	return false
}

// Words say what the value is named for: "City Berlin".
func (n *Named) Words(w rule.Wording) string {
	text := n.Field.Plain(n.Value)
	if w.Show != nil {
		text = w.Show(n.Field, n.Value)
	}
	return strings.TrimSpace(n.Rule.Vocabulary().TellPart(n.node, n.Rule.Field, w) + " " + text)
}

// WithoutOther returns the rules in force that give a value by several cases, and nothing where none
// of them fits.
func WithoutOther(b *plan.Book) (rules []*rule.Compiled) {
	for _, c := range b.Rules {
		if c.State != rule.InForce || !c.Sound() || c.Value == nil {
			continue
		}
		if count, other := chain(c.Value.Root()); count > 1 && other != nil {
			if v, constant := feel.Constant(other); constant && v.IsNull() {
				rules = append(rules, c)
			}
		}
	}
	return rules
}

// chain counts the cases of an if … else if, and returns what holds where none fits.
func chain(n feel.Node) (count int, other feel.Node) {
	for {
		choice, more := n.(*feel.If)
		if !more {
			return count, n
		}
		count++
		n = choice.Else
	}
}

// FitsNone tells whether a document fits no case of a rule that has its turn.
func FitsNone(c *rule.Compiled, out *engine.Outcome) bool {
	for _, cell := range out.Cells() {
		if cell.Index == c.Field && did(&cell, c, engine.Acted) && act(&cell, c).After.IsNull() {
			return true
		}
	}
	return false
}
