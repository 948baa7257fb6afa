package feel

import "fmt"

// Frame holds what one evaluation reads and what it reports. A Frame may be used
// for many evaluations, one after the other.
type Frame struct {
	// Slots are the values of the scope's symbols.
	Slots []Value
	// Row are the values of the symbols from RowSlot on: those of one line.
	Row []Value
	// Linked finds linked records; nil: there are none.
	Linked Linked
	// Tables finds values in tables; nil: there are none.
	Tables Tables
	// Now is the date and time that now() and today() tell; null when there is no clock.
	Now Value
	// Workday tells which days are worked; nil: Monday to Friday.
	Workday func(date Value) bool
	// Failures are what went wrong where the standard gives null: a division by
	// zero, a text that is no date. Eval appends; the caller empties.
	Failures []Failure

	stack    []Value // arguments of the calls of built-in functions that run
	locals   []Value // what the expressions around declare
	depth    int     // calls of functions, one in another
	steps    int     // of the evaluation at hand
	counting bool    // whether steps count
	recorded []record
}

// Failure is something that went wrong while a formula ran, at its place.
type Failure struct {
	Message    string
	Start, End int
}

// Limits on what one evaluation may do, so that no formula can exhaust the process.
const (
	MaxSteps     = 1_000_000 // items made or looked at, and calls
	maxItems     = 100_000   // of one list
	maxCallDepth = 200       // calls of defined functions, one in another
	maxText      = 1 << 20   // bytes of one text
	maxWeight    = 1_000_000 // values in one value, also those inside its lists and contexts
	maxFailures  = 100       // that are told
	costly       = 500       // steps of a root, power or logarithm
)

func (f *Frame) fail(n Node, message string) Value {
	if len(f.Failures) < maxFailures {
		start, end := n.Span()
		f.Failures = append(f.Failures, Failure{message, start, end})
	}
	return NullValue
}

// exhausted carries a limit that was met up to bounded.
type exhausted struct{ failure Failure }

// spend counts work; past the limit the evaluation ends. Only where a formula repeats
// something work is counted: else its length bounds it.
func (f *Frame) spend(n Node, steps int) {
	if !f.counting {
		return
	}
	if f.steps += steps; f.steps > MaxSteps {
		start, end := n.Span()
		panic(exhausted{Failure{fmt.Sprintf("this takes more than %d steps", MaxSteps), start, end}})
	}
}

// burden is what looking through a value costs, in steps.
func (v Value) burden() int {
	switch v.kind {
	case String:
		return len(v.text()) / 256
	case List, Context:
		return v.weight() / 16
	}
	return 0
}

// made takes a list, context or text that a formula computed: it counts as work, and
// may not be too large.
func (f *Frame) made(n Node, v Value) Value {
	size, most := 0, maxWeight
	switch v.kind {
	case String:
		size, most = len(v.text()), maxText
	case List:
		if len(v.items()) > maxItems {
			return f.fail(n, tooLong)
		}
		size = v.weight()
	case Context:
		size = v.weight()
	default:
		return v
	}
	if size > most {
		return f.fail(n, "the value is too large")
	}
	f.spend(n, size/64)
	return v
}

var tooLong = fmt.Sprintf("a list may have %d items at most", maxItems)

// bounded runs code whose work is counted; a limit that is met gives null and says so.
func (f *Frame) bounded(run code) (v Value) {
	locals, stack, depth, counting := f.locals, len(f.stack), f.depth, f.counting
	f.steps, f.counting = 0, true
	defer func() {
		f.locals, f.stack, f.depth, f.counting = locals, f.stack[:stack], depth, counting
		if caught := recover(); caught != nil {
			limit, ours := caught.(exhausted)
			if !ours {
				panic(caught)
			}
			f.Failures = append(f.Failures, limit.failure)
			v = NullValue
		}
	}()
	return run(f)
}

// size returns how many nodes a part of a formula has: what running it once costs.
func size(n Node) (nodes int) {
	Walk(n, func(Node) { nodes++ })
	return nodes
}

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

// midnight is the first moment of a date, in UTC (DMN 1.5, section 10.3.2.9.4).
func midnight(date Value) Value {
	return joinDateTime(date, zoned(Time, zeroSeconds, &Zone{}))
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
