// Package codicils keeps the sets of changes of the rule book: what is in them, whether they may come into force, and
// that they do.
//
// It must never know how a single rule or table is changed: that is asked of its own use case, with the codicil shown.
// Start reading at Service.
package codicils

import (
	"context"
	"errors"
	"slices"
	"strconv"
	"strings"
	"time"

	"codicil/core/record"
	"codicil/core/rule"
	"codicil/internal/access"
	"codicil/internal/actor"
	"codicil/internal/app/commit"
	"codicil/internal/app/fields"
	"codicil/internal/app/findings"
	"codicil/internal/app/judging"
	"codicil/internal/app/replay"
	"codicil/internal/app/rules"
	"codicil/internal/contract"
	"codicil/internal/fault"
	"codicil/internal/store"
	"codicil/internal/view"
)

// Parts are the use cases as they show by another rule book.
type Parts struct {
	Base     *judging.Service
	Rules    *rules.Service
	Fields   *fields.Service
	Findings *findings.Service
}

// Service serves these use cases.
type Service struct {
	base    *judging.Service
	now     Parts
	replay  *replay.Service
	signers *Signers
	view    func(ctx context.Context, v store.View) (Parts, error)
	// Longest is how long a check measures what the proofs notice of rules, and how long it compares findings. What there is no
	// time for is told as not looked at.
	Longest time.Duration
}

// longest is that of new use cases: somebody waits for a check.
const longest = 15 * time.Second

// New returns the use cases; view makes those that show by another rule book.
func New(now Parts, r *replay.Service, signers *Signers, view func(ctx context.Context, v store.View) (Parts, error)) *Service {
	return &Service{now.Base, now, r, signers, view, longest}
}

// changes are the permissions of which one is enough to put something into a codicil.
var changes = []actor.Permission{actor.RulesChange, actor.TablesChange, actor.SetupChange}

// mostListed is how many codicils a page has where nobody says.
const mostListed = 50

// List returns codicils, newest first: in one of the states, none for all, with those that owe signatures where they are wanted
// too, before a number, 0 for the newest.
func (s *Service) List(ctx context.Context, states []contract.CodicilState, owed bool, before int64, limit int) (contract.Codicils, error) {
	answer := contract.Codicils{Codicils: []contract.CodicilSummary{}}
	if err := access.Need(ctx, actor.RulesRead); err != nil {
		return answer, err
	}
	if limit == 0 {
		limit = mostListed
	}
	rows, err := s.base.Store.Codicils(ctx, view.List(states, func(c contract.CodicilState) store.CodicilState { return store.CodicilState(c) }), owed, before, limit+1)
	if err != nil {
		return answer, err
	}
	answer.More = len(rows) > limit
	for _, c := range rows[:min(len(rows), limit)] {
		contents, err := s.changes(ctx, c.ID)
		if err != nil {
			return answer, err
		}
		answer.Codicils = append(answer.Codicils, summary(&c, len(contents)))
	}
	return answer, nil
}

// changes are those in a codicil that who asks may see.
func (s *Service) changes(ctx context.Context, id int64) ([]store.CodicilChange, error) {
	all, err := s.base.Store.ChangesOf(ctx, id, 0)
	if err != nil || access.Everywhere(ctx) {
		return all, err
	}
	kept := all[:0]
	for i := range all {
		sees, err := touches(ctx, &all[i])
		if err != nil {
			return nil, err
		}
		if sees {
			kept = append(kept, all[i])
		}
	}
	return kept, nil
}

// touches tells whether a change is about a company of who asks.
func touches(ctx context.Context, c *store.CodicilChange) (bool, error) {
	for _, text := range []*string{c.Before, c.After} {
		definition, err := c.Definition(text)
		if err != nil {
			return false, err
		}
		switch d := definition.(type) {
		case nil:
		case rule.Rule:
			if access.Touches(ctx, d.Scope.Companies) {
				return true, nil
			}
		case record.Layout:
			if parts := strings.Split(c.Key, "/"); parts[1] == "" || access.In(ctx, parts[1]) {
				return true, nil
			}
		default:
			return true, nil
		}
	}
	return false, nil
}

func summary(c *store.Codicil, count int) contract.CodicilSummary {
	v := contract.CodicilSummary{
		ID: c.ID, Title: c.Title, State: contract.CodicilState(c.State), Own: c.Own, Version: c.Version, Changes: count,
		AskedBy: c.AskedBy, Reason: c.Reason, Hindered: c.Hindered, Made: *signed(c.Made), Ended: signed(c.Ended),
	}
	v.Effective, v.Owed = instant(c.Effective), instant(c.Owed)
	return v
}

