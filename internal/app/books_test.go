package app_test

import (
	"bytes"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"codicil/core/judge"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/internal/app"
	"codicil/internal/contract"
	"codicil/internal/exchange"
	"codicil/internal/standard"
)

// carried reads the book of an application into another, and returns it.
func carried(t *testing.T, d, other *app.App) *exchange.Book {
	t.Helper()
	b, err := d.Books.Export(as(t))
	require.NoError(t, err)
	_, err = other.Books.Import(as(t), b, false)
	require.NoError(t, err)
	return b
}

// filed is the file of a codicil as it is read elsewhere.
func filed(t *testing.T, d *app.App, c contract.Codicil) *exchange.Book {
	t.Helper()
	of, err := d.Books.Codicil(as(t), c.ID)
	require.NoError(t, err)
	var file bytes.Buffer
	require.NoError(t, of.Write(&file))
	read, err := exchange.ReadBook(&file)
	require.NoError(t, err)
	return read
}

// A rule that was retired here, and is in force in the book, is taken up again: it is the same rule.
func TestARetiredRuleIsTakenUpAgainFromABook(t *testing.T) {
	d, other := office(t), office(t)
	add(t, d, terms(`"N30"`, rule.Scope{}), rule.InForce)
	b := carried(t, d, other)
	rules, err := other.Rules.List(as(t), "vendor")
	require.NoError(t, err)
	require.Len(t, rules, 1)
	retired, err := other.Rules.Move(as(t), rules[0].ID, contract.RuleMove{State: rule.Retired, Version: rules[0].Version})
	require.NoError(t, err)
	assert.Empty(t, termsOf(t, other))
	_, err = other.Books.Import(as(t), b, false)
	require.NoError(t, err)
	again, err := other.Rules.Get(as(t), retired.ID)
	require.NoError(t, err)
	assert.Equal(t, rule.InForce, again.State)
	assert.Equal(t, "N30", termsOf(t, other))
}

// Proofs that were kept with a codicil go with it, and name the rules of the place they come to.
func TestProofsGoWithTheirCodicil(t *testing.T) {
	d, other := office(t), office(t)
	add(t, other, body("vendor", rule.Default, "ends", rule.Effect{Lifetime: rule.NewOnly, Value: `date("2026-12-31")`}), rule.InForce) // the numbers differ
	kept := add(t, d, terms(`"N30"`, rule.Scope{}), rule.InForce)
	b := carried(t, d, other)
	c := prepare(t, d, "Names")
	named := put(t, d, c, body("vendor", rule.Default, "name", rule.Effect{Lifetime: rule.NewOnly, Value: `"Quay"`}))
	_, err := with(t, d, c).Proofs.Keep(as(t), contract.KeepRequest{
		Document: judge.Document{Kind: "vendor", Company: "10", Type: "TRAD", Day: "2026-11-24"}, Name: "Both", Rules: []int64{kept.ID, named.ID}, Fields: []string{"terms", "name"},
	})
	require.NoError(t, err)
	of, err := d.Books.Codicil(as(t), c.ID)
	require.NoError(t, err)
	require.Len(t, of.Proofs, 1)
	made, changes, err := other.Bring(as(t), of, "")
	require.NoError(t, err)
	assert.Len(t, changes, 2)
	assert.Equal(t, "Names", made.Title)
	assert.Equal(t, contract.CodicilOpen, made.State)
	run, err := with(t, other, made).Proofs.Run(as(t), contract.RunRequest{Kind: "vendor"})
	require.NoError(t, err)
	assert.Equal(t, 1, run.Held, "%+v", run.Results)
	proofs, err := with(t, other, made).Proofs.List(as(t), "vendor")
	require.NoError(t, err)
	require.Len(t, proofs, 1)
	assert.Len(t, proofs[0].Rules, 2)
	none, err := other.Proofs.List(as(t), "vendor")
	require.NoError(t, err)
	assert.Empty(t, none, "it belongs to the codicil")

	// What says nothing new leaves no codicil open.
	again, changes, err := d.Bring(as(t), b, "Nothing")
	require.NoError(t, err)
	assert.Empty(t, changes)
	assert.Equal(t, contract.CodicilWithdrawn, codicil(t, d, again.ID).State)
}

