package desk

import (
	"context"
	"fmt"
	"slices"

	"codicil/core/plan"
	"codicil/core/proof"
	"codicil/core/rule"
	"codicil/internal/contract"
	"codicil/internal/exchange"
)

// ConfirmationReport tells of every rule in force today for a company and type what confirms
// it: for an auditor, or the next administrator.
func (d *Desk) ConfirmationReport(ctx context.Context, kind, company, kindType string) (contract.ConfirmationReport, error) {
	report := contract.ConfirmationReport{Kind: kind, Company: company, Type: kindType, Day: string(d.today(nil)), RanAt: d.clock().UTC(), RanBy: d.user, Rules: []contract.ReportedRule{}}
	b, err := d.bench(ctx, kind, nil)
	if err != nil {
		return report, err
	}
	scope, err := b.masters.scope(kind, company, kindType, d.today(nil))
	if err != nil {
		return report, err
	}
	results, err := b.runner.RunAll(ctx, b.proofs, nil)
	if err != nil {
		return report, err
	}
	confirmed := slices.DeleteFunc(proof.Confirm(b.runner.Book, results), func(c proof.Confirmation) bool { return !plan.Covers(c.Rule, scope) })
	strengths, err := b.runner.Measure(ctx, list(confirmed, func(c proof.Confirmation) *rule.Compiled { return c.Rule }), results, nil)
	if err != nil {
		return report, err
	}
	for i, c := range confirmed {
		shown := contract.ReportedRule{Confirmation: b.showConfirmation(c), Note: c.Rule.Note, Reason: c.Rule.Reason, Proofs: []contract.ReportedProof{}}
		if shown.Confirmation.Strength, err = d.showStrength(ctx, &strengths[i]); err != nil {
			return report, err
		}
		for j := range results {
			if r := &results[j]; slices.Contains(c.Proofs, r.Proof.ID) {
				shown.Proofs = append(shown.Proofs, contract.ReportedProof{Id: r.Proof.ID, Name: r.Proof.Name, Held: r.Held(), Unread: r.Proof.Unread, Why: whyFailed(r)})
			}
		}
		report.Rules = append(report.Rules, shown)
	}
	return report, nil
}

// whyFailed says the first thing in which a proof fails; "" when it holds.
func whyFailed(r *proof.Result) string {
	if r.Err != nil {
		return r.Err.Error()
	}
	if len(r.Differences) == 0 {
		return ""
	}
	first := r.Differences[0]
	return fmt.Sprintf("%s %s: expected %s, came out %s", first.What, first.Field, blankOr(first.Expected), blankOr(first.Actual))
}

// ExportConfirmation writes the report as CSV, a line for each proof of each rule.
func (d *Desk) ExportConfirmation(ctx context.Context, kind, company, kindType string) (string, error) {
	report, err := d.ConfirmationReport(ctx, kind, company, kindType)
	if err != nil {
		return "", err
	}
	rows := [][]string{{"kind", "company", "type", "day", "run at", "run by", "rule", "version", "sentence", "asked by", "asked on", "why", "reason", "confirmed", "shown", "to show", "noticed", "wrong versions", "proof", "proof name", "result", "difference"}}
	for _, r := range report.Rules {
		c := r.Confirmation
		head := []string{
			kind, company, kindType, report.Day, report.RanAt.Format("2006-01-02T15:04:05Z"), report.RanBy, fmt.Sprint(c.Rule), fmt.Sprint(c.Version), c.Sentence,
			r.Note.AskedBy, string(r.Note.AskedOn), r.Note.Why, r.Reason, string(c.State), fmt.Sprint(c.Reached), fmt.Sprint(len(c.Goals)), fmt.Sprint(c.Strength.Noticed), fmt.Sprint(c.Strength.Mutants),
		}
		if len(r.Proofs) == 0 {
			rows = append(rows, append(head, "", "", "no proof", ""))
		}
		for _, p := range r.Proofs {
			result := "fails"
			if p.Held {
				result = "holds"
			}
			rows = append(rows, append(slices.Clone(head), fmt.Sprint(p.Id), p.Name, result, p.Why))
		}
	}
	return exchange.WriteRows(rows)
}
