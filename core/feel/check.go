package feel

import (
	"fmt"
	"maps"
	"slices"
	"strings"
)

// Mode says how the check treats types that clash.
type Mode uint8

const (
	// Strict makes a type clash an error: for rules, whose fields have types.
	Strict Mode = iota
	// Lenient makes a type clash a warning, because the standard gives it a
	// value: null. For formulas over data of which nothing is known.
	Lenient
)

type checker struct {
	source   string
	scope    Scope
	mode     Mode
	problems Problems
}

func (c *checker) report(n Node, severity Severity, code, suggestion, format string, args ...any) {
	start, end := n.Span()
	c.reportAt(start, end, severity, code, suggestion, format, args...)
}

func (c *checker) reportAt(start, end int, severity Severity, code, suggestion, format string, args ...any) {
	p := problemAt(c.source, start, end, code, fmt.Sprintf(format, args...))
	p.Severity, p.Suggestion = severity, suggestion
	c.problems = append(c.problems, p)
}

func (c *checker) clash(n Node, format string, args ...any) {
	severity := Error
	if c.mode == Lenient {
		severity = Warning
	}
	c.report(n, severity, "type", "", format, args...)
}

// check finds the type of n and of all nodes below it, and reports what is wrong.
func (c *checker) check(n Node) Type {
	t := c.typeOf(n)
	n.base().typ = t
	return t
}

func (c *checker) typeOf(n Node) Type {
	switch n := n.(type) {
	case *Literal:
		return TypeOf(n.Value)
	case *Name:
		return c.name(n)
	case *Path:
		return c.path(n)
	case *Negate:
		t := c.check(n.Operand)
		if !slices.Contains([]Kind{Number, DayTimeDuration, YearMonthDuration, Any, Null}, t.Kind) {
			c.clash(n.Operand, "only a number or a duration can be negative; this is a %s", t)
		}
		return t
	case *Binary:
		return c.operator(n)
	case *Between:
		subject := c.check(n.Subject)
		c.comparable(n.Low, subject, c.check(n.Low), "between")
		c.comparable(n.High, subject, c.check(n.High), "between")
		return BooleanType
	case *In:
		subject := c.check(n.Subject)
		for _, test := range n.Tests {
			c.test(test, subject)
		}
		return BooleanType
	case *Test:
		return c.check(n.Operand)
	case *RangeLiteral:
		low, high := c.check(n.Low), c.check(n.High)
		c.comparable(n.High, low, high, "..")
		element := common(low, high)
		return Type{Kind: Range, Element: &element}
	case *If:
		c.condition(n.Condition, "if")
		then, otherwise := c.check(n.Then), c.check(n.Else)
		if then.Fits(otherwise) || otherwise.Fits(then) {
			return common(then, otherwise)
		}
		c.clash(n.Else, "the two sides of if differ: then gives a %s, else a %s", then, otherwise)
		return AnyType
	case *ListLiteral:
		element := Type{Kind: Null}
		for _, item := range n.Items {
			element = common(element, c.check(item))
		}
		return ListType(element)
	case *ContextLiteral:
		entries := map[string]Type{}
		for i, key := range n.Keys {
			entries[key] = c.check(n.Values[i])
		}
		return Type{Kind: Context, Entries: entries}
	case *Call:
		return c.call(n)
	}
	return AnyType
}

func (c *checker) name(n *Name) Type {
	symbol, found := c.scope[n.Text]
	if !found {
		n.symbol.Slot = -1
		c.unknownName(n)
		return AnyType
	}
	n.symbol = symbol
	if symbol.Slot < 0 {
		c.report(n, Error, "unknown-name", "", "%s is a group of names: write %s.%s", n.Text, n.Text, firstName(symbol.Members))
	}
	return symbol.Type
}

func firstName(members map[string]Symbol) string { return sortedNames(members)[0] }

