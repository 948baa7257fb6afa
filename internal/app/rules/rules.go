// Package rules keeps the rules: their life from draft to retired, the plan that they make, what
// they would do to saved records, and their formulas.
//
// It must never know how documents are posted or proofs kept. Start reading at Service.
package rules

import (
	"codicil/core/match"
	"codicil/core/plan"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/core/table"
	"codicil/internal/access"
	"codicil/internal/actor"
	"codicil/internal/app/commit"
	"codicil/internal/app/impact"
	"codicil/internal/app/judging"
	"codicil/internal/contract"
	"codicil/internal/fault"
	"codicil/internal/store"
	"codicil/internal/view"
	"context"
	"fmt"
	"slices"
	"strings"
	"time"
)

// Service serves these use cases.
type Service struct {
	base   *judging.Service
	impact *impact.Service
}

// New returns the use cases.
func New(j *judging.Service, i *impact.Service) *Service { return &Service{j, i} }

// List returns all rules of a kind.
func (s *Service) List(ctx context.Context, kind string) ([]contract.RuleView, error) {
	if err := access.Need(ctx, actor.RulesRead); err != nil {
		return nil, err
	}
	if kind == "" {
		return listAll(ctx, s)
	}
	b, err := s.base.Cache.SeenBook(ctx, kind)
	if err != nil {
		return nil, err
	}
	m, err := s.base.Cache.Reference(ctx)
	if err != nil {
		return nil, err
	}
	wording := m.Wording(b.Vocabulary.Kind, actor.Of(ctx).Format)
	proofs, err := s.base.Store.ProofsByRule(ctx, kind)
	if err != nil {
		return nil, err
	}
	changed, err := s.base.Store.LastChanges(ctx, kind)
	if err != nil {
		return nil, err
	}
	uses, err := s.base.Store.RuleUses(ctx)
	if err != nil {
		return nil, err
	}
	in, err := s.base.Store.InCodicils(ctx, "rule")
	return view.List(b.Rules, func(c *rule.Compiled) contract.RuleView {
		shown := view.Rule(c, wording, proofs[c.ID])
		shown.Codicils = inCodicils(in, c.ID)
		view.LastChange(&shown, changed[c.ID])
		shown.Use = used(uses, c.ID)
		return shown
	}), err
}

// used shows what came of a rule.
func used(uses map[int64]store.RuleUse, id int64) *contract.RuleUse {
	u := uses[id]
	return &contract.RuleUse{Acted: u.Acted, Last: u.Last, Standing: u.Standing, Since: uses[0].Since}
}

func listAll(ctx context.Context, s *Service) ([]contract.RuleView, error) {
	m, err := s.base.Cache.Reference(ctx)
	if err != nil {
		return nil, err
	}
	all := []contract.RuleView{}
	for _, k := range m.Kinds {
		rules, err := s.List(ctx, k.Key)
		if err != nil {
			return nil, err
		}
		all = append(all, rules...)
	}
	return all, nil
}

// Get returns one rule.
func (s *Service) Get(ctx context.Context, id int64) (contract.RuleView, error) {
	if err := access.Need(ctx, actor.RulesRead); err != nil {
		return contract.RuleView{}, err
	}
	r, err := s.base.KeptRule(ctx, id)
	if err != nil {
		return contract.RuleView{}, err
	}
	uses, err := s.base.Store.RuleUses(ctx)
	if err != nil {
		return contract.RuleView{}, err
	}
	shown, err := s.show(ctx, r)
	if err != nil {
		return shown, err
	}
	shown.Use = used(uses, id)
	return shown, err
}

// inCodicils names the codicils that are not ended and change a rule.
func inCodicils(in map[store.Thing][]store.Codicil, id int64) []contract.CodicilRef {
	return judging.CodicilRefs(in[store.Thing{What: "rule", Key: fmt.Sprint(id)}])
}

// show shows a rule that is kept. Cost: as that of showAll.
func (s *Service) show(ctx context.Context, r rule.Rule) (contract.RuleView, error) {
	shown, err := showAll(ctx, s, []rule.Rule{r})
	if err != nil {
		return contract.RuleView{}, err
	}
	return shown[0], nil
}

