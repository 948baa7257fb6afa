package proof

import "codicil/core/rule"

func init() {
	families[rule.Compute] = conduct{always: true}
}
