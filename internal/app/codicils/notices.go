package codicils

import "codicil/core/notice"

// What these use cases tell a person when something is not as it should be.
var (
	noTitle         = notice.Define("no-title", "give the codicil a title")
	inThePast       = notice.Define("in-the-past", "a codicil comes into force later than now; give a later time, or put it in force")
	ended           = notice.Define("codicil-ended.which", "codicil {codicil} is {state} and does not change any more")
	wrongState      = notice.Define("wrong-state.codicil", "a codicil that is {state} cannot become {next}")
	nothingInIt     = notice.Define("nothing-in-it", "codicil {codicil} changes nothing yet")
	problemsFirst   = notice.Define("problems-first", "this must be put right first: {what}")
	notInForce      = notice.Define("wrong-state.taken-back", "codicil {codicil} is {state}; only what came into force can be taken back")
	onlyProofs      = notice.Define("nothing-in-it.proofs", "codicil {codicil} changed no rule and no table, and its proofs stay; there is nothing to take back")
	nothingLeft     = notice.Define("nothing-in-it.taken-back", "nothing of codicil {codicil} can be taken back: of {thing}, {why}")
	needsSignatures = notice.Define("needs-signatures", "codicil {codicil} is not signed by all who must: {missing}")
	needsCodicil    = notice.Define("needs-signatures.at-once", "this cannot be put in force at once: {role} must sign it ({why}). Choose a codicil in the head of the plan, change it there, and submit that")
	notToSign       = notice.Define("wrong-state.signed", "codicil {codicil} is {state}; what is submitted is signed")
	notYours        = notice.Define("needs-signatures.own", "codicil {codicil} needs no signature of yours: you gave it, or you have none of the roles that must sign")
	notUrgent       = notice.Define("not-urgent", "nothing may come into force before it is signed here; {missing}")
	noSigningTitle  = notice.Define("no-title.signing", "{rule} says nothing of why they must sign; give it a title")
	noSigningRole   = notice.Define("unknown-role.signing", "{rule}: there is no role {role:q}")
	noFamily        = notice.Define("unknown-family.signing", "{rule}: there is no family {family:q}")
	notShown        = notice.Define("not-shown", "{by:q} is neither a codicil, as codicil-14, nor a day, as 2026-03-03")
	notPast         = notice.Define("not-shown.day", "{by} is not over yet; the rules are shown as they were at the end of a day that is")
	sameAsNow       = notice.Define("nothing-in-it.restored", "{thing} is today what it was with codicil {codicil}: there is nothing to take back")
	noSuchBefore    = notice.Define("nothing-in-it.new", "codicil {codicil} made {thing}: before it there was none. Take the codicil back instead")
	noRows          = notice.Define("no-rows.thing", "{thing} has no rows that could be looked at by themselves")
)
