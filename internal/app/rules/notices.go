package rules

import "codicil/core/notice"

// What these use cases tell a person when something is not as it should be.
var (
	kindChanged       = notice.Define("kind-changed", "a rule cannot move to another kind of record; write a new one")
	unknownFamily     = notice.Define("unknown-family", "there is no rule family {family:q}")
	unknownFieldRules = notice.Define("unknown-field.rules", "a {kind} has no field {target:q} to write a rule for")
	retired           = notice.Define("retired", "a retired rule cannot be changed; make it a draft again first")
	wrongState        = notice.Define("wrong-state", "a rule that is {state} cannot become {next}")
	unsoundRule       = notice.Define("unsound-rule", "the rule has errors and cannot be in force; correct them, or save it as a draft")
	loop              = notice.Define("loop", "with this rule, fields would depend on each other: {path}. Read entered.{field} or another field instead")
	notADraft         = notice.Define("not-a-draft", "only a draft can be discarded; retire this rule instead, so that its history stays")
	ruleInTheWay      = notice.Define("in-the-way", "rule {rule}, {name}, blocks this: {why}")
)
