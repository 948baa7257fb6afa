package feel

import "fmt"

// Frame holds what one evaluation reads and what it reports. A Frame may be used
// for many evaluations, one after the other.
type Frame struct {
	// Slots are the values of the scope's symbols.
	Slots []Value
	// Row are the values of the symbols from RowSlot on: those of one line.
	Row []Value
	// Linked finds linked records; nil: there are none.
	Linked Linked
	// Tables finds values in tables; nil: there are none.
	Tables Tables
	// Now is the date and time that now() and today() tell; null when there is no clock.
	Now Value
	// Workday tells which days are worked; nil: Monday to Friday.
	Workday func(date Value) bool
	// Done, once it is closed, ends an evaluation: its time is over, or nobody waits for it
	// any more. nil: it is never ended.
	Done <-chan struct{}
	// Failures are what went wrong where the standard gives null: a division by
	// zero, a text that is no date. Eval appends; the caller empties.
	Failures []Failure

	stack    []Value // arguments of the calls of built-in functions that run
	locals   []Value // what the expressions around declare
	depth    int     // calls of functions, one in another
	steps    int     // of the current evaluation
	limit    int     // of steps
	look     int     // when to look at Done next
	spent    int     // steps of all evaluations
	ended    bool    // the evaluation met a limit
	counting bool    // whether steps count
	recorded []record

	round, rounds uint64              // see NextRound
	shared        map[Node]*[2]shared // what parts that are the same in every line came to
}

// Reset makes the frame new but for the room that it has, and lets go of all values.
func (f *Frame) Reset() {
	clear(f.Failures)
	clear(f.stack[:cap(f.stack)])
	clear(f.locals)
	clear(f.recorded[:cap(f.recorded)])
	clear(f.shared)
	*f = Frame{Failures: f.Failures[:0], stack: f.stack[:0], locals: f.locals, recorded: f.recorded[:0], shared: f.shared}
}

// Failure is something that went wrong while a formula ran, at its place.
type Failure struct {
	Message    string
	Start, End int
}

// Limits on what one evaluation may do, so that no formula can exhaust the process.
const (
	MaxSteps     = 500_000        // items made or looked at, and calls; each about a microsecond at most
	MaxTotal     = 100 * MaxSteps // steps of all evaluations of a frame
	maxItems     = 100_000        // of one list
	maxCallDepth = 200            // calls of defined functions, one in another
	maxText      = 1 << 20        // bytes of one text
	maxWeight    = 1_000_000      // values in one value, also those inside its lists and contexts
	maxFailures  = 100            // that are told
	costly       = 1_000          // steps of a root, power or logarithm
	lookAfter    = 1_000          // steps between two looks at Done
)

func (f *Frame) fail(n Node, message string) Value {
	if len(f.Failures) < maxFailures {
		start, end := n.Span()
		f.Failures = append(f.Failures, Failure{message, start, end})
	}
	return NullValue
}

// exhausted carries a limit that was met up to bounded.
type exhausted struct{ failure Failure }

// spend counts work; past the limit the evaluation ends. Only where a formula repeats
// something work is counted: else its length bounds it.
func (f *Frame) spend(n Node, steps int) {
	if !f.counting {
		return
	}
	if f.steps += steps; f.steps < f.look {
		return
	}
	message := ""
	switch {
	case f.steps <= f.limit:
	case f.limit < MaxSteps:
		message = fmt.Sprintf("the formulas of this document take more than %d steps", MaxTotal)
	default:
		message = fmt.Sprintf("this takes more than %d steps", MaxSteps)
	}
	select {
	case <-f.Done:
		message = "this took too long and was stopped"
	default:
	}
	if message != "" {
		start, end := n.Span()
		panic(exhausted{Failure{message, start, end}})
	}
	f.look = min(f.steps+lookAfter, f.limit+1)
}

// burden is what looking through a value costs, in steps.
func (v Value) burden() int {
	switch v.kind {
	case String:
		return len(v.text()) / 256
	case List, Context:
		return v.weight() / 8
	}
	return 0
}

// searching is what looking for a value among so many costs, in steps: most of them differ
// from it at once, but all may be equal up to their end.
func searching(items int, v Value) int { return items * (1 + v.burden()) / 16 }

// made takes a list, context or text that a formula computed: it counts as work, and
// may not be too large.
func (f *Frame) made(n Node, v Value) Value {
	var size int
	most := maxWeight
	switch v.kind {
	case String:
		size, most = len(v.text()), maxText
	case List:
		if len(v.items()) > maxItems {
			return f.fail(n, tooLong)
		}
		size = v.weight()
	case Context:
		size = v.weight()
	default:
		return v
	}
	if size > most {
		return f.fail(n, "the value is too large")
	}
	f.spend(n, size/64)
	return v
}

var tooLong = fmt.Sprintf("a list may have %d items at most", maxItems)

// bounded runs code whose work is counted; a limit that is met gives null and says so.
func (f *Frame) bounded(run code) (v Value) {
	locals, stack, depth, counting := f.locals, len(f.stack), f.depth, f.counting
	f.steps, f.look, f.counting, f.ended = 0, 0, true, false
	f.limit = min(MaxSteps, max(0, MaxTotal-f.spent))
	defer func() {
		f.spent += f.steps
		f.locals, f.stack, f.depth, f.counting = locals, f.stack[:stack], depth, counting
		if caught := recover(); caught != nil {
			limit, ours := caught.(exhausted)
			if !ours {
				panic(caught)
			}
			f.Failures = append(f.Failures, limit.failure)
			f.ended = true
			v = NullValue
		}
	}()
	return run(f)
}

// size returns how many nodes a part of a formula has: what running it once costs.
func size(n Node) (nodes int) {
	Walk(n, func(Node) { nodes++ })
	return nodes
}
