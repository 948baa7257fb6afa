package feel

import (
	"slices"

	"codicil/core/decimal"
)

// compiledIterator is an iterator of for, some or every, ready to run.
type compiledIterator struct {
	domain, to code
	place      Node
	local      int
	cost       int // steps for each item
}

// iterators compiles the iterators of an expression that runs body for each
// combination of their items.
func (c compiler) iterators(iterators []Iterator, body Node) []compiledIterator {
	all := make([]compiledIterator, len(iterators))
	for i, it := range iterators {
		all[i] = compiledIterator{domain: c.compile(it.Domain), place: it.Domain, local: it.local, cost: 1 + size(body)/2}
		if it.To != nil {
			all[i].to = c.compile(it.To)
		}
	}
	return all
}

// items returns what an iterator goes through; false when that is null.
func (it *compiledIterator) items(f *Frame) ([]Value, bool) {
	v := it.domain(f)
	if it.to != nil {
		return f.steppedThrough(it.place, v, it.to(f))
	}
	switch v.kind {
	case Null:
		return nil, false
	case List:
		return v.items(), true
	case Range:
		b := v.bounds()
		low, high := b.Low, b.High
		if b.LowOpen {
			low = next(low, 1)
		}
		if b.HighOpen {
			high = next(high, -1)
		}
		if order, ok := Order(low, high); ok && order > 0 {
			return nil, true
		}
		return f.steppedThrough(it.place, low, high)
	}
	return []Value{v}, true // a single value is a list of one
}

// next is the following or preceding whole number or date.
func next(v Value, step int64) Value {
	switch v.kind {
	case Number:
		return NumberOf(v.number.Plus(decimal.FromInt(step)))
	case Date:
		return v.PlusDays(step)
	}
	return v
}

// steppedThrough lists the whole numbers or dates from one end to the other, also
// downwards (DMN 1.5, section 10.3.2.9.3).
func (f *Frame) steppedThrough(n Node, from, to Value) ([]Value, bool) {
	if from.IsNull() || to.IsNull() {
		return nil, false
	}
	first, whole := from.number.Int64()
	last, wholeToo := to.number.Int64()
	if from.kind != to.kind || !slices.Contains([]Kind{Number, Date}, from.kind) || !whole || !wholeToo {
		f.fail(n, "for goes from a whole number or a date to another")
		return nil, false
	}
	step := int64(1)
	if last < first {
		step = -1
	}
	count := (last-first)*step + 1
	if count > maxItems || count <= 0 {
		f.fail(n, tooLong)
		return nil, false
	}
	f.spend(n, int(count)/8)
	items := make([]Value, count)
	for i := range items {
		items[i] = Value{kind: from.kind, number: decimal.FromInt(first + int64(i)*step)}
	}
	return items, true
}

// walk runs visit for every combination of the iterators' items, the last iterator
// fastest, until visit says stop. It returns false when a domain is null.
func walk(f *Frame, iterators []compiledIterator, visit func() (goOn bool)) (whole, goOn bool) {
	if len(iterators) == 0 {
		return true, visit()
	}
	it := &iterators[0]
	items, ok := it.items(f)
	if !ok {
		return false, false
	}
	f.spend(it.place, it.cost)
	for _, item := range items {
		f.spend(it.place, it.cost)
		f.locals[it.local] = item
		if whole, goOn := walk(f, iterators[1:], visit); !whole || !goOn {
			return whole, goOn
		}
	}
	return true, true
}

// loop compiles for … return.
func (c compiler) loop(n *For) code {
	iterators, body, partial := c.iterators(n.Iterators, n.Body), c.compile(n.Body), n.partial
	return func(f *Frame) Value {
		results, weight := []Value{}, 1
		whole, _ := walk(f, iterators, func() bool {
			if partial >= 0 {
				f.locals[partial] = Value{kind: List, object: &sequence{slices.Clip(results), weight}}
			}
			results = append(results, body(f))
			weight += results[len(results)-1].weight()
			return len(results) <= maxItems && weight <= maxWeight
		})
		if !whole {
			return NullValue
		}
		return f.made(n, Value{kind: List, object: &sequence{results, weight}})
	}
}

// quantified compiles some and every: the or, or the and, of the condition over all
// combinations.
func (c compiler) quantified(n *Quantified) test {
	iterators, condition := c.iterators(n.Iterators, n.Condition), c.compileTest(n.Condition)
	start, decided := no, yes
	if n.Every {
		start, decided = yes, no
	}
	return func(f *Frame) truth {
		result := start
		whole, _ := walk(f, iterators, func() bool {
			if n.Every {
				result = result.and(condition(f))
			} else {
				result = result.or(condition(f))
			}
			return result != decided
		})
		if !whole {
			return unknown
		}
		return result
	}
}

// filter compiles Base[Condition]. What is not known to be a condition before is
// asked for the first item: a number is a position.
func (c compiler) filter(n *Filter) code {
	base := c.compile(n.Base)
	kind := n.Condition.Type().Kind
	if kind == Number {
		position := c.compile(n.Condition)
		return func(f *Frame) Value {
			items, ok := filtered(base(f))
			f.locals[n.item] = NullValue
			if !ok {
				return NullValue
			}
			return at(f, n, items, position(f))
		}
	}
	condition, cost := c.compile(n.Condition), 1+size(n.Condition)/2
	return func(f *Frame) Value {
		items, ok := filtered(base(f))
		if !ok {
			return NullValue
		}
		kept := []Value{}
		for i, item := range items {
			f.spend(n, cost)
			f.locals[n.item] = item
			v := condition(f)
			if v.kind == Number && i == 0 && kind == Any {
				return at(f, n, items, v)
			}
			if f.asTruth(n.Condition, v) == yes {
				kept = append(kept, item)
			}
		}
		return ListOf(kept)
	}
}

// filtered returns what a filter works on: a single value is a list of one, null is
// nothing at all.
func filtered(base Value) ([]Value, bool) {
	switch base.kind {
	case Null:
		return nil, false
	case List:
		return base.items(), true
	}
	return []Value{base}, true
}

// at returns the item at a position: from 1, or from the end for a negative one.
// Outside the list there is nothing: null.
func at(f *Frame, n *Filter, items []Value, position Value) Value {
	if position.IsNull() {
		return NullValue
	}
	i, whole := position.number.Int64()
	if position.kind != Number || !whole {
		return f.fail(n.Condition, "a position is a whole number; this is "+position.String())
	}
	count := int64(len(items))
	switch {
	case i > 0 && i <= count:
		return items[i-1]
	case i < 0 && -i <= count:
		return items[count+i]
	}
	return NullValue
}
