package codicils

import (
	"context"
	"fmt"
	"slices"

	"codicil/core/record"
	"codicil/core/table"
	"codicil/internal/access"
	"codicil/internal/actor"
	"codicil/internal/app/commit"
	"codicil/internal/contract"
	"codicil/internal/fault"
	"codicil/internal/store"
)

// Things are the use cases of what codicils made of one thing at a time: a table, field, layout or map.
type Things struct{ of *Service }

// NewThings returns them.
func NewThings(s *Service) *Things { return &Things{s} }

// mostHistory is how many changes of one thing are listed.
const mostHistory = 200

// History returns what codicils in force made of a thing, newest first; of a row of a table only what they made of that row.
// Cost: the definitions of the changes once.
func (s *Things) History(ctx context.Context, what contract.ThingKind, key string, row []string) ([]contract.CodicilChange, error) {
	if err := access.Need(ctx, actor.RulesRead); err != nil {
		return nil, err
	}
	changes, err := s.of.base.Store.ThingHistory(ctx, store.Thing{What: string(what), Key: key}, mostHistory)
	if err != nil {
		return nil, err
	}
	t, err := s.of.teller(ctx, nil)
	if err != nil {
		return nil, err
	}
	told := []contract.CodicilChange{}
	for i := range changes {
		sees, err := mayRead(ctx, &changes[i])
		if err != nil {
			return nil, err
		}
		if !sees {
			continue
		}
		v, err := t.tellRow(ctx, &changes[i], row)
		if err != nil {
			return nil, err
		}
		if row == nil || len(v.Before)+len(v.After) > 0 {
			told = append(told, v)
		}
	}
	return told, nil
}

// Compare returns what differs in a thing, or in one row of it, from how one codicil brought it into force to how another did.
func (s *Things) Compare(ctx context.Context, what contract.ThingKind, key string, row []string, from, to int64) (contract.CodicilChange, error) {
	if err := access.Need(ctx, actor.RulesRead); err != nil {
		return contract.CodicilChange{}, err
	}
	t, err := s.of.teller(ctx, nil)
	if err != nil {
		return contract.CodicilChange{}, err
	}
	var sides [2]store.CodicilChange
	for i, codicil := range []int64{from, to} {
		if sides[i], err = s.madeBy(ctx, store.Thing{What: string(what), Key: key}, codicil); err != nil {
			return contract.CodicilChange{}, err
		}
	}
	one := sides[1]
	one.Before = sides[0].After
	return t.tellRow(ctx, &one, row)
}

// madeBy returns what a codicil made of a thing, where who asks may see it.
func (s *Things) madeBy(ctx context.Context, thing store.Thing, codicil int64) (store.CodicilChange, error) {
	made, err := s.of.base.Store.MadeBy(ctx, thing, codicil)
	if err != nil {
		return made, commit.Explain(err)
	}
	sees, err := mayRead(ctx, &made)
	if err == nil && !sees {
		err = fault.Missing("change of %s", thing.String())
	}
	return made, err
}

func mayRead(ctx context.Context, c *store.CodicilChange) (bool, error) {
	if access.Everywhere(ctx) {
		return true, nil
	}
	return touches(ctx, c)
}

// Restore puts into a codicil that a thing becomes what it was. What it is worth then is said by the check, as of any change.
func (s *Things) Restore(ctx context.Context, r contract.Restoration) (contract.Codicil, error) {
	if err := access.Need(ctx, changedBy(r.What)); err != nil {
		return contract.Codicil{}, err
	}
	thing := store.Thing{What: string(r.What), Key: r.Key}
	made, err := s.madeBy(ctx, thing, r.Codicil)
	if err != nil {
		return contract.Codicil{}, err
	}
	if err := mayDecide(ctx, &made); err != nil {
		return contract.Codicil{}, err
	}
	t, err := s.of.teller(ctx, nil)
	if err != nil {
		return contract.Codicil{}, err
	}
	was, when := made.After, "with"
	if r.Before {
		if was, when = made.Before, "before"; was == nil {
			return contract.Codicil{}, fault.Hindered(noSuchBefore, r.Codicil, t.title(&made))
		}
	}
	put := func(tx *store.Store, into store.Codicil, by record.Stamp) error {
		now, err := tx.InForce(ctx, thing)
		switch {
		case err != nil:
			return err
		case thing.Same(now, was) && r.Into == 0:
			return fault.Hindered(sameAsNow, t.title(&made), r.Codicil)
		}
		return tx.Put(ctx, into.ID, thing, was, by)
	}
	if r.Into == 0 {
		title := fmt.Sprintf("%s as it was %s codicil %d", t.title(&made), when, r.Codicil)
		return s.of.begin(ctx, store.CodicilHead{Title: title}, 0, put)
	}
	err = s.of.base.Line.Write(ctx, func(tx *store.Store, by record.Stamp) error {
		into, err := tx.Codicil(ctx, r.Into)
		if err != nil {
			return err
		}
		if into.State.Ended() {
			return fault.Hindered(ended, into.ID, into.State)
		}
		return put(tx, into, by)
	})
	if err != nil {
		return contract.Codicil{}, err
	}
	s.of.base.Cache.Forget()
	return s.of.Get(ctx, r.Into)
}

// changedBy is the permission to change a thing.
func changedBy(what contract.ThingKind) actor.Permission {
	switch what {
	case "rule":
		return actor.RulesChange
	case "standing", "crosswalk", "series", "list":
		return actor.TablesChange
	}
	return actor.SetupChange
}

// tellRow says what a change is, of one row where it is asked for by itself; nil: of the whole thing.
func (t *teller) tellRow(ctx context.Context, c *store.CodicilChange, row []string) (contract.CodicilChange, error) {
	told, err := t.tell(ctx, c)
	if err != nil || row == nil {
		return told, err
	}
	before, err := t.rowLines(c, c.Before, row)
	if err != nil {
		return told, err
	}
	after, err := t.rowLines(c, c.After, row)
	told.Before, told.After = differing(before, after)
	return told, err
}

// rowLines tells what a table says in one row: of a crosswalk under its codes, of a standing value in a company, of a list under its code.
func (t *teller) rowLines(c *store.CodicilChange, text *string, row []string) ([]string, error) {
	definition, err := c.Definition(text)
	if err != nil {
		return nil, err
	}
	switch d := definition.(type) {
	case nil:
		return nil, nil
	case table.Crosswalk:
		d.Rows = slices.DeleteFunc(slices.Clone(d.Rows), func(r table.Row) bool { return !slices.Equal(r.Keys, row) })
		return t.rowsOf(&d), nil
	case table.List:
		d.Entries = slices.DeleteFunc(slices.Clone(d.Entries), func(e table.Entry) bool { return !slices.Equal([]string{e.Code}, row) })
		return t.entriesOf(&d), nil
	case table.Standing:
		d.Periods = slices.DeleteFunc(slices.Clone(d.Periods), func(p table.StandingValue) bool { return !slices.Equal([]string{p.Company}, row) })
		return t.periodsOf(&d), nil
	}
	return nil, fault.Bad(noRows, t.title(c))
}
