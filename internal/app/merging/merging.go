// Package merging makes one saved record of several that are the same. The survivor gets the values that are chosen, what is not
// posted is rewritten to name it, and the numbers of the others lead to it from then on, so that what is posted stays as it is.
//
// It must never know how duplicates are found. Start reading at Service.Start.
package merging

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"codicil/core/judge"
	"codicil/core/notice"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/internal/access"
	"codicil/internal/actor"
	"codicil/internal/app/commit"
	"codicil/internal/app/duplicates"
	"codicil/internal/app/judging"
	"codicil/internal/app/records"
	"codicil/internal/app/runs"
	"codicil/internal/contract"
	"codicil/internal/fault"
	"codicil/internal/store"
	"codicil/internal/view"
)

// Service serves these use cases.
type Service struct {
	base       *judging.Service
	records    *records.Service
	duplicates *duplicates.Service
	runs       *runs.Service
}

// New returns the use cases.
func New(j *judging.Service, r *records.Service, d *duplicates.Service, w *runs.Service) *Service {
	return &Service{j, r, d, w}
}

var (
	reasonMissing = notice.Define("merge-reason", "say why these are the same")
	nothingChosen = notice.Define("merge-nothing", "choose the records that are to be merged")
	twiceNamed    = notice.Define("merge-twice", "{number} is named twice; name each record once")
	notAmong      = notice.Define("merge-not-among", "{number} is none of the records that are merged")
	isPosted      = notice.Define("merge-posted", "{number} is posted and stays; only records that are not posted can be merged")
	otherCompany  = notice.Define("merge-company", "{number} belongs to company {company}, and {survivor} to company {other}: a document of one company cannot name a {kind} of another")
	leadsOn       = notice.Define("merge-follows", "{number} follows {survivor} or the other way round; they cannot be one")
	stillRefused  = notice.Define("merge-document", "{kind} {number} would be refused with {survivor}: {why}")
)

// Start begins a run that merges records, or tells what would happen. Cost: judging the survivors and the records that are
// rewritten, some of them in memory.
func (s *Service) Start(ctx context.Context, request contract.MergeRequest) (contract.Run, error) {
	if err := access.NeedFor(ctx, request.Kind, actor.RecordsMany); err != nil {
		return contract.Run{}, err
	}
	_, kind, err := s.base.KindOf(ctx, request.Kind)
	if err != nil {
		return contract.Run{}, err
	}
	if err := inAll(ctx, kind); err != nil {
		return contract.Run{}, err
	}
	if err := access.NeedFor(ctx, kind.Key, actor.RecordsChange); request.Apply && err != nil {
		return contract.Run{}, err
	}
	if request.Reason = strings.TrimSpace(request.Reason); request.Apply && request.Reason == "" {
		return contract.Run{}, fault.Bad(reasonMissing)
	}
	if request.Scan == 0 && len(request.Merges) == 0 {
		return contract.Run{}, fault.Bad(nothingChosen)
	}
	seen := map[string]bool{}
	for i := range request.Merges {
		m := &request.Merges[i]
		for _, number := range append([]string{m.Survivor}, m.Merged...) {
			if seen[number] {
				return contract.Run{}, fault.Bad(twiceNamed, number)
			}
			seen[number] = true
		}
		if err := s.check(kind, m); err != nil {
			return contract.Run{}, err
		}
	}
	if request.Scan != 0 { // it is one of this kind
		if err := s.duplicates.EachExact(ctx, request.Scan, kind.Key, "", func(string, []string) error { return errEnough }); err != nil && !errors.Is(err, errEnough) {
			return contract.Run{}, err
		}
	}
	what := contract.RunWhatMergeCheck
	if request.Apply {
		what = contract.RunWhatMerge
	}
	return runs.Asked(ctx, s.runs, what, kind.Plural, request.Reason, request, s.work)
}

