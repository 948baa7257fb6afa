package feel

// A rule on lines runs once in every line, and a part of it such as sum(lines.amount) comes
// to the same in all of them. Such parts are computed once a round, so that the cost of a
// document grows with its lines and not with their square.

// shared is what a part that is the same in every line came to.
type shared struct {
	round    uint64
	value    Value
	failures []Failure
	records  []record // of the parts below, for an explanation; nil: it was computed without
}

// NextRound tells that the values of slots other than those of the line may have changed
// since the round before. Parts that read nothing of a line are computed once a round. A frame
// that was never told computes everything every time.
func (f *Frame) NextRound() {
	f.rounds += 2
	f.round = f.rounds
}

// NoRound tells that values change from one evaluation to the next, until the next round.
func (f *Frame) NoRound() { f.round = 0 }

// Aside runs work with other values in the slots than those of the round: the same in all
// its calls of a round.
func (f *Frame) Aside(work func() Value) Value {
	round := f.round
	if round != 0 {
		f.round++
	}
	defer func() { f.round = round }()
	return work()
}

// sharedParts are the largest parts of a formula that read nothing of a line and go through a
// list.
func sharedParts(root Node) map[Node]bool {
	parts := map[Node]bool{}
	var find func(n Node)
	find = func(n Node) {
		same, long := inEveryLine(n)
		switch {
		case same && long:
			parts[n] = true
		case !same:
			for _, child := range outside(n) {
				find(child)
			}
		}
	}
	find(root)
	return parts
}

// inEveryLine tells whether a part is the same in every line, and whether computing it goes
// through a list.
func inEveryLine(n Node) (same, long bool) {
	same = true
	Walk(n, func(inner Node) {
		if slot, reads := SlotOf(inner); reads {
			same = same && slot < RowSlot
			long = long || inner.Type().Kind == List
		}
		switch inner.(type) {
		case *For, *Quantified, *Filter:
			long = true
		case *Definition:
			same = false // a value that can be called reads what it finds when it is
		}
	})
	return same, long
}

// outside are the children of a node that see none of the names that it declares.
func outside(n Node) []Node {
	switch n := n.(type) {
	case *For:
		return []Node{n.Iterators[0].Domain}
	case *Quantified:
		return []Node{n.Iterators[0].Domain}
	case *Filter:
		return []Node{n.Base}
	case *In:
		return []Node{n.Subject}
	case *ContextLiteral, *Definition:
		return nil
	}
	return Children(n)
}

// sharing wraps the code of a shared part.
func (c compiler) sharing(n Node, run code) code {
	last, first := n.base().id, n.base().id
	Walk(n, func(inner Node) { first = min(first, inner.base().id) })
	return func(f *Frame) Value {
		if f.round == 0 {
			return run(f)
		}
		both := f.shared[n]
		if both == nil {
			if f.shared == nil {
				f.shared = map[Node]*[2]shared{}
			}
			both = &[2]shared{}
			f.shared[n] = both
		}
		kept := &both[f.round&1]
		if kept.round == f.round && (!c.record || kept.records != nil) {
			f.Failures = append(f.Failures, kept.failures...)
			if c.record {
				copy(f.recorded[first:], kept.records)
			}
			return kept.value
		}
		failures := len(f.Failures)
		v := run(f)
		*kept = shared{round: f.round, value: v, failures: append([]Failure(nil), f.Failures[failures:]...)}
		if c.record {
			kept.records = append([]record(nil), f.recorded[first:last+1]...)
		}
		return v
	}
}
