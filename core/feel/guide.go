package feel

// forms are the ways to put values together that are no functions, for help and the
// reference. The dots in what is written stand for what the writer fills in.
var forms = []FunctionHelp{
	{"Conditions", "and, or", "… and …", "Both hold; at least one holds. A blank side leaves it open unless the other decides.", `(true and null) = null and (false and null) = false`, false},
	{"Conditions", "between", "… between … and …", "From one value to another, both included.", `5 between 1 and 5`, false},
	{"Conditions", "in", "… in (…)", "One of several values, tests or ranges; ? is the value itself.", `7 in (1, > 5, [10..20]) and 7 in (? > 5 and odd(?))`, false},
	{"Conditions", "if", "if … then … else …", "One value or another.", `(if 1480 > 1200 then "large" else "small") = "large"`, false},
	{"Conditions", "instance of", "… instance of …", "Whether a value is of a type.", `"N30" instance of string`, false},
	{"Lists and lines", "for", "for … in … return …", "A list made from every item of another, or from numbers one by one; partial is what there is so far.", `(for n in 1..3 return n * n) = [1, 4, 9]`, false},
	{"Lists and lines", "some", "some … in … satisfies …", "Whether at least one item fits.", `some price in [5, 20] satisfies price > 10`, false},
	{"Lists and lines", "every", "every … in … satisfies …", "Whether every item fits.", `every price in [5, 20] satisfies price > 1`, false},
	{"Lists and lines", "filter", "…[…]", "The items that fit, where item is the item itself; or the item at a position, from 1 or back from -1.", `[5, 20, 7][item > 6] = [20, 7] and [5, 20, 7][-1] = 7`, false},
	{"Lists and lines", "path", "….…", "An entry of a context, a part of a date, or that of every item of a list.", `[{a: 1}, {a: 2}].a = [1, 2] and @"2026-11-24".year = 2026`, false},
	{"Values", "text", `"…"`, "Text stands in double quotes.", `"sea" + " " + "salt" = "sea salt"`, false},
	{"Values", "date, time, duration", `@"…"`, "Dates, times and durations stand in quotes after an @.", `@"2026-11-24" + @"P14D" = @"2026-12-08"`, false},
	{"Values", "number", "0.05", "34 digits, exactly; 5 % is 0.05.", `0.1 + 0.2 = 0.3`, false},
	{"Values", "range", "[…..…]", "From one value to another: [ and ] include the end, ( and ) do not.", `5 in [1..5] and not(5 in [1..5))`, false},
	{"Values", "list", "[…]", "Several values in their order.", `count([1, 2, 3]) = 3`, false},
	{"Values", "context", "{…: …}", "Values by name; an entry may use those before it.", `{net: 100, tax: net * 0.23}.tax = 23`, false},
	{"Values", "function", "function(…) …", "A computation to pass on.", `sort([1, 3, 2], function(a, b) a > b) = [3, 2, 1]`, false},
}

// Forms lists the forms of the language that are no functions; the signature is what is
// written.
func Forms() []FunctionHelp { return forms }