func (c *checker) unknownName(n *Name) {
	if _, ok := builtins[n.Text]; ok {
		c.report(n, Error, "unknown-name", n.Text+"()", "%s is a function: write %s(…)", n.Text, n.Text)
		return
	}
	candidates := sortedNames(c.scope)
	for _, name := range candidates {
		if label := c.scope[name].Label; label != "" && strings.EqualFold(label, n.Text) {
			c.report(n, Error, "unknown-name", name, "there is no field %q; the field %s is written %s", n.Text, label, name)
			return
		}
	}
	near := nearest(n.Text, candidates)
	if near != "" {
		c.report(n, Error, "unknown-name", near, "there is no field or name %q; did you mean %s?", n.Text, near)
		return
	}
	hint := ""
	if !strings.Contains(n.Text, " ") {
		hint = fmt.Sprintf("; if it is a text, write it in quotes: %q", n.Text)
	}
	c.report(n, Error, "unknown-name", "", "there is no field or name %q%s", n.Text, hint)
}

func (c *checker) path(n *Path) Type {
	if group, name := c.group(n.Base); group != nil {
		member, found := group.Members[n.Member]
		if !found {
			c.missing(n, sortedNames(group.Members), "there is no %s.%s", name, n.Member)
			return AnyType
		}
		n.symbol = &member
		if member.Slot < 0 {
			c.report(n, Error, "unknown-name", "", "%s.%s is a group of names: write %s.%s.%s", name, n.Member, name, n.Member, firstName(member.Members))
		}
		return member.Type
	}
	return c.member(n, c.check(n.Base))
}

// group returns the symbol with members that a node stands for, and its name;
// nil when it stands for none.
func (c *checker) group(n Node) (*Symbol, string) {
	switch n := n.(type) {
	case *Name:
		if symbol, found := c.scope[n.Text]; found && symbol.Members != nil {
			return &symbol, n.Text
		}
	case *Path:
		if outer, name := c.group(n.Base); outer != nil {
			if symbol, found := outer.Members[n.Member]; found && symbol.Members != nil {
				return &symbol, name + "." + n.Member
			}
		}
	}
	return nil, ""
}

// follow finds the type of a field behind a link.
func (c *checker) follow(n *Path, link *Link) Type {
	depth := 0
	for base := Node(n); ; depth++ {
		path, ok := base.(*Path)
		if !ok || (path != n && path.link == nil) {
			break
		}
		base = path.Base
	}
	if depth > LinkDepth {
		c.report(n, Error, "too-deep", "", "a path follows %d links at most; this is one more", LinkDepth)
		return AnyType
	}
	n.link = link
	fields := link.Fields()
	t, found := fields[n.Member]
	if !found {
		c.missing(n, sortedNames(fields), "a %s has no field %q", link.Kind, n.Member)
		return AnyType
	}
	return t
}

func sortedNames[T any](of map[string]T) []string {
	return slices.Sorted(maps.Keys(of))
}

func (c *checker) missing(n *Path, candidates []string, format string, args ...any) {
	start := n.end - len(n.Member)
	message := fmt.Sprintf(format, args...)
	near := nearest(n.Member, candidates)
	if near != "" {
		message += "; did you mean " + near + "?"
	}
	severity := Error
	if c.mode == Lenient {
		severity = Warning
	}
	c.reportAt(start, n.end, severity, "unknown-name", near, "%s", message)
}

func (c *checker) member(n *Path, base Type) Type {
	if base.Link != nil {
		return c.follow(n, base.Link)
	}
	switch base.Kind {
	case Any, Null:
		return AnyType
	case List:
		return ListType(c.member(n, base.element()))
	case Context:
		if base.Entries == nil {
			return AnyType
		}
		if t, found := base.Entries[n.Member]; found {
			return t
		}
		c.missing(n, sortedNames(base.Entries), "there is no entry %q here", n.Member)
		return AnyType
	}
	known := properties[base.Kind]
	if t, found := known[n.Member]; found {
		return Type{Kind: t}
	}
	candidates := sortedNames(known)
	if len(candidates) == 0 {
		c.missing(n, nil, "a %s has no parts, so .%s is not there", base, n.Member)
	} else {
		c.missing(n, candidates, "a %s has no %q, only %s", base, n.Member, strings.Join(candidates, ", "))
	}
	return AnyType
}

func (c *checker) condition(n Node, of string) {
	if t := c.check(n); !t.Fits(BooleanType) {
		c.clash(n, "%s needs a condition that is true or false; this is a %s", of, t)
	}
}

