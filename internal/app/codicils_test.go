package app_test

import (
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"codicil/core/field"
	"codicil/core/judge"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/core/table"
	"codicil/internal/actor"
	"codicil/internal/app"
	"codicil/internal/contract"
	"codicil/internal/fault"
)

// by is the application as it shows by another rule book.
func by(t *testing.T, d *app.App, rules string) *app.App {
	t.Helper()
	v, err := d.Codicils.View(as(t), rules)
	require.NoError(t, err)
	shown, err := d.Viewed(as(t), v)
	require.NoError(t, err)
	return shown
}

func with(t *testing.T, d *app.App, c contract.Codicil) *app.App {
	t.Helper()
	return by(t, d, fmt.Sprintf("codicil-%d", c.ID))
}

func prepare(t *testing.T, d *app.App, title string) contract.Codicil {
	t.Helper()
	c, err := d.Codicils.Begin(as(t), contract.CodicilHead{Title: title, Reason: "a test"})
	require.NoError(t, err)
	return c
}

func codicil(t *testing.T, d *app.App, id int64) contract.Codicil {
	t.Helper()
	c, err := d.Codicils.Get(as(t), id)
	require.NoError(t, err)
	return c
}

func move(t *testing.T, d *app.App, id int64, state contract.CodicilState) contract.Codicil {
	t.Helper()
	if state == contract.CodicilAgreed {
		c, err := d.Codicils.Sign(as(t), id, contract.CodicilSign{Hash: codicil(t, d, id).Hash, Reason: "a test"})
		require.NoError(t, err)
		return c
	}
	c, err := d.Codicils.Move(as(t), id, contract.CodicilMove{State: state, Version: codicil(t, d, id).Version, Reason: "a test"})
	require.NoError(t, err)
	return c
}

// termsOf are the terms that a new vendor gets.
func termsOf(t *testing.T, d *app.App) string {
	t.Helper()
	out, err := d.Trials.Try(as(t), contract.TryRequest{Document: judge.Document{Kind: "vendor", Company: "10", Type: "TRAD"}})
	require.NoError(t, err)
	return final(out, "terms")
}

func final(out contract.Outcome, key string) string {
	i := slices.IndexFunc(out.Fields, func(f contract.FieldOutcome) bool { return f.Key == key })
	return out.Fields[i].Final.Value
}

func codeOf(t *testing.T, err error) string {
	t.Helper()
	var known *fault.Fault
	require.ErrorAs(t, err, &known)
	return known.Known()
}

// A single change is a codicil of its own, with no more steps than ever.
func TestASingleChangeIsACodicilOfItsOwn(t *testing.T) {
	d := office(t)
	v, err := d.Rules.Create(as(t), contract.RuleChange{Body: terms(`"N30"`, rule.Scope{})})
	require.NoError(t, err)
	open, err := d.Codicils.List(as(t), []contract.CodicilState{contract.CodicilOpen}, false, 0, 0)
	require.NoError(t, err)
	require.Len(t, open.Codicils, 1)
	assert.True(t, open.Codicils[0].Own)
	assert.Equal(t, 1, open.Codicils[0].Changes)
	v, err = d.Rules.Move(as(t), v.ID, contract.RuleMove{State: rule.InForce, Version: v.Version, Reason: "everybody pays then"})
	require.NoError(t, err)
	c := codicil(t, d, open.Codicils[0].ID)
	assert.Equal(t, contract.CodicilInForce, c.State)
	assert.Equal(t, "everybody pays then", c.Reason)
	require.Len(t, c.Contents, 1)
	assert.Equal(t, contract.Added, c.Contents[0].Deed)
	assert.Contains(t, c.Contents[0].After[0], "N30")
	versions, err := d.Rules.Versions(as(t), v.ID)
	require.NoError(t, err)
	assert.Equal(t, c.ID, versions[0].Codicil.ID)
	assert.Nil(t, versions[1].Codicil, "a draft came by none")

	_, err = d.Rules.Change(as(t), v.ID, contract.RuleChange{Body: terms(`"N60"`, rule.Scope{}), Version: v.Version, Reason: "longer"})
	require.NoError(t, err)
	all, err := d.Codicils.List(as(t), nil, false, 0, 0)
	require.NoError(t, err)
	require.Len(t, all.Codicils, 2)
	changed := codicil(t, d, all.Codicils[0].ID)
	require.Len(t, changed.Contents, 1)
	assert.Contains(t, changed.Contents[0].Before[0], "N30")
	assert.Contains(t, changed.Contents[0].After[0], "N60")
}

