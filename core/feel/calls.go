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
	wanted := make([]parameter, len(arguments))
	for i := range arguments {
		wanted[i] = n.form[min(i, len(n.form)-1)]
		if places != nil {
			wanted[i] = n.form[places[i]]
		}
	}
	run, strict := b.run, !b.takesNull
	return func(f *Frame) Value {
		base, misfit := len(f.stack), -1
		for range size {
			f.stack = append(f.stack, NullValue)
		}
		for i, argument := range arguments {
			v := argument(f)
			if v.kind != wanted[i].typ.Kind && wanted[i].typ.Kind != Any {
				if v.IsNull() && strict {
					f.stack = f.stack[:base]
					return NullValue
				}
				if v = coerce(v, wanted[i].typ); v.kind != wanted[i].typ.Kind && !v.IsNull() {
					misfit = i
				}
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
		given := f.stack[base : base+size : base+size]
		if misfit >= 0 && !b.takes(given) {
			place := misfit
			if places != nil {
				place = places[misfit]
			}
			kind := given[place].kind
			f.stack = f.stack[:base]
			return f.fail(n.Arguments[misfit], b.wants(wanted[misfit], kind))
		}
		v := run(f, n, given)
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

// takes tells whether one of the function's forms takes the values. Cost: forms and values;
// asked only where a value is not of the type that the check expected.
func (b *builtin) takes(values []Value) bool {
	return slices.ContainsFunc(b.forms, func(form []parameter) bool {
		repeated := len(form) > 0 && form[len(form)-1].repeated
		if len(values) > len(form) && !repeated {
			return false
		}
		for i, v := range values {
			want := form[min(i, len(form)-1)].typ.Kind
			if fitted := coerce(v, Type{Kind: want}); want != Any && !fitted.IsNull() && fitted.kind != want {
				return false
			}
		}
		return true
	})
}

// wants says what a parameter must be, where a value is of another kind.
func (b *builtin) wants(p parameter, kind Kind) string {
	return p.name + " of " + b.name + " must be a " + p.typ.String() + "; this is a " + kind.String()
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
	given, misfit := slices.Clone(arguments), -1
	for i := range given {
		if given[i].IsNull() && !b.takesNull {
			return NullValue
		}
		if want := form[min(i, len(form)-1)].typ; want.Kind != Any && want.Kind != given[i].kind {
			if given[i] = coerce(given[i], want); given[i].kind != want.Kind && !given[i].IsNull() {
				misfit = i
			}
		}
	}
	if misfit >= 0 && !b.takes(given) {
		return f.fail(n, b.wants(form[min(misfit, len(form)-1)], given[misfit].kind))
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
