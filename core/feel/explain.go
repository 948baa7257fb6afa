package feel

// Step is the value that a part of a formula had in one evaluation.
type Step struct {
	Node  Node
	Text  string // the part, as it stands in the formula
	Value Value
}

// Explain evaluates the formula and tells the value of every part that was
// looked at, in the order of the text, parents before their parts. Literals
// explain themselves and are left out. The value is the one that Eval gives: the
// same closures compute it.
func (p *Program) Explain(f *Frame) (Value, []Step) {
	p.explained.Do(func() { p.recording = compiler{record: true}.compile(p.root) })
	unseen := Value{kind: Any}
	f.recorded = make([]Value, p.nodes)
	for i := range f.recorded {
		f.recorded[i] = unseen
	}
	result := p.recording(f)
	var steps []Step
	Walk(p.root, func(n Node) {
		v := f.recorded[n.base().id]
		if _, literal := n.(*Literal); literal || v.kind == Any {
			return
		}
		start, end := n.Span()
		steps = append(steps, Step{n, p.source[start:end], v})
	})
	f.recorded = nil
	return result, steps
}

// Conditions returns the atomic conditions of a formula: the parts that and, or
// and not() join, in the order of the text.
func (p *Program) Conditions() []Node {
	var atoms []Node
	var collect func(Node)
	collect = func(n Node) {
		switch n := n.(type) {
		case *Binary:
			if n.Operator == "and" || n.Operator == "or" {
				collect(n.Left)
				collect(n.Right)
				return
			}
		case *Call:
			if n.Function == "not" && len(n.Arguments) == 1 {
				collect(n.Arguments[0])
				return
			}
		}
		atoms = append(atoms, n)
	}
	collect(p.root)
	return atoms
}
