package feel

import (
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"codicil/core/decimal"
)

// space passes over white space.
func (r *meaning) space() {
	for r.at < len(r.source) {
		c, size := utf8.DecodeRuneInString(r.source[r.at:])
		if !unicode.IsSpace(c) {
			return
		}
		r.at += size
	}
}

func (r *meaning) accept(text string) bool {
	if strings.HasPrefix(r.source[r.at:], text) {
		r.at += len(text)
		return true
	}
	return false
}

// wordAt returns the end of the word that begins at a place; the place itself where none does.
func (r *meaning) wordAt(at int) int {
	end := at
	for end < len(r.source) {
		c, size := utf8.DecodeRuneInString(r.source[end:])
		if end == at && !isNameStart(c) || !isNamePart(c) {
			break
		}
		end += size
	}
	return end
}

// peekKeyword tells whether a word of the language comes next, in whatever letters.
func (r *meaning) peekKeyword(word string) bool {
	return strings.EqualFold(r.source[r.at:r.wordAt(r.at)], word)
}

// acceptKeyword takes a word of the language. One in capitals is noted.
func (r *meaning) acceptKeyword(word string) bool {
	r.space()
	if !r.peekKeyword(word) {
		return false
	}
	start := r.at
	r.at = r.wordAt(r.at)
	if written := r.source[start:r.at]; written != word {
		r.note(start, r.at, "spreadsheet", "%s is written in small letters: %s", written, word)
	}
	return true
}

// acceptWords takes several words in whatever letters.
func (r *meaning) acceptWords(words string) bool {
	save := r.at
	for _, word := range strings.Fields(words) {
		r.space()
		end := r.wordAt(r.at)
		if word == "isn't" && len(r.source) >= r.at+5 {
			end = r.at + 5
		}
		if !strings.EqualFold(r.source[r.at:end], word) {
			r.at = save
			return false
		}
		r.at = end
	}
	return true
}

// sum reads terms joined by + and -, and texts joined by &.
func (r *meaning) sum() *meant {
	left := r.product()
	for {
		r.space()
		start := r.at
		sign := ""
		switch {
		case strings.HasPrefix(r.source[r.at:], "&&"):
		case r.accept("+"):
			sign = "+"
		case r.accept("&"):
			sign = "&"
			r.note(start, r.at, "spreadsheet", "texts are joined with +")
		case r.accept("->"):
			r.give()
		case r.accept("-"):
			sign = "-"
		case r.accept("−"), r.accept("–"):
			sign = "-"
			r.note(start, r.at, "spreadsheet", "less is written with the sign -")
		}
		if sign == "" {
			return left
		}
		right := r.product()
		left = r.added(left, sign, right)
	}
}

// added writes a sum as the types ask for.
func (r *meaning) added(left *meant, sign string, right *meant) *meant {
	left, right = r.single(left), r.single(right)
	l, t := r.typeOf(left.text), r.typeOf(right.text)
	switch {
	case sign == "&" || (sign == "+" && (l.Kind == String) != (t.Kind == String) && l.Kind != Any && t.Kind != Any && l.Kind != Null && t.Kind != Null):
		if sign == "+" {
			r.note(left.start, right.end, "type", "what is no text is made one by string(…)")
		}
		return r.made(left.start, meansSum, "%s + %s", r.joinable(left), r.joinable(right))
	case l.Kind == Date && t.Kind == Number:
		r.note(left.start, right.end, "type", "days are added to a date with add days(date, number)")
		count := right.in(meansPower)
		if sign == "-" {
			count = "-" + count
		}
		return r.made(left.start, meansValue, "add days(%s, %s)", left.text, count)
	}
	return r.made(left.start, meansSum, "%s %s %s", left.in(meansSum), sign, right.in(meansProduct))
}

func (r *meaning) joinable(m *meant) string {
	if m.word || r.typeOf(m.text).Kind != String && r.typeOf(m.text).Kind != Any {
		return r.asText(m)
	}
	return m.in(meansProduct)
}

