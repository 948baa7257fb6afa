package view

import (
	"codicil/core/engine"
	"codicil/core/proof"
	"codicil/core/rule"
)

// conduct is how rules of one family are told.
type conduct struct {
	// acted says what a rule made of a field; nil: the value that it became.
	acted func(label string, f *engine.Field) string
	// still says that a rule did nothing; "": that the value stays.
	still string
}

var families = map[rule.Family]conduct{
	rule.Entry:    {acted: func(label string, f *engine.Field) string { return label + " is " + proof.EntryStateOf(f) }},
	rule.Validate: {still: "it has nothing to say"},
	rule.FollowUp: {acted: func(label string, _ *engine.Field) string { return "it writes " + label }},
}
