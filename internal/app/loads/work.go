package loads

import (
	"context"
	"errors"
	"runtime"
	"slices"
	"strconv"

	"golang.org/x/sync/errgroup"

	"codicil/core/notice"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/internal/access"
	"codicil/internal/actor"
	"codicil/internal/app/commit"
	"codicil/internal/app/runs"
	"codicil/internal/contract"
	"codicil/internal/fault"
	"codicil/internal/store"
)

// atOnce is how many records of a file are judged, and written in one commit, at once.
const atOnce = 100

var (
	notToPost = notice.Define("load-not-posted", "{kind} are not posted; leave posting out")
)

func itoa(n int) string { return strconv.Itoa(n) }

// work is a run of a load.
type work struct {
	service *Service
	plan    *plan
	file    *file
	w       *runs.Writer
	beside  *beside
	keys    map[string]int // rows by the key of their record
	done    int            // records of the file that are done
	counts  runs.Counts
	asked   map[int64]bool
}

// begin begins a run of a load.
func (s *Service) begin(ctx context.Context, id int64, what contract.RunWhat, do func(*work) func(context.Context) error) (contract.Run, error) {
	ref, kind, f, err := s.find(ctx, id)
	if err != nil {
		return contract.Run{}, err
	}
	if err := s.idle(ctx, id); err != nil {
		return contract.Run{}, err
	}
	p, err := s.plan(ctx, ref, kind, f)
	if err == nil {
		err = p.sound()
	}
	if err == nil && f.setup.Post && !kind.Posted {
		err = fault.Bad(notToPost, kind.Plural)
	}
	if err != nil {
		return contract.Run{}, err
	}
	r, err := s.runs.Start(ctx, string(what), f.Name, runs.Subject{Load: f.ID}, func(ctx context.Context, w *runs.Writer) error {
		return do(s.newWork(p, f, w))(ctx)
	})
	return runs.Shown(&r), err
}

func (s *Service) newWork(p *plan, f *file, w *runs.Writer) *work {
	done, counts := w.Done()
	return &work{service: s, plan: p, file: f, w: w, keys: map[string]int{}, done: done, counts: counts, asked: map[int64]bool{}}
}

// Check begins a run that takes all rows through the rules and keeps nothing. Cost: judging each; some bytes for each
// in memory.
func (s *Service) Check(ctx context.Context, id int64) (contract.Run, error) {
	if err := access.Need(ctx, actor.RecordsMany); err != nil {
		return contract.Run{}, err
	}
	return s.begin(ctx, id, contract.RunWhatLoadCheck, func(k *work) func(context.Context) error { return k.check })
}

// Start begins to load. Cost: judging and writing each row, some at a time; as a whole all of them in memory.
func (s *Service) Start(ctx context.Context, id int64) (contract.Run, error) {
	if err := access.Need(ctx, actor.RecordsMany); err != nil {
		return contract.Run{}, err
	}
	_, kind, f, err := s.find(ctx, id)
	if err != nil {
		return contract.Run{}, err
	}
	if err := access.NeedFor(ctx, kind.Key, actor.RecordsChange); err != nil {
		return contract.Run{}, err
	}
	if err := access.NeedFor(ctx, kind.Key, actor.RecordsPost); f.setup.Post && err != nil {
		return contract.Run{}, err
	}
	return s.begin(ctx, id, contract.RunWhatLoad, func(k *work) func(context.Context) error { return k.load })
}

// Resume goes on with the loads that the end of the program cut off.
func (s *Service) Resume(ctx context.Context, cut []runs.Run) error {
	for _, r := range cut {
		if contract.RunWhat(r.What) != contract.RunWhatLoad {
			continue
		}
		ref, kind, f, err := s.find(ctx, runs.Shown(&r).Load)
		if err == nil {
			var p *plan
			if p, err = s.plan(ctx, ref, kind, f); err == nil {
				err = s.runs.Continue(ctx, r, func(ctx context.Context, w *runs.Writer) error { return s.newWork(p, f, w).load(ctx) })
			}
		}
		var gone *fault.Fault
		if err != nil && !errors.As(err, &gone) {
			return err
		}
	}
	return nil
}

