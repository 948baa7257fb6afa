package feel

import (
	"fmt"
	"slices"
	"strings"
)

// People who know spreadsheets, databases or programs write formulas in their ways. Reading
// what was meant takes such a text as a whole and writes it as a formula; what was found on the
// way is told in plain words. Nothing is offered that was not compiled.

// Advise says better what is wrong with a formula that has errors: in plain words, and with a
// correction that compiles and that accept takes. accept says whether a program is what is
// wanted; nil: every one is. Cost: that of a few compilations.
func Advise(source string, scope Scope, mode Mode, problems Problems, accept func(*Program) bool) Problems {
	if accept == nil {
		accept = func(*Program) bool { return true }
	}
	sound := func(text string) bool {
		if text == source {
			return false
		}
		program, found := Compile(text, scope, mode)
		return program != nil && accept(program) && !slices.ContainsFunc(found, func(p Problem) bool { return p.Code == "type" || p.Code == "unknown-name" })
	}
	r := readMeant(source, scope, mode)
	if r.understood && len(r.notes) > 0 && sound(r.text) {
		start, end, text := difference(source, r.text)
		p := problemAt(source, start, end, r.notes[0].code, r.message())
		p.Suggestion = text
		return Problems{p}
	}
	if i := slices.IndexFunc(r.notes, func(n note) bool { return n.advice }); i >= 0 {
		n := r.notes[i]
		return append(Problems{problemAt(source, n.start, n.end, n.code, n.message)}, warnings(problems)...)
	}
	checked := slices.Clone(problems)
	for i := range checked {
		p := &checked[i]
		if p.Severity == Error && p.Suggestion != "" && !helps(source, scope, mode, *p, problems, accept) {
			p.Suggestion = ""
			p.Message, _, _ = strings.Cut(p.Message, "; did you mean")
		}
	}
	return checked
}

func warnings(problems Problems) Problems {
	return slices.DeleteFunc(slices.Clone(problems), func(p Problem) bool { return p.Severity == Error })
}

// helps tells whether the correction of a problem leaves fewer errors, and of no kind that was
// not there before.
func helps(source string, scope Scope, mode Mode, p Problem, before Problems, accept func(*Program) bool) bool {
	written := source[p.Start:p.End]
	if guessed := strings.Contains(p.Message, "; did you mean"); guessed && !isNear(strings.Trim(written, `"`), strings.Trim(p.Suggestion, `"`)) {
		return false
	}
	text := source[:p.Start] + p.Suggestion + source[p.End:]
	program, after := Compile(text, scope, mode)
	if program != nil {
		return accept(program)
	}
	return countErrors(after) < countErrors(before) && !slices.ContainsFunc(after, func(q Problem) bool {
		return q.Severity == Error && q.Code == "type"
	})
}

// isNear tells whether a name is so near to another that a slip of the fingers explains it.
func isNear(written, name string) bool {
	return distance(strings.ToLower(written), strings.ToLower(name)) <= max(1, len(name)/4) && len(written) > 2 && len(name) > 3
}

func countErrors(problems Problems) (errors int) {
	for _, p := range problems {
		if p.Severity == Error {
			errors++
		}
	}
	return errors
}

