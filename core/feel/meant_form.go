package feel

import "strings"

// conditional reads if … then … else ….
func (r *meaning) conditional(start int) *meant {
	r.acceptKeyword("if")
	condition := r.condition(r.expression())
	if !r.acceptKeyword("then") {
		r.give()
	}
	then := r.single(r.expression())
	otherwise := &meant{text: "null"}
	if r.acceptKeyword("else") {
		otherwise = r.single(r.expression())
	} else {
		r.note(start, r.at, "syntax", "if has an else: null leaves the field blank")
	}
	return r.made(start, meansOr, "if %s then %s else %s", condition.text, then.text, otherwise.text)
}

// cases reads case when … then … else … end.
func (r *meaning) cases(start int) *meant {
	r.at = r.wordAt(r.at)
	var subject *meant
	if r.space(); !r.peekKeyword("when") {
		subject = r.sum()
	}
	var b strings.Builder
	for r.space(); r.peekKeyword("when"); r.space() {
		r.at = r.wordAt(r.at)
		condition := r.expression()
		if subject != nil {
			condition = r.compared(subject, "=", condition)
		}
		if !r.acceptKeyword("then") {
			r.give()
		}
		b.WriteString("if " + r.condition(condition).text + " then " + r.single(r.expression()).text + " else ")
	}
	if b.Len() == 0 {
		r.give()
	}
	otherwise := "null"
	if r.acceptKeyword("else") {
		otherwise = r.single(r.expression()).text
	}
	if r.space(); r.peekKeyword("end") {
		r.at = r.wordAt(r.at)
	}
	r.note(start, r.at, "spreadsheet", "cases are written if … then … else if … then … else …")
	return r.made(start, meansOr, "%s%s", b.String(), otherwise)
}

// iterator reads name in list, and knows the name in what follows.
func (r *meaning) iterator() string {
	r.space()
	end := r.wordAt(r.at)
	name := r.source[r.at:end]
	r.at = end
	if name == "" || !r.acceptKeyword("in") {
		r.give()
	}
	domain := r.sum()
	if r.accept("..") {
		domain = r.made(domain.start, meansValue, "%s..%s", domain.text, r.sum().text)
	}
	r.locals = append(r.locals, name)
	list := domain.text
	if domain.column != "" {
		list = "lines." + domain.column
	}
	return name + " in " + list
}

func (r *meaning) quantified(start int) *meant {
	defer func(n int) { r.locals = r.locals[:n] }(len(r.locals))
	word := strings.ToLower(r.source[r.at:r.wordAt(r.at)])
	r.acceptKeyword(word)
	iterator := r.iterator()
	if !r.acceptKeyword("satisfies") {
		r.give()
	}
	return r.made(start, meansOr, "%s %s satisfies %s", word, iterator, r.expression().text)
}

func (r *meaning) loop(start int) *meant {
	defer func(n int) { r.locals = r.locals[:n] }(len(r.locals))
	r.acceptKeyword("for")
	iterator := r.iterator()
	if !r.acceptKeyword("return") {
		r.give()
	}
	return r.made(start, meansOr, "for %s return %s", iterator, r.expression().text)
}
