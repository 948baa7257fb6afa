package feel

import (
	"errors"
	"fmt"
	"slices"
	"strings"
)

// call checks a call: of a function that the formula or its data holds, or of a
// built-in one.
func (c *checker) call(n *Call) Type {
	if n.Callee == nil && c.isValue(n.Function) {
		n.Callee = &Name{node: node{start: n.start, end: n.nameEnd, id: n.id, typ: AnyType}, Text: n.Function}
		n.Function = ""
	}
	if name, ok := n.Callee.(*Name); ok && !c.isValue(name.Text) && builtins[name.Text] != nil {
		n.Function, n.nameEnd, n.Callee = name.Text, name.end, nil // (abs)(-5)
	}
	if n.Callee != nil {
		return c.callValue(n)
	}
	types := make([]Type, len(n.Arguments))
	for i, argument := range n.Arguments {
		types[i] = c.check(argument)
	}
	function, found := builtins[n.Function]
	if !found {
		c.unknownFunction(n)
		return AnyType
	}
	n.function = function
	c.bounded = c.bounded || function.long
	if n.Function == crosswalkName {
		return c.crosswalk(n, types)
	}
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
		if !types[i].suits(wanted.typ) {
			c.clash(argument, "%s of %s must be a %s; this is a %s", wanted.name, n.Function, wanted.typ, types[i])
		}
	}
	c.pattern(n)
	return function.result(types)
}

// patterns are the functions of regular expressions, with the places of the expression and
// its flags.
var patterns = map[string][2]string{"matches": {"pattern", "flags"}, "replace": {"pattern", "flags"}, "split": {"delimiter", ""}}

// pattern compiles a regular expression that is written in the formula, once for all runs.
// What is wrong with it is known when it is written.
func (c *checker) pattern(n *Call) {
	names, found := patterns[n.Function]
	if !found {
		return
	}
	expression, flags := n.argument(names[0]), n.argument(names[1])
	if expression == nil {
		return
	}
	text, constant := literalText(expression)
	given, known := "", true
	if flags != nil {
		given, known = literalText(flags)
	}
	if !constant {
		return
	}
	compiled, err := compilePattern(text, given)
	if err == nil && n.Function != "matches" && compiled.MatchString("") {
		err = errors.New(findsNothing(text))
	}
	switch {
	case errors.As(err, new(unavailable)):
		c.report(expression, Error, "pattern", "", "%s", err)
	case err != nil:
		severity := Error
		if c.mode == Lenient {
			severity = Warning
		}
		c.report(expression, severity, "pattern", "", "%s", err)
	case known:
		n.pattern = compiled
	}
}

// argument returns what is given for a parameter of a built-in function; nil: nothing.
func (n *Call) argument(name string) Node {
	for i, argument := range n.Arguments {
		if n.ArgumentNames != nil {
			if n.ArgumentNames[i] == name {
				return argument
			}
		} else if n.form[min(i, len(n.form)-1)].name == name {
			return argument
		}
	}
	return nil
}

// suits tells whether an argument of type t can be given for a parameter: a single
// value stands for a list of one (DMN 1.5, section 10.3.2.9.4).
func (t Type) suits(wanted Type) bool {
	return t.Fits(wanted) || (wanted.Kind == List && t.Fits(wanted.element()))
}

func (c *checker) unknownFunction(n *Call) {
	near := nearest(n.Function, builtinNames)
	message := fmt.Sprintf("there is no function %q", n.Function)
	if near != "" {
		message += "; did you mean " + near + "?"
	}
	c.reportAt(n.start, n.nameEnd, Error, "unknown-name", near, "%s", message)
}

// isValue tells whether a name stands for a value rather than a built-in function.
func (c *checker) isValue(name string) bool {
	if slices.ContainsFunc(c.locals, func(l local) bool {
		_, entry := l.typ.Entries[name]
		return l.name == name || (l.item && entry)
	}) {
		return true
	}
	symbol, found := c.scope[name]
	return found && symbol.Tables == nil
}

func (c *checker) callValue(n *Call) Type {
	c.bounded = true
	callee := c.check(n.Callee)
	for _, argument := range n.Arguments {
		c.check(argument)
	}
	if callee.Kind != Function {
		if callee.Kind != Any {
			c.clash(n.Callee, "only a function can be called; this is a %s", callee)
		}
		return AnyType
	}
	if callee.Parameters != nil {
		if len(callee.Parameters) != len(n.Arguments) {
			c.clash(n, "the function takes %d arguments, not %d", len(callee.Parameters), len(n.Arguments))
		} else if n.ArgumentNames == nil {
			for i, wanted := range callee.Parameters {
				if t := n.Arguments[i].Type(); !t.Fits(wanted) {
					c.clash(n.Arguments[i], "argument %d must be a %s; this is a %s", i+1, wanted, t)
				}
			}
		}
	}
	if callee.Result != nil {
		return *callee.Result
	}
	return AnyType
}

// crosswalkName is the function whose tables the scope names.
const crosswalkName = "crosswalk"

// crosswalk checks a lookup: table and column must be there, the keys of its types.
func (c *checker) crosswalk(n *Call, types []Type) Type {
	if n.ArgumentNames != nil || len(n.Arguments) < 2 {
		c.report(n, Error, "argument", "", "write %s", n.function.Signature())
		return AnyType
	}
	tables := c.scope[crosswalkName].Tables
	name, constant := literalText(n.Arguments[0])
	if !constant {
		c.report(n.Arguments[0], Error, "argument", "", "the name of a crosswalk is written in quotes, so that it can be checked")
		return AnyType
	}
	table, found := tables[name]
	if !found {
		near := nearest(name, sortedNames(tables))
		hint := ""
		if near != "" {
			hint, near = "; did you mean "+near+"?", quote(near)
		}
		c.report(n.Arguments[0], Error, "unknown-name", near, "there is no crosswalk %q%s", name, hint)
		return AnyType
	}
	n.table = &table
	keys := n.Arguments[1:]
	switch len(keys) - len(table.Keys) {
	case 0:
	case 1:
		keys = keys[:len(table.Keys)]
	default:
		c.report(n, Error, "argument", "", "the crosswalk %q has %d key columns: write %s(%q, %s), and after the keys a column if need be",
			name, len(table.Keys), crosswalkName, name, strings.Join(slices.Repeat([]string{"key"}, len(table.Keys)), ", "))
		return AnyType
	}
	for i, key := range keys {
		if !types[i+1].Fits(table.Keys[i]) {
			c.clash(key, "key %d of the crosswalk %q is a %s; this is a %s", i+1, name, table.Keys[i], types[i+1])
		}
	}
	if len(n.Arguments) == len(keys)+1 {
		return table.Columns[table.First]
	}
	place := n.Arguments[len(n.Arguments)-1]
	column, constant := literalText(place)
	result, found := table.Columns[column]
	if !constant || !found {
		near := nearest(column, sortedNames(table.Columns))
		if near != "" {
			near = quote(near)
		}
		c.report(place, Error, "unknown-name", near, "the crosswalk %q has no such column, only %s", name, strings.Join(sortedNames(table.Columns), ", "))
		return AnyType
	}
	return result
}

func literalText(n Node) (string, bool) {
	literal, ok := n.(*Literal)
	if !ok {
		return "", false
	}
	return literal.Value.Text()
}