// inAll refuses to merge what all companies share to who is not in all: records of every company are rewritten for it.
func inAll(ctx context.Context, kind *record.Kind) error {
	if kind.Shared {
		return access.Companies(ctx, nil)
	}
	return nil
}

var errEnough = errors.New("enough was seen")

// check says what is wrong with what is chosen.
func (s *Service) check(kind *record.Kind, m *contract.RecordMerge) error {
	for key, number := range m.Values {
		if f := kind.Field(key); f == nil || f.OfLine() {
			return fault.Bad(fault.UnknownField, kind.Noun(), key)
		}
		if number != m.Survivor && !slices.Contains(m.Merged, number) {
			return fault.Bad(notAmong, number)
		}
	}
	return nil
}

// Resume goes on with the runs that the end of the program cut off.
func (s *Service) Resume(ctx context.Context, cut []runs.Run) error {
	return runs.AskedAgain(ctx, s.runs, cut, contract.RunWhatMerge, s.work)
}

// work is a run that merges.
type work struct {
	*Service
	request contract.MergeRequest
	kind    *record.Kind
	names   *judging.Names
	w       *runs.Writer
	done    int
	counts  runs.Counts
}

func (s *Service) work(ctx context.Context, w *runs.Writer, request contract.MergeRequest) error {
	_, kind, err := s.base.KindOf(ctx, request.Kind)
	if err != nil {
		return err
	}
	k := &work{Service: s, request: request, kind: kind, w: w}
	k.done, k.counts = w.Done()
	if k.names, err = s.base.Named(ctx, false); err != nil {
		return err
	}
	if err := k.finish(ctx); err != nil {
		return err
	}
	if request.Scan != 0 {
		if scan, err := s.runs.Get(ctx, request.Scan); err == nil {
			w.Total(scan.Counts["exact"])
		}
		err = s.duplicates.EachExact(ctx, request.Scan, kind.Key, w.Reached(), func(place string, numbers []string) error {
			if slices.Contains(request.Except, place) {
				return nil
			}
			m, err := k.chosen(ctx, numbers)
			if err != nil {
				return err
			}
			return k.one(ctx, place, m)
		})
	} else {
		w.Total(len(request.Merges))
		from := 0
		if _, err := fmt.Sscan(w.Reached(), &from); err != nil {
			from = 0 // it begins
		}
		for i := from; i < len(request.Merges) && err == nil; i++ {
			err = k.one(ctx, fmt.Sprint(i+1), &request.Merges[i])
		}
	}
	if err != nil {
		return err
	}
	return w.Came(ctx, k.done, k.counts)
}

// rewriting stands before the place of a merge whose records are not all rewritten yet.
const rewriting = "~"

// finish rewrites what names the records that the run merged last, where it was cut off while it did.
func (k *work) finish(ctx context.Context) error {
	place, cut := strings.CutPrefix(k.w.Reached(), rewriting)
	if !cut {
		return nil
	}
	part, err := k.base.Store.LastMerge(ctx, k.w.ID())
	if err != nil {
		return err
	}
	merged, err := k.base.Store.MergedBy(ctx, k.w.ID(), part)
	if err != nil {
		return err
	}
	m := &contract.RecordMerge{}
	for i := range merged {
		m.Survivor, m.Merged = merged[i].Survivor, append(m.Merged, merged[i].Number)
	}
	if len(merged) > 0 { // it is not taken back meanwhile
		if err := k.rewriteAll(ctx, m, part); err != nil {
			return err
		}
	}
	return k.reach(ctx, place)
}

// reach says that a merge is done with.
func (k *work) reach(ctx context.Context, place string) error {
	k.done++
	k.w.Reach(place)
	return k.w.Came(ctx, k.done, k.counts)
}

