// Package breaks counts which saved records break the checks in force as they stand: they were saved before a check was, or by
// another way.
//
// It must never change a record. Start reading at Service.Start.
package breaks

import (
	"context"
	"runtime"
	"slices"
	"strings"
	"time"

	"golang.org/x/sync/errgroup"

	"codicil/core/engine"
	"codicil/core/plan"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/internal/access"
	"codicil/internal/actor"
	"codicil/internal/app/judging"
	"codicil/internal/app/runs"
	"codicil/internal/contract"
	"codicil/internal/store"
)

// Service serves these use cases.
type Service struct {
	base  *judging.Service
	runs  *runs.Service
	began map[string]time.Time // by kind: when counting by itself began last
}

// New returns the use cases.
func New(j *judging.Service, r *runs.Service) *Service { return &Service{j, r, map[string]time.Time{}} }

// atOnce is how many records are judged before what they break is told.
const atOnce = 200

// Start begins a run that takes all records of a kind that are not posted through the checks, as saving them would. What it
// finds are ordered by rule. Cost: judging each, some of them in memory.
func (s *Service) Start(ctx context.Context, key string) (contract.Run, error) {
	if err := access.Need(ctx, actor.RulesRead); err != nil {
		return contract.Run{}, err
	}
	if err := access.Companies(ctx, nil); err != nil { // what it counts holds for everybody
		return contract.Run{}, err
	}
	_, kind, err := s.base.KindOf(ctx, key)
	if err != nil {
		return contract.Run{}, err
	}
	r, err := s.runs.Start(ctx, string(contract.RunWhatBreaks), kind.Plural, runs.Subject{}, func(ctx context.Context, w *runs.Writer) error {
		return s.work(ctx, kind, w)
	})
	return runs.Shown(&r), err
}

// broken is what a record breaks.
type broken struct {
	record *record.Record
	trial  *judging.Trial
	own    string // why it could not be judged
}

func (s *Service) work(ctx context.Context, kind *record.Kind, w *runs.Writer) error {
	total, err := s.base.Store.CountRecords(ctx, kind.Key, nil)
	if err != nil {
		return err
	}
	w.Total(total)
	book, err := s.base.Cache.Book(ctx, kind.Key)
	if err != nil {
		return err
	}
	counted := map[store.BreakCount]int{} // with no count in the key
	for _, c := range checks(book) {
		counted[store.BreakCount{Kind: kind.Key, Run: w.ID(), Rule: c.ID}] = 0
	}
	counts, done := runs.Counts{"records": 0, "broken": 0}, 0
	var rows []*broken
	flush := func() error {
		group, inner := errgroup.WithContext(ctx)
		group.SetLimit(runtime.GOMAXPROCS(0))
		for _, row := range rows {
			group.Go(func() (err error) {
				row.trial, err = s.base.Try(inner, judging.DocumentOf(kind, row.record), judging.Ask{Moment: rule.Saving, Real: true, NoTrace: true})
				if err != nil && inner.Err() == nil {
					row.own, err = err.Error(), nil
				}
				return err
			})
		}
		if err := group.Wait(); err != nil {
			return err
		}
		for _, row := range rows {
			counts["records"]++
			if s.note(row, w, counted) {
				counts["broken"]++
			}
		}
		rows = rows[:0]
		return w.Came(ctx, done, counts)
	}
	for r, err := range s.base.Store.Records(ctx, kind.Key, nil) {
		if err != nil {
			return err
		}
		if done++; r.State == record.Kept {
			rows = append(rows, &broken{record: r})
		}
		if len(rows) == atOnce || done%(10*atOnce) == 0 {
			if err := flush(); err != nil {
				return err
			}
		}
	}
	if err := flush(); err != nil {
		return err
	}
	at := store.Instant(s.base.Clock())
	var all []store.BreakCount
	for of, n := range counted {
		of.Broken, of.CountedAt = n, at
		all = append(all, of)
	}
	return s.base.Store.SaveBreakCounts(ctx, kind.Key, all)
}

// checks are the checks in force of a book.
func checks(b *plan.Book) (found []*rule.Compiled) {
	for _, c := range b.Rules {
		if c.State == rule.InForce && c.Family == rule.Validate {
			found = append(found, c)
		}
	}
	return found
}

