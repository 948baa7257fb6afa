// Package records keeps records: saving, changing, deleting, listing and finding them, what they
// were, and what begins with one.
//
// It must never know how documents are posted. Start reading at Service.Save.
package records

import (
	"cmp"
	"codicil/core/field"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/internal/access"
	"codicil/internal/actor"
	"codicil/internal/app/commit"
	"codicil/internal/app/judging"
	"codicil/internal/app/runs"
	"codicil/internal/contract"
	"codicil/internal/fault"
	"codicil/internal/store"
	"codicil/internal/view"
	"context"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"
)

// Service serves these use cases.
type Service struct {
	Lists
	live *Live
}

// New returns the use cases.
func New(j *judging.Service, live *Live, r *runs.Service) *Service {
	return &Service{Lists{j, r}, live}
}

// Show returns a record as people see it.
func Show(ctx context.Context, j *judging.Service, r *record.Record) (contract.Record, error) {
	ref, kind, err := j.KindOf(ctx, r.Kind)
	if err != nil {
		return contract.Record{}, err
	}
	links := j.Links(ctx, ref, r.Company)
	followers, err := j.Store.Followers(ctx, r.Ref, judging.MostTold)
	if err != nil {
		return contract.Record{}, err
	}
	shown := view.Record(r, links.TitleOf(kind, r.Values), links, followers)
	next, err := offered(ctx, j, r)
	if err != nil {
		return contract.Record{}, err
	}
	shown.Next = view.List(next, func(f record.FollowOn) int64 { return f.ID })
	if len(r.Former) > 0 {
		merged, err := j.Store.MergedInto(ctx, r.Ref)
		if err != nil {
			return shown, err
		}
		shown.Former = view.List(merged, func(m store.MergedRecord) contract.FormerRecord {
			return view.Former(m.Number, m.Survivor, m.Why, m.Run, m.Merged)
		})
	}
	return shown, links.Err()
}

// Get returns one record.
func (s *Service) Get(ctx context.Context, at record.Ref) (contract.Record, error) {
	if err := access.NeedFor(ctx, at.Kind, actor.RecordsRead); err != nil {
		return contract.Record{}, err
	}
	r, err := s.base.Saved(ctx, at)
	if err == nil {
		return Show(ctx, s.base, &r.Record)
	}
	if merged, why := s.base.Store.Merged(ctx, at); why != nil || (merged != nil && access.In(ctx, merged.Company)) {
		return showMerged(ctx, s.base, merged, why)
	}
	return contract.Record{}, err
}

// showMerged shows a record that was merged into another as it was.
func showMerged(ctx context.Context, j *judging.Service, m *store.MergedRecord, err error) (contract.Record, error) {
	if err != nil {
		return contract.Record{}, err
	}
	at := record.Ref{Kind: m.Kind, Number: m.Number}
	v, err := j.Store.RecordVersion(ctx, at, m.Version)
	if err != nil {
		return contract.Record{}, commit.Explain(err)
	}
	shown, err := Show(ctx, j, &record.Record{
		Ref: at, Company: m.Company, Type: m.Type, State: record.Merged, Version: m.Version, Content: v.Content,
		Preceding: record.Ref{Kind: m.OriginKind, Number: m.OriginNumber}, Changed: m.Merged,
	})
	shown.MergedInto, shown.MergedWhy, shown.Next = m.Lead, m.Why, nil
	return shown, err
}

// Changeable refuses the change of a record that is posted, that somebody changed since the version, or that is of a company
// which is not of who asks.
func Changeable(ctx context.Context, r *record.Record, version int) error {
	if !access.In(ctx, r.Company) { // of a kind that all companies share
		return fault.Hindered(elsewhere, r.Number)
	}
	if r.State != record.Kept {
		return fault.Hindered(posted, r.Number)
	}
	if r.Version != version {
		return fault.Hindered(fault.Stale)
	}
	return nil
}

