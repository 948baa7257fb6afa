package feel

// in compiles subject in (tests): true when one of them is.
func (c compiler) in(n *In) test {
	subject, input := c.compile(n.Subject), n.input
	tests, negate := n.Tests, false
	if not, ok := tests[0].(*Not); ok {
		tests, negate = not.Tests, true
	}
	member := c.member(tests)
	if member == nil {
		all := make([]valueTest, len(tests))
		for i, t := range tests {
			all[i] = c.unaryTest(t)
		}
		member = func(f *Frame, v Value) truth {
			result := no
			for _, t := range all {
				if result = result.or(t(f, v)); result == yes {
					return yes
				}
			}
			return result
		}
	}
	return func(f *Frame) truth {
		v := subject(f)
		if input >= 0 {
			f.locals[input] = v
		}
		result := member(f, v)
		if !negate {
			return result
		}
		return [3]truth{no: yes, yes: no, unknown: unknown}[result]
	}
}

// member is the short way for texts among texts; nil where it does not apply.
func (c compiler) member(tests []Node) valueTest {
	texts := map[string]bool{}
	nodes := tests
	if list, ok := tests[0].(*ListLiteral); ok && len(tests) == 1 {
		nodes = list.Items
	}
	for _, t := range nodes {
		text, constant := literalText(t)
		if !constant || c.record {
			return nil
		}
		texts[text] = true
	}
	return func(f *Frame, v Value) truth {
		switch v.kind {
		case String:
			return truthOf(texts[v.text()])
		case Null:
			return no // = of a null and a text
		}
		result := no
		for text := range texts {
			result = result.or(compare(f, nodes[0], "=", v, StringOf(text)))
		}
		return result
	}
}

// unaryTest compiles one test after in (DMN 1.5, tables 54 and 55).
func (c compiler) unaryTest(n Node) valueTest {
	switch t := n.(type) {
	case *Test:
		operand, operator := c.compile(t.Operand), t.Operator
		return func(f *Frame, v Value) truth {
			result := compare(f, t, operator, v, operand(f))
			if c.record {
				f.record(t.id, result.value())
			}
			return result
		}
	case *RangeLiteral:
		return c.within(t, t.Low, t.High, t.LowOpen, t.HighOpen)
	}
	if namesInput(n) {
		condition := c.compileTest(n)
		return func(f *Frame, _ Value) truth { return condition(f) }
	}
	value := c.compile(n)
	return func(f *Frame, v Value) truth { return contained(f, n, v, value(f)) }
}

// contained is the test of v by a value after in: member of a list, inside a
// range, or equal.
func contained(f *Frame, n Node, v, test Value) truth {
	switch {
	case test.kind == Range && v.kind != Range:
		return test.bounds().holds(f, n, v)
	case test.kind == List && v.kind != List:
		result := no
		f.spend(n, len(test.items())/8)
		for _, item := range test.items() {
			result = result.or(contained(f, n, v, item))
		}
		return result
	case test.kind == List: // a list is in a list of lists, or equal to it
		f.spend(n, searching(len(test.items()), v))
		for _, item := range test.items() {
			if Same(item, v) {
				return yes
			}
		}
	}
	return compare(f, n, "=", v, test)
}

// holds tells whether v lies in the interval.
func (i *Interval) holds(f *Frame, n Node, v Value) truth {
	result := yes
	if !i.Low.IsNull() {
		result = result.and(compare(f, n, fromOperator(i.LowOpen), v, i.Low))
	}
	if !i.High.IsNull() {
		result = result.and(compare(f, n, toOperator(i.HighOpen), v, i.High))
	}
	return result
}
