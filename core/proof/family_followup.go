package proof

import "codicil/core/rule"

func init() {
	families[rule.FollowUp] = conduct{always: true, noOccasions: true, unordered: true, watched: func(p *Proof) bool { return p.Expect.Writes != nil }}
}
