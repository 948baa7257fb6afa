package proofs

import "codicil/core/notice"

// What these use cases tell a person when something is not as it should be.
var (
	cannotRun       = notice.Define("cannot-run", "the proof can no longer be run: {why}")
	noEarlier       = notice.Define("no-earlier", "proof {id} has no earlier version to go back to")
	noReason        = notice.Define("no-reason", "say why the new result is right; the reason is saved with the proof")
	unknownExpected = notice.Define("unknown-field.expected", "a {kind} has no field {key:q} to expect a value of")
)
