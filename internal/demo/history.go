package demo

import (
	"context"
	"fmt"
	"slices"
	"time"

	"codicil/core/record"
	"codicil/core/rule"
	"codicil/core/table"
	"codicil/internal/actor"
	"codicil/internal/app"
	"codicil/internal/contract"
	"codicil/internal/store"
)

// chapter is a codicil of the past: the rules that were asked for until a day and were in none before.
type chapter struct {
	until record.Day
	at    time.Time
	head  store.CodicilHead
}

func on(year int, month time.Month, day int) time.Time {
	return time.Date(year, month, day, 9, 0, 0, 0, time.UTC)
}

// chapters are how the rule book came to be what it is, in their order.
var chapters = []chapter{
	{"2024-12-01", on(2024, 12, 2), store.CodicilHead{Title: "The rule book of the Brinewell group", AskedBy: "Edda Karlsen, group finance",
		Reason: "The rules of the companies before the group, gathered into one book."}},
	{"2025-01-31", on(2025, 2, 3), store.CodicilHead{Title: "New year: confirmations, tax and numbers", AskedBy: "Finn, sales", Reason: "What was agreed over the turn of the year."}},
	{"2025-02-28", on(2025, 3, 3), store.CodicilHead{Title: "Bank details and discounts", AskedBy: "Treasury", Reason: "A fee went to a wrong account in February, and a rebate was typed with a digit too many."}},
	{"2025-03-31", on(2025, 4, 1), store.CodicilHead{Title: "Nothing twice", AskedBy: "Moya, payables", Reason: "The audit found vendors, accounts and invoices that were entered twice."}},
	{"2025-04-30", on(2025, 5, 2), store.CodicilHead{Title: "Credit that is used is written back", AskedBy: "Treasury", Reason: "Orders count against the limit from the day they are taken."}},
	{"2025-05-31", on(2025, 6, 2), store.CodicilHead{Title: "Last dates on masters", AskedBy: "Finn, purchasing", Reason: "So that what nobody uses any more is found."}},
	{"2025-06-30", on(2025, 7, 1), store.CodicilHead{Title: "Rush orders", AskedBy: "Birk, Chandlery", Reason: "They have terms and freight of their own."}},
	{"2025-09-30", on(2025, 10, 1), store.CodicilHead{Title: "Accruals keyed in a row", AskedBy: "Moya, payables", Reason: "Forty a month, all alike."}},
	{"2025-11-30", on(2025, 11, 28), store.CodicilHead{Title: "Before the year ends", AskedBy: "Group accounting", Reason: "Agreed in the closing meeting."}},
}

// past brings the rules into force as they came, from drafts that were all written at the beginning, and then changes some
// of them again, as happens. at is the clock.
func past(ctx context.Context, tx *store.Store, open func(*store.Store) *app.App, at *time.Time, begun func(ctx context.Context, d *app.App) (map[string]int64, error)) (map[string]int64, error) {
	var ids map[string]int64
	all, done := rules(), map[string]bool{}
	for n, c := range chapters {
		*at = c.at
		err := amend(ctx, tx, *at, c.head, func(tx *store.Store) (err error) {
			d := open(tx)
			if n == 0 {
				if ids, err = begun(ctx, d); err != nil {
					return err
				}
			}
			for _, r := range all {
				key := r.body.Kind + "/" + r.key
				if done[key] || r.state == rule.Draft || r.body.Note.AskedOn > c.until {
					continue
				}
				done[key] = true
				if err := force(ctx, d, ids[key]); err != nil {
					return fmt.Errorf("rule %s: %w", key, err)
				}
			}
			return nil
		})
		if err != nil {
			return nil, err
		}
	}
	for _, r := range all {
		key := r.body.Kind + "/" + r.key
		if r.state != rule.Draft && !done[key] {
			return nil, fmt.Errorf("rule %s was asked for after the last chapter", key)
		}
		if r.state != rule.Suspended {
			continue
		}
		if _, err := open(tx).Rules.Move(ctx, ids[key], contract.RuleMove{State: rule.Suspended, Version: 2, Reason: "Until the new planning starts."}); err != nil {
			return nil, err
		}
	}
	// What is left of the drafts of the beginning is one that nobody has finished.
	d := open(tx)
	left, err := d.Codicils.List(ctx, []contract.CodicilState{contract.CodicilOpen}, false, 0, 0)
	if err != nil || len(left.Codicils) != 1 {
		return nil, fmt.Errorf("%d codicils are left of the beginning: %w", len(left.Codicils), err)
	}
	_, err = d.Codicils.Change(ctx, left.Codicils[0].ID, contract.CodicilHead{Version: left.Codicils[0].Version, Title: "Clerks of Alpin", AskedBy: "Ursina, Alpin", Reason: "Only two people keep its vendors."})
	return ids, err
}

// force puts a rule of the beginning in force.
func force(ctx context.Context, d *app.App, id int64) error {
	_, err := d.Rules.Move(ctx, id, contract.RuleMove{State: rule.InForce, Version: 1, Reason: "Taken over when the group was set up; its proofs came after."})
	return err
}

func amend(ctx context.Context, tx *store.Store, at time.Time, head store.CodicilHead, work func(tx *store.Store) error) error {
	who := actor.Of(ctx)
	return tx.Amend(ctx, head, record.Stamp{At: store.Instant(at), By: who.Name, Person: who.ID, Via: string(who.Via)}, work)
}

