package store

import (
	"context"
	"errors"
	"fmt"
	"strconv"
	"strings"

	"gorm.io/gorm"

	"codicil/core/field"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/core/table"
	"codicil/internal/codec"
)

// CodicilState is where a codicil is in its life.
type CodicilState string

// The life of a codicil. One that is open is worked on; what is submitted waits for signatures; what is agreed waits
// for its time.
const (
	CodicilOpen      CodicilState = "open"
	CodicilSubmitted CodicilState = "submitted"
	CodicilAgreed    CodicilState = "agreed"
	CodicilInForce   CodicilState = "in force"
	CodicilWithdrawn CodicilState = "withdrawn"
)

// Ended tells whether nothing becomes of it any more.
func (s CodicilState) Ended() bool { return s == CodicilInForce || s == CodicilWithdrawn }

// Text is a text that is filed with a codicil.
type Text struct {
	Title string `json:"title"`
	Text  string `json:"text"`
}

// CodicilHead is what a person says of a codicil.
type CodicilHead struct {
	Title, AskedBy, Reason string
	Texts                  []Text `gorm:"serializer:json"`
	Effective              string // the instant at which it is to come into force; "": when somebody says so
}

// Codicil is a numbered set of changes of the rule book.
type Codicil struct {
	ID int64 `gorm:"primaryKey"`
	CodicilHead
	State  CodicilState
	Own    bool  // the program began it, for a change at once or for drafts
	Undoes int64 // the codicil that it takes back; 0: none
	// Version counts the changes of it and of what is in it; Revision is the last of its changes.
	Version, Revision int
	Turn              int64 // counts those in force in the order in which they came; 0: it is not in force
	Book              int64 // the version of the rule book that it made; 0: one before this was kept
	Hindered          string
	Made              record.Stamp `gorm:"embedded;embeddedPrefix:made_"`
	Submitted         record.Stamp `gorm:"embedded;embeddedPrefix:submitted_"`
	Agreed            record.Stamp `gorm:"embedded;embeddedPrefix:agreed_"`
	// Accepted is what spoke against it when it was agreed to, and was accepted with a reason.
	Accepted string
	// Checked is what the check found when it was agreed to, as JSON; "": it was not.
	Checked string
	// Hash is that of what came into force, as it was signed; "": it is not in force.
	Hash string
	// Owed is the instant until which signatures are owed with which it came into force; "": none are.
	Owed string
	// Ended is when it came into force, or was withdrawn.
	Ended record.Stamp `gorm:"embedded;embeddedPrefix:ended_"`
}

// Thing names a part of the rule book. Key is the number of a rule or map, the key of a table, kind/key of a field, and
// kind/company/type of a layout.
type Thing struct{ What, Key string }

// The things of the rule book, besides what rules look up.
const (
	ruleThing   = "rule"
	fieldThing  = "field"
	layoutThing = "layout"
	mapThing    = "map"
)

// String names it for the trail.
func (t Thing) String() string { return t.What + " " + t.Key }

// CodicilChange is what a codicil makes of one thing.
type CodicilChange struct {
	Codicil  int64 `gorm:"primaryKey"`
	Revision int   `gorm:"primaryKey"`
	Thing
	// Base is the version from which it was made, and Version the one that it makes.
	Base, Version int
	// Before and After are its definitions, as kept; nil: there is none in force.
	Before, After *string
	Dropped       bool
	Changed       record.Stamp `gorm:"embedded;embeddedPrefix:changed_"`
}

func itself[T any](row T) T { return row }

// Codicils returns codicils, newest first: those in one of the states, none for all, and those that owe signatures
// where they are wanted too, before a number, 0 for the newest.
func (s *Store) Codicils(ctx context.Context, states []CodicilState, owed bool, before int64, most int) ([]Codicil, error) {
	query := s.db.WithContext(ctx).Order("id DESC").Limit(most)
	switch {
	case len(states) > 0 && owed:
		query = query.Where("state IN ? OR owed <> ''", states)
	case len(states) > 0:
		query = query.Where("state IN ?", states)
	}
	if before > 0 {
		query = query.Where("id < ?", before)
	}
	return all(query, itself[Codicil])
}

// Codicil returns one. The error is ErrNotFound when there is none.
func (s *Store) Codicil(ctx context.Context, id int64) (c Codicil, err error) {
	err = s.db.WithContext(ctx).First(&c, id).Error
	return c, found(err, "codicil", id)
}

