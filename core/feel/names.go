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
		if texts := tokensOf(name); len(texts) > 1 {
			known[texts[0]] = append(known[texts[0]], texts)
		}
	}
	for _, forms := range known {
		slices.SortFunc(forms, func(a, b []string) int { return len(b) - len(a) })
	}
	return known
}

// tokensOf cuts a name into its tokens; nil for a name of one word.
func tokensOf(name string) []string {
	if strings.IndexFunc(name, func(r rune) bool { return !isNamePart(r) }) < 0 {
		return nil
	}
	tokens, problem := scan(name)
	if problem != nil || len(tokens) < 3 { // one word and the end
		return nil
	}
	var texts []string
	for _, t := range tokens[:len(tokens)-1] {
		texts = append(texts, t.text)
	}
	return texts
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
	length := max(p.matching(p.names[p.peek().text]), p.matching(builtinForms[p.peek().text]))
	return max(length, p.matching(p.declared))
}

func (p *parser) matching(forms [][]string) (length int) {
	for _, form := range forms {
		if len(form) <= length || p.at+len(form) > len(p.tokens) {
			continue
		}
		matches := true
		for i, text := range form {
			t := p.tokens[p.at+i]
			matches = matches && t.text == text && (t.kind == tokenWord || t.kind == tokenSymbol || t.kind == tokenNumber)
		}
		if matches {
			length = len(form)
		}
	}
	return length
}

// nameSymbols may stand inside a name that an expression declares (rule 30).
var nameSymbols = []string{".", "/", "-", "+", "*"}

// readDeclared reads a name that is declared here, up to one of the ends: it may
// have words, numbers and the symbols of rule 30.
func (p *parser) readDeclared(why string, ends ...string) string {
	if p.peek().kind != tokenWord {
		p.fail(p.peek(), "%s", why)
	}
	var texts []string
	for {
		t := p.peek()
		inside := t.kind == tokenWord || (len(texts) > 0 && (t.kind == tokenNumber || t.isOneOf(nameSymbols)))
		if !inside || (t.kind == tokenWord && slices.Contains(ends, t.text)) {
			break
		}
		texts = append(texts, p.next().text)
	}
	if len(texts) == 0 {
		p.fail(p.peek(), "%s", why)
	}
	return joinName(texts)
}

// declare reads a name and makes it known to what follows.
func (p *parser) declare(why string, ends ...string) string {
	name := p.readDeclared(why, ends...)
	p.remember(name)
	return name
}

func (p *parser) remember(name string) {
	if texts := tokensOf(name); texts != nil {
		p.declared = append(p.declared, texts)
	}
}

// undeclare forgets the names declared after the first so many.
func (p *parser) undeclare(length int) { p.declared = p.declared[:length] }

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
