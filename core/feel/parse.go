package feel

import (
	"fmt"
	"slices"
)

// Limits on what is read, so that no formula can exhaust the process.
const (
	MaxLength = 20000 // bytes of a formula
	maxDepth  = 200   // nesting of expressions
	maxNodes  = 20000
)

// parser reads the tokens of a formula by recursive descent, following the grammar
// rules of DMN 1.5, section 10.3.1.2. Their numbers stand at the functions.
type parser struct {
	source string
	tokens []token
	at     int
	depth  int
	nodes  int
	// inRange: the end of a range is being read, so that [ may close it: [1..5[
	inRange bool
	names   knownNames // of the scope
	// declared are the names of several words that surrounding expressions declare.
	declared [][]string
}

// stop carries the first syntax error up to parse.
type stop struct{ problem Problem }

// parse reads a formula, or unary tests, by the given rule.
func parse(source string, known []string, rule func(*parser) Node) (root Node, nodes int, problem *Problem) {
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
	root = rule(p)
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
	case t.kind == tokenSymbol && t.text == "=" && p.at > 0 && p.tokens[p.at-1].text == "=":
		p.fail(t, "equality is written with one =")
	}
	p.fail(t, "%q does not fit here", p.source[t.start:t.end])
}

func (p *parser) peek() token { return p.tokens[p.at] }

// after returns the token that follows the current one.
func (p *parser) after() token { return p.tokens[min(p.at+1, len(p.tokens)-1)] }

func (p *parser) next() token {
	t := p.tokens[p.at]
	if t.kind != tokenEnd {
		p.at++
	}
	return t
}

func (t token) isSymbol(text string) bool { return t.kind == tokenSymbol && t.text == text }

func (t token) isOneOf(symbols []string) bool {
	return t.kind == tokenSymbol && slices.Contains(symbols, t.text)
}

func (p *parser) isSymbol(text string) bool { return p.peek().isSymbol(text) }

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

func (p *parser) expect(symbol, why string) {
	if !p.isSymbol(symbol) {
		t := p.peek()
		if t.kind == tokenEnd {
			p.fail(t, "%q is missing at the end: %s", symbol, why)
		}
		p.fail(t, "expected %q but found %q: %s", symbol, p.source[t.start:t.end], why)
	}
	p.next()
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
	b.start, b.from, b.end, b.id, b.typ = start, start, p.tokens[max(0, p.at-1)].end, p.nodes, AnyType
	p.nodes++
	if p.nodes > maxNodes {
		p.fail(p.peek(), "the formula is too large")
	}
	return n
}

// startOf is where a node begins that begins with n, parentheses and all.
func startOf(n Node) int { return n.base().from }

func (p *parser) deeper() func() {
	p.depth++
	if p.depth > maxDepth {
		panic(stop{problemAt(p.source, p.peek().start, p.peek().end, "limit", fmt.Sprintf("the formula is nested more than %d deep", maxDepth))})
	}
	return func() { p.depth-- }
}

// expression is rule 1. A comparison may stand without its left side (rule 7).
func (p *parser) expression() Node {
	defer p.deeper()()
	defer func(was bool) { p.inRange = was }(p.inRange)
	p.inRange = false
	if t := p.peek(); t.isOneOf(comparisons) && !p.after().isSymbol("=") {
		return p.test()
	}
	return p.binary(0)
}

// test reads a comparison without its left side (rule 7).
func (p *parser) test() Node {
	t := p.next()
	return made(p, t.start, &Test{Operator: t.text, Operand: p.binary(comparisonLevel + 1)})
}

// unaryTests are rules 13 to 17: what stands in a cell that tests one value. They are
// read as if "? in (…)" stood there; - is true of everything.
func (p *parser) unaryTests() Node {
	start := p.peek().start
	if p.isSymbol("-") && p.after().kind == tokenEnd {
		p.next()
		return made(p, start, &Literal{Value: True})
	}
	if p.isWord("not") && p.after().isSymbol("(") {
		saved := p.at
		p.next()
		p.next()
		tests := p.positiveTests()
		if p.accept(")") && p.peek().kind == tokenEnd {
			negated := made(p, start, &Not{Tests: tests})
			return made(p, start, &In{Subject: made(p, start, &Name{Text: Input}), Tests: []Node{negated}})
		}
		p.at = saved // a call of not() that goes on: not(x) or y
	}
	tests := p.positiveTests()
	return made(p, start, &In{Subject: made(p, start, &Name{Text: Input}), Tests: tests})
}

func (p *parser) positiveTests() []Node {
	tests := []Node{p.expression()}
	for p.accept(",") {
		tests = append(tests, p.expression())
	}
	return tests
}

// conditional is rule 47.
func (p *parser) conditional() Node {
	start := p.next().start
	condition := p.expression()
	p.expectWord("then", "write if … then … else …")
	then := p.expression()
	p.expectWord("else", "write if … then … else …")
	return made(p, start, &If{Condition: condition, Then: then, Else: p.expression()})
}

