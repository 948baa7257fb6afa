package feel

import (
	"fmt"
	"slices"
	"strings"
)

// CaseFinding is something that can be said about cases without a document.
type CaseFinding struct {
	// Code is "unreachable" (a case that is never reached), "overlap" (two cases fit one
	// document, and the first holds), "gap" (no case fits, so that otherwise holds), "cell" (a
	// cell is no test) or "too-large" (the cases are too many to judge).
	Code string `json:"code"`
	// Row and Other are cases, from 0; -1: none.
	Row   int `json:"row"`
	Other int `json:"other"`
	// Column is that of a cell; -1: none.
	Column  int    `json:"column"`
	Message string `json:"message"`
	// Example is a value for each column that shows it; "": any. None for a cell.
	Example []string `json:"example,omitempty"`
}

// Steps tells the smallest step of a number in a column: its decimals; nil: any number.
type Steps func(column int) (decimals int, known bool)

// side is what a cell lets through of its column.
type side struct {
	values Set
	null   bool
	exact  bool // it lets through just these
}

var anySide = side{Everything, true, true}

// box is what a case lets through: a side for each column.
type box []side

// mostBoxes bounds the work of judging cases.
const mostBoxes = 4000

// Judge finds gaps, overlaps and cases that never come to their turn. What a cell says is known
// where it compares with constants; of anything else it is only said what is certain. Cost:
// bounded by mostBoxes times the columns.
func (c *Cases) Judge(scope Scope, steps Steps) []CaseFinding {
	findings := []CaseFinding{}
	types := make([]Type, len(c.Columns))
	for j, column := range c.Columns {
		types[j] = AnyType
		if program, _ := Compile(column.Subject, scope, Lenient); program != nil && column.Subject != "" {
			types[j] = program.Type()
		}
	}
	boxes := make([]box, len(c.Rows))
	for i, row := range c.Rows {
		for j := range c.Columns {
			test := ""
			if j < len(row.Tests) {
				test = strings.TrimSpace(row.Tests[j])
			}
			s, problem := sideOf(c.Columns[j].Subject, test, types[j], scope)
			if problem != nil {
				findings = append(findings, CaseFinding{Code: "cell", Row: i, Other: -1, Column: j, Message: problem.Message})
			}
			// Two tests of one subject are one side.
			if at := slices.IndexFunc(c.Columns[:j], func(o CaseColumn) bool { return o.Subject != "" && o.Subject == c.Columns[j].Subject }); at >= 0 {
				first := &boxes[i][at]
				*first = side{first.values.Intersection(s.values), first.null && s.null, first.exact && s.exact}
				s = anySide
			}
			boxes[i] = append(boxes[i], s)
		}
	}
	if len(findings) > 0 {
		return findings
	}
	j := caseJudge{cases: c, types: types, steps: steps}
	whole := make(box, len(c.Columns))
	for i := range whole {
		whole[i] = anySide
		if c.Columns[i].Subject == "" {
			whole[i] = side{Only(True), true, true}
			whole[i].values = Set{{Low: False, High: False}, {Low: True, High: True}}
		}
	}
	left := []box{whole}
	for i := range c.Rows {
		reached := j.within(left, boxes[i])
		if len(reached) == 0 {
			findings = append(findings, CaseFinding{Code: "unreachable", Row: i, Other: j.hiddenBy(boxes, i), Column: -1, Message: fmt.Sprintf("case %d is never reached: the cases before it cover it", i+1)})
		} else {
			for k := range i {
				if strings.TrimSpace(c.Rows[k].Value) == strings.TrimSpace(c.Rows[i].Value) {
					continue
				}
				if both := j.within([]box{boxes[k]}, boxes[i]); len(both) > 0 && exact(boxes[k]) && exact(boxes[i]) {
					findings = append(findings, CaseFinding{Code: "overlap", Row: i, Other: k, Column: -1, Message: fmt.Sprintf("cases %d and %d both fit, and case %d holds", k+1, i+1, k+1), Example: j.example(both[0])})
				}
			}
		}
		if exact(boxes[i]) {
			left = j.without(left, boxes[i])
		}
		if j.over {
			return append(findings, CaseFinding{Code: "too-large", Row: -1, Other: -1, Column: -1, Message: "the cases are too many to find all gaps and overlaps"})
		}
	}
	if gaps := slices.DeleteFunc(left, func(b box) bool { return !j.possible(b) }); len(gaps) > 0 && !slices.ContainsFunc(boxes, func(b box) bool { return !exact(b) }) {
		findings = append(findings, CaseFinding{Code: "gap", Row: -1, Other: -1, Column: -1, Message: "no case fits, so that otherwise holds", Example: j.example(gaps[0])})
	}
	return findings
}

