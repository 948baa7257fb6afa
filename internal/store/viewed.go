package store

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"codicil/core/field"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/internal/codec"
)

// View says by which rule book it is shown, in place of the one in force.
type View struct {
	// Codicil is on top of what is in force, or of what was; 0: none. Revision is the last of its changes that counts; 0: all.
	Codicil  int64
	Revision int
	// Until is the instant of which the book is; "": now. Book is its version then; 0: it is not asked for by that.
	Until string
	Book  int64
}

// mayChange tells whether changes may go into what is shown.
func (v *View) mayChange() bool {
	return v.Codicil > 0 && v.Revision == 0 && v.Until == "" && v.Book == 0
}

// Viewed returns the store as it shows by another rule book. What is changed of the book goes into the codicil that is
// shown; all else is as ever.
func (s *Store) Viewed(v View) *Store {
	shown := *s
	shown.view = &v
	return &shown
}

// View is what is shown in place of what is in force; nil: what is in force.
func (s *Store) View() *View { return s.view }

// other is what is shown of a thing in place of what is in force.
type other struct {
	version int
	text    *string
	at      int // its place among what came into the codicil
}

// others are the things of which something else is shown. whats narrow. Cost: the changes of the codicil; of the past, all
// changes since.
func (s *Store) others(ctx context.Context, whats ...string) (map[Thing]other, error) {
	others := map[Thing]other{}
	v := s.view
	if v.Until != "" || v.Book > 0 {
		// What came into force since is undone: of each thing what was before the first of it.
		query := s.inForceChanges(ctx).Where("what IN ?", whats).Order("codicils.turn")
		if v.Until != "" {
			query = query.Where("codicils.ended_at > ?", v.Until)
		}
		if v.Book > 0 {
			query = query.Where("codicils.book > ?", v.Book)
		}
		since, err := all(query, itself[CodicilChange])
		if err != nil {
			return nil, err
		}
		for _, c := range since {
			if _, there := others[c.Thing]; !there {
				others[c.Thing] = other{version: c.Base, text: c.Before}
			}
		}
	}
	if v.Codicil > 0 {
		changes, err := s.ChangesOf(ctx, v.Codicil, v.Revision)
		if err != nil {
			return nil, err
		}
		for i, c := range changes {
			if slices.Contains(whats, c.What) {
				others[c.Thing] = other{c.Version, c.After, i}
			}
		}
	}
	return others, nil
}

// asItWas tells whether the past is shown.
func (v *View) asItWas() bool { return v.Until != "" || v.Book > 0 }

func (s *Store) viewedRules(ctx context.Context, rules []rule.Rule) ([]rule.Rule, error) {
	others, err := s.others(ctx, ruleThing)
	if err != nil {
		return nil, err
	}
	kept := rules[:0]
	for _, r := range rules {
		o, there := others[ruleThingOf(r.ID)]
		switch {
		case there && o.text == nil:
			continue // it was not there
		case there:
			now := r
			if err := codec.Read([]byte(*o.text), &now); err != nil {
				return nil, fmt.Errorf("rule %d: %w", r.ID, err)
			}
			now.ID, now.UID, now.Version = r.ID, r.UID, o.version
			r = now
		case r.State == draftState && s.view.asItWas():
			continue
		}
		kept = append(kept, r)
	}
	return kept, nil
}

func (s *Store) viewedLookups(ctx context.Context, rows []lookup) ([]lookup, error) {
	others, err := s.others(ctx, standingValue, crosswalk, numberSeries, codeList)
	if err != nil {
		return nil, err
	}
	rows = slices.DeleteFunc(rows, func(l lookup) bool { _, there := others[Thing{l.What, l.Key}]; return there })
	for t, o := range others {
		if o.text != nil {
			rows = append(rows, lookup{t.What, t.Key, o.version, *o.text})
		}
	}
	slices.SortFunc(rows, func(a, b lookup) int { return cmp.Or(strings.Compare(a.Key, b.Key), strings.Compare(a.What, b.What)) })
	return rows, nil
}

