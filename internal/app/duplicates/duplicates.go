// Package duplicates finds saved records that are twice: by which fields, a scan of all of them, and what people said of those
// that only look alike.
//
// It must never change a record. Start reading at Service.Start.
package duplicates

import (
	"cmp"
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"codicil/core/feel"
	"codicil/core/match"
	"codicil/core/notice"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/internal/access"
	"codicil/internal/actor"
	"codicil/internal/app/commit"
	"codicil/internal/app/judging"
	"codicil/internal/app/runs"
	"codicil/internal/clock"
	"codicil/internal/contract"
	"codicil/internal/fault"
	"codicil/internal/store"
	"codicil/internal/view"
)

// Service serves these use cases.
type Service struct {
	base *judging.Service
	runs *runs.Service
}

// New returns the use cases.
func New(j *judging.Service, r *runs.Service) *Service { return &Service{j, r} }

var (
	noFields      = notice.Define("duplicates-fields", "choose the fields that must be the same")
	unknownField  = notice.Define("unknown-field.duplicates", "a {kind} has no field {field:q} to compare")
	twiceField    = notice.Define("duplicates-twice", "{field} is compared twice; leave one out")
	mixedFields   = notice.Define("duplicates-mixed", "the first field is of the lines or of the header; the others with it must be of the header, or of the same lines")
	notNear       = notice.Define("duplicates-near", "{field} is not a text, so its values cannot be almost equal")
	unnamed       = notice.Define("duplicates-name", "give the definition a name")
	reasonMissing = notice.Define("different-reason", "say why they are different")
	sameRecord    = notice.Define("different-same", "{number} is named twice; name two records that are different")
	notAScan      = notice.Define("not-a-scan", "this run did not look for duplicates")
)

// Check says what is wrong with a definition.
func Check(kind *record.Kind, by match.Unique) error {
	if len(by.Fields) == 0 {
		return fault.Bad(noFields)
	}
	for i, key := range by.Fields {
		f := kind.Field(key)
		switch {
		case f == nil:
			return fault.Bad(unknownField, kind.Noun(), key)
		case slices.Contains(by.Fields[:i], key):
			return fault.Bad(twiceField, f.Label)
		case f.OfLine() && !kind.Field(by.Fields[0]).OfLine():
			return fault.Bad(mixedFields)
		case i == 0 && by.Near && f.FeelType().Kind != feel.String:
			return fault.Bad(notNear, f.Label)
		}
	}
	return nil
}

// Get tells by what records of a kind can be duplicates. Cost: the rules of the kind and the runs that are kept.
func (s *Service) Get(ctx context.Context, key string) (contract.Duplicates, error) {
	if err := access.NeedFor(ctx, key, actor.RecordsRead); err != nil {
		return contract.Duplicates{}, err
	}
	found := contract.Duplicates{Kind: key, Definitions: []contract.DuplicateDefinition{}}
	ref, kind, err := s.base.KindOf(ctx, key)
	if err != nil {
		return found, err
	}
	if found.Records, err = s.base.Store.CountRecords(ctx, key, access.Scope(ctx)); err != nil {
		return found, err
	}
	if found.Different, err = s.base.Store.CountDifferences(ctx, key, access.Scope(ctx)); err != nil {
		return found, err
	}
	scans, err := s.scans(ctx)
	if err != nil {
		return found, err
	}
	add := func(name string, rule int64, by match.Unique) {
		if by.Ignore == nil {
			by.Ignore = match.Differences{}
		}
		d := contract.DuplicateDefinition{Name: name, Rule: rule, By: by, Run: scans[scanned(key, by)]}
		d.Labels = view.List(by.Fields, func(key string) string {
			if f := kind.Field(key); f != nil {
				return f.Label
			}
			return key
		})
		found.Definitions = append(found.Definitions, d)
	}
	book, err := s.base.Cache.SeenBook(ctx, key)
	if err != nil {
		return found, err
	}
	wording, seen := ref.Wording(kind, actor.Of(ctx).Format), map[string]bool{}
	for _, c := range book.Rules {
		if c.State != rule.InForce || c.Effect.Unique == nil {
			continue
		}
		by := c.UniqueBy()
		if at := scanned(key, by); !seen[at] { // rules of several companies compare the same
			seen[at] = true
			add(rule.Sentence(c, wording), c.ID, by)
		}
	}
	own, err := s.base.Store.DuplicateDefinitions(ctx, key)
	if err != nil {
		return found, err
	}
	for _, d := range own {
		add(d.Name, 0, d.By)
	}
	return found, nil
}

