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

	"codicil/core/judge"
	"codicil/core/notice"
	"codicil/core/plan"
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
	if _, err := s.records.Selected(ctx, kind.Key, request.Selection, request.Format); err != nil {
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
	// followUps are the rules that write values when another document is saved or posted; no other rule can give those.
	followUps map[int64]bool
	// values are the plans as far as they make values.
	values plan.Plans
}

func (s *Service) work(ctx context.Context, w *runs.Writer, request contract.DeriveRequest) error {
	ref, kind, err := s.base.KindOf(ctx, request.Kind)
	if err != nil {
		return err
	}
	k := &work{service: s, request: request, kind: kind, w: w, values: plan.Plans{Part: (*plan.Plan).Values}}
	k.done, k.counts = w.Done()
	if k.followUps, err = s.followUps(ctx, ref.Kinds); err != nil {
		return err
	}
	numbers, err := s.numbers(ctx, request)
	if err != nil {
		return err
	}
	from := 0
	if reached := w.Reached(); reached != "" { // it was cut off, and goes on
		from, _ = slices.BinarySearch(numbers, reached+"\x00")
	}
	w.Total(k.done + len(numbers) - from)
	for some := range slices.Chunk(numbers[from:], atOnce) {
		if err := s.base.Cache.Records.Read(ctx, kind.Key, some); err != nil {
			return err
		}
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

// numbers are those of the records that are derived again, in order. They are taken first: what is saved meanwhile must not move
// records within the list. Cost: which the records of the selection are, or of those that a filter asks more of.
func (s *Service) numbers(ctx context.Context, request contract.DeriveRequest) ([]string, error) {
	numbers := slices.Clone(request.Numbers)
	if len(numbers) == 0 {
		request.Selection.Sort, request.Selection.Descending = record.ByNumber, false
		if len(request.Selection.States) == 0 { // what is posted is not even read
			request.Selection.States = []string{record.Kept}
		}
		q, err := s.records.Selected(ctx, request.Kind, request.Selection, request.Format)
		if err != nil {
			return nil, err
		}
		q.Heads, q.Limit = true, 0
		err = s.base.Store.EachListed(ctx, q, func(r *record.Record) error {
			if r.State == record.Kept {
				numbers = append(numbers, r.Number)
			}
			return nil
		})
		if err != nil {
			return nil, err
		}
	}
	except := map[string]bool{}
	for _, number := range request.Except {
		except[number] = true
	}
	slices.Sort(numbers)
	return slices.DeleteFunc(slices.Compact(numbers), func(number string) bool { return except[number] }), nil
}

// followUps are the follow-ups of all kinds, whatever state they are in by now. Cost: the rules.
func (s *Service) followUps(ctx context.Context, kinds []record.Kind) (map[int64]bool, error) {
	all := map[int64]bool{}
	for i := range kinds {
		book, err := s.base.Cache.Book(ctx, kinds[i].Key)
		if err != nil {
			return nil, err
		}
		for _, c := range book.Rules {
			if c.Family == rule.FollowUp {
				all[c.ID] = true
			}
		}
	}
	return all, nil
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
	a := r.asking(saved)
	// Most records come out as they are, and their values alone tell so.
	t, err := a.judge(ctx)
	if err == nil && a.kept(t) {
		t, err = a.judge(ctx)
	}
	if err != nil {
		return nil, err
	}
	if after := s.base.Content(ctx, t); !r.changes(record.Changes(saved.Kind, &saved.Content, &after)) {
		r.what = contract.RunHitWhatSame
		return commit.Unwritten(t.Reads), nil
	}
	v := s.records.Saving(contract.SaveRequest{Document: a.document, Version: saved.Version}, record.Unknown)
	v.Also = func(ctx context.Context, tx *store.Store, kept record.Record) error {
		return tx.AddRunWrite(ctx, r.w.ID(), &kept)
	}
	c, err := v.Answering(ctx, r.request.Reason)
	if err != nil {
		return nil, err
	}
	r.tell(ctx, v)
	return c, nil
}

// asking is the document that asks the rules for values of a saved record.
type asking struct {
	*row
	document judge.Document
	typed    []asked // those that no rule gave
}

// asked is a value that is asked for, as it was.
type asked struct {
	at    place
	items map[string]judge.Item
	key   string
	was   judge.Item
}

// place is where a value stands: a field by its place in the kind, and the number of the line, 0 for the header.
type place struct{ field, line int }

// asking asks for the values of a record that are to be derived: those that a rule gave and that are blank, and others where the
// request says so, but for what a follow-up wrote.
func (r *row) asking(saved *judging.Saved) *asking {
	a := &asking{row: r, document: judging.DocumentOf(saved.Kind, &saved.Record)}
	ask := func(items map[string]judge.Item, line int, origins record.Origins) {
		for i := range saved.Kind.Fields {
			f := &saved.Kind.Fields[i]
			if f.OfLine() != (line > 0) || (len(r.request.Fields) > 0 && !slices.Contains(r.request.Fields, f.Key)) {
				continue
			}
			id, _, byRule := origins[f.Column()].Rule()
			was := items[f.Column()]
			switch {
			case was.Value == "":
			case byRule && r.followUps[id], !byRule && !r.request.Typed:
				continue
			case !byRule:
				a.typed = append(a.typed, asked{place{i, line}, items, f.Column(), was})
			}
			items[f.Column()] = judge.Item{Derive: true}
		}
	}
	ask(a.document.Entered, 0, saved.Origins)
	for _, l := range a.document.Lines {
		var origins record.Origins
		if at := record.LineAt(saved.Lines, l.Number); at >= 0 {
			origins = saved.Lines[at].Origins
		}
		ask(l.Entered, l.Number, origins)
	}
	return a
}

// judge takes the document through the rules that give values.
func (a *asking) judge(ctx context.Context) (*judging.Trial, error) {
	return a.service.base.Try(ctx, a.document, judging.Ask{Moment: rule.Saving, Real: true, NoTrace: true, Build: a.values.Plan})
}

// kept keeps what no rule gave, and none gives now, and tells whether there is such.
func (a *asking) kept(t *judging.Trial) (any bool) {
	if len(a.typed) == 0 {
		return false
	}
	blank := map[place]bool{}
	for _, c := range t.Judged.Outcome.Cells() {
		blank[place{c.Index, c.Line}] = c.Final.IsNull()
	}
	for _, v := range a.typed {
		if blank[v.at] {
			v.items[v.key], any = v.was, true
		}
	}
	return any
}

// changes tells whether one of the fields that are asked for is among what changes. What else the rules give with it is saved
// too, as with every saving.
func (r *row) changes(all []record.Change) bool {
	return slices.ContainsFunc(all, func(c record.Change) bool {
		return len(r.request.Fields) == 0 || slices.Contains(r.request.Fields, c.Field)
	})
}

// tell says what became of the record.
func (r *row) tell(ctx context.Context, v *records.Saving) {
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