func (r *meaning) product() *meant {
	left := r.power()
	for {
		r.space()
		start := r.at
		sign := ""
		switch {
		case strings.HasPrefix(r.source[r.at:], "**"):
		case r.accept("*"):
			sign = "*"
		case r.accept("×"), r.accept("·"), r.accept("∙"), r.accept("✕"):
			sign = "*"
			r.note(start, r.at, "spreadsheet", "times is written *")
		case strings.HasPrefix(r.source[r.at:], "//"):
			r.give()
		case r.accept("/"):
			sign = "/"
		case r.accept("÷"):
			sign = "/"
			r.note(start, r.at, "spreadsheet", "divided by is written /")
		case r.accept("%"), r.peekKeyword("mod") && r.acceptWords("mod"), r.peekKeyword("div") && r.acceptWords("div"):
			word := strings.ToLower(r.source[start:r.at])
			right := r.power()
			if word == "div" {
				r.note(start, start+len(word), "spreadsheet", "div is written floor(… / …)")
				left = r.made(left.start, meansValue, "floor(%s / %s)", r.single(left).in(meansProduct), r.single(right).in(meansPower))
			} else {
				r.note(start, start+len(word), "spreadsheet", "%s is written modulo(…, …)", word)
				left = r.made(left.start, meansValue, "modulo(%s, %s)", r.single(left).text, r.single(right).text)
			}
			continue
		default:
			return left
		}
		if sign == "" {
			return left
		}
		right := r.power()
		left = r.made(left.start, meansProduct, "%s %s %s", r.single(left).in(meansProduct), sign, r.single(right).in(meansPower))
	}
}

func (r *meaning) power() *meant {
	left := r.unary()
	for {
		r.space()
		start := r.at
		switch {
		case r.accept("**"):
		case r.accept("^"):
			r.note(start, r.at, "spreadsheet", "to the power of is written **")
		default:
			return left
		}
		right := r.unary()
		left = r.made(left.start, meansPower, "%s ** %s", r.single(left).in(meansPower), r.single(right).in(meansValue))
	}
}

func (r *meaning) unary() *meant {
	defer r.deeper()()
	r.space()
	start := r.at
	switch {
	case r.accept("-"), r.accept("−"):
		m := r.unary()
		return r.made(start, meansPower, "-%s", r.single(m).in(meansPower))
	case r.accept("+"):
		r.note(start, r.at, "spreadsheet", "a number needs no + before it")
		return r.unary()
	}
	return r.postfix()
}

// postfix reads a value and what may follow it.
func (r *meaning) postfix() *meant { return r.postfixOf(r.primary()) }

func (r *meaning) postfixOf(m *meant) *meant {
	for {
		start := r.at
		if m.literal {
			r.space()
		}
		switch {
		case r.accept("%") && r.endsValue():
			if !m.literal {
				r.note(start, r.at, "spreadsheet", "percent is written / 100")
				m = r.made(m.start, meansProduct, "%s / 100", m.in(meansProduct))
				continue
			}
			n, err := decimal.Parse(m.text)
			if err != nil {
				r.give()
			}
			share, _ := n.Quo(decimal.FromInt(100))
			r.note(m.start, r.at, "percent", "a percent is written as its share: %s", share)
			m = &meant{text: share.String(), binds: meansValue, start: m.start, end: r.at, literal: true}
			continue
		case r.accept("'s ") || r.accept("’s "):
			r.note(start, r.at, "spreadsheet", "a field of another record is written after a dot")
			m = r.member(m)
			continue
		case r.accept("."):
			if r.wordAt(r.at) == r.at {
				r.at = start
				return m
			}
			m = r.member(m)
			continue
		}
		r.at = start
		if m.literal || m.word {
			r.space()
			if r.acceptCurrency() {
				r.note(start, r.at, "spreadsheet", "an amount is written without its currency")
				m.end = r.at
				continue
			}
			r.at = start
			return m
		}
		if r.accept("[") {
			inner := r.filter(m)
			r.space()
			if !r.accept("]") {
				r.advise(start, start+1, "syntax", "the bracket [ that is opened here is not closed")
			}
			m = r.made(m.start, meansValue, "%s[%s]", m.in(meansValue), inner)
			continue
		}
		return m
	}
}

