package replay

import "codicil/core/notice"

// What these use cases tell a person when something is not as it should be.
var (
	ended      = notice.Define("codicil-ended.replay", "codicil {number} is {state}; only what is not in force yet is tried on what exists")
	endsBefore = notice.Define("not-a-day.time", "the time ends on {until}, before it begins on {since}")
)
