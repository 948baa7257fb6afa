package proof

import (
	"fmt"
	"slices"
	"strings"

	"codicil/core/feel"
	"codicil/core/rule"
)

// parts makes wrong versions of the parts of a formula that are no constants: another field
// of its type, another function of its sort, a case left out, blank lines passed over.
func (m *mutation) parts(program *feel.Program, source, where string, write func(*rule.Body, string)) {
	if program == nil {
		return
	}
	replace := func(change string, start, end int, text string) {
		m.add(change+where, func(b *rule.Body) { write(b, source[:start]+text+source[end:]) })
	}
	rewrite := func(change string, n feel.Node, text string) {
		if whole, err := program.Rewrite(n, text); err == nil {
			m.add(change+where, func(b *rule.Body) { write(b, whole) })
		}
	}
	text := func(n feel.Node) string { start, end := n.Span(); return source[start:end] }
	var walk func(n feel.Node)
	walk = func(n feel.Node) {
		start, end := n.Span()
		switch n := n.(type) {
		case *feel.Name, *feel.Path:
			if name := m.c.NameAt(n); name != nil {
				for _, other := range m.nearby(name) {
					replace(fmt.Sprintf("%s were read for %s", other.Label, name.Label), start, end, other.Text)
				}
				return // a path is one field
			}
			if path, ok := n.(*feel.Path); ok {
				if other := members[path.Member]; other != "" {
					replace(fmt.Sprintf("the %s were taken for the %s", other, path.Member), end-len(path.Member), end, other)
				}
			}
		case *feel.Call:
			if n.Callee == nil && strings.HasPrefix(source[start:], n.Function) {
				for _, other := range neighbours[n.Function] {
					replace(fmt.Sprintf("“%s” became “%s”", n.Function, other), start, start+len(n.Function), other)
				}
				if n.Function == "month end" {
					rewrite("it were not moved to the month's end", n, text(n.Arguments[0]))
				}
				if n.Function == "add months" {
					rewrite("it were moved to the month's end", n, "month end("+text(n)+")")
				}
				if slices.Contains([]string{"sum", "min", "max", "mean"}, n.Function) && len(n.Arguments) == 1 && n.Arguments[0].Type().Kind == feel.List {
					rewrite("lines that are blank were passed over", n.Arguments[0], text(n.Arguments[0])+"[item != null]")
				}
			}
		case *feel.Quantified:
			word, other := "some", "every"
			if n.Every {
				word, other = other, word
			}
			if strings.HasPrefix(source[start:], word) {
				replace(fmt.Sprintf("“%s” became “%s”", word, other), start, start+len(word), other)
			}
		case *feel.If:
			rewrite(fmt.Sprintf("the case “%s” were left out", m.c.Words(text(n.Condition))), n, text(n.Else))
		}
		for _, child := range feel.Children(n) {
			walk(child)
		}
	}
	walk(program.Root())
}

// neighbours are functions that are taken one for the other.
var neighbours = map[string][]string{
	"starts with": {"contains"}, "contains": {"starts with"}, "ends with": {"contains"}, "floor": {"ceiling"}, "ceiling": {"floor"}, "min": {"max"}, "max": {"min"}, "sum": {"max"}, "mean": {"median"},
	"add days": {"add months"}, "add months": {"add days"}, "add workdays": {"add days"}, "round half up": {"round down", "round half even"}, "round up": {"round down"}, "round down": {"round up"}, "decimal": {"round half up", "round down"},
	"upper case": {"lower case"}, "lower case": {"upper case"}, "substring before": {"substring after"}, "substring after": {"substring before"}, "all": {"any"}, "any": {"all"}, "sqrt": {"abs"},
}

// members are parts of values that are taken one for the other.
var members = map[string]string{"year": "month", "month": "day", "day": "month", "days": "hours", "weekday": "day", "years": "months", "months": "years"}

// mostNearby is how many other fields are read in place of one.
const mostNearby = 2

// nearby are other names of the type of one that are likely to be mistaken for it: the field
// of the same key elsewhere, what was saved before of this type or of any, and the fields
// beside it.
func (m *mutation) nearby(name *rule.Name) (others []*rule.Name) {
	if name.Field == nil {
		return nil
	}
	names := m.c.Vocabulary().Names(m.c.Field)
	fits := func(o *rule.Name) bool {
		return o.Text != name.Text && o.Field != nil && o.Field.Type == name.Field.Type && o.Field.Kind == name.Field.Kind && o.Single() == name.Single() && o.Type.Kind == name.Type.Kind
	}
	add := func(o *rule.Name) {
		if len(others) < mostNearby && !slices.Contains(others, o) {
			others = append(others, o)
		}
	}
	form := func(text string) string { // entered, previous, …: those of one form go together
		group, _, found := strings.Cut(text, ".")
		if found && slices.Contains([]string{"entered", "stored", "previous", "previous_of_type", "previous_of_anyone"}, group) {
			return group
		}
		return ""
	}
	member := func(text string) string { return text[strings.LastIndexByte(text, '.')+1:] }
	for i := range names {
		o := &names[i]
		was, is := form(name.Text), form(o.Text)
		sameKey := member(o.Text) == member(name.Text)
		if fits(o) && sameKey && ((was == is && is == "") || (was != is && strings.HasPrefix(was, "previous") && strings.HasPrefix(is, "previous"))) {
			add(o)
		}
	}
	at := slices.IndexFunc(names, func(o rule.Name) bool { return o.Text == name.Text })
	for distance := 1; distance < len(names) && at >= 0 && len(others) < mostNearby; distance++ {
		for _, i := range []int{at + distance, at - distance} {
			if i >= 0 && i < len(names) && names[i].Group == name.Group && fits(&names[i]) && names[i].Text != m.c.Target {
				add(&names[i])
			}
		}
	}
	return others
}

// exclusive tells whether two rules can never both act: one field decides between them.
func exclusive(a, b *rule.Compiled) bool {
	if a.When == nil || b.When == nil {
		return false
	}
	for _, slot := range a.When.Reads() {
		x, y := a.When.Constraint(slot), b.When.Constraint(slot)
		if len(x.True.Intersection(y.True)) == 0 && !(x.NullTrue && y.NullTrue) {
			return true
		}
	}
	return false
}

// sameCondition tells whether two formulas that ask one field are the same for every value of
// it.
func sameCondition(a, b *feel.Program) bool {
	if a == nil || b == nil {
		return a == b
	}
	slots := a.Reads()
	if len(slots) != 1 || !slices.Equal(slots, b.Reads()) {
		return false
	}
	x, y := a.Constraint(slots[0]), b.Constraint(slots[0])
	known := func(c feel.Constraint) bool {
		return len(c.True.Intersection(c.False)) == 0 && !(c.NullTrue && c.NullFalse)
	}
	return known(x) && known(y) && x.True.String() == y.True.String() && x.False.String() == y.False.String() && x.NullTrue == y.NullTrue && x.NullFalse == y.NullFalse
}

// transposed swaps two digits beside each other; "" where none differ.
func transposed(text string) string {
	for i := 0; i+1 < len(text); i++ {
		a, b := text[i], text[i+1]
		if a >= '0' && a <= '9' && b >= '0' && b <= '9' && a != b && !(i == 0 && b == '0') {
			return text[:i] + string(b) + string(a) + text[i+2:]
		}
	}
	return ""
}
