package feel

import (
	"strings"
)

// signs are the comparisons as they are written elsewhere.
var signs = []struct{ written, means string }{
	{"===", "="}, {"!==", "!="}, {"<>", "!="}, {"==", "="}, {"=<", "<="}, {"=>", ">="}, {"≤", "<="}, {"≥", ">="}, {"≠", "!="},
	{"!=", "!="}, {"<=", "<="}, {">=", ">="}, {"<", "<"}, {">", ">"}, {"=", "="},
}

// phrases are comparisons in words, longest first among those that begin alike. blank and
// filled take no value.
var phrases = []struct{ words, means string }{
	{"is not equal to", "!="}, {"is equal to", "="}, {"does not equal", "!="}, {"not equal to", "!="}, {"equal to", "="}, {"equals", "="},
	{"is not blank", "filled"}, {"is not empty", "filled"}, {"is not null", "filled"}, {"is not missing", "filled"}, {"is not filled", "blank"}, {"is not set", "blank"},
	{"is blank", "blank"}, {"is empty", "blank"}, {"is null", "blank"}, {"is missing", "blank"}, {"is filled", "filled"}, {"is set", "filled"}, {"exists", "filled"},
	{"is not one of", "not in"}, {"is one of", "in"}, {"is not in", "not in"}, {"is in", "in"}, {"not in", "not in"}, {"one of", "in"},
	{"is greater than or equal to", ">="}, {"is less than or equal to", "<="}, {"greater than or equal to", ">="}, {"less than or equal to", "<="},
	{"is greater than", ">"}, {"is more than", ">"}, {"is less than", "<"}, {"is over", ">"}, {"is under", "<"}, {"is above", ">"}, {"is below", "<"},
	{"greater than", ">"}, {"more than", ">"}, {"less than", "<"}, {"is at least", ">="}, {"is at most", "<="}, {"at least", ">="}, {"at most", "<="},
	{"is after", ">"}, {"is before", "<"},
	{"does not contain", "not contains"}, {"not contains", "not contains"}, {"contains", "contains"}, {"includes", "contains"},
	{"does not start with", "not starts with"}, {"starts with", "starts with"}, {"begins with", "starts with"}, {"ends with", "ends with"},
	{"not like", "not like"}, {"is like", "like"}, {"like", "like"},
	{"is not between", "not between"}, {"not between", "not between"}, {"is between", "between"}, {"between", "between"},
	{"is not", "!="}, {"isn't", "!="}, {"is", "="}, {"in", "in"},
}

// operator takes a comparison; "" where there is none.
func (r *meaning) operator() string {
	r.space()
	start := r.at
	for _, sign := range signs {
		if r.accept(sign.written) {
			if sign.written != sign.means {
				r.note(start, r.at, "spreadsheet", "%s is written %s", sign.written, sign.means)
			}
			return sign.means
		}
	}
	for _, phrase := range phrases {
		if r.acceptWords(phrase.words) {
			if phrase.means != r.source[start:r.at] || strings.HasPrefix(phrase.means, "not ") || phrase.means == "contains" || strings.HasSuffix(phrase.means, "s with") || phrase.means == "like" {
				r.note(start, r.at, "spreadsheet", "%s", phraseNote(r.source[start:r.at], phrase.means))
			}
			return phrase.means
		}
	}
	return ""
}

func phraseNote(written, means string) string {
	switch means {
	case "blank", "filled":
		return written + " is written is " + means + "(…)"
	case "not in":
		return written + " is written not(… in (…))"
	case "like":
		return "like is written starts with(…), ends with(…), contains(…) or matches(…)"
	case "contains", "starts with", "ends with":
		return written + " is written " + means + "(…, …)"
	case "in", "between", "=", "!=", "<", "<=", ">", ">=":
		return written + " is written " + means
	}
	return written + " is written not(" + strings.TrimPrefix(means, "not ") + "(…, …))"
}

// comparison reads a value, and what it is compared with.
func (r *meaning) comparison() *meant {
	defer r.deeper()()
	return r.restOf(r.sum())
}

// restOf reads what may stand after the left side of a comparison.
func (r *meaning) restOf(left *meant) *meant {
	start := r.at
	operator := r.operator()
	if operator == "" {
		r.at = start
		return left
	}
	compared := r.comparing(left, operator, start)
	// 1 < amount < 5
	save, notes := r.at, len(r.notes)
	if again := r.operator(); again != "" && strings.ContainsAny(again, "<>") && strings.ContainsAny(operator, "<>") && len(compared.values) == 1 {
		second := r.comparing(compared.values[0], again, save)
		r.note(left.start, second.end, "syntax", "two comparisons in a row are joined with and")
		return r.made(left.start, meansAnd, "%s and %s", compared.in(meansComparison), second.in(meansComparison))
	}
	r.at, r.notes = save, r.notes[:notes]
	return compared
}