// scanned names what a scan was by.
func scanned(kind string, by match.Unique) string {
	by.Ignore = slices.Sorted(slices.Values(by.Ignore))
	return fmt.Sprint(kind, by)
}

// scans are the last scans by what they were.
func (s *Service) scans(ctx context.Context) (map[string]*contract.Run, error) {
	all, err := s.base.Store.Runs(ctx, runs.MostKept)
	last := map[string]*contract.Run{}
	for i := range all {
		request, ok := requestOf(&all[i])
		if !runs.Seen(ctx, &all[i]) {
			continue
		}
		if at := scanned(request.Kind, request.By); ok && last[at] == nil {
			shown := runs.Shown(&all[i])
			last[at] = &shown
		}
	}
	return last, err
}

// requestOf is what a scan was asked; false for a run that is none.
func requestOf(r *runs.Run) (request contract.ScanRequest, ok bool) {
	var subject runs.Subject
	if contract.RunWhat(r.What) != contract.RunWhatDuplicates || json.Unmarshal([]byte(r.Subject), &subject) != nil {
		return request, false
	}
	return request, json.Unmarshal(subject.Request, &request) == nil
}

// Define keeps a definition under a name.
func (s *Service) Define(ctx context.Context, key, name string, by match.Unique) error {
	if err := access.Need(ctx, actor.SetupChange); err != nil {
		return err
	}
	if err := access.Companies(ctx, nil); err != nil {
		return err
	}
	_, kind, err := s.base.KindOf(ctx, key)
	if err != nil {
		return err
	}
	if name = strings.TrimSpace(name); name == "" {
		return fault.Bad(unnamed)
	}
	if err := Check(kind, by); err != nil {
		return err
	}
	return s.base.Line.Write(ctx, func(tx *store.Store, stamp record.Stamp) error {
		return tx.SaveDuplicateDefinition(ctx, store.DuplicateDefinition{Kind: key, Name: name, By: by}, stamp)
	})
}

// Remove removes a definition.
func (s *Service) Remove(ctx context.Context, key, name string) error {
	if err := access.Need(ctx, actor.SetupChange); err != nil {
		return err
	}
	if err := access.Companies(ctx, nil); err != nil {
		return err
	}
	return s.base.Line.Write(ctx, func(tx *store.Store, by record.Stamp) error { return tx.DeleteDuplicateDefinition(ctx, key, name, by) })
}

// SayDifferent keeps that records are different, each from each.
func (s *Service) SayDifferent(ctx context.Context, key string, request contract.DifferentRequest) error {
	if err := access.NeedFor(ctx, key, actor.RecordsChange); err != nil {
		return err
	}
	if request.Reason = strings.TrimSpace(request.Reason); request.Reason == "" {
		return fault.Bad(reasonMissing)
	}
	for i, number := range request.Numbers {
		if slices.Contains(request.Numbers[:i], number) {
			return fault.Bad(sameRecord, number)
		}
		if _, err := s.base.Saved(ctx, record.Ref{Kind: key, Number: number}); err != nil {
			return err
		}
	}
	return s.base.Line.Write(ctx, func(tx *store.Store, by record.Stamp) error {
		for i, number := range request.Numbers {
			for _, other := range request.Numbers[:i] {
				d := store.DifferenceOf(key, number, other)
				d.Why, d.Said = request.Reason, by
				if err := tx.SaveDifference(ctx, d); err != nil {
					return err
				}
			}
		}
		return nil
	})
}

// TakeDifferentBack takes back that two records are different.
func (s *Service) TakeDifferentBack(ctx context.Context, key, number, other string) error {
	if err := access.NeedFor(ctx, key, actor.RecordsChange); err != nil {
		return err
	}
	for _, one := range []string{number, other} {
		if _, err := s.base.Saved(ctx, record.Ref{Kind: key, Number: one}); err != nil {
			return err
		}
	}
	return s.base.Line.Write(ctx, func(tx *store.Store, by record.Stamp) error {
		return tx.DeleteDifference(ctx, store.DifferenceOf(key, number, other), by)
	})
}

