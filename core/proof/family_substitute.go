package proof

import "codicil/core/rule"

func init() {
	families[rule.Substitute] = conduct{always: true}
}
