// Package trials takes documents through the rules without keeping anything: for a person who
// writes a rule, and for a program that asks.
//
// It must never know how anything is written. Start reading at Service.
package trials

import (
	"codicil/core/evaluation"
	"codicil/internal/access"
	"codicil/internal/actor"
	"codicil/internal/app/judging"
	"codicil/internal/contract"
	"context"
)

// Service serves these use cases.
type Service struct{ base *judging.Service }

// New returns the use cases.
func New(j *judging.Service) *Service { return &Service{j} }

// Try takes a document through the rules. Nothing is kept.
func (s *Service) Try(ctx context.Context, request contract.TryRequest) (contract.Outcome, error) {
	if err := access.NeedFor(ctx, request.Document.Kind, actor.RecordsRead, actor.RulesRead); err != nil {
		return contract.Outcome{}, err
	}
	if err := access.Company(ctx, request.Document.Company); err != nil {
		return contract.Outcome{}, err
	}
	t, err := s.base.Try(ctx, request.Document, judging.Ask{Format: request.Format, Moment: request.Moment, Keyed: request.Keyed, Facts: request.Facts, NoTrace: request.Brief})
	if err != nil {
		return contract.Outcome{}, err
	}
	return t.Outcome(), nil
}

// Evaluate takes plain documents through the rules in force and keeps nothing.
func (s *Service) Evaluate(ctx context.Context, documents []evaluation.Document) ([]evaluation.Result, error) {
	if err := access.Need(ctx, actor.RecordsRead, actor.RulesRead); err != nil {
		return nil, err
	}
	for i := range documents {
		if err := access.Company(ctx, documents[i].Company); err != nil {
			return nil, err
		}
	}
	w, err := s.base.World(ctx)
	if err != nil {
		return nil, err
	}
	results := make([]evaluation.Result, len(documents))
	for i := range documents {
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		results[i] = evaluation.Run(w, &documents[i])
		if err := w.Err(); err != nil {
			return nil, err
		}
	}
	return results, nil
}