// A person of some companies sees of a codicil what touches one of theirs, before or after.
func TestOfACodicilIsShownWhatTouchesOnesCompanies(t *testing.T) {
	d := office(t)
	moved := add(t, d, terms(`"N15"`, rule.Scope{Companies: []string{"10"}}), rule.InForce)
	c := prepare(t, d, "Terms")
	inside := with(t, d, c)
	for company, value := range map[string]string{"10": `"N10"`, "20": `"N20"`, "": `"N30"`} {
		scope := rule.Scope{}
		if company != "" {
			scope.Companies = []string{company}
		}
		_, err := inside.Rules.Create(as(t), contract.RuleChange{Body: terms(value, scope)})
		require.NoError(t, err)
	}
	_, err := inside.Rules.Change(as(t), moved.ID, contract.RuleChange{Body: terms(`"N15"`, rule.Scope{Companies: []string{"20"}}), Version: moved.Version, Reason: "they asked"})
	require.NoError(t, err)
	for companies, want := range map[string][]string{"10": {"N10", "N15", "N30"}, "20": {"N15", "N20", "N30"}, "30": {"N30"}, "10 20": {"N10", "N15", "N20", "N30"}} {
		ben := actor.Actor{ID: "ben", Name: "Ben", Via: actor.Program, Rights: actor.Rights{May: map[actor.Permission][]string{actor.RulesRead: nil}, Companies: strings.Fields(companies)}}
		ctx := actor.With(t.Context(), ben)
		seen, err := d.Codicils.Get(ctx, c.ID)
		require.NoError(t, err)
		var told []string
		for _, change := range seen.Contents {
			for _, value := range []string{"N10", "N15", "N20", "N30"} {
				if change.RuleAfter != nil && strings.Contains(change.RuleAfter.Body.Effect.Value, value) {
					told = append(told, value)
				}
			}
		}
		slices.Sort(told)
		assert.Equal(t, want, told, "of %s", companies)
		all, err := d.Codicils.List(ctx, []contract.CodicilState{contract.CodicilOpen}, false, 0, 0)
		require.NoError(t, err)
		at := slices.IndexFunc(all.Codicils, func(s contract.CodicilSummary) bool { return s.ID == c.ID })
		require.GreaterOrEqual(t, at, 0)
		assert.Equal(t, len(want), all.Codicils[at].Changes, "of %s", companies)
	}
}

// What is prepared in a codicil is shown only with it, and comes into force together.
func TestACodicilIsWorkedOnAndComesIntoForce(t *testing.T) {
	d := office(t)
	kept := add(t, d, terms(`"N30"`, rule.Scope{}), rule.InForce)
	c := prepare(t, d, "Longer terms")
	_, err := with(t, d, c).Rules.Change(as(t), kept.ID, contract.RuleChange{Body: terms(`standing.days`, rule.Scope{}), Version: kept.Version})
	require.NoError(t, err, "what is not finished can be kept")
	_, err = d.Codicils.Move(as(t), c.ID, contract.CodicilMove{State: contract.CodicilInForce, Version: codicil(t, d, c.ID).Version})
	assert.Equal(t, "problems-first", codeOf(t, err))
	standing := table.Standing{Field: field.Field{Label: "Days", Type: field.Text}, Periods: []table.StandingValue{{Value: "N45"}}}
	_, err = with(t, d, c).Tables.SaveStanding(as(t), "days", contract.StandingChange{Standing: standing})
	require.NoError(t, err)
	_, err = with(t, d, c).Fields.Add(as(t), "vendor", field.Field{Key: "berth", Label: "Berth", Section: record.LineSection, Type: field.Text})
	assert.Error(t, err, "a section that the kind does not have")
	added, err := with(t, d, c).Rules.Create(as(t), contract.RuleChange{Body: body("vendor", rule.Default, "name", rule.Effect{Lifetime: rule.NewOnly, Value: `"Quay"`})})
	require.NoError(t, err)
	assert.Equal(t, rule.InForce, added.State, "with the codicil it is")
	assert.Equal(t, "N45", termsOf(t, with(t, d, c)))
	assert.Equal(t, "N30", termsOf(t, d), "as in force, nothing is other than before")
	tables, err := d.Tables.Standing(as(t))
	require.NoError(t, err)
	assert.Empty(t, tables)
	view, err := d.Rules.Get(as(t), kept.ID)
	require.NoError(t, err)
	assert.Contains(t, view.Sentence, "N30")
	require.Len(t, view.Codicils, 1, "whoever looks at the rule is told who else changes it")
	assert.Equal(t, c.ID, view.Codicils[0].ID)

	// A test posting says by what it was judged, and is told so again later.
	out, err := with(t, d, c).Trials.Try(as(t), contract.TryRequest{Document: judge.Document{Kind: "vendor", Company: "10", Type: "TRAD"}})
	require.NoError(t, err)
	assert.Equal(t, c.ID, out.Version.Codicil)
	assert.Equal(t, 3, out.Version.Revision)

	before, err := d.Codicils.Check(as(t), c.ID, false)
	require.NoError(t, err)
	assert.Empty(t, before.Problems)
	forced := move(t, d, c.ID, contract.CodicilInForce)
	assert.Equal(t, contract.CodicilInForce, forced.State)
	assert.Len(t, forced.Contents, 3)
	assert.Equal(t, "N45", termsOf(t, d))
	outNow, err := d.Trials.Try(as(t), contract.TryRequest{Document: judge.Document{Kind: "vendor", Company: "10", Type: "TRAD"}})
	require.NoError(t, err)
	assert.Equal(t, forced.Book, outNow.Version.Book, "every outcome names the version of the book")
	assert.Equal(t, out.Version.Book+1, forced.Book, "which all of it made together")
	assert.Zero(t, outNow.Version.Codicil)

	_, err = with(t, d, forced).Rules.Change(as(t), kept.ID, contract.RuleChange{Body: terms(`"N90"`, rule.Scope{}), Version: kept.Version + 1})
	assert.Equal(t, "shown-as-it-was", codeOf(t, err), "what ended takes nothing any more")
	_, err = d.Codicils.Change(as(t), c.ID, contract.CodicilHead{Title: "Other", Version: forced.Version})
	assert.Equal(t, "codicil-ended", codeOf(t, err))
}

