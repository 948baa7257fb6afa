// Package impact tells what a rule would do to the saved records and posted documents, and whether
// proofs and records speak for it.
//
// It must never change anything. Start reading at Service.
package impact

import (
	"codicil/core/notice"
	"codicil/core/proof"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/internal/access"
	"codicil/internal/actor"
	"codicil/internal/app/commit"
	"codicil/internal/app/judging"
	"codicil/internal/app/runs"
	"codicil/internal/contract"
	"codicil/internal/fault"
	"codicil/internal/view"
	"context"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"
)

// Service serves these use cases.
type Service struct {
	base *judging.Service
	runs *runs.Service
	// InPlace is how many records have the keys of a unique rule made while somebody waits; where there are more, a
	// run makes them.
	InPlace int
}

// New returns the use cases.
func New(j *judging.Service, r *runs.Service) *Service { return &Service{j, r, 2000} }

// Over returns the use cases as another service shows the rules; their runs are the same.
func (s *Service) Over(j *judging.Service) *Service { return &Service{j, s.runs, s.InPlace} }

// Start begins a run that tells what a rule, or a change of one, would do to the saved records and posted
// documents of its scope as they stand: against the rule as it is kept; of a new one, against none. Nothing is
// changed.
func (s *Service) Start(ctx context.Context, request contract.ImpactRequest) (contract.Run, error) {
	if err := access.Need(ctx, actor.RulesRead); err != nil {
		return contract.Run{}, err
	}
	with, err := s.base.KeptRule(ctx, request.Rule)
	if request.Rule == 0 || err != nil {
		if request.Change == nil {
			return contract.Run{}, commit.Explain(err)
		}
	}
	without := with
	without.State = rule.Suspended
	if request.Change != nil {
		changed := judging.Changed(*request.Change)
		if request.Rule != 0 && err == nil {
			without, changed.ID = with, request.Rule
		} else {
			without = changed
			without.State = rule.Suspended
		}
		with = changed
	}
	r, err := s.begin(ctx, runs.Subject{Rule: request.Rule, Version: with.Version, Changed: request.Change != nil}, without, with)
	return runs.Shown(&r), err
}

func (s *Service) begin(ctx context.Context, subject runs.Subject, without, with rule.Rule) (runs.Run, error) {
	title, err := s.title(ctx, with)
	if err != nil {
		return runs.Run{}, err
	}
	return s.runs.Start(ctx, What, title, subject, func(ctx context.Context, w *runs.Writer) error {
		return s.work(ctx, without, with, w)
	})
}

var keysMissing = notice.Define("not-compared", "the saved records were not yet compared for {rule}. Run {run} compares them and lists what is there twice; put the rule in force when it is done")

// Keys asks to wait before a unique rule is in force until the keys of the saved records are made, where they are many: a run
// makes them, and lists what is there twice.
func (s *Service) Keys(ctx context.Context, r rule.Rule) error {
	c, err := s.compiled(ctx, r)
	if err != nil || len(c.Unique) == 0 {
		return err
	}
	count, err := s.base.Store.CountRecords(ctx, r.Kind, nil)
	if err != nil || count <= s.InPlace {
		return err
	}
	ready, err := s.base.Store.HasUnique(ctx, r.Kind, c.UniqueBy())
	if err != nil || ready {
		return err
	}
	without, err := s.base.KeptRule(ctx, r.ID)
	if err != nil {
		return err
	}
	if without.State != rule.InForce {
		without.State = rule.Suspended
	}
	all, err := s.runs.List(ctx)
	if err != nil {
		return err
	}
	for _, run := range all {
		if run.Rule == r.ID && run.Version == r.Version && (run.State == contract.RunStateWaiting || run.State == contract.RunStateRunning) {
			return madeBy(c, run.ID, run.Title)
		}
	}
	run, err := s.begin(ctx, runs.Subject{Rule: r.ID, Version: r.Version, Changed: without.State == rule.InForce}, without, r)
	if err != nil {
		return err
	}
	return madeBy(c, run.ID, run.Title)
}

func madeBy(c *rule.Compiled, run int64, title string) error {
	return fault.Hindered(keysMissing, c.Label(), run).With([]fault.Use{{What: "run", Key: strconv.FormatInt(run, 10), Title: title}})
}

// title is what a rule is called: its name, or what it says.
func (s *Service) title(ctx context.Context, r rule.Rule) (string, error) {
	if r.Name != "" {
		return r.Name, nil
	}
	ref, kind, err := s.base.KindOf(ctx, r.Kind)
	if err != nil {
		return "", err
	}
	c, err := s.compiled(ctx, r)
	if err != nil {
		return "", err
	}
	return rule.Sentence(c, ref.Wording(kind, actor.Of(ctx).Format)), nil
}

// compiled compiles a rule as it would be in force.
func (s *Service) compiled(ctx context.Context, r rule.Rule) (*rule.Compiled, error) {
	b, err := s.base.Cache.Book(ctx, r.Kind)
	if err != nil {
		return nil, err
	}
	return rule.Compile(r, b.Vocabulary), nil
}

