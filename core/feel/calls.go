package feel

import (
	"fmt"
	"slices"
)

// call compiles a call.
func (c compiler) call(n *Call) code {
	if n.Callee != nil {
		return c.callValue(n)
	}
	arguments := c.compileAll(n.Arguments)
	if n.table != nil {
		return c.crosswalk(n, arguments)
	}
	b := n.function
	places := b.places(n)
	size := max(len(arguments), len(n.form))
	if places == nil {
		size = len(arguments)
	}
	wanted := make([]Type, len(arguments))
	for i := range arguments {
		wanted[i] = n.form[min(i, len(n.form)-1)].typ
		if places != nil {
			wanted[i] = n.form[places[i]].typ
		}
	}
	run, strict := b.run, !b.takesNull
	return func(f *Frame) Value {
		base := len(f.stack)
		for range size {
			f.stack = append(f.stack, NullValue)
		}
		for i, argument := range arguments {
			v := argument(f)
			if v.kind != wanted[i].Kind && wanted[i].Kind != Any {
				if v.IsNull() && strict {
					f.stack = f.stack[:base]
					return NullValue
				}
				v = coerce(v, wanted[i])
			} else if v.IsNull() && strict {
				f.stack = f.stack[:base]
				return NullValue
			}
			if f.counting {
				f.spend(n, v.burden())
			}
			place := i
			if places != nil {
				place = places[i]
			}
			f.stack[base+place] = v
		}
		v := run(f, n, f.stack[base:base+size:base+size])
		f.stack = f.stack[:base]
		if v.kind == String || v.kind == List || v.kind == Context {
			return f.made(n, v)
		}
		return v
	}
}

// coerce makes a list of one of a value where a list is wanted, and the other way
// round; anything else stays, and the function says what is wrong with it.
func coerce(v Value, want Type) Value {
	if want.Kind == List && v.kind != List && !v.IsNull() {
		return ListOf([]Value{v})
	}
	if fitted, ok := conform(v, Type{Kind: want.Kind}); ok {
		return fitted
	}
	return v
}

// invoke calls a built-in function that was passed as a value.
func (b *builtin) invoke(f *Frame, n Node, arguments []Value) Value {
	if b.run == nil {
		return f.fail(n, b.name+" cannot be passed on")
	}
	call := &Call{node: *n.base(), Function: b.name}
	for _, argument := range arguments {
		literal := &Literal{Value: argument}
		literal.typ = Type{Kind: argument.kind}
		call.Arguments = append(call.Arguments, literal)
	}
	form, problem := b.form(call)
	if problem != "" {
		return f.fail(n, problem)
	}
	given := slices.Clone(arguments)
	for i := range given {
		if given[i].IsNull() && !b.takesNull {
			return NullValue
		}
		if want := form[min(i, len(form)-1)].typ; want.Kind != Any && want.Kind != given[i].kind {
			given[i] = coerce(given[i], want)
		}
	}
	return f.made(n, b.run(f, n, given))
}

// callValue compiles the call of a function that is a value.
func (c compiler) callValue(n *Call) code {
	callee, arguments := c.compile(n.Callee), c.compileAll(n.Arguments)
	return func(f *Frame) Value {
		fn := callee(f)
		if fn.kind != Function {
			return f.fail(n, "only a function can be called; this is a "+fn.kind.String())
		}
		given := make([]Value, len(arguments))
		for i, argument := range arguments {
			given[i] = argument(f)
		}
		if n.ArgumentNames != nil {
			ordered, ok := fn.callee().ordered(n.ArgumentNames, given)
			if !ok {
				return f.fail(n, "the function has no such parameters")
			}
			given = ordered
		}
		return f.invoke(n, fn.callee(), given)
	}
}

// ordered puts arguments by name in the order of the parameters.
func (fn *function) ordered(names []string, given []Value) ([]Value, bool) {
	if fn.definition == nil || len(names) != len(fn.definition.Parameters) {
		return nil, false
	}
	placed := make([]Value, len(given))
	for i, name := range names {
		at := slices.IndexFunc(fn.definition.Parameters, func(p Parameter) bool { return p.Name == name })
		if at < 0 || slices.Contains(names[:i], name) {
			return nil, false
		}
		placed[at] = given[i]
	}
	return placed, true
}

// crosswalk compiles a lookup. A code that is not in the table is a failure: it must
// never pass silently.
func (c compiler) crosswalk(n *Call, arguments []code) code {
	name, _ := literalText(n.Arguments[0])
	count := len(n.table.Keys)
	column := n.table.First
	if len(arguments) > count+1 {
		column, _ = literalText(n.Arguments[count+1])
	}
	return func(f *Frame) Value {
		keys := make([]Value, count)
		for i := range keys {
			if keys[i] = arguments[i+1](f); keys[i].IsNull() {
				return NullValue
			}
		}
		if f.Tables != nil {
			if v, found := f.Tables.Lookup(name, keys, column); found {
				return v
			}
		}
		shown := keys[0].Plain()
		for _, key := range keys[1:] {
			shown += ", " + key.Plain()
		}
		return f.fail(n, fmt.Sprintf("the crosswalk %q has no row for %s", name, shown))
	}
}