// Of two codicils that change the same, the second is brought up to date.
func TestTwoCodicilsChangeTheSameRule(t *testing.T) {
	d := office(t)
	kept := add(t, d, terms(`"N30"`, rule.Scope{}), rule.InForce)
	one, other := prepare(t, d, "One"), prepare(t, d, "Other")
	for c, value := range map[int64]string{one.ID: `"N45"`, other.ID: `"N60"`} {
		_, err := with(t, d, codicil(t, d, c)).Rules.Change(as(t), kept.ID, contract.RuleChange{Body: terms(value, rule.Scope{}), Version: kept.Version})
		require.NoError(t, err)
	}
	told := codicil(t, d, one.ID)
	require.Len(t, told.Contents[0].Others, 1)
	assert.Equal(t, "Other", told.Contents[0].Others[0].Title)
	move(t, d, one.ID, contract.CodicilInForce)
	told = codicil(t, d, other.ID)
	assert.True(t, told.Contents[0].Overtaken)
	_, err := d.Codicils.Move(as(t), other.ID, contract.CodicilMove{State: contract.CodicilInForce, Version: told.Version})
	assert.Equal(t, "problems-first", codeOf(t, err))
	assert.Equal(t, "N45", termsOf(t, d))

	_, err = d.Codicils.Settle(as(t), other.ID, contract.ChangeSettled{What: "rule", Key: fmt.Sprint(kept.ID), Version: 1, Keep: true})
	assert.Equal(t, "changed-meanwhile", codeOf(t, err))
	told, err = d.Codicils.Settle(as(t), other.ID, contract.ChangeSettled{What: "rule", Key: fmt.Sprint(kept.ID), Version: told.Version, Keep: true})
	require.NoError(t, err)
	assert.False(t, told.Contents[0].Overtaken)
	assert.Contains(t, told.Contents[0].Before[0], "N45")
	move(t, d, other.ID, contract.CodicilInForce)
	assert.Equal(t, "N60", termsOf(t, d))

	third := prepare(t, d, "Third")
	view, err := with(t, d, third).Rules.Create(as(t), contract.RuleChange{Body: body("vendor", rule.Default, "name", rule.Effect{Lifetime: rule.NewOnly, Value: `"Quay"`})})
	require.NoError(t, err)
	_, err = with(t, d, prepare(t, d, "Fourth")).Rules.Change(as(t), view.ID, contract.RuleChange{Body: view.Body, Version: view.Version})
	assert.Equal(t, "in-another-codicil", codeOf(t, err))
	told, err = d.Codicils.Settle(as(t), third.ID, contract.ChangeSettled{What: "rule", Key: fmt.Sprint(view.ID), Version: codicil(t, d, third.ID).Version})
	require.NoError(t, err)
	assert.Empty(t, told.Contents)
	_, err = d.Rules.Get(as(t), view.ID)
	assert.Equal(t, "not-found", codeOf(t, err), "what was new in it is nowhere else")
}

