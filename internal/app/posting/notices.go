package posting

import "codicil/core/notice"

// What these use cases tell a person when something is not as it should be.
var (
	badReason  = notice.Define("bad-reason", "{rule:q} is no rule to give a reason for")
	booksStay  = notice.Define("books-stay", "what is posted to the books stays there; reverse a document instead")
	followedBy = notice.Define("followed", "{number} is followed by posted documents; reverse those first")
	notPosted  = notice.Define("not-posted", "a {kind} is saved, not posted")
	onlyPosted = notice.Define("not-posted.state", "{number} is {state}; only a posted document can be reversed")
	reverses   = notice.Define("reverses", "{number} reverses {other} itself; post the document again instead")
)
