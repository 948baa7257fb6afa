package rule

import (
	"maps"

	"codicil/core/feel"
	"codicil/core/field"
)

// listed is the field of the lines whose values a node lists; nil for any other node.
func (t *teller) listed(n feel.Node) *field.Field {
	if slot, ok := feel.SlotOf(n); ok {
		if read, isField := t.v.ReadAt(slot); isField && read.List {
			return &t.kind.Fields[read.Field]
		}
	}
	return nil
}

// through tells a condition in which a name stands for each value of a column.
func (t *teller) through(name, label string, condition feel.Node) {
	before := t.values
	t.values = map[string]string{name: label}
	maps.Copy(t.values, before)
	t.values[name] = label
	t.tell(condition, tellsChoice)
	t.values = before
}

// quantified tells some line in lines satisfies ….
func (t *teller) quantified(n *feel.Quantified) bool {
	if len(n.Iterators) != 1 || n.Iterators[0].To != nil {
		return false
	}
	opening := map[bool]string{true: "in every line ", false: "in some line "}[n.Every]
	if f := t.listed(n.Iterators[0].Domain); f != nil {
		t.say(n, opening)
		t.through(n.Iterators[0].Name, f.Label, n.Condition)
		return true
	}
	if slot, ok := feel.SlotOf(n.Iterators[0].Domain); !ok || slot != t.v.Lines {
		return false
	}
	t.say(n, opening)
	t.inLine(n.Iterators[0].Name, n.Condition)
	return true
}

// inLine tells a condition on a line that the formula goes through; the columns of the line are its
// names, or stand behind its name.
func (t *teller) inLine(name string, condition feel.Node) {
	before, gives := t.line, t.gives
	t.line, t.gives = name, nil
	t.tell(condition, tellsChoice)
	t.line, t.gives = before, gives
}

// column is the field of the lines that a node reads of the line that the formula goes through;
// nil for any other.
func (t *teller) column(n feel.Node) *field.Field {
	if t.line == "" {
		return nil
	}
	switch n := n.(type) {
	case *feel.Path:
		if base, ok := n.Base.(*feel.Name); ok && base.Text == t.line {
			if _, own := feel.SlotOf(n); !own {
				return t.kind.Field(field.LinePrefix + n.Member)
			}
		}
	case *feel.Name:
		if _, own := feel.SlotOf(n); !own && t.line == throughLines {
			return t.kind.Field(field.LinePrefix + n.Text)
		}
	}
	return nil
}

// throughLines stands for the line that a filter of lines looks at: its columns are names.
const throughLines = "item"

// filtered tells lines[…].
func (t *teller) filtered(n *feel.Filter) bool {
	if f := t.listed(n.Base); f != nil && n.Condition.Type().Kind == feel.Boolean {
		t.tell(n.Base, tellsValue)
		t.say(n, " where (")
		t.through(throughLines, f.Label, n.Condition)
		t.say(n, ")")
		return true
	}
	slot, ok := feel.SlotOf(n.Base)
	if !ok || slot != t.v.Lines || n.Condition.Type().Kind != feel.Boolean {
		return false
	}
	t.say(n.Base, "the lines")
	t.say(n, " where (")
	t.inLine(throughLines, n.Condition)
	t.say(n, ")")
	return true
}