// What came into force is taken back by another codicil, as far as nothing later stands on it.
func TestACodicilIsTakenBack(t *testing.T) {
	d := office(t)
	kept := add(t, d, terms(`"N30"`, rule.Scope{}), rule.InForce)
	c := prepare(t, d, "Longer terms")
	changed, err := with(t, d, c).Rules.Change(as(t), kept.ID, contract.RuleChange{Body: terms(`"N60"`, rule.Scope{}), Version: kept.Version})
	require.NoError(t, err)
	added, err := with(t, d, c).Rules.Create(as(t), contract.RuleChange{Body: body("vendor", rule.Default, "name", rule.Effect{Lifetime: rule.NewOnly, Value: `"Quay"`})})
	require.NoError(t, err)
	_, err = d.Codicils.TakeBack(as(t), c.ID)
	assert.Equal(t, "wrong-state", codeOf(t, err))
	move(t, d, c.ID, contract.CodicilInForce)

	_, err = d.Rules.Change(as(t), kept.ID, contract.RuleChange{Body: terms(`"N90"`, rule.Scope{}), Version: changed.Version, Reason: "later still"})
	require.NoError(t, err)
	back, err := d.Codicils.TakeBack(as(t), c.ID)
	require.NoError(t, err)
	assert.Equal(t, c.ID, back.Undoes.ID)
	require.Len(t, back.LeftOut, 1)
	assert.Contains(t, back.LeftOut[0].Why, "changed it since")
	require.Len(t, back.Contents, 1)
	assert.Equal(t, fmt.Sprint(added.ID), back.Contents[0].Key)
	move(t, d, back.ID, contract.CodicilInForce)
	assert.Equal(t, "N90", termsOf(t, d))
	now, err := d.Rules.Get(as(t), added.ID)
	require.NoError(t, err)
	assert.Equal(t, rule.Retired, now.State)
	_, err = d.Codicils.TakeBack(as(t), c.ID)
	assert.Equal(t, "nothing-in-it", codeOf(t, err))
}

// A proof that fails with it and without is not counted among those that pass.
func TestACodicilTellsProofsThatFailAnyway(t *testing.T) {
	d := appOver(t, morning)
	kept := add(t, d, terms(`"N30"`, rule.Scope{}), rule.InForce)
	keep := func() contract.Proof {
		p, err := d.Proofs.Keep(as(t), contract.KeepRequest{Document: judge.Document{Kind: "vendor", Company: "10", Type: "TRAD", Day: "2026-11-24"}, Name: "Terms", Rules: []int64{kept.ID}, Fields: []string{"terms"}})
		require.NoError(t, err)
		return p
	}
	keep()
	_, err := d.Rules.Change(as(t), kept.ID, contract.RuleChange{Body: terms(`"N60"`, rule.Scope{}), Version: kept.Version, Reason: "a test"})
	require.NoError(t, err)
	keep()
	c := prepare(t, d, "One more")
	put(t, d, c, body("vendor", rule.Default, "name", rule.Effect{Lifetime: rule.NewOnly, Value: `"Kilcarrow"`}))
	check, err := d.Codicils.Check(as(t), c.ID, true)
	require.NoError(t, err)
	assert.Equal(t, 2, check.Proofs)
	assert.Contains(t, check.Lines[1], "1 proof of what it touches passes with it, 1 fails with it and without.")
}

