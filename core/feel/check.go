package feel

import (
	"fmt"
	"slices"
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

// checker finds the types of a tree's nodes, resolves its names and reports what
// is wrong.
type checker struct {
	source   string
	scope    Scope
	mode     Mode
	problems Problems
	// locals are the names that the expressions around declare, outermost first;
	// their place is the place of their value when the formula runs.
	locals []local
	// size is the most locals that there are at once.
	size int
	// bounded: the formula has loops or calls of its own functions, so that its
	// work must be counted when it runs.
	bounded bool
}

type local struct {
	name string
	typ  Type
	// item: the item of a filter, whose entries are names too.
	item bool
	used bool
}

// declare makes a name known until it is dropped, and returns its place.
func (c *checker) declare(l local) int {
	c.locals = append(c.locals, l)
	c.size = max(c.size, len(c.locals))
	return len(c.locals) - 1
}

func (c *checker) drop(to int) { c.locals = c.locals[:to] }

// mostProblems is how many problems of a formula are told.
const mostProblems = 50

func (c *checker) report(n Node, severity Severity, code, suggestion, format string, args ...any) {
	start, end := n.Span()
	c.reportAt(start, end, severity, code, suggestion, format, args...)
}

func (c *checker) reportAt(start, end int, severity Severity, code, suggestion, format string, args ...any) {
	if len(c.problems) >= mostProblems {
		return // they are more than anybody reads
	}
	p := problemAt(c.source, start, end, code, fmt.Sprintf(format, args...))
	p.Severity, p.Suggestion = severity, suggestion
	c.problems = append(c.problems, p)
}

func (c *checker) clash(n Node, format string, args ...any) {
	severity := Error
	if c.mode == Lenient {
		severity = Warning
	}
	c.report(n, severity, "type", "", format+functionHint(n), args...)
}

// functionHint helps who wrote the name of a function without calling it.
func functionHint(n Node) string {
	if name, ok := n.(*Name); ok && name.function != nil {
		return ": write " + name.Text + "(…)"
	}
	return ""
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
	case *Filter:
		return c.filter(n)
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
		c.percentAmong(subject, n.Low, n.High)
		return BooleanType
	case *In:
		return c.in(n)
	case *Test:
		element := c.check(n.Operand)
		if n.Operator == "!=" {
			c.report(n, Error, "type", "", "!= without a left side is no range: write x != …")
		}
		return Type{Kind: Range, Element: &element}
	case *RangeLiteral:
		low, high := c.check(n.Low), c.check(n.High)
		c.comparable(n.High, low, high, "..")
		element := common(low, high)
		return Type{Kind: Range, Element: &element}
	case *InstanceOf:
		c.check(n.Operand)
		return BooleanType
	case *If:
		return c.choice(n)
	case *For:
		return c.loop(n)
	case *Quantified:
		before := len(c.locals)
		c.iterators(n.Iterators)
		c.condition(n.Condition, "satisfies")
		c.drop(before)
		return BooleanType
	case *ListLiteral:
		element := Type{Kind: Null}
		for _, item := range n.Items {
			element = common(element, c.check(item))
		}
		return ListType(element)
	case *ContextLiteral:
		return c.context(n)
	case *Definition:
		return c.definition(n)
	case *Call:
		return c.call(n)
	}
	return AnyType
}

func (c *checker) choice(n *If) Type {
	c.condition(n.Condition, "if")
	then, otherwise := c.check(n.Then), c.check(n.Else)
	if then.Fits(otherwise) || otherwise.Fits(then) {
		return common(then, otherwise)
	}
	c.clash(n.Else, "the two sides of if differ: then gives a %s, else a %s", then, otherwise)
	return AnyType
}

func (c *checker) context(n *ContextLiteral) Type {
	entries := map[string]Type{}
	n.first = len(c.locals)
	for i, key := range n.Keys {
		entries[key] = c.check(n.Values[i])
		c.declare(local{name: key, typ: entries[key]})
	}
	c.drop(n.first)
	return Type{Kind: Context, Entries: entries}
}

func (c *checker) condition(n Node, of string) {
	if t := c.check(n); !t.Fits(BooleanType) {
		c.clash(n, "%s needs a condition that is true or false; this is a %s", of, t)
	}
}

