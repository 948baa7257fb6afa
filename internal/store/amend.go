package store

import (
	"context"
	"errors"
	"fmt"
	"reflect"
	"slices"
	"strconv"
	"strings"

	"codicil/core/field"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/internal/codec"
)

// Nothing changes the rule book but by a codicil. What is changed where a codicil is open goes into it; what is changed at
// once makes one of its own, or one for all that a transaction changes together.

// draftState is that of a rule that was never in force.
const draftState = rule.Draft

// Amend runs work in one transaction. All that it changes of the rule book at once is one codicil, which says what head
// says, and one version of the book.
func (s *Store) Amend(ctx context.Context, head CodicilHead, by record.Stamp, work func(tx *Store) error) error {
	return s.Transaction(ctx, func(tx *Store) error {
		if tx.later.head != nil {
			return work(tx) // a part of what is changed already
		}
		tx.later.head = &head
		err := work(tx)
		tx.later.head = nil
		if err != nil {
			return err
		}
		return errors.Join(tx.amended(ctx, by), tx.draftedTogether(ctx, head, by))
	})
}

// draftedTogether puts what is still a draft at the end of what was changed together into a codicil that is open.
func (s *Store) draftedTogether(ctx context.Context, head CodicilHead, by record.Stamp) error {
	var id int64
	drafts := s.later.drafts
	s.later.drafts = nil
	for i, number := range drafts {
		t := ruleThingOf(number)
		r, err := s.realRule(ctx, t.Key)
		switch {
		case errors.Is(err, ErrNotFound):
			continue
		case err != nil:
			return err
		case r.State != draftState || slices.Contains(drafts[:i], number):
			continue
		}
		if id == 0 {
			of := Codicil{CodicilHead: head, Own: true, State: CodicilOpen}
			if of.Title == "" {
				of.Title = r.Name
			}
			c, err := s.newCodicil(ctx, of, by)
			if err != nil {
				return err
			}
			id = c.ID
		}
		if err := s.draftIn(ctx, id, r, by); err != nil {
			return err
		}
	}
	return nil
}

// amended ends what is changed together.
func (s *Store) amended(ctx context.Context, by record.Stamp) error {
	id := s.later.codicil
	s.later.codicil = 0
	if id == 0 {
		return nil
	}
	if err := s.db.WithContext(ctx).Exec("UPDATE rule_book SET step = 0").Error; err != nil {
		return err
	}
	changes, err := s.ChangesOf(ctx, id, 0)
	if err != nil {
		return err
	}
	c, err := s.Codicil(ctx, id)
	if err != nil {
		return err
	}
	if len(changes) == 0 {
		return s.withdraw(ctx, c, "nothing of it was left", by)
	}
	if must := s.shared.must.Load(); must != nil {
		if err := (*must)(ctx, s, c, changes, by); err != nil {
			return err
		}
	}
	return s.forced(ctx, c, by)
}

// forced says that a codicil is in force now.
func (s *Store) forced(ctx context.Context, c Codicil, by record.Stamp) error {
	if err := s.db.WithContext(ctx).Raw("SELECT COALESCE(MAX(turn), 0) + 1 FROM codicils").Scan(&c.Turn).Error; err != nil {
		return err
	}
	var err error
	if c.Book, err = s.bookNow(); err != nil {
		return err
	}
	if err := s.db.WithContext(ctx).Exec("UPDATE proofs SET codicil = 0 WHERE codicil = ?", c.ID).Error; err != nil {
		return err
	}
	c.State, c.Ended, c.Hindered = CodicilInForce, by, ""
	_, err = s.ChangeCodicil(ctx, c, string(c.State), by)
	return err
}

func (s *Store) withdraw(ctx context.Context, c Codicil, why string, by record.Stamp) error {
	c.State, c.Ended, c.Hindered = CodicilWithdrawn, by, why
	_, err := s.ChangeCodicil(ctx, c, string(c.State), by)
	return err
}

// inForceNow is what is in force of a thing.
type inForceNow struct {
	version int // 0: it has none
	text    *string
}