// At its time a codicil comes into force, once; where its proofs no longer hold it does not, and says so.
func TestACodicilComesIntoForceAtItsTime(t *testing.T) {
	now := time.Date(2026, 11, 24, 9, 0, 0, 0, time.UTC)
	d := appOver(t, func() time.Time { return now })
	kept := add(t, d, terms(`"N30"`, rule.Scope{}), rule.InForce)
	dated := func(title, value string) contract.Codicil {
		at := now.Add(time.Hour)
		c, err := d.Codicils.Begin(as(t), contract.CodicilHead{Title: title, Effective: &at})
		require.NoError(t, err)
		current, err := d.Rules.Get(as(t), kept.ID)
		require.NoError(t, err)
		_, err = with(t, d, c).Rules.Change(as(t), kept.ID, contract.RuleChange{Body: terms(value, rule.Scope{}), Version: current.Version})
		require.NoError(t, err)
		move(t, d, c.ID, contract.CodicilSubmitted)
		return move(t, d, c.ID, contract.CodicilAgreed)
	}
	_, err := d.Codicils.Begin(as(t), contract.CodicilHead{Title: "Yesterday", Effective: &time.Time{}})
	assert.Equal(t, "in-the-past", codeOf(t, err))
	c := dated("Longer terms", `"N60"`)
	require.NoError(t, d.Codicils.Due(t.Context()))
	assert.Equal(t, "N30", termsOf(t, d))
	now = now.Add(time.Hour)
	for range 3 {
		require.NoError(t, d.Codicils.Due(t.Context()))
	}
	assert.Equal(t, "N60", termsOf(t, d))
	c = codicil(t, d, c.ID)
	assert.Equal(t, contract.CodicilInForce, c.State)
	assert.Equal(t, "Ada", c.Ended.By)
	assert.True(t, now.Equal(c.Ended.At))
	view, err := d.Rules.Get(as(t), kept.ID)
	require.NoError(t, err)
	assert.Equal(t, kept.Version+1, view.Version)

	// Once it is agreed to, somebody keeps a proof that does not hold with it.
	c = dated("Longer still", `"N90"`)
	_, err = d.Proofs.Keep(as(t), contract.KeepRequest{Document: judge.Document{Kind: "vendor", Company: "10", Type: "TRAD", Day: "2026-11-24"}, Name: "Sixty days", Rules: []int64{kept.ID}, Fields: []string{"terms"}})
	require.NoError(t, err)
	now = now.Add(2 * time.Hour)
	require.NoError(t, d.Codicils.Due(t.Context()))
	assert.Equal(t, "N60", termsOf(t, d))
	c = codicil(t, d, c.ID)
	assert.Equal(t, contract.CodicilOpen, c.State)
	assert.Contains(t, c.Hindered, "a proof fails with it")

	// What was agreed to is only that: a change takes it away.
	c = dated("Ninety", `"N90"`)
	require.Len(t, c.Signatures, 1)
	assert.Equal(t, "a test", c.Signatures[0].Reason, "why it is so all the same")
	assert.Contains(t, c.Signatures[0].Lines[1], "1 of 1 proof")
	_, err = with(t, d, c).Rules.Change(as(t), kept.ID, contract.RuleChange{Body: terms(`"N95"`, rule.Scope{}), Version: view.Version + 1})
	require.NoError(t, err)
	assert.Equal(t, contract.CodicilSubmitted, codicil(t, d, c.ID).State)
	assert.False(t, codicil(t, d, c.ID).Signatures[0].Valid)
	_, err = d.Codicils.Sign(as(t), c.ID, contract.CodicilSign{Hash: c.Hash, Reason: "as I read it"})
	assert.Equal(t, "changed-meanwhile", codeOf(t, err), "what was read is another")
	signed := move(t, d, c.ID, contract.CodicilAgreed)
	assert.Equal(t, []bool{false, true}, []bool{signed.Signatures[0].Valid, signed.Signatures[1].Valid})
	now = now.Add(2 * time.Hour)
	require.NoError(t, d.Codicils.Due(t.Context()))
	assert.Equal(t, contract.CodicilInForce, codicil(t, d, c.ID).State, "what spoke against it was accepted")
	assert.Equal(t, "N95", termsOf(t, d))
}

// The plan is shown as it was at the end of a day.
func TestTheRulesAreShownAsTheyWereOnADay(t *testing.T) {
	now := time.Date(2026, 11, 20, 9, 0, 0, 0, time.UTC)
	d := appOver(t, func() time.Time { return now })
	kept := add(t, d, terms(`"N30"`, rule.Scope{}), rule.InForce)
	now = now.AddDate(0, 0, 2)
	_, err := d.Rules.Change(as(t), kept.ID, contract.RuleChange{Body: terms(`"N60"`, rule.Scope{}), Version: kept.Version, Reason: "a test"})
	require.NoError(t, err)
	now = now.AddDate(0, 0, 2)
	assert.Equal(t, "N60", termsOf(t, d))
	assert.Equal(t, "N30", termsOf(t, by(t, d, "2026-11-21")))
	assert.Empty(t, termsOf(t, by(t, d, "2026-11-19")), "nobody had written the rule yet")
	plan, err := by(t, d, "2026-11-21").Rules.Plan(as(t), "vendor", "10", "TRAD", "2026-11-24")
	require.NoError(t, err)
	assert.Contains(t, fmt.Sprint(plan), "N30")
	_, err = by(t, d, "2026-11-21").Rules.Change(as(t), kept.ID, contract.RuleChange{Body: terms(`"N90"`, rule.Scope{}), Version: kept.Version})
	assert.Equal(t, "shown-as-it-was", codeOf(t, err))
	_, err = d.Codicils.View(as(t), "2026-11-24")
	assert.Equal(t, "not-shown", codeOf(t, err), "the day is not over")
	_, err = d.Codicils.View(as(t), "codicil-99")
	assert.Equal(t, "not-found", codeOf(t, err))
}

