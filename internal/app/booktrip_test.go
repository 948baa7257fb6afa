package app_test

import (
	"bytes"
	"cmp"
	"encoding/json"
	"fmt"
	"maps"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"codicil/core/field"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/core/table"
	"codicil/internal/app"
	"codicil/internal/contract"
	"codicil/internal/exchange"
)

// traveller changes a book at random, as people do between two times that it is read elsewhere.
type traveller struct {
	*world
	t      *rapid.T
	made   int
	terms  contract.CrosswalkChange
	rebate contract.StandingChange
	// removes tells whether fields, layouts and maps are removed, too.
	removes bool
}

// begin learns what the tables of the book are.
func (w *traveller) begin() {
	b, err := w.d.Books.Export(as(nobody{}))
	require.NoError(w.t, err)
	w.terms = contract.CrosswalkChange{Crosswalk: b.Crosswalks[0], Version: 1}
	w.rebate = contract.StandingChange{Standing: b.Standing[0], Version: 1}
}

// step makes one change; what the book refuses is none.
func (w *traveller) step() {
	w.made++
	list, err := w.d.Rules.List(as(nobody{}), "sales_order")
	require.NoError(w.t, err)
	// Where two rules have one place, their identifiers, which are random, say which is the first.
	slices.SortFunc(list, func(a, b contract.RuleView) int { return cmp.Compare(a.ID, b.ID) })
	var picked contract.RuleView
	if len(list) > 0 {
		picked = list[rapid.IntRange(0, len(list)-1).Draw(w.t, "rule")]
	}
	steps := []string{"rule", "copy", "rename", "say otherwise", "move", "proof", "crosswalk", "standing", "series", "field", "layout", "map"}
	if w.removes {
		steps = append(steps, "no field", "no layout", "no map")
	}
	switch rapid.SampledFrom(steps).Draw(w.t, "step") {
	case "rule":
		w.enforce(w.t, []rule.Body{rapid.SampledFrom(candidates).Draw(w.t, "candidate")})
	case "copy":
		if picked.ID != 0 {
			_, err = w.d.Rules.Create(as(nobody{}), contract.RuleChange{Body: picked.Body, Name: fmt.Sprint("A copy ", w.made)})
		}
	case "rename":
		if picked.ID != 0 && picked.State != rule.Retired {
			_, err = w.d.Rules.Change(as(nobody{}), picked.ID, contract.RuleChange{ID: picked.ID, Version: picked.Version, Body: picked.Body, Name: fmt.Sprint("Named ", w.made), Reason: "a name"})
		}
	case "say otherwise":
		if picked.ID != 0 && picked.State != rule.Retired {
			picked.Body.When = rapid.SampledFrom([]string{"", "is filled(customer)", `entered.note = "rush"`}).Draw(w.t, "when")
			_, err = w.d.Rules.Change(as(nobody{}), picked.ID, contract.RuleChange{ID: picked.ID, Version: picked.Version, Body: picked.Body, Name: picked.Name, Reason: "another condition"})
		}
	case "move":
		if picked.ID != 0 {
			next := rapid.SampledFrom([]rule.State{rule.Draft, rule.InForce, rule.Suspended, rule.Retired}).Draw(w.t, "state")
			_, _ = w.d.Rules.Move(as(nobody{}), picked.ID, contract.RuleMove{State: next, Version: picked.Version, Reason: "moved"}) // not every way leads everywhere
		}
	case "proof":
		request := contract.KeepRequest{Document: w.order(w.t), Name: fmt.Sprint("Proof ", w.made), Fields: []string{"note"}}
		request.Document.Reasons, request.Document.Record = nil, ""
		if picked.ID != 0 && picked.State != rule.Retired {
			request.Rules = []int64{picked.ID}
		}
		_, err = w.d.Proofs.Keep(as(nobody{}), request)
	case "crosswalk":
		err = w.crosswalk()
	case "standing":
		err = w.standing()
	case "series":
		_, err = w.d.Tables.SaveSeries(as(nobody{}), fmt.Sprint("series_", w.made), contract.SeriesChange{Series: table.Series{Label: fmt.Sprint("Series ", w.made), Start: 1, Step: 1,
			Parts: []table.Part{{Is: table.Constant, Text: fmt.Sprint("S", w.made)}, {Is: table.Counter, Digits: 4}}}})
	case "field":
		_, err = w.d.Fields.Add(as(nobody{}), "sales_order", field.Field{Key: fmt.Sprint("x_", w.made), Label: fmt.Sprint("Extra ", w.made), Section: "general", Type: field.Text})
	case "layout":
		sections := []record.LayoutSection{{Key: "general", Fields: []record.LayoutField{{Key: "note", Label: fmt.Sprint("Remark ", w.made), Width: 4}}}}
		_, err = w.d.Catalog.SaveLayout(as(nobody{}), "sales_order", rapid.SampledFrom([]string{"", "10"}).Draw(w.t, "company"), "", record.Layout{Sections: sections})
	case "no field":
		b, err := w.d.Books.Export(as(nobody{}))
		require.NoError(w.t, err)
		if added := b.Fields["sales_order"]; len(added) > 0 {
			require.NoError(w.t, w.d.Fields.Remove(as(nobody{}), "sales_order", rapid.SampledFrom(added).Draw(w.t, "field").Key))
		}
	case "no layout":
		_, err = w.d.Catalog.DeleteLayout(as(nobody{}), "sales_order", rapid.SampledFrom([]string{"", "10"}).Draw(w.t, "company"), "")
	case "no map":
		list, err := w.d.Catalog.FollowOns(as(nobody{}))
		require.NoError(w.t, err)
		if len(list) > 0 {
			require.NoError(w.t, w.d.Catalog.DeleteFollowOn(as(nobody{}), rapid.SampledFrom(list).Draw(w.t, "map").ID))
		}
	case "map":
		_, err = w.d.Catalog.SaveFollowOn(as(nobody{}), record.FollowOn{Name: fmt.Sprint("Again ", w.made), From: "sales_order", To: "sales_order", Pairs: []record.Pair{{From: "customer", To: "customer"}}})
	}
	require.NoError(w.t, err)
}

