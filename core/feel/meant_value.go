package feel

import (
	"fmt"
	"regexp"
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

var currencies = []string{"EUR", "USD", "GBP", "DKK", "JPY", "CHF", "SEK", "NOK", "euro", "euros", "dollars"}

func (r *meaning) acceptCurrency() bool {
	for _, sign := range []string{"€", "$", "£", "¥"} {
		if r.accept(sign) {
			return true
		}
	}
	word := r.source[r.at:r.wordAt(r.at)]
	if slices.ContainsFunc(currencies, func(c string) bool { return strings.EqualFold(c, word) }) {
		r.at += len(word)
		return true
	}
	return false
}

// The forms of numbers and dates that people write.
var (
	dateForms = []*regexp.Regexp{
		regexp.MustCompile(`^(\d{4})-(\d{1,2})-(\d{1,2})\b`), regexp.MustCompile(`^(\d{4})/(\d{1,2})/(\d{1,2})\b`),
		regexp.MustCompile(`^(\d{1,2})\.(\d{1,2})\.(\d{4})\b`), regexp.MustCompile(`^(\d{1,2})/(\d{1,2})/(\d{4})\b`), regexp.MustCompile(`^(\d{1,2})-(\d{1,2})-(\d{4})\b`),
	}
	monthForm  = regexp.MustCompile(`(?i)^(\d{1,2})\.? (jan|feb|mar|apr|may|jun|jul|aug|sep|oct|nov|dec)[a-z]*\.? (\d{4})\b`)
	groupForms = []*regexp.Regexp{
		regexp.MustCompile(`^\d{1,3}(?:[ '’\x{A0}\x{202F}]\d{3})+(?:[.,]\d+)?`), regexp.MustCompile(`^\d{1,3}(?:\.\d{3})+,\d+`), regexp.MustCompile(`^\d{1,3}(?:,\d{3})+\.\d+`), regexp.MustCompile(`^\d{1,3}(?:\.\d{3}){2,}`),
	}
	commaGroup = regexp.MustCompile(`^\d{1,3}(?:,\d{3})+`)
	commaForm  = regexp.MustCompile(`^\d+,\d+`)
)

// dateMeant writes a text that is a date as one; day says how an ambiguous one was read. ""
// where it is none.
func dateMeant(text string) (written, day string) {
	text = strings.TrimSpace(text)
	if m := monthForm.FindStringSubmatch(text); m != nil && len(m[0]) == len(text) {
		month := strings.Index("janfebmaraprmayjunjulaugsepoctnovdec", strings.ToLower(m[2]))/3 + 1
		return dateFrom(m[3], fmt.Sprint(month), m[1]), ""
	}
	for i, form := range dateForms {
		m := form.FindStringSubmatch(text)
		if m == nil || len(m[0]) != len(text) {
			continue
		}
		if i < 2 {
			return dateFrom(m[1], m[2], m[3]), ""
		}
		if written = dateFrom(m[3], m[2], m[1]); written == "" { // the month comes first where it must
			return dateFrom(m[3], m[1], m[2]), ""
		}
		if other := dateFrom(m[3], m[1], m[2]); other != "" && other != written && i != 2 {
			day = ", with the day first"
		}
		return written, day
	}
	return "", ""
}

func dateFrom(year, month, day string) string {
	v, ok := ParseDate(fmt.Sprintf("%s-%02s-%02s", year, month, day))
	if !ok {
		return ""
	}
	return v.String()
}

// numberMeant reads a number as a person may write it.
func numberMeant(text string) (string, bool) {
	r := meaning{source: strings.TrimSpace(text)}
	number, _ := r.number()
	return number, number != "" && r.at == len(r.source)
}

// number reads a number in the ways in which people write them; message says what is otherwise.
func (r *meaning) number() (text, message string) {
	rest := r.source[r.at:]
	take := func(found, decimalSign string, message string) (string, string) {
		r.at += len(found)
		fraction := ""
		if decimalSign != "" {
			found, fraction, _ = strings.Cut(found, decimalSign)
			fraction = "." + fraction
		}
		digits := strings.Map(func(c rune) rune {
			if c >= '0' && c <= '9' {
				return c
			}
			return -1
		}, found)
		return digits + fraction, message
	}
	for i, form := range groupForms {
		found := form.FindString(rest)
		if found == "" {
			continue
		}
		sign := []string{"", ",", ".", ""}[i]
		if i == 0 {
			if at := strings.LastIndexAny(found, ".,"); at >= 0 {
				sign = found[at : at+1]
			}
		}
		if i == 2 && r.commas {
			continue
		}
		return take(found, sign, "a number is written without signs between thousands, and with a point")
	}
	if !r.commas {
		if found := commaGroup.FindString(rest); found != "" && len(found) != 0 && !strings.HasPrefix(rest, "0") {
			return take(found, "", "a number is written without signs between thousands: "+found+" is read as thousands")
		}
		if found := commaForm.FindString(rest); found != "" {
			return take(found, ",", "a number is written with a point: 1.5")
		}
	}
	end := numberEnd(rest)
	if end == 0 {
		return "", ""
	}
	r.at += end
	return rest[:end], ""
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

// currencyBefore takes a currency that stands before a number.
func (r *meaning) currencyBefore() bool {
	save := r.at
	if r.acceptCurrency() {
		after := r.at
		r.space()
		if r.at < len(r.source) && isDigit(r.source[r.at]) {
			r.at = after
			return true
		}
	}
	r.at = save
	return false
}

func (r *meaning) numberOrDate(start int) *meant {
	rest := r.source[r.at:]
	for _, form := range append(slices.Clone(dateForms), monthForm) {
		found := form.FindString(rest)
		if found == "" {
			continue
		}
		if written, day := dateMeant(found); written != "" {
			r.at += len(found)
			r.note(start, r.at, "date", "a date is written %s%s", written, day)
			return &meant{text: written, binds: meansValue, start: start, end: r.at, literal: true}
		}
	}
	text, message := r.number()
	if message != "" {
		r.note(start, r.at, "spreadsheet", "%s", message)
	}
	if _, err := decimal.Parse(text); err != nil {
		r.give()
	}
	return &meant{text: text, binds: meansValue, start: start, end: r.at, literal: true}
}

// quoted reads a text in whatever quotes.
func (r *meaning) quoted(start int, open rune) *meant {
	closing := map[rune]string{'"': `"`, '\'': "'", '“': "”“\"", '”': "”\"", '„': "“”\"", '‘': "’'", '’': "’'", '«': "»", '`': "`"}[open]
	begin := r.at + utf8.RuneLen(open)
	if open == '"' {
		if text, length, message := readString(r.source[begin:]); message == "" {
			r.at = begin + length
			return &meant{text: r.source[start:r.at], binds: meansValue, start: start, end: r.at, literal: true, plain: text}
		}
	}
	end := strings.IndexAny(r.source[begin:], closing)
	text := r.source[begin:]
	if end < 0 {
		r.advise(start, begin, "syntax", `the text that begins here is not closed: write " at its end`)
		text = strings.TrimRight(text, " )")
		r.at = begin + len(text)
	} else {
		text = r.source[begin : begin+end]
		r.at = begin + end
		_, size := utf8.DecodeRuneInString(r.source[r.at:])
		r.at += size
		r.note(start, r.at, "spreadsheet", `a text is written in straight double quotes: "…"`)
	}
	return &meant{text: quote(text), binds: meansValue, start: start, end: r.at, literal: true, plain: text}
}

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

// semicolons tells whether the values of the bracket at hand are separated by semicolons.
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

// called tells whether the word at hand is followed by a bracket.
func (r *meaning) called() bool {
	save := r.at
	defer func() { r.at = save }()
	r.at = r.wordAt(r.at)
	r.space()
	return r.at < len(r.source) && r.source[r.at] == '('
}

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
