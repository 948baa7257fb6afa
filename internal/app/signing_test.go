package app_test

import (
	"context"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"codicil/core/field"
	"codicil/core/rule"
	"codicil/core/table"
	"codicil/internal/actor"
	"codicil/internal/app"
	"codicil/internal/contract"
	"codicil/internal/store"
)

// signers is an office in which three persons have roles: Ada writes, Ben is the chief accountant, Cleo one of the signers, as
// is Ada.
func signers(t *testing.T, rules ...contract.SigningRule) (*app.App, func(name string) context.Context, *time.Time) {
	t.Helper()
	now := time.Date(2026, 11, 24, 9, 0, 0, 0, time.UTC)
	ctx := as(t)
	s := onCopy(t, &harbourOnce, &harbourFile, func(s *store.Store) { fillHarbour(t, s) })
	d := app.New(s, func() time.Time { return now })
	for key, name := range map[string]string{"chief": "Chief accountant", "second": "Second reader"} {
		require.NoError(t, s.SaveRole(ctx, store.Role{Key: key, Name: name, Permissions: []string{}, Kinds: []string{}}))
	}
	for name, roles := range map[string][]string{"Ada": {"second"}, "Ben": {"chief"}, "Cleo": {"second"}} {
		require.NoError(t, s.AddPerson(ctx, store.Person{ID: name, Name: name, SignIn: name, Everywhere: true, Companies: []string{}, Roles: roles, Version: 1}))
	}
	if len(rules) > 0 {
		_, err := d.Signing.Change(ctx, contract.SigningChange{UrgentDays: 3, Rules: rules})
		require.NoError(t, err)
	}
	return d, func(name string) context.Context {
		who := actor.Actor{ID: name, Name: name, Via: actor.Browser, Rights: actor.Rights{Everywhere: true}}
		for _, p := range actor.Permissions {
			who.Rights.Give(p, nil)
		}
		return actor.With(t.Context(), who)
	}, &now
}

func needed(title, role string, count int, finds contract.SigningFinds) contract.SigningRule {
	return contract.SigningRule{Title: title, Kinds: []string{}, Companies: []string{}, Families: []string{}, Finds: finds, Role: role, Count: count}
}

func sign(ctx context.Context, d *app.App, id int64) (contract.Codicil, error) {
	c, err := d.Codicils.Get(ctx, id)
	if err != nil {
		return c, err
	}
	return d.Codicils.Sign(ctx, id, contract.CodicilSign{Hash: c.Hash, Reason: "a test"})
}

