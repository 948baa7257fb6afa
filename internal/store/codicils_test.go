package store_test

import (
	"errors"
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"codicil/core/field"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/core/table"
	"codicil/internal/store"
)

// shown is all of the rule book that a codicil can change, as a store shows it; what does nothing is left out.
type shown struct {
	Rules    []rule.Rule
	Tables   table.Set
	Fields   []field.Field
	Layouts  []record.ScopedLayout
	FollowOn []record.FollowOn
}

func bookOf(t *testing.T, s *store.Store) (b shown) {
	t.Helper()
	rules, err := s.Rules(t.Context(), "vendor")
	require.NoError(t, err)
	for _, r := range rules {
		if r.State != rule.Draft && r.State != rule.Retired { // which do nothing
			b.Rules = append(b.Rules, r)
		}
	}
	tables, err := s.Tables(t.Context())
	require.NoError(t, err)
	b.Tables = tables.Set
	kinds, err := s.Kinds(t.Context())
	require.NoError(t, err)
	b.Fields = append(b.Fields, kinds[0].Fields...)
	slices.SortFunc(b.Fields, func(a, b field.Field) int { return strings.Compare(a.Key, b.Key) })
	b.Layouts, err = s.Layouts(t.Context(), "vendor")
	require.NoError(t, err)
	b.FollowOn, err = s.FollowOns(t.Context())
	require.NoError(t, err)
	return b
}

// changer changes a rule book at random.
type changer struct {
	t *testing.T
	r *rand.Rand
	n int
}

func (c *changer) by() record.Stamp {
	c.n++
	return record.Stamp{At: fmt.Sprintf("2026-01-%02dT%02d:%02d:00.000000Z", 1+c.n/1440, c.n/60%24, c.n%60), By: "Ada", Person: "Ada", Via: "test"}
}

// step makes one change of what a store shows. What cannot be is not done.
func (c *changer) step(s *store.Store) {
	ctx, by, key := c.t.Context(), c.by(), string(rune('a'+c.r.IntN(3)))
	text := fmt.Sprint(c.n)
	may := func(err error) {
		if err != nil {
			expected := []error{store.ErrStale, store.ErrTaken, store.ErrNotFound, store.ErrEnded}
			var elsewhere *store.ElsewhereError
			require.True(c.t, errors.As(err, &elsewhere) || slices.ContainsFunc(expected, func(e error) bool { return errors.Is(err, e) }), "%v", err)
		}
	}
	tables, err := s.Tables(ctx)
	require.NoError(c.t, err)
	switch c.r.IntN(9) {
	case 0:
		_, err := s.AddRule(ctx, rule.Rule{State: rule.Draft, Name: "rule " + text, Body: rule.Body{Kind: "vendor", Target: "name", When: text}}, by)
		may(err)
	case 1, 2:
		rules, err := s.Rules(ctx, "vendor")
		require.NoError(c.t, err)
		if len(rules) == 0 {
			return
		}
		r := rules[c.r.IntN(len(rules))]
		r.When = text
		if next := []rule.State{rule.Draft, rule.InForce, rule.Suspended, rule.Retired}[c.r.IntN(4)]; r.State.MayBecome(next) {
			r.State = next
		}
		_, err = s.ChangeRule(ctx, r, by)
		may(err)
	case 3:
		may(s.SaveStanding(ctx, table.Standing{Field: field.Field{Key: key, Label: text, Type: field.Number}}, tables.VersionOf("standing", key), by))
	case 4:
		may(s.SaveCrosswalk(ctx, table.Crosswalk{Key: key, Label: text}, tables.VersionOf("crosswalk", key), by))
	case 5:
		may(s.DeleteLookup(ctx, []string{"standing", "crosswalk"}[c.r.IntN(2)], key, by))
	case 6:
		if c.r.IntN(3) == 0 {
			may(s.RemoveField(ctx, "vendor", "f"+key, by))
			return
		}
		may(s.SaveField(ctx, "vendor", field.Field{Key: "f" + key, Label: text, Section: "general", Type: field.Text, Added: true}, by))
	case 7:
		if c.r.IntN(3) == 0 {
			may(s.DeleteLayout(ctx, "vendor", "", key, by))
			return
		}
		may(s.SaveLayout(ctx, record.ScopedLayout{Kind: "vendor", Type: key, Layout: record.Layout{Sections: []record.LayoutSection{{Key: "general", Label: text}}}}, by))
	case 8:
		maps, err := s.FollowOns(ctx)
		require.NoError(c.t, err)
		m := record.FollowOn{Name: text, From: "vendor", To: "vendor"}
		if len(maps) > 0 && c.r.IntN(2) == 0 {
			m.ID = maps[c.r.IntN(len(maps))].ID
		}
		if m.ID > 0 && c.r.IntN(3) == 0 {
			may(s.DeleteFollowOn(ctx, m.ID, by))
			return
		}
		_, err = s.SaveFollowOn(ctx, m, by)
		may(err)
	}
}

