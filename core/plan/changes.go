package plan

import (
	"reflect"
	"slices"

	"codicil/core/rule"
)

// Changes are a set of changes on top of the rule book: rules as they would be, of one kind
// or of several. An empty set, and nil, leave the book as it is.
type Changes struct {
	// Rules stand as they are given, each in place of the kept rule with its ID; ID 0 is one
	// that is not kept yet. Version is that of the kept rule which it changes.
	Rules []rule.Rule `json:"rules"`
}

// Empty tells whether the set changes nothing.
func (c *Changes) Empty() bool { return c == nil || len(c.Rules) == 0 }

// On returns the book with the changes: the book itself where none of them is left to make.
// A draft acts as if it were in force. A change is over when the kept rule has moved on: when
// it is of a later version, or says the same and is in force.
func (c *Changes) On(b *Book) *Book {
	left := c.Left(b)
	for i := range left {
		if r := &left[i]; r.State == rule.Draft || r.State == "" {
			r.State = rule.InForce
		}
	}
	if len(left) == 0 {
		return b
	}
	return b.Put(left...)
}

// Left returns the changes to rules of the book's kind that are not over. Cost: the changes
// times the rules of the book.
func (c *Changes) Left(b *Book) (left []rule.Rule) {
	if c.Empty() {
		return nil
	}
	for _, r := range c.Rules {
		over := slices.ContainsFunc(b.Rules, func(kept *rule.Compiled) bool {
			switch {
			case r.ID == 0:
				return kept.State == rule.InForce && SameBody(&kept.Body, &r.Body)
			case kept.ID != r.ID:
				return false
			}
			return kept.Version > r.Version || (kept.State == rule.InForce && r.State != rule.Suspended && r.State != rule.Retired && SameBody(&kept.Body, &r.Body))
		})
		if r.Kind == b.Vocabulary.Kind.Key && !over {
			left = append(left, r)
		}
	}
	return left
}

// SameBody tells whether two rules say the same; nil and empty lists are one.
func SameBody(a, b *rule.Body) bool { return reflect.DeepEqual(PlainBody(a), PlainBody(b)) }

// PlainBody is a rule as it is compared: empty lists are none.
func PlainBody(b *rule.Body) rule.Body {
	plain := *b
	none := func(list []string) []string {
		if len(list) == 0 {
			return nil
		}
		return list
	}
	plain.Scope.Companies, plain.Scope.Types = none(b.Scope.Companies), none(b.Scope.Types)
	plain.Effect.WhenChanged = none(b.Effect.WhenChanged)
	if len(b.Effect.Bands) == 0 {
		plain.Effect.Bands = nil
	}
	if len(b.Effect.Moments) == 0 {
		plain.Effect.Moments = nil
	}
	if u := b.Effect.Unique; u != nil {
		unique := *u
		unique.With = none(u.With)
		if len(u.Ignore) == 0 {
			unique.Ignore = nil
		}
		plain.Effect.Unique = &unique
	}
	return plain
}
