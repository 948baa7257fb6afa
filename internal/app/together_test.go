package app_test

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"codicil/core/match"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/internal/app"
	"codicil/internal/app/books"
	"codicil/internal/app/commit"
	"codicil/internal/cache"
	"codicil/internal/contract"
	"codicil/internal/exchange"
	"codicil/internal/store"
)

// harbourAndStore is a harbour with its store.
func harbourAndStore(t *testing.T) (*app.App, *store.Store) {
	t.Helper()
	s := onCopy(t, &harbourOnce, &harbourFile, func(s *store.Store) { fillHarbour(t, s) })
	d := app.New(s, morning)
	t.Cleanup(d.Close)
	return d, s
}

// withRules is the book of an application with further rules in force, numbered from 1001 on.
func withRules(t *testing.T, d *app.App, bodies ...rule.Body) *exchange.Book {
	t.Helper()
	b, err := d.Books.Export(as(t))
	require.NoError(t, err)
	for i, body := range bodies {
		b.Rules = append(b.Rules, rule.Rule{ID: int64(1001 + i), UID: fmt.Sprintf("%016d", i), Version: 1, State: rule.InForce, Body: body})
	}
	return b
}

func fills(target, value string) rule.Body {
	return body("vendor", rule.Default, target, rule.Effect{Lifetime: rule.NewOnly, Value: value})
}

// A book of rules is checked, and told what it would change, while others write; so are rules that are copied.
func TestNobodyWaitsWhileABookOfRulesIsChecked(t *testing.T) {
	d, s := harbourAndStore(t)
	own := body("vendor", rule.Entry, "name", rule.Effect{Need: rule.Required})
	own.Scope.Companies = []string{"10"}
	add(t, d, own, rule.InForce)
	b := withRules(t, d, fills("trading_as", "name"))
	wrong := withRules(t, d, fills("trading_as", "nonsense"))
	require.NoError(t, s.Transaction(as(t), func(*store.Store) error { // somebody writes for long
		changes, err := d.Books.Import(as(t), b, true)
		require.NoError(t, err)
		require.Len(t, changes, 1)
		assert.Equal(t, books.Change{What: "rule", Name: "1001", Deed: "add"}, changes[0])
		_, err = d.Books.Import(as(t), wrong, false)
		assert.Equal(t, "unsound-rule", code(t, err))
		copies, err := d.Rules.Copy(as(t), contract.CopyRequest{Kind: "vendor", From: contract.PlanScope{Company: "10", Type: "TRAD"}, To: contract.PlanScope{Company: "20", Type: "TRAD"}, Dry: true})
		require.NoError(t, err)
		assert.Len(t, copies, 1)
		return nil
	}))
	changes, err := d.Books.Import(as(t), b, false)
	require.NoError(t, err)
	assert.Len(t, changes, 1)
	again, err := d.Books.Import(as(t), b, false)
	require.NoError(t, err)
	assert.Empty(t, again)

	// One rule is changed that a proof names: the proof stays.
	of, err := d.Rules.List(as(t), "vendor")
	require.NoError(t, err)
	_, err = d.Proofs.Keep(as(t), contract.KeepRequest{Name: "A name is asked for", Document: document("vendor", "10", "TRAD", values{}), Rules: []int64{of[0].ID}})
	require.NoError(t, err)
	b, err = d.Books.Export(as(t))
	require.NoError(t, err)
	b.Rules[0].Body.Note.Why = "Nobody knows whom we pay otherwise."
	for _, dry := range []bool{true, false} {
		changes, err := d.Books.Import(as(t), b, dry)
		require.NoError(t, err)
		require.Len(t, changes, 1)
		assert.Equal(t, "change", changes[0].Deed)
	}
}

// What is wrong only until the next rule of the book is taken is not wrong; what all of them make wrong is.
func TestRulesOfABookAreCheckedTogether(t *testing.T) {
	d := harbour(t)
	one := add(t, d, fills("name", "trading_as"), rule.InForce)
	circle := withRules(t, d, fills("trading_as", "name"))
	_, err := d.Books.Import(as(t), circle, false)
	assert.Equal(t, "loop", code(t, err))
	assert.Contains(t, err.Error(), "Name")
	assert.Contains(t, err.Error(), "rule 1001")
	now, err := d.Rules.List(as(t), "vendor")
	require.NoError(t, err)
	assert.Len(t, now, 1, "nothing of it is kept")

	mended := withRules(t, d, fills("trading_as", "name"))
	mended.Rules[0].Body.Effect.Value = `"Quay"` // it comes after the other one that would wait for it
	mended.Rules[0], mended.Rules[1] = mended.Rules[1], mended.Rules[0]
	_, err = d.Books.Import(as(t), mended, false)
	require.NoError(t, err)
	v, err := d.Rules.Get(as(t), one.ID)
	require.NoError(t, err)
	assert.Equal(t, []any{`"Quay"`, rule.InForce, one.Version + 1}, []any{v.Body.Effect.Value, v.State, v.Version})
}