// mostDifferences is how many differences are returned at once.
const mostDifferences = 100

// Different tells of which records somebody said that they are different.
func (s *Service) Different(ctx context.Context, key, after string) (contract.DifferencePage, error) {
	if err := access.NeedFor(ctx, key, actor.RecordsRead); err != nil {
		return contract.DifferencePage{}, err
	}
	page := contract.DifferencePage{Differences: []contract.DifferentPair{}}
	ref, kind, err := s.base.KindOf(ctx, key)
	if err != nil {
		return page, err
	}
	from, err := pairAt(after)
	if err != nil {
		return page, err
	}
	found, err := s.base.Store.Differences(ctx, key, access.Scope(ctx), from, mostDifferences+1)
	if err != nil {
		return page, err
	}
	if len(found) > mostDifferences {
		found = found[:mostDifferences]
		last := found[mostDifferences-1]
		page.Next = fmt.Sprintf("%d~%s%s", len(last.Number), last.Number, last.Other)
	}
	links := s.base.Links(ctx, ref, "")
	for _, d := range found {
		shown := contract.DifferentPair{Number: d.Number, Title: links.Title(kind.Key, d.Number), Other: d.Other, OtherTitle: links.Title(kind.Key, d.Other), Why: d.Why, SaidBy: d.Said.By}
		shown.SaidAt, _ = clock.When(d.Said)
		page.Differences = append(page.Differences, shown)
	}
	return page, links.Err()
}

// pairAt reads the place of a pair in their order: how long the first number is, and both. "" is before all.
func pairAt(place string) (d store.Difference, err error) {
	if place == "" {
		return d, nil
	}
	length, numbers, parted := strings.Cut(place, "~")
	n, err := strconv.Atoi(length)
	if !parted || err != nil || n < 0 || n > len(numbers) {
		return d, fault.Bad(fault.NotAPlace, place)
	}
	d.Number, d.Other = numbers[:n], numbers[n:]
	return d, nil
}

// Described is a record as it is shown among its duplicates. Cost: a count of those that name it.
func (s *Service) Described(ctx context.Context, links *judging.Links, kind *record.Kind, r *record.Record) (contract.DuplicateRecord, error) {
	d := contract.DuplicateRecord{Number: r.Number, Title: links.TitleOf(kind, r.Values), Company: access.Shown(ctx, r.Company), Type: r.Type, State: contract.RecordState(r.State)}
	for _, values := range append([]map[string]string{r.Values}, view.List(r.Lines, func(l record.Line) map[string]string { return l.Values })...) {
		for _, v := range values {
			if v != "" {
				d.Filled++
			}
		}
	}
	var err error
	if d.Uses, err = s.base.Store.CountNaming(ctx, store.NamedBy{Records: []record.Ref{r.Ref}, Except: r.Ref}); err != nil {
		return d, err
	}
	first, err := s.base.Store.RecordVersion(ctx, r.Ref, 1)
	if err != nil {
		return d, commit.Explain(err)
	}
	if at, known := clock.When(first.Changed); known {
		d.FirstAt = &at
	}
	return d, links.Err()
}

// Preferred is the number of the record that survives by a preference; "" is the one that most records name. Of equal ones
// the first.
func Preferred(all []contract.DuplicateRecord, by contract.Preference) string {
	best := slices.MaxFunc(all, func(a, b contract.DuplicateRecord) int {
		older := 0
		if a.FirstAt != nil && b.FirstAt != nil {
			// Of those that a load saves together the number tells which was first: their instants are those at which each was judged.
			older = b.FirstAt.Truncate(time.Minute).Compare(a.FirstAt.Truncate(time.Minute))
		}
		used, filled, lower := cmp.Compare(a.Uses, b.Uses), cmp.Compare(a.Filled, b.Filled), strings.Compare(b.Number, a.Number)
		switch by {
		case contract.Complete:
			return cmp.Or(filled, used, older, lower)
		case contract.Oldest:
			return cmp.Or(older, lower)
		}
		return cmp.Or(used, filled, older, lower)
	})
	return best.Number
}
