package merging

import (
	"context"

	"codicil/core/record"
	"codicil/internal/contract"
	"codicil/internal/store"
)

// Of tells of something that a run wrote which records were merged with it: into the record itself, or into the one for which it
// was rewritten, as far as that can be taken back still. survivor is the record to which the number of the record leads that
// was written; "" where that was not merged.
func (s *Service) Of(ctx context.Context, w store.RunWrite) (merged []store.MergedRecord, survivor string, err error) {
	if survivor, err = s.base.Store.Survivor(ctx, record.Ref{Kind: w.Kind, Number: w.Number}); err != nil {
		return nil, "", err
	}
	first := w
	if w.Part != 0 {
		if first, err = s.base.Store.RunWriteAt(ctx, w.Run, w.Part); err != nil {
			return nil, survivor, err
		}
		version, err := s.base.Store.VersionOf(ctx, record.Ref{Kind: first.Kind, Number: first.Number})
		if err != nil || version != first.Version || first.Back {
			return nil, survivor, err
		}
	}
	merged, err = s.base.Store.MergedBy(ctx, w.Run, first.Place)
	return merged, survivor, err
}

// before are merged records as they were before.
func (s *Service) before(ctx context.Context, merged []store.MergedRecord) ([]record.Record, error) {
	all := make([]record.Record, len(merged))
	for i, m := range merged {
		var err error
		if all[i], err = s.base.Store.BeforeMerge(ctx, m); err != nil {
			return nil, err
		}
	}
	return all, nil
}

// TakePartBack takes back what was rewritten for a merge, which is taken back after it.
func (s *Service) TakePartBack(ctx context.Context, w store.RunWrite, merged []store.MergedRecord, also func(tx *store.Store, now int, changes []contract.ValueChange) error) error {
	back, err := s.before(ctx, merged)
	if err != nil {
		return err
	}
	return s.records.Restore(ctx, w, back, nil, also)
}

// TakeBack takes a merge back: the survivor becomes what it was, and what was merged into it is there again. also
// is written with it, and is told the version that the survivor becomes and what changed of it.
func (s *Service) TakeBack(ctx context.Context, w store.RunWrite, merged []store.MergedRecord, also func(tx *store.Store, now int, changes []contract.ValueChange) error) error {
	at := record.Ref{Kind: w.Kind, Number: w.Number}
	back, err := s.before(ctx, merged)
	if err != nil {
		return err
	}
	return s.records.Restore(ctx, w, back, func(tx *store.Store, by record.Stamp, survivor *record.Record) (err error) {
		for _, m := range merged {
			r, err := tx.Release(ctx, m, by)
			if err != nil {
				return err
			}
			// What runs wrote of it before stands at the version that it has now.
			if err := tx.MoveRunWrites(ctx, r.Ref, m.Version-1, r.Version); err != nil {
				return err
			}
		}
		survivor.Former, err = tx.FormerOf(ctx, at)
		return err
	}, also)
}