// chosen makes of duplicates what is to be merged into what.
func (k *work) chosen(ctx context.Context, numbers []string) (*contract.RecordMerge, error) {
	ref, err := k.base.Cache.Reference(ctx)
	if err != nil {
		return nil, err
	}
	links := k.base.Links(ctx, ref, "")
	var all []contract.DuplicateRecord
	for _, number := range numbers {
		r, err := k.base.Saved(ctx, record.Ref{Kind: k.kind.Key, Number: number})
		if err != nil {
			return nil, err
		}
		d, err := k.duplicates.Described(ctx, links, k.kind, &r.Record)
		if err != nil {
			return nil, err
		}
		all = append(all, d)
	}
	m := &contract.RecordMerge{Survivor: duplicates.Preferred(all, k.request.Prefer)}
	for _, number := range numbers {
		if number != m.Survivor {
			m.Merged = append(m.Merged, number)
		}
	}
	return m, nil
}

// one merges some records into one, and rewrites what names them. place says where the run stands with it.
func (k *work) one(ctx context.Context, place string, m *contract.RecordMerge) error {
	part, err := k.absorb(ctx, place, m)
	var own *fault.Fault
	switch {
	case errors.As(err, &own) && own.Reason != fault.Unable:
		k.refuse(m.Survivor, own.Error())
	case err != nil:
		return err
	case part > 0:
		if err := k.rewriteAll(ctx, m, part); err != nil {
			return err
		}
	}
	return k.reach(ctx, place)
}

// refuse tells that something of a merge is refused.
func (k *work) refuse(number, why string) {
	k.counts["refuse"]++
	k.w.Found(0, contract.RunHit{Kind: k.kind.Key, Number: number, Title: number, What: contract.RunHitWhatRefuse, Said: why, Told: why, Changes: []contract.ValueChange{}})
}

// merger is the survivor on its way into the store, with what is merged into it.
type merger struct {
	service  *Service
	kind     *record.Kind
	merge    *contract.RecordMerge
	survivor record.Record
	merged   []record.Record
	saving   *records.Saving
}

// merger reads the records of a merge, and refuses those that cannot be merged.
func (s *Service) merger(ctx context.Context, kind *record.Kind, m *contract.RecordMerge) (*merger, error) {
	g := &merger{service: s, kind: kind, merge: m}
	read := func(number string) (record.Record, error) {
		r, err := s.base.Saved(ctx, record.Ref{Kind: kind.Key, Number: number})
		if err != nil {
			return record.Record{}, err
		}
		if r.State != record.Kept {
			return r.Record, fault.Hindered(isPosted, number)
		}
		return r.Record, nil
	}
	var err error
	if g.survivor, err = read(m.Survivor); err != nil {
		return g, err
	}
	for _, number := range m.Merged {
		r, err := read(number)
		if err != nil {
			return g, err
		}
		if !kind.Shared && r.Company != g.survivor.Company {
			return g, fault.Hindered(otherCompany, number, r.Company, m.Survivor, g.survivor.Company, kind.Noun())
		}
		for _, pair := range [][2]record.Record{{r, g.survivor}, {g.survivor, r}} {
			if slices.Contains(record.LinksOf(kind, &pair[0]), pair[1].Ref) {
				return g, fault.Hindered(leadsOn, number, m.Survivor)
			}
		}
		g.merged = append(g.merged, r)
	}
	g.saving = s.saving(g)
	return g, nil
}

// saving is what saves the survivor with the values that are chosen.
func (s *Service) saving(g *merger) *records.Saving {
	document := judging.DocumentOf(g.kind, &g.survivor)
	for i := range g.kind.Fields {
		f := &g.kind.Fields[i]
		if f.OfLine() {
			continue
		}
		if from := g.from(f.Key); from.Number != g.survivor.Number {
			document.Entered[f.Key] = judge.Item{Value: from.Values[f.Key]}
		}
	}
	document.Lines = g.lines(document.Lines)
	v := s.records.Saving(contract.SaveRequest{Document: document, Version: g.survivor.Version}, record.Unknown)
	v.What, v.Without = "merged", g.merge.Merged
	v.Shape = func(r *record.Record) {
		for i := range g.merged {
			r.Former = append(append(r.Former[:len(r.Former):len(r.Former)], g.merged[i].Number), g.merged[i].Former...)
		}
		slices.Sort(r.Former)
	}
	return v
}