// loop is rule 46.
func (p *parser) loop() Node {
	start := p.next().start
	defer p.undeclare(len(p.declared))
	iterators := p.iterators("for x in list return …")
	p.expectWord("return", "write for x in list return …")
	return made(p, start, &For{Iterators: iterators, Body: p.expression()})
}

// quantified is rule 48.
func (p *parser) quantified() Node {
	t := p.next()
	defer p.undeclare(len(p.declared))
	why := t.text + " x in list satisfies …"
	iterators := p.iterators(why)
	p.expectWord("satisfies", "write "+why)
	return made(p, t.start, &Quantified{Every: t.text == "every", Iterators: iterators, Condition: p.expression()})
}

// iterators are rules 46, 48 and 49, up to return or satisfies.
func (p *parser) iterators(why string) (all []Iterator) {
	for {
		name := p.declare("write "+why, "in")
		p.expectWord("in", "write "+why)
		i := Iterator{Name: name, Domain: p.expression()}
		if p.accept("..") {
			i.To = p.expression()
		}
		all = append(all, i)
		if !p.accept(",") {
			return all
		}
	}
}

// levels are the left-associative binary operators, weakest first (rule 2; section
// 10.3.1.2 on associativity). Comparison stands between and and +; it does not associate.
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

// comparison is rule 51.
func (p *parser) comparison() Node {
	left := p.binary(comparisonLevel + 1)
	t := p.peek()
	switch {
	case t.isOneOf(comparisons):
		p.next()
		right := p.binary(comparisonLevel + 1)
		result := made(p, startOf(left), &Binary{Operator: t.text, Left: left, Right: right})
		if again := p.peek(); again.isOneOf(comparisons) {
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
	defer p.deeper()()
	if p.peek().isOneOf(comparisons) {
		return []Node{p.test()}
	}
	if !p.isSymbol("(") {
		return []Node{p.binary(comparisonLevel + 1)}
	}
	start := p.next().start
	first := p.expression()
	if p.isSymbol("..") { // (1..5] is a range with an open end, not a list of tests
		return []Node{p.rangeFrom(start, first, true)}
	}
	tests := []Node{first}
	for p.accept(",") {
		tests = append(tests, p.expression())
	}
	p.expect(")", "the list of values after in ends with )")
	return tests
}

// negation is rule 26.
func (p *parser) negation() Node {
	var n Node
	switch t := p.peek(); {
	case t.isSymbol("-") && p.after().kind == tokenNumber: // a literal (rule 37)
		p.next()
		n = made(p, t.start, &Negate{Operand: p.postfix(p.primary())})
	case t.isSymbol("-"):
		defer p.deeper()()
		p.next()
		return made(p, t.start, &Negate{Operand: p.negation()})
	default:
		n = p.postfix(p.primary())
	}
	for p.isWord("instance") { // rule 53
		p.next()
		p.expectWord("of", "write … instance of number")
		wanted, written := p.typeName()
		n = made(p, startOf(n), &InstanceOf{Operand: n, Wanted: wanted, written: written})
	}
	return n
}

// postfix reads what may follow a value: paths, filters and calls (rules 40, 43 and 52).
func (p *parser) postfix(n Node) Node {
	for {
		switch {
		case p.isSymbol(".") && p.after().kind == tokenWord:
			p.next()
			n = made(p, startOf(n), &Path{Base: n, Member: p.name()})
		case p.isSymbol("."):
			p.next()
			p.fail(p.peek(), "a name must follow the dot")
		case p.isSymbol("[") && (!p.inRange || p.beginsValue(p.after())):
			p.next()
			condition := p.expression()
			p.expect("]", "the filter is not closed")
			n = made(p, startOf(n), &Filter{Base: n, Condition: condition})
		case p.isSymbol("(") && callable(n, p.tokens[p.at-1]):
			call := &Call{Callee: n}
			p.arguments(call)
			n = made(p, startOf(n), call)
		default:
			return n
		}
	}
}

// callable tells whether ( after the node calls it: what stands in parentheses, and what
// can be a function without them. A definition cannot: its body would be called.
func callable(n Node, last token) bool {
	switch n.(type) {
	case *Path, *Filter, *Call:
		return true
	}
	return last.isSymbol(")")
}

// beginsValue tells whether a value may begin with the token.
func (p *parser) beginsValue(t token) bool {
	switch t.kind {
	case tokenNumber, tokenString, tokenTemporal:
		return true
	case tokenWord:
		return !slices.Contains([]string{"and", "or", "in", "between", "then", "else", "return", "satisfies", "instance"}, t.text)
	case tokenSymbol:
		return slices.Contains([]string{"(", "{", "[", "?", "<", "<=", ">", ">="}, t.text)
	}
	return false
}
