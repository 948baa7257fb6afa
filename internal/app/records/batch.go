package records

import (
	"context"

	"codicil/core/record"
	"codicil/internal/access"
	"codicil/internal/actor"
	"codicil/internal/app/commit"
	"codicil/internal/app/judging"
	"codicil/internal/contract"
	"codicil/internal/fault"
	"codicil/internal/store"
)

// MostInBatch is how many documents a batch takes.
const MostInBatch = 1_000

// mayKey refuses early what a batch does not take; it is asked again within the transaction.
func mayKey(ctx context.Context, tx *store.Store, request *contract.SaveRequest) error {
	d := &request.Document
	if d.Record != "" {
		return fault.Bad(inBatch)
	}
	return takes(ctx, tx, request.Batch, &record.Record{Ref: record.Ref{Kind: d.Kind}, Company: d.Company, Type: d.Type})
}

// takes refuses what a batch does not take.
func takes(ctx context.Context, tx *store.Store, batch int64, r *record.Record) error {
	b, err := tx.Batch(ctx, batch)
	switch {
	case err != nil:
		return commit.Explain(err)
	case b.State != store.BatchOpen:
		return fault.Hindered(batchEnded, b.ID, b.State)
	case b.Kind != r.Kind || b.Company != r.Company || b.Type != r.Type:
		return fault.Bad(otherBatch, b.ID, b.Kind, b.Type, b.Company)
	}
	count, err := tx.CountBatch(ctx, batch)
	if err == nil && count >= MostInBatch {
		err = fault.Hindered(batchFull, b.ID, count)
	}
	return err
}

// intoBatch notes that a new record was keyed in a batch.
func intoBatch(ctx context.Context, tx *store.Store, batch int64, r *record.Record) error {
	if err := takes(ctx, tx, batch, r); err != nil {
		return err
	}
	return tx.AddToBatch(ctx, batch, r.Ref, r.Changed)
}

// Latest finds what somebody keyed before.
type Latest struct{ base *judging.Service }

// NewLatest returns it.
func NewLatest(j *judging.Service) *Latest { return &Latest{j} }

// Last returns the standing record of a kind that was saved last in a company: of a type, by who asks, or naming another, where
// that is wanted; nil: there is none.
func (s *Latest) Last(ctx context.Context, p contract.GetLastRecordParams) (*contract.Record, error) {
	if err := access.NeedFor(ctx, p.Kind, actor.RecordsRead); err != nil {
		return nil, err
	}
	if err := access.Company(ctx, p.Company); err != nil {
		return nil, err
	}
	_, kind, err := s.base.KindOf(ctx, p.Kind)
	if err != nil {
		return nil, err
	}
	q := store.LastQuery{Kind: p.Kind, Company: p.Company, Type: p.Type}
	if p.Mine {
		q.Person = actor.Of(ctx).ID
	}
	if p.Naming != "" {
		f := kind.Field(p.Field)
		if f == nil || !f.IsLink() {
			return nil, fault.Bad(fault.UnknownField, kind.Noun(), p.Field)
		}
		q.Naming = record.Ref{Kind: f.Kind, Number: p.Naming}
	}
	r, err := s.base.Store.Last(ctx, q)
	if err != nil || r == nil {
		return nil, err
	}
	shown, err := Show(ctx, s.base, r)
	return &shown, err
}
