package desk

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"codicil/core/engine"
	"codicil/core/field"
	"codicil/core/proof"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/internal/clock"
	"codicil/internal/contract"
	"codicil/internal/exchange"
	"codicil/internal/store"
)

// Impact tells what a rule would do to the saved records and posted documents of its scope as
// they stand: first in numbers, then one by one. Nothing is changed.
func (d *Desk) Impact(ctx context.Context, id int64) (contract.Impact, []contract.ImpactHit, error) {
	r, err := d.keptRule(ctx, id)
	if err != nil {
		return contract.Impact{}, nil, err
	}
	without := r
	without.State = rule.Suspended
	return d.impact(ctx, without, r)
}

// ImpactOfChange tells the same of a changed rule, against the rule as it is kept; of a new
// one, against none.
func (d *Desk) ImpactOfChange(ctx context.Context, id int64, change contract.RuleChange) (contract.Impact, []contract.ImpactHit, error) {
	with := changed(change)
	without := with
	without.State = rule.Suspended
	if id != 0 {
		kept, err := d.keptRule(ctx, id)
		if err != nil {
			return contract.Impact{}, nil, err
		}
		without, with.ID = kept, id
	}
	return d.impact(ctx, without, with)
}

// impact compares what becomes of the saved records of a rule's scope without it and with it:
// as saving, or for posted ones as posting on their day, judges them. Cost: the records of the
// scope, twice.
func (d *Desk) impact(ctx context.Context, without, with rule.Rule) (contract.Impact, []contract.ImpactHit, error) {
	b, err := d.bench(ctx, with.Kind, nil)
	if err != nil {
		return contract.Impact{}, nil, err
	}
	with.State = rule.InForce
	before, after := b.runner.With(without), b.runner.With(with)
	c := after.Book.Rules[slices.IndexFunc(after.Book.Rules, func(c *rule.Compiled) bool { return c.ID == with.ID })]
	old := before.Book.Rules[slices.IndexFunc(before.Book.Rules, func(c *rule.Compiled) bool { return c.ID == with.ID })]
	s, err := d.shelf(ctx, with.Kind)
	if err != nil {
		return contract.Impact{}, nil, err
	}
	rows, documents := d.inScope(b.masters, s, func(company, kindType string, day record.Day) bool {
		return c.Scope.Covers(company, kindType, day) || (old.State == rule.InForce && old.Scope.Covers(company, kindType, day))
	}, c.Vocabulary().Kind)
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
		hit, refused, changed := d.hit(ctx, b, &then[i], &now[i])
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

// inScope are the records that a rule would stand for, as documents that change nothing: on the
// day of the work, or of their posting.
func (d *Desk) inScope(m *masters, s *shelf, covers func(company, kindType string, day record.Day) bool, kind *record.Kind) (rows []*store.Record, documents []proof.Proof) {
	for i := range s.rows {
		r := &s.rows[i]
		today := d.today(m.company(r.Company))
		if at, err := time.Parse(time.RFC3339, r.ChangedAt); err == nil && r.State == store.Posted {
			today = clock.Today(m.company(r.Company), at)
		}
		document := documentOf(kind, r)
		document.Day = today
		if r.State == store.Reversed || r.Reverses != "" || !covers(r.Company, r.Type, document.EnteredDay(kind, today)) {
			continue
		}
		document.Stored, document.StoredLines = onlyKnown(kind, "", r.Values), onlyKnownLines(kind, r.Lines)
		document.StoredOrigins, document.StoredReasons = r.Origins, r.Reasons
		if r.OriginNumber != "" {
			document.Preceding = &engine.Preceding{Kind: r.OriginKind, Number: r.OriginNumber}
		}
		rows, documents = append(rows, r), append(documents, proof.Proof{ID: int64(i + 1), Given: document})
	}
	return rows, documents
}

// hit tells how the rule changes the outcome of one record.
func (d *Desk) hit(ctx context.Context, b *bench, then, now *proof.Result) (hit contract.ImpactHit, refused, changed bool) {
	kind := now.Plan.Kind()
	reader := newReader(now.Plan, now.Outcome, d.links(ctx, b.masters, now.Plan.Scope.Company.Key), nil)
	var told []string
	for _, s := range now.Outcome.Spots() {
		old := then.Outcome.Field(s.Place, s.Line)
		if before, after := field.Write(old.Final), field.Write(s.Final); before != after {
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
		at := slices.IndexFunc(said, m.Fits)
		if at >= 0 {
			said = slices.Delete(said, at, at+1)
			continue
		}
		if m.Severity == rule.Refuse || (m.Severity == rule.Confirm && now.Outcome.Messages[i].Reason == "") {
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

// isConfirmed asks for a reason where the proofs do not show a rule both ways, where proofs
// would fail with it that hold without, or where saved records break it.
func (d *Desk) isConfirmed(ctx context.Context, r rule.Rule) error {
	b, c, results, err := d.measured(ctx, r)
	if err != nil {
		return err
	}
	var why []string
	if state := proof.ConfirmRule(c, results).State; state != proof.ProvedBoth {
		why = append(why, fmt.Sprintf("its proofs do not show it both ways (it is %s)", state))
	}
	failing, err := d.wouldFail(ctx, b, results)
	if err != nil {
		return err
	}
	if len(failing) > 0 {
		why = append(why, fmt.Sprintf("with it proofs fail that hold now, %d of them: %s", len(failing), strings.Join(failing[:min(len(failing), 5)], ", ")))
	}
	kept, err := d.keptRule(ctx, r.ID)
	if err != nil {
		return err
	}
	if kept.State != rule.InForce {
		kept.State = rule.Suspended
	}
	found, _, err := d.impact(ctx, kept, r)
	if err != nil {
		return err
	}
	if found.Refused > 0 {
		why = append(why, fmt.Sprintf("it would refuse %d of %d saved records as they stand", found.Refused, found.Looked))
	}
	if len(why) == 0 {
		return nil
	}
	deed := "put in force"
	if kept.State == rule.InForce {
		deed = "changed while it is in force"
	}
	return conflict("needs-reason", "%s needs a reason to be %s: %s. Add proofs and mend the records, or say why it is right anyway", c.Label(), deed, strings.Join(why, "; and "))
}

// wouldFail names the proofs that fail with a changed book and hold with the one in force.
func (d *Desk) wouldFail(ctx context.Context, with *bench, results []proof.Result) (failing []string, err error) {
	now, err := d.bench(ctx, with.runner.Book.Vocabulary.Kind.Key, nil)
	if err != nil {
		return nil, err
	}
	for i := range results {
		if r := &results[i]; r.Proof != nil && !r.Held() {
			if before := now.runner.Run(r.Proof, false); before.Held() {
				failing = append(failing, fmt.Sprintf("proof %d", r.Proof.ID))
			}
		}
	}
	return failing, ctx.Err()
}