// A proof that is kept with a codicil belongs to it until it is in force.
func TestAProofIsKeptWithACodicil(t *testing.T) {
	d := office(t)
	kept := add(t, d, terms(`"N30"`, rule.Scope{}), rule.InForce)
	c := prepare(t, d, "Longer terms")
	_, err := with(t, d, c).Rules.Change(as(t), kept.ID, contract.RuleChange{Body: terms(`"N60"`, rule.Scope{}), Version: kept.Version})
	require.NoError(t, err)
	_, err = with(t, d, c).Proofs.Keep(as(t), contract.KeepRequest{Document: judge.Document{Kind: "vendor", Company: "10", Type: "TRAD", Day: "2026-11-24"}, Name: "Sixty days", Rules: []int64{kept.ID}, Fields: []string{"terms"}})
	require.NoError(t, err)
	holds := func(d *app.App) (held, all int) {
		run, err := d.Proofs.Run(as(t), contract.RunRequest{Kind: "vendor"})
		require.NoError(t, err)
		for _, r := range run.Results {
			if all++; r.Held {
				held++
			}
		}
		return held, all
	}
	held, all := holds(with(t, d, c))
	assert.Equal(t, []int{1, 1}, []int{held, all})
	_, all = holds(d)
	assert.Zero(t, all)
	check, err := d.Codicils.Check(as(t), c.ID, false)
	require.NoError(t, err)
	assert.Equal(t, 1, check.Proofs)
	assert.Empty(t, check.Failing)
	move(t, d, c.ID, contract.CodicilInForce)
	held, all = holds(d)
	assert.Equal(t, []int{1, 1}, []int{held, all})
}

// The report of a day that is over tells of the rules and proofs of then, and what comes of them.
func TestTheReportOfADayIsThatOfThen(t *testing.T) {
	now := time.Date(2026, 11, 20, 9, 0, 0, 0, time.UTC)
	d := appOver(t, func() time.Time { return now })
	kept := add(t, d, terms(`"N30"`, rule.Scope{}), rule.InForce)
	p, err := d.Proofs.Keep(as(t), contract.KeepRequest{Document: judge.Document{Kind: "vendor", Company: "10", Type: "TRAD", Day: "2026-11-20"}, Name: "Thirty days", Rules: []int64{kept.ID}, Fields: []string{"terms"}})
	require.NoError(t, err)
	now = now.AddDate(0, 0, 2)
	_, err = d.Rules.Change(as(t), kept.ID, contract.RuleChange{Body: terms(`"N60"`, rule.Scope{}), Version: kept.Version, Reason: "a test"})
	require.NoError(t, err)
	_, err = d.Proofs.Keep(as(t), contract.KeepRequest{Document: judge.Document{Kind: "vendor", Company: "10", Type: "TRAD", Day: "2026-11-22"}, Name: "Sixty days", Rules: []int64{kept.ID}, Fields: []string{"terms"}})
	require.NoError(t, err)
	_, err = d.Proofs.Accept(as(t), p.ID, contract.AcceptRequest{Version: p.Version, Why: "sixty by now"})
	require.NoError(t, err)
	now = now.AddDate(0, 0, 2)
	for day, want := range map[string][]string{"2026-11-19": nil, "2026-11-20": {"Thirty days"}, "2026-11-22": {"Thirty days", "Sixty days"}} {
		report, err := by(t, d, day).Coverage.Report(as(t), "vendor", "10", "TRAD")
		require.NoError(t, err)
		assert.Equal(t, day, report.Day)
		var names []string
		for _, r := range report.Rules {
			for _, p := range r.Proofs {
				names = append(names, p.Name)
				assert.True(t, p.Held, "%s on %s: %s", p.Name, day, p.Why)
				assert.Equal(t, "Ada", p.KeptBy)
			}
		}
		assert.Equal(t, want, names, day)
	}
}

// What is filed of a codicil stays what it was, whatever comes after it.
func TestWhatIsFiledOfACodicilStays(t *testing.T) {
	now := time.Date(2026, 11, 20, 9, 0, 0, 0, time.UTC)
	d := appOver(t, func() time.Time { return now })
	kept := add(t, d, terms(`"N30"`, rule.Scope{}), rule.InForce)
	c := prepare(t, d, "Longer terms")
	_, err := with(t, d, c).Rules.Change(as(t), kept.ID, contract.RuleChange{Body: terms(`"N60"`, rule.Scope{}), Version: kept.Version})
	require.NoError(t, err)
	open, err := d.Filed(as(t), c.ID)
	require.NoError(t, err)
	assert.Len(t, open.Contents, 64)
	assert.Empty(t, open.Book)
	move(t, d, c.ID, contract.CodicilInForce)
	filed, err := d.Filed(as(t), c.ID)
	require.NoError(t, err)
	assert.Equal(t, open.Contents, filed.Contents, "what was signed")
	assert.Len(t, filed.Book, 64)
	assert.Len(t, filed.Trail, 64)
	now = now.AddDate(0, 0, 1)
	add(t, d, terms(`"N90"`, rule.Scope{Companies: []string{"20"}}), rule.InForce)
	later, err := d.Filed(as(t), c.ID)
	require.NoError(t, err)
	later.At = filed.At
	assert.Equal(t, filed, later)
}