// makeKeys makes the keys of a unique rule that the records do not have yet, and tells how many records that were.
func (s *Service) makeKeys(ctx context.Context, r rule.Rule, w *runs.Writer) (made int, err error) {
	c, err := s.compiled(ctx, r)
	if err != nil || len(c.Unique) == 0 {
		return 0, err
	}
	err = s.base.Store.MakeUnique(ctx, c.Vocabulary().Kind, c.UniqueBy(), func(done int) error {
		made = done
		return w.Came(ctx, done, nil)
	})
	return made, err
}

// What names runs of this kind.
const What = "impact"

// work keeps what becomes of each record.
func (s *Service) work(ctx context.Context, without, with rule.Rule, w *runs.Writer) error {
	total, err := s.base.Store.CountRecords(ctx, with.Kind, access.Scope(ctx))
	if err != nil {
		return err
	}
	w.Total(total)
	done, err := s.makeKeys(ctx, with, w)
	if err != nil {
		return err
	}
	total += done
	w.Total(total)
	var found effect
	err = s.each(ctx, without, with, func(hit *contract.RunHit, refused, changed bool) error {
		found.count(refused, changed)
		if hit != nil {
			w.Found(-view.Weight(hit.What), hit)
		}
		return nil
	}, func(count int) error {
		done += count
		return w.Came(ctx, done, found.counts())
	})
	if err != nil {
		return err
	}
	return w.Came(ctx, total, found.counts())
}

// effect counts what a rule would do.
type effect struct {
	looked  int // how many saved records and posted documents were looked at
	refused int // how many of them the rule would refuse or ask a reason for
	changed int // in how many of them it would change a value
}

func (e *effect) count(refused, changed bool) {
	e.looked++
	if refused {
		e.refused++
	}
	if changed {
		e.changed++
	}
}

func (e *effect) counts() runs.Counts {
	return runs.Counts{"looked": e.looked, "refused": e.refused, "changed": e.changed}
}

// atOnce is how many records are judged before what became of them is told.
const atOnce = 200

// each compares what becomes of the saved records of a rule's scope without it and with it: as saving, or for
// posted ones as posting on their day, judges them. tell is told of each in their order, with a hit where the
// rule does something; came of how many records were gone through. Cost: the records of the scope, of each what is upstream
// of the rule, and those twice that come out otherwise; some of them in memory.
func (s *Service) each(ctx context.Context, without, with rule.Rule, tell func(hit *contract.RunHit, refused, changed bool) error, came func(count int) error) error {
	ref, runner, err := s.base.Runner(ctx, with.Kind)
	if err != nil {
		return err
	}
	with.State = rule.InForce
	before, after := runner.With(without), runner.With(with)
	reach := proof.NewReach(before, after, with.ID)
	c, old := judging.InBook(after.Book, with.ID), judging.InBook(before.Book, with.ID)
	covers := func(company, kindType string, day record.Day) bool {
		return c.Scope.Covers(company, kindType, day) || (old.State == rule.InForce && old.Scope.Covers(company, kindType, day))
	}
	return s.base.Covered(ctx, ref, c.Vocabulary().Kind, covers, atOnce, func(rows []record.Record, gone int) error {
		documents, err := judging.Standing(ctx, s.base, ref, after, rows)
		if err != nil {
			return err
		}
		may, err := reach.Documents(ctx, documents)
		if err != nil {
			return err
		}
		reached := make([]proof.Proof, 0, len(rows))
		for i := range rows {
			if may[i] {
				reached = append(reached, documents[i])
			}
		}
		now, err := after.JudgeAll(ctx, reached, false)
		if err != nil {
			return err
		}
		then, err := before.JudgeAll(ctx, reached, false)
		if err != nil {
			return err
		}
		at := 0
		for i := range rows {
			if !may[i] {
				if err := tell(nil, false, false); err != nil {
					return err
				}
				continue
			}
			row, then, now := &rows[i], &then[at], &now[at]
			at++
			if then.Err != nil || now.Err != nil {
				if err := tell(nil, false, false); err != nil { // a record that no longer fits its kind meets no rule
					return err
				}
				continue
			}
			links := s.base.Links(ctx, ref, row.Company)
			reader := view.NewReader(now.Plan, now.Outcome, links, nil)
			hit, refused, changed := reader.Impact(row, links.Title(row.Kind, row.Number), then, now)
			told := &hit
			if !refused && !changed && hit.What == "" {
				told = nil
			}
			if err := tell(told, refused, changed); err != nil {
				return err
			}
		}
		return came(gone)
	})
}

// counted counts what a rule would do to the saved records, as far as there is time: whole tells whether all were
// looked at.
func (s *Service) counted(ctx context.Context, without, with rule.Rule, longest time.Duration) (found effect, whole bool, err error) {
	look, leave := context.WithTimeout(ctx, longest)
	defer leave()
	err = s.each(look, without, with, func(_ *contract.RunHit, refused, changed bool) error {
		found.count(refused, changed)
		return nil
	}, func(int) error { return look.Err() })
	if look.Err() != nil && ctx.Err() == nil {
		return found, false, nil
	}
	return found, true, err
}