// inForce reads what is in force of a thing, whatever is shown.
func (s *Store) inForce(ctx context.Context, t Thing) (now inForceNow, err error) {
	db := s.db.WithContext(ctx)
	part := func(place int) string {
		parts := strings.SplitN(t.Key, "/", 3)
		if place < len(parts) {
			return parts[place]
		}
		return ""
	}
	switch t.What {
	case ruleThing:
		r, err := s.realRule(ctx, t.Key)
		if err != nil || r.State == draftState {
			if errors.Is(err, ErrNotFound) {
				err = nil
			}
			return now, err
		}
		now.version = r.Version
		now.text, err = written(r)
		return now, err
	case standingValue, crosswalk, numberSeries, codeList:
		rows, err := all(db.Where("what = ? AND key = ?", t.What, t.Key), itself[lookup])
		for i := range rows {
			now = inForceNow{rows[i].Version, &rows[i].Definition}
		}
		return now, err
	case fieldThing:
		rows, err := all(db.Where("kind = ? AND key = ? AND removed_at IS NULL", part(0), part(1)), func(f addedField) field.Field { return f.Definition })
		return onlyText(rows, err)
	case layoutThing:
		rows, err := all(db.Where("kind = ? AND company = ? AND type = ?", part(0), part(1), part(2)), func(l layoutRow) record.Layout { return l.Layout })
		return onlyText(rows, err)
	case mapThing:
		rows, err := all(db.Where("id = ?", t.Key), func(f followOn) record.FollowOn { return f.Definition })
		return onlyText(rows, err)
	}
	return now, fmt.Errorf("store: nothing is kept of %s", t)
}

func onlyText[T any](rows []T, err error) (now inForceNow, _ error) {
	if err != nil || len(rows) == 0 {
		return now, err
	}
	now.text, err = written(rows[0])
	return now, err
}

// written is a definition as it is kept.
func written(definition any) (*string, error) {
	text, err := codec.Write(definition)
	kept := string(text)
	return &kept, err
}

func (s *Store) realRule(ctx context.Context, key string) (rule.Rule, error) {
	var row ruleRow
	err := s.db.WithContext(ctx).First(&row, "id = ?", key).Error
	return row.rule(), found(err, ruleThing, key)
}

// amend changes a thing: what is open takes note of it, and where none is, work does it, as a codicil that is in force at
// once. next is what becomes of it, nil for what is removed, with its version.
func (s *Store) amend(ctx context.Context, t Thing, title string, next inForceNow, by record.Stamp, work func(tx *Store) error) error {
	return s.Transaction(ctx, func(tx *Store) error {
		if tx.view != nil {
			if err := tx.mayRecord(ctx); err != nil {
				return err
			}
			before, err := tx.inForce(ctx, t)
			if err != nil {
				return err
			}
			change := CodicilChange{Thing: t, Base: before.version, Before: before.text, Version: next.version, After: next.text}
			return tx.record(ctx, tx.view.Codicil, change, by)
		}
		return tx.atOnce(ctx, t, CodicilHead{Title: title}, 0, by, work)
	})
}

// mayRecord refuses a change where nothing can take it.
func (s *Store) mayRecord(ctx context.Context) error {
	if !s.view.mayChange() {
		return ErrShown
	}
	c, err := s.Codicil(ctx, s.view.Codicil)
	if err == nil && c.State.Ended() {
		return ErrEnded
	}
	return err
}

// atOnce changes a thing at once, in the codicil of the transaction, or in that with a number, or in one of its own.
func (s *Store) atOnce(ctx context.Context, t Thing, head CodicilHead, id int64, by record.Stamp, work func(tx *Store) error) error {
	before, err := s.inForce(ctx, t)
	if err != nil {
		return err
	}
	together := s.later.head != nil
	switch {
	case together && s.later.codicil == 0, !together && id == 0:
		of := Codicil{CodicilHead: head, Own: !together, State: CodicilOpen}
		if together {
			of.CodicilHead = *s.later.head
			if of.Title == "" {
				of.Title = head.Title
			}
			if err := s.db.WithContext(ctx).Exec("UPDATE rule_book SET step = 1").Error; err != nil {
				return err
			}
		}
		c, err := s.newCodicil(ctx, of, by)
		if err != nil {
			return err
		}
		id = c.ID
	case together:
		id = s.later.codicil
	}
	s.later.codicil = id
	defer func() {
		if !together {
			s.later.codicil = 0
		}
	}()
	if err := work(s); err != nil {
		return err
	}
	after, err := s.inForce(ctx, t)
	if err != nil {
		return err
	}
	change := CodicilChange{Thing: t, Base: before.version, Before: before.text, Version: after.version, After: after.text}
	if err := s.record(ctx, id, change, by); err != nil {
		return err
	}
	if together {
		return nil
	}
	return s.amended(ctx, by)
}

