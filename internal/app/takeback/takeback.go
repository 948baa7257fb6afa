// Package takeback notes what runs write, and takes it back: what a run added is withdrawn, what it changed becomes what it was.
//
// It must never know what a run is for. Start reading at Service.Start.
package takeback

import (
	"context"
	"errors"
	"maps"
	"math"
	"strconv"

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
	return s.Follow(ctx, of)
}

// Follow begins the same for a run that writes no more, though it may not have ended.
func (s *Service) Follow(ctx context.Context, of contract.Run) (contract.Run, error) {
	r, err := s.runs.Start(ctx, string(contract.RunWhatTakeBack), of.Title, runs.Subject{Load: of.Load, Run: of.ID}, func(ctx context.Context, w *runs.Writer) error {
		w.Total(of.Writes)
		return s.work(ctx, w, of.ID)
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

// taking takes back what one run wrote.
type taking struct {
	*Service
	w      *runs.Writer
	done   int
	counts runs.Counts
}

// work takes back what is not yet. It goes on where it was, should the program end: each step is kept with what it takes back.
// Cost: the writes of the run.
func (s *Service) work(ctx context.Context, w *runs.Writer, of int64) error {
	t := &taking{Service: s, w: w}
	t.done, t.counts = w.Done()
	before, err := strconv.Atoi(w.Reached())
	if err != nil {
		before = math.MaxInt32
	}
	for {
		writes, err := s.base.Store.RunWrites(ctx, of, before, atOnce)
		if err != nil {
			return err
		}
		for _, write := range writes {
			if err := ctx.Err(); err != nil {
				return err
			}
			if err := t.one(ctx, write); err != nil {
				return err
			}
			before = write.Place
		}
		if err := w.Came(ctx, t.done, t.counts); err != nil || len(writes) == 0 {
			return err
		}
	}
}

// one takes one write back, or says why it stays.
func (t *taking) one(ctx context.Context, write store.RunWrite) error {
	at := record.Ref{Kind: write.Kind, Number: write.Number}
	hit := contract.RunHit{Kind: at.Kind, Number: at.Number, Title: at.Number, Changes: []contract.ValueChange{}}
	kept, err := t.base.Cache.Records.Find(ctx, at)
	if err != nil {
		return err
	}
	if kept != nil {
		ref, kind, err := t.base.KindOf(ctx, at.Kind)
		if err != nil {
			return err
		}
		hit.Company, hit.Type, hit.Title = kept.Company, kept.Type, t.base.Links(ctx, ref, kept.Company).TitleOf(kind, kept.Values)
	}
	merged, survivor, err := t.merging.Of(ctx, write)
	if err != nil {
		return err
	}
	reach := func() { t.w.Reach(strconv.Itoa(write.Place)) }
	stays := func(why string) error {
		reach()
		hit.What, hit.Said, hit.Told = contract.RunHitWhatStays, why, why
		t.done++
		t.counts[string(hit.What)]++
		t.w.Found(0, hit)
		return nil
	}
	// What is taken back and that it is are kept together.
	noted := func(tx *store.Store, now int, changes []contract.ValueChange) error {
		if err := tx.TakeRunWriteBack(ctx, write, now); err != nil {
			return err
		}
		hit.Changes = changes
		counts := maps.Clone(t.counts)
		counts[string(hit.What)]++
		t.w.Found(1, hit)
		reach()
		return t.w.CameWith(ctx, tx, t.done+1, counts)
	}
	gone := func(tx *store.Store) error { return noted(tx, 0, hit.Changes) }
	found := t.w.Held()
	switch {
	case kept == nil && survivor != "":
		return stays("it was merged into " + survivor)
	case write.Part != 0 && len(merged) == 0:
		return stays("what it was rewritten for stays")
	case kept != nil && !access.In(ctx, kept.Company):
		return stays("it is kept by another company")
	case kept != nil && kept.State != record.Kept:
		return stays("it is posted")
	case kept != nil && kept.Version != write.Version:
		return stays("it was changed since")
	case kept == nil: // it was deleted since
		hit.What = contract.RunHitWhatWithdrawn
		err = t.base.Line.Write(ctx, func(tx *store.Store, _ record.Stamp) error { return gone(tx) })
	case write.Part == 0 && len(merged) > 0:
		hit.What = contract.RunHitWhatRestored
		err = t.merging.TakeBack(ctx, write, merged, noted)
	case write.Before == 0:
		hit.What = contract.RunHitWhatWithdrawn
		err = t.records.Withdraw(ctx, at, write.Version, gone)
	case write.Part != 0:
		hit.What = contract.RunHitWhatRestored
		err = t.merging.TakePartBack(ctx, write, merged, noted)
	default:
		hit.What = contract.RunHitWhatRestored
		err = t.records.Restore(ctx, write, nil, nil, noted)
	}
	if err == nil {
		t.done++
		t.counts[string(hit.What)]++
		t.w.Kept()
		return t.records.CatchUp(ctx) // what does not end now is done later
	}
	var own *fault.Fault
	if errors.As(err, &own) && own.Reason != fault.Unable {
		t.w.Unfound(found) // it was not written
		hit.Changes = []contract.ValueChange{}
		return stays(own.Error())
	}
	t.w.Drop() // the run goes on here, should it do so
	return err
}
