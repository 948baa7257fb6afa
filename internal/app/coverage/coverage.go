// Package coverage tells what proofs confirm of rules, which wrong versions they notice, and which
// documents would show more.
//
// It must never change a rule or a proof. Start reading at Service.
package coverage

import (
	"codicil/core/engine"
	"codicil/core/proof"
	"codicil/core/rule"
	"codicil/internal/access"
	"codicil/internal/actor"
	"codicil/internal/app/commit"
	"codicil/internal/app/judging"
	"codicil/internal/app/runs"
	"codicil/internal/contract"
	"codicil/internal/store"
	"codicil/internal/view"
	"context"
	"fmt"
	"slices"
	"strings"
)

// Service serves these use cases.
type Service struct {
	base *judging.Service
	runs *runs.Service
}

// New returns the use cases.
func New(j *judging.Service, r *runs.Service) *Service { return &Service{j, r} }

// Kind tells what the proofs confirm of every rule in force of a kind; strength
// measures also what they would notice.
func (s *Service) Kind(ctx context.Context, kind string, strength bool) ([]contract.Confirmation, error) {
	if err := access.Need(ctx, actor.RulesRead); err != nil {
		return nil, err
	}
	b, err := s.base.Bench(ctx, kind)
	if err != nil {
		return nil, err
	}
	results, err := b.Runner.RunAll(ctx, b.Proofs, nil)
	if err != nil {
		return nil, err
	}
	confirmed := proof.Confirm(b.Runner.Book, results)
	wording := b.Reference.Wording(b.Runner.Book.Vocabulary.Kind, actor.Of(ctx).Format)
	shown := view.List(confirmed, func(c proof.Confirmation) contract.Confirmation { return view.Confirmation(c, wording) })
	if !strength {
		return shown, nil
	}
	strengths, err := b.Measure(ctx, view.List(confirmed, func(c proof.Confirmation) *rule.Compiled { return c.Rule }), results, nil)
	if err != nil {
		return nil, err
	}
	for i := range shown {
		if shown[i].Strength, err = s.strength(ctx, &strengths[i]); err != nil {
			return nil, err
		}
	}
	return shown, nil
}

// strength shows what proofs notice, with what was set aside.
func (s *Service) strength(ctx context.Context, strength *proof.Strength) (*contract.Strength, error) {
	if len(strength.Unnoticed) == 0 {
		return view.Strength(strength, nil), nil
	}
	aside, err := s.aside(ctx, strength.Rule.ID)
	return view.Strength(strength, aside), err
}

func (s *Service) aside(ctx context.Context, rule int64) ([]contract.SetAside, error) {
	rows, err := s.base.Store.SetAsides(ctx, rule)
	return view.List(rows, func(a store.SetAside) contract.SetAside { return view.SetAside(a.Change, a.Reason, a.By) }), err
}

// SetAside sets aside a wrong version of a rule with a reason, or takes that back without one.
// It goes on counting as not noticed.
func (s *Service) SetAside(ctx context.Context, id int64, request contract.AsideRequest) ([]contract.SetAside, error) {
	if err := access.Need(ctx, actor.ProofsChange); err != nil {
		return nil, err
	}
	err := s.base.Line.Alone(ctx, func(ctx context.Context) (*commit.Change, error) {
		r, err := s.base.KeptRule(ctx, id)
		if err != nil {
			return nil, err
		}
		if err := access.Companies(ctx, r.Scope.Companies); err != nil {
			return nil, err
		}
		by, err := s.base.Line.Stamp(ctx)
		reason := strings.TrimSpace(request.Reason)
		return &commit.Change{Write: func(ctx context.Context, tx *store.Store) error {
			if reason == "" {
				return tx.DeleteSetAside(ctx, id, request.Change, by)
			}
			return tx.SaveSetAside(ctx, id, request.Change, reason, by)
		}}, err
	})
	if err != nil {
		return nil, err
	}
	return s.aside(ctx, id)
}

// Rule tells what the proofs confirm of one rule, with its strength.
func (s *Service) Rule(ctx context.Context, id int64) (contract.Confirmation, error) {
	if err := access.Need(ctx, actor.RulesRead); err != nil {
		return contract.Confirmation{}, err
	}
	r, err := s.base.KeptRule(ctx, id)
	if err != nil {
		return contract.Confirmation{}, err
	}
	b, c, results, err := s.base.Measured(ctx, r)
	if err != nil {
		return contract.Confirmation{}, err
	}
	shown := view.Confirmation(proof.ConfirmRule(c, results), b.Reference.Wording(c.Vocabulary().Kind, actor.Of(ctx).Format))
	strengths, err := b.Measure(ctx, []*rule.Compiled{c}, results, nil)
	if err == nil {
		shown.Strength, err = s.strength(ctx, &strengths[0])
	}
	return shown, err
}

// Suggest proposes documents that show what no proof shows of a rule yet.
func (s *Service) Suggest(ctx context.Context, id int64, request contract.SuggestRequest) ([]contract.Suggestion, error) {
	if err := access.Need(ctx, actor.RulesRead); err != nil {
		return nil, err
	}
	r, err := s.base.KeptRule(ctx, id)
	if err != nil {
		return nil, err
	}
	b, c, results, err := s.base.Measured(ctx, r)
	if err != nil {
		return nil, err
	}
	bases, err := s.bases(ctx, b, c, results)
	if err != nil {
		return nil, err
	}
	search := proof.Search{Runner: b.Runner, Rule: c, Bases: bases, Results: results, Numbers: s.base.SomeNumbers(ctx, b.Reference)}
	var found []proof.Suggestion
	err = b.Looking(ctx, func() error { found, err = search.Run(ctx); return err })
	return view.List(found, func(found proof.Suggestion) contract.Suggestion {
		links := s.base.Links(ctx, b.Reference, found.Document.Company)
		return view.NewReader(found.Result.Plan, found.Result.Outcome, links, request.Format).Suggestion(c, found)
	}), err
}

// bases are the documents to make suggestions from: proofs of the rule, then others that are
// accepted, then saved records.
func (s *Service) bases(ctx context.Context, b *judging.Bench, c *rule.Compiled, results []proof.Result) (bases []proof.Base, err error) {
	add := func(wanted func(r *proof.Result) bool) {
		for i := range results {
			if r := &results[i]; r.Held() && wanted(r) {
				given := r.Proof.Given
				bases = append(bases, proof.Base{Document: given, Origin: fmt.Sprintf("proof %d, %s", r.Proof.ID, r.Proof.Name)})
			}
		}
	}
	accepted := func(r *proof.Result) bool { return r.Outcome.Verdict == engine.Accepted }
	named := func(r *proof.Result) bool { return slices.Contains(r.Proof.Rules, c.ID) }
	add(func(r *proof.Result) bool { return named(r) && accepted(r) })
	add(func(r *proof.Result) bool { return !named(r) && accepted(r) })
	add(func(r *proof.Result) bool { return named(r) && !accepted(r) })
	saved, err := s.base.RecordBases(ctx, b.Reference, b.Runner.Book)
	return append(bases, saved...), err
}
