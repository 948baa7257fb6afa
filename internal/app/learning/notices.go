package learning

import "codicil/core/notice"

// What these use cases tell a person when something is not as it should be.
var (
	noProposal = notice.Define("no-proposal", "the proposal is not there any more; look through the records again")
	noForm     = notice.Define("no-other-form", "the proposal has {count} other forms; choose one of them")
	outdated   = notice.Define("proposal-outdated", "the proposal cannot be made any more: {why}; look through the records again")
)