// filter reads a condition on the items of a list, whose entries are names there.
func (r *meaning) filter(base *meant) string {
	defer func(n int) { r.locals = r.locals[:n] }(len(r.locals))
	if t := r.typeOf(base.text); t.Kind == List && t.Element != nil {
		r.locals = append(r.locals, sortedNames(t.Element.Entries)...)
	}
	r.locals = append(r.locals, "item")
	return r.expression().text
}

// endsValue tells whether a value ends here: after %, which else is a remainder.
func (r *meaning) endsValue() bool {
	save := r.at
	defer func() { r.at = save }()
	r.space()
	if r.at >= len(r.source) {
		return true
	}
	c, _ := utf8.DecodeRuneInString(r.source[r.at:])
	if unicode.IsDigit(c) || c == '(' || c == '"' {
		return false
	}
	if !isNameStart(c) {
		return true
	}
	word := strings.ToLower(r.source[r.at:r.wordAt(r.at)])
	return keywords[word] || slices.Contains([]string{"is", "of", "when", "end"}, word)
}

// primary reads a value that is no operation on others.
func (r *meaning) primary() *meant {
	defer r.deeper()()
	r.space()
	start := r.at
	if r.at >= len(r.source) {
		r.give()
	}
	rest := r.source[r.at:]
	c, _ := utf8.DecodeRuneInString(rest)
	switch {
	case r.currencyBefore():
		r.note(start, r.at, "spreadsheet", "an amount is written without its currency")
		r.space()
		m := r.primary()
		m.start = start
		return m
	case c >= '0' && c <= '9' || (c == '.' && len(rest) > 1 && isDigit(rest[1])):
		return r.numberOrDate(start)
	case strings.HasPrefix(rest, `@"`):
		text, length, message := readString(rest[2:])
		if message != "" {
			r.give()
		}
		r.at += 2 + length
		if v, ok := parseTemporal(text); ok {
			return &meant{text: v.String(), binds: meansValue, start: start, end: r.at, literal: true}
		}
		written, _ := dateMeant(text)
		if written == "" {
			r.give()
		}
		r.note(start, r.at, "date", "a date is written %s", written)
		return &meant{text: written, binds: meansValue, start: start, end: r.at, literal: true}
	case strings.ContainsRune("\"'“”„‘’«`", c):
		return r.quoted(start, c)
	case c == '(':
		return r.parenthesis()
	case c == '[' || c == '{' || c == '<':
		return r.bracketed(start, c)
	case strings.ContainsRune("$@#:", c) && r.wordAt(r.at+1) > r.at+1:
		r.at++
		r.note(start, r.at, "spreadsheet", "a field is written without %c", c)
		return r.name()
	}
	if r.wordAt(r.at) == r.at {
		r.give()
	}
	return r.worded(start)
}

// worded reads what begins with a word.
func (r *meaning) worded(start int) *meant {
	switch {
	case r.peekKeyword("if") && !r.called():
		return r.conditional(start)
	case r.peekKeyword("case") && !r.called():
		return r.cases(start)
	case (r.peekKeyword("some") || r.peekKeyword("every")) && !r.called():
		return r.quantified(start)
	case r.peekKeyword("for") && !r.called():
		return r.loop(start)
	case r.peekKeyword("function"), r.peekKeyword("then"), r.peekKeyword("else"), (r.peekKeyword("and") || r.peekKeyword("or")) && !r.called():
		r.give()
	case r.peekKeyword("true"), r.peekKeyword("false"), r.peekKeyword("null"):
		if r.called() {
			r.at = r.wordAt(r.at)
			r.space()
			r.at++
			r.space()
			if !r.accept(")") {
				r.give()
			}
			word := strings.ToLower(r.source[start:r.wordAt(start)])
			r.note(start, r.at, "spreadsheet", "%s is written without brackets", word)
			return &meant{text: word, binds: meansValue, start: start, end: r.at, literal: true}
		}
		end := r.wordAt(r.at)
		word := strings.ToLower(r.source[r.at:end])
		r.acceptKeyword(word)
		return &meant{text: word, binds: meansValue, start: start, end: r.at, literal: true}
	}
	return r.name()
}

// called tells whether the current word is followed by a bracket.
func (r *meaning) called() bool {
	save := r.at
	defer func() { r.at = save }()
	r.at = r.wordAt(r.at)
	r.space()
	return r.at < len(r.source) && r.source[r.at] == '('
}
