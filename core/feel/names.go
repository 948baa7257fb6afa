package feel

import (
	"slices"
	"strings"
)

// knownNames are names of several tokens, as the texts of their tokens, longest
// first, by first token. Names of one word need no help to be read.
type knownNames map[string][][]string

func namesOf(names []string) knownNames {
	known := knownNames{}
	for _, name := range names {
		if strings.IndexFunc(name, func(r rune) bool { return !isNamePart(r) }) < 0 {
			continue
		}
		tokens, problem := scan(name)
		if problem != nil || len(tokens) < 3 { // one word and the end
			continue
		}
		var texts []string
		for _, t := range tokens[:len(tokens)-1] {
			texts = append(texts, t.text)
		}
		known[texts[0]] = append(known[texts[0]], texts)
	}
	for _, forms := range known {
		slices.SortFunc(forms, func(a, b []string) int { return len(b) - len(a) })
	}
	return known
}

// name reads a name: the longest known one, else all words up to a keyword.
func (p *parser) name() string {
	if length := p.knownLength(); length > 0 {
		texts := make([]string, length)
		for i := range texts {
			texts[i] = p.next().text
		}
		return joinName(texts)
	}
	words := []string{p.next().text}
	for p.peek().kind == tokenWord && !keywords[p.peek().text] {
		words = append(words, p.next().text)
	}
	return strings.Join(words, " ")
}

// knownLength returns the number of tokens of the longest known name here; 0 for none.
func (p *parser) knownLength() int {
	return max(p.matching(p.names), p.matching(builtinForms))
}

func (p *parser) matching(known knownNames) int {
	for _, form := range known[p.peek().text] {
		if p.at+len(form) > len(p.tokens) {
			continue
		}
		matches := true
		for i, text := range form {
			t := p.tokens[p.at+i]
			matches = matches && t.text == text && (t.kind == tokenWord || t.kind == tokenSymbol || t.kind == tokenNumber)
		}
		if matches {
			return len(form)
		}
	}
	return 0
}

// joinName writes a name with one space between words and none around symbols.
func joinName(texts []string) string {
	var b strings.Builder
	for i, text := range texts {
		r := []rune(text)[0]
		word := isNamePart(r)
		if i > 0 && word && isNamePart([]rune(texts[i-1])[0]) {
			b.WriteByte(' ')
		}
		b.WriteString(text)
	}
	return b.String()
}