// showAll shows rules that are kept. Cost: those, the proofs of their kinds, and the changes of all codicils that are not ended.
func showAll(ctx context.Context, s *Service, rules []rule.Rule) ([]contract.RuleView, error) {
	shown, err := tellAll(ctx, s, rules)
	if err != nil {
		return nil, err
	}
	in, err := s.base.Store.InCodicils(ctx, "rule")
	for i := range shown {
		shown[i].Codicils = inCodicils(in, rules[i].ID)
	}
	return shown, err
}

func tellAll(ctx context.Context, s *Service, rules []rule.Rule) ([]contract.RuleView, error) {
	m, err := s.base.Cache.Seen(ctx)
	if err != nil {
		return nil, err
	}
	shown, proofs := make([]contract.RuleView, len(rules)), map[string]map[int64][]int64{}
	for i, r := range rules {
		if proofs[r.Kind] == nil {
			if proofs[r.Kind], err = s.base.Store.ProofsByRule(ctx, r.Kind); err != nil {
				return nil, err
			}
		}
		c, err := s.compile(ctx, judging.Ours(ctx, r))
		if err != nil {
			return nil, err
		}
		shown[i] = view.Rule(c.Compiled, m.Wording(c.kind, actor.Of(ctx).Format), proofs[r.Kind][r.ID])
	}
	return shown, nil
}

type compiled struct {
	*rule.Compiled
	kind *record.Kind
	book *plan.Book
}

func (s *Service) compile(ctx context.Context, r rule.Rule) (compiled, error) {
	b, err := s.base.Cache.Book(ctx, r.Kind)
	if err != nil {
		return compiled{}, err
	}
	return compiled{rule.Compile(r, b.Vocabulary), b.Vocabulary.Kind, b}, nil
}

// Read tells how a rule reads and what is wrong with it. Nothing is kept.
func (s *Service) Read(ctx context.Context, change contract.RuleChange) (contract.RuleView, error) {
	if err := access.Need(ctx, actor.RulesRead); err != nil {
		return contract.RuleView{}, err
	}
	r := judging.Changed(change)
	for _, company := range r.Scope.Companies {
		if err := access.Company(ctx, company); err != nil {
			return contract.RuleView{}, err
		}
	}
	if r.ID != 0 {
		kept, err := s.base.KeptRule(ctx, r.ID)
		if err != nil {
			return contract.RuleView{}, err
		}
		r.State = kept.State
	}
	told, err := tellAll(ctx, s, []rule.Rule{r})
	if err != nil {
		return contract.RuleView{}, err
	}
	return told[0], nil
}

// Create keeps a new rule as a draft, with whatever errors it has.
func (s *Service) Create(ctx context.Context, change contract.RuleChange) (contract.RuleView, error) {
	if err := access.Need(ctx, actor.RulesChange); err != nil {
		return contract.RuleView{}, err
	}
	r := judging.Changed(change)
	r.ID, r.UID = 0, change.UID
	err := s.base.Line.Alone(ctx, func(ctx context.Context) (*commit.Change, error) {
		if err := s.complete(ctx, &r); err != nil {
			return nil, err
		}
		by, err := s.base.Line.Stamp(ctx)
		return &commit.Change{
			Write: func(ctx context.Context, tx *store.Store) (err error) {
				r, err = tx.AddRule(ctx, r, by)
				return err
			},
			Done: func() { s.base.Cache.PutRules(ctx, r) },
		}, err
	})
	if err != nil {
		return contract.RuleView{}, err
	}
	return s.show(ctx, r)
}

// changing returns a rule that who asks may change.
func changing(ctx context.Context, j *judging.Service, id int64) (rule.Rule, error) {
	r, err := j.KeptRule(ctx, id)
	if err != nil {
		return r, err
	}
	return r, access.Companies(ctx, r.Scope.Companies)
}

// complete refuses what cannot even be a draft and gives the rule a name.
// before is the name that was proposed for the rule before the change.
func (s *Service) complete(ctx context.Context, r *rule.Rule) error {
	if err := access.Companies(ctx, r.Scope.Companies); err != nil {
		return err
	}
	c, err := s.compile(ctx, *r)
	if err != nil {
		return err
	}
	if c.Field < 0 {
		return fault.Bad(unknownFieldRules, c.kind.Noun(), r.Target)
	}
	if !slices.Contains(rule.Families, r.Family) {
		return fault.Bad(unknownFamily, r.Family)
	}
	if !rule.IsNamed(c.Compiled) {
		r.Name = rule.ProposeName(c.Compiled)
	}
	return nil
}

