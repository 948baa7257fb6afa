// Package replay judges what exists with a codicil and without: saved records as they stand, and posted documents from what
// they read when they were posted.
//
// It must never change anything. Start reading at Service.Start.
package replay

import (
	"context"
	"encoding/json"
	"fmt"
	"maps"
	"slices"

	"codicil/core/proof"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/internal/access"
	"codicil/internal/actor"
	"codicil/internal/app/commit"
	"codicil/internal/app/judging"
	"codicil/internal/app/runs"
	"codicil/internal/cache"
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
	view func(ctx context.Context, v store.View) (*judging.Service, error)
}

// New returns the use cases; view judges by another rule book.
func New(j *judging.Service, r *runs.Service, view func(ctx context.Context, v store.View) (*judging.Service, error)) *Service {
	return &Service{j, r, view}
}

// Kinds are the kinds of records whose outcomes a codicil may change: those of its rules; of every other thing all, as any
// rule may read it.
func Kinds(ref *cache.Reference, contents []store.CodicilChange) ([]string, error) {
	kinds := map[string]bool{}
	for i := range contents {
		rules, err := rulesOf(&contents[i])
		if err != nil {
			return nil, err
		}
		for j := range rules {
			kinds[rules[j].Kind] = true
		}
		if len(rules) == 0 && contents[i].What != "layout" && contents[i].What != "map" {
			for k := range ref.Kinds {
				kinds[ref.Kinds[k].Key] = true
			}
		}
	}
	return slices.DeleteFunc(slices.Sorted(maps.Keys(kinds)), func(k string) bool { _, err := ref.Kind(k); return err != nil }), nil
}

// rulesOf are a rule before and after a change; none, where it is a change of something else.
func rulesOf(c *store.CodicilChange) (rules []rule.Rule, err error) {
	for _, text := range []*string{c.Before, c.After} {
		definition, err := c.Definition(text)
		if err != nil {
			return nil, err
		}
		if r, is := definition.(rule.Rule); is {
			rules = append(rules, r)
		}
	}
	return rules, nil
}

// Start begins a run over the kinds of records that a codicil may touch: the saved ones as they stand, and what was posted
// in a time. Cost: the records of these kinds, twice; some of them in memory.
func (s *Service) Start(ctx context.Context, id int64, request contract.ReplayRequest) (contract.Run, error) {
	t, err := s.task(ctx, id)
	if err != nil {
		return contract.Run{}, err
	}
	for _, day := range []string{request.Since, request.Until} {
		if _, err := record.ParseDay(day); day != "" && err != nil {
			return contract.Run{}, fault.Bad(fault.NotADay, err)
		}
	}
	if request.Since != "" && request.Until != "" && request.Until < request.Since {
		return contract.Run{}, fault.Bad(endsBefore, request.Until, request.Since)
	}
	version, _, err := s.base.Cache.Version(ctx)
	if err != nil {
		return contract.Run{}, err
	}
	t.figures = contract.Replay{Codicil: id, Revision: t.codicil.Revision, Since: request.Since, Until: request.Until, Effects: []contract.ReplayEffect{}}
	title := fmt.Sprintf("Codicil %d, %s", id, t.codicil.Title)
	subject := runs.Subject{Codicil: id, Book: version.Book}
	r, err := s.runs.Start(ctx, What, title, subject, func(ctx context.Context, w *runs.Writer) error {
		t.tally = newTally(t.after.Cache, w)
		return t.all(ctx)
	})
	return runs.Shown(&r), err
}

// What names runs of this kind.
const What = "replay"

// task is the replay of one codicil.
type task struct {
	codicil       store.Codicil
	contents      []store.CodicilChange
	before, after *judging.Service
	versions      *cache.Versions // which the judging of all kinds remembers
	figures       contract.Replay
	*tally
}