// Save keeps a new or changed record, if its plan accepts it.
func (s *Service) Save(ctx context.Context, request contract.SaveRequest) (contract.SaveAnswer, error) {
	if err := access.NeedFor(ctx, request.Document.Kind, actor.RecordsChange); err != nil {
		return contract.SaveAnswer{}, err
	}
	answer, r, err := s.save(ctx, request)
	if err != nil || r == nil {
		return answer, err
	}
	shown, err := Show(ctx, s.base, r)
	answer.Record = &shown
	return answer, err
}

// Keep does the same without a trace, for those that keep many: r is nil, and the outcome says why, where the
// record is not accepted.
func (s *Service) Keep(ctx context.Context, request contract.SaveRequest) (r *record.Record, outcome contract.Outcome, err error) {
	request.Brief = true
	answer, r, err := s.save(ctx, request)
	return r, answer.Outcome, err
}

// Saving is a record on its way into the store.
type Saving struct {
	service *Service
	request contract.SaveRequest
	by      record.Origin
	// Also, if any, is written with it: record is what was written.
	Also func(ctx context.Context, tx *store.Store, r record.Record) error
	// Beside, if any, knows records that are not saved yet.
	Beside judging.Beside
	// Unless, if any, tells that the record is not to be written though the rules accept it.
	Unless func(before, after *record.Record) bool
	// Without are the numbers of records that go with it, and Over are others as they would be.
	Without []string
	Over    map[record.Ref]*record.Record
	// Shape, if any, changes what no rule decides of what is to stand, and Ahead is written before it.
	Shape func(r *record.Record)
	Ahead func(ctx context.Context, tx *store.Store) error
	// What says what happened; "": it was saved.
	What string
	// answered tells that a reason was given for whatever rules ask, not for what each of them asks.
	answered bool

	Trial  *judging.Trial
	Before record.Record
	Result record.Record // as it is to stand, where the rules accept it
	Saved  bool
}

// Saving returns what keeps a record whose values are from a source: "" for a person. Its fields are not told.
func (s *Service) Saving(request contract.SaveRequest, by record.Origin) *Saving {
	request.Brief = true
	return &Saving{service: s, request: request, by: by}
}

// Judge judges it. Nothing is to be written where the rules do not accept it.
func (v *Saving) Judge(ctx context.Context) (_ *commit.Change, err error) {
	s := v.service
	v.Saved = false
	if v.Trial, v.Before, err = s.trySaving(ctx, v.request, judging.Ask{NoTrace: v.request.Brief, By: v.by, Beside: v.Beside, Without: v.Without, Over: v.Over}); err != nil {
		return nil, err
	}
	t := v.Trial
	if !t.Accepted() {
		return commit.Unwritten(t.Reads), nil
	}
	_, seed, err := s.base.Cache.Version(ctx)
	if err != nil {
		return nil, err
	}
	v.Result = Outcome(ctx, s.base, t, v.Before)
	if v.Shape != nil {
		v.Shape(&v.Result)
	}
	if v.Unless != nil && v.Unless(&v.Before, &v.Result) {
		return commit.Unwritten(t.Reads), nil
	}
	others, err := s.live.After(ctx, t.Reads, v.Result)
	if err != nil {
		return nil, err
	}
	by, err := s.base.Line.Stamp(ctx)
	if err != nil {
		return nil, err
	}
	r := v.Result
	var before *record.Record
	if r.Number != "" {
		old := v.Before
		before = &old
	}
	ready, err := s.base.Store.Prepare(ctx, t.Kept(by, false), before, &r)
	return &commit.Change{
		Reads: t.Reads,
		Write: func(ctx context.Context, tx *store.Store) (err error) {
			if v.Ahead != nil {
				if err := v.Ahead(ctx, tx); err != nil {
					return err
				}
			}
			if err := t.Numbers.Take(ctx, tx); err != nil {
				return err
			}
			if r.Number == "" {
				r, err = tx.AddRecord(ctx, r, judging.Numbering(t.Reference, t.Plan.Kind(), t.Place(), seed), ready, by)
			} else {
				r, err = tx.ChangeRecord(ctx, r, cmp.Or(v.What, "saved"), ready, by)
			}
			if err != nil {
				return err
			}
			if err := tx.CountActs(ctx, t.Judged.Outcome.Active(), by.At); err != nil {
				return err
			}
			if err := v.different(ctx, tx, r.Number, by); err != nil {
				return err
			}
			if v.Also != nil {
				if err := v.Also(ctx, tx, r); err != nil {
					return err
				}
			}
			return others.Write(ctx, tx, by)
		},
		Done: func() {
			v.Result, v.Saved = r, true
			s.base.Cache.Records.Put(append(others.Records, r)...)
		},
	}, err
}