func instant(text string) *time.Time {
	at, err := time.Parse(time.RFC3339, text)
	if err != nil {
		return nil
	}
	return &at
}

func signed(by record.Stamp) *contract.Signed {
	if by.At == "" {
		return nil
	}
	return &contract.Signed{At: view.At(by), By: by.By}
}

// Get returns a codicil with its changes.
func (s *Service) Get(ctx context.Context, id int64) (contract.Codicil, error) {
	if err := access.Need(ctx, actor.RulesRead); err != nil {
		return contract.Codicil{}, err
	}
	c, err := s.base.Store.Codicil(ctx, id)
	if err != nil {
		return contract.Codicil{}, commit.Explain(err)
	}
	return s.show(ctx, &c)
}

func (s *Service) show(ctx context.Context, c *store.Codicil) (contract.Codicil, error) {
	contents, err := s.changes(ctx, c.ID)
	if err != nil {
		return contract.Codicil{}, err
	}
	of := summary(c, len(contents))
	v := contract.Codicil{
		ID: of.ID, Title: of.Title, State: of.State, Own: of.Own, Version: of.Version, Changes: of.Changes, AskedBy: of.AskedBy, Reason: of.Reason,
		Hindered: of.Hindered, Made: of.Made, Ended: of.Ended, Effective: of.Effective, Owed: of.Owed, Book: c.Book, Submitted: signed(c.Submitted), Agreed: signed(c.Agreed),
		Texts:    view.List(c.Texts, func(t store.Text) contract.CodicilText { return contract.CodicilText{Title: t.Title, Text: t.Text} }),
		Contents: []contract.CodicilChange{},
	}
	kept, err := s.base.Store.ProofsKept(ctx, c.ID)
	if err != nil {
		return v, err
	}
	for _, count := range kept {
		v.Proofs += count
	}
	if c.Undoes > 0 {
		undone, err := s.base.Store.Codicil(ctx, c.Undoes)
		if err != nil {
			return v, err
		}
		v.Undoes = judging.CodicilRef(&undone)
	}
	if err := s.signers.signatures(ctx, c, &v); err != nil {
		return v, err
	}
	t, err := s.teller(ctx, c)
	if err != nil {
		return v, err
	}
	for i := range contents {
		told, err := t.tell(ctx, &contents[i])
		if err != nil {
			return v, err
		}
		v.Contents = append(v.Contents, told)
	}
	return v, nil
}

// Begin keeps a new codicil, which is open.
func (s *Service) Begin(ctx context.Context, head contract.CodicilHead) (contract.Codicil, error) {
	if err := access.Need(ctx, changes...); err != nil {
		return contract.Codicil{}, err
	}
	kept, err := s.headOf(&head)
	if err != nil {
		return contract.Codicil{}, err
	}
	return s.begin(ctx, kept, 0, func(*store.Store, store.Codicil, record.Stamp) error { return nil })
}

// begin keeps a new codicil and fills it.
func (s *Service) begin(ctx context.Context, head store.CodicilHead, undoes int64, fill func(tx *store.Store, c store.Codicil, by record.Stamp) error) (contract.Codicil, error) {
	var c store.Codicil
	err := s.base.Line.Write(ctx, func(tx *store.Store, by record.Stamp) (err error) {
		if c, err = tx.BeginCodicil(ctx, head, undoes, by); err != nil {
			return err
		}
		return fill(tx, c, by)
	})
	if err != nil {
		return contract.Codicil{}, err
	}
	return s.Get(ctx, c.ID)
}

// headOf is what is kept of what a person says of a codicil.
func (s *Service) headOf(h *contract.CodicilHead) (store.CodicilHead, error) {
	head := store.CodicilHead{
		Title: strings.TrimSpace(h.Title), AskedBy: strings.TrimSpace(h.AskedBy), Reason: strings.TrimSpace(h.Reason),
		Texts: view.List(h.Texts, func(t contract.CodicilText) store.Text { return store.Text{Title: t.Title, Text: t.Text} }),
	}
	if head.Title == "" {
		return head, fault.Bad(noTitle)
	}
	if h.Effective != nil {
		if !h.Effective.After(s.base.Clock()) {
			return head, fault.Bad(inThePast)
		}
		head.Effective = store.Instant(*h.Effective)
	}
	return head, nil
}