// Rules of a book that say the same are as many rules where it is read, whichever of them is there already; read once more it changes nothing.
func TestRulesThatSayTheSameStaySeparate(t *testing.T) {
	for _, without := range []bool{false, true} { // identifiers
		d, other := office(t), office(t)
		first := add(t, d, terms(`"N30"`, rule.Scope{}), rule.InForce)
		carried(t, d, other)
		second, err := d.Rules.Create(as(t), contract.RuleChange{Body: first.Body, Name: "The next version"})
		require.NoError(t, err)
		b, err := d.Books.Export(as(t))
		require.NoError(t, err)
		if without {
			for i := range b.Rules {
				b.Rules[i].UID = ""
			}
		}
		for _, expected := range []int{1, 0} {
			changes, err := other.Books.Import(as(t), b, false)
			require.NoError(t, err)
			assert.Len(t, changes, expected, "%v", changes)
		}
		rules, err := other.Rules.List(as(t), "vendor")
		require.NoError(t, err)
		require.Len(t, rules, 2)
		assert.Equal(t, []rule.State{rule.InForce, rule.Draft}, []rule.State{rules[0].State, rules[1].State})
		assert.Equal(t, []string{first.Name, second.Name}, []string{rules[0].Name, rules[1].Name})
	}
}

// Layouts of forms and maps from record to record go with a book and with a codicil, as JSON and as text, and what a codicil removes of
// them goes elsewhere too, where they have other numbers.
func TestLayoutsAndMapsGoWithTheirBook(t *testing.T) {
	d, other := harbour(t), harbour(t)
	again := func(name string) record.FollowOn {
		return record.FollowOn{Name: name, From: "vendor", To: "vendor", Type: "TRAD", Pairs: []record.Pair{{From: "name", To: "name"}}}
	}
	_, err := other.Catalog.SaveFollowOn(as(t), again("Their own"))
	require.NoError(t, err)
	arranged := func(label string) record.Layout {
		return record.Layout{Sections: []record.LayoutSection{{Key: "general", Fields: []record.LayoutField{{Key: "name", Label: label, Width: 4}}}}}
	}
	label := func(d *app.App) string {
		l, err := d.Catalog.Layout(as(t), "vendor", "10", "")
		require.NoError(t, err)
		return l.Layout.Sections[0].Fields[0].Label
	}
	maps := func(d *app.App) (names []string) {
		list, err := d.Catalog.FollowOns(as(t))
		require.NoError(t, err)
		for _, m := range list {
			names = append(names, m.Name)
		}
		return names
	}
	_, err = d.Catalog.SaveLayout(as(t), "vendor", "10", "", arranged("Trading partner"))
	require.NoError(t, err)
	kept, err := d.Catalog.SaveFollowOn(as(t), again("One more/again"))
	require.NoError(t, err)

	kinds, err := standard.Kinds()
	require.NoError(t, err)
	b, err := d.Books.Export(as(t))
	require.NoError(t, err)
	var text, plain bytes.Buffer
	require.NoError(t, b.WriteText(&text, kinds))
	require.NoError(t, b.Write(&plain))
	for _, file := range []*bytes.Buffer{&text, &plain} {
		again, err := other.Books.Read(as(t), file, true)
		require.NoError(t, err)
		if file == &text {
			assert.Len(t, again, 2, "%v", again)
		} else {
			assert.Empty(t, again)
		}
		assert.Equal(t, "Trading partner", label(other))
		assert.Equal(t, []string{"Their own", "One more/again"}, maps(other))
	}

	c := prepare(t, d, "Forms")
	_, err = with(t, d, c).Catalog.SaveLayout(as(t), "vendor", "10", "", arranged("Who we buy from"))
	require.NoError(t, err)
	_, err = with(t, d, c).Catalog.SaveFollowOn(as(t), again("A second"))
	require.NoError(t, err)
	require.NoError(t, with(t, d, c).Catalog.DeleteFollowOn(as(t), kept.ID))
	read := filed(t, d, c)
	made, changes, err := other.Bring(as(t), read, "")
	require.NoError(t, err)
	assert.Len(t, changes, 3, "%v", changes)
	assert.Equal(t, "Who we buy from", label(with(t, other, made)))
	assert.Equal(t, []string{"Their own", "A second"}, maps(with(t, other, made)))
	assert.Equal(t, "Trading partner", label(other))
}

