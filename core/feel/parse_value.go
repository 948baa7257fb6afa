package feel

import (
	"slices"

	"codicil/core/decimal"
)

// primary reads a value that is no operation on others.
func (p *parser) primary() Node {
	t := p.peek()
	switch t.kind {
	case tokenNumber:
		p.next()
		n, err := decimal.Parse(t.text)
		if err != nil {
			p.fail(t, "the number %s is out of range", t.text)
		}
		return made(p, t.start, &Literal{Value: NumberOf(n)})
	case tokenString:
		p.next()
		return made(p, t.start, &Literal{Value: StringOf(t.text)})
	case tokenTemporal:
		p.next()
		v, ok := parseTemporal(t.text)
		if !ok {
			p.fail(t, "%q is no date, time or duration: write @\"2026-11-24\", @\"14:30:00\" or @\"P14D\"", t.text)
		}
		return made(p, t.start, &Literal{Value: v})
	case tokenWord:
		return p.word(t)
	case tokenSymbol:
		switch t.text {
		case "(":
			p.next()
			inner := p.expression()
			if p.isSymbol("..") {
				return p.rangeFrom(t.start, inner, true)
			}
			p.expect(")", "the parenthesis is not closed")
			inner.base().from = t.start
			return inner
		case "[", "]":
			return p.listOrRange(t)
		case "{":
			return p.context(t)
		case Input:
			p.next()
			return made(p, t.start, &Name{Text: Input})
		}
	}
	p.failUnexpected(t)
	return nil
}

// word reads what begins with a word: a literal, an expression with a keyword, a
// name or a call.
func (p *parser) word(t token) Node {
	if p.knownLength() == 0 {
		if literal, ok := map[string]Value{"true": True, "false": False, "null": NullValue}[t.text]; ok {
			p.next()
			return made(p, t.start, &Literal{Value: literal})
		}
		switch t.text {
		case "if":
			return p.conditional()
		case "for":
			return p.loop()
		case "some", "every":
			return p.quantified()
		case "function":
			return p.definition()
		}
		if keywords[t.text] {
			p.failUnexpected(t)
		}
	}
	name := p.name()
	nameEnd := p.tokens[p.at-1].end
	if !p.isSymbol("(") {
		return made(p, t.start, &Name{Text: name})
	}
	call := &Call{Function: name, nameEnd: nameEnd}
	p.arguments(call)
	return made(p, t.start, call)
}

// arguments reads the arguments of a call, by position or by name (rules 40 to 42).
func (p *parser) arguments(call *Call) {
	p.next()
	for !p.isSymbol(")") {
		if len(call.Arguments) > 0 {
			p.expect(",", "arguments are separated by commas")
		}
		saved := p.at
		if p.peek().kind == tokenWord {
			argument := p.name()
			if p.accept(":") {
				call.ArgumentNames = append(call.ArgumentNames, argument)
			} else {
				p.at = saved
			}
		}
		place := p.peek()
		call.Arguments = append(call.Arguments, p.expression())
		if n := len(call.ArgumentNames); n > 0 && n != len(call.Arguments) {
			p.fail(place, "either all arguments are named or none")
		}
	}
	p.next()
}

// definition is rule 55.
func (p *parser) definition() Node {
	start := p.next().start
	defer p.undeclare(len(p.declared))
	p.expect("(", "write function(x) …")
	definition := &Definition{}
	for !p.isSymbol(")") {
		if len(definition.Parameters) > 0 {
			p.expect(",", "parameters are separated by commas")
		}
		place := p.peek()
		parameter := Parameter{Name: p.declare("the name of a parameter is missing", ",", ":", ")"), Type: AnyType}
		if slices.ContainsFunc(definition.Parameters, func(other Parameter) bool { return other.Name == parameter.Name }) {
			p.fail(place, "the parameter %q is there twice", parameter.Name)
		}
		if p.accept(":") {
			parameter.Type, parameter.written = p.typeName()
		}
		definition.Parameters = append(definition.Parameters, parameter)
	}
	p.next()
	if p.isWord("external") {
		p.fail(p.peek(), "functions from outside are not available: write what the function computes")
	}
	definition.Body = p.expression()
	return made(p, start, definition)
}

func (p *parser) listOrRange(t token) Node {
	p.next()
	if t.text == "[" && p.accept("]") {
		return made(p, t.start, &ListLiteral{})
	}
	first := p.expression()
	if p.isSymbol("..") {
		return p.rangeFrom(t.start, first, t.text == "]")
	}
	if t.text == "]" {
		p.fail(t, `"]" opens a range only as in ]1..5]`)
	}
	items := []Node{first}
	for p.accept(",") {
		items = append(items, p.expression())
	}
	p.expect("]", "the list is not closed")
	return made(p, t.start, &ListLiteral{Items: items})
}

// rangeFrom reads the rest of a range (rules 8 to 12) whose start was read.
func (p *parser) rangeFrom(start int, low Node, lowOpen bool) Node {
	p.next()
	p.inRange = true
	high := p.binary(comparisonLevel + 1)
	p.inRange = false
	t := p.peek()
	if !t.isOneOf([]string{")", "]", "["}) {
		p.fail(t, "the range is not closed: write ] if its end belongs to it, ) if not")
	}
	p.next()
	return made(p, start, &RangeLiteral{Low: low, High: high, LowOpen: lowOpen, HighOpen: t.text != "]"})
}

// context is rules 57 to 59. The names of its entries stay known after it, for the
// paths that lead to them.
func (p *parser) context(t token) Node {
	p.next()
	c := &ContextLiteral{}
	for !p.isSymbol("}") {
		if len(c.Keys) > 0 {
			p.expect(",", "entries are separated by commas")
		}
		place := p.peek()
		key := place.text
		if place.kind == tokenString {
			p.next()
		} else {
			key = p.readDeclared("the name of an entry is missing", ":")
		}
		if slices.Contains(c.Keys, key) {
			p.fail(place, "the entry %q is there twice", key)
		}
		p.expect(":", "write {name: value}")
		c.Keys = append(c.Keys, key)
		c.Values = append(c.Values, p.expression())
		p.remember(key)
	}
	p.next()
	return made(p, t.start, c)
}
