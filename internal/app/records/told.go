package records

import (
	"context"
	"errors"

	"codicil/core/field"
	"codicil/core/judge"
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

// ToldOf tells why a record holds the values that it has in a version; where an address names a field, in the
// version in which the value of that field came. A version that nobody judged, as one that a posting wrote, is told by
// the one before that was. Cost: judging it once, and for an address the versions.
func (s *Service) ToldOf(ctx context.Context, at record.Ref, version int, address string, format *field.Format) (contract.RecordOutcome, error) {
	if err := access.NeedFor(ctx, at.Kind, actor.RecordsRead); err != nil {
		return contract.RecordOutcome{}, err
	}
	_, kind, err := s.base.KindOf(ctx, at.Kind)
	if err != nil {
		return contract.RecordOutcome{}, err
	}
	company, err := companyOf(ctx, s.base, at)
	if err != nil {
		return contract.RecordOutcome{}, err
	}
	if !kind.Shared && !access.In(ctx, company) {
		return contract.RecordOutcome{}, fault.Missing("version %d of %s %s", version, kind.Noun(), at.Number)
	}
	asked := version
	if version, err = s.came(ctx, kind, at, version, address); err != nil {
		return contract.RecordOutcome{}, err
	}
	v, err := s.base.Store.JudgedVersion(ctx, at, asked)
	if err == nil && version != asked {
		v, err = s.base.Store.JudgedVersion(ctx, at, version)
	}
	if errors.Is(err, store.ErrNotFound) {
		return contract.RecordOutcome{}, fault.Missing("version %d of %s %s", asked, kind.Noun(), at.Number)
	}
	if err != nil {
		return contract.RecordOutcome{}, err
	}
	merged, err := s.base.Store.Merged(ctx, at)
	if err != nil {
		return contract.RecordOutcome{}, err
	}
	if merged != nil && merged.Version == asked && address == "" { // it is shown as it was then, not as it was judged last
		if v, err = s.base.Store.JudgedVersion(ctx, at, asked); err != nil {
			return contract.RecordOutcome{}, commit.Explain(err)
		}
	}
	told, outcome, err := Told(ctx, s.base, at, &v, format)
	return contract.RecordOutcome{Version: version, Told: told, Outcome: outcome}, err
}

// came is the version, up to one, that tells of the value of a field; of all of them where the address is "".
func (s *Service) came(ctx context.Context, kind *record.Kind, at record.Ref, version int, address string) (int, error) {
	if address != "" {
		place, line := judge.IndexOf(kind, address)
		if place < 0 {
			return 0, fault.Bad(fault.UnknownField, kind.Noun(), address)
		}
		versions, err := s.base.Store.RecordVersions(ctx, at.Kind, at.Number)
		if err != nil {
			return 0, err
		}
		// From the version that is asked for back, as long as the value is the same.
		f := &kind.Fields[place]
		for i := 0; i+1 < len(versions); i++ {
			if versions[i].Version > version {
				continue
			}
			if versions[i].Content.Get(f, line) != versions[i+1].Content.Get(f, line) {
				break
			}
			version = versions[i+1].Version
		}
	}
	judged, err := s.base.Store.LastJudged(ctx, at, version)
	if err != nil || judged == 0 {
		return version, err
	}
	return judged, nil
}

// Told tells what became of a record in a version: its trace computed again, or only the values that it holds.
func Told(ctx context.Context, j *judging.Service, at record.Ref, v *store.JudgedVersion, format *field.Format) (contract.Told, contract.Outcome, error) {
	kept := v.Kept
	if kept != nil {
		t, same, err := judging.PastOf(j, nil).Retell(ctx, kept, judging.Ask{Format: format})
		if ctx.Err() != nil {
			return "", contract.Outcome{}, ctx.Err()
		}
		if err == nil && same {
			return contract.Again, t.Outcome(), nil
		}
	}
	ref, kind, err := j.KindOf(ctx, at.Kind)
	if err != nil {
		return "", contract.Outcome{}, err
	}
	company := ""
	if r, err := j.Cache.Records.Find(ctx, at); err == nil && r != nil {
		company = r.Company
	} else if m, err := j.Store.Merged(ctx, at); err == nil && m != nil {
		company = m.Company
	}
	basis := judge.Basis{}
	if kept != nil {
		basis = kept.Basis
	}
	show := view.Viewer{Kind: kind, Company: ref.Company(company), Titles: j.Links(ctx, ref, company), Format: format.OrPlain()}
	return contract.Values, show.Values(&v.Content, &basis), nil
}
