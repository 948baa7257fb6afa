package feel

import (
	"fmt"
	"slices"
	"strings"
)

// parameter is one parameter of a built-in function.
type parameter struct {
	name     string
	typ      Type
	optional bool
	repeated bool // the last one: may be given any number of times
}

// builtin is a function of the language. One table (functions) serves checking,
// running and help.
type builtin struct {
	name  string
	forms [][]parameter
	// result gives the type of the result; types is nil after a wrong call.
	result func(types []Type) Type
	// takesNull: null arguments reach run; else one null argument gives null.
	takesNull bool
	// long: its work must be counted, as it may call functions or make long lists.
	long    bool
	run     run
	help    string
	example string
	chapter string
	own     bool      // ours, not the standard's
	value   *function // the function as a value
}

// run computes a function of its arguments, which it must not keep or change.
type run func(f *Frame, n Node, arguments []Value) Value

// FunctionHelp describes a built-in function for help and completion.
type FunctionHelp struct {
	// Chapter is the group that it stands in: "Text".
	Chapter string
	// Signature writes how it is called, and the type of its result.
	Name, Signature, Help string
	// Example is a formula that is true.
	Example string
	// Ours tells a function that the standard does not have.
	Ours bool
}

// Signature writes how the function is called: "substring(string, start position, length?)".
func (b *builtin) Signature() string {
	var forms []string
	for _, form := range b.forms {
		names := make([]string, len(form))
		for j, p := range form {
			names[j] = p.name
			if p.optional {
				names[j] += "?"
			}
			if p.repeated {
				names[j] += ", …"
			}
		}
		if written := b.name + "(" + strings.Join(names, ", ") + ")"; !slices.Contains(forms, written) {
			forms = append(forms, written)
		}
	}
	return strings.Join(forms, " or ")
}

// form picks the form that fits the call's number or names of arguments. Among
// forms of one length the first whose types fit is taken.
func (b *builtin) form(n *Call) ([]parameter, string) {
	var first []parameter
	for _, form := range b.forms {
		if !accepts(form, n) {
			continue
		}
		if first == nil {
			first = form
		}
		if n.ArgumentNames == nil {
			fits := true
			for i, argument := range n.Arguments {
				fits = fits && argument.Type().Fits(form[min(i, len(form)-1)].typ)
			}
			if !fits {
				continue
			}
		}
		return form, ""
	}
	if first != nil {
		return first, ""
	}
	if n.ArgumentNames != nil {
		return nil, fmt.Sprintf("%s has no parameters named %s", b.name, strings.Join(n.ArgumentNames, ", "))
	}
	return nil, fmt.Sprintf("%s does not take %d arguments", b.name, len(n.Arguments))
}

func accepts(form []parameter, n *Call) bool {
	if n.ArgumentNames != nil {
		seen := map[string]bool{}
		for _, name := range n.ArgumentNames {
			if seen[name] || !slices.ContainsFunc(form, func(p parameter) bool { return p.name == name }) {
				return false
			}
			seen[name] = true
		}
		return !slices.ContainsFunc(form, func(p parameter) bool { return !p.optional && !seen[p.name] })
	}
	required := 0
	for _, p := range form {
		if !p.optional {
			required++
		}
	}
	repeated := len(form) > 0 && form[len(form)-1].repeated
	return len(n.Arguments) >= required && (repeated || len(n.Arguments) <= len(form))
}

// places maps the arguments of a call by name to their parameters; nil for a call
// by position.
func (b *builtin) places(n *Call) []int {
	if n.ArgumentNames == nil {
		return nil
	}
	places := make([]int, len(n.ArgumentNames))
	for i, name := range n.ArgumentNames {
		places[i] = slices.IndexFunc(n.form, func(p parameter) bool { return p.name == name })
	}
	return places
}

var (
	builtins     map[string]*builtin
	builtinNames []string
	builtinForms knownNames
)

func init() {
	builtins = map[string]*builtin{}
	for _, chapter := range chapters {
		for i := range chapter.functions {
			b := &chapter.functions[i]
			b.chapter, b.value = chapter.name, &function{builtin: b}
			builtins[b.name] = b
			builtinNames = append(builtinNames, b.name)
		}
	}
	builtinForms = namesOf(builtinNames)
}

// chapters are the tables of functions, in the order of the reference.
var chapters = []struct {
	name      string
	functions []builtin
}{
	{"Blank, filled and looked up", ownFunctions}, {"Conversion", conversionFunctions}, {"Conditions", booleanFunctions},
	{"Text", textFunctions}, {"Numbers", numberFunctions}, {"Dates and times", dateFunctions},
	{"Lists", listFunctions}, {"Statistics", statisticsFunctions}, {"Contexts", contextFunctions}, {"Ranges", rangeFunctions},
}

// Functions lists the built-in functions, in the order of the reference.
func Functions() []FunctionHelp {
	var list []FunctionHelp
	for _, name := range builtinNames {
		b := builtins[name]
		signature := b.Signature()
		if result := b.result(nil); result.Kind != Any {
			signature += ": " + result.String()
		}
		list = append(list, FunctionHelp{b.chapter, b.name, signature, b.help, b.example, b.own})
	}
	return list
}

// Shorthands for the table.

func always(k Kind) func([]Type) Type { return func([]Type) Type { return Type{Kind: k} } }

func one(parameters ...parameter) [][]parameter { return [][]parameter{parameters} }

func number(name string) parameter { return parameter{name: name, typ: NumberType} }

func text(name string) parameter { return parameter{name: name, typ: StringType} }

func anything(name string) parameter { return parameter{name: name, typ: AnyType} }

func day(name string) parameter { return parameter{name: name, typ: DateType} }

func of(name string, k Kind) parameter { return parameter{name: name, typ: Type{Kind: k}} }

func list(name string) parameter { return of(name, List) }

func maybe(p parameter) parameter { p.optional = true; return p }

func many(p parameter) parameter { p.repeated = true; return p }

// itemsOf returns what an aggregate works on: the one list, or the arguments themselves.
func itemsOf(arguments []Value) []Value {
	if len(arguments) == 1 && arguments[0].kind == List {
		return arguments[0].items()
	}
	return arguments
}
