package rule

import (
	"maps"
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

// listed is the field of the lines whose values a node lists; nil for any other node.
func (t *teller) listed(n feel.Node) *field.Field {
	if slot, ok := feel.SlotOf(n); ok {
		if read, isField := t.v.ReadAt(slot); isField && read.List {
			return &t.kind.Fields[read.Field]
		}
	}
	return nil
}

// through tells a condition in which a name stands for each value of a column.
func (t *teller) through(name, label string, condition feel.Node) {
	before := t.values
	t.values = map[string]string{name: label}
	maps.Copy(t.values, before)
	t.values[name] = label
	t.tell(condition, tellsChoice)
	t.values = before
}

// quantified tells some line in lines satisfies ….
func (t *teller) quantified(n *feel.Quantified) bool {
	if len(n.Iterators) != 1 || n.Iterators[0].To != nil {
		return false
	}
	opening := map[bool]string{true: "in every line ", false: "in some line "}[n.Every]
	if f := t.listed(n.Iterators[0].Domain); f != nil {
		t.say(n, opening)
		t.through(n.Iterators[0].Name, f.Label, n.Condition)
		return true
	}
	if slot, ok := feel.SlotOf(n.Iterators[0].Domain); !ok || slot != t.v.Lines {
		return false
	}
	t.say(n, opening)
	t.inLine(n.Iterators[0].Name, n.Condition)
	return true
}

// inLine tells a condition on a line that the formula goes through; the columns of the line are its
// names, or stand behind its name.
func (t *teller) inLine(name string, condition feel.Node) {
	before, gives := t.line, t.gives
	t.line, t.gives = name, nil
	t.tell(condition, tellsChoice)
	t.line, t.gives = before, gives
}

// column is the field of the lines that a node reads of the line that the formula goes through;
// nil for any other.
func (t *teller) column(n feel.Node) *field.Field {
	if t.line == "" {
		return nil
	}
	switch n := n.(type) {
	case *feel.Path:
		if base, ok := n.Base.(*feel.Name); ok && base.Text == t.line {
			if _, own := feel.SlotOf(n); !own {
				return t.kind.Field(field.LinePrefix + n.Member)
			}
		}
	case *feel.Name:
		if _, own := feel.SlotOf(n); !own && t.line == throughLines {
			return t.kind.Field(field.LinePrefix + n.Text)
		}
	}
	return nil
}

// throughLines stands for the line that a filter of lines looks at: its columns are names.
const throughLines = "item"

// filtered tells lines[…].
func (t *teller) filtered(n *feel.Filter) bool {
	if f := t.listed(n.Base); f != nil && n.Condition.Type().Kind == feel.Boolean {
		t.tell(n.Base, tellsValue)
		t.say(n, " where (")
		t.through(throughLines, f.Label, n.Condition)
		t.say(n, ")")
		return true
	}
	slot, ok := feel.SlotOf(n.Base)
	if !ok || slot != t.v.Lines || n.Condition.Type().Kind != feel.Boolean {
		return false
	}
	t.say(n.Base, "the lines")
	t.say(n, " where (")
	t.inLine(throughLines, n.Condition)
	t.say(n, ")")
	return true
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

// callWords is how a call of a function is told: $1 is its first argument.
type callWords struct {
	arguments int
	words     string
	binds     int
}

var calls = map[string]callWords{
	"is blank": {1, "$1 is blank", tellsComparison}, "is filled": {1, "$1 is filled", tellsComparison},
	"contains": {2, "$1 contains $2", tellsComparison}, "starts with": {2, "$1 starts with $2", tellsComparison}, "ends with": {2, "$1 ends with $2", tellsComparison}, "matches": {2, "$1 matches $2", tellsComparison},
	"list contains": {2, "$2 is one of $1", tellsComparison},
	"sum":           {1, "the sum of $1", tellsValue}, "count": {1, "the number of $1", tellsValue}, "mean": {1, "the average of $1", tellsValue}, "min": {1, "the smallest of $1", tellsValue}, "max": {1, "the largest of $1", tellsValue},
	"product": {1, "the product of $1", tellsValue}, "median": {1, "the median of $1", tellsValue},
	"add days": {2, "$2 days after $1", tellsValue}, "add months": {2, "$2 months after $1", tellsValue}, "add workdays": {2, "$2 workdays after $1", tellsValue}, "month end": {1, "the end of the month of $1", tellsValue},
	"date": {1, "the date of $1", tellsValue}, "now": {0, "now", tellsValue},
	"round half up": {2, "$1 rounded to $2 places", tellsValue}, "round up": {2, "$1 rounded up to $2 places", tellsValue}, "round down": {2, "$1 rounded down to $2 places", tellsValue}, "decimal": {2, "$1 rounded to even at $2 places", tellsValue},
	"floor": {1, "$1 rounded down", tellsValue}, "ceiling": {1, "$1 rounded up", tellsValue}, "abs": {1, "$1 as a positive number", tellsValue}, "modulo": {2, "the remainder of $1 ÷ $2", tellsValue}, "sqrt": {1, "the square root of $1", tellsValue},
	"string": {1, "$1 as a text", tellsValue}, "number": {1, "$1 as a number", tellsValue}, "string length": {1, "the length of $1", tellsValue}, "upper case": {1, "$1 in upper case", tellsValue}, "lower case": {1, "$1 in lower case", tellsValue},
	"substring before": {2, "what is before $2 in $1", tellsValue}, "substring after": {2, "what is after $2 in $1", tellsValue}, "increment": {1, "the number after $1", tellsValue}, "distinct values": {1, "the different values of $1", tellsValue},
	"week of year": {1, "the week of $1", tellsValue}, "day of week": {1, "the day of the week of $1", tellsValue}, "month of year": {1, "the month of $1", tellsValue},
}

func (t *teller) call(n *feel.Call) bool {
	if n.Callee != nil || n.ArgumentNames != nil {
		return false
	}
	switch n.Function {
	case "not":
		if in, ok := n.Arguments[0].(*feel.In); ok {
			t.tell(in.Subject, tellsSum)
			t.tests(in, true)
			return true
		}
		t.say(n, "not (")
		t.tell(n.Arguments[0], tellsChoice)
		t.say(n, ")")
		return true
	case "all", "any":
		if len(n.Arguments) > 1 {
			t.say(n, "(")
			for i, a := range n.Arguments {
				if i > 0 {
					t.say(n, map[string]string{"all": " and ", "any": " or "}[n.Function])
				}
				t.tell(a, tellsComparison)
			}
			t.say(n, ")")
			return true
		}
		return false
	case "duration":
		v, _ := feel.Constant(n.Arguments[0])
		text, _ := v.Text()
		if !isDuration.MatchString(text) || !strings.ContainsAny(text, "0123456789") {
			return false
		}
		t.say(n, durationWords(text))
		return true
	case "crosswalk":
		return t.lookUp(n)
	case "min", "max", "sum", "mean":
		if len(n.Arguments) > 1 {
			t.say(n, map[string]string{"min": "the smallest of ", "max": "the largest of ", "sum": "the sum of ", "mean": "the average of "}[n.Function])
			t.several(n, n.Arguments, ", ", " and ")
			return true
		}
	case "substring":
		if v, constant := feel.Constant(n.Arguments[1]); constant && len(n.Arguments) == 3 && v.String() == "1" {
			t.say(n, "the first ")
			t.tell(n.Arguments[2], tellsValue)
			t.say(n, " characters of ")
			t.tell(n.Arguments[0], tellsValue)
			return true
		}
	}
	say, found := calls[n.Function]
	if !found || len(n.Arguments) != say.arguments {
		return false
	}
	var first *field.Field
	if say.arguments > 0 {
		first = t.field(n.Arguments[0])
	}
	rest := say.words
	for rest != "" {
		at := strings.IndexByte(rest, '$')
		if at < 0 {
			t.say(n, rest)
			break
		}
		t.say(n, rest[:at])
		place := int(rest[at+1] - '1')
		argument := n.Arguments[place]
		if _, constant := feel.Constant(argument); constant && place > 0 && say.binds == tellsComparison {
			t.value(argument, first)
		} else {
			t.tell(argument, tellsValue)
		}
		rest = rest[at+2:]
	}
	return true
}

// lookUp tells what a crosswalk gives.
func (t *teller) lookUp(n *feel.Call) bool {
	literal, ok := n.Arguments[0].(*feel.Literal)
	if !ok {
		return false
	}
	key, _ := literal.Value.Text()
	table := t.v.Tables.Crosswalk(key)
	if table == nil || len(n.Arguments)-1 < len(table.Keys) {
		return false
	}
	what := table.Label
	if len(table.Results) > 1 {
		what = table.Results[0].Label + " in " + table.Label
	}
	if len(n.Arguments)-1 > len(table.Keys) {
		last, isText := n.Arguments[len(n.Arguments)-1].(*feel.Literal)
		if !isText {
			return false
		}
		name, _ := last.Value.Text()
		for i := range table.Results {
			if table.Results[i].Key == name && len(table.Results) > 1 {
				what = table.Results[i].Label + " in " + table.Label
			}
		}
	}
	t.say(n, what+" for ")
	t.several(n, n.Arguments[1:1+len(table.Keys)], ", ", " and ")
	return true
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