// DueCodicils returns those that are agreed and were to come into force by an instant, in their order.
func (s *Store) DueCodicils(ctx context.Context, now string) ([]Codicil, error) {
	return all(s.db.WithContext(ctx).Where("state = ? AND effective <> '' AND effective <= ?", CodicilAgreed, now).Order("effective, id"), itself[Codicil])
}

// CodicilsNamed returns the codicils with the numbers, by number.
func (s *Store) CodicilsNamed(ctx context.Context, ids []int64) (map[int64]Codicil, error) {
	rows, err := all(s.db.WithContext(ctx).Where("id IN ?", ids), itself[Codicil])
	named := make(map[int64]Codicil, len(rows))
	for _, c := range rows {
		named[c.ID] = c
	}
	return named, err
}

// ChangesOf returns what a codicil changes, in the order in which the things came into it; at is the revision, 0 for
// the last. Cost: its revisions.
func (s *Store) ChangesOf(ctx context.Context, id int64, at int) ([]CodicilChange, error) {
	query := s.db.WithContext(ctx).Where("codicil = ?", id).Order("revision")
	if at > 0 {
		query = query.Where("revision <= ?", at)
	}
	rows, err := all(query, itself[CodicilChange])
	if err != nil {
		return nil, err
	}
	var changes []CodicilChange
	place := map[Thing]int{}
	for _, row := range rows {
		i, there := place[row.Thing]
		if !there {
			i = len(changes)
			place[row.Thing] = i
			changes = append(changes, row)
		}
		changes[i] = row
	}
	kept := changes[:0]
	for _, c := range changes {
		if !c.Dropped {
			kept = append(kept, c)
		}
	}
	return kept, nil
}

// InCodicils returns the codicils that are not ended and change things, by thing. whats narrow; none: all.
// Cost: the revisions of all codicils that are not ended.
func (s *Store) InCodicils(ctx context.Context, whats ...string) (map[Thing][]Codicil, error) {
	open, err := all(s.db.WithContext(ctx).Where("state IN ?", []CodicilState{CodicilOpen, CodicilSubmitted, CodicilAgreed}).Order("id"), itself[Codicil])
	if err != nil {
		return nil, err
	}
	in := map[Thing][]Codicil{}
	for _, c := range open {
		changes, err := s.ChangesOf(ctx, c.ID, 0)
		if err != nil {
			return nil, err
		}
		for _, change := range changes {
			if len(whats) == 0 || strings.Contains(strings.Join(whats, " "), change.What) {
				in[change.Thing] = append(in[change.Thing], c)
			}
		}
	}
	return in, nil
}

// inForceChanges are the changes that came into force, of each codicil and thing the last.
func (s *Store) inForceChanges(ctx context.Context) *gorm.DB {
	return s.db.WithContext(ctx).Table("codicil_changes").Select("codicil_changes.*").
		Joins("JOIN codicils ON codicils.id = codicil_changes.codicil AND codicils.turn > 0").
		Where("NOT dropped AND NOT EXISTS (SELECT 1 FROM codicil_changes later WHERE later.codicil = codicil_changes.codicil AND later.what = codicil_changes.what AND later.key = codicil_changes.key AND later.revision > codicil_changes.revision)")
}

// ThingHistory returns what codicils that came into force made of a thing, newest first.
func (s *Store) ThingHistory(ctx context.Context, t Thing, most int) ([]CodicilChange, error) {
	query := s.inForceChanges(ctx).Where("what = ? AND key = ?", t.What, t.Key).Order("codicils.turn DESC").Limit(most)
	return all(query, itself[CodicilChange])
}

// MadeBy returns what a codicil that came into force made of a thing.
func (s *Store) MadeBy(ctx context.Context, t Thing, codicil int64) (CodicilChange, error) {
	rows, err := all(s.inForceChanges(ctx).Where("what = ? AND key = ? AND codicil = ?", t.What, t.Key, codicil).Limit(1), itself[CodicilChange])
	if err == nil && len(rows) == 0 {
		err = &NotFoundError{fmt.Sprintf("change of %s in codicil", t), strconv.FormatInt(codicil, 10)}
	}
	if err != nil {
		return CodicilChange{}, err
	}
	return rows[0], nil
}