// Two must sign, and not the author alone; each once; a later change takes both signatures away.
func TestTwoSignAndNotTheAuthorAlone(t *testing.T) {
	d, of, _ := signers(t, needed("Two sign whatever changes", "second", 2, contract.FindsAnything))
	_, err := d.Rules.Create(of("Ada"), contract.RuleChange{Body: body("vendor", rule.Default, "city", rule.Effect{Lifetime: rule.NewOnly, Value: `"Cork"`})})
	require.NoError(t, err, "a draft is not in force")
	c := prepare(t, d, "Cities")
	v := put(t, d, c, body("vendor", rule.Default, "country", rule.Effect{Lifetime: rule.NewOnly, Value: `"IE"`}))
	_, err = d.Codicils.Move(of("Ada"), c.ID, contract.CodicilMove{State: contract.CodicilInForce, Version: codicil(t, d, c.ID).Version, Reason: "now"})
	assert.Equal(t, "needs-signatures", codeOf(t, err))
	assert.Contains(t, err.Error(), "1 as Second reader: Two sign whatever changes")
	assert.Empty(t, codicil(t, d, c.ID).Signatures, "nothing of it is kept")
	_, err = sign(of("Ada"), d, c.ID)
	assert.Equal(t, "wrong-state", codeOf(t, err), "it is still worked on")
	move(t, d, c.ID, contract.CodicilSubmitted)
	_, err = sign(of("Ben"), d, c.ID)
	assert.Equal(t, "needs-signatures", codeOf(t, err), "he has another role")
	_, err = sign(of("Ada"), d, c.ID)
	require.NoError(t, err)
	_, err = sign(of("Ada"), d, c.ID)
	assert.Equal(t, "needs-signatures", codeOf(t, err), "each signs once")
	assert.Equal(t, contract.CodicilSubmitted, codicil(t, d, c.ID).State)
	check, err := d.Codicils.Check(of("Cleo"), c.ID, true)
	require.NoError(t, err)
	assert.True(t, check.MaySign)
	require.Len(t, check.Signing, 1)
	assert.Equal(t, 1, check.Signing[0].Missing)
	agreed, err := sign(of("Cleo"), d, c.ID)
	require.NoError(t, err)
	assert.Equal(t, contract.CodicilAgreed, agreed.State)

	_, err = with(t, d, c).Rules.Change(of("Ada"), v.ID, contract.RuleChange{Body: body("vendor", rule.Default, "country", rule.Effect{Lifetime: rule.NewOnly, Value: `"DK"`}), Version: v.Version})
	require.NoError(t, err)
	now := codicil(t, d, c.ID)
	assert.Equal(t, contract.CodicilSubmitted, now.State)
	for _, s := range now.Signatures {
		assert.False(t, s.Valid)
	}
	_, err = sign(of("Cleo"), d, c.ID)
	require.NoError(t, err)
	_, err = sign(of("Ada"), d, c.ID)
	require.NoError(t, err)
	forced, err := d.Codicils.Move(of("Ada"), c.ID, contract.CodicilMove{State: contract.CodicilInForce, Version: codicil(t, d, c.ID).Version, Reason: "now"})
	require.NoError(t, err)
	assert.Equal(t, contract.CodicilInForce, forced.State)
	assert.Len(t, forced.Signatures, 4)
	assert.NotEmpty(t, forced.Checked.Lines)
	assert.Nil(t, forced.Owed)
}

// Both signatures that are asked for may not be those of who made the changes.
func TestTheAuthorIsNotTheOnlySigner(t *testing.T) {
	d, of, _ := signers(t, needed("The signers", "second", 1, contract.FindsAnything), needed("The chief", "chief", 1, contract.FindsAnything))
	c := prepare(t, d, "Cities")
	body := body("vendor", rule.Default, "country", rule.Effect{Lifetime: rule.NewOnly, Value: `"IE"`})
	shown := with(t, d, c)
	v, err := shown.Rules.Create(of("Ada"), contract.RuleChange{Body: body})
	require.NoError(t, err)
	body.Effect.Value = `"DK"`
	_, err = with(t, d, c).Rules.Change(of("Ben"), v.ID, contract.RuleChange{Body: body, Version: v.Version})
	require.NoError(t, err)
	move(t, d, c.ID, contract.CodicilSubmitted)
	_, err = sign(of("Ada"), d, c.ID)
	require.NoError(t, err)
	agreed, err := sign(of("Ben"), d, c.ID)
	require.NoError(t, err)
	assert.Equal(t, contract.CodicilAgreed, agreed.State, "Ada made none of the changes that are in it now")
}

