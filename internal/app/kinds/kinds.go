// Package kinds makes kinds of records, and changes what those that come with the program are like:
// names, sections, numbers, what is posted, and how it stands in the journal. Fields and types are kept
// by their own use cases.
//
// It must never know what a kind is used for. Start reading at Service.
package kinds

import (
	"context"
	"fmt"
	"reflect"
	"slices"

	"codicil/core/notice"
	"codicil/core/record"
	"codicil/internal/access"
	"codicil/internal/actor"
	"codicil/internal/app/catalog"
	"codicil/internal/app/commit"
	"codicil/internal/app/fields"
	"codicil/internal/app/judging"
	"codicil/internal/cache"
	"codicil/internal/contract"
	"codicil/internal/fault"
	"codicil/internal/ledger"
	"codicil/internal/store"
)

// Service serves these use cases.
type Service struct {
	base    *judging.Service
	within  func(*judging.Service) Parts
	catalog *catalog.Service
}

// Parts are the use cases of a kind's fields and types.
type Parts struct {
	Catalog *catalog.Service
	Fields  *fields.Service
}

// New returns the use cases; within makes those of a transaction, and the catalog tells what uses a
// kind.
func New(j *judging.Service, c *catalog.Service, within func(*judging.Service) Parts) *Service {
	return &Service{j, within, c}
}

// Check says what is wrong with a kind as somebody describes it, and what a change touches. Nothing is
// kept.
func (s *Service) Check(ctx context.Context, change contract.KindChange) (contract.KindCheck, error) {
	if err := access.Need(ctx, actor.RulesRead); err != nil {
		return contract.KindCheck{}, err
	}
	if err := access.Companies(ctx, nil); err != nil { // a kind is one of all companies
		return contract.KindCheck{}, err
	}
	ref, err := s.base.Cache.Reference(ctx)
	if err != nil {
		return contract.KindCheck{}, err
	}
	_, check, err := s.checked(ctx, ref, change)
	return check, err
}

// checked is the kind as it would be kept, with what is wrong and what it touches.
func (s *Service) checked(ctx context.Context, ref *cache.Reference, change contract.KindChange) (record.Kind, contract.KindCheck, error) {
	check := contract.KindCheck{Problems: []contract.KindProblem{}, Touches: []contract.KindTouch{}}
	say := func(part string, n notice.Notice) {
		check.Problems = append(check.Problems, contract.KindProblem{Part: part, Code: n.Code, Message: n.String()})
	}
	k := change.Kind
	k.Sections, k.Fields = slices.Clone(k.Sections), nil
	before, _ := ref.Kind(k.Key)
	if before != nil {
		k.Own, k.Away, k.Fields = before.Own, before.Away, before.Fields
	} else {
		k.Own, k.Away = true, nil
		k.Fields = slices.Clone(change.Fields)
		ref.Tables.Choose(k.Fields)
		for i := range k.Fields {
			k.Fields[i].Added = true
			if k.Fields[i].OfLine() {
				k.Fields[i].Section = record.LineSection
			}
			if wrong := k.Fields[i].Sound(); wrong != nil {
				say("fields", wrong.Notice)
			}
		}
		k.Sort()
		if len(change.Types) == 0 {
			say("types", noSuchType.With())
		}
	}
	for _, wrong := range k.Check() {
		say(wrong.Part, wrong.Notice)
	}
	for i := range ref.Kinds {
		if other := &ref.Kinds[i]; other.Key != k.Key && other.Prefix == k.Prefix {
			say("prefix", prefixTaken.With(other.Plural, k.Prefix))
		}
	}
	if before == nil {
		return k, check, nil
	}
	return k, check, s.touched(ctx, before, &k, &check, say)
}

