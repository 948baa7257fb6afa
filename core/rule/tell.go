package rule

import (
	"regexp"
	"strings"

	"codicil/core/feel"
	"codicil/core/field"
	"codicil/core/record"
)

// Word is a piece of a formula told in words, and the part of the formula that it stands for,
// in bytes. The texts of all words one after the other are the sentence.
type Word struct {
	Text       string
	Start, End int
	// Code tells that the part is told as it is written, as there are no words for it.
	Code bool
}

// Tell tells a formula of a rule on the field at the place with the labels that people know,
// and everyday signs: "Net total × Tax rate". A constant that the formula gives is a value of
// the field gives, nil: of any. Cost: the parts of the formula.
func (v *Vocabulary) Tell(program *feel.Program, place int, gives *field.Field, w Wording) []Word {
	w = w.of(&Compiled{vocabulary: v}).Wording
	t := &teller{v: v, place: place, kind: w.Kind, show: w.Show, gives: gives, source: program.Source()}
	t.tell(program.Root(), 0)
	return t.words
}

// Plainly shows values as everybody reads them, texts as they are.
func Plainly(f *field.Field, v feel.Value) string { return Written(field.Plain)(f, v) }

// Written shows values as a person does who writes in the format.
func Written(format field.Format) func(*field.Field, feel.Value) string {
	format = format.OrPlain()
	return func(f *field.Field, v feel.Value) string {
		if f == nil {
			f = field.Holding(v)
		}
		return f.Tell(v, format)
	}
}

// TellPart tells a part of a formula of a rule on the field at the place.
func (v *Vocabulary) TellPart(n feel.Node, place int, w Wording) string {
	w = w.of(&Compiled{vocabulary: v}).Wording
	t := &teller{v: v, place: place, kind: w.Kind, show: w.Show}
	t.tell(n, 0)
	return Text(t.words)
}

type teller struct {
	v     *Vocabulary
	place int
	kind  *record.Kind
	show  func(*field.Field, feel.Value) string
	gives *field.Field
	line  string // the name of the line that is gone through; "" outside of lines
	// values are what names stand for that go through the values of a column.
	values map[string]string
	source string
	words  []Word
}

// Text is the sentence of words.
func Text(words []Word) string {
	var b strings.Builder
	for _, w := range words {
		b.WriteString(w.Text)
	}
	return b.String()
}

func (t *teller) say(n feel.Node, text string) {
	if text == "" {
		return
	}
	start, end := n.Span()
	if last := len(t.words) - 1; last >= 0 && t.words[last].Start == start && t.words[last].End == end && !t.words[last].Code {
		t.words[last].Text += text
		return
	}
	t.words = append(t.words, Word{Text: text, Start: start, End: end})
}

// How strongly what is told binds, weakest first.
const (
	tellsChoice = iota
	tellsOr
	tellsAnd
	tellsComparison
	tellsSum
	tellsProduct
	tellsPower
	tellsValue
)

func tells(n feel.Node) int {
	switch n := n.(type) {
	case *feel.If, *feel.For, *feel.Quantified:
		return tellsChoice
	case *feel.Binary:
		switch n.Operator {
		case "or":
			return tellsOr
		case "and":
			return tellsAnd
		case "+", "-":
			return tellsSum
		case "*", "/":
			return tellsProduct
		case "**":
			return tellsPower
		}
		return tellsComparison
	case *feel.Between, *feel.In, *feel.InstanceOf:
		return tellsComparison
	case *feel.Call:
		if say, found := calls[n.Function]; found && len(n.Arguments) == say.arguments {
			return say.binds
		}
	}
	return tellsValue
}

// tell tells a node, in parentheses where it binds less strongly than what stands around it.
func (t *teller) tell(n feel.Node, level int) {
	if tells(n) < level {
		t.say(n, "(")
		t.part(n)
		t.say(n, ")")
		return
	}
	t.part(n)
}