// in checks the tests against the type of the subject; a test that names ? is a
// condition.
func (c *checker) in(n *In) Type {
	subject := c.check(n.Subject)
	n.input = c.declare(local{name: Input, typ: subject})
	tests := n.Tests
	if not, ok := tests[0].(*Not); ok && len(tests) == 1 {
		not.typ, tests = BooleanType, not.Tests
	}
	for _, test := range tests {
		c.test(test, subject)
	}
	used := c.locals[n.input].used
	c.drop(n.input)
	if !used {
		n.input = -1
	}
	return BooleanType
}

func (c *checker) test(n Node, subject Type) {
	if test, ok := n.(*Test); ok {
		operand := c.check(test.Operand)
		test.typ = BooleanType
		if test.Operator == "=" || test.Operator == "!=" {
			c.equatable(test, subject, operand)
		} else {
			c.comparable(test.Operand, subject, operand, test.Operator)
		}
		c.percentAmong(subject, test.Operand)
		return
	}
	t := c.check(n)
	if namesInput(n) {
		if !t.Fits(BooleanType) {
			c.clash(n, "a test with ? needs a condition that is true or false; this is a %s", t)
		}
		return
	}
	for (t.Kind == List || t.Kind == Range) && subject.Kind != t.Kind && t.Element != nil {
		t = t.element()
	}
	if !t.Fits(subject) && subject.Kind != Null && t.Kind != List && t.Kind != Range && !(isDuration(t.Kind) && isDuration(subject.Kind)) {
		c.clash(n, "a %s is never in a %s", subject, t)
	}
	if r, ok := n.(*RangeLiteral); ok {
		c.percentAmong(subject, r.Low, r.High)
	} else {
		c.percentAmong(subject, n)
	}
}

// namesInput tells whether a test names the value that it tests, and not that of
// another test inside.
func namesInput(n Node) bool {
	if name, ok := n.(*Name); ok {
		return name.Text == Input
	}
	children := Children(n)
	if _, ok := n.(*In); ok {
		children = children[:1]
	}
	return slices.ContainsFunc(children, namesInput)
}

// loop checks for … return, whose value is the list of the body's values.
func (c *checker) loop(n *For) Type {
	before := len(c.locals)
	c.iterators(n.Iterators)
	n.partial = c.declare(local{name: "partial", typ: anyList})
	element := c.check(n.Body)
	if !c.locals[n.partial].used {
		n.partial = -1
	}
	c.drop(before)
	return ListType(element)
}

func (c *checker) iterators(iterators []Iterator) {
	c.bounded = true
	for i := range iterators {
		it := &iterators[i]
		domain := c.check(it.Domain)
		element := domain
		switch {
		case it.To != nil:
			c.comparable(it.To, domain, c.check(it.To), "..")
			if !slices.Contains(steppable, domain.Kind) {
				c.clash(it.Domain, "for goes from a whole number or a date to another; this is a %s", domain)
			}
		case domain.Kind == List:
			element = domain.element()
		case domain.Kind == Range:
			element = domain.element()
			if !slices.Contains(steppable, element.Kind) {
				c.clash(it.Domain, "only a range of whole numbers or dates has steps; this is a %s", domain)
			}
		}
		it.local = c.declare(local{name: it.Name, typ: element})
	}
}

// steppable are the kinds that a loop can go through one by one.
var steppable = []Kind{Number, Date, Any, Null}

// filter checks Base[Condition]: a number is a position, anything else a condition
// on each item.
func (c *checker) filter(n *Filter) Type {
	c.bounded = true
	base := c.check(n.Base)
	element := base
	if base.Kind == List {
		element = base.element()
	}
	n.item = c.declare(local{name: "item", typ: element, item: true})
	condition := c.check(n.Condition)
	c.drop(n.item)
	switch condition.Kind {
	case Number:
		return element
	case Boolean, Null:
		return ListType(element)
	case Any:
		return AnyType
	}
	c.clash(n.Condition, "a filter needs a condition or a position; this is a %s", condition)
	return AnyType
}

func (c *checker) definition(n *Definition) Type {
	c.bounded = true
	n.first = len(c.locals)
	t := Type{Kind: Function, Parameters: []Type{}}
	for _, parameter := range n.Parameters {
		c.declare(local{name: parameter.Name, typ: parameter.Type})
		t.Parameters = append(t.Parameters, parameter.Type)
	}
	outer := c.size
	c.size = len(c.locals)
	result := c.check(n.Body)
	n.size, n.cost = c.size, size(n.Body)
	c.size = max(outer, c.size)
	c.drop(n.first)
	t.Result = &result
	return t
}