func (c *checker) operator(n *Binary) Type {
	if n.Operator == "and" || n.Operator == "or" {
		c.condition(n.Left, n.Operator)
		c.condition(n.Right, n.Operator)
		return BooleanType
	}
	left, right := c.check(n.Left), c.check(n.Right)
	switch n.Operator {
	case "=", "!=":
		if left.Kind != Null && right.Kind != Null && !left.Fits(right) {
			c.clash(n, "a %s is never equal to a %s", left, right)
		}
		if literal, ok := n.Right.(*Literal); ok && literal.Value.is(String) && literal.Value.text() == "" {
			c.report(n, Warning, "blank", "", `a blank field is null, never "": write is blank(…) or is filled(…)`)
		}
		return BooleanType
	case "<", "<=", ">", ">=":
		c.comparable(n, left, right, n.Operator)
		return BooleanType
	}
	t, ok := arithmeticType(n.Operator, left, right)
	if !ok {
		c.clash(n, "%s %s %s cannot be computed%s", article(left), n.Operator, article(right), arithmeticHint(left, right))
	}
	return t
}

func article(t Type) string { return "a " + t.String() }

func arithmeticHint(left, right Type) string {
	if (left.Kind == Date && right.Kind == Number) || (left.Kind == Number && right.Kind == Date) {
		return ": write add days(date, number)"
	}
	if left.Kind == String || right.Kind == String {
		return ": write string(…) or number(…) to convert one side"
	}
	return ""
}

// ordered are the kinds that < and > compare.
var ordered = []Kind{Number, String, Date, Time, DateTime, DayTimeDuration, YearMonthDuration, Any, Null}

func (c *checker) comparable(n Node, left, right Type, operator string) {
	switch {
	case !slices.Contains(ordered, left.Kind):
		c.clash(n, "a %s has no order, so %s cannot compare it", left, operator)
	case !left.Fits(right) && right.Kind != Null:
		c.clash(n, "a %s cannot be compared with a %s%s", left, right, comparisonHint(left, right))
	}
}

func comparisonHint(left, right Type) string {
	if (left.Kind == Date && right.Kind == DateTime) || (left.Kind == DateTime && right.Kind == Date) {
		return ": write date(…) around the one with a time of day"
	}
	if left.Kind == Date && right.Kind == String {
		return `: write a date as @"2026-11-24"`
	}
	return ""
}

// test checks one test after in against the type of the subject.
func (c *checker) test(n Node, subject Type) {
	t := c.check(n)
	if test, ok := n.(*Test); ok {
		c.comparable(test.Operand, subject, t, test.Operator)
		return
	}
	if (t.Kind == List || t.Kind == Range) && subject.Kind != t.Kind {
		t = t.element()
	}
	if !t.Fits(subject) && subject.Kind != Null {
		c.clash(n, "a %s is never in a %s", subject, t)
	}
}

func (c *checker) call(n *Call) Type {
	types := make([]Type, len(n.Arguments))
	for i, argument := range n.Arguments {
		types[i] = c.check(argument)
	}
	function, found := builtins[n.Function]
	if !found {
		near := nearest(n.Function, builtinNames)
		message := fmt.Sprintf("there is no function %q", n.Function)
		if near != "" {
			message += "; did you mean " + near + "?"
		}
		c.reportAt(n.start, n.nameEnd, Error, "unknown-name", near, "%s", message)
		return AnyType
	}
	n.function = function
	form, problem := function.form(n)
	if problem != "" {
		c.report(n, Error, "argument", "", "%s: write %s", problem, function.Signature())
		return function.result(nil)
	}
	n.form = form
	for i, argument := range n.Arguments {
		wanted := form[min(i, len(form)-1)]
		if n.ArgumentNames != nil {
			wanted = form[slices.IndexFunc(form, func(p parameter) bool { return p.name == n.ArgumentNames[i] })]
		}
		if !types[i].Fits(wanted.typ) {
			c.clash(argument, "%s of %s must be a %s; this is a %s", wanted.name, n.Function, wanted.typ, types[i])
		}
	}
	return function.result(types)
}
