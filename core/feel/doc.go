// Package feel is the formula language of Codicil: FEEL, the expression language
// of the OMG's Decision Model and Notation 1.5, chapter 10, with a few functions
// of our own named in its manner.
//
// A formula is read (parse.go), checked against the names and types of a Scope
// (check.go), compiled to Go closures (compile.go; conditions.go for what is true or
// false) and then evaluated any number of times, also from several goroutines, each
// with its own Frame:
//
//	program, problems := feel.Compile("amount > 1200", scope, feel.Strict)
//	value := program.Eval(&feel.Frame{Slots: slots})
//
// The functions stand in tables by chapter (functions_*.go), which serve the check, the
// evaluation and the help. analyse.go and set.go tell what a condition asks of a field.
//
// The package must never know what a rule, a field or a document is: a name is a
// slot with a type. Start reading at Compile.
package feel
