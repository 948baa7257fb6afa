package codicils

import "codicil/core/notice"

// What these use cases tell a person when something is not as it should be.
var (
	noTitle       = notice.Define("no-title", "give the codicil a title")
	inThePast     = notice.Define("in-the-past", "a codicil comes into force later than now; give a later time, or put it in force")
	ended         = notice.Define("codicil-ended.which", "codicil {codicil} is {state} and does not change any more")
	wrongState    = notice.Define("wrong-state.codicil", "a codicil that is {state} cannot become {next}")
	nothingInIt   = notice.Define("nothing-in-it", "codicil {codicil} changes nothing yet")
	problemsFirst = notice.Define("problems-first", "this must be put right first: {what}")
	notInForce    = notice.Define("wrong-state.taken-back", "codicil {codicil} is {state}; only what came into force can be taken back")
	nothingLeft   = notice.Define("nothing-in-it.taken-back", "nothing of codicil {codicil} can be taken back: of {thing}, {why}")
	notShown      = notice.Define("not-shown", "{by:q} is neither a codicil, as codicil-14, nor a day, as 2026-03-03")
	notPast       = notice.Define("not-shown.day", "{by} is not over yet; the rules are shown as they were at the end of a day that is")
)