// Who must sign by what is found: as long as nobody looked they must, and what is changed at once is not looked at.
func TestWhoMustSignByWhatIsFound(t *testing.T) {
	d, of, _ := signers(t, needed("It changes amounts that were posted", "chief", 1, contract.FindsAmounts))
	customer := save(t, d, document("customer", "10", "WHOL", values{"name": "Harbour Grocers"}))
	sale(t, d, customer.Number, "12.50")
	double := body(journal, rule.Substitute, "lines.debit", rule.Effect{Value: "line.debit * 2"})
	double.When = "is filled(line.debit)"
	harmless := body(journal, rule.Substitute, "text", rule.Effect{Value: `"As ever"`})
	atOnce, err := d.Rules.Create(of("Ada"), contract.RuleChange{Body: harmless})
	require.NoError(t, err)
	_, err = d.Rules.Move(of("Ada"), atOnce.ID, contract.RuleMove{State: rule.InForce, Version: atOnce.Version, Reason: "at once"})
	assert.Equal(t, "needs-signatures", codeOf(t, err))
	assert.Contains(t, err.Error(), "Chief accountant must sign it")
	ben, err := d.Rules.Move(of("Ben"), atOnce.ID, contract.RuleMove{State: rule.InForce, Version: atOnce.Version, Reason: "at once"})
	require.NoError(t, err, "who must sign changes it")
	assert.Equal(t, rule.InForce, ben.State)

	for _, one := range []struct {
		title string
		body  rule.Body
		needs bool
	}{{"Harmless", body(journal, rule.Substitute, "approver", rule.Effect{Value: `"Ada"`}), false}, {"Twice", double, true}} {
		c := prepare(t, d, one.title)
		put(t, d, c, one.body)
		check, err := d.Codicils.Check(of("Ada"), c.ID, true)
		require.NoError(t, err)
		require.Len(t, check.Signing, 1)
		assert.True(t, check.Signing[0].Unknown, one.title)
		replayed(t, d, c.ID, contract.ReplayRequest{Since: "2026-11-24"})
		check, err = d.Codicils.Check(of("Ada"), c.ID, true)
		require.NoError(t, err)
		assert.True(t, check.Signing[0].Unknown, "not over everything")
		replayed(t, d, c.ID, contract.ReplayRequest{})
		_, err = d.Codicils.Move(of("Ada"), c.ID, contract.CodicilMove{State: contract.CodicilInForce, Version: codicil(t, d, c.ID).Version, Reason: "now"})
		if one.needs {
			assert.Equal(t, "needs-signatures", codeOf(t, err), one.title)
		} else {
			assert.NoError(t, err, one.title)
		}
	}
}

// What is urgent comes into force with a reason; the signatures are owed and shown until they are given.
func TestWhatIsUrgentOwesItsSignatures(t *testing.T) {
	d, of, now := signers(t, needed("Two sign", "second", 2, contract.FindsAnything))
	c := prepare(t, d, "Urgent")
	put(t, d, c, body("vendor", rule.Default, "country", rule.Effect{Lifetime: rule.NewOnly, Value: `"IE"`}))
	urgent := contract.CodicilMove{State: contract.CodicilInForce, Urgent: true, Version: codicil(t, d, c.ID).Version}
	_, err := d.Codicils.Move(of("Ada"), c.ID, urgent)
	assert.Equal(t, "needs-reason", codeOf(t, err))
	urgent.Reason = "The ships wait"
	forced, err := d.Codicils.Move(of("Ada"), c.ID, urgent)
	require.NoError(t, err)
	require.NotNil(t, forced.Owed)
	assert.True(t, now.AddDate(0, 0, 3).Equal(*forced.Owed))
	require.Len(t, forced.Owes, 1)
	assert.Equal(t, 1, forced.Owes[0].Missing)
	_, err = sign(of("Ada"), d, c.ID)
	assert.Equal(t, "needs-signatures", codeOf(t, err), "she signed it with that")
	paid, err := sign(of("Cleo"), d, c.ID)
	require.NoError(t, err)
	assert.Nil(t, paid.Owed)
	assert.Equal(t, "The ships wait", paid.Signatures[0].Reason)
	_, err = sign(of("Cleo"), d, c.ID)
	assert.Equal(t, "wrong-state", codeOf(t, err))

	kept, err := d.Signing.Get(of("Ada"))
	require.NoError(t, err)
	_, err = d.Signing.Change(of("Ada"), contract.SigningChange{Version: kept.Version, UrgentDays: 0, Rules: kept.Rules})
	require.NoError(t, err)
	c = prepare(t, d, "Urgent again")
	put(t, d, c, body("vendor", rule.Default, "city", rule.Effect{Lifetime: rule.NewOnly, Value: `"Cork"`}))
	urgent.Version = codicil(t, d, c.ID).Version
	_, err = d.Codicils.Move(of("Ada"), c.ID, urgent)
	assert.Equal(t, "not-urgent", codeOf(t, err))
	_, err = d.Signing.Change(of("Ada"), contract.SigningChange{Version: kept.Version, Rules: kept.Rules})
	assert.Equal(t, "changed-meanwhile", codeOf(t, err))
	for code, wrong := range map[string]contract.SigningRule{
		"no-title": needed(" ", "second", 1, contract.FindsAnything), "unknown-role": needed("x", "nobody", 1, contract.FindsAnything),
	} {
		_, err = d.Signing.Change(of("Ada"), contract.SigningChange{Version: kept.Version + 1, Rules: []contract.SigningRule{wrong}})
		assert.Equal(t, code, codeOf(t, err))
	}
}

