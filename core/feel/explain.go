package feel

// Step is the value that a part of a formula had in one evaluation.
type Step struct {
	Node Node
	Text string // the part, as it stands in the formula
	// Value is the value of the part; within a loop, its last one.
	Value Value
	// Values are all its values, in order, where it was looked at more than once;
	// at most MaxTold of them.
	Values []Value
	// Times is how often it was looked at.
	Times int
}

// MaxTold is how many values of one part an explanation tells.
const MaxTold = 20

// record is what an explanation keeps of a part.
type record struct {
	last   Value
	values []Value
	times  int
}

func (f *Frame) record(id int, v Value) {
	r := &f.recorded[id]
	switch r.times++; {
	case r.times == 2:
		r.values = []Value{r.last, v}
	case r.times > 2 && len(r.values) < MaxTold:
		r.values = append(r.values, v)
	}
	r.last = v
}

// told is a part of a formula that an explanation tells.
type told struct {
	node Node
	text string
	id   int
}

// Explain evaluates the formula and tells the value of every part that was
// looked at, in the order of the text, parents before their parts. Literals
// explain themselves and are left out; a part that stands there twice is told
// once. The value is the one that Eval gives, computed a plainer way.
func (p *Program) Explain(f *Frame) (Value, []Step) {
	var steps []Step
	v := p.Tell(f, func(count int) { steps = make([]Step, 0, count) }, func(s Step) { steps = append(steps, s) })
	return v, steps
}

// Tell is Explain for who keeps the steps in a way of his own: begin is told how many
// there are at most, then visit gets one after the other.
func (p *Program) Tell(f *Frame, begin func(count int), visit func(Step)) Value {
	p.explained.Do(p.prepareExplanation)
	f.recorded = append(f.recorded[:0], make([]record, p.nodes)...)
	result := p.evaluate(f, p.recording)
	begin(len(p.told))
	for i := range p.told {
		part := &p.told[i]
		r := &f.recorded[part.id]
		if r.times == 0 {
			continue
		}
		step := Step{Node: part.node, Text: part.text, Value: r.last, Times: r.times}
		if r.times > 1 {
			step.Values = r.values
		}
		visit(step)
	}
	return result
}

func (p *Program) prepareExplanation() {
	p.recording = compiler{record: true}.compile(p.root)
	seen := map[string]bool{}
	Walk(p.root, func(n Node) {
		start, end := n.Span()
		text := p.source[start:end]
		if _, literal := n.(*Literal); !literal && !seen[text] {
			seen[text] = true
			p.told = append(p.told, told{n, text, n.base().id})
		}
	})
}
