package merging

import (
	"context"
	"errors"
	"runtime"
	"slices"

	"golang.org/x/sync/errgroup"

	"codicil/core/field"
	"codicil/core/judge"
	"codicil/core/record"
	"codicil/internal/app/commit"
	"codicil/internal/app/judging"
	"codicil/internal/app/records"
	"codicil/internal/app/runs"
	"codicil/internal/contract"
	"codicil/internal/fault"
	"codicil/internal/store"
)

// atOnce is how many records are judged, and written in one commit, at once.
const atOnce = 100

// naming asks for the records that are not posted and name what is merged.
func naming(kind *record.Kind, m *contract.RecordMerge) store.NamedBy {
	q := store.NamedBy{States: []string{record.Kept}, Limit: atOnce}
	for _, number := range m.Merged {
		q.Records = append(q.Records, record.Ref{Kind: kind.Key, Number: number})
	}
	return q
}

// eachNaming goes through the records that are not posted and name what is merged, some at a time. Those that are merged
// themselves are passed over.
func (s *Service) eachNaming(ctx context.Context, kind *record.Kind, m *contract.RecordMerge, do func(rows []record.Record) error) error {
	q := naming(kind, m)
	for {
		rows, err := s.base.Store.RecordsNaming(ctx, q)
		if err != nil {
			return err
		}
		count := len(rows)
		if count > 0 {
			q.After = rows[count-1].Ref
		}
		rows = slices.DeleteFunc(rows, func(r record.Record) bool {
			return r.Kind == kind.Key && (r.Number == m.Survivor || slices.Contains(m.Merged, r.Number))
		})
		if err := do(rows); err != nil || count < q.Limit {
			return err
		}
	}
}

// refusals say of records why they would be refused that name the survivor, as it is to stand; "" where they would not. They are
// judged on all processors.
func (s *Service) refusals(ctx context.Context, g *merger, rows []record.Record, reason string) ([]string, error) {
	whys := make([]string, len(rows))
	group, inner := errgroup.WithContext(ctx)
	group.SetLimit(runtime.GOMAXPROCS(0))
	for i := range rows {
		group.Go(func() (err error) {
			whys[i], err = s.refused(inner, g, &rows[i], reason)
			return err
		})
	}
	return whys, group.Wait()
}

// rewriting is what saves a record so that it names the survivor in place of what is merged into it.
func (s *Service) rewriting(ctx context.Context, named *record.Kind, m *contract.RecordMerge, r *record.Record) (*records.Saving, error) {
	_, kind, err := s.base.KindOf(ctx, r.Kind)
	if err != nil {
		return nil, err
	}
	// The values that lead to what is merged, once more or once less merged over, are those that are replaced.
	leads := func(number string) (bool, error) {
		if number == "" || number == m.Survivor || slices.Contains(m.Merged, number) {
			return slices.Contains(m.Merged, number), nil
		}
		at := record.Ref{Kind: named.Key, Number: number}
		if there, err := s.base.Cache.Records.Find(ctx, at); err != nil || there != nil {
			return false, err
		}
		survivor, err := s.base.Store.Survivor(ctx, at)
		return survivor == m.Survivor || slices.Contains(m.Merged, survivor), err
	}
	document := judging.DocumentOf(kind, r)
	replace := func(items map[string]judge.Item, f *field.Field) error {
		if !f.IsLink() || f.Kind != named.Key {
			return nil
		}
		found, err := leads(items[f.Column()].Value)
		if found {
			items[f.Column()] = judge.Item{Value: m.Survivor}
		}
		return err
	}
	for i := range kind.Fields {
		f := &kind.Fields[i]
		if !f.OfLine() {
			if err := replace(document.Entered, f); err != nil {
				return nil, err
			}
			continue
		}
		for _, l := range document.Lines {
			if err := replace(l.Entered, f); err != nil {
				return nil, err
			}
		}
	}
	v := s.records.Saving(contract.SaveRequest{Document: document, Version: r.Version}, record.Unknown)
	if r.Preceding.Kind == named.Key {
		if found, err := leads(r.Preceding.Number); err != nil {
			return nil, err
		} else if found {
			v.Shape = func(r *record.Record) { r.Preceding.Number = m.Survivor }
		}
	}
	return v, nil
}

