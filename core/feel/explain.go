package feel

// Part is a part of a formula that an explanation tells.
type Part struct {
	Node Node
	Text string // as it stands in the formula
	id   int
}

// Step is the value that a part of a formula had in one evaluation.
type Step struct {
	*Part
	// Value is the value of the part; within a loop, its last one.
	Value  Value
	rounds *rounds // nil: it was looked at once
}

// rounds are the values of a part that was looked at more than once.
type rounds struct {
	values []Value
	times  int
}

// Values are all values of the part, in order, where it was looked at more than once; at
// most MaxTold of them. nil: it was looked at once.
func (s Step) Values() []Value {
	if s.rounds == nil {
		return nil
	}
	return s.rounds.values
}

// Times is how often the part was looked at.
func (s Step) Times() int {
	if s.rounds == nil {
		return 1
	}
	return s.rounds.times
}

// MaxTold is how many values of one part an explanation tells.
const MaxTold = 20

// record is what an explanation keeps of a part.
type record struct {
	last   Value
	seen   bool
	rounds *rounds
}

func (f *Frame) record(id int, v Value) {
	r := &f.recorded[id]
	if r.seen {
		r.again(v)
	}
	r.last, r.seen = v, true
}

func (r *record) again(v Value) {
	if r.rounds == nil {
		r.rounds = &rounds{[]Value{r.last}, 1}
	}
	r.rounds.times++
	if len(r.rounds.values) < MaxTold {
		r.rounds.values = append(r.rounds.values, v)
	}
}

// Explain evaluates the formula and tells the value of every part that was
// looked at, in the order of the text, parents before their parts. Literals
// explain themselves and are left out; a part that stands there twice is told
// once. The value is the one that Eval gives, computed a plainer way.
func (p *Program) Explain(f *Frame) (Value, []Step) { return p.Tell(f, nil) }

// Parts counts the parts that an explanation tells at most.
func (p *Program) Parts() int {
	p.explained.Do(p.prepareExplanation)
	return len(p.told)
}

// Tell is Explain that appends the steps to others.
func (p *Program) Tell(f *Frame, steps []Step) (Value, []Step) {
	p.explained.Do(p.prepareExplanation)
	f.recorded = append(f.recorded[:0], make([]record, p.nodes)...)
	result := p.evaluate(f, p.recording)
	for i := range p.told {
		if r := &f.recorded[p.told[i].id]; r.seen {
			steps = append(steps, Step{&p.told[i], r.last, r.rounds})
		}
	}
	return result, steps
}

func (p *Program) prepareExplanation() {
	p.recording = compiler{record: true, shared: sharedParts(p.root)}.compile(p.root)
	seen := map[string]bool{}
	Walk(p.root, func(n Node) {
		start, end := n.Span()
		text := p.source[start:end]
		if _, literal := n.(*Literal); !literal && !seen[text] {
			seen[text] = true
			p.told = append(p.told, Part{n, text, n.base().id})
		}
	})
}
