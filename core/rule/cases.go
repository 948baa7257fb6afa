package rule

import (
	"regexp"
	"strings"

	"codicil/core/feel"
	"codicil/core/field"
)

// ShownCases are cases of a rule on the field at the place as people read and type them: codes
// without quotes, numbers and days as the person writes them. gives is the field of the values; nil:
// they are conditions.
func (v *Vocabulary) ShownCases(c feel.Cases, place int, gives *field.Field, w Wording) feel.Cases {
	t := w.of(&Compiled{Rule: Rule{}, Field: place, vocabulary: v})
	shown := feel.Cases{Columns: c.Columns, Otherwise: t.shownOperand(c.Otherwise, gives)}
	for _, row := range c.Rows {
		next := feel.Case{Tests: make([]string, len(row.Tests)), Value: t.shownOperand(row.Value, gives)}
		for i, test := range row.Tests {
			next.Tests[i] = t.shownTest(test, v.subject(c.Columns[i].Subject, place))
		}
		shown.Rows = append(shown.Rows, next)
	}
	return shown
}

// MeantCases reads cases as a person typed them; what is a test or a formula already stays.
func (v *Vocabulary) MeantCases(c feel.Cases, place int, gives *field.Field, format field.Format) feel.Cases {
	meant := feel.Cases{Columns: c.Columns, Otherwise: v.meantValue(c.Otherwise, place, gives, format)}
	for _, row := range c.Rows {
		next := feel.Case{Tests: make([]string, len(row.Tests)), Value: v.meantValue(row.Value, place, gives, format)}
		for i, test := range row.Tests {
			next.Tests[i] = strings.TrimSpace(test)
			if i < len(c.Columns) {
				next.Tests[i] = v.meantTest(next.Tests[i], place, v.subject(c.Columns[i].Subject, place), format)
			}
		}
		meant.Rows = append(meant.Rows, next)
	}
	return meant
}

// SubjectWords is what people call what a column of cases tests; "" for a column of conditions.
func (v *Vocabulary) SubjectWords(subject string, place int, w Wording) string {
	program, problems := feel.Compile(subject, v.ScopeOf(place), feel.Strict)
	if subject == "" || problems.Errors() != nil {
		return subject
	}
	return v.TellPart(program.Root(), place, w)
}

// subject is the field that a column of cases tests; nil where it is no field.
func (v *Vocabulary) subject(text string, place int) *field.Field {
	if name := v.NameOf(place, text); name != nil && name.Single() {
		return name.Field
	}
	return nil
}

// orders are what people write before a value, and the operator that it means.
var orders = []struct{ words, operator string }{
	{"<=", "<="}, {">=", ">="}, {"!=", "!="}, {"<>", "!="}, {"<", "<"}, {">", ">"}, {"=", "="}, {"≤", "<="}, {"≥", ">="}, {"≠", "!="},
	{"at least ", ">="}, {"at most ", "<="}, {"up to ", "<="}, {"over ", ">"}, {"under ", "<"}, {"from ", ">="}, {"after ", ">"}, {"before ", "<"}, {"not ", "!="},
}

var span = regexp.MustCompile(`^(.+?)\s*(?:\.\.|–| to )\s*(.+)$`)

func (v *Vocabulary) meantTest(text string, place int, f *field.Field, format field.Format) string {
	switch {
	case text == "-":
		return ""
	case text == "" || f == nil || (f.FeelType().Kind == feel.String && strings.ContainsAny(text, `"(?`)):
		return text // a test as formulas write it
	}
	switch strings.ToLower(text) {
	case "blank":
		return "= null"
	case "filled", "not blank":
		return "!= null"
	}
	value := func(text string) (string, bool) {
		formula, err := v.Meant(text, place, f, format)
		return formula, err == nil
	}
	for _, o := range orders {
		rest, found := strings.CutPrefix(text, o.words)
		if !found {
			continue
		}
		if formula, ok := value(rest); ok {
			if o.operator == "=" {
				return formula
			}
			return o.operator + " " + formula
		}
	}
	if m := span.FindStringSubmatch(text); m != nil && f.FeelType().Kind != feel.String {
		low, lowRead := value(m[1])
		high, highRead := value(m[2])
		if lowRead && highRead {
			return "[" + low + ".." + high + "]"
		}
	}
	if formula, ok := value(text); ok && (f.FeelType().Kind != feel.String || !strings.ContainsAny(text, ",;")) {
		return formula
	}
	var several []string
	for _, part := range strings.FieldsFunc(text, func(r rune) bool { return r == ',' || r == ';' }) {
		formula, ok := value(strings.TrimSpace(part))
		if !ok {
			return text
		}
		several = append(several, formula)
	}
	return strings.Join(several, ", ")
}

func (v *Vocabulary) meantValue(text string, place int, f *field.Field, format field.Format) string {
	text = strings.TrimSpace(text)
	switch strings.ToLower(text) {
	case "", "null":
		return text
	case "nothing", "blank":
		return "null"
	}
	if f == nil {
		return text
	}
	if program, _ := v.Part("value", text, place, f); program != nil && f.FeelType().Kind == feel.String && strings.ContainsAny(text, `"(`) {
		return text
	}
	formula, err := v.Meant(text, place, f, format)
	if err != nil {
		return text
	}
	return formula
}

// shownTest tells a test as people write it.
func (t telling) shownTest(test string, f *field.Field) string {
	if f == nil || test == "" {
		return test
	}
	switch test {
	case "null", "= null":
		return "blank"
	case "!= null":
		return "filled"
	}
	for _, operator := range []string{"<=", ">=", "!=", "<", ">", "="} {
		if rest, found := strings.CutPrefix(test, operator+" "); found {
			return operator + " " + t.shownOperand(rest, f)
		}
	}
	if m := interval.FindStringSubmatch(test); m != nil {
		return t.shownOperand(m[1], f) + " to " + t.shownOperand(m[2], f)
	}
	program, problems := feel.Compile("["+test+"]", t.vocabulary.ScopeOf(t.Field), feel.Strict)
	if problems.Errors() != nil {
		return test
	}
	list, ok := program.Root().(*feel.ListLiteral)
	if !ok {
		return test
	}
	parts := make([]string, len(list.Items))
	for i, item := range list.Items {
		parts[i] = t.shownOperand(feel.Format(item), f)
	}
	return strings.Join(parts, ", ")
}

var interval = regexp.MustCompile(`^\[(.+)\.\.(.+)\]$`)

// shownOperand tells a value, or a formula where it is none.
func (t telling) shownOperand(text string, f *field.Field) string {
	if text == "null" {
		return "nothing"
	}
	program, problems := feel.Compile(text, t.vocabulary.ScopeOf(t.Field), feel.Strict)
	if problems.Errors() != nil || program == nil || f == nil {
		return text
	}
	v, constant := feel.Constant(program.Root())
	if !constant || v.IsNull() || !feel.TypeOf(v).Fits(f.FeelType()) {
		return text
	}
	shown := t.Show(f, v)
	if strings.ContainsAny(shown, `",;`) && f.FeelType().Kind == feel.String {
		return text
	}
	return shown
}
