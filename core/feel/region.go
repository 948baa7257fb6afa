package feel

import (
	"maps"
	"slices"

	"codicil/core/decimal"
)

// Side is what is let through of one subject: values that are not null, and null.
type Side struct {
	Values Set
	Null   bool
}

// AnySide lets everything through.
var AnySide = Side{Everything, true}

func (s Side) and(o Side) Side { return Side{s.Values.Intersection(o.Values), s.Null && o.Null} }

func (s Side) rest() Side { return Side{s.Values.Complement(), !s.Null} }

// Box lets through what has each of its subjects within a side. A subject is named by its
// formula as Format writes it; one that is not named may be anything.
type Box map[string]Side

// Region is everything that one of its boxes lets through; none: nothing.
type Region []Box

// Anywhere is the region that lets everything through.
var Anywhere = Region{{}}

// Outcome is a set of outcomes of a condition.
type Outcome uint8

// What a condition may come to. Not true is false or null, as a when takes it; not false is
// true or null, as a must takes it.
const (
	IsTrue Outcome = iota
	IsFalse
	NotTrue
	NotFalse
)

var turned = map[Outcome]Outcome{IsTrue: IsFalse, IsFalse: IsTrue, NotTrue: NotFalse, NotFalse: NotTrue}

// Regions finds for which values of their subjects conditions come to an outcome. What compares
// a subject with constants is known exactly; any other condition counts as a subject of its own,
// which is true, false or null. So what is outside a region is certain; what is inside may be
// impossible for reasons that are not seen, such as that two subjects hang together.
type Regions struct {
	// Steps tells the decimals of a subject that is a number; nil: any number.
	Steps func(subject string) (decimals int, known bool)
	// Subjects are the nodes of the subjects seen so far, by name.
	Subjects map[string]Node
	// Over tells that there was too much to judge: regions are then larger than they need be.
	Over bool
	work int
}

// mostRegionWork bounds how many sides are put together for one question.
const mostRegionWork = 200_000

// Rest begins a new question with the whole bound.
func (r *Regions) Rest() { r.work, r.Over = 0, false }

func (r *Regions) spend(n int) bool {
	if r.work += n; r.work > mostRegionWork {
		r.Over = true
	}
	return !r.Over
}

// Of returns where a condition comes to the outcome.
func (r *Regions) Of(n Node, o Outcome) Region {
	switch n := n.(type) {
	case *Binary:
		if n.Operator == "and" || n.Operator == "or" {
			return r.joined(n.Operator, o, []Node{n.Left, n.Right})
		}
	case *Call:
		if joined, ok := junction(n); ok {
			return r.joined(joined, o, n.Arguments)
		}
		if n.Function == "not" && len(n.Arguments) == 1 && n.Callee == nil {
			if in, ok := n.Arguments[0].(*In); !ok || in.input < 0 {
				return r.Of(n.Arguments[0], turned[o])
			}
		}
	case *If:
		then := r.And(r.Of(n.Condition, IsTrue), r.Of(n.Then, o))
		return append(then, r.And(r.Of(n.Condition, NotTrue), r.Of(n.Else, o))...)
	case *Literal:
		if v := n.Value; v.IsTrue() && (o == IsTrue || o == NotFalse) || v.IsFalse() && (o == IsFalse || o == NotTrue) || v.IsNull() && (o == NotTrue || o == NotFalse) {
			return Anywhere
		}
		return nil
	}
	name, s := r.atom(n, o)
	if !r.can(name, s) {
		return nil
	}
	return Region{{name: s}}
}

// joined is the outcome of conditions that and or or joins: an and is true where all are, and
// false where one is.
func (r *Regions) joined(operator string, o Outcome, of []Node) Region {
	all := (operator == "and") == (o == IsTrue || o == NotFalse)
	region := r.Of(of[0], o)
	for _, n := range of[1:] {
		if next := r.Of(n, o); all {
			region = r.And(region, next)
		} else {
			region = append(slices.Clone(region), next...)
		}
	}
	return region
}

// atom is what a condition that is not made of others asks of its subject.
func (r *Regions) atom(n Node, o Outcome) (name string, s Side) {
	name, c := r.subject(n)
	switch o {
	case IsTrue:
		return name, Side{c.True, c.NullTrue}
	case IsFalse:
		return name, Side{c.False, c.NullFalse}
	case NotTrue:
		return name, Side{c.True.Complement(), !c.NullTrue}
	}
	return name, Side{c.False.Complement(), !c.NullFalse}
}

// subject finds what a condition is about, and what it asks of that.
func (r *Regions) subject(n Node) (string, Constraint) {
	var of Node
	switch n := n.(type) {
	case *Binary:
		of = n.Left
		if _, constant := Constant(n.Left); constant {
			of = n.Right
		}
	case *Between:
		of = n.Subject
	case *In:
		of = n.Subject
	case *Call:
		if (n.Function == "is blank" || n.Function == "is filled") && len(n.Arguments) == 1 {
			of = n.Arguments[0]
			c := blankConstraint(n)
			if n.Function == "is filled" {
				c = Constraint{c.False, c.True, false, true}
			}
			return r.named(of), c
		}
	case *Name, *Path:
		of = n
	}
	if of != nil {
		if c, ok := atomConstraint(n, func(m Node) bool { return m == of }); ok {
			return r.named(of), c
		}
	}
	return r.named(n), Constraint{True: Only(True), False: Only(False)}
}