// Change keeps a changed rule. One in force must stay sound, and asks as much as putting
// one in force.
func (s *Service) Change(ctx context.Context, id int64, change contract.RuleChange) (contract.RuleView, error) {
	if err := access.Need(ctx, actor.RulesChange); err != nil {
		return contract.RuleView{}, err
	}
	return s.changeRule(ctx, func() (rule.Rule, error) {
		kept, err := changing(ctx, s.base, id)
		if err != nil {
			return kept, err
		}
		if kept.State == rule.Retired {
			return kept, fault.Hindered(retired)
		}
		if change.Version != kept.Version {
			return kept, fault.Hindered(fault.Stale)
		}
		r := judging.Changed(change)
		r.ID, r.State, r.Reason = id, kept.State, kept.Reason
		if r.Kind != kept.Kind {
			return r, fault.Bad(kindChanged)
		}
		if err := s.complete(ctx, &r); err != nil {
			return r, err
		}
		if r.State != rule.InForce || saysSame(&r, &kept) {
			return r, nil
		}
		r.Reason = strings.TrimSpace(change.Reason)
		return r, s.mayAct(ctx, r, judging.LongestLook)
	})
}

// changeRule writes the next version of a rule that judge returns, as it should be.
func (s *Service) changeRule(ctx context.Context, judge func() (rule.Rule, error)) (contract.RuleView, error) {
	var kept rule.Rule
	err := s.base.Line.Commit(ctx, func(ctx context.Context) (*commit.Change, error) {
		version, _, err := s.base.Cache.Version(ctx)
		if err != nil {
			return nil, err
		}
		r, err := judge()
		if err != nil {
			return nil, err
		}
		by, err := s.base.Line.Stamp(ctx)
		return &commit.Change{
			Reads: commit.NewReadSet(version.Book),
			Write: func(ctx context.Context, tx *store.Store) (err error) {
				kept, err = tx.ChangeRule(ctx, r, by)
				return err
			},
			Done: func() { s.base.Cache.PutRules(ctx, kept) },
		}, err
	})
	if err != nil {
		return contract.RuleView{}, err
	}
	return s.show(ctx, kept)
}

// Move puts a rule in another state of its life.
func (s *Service) Move(ctx context.Context, id int64, move contract.RuleMove) (contract.RuleView, error) {
	need := []actor.Permission{actor.RulesForce}
	if s.base.Store.View() != nil { // nothing of it holds yet
		need = append(need, actor.RulesChange)
	}
	if err := access.Need(ctx, need...); err != nil {
		return contract.RuleView{}, err
	}
	kept, err := changing(ctx, s.base, id)
	if err != nil {
		return contract.RuleView{}, err
	}
	if kept.State == move.State {
		return s.show(ctx, kept)
	}
	return s.changeRule(ctx, func() (rule.Rule, error) {
		r, err := changing(ctx, s.base, id)
		if err != nil {
			return r, err
		}
		if r, err = moving(r, move); err != nil || r.State != rule.InForce {
			return r, err
		}
		return r, s.mayAct(ctx, r, judging.LongestLook)
	})
}

// moving returns a rule as it is in another state, which it may still not be put in.
func moving(r rule.Rule, move contract.RuleMove) (rule.Rule, error) {
	if !r.State.MayBecome(move.State) {
		return r, fault.Hindered(wrongState, r.State, move.State)
	}
	if move.Version != r.Version {
		return r, fault.Hindered(fault.Stale)
	}
	if r.State = move.State; r.State == rule.InForce {
		r.Reason = strings.TrimSpace(move.Reason)
	}
	return r, nil
}

// mayAct refuses a rule that cannot be in force as it stands, and asks for a reason where
// proofs or saved records speak against it.
func (s *Service) mayAct(ctx context.Context, r rule.Rule, look time.Duration) error {
	if s.base.Store.View() != nil { // the codicil is checked as a whole, and need not be finished until then
		return nil
	}
	if err := s.MayBeInForce(ctx, r); err != nil {
		return err
	}
	return s.asksReason(ctx, r, look)
}

// asksReason asks for a reason where proofs or saved records speak against a rule that can be in force; look is how long
// saved records may be looked at.
func (s *Service) asksReason(ctx context.Context, r rule.Rule, look time.Duration) error {
	if err := s.impact.Keys(ctx, r); err != nil || r.Reason != "" {
		return err
	}
	return s.impact.Confirm(ctx, r, look)
}