// difference returns the part of a text that another replaces, not cutting words and numbers.
func difference(from, to string) (start, end int, text string) {
	word := func(b byte) bool {
		return b == '_' || b == '"' || b == '.' || b >= 0x80 || (b >= '0' && b <= '9') || (b|0x20 >= 'a' && b|0x20 <= 'z')
	}
	for start < len(from) && start < len(to) && from[start] == to[start] {
		start++
	}
	for start > 0 && start < max(len(from), len(to)) && word(from[start-1]) && ((start < len(from) && word(from[start])) || (start < len(to) && word(to[start]))) {
		start--
	}
	same := 0
	for same < len(from)-start && same < len(to)-start && from[len(from)-1-same] == to[len(to)-1-same] {
		same++
	}
	for same > 0 && word(from[len(from)-same]) && ((len(from)-same > start && word(from[len(from)-same-1])) || (len(to)-same > start && word(to[len(to)-same-1]))) {
		same--
	}
	end = len(from) - same
	if start == len(to)-same { // what is only left out is replaced by what stands beside it
		blank := func(b byte) bool { return b == ' ' || b == '\t' || b == '\n' }
		switch {
		case end < len(from):
			for end < len(from) && blank(from[end]) {
				end++
			}
			for first := end; end < len(from) && (end == first || word(from[end])); {
				end++
			}
		case start > 0:
			for start > 0 && blank(from[start-1]) {
				start--
			}
			for last := start; start > 0 && (start == last || word(from[start-1])); {
				start--
			}
		}
		same = len(from) - end
	}
	return start, end, to[start : len(to)-same]
}

// note is something that was found in a text and is written otherwise.
type note struct {
	start, end    int
	code, message string
	advice        bool // it can be told where there is no correction
}

// How strongly what is meant binds, weakest first; as in the grammar.
const (
	meansOr = iota
	meansAnd
	meansComparison
	meansSum
	meansProduct
	meansPower
	meansValue
)

// meant is a part of what was meant, written as a formula.
type meant struct {
	text       string
	binds      int
	start, end int // in the source
	// literal is a text, number, date or truth that was written out.
	literal bool
	word    bool   // an unknown word, which may be a text without its quotes
	plain   string // what a text holds
	// column is the column of lines whose name was written where one value is wanted.
	column string
	// subject, operator and values are those of a comparison.
	subject  *meant
	operator string
	values   []*meant
}

func (m *meant) in(level int) string {
	if m.binds < level {
		return "(" + m.text + ")"
	}
	return m.text
}

// notUnderstood ends reading.
type notUnderstood struct{}

// meaning reads what was meant.
type meaning struct {
	source string
	scope  Scope
	mode   Mode
	at     int
	depth  int
	notes  []note
	locals []string
	// commas tells that a comma separates here, so that none is a decimal point.
	commas     bool
	text       string
	understood bool
	names      *meantNames
}

func readMeant(source string, scope Scope, mode Mode) (r *meaning) {
	r = &meaning{source: source, scope: scope, mode: mode, names: namesMeant(scope)}
	defer func() {
		if caught := recover(); caught != nil {
			if _, ours := caught.(notUnderstood); !ours {
				panic(caught)
			}
		}
	}()
	if len(source) > 2000 {
		return r // nobody writes that by hand, and it would take long
	}
	r.space()
	for start := r.at; r.accept("=") || r.accept("+"); r.space() {
		r.note(start, r.at, "spreadsheet", "a formula begins without %s", r.source[start:r.at])
	}
	m := r.expression()
	for {
		r.space()
		start := r.at
		if r.at >= len(source) {
			break
		}
		switch {
		case r.accept(";"), r.accept("."), r.accept(","):
			r.note(start, r.at, "spreadsheet", "nothing stands after a formula: leave out %s", source[start:r.at])
		case r.accept(")"), r.accept("]"), r.accept("}"):
			r.note(start, r.at, "syntax", "this bracket was never opened")
		default:
			return r
		}
	}
	m = r.single(m)
	r.text, r.understood = m.text, true
	return r
}

// message tells what was found, the first things first.
func (r *meaning) message() string {
	var told []string
	for _, n := range r.notes {
		if !slices.Contains(told, n.message) {
			told = append(told, n.message)
		}
	}
	if len(told) > 3 {
		told = append(told[:3], fmt.Sprintf("and %d more", len(told)-3))
	}
	return strings.Join(told, "; ")
}

func (r *meaning) note(start, end int, code, format string, args ...any) {
	r.notes = append(r.notes, note{start: start, end: end, code: code, message: fmt.Sprintf(format, args...)})
}

