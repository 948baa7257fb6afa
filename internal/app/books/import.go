package books

import (
	"context"
	"encoding/json"
	"io"
	"log/slog"
	"maps"
	"reflect"
	"strings"

	"codicil/core/record"
	"codicil/internal/access"
	"codicil/internal/actor"
	"codicil/internal/app/commit"
	"codicil/internal/app/judging"
	"codicil/internal/app/rules"
	"codicil/internal/exchange"
	"codicil/internal/fault"
	"codicil/internal/store"
)

// Change is one thing that reading a book changes.
type Change struct {
	What string // "kind", "company", "type", "field", "standing value", "crosswalk", "number series", "list", "rule", "layout", "map", "proof" or "silenced finding"
	Name string
	Deed string // "add", "change" or "remove"
}

// Import reads a book into the application: all of it, or nothing. What the book does
// not have stays. With dry, nothing is kept, but everything is checked. The changes are
// those that were, or would be, made. The keys of its unique rules are made before, while others save.
func (s *Service) Import(ctx context.Context, b *exchange.Book, dry bool) ([]Change, error) {
	compare := func() error {
		if dry || s.base.Store.View() != nil { // they are not in force
			return nil
		}
		return rules.Compare(ctx, s.rules, b.Rules)
	}
	if err := compare(); err != nil {
		return nil, err
	}
	changes, err := s.put(ctx, b, dry)
	if err != nil {
		return nil, err
	}
	if err := compare(); err != nil { // those of fields that came with it; else they are made when they are asked for
		slog.Warn("the keys of a book's unique rules were to be made", "error", err)
	}
	return changes, nil
}

// fromAFile is what a book becomes.
var fromAFile = store.CodicilHead{Title: "A rule book from a file"}

// put reads a book into the application. Where it changes rules, proofs and silenced findings only, everything is checked while
// others save; where rules need what else it changes, nobody saves meanwhile.
func (s *Service) put(ctx context.Context, b *exchange.Book, dry bool) (changes []Change, err error) {
	more := false
	err = s.base.Line.Commit(ctx, func(ctx context.Context) (*commit.Change, error) {
		version, _, err := s.base.Cache.Version(ctx)
		if err != nil {
			return nil, err
		}
		by, err := s.base.Line.Stamp(ctx)
		if err != nil {
			return nil, err
		}
		i := &importer{ctx: ctx, base: s.base, looking: true, by: by, book: b, rules: map[int64]int64{}}
		for _, step := range append(i.definitions(), i.shapes) {
			if err := step(); err != nil {
				return nil, err
			}
			if more = len(i.changes) > 0; more {
				return commit.Nothing(), nil
			}
		}
		wanted, err := i.wanted()
		if err != nil {
			return nil, err
		}
		write, err := rules.Checked(ctx, s.rules, wanted)
		if err != nil {
			return nil, err
		}
		known := maps.Clone(i.rules)
		for at, w := range wanted {
			i.rules[w.Rule.ID] = int64(-1 - at) // it has no number yet
			if w.Here != nil {
				i.rules[w.Rule.ID] = w.Here.ID
			}
		}
		if err := i.follow(); err != nil {
			return nil, err
		}
		changes = i.changes
		if dry || len(changes) == 0 {
			return commit.Nothing(), nil
		}
		return &commit.Change{
			Reads: commit.NewReadSet(version.Book),
			Write: func(ctx context.Context, tx *store.Store) error {
				return tx.Amend(ctx, fromAFile, by, func(tx *store.Store) error {
					made, err := write(ctx, tx, by)
					if err != nil {
						return err
					}
					w := &importer{ctx: ctx, base: s.base.Over(tx), by: by, book: b, rules: maps.Clone(known)}
					w.number(wanted, made)
					return w.follow()
				})
			},
			Done: s.base.Cache.Forget,
		}, nil
	})
	if err != nil || !more {
		return changes, err
	}
	return s.whole(ctx, b, dry)
}

// whole reads a book into the application while nobody saves: rules are checked with what it changes besides.
func (s *Service) whole(ctx context.Context, b *exchange.Book, dry bool) ([]Change, error) {
	var changes []Change
	_, err := s.base.Line.Whole(ctx, fromAFile, func(tx *store.Store) error {
		inner := s.base.Over(tx)
		by, err := inner.Line.Stamp(ctx)
		if err != nil {
			return err
		}
		i := &importer{ctx: ctx, base: inner, Parts: s.over(inner), by: by, book: b, rules: map[int64]int64{}}
		for _, step := range append(i.definitions(), i.putRules, i.shapes, i.follow) {
			if err := step(); err != nil {
				return err
			}
		}
		changes = i.changes
		if dry {
			return commit.ErrDry
		}
		return nil
	})
	return changes, err
}

// definitions are the steps that take what rules need. Kinds, companies and types are no part of a codicil.
func (i *importer) definitions() []func() error {
	if i.base.Store.View() != nil {
		return []func() error{i.lists, i.fields, i.lookups}
	}
	return []func() error{i.newKinds, i.scopes, i.lists, i.fields, i.kinds, i.lookups}
}

// shapes takes what needs no rule and no rule needs.
func (i *importer) shapes() error {
	if err := i.layouts(); err != nil {
		return err
	}
	if err := i.maps(); err != nil {
		return err
	}
	return i.removed()
}

// follow takes what is about rules.
func (i *importer) follow() error {
	if err := i.proofs(); err != nil {
		return err
	}
	return i.silences()
}

// largestBook is how large the file of a book may be, in bytes.
const largestBook = 64 << 20

// Read reads the file of a book, as JSON or text, and imports it; without keep it only tells what would
// change.
func (s *Service) Read(ctx context.Context, in io.Reader, keep bool) ([]Change, error) {
	if err := access.Need(ctx, actor.SetupChange); err != nil {
		return nil, err
	}
	if err := access.Companies(ctx, nil); err != nil {
		return nil, err
	}
	b, err := exchange.ReadBook(io.LimitReader(in, largestBook))
	if err != nil {
		return nil, fault.Bad(notABook, err)
	}
	return s.Import(ctx, b, !keep)
}

type importer struct {
	base *judging.Service
	ctx  context.Context
	Parts
	// looking tells that what differs is noted, and nothing done.
	looking bool
	by      record.Stamp
	book    *exchange.Book
	changes []Change
	rules   map[int64]int64 // the numbers here by those of the book
	made    []string        // the kinds that were not here
}

// differs notes what is done with something; false when nothing is to be done.
func differs[T any](i *importer, what, name string, here *T, there T) bool {
	switch {
	case here == nil:
		i.changes = append(i.changes, Change{what, name, "add"})
	case !same(*here, there):
		i.changes = append(i.changes, Change{what, name, "change"})
	default:
		return false
	}
	return !i.looking
}

// do does what was noted.
func (i *importer) do(work func() error) error {
	if i.looking {
		return nil
	}
	return work()
}

// same compares as the file would: nil and empty lists are one.
func same(a, b any) bool {
	if reflect.DeepEqual(a, b) {
		return true
	}
	one, errOne := written(a)
	other, errOther := written(b)
	return errOne == nil && errOther == nil && one == other
}

// written writes a value as it is compared.
func written(v any) (string, error) {
	text, err := json.Marshal(v)
	return strings.NewReplacer(":null", ":[]", ":{}", ":[]").Replace(string(text)), err
}
