package engine

import "codicil/core/notice"

// FailedCode is the code of the message of a rule whose formula failed.
const FailedCode = "failed"

// LowerCode is the code of what is said where a value is lower than before. Its values are written as they are stored.
const LowerCode = "keyed-lower"

// What the engine itself says of a document.
var (
	waiting          = notice.Define("failed.waiting", "these rules depend on each other: {path}. Change or suspend one of them")
	failed           = notice.Define(FailedCode, "{rule} failed: {why}. Correct or suspend the rule")
	required         = notice.Define("required", "{field} is required; enter it")
	wasMerged        = notice.Define("was-merged", "{field}: {number} was merged into {now}, which stands here now")
	noSuchRecord     = notice.Define("no-such-record", "{field}: {why}")
	closedHere       = notice.Define("set-aside.access", "{field} is {access} here: the entry is ignored")
	setAside         = notice.Define("set-aside", "{field} {why}: the entry is ignored")
	sourceDiffers    = notice.Define("source-differs", "{field} was entered by a person and stays, although the link changed; clear it to use the value of the linked record")
	keyAgain         = notice.Define("key-again", "{field} must be entered twice; enter it again")
	keyedLower       = notice.Define(LowerCode, "{field}: {value} is lower than before; it was {before}. Check the document")
	keyedDifferently = notice.Define("keyed-differently", "{field}: the two entries differ; check the document and enter both again")
	unbalanced       = notice.Define("unbalanced", "debits are {debits} and credits {credits}; they differ by {difference}. Correct a line until they are equal")
	bothSides        = notice.Define("unbalanced.both", "a line has either a debit or a credit; clear one of them")
	noAmount         = notice.Define("unbalanced.amount", "this line has no amount; enter a debit or a credit, or remove the line")
	noAccount        = notice.Define("unbalanced.account", "{field} is missing; every line is posted to one")
	noLines          = notice.Define("unbalanced.lines", "there are no lines; a posting has at least one debit and one credit")
	noPartner        = notice.Define("unbalanced.partner", "{field} is missing: account {account} is kept by {partner}. Enter one in the header or in the line")
)
