package engine

import "codicil/core/notice"

// What the engine itself says of a document.
var (
	waiting          = notice.Define("failed.waiting", "these rules wait for each other: {path}. Change or suspend one of them")
	failed           = notice.Define("failed", "{rule} failed: {why}. Correct or suspend the rule")
	required         = notice.Define("required", "{field} is required; enter it")
	noSuchRecord     = notice.Define("no-such-record", "{field}: {why}")
	closedHere       = notice.Define("set-aside.access", "{field} is {access} here: what was entered is not taken")
	setAside         = notice.Define("set-aside", "{field} {why}: what was entered is not taken")
	sourceDiffers    = notice.Define("source-differs", "{field} stays as a person gave it, though the link changed; clear it to take what the linked record has")
	keyAgain         = notice.Define("key-again", "{field} is keyed twice; key it a second time")
	keyedDifferently = notice.Define("keyed-differently", "{field}: the second time something else was keyed; look at the document and key both again")
	unbalanced       = notice.Define("unbalanced", "debits are {debits} and credits {credits}; they differ by {difference}. Correct a line until they are equal")
	bothSides        = notice.Define("unbalanced.both", "a line has either a debit or a credit; clear one of them")
	noAmount         = notice.Define("unbalanced.amount", "this line has no amount; enter a debit or a credit, or remove the line")
	noAccount        = notice.Define("unbalanced.account", "{field} is missing; every line is posted to one")
	noLines          = notice.Define("unbalanced.lines", "there are no lines; a posting has at least one debit and one credit")
	noPartner        = notice.Define("unbalanced.partner", "{field} is missing: account {account} is kept by {partner}. Enter one in the header or in the line")
)