// BeginCodicil keeps a new one, open, and returns it with its number.
func (s *Store) BeginCodicil(ctx context.Context, head CodicilHead, undoes int64, by record.Stamp) (c Codicil, err error) {
	err = s.Transaction(ctx, func(tx *Store) error {
		c, err = tx.newCodicil(ctx, Codicil{CodicilHead: head, Undoes: undoes, State: CodicilOpen}, by)
		return err
	})
	return c, err
}

func (s *Store) newCodicil(ctx context.Context, c Codicil, by record.Stamp) (Codicil, error) {
	if err := s.db.WithContext(ctx).Raw("SELECT COALESCE(MAX(id), 0) + 1 FROM codicils").Scan(&c.ID).Error; err != nil {
		return c, err
	}
	c.Version, c.Made = 1, by
	if c.Texts == nil {
		c.Texts = []Text{}
	}
	err := s.noted(ctx, by, codicilEntry(c.ID, string(c.State)), codicilAt(c.ID), func(tx *Store) error { return tx.db.Create(&c).Error })
	return c, err
}

func codicilAt(id int64) place { return at("codicils", "id = ?", id) }

func codicilEntry(id int64, note string) TrailEntry {
	return TrailEntry{Kind: "codicil", Key: fmt.Sprint(id), Note: note}
}

// ChangeCodicil keeps what changed of one: its head, state, stamps. c.Version is the version that the caller changed;
// the error is ErrStale when it is not the last.
func (s *Store) ChangeCodicil(ctx context.Context, c Codicil, note string, by record.Stamp) (Codicil, error) {
	before := c.Version
	c.Version++
	err := s.noted(ctx, by, codicilEntry(c.ID, note), codicilAt(c.ID), func(tx *Store) error {
		result := tx.db.Model(&c).Where("version = ?", before).Select("*").Updates(&c)
		if result.Error == nil && result.RowsAffected == 0 {
			return fmt.Errorf("codicil %d: %w", c.ID, ErrStale)
		}
		return result.Error
	})
	return c, err
}

// ElsewhereError reports that a rule is new in another codicil than the one that is shown.
type ElsewhereError struct{ Rule, Codicil int64 }

// Error says in which.
func (e *ElsewhereError) Error() string {
	return fmt.Sprintf("rule %d is new in codicil %d", e.Rule, e.Codicil)
}

// ErrEnded reports that a codicil takes no changes, and ErrShown that nothing is changed where the rule book is shown as
// it was.
var (
	ErrEnded = errors.New("the codicil takes no changes")
	ErrShown = errors.New("what is shown is as it was")
)

// record puts what becomes of a thing into a codicil, after what stands there of it. before and base are what is in force,
// for a thing that is not in it yet; drop takes it out.
func (s *Store) record(ctx context.Context, id int64, change CodicilChange, by record.Stamp) error {
	c, err := s.Codicil(ctx, id)
	if err != nil {
		return err
	}
	there, err := s.changeIn(ctx, id, change.Thing)
	if err != nil {
		return err
	}
	if there != nil && !there.Dropped {
		change.Before, change.Base = there.Before, there.Base
	}
	if same(change.What, change.Before, change.After) {
		change.Dropped = true
	}
	if change.Dropped && (there == nil || there.Dropped) {
		return nil
	}
	if c.State == CodicilAgreed { // what was agreed to was something else
		c.State, c.Agreed = CodicilSubmitted, record.Stamp{}
	}
	c.Revision++
	change.Codicil, change.Revision, change.Changed = id, c.Revision, by
	if err := s.db.WithContext(ctx).Create(&change).Error; err != nil {
		return err
	}
	note := change.String()
	if change.Dropped {
		note += " taken out"
	}
	_, err = s.ChangeCodicil(ctx, c, note, by)
	return err
}

// changeIn is the last that a codicil says of a thing; nil: nothing.
func (s *Store) changeIn(ctx context.Context, id int64, t Thing) (*CodicilChange, error) {
	rows, err := all(s.db.WithContext(ctx).Where("codicil = ? AND what = ? AND key = ?", id, t.What, t.Key).Order("revision DESC").Limit(1), itself[CodicilChange])
	if err != nil || len(rows) == 0 {
		return nil, err
	}
	return &rows[0], nil
}

