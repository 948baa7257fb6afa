package fields

import "codicil/core/notice"

// What these use cases tell a person when something is not as it should be.
var (
	keyRemoved     = notice.Define("key-removed", "a removed field has the key {key:q}, and its values are still there; restore it, or choose another key")
	keyTakenField  = notice.Define("key-taken.field", "a {kind} already has a field {key:q}; choose another key")
	noLines        = notice.Define("no-lines", "a {kind} has no lines")
	notAFieldKey   = notice.Define("not-a-key.field", "{column:q} cannot be the key of a field; use small letters, digits and _, beginning with a letter")
	standardField  = notice.Define("standard-field", "{field} is a standard field and stays as it is; hide or rename it in a layout")
	unknownBeside  = notice.Define("unknown-field.beside", "a {kind} has no field {beside:q} beside this one")
	noLinkedKind   = notice.Define("unknown-kind.choose", "choose the kind of record that the field links to")
	unknownSection = notice.Define("unknown-section", "choose the section of the field")
	valuesMisfit   = notice.Define("values-misfit", "{misfits} of {values} saved values would not fit: {number}: {why}. Change them first")
	rulesMisfit    = notice.Define("rules-misfit", "{count} rules in force would no longer work with this field; change or suspend them first")
	fieldInUse     = notice.Define("in-use.field", "{count} rules in force use {field}; suspend or change them first")
	neededField    = notice.Define("needed-field", "{field} is needed for {what}; change the kind first")
)
