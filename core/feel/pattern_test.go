package feel_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"

	"codicil/core/feel"
)

// class is a class of characters as it is written, and which it holds.
type class struct {
	written string
	holds   func(c rune) bool
}

// classes draws classes with ranges, sets, negation, and one taken from another.
func classes(t *rapid.T, depth int) class {
	sets := []class{
		{`\d`, func(c rune) bool { return c >= '0' && c <= '9' }}, {`\s`, func(c rune) bool { return strings.ContainsRune(" \t\n\r", c) }}, {`\S`, func(c rune) bool { return !strings.ContainsRune(" \t\n\r", c) }},
		{`\i`, func(c rune) bool { return c == ':' || c == '_' || (c|0x20 >= 'a' && c|0x20 <= 'z') || c == 'é' }},
		{`\c`, func(c rune) bool {
			return c == ':' || c == '_' || c == '-' || c == '.' || (c >= '0' && c <= '9') || (c|0x20 >= 'a' && c|0x20 <= 'z') || c == 'é'
		}},
		{`\p{Lu}`, func(c rune) bool { return c >= 'A' && c <= 'Z' }}, {`\-`, func(c rune) bool { return c == '-' }}, {`\]`, func(c rune) bool { return c == ']' }},
	}
	var members []class
	for range rapid.IntRange(1, 3).Draw(t, "members") {
		if rapid.Bool().Draw(t, "a set") {
			members = append(members, rapid.SampledFrom(sets).Draw(t, "set"))
			continue
		}
		low := rapid.RuneFrom([]rune("abcfkzAFKZ059")).Draw(t, "low")
		high := low + rune(rapid.IntRange(0, 4).Draw(t, "width"))
		written := string(low)
		if high > low {
			written += "-" + string(high)
		}
		if strings.ContainsRune("[]\\^-", high) {
			high, written = low, string(low)
		}
		members = append(members, class{written, func(c rune) bool { return c >= low && c <= high }})
	}
	negated := rapid.Bool().Draw(t, "negated")
	var b strings.Builder
	b.WriteByte('[')
	if negated {
		b.WriteByte('^')
	}
	for _, m := range members {
		b.WriteString(m.written)
	}
	taken := class{holds: func(rune) bool { return false }}
	if depth > 0 && rapid.Bool().Draw(t, "less another") {
		taken = classes(t, depth-1)
		b.WriteString("-" + taken.written)
	}
	b.WriteByte(']')
	return class{b.String(), func(c rune) bool {
		held := false
		for _, m := range members {
			held = held || m.holds(c)
		}
		return held != negated && !taken.holds(c)
	}}
}

// Classes hold what XML Schema says that they hold, by one character after the other.
func TestClassesOfCharacters(t *testing.T) {
	rapid.Check(t, func(rt *rapid.T) {
		drawn := classes(rt, 3)
		for _, c := range "abcdefgkloz ABFGKZ0159-_:.]é\t" {
			formula := fmt.Sprintf("matches(%s, %s)", feel.StringOf(string(c)), feel.StringOf("^"+drawn.written+"$"))
			assert.Equal(rt, fmt.Sprint(drawn.holds(c)), evaluate(rt, formula).String(), formula)
		}
	})
}

// A regular expression that is made while a formula runs is the one that is written in it.
func TestARegularExpressionThatIsMadeIsThatWhichIsWritten(t *testing.T) {
	for _, c := range []string{`[A-Z-[OI]]+`, `\i\c*`, `(a|b)+c?`, `x{2,3}`, `[`, `(a)\1`, `a{1,2000}`, `\p{IsMoon}`} {
		made := evaluate(t, fmt.Sprintf("for t in [\"ABC\", \"xx\", \"aab\"] return matches(t, %s + \"\")", feel.StringOf(c))).String()
		program, problems := feel.Compile(fmt.Sprintf("for t in [\"ABC\", \"xx\", \"aab\"] return matches(t, %s)", feel.StringOf(c)), nil, feel.Lenient)
		if program == nil {
			assert.Equal(t, "[null, null, null]", made, "%s: %v", c, problems)
			continue
		}
		assert.Equal(t, program.Eval(&feel.Frame{}).String(), made, c)
	}
}
