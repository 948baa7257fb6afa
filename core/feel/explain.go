package feel

// Step is the value that a part of a formula had in one evaluation.
type Step struct {
	Node  Node
	Text  string // the part, as it stands in the formula
	Value Value
}

// told is a part of a formula that an explanation tells.
type told struct {
	node Node
	text string
}

// Explain evaluates the formula and tells the value of every part that was
// looked at, in the order of the text, parents before their parts. Literals
// explain themselves and are left out; a part that stands there twice is told
// once. The value is the one that Eval gives: the same closures compute it.
func (p *Program) Explain(f *Frame) (Value, []Step) {
	p.explained.Do(p.prepareExplanation)
	unseen := Value{kind: Any}
	f.recorded = f.recorded[:0]
	for range p.nodes {
		f.recorded = append(f.recorded, unseen)
	}
	result := p.recording(f)
	steps := make([]Step, 0, len(p.told))
	for _, part := range p.told {
		if v := f.recorded[part.node.base().id]; v.kind != Any {
			steps = append(steps, Step{part.node, part.text, v})
		}
	}
	return result, steps
}

func (p *Program) prepareExplanation() {
	p.recording = compiler{record: true}.compile(p.root)
	seen := map[string]bool{}
	Walk(p.root, func(n Node) {
		start, end := n.Span()
		text := p.source[start:end]
		if _, literal := n.(*Literal); !literal && !seen[text] {
			seen[text] = true
			p.told = append(p.told, told{n, text})
		}
	})
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