// The keys of a unique rule are made before it is in force, by a book as by a codicil, however many records there are; a
// book that comes with the field too has them right after.
func TestUniqueRulesAreInForceWithTheirKeys(t *testing.T) {
	unique := func(target string) rule.Body {
		return body("vendor", rule.Validate, target, rule.Effect{Severity: rule.Refuse, Unique: &rule.Unique{}, Message: "There is one."})
	}
	d, s := harbourAndStore(t)
	d.Impact.InPlace = 0
	save(t, d, document("vendor", "10", "TRAD", values{"name": "Quay Ropes", "trading_as": "Ropes"}))
	kept := func(field string) bool {
		ready, err := s.HasUnique(as(t), "vendor", match.Unique{Fields: []string{field}, Ignore: match.Differences{}})
		require.NoError(t, err)
		return ready
	}
	ctx, leave := context.WithTimeout(as(t), time.Minute)
	defer leave()
	_, err := d.Books.Import(ctx, withRules(t, d, unique("name")), false)
	require.NoError(t, err)
	assert.True(t, kept("name"))
	out, err := d.Trials.Try(as(t), contract.TryRequest{Document: document("vendor", "10", "TRAD", values{"name": "Quay Ropes"})})
	require.NoError(t, err)
	require.NotEmpty(t, out.Messages)
	assert.Equal(t, "There is one.", out.Messages[0].Text)

	c := prepare(t, d, "One trading name")
	add(t, with(t, d, c), unique("trading_as"))
	assert.False(t, kept("trading_as"))
	move(t, d, c.ID, contract.CodicilInForce)
	assert.True(t, kept("trading_as"))
}

// What is written while a check goes through the saved records is looked at before what was checked is written; where rules
// changed meanwhile, it looks at all again.
func TestWhatIsWrittenDuringALookIsLookedAtToo(t *testing.T) {
	d, s := harbourAndStore(t)
	save(t, d, document("vendor", "10", "TRAD", values{"name": "There before"}))
	definitions := cache.New(s)
	line := commit.New(s, definitions, morning)
	looked := func(meanwhile func()) (seen [][]string) {
		begun := false
		err := line.BookLooking(as(t), func(since int64) commit.Definition {
			return func() (func(*store.Store, record.Stamp) error, error) {
				var names []string
				for r, err := range s.RecordsSince(as(t), "vendor", since) {
					require.NoError(t, err)
					names = append(names, r.Content.Values["name"])
				}
				seen = append(seen, names)
				if !begun {
					begun = true
					meanwhile()
				}
				return func(*store.Store, record.Stamp) error { return nil }, nil
			}
		})
		require.NoError(t, err)
		return seen
	}
	assert.Equal(t, [][]string{{"There before"}, nil}, looked(func() {}))
	during := looked(func() {
		save(t, d, document("vendor", "10", "TRAD", values{"name": "Meanwhile"}))
		save(t, d, document("customer", "10", "WHOL", values{"name": "Another kind"}))
	})
	assert.Equal(t, [][]string{{"There before"}, {"Meanwhile"}}, during)
	again := looked(func() {
		add(t, d, fills("trading_as", `"x"`), rule.InForce)
		definitions.Forget() // as the line does that wrote it
	})
	assert.Equal(t, [][]string{{"Meanwhile", "There before"}, {"Meanwhile", "There before"}, nil}, sorted(again))
}

func sorted(lists [][]string) [][]string {
	for _, list := range lists {
		slices.Sort(list)
	}
	return lists
}

// A codicil of many rules comes into force though there is no time to measure what proofs notice of all of them and to compare findings, and says so.
func TestACodicilIsCheckedAsLongAsThereIsTime(t *testing.T) {
	d := harbour(t)
	first := add(t, d, fills("trading_as", "name"), rule.InForce)
	_, err := d.Proofs.Keep(as(t), contract.KeepRequest{Name: "Named", Document: document("vendor", "10", "TRAD", values{"name": "Quay"}), Rules: []int64{first.ID}})
	require.NoError(t, err)
	c := prepare(t, d, "Two of them")
	add(t, with(t, d, c), fills("city", `"Port"`))
	add(t, with(t, d, c), fills("postal_code", `"1"`))
	whole := func() (line string, measured int) {
		check, err := d.Codicils.Check(as(t), c.ID, true)
		require.NoError(t, err)
		require.Len(t, check.Rules, 2)
		for _, r := range check.Rules {
			if r.After != nil {
				measured++
			}
		}
		return strings.Join(check.Lines, "\n"), measured
	}
	line, measured := whole()
	assert.Equal(t, 2, measured)
	assert.NotContains(t, line, "not measured in time")
	d.Codicils.Longest = time.Nanosecond
	line, measured = whole()
	assert.Zero(t, measured)
	assert.Contains(t, line, "What they notice of 2 rules was not measured in time.")
	assert.Contains(t, line, "There was no time to compare all findings.")
	assert.Equal(t, contract.CodicilInForce, move(t, d, c.ID, contract.CodicilInForce).State)
}
