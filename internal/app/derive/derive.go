// Package derive derives values of saved records again, many at once, by the rules of now: first to see, then to save, with
// a reason, and to take back.
//
// It must never change what is posted. Start reading at Service.Start.
package derive

import (
	"context"
	"errors"
	"runtime"
	"slices"
	"strings"

	"golang.org/x/sync/errgroup"

	"codicil/core/field"
	"codicil/core/judge"
	"codicil/core/notice"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/internal/access"
	"codicil/internal/actor"
	"codicil/internal/app/commit"
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
	base    *judging.Service
	records *records.Service
	runs    *runs.Service
}

// New returns the use cases.
func New(j *judging.Service, r *records.Service, w *runs.Service) *Service {
	return &Service{j, r, w}
}

var (
	reasonMissing = notice.Define("derive-reason", "say why the values are derived again")
	unknownField  = notice.Define("unknown-field.derive", "a {kind} has no field {field:q} to derive again")
)

// atOnce is how many records are judged, and written in one commit, at once.
const atOnce = 100

// Start begins a run that derives values again. Cost: judging the records, some of them in memory.
func (s *Service) Start(ctx context.Context, request contract.DeriveRequest) (contract.Run, error) {
	if err := access.NeedFor(ctx, request.Kind, actor.RecordsMany); err != nil {
		return contract.Run{}, err
	}
	_, kind, err := s.base.KindOf(ctx, request.Kind)
	if err != nil {
		return contract.Run{}, err
	}
	for _, key := range request.Fields {
		if kind.Field(key) == nil {
			return contract.Run{}, fault.Bad(unknownField, kind.Noun(), key)
		}
	}
	if request.Reason = strings.TrimSpace(request.Reason); request.Apply && request.Reason == "" {
		return contract.Run{}, fault.Bad(reasonMissing)
	}
	if err := access.NeedFor(ctx, kind.Key, actor.RecordsChange); request.Apply && err != nil {
		return contract.Run{}, err
	}
	if _, err := s.base.Selector(ctx, kind, request.Selection, field.Plain); err != nil {
		return contract.Run{}, err
	}
	what := contract.RunWhatDeriveCheck
	if request.Apply {
		what = contract.RunWhatDerive
	}
	return runs.Asked(ctx, s.runs, what, kind.Plural, request.Reason, request, s.work)
}

// Resume goes on with the runs that the end of the program cut off.
func (s *Service) Resume(ctx context.Context, cut []runs.Run) error {
	return runs.AskedAgain(ctx, s.runs, cut, contract.RunWhatDerive, s.work)
}

// work is a run that derives.
type work struct {
	service *Service
	request contract.DeriveRequest
	kind    *record.Kind
	w       *runs.Writer
	done    int
	counts  runs.Counts
}

func (s *Service) work(ctx context.Context, w *runs.Writer, request contract.DeriveRequest) error {
	_, kind, err := s.base.KindOf(ctx, request.Kind)
	if err != nil {
		return err
	}
	companies, none := access.Narrow(ctx, request.Selection.Companies)
	if none {
		return nil // there is nothing that who asks may see
	}
	selection := request.Selection
	selection.Companies = companies
	selector, err := s.base.Selector(ctx, kind, selection, field.Plain)
	if err != nil {
		return err
	}
	k := &work{service: s, request: request, kind: kind, w: w}
	k.done, k.counts = w.Done()
	// The numbers are taken first: what is saved meanwhile must not move records within the list.
	numbers := slices.Clone(request.Numbers)
	if len(numbers) == 0 {
		err = s.base.Store.EachListed(ctx, store.ListQuery{Selector: selector}, func(r *record.Record) error {
			if r.State == record.Kept && !slices.Contains(request.Except, r.Number) {
				numbers = append(numbers, r.Number)
			}
			return nil
		})
		if err != nil {
			return err
		}
	}
	slices.Sort(numbers)
	numbers = slices.Compact(numbers)
	from := 0
	if reached := w.Reached(); reached != "" { // it was cut off, and goes on
		from, _ = slices.BinarySearch(numbers, reached+"\x00")
	}
	w.Total(k.done + len(numbers) - from)
	for some := range slices.Chunk(numbers[from:], atOnce) {
		rows := make([]*row, len(some))
		for i, number := range some {
			rows[i] = &row{work: k, number: number}
		}
		if request.Apply {
			err = k.write(ctx, rows)
		} else {
			err = k.look(ctx, rows)
		}
		if err != nil {
			return err
		}
	}
	return w.Came(ctx, k.done, k.counts)
}

// look tells what would change.
func (k *work) look(ctx context.Context, rows []*row) error {
	group, inner := errgroup.WithContext(ctx)
	group.SetLimit(runtime.GOMAXPROCS(0))
	for _, r := range rows {
		group.Go(func() error {
			_, err := r.judge(inner)
			return err
		})
	}
	if err := group.Wait(); err != nil {
		return err
	}
	for _, r := range rows {
		k.note(r)
	}
	return k.w.Came(ctx, k.done, k.counts)
}

// write saves what changes; how far the run is, is kept with it.
func (k *work) write(ctx context.Context, rows []*row) error {
	judges := make([]commit.Judge, len(rows))
	for i, r := range rows {
		judges[i] = r.judge
	}
	err := k.w.InOrder(ctx, k.service.base.Line, judges, func(i int, err error) error {
		if err != nil && rows[i].failed(err) != nil {
			return err
		}
		k.note(rows[i])
		return nil
	}, func() (int, runs.Counts) { return k.done, k.counts })
	if err != nil {
		return err
	}
	return k.service.records.CatchUp(ctx)
}