// touched tells what a change of a kind touches, and refuses what posted documents rest on. Cost: a
// count of the records of the kind.
func (s *Service) touched(ctx context.Context, before, k *record.Kind, check *contract.KindCheck, say func(string, notice.Notice)) error {
	count, err := s.base.Store.CountRecords(ctx, k.Key, nil)
	if err != nil || count == 0 {
		return err
	}
	if before.Posted && (!k.Posted || !reflect.DeepEqual(before.Journal, k.Journal)) {
		scopes, err := s.base.Store.PostingScopes(ctx, ledger.Books)
		if err != nil {
			return err
		}
		posted := 0
		for _, scope := range scopes {
			if scope.Kind == k.Key {
				posted += scope.Count
			}
		}
		if posted > 0 {
			say("posted", stillPosted.With(posted, k.Plural))
		}
	}
	touch := func(n notice.Notice) {
		check.Touches = append(check.Touches, contract.KindTouch{Code: n.Code, Message: n.String()})
	}
	if before.Prefix != k.Prefix || before.Digits != k.Digits {
		touch(numbersStay.With(count, k.Plural, k.Prefix))
	}
	if !slices.Equal(before.Title, k.Title) {
		touch(titlesChange.With(count, k.Plural))
	}
	if before.Day != k.Day {
		touch(dayChanges.With(count, k.Plural))
	}
	if before.Shared && !k.Shared {
		touch(sharedNoMore.With(k.Plural))
	}
	return nil
}

// Save keeps a new kind with its first fields and types, or changes one.
func (s *Service) Save(ctx context.Context, key string, change contract.KindChange) (contract.KindEntry, error) {
	if err := access.Need(ctx, actor.SetupChange); err != nil {
		return contract.KindEntry{}, err
	}
	if err := access.Companies(ctx, nil); err != nil {
		return contract.KindEntry{}, err
	}
	change.Kind.Key = key
	_, err := s.base.Line.Whole(ctx, store.CodicilHead{Title: "The kind " + change.Kind.Label}, func(tx *store.Store) error {
		inner := s.base.Over(tx)
		ref, err := inner.Cache.Reference(ctx)
		if err != nil {
			return err
		}
		before, _ := ref.Kind(key)
		if before != nil && change.New {
			return fault.Hindered(kindTaken, key)
		}
		k, check, err := s.checked(ctx, ref, change)
		if err != nil {
			return err
		}
		if len(check.Problems) > 0 {
			refused := fault.Bad(kindProblems, check.Problems[0].Message)
			refused.Count = len(check.Problems)
			return refused
		}
		by, err := inner.Line.Stamp(ctx)
		if err != nil {
			return err
		}
		first := k.Fields
		if err := tx.SaveKind(ctx, k, by); err != nil {
			return err
		}
		inner.Cache.Forget()
		if before != nil {
			return nil
		}
		parts := s.within(inner)
		for _, f := range first {
			if _, err := parts.Fields.Add(ctx, key, f); err != nil {
				return fmt.Errorf("field %s: %w", f.Label, err)
			}
		}
		for _, t := range change.Types {
			if _, err := parts.Catalog.SaveType(ctx, key, t.Key, t); err != nil {
				return err
			}
		}
		return nil
	})
	if err != nil {
		return contract.KindEntry{}, err
	}
	s.base.Cache.Forget()
	c, err := s.catalog.Catalog(ctx)
	if err != nil {
		return contract.KindEntry{}, err
	}
	if i := slices.IndexFunc(c.Kinds, func(e contract.KindEntry) bool { return e.Kind.Key == key }); i >= 0 {
		return c.Kinds[i], nil
	}
	return contract.KindEntry{}, fault.Missing("kind %s", key)
}

// Delete removes a kind of one's own that nothing uses, with its fields, types and layouts.
func (s *Service) Delete(ctx context.Context, key string) error {
	if err := access.Need(ctx, actor.SetupChange); err != nil {
		return err
	}
	if err := access.Companies(ctx, nil); err != nil {
		return err
	}
	return s.base.Line.BookLooking(ctx, func(int64) commit.Definition { // where nothing uses it, that is told at once
		return func() (func(tx *store.Store, by record.Stamp) error, error) {
			ref, k, err := s.base.KindOf(ctx, key)
			if err != nil {
				return nil, err
			}
			if !k.Own {
				return nil, fault.Hindered(shippedKind, k.Plural)
			}
			uses, more, err := s.catalog.UsesOf(ctx, k)
			if err != nil {
				return nil, err
			}
			for i := range ref.Kinds {
				other := &ref.Kinds[i]
				for j := range other.Fields {
					if f := &other.Fields[j]; f.IsLink() && f.Kind == key && other.Key != key {
						uses = append(uses, fault.Use{What: "field", Key: other.Key + "/" + f.Key, Title: other.Label + ": " + f.Label})
					}
				}
			}
			if len(uses) > 0 {
				return nil, fault.InUse("the kind "+k.Label, uses, more)
			}
			return func(tx *store.Store, by record.Stamp) error { return tx.DeleteKind(ctx, key, by) }, nil
		}
	})
}