// Answering judges it, and gives one reason to all rules that ask for one.
func (v *Saving) Answering(ctx context.Context, reason string) (*commit.Change, error) {
	v.request.Document.Reasons = nil
	c, err := v.Judge(ctx)
	if err != nil || c.Write != nil || v.Trial.Accepted() || reason == "" {
		return c, err
	}
	reasons := map[int64]string{}
	for _, m := range v.Trial.Outcome().Messages {
		switch {
		case m.Severity == contract.MessageSeverity(rule.Refuse):
			return c, nil
		case m.Severity == contract.MessageSeverity(rule.Confirm) && m.Reason == "":
			reasons[m.Rule] = reason
		}
	}
	v.request.Document.Reasons, v.answered = reasons, true
	return v.Judge(ctx)
}

// different keeps that the record is different from those because of which a unique rule asked, where a person said why.
func (v *Saving) different(ctx context.Context, tx *store.Store, number string, by record.Stamp) error {
	if v.answered {
		return nil
	}
	for _, m := range v.Trial.Judged.Outcome.Messages {
		if m.Rule == nil || m.Rule.Effect.Unique == nil || v.request.Document.Reasons[m.Rule.ID] == "" {
			continue
		}
		for _, other := range m.Records {
			if other == "" || other == number {
				continue
			}
			d := store.DifferenceOf(v.Result.Kind, number, other)
			d.Why, d.Said = m.Reason, by
			if err := tx.SaveDifference(ctx, d); err != nil {
				return err
			}
		}
	}
	return nil
}

// CatchUp takes live values anew that saving left late.
func (s *Service) CatchUp(ctx context.Context) error { return s.live.CatchUp(ctx) }

func (s *Service) save(ctx context.Context, request contract.SaveRequest) (answer contract.SaveAnswer, kept *record.Record, err error) {
	v := &Saving{service: s, request: request, by: record.Unknown}
	if request.Batch > 0 {
		if err := mayKey(ctx, s.base.Store, &request); err != nil {
			return answer, nil, err
		}
		v.Also = func(ctx context.Context, tx *store.Store, r record.Record) error {
			return intoBatch(ctx, tx, request.Batch, &r)
		}
	}
	err = s.base.Line.Commit(ctx, v.Judge)
	if err == nil && request.Batch > 0 && !v.Saved {
		err = s.base.Line.Write(ctx, func(tx *store.Store, by record.Stamp) error { return tx.CountRefused(ctx, request.Batch, by) })
	}
	if v.Trial != nil {
		answer = contract.SaveAnswer{Outcome: v.Trial.Outcome()}
	}
	if err != nil || !v.Saved {
		return answer, nil, err
	}
	return answer, &v.Result, s.live.CatchUp(ctx)
}

