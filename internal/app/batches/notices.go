package batches

import "codicil/core/notice"

// What these use cases tell a person when something is not as it should be.
var (
	noTitle       = notice.Define("no-title.batch", "give the batch a title")
	noTotalField  = notice.Define("unknown-field.total", "a {kind} has no amount or number {field:q} in its header that could be added up")
	noSecondField = notice.Define("unknown-field.second", "a {kind} has no field {field:q} that could be keyed again")
	notPostable   = notice.Define("not-posted.batch", "a {kind} is not posted; leave posting to nobody")
	notInBatch    = notice.Define("not-found.batch", "{number} was not keyed in batch {batch}")
	sameperson    = notice.Define("same-person", "{number} was keyed by {person}; somebody else keys it again")
	nothingSecond = notice.Define("nothing-to-compare", "nothing is keyed again in batch {batch}")
	noDifference  = notice.Define("no-difference", "{number}: nothing differs there any more")
	batchEnded    = notice.Define("batch-ended.which", "batch {batch} is {state}; open it again first")
	notTogether   = notice.Define("not-together", "batch {batch} is not posted together")
	notAgreed     = notice.Define("not-agreed", "batch {batch} does not agree yet: {what}")
	nothingToPost = notice.Define("not-agreed.nothing", "nothing in batch {batch} is left to be posted")
)