// MayBeInForce refuses a rule with errors, and one that would make fields wait
// for each other.
func (s *Service) MayBeInForce(ctx context.Context, r rule.Rule) error {
	r.State = rule.InForce
	refused, err := Refused(ctx, s, []rule.Rule{r})
	if err == nil && refused[r.ID] != nil {
		return refused[r.ID]
	}
	return err
}

// Resume forgets the keys that unique rules needed which are no more. Cost: the rules, and those keys.
func (s *Service) Resume(ctx context.Context) error {
	m, err := s.base.Cache.Reference(ctx)
	if err != nil {
		return err
	}
	for i := range m.Kinds {
		b, err := s.base.Cache.Book(ctx, m.Kinds[i].Key)
		if err != nil {
			return err
		}
		var asked []match.Unique
		for _, c := range b.Rules {
			if c.State != rule.Retired && len(c.Unique) > 0 {
				asked = append(asked, c.UniqueBy())
			}
		}
		if err := s.base.Store.KeepUnique(ctx, m.Kinds[i].Key, asked); err != nil {
			return err
		}
	}
	return nil
}

// Discard removes a draft.
func (s *Service) Discard(ctx context.Context, id int64) error {
	if err := access.Need(ctx, actor.RulesChange); err != nil {
		return err
	}
	return s.base.Line.Book(ctx, func() (func(tx *store.Store, by record.Stamp) error, error) {
		r, err := changing(ctx, s.base, id)
		if err != nil {
			return nil, err
		}
		if r.State != rule.Draft {
			return nil, fault.Hindered(notADraft)
		}
		return func(tx *store.Store, by record.Stamp) error { return tx.DeleteRule(ctx, id, by) }, nil
	})
}

// Versions returns what the rule has been, newest first.
func (s *Service) Versions(ctx context.Context, id int64) ([]contract.RuleVersion, error) {
	if err := access.Need(ctx, actor.RulesRead); err != nil {
		return nil, err
	}
	r, err := s.base.KeptRule(ctx, id)
	if err != nil {
		return nil, err
	}
	b, err := s.base.Cache.Book(ctx, r.Kind)
	if err != nil {
		return nil, err
	}
	m, err := s.base.Cache.Reference(ctx)
	if err != nil {
		return nil, err
	}
	wording := m.Wording(b.Vocabulary.Kind, actor.Of(ctx).Format)
	rows, err := s.base.Store.RuleVersions(ctx, id)
	if err != nil {
		return nil, err
	}
	rows = slices.DeleteFunc(rows, func(v store.RuleVersion) bool { return !access.Touches(ctx, v.Scope.Companies) })
	codicils, err := s.base.Store.CodicilsNamed(ctx, view.List(rows, func(v store.RuleVersion) int64 { return v.Codicil }))
	return view.List(rows, func(v store.RuleVersion) contract.RuleVersion {
		told := view.RuleVersion(rule.Compile(judging.Ours(ctx, v.Rule), b.Vocabulary), wording, v.Changed)
		if c, known := codicils[v.Codicil]; known {
			told.Codicil = judging.CodicilRef(&c)
		}
		return told
	}), err
}

// mostVersions is how many versions of the rules on a field are listed.
const mostVersions = 200

// History returns what the rules on a field have been, of those that are retired too, newest
// change first. Cost: a read of the versions of each of its rules, and a compilation of each version.
func (s *Service) History(ctx context.Context, kind, key string) ([]contract.RuleVersion, error) {
	if err := access.Need(ctx, actor.RulesRead); err != nil {
		return nil, err
	}
	b, err := s.base.Cache.SeenBook(ctx, kind)
	if err != nil {
		return nil, err
	}
	place := b.Vocabulary.Kind.Index(key)
	if place < 0 {
		return nil, fault.Bad(fault.UnknownField, b.Vocabulary.Kind.Noun(), key)
	}
	all := []contract.RuleVersion{}
	for _, c := range b.Rules {
		if c.Field != place && !slices.Contains(c.Fields, place) {
			continue
		}
		versions, err := s.Versions(ctx, c.ID)
		if err != nil {
			return nil, err
		}
		all = append(all, versions...)
	}
	slices.SortStableFunc(all, func(a, b contract.RuleVersion) int { return b.ChangedAt.Compare(a.ChangedAt) })
	return all[:min(len(all), mostVersions)], nil
}

