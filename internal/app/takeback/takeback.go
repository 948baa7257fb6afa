// Package takeback notes what runs write, and takes it back: what a run added is withdrawn, what it changed becomes what it was.
//
// It must never know what a run is for. Start reading at Service.Start.
package takeback

import (
	"context"
	"errors"
	"math"

	"codicil/core/notice"
	"codicil/core/record"
	"codicil/internal/access"
	"codicil/internal/actor"
	"codicil/internal/app/judging"
	"codicil/internal/app/merging"
	"codicil/internal/app/records"
	"codicil/internal/app/runs"
	"codicil/internal/contract"
	"codicil/internal/fault"
	"codicil/internal/store"
)

// Service serves these use cases.
type Service struct {
	base    *judging.Service
	records *records.Service
	merging *merging.Service
	runs    *runs.Service
}

// New returns the use cases.
func New(j *judging.Service, r *records.Service, m *merging.Service, w *runs.Service) *Service {
	return &Service{j, r, m, w}
}

var (
	nothingWritten = notice.Define("nothing-to-take-back", "this run wrote nothing that is not taken back already")
	stillWrites    = notice.Define("still-writes", "this run still works; stop it first")
)

// atOnce is how many writes are read at once.
const atOnce = 100

// Start begins a run that takes back what another wrote, the last first. What was posted, changed or linked since stays,
// and is listed.
func (s *Service) Start(ctx context.Context, id int64) (contract.Run, error) {
	if err := access.Need(ctx, actor.RecordsMany); err != nil {
		return contract.Run{}, err
	}
	of, err := s.runs.Get(ctx, id)
	if err != nil {
		return of, err
	}
	switch {
	case of.EndedAt == nil:
		return of, fault.Hindered(stillWrites)
	case of.Writes == 0:
		return of, fault.Hindered(nothingWritten)
	}
	r, err := s.runs.Start(ctx, string(contract.RunWhatTakeBack), of.Title, runs.Subject{Load: of.Load, Run: id}, func(ctx context.Context, w *runs.Writer) error {
		w.Total(of.Writes)
		return s.work(ctx, w, id)
	})
	return runs.Shown(&r), err
}

// Resume goes on with the runs that the end of the program cut off.
func (s *Service) Resume(ctx context.Context, cut []runs.Run) error {
	for _, r := range cut {
		of := runs.Shown(&r).TakesBack
		if contract.RunWhat(r.What) != contract.RunWhatTakeBack || of == 0 {
			continue
		}
		if err := s.runs.Continue(ctx, r, func(ctx context.Context, w *runs.Writer) error { return s.work(ctx, w, of) }); err != nil {
			return err
		}
	}
	return nil
}

// work takes back what is not yet. It may be begun again at any time: what is taken back is marked.
func (s *Service) work(ctx context.Context, w *runs.Writer, of int64) error {
	done, counts := w.Done()
	for before := math.MaxInt32; ; {
		writes, err := s.base.Store.RunWrites(ctx, of, before, atOnce)
		if err != nil {
			return err
		}
		for _, write := range writes {
			if err := ctx.Err(); err != nil {
				return err
			}
			hit, err := s.one(ctx, write)
			if err != nil {
				return err
			}
			rank := 1
			if hit.What == contract.RunHitWhatStays {
				rank = 0
			}
			done++
			counts[string(hit.What)]++
			w.Found(rank, hit)
			before = write.Place
		}
		if err := w.Came(ctx, done, counts); err != nil || len(writes) == 0 {
			return err
		}
	}
}

// one takes one write back, or says why it stays.
func (s *Service) one(ctx context.Context, write store.RunWrite) (hit contract.RunHit, err error) {
	at := record.Ref{Kind: write.Kind, Number: write.Number}
	hit = contract.RunHit{Kind: at.Kind, Number: at.Number, Title: at.Number, Changes: []contract.ValueChange{}}
	kept, err := s.base.Cache.Records.Find(ctx, at)
	if err != nil {
		return hit, err
	}
	if kept != nil {
		ref, kind, err := s.base.KindOf(ctx, at.Kind)
		if err != nil {
			return hit, err
		}
		hit.Company, hit.Type, hit.Title = kept.Company, kept.Type, s.base.Links(ctx, ref, kept.Company).TitleOf(kind, kept.Values)
	}
	mark := func(tx *store.Store, now int) error { return tx.TakeRunWriteBack(ctx, write, now) }
	withdrawn := func(tx *store.Store) error { return mark(tx, 0) }
	stays := func(why string) { hit.What, hit.Said = contract.RunHitWhatStays, why }
	merged, survivor, err := s.merging.Of(ctx, write)
	if err != nil {
		return hit, err
	}
	switch {
	case kept == nil && survivor != "":
		stays("it was merged into " + survivor)
	case write.Part != 0 && len(merged) == 0:
		stays("what it was rewritten for stays")
	case kept == nil: // it was deleted since, or withdrawn when the program ended
		hit.What = contract.RunHitWhatWithdrawn
		err = s.base.Line.Write(ctx, func(tx *store.Store, _ record.Stamp) error { return withdrawn(tx) })
	case !access.In(ctx, kept.Company):
		stays("it is kept by another company")
	case kept.State != record.Kept:
		stays("it is posted")
	case kept.Version != write.Version:
		stays("it was changed since")
	case write.Part == 0 && len(merged) > 0:
		hit.What = contract.RunHitWhatRestored
		hit.Changes, err = s.merging.TakeBack(ctx, write, merged)
	case write.Before == 0:
		hit.What = contract.RunHitWhatWithdrawn
		err = s.records.Withdraw(ctx, at, write.Version, withdrawn)
	default:
		hit.What = contract.RunHitWhatRestored
		hit.Changes, err = s.records.Restore(ctx, at, write.Version, write.Before, nil, mark)
	}
	var own *fault.Fault
	if errors.As(err, &own) && own.Reason != fault.Unable {
		stays(own.Error())
		err = nil
	}
	hit.Told = hit.Said
	return hit, err
}