// A rule about who must sign concerns what it names: kinds, companies and families of rules; what any rule may look up is of
// all kinds and companies.
func TestWhoMustSignByWhatChanges(t *testing.T) {
	d, of, _ := signers(t)
	inTwenty := body(journal, rule.Validate, "lines.debit", rule.Effect{Severity: rule.Refuse, Must: "line.debit < 30", Message: "Too much"})
	inTwenty.Scope.Companies = []string{"20"}
	ruled := prepare(t, d, "A check of lines in 20")
	put(t, d, ruled, inTwenty)
	standing := prepare(t, d, "A standing value")
	_, err := with(t, d, standing).Tables.SaveStanding(as(t), "days", contract.StandingChange{Standing: table.Standing{Field: field.Field{Label: "Days", Type: field.Text}, Periods: []table.StandingValue{{Value: "N45"}}}})
	require.NoError(t, err)
	added := prepare(t, d, "A field")
	_, err = with(t, d, added).Fields.Add(as(t), "vendor", field.Field{Key: "berth", Label: "Berth", Section: "general", Type: field.Text})
	require.NoError(t, err)
	for name, one := range map[string]struct {
		change func(*contract.SigningRule)
		wanted [3]bool // of the check, the standing value, the field
	}{
		"everything":      {func(*contract.SigningRule) {}, [3]bool{true, true, true}},
		"its kind":        {func(r *contract.SigningRule) { r.Kinds = []string{journal} }, [3]bool{true, true, false}},
		"another kind":    {func(r *contract.SigningRule) { r.Kinds = []string{"vendor"} }, [3]bool{false, true, true}},
		"its company":     {func(r *contract.SigningRule) { r.Companies = []string{"20"} }, [3]bool{true, true, true}},
		"another company": {func(r *contract.SigningRule) { r.Companies = []string{"10"} }, [3]bool{false, true, true}},
		"its family":      {func(r *contract.SigningRule) { r.Families = []string{"validate"} }, [3]bool{true, false, false}},
		"another family":  {func(r *contract.SigningRule) { r.Families = []string{"compute"} }, [3]bool{false, false, false}},
	} {
		r := needed("The chief reads it", "chief", 1, contract.FindsAnything)
		one.change(&r)
		kept, err := d.Signing.Get(of("Ada"))
		require.NoError(t, err)
		_, err = d.Signing.Change(of("Ada"), contract.SigningChange{Version: kept.Version, Rules: []contract.SigningRule{r}})
		require.NoError(t, err)
		for i, c := range []contract.Codicil{ruled, standing, added} {
			check, err := d.Codicils.Check(of("Ada"), c.ID, false)
			require.NoError(t, err)
			require.Len(t, check.Signing, 1)
			assert.Equal(t, one.wanted[i], check.Signing[0].Role == "chief", "%s, %s", name, c.Title)
		}
	}
}

