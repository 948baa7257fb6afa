// Package proof holds kept test documents with what is expected of them, and
// tells where an outcome differs.
//
// It must never know where proofs are kept. Start reading at Proof and Runner.
package proof

import "codicil/core/judge"

// Proof is a kept test document with what is expected of it.
type Proof struct {
	ID     int64          `json:"id"`
	Name   string         `json:"name"`
	Rules  []int64        `json:"rules"` // the rules that it proves
	Given  judge.Document `json:"given"`
	Expect Expectation    `json:"expect"`
	// Posting is the number of the test posting that the proof was kept from; may be "".
	Posting string `json:"posting,omitempty"`
	// Seen are the versions of the rules in the plan when the proof was kept, or what came
	// out was accepted, by number.
	Seen map[int64]int `json:"seen,omitempty"`
	// Unread tells that the proof was suggested and accepted, and that no person has read it
	// since.
	Unread bool `json:"unread,omitempty"`
	// Version counts the changes, from 1; ChangedAt (RFC 3339) and ChangedBy tell of the last.
	Version   int    `json:"version,omitempty"`
	ChangedAt string `json:"changedAt,omitempty"`
	ChangedBy string `json:"changedBy,omitempty"`
	// Codicil is that with which it was kept and which is not in force yet; 0: none.
	Codicil int64 `json:"codicil,omitempty"`
}
