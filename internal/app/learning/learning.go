// Package learning looks through saved records for rules that they bear out, and makes drafts of those
// that a person accepts.
//
// It must never know how it is found what records bear out, which is core/learn. Start reading at
// Service.
package learning

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"slices"

	"codicil/core/feel"
	"codicil/core/field"
	"codicil/core/learn"
	"codicil/core/plan"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/core/table"
	"codicil/internal/access"
	"codicil/internal/actor"
	"codicil/internal/app/coverage"
	"codicil/internal/app/judging"
	"codicil/internal/app/proofs"
	"codicil/internal/app/rules"
	"codicil/internal/app/runs"
	"codicil/internal/app/tables"
	"codicil/internal/cache"
	"codicil/internal/contract"
	"codicil/internal/fault"
	"codicil/internal/store"
	"codicil/internal/view"
)

// Service serves these use cases.
type Service struct {
	base     *judging.Service
	runs     *runs.Service
	rules    *rules.Service
	tables   *tables.Service
	proofs   *proofs.Service
	coverage *coverage.Service
}

// New returns the use cases.
func New(j *judging.Service, w *runs.Service, r *rules.Service, t *tables.Service, p *proofs.Service, c *coverage.Service) *Service {
	return &Service{j, w, r, t, p, c}
}

// mostRevised is of how many records earlier versions are looked at.
const mostRevised = 3_000

// may says whether who asks may learn from records: of all companies, as what is learned holds for all.
func may(ctx context.Context, p actor.Permission) error {
	if err := access.Need(ctx, p); err != nil {
		return err
	}
	return access.Companies(ctx, nil)
}

// Start begins a run that looks through all records of a kind. Cost: reading them, and those that they
// link to; see learn.Learner.
func (s *Service) Start(ctx context.Context, key string) (contract.Run, error) {
	if err := may(ctx, actor.RulesRead); err != nil {
		return contract.Run{}, err
	}
	ref, kind, err := s.base.KindOf(ctx, key)
	if err != nil {
		return contract.Run{}, err
	}
	r, err := s.runs.Start(ctx, string(contract.RunWhatLearn), kind.Plural, runs.Subject{}, func(ctx context.Context, w *runs.Writer) error {
		return s.work(ctx, ref, kind, w)
	})
	return runs.Shown(&r), err
}

// often is after how many records a run tells how far it is.
const often = 500

func (s *Service) work(ctx context.Context, ref *cache.Reference, kind *record.Kind, w *runs.Writer) error {
	total, err := s.base.Store.CountRecords(ctx, kind.Key, nil)
	if err != nil {
		return err
	}
	w.Total(total)
	l := learn.New(kind, ref.Kinds, ref.Companies)
	for _, linked := range l.Links() {
		if err := s.link(ctx, l, ref, linked); err != nil {
			return err
		}
	}
	counts := runs.Counts{"records": 0, "proposals": 0}
	revised := 0
	for r, err := range s.base.Store.Records(ctx, kind.Key, nil) {
		if err != nil {
			return err
		}
		if r.State == record.Reversed || r.Reverses != "" {
			continue // what was taken back bears nothing out
		}
		l.Add(r)
		if r.Version > 1 && revised < mostRevised {
			revised++
			versions, err := s.base.Store.RecordVersions(ctx, r.Kind, r.Number)
			if err != nil {
				return err
			}
			if len(versions) > 1 { // the newest first
				l.Revised(&versions[len(versions)-1].Content, &versions[0].Content)
			}
		}
		if counts["records"]++; counts["records"]%often == 0 {
			if err := w.Came(ctx, counts["records"], counts); err != nil {
				return err
			}
		}
	}
	found, err := l.Propose(ctx)
	if err != nil {
		return err
	}
	found = slices.DeleteFunc(found, func(p learn.Proposal) bool { return !s.sound(ref, kind, &p) })
	counts["proposals"] = len(found)
	learned := store.Learned{Run: w.ID(), At: store.Instant(s.base.Clock()), Seen: l.Seen}
	for i := range found {
		of := store.LearnedRule{Proposal: found[i]}
		if err := s.agreement(ctx, kind, &of); err != nil {
			return err
		}
		learned.Proposals = append(learned.Proposals, of)
	}
	if err := s.base.Store.SaveLearned(ctx, kind.Key, learned); err != nil {
		return err
	}
	return w.Came(ctx, counts["records"], counts)
}

