package feel

import (
	"fmt"
	"regexp"
	"regexp/syntax"
	"slices"
	"strconv"
	"strings"
	"sync"
	"unicode"
	"unicode/utf8"
)

// pattern is a regular expression of XPath (DMN 1.5, section 10.3.4.3; XPath and XQuery
// Functions and Operators 3.1, section 5.6.1), ready to run. It takes time in proportion to
// the text, whatever the expression; so back-references cannot be had.
type pattern struct {
	*regexp.Regexp
	size int // instructions: what a character of the text costs
}

// maxPattern is how many instructions a regular expression may have.
const maxPattern = 10_000

// unavailable is an error about what the standard has and cannot be had here.
type unavailable string

func (u unavailable) Error() string { return string(u) }

// compilePattern reads a regular expression and its flags. The error says what is wrong, or
// cannot be had.
func compilePattern(text, flags string) (*pattern, error) {
	r := patternReader{rest: text}
	prefix := ""
	for _, flag := range flags {
		switch flag {
		case 's':
			r.dotAll = true
		case 'i':
			r.fold = true
			prefix += "i"
		case 'm':
			prefix += "m"
		case 'x':
			r.spaced = true
		default:
			return nil, fmt.Errorf("the flags are s, m, i and x; there is no %c", flag)
		}
	}
	if err := r.expression(); err != nil {
		return nil, fmt.Errorf("%s is no regular expression that can be used: %w", quote(text), err)
	}
	written := r.out.String()
	if prefix != "" {
		written = "(?" + prefix + ")" + written
	}
	tree, err := syntax.Parse(written, syntax.Perl)
	if err != nil {
		if strings.Contains(err.Error(), "repeat") { // more than the package repeats
			return nil, unavailable(quote(text) + " repeats more than can be had")
		}
		return nil, fmt.Errorf("%s is no regular expression that can be used: %s", quote(text), strings.TrimPrefix(err.Error(), "error parsing regexp: "))
	}
	size := instructions(tree)
	if size > maxPattern {
		return nil, unavailable(quote(text) + " is too large a regular expression")
	}
	compiled, err := regexp.Compile(written)
	if err != nil {
		return nil, fmt.Errorf("%s is no regular expression that can be used: %w", quote(text), err)
	}
	return &pattern{compiled, size}, nil
}

// instructions is about how many a regular expression has once its repetitions are written
// out.
func instructions(tree *syntax.Regexp) int {
	total := 1 + len(tree.Rune)/8
	for _, sub := range tree.Sub {
		total = min(total+instructions(sub), 2*maxPattern)
	}
	if tree.Op == syntax.OpRepeat {
		total *= max(1, tree.Min, tree.Max)
	}
	return min(total, 2*maxPattern)
}

// patternReader writes a regular expression of XPath in the way of Go's package.
type patternReader struct {
	rest                 string
	out                  strings.Builder
	dotAll, fold, spaced bool
}

func (r *patternReader) next() (rune, bool) {
	if r.rest == "" {
		return 0, false
	}
	c, size := utf8.DecodeRuneInString(r.rest)
	r.rest = r.rest[size:]
	return c, true
}

func (r *patternReader) accept(text string) bool {
	if strings.HasPrefix(r.rest, text) {
		r.rest = r.rest[len(text):]
		return true
	}
	return false
}

// expression writes all of the rest.
func (r *patternReader) expression() error {
	for {
		c, more := r.next()
		if !more {
			return nil
		}
		switch c {
		case '\\':
			if err := r.escape(); err != nil {
				return err
			}
		case '[':
			set, err := r.class()
			if err != nil {
				return err
			}
			r.out.WriteString(set.write())
		case '.':
			if r.dotAll {
				r.out.WriteString(`(?s:.)`)
			} else {
				r.out.WriteString(`[^\n\r]`)
			}
		case '(':
			switch {
			case r.accept("?:"):
				r.out.WriteString("(?:")
			case strings.HasPrefix(r.rest, "?"):
				return fmt.Errorf("after ( there is only ?: that can stand")
			default:
				r.out.WriteByte('(')
			}
		case ']', '}':
			return fmt.Errorf(`%c must be written \%c`, c, c)
		case ' ', '\t', '\n', '\r':
			if !r.spaced {
				r.out.WriteRune(c)
			}
		case '{':
			if err := r.quantity(); err != nil {
				return err
			}
		case '^', '$', '|', ')', '?', '*', '+':
			r.out.WriteRune(c)
		default:
			r.out.WriteString(regexp.QuoteMeta(string(c)))
		}
	}
}

// quantity writes {n}, {n,} or {n,m}, whose { was read.
func (r *patternReader) quantity() error {
	end := strings.IndexByte(r.rest, '}')
	if end < 0 || !quantityForm.MatchString(r.rest[:end]) {
		return fmt.Errorf(`{ must be written \{, but for a number of times as in {2,3}`)
	}
	r.out.WriteString("{" + r.rest[:end+1])
	r.rest = r.rest[end+1:]
	return nil
}

