package codicils

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"codicil/core/record"
	"codicil/core/rule"
	"codicil/internal/access"
	"codicil/internal/actor"
	"codicil/internal/app/commit"
	"codicil/internal/app/impact"
	"codicil/internal/contract"
	"codicil/internal/fault"
	"codicil/internal/store"
	"codicil/internal/view"
)

// becomes are the states that each may be moved to by hand.
var becomes = map[store.CodicilState][]store.CodicilState{
	store.CodicilOpen:      {store.CodicilSubmitted, store.CodicilInForce, store.CodicilWithdrawn},
	store.CodicilSubmitted: {store.CodicilOpen, store.CodicilAgreed, store.CodicilInForce, store.CodicilWithdrawn},
	store.CodicilAgreed:    {store.CodicilOpen, store.CodicilInForce, store.CodicilWithdrawn},
}

// Move puts a codicil into another state of its life.
func (s *Service) Move(ctx context.Context, id int64, move contract.CodicilMove) (contract.Codicil, error) {
	next := store.CodicilState(move.State)
	need := append(slices.Clone(changes), actor.RulesForce)
	if next == store.CodicilAgreed || next == store.CodicilInForce {
		need = need[len(changes):]
	}
	if err := access.Need(ctx, need...); err != nil {
		return contract.Codicil{}, err
	}
	c, err := s.current(ctx, s.base.Store, id, move.Version)
	if err != nil {
		return contract.Codicil{}, commit.Explain(err)
	}
	if c.State == next {
		return s.show(ctx, &c)
	}
	if !slices.Contains(becomes[c.State], next) {
		return contract.Codicil{}, fault.Hindered(wrongState, c.State, next)
	}
	if err := s.mayMove(ctx, &c, next); err != nil {
		return contract.Codicil{}, err
	}
	reason := strings.TrimSpace(move.Reason)
	if next == store.CodicilInForce {
		if err := s.force(ctx, &c, reason); err != nil {
			return contract.Codicil{}, commit.Explain(err)
		}
		return s.Get(ctx, id)
	}
	var doubts string
	if next == store.CodicilAgreed {
		if doubts, err = s.decide(ctx, &c, "agreed to", reason); err != nil {
			return contract.Codicil{}, err
		}
	}
	return s.write(ctx, id, move.Version, string(next), func(c *store.Codicil, by record.Stamp) error {
		c.State, c.Hindered = next, ""
		switch next {
		case store.CodicilAgreed:
			accept(c, doubts, reason)
			c.Agreed = by
		case store.CodicilSubmitted:
			c.Submitted = by
		case store.CodicilOpen:
			c.Submitted, c.Agreed = record.Stamp{}, record.Stamp{}
		case store.CodicilWithdrawn:
			c.Ended, c.Hindered = by, reason
		}
		return nil
	})
}

// mayMove refuses to submit what is empty, and to decide on what one does not see whole.
func (s *Service) mayMove(ctx context.Context, c *store.Codicil, next store.CodicilState) error {
	all, err := s.base.Store.ChangesOf(ctx, c.ID, 0)
	if err != nil {
		return err
	}
	if len(all) == 0 && next != store.CodicilWithdrawn && next != store.CodicilOpen {
		return fault.Hindered(nothingInIt, c.ID)
	}
	for i := range all {
		if err := mayDecide(ctx, &all[i]); err != nil {
			return err
		}
	}
	return nil
}

// mayDecide refuses a change to who may not make it by itself.
func mayDecide(ctx context.Context, c *store.CodicilChange) error {
	for _, text := range []*string{c.Before, c.After} {
		definition, err := c.Definition(text)
		if err != nil {
			return err
		}
		var companies []string
		if r, is := definition.(rule.Rule); is {
			companies = r.Scope.Companies
		} else if parts := strings.Split(c.Key, "/"); c.What == "layout" && parts[1] != "" {
			companies = parts[1:2]
		}
		if definition == nil {
			continue
		}
		if err := access.Companies(ctx, companies); err != nil {
			return err
		}
	}
	return nil
}

// decide checks a codicil before it is agreed to, or comes into force. The error says what must be put right, or that it
// takes a reason; doubts are what speaks against it. Cost: that of the check.
func (s *Service) decide(ctx context.Context, c *store.Codicil, deed, reason string) (doubts string, err error) {
	check, err := s.check(ctx, c, false)
	if err != nil {
		return "", err
	}
	if len(check.Problems) > 0 {
		return "", hinders(check.Problems)
	}
	doubts = strings.Join(view.List(check.Doubts, func(d contract.CodicilProblem) string { return d.Message }), "; and ")
	if doubts != c.Accepted && doubts != "" && reason == "" {
		return "", fault.Hindered(impact.NeedsReason, fmt.Sprintf("Codicil %d", c.ID), deed, doubts)
	}
	return doubts, nil
}

