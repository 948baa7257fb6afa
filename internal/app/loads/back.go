package loads

import (
	"context"
	"errors"
	"math"

	"codicil/core/record"
	"codicil/internal/app/runs"
	"codicil/internal/contract"
	"codicil/internal/fault"
	"codicil/internal/store"
)

// TakeBack begins a run that takes back what a load wrote, the last first. What was posted, changed or linked since
// stays, and is listed.
func (s *Service) TakeBack(ctx context.Context, id int64) (contract.Run, error) {
	_, kind, f, err := s.find(ctx, id)
	if err != nil {
		return contract.Run{}, err
	}
	if err := s.idle(ctx, id); err != nil {
		return contract.Run{}, err
	}
	count, err := s.base.Store.CountLoadItems(ctx, id)
	if err != nil {
		return contract.Run{}, err
	}
	if count == 0 {
		return contract.Run{}, fault.Hindered(nothingBack)
	}
	r, err := s.runs.Start(ctx, string(contract.RunWhatLoadBack), f.Name, runs.Subject{Load: id}, func(ctx context.Context, w *runs.Writer) error {
		w.Total(count)
		return s.newWork(&plan{kind: kind}, f, w).takeBack(ctx)
	})
	return runs.Shown(&r), err
}

// takeBack takes back what is not yet. It may be begun again at any time: what is taken back is marked.
func (k *work) takeBack(ctx context.Context) error {
	for before := math.MaxInt32; ; {
		items, err := k.service.base.Store.LoadItems(ctx, k.file.ID, before, atOnce)
		if err != nil {
			return err
		}
		if len(items) == 0 {
			return k.w.Came(ctx, k.done, k.counts)
		}
		for _, item := range items {
			if err := ctx.Err(); err != nil {
				return err
			}
			before = item.Place
			if err := k.takeOneBack(ctx, item); err != nil {
				return err
			}
		}
		if err := k.w.Came(ctx, k.done, k.counts); err != nil {
			return err
		}
	}
}

func (k *work) takeOneBack(ctx context.Context, item store.LoadItem) error {
	s, at := k.service, record.Ref{Kind: k.plan.kind.Key, Number: item.Number}
	kept, err := s.base.Cache.Records.Find(ctx, at)
	if err != nil {
		return err
	}
	hit := contract.RunHit{Kind: at.Kind, Number: at.Number, Title: at.Number, Changes: []contract.ValueChange{}}
	if kept != nil {
		hit.Company, hit.Type = kept.Company, kept.Type
		ref, _, err := s.base.KindOf(ctx, at.Kind)
		if err != nil {
			return err
		}
		hit.Title = s.base.Links(ctx, ref, kept.Company).TitleOf(k.plan.kind, kept.Values)
	}
	mark := func(tx *store.Store, now int) error { return tx.TakeLoadItemBack(ctx, item, now) }
	withdrawn := func(tx *store.Store) error { return mark(tx, 0) }
	rank := 1
	switch {
	case kept == nil: // it was deleted since, or withdrawn when the program ended
		hit.What, hit.Said = contract.RunHitWhatWithdrawn, ""
		err = s.base.Line.Write(ctx, func(tx *store.Store, _ record.Stamp) error { return withdrawn(tx) })
	case kept.State != record.Kept:
		rank, hit.What, hit.Said = 0, contract.RunHitWhatStays, "it is posted"
	case kept.Version != item.Version:
		rank, hit.What, hit.Said = 0, contract.RunHitWhatStays, "it was changed since"
	case item.Before == 0:
		hit.What = contract.RunHitWhatWithdrawn
		err = s.records.Withdraw(ctx, at, item.Version, withdrawn)
	default:
		hit.What = contract.RunHitWhatRestored
		hit.Changes, err = s.records.Restore(ctx, at, item.Version, item.Before, mark)
	}
	var own *fault.Fault
	if errors.As(err, &own) && own.Reason != fault.Unable {
		rank, hit.What, hit.Said, err = 0, contract.RunHitWhatStays, own.Error(), nil
	}
	if err != nil {
		return err
	}
	hit.Told = hit.Said
	k.done++
	k.counts[string(hit.What)]++
	k.w.Found(rank, hit)
	return nil
}