// task makes the replay of a codicil ready that is not ended.
func (s *Service) task(ctx context.Context, id int64) (*task, error) {
	if err := access.Need(ctx, actor.RulesRead); err != nil {
		return nil, err
	}
	c, err := s.base.Store.Codicil(ctx, id)
	if err != nil {
		return nil, commit.Explain(err)
	}
	if c.State.Ended() {
		return nil, fault.Hindered(ended, c.ID, c.State)
	}
	t := &task{codicil: c, before: s.base, versions: cache.NewVersions(mostVersions)}
	if t.contents, err = s.base.Store.ChangesOf(ctx, id, 0); err != nil {
		return nil, err
	}
	t.after, err = s.view(ctx, store.View{Codicil: id})
	return t, err
}

// covers tells whether a document may be touched: that is known only where the codicil changes nothing but rules.
func (t *task) covers(kind string) (func(company, kindType string, day record.Day) bool, error) {
	var own []rule.Rule
	for i := range t.contents {
		rules, err := rulesOf(&t.contents[i])
		if err != nil {
			return nil, err
		}
		if len(rules) == 0 {
			return func(string, string, record.Day) bool { return true }, nil
		}
		own = append(own, rules...)
	}
	return func(company, kindType string, day record.Day) bool {
		return slices.ContainsFunc(own, func(r rule.Rule) bool { return r.Kind == kind && r.Scope.Covers(company, kindType, day) })
	}, nil
}

// all goes through all kinds.
func (t *task) all(ctx context.Context) error {
	ref, err := t.before.Cache.Reference(ctx)
	if err != nil {
		return err
	}
	kinds, err := Kinds(ref, t.contents)
	if err != nil {
		return err
	}
	total := 0
	var pairs []*pair
	for _, kind := range kinds {
		p, err := t.pair(ctx, kind)
		if err != nil {
			return err
		}
		if p.nothing {
			continue
		}
		count, err := t.before.Store.CountRecords(ctx, kind, access.Scope(ctx))
		if err != nil {
			return err
		}
		pairs, total = append(pairs, p), total+count
	}
	t.w.Total(total)
	for _, p := range pairs {
		if err := t.kind(ctx, ref, p); err != nil {
			return err
		}
	}
	return t.came(ctx, &t.figures, 0)
}

// stands are the rules of a kind that stand otherwise with the codicil: those that it changes, and those that read a table that it
// changes. all tells that it changes something else, which any rule may read. Cost: the rules, for each table.
func (t *task) stands(p *pair) (ids []int64, all bool, err error) {
	reading := func(reads func(c *rule.Compiled, key string) bool, key string) {
		for _, c := range slices.Concat(p.without.Book.Rules, p.with.Book.Rules) {
			if reads(c, key) {
				ids = append(ids, c.ID)
			}
		}
	}
	for i := range t.contents {
		changed := &t.contents[i]
		rules, err := rulesOf(changed)
		if err != nil {
			return nil, false, err
		}
		for j := range rules {
			if rules[j].Kind == p.without.Book.Vocabulary.Kind.Key {
				ids = append(ids, rules[j].ID)
			}
		}
		switch changed.What {
		case "rule", "layout", "map":
		case "standing":
			reading(proof.ReadsStanding, changed.Key)
		case "crosswalk":
			reading(proof.ReadsCrosswalk, changed.Key)
		default:
			all = true
		}
	}
	slices.Sort(ids)
	return slices.Compact(ids), all, nil
}

// atOnce is how many records are judged before what became of them is told.
const atOnce = 200

func (t *task) kind(ctx context.Context, ref *cache.Reference, pair *pair) error {
	kind := pair.without.Book.Vocabulary.Kind
	covers, err := t.covers(kind.Key)
	if err != nil {
		return err
	}
	return t.before.Covered(ctx, ref, kind, covers, atOnce, func(rows []record.Record, gone int) error {
		rows = slices.DeleteFunc(rows, func(r record.Record) bool { // what was posted at another time is not looked at
			return r.State == record.Posted && !t.isWithin(ref.Company(r.Company), &r)
		})
		found, err := pair.judge(ctx, ref, rows, false)
		if err != nil {
			return err
		}
		for i := range found {
			t.count(ctx, &t.figures, &found[i])
		}
		return t.came(ctx, &t.figures, gone)
	})
}

