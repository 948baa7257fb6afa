package record

import (
	"fmt"
	"slices"

	"codicil/core/feel"
	"codicil/core/field"
	"codicil/core/notice"
)

// FollowOn says how a record of one kind becomes the beginning of a record of
// another: a quotation an order, an order an invoice.
type FollowOn struct {
	ID   int64  `json:"id"`
	Name string `json:"name"` // what people choose: "Order from quotation"
	From string `json:"from"` // kind
	To   string `json:"to"`   // kind
	// Type is that of the new record; "": the person chooses.
	Type  string `json:"type,omitempty"`
	Pairs []Pair `json:"pairs"`
	// Types are those of the record that is followed; none: all.
	Types []string `json:"types,omitempty"`
	// When is a condition on the record that is followed, as it is saved, in the names of its header;
	// "": always.
	When string `json:"when,omitempty"`
}

// Offers tells whether a record of the type may be followed by the map, as far as its type says.
func (m *FollowOn) Offers(kindType string) bool {
	return len(m.Types) == 0 || slices.Contains(m.Types, kindType)
}

// Pair carries one value.
type Pair struct {
	// From is a field of the record that is followed, or OwnNumber; "": Constant.
	From string `json:"from,omitempty"`
	// Constant is a value in stored form.
	Constant string `json:"constant,omitempty"`
	To       string `json:"to"`
	// Line puts a value of the header, or a constant, into a line of its own, the
	// first, second and so on, before the lines that come from lines; 0: into the
	// header or, from a line, into the line made of it.
	Line int `json:"line,omitempty"`
}

// OwnNumber stands for the number of the record that is followed.
const OwnNumber = "#"

// PairProblem says what is wrong with a pair of a follow-on.
type PairProblem struct {
	// Pair is the place in Pairs; -1: the condition, or the types.
	Pair int `json:"pair"`
	// Warning tells that it may be meant so: the map can be saved all the same.
	Warning bool `json:"warning,omitempty"`
	// Code is stable, Variant tells which text of it this is, and Params are what Message was
	// made from.
	Code    string            `json:"code"`
	Variant string            `json:"variant,omitempty"`
	Params  map[string]string `json:"params,omitempty"`
	Message string            `json:"message"`
}

// What can be wrong with a pair.
var (
	noPairField  = notice.Define("unknown-field.pair", "a {kind} has no field {field:q}")
	pairTwice    = notice.Define("gets-two-values", "{field} gets a value twice")
	badConstant  = notice.Define("misfit.constant", "{why}")
	badNumber    = notice.Define("misfit.number", "the number of a {kind} does not fit {field}, which is a {type}")
	badPair      = notice.Define("misfit.pair", "{why}")
	longerPair   = notice.Define("longer.pair", "{why}")
	intoHeader   = notice.Define("wrong-place.header", "a value of a line cannot go into {field}, a field of the header")
	intoOwnLine  = notice.Define("wrong-place.own", "a value of a line goes into the line made of it, not into a line of its own")
	headerInLine = notice.Define("wrong-place.line", "{field} is a field of the header and cannot be in a line")
)

// ProblemOf is what a notice says of a pair.
func ProblemOf(pair int, n notice.Notice) PairProblem {
	return PairProblem{Pair: pair, Code: n.Code, Variant: n.Variant, Params: n.Named(), Message: n.String()}
}

// Check returns what is wrong with the pairs: fields that do not exist, types that
// do not fit, lines into the header; and warns of texts that can be longer than their target takes.
func (m *FollowOn) Check(from, to *Kind) []PairProblem {
	problems := []PairProblem{}
	targets := map[string]int{}
	for i, p := range m.Pairs {
		complain := func(n notice.Notice) {
			problems = append(problems, ProblemOf(i, n))
		}
		target := to.Field(p.To)
		if target == nil {
			complain(noPairField.With(to.Noun(), p.To))
			continue
		}
		key := fmt.Sprint(p.To, " ", p.Line)
		if _, twice := targets[key]; twice {
			complain(pairTwice.With(target.Label))
		}
		targets[key] = i
		fromLine := false
		switch {
		case p.From == "":
			if _, wrong := target.Parse(p.Constant); wrong != nil {
				complain(badConstant.With(wrong))
			}
		case p.From == OwnNumber:
			if target.Type != field.Text && (!target.IsLink() || target.Kind != from.Key) {
				complain(badNumber.With(from.Noun(), target.Label, target.Describe()))
			}
		default:
			source := from.Field(p.From)
			if source == nil {
				complain(noPairField.With(from.Noun(), p.From))
				continue
			}
			fromLine = source.OfLine()
			if wrong := source.Carries(target); wrong != "" {
				complain(badPair.With(wrong))
			} else if longer := source.Exceeds(target); longer != "" {
				warning := ProblemOf(i, longerPair.With(longer))
				warning.Warning = true
				problems = append(problems, warning)
			}
		}
		switch {
		case fromLine && !target.OfLine():
			complain(intoHeader.With(target.Label))
		case fromLine && p.Line != 0:
			complain(intoOwnLine.With())
		case !target.OfLine() && p.Line != 0:
			complain(headerInLine.With(target.Label))
		}
	}
	return problems
}

// Apply makes the beginning of the new record out of the one that is followed.
// Lines are numbered from 1. A line of its own whose numbers from the record are
// all blank or zero, such as that of a tax which is not due, is left out.
func (m *FollowOn) Apply(from, to *Kind, number string, content *Content) Content {
	made := Content{Values: map[string]string{}}
	valueOf := func(p Pair, line int) string {
		switch source := from.Field(p.From); {
		case p.From == OwnNumber:
			return number
		case source == nil:
			return p.Constant
		default:
			return content.Get(source, line)
		}
	}
	put := func(values map[string]string, key, value string) {
		if value != "" {
			values[key] = value
		}
	}
	for line := 1; line <= m.opening(); line++ {
		values, numbers, something := map[string]string{}, 0, false
		for _, p := range m.Pairs {
			if target := to.Field(p.To); target != nil && p.Line == line {
				value := valueOf(p, 0)
				put(values, target.Column(), value)
				if f := from.Field(p.From); f != nil && f.FeelType().Kind == feel.Number {
					numbers++
					something = something || (value != "" && value != "0")
				}
			}
		}
		if something || numbers == 0 {
			made.Lines = append(made.Lines, Line{Number: len(made.Lines) + 1, Values: values})
		}
	}
	fromLines := slices.ContainsFunc(m.Pairs, func(p Pair) bool { f := from.Field(p.From); return f != nil && f.OfLine() })
	for _, l := range content.Lines {
		if !fromLines {
			break
		}
		values := map[string]string{}
		for _, p := range m.Pairs {
			if target := to.Field(p.To); target != nil && target.OfLine() && p.Line == 0 {
				put(values, target.Column(), valueOf(p, l.Number))
			}
		}
		made.Lines = append(made.Lines, Line{Number: len(made.Lines) + 1, Values: values})
	}
	for _, p := range m.Pairs {
		if target := to.Field(p.To); target != nil && !target.OfLine() {
			put(made.Values, p.To, valueOf(p, 0))
		}
	}
	return made
}

// opening returns how many lines of their own the pairs fill.
func (m *FollowOn) opening() int {
	last := 0
	for _, p := range m.Pairs {
		last = max(last, p.Line)
	}
	return last
}
