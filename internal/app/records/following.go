package records

import (
	"context"
	"maps"
	"slices"
	"strings"

	"codicil/core/engine"
	"codicil/core/judge"
	"codicil/core/record"
	"codicil/internal/access"
	"codicil/internal/actor"
	"codicil/internal/app/judging"
	"codicil/internal/contract"
	"codicil/internal/fault"
	"codicil/internal/view"
)

// offered are the maps by which a record can follow one now. Cost: one computation for each map with
// a condition.
func offered(ctx context.Context, j *judging.Service, r *record.Record) (list []record.FollowOn, err error) {
	if r.State == record.Reversed {
		return nil, nil
	}
	all, err := j.Store.FollowOns(ctx)
	if err != nil {
		return nil, err
	}
	ref, kind, err := j.KindOf(ctx, r.Kind)
	if err != nil {
		return nil, err
	}
	for i := range all {
		holds, err := offers(ctx, j, &judging.Saved{Reference: ref, Kind: kind, Record: *r}, &all[i])
		if err != nil {
			return nil, err
		}
		if holds {
			list = append(list, all[i])
		}
	}
	return list, nil
}

// offers tells whether a map leads on from a saved record: by its kind, its type and the condition.
func offers(ctx context.Context, j *judging.Service, r *judging.Saved, f *record.FollowOn) (bool, error) {
	if f.From != r.Ref.Kind || !f.Offers(r.Type) {
		return false, nil
	}
	if f.When == "" {
		return true, nil
	}
	return j.Holds(ctx, r, f.When)
}

// followingOn says of a new document which record it follows, and which of its values came
// over from that: those that a map from that kind would carry.
func (s *Service) followingOn(ctx context.Context, document judge.Document, origin fault.Use) (judge.Document, error) {
	saved, err := s.base.Saved(ctx, record.Ref{Kind: origin.What, Number: origin.Key})
	if err != nil {
		return document, err
	}
	document.Preceding = &engine.Preceding{Kind: origin.What, Number: origin.Key}
	to, err := saved.Reference.Kind(document.Kind)
	if err != nil {
		return document, err
	}
	maps, err := s.base.Store.FollowOns(ctx)
	if err != nil {
		return document, err
	}
	for _, f := range maps {
		if f.From != origin.What || f.To != document.Kind || !f.Offers(saved.Type) {
			continue
		}
		carried := f.Apply(saved.Kind, to, saved.Number, &saved.Content)
		document.Entered = asCarried(document.Entered, carried.Values)
		lines := slices.Clone(document.Lines)
		for i := range lines {
			lines[i].Entered = asCarried(lines[i].Entered, carried.Line(lines[i].Number))
		}
		document.Lines = lines
	}
	return document, nil
}

// asCarried marks the entered values that are those that came over.
func asCarried(entered map[string]judge.Item, carried map[string]string) map[string]judge.Item {
	marked := maps.Clone(entered)
	for key, item := range entered {
		if item.Value != "" && item.Value == carried[key] {
			item.Carried = true
			marked[key] = item
		}
	}
	return marked
}

// Begin returns the beginning of the record that follows one. Nothing is kept.
func (s *Service) Begin(ctx context.Context, id int64, request contract.BeginRequest) (contract.Beginning, error) {
	if err := access.Need(ctx, actor.RecordsChange); err != nil {
		return contract.Beginning{}, err
	}
	f, err := s.followOn(ctx, id)
	if err != nil {
		return contract.Beginning{}, err
	}
	saved, err := s.base.Saved(ctx, record.Ref{Kind: f.From, Number: request.Number})
	if err == nil {
		err = access.Company(ctx, saved.Company)
	}
	if err != nil {
		return contract.Beginning{}, err
	}
	m, r := saved.Reference, saved.Record
	to, err := m.Kind(f.To)
	if err != nil {
		return contract.Beginning{}, err
	}
	if r.State == record.Reversed {
		return contract.Beginning{}, fault.Hindered(reversed, r.Number)
	}
	if holds, err := offers(ctx, s.base, saved, &f); err != nil {
		return contract.Beginning{}, err
	} else if !holds {
		return contract.Beginning{}, fault.Hindered(notOffered, f.Name, saved.Kind.Noun(), r.Number)
	}
	kindType := f.Type
	if kindType == "" {
		kindType = request.Type
	}
	if t := m.Type(f.To, kindType); t == nil || !t.UsedIn(r.Company) {
		return contract.Beginning{}, fault.Bad(chooseType, strings.ToLower(to.TypeLabel), to.Noun())
	}
	content := f.Apply(saved.Kind, to, r.Number, &r.Content)
	if err := access.NeedFor(ctx, f.To, actor.RecordsChange); err != nil {
		return contract.Beginning{}, err
	}
	document := judge.Document{Kind: f.To, Company: r.Company, Type: kindType, Entered: judging.Entered(content.Values), Preceding: &engine.Preceding{Kind: r.Kind, Number: r.Number}}
	for _, l := range content.Lines {
		document.Lines = append(document.Lines, judge.Line{Number: l.Number, Entered: judging.Entered(l.Values)})
	}
	followers, err := s.base.Store.Followers(ctx, r.Ref, judging.MostTold, record.Kept, record.Posted)
	if err != nil {
		return contract.Beginning{}, err
	}
	followers = slices.DeleteFunc(followers, func(r record.Record) bool { return r.Kind != f.To })
	links := s.base.Links(ctx, m, r.Company)
	return contract.Beginning{Document: document, Origin: links.Use(r), Earlier: view.List(followers, links.Use)}, links.Err()
}

// followOn returns a map from record to record.
func (s *Service) followOn(ctx context.Context, id int64) (record.FollowOn, error) {
	maps, err := s.base.Store.FollowOns(ctx)
	if err != nil {
		return record.FollowOn{}, err
	}
	if i := slices.IndexFunc(maps, func(f record.FollowOn) bool { return f.ID == id }); i >= 0 {
		return maps[i], nil
	}
	return record.FollowOn{}, fault.Missing("map %d", id)
}
