package feel

import (
	"fmt"
	"slices"

	"codicil/core/decimal"
)

// Limits on what is read, so that no formula can exhaust the process.
const (
	MaxLength = 20000 // bytes of a formula
	maxDepth  = 200   // nesting of expressions
	maxNodes  = 20000
)

type parser struct {
	source string
	tokens []token
	at     int
	depth  int
	nodes  int
	// inRange: the end of a range is being read, so that [ closes it: [1..5[
	inRange bool
	names   knownNames // of the scope
}

// stop carries the first syntax error up to parse.
type stop struct{ problem Problem }

func parse(source string, known []string) (root Node, nodes int, problem *Problem) {
	if len(source) > MaxLength {
		p := problemAt(source, MaxLength, len(source), "limit", fmt.Sprintf("a formula may have %d bytes at most; this one has %d", MaxLength, len(source)))
		return nil, 0, &p
	}
	tokens, problem := scan(source)
	if problem != nil {
		return nil, 0, problem
	}
	p := &parser{source: source, tokens: tokens, names: namesOf(known)}
	defer func() {
		if caught := recover(); caught != nil {
			s, ours := caught.(stop)
			if !ours {
				panic(caught)
			}
			root, problem = nil, &s.problem
		}
	}()
	if p.peek().kind == tokenEnd {
		p.fail(p.peek(), "the formula is empty")
	}
	root = p.expression()
	if t := p.peek(); t.kind != tokenEnd {
		p.failUnexpected(t)
	}
	return root, p.nodes, nil
}

func (p *parser) fail(t token, format string, args ...any) {
	panic(stop{problemAt(p.source, t.start, max(t.end, t.start), "syntax", fmt.Sprintf(format, args...))})
}

func (p *parser) failUnexpected(t token) {
	switch {
	case t.kind == tokenEnd:
		p.fail(t, "the formula ends too early: a value is missing here")
	case t.kind == tokenWord && slices.Contains([]string{"for", "some", "every", "function", "instance", "external"}, t.text):
		p.fail(t, "%q is not available yet", t.text)
	case t.kind == tokenSymbol && t.text == "=" && p.at > 0 && p.tokens[p.at-1].text == "=":
		p.fail(t, "equality is written with one =")
	}
	p.fail(t, "%q does not fit here", p.source[t.start:t.end])
}

func (p *parser) peek() token { return p.tokens[p.at] }

func (p *parser) next() token {
	t := p.tokens[p.at]
	if t.kind != tokenEnd {
		p.at++
	}
	return t
}

func (p *parser) isSymbol(text string) bool {
	t := p.peek()
	return t.kind == tokenSymbol && t.text == text
}

func (p *parser) isWord(text string) bool {
	t := p.peek()
	return t.kind == tokenWord && t.text == text
}

func (p *parser) accept(symbol string) bool {
	if p.isSymbol(symbol) {
		p.at++
		return true
	}
	return false
}

func (p *parser) expect(symbol, why string) token {
	if !p.isSymbol(symbol) {
		t := p.peek()
		if t.kind == tokenEnd {
			p.fail(t, "%q is missing at the end: %s", symbol, why)
		}
		p.fail(t, "expected %q but found %q: %s", symbol, p.source[t.start:t.end], why)
	}
	return p.next()
}

func (p *parser) expectWord(word, why string) {
	if !p.isWord(word) {
		p.fail(p.peek(), "%q is missing here: %s", word, why)
	}
	p.at++
}

// made gives a new node its place; its end is that of the last token read.
func made[N Node](p *parser, start int, n N) N {
	b := n.base()
	b.start, b.end, b.id, b.typ = start, p.tokens[max(0, p.at-1)].end, p.nodes, Type{Kind: Any}
	p.nodes++
	if p.nodes > maxNodes {
		p.fail(p.peek(), "the formula is too large")
	}
	return n
}

func startOf(n Node) int { return n.base().start }

func (p *parser) deeper() func() {
	p.depth++
	if p.depth > maxDepth {
		panic(stop{problemAt(p.source, p.peek().start, p.peek().end, "limit", fmt.Sprintf("the formula is nested more than %d deep", maxDepth))})
	}
	return func() { p.depth-- }
}

func (p *parser) expression() Node {
	defer p.deeper()()
	return p.binary(0)
}

func (p *parser) conditional() Node {
	start := p.next().start
	condition := p.expression()
	p.expectWord("then", "write if … then … else …")
	then := p.expression()
	p.expectWord("else", "write if … then … else …")
	return made(p, start, &If{Condition: condition, Then: then, Else: p.expression()})
}

// levels are the left-associative binary operators, weakest first. Comparison
// stands between and and +; it does not associate.
var levels = [][]string{{"or"}, {"and"}, nil, {"+", "-"}, {"*", "/"}, {"**"}}

const comparisonLevel = 2