// trySaving judges a record as saving it would, and returns it as it was before.
func (s *Service) trySaving(ctx context.Context, request contract.SaveRequest, ask judging.Ask) (*judging.Trial, record.Record, error) {
	document := request.Document
	_, kind, err := s.base.KindOf(ctx, document.Kind)
	if err != nil {
		return nil, record.Record{}, err
	}
	if err := access.Company(ctx, document.Company); err != nil {
		return nil, record.Record{}, err
	}
	before := record.Record{Ref: record.Ref{Kind: kind.Key}, Company: document.Company, Type: document.Type, State: record.Kept}
	if document.Record != "" {
		saved, err := s.base.Saved(ctx, record.Ref{Kind: kind.Key, Number: document.Record})
		if err != nil {
			return nil, before, err
		}
		before = saved.Record
		if err := Changeable(ctx, &before, request.Version); err != nil {
			return nil, before, err
		}
		document.Company, before.Type = before.Company, document.Type
	} else if request.Origin != nil {
		if document, err = s.followingOn(ctx, document, *request.Origin); err != nil {
			return nil, before, err
		}
		before.Preceding = record.Ref{Kind: request.Origin.What, Number: request.Origin.Key}
	}
	ask.Format, ask.Moment, ask.Keyed, ask.Real = request.Format, rule.Saving, request.Keyed, true
	t, err := s.base.Try(ctx, document, ask)
	return t, before, err
}

// Outcome puts what came out of a trial in place of what the record held.
func Outcome(ctx context.Context, j *judging.Service, t *judging.Trial, before record.Record) record.Record {
	kind, content := t.Plan.Kind(), j.Content(ctx, t)
	content.Values = withRemoved(kind, "", content.Values, before.Values)
	for i, l := range content.Lines {
		content.Lines[i].Values = withRemoved(kind, field.LinePrefix, l.Values, before.Line(l.Number))
	}
	before.Late, before.Content = false, content
	return before
}

// withRemoved keeps the values of fields that were removed from the kind, so that
// they are there when the field comes back.
func withRemoved(kind *record.Kind, prefix string, values, before map[string]string) map[string]string {
	all := maps.Clone(values)
	for key, value := range before {
		if kind.Index(prefix+key) < 0 {
			all[key] = value
		}
	}
	return all
}

// History returns what a record has been, newest first; also one that was deleted.
func (s *Service) History(ctx context.Context, at record.Ref, format *field.Format) ([]contract.RecordVersion, error) {
	if err := access.NeedFor(ctx, at.Kind, actor.RecordsRead); err != nil {
		return nil, err
	}
	ref, kind, err := s.base.KindOf(ctx, at.Kind)
	if err != nil {
		return nil, err
	}
	versions, err := s.base.Store.RecordVersions(ctx, at.Kind, at.Number)
	if err != nil {
		return nil, err
	}
	if len(versions) == 0 {
		return nil, fault.Missing("%s %s", kind.Noun(), at.Number)
	}
	company, err := companyOf(ctx, s.base, at)
	if err != nil {
		return nil, err
	}
	if !kind.Shared && !access.In(ctx, company) {
		return nil, fault.Missing("%s %s", kind.Noun(), at.Number)
	}
	book, err := s.base.Cache.Book(ctx, at.Kind)
	if err != nil {
		return nil, err
	}
	named := func(id int64) string {
		if c := judging.InBook(book, id); c != nil {
			return c.Name
		}
		return fmt.Sprintf("rule %d", id)
	}
	links := s.base.Links(ctx, ref, company)
	show := view.Viewer{Kind: kind, Company: ref.Company(company), Titles: links, Format: format.OrPlain()}
	tell := func(versions []record.Version, of string) (told []contract.RecordVersion) {
		for i := range versions {
			var before *record.Version
			if i+1 < len(versions) {
				before = &versions[i+1]
			}
			v := show.RecordVersion(&versions[i], before, named)
			v.Of = of
			told = append(told, v)
		}
		return told
	}
	history := tell(versions, "")
	// What was merged into it is told with it.
	former, err := s.base.Store.FormerOf(ctx, at)
	if err != nil {
		return nil, err
	}
	for _, number := range former {
		versions, err := s.base.Store.RecordVersions(ctx, at.Kind, number)
		if err != nil {
			return nil, err
		}
		history = append(history, tell(versions, number)...)
	}
	if len(former) > 0 {
		slices.SortStableFunc(history, func(a, b contract.RecordVersion) int { return b.ChangedAt.Compare(a.ChangedAt) })
	}
	return history, links.Err()
}