// form is how the form of orders of a company is arranged.
func (w *traveller) form(company string) record.Layout {
	l, err := w.d.Catalog.Layout(as(nobody{}), "sales_order", company, "")
	require.NoError(w.t, err)
	return l.Layout
}

// crosswalk adds a row to the crosswalk of delivery terms.
func (w *traveller) crosswalk() error {
	w.terms.Crosswalk.Rows = append(slices.Clone(w.terms.Crosswalk.Rows), table.Row{Keys: []string{fmt.Sprint("Z", w.made)}, Results: []string{"DAP"}})
	v, err := w.d.Tables.SaveCrosswalk(as(nobody{}), "terms", contract.CrosswalkChange{Crosswalk: w.terms.Crosswalk, Version: w.terms.Version})
	w.terms.Version = v.Version
	return err
}

// standing begins a period of the rebate anew.
func (w *traveller) standing() error {
	w.rebate.Standing.Periods = slices.Clone(w.rebate.Standing.Periods) // which the application reads, too
	w.rebate.Standing.Periods[1].Value = fmt.Sprintf("0.%02d", w.made%100)
	v, err := w.d.Tables.SaveStanding(as(nobody{}), "rebate", contract.StandingChange{Standing: w.rebate.Standing, Version: w.rebate.Version})
	w.rebate.Version = v.Version
	return err
}