// agreement counts for how many of the records in the sample the rules in force give the value that is
// there, where nobody gives it. Cost: judging them.
func (s *Service) agreement(ctx context.Context, kind *record.Kind, of *store.LearnedRule) error {
	if !gives(of.Rule.Family) || of.Series != nil {
		return nil
	}
	book, err := s.base.Cache.Book(ctx, kind.Key)
	if err != nil {
		return err
	}
	target := kind.Field(of.Rule.Target)
	if target == nil || !slices.ContainsFunc(book.Rules, func(c *rule.Compiled) bool {
		return c.State == rule.InForce && c.Target == of.Rule.Target && gives(c.Family)
	}) {
		return nil
	}
	for _, at := range of.Sample {
		r, err := s.base.Store.Record(ctx, kind.Key, at.Number)
		if err != nil {
			continue // it is gone since
		}
		d := judging.DocumentOf(kind, &r)
		d.Record = ""
		clear(&d, kind, of.Rule.Target, at.Line)
		t, err := s.base.Try(ctx, d, judging.Ask{Moment: rule.Typing, NoTrace: true})
		if err != nil {
			if ctx.Err() != nil {
				return err
			}
			continue
		}
		content := t.Judged.Content("", "")
		is := content.Get(target, at.Line)
		if is == "" {
			continue // no rule says anything of it
		}
		of.Asked++
		if is == r.Content.Get(target, at.Line) {
			of.Agree++
		}
	}
	return nil
}

// link tells the learner the records of a kind that links lead to, and what some of them were before.
func (s *Service) link(ctx context.Context, l *learn.Learner, ref *cache.Reference, key string) error {
	kind, err := ref.Kind(key)
	if err != nil {
		return err
	}
	revised := 0
	for r, err := range s.base.Store.Records(ctx, key, nil) {
		if err != nil {
			return err
		}
		l.Link(r)
		if r.Version < 2 || revised >= mostRevised {
			continue
		}
		revised++
		versions, err := s.base.Store.RecordVersions(ctx, key, r.Number)
		if err != nil {
			return err
		}
		for i := range versions[:max(0, len(versions)-1)] {
			for _, c := range record.Changes(kind, &versions[i+1].Content, &versions[i].Content) {
				if c.Line == 0 && c.Before != "" {
					l.Formerly(key, r.Number, c.Field, c.Before)
				}
			}
		}
	}
	return nil
}

// with are the tables with those that a proposal brings.
func with(ref *cache.Reference, p *learn.Proposal) *table.Set {
	t := *ref.Tables
	if p.Crosswalk != nil {
		t.Crosswalks = append(slices.Clone(t.Crosswalks), *p.Crosswalk)
	}
	if p.Series != nil {
		t.Series = append(slices.Clone(t.Series), *p.Series)
	}
	return &t
}

func compiled(ref *cache.Reference, kind *record.Kind, p *learn.Proposal) *rule.Compiled {
	return rule.Compile(rule.Rule{State: rule.Draft, Body: p.Rule}, rule.NewVocabulary(kind, ref.Kinds, with(ref, p)))
}

// sound tells whether a proposal can be made by the tables and fields of now. A key that is taken gets
// another one first.
func (s *Service) sound(ref *cache.Reference, kind *record.Kind, p *learn.Proposal) bool {
	free(ref, p)
	p.Instead = slices.DeleteFunc(p.Instead, func(o learn.Proposal) bool {
		free(ref, &o)
		return !compiled(ref, kind, &o).Sound()
	})
	return compiled(ref, kind, p).Sound()
}

// keyOf names a proposal by what it says, so that it is the same when it is learned again.
func keyOf(p *learn.Proposal) string {
	text, err := json.Marshal(p.Rule)
	if err != nil {
		return ""
	}
	sum := sha256.Sum256(text)
	return hex.EncodeToString(sum[:8])
}

