package view

import (
	"github.com/maypok86/otter/v2"

	"codicil/core/feel"
	"codicil/core/field"
	"codicil/core/record"
	"codicil/core/rule"
)

// told are rules and parts of formulas as people with one format read them: the same ones are told with every
// document.
var told = otter.Must(&otter.Options[toldKey, string]{MaximumSize: 50_000})

// toldKey names what is told. Rules, nodes and kinds are never changed, only replaced.
type toldKey struct {
	rule   *rule.Compiled // whole, where there is no node
	node   feel.Node
	place  int
	kind   *record.Kind
	format field.Format
}

func (r *Reader) tell(key toldKey, tell func(rule.Wording) string) string {
	key.kind, key.format = r.Kind, r.Format
	if text, known := told.GetIfPresent(key); known {
		return text
	}
	text := tell(r.Wording())
	told.Set(key, text)
	return text
}

func (r *Reader) phrase(c *rule.Compiled) string {
	return r.tell(toldKey{rule: c}, func(w rule.Wording) string { return rule.Phrase(c, w) })
}

// part tells a part of a formula of the field at a place.
func (r *Reader) part(n feel.Node, place int) string {
	return r.tell(toldKey{node: n, place: place}, func(w rule.Wording) string { return r.plan.Vocabulary.TellPart(n, place, w) })
}
