package feel

import "fmt"

// function is a value that can be called: a built-in function, or one that a
// formula defines, with what it saw where it was defined.
type function struct {
	builtin    *builtin
	definition *Definition
	body       code
	captured   []Value
}

// String writes the function: the name of a built-in one, else its definition.
func (fn *function) String() string {
	if fn.builtin != nil {
		return fn.builtin.name
	}
	return Format(fn.definition)
}

func (fn *function) typ() Type {
	if fn.definition != nil {
		return fn.definition.typ
	}
	return Type{Kind: Function}
}

// invoke calls a function with arguments by position.
func (f *Frame) invoke(n Node, fn *function, arguments []Value) Value {
	if fn.builtin != nil {
		f.spend(n, 4)
		return fn.builtin.invoke(f, n, arguments)
	}
	f.spend(n, 1+fn.definition.cost)
	parameters := fn.definition.Parameters
	if len(arguments) != len(parameters) {
		return f.fail(n, fmt.Sprintf("the function takes %d arguments, not %d", len(parameters), len(arguments)))
	}
	if f.depth++; f.depth > maxCallDepth {
		start, end := n.Span()
		panic(exhausted{Failure{fmt.Sprintf("functions call each other more than %d deep", maxCallDepth), start, end}})
	}
	outer := f.locals
	f.locals = make([]Value, fn.definition.size)
	copy(f.locals, fn.captured)
	for i, argument := range arguments {
		fitted, ok := conform(argument, parameters[i].Type)
		if !ok {
			f.locals = outer
			f.depth--
			return f.fail(n, "the argument "+parameters[i].Name+" must be a "+parameters[i].Type.String()+"; this is a "+argument.kind.String())
		}
		f.locals[fn.definition.first+i] = fitted
	}
	v := fn.body(f)
	f.locals = outer
	f.depth--
	return v
}

// conform fits a value to a type as DMN 1.5, section 10.3.2.9.4 has it: as it is,
// a list of one as its item, an item as a list of one, a date as its midnight.
func conform(v Value, want Type) (Value, bool) {
	if instanceOf(v, want) || v.IsNull() || want.Kind == Any {
		return v, true
	}
	switch {
	case want.Kind == List && v.kind != List:
		return ListOf([]Value{v}), instanceOf(v, want.element())
	case v.kind == List && len(v.items()) == 1:
		return v.items()[0], instanceOf(v.items()[0], want)
	case want.Kind == DateTime && v.kind == Date:
		return midnight(v), true
	}
	return NullValue, false
}

// single is the item of a list of one, and any other value itself: what is given where a
// single value of more than one type is wanted.
func single(v Value) Value {
	if v.kind == List && len(v.items()) == 1 {
		return v.items()[0]
	}
	return v
}

// instanceOf is v instance of t (DMN 1.5, section 10.3.2.9.1); null is only of the
// type Null.
func instanceOf(v Value, t Type) bool {
	if t.Kind == Any {
		return !v.IsNull()
	}
	if v.kind != t.Kind {
		return false
	}
	switch t.Kind {
	case List:
		if t.Element != nil {
			for _, item := range v.items() {
				if !instanceOf(item, *t.Element) && !(t.Element.Kind == Any && item.IsNull()) {
					return false
				}
			}
		}
	case Range:
		b := v.bounds()
		return t.Element == nil || ((b.Low.IsNull() || instanceOf(b.Low, *t.Element)) && (b.High.IsNull() || instanceOf(b.High, *t.Element)))
	case Context:
		for key, entry := range t.Entries {
			value, found := v.entries().Get(key)
			if !found || (!value.IsNull() && !instanceOf(value, entry)) {
				return false
			}
		}
	case Function:
		return t.Parameters == nil || functionFits(v.callee().typ(), t)
	}
	return true
}

// functionFits tells whether a function can stand for another: it takes at least
// what is given, and gives no more than what is wanted.
func functionFits(t, want Type) bool {
	if t.Parameters == nil {
		return true // a built-in function
	}
	if len(t.Parameters) != len(want.Parameters) {
		return false
	}
	for i := range t.Parameters {
		if !want.Parameters[i].Fits(t.Parameters[i]) {
			return false
		}
	}
	return t.Result == nil || want.Result == nil || t.Result.Fits(*want.Result)
}
