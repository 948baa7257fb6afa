package judging

import (
	"context"
	"slices"

	"codicil/core/field"
	"codicil/core/record"
	"codicil/internal/fault"
)

// Selector makes a selection of records of a kind ready. A filter by the record that a link names keeps those too that name
// one of the records that were merged into it.
func (s *Service) Selector(ctx context.Context, kind *record.Kind, selection record.Selection, format field.Format) (*record.Selector, error) {
	selection.Filters = slices.Clone(selection.Filters)
	for i := range selection.Filters {
		f := &selection.Filters[i]
		by := kind.Field(f.Field)
		if by == nil || !by.IsLink() || (f.Relation != "is" && f.Relation != "is-not") || f.Value == "" {
			continue
		}
		all, err := s.LeadingTo(ctx, record.Ref{Kind: by.Kind, Number: f.Value})
		if err != nil {
			return nil, err
		}
		for _, at := range all {
			if at.Number != f.Value {
				f.Former = append(f.Former, at.Number)
			}
		}
	}
	selector, wrong := record.NewSelector(kind, selection, format)
	if wrong != nil {
		return nil, fault.Of(wrong.Notice)
	}
	return selector, nil
}

// Leading returns the record to which a number leads: its own, or the one into which that was merged; nil when there is none.
func (s *Service) Leading(ctx context.Context, at record.Ref) (*record.Record, error) {
	r, err := s.Cache.Records.Find(ctx, at)
	if err != nil || r != nil {
		return r, err
	}
	if at.Number, err = s.Store.Survivor(ctx, at); err != nil || at.Number == "" {
		return nil, err
	}
	return s.Cache.Records.Find(ctx, at)
}

// LeadingTo are the record to which a number leads, and all whose numbers lead there.
func (s *Service) LeadingTo(ctx context.Context, at record.Ref) ([]record.Ref, error) {
	r, err := s.Leading(ctx, at)
	if err != nil || r == nil {
		return []record.Ref{at}, err
	}
	all := []record.Ref{r.Ref}
	for _, number := range r.Former {
		all = append(all, record.Ref{Kind: at.Kind, Number: number})
	}
	return all, nil
}