// comparing reads the right side of a comparison.
func (r *meaning) comparing(left *meant, operator string, start int) *meant {
	negate := strings.HasPrefix(operator, "not ")
	operator = strings.TrimPrefix(operator, "not ")
	var m *meant
	switch operator {
	case "blank", "filled":
		m = r.made(left.start, meansValue, "is %s(%s)", operator, left.text)
	case "in":
		m = r.membership(left)
	case "between":
		low := r.sum()
		if !r.joins("and", "&&") && !r.acceptKeyword("to") {
			r.give()
		}
		high := r.sum()
		m = r.over(left, func(subject string) *meant {
			return r.made(left.start, meansComparison, "%s between %s and %s", subject, r.like(left, low).in(meansSum), r.like(left, high).in(meansSum))
		})
	case "contains", "starts with", "ends with":
		right := r.sum()
		m = r.made(left.start, meansValue, "%s(%s, %s)", operator, left.text, r.asText(right))
	case "like":
		m = r.resembling(left, r.sum())
	default:
		right := r.sum()
		if m = r.several(left, operator, right, start); m != nil {
			return m
		}
		m = r.compared(left, operator, right)
	}
	m.end = r.at
	if negate {
		return r.negated(m)
	}
	return m
}

// several reads = "A", "B": values to choose from without their brackets.
func (r *meaning) several(left *meant, operator string, right *meant, start int) *meant {
	if r.commas || (operator != "=" && operator != "!=") || !(right.literal || right.word) {
		return nil
	}
	values := []*meant{right}
	for {
		save := r.at
		r.space()
		if !r.accept(",") {
			break
		}
		r.space()
		if r.at >= len(r.source) {
			r.at = save
			break
		}
		values = append(values, r.sum())
	}
	if len(values) == 1 {
		return nil
	}
	r.note(start, r.at, "spreadsheet", "one of several values is written in (…, …)")
	m := r.among(left, values, left.start)
	if operator == "!=" {
		return r.negated(m)
	}
	return m
}

// membership reads what stands after in.
func (r *meaning) membership(left *meant) *meant {
	r.space()
	start := r.at
	closing := map[string]string{"(": ")", "{": "}"}
	for _, open := range []string{"(", "{"} {
		if !r.accept(open) {
			continue
		}
		if open == "{" {
			r.note(start, r.at, "spreadsheet", "values to choose from stand in (…, …)")
		}
		values := r.list(closing[open])
		if len(values) == 0 {
			r.give()
		}
		return r.among(left, values, left.start)
	}
	if strings.HasPrefix(r.source[r.at:], "[") || strings.HasPrefix(r.source[r.at:], "]") {
		right := r.postfix()
		return r.over(left, func(subject string) *meant {
			return r.made(left.start, meansComparison, "%s in %s", subject, right.text)
		})
	}
	values := []*meant{r.sum()}
	for !r.commas {
		save := r.at
		r.space()
		if !r.accept(",") && !r.accept(";") {
			r.at = save
			break
		}
		values = append(values, r.sum())
	}
	if len(values) > 1 {
		r.note(start, r.at, "spreadsheet", "values to choose from stand in (…, …)")
	}
	return r.among(left, values, left.start)
}

// among writes subject in (values).
func (r *meaning) among(subject *meant, values []*meant, start int) *meant {
	texts := make([]string, len(values))
	for i, v := range values {
		texts[i] = r.like(subject, v).text
	}
	list := "(" + strings.Join(texts, ", ") + ")"
	if len(values) == 1 && !values[0].literal && !values[0].word {
		list = values[0].in(meansValue)
	}
	m := r.over(subject, func(text string) *meant { return r.made(start, meansComparison, "%s in %s", text, list) })
	m.subject, m.operator, m.values = subject, "in", values
	return m
}

// over writes a condition on the subject: on some line, where it is a column of lines.
func (r *meaning) over(subject *meant, write func(text string) *meant) *meant {
	column := subject.column
	if column == "" && strings.HasPrefix(subject.text, "lines.") {
		column = strings.TrimPrefix(subject.text, "lines.")
	}
	if column == "" || r.typeOf("lines."+column).Kind != List {
		return write(subject.in(meansSum))
	}
	list := "lines." + column
	if subject.column != "" && r.typeOf(list).element().Kind == Number {
		return write(r.single(subject).in(meansSum))
	}
	r.advise(subject.start, subject.end, "lines", "lines.%s are the values of all lines: say of which line it must hold with some line in lines satisfies line.%s …, or every", column, column)
	m := write("line." + column)
	return r.made(m.start, meansOr, "some line in lines satisfies %s", m.text)
}

