package feel

import (
	"strconv"
	"strings"
	"unicode"
	"unicode/utf8"
)

type tokenKind uint8

const (
	tokenEnd tokenKind = iota
	tokenNumber
	tokenString
	tokenTemporal // @"…"; text is what the quotes hold
	tokenWord
	tokenSymbol
)

type token struct {
	kind       tokenKind
	text       string
	start, end int
}

// keywords never begin or end a name that is not known, so that a name of several
// words stops before them.
var keywords = map[string]bool{
	"and": true, "or": true, "between": true, "in": true, "if": true, "then": true, "else": true, "for": true,
	"return": true, "some": true, "every": true, "satisfies": true, "instance": true, "of": true,
	"true": true, "false": true, "null": true, "function": true, "external": true,
}

// symbols, longest first.
var symbols = []string{"**", "..", "<=", ">=", "!=", "->", "+", "-", "*", "/", "<", ">", "=", "(", ")", "[", "]", "{", "}", ",", ":", ".", "?"}

// scan cuts a formula into tokens (DMN 1.5, section 10.3.1.2, rules 27 to 66).
func scan(source string) ([]token, *Problem) {
	var tokens []token
	at := 0
	fail := func(start, end int, message string) ([]token, *Problem) {
		p := problemAt(source, start, end, "syntax", message)
		return nil, &p
	}
	if !utf8.ValidString(source) {
		return fail(0, len(source), "this is not valid text (UTF-8)")
	}
	for at < len(source) {
		rest := source[at:]
		r, size := utf8.DecodeRuneInString(rest)
		switch {
		case unicode.IsSpace(r) || r == '\uFEFF':
			at += size
		case strings.HasPrefix(rest, "//"):
			line := strings.IndexByte(rest, '\n')
			if line < 0 {
				line = len(rest)
			}
			at += line
		case strings.HasPrefix(rest, "/*"):
			end := strings.Index(rest, "*/")
			if end < 0 {
				return fail(at, len(source), "the comment is not closed: write */ at its end")
			}
			at += end + 2
		case r >= '0' && r <= '9' || (r == '.' && len(rest) > 1 && isDigit(rest[1])):
			end := numberEnd(rest)
			tokens = append(tokens, token{tokenNumber, rest[:end], at, at + end})
			at += end
		case r == '"' || strings.HasPrefix(rest, `@"`):
			kind, open := tokenString, 1
			if r == '@' {
				kind, open = tokenTemporal, 2
			}
			text, length, message := readString(rest[open:])
			if message != "" {
				return fail(at, len(source), message)
			}
			tokens = append(tokens, token{kind, text, at, at + open + length})
			at += open + length
		case isNameStart(r):
			end := size
			for end < len(rest) {
				next, width := utf8.DecodeRuneInString(rest[end:])
				if !isNamePart(next) {
					break
				}
				end += width
			}
			tokens = append(tokens, token{tokenWord, rest[:end], at, at + end})
			at += end
		default:
			found := false
			for _, s := range symbols {
				if strings.HasPrefix(rest, s) {
					tokens = append(tokens, token{tokenSymbol, s, at, at + len(s)})
					at += len(s)
					found = true
					break
				}
			}
			if !found {
				return fail(at, at+size, "the character "+strconv.QuoteRune(r)+" means nothing here"+hintFor(r))
			}
		}
	}
	return append(tokens, token{kind: tokenEnd, start: len(source), end: len(source)}), nil
}

func hintFor(r rune) string {
	switch r {
	case '\'', '“', '”', '„':
		return `: text is written in "straight double quotes"`
	case '&':
		return ": join conditions with and, texts with +"
	case '|':
		return ": join conditions with or"
	case '%':
		return ": write 10 % as 0.1"
	case ';':
		return ": separate values with a comma"
	case '≤':
		return ": write <="
	case '≥':
		return ": write >="
	case '≠':
		return ": write !="
	}
	return ""
}

func isDigit(b byte) bool { return b >= '0' && b <= '9' }

// nameStarts are the characters that may begin a name besides letters (rule 28).
var nameStarts = &unicode.RangeTable{
	R16: []unicode.Range16{{0x370, 0x37D, 1}, {0x37F, 0x1FFF, 1}, {0x200C, 0x200D, 1}, {0x2070, 0x218F, 1}, {0x2C00, 0x2FEF, 1}, {0x3001, 0xD7FF, 1}, {0xF900, 0xFDCF, 1}, {0xFDF0, 0xFFFC, 1}},
	R32: []unicode.Range32{{0x10000, 0xEFFFF, 1}},
}

func isNameStart(r rune) bool {
	return r == '_' || unicode.IsLetter(r) || unicode.Is(nameStarts, r)
}

// isNamePart is rule 29.
func isNamePart(r rune) bool {
	return isNameStart(r) || unicode.IsDigit(r) || unicode.Is(unicode.Mn, r) || r == '\u00B7' || r == '\u203F' || r == '\u2040'
}

func numberEnd(s string) int {
	end := 0
	for end < len(s) && isDigit(s[end]) {
		end++
	}
	if end+1 < len(s) && s[end] == '.' && isDigit(s[end+1]) {
		end++
		for end < len(s) && isDigit(s[end]) {
			end++
		}
	}
	if end < len(s) && (s[end] == 'e' || s[end] == 'E') {
		exponent := end + 1
		if exponent < len(s) && (s[exponent] == '+' || s[exponent] == '-') {
			exponent++
		}
		if exponent < len(s) && isDigit(s[exponent]) {
			for exponent < len(s) && isDigit(s[exponent]) {
				exponent++
			}
			end = exponent
		}
	}
	return end
}

// readString reads up to and with the closing quote; s begins after the opening one.
func readString(s string) (text string, length int, message string) {
	var b strings.Builder
	for i := 0; i < len(s); {
		c := s[i]
		switch {
		case c == '"':
			return b.String(), i + 1, ""
		case c == '\n':
			return "", 0, `the text is not closed: write " at its end`
		case c != '\\':
			b.WriteByte(c)
			i++
			continue
		}
		if i+1 >= len(s) {
			break
		}
		simple := map[byte]byte{'n': '\n', 'r': '\r', 't': '\t', '"': '"', '\\': '\\', '\'': '\''}
		if r, ok := simple[s[i+1]]; ok {
			b.WriteByte(r)
			i += 2
			continue
		}
		digits := map[byte]int{'u': 4, 'U': 6}[s[i+1]]
		if digits == 0 || i+2+digits > len(s) {
			b.WriteByte('\\')
			i++
			continue
		}
		code, err := strconv.ParseUint(s[i+2:i+2+digits], 16, 32)
		if err != nil || code > unicode.MaxRune {
			return "", 0, `\` + s[i+1:i+2] + " must be followed by the hexadecimal number of a character"
		}
		i += 2 + digits
		// Two \u of a surrogate pair are one character.
		if digits == 4 && code >= 0xD800 && code < 0xDC00 && i+6 <= len(s) && s[i:i+2] == `\u` {
			if low, err := strconv.ParseUint(s[i+2:i+6], 16, 32); err == nil && low >= 0xDC00 && low < 0xE000 {
				code = 0x10000 + (code-0xD800)<<10 + (low - 0xDC00)
				i += 6
			}
		}
		b.WriteRune(rune(code))
	}
	return "", 0, `the text is not closed: write " at its end`
}