// Get returns what was learned of a kind last.
func (s *Service) Get(ctx context.Context, key string, format *field.Format) (contract.Learned, error) {
	answer := contract.Learned{Kind: key, Proposals: []contract.LearnedProposal{}}
	if err := may(ctx, actor.RulesRead); err != nil {
		return answer, err
	}
	ref, kind, err := s.base.KindOf(ctx, key)
	if err != nil {
		return answer, err
	}
	learned, err := s.base.Store.Learned(ctx, key)
	if err != nil || learned == nil {
		return answer, err
	}
	asides, err := s.base.Store.LearnedAsides(ctx, key)
	if err != nil {
		return answer, err
	}
	book, err := s.base.Cache.SeenBook(ctx, key)
	if err != nil {
		return answer, err
	}
	answer.Run, answer.Seen = learned.Run, learned.Seen
	at := view.At(record.Stamp{At: learned.At})
	answer.At = &at
	v := &viewer{ref: ref, kind: kind, book: book, links: s.base.Links(ctx, ref, ""), wording: ref.Wording(kind, format.OrPlain())}
	for i := range learned.Proposals {
		p := &learned.Proposals[i]
		c := compiled(ref, kind, &p.Proposal)
		if !c.Sound() {
			continue // fields or tables are others since
		}
		shown := v.proposal(&p.Proposal, c)
		v.agreed(p, &shown)
		shown.Aside = asides[shown.Key].Reason
		for j := range p.Instead {
			if c := compiled(ref, kind, &p.Instead[j]); c.Sound() {
				shown.Instead = append(shown.Instead, v.proposal(&p.Instead[j], c))
			}
		}
		answer.Proposals = append(answer.Proposals, shown)
	}
	return answer, v.links.Err()
}

// List returns what was learned of each kind, and where records and rules have drifted apart.
func (s *Service) List(ctx context.Context, format *field.Format) ([]contract.LearnedSummary, error) {
	all := []contract.LearnedSummary{}
	if err := may(ctx, actor.RulesRead); err != nil {
		return all, err
	}
	ref, err := s.base.Cache.Reference(ctx)
	if err != nil {
		return all, err
	}
	for i := range ref.Kinds {
		l, err := s.Get(ctx, ref.Kinds[i].Key, format)
		if err != nil {
			return all, err
		}
		if l.At == nil {
			continue
		}
		summary := contract.LearnedSummary{Kind: l.Kind, At: *l.At, Seen: l.Seen, Drifted: []contract.LearnedProposal{}}
		for _, p := range l.Proposals {
			switch {
			case p.Aside != "":
			case ruled(&p):
			default:
				summary.Open++
				if drifted(&p) {
					summary.Drifted = append(summary.Drifted, p)
				}
			}
		}
		all = append(all, summary)
	}
	return all, nil
}

// ruled tells whether a rule says what a proposal does, or more.
func ruled(p *contract.LearnedProposal) bool {
	return slices.ContainsFunc(p.Existing, func(e contract.LearnedExisting) bool {
		return e.Relation == "same" || e.Relation == "wider"
	})
}

// drifted tells whether the rules in force give other values than records have.
func drifted(p *contract.LearnedProposal) bool { return p.Asked >= 10 && p.Agree*10 < p.Asked*7 }

// viewer shows proposals to a person.
type viewer struct {
	ref     *cache.Reference
	kind    *record.Kind
	book    *plan.Book
	links   *judging.Links
	wording rule.Wording
}

func (v *viewer) proposal(p *learn.Proposal, c *rule.Compiled) contract.LearnedProposal {
	shown := contract.LearnedProposal{
		Key: keyOf(p), Form: contract.LearnedProposalForm(p.Form), Family: string(p.Rule.Family), Target: p.Rule.Target, Sentence: rule.Sentence(c, v.wording), Formula: formulaOf(&p.Rule),
		Holds: p.Holds, Breaks: p.Breaks, Reads: append([]string{}, p.Reads...), Unsure: p.Unsure, Exceptions: []contract.LearnedException{}, Existing: v.existing(c), Instead: []contract.LearnedProposal{},
	}
	for _, at := range p.Exceptions {
		shown.Exceptions = append(shown.Exceptions, contract.LearnedException{Number: at.Number, Title: v.links.Title(v.kind.Key, at.Number), Line: at.Line})
		if len(shown.Exceptions) == fault.MostUses {
			break
		}
	}
	if p.Crosswalk != nil {
		shown.Table, shown.Rows = p.Crosswalk.Label, len(p.Crosswalk.Rows)
	}
	if p.Series != nil {
		shown.Table = p.Series.Label
	}
	return shown
}

