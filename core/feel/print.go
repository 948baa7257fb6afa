package feel

import "strings"

// The binding of expressions, weakest first: what stands inside another must bind at
// least as strongly as that asks, or stand in parentheses.
const (
	bindsWhole = iota // if, for, some, every, function, a comparison without left side
	bindsOr
	bindsAnd
	bindsComparison
	bindsSum
	bindsProduct
	bindsPower
	bindsNegation
	bindsInstance
	bindsValue
)

func binding(n Node) int {
	switch n := n.(type) {
	case *If, *For, *Quantified, *Definition, *Test:
		return bindsWhole
	case *Binary:
		switch n.Operator {
		case "or":
			return bindsOr
		case "and":
			return bindsAnd
		case "+", "-":
			return bindsSum
		case "*", "/":
			return bindsProduct
		case "**":
			return bindsPower
		}
		return bindsComparison
	case *Between, *In:
		return bindsComparison
	case *Negate:
		return bindsNegation
	case *InstanceOf:
		return bindsInstance
	}
	return bindsValue
}

// Format writes a tree as a formula, in one way for each tree: reading what it writes
// gives the same tree.
func Format(n Node) string {
	var p printer
	p.write(n, bindsWhole)
	return p.String()
}

type printer struct{ strings.Builder }

func (p *printer) text(parts ...string) {
	for _, part := range parts {
		p.WriteString(part)
	}
}

// write writes n where something is asked that binds at least so strongly.
func (p *printer) write(n Node, asked int) {
	if binding(n) < asked {
		p.text("(")
		defer p.text(")")
	}
	switch n := n.(type) {
	case *Literal:
		p.text(n.Value.String())
	case *Name:
		p.text(n.Text)
	case *Path:
		p.write(n.Base, bindsValue)
		p.text(".", n.Member)
	case *Filter:
		p.write(n.Base, bindsValue)
		p.text("[")
		p.write(n.Condition, bindsWhole)
		p.text("]")
	case *Negate:
		p.text("-")
		p.write(n.Operand, bindsNegation)
	case *Binary:
		p.binary(n)
	case *Between:
		p.write(n.Subject, bindsSum)
		p.text(" between ")
		p.write(n.Low, bindsSum)
		p.text(" and ")
		p.write(n.High, bindsSum)
	case *In:
		p.write(n.Subject, bindsSum)
		p.text(" in ")
		p.tests(n.Tests)
	case *Not:
		p.text("not(")
		p.list(n.Tests)
		p.text(")")
	case *Test:
		p.text(n.Operator, " ")
		p.write(n.Operand, bindsSum)
	case *RangeLiteral:
		p.rangeLiteral(n)
	case *InstanceOf:
		p.write(n.Operand, bindsInstance)
		p.text(" instance of ", n.written)
	case *If:
		p.text("if ")
		p.write(n.Condition, bindsWhole)
		p.text(" then ")
		p.write(n.Then, bindsWhole)
		p.text(" else ")
		p.write(n.Else, bindsWhole)
	case *For:
		p.text("for ")
		p.iterators(n.Iterators)
		p.text(" return ")
		p.write(n.Body, bindsWhole)
	case *Quantified:
		p.text(map[bool]string{true: "every ", false: "some "}[n.Every])
		p.iterators(n.Iterators)
		p.text(" satisfies ")
		p.write(n.Condition, bindsWhole)
	case *ListLiteral:
		p.text("[")
		p.list(n.Items)
		p.text("]")
	case *ContextLiteral:
		p.context(n)
	case *Definition:
		p.definition(n)
	case *Call:
		p.call(n)
	}
}

func (p *printer) binary(n *Binary) {
	left := binding(n)
	right := left + 1 // operators associate to the left
	if left == bindsComparison {
		left = right // comparisons do not associate
	}
	p.write(n.Left, left)
	p.text(" ", n.Operator, " ")
	p.write(n.Right, right)
}

func (p *printer) list(nodes []Node) {
	for i, n := range nodes {
		if i > 0 {
			p.text(", ")
		}
		p.write(n, bindsWhole)
	}
}

func (p *printer) tests(tests []Node) {
	if len(tests) == 1 {
		if _, ok := tests[0].(*RangeLiteral); ok {
			p.write(tests[0], bindsSum)
			return
		}
	}
	p.text("(")
	p.list(tests)
	p.text(")")
}

func (p *printer) rangeLiteral(n *RangeLiteral) {
	p.text(map[bool]string{true: "(", false: "["}[n.LowOpen])
	p.write(n.Low, bindsWhole)
	p.text("..")
	asked := bindsSum
	Walk(n.High, func(inner Node) {
		if _, ok := inner.(*Filter); ok { // its [ could be read as the end of the range
			asked = bindsValue + 1
		}
	})
	p.write(n.High, asked)
	p.text(map[bool]string{true: ")", false: "]"}[n.HighOpen])
}

func (p *printer) iterators(iterators []Iterator) {
	for i, it := range iterators {
		if i > 0 {
			p.text(", ")
		}
		p.text(it.Name, " in ")
		p.write(it.Domain, bindsWhole)
		if it.To != nil {
			p.text("..")
			p.write(it.To, bindsWhole)
		}
	}
}

func (p *printer) context(n *ContextLiteral) {
	p.text("{")
	for i, key := range n.Keys {
		if i > 0 {
			p.text(", ")
		}
		p.text(entryName(key), ": ")
		p.write(n.Values[i], bindsWhole)
	}
	p.text("}")
}

// entryName writes the name of an entry, in quotes where it would not read back.
func entryName(key string) string {
	tokens, problem := scan(key)
	plain := problem == nil && len(tokens) > 1 && tokens[0].kind == tokenWord
	var texts []string
	for i, t := range tokens {
		if t.kind == tokenEnd {
			break
		}
		plain = plain && (t.kind == tokenWord || (i > 0 && (t.kind == tokenNumber || t.isOneOf(nameSymbols)))) && !keywords[t.text]
		texts = append(texts, t.text)
	}
	if plain && joinName(texts) == key {
		return key
	}
	return quote(key)
}

func (p *printer) definition(n *Definition) {
	p.text("function(")
	for i, parameter := range n.Parameters {
		if i > 0 {
			p.text(", ")
		}
		p.text(parameter.Name)
		if parameter.written != "" {
			p.text(": ", parameter.written)
		}
	}
	p.text(") ")
	p.write(n.Body, bindsWhole)
}

func (p *printer) call(n *Call) {
	if n.Callee != nil {
		p.write(n.Callee, bindsValue)
	}
	p.text(n.Function, "(")
	for i, argument := range n.Arguments {
		if i > 0 {
			p.text(", ")
		}
		if n.ArgumentNames != nil {
			p.text(n.ArgumentNames[i], ": ")
		}
		p.write(argument, bindsWhole)
	}
	p.text(")")
}