// compared writes left operator right, each as the other asks for.
func (r *meaning) compared(left *meant, operator string, right *meant) *meant {
	if blank := strings.ToLower(right.text); right.word && (blank == "blank" || blank == "empty" || blank == "nothing" || blank == "nil" || blank == "none" || blank == "n/a") || (right.literal && right.text == `""`) {
		if operator == "=" || operator == "!=" {
			function := map[string]string{"=": "is blank", "!=": "is filled"}[operator]
			r.note(left.start, right.end, "blank", "nothing in a field is asked for with %s(…)", function)
			return r.made(left.start, meansValue, "%s(%s)", function, left.text)
		}
	}
	if left.literal && !right.literal {
		left = r.like(right, left)
	}
	subject := left
	right = r.like(left, right)
	if right.column != "" {
		right = r.single(right)
	}
	leftType, rightType := r.typeOf(left.text), r.typeOf(right.text)
	for _, side := range []**meant{&left, &right} {
		if t := r.typeOf((*side).text); t.Kind == DateTime && (leftType.Kind == Date || rightType.Kind == Date) {
			r.note((*side).start, (*side).end, "type", "a date with a time of day is made a date by date(…)")
			*side = &meant{text: "date(" + (*side).text + ")", binds: meansValue, start: (*side).start, end: (*side).end}
		}
	}
	if leftType.Kind == DayTimeDuration && rightType.Kind == Number {
		r.note(left.start, left.end, "type", "days between two dates are a duration: write (…).days for their number")
		left = &meant{text: "(" + left.text + ").days", binds: meansValue, start: left.start, end: left.end}
	}
	m := r.over(left, func(text string) *meant {
		return r.made(left.start, meansComparison, "%s %s %s", text, operator, right.in(meansSum))
	})
	m.subject, m.operator, m.values = subject, operator, []*meant{right}
	return m
}

// like writes a value as one of the type of another: a date in quotes, a text without them.
func (r *meaning) like(other, v *meant) *meant {
	if !v.literal && !v.word {
		return v
	}
	wanted := r.typeOf(other.text)
	if wanted.Kind == List {
		wanted = wanted.element()
	}
	if other.column != "" {
		wanted = r.typeOf("lines." + other.column).element()
	}
	as := func(text, code, message string) *meant {
		if message != "" {
			r.note(v.start, v.end, code, "%s", message)
		}
		return &meant{text: text, binds: meansValue, start: v.start, end: v.end, literal: true, plain: v.plain}
	}
	typ := r.typeOf(v.text)
	switch {
	case wanted.Kind == Date && v.plain != "":
		if text, day := dateMeant(v.plain); text != "" {
			return as(text, "date", "a date is written "+text+day)
		}
	case wanted.Kind == Boolean && (v.plain != "" || v.word):
		if truth, ok := truths[strings.ToLower(strings.Trim(v.text, `"`))]; ok {
			return as(truth, "spreadsheet", "yes and no are written true and false")
		}
	case wanted.Kind == Number && v.plain != "" && typ.Kind == String:
		if text, ok := numberMeant(v.plain); ok {
			return as(text, "type", "a number is written without quotes")
		}
	case wanted.Kind == String && v.word:
		return as(quote(v.source(r)), "unknown-name", "a text is written in quotes: "+quote(v.source(r)))
	case wanted.Kind == String && typ.Kind == Number && v.literal:
		return as(quote(v.source(r)), "type", "it holds a text, which is written in quotes")
	}
	return v
}

var truths = map[string]string{"true": "true", "yes": "true", "y": "true", "on": "true", "false": "false", "no": "false", "n": "false", "off": "false"}

// asText writes a value that must be a text.
func (r *meaning) asText(v *meant) string {
	switch {
	case v.word:
		r.note(v.start, v.end, "unknown-name", "a text is written in quotes: %s", quote(v.source(r)))
		return quote(v.source(r))
	case r.typeOf(v.text).Kind == String, r.typeOf(v.text).Kind == Any:
		return v.text
	}
	return "string(" + r.single(v).text + ")"
}

// resembling writes x like "A%".
func (r *meaning) resembling(left, pattern *meant) *meant {
	text := pattern.plain
	if text == "" {
		r.give()
	}
	wild := func(c rune) bool { return c == '%' || c == '*' }
	inner := strings.Trim(text, "%*")
	first, last := strings.IndexFunc(text, wild) == 0, strings.LastIndexFunc(text, wild) == len(text)-1
	switch {
	case strings.ContainsAny(inner, "%*_?"):
		expression := strings.NewReplacer("%", ".*", "*", ".*", "_", ".", "?", ".").Replace(patternQuote(text))
		return r.made(left.start, meansValue, "matches(%s, %s)", left.text, quote("^"+expression+"$"))
	case first && last:
		return r.made(left.start, meansValue, "contains(%s, %s)", left.text, quote(inner))
	case last:
		return r.made(left.start, meansValue, "starts with(%s, %s)", left.text, quote(inner))
	case first:
		return r.made(left.start, meansValue, "ends with(%s, %s)", left.text, quote(inner))
	}
	return r.compared(left, "=", pattern)
}

// patternQuote writes a text as a regular expression that finds it, but for wildcards.
func patternQuote(text string) string {
	var b strings.Builder
	for _, c := range text {
		if strings.ContainsRune(`\.+(){}[]|^$-`, c) {
			b.WriteByte('\\')
		}
		b.WriteRune(c)
	}
	return b.String()
}
