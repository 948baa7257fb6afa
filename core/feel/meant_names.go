package feel

import (
	"slices"
	"strings"
)

// meantNames finds names as people say them: in other letters, by their labels, with spaces.
type meantNames struct {
	plain   map[string]string // path by folded name or label
	columns map[string]string // column of lines by folded name or label
	odd     []string          // labels with signs in them, longest first
	inLines bool              // line.x can be written
	all     []string
}

// folded is a name without what people leave out or add.
func folded(name string) string {
	return strings.NewReplacer(" ", "", "_", "", "-", "", ".", "", "’", "", "'", "").Replace(strings.ToLower(name))
}

func namesMeant(scope Scope) *meantNames {
	n := &meantNames{plain: map[string]string{}, columns: map[string]string{}}
	put := func(into map[string]string, path string, names ...string) {
		for _, name := range names {
			if strings.IndexFunc(name, func(c rune) bool { return !isNamePart(c) && c != ' ' && c != '.' }) >= 0 {
				n.odd = append(n.odd, name)
			}
			if key := folded(name); key != "" {
				if _, there := into[key]; !there {
					into[key] = path
				}
			}
		}
	}
	for _, name := range sortedNames(scope) {
		symbol := scope[name]
		switch {
		case symbol.Tables != nil:
		case name == "lines":
			for _, column := range sortedNames(symbol.Members) {
				put(n.columns, column, column, symbol.Members[column].Label)
			}
		case name == "line":
			n.inLines = true
		case symbol.Members == nil || symbol.Slot >= 0:
			put(n.plain, name, name, symbol.Label)
			n.all = append(n.all, name)
		}
	}
	for _, name := range sortedNames(scope) {
		symbol := scope[name]
		if symbol.Slot < 0 && symbol.Members != nil && name != "line" && name != "lines" {
			for _, member := range sortedNames(symbol.Members) {
				if symbol.Members[member].Slot >= 0 {
					put(n.plain, name+"."+member, name+" "+member, name+" "+symbol.Members[member].Label)
				}
			}
		}
		if link := symbol.Type.Link; link != nil && symbol.Slot >= 0 {
			for _, field := range sortedNames(link.Fields()) {
				path := name + "." + field
				put(n.plain, path, name+" "+field, symbol.Label+" "+field)
				if link.Label != nil {
					label := link.Label(field)
					put(n.plain, path, name+" "+label, symbol.Label+" "+label)
				}
			}
		}
	}
	slices.SortFunc(n.odd, func(a, b string) int { return len(b) - len(a) })
	return n
}

// find returns the path that words name, or the column of lines that they name.
func (n *meantNames) find(r *meaning, words string) (path, column string, ok bool) {
	if words == "" {
		return "", "", false
	}
	if slices.Contains(r.locals, words) {
		return words, "", true
	}
	key := folded(words)
	if path, ok = n.plain[key]; ok {
		return path, "", true
	}
	if column, ok = n.columns[key]; ok {
		if n.inLines {
			return "line." + column, "", true
		}
		return "lines." + column, column, true
	}
	return "", "", false
}

// stops are the words before which a name ends.
var stops = []string{"is", "contains", "like", "equals", "starts", "begins", "ends", "matches", "not", "does", "greater", "less", "more", "at", "over", "under", "above", "below", "mod", "div", "when", "end", "includes", "exists", "one", "has", "isn"}

// mostWords is how many words a name may have.
const mostWords = 6

// wordsEnd returns where each of the words ends that may be a name together.
func (r *meaning) wordsEnd() (ends []int) {
	for at := r.at; len(ends) < mostWords; {
		end := r.wordAt(at)
		if word := strings.ToLower(r.source[at:end]); end == at || len(ends) > 0 && (keywords[word] || slices.Contains(stops, word)) {
			break
		}
		ends = append(ends, end)
		at = end
		for at < len(r.source) && r.source[at] == ' ' {
			at++
		}
	}
	return ends
}