// Plan returns the rules of a scope by field and station. Drafts and suspended
// rules of the scope stand after those in force; retired ones are left out.
func (s *Service) Plan(ctx context.Context, kind, company, kindType string, day record.Day) (contract.Plan, error) {
	if err := access.NeedFor(ctx, kind, actor.RecordsRead, actor.RulesRead); err != nil {
		return contract.Plan{}, err
	}
	if err := access.Company(ctx, company); err != nil {
		return contract.Plan{}, err
	}
	book, err := s.base.Cache.SeenBook(ctx, kind)
	if err != nil {
		return contract.Plan{}, err
	}
	ref, err := s.base.Cache.Reference(ctx)
	if err != nil {
		return contract.Plan{}, err
	}
	scope, err := ref.Scope(book.Vocabulary.Kind, company, kindType, day)
	if err != nil {
		return contract.Plan{}, err
	}
	built := plan.Build(book, scope)
	return view.Plan(built, book, ref.Wording(built.Kind(), actor.Of(ctx).Format)), nil
}

// UsingField returns the rules, retired ones left out, that target or read a field; of any kind
// that links to it too. A rule uses the field when it is no longer sound without it. Cost: a
// compilation of every rule.
func (s *Service) UsingField(ctx context.Context, kind *record.Kind, key string) ([]rule.Rule, error) {
	ref, err := s.base.Cache.Reference(ctx)
	if err != nil {
		return nil, err
	}
	kinds := slices.Clone(ref.Kinds)
	without := &kinds[slices.IndexFunc(kinds, func(k record.Kind) bool { return k.Key == kind.Key })]
	without.Fields = slices.Delete(slices.Clone(without.Fields), kind.Index(key), kind.Index(key)+1)
	return s.worse(ctx, kinds, ref.Tables, func(now, then *rule.Compiled) bool { return len(then.Problems) > len(now.Problems) })
}

// Unsound returns the rules, retired ones left out, that are sound and would not be with other
// kinds or tables. Cost: a compilation of every rule.
func (s *Service) Unsound(ctx context.Context, kinds []record.Kind, tables *table.Set) ([]rule.Rule, error) {
	return s.worse(ctx, kinds, tables, func(now, then *rule.Compiled) bool { return now.Sound() && !then.Sound() })
}

func (s *Service) worse(ctx context.Context, kinds []record.Kind, tables *table.Set, worse func(now, then *rule.Compiled) bool) (found []rule.Rule, err error) {
	for i := range kinds {
		book, err := s.base.Cache.Book(ctx, kinds[i].Key)
		if err != nil {
			return nil, err
		}
		vocabulary := rule.NewVocabulary(&kinds[i], kinds, tables)
		for _, c := range book.Rules {
			if c.State != rule.Retired && worse(c, rule.Compile(c.Rule, vocabulary)) {
				found = append(found, c.Rule)
			}
		}
	}
	return found, nil
}

// Uses names rules that use something.
func Uses(rules []rule.Rule) []fault.Use {
	return view.List(rules, func(r rule.Rule) fault.Use {
		return fault.Use{What: "rule", Key: fmt.Sprint(r.ID), Title: r.Name}
	})
}

// InScope lists the rules, retired ones left out, whose scope names a company and type. A rule
// for all companies or types names none.
func (s *Service) InScope(ctx context.Context, kinds []record.Kind, names func(company, kindType string) bool) (uses []fault.Use, more int, err error) {
	for i := range kinds {
		rules, err := s.base.Store.Rules(ctx, kinds[i].Key)
		if err != nil {
			return nil, 0, err
		}
		uses = append(uses, Uses(slices.DeleteFunc(rules, func(r rule.Rule) bool { return r.State == rule.Retired || !scopeNames(r.Scope, names) }))...)
	}
	return uses, 0, nil
}

// OfField lists the rules that use a field.
func (s *Service) OfField(ctx context.Context, kind *record.Kind, key string) ([]fault.Use, error) {
	using, err := s.UsingField(ctx, kind, key)
	return Uses(using), err
}

// scopeNames tells whether a rule's scope names what is asked for.
func scopeNames(s rule.Scope, names func(company, kindType string) bool) bool {
	companies, types := s.Companies, s.Types
	if len(companies) == 0 {
		companies = []string{""}
	}
	if len(types) == 0 {
		types = []string{""}
	}
	for _, company := range companies {
		if slices.ContainsFunc(types, func(t string) bool { return names(company, t) }) {
			return true
		}
	}
	return false
}