// note tells what a record breaks, and whether it breaks something.
func (s *Service) note(row *broken, w *runs.Writer, counted map[store.BreakCount]int) (breaks bool) {
	if row.own != "" {
		w.Found(0, contract.RunHit{
			Kind: row.record.Kind, Number: row.record.Number, Title: row.record.Number, Company: row.record.Company, Type: row.record.Type,
			What: contract.RunHitWhatRefuse, Said: row.own, Told: row.own, Changes: []contract.ValueChange{},
		})
		return true
	}
	t := row.trial
	for _, m := range t.Judged.Outcome.Messages {
		if m.Rule == nil || m.Rule.Family != rule.Validate || m.Reason != "" || m.Given != nil || m.Code == engine.FailedCode {
			continue
		}
		breaks = true
		counted[store.BreakCount{Kind: row.record.Kind, Run: w.ID(), Rule: m.Rule.ID, Company: row.record.Company}]++
		hit := contract.RunHit{
			Kind: row.record.Kind, Number: row.record.Number, Rule: m.Rule.ID, Title: t.Title(&row.record.Content), Company: row.record.Company, Type: row.record.Type,
			What: contract.RunHitWhat(m.Severity), Said: m.Text, Told: m.Text, Changes: []contract.ValueChange{},
		}
		if m.Field >= 0 {
			k := t.Plan.Kind()
			value := row.record.Content.Get(&k.Fields[m.Field], m.Line)
			shown := t.Reader.Stored(&row.record.Content, m.Field, m.Line, value)
			hit.Changes = append(hit.Changes, contract.ValueChange{Field: k.Fields[m.Field].Key, Line: m.Line, Label: k.Fields[m.Field].Label, Before: shown, After: shown})
		}
		w.Found(int(m.Rule.ID), hit)
	}
	return breaks
}

// Get tells for each check in force how many saved records break it, as it was counted last.
func (s *Service) Get(ctx context.Context, key string) (contract.Breaks, error) {
	if err := access.Need(ctx, actor.RulesRead); err != nil {
		return contract.Breaks{}, err
	}
	found := contract.Breaks{Kind: key, Rules: []contract.BrokenRule{}}
	ref, kind, err := s.base.KindOf(ctx, key)
	if err != nil {
		return found, err
	}
	if found.Records, err = s.base.Store.CountRecords(ctx, kind.Key, access.Scope(ctx)); err != nil {
		return found, err
	}
	book, err := s.base.Cache.SeenBook(ctx, kind.Key)
	if err != nil {
		return found, err
	}
	counts, err := s.base.Store.BreakCounts(ctx, kind.Key)
	if err != nil {
		return found, err
	}
	counts = slices.DeleteFunc(counts, func(c store.BreakCount) bool { return c.Company != "" && !access.In(ctx, c.Company) })
	if len(counts) > 0 {
		last := counts[len(counts)-1]
		found.Run = last.Run
		if at, err := time.Parse(time.RFC3339, last.CountedAt); err == nil {
			found.CountedAt = &at
		}
	}
	wording := ref.Wording(kind, actor.Of(ctx).Format)
	for _, c := range checks(book) {
		r := contract.BrokenRule{Rule: c.ID, Sentence: rule.Sentence(c, wording), Severity: contract.BrokenRuleSeverity(c.Effect.Severity), Field: c.Target, Label: c.Target, Before: -1, Companies: map[string]int{}}
		if f := kind.Field(c.Target); f != nil {
			r.Label = f.Label
		}
		tell(&r, counts, found.Run)
		found.Rules = append(found.Rules, r)
	}
	if !access.Everywhere(ctx) {
		found.Run = 0 // it holds what all companies break
	}
	slices.SortStableFunc(found.Rules, func(a, b contract.BrokenRule) int {
		if a.Broken != b.Broken {
			return b.Broken - a.Broken
		}
		return strings.Compare(a.Sentence, b.Sentence)
	})
	return found, nil
}

// tell says of a rule how it was counted, from the oldest on.
func tell(r *contract.BrokenRule, counts []store.BreakCount, last int64) {
	type sum struct {
		run    int64
		broken int
		at     string
	}
	var sums []sum
	for _, c := range counts {
		if c.Rule != r.Rule {
			continue
		}
		if len(sums) == 0 || sums[len(sums)-1].run != c.Run {
			sums = append(sums, sum{c.Run, 0, c.CountedAt})
		}
		sums[len(sums)-1].broken += c.Broken
		if c.Run == last && c.Company != "" {
			r.Companies[c.Company] = c.Broken
		}
	}
	since := ""
	for i, s := range sums {
		switch {
		case s.broken == 0:
			since = ""
		case since == "":
			since = s.at
		}
		if s.run == last {
			if r.Broken = s.broken; i > 0 {
				r.Before = sums[i-1].broken
			}
		}
	}
	if at, err := time.Parse(time.RFC3339, since); err == nil {
		r.Since = &at
	}
}
