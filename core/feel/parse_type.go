package feel

import (
	"slices"
	"strings"
)

// namedTypes are the types that have a name of their own (DMN 1.5, section
// 10.3.1.2, rule 54, and table 47).
var namedTypes = map[string]Kind{
	"number": Number, "string": String, "boolean": Boolean, "date": Date, "time": Time, "date and time": DateTime,
	"days and time duration": DayTimeDuration, "years and months duration": YearMonthDuration,
	"list": List, "context": Context, "range": Range, "function": Function, "Any": Any, "Null": Null,
}

// typeName reads a type (rule 54): number, list<number>, context<a: string>,
// range<date>, function<number> -> string. It returns the type and its one way of
// writing.
func (p *parser) typeName() (Type, string) {
	defer p.deeper()()
	place := p.peek()
	var words []string
	for p.peek().kind == tokenWord {
		if word := p.peek().text; keywords[word] && word != "function" && !(word == "and" && slices.Contains([]string{"date", "days", "years"}, strings.Join(words, " "))) {
			break
		}
		words = append(words, p.next().text)
	}
	name := strings.Join(words, " ")
	kind, known := namedTypes[name]
	if !known {
		message := "there is no type %q"
		if near := nearest(name, sortedNames(namedTypes)); near != "" {
			message += "; did you mean " + near + "?"
		}
		p.fail(place, message, name)
	}
	t := Type{Kind: kind}
	if !p.isSymbol("<") || !slices.Contains([]Kind{List, Range, Context, Function}, kind) {
		return t, name
	}
	p.next()
	switch kind {
	case List, Range:
		element, written := p.typeName()
		t.Element = &element
		p.expect(">", "the type is not closed")
		return t, name + "<" + written + ">"
	case Context:
		return p.contextType(t)
	}
	return p.functionType(t)
}

func (p *parser) contextType(t Type) (Type, string) {
	t.Entries = map[string]Type{}
	var parts []string
	for !p.isSymbol(">") {
		if len(parts) > 0 {
			p.expect(",", "entries are separated by commas")
		}
		key := p.readDeclared("the name of an entry is missing", ":")
		p.expect(":", "write context<name: type>")
		entry, written := p.typeName()
		t.Entries[key] = entry
		parts = append(parts, key+": "+written)
	}
	p.next()
	return t, "context<" + strings.Join(parts, ", ") + ">"
}

func (p *parser) functionType(t Type) (Type, string) {
	t.Parameters = []Type{}
	var parts []string
	for !p.isSymbol(">") {
		if len(parts) > 0 {
			p.expect(",", "the types of parameters are separated by commas")
		}
		parameter, written := p.typeName()
		t.Parameters = append(t.Parameters, parameter)
		parts = append(parts, written)
	}
	p.next()
	p.expect("->", "write function<number> -> string")
	result, written := p.typeName()
	t.Result = &result
	return t, "function<" + strings.Join(parts, ", ") + "> -> " + written
}
