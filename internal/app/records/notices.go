package records

import "codicil/core/notice"

// What these use cases tell a person when something is not as it should be.
var (
	posted        = notice.Define("posted", "{number} is posted and never changes; reverse it by a reversing document instead")
	unknownColumn = notice.Define("unknown-field.column", "a {kind} has no field {column:q} to show")
	linked        = notice.Define("linked", "{number} is used by {count} other records, so it cannot be deleted")
	elsewhere     = notice.Define("record-elsewhere", "{number} is kept by another company, so it cannot be changed here")
	standsFor     = notice.Define("stands-for", "{number} stands for {former}, merged into it, so it cannot be deleted; take the merge back first")
	reversed      = notice.Define("reversed", "{number} is reversed; nothing can be created from it")
	chooseType    = notice.Define("unknown-type.choose", "choose the {type} of the new {kind}")
	otherBatch    = notice.Define("not-in-batch", "batch {batch} takes {kind} of type {type} in company {company}")
	batchEnded    = notice.Define("batch-ended", "batch {batch} is {state} and takes no documents any more; open it again first")
	batchFull     = notice.Define("batch-full", "batch {batch} holds {count} documents and takes no more; begin another one")
	inBatch       = notice.Define("not-in-batch.change", "a record that is saved already is not put in a batch")
	notOffered    = notice.Define("not-offered", "{map} does not lead on from {kind} {number}: its type, or the condition of the map, does not fit")
)