func (t *teller) part(n feel.Node) {
	if label := t.label(n); label != "" {
		t.say(n, label)
		return
	}
	if words, isDay := t.v.dayWords(n, t.place, func(name *Name) string { return name.Label }); isDay {
		t.say(n, words)
		return
	}
	switch n := n.(type) {
	case *feel.Literal:
		t.value(n, nil)
		return
	case *feel.Negate:
		t.say(n, "−")
		t.tell(n.Operand, tellsPower)
		return
	case *feel.Binary:
		t.binary(n)
		return
	case *feel.Between:
		t.tell(n.Subject, tellsSum)
		t.say(n, " is between ")
		t.operand(n.Subject, n.Low)
		t.say(n, " and ")
		t.operand(n.Subject, n.High)
		return
	case *feel.In:
		t.tell(n.Subject, tellsSum)
		t.tests(n, false)
		return
	case *feel.If:
		t.given(n.Then, tellsOr)
		t.say(n, " if ")
		t.tell(n.Condition, tellsOr)
		if _, more := n.Else.(*feel.If); more {
			t.say(n, ", ")
		} else {
			t.say(n, ", otherwise ")
		}
		t.given(n.Else, tellsChoice)
		return
	case *feel.Quantified:
		if t.quantified(n) {
			return
		}
	case *feel.Filter:
		if t.filtered(n) {
			return
		}
	case *feel.ListLiteral:
		t.several(n, n.Items, ", ", " and ")
		return
	case *feel.Path:
		t.path(n)
		return
	case *feel.Call:
		if t.call(n) {
			return
		}
	}
	t.code(n)
}

// code tells a part as it is written.
func (t *teller) code(n feel.Node) {
	start, end := n.Span()
	text := feel.Format(n)
	if t.source != "" {
		text = t.source[start:end]
	}
	t.words = append(t.words, Word{Text: text, Start: start, End: end, Code: true})
}

// label is what people call the field that a node reads; "" for any other node.
func (t *teller) label(n feel.Node) string {
	if f := t.column(n); f != nil {
		return f.Label
	}
	if name, ok := n.(*feel.Name); ok && t.values[name.Text] != "" {
		return t.values[name.Text]
	}
	if slot, ok := feel.SlotOf(n); ok {
		if read, isField := t.v.ReadAt(slot); isField {
			f := &t.kind.Fields[read.Field]
			label := f.Label
			switch {
			case read.List:
				label += " of the lines"
			case f.OfLine():
				label = t.v.lineLabel(f)
				if label != t.v.Kind.Fields[read.Field].Label { // told apart from the header's
					label = f.Label + " of the line"
				}
				if t.line != "" {
					label = f.Label + " of this line"
				}
			}
			return label + formSuffixes[read.Form]
		}
		if slot == t.v.Lines {
			return "the lines"
		}
	}
	if name := t.v.NameAt(t.place, n); name != nil {
		if name.Text == Today {
			return "today"
		}
		if path, ok := n.(*feel.Path); ok && name.Linked {
			if base := t.label(path.Base); base != "" {
				return name.Field.Label + " of " + base
			}
		}
		return name.Label
	}
	return ""
}

// field is the field that a node reads; nil for any other node.
func (t *teller) field(n feel.Node) *field.Field {
	if f := t.column(n); f != nil {
		return f
	}
	if slot, ok := feel.SlotOf(n); ok {
		if read, isField := t.v.ReadAt(slot); isField {
			return &t.kind.Fields[read.Field]
		}
	}
	if name := t.v.NameAt(t.place, n); name != nil {
		return name.Field
	}
	return nil
}

// value tells a constant as the field shows it that it stands beside.
func (t *teller) value(n feel.Node, f *field.Field) {
	v, constant := feel.Constant(n)
	switch {
	case !constant:
		t.code(n)
	case v.IsNull():
		t.say(n, "blank")
	case v.Kind() == feel.Boolean:
		t.say(n, map[bool]string{true: "yes", false: "no"}[v.IsTrue()])
	case v.Kind() == feel.DayTimeDuration || v.Kind() == feel.YearMonthDuration:
		t.say(n, durationWords(v.Plain()))
	case f != nil && feel.TypeOf(v).Fits(f.FeelType()):
		t.say(n, t.show(f, v))
	default:
		if text, isText := v.Text(); isText && (text == "" || strings.TrimSpace(text) != text) {
			t.say(n, v.String())
			return
		}
		t.say(n, t.show(nil, v))
	}
}

// isDuration fits durations as ISO 8601 writes them.
var isDuration = regexp.MustCompile(`^-?P([0-9]+[YMD])*(T([0-9.]+[HMS])+)?$`)

// durationWords says such a duration, P1Y2M or -P1DT2H, in words.
func durationWords(iso string) string {
	iso, negative := strings.CutPrefix(iso, "-")
	words, time := []string{}, false
	count := ""
	for _, c := range strings.TrimPrefix(iso, "P") {
		unit := map[rune]string{'Y': "year", 'M': "month", 'D': "day", 'H': "hour", 'S': "second"}[c]
		switch {
		case c == 'T':
			time = true
			continue
		case unit == "":
			count += string(c)
			continue
		case c == 'M' && time:
			unit = "minute"
		}
		if count != "1" {
			unit += "s"
		}
		words, count = append(words, count+" "+unit), ""
	}
	return map[bool]string{true: "−"}[negative] + strings.Join(words, " ")
}

