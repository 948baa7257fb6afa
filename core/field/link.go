package field

import (
	"slices"

	"codicil/core/feel"
	"codicil/core/notice"
)

// Link is the number of a record of another kind.
const Link Name = "link"

var noKind = notice.Define("unknown-kind.link", "choose the kind of record that the field links to")

func init() { register(90, link{}) }

type link struct{ text }

func (link) Traits() Traits {
	return Traits{Name: Link, Label: "Link", Input: "link", Width: 132, Settings: []string{"kind"}, Tables: true, Uniform: true}
}

func (link) Relations() []Relation { return slices.Concat(equality, members, presence) }

// Samples are none: which records there are is not known here.
func (link) Samples(*Field, Surroundings) []feel.Value { return nil }

func (link) Width(*Field) int { return 6 }

func (link) Describe(f *Field) string { return "link to " + f.Kind }

func (link) Check(f *Field) *Misfit {
	if f.Kind == "" {
		return misfit(noKind)
	}
	return nil
}

func (link) Accepts(f, from *Field) (string, bool) {
	return "", from.Type == Link && from.Kind == f.Kind
}