func exact(b box) bool { return !slices.ContainsFunc(b, func(s side) bool { return !s.exact }) }

// sideOf is what a cell lets through.
func sideOf(subject, test string, t Type, scope Scope) (side, *Problem) {
	if test == "" || test == "-" {
		return anySide, nil
	}
	wrong := func(problems Problems) *Problem {
		for _, p := range problems {
			if p.Severity == Error {
				return &p
			}
		}
		return &Problem{Message: "this is no test"}
	}
	if subject == "" {
		if program, problems := Compile(test, scope, Strict); program == nil {
			return side{}, wrong(problems)
		}
		return side{Set{{Low: True, High: True}}, false, false}, nil
	}
	own := Scope{}
	for name, symbol := range scope {
		own[name] = symbol
	}
	const slot = 1 << 19
	program, problems := CompileTests(test, own, Symbol{Slot: slot, Type: t}, Strict)
	if program == nil {
		return side{}, wrong(problems)
	}
	if truth, ok := program.root.(*Literal); ok && truth.Value.IsTrue() {
		return anySide, nil
	}
	c := program.Constraint(slot)
	isExact := len(c.True.Intersection(c.False)) == 0 && !(c.NullTrue && c.NullFalse)
	return side{c.True, c.NullTrue, isExact}, nil
}

type caseJudge struct {
	cases *Cases
	types []Type
	steps Steps
	work  int
	over  bool
}

// within returns the parts of boxes that another lets through, as far as they are possible.
func (j *caseJudge) within(boxes []box, o box) (parts []box) {
	for _, b := range boxes {
		if j.work++; j.work > mostBoxes {
			j.over = true
			return parts
		}
		part := make(box, len(b))
		for i := range b {
			part[i] = side{b[i].values.Intersection(o[i].values), b[i].null && o[i].null, b[i].exact && o[i].exact}
		}
		if j.possible(part) {
			parts = append(parts, part)
		}
	}
	return parts
}

// without returns the parts of boxes that another does not let through.
func (j *caseJudge) without(boxes []box, o box) (rest []box) {
	for _, b := range boxes {
		inside := slices.Clone(b)
		for i := range b {
			if j.work++; j.work > mostBoxes {
				j.over = true
				return rest
			}
			outer := slices.Clone(inside)
			outer[i] = side{inside[i].values.Intersection(o[i].values.Complement()), inside[i].null && !o[i].null, true}
			if j.possible(outer) {
				rest = append(rest, outer)
			}
			inside[i] = side{inside[i].values.Intersection(o[i].values), inside[i].null && o[i].null, true}
		}
	}
	return rest
}

// possible tells whether there is a value for every column.
func (j *caseJudge) possible(b box) bool {
	for i := range b {
		if _, ok := j.pick(i, b[i]); !ok {
			return false
		}
	}
	return true
}

// hiddenBy is the one case before that takes all of a case; -1: it takes several.
func (j *caseJudge) hiddenBy(boxes []box, row int) int {
	for k := range row {
		if exact(boxes[k]) && len(j.without([]box{boxes[row]}, boxes[k])) == 0 {
			return k
		}
	}
	return -1
}

func (j *caseJudge) example(b box) []string {
	texts := make([]string, len(b))
	for i := range b {
		v, _ := j.pick(i, b[i])
		whole := b[i].null && len(b[i].values.Complement()) == 0
		if !whole {
			texts[i] = v.String()
		}
	}
	return texts
}

// pick returns a value of a side that the column can have.
func (j *caseJudge) pick(column int, s side) (Value, bool) {
	kind := j.types[column].Kind
	if j.cases.Columns[column].Subject == "" {
		kind = Boolean
	}
	if kind == Boolean {
		for _, v := range []Value{True, False} {
			if s.values.Contains(v) {
				return v, true
			}
		}
		return NullValue, s.null
	}
	decimals, known := 0, false
	if j.steps != nil && kind == Number {
		decimals, known = j.steps(column)
	}
	for _, interval := range s.values {
		if v, ok := interval.pick(kind, decimals, known); ok {
			return v, true
		}
	}
	return NullValue, s.null
}
