// Package match tells whether values of two records are the same, or almost the same.
//
// It must never know rules or where records are kept. Start reading at Ignored and Similar.
package match

import (
	"slices"
	"strings"
	"unicode"

	"golang.org/x/text/unicode/norm"
)

// Ignored is a difference that two values may have and still be the same.
type Ignored string

// Differences that may be ignored.
const (
	Case        Ignored = "case"
	Spaces      Ignored = "spaces"
	Punctuation Ignored = "punctuation"
)

// AllIgnored lists them in the order in which they are offered.
var AllIgnored = []Ignored{Case, Spaces, Punctuation}

// Differences is how values are compared.
type Differences []Ignored

// Key makes one text of several values that is the same for all that count as the same;
// false when one of them is blank, which is like nothing else.
func (m Differences) Key(values []string) (string, bool) {
	parts := make([]string, len(values))
	for i, v := range values {
		if parts[i] = m.fold(v); parts[i] == "" {
			return "", false
		}
	}
	return strings.Join(parts, "\x1f"), true
}

func (m Differences) fold(text string) string {
	if slices.Contains(m, Case) {
		text = strings.ToLower(text)
	}
	spaces, punctuation := slices.Contains(m, Spaces), slices.Contains(m, Punctuation)
	text = strings.Map(func(r rune) rune {
		if (spaces && unicode.IsSpace(r)) || (punctuation && (unicode.IsPunct(r) || unicode.IsSymbol(r))) {
			return -1
		}
		return r
	}, text)
	return strings.TrimSpace(text)
}

// legalForms say what a company is and not which; they are written in many ways.
var legalForms = map[string]bool{
	"ab": true, "ag": true, "aps": true, "as": true, "bv": true, "co": true, "company": true, "corp": true, "corporation": true, "gmbh": true, "inc": true,
	"kg": true, "kk": true, "limited": true, "llc": true, "ltd": true, "nv": true, "oy": true, "plc": true, "sa": true, "sarl": true, "se": true, "spa": true, "srl": true,
}

// spelled writes in letters of the alphabet what is no accent.
var spelled = strings.NewReplacer("ß", "ss", "ø", "o", "æ", "ae", "ł", "l", "&", " and ", "a/s", "as", "k.k.", "kk")

// wordsOf are the words of a name without accents, punctuation and capitals.
func wordsOf(name string) []string {
	decomposed := norm.NFD.String(strings.ToLower(name))
	decomposed = spelled.Replace(decomposed)
	var b strings.Builder
	for _, r := range decomposed {
		switch {
		case unicode.Is(unicode.Mn, r), r == '.', r == '\'', r == '’':
		case unicode.IsLetter(r) || unicode.IsDigit(r):
			b.WriteRune(r)
		default:
			b.WriteByte(' ')
		}
	}
	return strings.Fields(b.String())
}

// telling are those of the words of a name that say which company it is; all where none does.
func telling(words []string) []string {
	told := slices.DeleteFunc(slices.Clone(words), func(w string) bool { return legalForms[w] || w == "and" })
	if len(told) == 0 {
		return words
	}
	return told
}

// plain writes a name without accents, punctuation, capitals and legal form, its words in
// order of the alphabet.
func plain(name string) []rune {
	return []rune(strings.Join(slices.Sorted(slices.Values(telling(wordsOf(name)))), " "))
}

// Alike is from how many hundredths of similarity on two names are almost equal.
const Alike = 85

// Similar tells how alike two names are, in hundredths: 100 for the same but for accents,
// punctuation, the order of words and the legal form. Otherwise it is the share of
// characters that need no change, by the optimal string alignment distance (Damerau 1964,
// restricted), in which two swapped neighbours are one change.
func Similar(a, b string) int { return similar(plain(a), plain(b)) }

func similar(a, b []rune) int {
	longest := max(len(a), len(b))
	if longest == 0 {
		return 100
	}
	return 100 * (longest - distance(a, b)) / longest
}

func distance(a, b []rune) int {
	before, last, row := make([]int, len(b)+1), make([]int, len(b)+1), make([]int, len(b)+1)
	for j := range row {
		last[j] = j
	}
	for i := 1; i <= len(a); i++ {
		row[0] = i
		for j := 1; j <= len(b); j++ {
			cost := 1
			if a[i-1] == b[j-1] {
				cost = 0
			}
			row[j] = min(last[j]+1, row[j-1]+1, last[j-1]+cost)
			if i > 1 && j > 1 && a[i-1] == b[j-2] && a[i-2] == b[j-1] {
				row[j] = min(row[j], before[j-2]+1)
			}
		}
		before, last, row = last, row, before
	}
	return last[len(b)]
}

// Plain writes a name as names are compared: without accents, punctuation, capitals and legal form, its words
// in order of the alphabet.
func Plain(name string) string { return string(plain(name)) }

// SimilarPlain is Similar of two names that Plain wrote.
func SimilarPlain(a, b string) int { return similar([]rune(a), []rune(b)) }
