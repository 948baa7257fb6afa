package codicils

import (
	"cmp"
	"context"
	"encoding/json"
	"fmt"
	"log/slog"
	"slices"
	"strings"

	"codicil/core/record"
	"codicil/core/rule"
	"codicil/internal/access"
	"codicil/internal/actor"
	"codicil/internal/app/commit"
	"codicil/internal/app/impact"
	"codicil/internal/app/rules"
	"codicil/internal/contract"
	"codicil/internal/fault"
	"codicil/internal/store"
	"codicil/internal/view"
)

// becomes are the states that each may be moved to by hand.
var becomes = map[store.CodicilState][]store.CodicilState{
	store.CodicilOpen:      {store.CodicilSubmitted, store.CodicilInForce, store.CodicilWithdrawn},
	store.CodicilSubmitted: {store.CodicilOpen, store.CodicilInForce, store.CodicilWithdrawn},
	store.CodicilAgreed:    {store.CodicilOpen, store.CodicilInForce, store.CodicilWithdrawn},
}

// Move puts a codicil into another state of its life.
func (s *Service) Move(ctx context.Context, id int64, move contract.CodicilMove) (contract.Codicil, error) {
	next := store.CodicilState(move.State)
	need := append(slices.Clone(changes), actor.RulesForce)
	if next == store.CodicilInForce {
		need = need[len(changes):]
	}
	if err := access.Need(ctx, need...); err != nil {
		return contract.Codicil{}, err
	}
	c, err := current(ctx, s.base.Store, id, move.Version)
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
		if err := s.force(ctx, &c, reason, move.Urgent); err != nil {
			return contract.Codicil{}, commit.Explain(err)
		}
		return s.Get(ctx, id)
	}
	return s.write(ctx, id, move.Version, string(next), func(c *store.Codicil, by record.Stamp) error {
		c.State, c.Hindered = next, ""
		switch next {
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
		if proofs, err := s.base.Store.ProofsKept(ctx, c.ID); err != nil || len(proofs) == 0 {
			return cmp.Or[error](err, fault.Hindered(nothingInIt, c.ID))
		}
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

// decided checks a codicil before it is signed, or comes into force. The error says what must be put right, or that it takes a
// reason, where more speaks against it than was accepted. Cost: that of the whole check.
func (s *Service) decided(ctx context.Context, c *store.Codicil, deed, reason string) (*contract.CodicilCheck, error) {
	if c.State == store.CodicilInForce { // a signature that is owed is for what was found then
		check := contract.CodicilCheck{}
		return &check, json.Unmarshal([]byte(c.Checked), &check)
	}
	check, err := s.check(ctx, c, true)
	if err != nil {
		return nil, err
	}
	if len(check.Problems) > 0 {
		return nil, hinders(check.Problems)
	}
	accepted := ""
	if c.State == store.CodicilAgreed {
		accepted = c.Accepted
	}
	if doubts := doubtsOf(&check); doubts != accepted && doubts != "" && reason == "" {
		return nil, fault.Hindered(impact.NeedsReason, fmt.Sprintf("Codicil %d", c.ID), deed, doubts)
	}
	return &check, nil
}

// doubtsOf is what speaks against a codicil.
func doubtsOf(check *contract.CodicilCheck) string {
	return strings.Join(view.List(check.Doubts, func(d contract.CodicilProblem) string { return d.Message }), "; and ")
}

// force brings a codicil into force as it was checked. Who does it signs it with that, where that is missing; what is
// urgent comes into force though others must sign, who owe it. The keys of its unique rules are made before, while others save.
func (s *Service) force(ctx context.Context, c *store.Codicil, reason string, urgent bool) error {
	err := s.base.Line.Commit(ctx, func(ctx context.Context) (*commit.Change, error) {
		version, _, err := s.base.Cache.Version(ctx)
		if err != nil {
			return nil, err
		}
		check, err := s.decided(ctx, c, "put in force", reason)
		if err != nil {
			return nil, err
		}
		if err := s.compare(ctx, c); err != nil {
			return nil, err
		}
		by, err := s.base.Line.Stamp(ctx)
		return &commit.Change{
			Reads: commit.NewReadSet(version.Book),
			Write: func(ctx context.Context, tx *store.Store) error {
				forced := *c
				if err := s.conclude(ctx, tx, &forced, check, by, reason, urgent); err != nil {
					return err
				}
				if err := keepCheck(&forced, check); err != nil {
					return err
				}
				kept, err := tx.ChangeCodicil(ctx, forced, "signed", by)
				if err != nil {
					return err
				}
				_, err = tx.Force(ctx, kept, by)
				return err
			},
			Done: s.base.Cache.Forget,
		}, err
	})
	if err != nil {
		return err
	}
	if err := s.compare(ctx, c); err != nil { // those of fields that came with it; else they are made when they are asked for
		slog.Warn("the keys of a codicil's unique rules were to be made", "codicil", c.ID, "error", err)
	}
	return nil
}

// compare makes the keys of the unique rules of a codicil.
func (s *Service) compare(ctx context.Context, c *store.Codicil) error {
	contents, err := s.base.Store.ChangesOf(ctx, c.ID, 0)
	if err != nil {
		return err
	}
	inForce, err := inForceThen(contents)
	if err != nil {
		return err
	}
	return rules.Compare(ctx, s.now.Rules, inForce)
}

// conclude signs a codicil for who puts it in force, and refuses it, or notes what is owed, where others must sign too.
func (s *Service) conclude(ctx context.Context, tx *store.Store, c *store.Codicil, check *contract.CodicilCheck, by record.Stamp, reason string, urgent bool) error {
	contents, err := tx.ChangesOf(ctx, c.ID, 0)
	if err != nil {
		return err
	}
	m, err := s.signers.mandate(ctx, tx, c, contents, check)
	if err != nil {
		return err
	}
	c.Hash = m.hash
	if actor.Of(ctx).Via != actor.Clock { // what comes at its time was signed before
		v, err := s.signers.own(ctx, tx, c, m.hash, by)
		if err != nil {
			return err
		}
		if v.Lines, v.Reason = check.Lines, reason; mayGive(ctx, m, v) {
			if err := tx.Sign(ctx, v); err != nil {
				return err
			}
			m = m.with(v)
		}
	}
	if m.complete() {
		return nil
	}
	refusal := m.refusal(ctx, tx, c)
	if !urgent {
		return refusal
	}
	rules, err := tx.Signing(ctx)
	switch {
	case err != nil:
		return err
	case rules.UrgentDays == 0:
		return fault.Hindered(notUrgent, refusal)
	case reason == "":
		return fault.Hindered(impact.NeedsReason, fmt.Sprintf("Codicil %d", c.ID), "put in force", "it is urgent, and "+refusal.Error())
	}
	c.Owed = store.Instant(s.base.Clock().AddDate(0, 0, rules.UrgentDays))
	return nil
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
		if len(contents) == 0 {
			return fault.Hindered(onlyProofs, c.ID)
		}
		taken := 0
		for i := range contents {
			change := &contents[i]
			now, err := tx.InForce(ctx, change.Thing)
			if err != nil {
				return err
			}
			if !change.Same(now, change.After) {
				why, err := standsOn(ctx, tx, change)
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
func standsOn(ctx context.Context, tx *store.Store, c *store.CodicilChange) (string, error) {
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