// example puts names that exist here into the message: a crosswalk, a column, a date.
func (r *meaning) example(tells string) string {
	put := func(text string, names []string) {
		if len(names) > 0 {
			tells = strings.ReplaceAll(tells, text, names[0])
		}
	}
	put(`"name"`, quoted(sortedNames(r.scope[crosswalkName].Tables)))
	var numbers, dates []string
	lines := r.scope["lines"]
	for _, column := range sortedNames(lines.Members) {
		if t := lines.Members[column].Type; t.Kind == List && t.element().Kind == Number {
			numbers = append(numbers, column)
		}
	}
	for _, name := range sortedNames(r.scope) {
		if r.scope[name].Type.Kind == Date {
			dates = append(dates, name)
		}
	}
	if len(numbers) > 0 {
		tells = strings.ReplaceAll(tells, "].amount)", "]."+numbers[0]+")")
	}
	put("posting_date", dates)
	return tells
}

func quoted(names []string) []string {
	for i := range names {
		names[i] = quote(names[i])
	}
	return names
}

// advise notes what can be told also without a correction.
func (r *meaning) advise(start, end int, code, format string, args ...any) {
	r.note(start, end, code, format, args...)
	r.notes[len(r.notes)-1].advice = true
}

func (r *meaning) give() { panic(notUnderstood{}) }

// typeOf is the type that a text has as a formula; Any where that is not known.
func (r *meaning) typeOf(text string) Type {
	if program, _ := Compile(text, r.scope, Lenient); program != nil {
		return program.Type()
	}
	return AnyType
}

func (r *meaning) deeper() func() {
	if r.depth++; r.depth > 60 {
		r.give()
	}
	return func() { r.depth-- }
}

// expression reads conditions joined by or.
func (r *meaning) expression() *meant {
	defer r.deeper()()
	left := r.conjunction()
	for r.joins("or", "||", "|") {
		left = r.join(left, "or", meansOr, r.conjunction)
	}
	return r.choice(left)
}

// choice reads condition ? value : value.
func (r *meaning) choice(condition *meant) *meant {
	r.space()
	start := r.at
	if !r.accept("?") {
		return condition
	}
	then := r.expression()
	r.space()
	if !r.accept(":") {
		r.give()
	}
	r.note(start, start+1, "spreadsheet", "a choice is written if … then … else …")
	otherwise := r.expression()
	return r.made(condition.start, meansOr, "if %s then %s else %s", condition.text, then.text, otherwise.text)
}

func (r *meaning) conjunction() *meant {
	left := r.negation()
	for r.joins("and", "&&") {
		left = r.join(left, "and", meansAnd, r.negation)
	}
	return left
}

// joins takes a word or sign that joins conditions.
func (r *meaning) joins(word string, signs ...string) bool {
	r.space()
	start := r.at
	for _, sign := range signs {
		if r.accept(sign) {
			r.note(start, r.at, "spreadsheet", "%s is written %s", sign, word)
			return true
		}
	}
	return r.acceptKeyword(word)
}

// join joins two conditions. What is no condition repeats what the one before compares:
// country = "IE" or "DK", amount > 5 and < 10.
func (r *meaning) join(left *meant, word string, level int, next func() *meant) *meant {
	r.space()
	start := r.at
	last := left
	for last.operator == "" && last.values != nil {
		last = last.values[len(last.values)-1]
	}
	if operator := r.operator(); operator != "" && last.subject != nil {
		right := r.comparing(last.subject, operator, start)
		r.note(start, right.end, "spreadsheet", "what is compared is written on both sides of %s", word)
		return r.joined(left, right, word, level)
	}
	r.at = start
	right := next()
	if last.subject != nil && right.operator == "" && (right.literal || right.word) {
		switch last.operator {
		case "=", "in", "!=":
			r.note(last.start, right.end, "spreadsheet", "values to choose from are written in (…, …): %s alone is no condition", right.source(r))
			all := r.among(last.subject, append(slices.Clone(last.values), right), last.start)
			if last.operator == "!=" {
				all = r.negated(all)
				all.subject, all.operator, all.values = last.subject, "!=", append(slices.Clone(last.values), right)
			}
			if left == last {
				return all
			}
			*last = *all
			return r.joined(left.values[0], last, left.plain, level)
		}
	}
	return r.joined(left, right, word, level)
}