// Change keeps what a person says of a codicil.
func (s *Service) Change(ctx context.Context, id int64, h contract.CodicilHead) (contract.Codicil, error) {
	if err := access.Need(ctx, changes...); err != nil {
		return contract.Codicil{}, err
	}
	return s.write(ctx, id, h.Version, "head", func(c *store.Codicil, _ record.Stamp) error {
		if h.Effective != nil && store.Instant(*h.Effective) == c.Effective {
			h.Effective = nil // it stays, though it may be over
			head, err := s.headOf(&h)
			head.Effective = c.Effective
			c.CodicilHead = head
			return err
		}
		head, err := s.headOf(&h)
		c.CodicilHead = head
		if c.State == store.CodicilAgreed { // to something else
			c.State, c.Agreed = store.CodicilSubmitted, record.Stamp{}
		}
		return err
	})
}

// write changes a codicil that has not ended.
func (s *Service) write(ctx context.Context, id int64, version int, note string, change func(c *store.Codicil, by record.Stamp) error) (contract.Codicil, error) {
	err := s.base.Line.Write(ctx, func(tx *store.Store, by record.Stamp) error {
		c, err := current(ctx, tx, id, version)
		if err != nil {
			return err
		}
		if err := change(&c, by); err != nil {
			return err
		}
		_, err = tx.ChangeCodicil(ctx, c, note, by)
		return err
	})
	if err != nil {
		return contract.Codicil{}, err
	}
	return s.Get(ctx, id)
}

// current returns a codicil that has not ended, as the caller knows it.
func current(ctx context.Context, tx *store.Store, id int64, version int) (store.Codicil, error) {
	c, err := tx.Codicil(ctx, id)
	switch {
	case err != nil:
		return c, err
	case c.State.Ended():
		return c, fault.Hindered(ended, c.ID, c.State)
	case c.Version != version:
		return c, fault.Hindered(fault.Stale)
	}
	return c, nil
}

// Settle takes a change out of a codicil, or keeps it though something else is in force by now.
func (s *Service) Settle(ctx context.Context, id int64, settled contract.ChangeSettled) (contract.Codicil, error) {
	if err := access.Need(ctx, changes...); err != nil {
		return contract.Codicil{}, err
	}
	t := store.Thing{What: string(settled.What), Key: settled.Key}
	err := s.base.Line.Write(ctx, func(tx *store.Store, by record.Stamp) error {
		if _, err := current(ctx, tx, id, settled.Version); err != nil {
			return err
		}
		contents, err := s.changes(ctx, id)
		if err != nil {
			return err
		}
		i := slices.IndexFunc(contents, func(c store.CodicilChange) bool { return c.Thing == t })
		if i < 0 {
			return fault.Missing("change of %s", t.String())
		}
		if err := mayDecide(ctx, &contents[i]); err != nil {
			return err
		}
		if settled.Keep {
			return tx.Rebase(ctx, id, t, by)
		}
		return tx.Drop(ctx, id, t, by)
	})
	if err != nil {
		return contract.Codicil{}, err
	}
	s.base.Cache.Forget() // a draft may be gone
	return s.Get(ctx, id)
}

// View is what is shown by a codicil, or as it was at the end of a day: "codicil-14", "2026-03-03". It says who may see it.
func (s *Service) View(ctx context.Context, by string) (store.View, error) {
	if err := access.Need(ctx, actor.RulesRead); err != nil {
		return store.View{}, err
	}
	if number, is := strings.CutPrefix(by, "codicil-"); is {
		id, err := strconv.ParseInt(number, 10, 64)
		if err != nil {
			return store.View{}, fault.Bad(notShown, by)
		}
		c, err := s.base.Store.Codicil(ctx, id)
		switch {
		case err != nil:
			return store.View{}, commit.Explain(err)
		case c.State == store.CodicilInForce: // as it was when it came
			if c.Book == 0 {
				return store.View{Until: c.Ended.At}, nil
			}
			return store.View{Book: c.Book}, nil
		}
		return store.View{Codicil: id}, nil
	}
	day, err := record.ParseDay(by)
	if err != nil {
		return store.View{}, fault.Bad(fault.NotADay, err)
	}
	if day >= s.base.Today(nil) {
		return store.View{}, fault.Bad(notPast, by)
	}
	at, err := time.ParseInLocation(time.DateOnly, string(day), s.base.Clock().Location())
	if err != nil {
		return store.View{}, errors.Join(fault.Bad(notShown, by), err)
	}
	return store.View{Until: store.Instant(at.AddDate(0, 0, 1).Add(-time.Microsecond))}, nil
}
