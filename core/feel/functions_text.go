package feel

import (
	"fmt"
	"strings"
	"unicode/utf8"
)

// textFunctions are those of DMN 1.5, section 10.3.4.3.
var textFunctions = []builtin{
	{name: "string length", forms: one(text("string")), result: always(Number), run: onText(func(s string) Value { return IntegerOf(int64(utf8.RuneCountInString(s))) }),
		help: "The number of characters.", example: `string length("Salz") = 4`},
	{name: "upper case", forms: one(text("string")), result: always(String), run: onText(func(s string) Value { return StringOf(strings.ToUpper(s)) }),
		help: "The text in capitals.", example: `upper case("ie") = "IE"`},
	{name: "lower case", forms: one(text("string")), result: always(String), run: onText(func(s string) Value { return StringOf(strings.ToLower(s)) }),
		help: "The text in small letters.", example: `lower case("IE") = "ie"`},
	{name: "substring", forms: one(text("string"), number("start position"), maybe(number("length"))), result: always(String), takesNull: true, run: substring,
		help: "Part of a text; the first character is 1, the last -1.", example: `substring("Brinewell", 1, 5) = "Brine"`},
	{name: "substring before", forms: one(text("string"), text("match")), result: always(String), run: onTexts(func(s, match string) Value {
		before, _, found := strings.Cut(s, match)
		if !found {
			before = ""
		}
		return StringOf(before)
	}), help: "What stands before the first match.", example: `substring before("IE-7781", "-") = "IE"`},
	{name: "substring after", forms: one(text("string"), text("match")), result: always(String), run: onTexts(func(s, match string) Value {
		_, after, _ := strings.Cut(s, match)
		return StringOf(after)
	}), help: "What stands after the first match.", example: `substring after("IE-7781", "-") = "7781"`},
	{name: "contains", forms: one(text("string"), text("match")), result: always(Boolean), run: onTexts(func(s, m string) Value { return BooleanOf(strings.Contains(s, m)) }),
		help: "Whether a text has another inside.", example: `contains("sea salt", "salt") = true`},
	{name: "starts with", forms: one(text("string"), text("match")), result: always(Boolean), run: onTexts(func(s, m string) Value { return BooleanOf(strings.HasPrefix(s, m)) }),
		help: "Whether a text begins with another.", example: `starts with("IE7781", "IE") = true`},
	{name: "ends with", forms: one(text("string"), text("match")), result: always(Boolean), run: onTexts(func(s, m string) Value { return BooleanOf(strings.HasSuffix(s, m)) }),
		help: "Whether a text ends with another.", example: `ends with("Brinewell ApS", "ApS") = true`},
	{name: "matches", forms: one(text("input"), text("pattern"), maybe(text("flags"))), result: always(Boolean), takesNull: true, long: true, run: matches,
		help: "Whether a regular expression is found in a text.", example: `matches("IE29AIBK", "^[A-Z]{2}[0-9]{2}") = true`},
	{name: "replace", forms: one(text("input"), text("pattern"), text("replacement"), maybe(text("flags"))), result: always(String), takesNull: true, long: true, run: replace,
		help: "Replaces all that a regular expression finds; $1 is its first group.", example: `replace("47 11", "([0-9]+) ([0-9]+)", "$2-$1") = "11-47"`},
	{name: "split", forms: one(text("string"), text("delimiter")), result: func([]Type) Type { return ListType(StringType) }, long: true, run: split,
		help: "Cuts a text where a regular expression is found.", example: `split("N30;N45", ";") = ["N30", "N45"]`},
	{name: "string join", forms: one(list("list"), maybe(text("delimiter"))), result: always(String), takesNull: true, run: join,
		help: "Joins the texts of a list; blank ones are left out.", example: `string join(["10", "20"], "-") = "10-20"`},
}

func onText(run func(string) Value) run {
	return func(f *Frame, n Node, a []Value) Value {
		if a[0].kind != String {
			return f.fail(n, "a text is needed; this is a "+a[0].kind.String())
		}
		return run(a[0].text())
	}
}

func onTexts(run func(s, match string) Value) run {
	return func(f *Frame, n Node, a []Value) Value {
		if a[0].kind != String || a[1].kind != String {
			return f.fail(n, "two texts are needed")
		}
		return run(a[0].text(), a[1].text())
	}
}

func substring(f *Frame, n Node, a []Value) Value {
	if a[0].kind != String || a[1].kind != Number {
		return NullValue
	}
	runes := []rune(a[0].text())
	start, whole := a[1].number.Int64()
	length := int64(len(runes))
	if !whole || start == 0 || start > length || start < -length {
		return f.fail(n, "the start position must be a whole number inside the text")
	}
	if start < 0 {
		start += length + 1
	}
	end := length
	if len(a) == 3 && a[2].kind == Number {
		count, whole := a[2].number.Int64()
		if !whole || count < 1 {
			return f.fail(n, "the length must be a whole number of at least 1")
		}
		end = min(length, start-1+min(count, length))
	}
	return StringOf(string(runes[start-1 : end]))
}