// Whatever is changed, at once, together or in codicils: as it was at a version is as it was at that version, what a codicil
// shows is what it makes when it comes into force, and taking it back makes what was before.
func TestTheRuleBookIsShownAsItWasAndAsItWillBe(t *testing.T) {
	for seed := range uint64(16) {
		t.Run(fmt.Sprint(seed), func(t *testing.T) {
			t.Parallel()
			s := prepared(t, "")
			defer func() { require.NoError(t, s.Close()) }()
			c := &changer{t: t, r: rand.New(rand.NewPCG(seed, 1))}
			type then struct {
				book  int64
				at    string
				shown shown
			}
			var former []then
			note := func() {
				version, _, err := s.BookVersion(t.Context())
				require.NoError(t, err)
				former = append(former, then{version, c.by().At, bookOf(t, s)})
			}
			var codicils []int64
			for range 60 {
				switch c.r.IntN(6) {
				case 0, 1, 2:
					c.step(s)
				case 3: // several together are one version and one codicil
					before, _, err := s.BookVersion(t.Context())
					require.NoError(t, err)
					require.NoError(t, s.Amend(t.Context(), store.CodicilHead{Title: "together"}, c.by(), func(tx *store.Store) error {
						for range 4 {
							c.step(tx)
						}
						return nil
					}))
					after, _, err := s.BookVersion(t.Context())
					require.NoError(t, err)
					assert.LessOrEqual(t, after-before, int64(5)) // drafts are no part of it
				case 4:
					made, err := s.BeginCodicil(t.Context(), store.CodicilHead{Title: "prepared"}, 0, c.by())
					require.NoError(t, err)
					codicils = append(codicils, made.ID)
					for range 4 {
						before := bookOf(t, s)
						c.step(s.Viewed(store.View{Codicil: made.ID}))
						assert.Equal(t, before, bookOf(t, s), "what is prepared is not in force")
					}
				case 5:
					if len(codicils) == 0 {
						continue
					}
					id := codicils[len(codicils)-1]
					codicils = codicils[:len(codicils)-1]
					c.comesIntoForce(s, id)
				}
				note()
			}
			for _, f := range former {
				assert.Equal(t, f.shown, bookOf(t, s.Viewed(store.View{Book: f.book})), "version %d", f.book)
				assert.Equal(t, f.shown, bookOf(t, s.Viewed(store.View{Until: f.at})), "until %s", f.at)
			}
		})
	}
}

func (c *changer) comesIntoForce(s *store.Store, id int64) {
	t := c.t
	with := bookOf(t, s.Viewed(store.View{Codicil: id}))
	before := bookOf(t, s)
	book, _, err := s.BookVersion(t.Context())
	require.NoError(t, err)
	codicil, err := s.Codicil(t.Context(), id)
	require.NoError(t, err)
	changes, err := s.ChangesOf(t.Context(), id, 0)
	require.NoError(t, err)
	forced, err := s.Force(t.Context(), codicil, c.by())
	if errors.Is(err, store.ErrOvertaken) || codicil.State.Ended() {
		require.Error(t, err)
		assert.Equal(t, before, bookOf(t, s))
		return
	}
	require.NoError(t, err)
	assert.Equal(t, store.CodicilInForce, forced.State)
	after := bookOf(t, s)
	assert.Equal(t, unnumbered(with), unnumbered(after))
	now, _, err := s.BookVersion(t.Context())
	require.NoError(t, err)
	if len(changes) > 0 {
		assert.Equal(t, book+1, now)
	}
	// Taking it back is a codicil like any.
	back, err := s.BeginCodicil(t.Context(), store.CodicilHead{Title: "back"}, id, c.by())
	require.NoError(t, err)
	changes, err = s.ChangesOf(t.Context(), id, 0)
	require.NoError(t, err)
	for i := range changes {
		undone, err := changes[i].Undone()
		require.NoError(t, err)
		require.NoError(t, s.Put(t.Context(), back.ID, changes[i].Thing, undone, c.by()))
	}
	back, err = s.Codicil(t.Context(), back.ID)
	require.NoError(t, err)
	_, err = s.Force(t.Context(), back, c.by())
	require.NoError(t, err)
	assert.Equal(t, unnumbered(before), unnumbered(bookOf(t, s)))
}

// unnumbered leaves out versions and reasons of rules.
func unnumbered(b shown) shown {
	var rules []rule.Rule
	for _, r := range b.Rules {
		r.Version, r.Reason = 0, ""
		rules = append(rules, r)
	}
	b.Rules = rules
	return b
}