// Each thing that a check can find makes the signature needed that asks for it, and no other does.
func TestEveryFindingAsksForItsSignature(t *testing.T) {
	d, of, _ := signers(t)
	kept := add(t, d, body("vendor", rule.Default, "city", rule.Effect{Lifetime: rule.NewOnly, Value: `"Cork"`}), rule.InForce)
	_, err := d.Proofs.Keep(as(t), contract.KeepRequest{Document: document("vendor", "10", "TRAD", values{"name": "Quay"}), Name: "Cork", Rules: []int64{kept.ID}, Fields: []string{"city"}})
	require.NoError(t, err)
	save(t, d, document("vendor", "10", "TRAD", values{"name": "Quay"}))
	weaker := prepare(t, d, "Galway")
	_, err = with(t, d, weaker).Rules.Change(as(t), kept.ID, contract.RuleChange{Body: body("vendor", rule.Default, "city", rule.Effect{Lifetime: rule.NewOnly, Value: `"Galway"`}), Version: kept.Version})
	require.NoError(t, err)
	refusing := prepare(t, d, "Nobody")
	put(t, d, refusing, body("vendor", rule.Validate, "name", rule.Effect{Severity: rule.Refuse, Must: `name = "Nobody"`, Message: "Nobody"}))
	twice := prepare(t, d, "Twice")
	put(t, d, twice, body("vendor", rule.Default, "city", rule.Effect{Lifetime: rule.NewOnly, Value: `"Cork"`}))
	for _, c := range []contract.Codicil{weaker, refusing, twice} {
		replayed(t, d, c.ID, contract.ReplayRequest{})
	}
	for finds, c := range map[contract.SigningFinds]contract.Codicil{
		contract.FindsProofs: weaker, contract.FindsStrength: weaker, contract.FindsRefusals: refusing, contract.FindsUnproved: refusing, contract.FindsFindings: twice,
	} {
		signing, err := d.Signing.Get(of("Ada"))
		require.NoError(t, err)
		_, err = d.Signing.Change(of("Ada"), contract.SigningChange{Version: signing.Version, Rules: []contract.SigningRule{needed("The chief reads it", "chief", 1, finds)}})
		require.NoError(t, err)
		check, err := d.Codicils.Check(of("Ada"), c.ID, true)
		require.NoError(t, err)
		assert.Equal(t, "chief", check.Signing[0].Role, "%s: %v", finds, check.Lines)
		assert.False(t, check.Signing[0].Unknown, finds)
		assert.False(t, check.MaySign, "Ada is not the chief")
	}
	// A harmless one needs none of them.
	harmless := prepare(t, d, "A standing value")
	_, err = with(t, d, harmless).Tables.SaveStanding(as(t), "days", contract.StandingChange{Standing: table.Standing{Field: field.Field{Label: "Days", Type: field.Text}, Periods: []table.StandingValue{{Value: "N45"}}}})
	require.NoError(t, err)
	replayed(t, d, harmless.ID, contract.ReplayRequest{})
	signing, err := d.Signing.Get(of("Ada"))
	require.NoError(t, err)
	var all []contract.SigningRule
	for _, finds := range []contract.SigningFinds{contract.FindsAmounts, contract.FindsProofs, contract.FindsStrength, contract.FindsRefusals, contract.FindsUnproved, contract.FindsFindings} {
		all = append(all, needed("The chief reads it", "chief", 1, finds))
	}
	_, err = d.Signing.Change(of("Ada"), contract.SigningChange{Version: signing.Version, Rules: all})
	require.NoError(t, err)
	check, err := d.Codicils.Check(of("Ada"), harmless.ID, true)
	require.NoError(t, err)
	require.Len(t, check.Signing, 1)
	assert.Empty(t, check.Signing[0].Role, "%v", check.Lines)
}
