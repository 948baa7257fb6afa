package replay

import (
	"cmp"
	"context"
	"maps"
	"slices"

	"codicil/core/decimal"
	"codicil/core/field"
	"codicil/core/proof"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/internal/actor"
	"codicil/internal/app/runs"
	"codicil/internal/cache"
	"codicil/internal/contract"
	"codicil/internal/ledger"
	"codicil/internal/view"
)

// tally adds up what a codicil does.
type tally struct {
	cache   *cache.Cache // with the codicil
	w       *runs.Writer
	done    int
	effects map[effectKey]*effect
}

type effectKey struct{ kind, company, field string }

// effect is what becomes of one field; moved is by how much, by currency.
type effect struct {
	label, kindLabel string
	records          int
	moved            map[string]decimal.Number
}

func newTally(c *cache.Cache, w *runs.Writer) *tally {
	return &tally{cache: c, w: w, effects: map[effectKey]*effect{}}
}

// count adds what becomes of one record.
func (t *task) count(ctx context.Context, f *contract.Replay, of *both) {
	if of.row.State == record.Posted {
		f.Posted++
	} else {
		f.Saved++
	}
	if !of.known {
		f.Unknown++
	}
	if of.untouched {
		return
	}
	if of.failed != nil {
		f.Unjudged++
		return
	}
	hit, refused, changed := of.hit(t.after.Links(ctx, of.ref, of.row.Company))
	if refused {
		f.Refused++
		t.effect(of, "").records++
	}
	if changed {
		f.Changed++
	}
	if eased(of) && !refused {
		f.Eased++
	}
	if t.values(of, hit.Changes) && of.row.State == record.Posted {
		f.Amounts++
	}
	if refused || changed || hit.What != "" {
		if hit.Drifted {
			f.Drifted++
		}
		t.w.Found(-view.Weight(hit.What), hit)
	}
}

// eased tells whether something that was asked or refused no longer is.
func eased(of *both) bool {
	count := func(r *proof.Result) (count int) {
		for i := range r.Outcome.Messages {
			if severity := r.Outcome.Messages[i].Severity; severity == rule.Refuse || severity == rule.Confirm {
				count++
			}
		}
		return count
	}
	return count(&of.after) < count(&of.before)
}

// values adds the values that change, and tells whether an amount is among them.
func (t *tally) values(of *both, changes []contract.ValueChange) (amounts bool) {
	kind := of.after.Plan.Kind()
	counted := map[string]bool{}
	for i := range changes {
		c := &changes[i]
		f := kind.Field(c.Field)
		if f == nil {
			continue
		}
		e := t.effect(of, c.Field)
		if !counted[c.Field] {
			counted[c.Field] = true
			e.records++
		}
		if f.Type != field.Amount {
			continue
		}
		amounts = true
		was, _ := decimal.Parse(cmp.Or(c.Before.Value, "0"))
		is, _ := decimal.Parse(cmp.Or(c.After.Value, "0"))
		currency := t.currency(of, f, c.Line)
		e.moved[currency] = e.moved[currency].Plus(is.Minus(was))
	}
	return amounts
}

// currency is that of an amount as it comes out.
func (t *tally) currency(of *both, f *field.Field, line int) string {
	kind := of.after.Plan.Kind()
	if place := kind.Index(f.Currency); f.Currency != "" && place >= 0 {
		if place < kind.Headers() {
			line = 0
		}
		if beside := of.after.Outcome.Field(place, line); beside != nil && !beside.Final.IsNull() {
			return field.Write(beside.Final)
		}
	}
	return of.after.Plan.Scope.Company.Currency
}

func (t *tally) effect(of *both, key string) *effect {
	kind := of.after.Plan.Kind()
	at := effectKey{kind.Key, of.row.Company, key}
	if t.effects[at] == nil {
		e := &effect{kindLabel: kind.Plural, moved: map[string]decimal.Number{}}
		if key != "" {
			e.label = labelOf(kind, key)
		}
		t.effects[at] = e
	}
	return t.effects[at]
}

// came keeps how far the replay is.
func (t *tally) came(ctx context.Context, f *contract.Replay, gone int) error {
	t.done += gone
	format := actor.Of(ctx).Format
	f.Effects = t.told(format.OrPlain())
	if err := t.w.Figure(f); err != nil {
		return err
	}
	return t.w.Came(ctx, t.done, runs.Counts{"looked": f.Saved + f.Posted, "refused": f.Refused, "changed": f.Changed, "drifted": f.Drifted})
}

// told are the effects by kind, company and field.
func (t *tally) told(format field.Format) []contract.ReplayEffect {
	told := make([]contract.ReplayEffect, 0, len(t.effects))
	for at, e := range t.effects {
		v := contract.ReplayEffect{Kind: at.kind, KindLabel: e.kindLabel, Company: at.company, Field: at.field, Label: e.label, Records: e.records, Moved: []contract.MovedAmount{}}
		for _, currency := range slices.Sorted(maps.Keys(e.moved)) {
			n := e.moved[currency]
			v.Moved = append(v.Moved, contract.MovedAmount{Currency: currency, Amount: n.String(), Text: ledger.Show(n, currency, format)})
		}
		told = append(told, v)
	}
	slices.SortFunc(told, func(a, b contract.ReplayEffect) int {
		return cmp.Or(cmp.Compare(a.Kind, b.Kind), cmp.Compare(a.Company, b.Company), cmp.Compare(b.Records, a.Records), cmp.Compare(a.Field, b.Field))
	})
	return told
}
