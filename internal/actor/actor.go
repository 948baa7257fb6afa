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
	// ID names the person for as long as they are known, whatever they are called. Today it is
	// the name of the user of the machine.
	ID string
	// Name is what the person is called, as histories tell it.
	Name string
	// Via is from where they ask.
	Via Via
	// Format is how they write numbers and dates; the zero value: as everybody reads them.
	Format field.Format
}

// Via is a way into the application.
type Via string

// The ways.
const (
	Browser     Via = "browser"
	Program     Via = "program" // over HTTP
	CommandLine Via = "command line"
)

// Named is the person that a name stands for while people have no identity of their own.
func Named(name string, via Via) Actor { return Actor{ID: name, Name: name, Via: via} }

type key struct{}

// With returns a context in which a asks.
func With(ctx context.Context, a Actor) context.Context { return context.WithValue(ctx, key{}, a) }

// Of returns who asks; nobody, with an ID of "", where the context does not say.
func Of(ctx context.Context) Actor {
	a, _ := ctx.Value(key{}).(Actor)
	return a
}
