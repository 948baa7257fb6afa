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
	// always tells that rules ask for no occasion, and newOnly whether one comes to new records
	// only, whatever its occasions.
	always  bool
	newOnly func(c *rule.Compiled) bool
}

var families = map[rule.Family]conduct{
	rule.Entry:    {acted: func(label string, f *engine.Field) string { return label + " is " + proof.EntryStateOf(f) }},
	rule.Default:  {newOnly: func(c *rule.Compiled) bool { return c.Effect.Lifetime == rule.NewOnly && !c.Effect.Fixed }},
	rule.Validate: {still: "it has nothing to say"},
	rule.FollowUp: {always: true, acted: func(label string, _ *engine.Field) string { return "it writes " + label }},
}