// nextFreight are the values of the next year, which were agreed this autumn.
func nextFreight(s table.Standing, companies ...string) table.Standing {
	s.Periods = slices.DeleteFunc(slices.Clone(s.Periods), func(p table.StandingValue) bool {
		return p.From == "2027-01-01" && !slices.Contains(companies, p.Company)
	})
	return s
}

// autumn brings the freight of the next year, company by company, as it was agreed.
func autumn(ctx context.Context, tx *store.Store, open func(*store.Store) *app.App, at *time.Time) error {
	for n, agreed := range []struct {
		at        time.Time
		head      store.CodicilHead
		companies []string
	}{
		{on(2026, 10, 12), store.CodicilHead{Title: "Rush freight of Brinewell Salt Works for 2027", AskedBy: "Finn, quay", Reason: "Agreed with Corrib."}, []string{"10"}},
		{on(2026, 11, 9), store.CodicilHead{Title: "Rush freight of the Chandlery for 2027", AskedBy: "Birk, Chandlery", Reason: "Agreed with the Skagen Line."}, []string{"10", "20"}},
	} {
		*at = agreed.at
		err := amend(ctx, tx, *at, agreed.head, func(tx *store.Store) error {
			_, err := open(tx).Tables.SaveStanding(ctx, "rush_freight", contract.StandingChange{Standing: nextFreight(standing[0], agreed.companies...), Version: n + 1})
			return err
		})
		if err != nil {
			return err
		}
	}
	return nil
}

// govern says who must sign what changes amounts.
func govern(ctx context.Context, d *app.App) error {
	_, err := d.Signing.Change(ctx, contract.SigningChange{UrgentDays: 3, Rules: []contract.SigningRule{{
		Title: "It changes amounts that were posted", Kinds: []string{"accounting_document", "sales_order", "quotation"}, Companies: []string{}, Families: []string{string(rule.Compute), string(rule.Substitute)},
		Finds: contract.FindsAmounts, Role: "signer", Count: 1,
	}}})
	return err
}

// prepare leaves four codicils that are not in force: one of which proofs do not hold, one that waits for a signature, one
// that comes into force on the first of the next month, and one that changes amounts.
func prepare(ctx context.Context, d *app.App, ids map[string]int64) error {
	tobias := actor.With(ctx, actor.Named("Tobias Rell", actor.Browser))
	changed := func(id int64, change func(*rule.Body)) func(d *app.App) error {
		return func(d *app.App) error {
			v, err := d.Rules.Get(tobias, id)
			if err != nil {
				return err
			}
			change(&v.Body)
			_, err = d.Rules.Change(tobias, id, contract.RuleChange{Body: v.Body, Version: v.Version})
			return err
		}
	}
	december := time.Date(2026, 12, 1, 0, 0, 0, 0, time.UTC)
	for _, c := range []struct {
		head contract.CodicilHead
		work func(d *app.App) error
		to   []contract.CodicilState
	}{
		{contract.CodicilHead{Title: "Chandlery vendors are paid within thirty days", AskedBy: "Birk, Chandlery", Reason: "The harbour trade has asked for it since summer."},
			changed(ids["vendor/terms-chandlery"], func(b *rule.Body) { b.Effect.Value = `"N30"` }), nil},
		{contract.CodicilHead{Title: "Larger purchases of Kaisan without a second signature", AskedBy: "Rina, Kaisan", Reason: "Fuel alone is more than ten million yen by now."},
			changed(ids["accounting_document/large-kaisan"], func(b *rule.Body) {
				b.Effect.Must, b.Effect.Message = "line.debit <= 20000000", "More than 20 000 000 yen in one line. Say who checked it."
			}), []contract.CodicilState{contract.CodicilSubmitted}},
		{contract.CodicilHead{Title: "Rush freight of Kaisan for 2027", AskedBy: "Rina, Kaisan", Reason: "Agreed with Hamasaki on 20 November.", Effective: &december},
			func(d *app.App) error {
				s := standing[0]
				s.Periods = append(slices.Clone(s.Periods), table.StandingValue{Company: "30", Value: "8100", Period: from("2027-01-01")})
				_, err := d.Tables.SaveStanding(tobias, "rush_freight", contract.StandingChange{Standing: s, Version: 3})
				return err
			}, []contract.CodicilState{contract.CodicilSubmitted, contract.CodicilAgreed}},
		{contract.CodicilHead{Title: "The export declaration is charged", AskedBy: "Finn, sales", Reason: "The customs agent takes 15 for every declaration since October."},
			changed(ids["sales_order/gross"], func(b *rule.Body) {
				b.Effect.Value = `net_total + tax_total + (if type.key = "SX" then 15 else 0)`
			}), []contract.CodicilState{contract.CodicilSubmitted}},
	} {
		made, err := d.Codicils.Begin(tobias, c.head)
		if err != nil {
			return err
		}
		shown, err := d.Viewed(tobias, store.View{Codicil: made.ID})
		if err != nil {
			return err
		}
		if err := c.work(shown); err != nil {
			return fmt.Errorf("codicil %q: %w", c.head.Title, err)
		}
		for _, state := range c.to {
			if made, err = d.Codicils.Get(tobias, made.ID); err != nil {
				return err
			}
			if state == contract.CodicilAgreed {
				_, err = d.Codicils.Sign(ctx, made.ID, contract.CodicilSign{Hash: made.Hash})
			} else {
				_, err = d.Codicils.Move(tobias, made.ID, contract.CodicilMove{State: state, Version: made.Version})
			}
			if err != nil {
				return fmt.Errorf("codicil %q: %w", c.head.Title, err)
			}
		}
	}
	return nil
}
