package proof

import (
	"codicil/core/engine"
	"codicil/core/rule"
)

// conduct is what proofs of the rules of one family show, would miss, and tell.
type conduct struct {
	// goals are those that the family has besides truths, rows and bands, and shows sees them
	// in an act; blank tells whether the field came out blank.
	goals func(c *rule.Compiled) []Goal
	shows func(s Coverage, a *engine.Act, saved, blank bool)
	// acts is how the goal to act is said; "": that it acts.
	acts string
	// always tells that a rule without a condition acts on every document of its scope.
	always bool
	// mutate makes wrong versions of the effect.
	mutate func(m *mutation)
	// noOccasions tells that rules ask for no occasion, and changes whether one makes a
	// difference to saved records; nil: it does.
	noOccasions bool
	changes     func(c *rule.Compiled) bool
	// unordered rules do not give way to each other.
	unordered bool
	// manners tells that proofs expect how the field is met, instead of its value. watched, if
	// any, tells whether a proof that expects no value would tell that the rule does something
	// else.
	manners bool
	watched func(p *Proof) bool
}

// families is filled by a file for each family.
var families = map[rule.Family]conduct{}