func (p *parser) binary(level int) Node {
	if level == comparisonLevel {
		return p.comparison()
	}
	if level == len(levels) {
		return p.negation()
	}
	left := p.binary(level + 1)
	for {
		t := p.peek()
		if (t.kind != tokenSymbol && t.kind != tokenWord) || !slices.Contains(levels[level], t.text) {
			return left
		}
		p.next()
		right := p.binary(level + 1)
		left = made(p, startOf(left), &Binary{Operator: t.text, Left: left, Right: right})
	}
}

var comparisons = []string{"=", "!=", "<", "<=", ">", ">="}

func (p *parser) comparison() Node {
	left := p.binary(comparisonLevel + 1)
	t := p.peek()
	switch {
	case t.kind == tokenSymbol && slices.Contains(comparisons, t.text):
		p.next()
		right := p.binary(comparisonLevel + 1)
		result := made(p, startOf(left), &Binary{Operator: t.text, Left: left, Right: right})
		if again := p.peek(); again.kind == tokenSymbol && slices.Contains(comparisons, again.text) {
			p.fail(again, "two comparisons cannot be chained: join them with and")
		}
		return result
	case p.isWord("between"):
		p.next()
		low := p.binary(comparisonLevel + 1)
		p.expectWord("and", "write … between … and …")
		return made(p, startOf(left), &Between{Subject: left, Low: low, High: p.binary(comparisonLevel + 1)})
	case p.isWord("in"):
		p.next()
		return made(p, startOf(left), &In{Subject: left, Tests: p.tests()})
	}
	return left
}

// tests reads what stands after in: one test, or several in parentheses.
func (p *parser) tests() []Node {
	if !p.isSymbol("(") {
		return []Node{p.test()}
	}
	start := p.peek().start
	p.next()
	first := p.test()
	if p.isSymbol("..") { // (1..5] is a range with an open end, not a list of tests
		return []Node{p.rangeFrom(start, first, true)}
	}
	tests := []Node{first}
	for p.accept(",") {
		tests = append(tests, p.test())
	}
	p.expect(")", "the list of values after in ends with )")
	return tests
}

func (p *parser) test() Node {
	defer p.deeper()()
	t := p.peek()
	if t.kind == tokenSymbol && slices.Contains(comparisons, t.text) {
		p.next()
		return made(p, t.start, &Test{Operator: t.text, Operand: p.binary(comparisonLevel + 1)})
	}
	return p.binary(comparisonLevel + 1)
}

func (p *parser) negation() Node {
	if t := p.peek(); p.isSymbol("-") {
		defer p.deeper()()
		p.next()
		return made(p, t.start, &Negate{Operand: p.negation()})
	}
	return p.postfix(p.primary())
}

func (p *parser) postfix(n Node) Node {
	for {
		switch {
		case p.isSymbol(".") && p.tokens[p.at+1].kind == tokenWord:
			p.next()
			n = made(p, startOf(n), &Path{Base: n, Member: p.name()})
		case p.isSymbol("."):
			p.next()
			p.fail(p.peek(), "a name must follow the dot")
		case p.isSymbol("[") && !p.inRange:
			p.fail(p.peek(), "filters are not available yet")
		default:
			return n
		}
	}
}

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
			return inner
		case "[", "]":
			return p.listOrRange(t)
		case "{":
			return p.context(t)
		case "?":
			p.fail(t, "? is not available here")
		}
	}
	p.failUnexpected(t)
	return nil
}

func (p *parser) word(t token) Node {
	if p.knownLength() == 0 {
		if literal, ok := map[string]Value{"true": True, "false": False, "null": NullValue}[t.text]; ok {
			p.next()
			return made(p, t.start, &Literal{Value: literal})
		}
		if t.text == "if" {
			return p.conditional()
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
	p.next()
	call := &Call{Function: name, nameEnd: nameEnd}
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
	return made(p, t.start, call)
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

func (p *parser) rangeFrom(start int, low Node, lowOpen bool) Node {
	p.next()
	p.inRange = true
	high := p.binary(comparisonLevel + 1)
	p.inRange = false
	t := p.peek()
	if t.kind != tokenSymbol || !slices.Contains([]string{")", "]", "["}, t.text) {
		p.fail(t, "the range is not closed: write ] if its end belongs to it, ) if not")
	}
	p.next()
	return made(p, start, &RangeLiteral{Low: low, High: high, LowOpen: lowOpen, HighOpen: t.text != "]"})
}

func (p *parser) context(t token) Node {
	p.next()
	c := &ContextLiteral{}
	for !p.isSymbol("}") {
		if len(c.Keys) > 0 {
			p.expect(",", "entries are separated by commas")
		}
		key := p.peek()
		switch key.kind {
		case tokenString:
			p.next()
			c.Keys = append(c.Keys, key.text)
		case tokenWord:
			c.Keys = append(c.Keys, p.name())
		default:
			p.fail(key, "the name of an entry is missing")
		}
		if slices.Contains(c.Keys[:len(c.Keys)-1], c.Keys[len(c.Keys)-1]) {
			p.fail(key, "the entry %q is there twice", c.Keys[len(c.Keys)-1])
		}
		p.expect(":", "write {name: value}")
		c.Values = append(c.Values, p.expression())
	}
	p.next()
	return made(p, t.start, c)
}