func (r *Regions) named(n Node) string {
	name := Format(n)
	if r.Subjects == nil {
		r.Subjects = map[string]Node{}
	}
	if r.Subjects[name] == nil {
		r.Subjects[name] = n
	}
	return name
}

// And returns what both regions let through.
func (r *Regions) And(a, b Region) (both Region) {
	for _, x := range a {
		for _, y := range b {
			if !r.spend(1 + len(y)) {
				return a // larger than it need be
			}
			if box, ok := r.meet(x, y); ok {
				both = append(both, box)
			}
		}
	}
	return both
}

// meet is what two boxes let through; false: nothing.
func (r *Regions) meet(x, y Box) (Box, bool) {
	if len(y) == 0 {
		return x, true
	}
	box := maps.Clone(x)
	for name, side := range y {
		if other, there := box[name]; there {
			if side = other.and(side); !r.can(name, side) {
				return nil, false
			}
		}
		box[name] = side
	}
	return box, true
}

// Without returns what the first region lets through and the second does not.
func (r *Regions) Without(a, b Region) Region {
	for _, box := range b {
		var rest Region
		for _, x := range a {
			if _, ok := r.meet(x, box); !ok {
				rest = append(rest, x)
				continue
			}
			inside := x
			for _, name := range slices.Sorted(maps.Keys(box)) {
				if !r.spend(1 + len(inside)) {
					return a
				}
				side, there := inside[name]
				if !there {
					side = AnySide
				}
				if outer := side.and(box[name].rest()); r.can(name, outer) {
					part := maps.Clone(inside)
					part[name] = outer
					rest = append(rest, part)
				}
				part := maps.Clone(inside)
				part[name] = side.and(box[name])
				inside = part
			}
		}
		a = rest
	}
	return a
}

// Holding is where a part of a formula has the value: a region that says so of it as a subject. Of a
// constant it is everything, or nothing.
func (r *Regions) Holding(n Node, v Value) Region {
	if constant, is := Constant(n); is {
		if Same(constant, v) {
			return Anywhere
		}
		return nil
	}
	s := Side{Null: v.IsNull()}
	if !s.Null {
		s.Values = Only(v)
	}
	return Region{{r.named(n): s}}
}

// can tells whether a subject can have a value within a side.
func (r *Regions) can(name string, s Side) bool {
	if s.Null {
		return true
	}
	_, ok := r.Pick(name, s)
	return ok
}

// Pick returns a value within a side that the subject can have, rather one that is not null; a
// number with as few decimals as it can.
func (r *Regions) Pick(name string, s Side) (Value, bool) {
	kind := Any
	if n := r.Subjects[name]; n != nil {
		kind = n.Type().Kind
	}
	if kind == Boolean {
		for _, v := range []Value{True, False} {
			if s.Values.Contains(v) {
				return v, true
			}
		}
		return NullValue, s.Null
	}
	most, known := 0, false
	if r.Steps != nil && kind == Number {
		most, known = r.Steps(name)
	}
	for _, decimals := range []int{0, 2} {
		if kind != Number || known && decimals >= most {
			break
		}
		for _, i := range s.Values {
			if v, ok := i.pick(kind, decimals, true); ok {
				return v, true
			}
		}
	}
	for _, i := range s.Values {
		if v, ok := i.pick(kind, most, known); ok {
			return v, true
		}
	}
	return NullValue, s.Null
}

// pick returns a value within an interval of values of a kind; decimals are those that a number
// has, where that is known.
func (i Interval) pick(kind Kind, decimals int, known bool) (Value, bool) {
	step := decimal.FromInt(1)
	if known {
		for range decimals {
			step, _ = step.Quo(decimal.FromInt(10))
		}
	}
	for _, end := range []Value{i.Low, i.High} {
		if kind == Any && !end.IsNull() {
			kind = end.kind
		}
	}
	known = known || kind == Date
	moved := func(v Value, by decimal.Number) Value {
		return Value{kind: v.kind, number: v.number.Plus(by), object: v.object}
	}
	set := Set{i}
	switch {
	case i.Low.IsNull() && i.High.IsNull():
		return map[Kind]Value{Number: IntegerOf(0), Date: dateOfDays(0), String: StringOf("…")}[kind], true
	case !i.Low.IsNull() && !i.LowOpen:
		return i.Low, true
	case !i.High.IsNull() && !i.HighOpen:
		return i.High, true
	case kind == Number && !known && !i.Low.IsNull() && !i.High.IsNull():
		middle, _ := i.Low.number.Plus(i.High.number).Quo(decimal.FromInt(2))
		return NumberOf(middle), set.Contains(NumberOf(middle))
	case kind == Number || kind == Date:
		v := moved(i.High, step.Neg())
		if !i.Low.IsNull() {
			v = moved(i.Low, step)
		}
		return v, set.Contains(v)
	case kind == String && !i.Low.IsNull():
		v := StringOf(i.Low.text() + "a")
		return v, set.Contains(v)
	case !i.High.IsNull() && kind == String:
		return StringOf(""), set.Contains(StringOf("")) && i.High.text() != ""
	case !i.Low.IsNull():
		return i.Low, true
	}
	return i.High, true
}