// operand tells what something is compared with.
func (t *teller) operand(subject, n feel.Node) {
	if _, constant := feel.Constant(n); constant {
		t.value(n, t.field(subject))
		return
	}
	t.tell(n, tellsSum)
}

var signs = map[string]string{"+": " + ", "-": " − ", "*": " × ", "/": " ÷ ", "**": " to the power of ", "and": " and ", "or": " or "}

func (t *teller) binary(n *feel.Binary) {
	if sign, found := signs[n.Operator]; found {
		level := tells(n)
		t.tell(n.Left, level)
		t.say(n, sign)
		t.tell(n.Right, level+1)
		return
	}
	left, right, operator := n.Left, n.Right, n.Operator
	if _, constant := feel.Constant(left); constant {
		if turned := map[string]string{"<": ">", "<=": ">=", ">": "<", ">=": "<=", "=": "=", "!=": "!="}[operator]; turned != "" {
			left, right, operator = right, left, turned
		}
	}
	t.tell(left, tellsSum)
	t.say(n, " "+comparisonWords(operator, left.Type().Kind == feel.Date || left.Type().Kind == feel.DateTime)+" ")
	t.operand(left, right)
}

func comparisonWords(operator string, moment bool) string {
	if moment {
		if words, found := map[string]string{"<": "is before", "<=": "is on or before", ">": "is after", ">=": "is on or after"}[operator]; found {
			return words
		}
	}
	return map[string]string{"=": "is", "!=": "is not", "<": "is under", "<=": "is at most", ">": "is over", ">=": "is at least"}[operator]
}

// given tells what a choice gives.
func (t *teller) given(n feel.Node, level int) {
	v, constant := feel.Constant(n)
	if literal, ok := n.(*feel.Literal); ok && (literal.Value.IsNull() || v.IsNull()) {
		t.say(n, "nothing")
		return
	}
	if constant {
		t.value(n, t.gives)
		return
	}
	t.tell(n, level)
}

// tests tells what stands after in.
func (t *teller) tests(n *feel.In, negate bool) {
	word := " is "
	if negate {
		word = " is not "
	}
	tests := n.Tests
	if list, ok := tests[0].(*feel.ListLiteral); ok && len(tests) == 1 && len(list.Items) > 0 {
		tests = list.Items
	}
	for i, test := range tests {
		switch {
		case i == 0:
			t.say(n, word)
		case i == len(tests)-1:
			t.say(n, " or ")
		default:
			t.say(n, ", ")
		}
		switch test := test.(type) {
		case *feel.Test:
			moment := n.Subject.Type().Kind == feel.Date
			words := strings.TrimPrefix(comparisonWords(test.Operator, moment), "is ")
			if words == "is" {
				words = ""
			}
			if words != "" {
				t.say(test, words+" ")
			}
			t.operand(n.Subject, test.Operand)
		case *feel.RangeLiteral:
			t.rangeWords(n.Subject, test)
		default:
			t.operand(n.Subject, test)
		}
	}
}

func (t *teller) rangeWords(subject feel.Node, r *feel.RangeLiteral) {
	from, to := "from ", " to "
	if r.LowOpen {
		from = "over "
	}
	if r.HighOpen {
		to = " to under "
	}
	t.say(r, from)
	t.operand(subject, r.Low)
	t.say(r, to)
	t.operand(subject, r.High)
}

// several tells items one after the other.
func (t *teller) several(n feel.Node, items []feel.Node, between, last string) {
	for i, item := range items {
		switch {
		case i == 0:
		case i == len(items)-1:
			t.say(n, last)
		default:
			t.say(n, between)
		}
		t.tell(item, tellsSum)
	}
}

// path tells a part of a value, and columns of lines.
func (t *teller) path(n *feel.Path) {
	if l := t.v.lineOf(n, t.place); l != nil {
		t.lineOf(n, l)
		return
	}
	if filter, ok := n.Base.(*feel.Filter); ok {
		if f := t.kind.Field(field.LinePrefix + n.Member); f != nil {
			if slot, reads := feel.SlotOf(filter.Base); reads && slot == t.v.Lines {
				t.say(n, f.Label+" of ")
				t.tell(filter, tellsValue)
				return
			}
		}
	}
	t.say(n, "the "+n.Member+" of ")
	t.tell(n.Base, tellsValue)
}

// Steps tells the decimals of the fields that the columns of cases are about, so that no gap
// is found between two values that follow each other.
func (v *Vocabulary) Steps(cases *feel.Cases, place int) feel.Steps {
	return func(column int) (int, bool) {
		name := v.NameOf(place, cases.Columns[column].Subject)
		if name == nil {
			return 0, false
		}
		return name.Field.Places()
	}
}
