// Package feel is the formula language of Codicil: FEEL, the expression language
// of the OMG's Decision Model and Notation 1.5, chapter 10, with a few functions
// of our own named in its manner.
//
// A formula is read (parse.go), checked against the names and types of a Scope
// (check.go), compiled to Go closures (compile.go) and then evaluated any number
// of times, also from several goroutines, each with its own Frame:
//
//	program, problems := feel.Compile("amount > 1200", scope, feel.Strict)
//	value := program.Eval(&feel.Frame{Slots: slots})
//
// The package must never know what a rule, a field or a document is: a name is a
// slot with a type. Start reading at Compile.
//
// Not yet read: for, some/every, filters, function definitions and instance of.
// The parser says so at their place; they need new nodes, not another design:
// local variables are already slots of the Frame.
package feel
