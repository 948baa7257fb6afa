// Package personal keeps which fields hold what is about a person, and blanks what they hold on request.
//
// It must never tell the values that it blanks. Start reading at Service.Blank.
package personal

import (
	"cmp"
	"context"
	"slices"
	"strings"

	"codicil/core/notice"
	"codicil/core/record"
	"codicil/internal/access"
	"codicil/internal/actor"
	"codicil/internal/app/commit"
	"codicil/internal/app/judging"
	"codicil/internal/contract"
	"codicil/internal/fault"
	"codicil/internal/store"
	"codicil/internal/view"
)

// Service serves these use cases.
type Service struct {
	base *judging.Service
	// catchUp brings live values up to date in records that are marked as late.
	catchUp func(context.Context) error
	backups Backups
}

// Backups tells of the copies that are there.
type Backups interface {
	// Kept names the files that a schedule has made, and Made tells of those that people made.
	Kept() []string
	Made(ctx context.Context) ([]contract.BackupMade, error)
}

// New returns the use cases.
func New(j *judging.Service, catchUp func(context.Context) error, backups Backups) *Service {
	return &Service{j, catchUp, backups}
}

var (
	noReason    = notice.Define("blank-reason", "say why the values are blanked; the trail keeps it. Name nobody in it")
	bound       = notice.Define("blank-posted", "{number} is posted: what is posted stays as it is")
	mergedInto  = notice.Define("blank-merged", "{number} was merged into {survivor}, which may have taken its values over; blank those of that one, and both are blanked")
	nothingHeld = notice.Define("blank-nothing", "no version of {number} holds anything in a field that is marked as personal")
)

// Mark says whether a field of a kind holds what is about a person.
func (s *Service) Mark(ctx context.Context, kindKey, key string, personal bool) error {
	if err := access.Need(ctx, actor.SetupChange); err != nil {
		return err
	}
	if err := access.Companies(ctx, nil); err != nil { // a field is one of all companies
		return err
	}
	return s.base.Line.Book(ctx, func() (func(tx *store.Store, by record.Stamp) error, error) {
		_, kind, err := s.base.KindOf(ctx, kindKey)
		if err != nil {
			return nil, err
		}
		if kind.Field(key) == nil {
			return nil, fault.Missing("field %s", key)
		}
		return func(tx *store.Store, by record.Stamp) error { return tx.MarkPersonal(ctx, kindKey, key, personal, by) }, nil
	})
}

// Blank blanks what the personal fields of a record hold or held, of one that was deleted too, or tells what that would
// be. Only who is in all companies may: what is searched, proved and exported holds for all. Cost: as that of store.Blank; what is
// only told keeps nobody from writing.
func (s *Service) Blank(ctx context.Context, at record.Ref, request contract.BlankRequest) (contract.BlankTold, error) {
	if err := access.Need(ctx, actor.PersonalBlank); err != nil {
		return contract.BlankTold{}, err
	}
	if err := access.Companies(ctx, nil); err != nil {
		return contract.BlankTold{}, err
	}
	ref, kind, err := s.base.KindOf(ctx, at.Kind)
	if err != nil {
		return contract.BlankTold{}, err
	}
	reason := strings.TrimSpace(request.Reason)
	if request.Apply && reason == "" {
		return contract.BlankTold{}, fault.Bad(noReason)
	}
	asked := store.Blanking{At: at, Kinds: ref.Kinds, Apply: request.Apply, Why: reason}
	var found store.Blanked
	look := func(ctx context.Context, from *store.Store, by record.Stamp) error {
		if r, err := from.Record(ctx, at.Kind, at.Number); err == nil && r.State != record.Kept {
			return fault.Hindered(bound, at.Number)
		}
		if survivor, err := from.Survivor(ctx, at); err != nil || survivor != "" {
			return cmp.Or(err, error(fault.Hindered(mergedInto, at.Number, survivor)))
		}
		if found, err = from.Blank(ctx, asked, by); err != nil {
			return err
		}
		switch {
		case found.Company == "":
			return fault.Missing("%s %s", kind.Key, at.Number)
		case len(found.Fields) == 0:
			return fault.Hindered(nothingHeld, at.Number)
		}
		return nil
	}
	if !request.Apply {
		err = look(ctx, s.base.Store, record.Stamp{})
	} else {
		err = s.base.Line.Alone(ctx, func(ctx context.Context) (*commit.Change, error) {
			by, err := s.base.Line.Stamp(ctx)
			return &commit.Change{
				Write: func(ctx context.Context, tx *store.Store) error { return look(ctx, tx, by) },
				Done: func() {
					s.base.Cache.Records.Clear()
					s.base.Cache.Forget()
				},
			}, err
		})
		if err == nil {
			// Live values of documents that name the record are taken anew; what does not end now is done later.
			err = s.catchUp(actor.Whole(ctx))
		}
	}
	if err != nil {
		return contract.BlankTold{}, commit.Explain(err)
	}
	made, err := s.backups.Made(ctx)
	if err != nil {
		return contract.BlankTold{}, err
	}
	links := s.base.Links(ctx, ref, "")
	uses := func(refs []record.Ref) []fault.Use {
		return view.List(refs, func(at record.Ref) fault.Use {
			return fault.Use{What: at.Kind, Key: at.Number, Title: links.Title(at.Kind, at.Number)}
		})
	}
	told := contract.BlankTold{
		Fields: view.List(found.Fields, func(key string) string { return kind.Field(key).Label }), Versions: found.Versions, Records: uses(found.Records), Posted: uses(found.Posted),
		Elsewhere: uses(found.Elsewhere), Proofs: append([]int64{}, found.Proofs...), Practice: append([]string{}, found.Practice...), Results: found.Results, Exports: found.Exports, Loads: found.Loads,
		RecordsCount: found.RecordsCount, PostedCount: found.PostedCount, ElsewhereCount: found.ElsewhereCount,
		Backups: append([]string{}, s.backups.Kept()...), BackupsMade: made,
	}
	slices.Sort(told.Fields)
	return told, nil
}
