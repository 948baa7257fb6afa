package kinds

import "codicil/core/notice"

// What these use cases tell a person when something is not as it should be.
var (
	kindProblems = notice.Define("kind-problems", "{why}")
	kindTaken    = notice.Define("key-taken.kind", "there is a kind {key:q} already; choose another key")
	prefixTaken  = notice.Define("prefix-taken", "numbers of {kind} begin with {prefix} already; choose another beginning")
	stillPosted  = notice.Define("kind-is-posted", "{count} {kind} are posted; the kind stays one that is posted, with its journal as it is")
	shippedKind  = notice.Define("shipped-kind", "{kind} comes with the program and stays; put its fields away, or use another kind")
	noSuchType   = notice.Define("no-first-type", "a kind has at least one type: give it a key, such as STD, and a name")

	guessTooLarge   = notice.Define("file-too-large.kind", "the file has more than {most} MB; take a part of it to begin with")
	guessUnreadable = notice.Define("file-unreadable.kind", "the file cannot be read: {why}")
	guessColumn     = notice.Define("unknown-column.kind", "the file has no column {column:q}")

	numbersStay  = notice.Define("numbers-stay", "{count} {kind} keep their numbers; new ones begin with {prefix}")
	titlesChange = notice.Define("titles-change", "{count} {kind} are called otherwise in lists and links")
	dayChanges   = notice.Define("day-changes", "rules, standing values and crosswalks hold by another day when one of {count} {kind} is judged again")
	sharedNoMore = notice.Define("shared-no-more", "companies can no longer name {kind} of other companies; documents that do are refused when they are saved again")
)
