// Package release says which version of the program this is.
//
// It must never know anything else. Start reading at Version.
package release

// Version is that of the program. It stands with every outcome, posting and answer, so that a
// difference between two of them can be traced.
const Version = "1.1.0"