// name reads a name, or a call.
func (r *meaning) name() *meant {
	start := r.at
	for _, label := range r.names.odd {
		if end := r.at + len(label); end <= len(r.source) && strings.EqualFold(r.source[r.at:end], label) {
			path, column, _ := r.names.find(r, label)
			r.at = end
			r.named(start, label, path, column)
			return &meant{text: path, column: column, binds: meansValue, start: start, end: end}
		}
	}
	ends := r.wordsEnd()
	if m := r.callNamed(start, ends); m != nil {
		return m
	}
	for i := len(ends) - 1; i >= 0; i-- {
		words := r.source[start:ends[i]]
		if path, column, ok := r.names.find(r, words); ok {
			r.at = ends[i]
			r.named(start, words, path, column)
			return &meant{text: path, column: column, binds: meansValue, start: start, end: r.at}
		}
		if _, group := r.scope[words]; group && i == 0 {
			r.at = ends[i]
			return &meant{text: words, binds: meansValue, start: start, end: r.at}
		}
	}
	first := r.source[start:ends[0]]
	if strings.EqualFold(first, "today") || strings.EqualFold(first, "now") {
		r.at = ends[0]
		r.note(start, r.at, "spreadsheet", "%s is a function: write %s()", strings.ToLower(first), strings.ToLower(first))
		return &meant{text: strings.ToLower(first) + "()", binds: meansValue, start: start, end: r.at}
	}
	if strings.EqualFold(first, "line") && !r.names.inLines && len(r.names.columns) > 0 && ends[0] < len(r.source) && r.source[ends[0]] == '.' {
		end := r.wordAt(ends[0] + 1)
		if column, ok := r.names.columns[folded(r.source[ends[0]+1:end])]; ok {
			r.at = end
			return &meant{text: "lines." + column, column: column, binds: meansValue, start: start, end: end}
		}
	}
	if truth, ok := truths[strings.ToLower(first)]; ok && len(first) > 1 {
		r.at = ends[0]
		r.note(start, r.at, "spreadsheet", "yes and no are written true and false")
		return &meant{text: truth, binds: meansValue, start: start, end: r.at, literal: true}
	}
	if near := nearest(first, r.names.all); near != "" && len(first) > 2 && distance(strings.ToLower(first), strings.ToLower(near)) <= max(1, len(first)/4) {
		r.at = ends[0]
		r.note(start, r.at, "unknown-name", "there is no field or name %q; did you mean %s?", first, near)
		return &meant{text: near, binds: meansValue, start: start, end: r.at}
	}
	r.at = ends[len(ends)-1]
	return &meant{text: r.source[start:r.at], binds: meansValue, start: start, end: r.at, word: true}
}

// named notes a name that was written otherwise.
func (r *meaning) named(start int, words, path, column string) {
	if words == path || column != "" {
		return
	}
	if i := strings.IndexByte(path, '.'); i > 0 && path[:i] == "line" {
		r.note(start, r.at, "unknown-name", "%s is a field of the lines: %s", words, path)
		return
	}
	r.note(start, r.at, "unknown-name", "there is no field %q; the field is written %s", words, path)
}

// member reads the name after a dot: a field behind a link, a part of a value, or a function
// called on it.
func (r *meaning) member(base *meant) *meant {
	start := r.at
	for r.at < len(r.source) && r.source[r.at] == ' ' {
		r.at++
	}
	ends := r.wordsEnd()
	if len(ends) == 0 {
		r.give()
	}
	begin := r.at
	if r.source[begin:ends[0]] != "" && ends[0] < len(r.source) && r.source[ends[0]] == '(' {
		r.at = ends[0]
		return r.method(base, r.source[begin:ends[0]], start)
	}
	known := r.membersOf(base.text)
	for i := len(ends) - 1; i >= 0; i-- {
		words := r.source[begin:ends[i]]
		if member, ok := known[folded(words)]; ok {
			r.at = ends[i]
			if words != member {
				r.note(begin, r.at, "unknown-name", "the field %s is written %s", words, member)
			}
			return r.made(base.start, meansValue, "%s.%s", base.in(meansValue), member)
		}
	}
	words := r.source[begin:ends[0]]
	r.at = ends[0]
	if form, found := methods[folded(words)]; found && !strings.Contains(form, "$1") && r.typeOf(base.text).Kind == String {
		r.note(start, r.at, "spreadsheet", "a function stands before its value: %s", strings.ReplaceAll(form, "$0", "…"))
		return r.made(base.start, meansValue, "%s", strings.ReplaceAll(form, "$0", base.text))
	}
	if near := nearest(words, sortedNames(known)); near != "" && len(known) > 0 {
		r.note(begin, r.at, "unknown-name", "there is no %s.%s; did you mean %s?", base.text, words, known[near])
		return r.made(base.start, meansValue, "%s.%s", base.in(meansValue), known[near])
	}
	return r.made(base.start, meansValue, "%s.%s", base.in(meansValue), words)
}

// membersOf are the names that may stand after a value and a dot, by their folded names and
// labels.
func (r *meaning) membersOf(text string) map[string]string {
	known := map[string]string{}
	put := func(member, label string) {
		known[folded(member)] = member
		if label != "" {
			if _, there := known[folded(label)]; !there {
				known[folded(label)] = member
			}
		}
	}
	if symbol, group := r.scope[text]; group && symbol.Members != nil {
		for _, member := range sortedNames(symbol.Members) {
			put(member, symbol.Members[member].Label)
		}
	}
	t := r.typeOf(text)
	if t.Kind == List {
		t = t.element()
	}
	if t.Link != nil {
		for _, field := range sortedNames(t.Link.Fields()) {
			label := ""
			if t.Link.Label != nil {
				label = t.Link.Label(field)
			}
			put(field, label)
		}
		return known
	}
	for _, entry := range sortedNames(t.Entries) {
		put(entry, "")
	}
	for _, part := range sortedNames(properties[t.Kind]) {
		put(part, "")
	}
	return known
}