// isWithin tells whether a document was posted in the time that is looked at, by the days of its company.
func (t *task) isWithin(company *record.Company, r *record.Record) bool {
	at, known := clock.When(r.Changed)
	if !known {
		return t.figures.Since == ""
	}
	day := string(clock.Today(company, at))
	return day >= t.figures.Since && (t.figures.Until == "" || day <= t.figures.Until)
}

// One judges one record or posted document both ways, with all that its rules did.
func (s *Service) One(ctx context.Context, id int64, at record.Ref) (contract.Replayed, error) {
	t, err := s.task(ctx, id)
	if err != nil {
		return contract.Replayed{}, err
	}
	if err := access.NeedFor(ctx, at.Kind, actor.RecordsRead); err != nil {
		return contract.Replayed{}, err
	}
	saved, err := s.base.Saved(ctx, at)
	if err != nil {
		return contract.Replayed{}, err
	}
	pair, err := t.pair(ctx, at.Kind)
	if err != nil {
		return contract.Replayed{}, err
	}
	row := saved.Record
	found, err := pair.judge(ctx, saved.Reference, []record.Record{row}, true)
	if err != nil {
		return contract.Replayed{}, err
	}
	one := &found[0]
	if one.failed != nil {
		return contract.Replayed{}, judging.Unjudged(one.failed)
	}
	links := t.after.Links(ctx, one.ref, row.Company)
	hit, _, _ := one.hit(links)
	format := actor.Of(ctx).Format
	view.Retell(&hit, one.after.Plan.Kind(), format.OrPlain())
	if hit.What == "" {
		hit.What = contract.RunHitWhatSame
	}
	v := contract.Replayed{Hit: hit, Known: one.known, Drifted: one.drifted()}
	if at, known := clock.When(row.Changed); known && row.State == record.Posted {
		v.PostedAt = &at
	}
	for _, side := range []struct {
		of   *proof.Result
		into *contract.Outcome
	}{{&one.before, &v.Before}, {&one.after, &v.After}} {
		*side.into = view.NewReader(side.of.Plan, side.of.Outcome, links, &format).Outcome(side.of.Case, nil)
		side.into.Day = string(side.of.Plan.Scope.Day)
	}
	return v, links.Err()
}

// Latest are the figures of the newest replay of a codicil; nil: there is none.
func (s *Service) Latest(ctx context.Context, c *store.Codicil) (*contract.Replay, error) {
	all, err := s.base.Store.Runs(ctx, runs.MostKept)
	if err != nil {
		return nil, err
	}
	for i := range all {
		r := &all[i]
		var subject runs.Subject
		if r.What != What || !runs.Seen(ctx, r) || json.Unmarshal([]byte(r.Subject), &subject) != nil || subject.Codicil != c.ID {
			continue
		}
		figures := contract.Replay{Codicil: c.ID, Effects: []contract.ReplayEffect{}}
		if len(subject.Figures) > 0 && json.Unmarshal(subject.Figures, &figures) != nil {
			continue
		}
		version, _, err := s.base.Cache.Version(ctx)
		if err != nil {
			return nil, err
		}
		figures.Run, figures.State, figures.Done, figures.Total = r.ID, contract.RunState(r.State), r.Done, r.Total
		figures.Partial = r.Companies != nil || figures.Since != "" || figures.Until != ""
		figures.Stale = figures.Revision != c.Revision || subject.Book != version.Book
		return &figures, nil
	}
	return nil, nil
}

// labelOf names a field of figures.
func labelOf(kind *record.Kind, key string) string { return view.LabelOf(kind, kind.Index(key), 0) }