// A table, or a row of it, is compared between any two codicils, and taken back to any, as a change in a codicil.
func TestATableIsTakenBackToWhatItWas(t *testing.T) {
	d := office(t)
	version := 0
	days := func(rows ...table.Row) int64 {
		column := func(key string, of field.Name) field.Field { return field.Field{Key: key, Label: key, Type: of} }
		c := table.Crosswalk{Key: "due", Label: "Days until due", Keys: []field.Field{column("terms", field.Text)}, Results: []field.Field{column("days", field.Number)}, Rows: rows}
		saved, err := d.Tables.SaveCrosswalk(as(t), "due", contract.CrosswalkChange{Crosswalk: c, Version: version})
		require.NoError(t, err)
		version = saved.Version
		list, err := d.Codicils.List(as(t), nil, false, 0, 1)
		require.NoError(t, err)
		return list.Codicils[0].ID
	}
	row := func(terms, days string) table.Row { return table.Row{Keys: []string{terms}, Results: []string{days}} }
	first := days(row("N30", "30"), row("N60", "60"))
	second := days(row("N30", "31"), row("N60", "60"))
	third := days(row("N30", "31"), row("N60", "61"))

	of := func(row ...string) (codicils []int64) {
		history, err := d.Things.History(as(t), "crosswalk", "due", row)
		require.NoError(t, err)
		for _, c := range history {
			codicils = append(codicils, c.Codicil.ID)
		}
		return codicils
	}
	assert.Equal(t, []int64{third, second, first}, of())
	assert.Equal(t, []int64{second, first}, of("N30"))
	assert.Equal(t, []int64{third, first}, of("N60"))
	assert.Empty(t, of("N90"))

	told, err := d.Things.Compare(as(t), "crosswalk", "due", nil, first, third)
	require.NoError(t, err)
	assert.Equal(t, []string{"N30 → 30", "N60 → 60"}, told.Before)
	assert.Equal(t, []string{"N30 → 31", "N60 → 61"}, told.After)
	told, err = d.Things.Compare(as(t), "crosswalk", "due", []string{"N60"}, third, first)
	require.NoError(t, err)
	assert.Equal(t, []string{"N60 → 61"}, told.Before)
	assert.Equal(t, []string{"N60 → 60"}, told.After)
	_, err = d.Things.Compare(as(t), "crosswalk", "due", nil, first, third+1)
	assert.Equal(t, "not-found", codeOf(t, err))

	restore := func(codicil, into int64, before bool) (contract.Codicil, error) {
		return d.Things.Restore(as(t), contract.Restoration{What: "crosswalk", Key: "due", Codicil: codicil, Into: into, Before: before})
	}
	for codicil, before := range map[int64]bool{third: false, first: true} { // it is that now; there was none
		_, err = restore(codicil, 0, before)
		assert.Equal(t, "nothing-in-it", codeOf(t, err))
	}
	open := prepare(t, d, "As in spring")
	made, err := restore(third, open.ID, true)
	require.NoError(t, err)
	require.Len(t, made.Contents, 1)
	made, err = restore(first, open.ID, false)
	require.NoError(t, err)
	require.Len(t, made.Contents, 1, "the later wish counts")
	assert.Equal(t, []string{"N30 → 30", "N60 → 60"}, made.Contents[0].After)
	own, err := restore(second, 0, false)
	require.NoError(t, err)
	assert.Equal(t, fmt.Sprintf("Days until due as it was with codicil %d", second), own.Title)
	move(t, d, open.ID, contract.CodicilInForce)
	_, err = restore(second, open.ID, false)
	assert.Equal(t, "codicil-ended", codeOf(t, err))

	now, err := d.Tables.Crosswalk(as(t), "due")
	require.NoError(t, err)
	assert.Equal(t, []table.Row{row("N30", "30"), row("N60", "60")}, now.Crosswalk.Rows)
	assert.Equal(t, []int64{open.ID, third, second, first}, of())
}

