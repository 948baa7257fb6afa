// Package notice is the registry of what the program tells a person when something is not as
// it should be: a stable code, and a text with named parameters.
//
// It must never know what went wrong or who is told; packages define their own notices beside
// the code that gives them. Start reading at Define. docs/errors.md lists all of them, and is
// written from here.
package notice

import (
	"fmt"
	"regexp"
	"slices"
	"strconv"
	"strings"
)

// Definition is one notice that can be given.
type Definition struct {
	// Code is stable and belongs to the contract: "too-long". Several texts may share a code;
	// then Variant tells them apart.
	Code, Variant string
	// Text is in English, with parameters in braces: {field}. {typed:q} is put in quotes.
	Text string
	// Params are the names of the parameters, in the order in which the text first has them.
	Params []string

	parts []part
}

// part is a piece of text, followed by a parameter; param is -1 for none.
type part struct {
	text   string
	param  int
	quoted bool
}

// Key names the text: the code, or code and variant with a point between.
func (d *Definition) Key() string {
	if d.Variant == "" {
		return d.Code
	}
	return d.Code + "." + d.Variant
}

var (
	registry  []*Definition
	keyForm   = regexp.MustCompile(`^[a-z]+(-[a-z]+)*(\.[a-z]+(-[a-z]+)*)?$`)
	paramForm = regexp.MustCompile(`\{([a-z]\w*)(:q)?\}`)
)

// Define adds a notice to the registry. key is a code, or a code and a variant with a point
// between. It panics where the key is no key, or is taken: that is a mistake of the program.
func Define(key, text string) *Definition {
	if !keyForm.MatchString(key) {
		panic(fmt.Sprintf("notice: %q is no key", key))
	}
	if slices.ContainsFunc(registry, func(d *Definition) bool { return d.Key() == key }) {
		panic(fmt.Sprintf("notice: %q is defined twice", key))
	}
	d := &Definition{Text: text}
	d.Code, d.Variant, _ = strings.Cut(key, ".")
	at := 0
	for _, m := range paramForm.FindAllStringSubmatchIndex(text, -1) {
		name := text[m[2]:m[3]]
		param := slices.Index(d.Params, name)
		if param < 0 {
			param = len(d.Params)
			d.Params = append(d.Params, name)
		}
		d.parts = append(d.parts, part{text[at:m[0]], param, m[4] >= 0})
		at = m[1]
	}
	d.parts = append(d.parts, part{text[at:], -1, false})
	registry = append(registry, d)
	return d
}

// All returns every notice that is defined, by key.
func All() []*Definition {
	all := slices.Clone(registry)
	slices.SortFunc(all, func(a, b *Definition) int { return strings.Compare(a.Key(), b.Key()) })
	return all
}

// Notice is a notice with its parameters.
type Notice struct {
	*Definition
	Values []string // in the order of Params
}

// With gives the notice its parameters, in the order of Params, written as fmt.Sprint does.
// It panics when they are too few or too many.
func (d *Definition) With(values ...any) Notice {
	if len(values) != len(d.Params) {
		panic(fmt.Sprintf("notice: %s takes %d parameters, not %d", d.Key(), len(d.Params), len(values)))
	}
	n := Notice{d, make([]string, len(values))}
	for i, v := range values {
		n.Values[i] = fmt.Sprint(v)
	}
	return n
}

// String writes the notice in English.
func (n Notice) String() string {
	var b strings.Builder
	for _, p := range n.parts {
		b.WriteString(p.text)
		switch {
		case p.param < 0:
		case p.quoted:
			b.WriteString(strconv.Quote(n.Values[p.param]))
		default:
			b.WriteString(n.Values[p.param])
		}
	}
	return b.String()
}

// Named returns the parameters by name.
func (n Notice) Named() map[string]string {
	named := make(map[string]string, len(n.Values))
	for i, name := range n.Params {
		named[name] = n.Values[i]
	}
	return named
}
