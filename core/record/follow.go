package record

import (
	"fmt"
	"slices"

	"codicil/core/feel"
	"codicil/core/field"
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
	Pair    int    `json:"pair"` // place in Pairs
	Message string `json:"message"`
}

// Check returns what is wrong with the pairs: fields that do not exist, types that
// do not fit, lines into the header. Warnings are none; every problem must be mended.
func (m *FollowOn) Check(from, to *Kind) []PairProblem {
	problems := []PairProblem{}
	targets := map[string]int{}
	for i, p := range m.Pairs {
		complain := func(format string, args ...any) {
			problems = append(problems, PairProblem{i, fmt.Sprintf(format, args...)})
		}
		target := to.Field(p.To)
		if target == nil {
			complain("a %s has no field %q", to.Noun(), p.To)
			continue
		}
		key := fmt.Sprint(p.To, " ", p.Line)
		if _, twice := targets[key]; twice {
			complain("%s gets a value twice", target.Label)
		}
		targets[key] = i
		fromLine := false
		switch {
		case p.From == "":
			if _, wrong := target.Parse(p.Constant); wrong != nil {
				complain("%s", wrong.String())
			}
		case p.From == OwnNumber:
			if target.Type != field.Text && (!target.IsLink() || target.Kind != from.Key) {
				complain("the number of a %s does not fit %s, which is a %s", from.Noun(), target.Label, target.Describe())
			}
		default:
			source := from.Field(p.From)
			if source == nil {
				complain("a %s has no field %q", from.Noun(), p.From)
				continue
			}
			fromLine = source.OfLine()
			if wrong := source.Carries(target); wrong != "" {
				complain("%s", wrong)
			}
		}
		switch {
		case fromLine && !target.OfLine():
			complain("a value of a line cannot go into %s, a field of the header", target.Label)
		case fromLine && p.Line != 0:
			complain("a value of a line goes into the line made of it, not into a line of its own")
		case !target.OfLine() && p.Line != 0:
			complain("%s is a field of the header and stands in no line", target.Label)
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