func (m *meant) source(r *meaning) string { return strings.TrimSpace(r.source[m.start:m.end]) }

func (r *meaning) joined(left, right *meant, word string, level int) *meant {
	m := r.made(left.start, level, "%s %s %s", r.condition(left).in(level), word, r.condition(right).in(level+1))
	m.values, m.plain = []*meant{left, right}, word
	return m
}

// condition takes what stands where a condition is asked.
func (r *meaning) condition(m *meant) *meant { return r.single(m) }

// negation reads not.
func (r *meaning) negation() *meant {
	defer r.deeper()()
	r.space()
	start := r.at
	sign := r.at < len(r.source) && r.source[r.at] == '!' && !strings.HasPrefix(r.source[r.at:], "!=")
	switch {
	case sign:
		r.at++
		r.note(start, r.at, "spreadsheet", "! is written not(…)")
		save, notes := r.at, len(r.notes)
		if operand := r.postfix(); r.typeOf(operand.text).Kind == Boolean && r.endsCondition() {
			return r.negated(operand)
		}
		r.at, r.notes = save, r.notes[:notes]
		return r.negated(r.negation())
	case r.peekKeyword("not"):
		r.acceptKeyword("not")
		r.space()
		if r.at < len(r.source) && r.source[r.at] == '(' {
			// not(x) is a call; not (x) = y means the comparison.
			inner := r.postfixOf(r.parenthesis())
			if !r.endsCondition() {
				inner = r.restOf(inner)
				r.note(start, r.at, "spreadsheet", "what is negated stands in brackets: not(…)")
			}
			return r.negated(inner)
		}
		inner := r.comparisonOrNot()
		r.note(start, r.at, "spreadsheet", "what is negated stands in brackets: not(…)")
		return r.negated(inner)
	}
	return r.comparison()
}

func (r *meaning) comparisonOrNot() *meant {
	if r.peekKeyword("not") {
		return r.negation()
	}
	return r.comparison()
}

func (r *meaning) negated(m *meant) *meant {
	return r.made(m.start, meansValue, "not(%s)", r.condition(m).text)
}

// endsCondition tells whether a condition ends here.
func (r *meaning) endsCondition() bool {
	r.space()
	if r.at >= len(r.source) || strings.ContainsRune(")],;}?:", rune(r.source[r.at])) || strings.HasPrefix(r.source[r.at:], "&&") || strings.HasPrefix(r.source[r.at:], "||") {
		return true
	}
	for _, word := range []string{"and", "or", "then", "else", "satisfies", "return", "when", "end"} {
		if r.peekKeyword(word) {
			return true
		}
	}
	return false
}

func (r *meaning) made(start, binds int, format string, args ...any) *meant {
	return &meant{text: fmt.Sprintf(format, args...), binds: binds, start: start, end: r.at}
}

// single makes one value of the column of lines whose name was written.
func (r *meaning) single(m *meant) *meant {
	if m.column == "" {
		return m
	}
	list := "lines." + m.column
	r.columnNote(m)
	if r.typeOf(list).element().Kind == Number {
		return &meant{text: "sum(" + list + ")", binds: meansValue, start: m.start, end: m.end}
	}
	return &meant{text: list, binds: meansValue, start: m.start, end: m.end}
}

func (r *meaning) columnNote(m *meant) {
	r.advise(m.start, m.end, "lines", "%s is a field of the lines: take sum(lines.%s), count, min, max or mean of all lines, or some line in lines satisfies …; in a rule on the lines it is line.%s", m.source(r), m.column, m.column)
}