// patternOf is the regular expression of a call: the one that was compiled with the formula,
// or that of the values. The error was told where it is nil.
func patternOf(f *Frame, n Node, text string, flags Value) *pattern {
	if call, ok := n.(*Call); ok && call.pattern != nil {
		return call.pattern
	}
	given, _ := flags.Text()
	f.spend(n, 50+len(text))
	compiled, err := compilePattern(text, given)
	if err != nil {
		f.fail(n, err.Error())
		return nil
	}
	f.spend(n, compiled.size/8)
	return compiled
}

// search charges what looking through a text costs.
func (p *pattern) search(f *Frame, n Node, text string) {
	f.spend(n, 2+len(text)*p.size/searched)
}

// searched is how many instructions over characters are a step.
const searched = 64

// given returns an optional argument; null where it was left out.
func given(a []Value, i int) Value {
	if i < len(a) {
		return a[i]
	}
	return NullValue
}

func matches(f *Frame, n Node, a []Value) Value {
	if a[0].kind != String || a[1].kind != String {
		return NullValue
	}
	e := patternOf(f, n, a[1].text(), given(a, 2))
	if e == nil {
		return NullValue
	}
	e.search(f, n, a[0].text())
	return BooleanOf(e.MatchString(a[0].text()))
}

func replace(f *Frame, n Node, a []Value) Value {
	if a[0].kind != String || a[1].kind != String || a[2].kind != String {
		return NullValue
	}
	e := patternOf(f, n, a[1].text(), given(a, 3))
	if e == nil || e.findsNothing(f, n, a[1].text()) {
		return NullValue
	}
	template, ok := goReplacement(a[2].text(), e.NumSubexp())
	if !ok {
		return f.fail(n, quote(a[2].text())+` is no replacement: $ is written \$ but for a group as in $1, and \ is written \\`)
	}
	text := a[0].text()
	e.search(f, n, text)
	// What a group found comes again at most once a reference. A longer replacement may not be
	// put in too often.
	if most := maxText / len(template+"."); len(template) > 16 && len(text) > most && len(e.FindAllStringIndex(text, most+1)) > most {
		return f.fail(n, "the text is too long")
	}
	replaced := e.ReplaceAllString(text, template)
	if len(replaced) > maxText {
		return f.fail(n, "the text is too long")
	}
	return StringOf(replaced)
}

func findsNothing(text string) string {
	return quote(text) + " finds an empty text, which is everywhere: write + for *, and leave no side of | empty"
}

// findsNothing fails for an expression that finds a text of no characters: between any two
// characters there would be one to replace, or to cut at.
func (p *pattern) findsNothing(f *Frame, n Node, text string) bool {
	if !p.MatchString("") {
		return false
	}
	f.fail(n, findsNothing(text))
	return true
}

// goReplacement writes a replacement of XPath as Go has it: $1 as ${1}, \$ as $$. A number
// is that of a group as far as there are so many; false: $ or \ stand alone.
func goReplacement(replacement string, groups int) (string, bool) {
	var b strings.Builder
	for i := 0; i < len(replacement); i++ {
		c := replacement[i]
		following := byte(0)
		if i+1 < len(replacement) {
			following = replacement[i+1]
		}
		switch {
		case c == '\\' && (following == '\\' || following == '$'):
			if i++; following == '$' {
				b.WriteByte('$')
			}
			b.WriteByte(following)
		case c == '\\', c == '$' && !isDigit(following):
			return "", false
		case c == '$':
			group, end := int(following-'0'), i+2
			for end < len(replacement) && isDigit(replacement[end]) && group*10+int(replacement[end]-'0') <= groups {
				group = group*10 + int(replacement[end]-'0')
				end++
			}
			fmt.Fprintf(&b, "${%d}", group)
			i = end - 1
		default:
			b.WriteByte(c)
		}
	}
	return b.String(), true
}

func split(f *Frame, n Node, a []Value) Value {
	e := patternOf(f, n, a[1].text(), NullValue)
	if e == nil || e.findsNothing(f, n, a[1].text()) {
		return NullValue
	}
	e.search(f, n, a[0].text())
	parts := e.Split(a[0].text(), maxItems+1)
	f.spend(n, len(parts))
	items := make([]Value, len(parts))
	for i, part := range parts {
		items[i] = StringOf(part)
	}
	return ListOf(items)
}

func join(f *Frame, n Node, a []Value) Value {
	if a[0].kind != List {
		return NullValue
	}
	delimiter, isText := given(a, 1).Text()
	if !isText && !given(a, 1).IsNull() {
		return f.fail(n, "string join puts a text between the texts; this is a "+given(a, 1).kind.String())
	}
	var parts []string
	length := 0
	for _, item := range a[0].items() {
		switch item.kind {
		case Null:
			continue
		case String:
			parts = append(parts, item.text())
		default:
			return f.fail(n, "string join needs texts; one is a "+item.kind.String())
		}
		if length += len(item.text()) + len(delimiter); length > maxText {
			return f.fail(n, "the text is too long")
		}
	}
	return StringOf(strings.Join(parts, delimiter))
}