func (k *work) rules(ctx context.Context) ([]*rule.Compiled, error) {
	book, err := k.service.base.Cache.Book(ctx, k.plan.kind.Key)
	if err != nil {
		return nil, err
	}
	return book.Rules, nil
}

// total is how many records the file has, as far as its rows tell; the end tells it exactly.
func (k *work) total() { k.w.Total(k.file.about.Source.Rows) }

// batches goes through the records of the file, some at a time, from where the run was.
func (k *work) batches(ctx context.Context, do func([]*row) error) error {
	k.total()
	var batch []*row
	last := 0
	flush := func() error {
		if len(batch) == 0 {
			return ctx.Err()
		}
		err := do(batch)
		batch = nil
		return errors.Join(err, ctx.Err())
	}
	err := k.plan.entries(&k.file.about.Source, k.file.open(ctx, k.service.base.Store), func(e *entry) error {
		r := k.meet(e)
		if last = e.index; e.index <= k.done {
			return nil
		}
		if batch = append(batch, r); len(batch) == atOnce {
			return flush()
		}
		return nil
	})
	if err == nil {
		err = flush()
	}
	if err == nil {
		k.w.Total(last)
	}
	return err
}

// meet is an entry of the file as a row, with the row before it that is about the same record.
func (k *work) meet(e *entry) *row {
	r := &row{service: k.service, plan: k.plan, entry: e}
	if key := k.plan.key(e); key != "" {
		if r.double = k.keys[key]; r.double == 0 {
			k.keys[key] = e.row
		}
	}
	return r
}

// note tells of a row what became of it.
func (k *work) note(r *row) {
	k.done = r.entry.index
	k.counts[string(r.what)]++
	k.w.Found(r.rank(), r.hit())
	if !r.rejected() {
		return
	}
	for _, id := range r.asks {
		at := slices.IndexFunc(r.messages, func(m contract.Message) bool { return m.Rule == id })
		k.counts[runs.Asks(id)]++
		if !k.asked[id] && at >= 0 {
			k.asked[id] = true
			k.w.Ask(id, r.messages[at].Text)
		}
	}
	if !k.w.Begun(runs.Refused) {
		k.w.WriteTo(runs.Refused, refusedRow(append(k.file.columns(), why)))
	}
	k.w.WriteTo(runs.Refused, r.refused())
}

// judgeAll judges rows on all processors, each as if those before it in the file were saved.
func (k *work) judgeAll(ctx context.Context, rows []*row) ([]*commit.Change, error) {
	if k.beside == nil {
		rules, err := k.rules(ctx)
		if err != nil {
			return nil, err
		}
		k.beside = newBeside(k.plan.kind, rules)
	}
	changes := make([]*commit.Change, len(rows))
	group, inner := errgroup.WithContext(ctx)
	group.SetLimit(runtime.GOMAXPROCS(0))
	for i, r := range rows {
		r.beside = k.beside
		group.Go(func() (err error) {
			changes[i], err = r.judge(inner, k.service.records)
			return err
		})
	}
	if err := group.Wait(); err != nil {
		return nil, err
	}
	for i, r := range rows {
		v := r.saving
		if v == nil || v.Trial == nil || !v.Trial.Accepted() {
			continue
		}
		// Those of the same batch were judged beside each other.
		if k.beside.clashes(&v.Result) {
			var err error
			if changes[i], err = r.judge(ctx, k.service.records); err != nil {
				return nil, err
			}
		}
		if v = r.saving; v != nil && v.Trial.Accepted() {
			k.beside.add(r.entry.row, &v.Result)
		}
	}
	return changes, nil
}

func (k *work) check(ctx context.Context) error {
	err := k.batches(ctx, func(rows []*row) error {
		if _, err := k.judgeAll(ctx, rows); err != nil {
			return err
		}
		for _, r := range rows {
			k.note(r)
		}
		return k.w.Came(ctx, k.done, k.counts)
	})
	if err != nil {
		return err
	}
	return k.w.Came(ctx, k.done, k.counts)
}

