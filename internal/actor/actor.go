// Package actor says who asks for a use case, and from where. It travels in the context, so
// that nothing holds a person, and every row that is written tells who wrote it.
//
// It must never know what is asked for. Start reading at Actor.
package actor

import (
	"context"

	"codicil/core/field"
)

// Actor is who asks.
type Actor struct {
	// ID names the person for as long as they are known, whatever they are called.
	ID string
	// Name is what the person is called, as histories tell it.
	Name string
	// Via is from where they ask.
	Via Via
	// Format is how they write numbers and dates; the zero value: as everybody reads them.
	Format field.Format
	// Rights are what they may do.
	Rights Rights
	// Address is that of their machine, and Session is the session or key by which they are known; "": none.
	Address, Session string
	// Program is what their browser or program says it is.
	Program string
}

// Via is a way into the application.
type Via string

// The ways.
const (
	Browser     Via = "browser"
	Program     Via = "program" // over HTTP
	CommandLine Via = "command line"
	Clock       Via = "clock" // at a time that somebody said before
)

// Named is the person of a machine, who reads and writes the data as a file, and may do everything.
func Named(name string, via Via) Actor {
	return Actor{ID: name, Name: name, Via: via, Rights: Rights{Whole: true}}
}

type key struct{}

// With returns a context in which a asks.
func With(ctx context.Context, a Actor) context.Context { return context.WithValue(ctx, key{}, a) }

// Of returns who asks; nobody, with an ID of "", where the context does not say.
func Of(ctx context.Context) Actor {
	a, _ := ctx.Value(key{}).(Actor)
	return a
}

// Whole returns a context in which the same person asks with all rights: for what the program does of its own accord, as
// keeping values up to date in records that the person may not see.
func Whole(ctx context.Context) context.Context {
	a := Of(ctx)
	a.Rights = Rights{Whole: true}
	return With(ctx, a)
}