// accept files with a codicil why it comes into force though something speaks against it.
func accept(c *store.Codicil, doubts, reason string) {
	if doubts != "" && doubts != c.Accepted {
		c.Texts = append(slices.Clone(c.Texts), store.Text{Title: "Accepted though " + doubts, Text: reason})
	}
	c.Accepted = doubts
}

// force brings a codicil into force as it was checked.
func (s *Service) force(ctx context.Context, c *store.Codicil, reason string) error {
	return s.base.Line.Commit(ctx, func(ctx context.Context) (*commit.Change, error) {
		version, _, err := s.base.Cache.Version(ctx)
		if err != nil {
			return nil, err
		}
		doubts, err := s.decide(ctx, c, "put in force", reason)
		if err != nil {
			return nil, err
		}
		by, err := s.base.Line.Stamp(ctx)
		return &commit.Change{
			Reads: commit.NewReadSet(version.Book),
			Write: func(ctx context.Context, tx *store.Store) (err error) {
				forced := *c
				if doubts != c.Accepted {
					accept(&forced, doubts, reason)
					if forced, err = tx.ChangeCodicil(ctx, forced, "reason", by); err != nil {
						return err
					}
				}
				_, err = tx.Force(ctx, forced, by)
				return err
			},
			Done: s.base.Cache.Forget,
		}, err
	})
}

// hinders is the error of what must be put right first.
func hinders(problems []contract.CodicilProblem) error {
	detail := problems[0].Title + ": " + problems[0].Message
	if more := len(problems) - 1; more > 0 {
		detail += fmt.Sprintf(" (and %d more)", more)
	}
	return fault.Hindered(problemsFirst, detail).With(view.List(problems, func(p contract.CodicilProblem) fault.Use {
		return fault.Use{What: p.What, Key: p.Key, Title: p.Title + ": " + p.Message}
	}))
}

// TakeBack begins a codicil that undoes one in force, as far as what it made still stands; the rest is told. Cost: its
// changes.
func (s *Service) TakeBack(ctx context.Context, id int64) (contract.Codicil, error) {
	if err := access.Need(ctx, changes...); err != nil {
		return contract.Codicil{}, err
	}
	c, err := s.base.Store.Codicil(ctx, id)
	if err != nil {
		return contract.Codicil{}, commit.Explain(err)
	}
	if c.State != store.CodicilInForce {
		return contract.Codicil{}, fault.Hindered(notInForce, c.ID, c.State)
	}
	if err := s.mayMove(ctx, &c, store.CodicilOpen); err != nil {
		return contract.Codicil{}, err
	}
	t, err := s.teller(ctx, &c)
	if err != nil {
		return contract.Codicil{}, err
	}
	var leftOut []contract.LeftOut
	head := store.CodicilHead{Title: fmt.Sprintf("Codicil %d taken back: %s", c.ID, c.Title), Texts: []store.Text{}}
	made, err := s.begin(ctx, head, c.ID, func(tx *store.Store, undoing store.Codicil, by record.Stamp) error {
		contents, err := tx.ChangesOf(ctx, id, 0)
		if err != nil {
			return err
		}
		taken := 0
		for i := range contents {
			change := &contents[i]
			now, err := tx.InForce(ctx, change.Thing)
			if err != nil {
				return err
			}
			if !change.Same(now, change.After) {
				why, err := s.standsOn(ctx, tx, change)
				if err != nil {
					return err
				}
				leftOut = append(leftOut, contract.LeftOut{Title: t.title(change), Why: why})
				continue
			}
			undone, err := change.Undone()
			if err != nil {
				return err
			}
			if err := tx.Put(ctx, undoing.ID, change.Thing, undone, by); err != nil {
				return err
			}
			taken++
		}
		if taken == 0 {
			return fault.Hindered(nothingLeft, c.ID, leftOut[0].Title, leftOut[0].Why)
		}
		return nil
	})
	made.LeftOut = leftOut
	return made, err
}

// standsOn says what came after a change of the same thing.
func (s *Service) standsOn(ctx context.Context, tx *store.Store, c *store.CodicilChange) (string, error) {
	history, err := tx.ThingHistory(ctx, c.Thing, 1)
	if err != nil {
		return "", err
	}
	if len(history) == 0 || history[0].Codicil == c.Codicil {
		return "it was changed since", nil
	}
	later, err := tx.Codicil(ctx, history[0].Codicil)
	return fmt.Sprintf("codicil %d, %s, changed it since", later.ID, later.Title), err
}