// same tells whether two definitions of a thing, as kept, say the same.
func same(what string, a, b *string) bool {
	switch {
	case a == nil || b == nil:
		return a == b
	case *a == *b:
		return true
	case what != ruleThing:
		return false
	}
	var one, other rule.Rule
	if codec.Read([]byte(*a), &one) != nil || codec.Read([]byte(*b), &other) != nil {
		return false
	}
	one.Version, other.Version, one.Reason, other.Reason = 0, 0, "", ""
	return reflect.DeepEqual(one, other)
}

// ownerOf returns the codicil in which a rule is new; nil: none.
func (s *Store) ownerOf(ctx context.Context, t Thing) (*Codicil, error) {
	query := s.db.WithContext(ctx).Where("state IN ? AND id IN (SELECT codicil FROM codicil_changes WHERE what = ? AND key = ?)", []CodicilState{CodicilOpen, CodicilSubmitted, CodicilAgreed}, t.What, t.Key).Order("id")
	rows, err := all(query, itself[Codicil])
	for i := range rows {
		there, err := s.changeIn(ctx, rows[i].ID, t)
		if err != nil {
			return nil, err
		}
		if !there.Dropped {
			return &rows[i], nil
		}
	}
	return nil, err
}

// drafted puts a draft into the codicil in which it is new: as it is to come into force, suspended where the codicil says so.
func (s *Store) drafted(ctx context.Context, r rule.Rule, by record.Stamp) error {
	t := ruleThingOf(r.ID)
	owner, err := s.ownerOf(ctx, t)
	if err != nil {
		return err
	}
	var id int64
	switch {
	case owner != nil:
		id = owner.ID
	case s.view != nil:
		id = s.view.Codicil
	case s.later.head != nil: // it may be in force before the end
		s.later.drafts = append(slices.Clone(s.later.drafts), r.ID)
		return nil
	default:
		c, err := s.newCodicil(ctx, Codicil{CodicilHead: CodicilHead{Title: r.Name}, Own: true, State: CodicilOpen}, by)
		if err != nil {
			return err
		}
		id = c.ID
	}
	return s.draftIn(ctx, id, r, by)
}

// draftIn puts a draft into a codicil.
func (s *Store) draftIn(ctx context.Context, id int64, r rule.Rule, by record.Stamp) error {
	t := ruleThingOf(r.ID)
	if r.State == draftState { // it is changed at once: what becomes of it in the codicil stays
		r.State = rule.InForce
		there, err := s.changeIn(ctx, id, t)
		if err != nil {
			return err
		}
		if there != nil && there.After != nil {
			was, err := read[rule.Rule](t, *there.After)
			if err != nil {
				return err
			}
			r.State = was.State
		}
	}
	text, err := written(r)
	if err != nil {
		return err
	}
	return s.record(ctx, id, CodicilChange{Thing: t, Version: r.Version, After: text}, by)
}

// left takes a rule out of the codicil in which it was new; one that is empty then, and that it began, is withdrawn.
func (s *Store) left(ctx context.Context, owner *Codicil, t Thing, why string, by record.Stamp) error {
	if owner == nil {
		return nil
	}
	if err := s.record(ctx, owner.ID, CodicilChange{Thing: t, Dropped: true}, by); err != nil {
		return err
	}
	changes, err := s.ChangesOf(ctx, owner.ID, 0)
	if err != nil || len(changes) > 0 || !owner.Own {
		return err
	}
	c, err := s.Codicil(ctx, owner.ID)
	if err != nil {
		return err
	}
	return s.withdraw(ctx, c, why, by)
}

func ruleThingOf(id int64) Thing { return Thing{ruleThing, strconv.FormatInt(id, 10)} }