// companyOf is the company of a record, also of one that was deleted or merged.
func companyOf(ctx context.Context, j *judging.Service, at record.Ref) (string, error) {
	r, err := j.Cache.Records.Find(ctx, at)
	if err != nil {
		return "", err
	}
	if r != nil {
		return r.Company, nil
	}
	if merged, err := j.Store.Merged(ctx, at); err != nil || merged != nil {
		if err != nil {
			return "", err
		}
		return merged.Company, nil
	}
	return j.Store.CompanyOfDeleted(ctx, at)
}

// Merge tells what somebody else changed in a record since the version, and
// where this person changed the same field to something else.
func (s *Service) Merge(ctx context.Context, request contract.SaveRequest) (contract.Merge, error) {
	if err := access.NeedFor(ctx, request.Document.Kind, actor.RecordsChange); err != nil {
		return contract.Merge{}, err
	}
	at := record.Ref{Kind: request.Document.Kind, Number: request.Document.Record}
	saved, err := s.base.Saved(ctx, at)
	if err == nil {
		err = access.Company(ctx, saved.Company)
	}
	if err != nil {
		return contract.Merge{}, err
	}
	versions, err := s.base.Store.RecordVersions(ctx, at.Kind, at.Number)
	if err != nil {
		return contract.Merge{}, err
	}
	i := slices.IndexFunc(versions, func(v record.Version) bool { return v.Version == request.Version })
	if i < 0 {
		return contract.Merge{}, fault.Missing("version %d of %s", request.Version, at.Number)
	}
	document := request.Document
	document.Company = saved.Company
	t, err := s.base.Try(ctx, document, judging.Ask{Format: request.Format, Moment: rule.Saving, Real: true})
	if err != nil {
		return contract.Merge{}, err
	}
	base, theirs, mine := versions[i].Content, saved.Content, s.base.Content(ctx, t)
	others, clashes := record.Merge(saved.Kind, &base, &theirs, &mine)
	shown, err := Show(ctx, s.base, &saved.Record)
	if err != nil {
		return contract.Merge{}, err
	}
	show := &t.Reader.Viewer
	return contract.Merge{
		Record:  shown,
		Theirs:  view.List(others, func(c record.Change) contract.ValueChange { return show.Change(&base, &theirs, c) }),
		Clashes: view.List(clashes, func(c record.Clash) contract.Clash { return show.Clash(&base, &theirs, &mine, c) }),
	}, nil
}

// Delete deletes a record that is not posted and that nothing links to.
func (s *Service) Delete(ctx context.Context, at record.Ref) error {
	if err := access.NeedFor(ctx, at.Kind, actor.RecordsChange); err != nil {
		return err
	}
	return s.Withdraw(ctx, at, 0, func(*store.Store) error { return nil })
}

// Withdraw does the same with a record that is still of a version; 0: of any. also is written with it.
func (s *Service) Withdraw(ctx context.Context, at record.Ref, version int, also func(tx *store.Store) error) error {
	return s.base.Line.Alone(ctx, func(ctx context.Context) (*commit.Change, error) {
		r, err := s.base.Saved(ctx, at)
		if err != nil {
			return nil, err
		}
		if err := Changeable(ctx, &r.Record, cmp.Or(version, r.Version)); err != nil {
			return nil, err
		}
		if len(r.Former) > 0 {
			return nil, fault.Hindered(standsFor, at.Number, strings.Join(r.Former, ", "))
		}
		named := store.NamedBy{Records: []record.Ref{at}, Except: at, Limit: fault.MostUses} // what names one merged into it names it
		naming, err := s.base.Store.RecordsNaming(ctx, named)
		if err != nil {
			return nil, err
		}
		if len(naming) > 0 {
			count, err := s.base.Store.CountNaming(ctx, named)
			if err != nil {
				return nil, err
			}
			if ours := slices.DeleteFunc(naming, func(r record.Record) bool { return !access.In(ctx, r.Company) }); len(ours) < len(naming) || !access.Everywhere(ctx) {
				naming, count = ours, max(len(ours), 1)
			}
			hindered := fault.Hindered(linked, at.Number, count).With(view.List(naming, s.base.Links(ctx, r.Reference, "").Use))
			hindered.Count = count
			return nil, hindered
		}
		by, err := s.base.Line.Stamp(ctx)
		return &commit.Change{
			Write: func(ctx context.Context, tx *store.Store) error {
				return errors.Join(tx.DeleteRecord(ctx, r.Record, by), also(tx))
			},
			Done: func() { s.base.Cache.Records.Remove(r.Record) },
		}, err
	})
}