var quantityForm = regexp.MustCompile(`^[0-9]+(,[0-9]*)?$`)

// escape writes what a backslash begins, outside a class.
func (r *patternReader) escape() error {
	if r.rest != "" && r.rest[0] >= '0' && r.rest[0] <= '9' {
		return unavailable(fmt.Sprintf(`there are no back-references such as \%c`, r.rest[0]))
	}
	set, one, err := r.escaped()
	switch {
	case err != nil:
		return err
	case set != nil:
		r.out.WriteString(set.write())
	default:
		r.out.WriteString(regexp.QuoteMeta(string(one)))
	}
	return nil
}

// escaped reads what a backslash begins: a set of characters, or one.
func (r *patternReader) escaped() (runeSet, rune, error) {
	c, more := r.next()
	if !more {
		return nil, 0, fmt.Errorf(`there is nothing after \`)
	}
	if set, found := escapeSets()[c]; found {
		return set, 0, nil
	}
	switch c {
	case 'n':
		return nil, '\n', nil
	case 'r':
		return nil, '\r', nil
	case 't':
		return nil, '\t', nil
	case 'p', 'P':
		end := strings.IndexByte(r.rest, '}')
		if !strings.HasPrefix(r.rest, "{") || end < 0 {
			return nil, 0, fmt.Errorf(`write \%c{L} for a group of characters`, c)
		}
		name := r.rest[1:end]
		r.rest = r.rest[end+1:]
		set, found := groupOf(name)
		if !found {
			return nil, 0, unavailable("there is no group of characters " + name)
		}
		if c == 'P' {
			set = set.complement()
		}
		return set, 0, nil
	}
	if strings.ContainsRune(`\|.?*+(){}-[]^$`, c) {
		return nil, c, nil
	}
	return nil, 0, fmt.Errorf(`\%c means nothing here`, c)
}

// class reads a class whose [ was read, with its subtraction if it has one.
func (r *patternReader) class() (runeSet, error) {
	negated := r.accept("^")
	var set runeSet
	for first := true; ; first = false {
		if !first && r.accept("]") {
			break
		}
		if !first && r.accept("-[") {
			taken, err := r.class()
			if err != nil {
				return nil, err
			}
			if !r.accept("]") {
				return nil, fmt.Errorf("a class ends with ] after what is taken from it")
			}
			return r.finished(set, negated).intersection(r.finished(taken, false).complement()), nil
		}
		group, low, err := r.member()
		if err != nil {
			return nil, err
		}
		if group != nil {
			set = append(set, group...)
			continue
		}
		high := low
		if strings.HasPrefix(r.rest, "-") && !strings.HasPrefix(r.rest, "-]") && !strings.HasPrefix(r.rest, "-[") {
			r.accept("-")
			if group, high, err = r.member(); err != nil {
				return nil, err
			}
			if group != nil || high < low {
				return nil, fmt.Errorf("a range of characters goes from a lower to a higher one")
			}
		}
		set = append(set, runeRange{low, high})
	}
	return r.finished(set, negated), nil
}

// member reads a character of a class, or a set of them.
func (r *patternReader) member() (runeSet, rune, error) {
	c, more := r.next()
	switch {
	case !more:
		return nil, 0, fmt.Errorf("the class is not closed with ]")
	case c == '\\':
		return r.escaped()
	case c == '[' || c == ']':
		return nil, 0, fmt.Errorf(`%c must be written \%c in a class`, c, c)
	}
	return nil, c, nil
}

// finished is a set as it was written: with the other cases of its letters, and turned.
func (r *patternReader) finished(set runeSet, negated bool) runeSet {
	if r.fold && set.count() < 5000 { // a larger one has both cases of its letters
		for _, part := range slices.Clone(set) {
			for c := part.low; c <= part.high; c++ {
				for other := unicode.SimpleFold(c); other != c; other = unicode.SimpleFold(other) {
					set = append(set, runeRange{other, other})
				}
			}
		}
	}
	if negated {
		return set.complement()
	}
	return set.ordered()
}

// runeRange is the characters from one to another, both included.
type runeRange struct{ low, high rune }

// runeSet is a set of characters.
type runeSet []runeRange

// ordered returns the set in order, without overlaps.
func (s runeSet) ordered() runeSet {
	all := slices.Clone(s)
	slices.SortFunc(all, func(a, b runeRange) int { return int(a.low) - int(b.low) })
	var merged runeSet
	for _, part := range all {
		if last := len(merged) - 1; last >= 0 && part.low <= merged[last].high+1 {
			merged[last].high = max(merged[last].high, part.high)
			continue
		}
		merged = append(merged, part)
	}
	return merged
}

func (s runeSet) complement() runeSet {
	var rest runeSet
	from := rune(0)
	for _, part := range s.ordered() {
		if from < part.low {
			rest = append(rest, runeRange{from, part.low - 1})
		}
		from = part.high + 1
	}
	if from <= unicode.MaxRune {
		rest = append(rest, runeRange{from, unicode.MaxRune})
	}
	return rest
}

func (s runeSet) intersection(o runeSet) runeSet {
	return append(s.complement(), o.complement()...).complement()
}

func (s runeSet) count() (characters int) {
	for _, part := range s {
		characters += int(part.high-part.low) + 1
	}
	return characters
}

// write writes the set as a class. One without characters matches nothing.
func (s runeSet) write() string {
	if len(s) == 0 {
		return `[^\x{0}-\x{10FFFF}]`
	}
	var b strings.Builder
	b.WriteByte('[')
	for _, part := range s {
		b.WriteString(`\x{` + strconv.FormatInt(int64(part.low), 16) + `}`)
		if part.high > part.low {
			b.WriteString(`-\x{` + strconv.FormatInt(int64(part.high), 16) + `}`)
		}
	}
	b.WriteByte(']')
	return b.String()
}

func setOf(table *unicode.RangeTable) (set runeSet) {
	add := func(low, high, stride rune) {
		if stride == 1 {
			set = append(set, runeRange{low, high})
			return
		}
		for c := low; c <= high; c += stride {
			set = append(set, runeRange{c, c})
		}
	}
	for _, part := range table.R16 {
		add(rune(part.Lo), rune(part.Hi), rune(part.Stride))
	}
	for _, part := range table.R32 {
		add(rune(part.Lo), rune(part.Hi), rune(part.Stride))
	}
	return set.ordered()
}

// groupOf returns a category of Unicode by its name, as L or Lu, or one of the blocks that
// are in use.
func groupOf(name string) (runeSet, bool) {
	if table, found := unicode.Categories[name]; found && len(name) <= 2 {
		return setOf(table), true
	}
	set, found := blocks[name]
	return set, found
}

// blocks are the blocks of Unicode that business texts are written in.
var blocks = map[string]runeSet{
	"IsBasicLatin": {{0, 0x7F}}, "IsLatin-1Supplement": {{0x80, 0xFF}}, "IsLatinExtended-A": {{0x100, 0x17F}}, "IsLatinExtended-B": {{0x180, 0x24F}},
	"IsGreek": {{0x370, 0x3FF}}, "IsGreekandCoptic": {{0x370, 0x3FF}}, "IsCyrillic": {{0x400, 0x4FF}}, "IsHebrew": {{0x590, 0x5FF}}, "IsArabic": {{0x600, 0x6FF}}, "IsThai": {{0xE00, 0xE7F}},
	"IsGeneralPunctuation": {{0x2000, 0x206F}}, "IsCurrencySymbols": {{0x20A0, 0x20CF}}, "IsHiragana": {{0x3040, 0x309F}}, "IsKatakana": {{0x30A0, 0x30FF}},
	"IsCJKUnifiedIdeographs": {{0x4E00, 0x9FFF}}, "IsHangulSyllables": {{0xAC00, 0xD7AF}}, "IsHalfwidthandFullwidthForms": {{0xFF00, 0xFFEF}},
}

// escapeSets are the sets that one letter stands for (XML Schema 1.0, part 2, appendix F.1.1):
// spaces, the characters that may begin a name and those that may stand in it, digits, and
// what is no punctuation, separator or control.
var escapeSets = sync.OnceValue(func() map[rune]runeSet {
	initial := runeSet{{':', ':'}, {'_', '_'}, {'A', 'Z'}, {'a', 'z'}, {0xC0, 0xD6}, {0xD8, 0xF6}, {0xF8, 0x2FF}, {0x370, 0x37D}, {0x37F, 0x1FFF}, {0x200C, 0x200D},
		{0x2070, 0x218F}, {0x2C00, 0x2FEF}, {0x3001, 0xD7FF}, {0xF900, 0xFDCF}, {0xFDF0, 0xFFFD}, {0x10000, 0xEFFFF}}
	name := append(slices.Clone(initial), runeSet{{'-', '.'}, {'0', '9'}, {0xB7, 0xB7}, {0x300, 0x36F}, {0x203F, 0x2040}}...).ordered()
	space := runeSet{{'\t', '\n'}, {'\r', '\r'}, {' ', ' '}}
	digit := setOf(unicode.Nd)
	apart := append(append(setOf(unicode.P), setOf(unicode.Z)...), setOf(unicode.C)...).ordered()
	return map[rune]runeSet{
		's': space, 'S': space.complement(), 'd': digit, 'D': digit.complement(), 'w': apart.complement(), 'W': apart,
		'i': initial, 'I': initial.complement(), 'c': name, 'C': name.complement(),
	}
})
