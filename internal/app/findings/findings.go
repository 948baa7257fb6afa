// Package findings tells what can be said about rules and tables before somebody meets it, and keeps
// what a person has looked at and left as it is.
//
// It must never change a rule or a table. Start reading at Service; what is found, and how, is core's.
package findings

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"sync"

	"codicil/core/finding"
	"codicil/core/notice"
	"codicil/core/plan"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/core/table"
	"codicil/internal/access"
	"codicil/internal/actor"
	"codicil/internal/app/commit"
	"codicil/internal/app/judging"
	"codicil/internal/app/runs"
	"codicil/internal/cache"
	"codicil/internal/contract"
	"codicil/internal/fault"
	"codicil/internal/store"
	"codicil/internal/view"
)

// Service serves these use cases.
type Service struct {
	base *judging.Service
	runs *runs.Service
	keep *kept
}

// New returns the use cases.
func New(j *judging.Service, r *runs.Service) *Service {
	return &Service{j, r, &kept{kinds: map[string]*ofKind{}}}
}

// kept holds what was found by kind, for one version of the rule book each.
type kept struct {
	mutex sync.Mutex
	kinds map[string]*ofKind
}

// ofKind is what was found of a kind; turn is held by who looks.
type ofKind struct {
	turn    chan struct{}
	version int64
	found   []*finding.Finding
	whole   bool
}

func (k *kept) of(kind string) *ofKind {
	k.mutex.Lock()
	defer k.mutex.Unlock()
	if k.kinds[kind] == nil {
		k.kinds[kind] = &ofKind{turn: make(chan struct{}, 1)}
	}
	return k.kinds[kind]
}

// Kind tells what is found about the rules of a kind, or with "" of all kinds and about the tables.
// What was found before in this version of the rule book is told at once. Where tell fails, nobody
// listens any more, and the look ends.
func (s *Service) Kind(ctx context.Context, kind string, tell func(contract.Finding) error) error {
	if err := access.Need(ctx, actor.RulesRead); err != nil {
		return err
	}
	ref, err := s.base.Cache.Seen(ctx)
	if err != nil {
		return err
	}
	kinds := []string{kind}
	if kind == "" {
		kinds = view.List(ref.Kinds, func(k record.Kind) string { return k.Key })
	}
	t, err := s.teller(ctx, ref, tell)
	if err != nil {
		return err
	}
	for _, key := range kinds {
		if err := s.look(t, key); err != nil {
			return err
		}
	}
	if kind == "" {
		return s.tables(t)
	}
	return nil
}

// look tells what is found of a kind, and keeps it.
func (s *Service) look(t *teller, kind string) error {
	if !access.Everywhere(t.ctx) { // what is kept is of all companies
		finder, err := s.finder(t.ctx, kind)
		if err != nil {
			return err
		}
		return errors.Join(finder.All(t.ctx, t.say), t.failed)
	}
	at := s.keep.of(kind)
	select {
	case at.turn <- struct{}{}:
		defer func() { <-at.turn }()
	case <-t.ctx.Done():
		return t.ctx.Err()
	}
	version, _, err := s.base.Cache.Version(t.ctx)
	if err != nil {
		return err
	}
	if at.version == version.Book && at.whole {
		for _, f := range at.found {
			t.say(f)
		}
		return t.failed
	}
	finder, err := s.finder(t.ctx, kind)
	if err != nil {
		return err
	}
	at.version, at.found, at.whole = version.Book, nil, false
	err = finder.All(t.ctx, func(f *finding.Finding) {
		at.found = append(at.found, f)
		t.say(f)
	})
	at.whole = err == nil && t.failed == nil
	if err == nil {
		err = t.failed
	}
	return err
}

// finder looks at the rules of a kind as they are in force.
func (s *Service) finder(ctx context.Context, kind string) (*finding.Finder, error) {
	ref, runner, err := s.base.Runner(ctx, kind)
	if err != nil {
		return nil, err
	}
	bases, err := s.base.RecordBases(ctx, ref, runner.Book)
	if err != nil {
		return nil, err
	}
	k := runner.Book.Vocabulary.Kind
	return &finding.Finder{
		Runner: runner, Bases: bases, Today: s.base.Today(nil), Numbers: s.base.SomeNumbers(ctx, ref),
		Layout: func(company, kindType string) *record.Layout {
			layout := record.DefaultLayout(k)
			if made := ref.Layout(k.Key, company, kindType); made != nil {
				layout = made.Complete(k)
			}
			return &layout
		},
	}, nil
}

// Rule tells what is found about a rule as it is written, as if it were in force.
func (s *Service) Rule(ctx context.Context, change contract.RuleChange, tell func(contract.Finding) error) error {
	if err := access.Need(ctx, actor.RulesRead); err != nil {
		return err
	}
	r := judging.Changed(change)
	ref, err := s.base.Cache.Seen(ctx)
	if err != nil {
		return err
	}
	finder, err := s.finder(ctx, r.Kind)
	if err != nil {
		return err
	}
	r.State = rule.InForce
	finder.Runner = finder.Runner.With(r)
	c := judging.InBook(finder.Runner.Book, r.ID)
	if !c.Sound() {
		return nil // what is wrong with it is told where it is written
	}
	t, err := s.teller(ctx, ref, tell)
	if err != nil {
		return err
	}
	if err := finder.About(ctx, c, t.say); err != nil {
		return err
	}
	return t.failed
}

