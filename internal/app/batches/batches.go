// Package batches keeps piles of documents that are keyed together: what was announced, how far it is, what a second
// person keyed, and that they are posted together.
//
// It must never know how one record is saved or posted: that is asked of its own use case. Start reading at Service.
package batches

import (
	"context"
	"slices"
	"strings"

	"codicil/core/field"
	"codicil/core/record"
	"codicil/internal/access"
	"codicil/internal/actor"
	"codicil/internal/app/commit"
	"codicil/internal/app/judging"
	"codicil/internal/app/posting"
	"codicil/internal/app/records"
	"codicil/internal/contract"
	"codicil/internal/fault"
	"codicil/internal/store"
	"codicil/internal/view"
)

// Service serves these use cases.
type Service struct {
	base    *judging.Service
	records *records.Service
	posting *posting.Service
}

// New returns the use cases.
func New(j *judging.Service, r *records.Service, p *posting.Service) *Service {
	return &Service{j, r, p}
}

// All stands for all fields that are keyed, where it is said which a second person keys.
const All = "*"

// mostListed is how many batches are listed.
const mostListed = 200

// List returns batches of a kind, "" for all, in some states, newest first. Cost: their documents.
func (s *Service) List(ctx context.Context, kind string, states []contract.BatchState, format *field.Format) ([]contract.Batch, error) {
	if err := access.Need(ctx, actor.RecordsRead); err != nil {
		return nil, err
	}
	rows, err := s.base.Store.Batches(ctx, kind, view.List(states, func(b contract.BatchState) string { return string(b) }), access.Scope(ctx), mostListed)
	if err != nil {
		return nil, err
	}
	shown := []contract.Batch{}
	for i := range rows {
		if access.NeedFor(ctx, rows[i].Kind, actor.RecordsRead) != nil {
			continue
		}
		b, err := s.show(ctx, &rows[i], format)
		if err != nil {
			return nil, err
		}
		b.Documents, b.People = []contract.BatchDocument{}, []contract.BatchPerson{}
		shown = append(shown, b)
	}
	return shown, nil
}

// Get returns a batch with its documents. Cost: these.
func (s *Service) Get(ctx context.Context, id int64, format *field.Format) (contract.Batch, error) {
	b, err := s.batch(ctx, id, actor.RecordsRead)
	if err != nil {
		return contract.Batch{}, err
	}
	return s.show(ctx, &b, format)
}

// batch returns one that who asks may see and, where a permission says so, work on.
func (s *Service) batch(ctx context.Context, id int64, need actor.Permission) (store.Batch, error) {
	b, err := s.base.Store.Batch(ctx, id)
	if err != nil {
		// Who may see no record hears the same of one that is not there.
		if err := access.Need(ctx, need); err != nil {
			return b, err
		}
		return b, commit.Explain(err)
	}
	if err := access.NeedFor(ctx, b.Kind, need); err != nil {
		return b, err
	}
	if !access.In(ctx, b.Company) {
		return b, fault.Missing("batch %d", id)
	}
	return b, nil
}

// open returns one that takes work.
func (s *Service) open(ctx context.Context, id int64, need actor.Permission) (store.Batch, error) {
	b, err := s.batch(ctx, id, need)
	if err == nil && b.State != store.BatchOpen {
		err = fault.Hindered(batchEnded, b.ID, b.State)
	}
	return b, err
}

// Begin announces a batch.
func (s *Service) Begin(ctx context.Context, begin contract.BatchBegin) (contract.Batch, error) {
	if err := access.NeedFor(ctx, begin.Kind, actor.RecordsChange); err != nil {
		return contract.Batch{}, err
	}
	if err := access.Company(ctx, begin.Company); err != nil {
		return contract.Batch{}, err
	}
	ref, kind, err := s.base.KindOf(ctx, begin.Kind)
	if err != nil {
		return contract.Batch{}, err
	}
	if _, err := ref.Scope(kind, begin.Company, begin.Type, s.base.Today(ref.Company(begin.Company))); err != nil {
		return contract.Batch{}, err
	}
	head, err := s.headOf(kind, ref.Company(begin.Company), &begin.Head, begin.Format)
	if err != nil {
		return contract.Batch{}, err
	}
	b := store.Batch{BatchHead: head, Kind: kind.Key, Company: begin.Company, Type: begin.Type}
	err = s.base.Line.Write(ctx, func(tx *store.Store, by record.Stamp) (err error) {
		b, err = tx.AddBatch(ctx, b, by)
		return err
	})
	if err != nil {
		return contract.Batch{}, err
	}
	return s.show(ctx, &b, begin.Format)
}

// headOf is what is kept of what a person says of a batch.
func (s *Service) headOf(kind *record.Kind, company *record.Company, h *contract.BatchHead, format *field.Format) (store.BatchHead, error) {
	head := store.BatchHead{
		Title: strings.TrimSpace(h.Title), Count: h.Count, TotalField: h.TotalField, Posting: string(h.Posting), Second: slices.Clone(h.Second),
	}
	if head.Second == nil {
		head.Second = []string{}
	}
	if head.Title == "" {
		return head, fault.Bad(noTitle)
	}
	if h.Posting != contract.PostingByHand && !kind.Posted {
		return head, fault.Bad(notPostable, kind.Noun())
	}
	for _, key := range head.Second {
		if key != All && kind.Index(key) < 0 {
			return head, fault.Bad(noSecondField, kind.Noun(), key)
		}
	}
	if head.TotalField == "" && len(kind.Signed) > 0 && kind.Index(kind.Signed[0]) < kind.Headers() {
		head.TotalField = kind.Signed[0]
	}
	if head.TotalField == "" {
		if h.Total == "" {
			return head, nil
		}
		return head, fault.Bad(noTotalField, kind.Noun(), head.TotalField)
	}
	f := kind.Field(head.TotalField)
	if f == nil || f.OfLine() || !slices.Contains([]field.Name{field.Amount, field.Number, field.Quantity}, f.Type) {
		return head, fault.Bad(noTotalField, kind.Noun(), head.TotalField)
	}
	if strings.TrimSpace(h.Total) == "" {
		return head, nil
	}
	here := company.Surroundings("")
	here.Keyed = true
	v, wrong := f.Read(h.Total, format.OrPlain(), here)
	if wrong != nil {
		return head, fault.Of(wrong.Notice)
	}
	head.Total = field.Write(v)
	return head, nil
}

// Change changes what was announced, closes a batch, withdraws it, or opens it again.
func (s *Service) Change(ctx context.Context, id int64, change contract.BatchChange) (contract.Batch, error) {
	b, err := s.batch(ctx, id, actor.RecordsChange)
	if err != nil {
		return contract.Batch{}, err
	}
	ref, kind, err := s.base.KindOf(ctx, b.Kind)
	if err != nil {
		return contract.Batch{}, err
	}
	head, err := s.headOf(kind, ref.Company(b.Company), &change.Head, change.Format)
	if err != nil {
		return contract.Batch{}, err
	}
	b.BatchHead, b.State, b.Version = head, string(change.State), change.Version
	err = s.base.Line.Write(ctx, func(tx *store.Store, by record.Stamp) error { return tx.SaveBatch(ctx, b, by) })
	if err != nil {
		return contract.Batch{}, err
	}
	return s.Get(ctx, id, change.Format)
}

// formatOf is how who asks writes, where they do not say.
func formatOf(ctx context.Context, format *field.Format) *field.Format {
	if format == nil {
		own := actor.Of(ctx).Format
		return &own
	}
	return format
}