// A codicil that ends a rule, with or without another change of it, goes elsewhere; a rule that is saved in a codicil as it is in force can be
// moved from there on.
func TestACodicilThatEndsARuleGoesElsewhere(t *testing.T) {
	for _, state := range []rule.State{rule.Retired, rule.Suspended} {
		for _, name := range []string{"", "Until the autumn"} {
			d, other := office(t), office(t)
			v := add(t, d, terms(`"N30"`, rule.Scope{}), rule.InForce)
			carried(t, d, other)
			c := prepare(t, d, "The end")
			saved, err := with(t, d, c).Rules.Change(as(t), v.ID, contract.RuleChange{ID: v.ID, Version: v.Version, Body: v.Body, Name: name, Reason: "a test"})
			require.NoError(t, err)
			_, err = with(t, d, c).Rules.Move(as(t), v.ID, contract.RuleMove{State: state, Version: saved.Version, Reason: "a test"})
			require.NoError(t, err)
			of, err := d.Books.Codicil(as(t), c.ID)
			require.NoError(t, err)
			made, _, err := other.Bring(as(t), of, "")
			require.NoError(t, err)
			assert.Equal(t, "N30", termsOf(t, other))
			assert.Empty(t, termsOf(t, with(t, other, made)), "%s %s", state, name)
		}
	}
}

// A codicil that takes away takes the same away where its file is read, and nothing a second time.
func TestWhatACodicilTakesAwayGoesWithIt(t *testing.T) {
	apart := func() *app.App {
		d := berths(t)
		for scope, label := range map[[2]string]string{{"10", ""}: "Of the works", {"20", "TRAD"}: "Of traders"} {
			_, err := d.Catalog.SaveLayout(as(t), "vendor", scope[0], scope[1], record.Layout{Sections: []record.LayoutSection{{Key: "general", Fields: []record.LayoutField{{Key: "name", Label: label, Width: 3}}}}})
			require.NoError(t, err)
		}
		for _, name := range []string{"Neighbour", "The same / again"} {
			_, err := d.Catalog.SaveFollowOn(as(t), record.FollowOn{Name: name, From: "vendor", To: "vendor", Type: "TRAD", Pairs: []record.Pair{{From: "name", To: "name"}}})
			require.NoError(t, err)
		}
		return d
	}
	home, other := apart(), apart()
	r := add(t, home, body("vendor", rule.Default, "name", rule.Effect{Lifetime: rule.NewOnly, Value: `"Quay"`}), rule.InForce)
	carried(t, home, other)

	c := prepare(t, home, "Fewer")
	inside := with(t, home, c)
	require.NoError(t, inside.Fields.Remove(as(t), "vendor", "berth"))
	_, err := inside.Catalog.DeleteLayout(as(t), "vendor", "20", "TRAD")
	require.NoError(t, err)
	maps, err := inside.Catalog.FollowOns(as(t))
	require.NoError(t, err)
	require.Len(t, maps, 2)
	require.NoError(t, inside.Catalog.DeleteFollowOn(as(t), maps[1].ID))
	_, err = inside.Rules.Move(as(t), r.ID, contract.RuleMove{State: rule.Retired, Version: r.Version})
	require.NoError(t, err)
	read := filed(t, home, c)
	made, changes, err := other.Bring(as(t), read, "")
	require.NoError(t, err)
	assert.Len(t, changes, 4, "%v", changes)
	assert.Equal(t, contract.CodicilOpen, made.State)
	seen := with(t, other, made)
	view, err := seen.Catalog.Layout(as(t), "vendor", "20", "TRAD")
	require.NoError(t, err)
	assert.NotEqual(t, "Of traders", view.Layout.Sections[0].Fields[0].Label)
	view, err = seen.Catalog.Layout(as(t), "vendor", "10", "TRAD")
	require.NoError(t, err)
	assert.Equal(t, "Of the works", view.Layout.Sections[0].Fields[0].Label)
	left, err := seen.Catalog.FollowOns(as(t))
	require.NoError(t, err)
	require.Len(t, left, 1)
	assert.Equal(t, maps[0].Name, left[0].Name)
	removed, err := seen.Fields.Removed(as(t), "vendor")
	require.NoError(t, err)
	require.Len(t, removed, 1)
	assert.Equal(t, "berth", removed[0].Field.Key)
	for at, state := range map[*app.App]rule.State{seen: rule.Retired, other: rule.InForce} {
		rules, err := at.Rules.List(as(t), "vendor")
		require.NoError(t, err)
		require.Len(t, rules, 1)
		assert.Equal(t, state, rules[0].State)
	}

	for _, state := range []contract.CodicilState{contract.CodicilSubmitted, contract.CodicilAgreed, contract.CodicilInForce} {
		move(t, other, made.ID, state)
	}
	_, changes, err = other.Bring(as(t), read, "")
	require.NoError(t, err)
	assert.Empty(t, changes, "it is so already")
}