// from is the record whose value of a field stands: the one that is chosen, otherwise the survivor, or where that is blank the
// first in which it is filled.
func (g *merger) from(field string) *record.Record {
	number, chosen := g.merge.Values[field]
	if (!chosen && g.survivor.Values[field] != "") || number == g.survivor.Number {
		return &g.survivor
	}
	for i := range g.merged {
		if r := &g.merged[i]; (chosen && r.Number == number) || (!chosen && r.Values[field] != "") {
			return r
		}
	}
	return &g.survivor
}

// lines are those that stand, of the ones of the survivor.
func (g *merger) lines(own []judge.Line) []judge.Line {
	if g.merge.Lines != contract.MergeLinesMerged && g.merge.Lines != contract.MergeLinesBoth {
		return own
	}
	next := 0
	for _, l := range own {
		next = max(next, l.Number)
	}
	var more []judge.Line
	for i := range g.merged {
		for _, l := range judging.DocumentOf(g.kind, &g.merged[i]).Lines {
			next++
			l.Number = next
			more = append(more, l)
		}
	}
	if g.merge.Lines == contract.MergeLinesMerged {
		return more
	}
	return append(own[:len(own):len(own)], more...)
}

// change judges the survivor with a reason. with is written with it, in its place.
func (g *merger) change(ctx context.Context, reason string, with func(ctx context.Context, tx *store.Store, kept *record.Record) error, why store.MergedRecord) (*commit.Change, error) {
	v := g.saving
	by, err := g.service.base.Line.Stamp(ctx)
	if err != nil {
		return nil, err
	}
	v.Ahead = func(ctx context.Context, tx *store.Store) error {
		for i := range g.merged {
			m := why
			m.Survivor = g.survivor.Number
			if err := tx.Absorb(ctx, g.merged[i], m, by); err != nil {
				return err
			}
		}
		return nil
	}
	v.Also = func(ctx context.Context, tx *store.Store, kept record.Record) error { return with(ctx, tx, &kept) }
	c, err := v.Answering(ctx, reason)
	if err != nil || c.Write == nil {
		return c, err
	}
	whole, done := *c, c.Done
	whole.Done = func() {
		for i := range g.merged {
			g.service.base.Cache.Records.Remove(g.merged[i])
		}
		done()
	}
	return &whole, nil
}

// refusal is why the rules do not accept a record; "" where they do.
func refusal(t *judging.Trial) string {
	if t.Accepted() {
		return ""
	}
	var said []string
	for _, m := range t.Outcome().Messages {
		if m.Severity != contract.MessageSeverity(rule.Advise) && m.Reason == "" {
			said = append(said, m.Text)
		}
	}
	return strings.Join(said, "; ")
}