// meaning is what a book says, without what is another's in every application: the numbers of rules and proofs, versions, and what
// is retired; of a codicil also without drafts, which are no part of it.
func meaning(t require.TestingT, b *exchange.Book, ofCodicil bool) map[string]string {
	said, uids := map[string]string{}, map[int64]string{}
	write := func(key string, v any) {
		text, err := json.Marshal(v)
		require.NoError(t, err)
		said[key] = string(text)
	}
	for _, r := range b.Rules {
		if r.State != rule.Retired && (r.State != rule.Draft || !ofCodicil) {
			uids[r.ID] = r.UID
			write("rule "+r.UID, []any{r.Name, r.State, r.Body})
		}
	}
	for _, p := range b.Proofs {
		var of []string
		name := func(as string, id int64) {
			if uid := uids[id]; uid != "" {
				of = append(of, as+uid)
			}
		}
		for _, id := range p.Rules {
			name("proves ", id)
		}
		for _, id := range p.Expect.Acting {
			name("acting ", id)
		}
		for i := range p.Expect.Messages {
			name("speaks ", p.Expect.Messages[i].Rule)
		}
		p.Expect.Acting, p.Expect.Messages = nil, nil
		if carried := p.Given.Fixtures; carried != nil {
			for i := range carried.Alike {
				name("asks ", carried.Alike[i].Rule)
				carried.Alike[i].Rule = 0
			}
		}
		write("proof "+p.Name, []any{of, p.Given, p.Expect})
	}
	for _, c := range b.Crosswalks {
		write("crosswalk "+c.Key, c)
	}
	for _, s := range b.Standing {
		write("standing "+s.Field.Key, s)
	}
	for _, s := range b.Series {
		write("series "+s.Key, s)
	}
	for _, m := range b.Maps {
		write("map "+m.Name, m)
	}
	write("fields", b.Fields)
	return said
}

// Whatever is done to a book: read elsewhere as a file, time and again, at once or as a codicil that comes into force, it is the same book
// there; read once more nothing changes, and orders are judged as at home.
func TestABookThatIsReadElsewhereIsTheSame(t *testing.T) {
	t.Parallel()
	rapid.Check(t, func(rt *rapid.T) {
		if !rapid.Bool().Draw(rt, "travels") { // half are enough: each takes two applications
			return
		}
		home, other := traveller{world: newWorld(t), t: rt}, newWorld(t)
		home.begin()
		home.enforce(rt, draw(rt))
		for range rapid.IntRange(1, 3).Draw(rt, "readings") {
			for range rapid.IntRange(0, 6).Draw(rt, "steps") {
				home.step()
			}
			b, err := home.d.Books.Export(as(t))
			require.NoError(rt, err)
			var file bytes.Buffer
			require.NoError(rt, b.Write(&file))
			asCodicil := rapid.Bool().Draw(rt, "as a codicil")
			if asCodicil {
				read, err := exchange.ReadBook(bytes.NewReader(file.Bytes()))
				require.NoError(rt, err)
				c, _, err := other.d.Bring(as(t), read, "From home")
				require.NoError(rt, err)
				if c.State == contract.CodicilOpen {
					_, err = other.d.Codicils.Move(as(t), c.ID, contract.CodicilMove{State: contract.CodicilInForce, Version: c.Version, Reason: "the same here"})
					require.NoError(rt, err)
				}
			} else {
				_, err = other.d.Books.Read(as(t), bytes.NewReader(file.Bytes()), true)
				require.NoError(rt, err)
				again, err := other.d.Books.Read(as(t), bytes.NewReader(file.Bytes()), true)
				require.NoError(rt, err)
				require.Empty(rt, again, "a second time nothing changes")
			}
			there, err := other.d.Books.Export(as(t))
			require.NoError(rt, err)
			require.Equal(rt, meaning(rt, b, asCodicil), meaning(rt, there, asCodicil))
			for _, company := range []string{"", "10"} {
				require.Equal(rt, home.form(company), (&traveller{world: other, t: rt}).form(company))
			}
		}
		judgedAlike(rt, home.world, other)
	})
}