func (s *Store) viewedLayouts(ctx context.Context, kind string, layouts []record.ScopedLayout) ([]record.ScopedLayout, error) {
	others, err := s.others(ctx, layoutThing)
	if err != nil {
		return nil, err
	}
	layouts = slices.DeleteFunc(layouts, func(l record.ScopedLayout) bool {
		_, there := others[layoutThingOf(l.Kind, l.Company, l.Type)]
		return there
	})
	for t, o := range others {
		parts := strings.SplitN(t.Key, "/", 3)
		if o.text == nil || len(parts) != 3 || parts[0] != kind {
			continue
		}
		l := record.ScopedLayout{Kind: parts[0], Company: parts[1], Type: parts[2]}
		if err := codec.Read([]byte(*o.text), &l.Layout); err != nil {
			return nil, fmt.Errorf("%s: %w", t, err)
		}
		layouts = append(layouts, l)
	}
	slices.SortFunc(layouts, func(a, b record.ScopedLayout) int {
		return cmp.Or(strings.Compare(a.Company, b.Company), strings.Compare(a.Type, b.Type))
	})
	return layouts, nil
}

func (s *Store) viewedFollowOns(ctx context.Context, maps []record.FollowOn) ([]record.FollowOn, error) {
	others, err := s.others(ctx, mapThing)
	if err != nil {
		return nil, err
	}
	maps = slices.DeleteFunc(maps, func(m record.FollowOn) bool { _, there := others[mapThingOf(m.ID)]; return there })
	for t, o := range others {
		if o.text == nil {
			continue
		}
		var m record.FollowOn
		if err := codec.Read([]byte(*o.text), &m); err != nil {
			return nil, fmt.Errorf("%s: %w", t, err)
		}
		if m.ID, err = strconv.ParseInt(t.Key, 10, 64); err != nil {
			return nil, fmt.Errorf("%s: %w", t, err)
		}
		maps = append(maps, m)
	}
	slices.SortFunc(maps, func(a, b record.FollowOn) int { return cmp.Compare(a.ID, b.ID) })
	return maps, nil
}

// viewedFields are the added fields of all kinds that are shown, in their order; new ones come last.
func (s *Store) viewedFields(ctx context.Context, fields []addedField) ([]addedField, error) {
	others, err := s.others(ctx, fieldThing)
	if err != nil {
		return nil, err
	}
	kept := fields[:0]
	for _, f := range fields {
		t := fieldThingOf(f.Kind, f.Key)
		o, there := others[t]
		delete(others, t)
		if there && o.text == nil {
			continue
		}
		if there {
			f.Definition = field.Field{}
			if err := codec.Read([]byte(*o.text), &f.Definition); err != nil {
				return nil, fmt.Errorf("%s: %w", t, err)
			}
		}
		kept = append(kept, f)
	}
	more, err := newFields(others)
	return append(kept, more...), err
}

// newFields are those that are shown and not in force, by kind, as they came into the codicil, as they will when it is in force.
func newFields(others map[Thing]other) (fields []addedField, err error) {
	at := func(f addedField) int { return others[fieldThingOf(f.Kind, f.Key)].at }
	for t, o := range others {
		kind, key, _ := strings.Cut(t.Key, "/")
		if o.text == nil {
			continue
		}
		f := addedField{Kind: kind, Key: key}
		if err := codec.Read([]byte(*o.text), &f.Definition); err != nil {
			return nil, fmt.Errorf("%s: %w", t, err)
		}
		fields = append(fields, f)
	}
	slices.SortFunc(fields, func(a, b addedField) int {
		return cmp.Or(strings.Compare(a.Kind, b.Kind), cmp.Compare(at(a), at(b)), strings.Compare(a.Key, b.Key))
	})
	return fields, nil
}

// viewedAdded are the fields that were added to a kind, as they are shown; one that is removed there has nobody who did it.
func (s *Store) viewedAdded(ctx context.Context, kind string, fields []AddedField) ([]AddedField, error) {
	others, err := s.others(ctx, fieldThing)
	if err != nil {
		return nil, err
	}
	for i := range fields {
		t := fieldThingOf(kind, fields[i].Key)
		o, there := others[t]
		delete(others, t)
		switch {
		case !there:
		case o.text == nil:
			fields[i].Removed = &record.Stamp{}
		default:
			fields[i] = AddedField{}
			if err := codec.Read([]byte(*o.text), &fields[i].Field); err != nil {
				return nil, fmt.Errorf("%s: %w", t, err)
			}
		}
	}
	more, err := newFields(others)
	for _, f := range more {
		if f.Kind == kind {
			fields = append(fields, AddedField{Field: f.Definition})
		}
	}
	return fields, err
}
