package feel

import "strings"

// parenthesis reads what stands in ( ).
func (r *meaning) parenthesis() *meant {
	start := r.at
	r.at++
	defer func(was bool) { r.commas = was }(r.commas)
	r.commas = false
	inner := r.expression()
	r.space()
	switch {
	case r.accept(")"):
	case r.at >= len(r.source):
		r.advise(start, start+1, "syntax", "the bracket ( that is opened here is not closed")
	case r.accept(",") || r.accept(";"): // a list of values
		values := append([]*meant{inner}, r.list(")")...)
		m := r.made(start, meansValue, "[%s]", textsOf(values))
		m.values = values
		return m
	default:
		r.give()
	}
	m := *inner
	m.start, m.end = start, r.at
	if m.binds < meansValue {
		m.text, m.binds = "("+m.text+")", meansValue
		m.subject, m.operator, m.values = nil, "", nil
	}
	return &m
}

func textsOf(values []*meant) string {
	texts := make([]string, len(values))
	for i, v := range values {
		texts[i] = v.text
	}
	return strings.Join(texts, ", ")
}

// list reads values up to a closing bracket that was opened before.
func (r *meaning) list(closing string) (values []*meant) {
	defer func(was bool) { r.commas = was }(r.commas)
	r.commas = !r.semicolons()
	open := r.at - 1
	for {
		r.space()
		if r.accept(closing) {
			return values
		}
		if r.at >= len(r.source) {
			r.advise(open, open+1, "syntax", "the bracket %s that is opened here is not closed", r.source[open:open+1])
			return values
		}
		if len(values) > 0 {
			start := r.at
			switch {
			case r.accept(","):
			case r.accept(";"):
				r.note(start, r.at, "spreadsheet", "values are separated by commas")
			default:
				r.give()
			}
		}
		values = append(values, r.expression())
	}
}

// semicolons tells whether the values of the current bracket are separated by semicolons.
func (r *meaning) semicolons() bool {
	depth, quoted := 0, false
	for i := r.at; i < len(r.source); i++ {
		switch c := r.source[i]; {
		case c == '"':
			quoted = !quoted
		case quoted:
		case c == '(' || c == '[' || c == '{':
			depth++
		case c == ')' || c == ']' || c == '}':
			if depth--; depth < 0 {
				return false
			}
		case c == ';' && depth == 0:
			return true
		}
	}
	return false
}

// bracketed reads a list or a range, or a name in brackets.
func (r *meaning) bracketed(start int, open rune) *meant {
	closing := map[rune]string{'[': "]", '{': "}", '<': ">"}[open]
	if end := strings.Index(r.source[start:], closing); end > 0 {
		inner := strings.TrimSpace(r.source[start+1 : start+end])
		if text, column, ok := r.names.find(r, inner); ok {
			r.at = start + end + 1
			r.note(start, r.at, "spreadsheet", "a field is written without brackets")
			return &meant{text: text, column: column, binds: meansValue, start: start, end: r.at}
		}
	}
	if open != '[' {
		r.give()
	}
	r.at++
	if rest := r.source[r.at:]; strings.Contains(rest, "..") {
		if first := r.sum(); r.accept("..") {
			last := r.sum()
			r.space()
			end := r.at
			if !r.accept("]") && !r.accept(")") && !r.accept("[") {
				r.give()
			}
			return r.made(start, meansValue, "[%s..%s%s", first.text, last.text, r.source[end:r.at])
		}
		r.at = start + 1
	}
	values := r.list("]")
	m := r.made(start, meansValue, "[%s]", textsOf(values))
	m.values = values
	return m
}