// judgedAlike tells that two applications judge an order alike.
func judgedAlike(t *rapid.T, home, other *world) {
	given := home.order(t)
	given.Reasons = nil
	judged := func(w *world) result {
		out, err := w.d.Trials.Try(as(nobody{}), contract.TryRequest{Document: given, Moment: rule.Saving})
		require.NoError(t, err)
		r := ofOutcome(&out)
		r.Messages = nil // the numbers of rules differ
		return r
	}
	same(t, "elsewhere", judged(home), judged(other))
}

// Whatever a codicil changes: brought elsewhere as a file, on top of the same book, it says the same there, and orders are judged as with
// it at home; the book in force is no other for it. In force at home it is what was shown, and taken back it leaves what was before.
func TestACodicilThatIsBroughtElsewhereIsTheSame(t *testing.T) {
	t.Parallel()
	rapid.Check(t, func(rt *rapid.T) {
		if !rapid.Bool().Draw(rt, "travels") { // half are enough: each takes two applications
			return
		}
		base, other := newWorld(t), newWorld(t)
		home := traveller{world: base, t: rt, removes: true}
		home.begin()
		base.enforce(rt, draw(rt))
		for range rapid.IntRange(0, 5).Draw(rt, "steps before") {
			home.step()
		}
		in := func(d *app.App) *exchange.Book {
			b, err := d.Books.Export(as(t))
			require.NoError(rt, err)
			return b
		}
		_, err := other.d.Books.Import(as(t), in(base.d), false)
		require.NoError(rt, err)
		before := meaning(rt, in(other.d), true)

		c := prepare(t, base.d, "Autumn")
		ours := *base
		ours.d = with(t, base.d, c)
		home.world = &ours
		for range rapid.IntRange(1, 8).Draw(rt, "steps") {
			home.step()
		}
		of, err := base.d.Books.Codicil(as(t), c.ID)
		require.NoError(rt, err)
		var file bytes.Buffer
		require.NoError(rt, of.Write(&file))
		read, err := exchange.ReadBook(&file)
		require.NoError(rt, err)
		made, _, err := other.d.Bring(as(t), read, "")
		require.NoError(rt, err)
		require.Equal(rt, before, meaning(rt, in(other.d), true), "what is in force stays")
		there := *other
		there.d = with(t, other.d, made)
		require.Equal(rt, meaning(rt, in(home.d), true), meaning(rt, in(there.d), true))
		for _, company := range []string{"", "10"} {
			require.Equal(rt, home.form(company), (&traveller{world: &there, t: rt}).form(company))
		}
		judgedAlike(rt, home.world, &there)

		now, err := base.d.Codicils.Get(as(t), c.ID)
		require.NoError(rt, err)
		if len(now.Contents) == 0 || !rapid.Bool().Draw(rt, "put in force") {
			return
		}
		// In force it is what it was shown to be; taken back, what was before, but for its proofs, which stay.
		was, shown := meaning(rt, in(base.d), true), meaning(rt, in(home.d), true)
		_, err = base.d.Codicils.Move(as(t), c.ID, contract.CodicilMove{State: contract.CodicilInForce, Version: now.Version, Reason: "it holds"})
		require.NoError(rt, err)
		require.Equal(rt, shown, meaning(rt, in(base.d), true), "in force")
		back, err := base.d.Codicils.TakeBack(as(t), c.ID)
		require.NoError(rt, err)
		require.Empty(rt, back.LeftOut)
		_, err = base.d.Codicils.Move(as(t), back.ID, contract.CodicilMove{State: contract.CodicilInForce, Version: back.Version, Reason: "it holds no more"})
		require.NoError(rt, err)
		after, isProof := meaning(rt, in(base.d), true), func(key, _ string) bool { return strings.HasPrefix(key, "proof ") }
		maps.DeleteFunc(was, isProof)
		maps.DeleteFunc(after, isProof)
		require.Equal(rt, was, after, "taken back")
	})
}