// Rebase says that a change in a codicil was made from what is in force now.
func (s *Store) Rebase(ctx context.Context, id int64, t Thing, by record.Stamp) error {
	return s.Transaction(ctx, func(tx *Store) error {
		there, err := tx.changeIn(ctx, id, t)
		if err != nil {
			return err
		}
		if there == nil || there.Dropped {
			return &NotFoundError{"change of " + t.What, t.Key}
		}
		now, err := tx.inForce(ctx, t)
		if err != nil {
			return err
		}
		// Of what is taken out nothing is left: it is put in anew.
		if err := tx.record(ctx, id, CodicilChange{Thing: t, Dropped: true}, by); err != nil {
			return err
		}
		next := CodicilChange{Thing: t, Base: now.version, Before: now.text, Version: max(there.Version, now.version+1), After: there.After}
		return tx.record(ctx, id, next, by)
	})
}

// ProofsKept counts the proofs that are kept with a codicil until it is in force, by kind.
func (s *Store) ProofsKept(ctx context.Context, id int64) (map[string]int, error) {
	rows, err := all(s.db.WithContext(ctx).Table("proofs").Select("kind, COUNT(*) AS count").Where("codicil = ?", id).Group("kind"), itself[proofsOfKind])
	kept := make(map[string]int, len(rows))
	for _, row := range rows {
		kept[row.Kind] = row.Count
	}
	return kept, err
}

type proofsOfKind struct {
	Kind  string
	Count int
}

// Drop takes a change out of a codicil. A rule that is new in it is a draft of nothing then, and goes.
func (s *Store) Drop(ctx context.Context, id int64, t Thing, by record.Stamp) error {
	return s.Transaction(ctx, func(tx *Store) error {
		if t.What == ruleThing {
			r, err := tx.realRule(ctx, t.Key)
			if err != nil && !errors.Is(err, ErrNotFound) {
				return err
			}
			if err == nil && r.State == draftState {
				return tx.DeleteRule(ctx, r.ID, by)
			}
		}
		return tx.record(ctx, id, CodicilChange{Thing: t, Dropped: true}, by)
	})
}

// Put puts what becomes of a thing into a codicil, as it is kept: for what is taken back, and what comes from a file.
func (s *Store) Put(ctx context.Context, id int64, t Thing, after *string, by record.Stamp) error {
	return s.Transaction(ctx, func(tx *Store) error {
		now, err := tx.inForce(ctx, t)
		if err != nil {
			return err
		}
		return tx.record(ctx, id, CodicilChange{Thing: t, Base: now.version, Before: now.text, Version: now.version + 1, After: after}, by)
	})
}

// Definition reads what is kept of a thing: a rule.Rule, table.Standing, table.Crosswalk, table.Series, table.List, field.Field,
// record.Layout or record.FollowOn; nil for none.
func (t Thing) Definition(text *string) (any, error) {
	if text == nil {
		return nil, nil
	}
	switch t.What {
	case ruleThing:
		return read[rule.Rule](t, *text)
	case standingValue:
		return read[table.Standing](t, *text)
	case crosswalk:
		return read[table.Crosswalk](t, *text)
	case numberSeries:
		return read[table.Series](t, *text)
	case codeList:
		return read[table.List](t, *text)
	case fieldThing:
		return read[field.Field](t, *text)
	case layoutThing:
		return read[record.Layout](t, *text)
	case mapThing:
		return read[record.FollowOn](t, *text)
	}
	return nil, fmt.Errorf("store: nothing is kept of %s", t)
}

func read[T any](t Thing, text string) (T, error) {
	var definition T
	if err := codec.Read([]byte(text), &definition); err != nil {
		return definition, fmt.Errorf("%s: %w", t, err)
	}
	return definition, nil
}

// Undone is what a thing is when a change of it is taken back: what was before, and of a rule that was new that it is
// retired. Nil: nothing.
func (c *CodicilChange) Undone() (*string, error) {
	if c.What != ruleThing || c.Before != nil || c.After == nil {
		return c.Before, nil
	}
	r, err := read[rule.Rule](c.Thing, *c.After)
	if err != nil {
		return nil, err
	}
	r.State = rule.Retired
	return written(r)
}

// Number is that of a rule; 0: it is none.
func (t Thing) Number() int64 {
	if t.What != ruleThing {
		return 0
	}
	number, _ := strconv.ParseInt(t.Key, 10, 64)
	return number
}

// Same tells whether a definition of a thing says the same as another.
func (t Thing) Same(a, b *string) bool { return same(t.What, a, b) }
