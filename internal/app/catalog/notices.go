package catalog

import "codicil/core/notice"

// What these use cases tell a person when something is not as it should be.
var (
	noName          = notice.Define("no-name", "give the company a name")
	noTypeName      = notice.Define("no-name.type", "give the {kind} a name")
	noMapName       = notice.Define("no-name.map", "give the map a name, such as Order from quotation")
	noWorkday       = notice.Define("no-workday", "leave at least one working day in the week")
	notACountry     = notice.Define("not-a-country", "{country:q} is not a country; write its two letters, as in IE")
	notACurrency    = notice.Define("not-a-currency", "{currency:q} is not a currency; write its three letters, as in EUR")
	notAHoliday     = notice.Define("not-a-day.holiday", "holiday {name}: {why}")
	notAFormat      = notice.Define("not-a-format", "choose how numbers and dates are written: different signs for decimals and thousands, and the order of day, month and year")
	notAKey         = notice.Define("not-a-key", "{key:q} cannot be the key of a company; use up to eight capital letters and digits")
	notATypeKey     = notice.Define("not-a-key.type", "{key:q} cannot be the key of a {kind}; use up to eight capital letters and digits")
	notARounding    = notice.Define("not-a-rounding", "choose how the company rounds: half-up or half-even")
	notAZone        = notice.Define("not-a-zone", "{timeZone:q} is not a time zone; choose one such as Europe/Dublin")
	pairsMisfit     = notice.Define("pairs-misfit", "pair {pair}: {why}")
	unknownNewType  = notice.Define("unknown-type.new", "there is no type {type:q} of the new record")
	unknownFromType = notice.Define("unknown-type.followed", "there is no type {type:q} of the record that is followed")
	badMapWhen      = notice.Define("condition-misfit.map", "the condition: {why}")
	mapMisfits      = notice.Define("map-misfit", "{why}")
)
