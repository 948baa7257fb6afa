// Package fault holds the errors of use cases: what a caller can do about one, its stable code
// with parameters, and what stands in the way.
//
// It must never know HTTP. Start reading at Fault; the codes are in docs/errors.md.
package fault

import (
	"errors"
	"fmt"
	"log/slog"

	"codicil/core/notice"
	"codicil/core/rule"
)

// Reason sorts faults by what a caller can do about them.
type Reason int

// The reasons.
const (
	Invalid   Reason = iota // the request is wrong; it says where
	NotFound                // there is no such thing
	Conflict                // somebody changed it meanwhile, or it may not be done now
	Unable                  // the machine cannot do it now: its disk is full, or fails
	Unknown                 // nobody is known to ask
	Forbidden               // who asks may not
	Busy                    // too much was asked; later it may be
)

// Use is something that uses another thing: a record of a kind, a rule, a proof, a layout, a
// map, a type or a posting.
type Use struct {
	What  string `json:"what"`
	Key   string `json:"key"`
	Title string `json:"title"`
}

// Fault is an error that a person can act on.
type Fault struct {
	Reason Reason
	notice.Notice
	// As is the code that a caller knows it by, where it stands for several; "": its own.
	As string
	// Rule is the rule that is refused for its problems; nil: none is.
	Rule *rule.Compiled
	// Uses are what stands in the way, as far as it is listed, and Count how much does.
	Uses  []Use
	Count int
	// Cause is what went wrong in the machine, for the log; nil: nothing did.
	Cause error
}

// Unwrap returns the cause.
func (f *Fault) Unwrap() error { return f.Cause }

// Error says what is wrong and what to do.
func (f *Fault) Error() string { return f.String() }

// LogValue is what the log says: with the cause, which people are not told.
func (f *Fault) LogValue() slog.Value {
	if f.Cause == nil {
		return slog.StringValue(f.Error())
	}
	return slog.GroupValue(slog.String("told", f.Error()), slog.String("cause", f.Cause.Error()))
}

// Known is the code by which callers know the fault.
func (f *Fault) Known() string {
	if f.As != "" {
		return f.As
	}
	return f.Code
}

// Is tells whether an error is a fault of the notice's code.
func Is(err error, d *notice.Definition) bool {
	var f *Fault
	return errors.As(err, &f) && f.Code == d.Code
}

// Bad is the fault of a wrong request.
func Bad(d *notice.Definition, values ...any) *Fault {
	return &Fault{Reason: Invalid, Notice: d.With(values...)}
}

// Hindered is the fault of what may not be done now.
func Hindered(d *notice.Definition, values ...any) *Fault {
	return &Fault{Reason: Conflict, Notice: d.With(values...)}
}

// MostUses is how many uses are listed; the rest is counted.
const MostUses = 20

// With adds what stands in the way.
func (f *Fault) With(uses []Use) *Fault {
	f.Uses, f.Count = uses[:min(len(uses), MostUses)], len(uses)
	return f
}

// The faults that several use cases have.
var (
	Stale          = notice.Define("changed-meanwhile", "somebody changed this since you opened it. Look at what was changed and make your change again")
	missing        = notice.Define("not-found", "{what} does not exist")
	inUse          = notice.Define("in-use", "{what} is used {count} times; change what uses it first")
	UnknownKind    = notice.Define("unknown-kind", "there is no kind of record {kind:q}")
	UnknownCompany = notice.Define("unknown-company", "there is no company {company:q}")
	UnknownType    = notice.Define("unknown-type", "there is no type {type:q} of this kind")
	UnknownField   = notice.Define("unknown-field", "a {kind} has no field {field:q}")
	NotAPlace      = notice.Define("not-a-place", "{place:q} is not a place in this list; begin with its first page")
	NotADay        = notice.Define("not-a-day", "{why}")
	TypeNotUsed    = notice.Define("type-not-used", "{type} is not used in company {company}; choose another type or company")
	NotRows        = notice.Define("not-rows", "{why}")
	KeyTaken       = notice.Define("key-taken", "this key is already used; choose another")
)

// What the machine hinders. Nothing that was saved before is lost by it, and reading goes on where it can.
var (
	DiskFull   = notice.Define("disk-full", "the disk is full, and nothing of this was saved; what was saved before is there. Make room on the disk of the data file, then try again")
	DiskFails  = notice.Define("disk-fails", "the data file could not be read or written, and nothing of this was saved. Look at the disk of the data file and at the log of the server, then try again")
	Damaged    = notice.Define("data-damaged", "a part of the data file is damaged. Stop Codicil, keep the file as it is and go back to a copy of it; docs/operating.md says how")
	OnlyToRead = notice.Define("read-only", "the data file can only be read. Let the user who runs Codicil write it and its folder, then start it again")
)

// ByMachine is the fault of what the machine cannot do now.
func ByMachine(d *notice.Definition, cause error) *Fault {
	return &Fault{Reason: Unable, Notice: d.With(), Cause: cause}
}

// Missing is the fault of something that the caller named and that is not there.
func Missing(what string, values ...any) *Fault {
	return &Fault{Reason: NotFound, Notice: missing.With(fmt.Sprintf(what, values...))}
}

// InUse is the fault of what cannot go because it is used: by those that are listed, and so many more.
func InUse(what string, uses []Use, more int) *Fault {
	f := Hindered(inUse, what, len(uses)+more).With(uses)
	f.Count += more
	return f
}

// Of is a misfit of a field as a fault.
func Of(n notice.Notice) *Fault { return &Fault{Reason: Invalid, Notice: n} }
