// Package impact tells what a rule would do to the saved records and posted documents, and whether
// proofs and records speak for it.
//
// It must never change anything. Start reading at Service.
package impact

import (
	"codicil/core/proof"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/internal/app/judging"
	"codicil/internal/contract"
	"codicil/internal/exchange"
	"codicil/internal/fault"
	"codicil/internal/view"
	"context"
	"fmt"
	"slices"
	"strings"
)

// Service serves these use cases.
type Service struct{ base *judging.Service }

// New returns the use cases.
func New(j *judging.Service) *Service { return &Service{j} }

// OfRule tells what a rule would do to the saved records and posted documents of its scope as
// they stand: first in numbers, then one by one. Nothing is changed.
func (s *Service) OfRule(ctx context.Context, id int64) (contract.Impact, []contract.ImpactHit, error) {
	r, err := s.base.KeptRule(ctx, id)
	if err != nil {
		return contract.Impact{}, nil, err
	}
	without := r
	without.State = rule.Suspended
	return s.impact(ctx, without, r)
}

// OfChange tells the same of a changed rule, against the rule as it is kept; of a new
// one, against none.
func (s *Service) OfChange(ctx context.Context, id int64, change contract.RuleChange) (contract.Impact, []contract.ImpactHit, error) {
	with := judging.Changed(change)
	without := with
	without.State = rule.Suspended
	if id != 0 {
		kept, err := s.base.KeptRule(ctx, id)
		if err != nil {
			return contract.Impact{}, nil, err
		}
		without, with.ID = kept, id
	}
	return s.impact(ctx, without, with)
}

// impact compares what becomes of the saved records of a rule's scope without it and with it:
// as saving, or for posted ones as posting on their day, judges them. Cost: the records of the
// scope, twice.
func (s *Service) impact(ctx context.Context, without, with rule.Rule) (contract.Impact, []contract.ImpactHit, error) {
	ref, runner, err := s.base.Runner(ctx, with.Kind)
	if err != nil {
		return contract.Impact{}, nil, err
	}
	with.State = rule.InForce
	before, after := runner.With(without), runner.With(with)
	c, old := judging.InBook(after.Book, with.ID), judging.InBook(before.Book, with.ID)
	rows, documents, err := s.base.Documents(ctx, ref, c.Vocabulary().Kind, func(company, kindType string, day record.Day) bool {
		return c.Scope.Covers(company, kindType, day) || (old.State == rule.InForce && old.Scope.Covers(company, kindType, day))
	})
	if err != nil {
		return contract.Impact{}, nil, err
	}
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
	for i, row := range rows {
		if then[i].Err != nil || now[i].Err != nil {
			continue // a record that no longer fits its kind meets no rule
		}
		links := s.base.Links(ctx, ref, row.Company)
		reader := view.NewReader(now[i].Plan, now[i].Outcome, links, nil)
		hit, refused, changed := reader.Impact(row, links.Title(row.Kind, row.Number), &then[i], &now[i])
		if !refused && !changed && hit.What == "" {
			continue
		}
		hits = append(hits, hit)
		if refused {
			found.Refused++
		}
		if changed {
			found.Changed++
		}
	}
	slices.SortStableFunc(hits, func(a, b contract.ImpactHit) int { return view.Weight(b.What) - view.Weight(a.What) })
	return found, hits, nil
}

// Export writes the same as CSV.
func (s *Service) Export(ctx context.Context, id int64) (string, error) {
	_, hits, err := s.OfRule(ctx, id)
	if err != nil {
		return "", err
	}
	rows := [][]string{{"kind", "number", "title", "company", "type", "what", "told"}}
	for _, h := range hits {
		rows = append(rows, []string{h.Kind, h.Number, h.Title, h.Company, h.Type, string(h.What), h.Told})
	}
	return exchange.WriteRows(rows)
}

// Confirm asks for a reason where the proofs do not show a rule both ways, where proofs
// would fail with it that hold without, or where saved records break it.
func (s *Service) Confirm(ctx context.Context, r rule.Rule) error {
	b, c, results, err := s.base.Measured(ctx, r)
	if err != nil {
		return err
	}
	var why []string
	if state := proof.ConfirmRule(c, results).State; state != proof.ProvedBoth {
		why = append(why, fmt.Sprintf("its proofs do not show it both ways (it is %s)", state))
	}
	failing, err := s.wouldFail(ctx, b, results)
	if err != nil {
		return err
	}
	if len(failing) > 0 {
		why = append(why, fmt.Sprintf("with it proofs fail that hold now, %d of them: %s", len(failing), strings.Join(failing[:min(len(failing), 5)], ", ")))
	}
	kept, err := s.base.KeptRule(ctx, r.ID)
	if err != nil {
		return err
	}
	if kept.State != rule.InForce {
		kept.State = rule.Suspended
	}
	found, _, err := s.impact(ctx, kept, r)
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
	return fault.Hindered(NeedsReason, c.Label(), deed, strings.Join(why, "; and "))
}

// wouldFail names the proofs that fail with a changed book and hold with the one in force.
func (s *Service) wouldFail(ctx context.Context, with *judging.Bench, results []proof.Result) (failing []string, err error) {
	_, now, err := s.base.Runner(ctx, with.Runner.Book.Vocabulary.Kind.Key)
	if err != nil {
		return nil, err
	}
	for i := range results {
		if r := &results[i]; r.Proof != nil && !r.Held() {
			if before := now.Run(r.Proof, false); before.Held() {
				failing = append(failing, fmt.Sprintf("proof %d", r.Proof.ID))
			}
		}
	}
	return failing, ctx.Err()
}

// Affected counts the saved records and posted documents in which any of the rules acts or
// speaks, as they stand; drafts count as if they were in force. Cost: the records of the kinds
// of the rules.
func (s *Service) Affected(ctx context.Context, ids []int64) (count int, err error) {
	m, err := s.base.Cache.Reference(ctx)
	if err != nil {
		return 0, err
	}
	for i := range m.Kinds {
		book, err := s.base.Cache.Book(ctx, m.Kinds[i].Key)
		if err != nil {
			return 0, err
		}
		if !slices.ContainsFunc(book.Rules, func(c *rule.Compiled) bool { return slices.Contains(ids, c.ID) }) {
			continue
		}
		_, runner, err := s.base.Runner(ctx, m.Kinds[i].Key)
		if err != nil {
			return 0, err
		}
		for _, c := range book.Rules {
			if slices.Contains(ids, c.ID) && c.State != rule.InForce {
				runner = runner.With(acting(c.Rule))
			}
		}
		_, documents, err := s.base.Documents(ctx, m, book.Vocabulary.Kind, func(string, string, record.Day) bool { return true })
		if err != nil {
			return 0, err
		}
		results, err := runner.RunAll(ctx, documents, nil)
		if err != nil {
			return 0, err
		}
		for j := range results {
			if results[j].Err == nil && slices.ContainsFunc(judging.Acting(results[j].Outcome), func(id int64) bool { return slices.Contains(ids, id) }) {
				count++
			}
		}
	}
	return count, ctx.Err()
}

// acting is a rule as if it were in force.
func acting(r rule.Rule) rule.Rule {
	r.State = rule.InForce
	return r
}