func (k *work) load(ctx context.Context) error {
	all := k.loadAll
	if k.plan.setup.Whole && (k.done == 0 || k.w.Reached() != "") {
		all = k.whole
	}
	if err := all(ctx); err != nil {
		return err
	}
	if k.plan.setup.Post {
		if err := k.post(ctx); err != nil {
			return err
		}
	}
	return k.w.Came(ctx, k.done, k.counts)
}

// logged notes with a record what the load wrote of it.
func (k *work) logged(r *row) {
	r.also = func(ctx context.Context, tx *store.Store, kept record.Record) error {
		return tx.AddRunWrite(ctx, k.w.ID(), &kept)
	}
}

// post posts what the load saved, in the order of the file.
func (k *work) post(ctx context.Context) error {
	for after := 0; ; {
		items, err := k.service.base.Store.RunWritesAfter(ctx, k.w.ID(), after, atOnce)
		if err != nil || len(items) == 0 {
			return err
		}
		for _, item := range items {
			if err := ctx.Err(); err != nil {
				return err
			}
			after = item.Place
			if err := k.postOne(ctx, item); err != nil {
				return err
			}
		}
		if err := k.w.Came(ctx, k.done, k.counts); err != nil {
			return err
		}
	}
}

func (k *work) postOne(ctx context.Context, item store.RunWrite) error {
	at := record.Ref{Kind: k.plan.kind.Key, Number: item.Number}
	kept, err := k.service.base.Cache.Records.Find(ctx, at)
	if err != nil || kept == nil || kept.State != record.Kept || kept.Version != item.Version {
		return err
	}
	posted, outcome, err := k.service.posting.PostKept(ctx, at, contract.PostRequest{Version: kept.Version})
	if err == nil && posted == nil {
		reasons := map[string]string{}
		for _, m := range outcome.Messages {
			if reason := k.plan.reasons[m.Rule]; reason != "" {
				reasons[strconv.FormatInt(m.Rule, 10)] = reason
			}
		}
		if len(reasons) > 0 {
			posted, outcome, err = k.service.posting.PostKept(ctx, at, contract.PostRequest{Version: kept.Version, Reasons: reasons})
		}
	}
	said := ""
	for _, m := range outcome.Messages {
		said += "; " + m.Text
	}
	var own *fault.Fault
	switch {
	case err == nil && posted != nil:
		k.counts["posted"]++
		return nil
	case errors.As(err, &own) && own.Reason != fault.Unable:
		said = "; " + own.Error()
	case err != nil:
		return err
	}
	k.counts["unposted"]++
	k.w.Found(0, contract.RunHit{
		Kind: at.Kind, Number: at.Number, Title: at.Number, Company: kept.Company, Type: kept.Type, What: contract.RunHitWhatStays,
		Said: "saved, but not posted" + said, Told: "saved, but not posted" + said, Changes: []contract.ValueChange{},
	})
	return nil
}

// Preview returns the first records of a file as they would stand. Nothing is kept.
func (s *Service) Preview(ctx context.Context, id int64, format *contract.Format) (contract.LoadPreview, error) {
	if err := access.Need(ctx, actor.RecordsMany); err != nil {
		return contract.LoadPreview{}, err
	}
	shown := contract.LoadPreview{Entries: []contract.LoadEntry{}}
	ref, kind, f, err := s.find(ctx, id)
	if err != nil {
		return shown, err
	}
	p, err := s.plan(ctx, ref, kind, f)
	if err != nil {
		return shown, err
	}
	k := &work{service: s, plan: p, file: f, keys: map[string]int{}}
	enough := errors.New("enough")
	var rows []*row
	err = p.entries(&f.about.Source, f.open(ctx, s.base.Store), func(e *entry) error {
		if rows = append(rows, k.meet(e)); len(rows) == previewed {
			return enough
		}
		return nil
	})
	if err != nil && !errors.Is(err, enough) {
		return shown, err
	}
	if _, err := k.judgeAll(ctx, rows); err != nil {
		return shown, err
	}
	for _, r := range rows {
		if v := r.saving; v != nil && v.Trial != nil {
			v.Trial.Reader.Format = format.OrPlain()
		}
		shown.Entries = append(shown.Entries, r.preview())
	}
	return shown, nil
}

// previewed is how many records of a file are previewed.
const previewed = 20
