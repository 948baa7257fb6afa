package coverage

import (
	"codicil/core/plan"
	"codicil/core/proof"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/internal/access"
	"codicil/internal/actor"
	"codicil/internal/app/judging"
	"codicil/internal/clock"
	"codicil/internal/contract"
	"codicil/internal/exchange"
	"codicil/internal/view"
	"context"
	"fmt"
	"slices"
	"time"
)

// Report tells of every rule in force for a company and type what confirms it: for an auditor, or the next administrator. As it
// was on a day, it tells of the rules and proofs of then, and what comes of them.
func (s *Service) Report(ctx context.Context, kind, company, kindType string) (contract.ConfirmationReport, error) {
	if err := access.Need(ctx, actor.RulesRead); err != nil {
		return contract.ConfirmationReport{}, err
	}
	if err := access.Company(ctx, company); err != nil {
		return contract.ConfirmationReport{}, err
	}
	day, err := s.day()
	if err != nil {
		return contract.ConfirmationReport{}, err
	}
	format := actor.Of(ctx).Format
	report := contract.ConfirmationReport{Kind: kind, Company: company, Type: kindType, Day: string(day), RanAt: s.base.Clock().UTC(), RanBy: actor.Of(ctx).Name, Rules: []contract.ReportedRule{}}
	b, err := s.base.Bench(ctx, kind)
	if err != nil {
		return report, err
	}
	scope, err := b.Reference.Scope(b.Runner.Book.Vocabulary.Kind, company, kindType, day)
	if err != nil {
		return report, err
	}
	results, err := b.Runner.RunAll(ctx, b.Proofs, nil)
	if err != nil {
		return report, err
	}
	confirmed := slices.DeleteFunc(proof.Confirm(b.Runner.Book, results), func(c proof.Confirmation) bool { return !plan.Covers(c.Rule, scope) })
	strengths, err := b.Measure(ctx, view.List(confirmed, func(c proof.Confirmation) *rule.Compiled { return c.Rule }), results, nil)
	if err != nil {
		return report, err
	}
	for i, c := range confirmed {
		shown := contract.ReportedRule{Confirmation: view.Confirmation(c, b.Reference.Wording(c.Rule.Vocabulary().Kind, format)), Note: c.Rule.Note, Reason: c.Rule.Reason, Proofs: []contract.ReportedProof{}}
		if shown.Confirmation.Strength, err = s.strength(ctx, &strengths[i]); err != nil {
			return report, err
		}
		for j := range results {
			if r := &results[j]; slices.Contains(c.Proofs, r.Proof.ID) {
				shown.Proofs = append(shown.Proofs, view.ReportedProof(r.Proof, judging.Shown(ctx, s.base, b.Reference, r, &format)))
			}
		}
		report.Rules = append(report.Rules, shown)
	}
	return report, nil
}

// day is the day of which the rules and proofs are: today, or a day that is over.
func (s *Service) day() (record.Day, error) {
	v := s.base.Store.View()
	if v == nil || v.Until == "" {
		return s.base.Today(nil), nil
	}
	at, err := time.Parse(time.RFC3339, v.Until)
	return clock.Today(nil, at.In(s.base.Clock().Location())), err
}

// Export writes the report as CSV, a line for each proof of each rule.
func (s *Service) Export(ctx context.Context, kind, company, kindType string) (string, error) {
	if err := access.Need(ctx, actor.RulesRead); err != nil {
		return "", err
	}
	report, err := s.Report(ctx, kind, company, kindType)
	if err != nil {
		return "", err
	}
	rows := [][]string{{"kind", "company", "type", "day", "run at", "run by", "rule", "version", "sentence", "asked by", "asked on", "why", "reason", "confirmed", "shown", "to show", "noticed", "wrong versions", "proof", "proof name", "kept at", "kept by", "result", "difference"}}
	for _, r := range report.Rules {
		c := r.Confirmation
		head := []string{
			kind, company, kindType, report.Day, report.RanAt.Format("2006-01-02T15:04:05Z"), report.RanBy, fmt.Sprint(c.Rule), fmt.Sprint(c.Version), c.Sentence,
			r.Note.AskedBy, string(r.Note.AskedOn), r.Note.Why, r.Reason, string(c.State), fmt.Sprint(c.Reached), fmt.Sprint(len(c.Goals)), fmt.Sprint(c.Strength.Noticed), fmt.Sprint(c.Strength.Mutants),
		}
		if len(r.Proofs) == 0 {
			rows = append(rows, append(head, "", "", "", "", "no proof", ""))
		}
		for _, p := range r.Proofs {
			result := "fails"
			if p.Held {
				result = "passes"
			}
			keptAt := ""
			if p.KeptAt != nil {
				keptAt = p.KeptAt.UTC().Format("2006-01-02T15:04:05Z")
			}
			rows = append(rows, append(slices.Clone(head), fmt.Sprint(p.ID), p.Name, keptAt, p.KeptBy, result, p.Why))
		}
	}
	return exchange.WriteRows(rows)
}
