package desk

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"codicil/core/proof"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/internal/contract"
	"codicil/internal/exchange"
	"codicil/internal/store"
)

// Impact tells what a rule would do to the saved records and posted documents of its scope as
// they stand: first in numbers, then one by one. Nothing is changed.
func (d *Desk) Impact(ctx context.Context, id int64) (contract.Impact, []contract.ImpactHit, error) {
	r, err := d.store.Rule(ctx, id)
	if err != nil {
		return contract.Impact{}, nil, explain(err)
	}
	b, err := d.bench(ctx, r.Kind, nil)
	if err != nil {
		return contract.Impact{}, nil, err
	}
	without, with := r, r
	without.State, with.State = rule.Suspended, rule.InForce
	before, after := b.runner.With(without), b.runner.With(with)
	c := after.Book.Rules[slices.IndexFunc(after.Book.Rules, func(c *rule.Compiled) bool { return c.ID == id })]
	s, err := d.shelf(ctx, r.Kind)
	if err != nil {
		return contract.Impact{}, nil, err
	}
	rows, documents := d.inScope(c, s)
	then, err := before.RunAll(ctx, documents, nil)
	if err != nil {
		return contract.Impact{}, nil, err
	}
	now, err := after.RunAll(ctx, documents, nil)
	if err != nil {
		return contract.Impact{}, nil, err
	}
	found := contract.Impact{Looked: len(rows)}
	hits := []contract.ImpactHit{}
	for i := range rows {
		if then[i].Err != nil || now[i].Err != nil {
			continue // a record that no longer fits its kind meets no rule
		}
		hit, refused, changed := d.hit(ctx, b, c, &then[i], &now[i])
		if !refused && !changed && hit.What == "" {
			continue
		}
		row := rows[i]
		hit.Kind, hit.Number, hit.Company, hit.Type, hit.Posted = row.Kind, row.Number, row.Company, row.Type, row.State == store.Posted
		hit.Title = d.links(ctx, b.masters, row.Company).title(row.Kind, row.Number)
		hits = append(hits, hit)
		if refused {
			found.Refused++
		}
		if changed {
			found.Changed++
		}
	}
	// What would be refused is what somebody must look at first.
	slices.SortStableFunc(hits, func(a, b contract.ImpactHit) int { return weight(b.What) - weight(a.What) })
	return found, hits, nil
}

func weight(what contract.ImpactHitWhat) int {
	return slices.Index([]string{"advise", "change", "confirm", "refuse"}, string(what))
}

// inScope are the records that the rule would stand for, as documents that change nothing.
func (d *Desk) inScope(c *rule.Compiled, s *shelf) (rows []*store.Record, documents []proof.Proof) {
	kind := c.Vocabulary().Kind
	for i := range s.rows {
		r := &s.rows[i]
		day := record.Day(r.Values[kind.Day])
		if day == "" {
			day = d.today()
		}
		if r.State == store.Reversed || r.Reverses != "" || !c.Scope.Covers(r.Company, r.Type, day) {
			continue
		}
		clean := *r
		clean.Values, clean.Lines = onlyKnown(kind, "", r.Values), onlyKnownLines(kind, r.Lines)
		document := documentOf(&clean)
		document.Day, document.Stored, document.StoredLines = day, clean.Values, clean.Lines
		rows, documents = append(rows, r), append(documents, proof.Proof{ID: int64(i + 1), Given: document})
	}
	return rows, documents
}

// hit tells how the rule changes the outcome of one record.
func (d *Desk) hit(ctx context.Context, b *bench, c *rule.Compiled, then, now *proof.Result) (hit contract.ImpactHit, refused, changed bool) {
	kind := now.Plan.Kind()
	reader := newReader(now.Plan, now.Outcome, d.links(ctx, b.masters, now.Plan.Scope.Company.Key), nil)
	var told []string
	for _, s := range now.Outcome.Spots() {
		old := then.Outcome.Field(s.Place, s.Line)
		if before, after := record.Write(old.Final), record.Write(s.Final); before != after {
			changed = true
			told = append(told, fmt.Sprintf("%s %s → %s", labelOf(kind, s.Place, s.Line), blankOr(reader.at(s, old.Final)), blankOr(reader.at(s, s.Final))))
		}
	}
	if changed {
		hit.What = contract.ImpactHitWhat("change")
	}
	// What the rule itself says, and what it lets others say.
	said := proof.MessagesOf(then.Outcome, kind)
	for i, m := range proof.MessagesOf(now.Outcome, kind) {
		at := slices.Index(said, m)
		if at >= 0 {
			said = slices.Delete(said, at, at+1)
			continue
		}
		if m.Severity == rule.Refuse || m.Severity == rule.Confirm {
			refused = true
		}
		if what := contract.ImpactHitWhat(m.Severity); hit.What == "" || weight(what) > weight(hit.What) {
			hit.What = what
		}
		told = append(told, now.Outcome.Messages[i].Text)
	}
	hit.Told = strings.Join(told, "; ")
	return hit, refused, changed
}

func blankOr(text string) string {
	if text == "" {
		return "blank"
	}
	return text
}

// ExportImpact writes the same as CSV.
func (d *Desk) ExportImpact(ctx context.Context, id int64) (string, error) {
	_, hits, err := d.Impact(ctx, id)
	if err != nil {
		return "", err
	}
	rows := [][]string{{"kind", "number", "title", "company", "type", "what", "told"}}
	for _, h := range hits {
		rows = append(rows, []string{h.Kind, h.Number, h.Title, h.Company, h.Type, string(h.What), h.Told})
	}
	return exchange.WriteRows(rows)
}

// isConfirmed asks for a reason where the proofs do not show a rule both ways, or where saved
// records break it.
func (d *Desk) isConfirmed(ctx context.Context, id int64) error {
	_, c, results, err := d.measured(ctx, id)
	if err != nil {
		return err
	}
	var why []string
	if state := proof.ConfirmRule(c, results).State; state != proof.ProvedBoth {
		why = append(why, fmt.Sprintf("its proofs do not show it both ways (it is %s)", state))
	}
	found, _, err := d.Impact(ctx, id)
	if err != nil {
		return err
	}
	if found.Refused > 0 {
		why = append(why, fmt.Sprintf("it would refuse %d of %d saved records as they stand", found.Refused, found.Looked))
	}
	if len(why) == 0 {
		return nil
	}
	return conflict("needs-reason", "%s needs a reason to be put in force: %s. Add proofs and mend the records, or say why it goes in force anyway", c.Label(), strings.Join(why, ", and "))
}