// agreed says of the rules in force what they make of the records: one that gives what is there says the
// same, however it is written.
func (v *viewer) agreed(p *store.LearnedRule, shown *contract.LearnedProposal) {
	shown.Asked, shown.Agree = p.Asked, p.Agree
	if p.Asked == 0 || p.Agree*20 < p.Asked*19 {
		return
	}
	for i := range shown.Existing {
		if e := &shown.Existing[i]; e.State == string(rule.InForce) && e.Relation != "same" {
			e.Relation = "wider"
		}
	}
}

// formulaOf is the formula by which a rule does what it does.
func formulaOf(b *rule.Body) string {
	if b.Effect.Must != "" {
		return b.Effect.Must
	}
	return b.Effect.Value
}

// existing are the rules on the field that say the same, more or less.
func (v *viewer) existing(c *rule.Compiled) []contract.LearnedExisting {
	found := []contract.LearnedExisting{}
	for _, other := range v.book.Rules {
		if other.State == rule.Retired {
			continue
		}
		relation := related(c, other)
		if relation == "" {
			continue
		}
		found = append(found, contract.LearnedExisting{Rule: other.ID, State: string(other.State), Relation: contract.LearnedExistingRelation(relation), Sentence: rule.Sentence(other, v.wording)})
	}
	order := []contract.LearnedExistingRelation{"same", "wider", "narrower", "other"}
	slices.SortStableFunc(found, func(a, b contract.LearnedExisting) int {
		return slices.Index(order, a.Relation) - slices.Index(order, b.Relation)
	})
	return found
}

// gives tells whether a family gives fields their values.
func gives(f rule.Family) bool {
	return slices.Contains([]rule.Family{rule.Source, rule.Default, rule.Compute, rule.Substitute}, f)
}

// related tells how a rule that is there stands to a proposed one: "same", "wider" where it holds for
// more, "narrower" for less, "other" where it says something else of the field; "": nothing.
func related(c, other *rule.Compiled) string {
	if other.Target != c.Target {
		if other.Family == c.Family && c.Family == rule.Validate && sameFormula(other.Must, c.Must) {
			return "same" // a check of two fields may point to either
		}
		return ""
	}
	switch {
	case gives(c.Family) && gives(other.Family):
		if !sameFormula(other.Value, c.Value) || other.Effect.Series != c.Effect.Series && c.Effect.Value == "" {
			return "other"
		}
	case c.Family != other.Family:
		return ""
	case c.Family == rule.Entry:
		if other.Effect.Need != c.Effect.Need && other.Effect.Access != c.Effect.Access {
			return ""
		}
		if other.Effect.Need != c.Effect.Need || other.Effect.Access != c.Effect.Access {
			return "other"
		}
	case (other.Effect.Unique == nil) != (c.Effect.Unique == nil):
		return ""
	case c.Effect.Unique != nil:
		if !sameSet(other.Effect.Unique.With, c.Effect.Unique.With) {
			return "other"
		}
	case !sameFormula(other.Must, c.Must):
		return "other"
	}
	return width(c, other)
}

// width compares for how much two rules of the same effect hold.
func width(c, other *rule.Compiled) string {
	within := func(a, b []string) bool { // b holds for all that a does
		return len(b) == 0 || len(a) > 0 && !slices.ContainsFunc(a, func(key string) bool { return !slices.Contains(b, key) })
	}
	wider := within(c.Scope.Companies, other.Scope.Companies) && within(c.Scope.Types, other.Scope.Types) && (other.When == nil || sameFormula(other.When, c.When))
	narrower := within(other.Scope.Companies, c.Scope.Companies) && within(other.Scope.Types, c.Scope.Types) && (c.When == nil || sameFormula(other.When, c.When))
	switch {
	case wider && narrower:
		return "same"
	case wider:
		return "wider"
	case narrower:
		return "narrower"
	}
	return "other"
}

func sameSet(a, b []string) bool {
	return slices.Equal(slices.Sorted(slices.Values(a)), slices.Sorted(slices.Values(b)))
}

// sameFormula tells whether two formulas are the same but for the way they are written.
func sameFormula(a, b *feel.Program) bool {
	if a == nil || b == nil {
		return a == b
	}
	return feel.Format(a.Root()) == feel.Format(b.Root())
}
