package record

import (
	"slices"
	"strings"
	"unicode"
)

// Words are found within texts. Of three letters and more wherever they stand; shorter ones where a word
// begins, and wherever a letter is a word by itself, as in Chinese and Japanese. What a text is found by
// are grams: every three letters in a row, and the one and two letters at those places.

// byItself tells letters that are words, or syllables, by themselves.
func byItself(r rune) bool {
	return unicode.In(r, unicode.Han, unicode.Hiragana, unicode.Katakana, unicode.Hangul)
}

func inWord(r rune) bool { return unicode.IsLetter(r) || unicode.IsDigit(r) }

// short tells whether the letters of a text from a place on may be found by themselves.
func short(text []rune, at, letters int) bool {
	if at == 0 || !inWord(text[at-1]) || !inWord(text[at]) {
		return true
	}
	return slices.ContainsFunc(text[at:at+letters], byItself)
}

// eachGram calls yield for every gram of a text in small letters; some several times.
func eachGram(text string, yield func(gram string)) {
	letters := []rune(text)
	for at, r := range letters {
		if unicode.IsSpace(r) {
			continue
		}
		for length := 1; length <= 3 && at+length <= len(letters) && !unicode.IsSpace(letters[at+length-1]); length++ {
			if length == 3 || short(letters, at, length) {
				yield(string(letters[at : at+length]))
			}
		}
	}
}

// GramsOf are the grams of texts, each once.
func GramsOf(texts []string) []string {
	seen := map[string]bool{}
	var grams []string
	for _, text := range texts {
		eachGram(strings.ToLower(text), func(gram string) {
			if !seen[gram] {
				seen[gram] = true
				grams = append(grams, gram)
			}
		})
	}
	return grams
}

// WithGrams are grams with those of a text besides, each once.
func WithGrams(grams []string, text string) []string {
	all := slices.Clone(grams)
	eachGram(strings.ToLower(text), func(gram string) {
		if !slices.Contains(all, gram) {
			all = append(all, gram)
		}
	})
	return all
}

// GramsOfWord are the grams that a text has which holds the word.
func GramsOfWord(word string) []string {
	letters := []rune(strings.ToLower(word))
	if len(letters) < 3 {
		return []string{string(letters)}
	}
	var grams []string
	for at := 0; at+3 <= len(letters); at++ {
		if gram := string(letters[at : at+3]); !slices.Contains(grams, gram) {
			grams = append(grams, gram)
		}
	}
	return grams
}

// holds tells whether a text holds a word; both are in small letters.
func holds(text, word string) bool {
	if !strings.Contains(text, word) {
		return false
	}
	wanted := []rune(word)
	if len(wanted) > 2 {
		return true
	}
	letters := []rune(text)
	for at := 0; at+len(wanted) <= len(letters); at++ {
		if slices.Equal(letters[at:at+len(wanted)], wanted) && short(letters, at, len(wanted)) {
			return true
		}
	}
	return false
}

// textsOf are the texts of a record that words are looked for in, in small letters: its number, those that lead to it,
// what it is called, and what is marked as searched.
func textsOf(kind *Kind, number string, former []string, c *Content) []string {
	texts := []string{strings.ToLower(number)}
	for _, f := range former {
		texts = append(texts, strings.ToLower(f))
	}
	for i := range kind.Fields {
		f := &kind.Fields[i]
		switch {
		case !f.Searched && !slices.Contains(kind.Title, f.Key):
		case !f.OfLine():
			texts = append(texts, strings.ToLower(c.Values[f.Key]))
		default:
			for _, line := range c.Lines {
				texts = append(texts, strings.ToLower(line.Values[f.Column()]))
			}
		}
	}
	return texts
}
