package impact

import "codicil/core/notice"

// What these use cases tell a person when something is not as it should be.
var (
	NeedsReason = notice.Define("needs-reason", "{field} needs a reason to be {deed}: {why}. Add proofs and correct the records, or give a reason")
)