// tables tells what is found about crosswalks, standing values and series.
func (s *Service) tables(t *teller) error {
	books := make([]*plan.Book, 0, len(t.ref.Kinds))
	var types []record.Type
	for i := range t.ref.Kinds {
		book, err := s.base.Cache.SeenBook(t.ctx, t.ref.Kinds[i].Key)
		if err != nil {
			return err
		}
		books, types = append(books, book), append(types, t.ref.Types[t.ref.Kinds[i].Key]...)
	}
	finding.Tables(t.ref.Tables, books, t.ref.Companies, types, t.say)
	companies := view.List(t.ref.Companies, func(c record.Company) string { return c.Key })
	for i := range t.ref.Tables.Standing {
		v := &t.ref.Tables.Standing[i]
		for _, n := range v.Notices(companies, s.base.Today(nil), view.Days(actor.Of(t.ctx).Format)) {
			t.tell(contract.Finding{
				Key: finding.KeyOf("standing-"+n.Code, "", v.Field.Key, nil, n.Company+" "+string(n.Day)), Code: "standing-" + n.Code, Sort: inTables,
				Rules: []contract.FoundRule{}, Message: n.Message, Because: []string{}, Table: &contract.FoundTable{What: "standing value", Key: v.Field.Key, Label: v.Field.Label},
			})
		}
	}
	return t.failed
}

var noFinding = notice.Define("not-found.finding", "this is the key of no finding")

// Silence leaves a finding as it is, with a reason, or takes that back without one.
func (s *Service) Silence(ctx context.Context, request contract.SilenceRequest) error {
	if err := access.Need(ctx, actor.ProofsChange); err != nil {
		return err
	}
	if err := access.Companies(ctx, nil); err != nil { // it is left for everybody
		return err
	}
	if !strings.Contains(request.Key, "|") {
		return fault.Bad(noFinding)
	}
	return s.base.Line.Alone(ctx, func(ctx context.Context) (*commit.Change, error) {
		by, err := s.base.Line.Stamp(ctx)
		reason := strings.TrimSpace(request.Reason)
		return &commit.Change{Write: func(ctx context.Context, tx *store.Store) error {
			if reason == "" {
				return tx.DeleteSilence(ctx, request.Key, by)
			}
			return tx.SaveSilence(ctx, request.Key, reason, by)
		}}, err
	})
}

// The sorts of findings.
const (
	canHappen = "can happen"
	never     = "can never happen"
	inData    = "in the data"
	inTables  = "in the tables"
)

// teller tells findings to one person.
type teller struct {
	base     *judging.Service
	ctx      context.Context
	ref      *cache.Reference
	silences map[string]store.Silence
	to       func(contract.Finding) error
	failed   error
}

func (s *Service) teller(ctx context.Context, ref *cache.Reference, to func(contract.Finding) error) (*teller, error) {
	silences, err := s.base.Store.Silences(ctx)
	return &teller{base: s.base, ctx: ctx, ref: ref, silences: silences, to: to}, err
}

func (t *teller) tell(f contract.Finding) {
	if silence, silenced := t.silences[f.Key]; silenced {
		f.Silenced = view.Silenced(silence.Reason, silence.By)
	}
	if t.failed == nil {
		t.failed = t.to(f)
	}
}

// say tells a finding of the core.
func (t *teller) say(f *finding.Finding) {
	wording := rule.Wording{}
	var kind *record.Kind
	if f.Kind != "" {
		found, err := t.ref.Kind(f.Kind)
		if err != nil {
			return // the kind went while it was looked at
		}
		kind = found
		wording = t.ref.Wording(kind, actor.Of(t.ctx).Format)
	}
	shown := view.Finding(f, kind, wording)
	switch {
	case f.Table != "":
		shown.Sort, shown.Table = never, t.table(f.Table)
	case f.Witness != nil:
		shown.Sort = canHappen
		links := t.base.Links(t.ctx, t.ref, f.Witness.Document.Company)
		format := actor.Of(t.ctx).Format
		shown.Witness = view.NewReader(f.Witness.Result.Plan, f.Witness.Result.Outcome, links, &format).Witness(f)
	default:
		shown.Sort = never
	}
	t.tell(shown)
}

// table names a table by its key.
func (t *teller) table(key string) *contract.FoundTable {
	if i := slices.IndexFunc(t.ref.Tables.Standing, func(s table.Standing) bool { return s.Field.Key == key }); i >= 0 {
		return &contract.FoundTable{What: "standing value", Key: key, Label: t.ref.Tables.Standing[i].Field.Label}
	}
	if c := t.ref.Tables.Crosswalk(key); c != nil {
		return &contract.FoundTable{What: "crosswalk", Key: key, Label: c.Label}
	}
	return &contract.FoundTable{What: "number series", Key: key, Label: fmt.Sprint(key)}
}
