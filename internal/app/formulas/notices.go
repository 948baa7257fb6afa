package formulas

import "codicil/core/notice"

// What these use cases tell a person when something is not as it should be.
var (
	incompleteCase      = notice.Define("incomplete-case", "{why}")
	misfit              = notice.Define("misfit", "{why}")
	incompleteCondition = notice.Define("incomplete-condition", "{why}")
)