// In a codicil no rule is a draft: what is new in it, or taken up again, holds with it, unless it is suspended there. A draft that was
// begun by itself goes into the codicil in which it is changed.
func TestNoRuleOfACodicilIsADraft(t *testing.T) {
	d := office(t)
	loose := add(t, d, terms(`"N30"`, rule.Scope{}))
	over := add(t, d, terms(`"N45"`, rule.Scope{}), rule.InForce)
	over, err := d.Rules.Move(as(t), over.ID, contract.RuleMove{State: rule.Retired, Version: over.Version})
	require.NoError(t, err)
	c := prepare(t, d, "Longer terms")
	in := with(t, d, c)

	over, err = in.Rules.Move(as(t), over.ID, contract.RuleMove{State: rule.Draft, Version: over.Version})
	require.NoError(t, err)
	assert.Equal(t, rule.InForce, over.State, "taken up again")
	fresh, err := in.Rules.Create(as(t), contract.RuleChange{Body: terms(`"N60"`, rule.Scope{})})
	require.NoError(t, err)
	_, err = in.Rules.Move(as(t), fresh.ID, contract.RuleMove{State: rule.Suspended, Version: fresh.Version})
	require.NoError(t, err)
	loose.Body.When = "is blank(name)"
	changed, err := in.Rules.Change(as(t), loose.ID, contract.RuleChange{Body: loose.Body, Name: loose.Name, Version: loose.Version})
	require.NoError(t, err)
	assert.Equal(t, rule.InForce, changed.State)
	atHome, err := d.Rules.Get(as(t), fresh.ID)
	require.NoError(t, err)
	assert.Equal(t, rule.Draft, atHome.State, "it is new, and not in force yet")
	_, err = d.Rules.Change(as(t), fresh.ID, contract.RuleChange{Body: atHome.Body, Name: "Sixty days", Version: atHome.Version})
	require.NoError(t, err)

	open, err := d.Codicils.List(as(t), []contract.CodicilState{contract.CodicilOpen}, false, 0, 0)
	require.NoError(t, err)
	require.Len(t, open.Codicils, 1, "the one that the draft began is withdrawn")
	assert.Len(t, codicil(t, d, c.ID).Contents, 3)
	move(t, d, c.ID, contract.CodicilInForce)
	for id, state := range map[int64]rule.State{over.ID: rule.InForce, fresh.ID: rule.Suspended, loose.ID: rule.InForce} {
		r, err := d.Rules.Get(as(t), id)
		require.NoError(t, err)
		assert.Equal(t, state, r.State, r.Name)
	}
}

// A codicil that changes no rule, and keeps proofs, may come into force: they are everybody's then. One that holds nothing may not.
func TestACodicilOfProofs(t *testing.T) {
	d := office(t)
	c := prepare(t, d, "More proofs")
	_, err := d.Codicils.Move(as(t), c.ID, contract.CodicilMove{State: contract.CodicilInForce, Version: c.Version, Reason: "a test"})
	assert.Equal(t, "nothing-in-it", codeOf(t, err))
	_, err = with(t, d, c).Proofs.Keep(as(t), contract.KeepRequest{Document: judge.Document{Kind: "vendor", Company: "10", Type: "TRAD", Day: "2026-11-24"}, Name: "A name", Fields: []string{"terms"}})
	require.NoError(t, err)
	assert.Equal(t, 1, codicil(t, d, c.ID).Proofs)
	check, err := d.Codicils.Check(as(t), c.ID, true)
	require.NoError(t, err)
	assert.Equal(t, []string{"It changes no rule and no table, and brings 1 proof.", "1 proof of what it touches passes with it."}, check.Lines[:2])
	move(t, d, c.ID, contract.CodicilInForce)
	list, err := d.Proofs.List(as(t), "vendor")
	require.NoError(t, err)
	require.Len(t, list, 1)
	assert.Equal(t, "A name", list[0].Name)
	_, err = d.Codicils.TakeBack(as(t), c.ID)
	assert.Equal(t, "nothing-in-it", codeOf(t, err))
}

// Rules that are moved together in a codicil move there only, and at once as one codicil of their own.
func TestRulesMoveTogetherInACodicil(t *testing.T) {
	d := harbour(t)
	one := add(t, d, body("vendor", rule.Default, "trading_as", rule.Effect{Lifetime: rule.NewOnly, Value: `"Quay"`}), rule.InForce)
	two := add(t, d, body("vendor", rule.Default, "clerk", rule.Effect{Lifetime: rule.NewOnly, Value: `"MOYA"`}), rule.InForce)
	c := prepare(t, d, "Less rules")
	shown := with(t, d, c)
	for _, dry := range []bool{true, false} {
		answer, err := shown.Rules.MoveMany(as(t), contract.MoveManyRequest{Rules: []int64{one.ID, two.ID}, State: rule.Suspended, Dry: dry})
		require.NoError(t, err)
		require.Len(t, answer.Rules, 2)
		assert.Equal(t, rule.Suspended, answer.Rules[1].State)
	}
	for _, id := range []int64{one.ID, two.ID} {
		there, err := with(t, d, c).Rules.Get(as(t), id)
		require.NoError(t, err)
		assert.Equal(t, rule.Suspended, there.State)
		here, err := d.Rules.Get(as(t), id)
		require.NoError(t, err)
		assert.Equal(t, rule.InForce, here.State, "nothing of it holds yet")
	}
	_, err := d.Rules.MoveMany(as(t), contract.MoveManyRequest{Rules: []int64{one.ID, two.ID}, State: rule.Suspended, Reason: "at once"})
	require.NoError(t, err)
	list, err := d.Codicils.List(as(t), nil, false, 0, 1)
	require.NoError(t, err)
	assert.Equal(t, "2 rules suspended", list.Codicils[0].Title)
	assert.Equal(t, 2, list.Codicils[0].Changes)
}