// Confirm asks for a reason where the proofs do not show a rule both ways, where proofs
// would fail with it that hold without, or where saved records break it. They are looked at as long as look.
func (s *Service) Confirm(ctx context.Context, r rule.Rule, look time.Duration) error {
	b, c, results, err := s.base.Measured(ctx, r)
	if err != nil {
		return err
	}
	var why []string
	if state := proof.ConfirmRule(c, results).State; state != proof.ProvedBoth {
		why = append(why, fmt.Sprintf("its proofs do not show it both ways (it is %s)", state))
	}
	failing, err := s.wouldFail(ctx, b, results)
	if err != nil {
		return err
	}
	if len(failing) > 0 {
		why = append(why, fmt.Sprintf("with it proofs fail that pass now, %d of them: %s", len(failing), strings.Join(failing[:min(len(failing), 5)], ", ")))
	}
	kept, err := s.base.KeptRule(ctx, r.ID)
	if err != nil {
		return err
	}
	if kept.State != rule.InForce {
		kept.State = rule.Suspended
	}
	found, whole, err := s.counted(ctx, kept, r, look)
	if err != nil {
		return err
	}
	switch {
	case found.refused > 0 && whole:
		why = append(why, fmt.Sprintf("it would refuse %d of %d saved records as they stand", found.refused, found.looked))
	case found.refused > 0:
		why = append(why, fmt.Sprintf("it would refuse %d of the first %d saved records as they stand", found.refused, found.looked))
	case !whole:
		why = append(why, fmt.Sprintf("only the first %d saved records could be looked at in time; its effect on existing records tells the rest", found.looked))
	}
	if len(why) == 0 {
		return nil
	}
	deed := "put in force"
	if kept.State == rule.InForce {
		deed = "changed while it is in force"
	}
	return fault.Hindered(NeedsReason, c.Label(), deed, strings.Join(why, "; and "))
}

// wouldFail names the proofs that fail with a changed book and hold with the one in force.
func (s *Service) wouldFail(ctx context.Context, with *judging.Bench, results []proof.Result) (failing []string, err error) {
	_, now, err := s.base.Runner(ctx, with.Runner.Book.Vocabulary.Kind.Key)
	if err != nil {
		return nil, err
	}
	for i := range results {
		if r := &results[i]; r.Proof != nil && !r.Held() {
			if before := now.Run(r.Proof, false); before.Held() {
				failing = append(failing, fmt.Sprintf("proof %d", r.Proof.ID))
			}
		}
	}
	return failing, ctx.Err()
}

// Affected counts the saved records and posted documents in which any of the rules acts or
// speaks, as they stand; drafts count as if they were in force. looked is how many were gone through; whole tells that
// those are all, which there may be no time for.
func (s *Service) Affected(ctx context.Context, ids []int64) (count, looked int, whole bool, err error) {
	m, err := s.base.Cache.Reference(ctx)
	if err != nil {
		return 0, 0, false, err
	}
	look, leave := context.WithTimeout(ctx, judging.LongestLook)
	defer leave()
	for i := range m.Kinds {
		_, runner, err := s.base.Runner(ctx, m.Kinds[i].Key)
		if err != nil {
			return 0, 0, false, err
		}
		var ours []*rule.Compiled
		for _, c := range runner.Book.Rules {
			if slices.Contains(ids, c.ID) {
				ours = append(ours, c)
			}
		}
		if len(ours) == 0 {
			continue
		}
		kind := runner.Book.Vocabulary.Kind
		for _, c := range ours {
			if c.State != rule.InForce {
				runner = runner.With(acting(c.Rule))
			}
		}
		covers := func(company, kindType string, day record.Day) bool {
			return slices.ContainsFunc(ours, func(c *rule.Compiled) bool { return c.Scope.Covers(company, kindType, day) })
		}
		err = s.base.Covered(look, m, kind, covers, atOnce, func(rows []record.Record, gone int) error {
			documents, err := judging.Standing(look, s.base, m, runner, rows)
			if err != nil {
				return err
			}
			results, err := runner.JudgeAll(look, documents, true)
			if err != nil {
				return err
			}
			for j := range results {
				if results[j].Err == nil && slices.ContainsFunc(judging.Acting(results[j].Outcome), func(id int64) bool { return slices.Contains(ids, id) }) {
					count++
				}
			}
			looked += gone
			return look.Err()
		})
		if look.Err() != nil && ctx.Err() == nil {
			return count, looked, false, nil
		}
		if err != nil {
			return 0, 0, false, err
		}
	}
	return count, looked, true, ctx.Err()
}

// acting is a rule as if it were in force.
func acting(r rule.Rule) rule.Rule {
	r.State = rule.InForce
	return r
}