// note tells of a record what became of it. One that stays as it is, is only counted.
func (k *work) note(r *row) {
	k.done++
	k.counts[string(r.what)]++
	k.w.Reach(r.number)
	if r.what != contract.RunHitWhatSame {
		rank := slices.Index([]contract.RunHitWhat{contract.RunHitWhatRefuse, contract.RunHitWhatConfirm, contract.RunHitWhatChange}, r.what)
		k.w.Found(rank, r.hit)
	}
}

// row is one record.
type row struct {
	*work
	number string
	what   contract.RunHitWhat
	hit    contract.RunHit
}

// failed is what becomes of a record whose error is its own; other errors are returned.
func (r *row) failed(err error) error {
	var own *fault.Fault
	if !errors.As(err, &own) || own.Reason == fault.Unable {
		return err
	}
	r.what = contract.RunHitWhatRefuse
	r.hit = contract.RunHit{Kind: r.kind.Key, Number: r.number, Title: r.number, What: r.what, Said: own.Error(), Told: own.Error(), Changes: []contract.ValueChange{}}
	return nil
}

// judge derives the values of the record again.
func (r *row) judge(ctx context.Context) (*commit.Change, error) {
	c, err := r.try(ctx)
	if err != nil {
		if ctx.Err() != nil {
			return nil, ctx.Err()
		}
		return commit.Nothing(), r.failed(err)
	}
	return c, nil
}

func (r *row) try(ctx context.Context) (*commit.Change, error) {
	s := r.service
	saved, err := s.base.Saved(ctx, record.Ref{Kind: r.kind.Key, Number: r.number})
	if err != nil {
		return nil, err
	}
	document := judging.DocumentOf(saved.Kind, &saved.Record)
	ask := func(items map[string]judge.Item, prefix string, origins record.Origins) {
		for i := range saved.Kind.Fields {
			f := &saved.Kind.Fields[i]
			if f.OfLine() != (prefix != "") || (len(r.request.Fields) > 0 && !slices.Contains(r.request.Fields, f.Key)) {
				continue
			}
			_, _, byRule := origins[f.Column()].Rule()
			if r.request.Typed || byRule || items[f.Column()].Value == "" {
				items[f.Column()] = judge.Item{Derive: true}
			}
		}
	}
	ask(document.Entered, "", saved.Origins)
	for i, l := range document.Lines {
		var origins record.Origins
		if at := record.LineAt(saved.Lines, l.Number); at >= 0 {
			origins = saved.Lines[at].Origins
		}
		ask(l.Entered, field.LinePrefix, origins)
		document.Lines[i] = l
	}
	v := s.records.Saving(contract.SaveRequest{Document: document, Version: saved.Version}, record.Unknown)
	same := false
	v.Unless = func(before, after *record.Record) bool {
		same = !r.changes(record.Changes(saved.Kind, &before.Content, &after.Content))
		return same
	}
	v.Also = func(ctx context.Context, tx *store.Store, kept record.Record) error {
		return tx.AddRunWrite(ctx, r.w.ID(), &kept)
	}
	c, err := v.Answering(ctx, r.request.Reason)
	if err != nil {
		return nil, err
	}
	r.tell(ctx, v, same)
	return c, nil
}

// changes tells whether one of the fields that are asked for is among what changes. What else the rules give with it is saved
// too, as with every saving.
func (r *row) changes(all []record.Change) bool {
	return slices.ContainsFunc(all, func(c record.Change) bool {
		return len(r.request.Fields) == 0 || slices.Contains(r.request.Fields, c.Field)
	})
}

// tell says what became of the record.
func (r *row) tell(ctx context.Context, v *records.Saving, same bool) {
	t := v.Trial
	after := v.Result.Content
	if !t.Accepted() {
		after = r.service.base.Content(ctx, t)
	}
	h := contract.RunHit{Kind: r.kind.Key, Number: r.number, Company: v.Before.Company, Type: v.Before.Type, Title: t.Title(&v.Before.Content), Changes: []contract.ValueChange{}}
	refused := false
	var said, told []string
	for _, m := range t.Outcome().Messages {
		refused = refused || m.Severity == contract.MessageSeverity(rule.Refuse)
		if m.Severity == contract.MessageSeverity(rule.Confirm) && m.Reason == "" {
			h.Asks = append(h.Asks, m.Rule)
		}
		if m.Severity != contract.MessageSeverity(rule.Advise) {
			said = append(said, m.Text)
		}
	}
	for _, c := range record.Changes(r.kind, &v.Before.Content, &after) {
		shown := t.Reader.Change(&v.Before.Content, &after, c)
		h.Changes = append(h.Changes, shown)
		told = append(told, shown.Label+" "+view.OrBlank(shown.Before.Text)+" → "+view.OrBlank(shown.After.Text))
	}
	switch {
	case same:
		r.what = contract.RunHitWhatSame
	case t.Accepted():
		r.what, said = contract.RunHitWhatChange, nil
	case refused || len(h.Asks) == 0:
		r.what = contract.RunHitWhatRefuse
	default:
		r.what = contract.RunHitWhatConfirm
	}
	h.What, h.Said = r.what, strings.Join(said, "; ")
	h.Told = strings.Join(append(told, said...), "; ")
	r.hit = h
}