// refused says why a record would be refused that names the survivor, as it is to stand; "" where it would not.
func (s *Service) refused(ctx context.Context, g *merger, r *record.Record, reason string) (string, error) {
	v, err := s.rewriting(ctx, g.kind, g.merge, r)
	if err != nil {
		return "", err
	}
	v.Over = map[record.Ref]*record.Record{g.survivor.Ref: &g.saving.Result}
	if _, err := v.Answering(ctx, reason); err != nil {
		var own *fault.Fault
		if errors.As(err, &own) && own.Reason != fault.Unable {
			return own.Error(), nil
		}
		return "", err
	}
	return refusal(v.Trial), nil
}

// rewriteAll rewrites what names what was merged, some at a time: what it holds meanwhile leads to the survivor. part is
// the place of what was written to the survivor.
func (k *work) rewriteAll(ctx context.Context, m *contract.RecordMerge, part int) error {
	if err := k.eachNaming(ctx, k.kind, m, func(rows []record.Record) error { return k.rewrite(ctx, m, part, rows) }); err != nil {
		return err
	}
	return k.records.CatchUp(ctx)
}

// rewritten is a record that is rewritten.
type rewritten struct {
	saving *records.Saving
	why    string // it was refused
}

func (k *work) rewrite(ctx context.Context, m *contract.RecordMerge, part int, rows []record.Record) error {
	became := make([]rewritten, len(rows))
	judges := make([]commit.Judge, len(rows))
	for i := range rows {
		judges[i] = func(ctx context.Context) (*commit.Change, error) {
			r, err := k.base.Saved(ctx, rows[i].Ref)
			if err != nil {
				return nil, err
			}
			v, err := k.rewriting(ctx, k.kind, m, &r.Record)
			if err != nil {
				return nil, err
			}
			v.Also = func(ctx context.Context, tx *store.Store, kept record.Record) error {
				followed := ""
				if kept.Preceding != r.Preceding {
					followed = r.Preceding.Number
				}
				return tx.AddRunWriteOf(ctx, k.w.ID(), part, &kept, followed)
			}
			c, err := v.Answering(ctx, k.request.Reason)
			if err == nil {
				became[i] = rewritten{v, refusal(v.Trial)}
			}
			return c, err
		}
	}
	return k.w.InOrder(ctx, k.base.Line, judges, func(i int, err error) error {
		r := &rows[i]
		var own *fault.Fault
		switch {
		case errors.As(err, &own) && own.Reason != fault.Unable:
			k.refuse(r.Number, stillRefused.With(r.Kind, r.Number, m.Survivor, own.Error()).String())
			return nil
		case err != nil:
			return err
		case became[i].why != "":
			k.refuse(r.Number, stillRefused.With(r.Kind, r.Number, m.Survivor, became[i].why).String())
			return nil
		}
		k.counts["rewrite"]++
		k.w.Found(3, changed(r, became[i].saving))
		return nil
	}, func() (int, runs.Counts) { return k.done, k.counts })
}

// changed tells what became of a record that was rewritten.
func changed(r *record.Record, v *records.Saving) contract.RunHit {
	t := v.Trial
	h := contract.RunHit{Kind: r.Kind, Number: r.Number, Company: r.Company, Type: r.Type, Title: t.Title(&r.Content), What: contract.RunHitWhatChange, Changes: []contract.ValueChange{}}
	for _, c := range record.Changes(t.Plan.Kind(), &r.Content, &v.Result.Content) {
		h.Changes = append(h.Changes, t.Reader.Change(&r.Content, &v.Result.Content, c))
	}
	return h
}
