package store

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"codicil/core/field"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/internal/codec"
)

// ErrOvertaken reports that something that a codicil changes is no longer what it was made from.
var ErrOvertaken = errors.New("overtaken")

// Overtaken returns the things in a codicil that are in force otherwise than when they came into it. Cost: its changes.
func (s *Store) Overtaken(ctx context.Context, changes []CodicilChange) (things []Thing, err error) {
	for i := range changes {
		now, err := s.inForce(ctx, changes[i].Thing)
		if err != nil {
			return nil, err
		}
		if !same(changes[i].What, now.text, changes[i].Before) {
			things = append(things, changes[i].Thing)
		}
	}
	return things, nil
}

// InForce returns the definition of a thing that is in force, as kept; nil: none is.
func (s *Store) InForce(ctx context.Context, t Thing) (*string, error) {
	now, err := s.inForce(ctx, t)
	return now.text, err
}

// ranks is the order in which changes come into force: what others need comes first.
var ranks = []string{codeList, fieldThing, standingValue, crosswalk, numberSeries, ruleThing, layoutThing, mapThing}

// Force brings a codicil into force: all of it, as one version of the rule book. c is as the caller read it. The error is
// ErrOvertaken where something is in force otherwise than it was made from, and ErrStale where the codicil was changed.
func (s *Store) Force(ctx context.Context, c Codicil, by record.Stamp) (Codicil, error) {
	err := s.Transaction(ctx, func(tx *Store) error {
		now, err := tx.Codicil(ctx, c.ID)
		if err != nil {
			return err
		}
		if now.Version != c.Version || now.State.Ended() {
			return fmt.Errorf("codicil %d: %w", c.ID, ErrStale)
		}
		changes, err := tx.ChangesOf(ctx, c.ID, 0)
		if err != nil {
			return err
		}
		overtaken, err := tx.Overtaken(ctx, changes)
		if err != nil {
			return err
		}
		if len(overtaken) > 0 {
			return fmt.Errorf("codicil %d, %s: %w", c.ID, overtaken[0], ErrOvertaken)
		}
		slices.SortStableFunc(changes, func(a, b CodicilChange) int {
			return cmp.Compare(slices.Index(ranks, a.What), slices.Index(ranks, b.What))
		})
		if err := tx.db.Exec("UPDATE rule_book SET step = 1").Error; err != nil {
			return err
		}
		tx.later.codicil = c.ID
		for i := range changes {
			if err := tx.bring(ctx, &now, &changes[i], by); err != nil {
				return fmt.Errorf("%s: %w", changes[i].Thing, err)
			}
		}
		tx.later.codicil = 0
		if err := tx.db.Exec("UPDATE rule_book SET step = 0").Error; err != nil {
			return err
		}
		if now, err = tx.Codicil(ctx, c.ID); err != nil {
			return err
		}
		if err := tx.forced(ctx, now, by); err != nil {
			return err
		}
		c, err = tx.Codicil(ctx, c.ID)
		return err
	})
	return c, err
}

// bring puts one change in force.
func (s *Store) bring(ctx context.Context, c *Codicil, change *CodicilChange, by record.Stamp) error {
	parts := append(strings.SplitN(change.Key, "/", 3), "", "")
	gone := change.After == nil
	read := func(into any) error {
		if gone {
			return nil
		}
		return codec.Read([]byte(*change.After), into)
	}
	switch change.What {
	case ruleThing:
		return s.bringRule(ctx, c, change, by)
	case fieldThing:
		var f field.Field
		if err := read(&f); err != nil {
			return err
		}
		if gone {
			return s.takeField(ctx, parts[0], parts[1], by)
		}
		return s.putField(ctx, parts[0], f, by)
	case layoutThing:
		l := record.ScopedLayout{Kind: parts[0], Company: parts[1], Type: parts[2]}
		if err := read(&l.Layout); err != nil {
			return err
		}
		if gone {
			return s.removeLayout(ctx, l.Kind, l.Company, l.Type, by)
		}
		return s.putLayout(ctx, l, by)
	case mapThing:
		id, err := strconv.ParseInt(change.Key, 10, 64)
		if err != nil {
			return err
		}
		var m record.FollowOn
		if err := read(&m); err != nil {
			return err
		}
		if gone {
			return s.removeFollowOn(ctx, id, by)
		}
		m.ID = id
		return s.putFollowOn(ctx, m, by)
	}
	var last int
	if err := s.db.Model(&lookupVersion{}).Where("what = ? AND key = ?", change.What, change.Key).Select("COALESCE(MAX(version), 0)").Scan(&last).Error; err != nil {
		return err
	}
	if gone {
		return s.removeLookup(ctx, lookup{What: change.What, Key: change.Key, Version: last}, by)
	}
	return s.putLookup(ctx, lookup{change.What, change.Key, last + 1, *change.After}, by)
}

func (s *Store) bringRule(ctx context.Context, c *Codicil, change *CodicilChange, by record.Stamp) error {
	now, err := s.realRule(ctx, change.Key)
	if err != nil {
		return err
	}
	if change.After == nil { // taken back: it had never been in force
		return s.retire(ctx, now, by)
	}
	var next rule.Rule
	if err := codec.Read([]byte(*change.After), &next); err != nil {
		return err
	}
	next.ID, next.UID, next.Version = now.ID, now.UID, now.Version+1
	next.Reason = cmp.Or(next.Reason, c.Reason)
	if err := s.putRule(ctx, next, now.Version, by); err != nil || next.Version == change.Version {
		return err
	}
	made := *change
	made.Version = next.Version
	if made.After, err = written(next); err != nil {
		return err
	}
	return s.record(ctx, c.ID, made, by)
}

func (s *Store) retire(ctx context.Context, now rule.Rule, by record.Stamp) error {
	next := now
	next.Version, next.State = now.Version+1, rule.Retired
	return s.putRule(ctx, next, now.Version, by)
}