// Restore makes a record whose last version is still that of a run what it was before, as a version more; no rule is asked, as it
// stood so before, but its live values are those of now. back are records that are there again with it: ahead, if any, is written
// before it, brings them back and may change what else is to stand; without it they are back right after. also is written with it,
// and is told the version that it becomes and what changed. The caller then catches up with live values.
func (s *Service) Restore(ctx context.Context, w store.RunWrite, back []record.Record, ahead func(tx *store.Store, by record.Stamp, r *record.Record) error, also func(tx *store.Store, now int, changes []contract.ValueChange) error) error {
	return s.base.Line.Alone(ctx, func(ctx context.Context) (*commit.Change, error) {
		at := record.Ref{Kind: w.Kind, Number: w.Number}
		r, err := s.base.Saved(ctx, at)
		if err != nil {
			return nil, err
		}
		if err := Changeable(ctx, &r.Record, w.Version); err != nil {
			return nil, err
		}
		before, err := s.base.Store.RecordVersion(ctx, at, w.Before)
		if err != nil {
			return nil, err
		}
		links := s.base.Links(ctx, r.Reference, r.Company)
		show := view.Viewer{Kind: r.Kind, Company: r.Reference.Company(r.Company), Titles: links, Format: FormatOf(ctx)}
		next := r.Record
		next.Content, next.Type, next.Late = before.Content, before.Type, false
		next.Preceding.Number = cmp.Or(w.Preceding, next.Preceding.Number)
		others, err := s.live.again(ctx, &next, back, ahead == nil)
		if err != nil {
			return nil, err
		}
		changes := []contract.ValueChange{}
		for _, c := range record.Changes(r.Kind, &r.Content, &next.Content) {
			changes = append(changes, show.Change(&r.Content, &next.Content, c))
		}
		by, err := s.base.Line.Stamp(ctx)
		return &commit.Change{
			Write: func(ctx context.Context, tx *store.Store) (err error) {
				if ahead != nil {
					if err := ahead(tx, by, &next); err != nil {
						return err
					}
				}
				if next, err = tx.ChangeRecord(ctx, next, "taken back", nil, by); err != nil {
					return err
				}
				return errors.Join(also(tx, next.Version, changes), others.Write(ctx, tx, by))
			},
			Done: func() { s.base.Cache.Records.Put(append(others.Records, next)...) },
		}, err
	})
}

// FormatOf is how the person who asks writes numbers and dates.
func FormatOf(ctx context.Context) field.Format {
	format := actor.Of(ctx).Format
	return format.OrPlain()
}

// InScope lists the records of a company and type.
func (s *Service) InScope(ctx context.Context, kinds []record.Kind, names func(company, kindType string) bool) (uses []fault.Use, more int, err error) {
	ref, err := s.base.Cache.Reference(ctx)
	if err != nil {
		return nil, 0, err
	}
	links := s.base.Links(ctx, ref, "")
	for i := range kinds {
		scopes, err := s.base.Store.RecordScopes(ctx, kinds[i].Key)
		if err != nil {
			return nil, 0, err
		}
		for _, scope := range scopes {
			if !names(scope.Company, scope.Type) {
				continue
			}
			page, err := s.base.Store.List(ctx, store.ListQuery{Selector: record.OfScope(&kinds[i], scope.Company, scope.Type), Limit: fault.MostUses})
			if err != nil {
				return nil, 0, err
			}
			uses = append(uses, view.List(page.Rows, links.Use)...)
			more += scope.Count - len(page.Rows)
		}
	}
	return uses, more, links.Err()
}