// absorb merges the records; those that name them are rewritten afterwards. It returns the place of what it wrote to the
// survivor; 0: it wrote nothing, because it is not to or because something refuses, which is told.
func (k *work) absorb(ctx context.Context, place string, m *contract.RecordMerge) (part int, err error) {
	g, err := k.merger(ctx, k.kind, m)
	if err != nil {
		return 0, err
	}
	if _, err := g.saving.Answering(ctx, k.request.Reason); err != nil {
		return 0, err
	}
	if why := refusal(g.saving.Trial); why != "" {
		k.refuse(m.Survivor, why)
		return 0, nil
	}
	// What names them is looked at before anything is written: a check may refuse.
	open, refused := 0, false
	err = k.eachNaming(ctx, k.kind, m, func(rows []record.Record) error {
		open += len(rows)
		whys, err := k.refusals(ctx, g, rows, k.request.Reason)
		for i, why := range whys {
			if why != "" {
				k.refuse(rows[i].Number, stillRefused.With(rows[i].Kind, rows[i].Number, m.Survivor, why).String())
				refused = true
			}
		}
		return err
	})
	if err != nil || refused {
		return 0, err
	}
	if !k.request.Apply {
		return 0, k.tell(ctx, g, &g.saving.Before, &g.saving.Result, open)
	}
	if err := k.w.Keep(ctx, k.done, k.counts); err != nil {
		return 0, err
	}
	err = k.base.Line.Alone(ctx, func(ctx context.Context) (*commit.Change, error) {
		if g, err = k.merger(ctx, k.kind, m); err != nil {
			return nil, err
		}
		last, err := k.base.Store.LastRunWrite(ctx, k.w.ID())
		if err != nil {
			return nil, err
		}
		c, err := g.change(ctx, k.request.Reason, func(ctx context.Context, tx *store.Store, kept *record.Record) error {
			part = last + 1
			if err := tx.AddRunWrite(ctx, k.w.ID(), kept); err != nil {
				return err
			}
			if err := k.tell(ctx, g, &g.saving.Before, kept, 0); err != nil {
				return err
			}
			k.w.Reach(rewriting + place)
			return k.w.CameWith(ctx, tx, k.done, k.counts)
		}, store.MergedRecord{Why: k.request.Reason, Run: k.w.ID(), Part: last + 1})
		if err == nil && c.Write == nil {
			k.refuse(m.Survivor, refusal(g.saving.Trial))
		}
		return c, err
	})
	if err != nil {
		k.w.Drop()
		k.done, k.counts = k.w.Done()
		return 0, err
	}
	if part > 0 {
		k.w.Kept()
	}
	return part, k.records.CatchUp(ctx)
}

// tell says what is merged into what, what becomes of the survivor, and which rules and tables are to be changed.
func (k *work) tell(ctx context.Context, g *merger, before, after *record.Record, open int) error {
	ref, err := k.base.Cache.Reference(ctx)
	if err != nil {
		return err
	}
	links := k.base.Links(ctx, ref, g.survivor.Company)
	show := view.Viewer{Kind: k.kind, Company: ref.Company(g.survivor.Company), Titles: links, Format: records.FormatOf(ctx)}
	var told []string
	hit := contract.RunHit{Kind: k.kind.Key, Company: g.survivor.Company, Type: g.survivor.Type, What: contract.RunHitWhatMerge}
	for _, c := range record.Changes(k.kind, &before.Content, &after.Content) {
		shown := show.Change(&before.Content, &after.Content, c)
		hit.Changes = append(hit.Changes, shown)
		told = append(told, shown.Label+" "+view.OrBlank(shown.Before.Text)+" → "+view.OrBlank(shown.After.Text))
	}
	into := "into " + g.survivor.Number + " " + links.TitleOf(k.kind, g.survivor.Values)
	for i := range g.merged {
		r := &g.merged[i]
		h := hit
		if i > 0 {
			h.Changes = nil
		}
		if h.Changes == nil {
			h.Changes = []contract.ValueChange{}
		}
		h.Number, h.Title, h.Said = r.Number, links.TitleOf(k.kind, r.Values), into
		h.Told = strings.Join(append([]string{into}, told...), "; ")
		k.counts["merge"]++
		k.w.Found(1, h)
		for _, n := range k.names.Of(r.Number) {
			k.counts["names"]++
			said := "names " + r.Number + "; it is " + g.survivor.Number + " now"
			k.w.Found(2, contract.RunHit{Kind: k.kind.Key, Number: r.Number, Rule: n.Rule, Title: n.Use.Title, What: contract.RunHitWhatNames, Said: said, Told: said, Changes: []contract.ValueChange{}})
		}
	}
	if open > 0 {
		k.counts["rewrite"] += open
	}
	return links.Err()
}
