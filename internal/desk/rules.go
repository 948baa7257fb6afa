package desk

import (
	"context"
	"slices"
	"strings"
	"unicode/utf16"

	"codicil/core/feel"
	"codicil/core/finding"
	"codicil/core/plan"
	"codicil/core/proof"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/internal/contract"
	"codicil/internal/store"
)

// view is a rule as people read it.
func view(c *rule.Compiled, names rule.Names, proofs []proof.Proof) contract.RuleView {
	v := contract.RuleView{
		Id: c.ID, Version: c.Version, State: c.State, Name: c.Name, Reason: c.Reason, Body: c.Body,
		ProposedName: rule.ProposeName(c, names.Kind), Sentence: rule.Sentence(c, names), Phrase: rule.Phrase(c, names.Kind),
		Problems: problemsOf(c), Sound: c.Sound(), Proofs: []int64{},
	}
	v.When, v.Must = c.Conditions("when"), c.Conditions("must")
	v.Reads = c.ReadFields()
	if c.Field >= 0 {
		field := &names.Kind.Fields[c.Field]
		if c.Remote != nil {
			field = c.Remote
		}
		v.Constant, v.IsConstant = rule.ConstantOf(c.Value, field)
		v.FieldValue, v.LookUp = c.ValueName(), c.LookUp()
	}
	for _, p := range proofs {
		if slices.Contains(p.Rules, c.ID) {
			v.Proofs = append(v.Proofs, p.ID)
		}
	}
	return v
}

func problemsOf(c *rule.Compiled) []contract.RuleProblem {
	texts := map[string]string{"when": c.Rule.When, "value": c.Effect.Value, "must": c.Effect.Must, "message": c.Effect.Message}
	return list(c.Advised(), func(p rule.Problem) contract.RuleProblem { return problemIn(texts[p.Part], p) })
}

// problemIn places a problem in the text of its formula as a browser counts.
func problemIn(text string, p rule.Problem) contract.RuleProblem {
	severity := contract.Error
	if p.Severity == feel.Warning {
		severity = contract.Warning
	}
	return contract.RuleProblem{
		Part: p.Part, Severity: severity, Code: p.Code, Message: p.Message, Suggestion: p.Suggestion,
		Start: units(text, p.Start), End: units(text, p.End), Line: p.Line, Column: p.Column,
	}
}

// units turns a byte offset into one that a browser counts by.
func units(text string, offset int) int {
	return len(utf16.Encode([]rune(text[:min(offset, len(text))])))
}

// Rules returns all rules of a kind.
func (d *Desk) Rules(ctx context.Context, kind string) ([]contract.RuleView, error) {
	b, err := d.book(ctx, kind)
	if err != nil {
		return nil, err
	}
	m, err := d.master(ctx)
	if err != nil {
		return nil, err
	}
	names := m.names(b.Vocabulary.Kind)
	proofs, err := d.store.Proofs(ctx, kind)
	if err != nil {
		return nil, err
	}
	views := make([]contract.RuleView, len(b.Rules))
	for i, c := range b.Rules {
		views[i] = view(c, names, proofs)
	}
	return views, nil
}

// Rule returns one rule.
func (d *Desk) Rule(ctx context.Context, id int64) (contract.RuleView, error) {
	r, err := d.store.Rule(ctx, id)
	if err != nil {
		return contract.RuleView{}, explain(err)
	}
	return d.show(ctx, r)
}

func (d *Desk) show(ctx context.Context, r rule.Rule) (contract.RuleView, error) {
	c, err := d.compile(ctx, r)
	if err != nil {
		return contract.RuleView{}, err
	}
	m, err := d.master(ctx)
	if err != nil {
		return contract.RuleView{}, err
	}
	proofs, err := d.store.Proofs(ctx, r.Kind)
	if err != nil {
		return contract.RuleView{}, err
	}
	return view(c.Compiled, m.names(c.kind), proofs), nil
}

type compiled struct {
	*rule.Compiled
	kind *record.Kind
	book *plan.Book
}

func (d *Desk) compile(ctx context.Context, r rule.Rule) (compiled, error) {
	b, err := d.book(ctx, r.Kind)
	if err != nil {
		return compiled{}, err
	}
	return compiled{rule.Compile(r, b.Vocabulary), b.Vocabulary.Kind, b}, nil
}

// changed makes the rule that a change asks for.
func changed(change contract.RuleChange) rule.Rule {
	return rule.Rule{ID: change.Id, Version: change.Version, State: rule.Draft, Name: strings.TrimSpace(change.Name), Body: change.Body}
}

// ReadRule tells how a rule reads and what is wrong with it. Nothing is kept.
func (d *Desk) ReadRule(ctx context.Context, change contract.RuleChange) (contract.RuleView, error) {
	r := changed(change)
	if r.ID != 0 {
		kept, err := d.store.Rule(ctx, r.ID)
		if err != nil {
			return contract.RuleView{}, explain(err)
		}
		r.State = kept.State
	}
	return d.show(ctx, r)
}

// CreateRule keeps a new rule as a draft, with whatever errors it has.
func (d *Desk) CreateRule(ctx context.Context, change contract.RuleChange) (view contract.RuleView, err error) {
	r := changed(change)
	r.ID = 0
	err = d.alone(ctx, func() (*pending, error) {
		if err := d.complete(ctx, &r, ""); err != nil {
			return nil, err
		}
		return &pending{
			write: func(tx *store.Store) (err error) {
				r, err = tx.AddRule(ctx, r, d.clock(), d.user)
				return err
			},
			done: func() { d.rewrite(r) },
		}, nil
	})
	if err != nil {
		return contract.RuleView{}, err
	}
	return d.show(ctx, r)
}

// complete refuses what cannot even be a draft and gives the rule a name.
// before is the name that was proposed for the rule before the change.
func (d *Desk) complete(ctx context.Context, r *rule.Rule, before string) error {
	c, err := d.compile(ctx, *r)
	if err != nil {
		return err
	}
	if c.Field < 0 {
		return invalid("unknown-field", "a %s has no field %q to write a rule for", c.kind.Noun(), r.Target)
	}
	if !slices.Contains(rule.Families, r.Family) {
		return invalid("unknown-family", "there is no rule family %q", r.Family)
	}
	if r.Name == "" || r.Name == before {
		r.Name = rule.ProposeName(c.Compiled, c.kind)
	}
	return nil
}

// ChangeRule keeps a changed rule. One in force must stay sound, and asks as much as putting
// one in force.
func (d *Desk) ChangeRule(ctx context.Context, id int64, change contract.RuleChange) (contract.RuleView, error) {
	return d.changeRule(ctx, func() (rule.Rule, error) {
		kept, err := d.store.Rule(ctx, id)
		if err != nil {
			return kept, explain(err)
		}
		if kept.State == rule.Retired {
			return kept, &Error{Reason: Conflict, Code: "retired", Detail: "a retired rule cannot be changed; take it up again as a draft first"}
		}
		if change.Version != kept.Version {
			return kept, explain(store.ErrStale)
		}
		r := changed(change)
		r.ID, r.State, r.Reason = id, kept.State, kept.Reason
		if r.Kind != kept.Kind {
			return r, invalid("kind-changed", "a rule stays with its kind of record; write a new one")
		}
		was, err := d.compile(ctx, kept)
		if err != nil {
			return r, err
		}
		if err := d.complete(ctx, &r, rule.ProposeName(was.Compiled, was.kind)); err != nil {
			return r, err
		}
		if r.State != rule.InForce || plan.SameBody(&r.Body, &kept.Body) {
			return r, nil
		}
		r.Reason = strings.TrimSpace(change.Reason)
		return r, d.mayAct(ctx, r)
	})
}

// changeRule writes the next version of a rule that judge returns, as it should be.
func (d *Desk) changeRule(ctx context.Context, judge func() (rule.Rule, error)) (contract.RuleView, error) {
	var r rule.Rule
	err := d.commit(ctx, func() (*pending, error) {
		book, _, err := d.version(ctx)
		if err != nil {
			return nil, err
		}
		if r, err = judge(); err != nil {
			return nil, err
		}
		return &pending{
			reads: newReadSet(book),
			write: func(tx *store.Store) (err error) {
				r, err = tx.ChangeRule(ctx, r, d.clock(), d.user)
				return err
			},
			done: func() { d.rewrite(r) },
		}, nil
	})
	if err != nil {
		return contract.RuleView{}, err
	}
	return d.show(ctx, r)
}

// MoveRule puts a rule in another state of its life.
func (d *Desk) MoveRule(ctx context.Context, id int64, move contract.RuleMove) (contract.RuleView, error) {
	kept, err := d.store.Rule(ctx, id)
	if err != nil {
		return contract.RuleView{}, explain(err)
	}
	if kept.State == move.State {
		return d.show(ctx, kept)
	}
	return d.changeRule(ctx, func() (rule.Rule, error) {
		r, err := d.store.Rule(ctx, id)
		if err != nil {
			return r, explain(err)
		}
		if !r.State.MayBecome(move.State) {
			return r, &Error{Reason: Conflict, Code: "wrong-state", Detail: "a rule that is " + string(r.State) + " cannot become " + string(move.State)}
		}
		if move.Version != r.Version {
			return r, explain(store.ErrStale)
		}
		r.State = move.State
		if move.State != rule.InForce {
			return r, nil
		}
		r.Reason = strings.TrimSpace(move.Reason)
		return r, d.mayAct(ctx, r)
	})
}

// mayAct refuses a rule that cannot be in force as it stands, and asks for a reason where
// proofs or saved records speak against it.
func (d *Desk) mayAct(ctx context.Context, r rule.Rule) error {
	if err := d.mayBeInForce(ctx, r); err != nil || r.Reason != "" {
		return err
	}
	return d.isConfirmed(ctx, r)
}

// mayBeInForce refuses a rule with errors, and one that would make fields wait
// for each other.
func (d *Desk) mayBeInForce(ctx context.Context, r rule.Rule) error {
	c, err := d.compile(ctx, r)
	if err != nil {
		return err
	}
	if !c.Sound() {
		return &Error{Reason: Invalid, Code: "unsound-rule", Detail: "the rule has errors and cannot be in force; mend them or keep it as a draft", Problems: problemsOf(c.Compiled)}
	}
	m, err := d.master(ctx)
	if err != nil {
		return err
	}
	companies, types := m.companies, m.types[r.Kind]
	book := c.book.With(r)
	for i := range companies {
		for j := range types {
			if !types[j].UsedIn(companies[i].Key) {
				continue
			}
			p := loopIn(book, c.Compiled, plan.Scope{Company: &companies[i], Type: &types[j], Day: d.today(&companies[i])})
			if p != nil {
				return &Error{Reason: Invalid, Code: "loop", Detail: "with this rule fields would wait for each other: " + p.Loop.Describe(c.kind) + ". Read entered." + r.Target + " or another field instead"}
			}
		}
	}
	return nil
}

// DiscardRule removes a draft.
func (d *Desk) DiscardRule(ctx context.Context, id int64) error {
	return d.bookChange(ctx, func() (func(tx *store.Store) error, error) {
		r, err := d.store.Rule(ctx, id)
		if err != nil {
			return nil, explain(err)
		}
		if r.State != rule.Draft {
			return nil, &Error{Reason: Conflict, Code: "not-a-draft", Detail: "only a draft can be discarded; retire this rule instead, so that its history stays"}
		}
		return func(tx *store.Store) error { return tx.DeleteRule(ctx, id) }, nil
	})
}

// loopIn builds the plans of a scope on every day from which another set of rules holds, as
// long as the rule does, and returns the first in which fields wait for each other; nil: none.
// Cost: a plan for each rule that begins or ends on a day.
func loopIn(book *plan.Book, c *rule.Compiled, s plan.Scope) *plan.Plan {
	days := map[record.Day]bool{max(s.Day, c.Scope.From): true}
	for _, other := range book.Rules {
		if other.State == rule.InForce && other.Scope.From > s.Day {
			days[other.Scope.From] = true
		}
	}
	for day := range days {
		s.Day = day
		if !plan.Covers(c, s) {
			continue
		}
		if p := plan.Build(book, s); p.Loop != nil {
			return p
		}
	}
	return nil
}

// RuleVersions returns what the rule has been, newest first.
func (d *Desk) RuleVersions(ctx context.Context, id int64) ([]contract.RuleVersion, error) {
	r, err := d.store.Rule(ctx, id)
	if err != nil {
		return nil, explain(err)
	}
	b, err := d.book(ctx, r.Kind)
	if err != nil {
		return nil, err
	}
	m, err := d.master(ctx)
	if err != nil {
		return nil, err
	}
	names := m.names(b.Vocabulary.Kind)
	rows, err := d.store.RuleVersions(ctx, id)
	versions := make([]contract.RuleVersion, len(rows))
	for i, v := range rows {
		then := rule.Rule{ID: id, Version: v.Version, Name: v.Name, State: v.State, Body: v.Body}
		versions[i] = contract.RuleVersion{
			Version: v.Version, State: v.State, Name: v.Name, Body: v.Body, Reason: v.Reason, ChangedAt: v.ChangedAt, ChangedBy: v.ChangedBy,
			Sentence: rule.Sentence(rule.Compile(then, b.Vocabulary), names),
		}
	}
	return versions, err
}

// Plan returns the rules of a scope by field and station. Drafts and suspended
// rules of the scope stand after those in force; retired ones are left out.
func (d *Desk) Plan(ctx context.Context, kind, company, kindType string, day record.Day) (contract.Plan, error) {
	b, err := d.book(ctx, kind)
	if err != nil {
		return contract.Plan{}, err
	}
	m, err := d.master(ctx)
	if err != nil {
		return contract.Plan{}, err
	}
	s, err := m.scope(kind, company, kindType, day)
	if err != nil {
		return contract.Plan{}, err
	}
	built := plan.Build(b, s)
	names := m.names(built.Kind())
	out := contract.Plan{Fields: make([]contract.PlanField, len(built.Kind().Fields)), Findings: []contract.Finding{}}
	layout, err := d.Layout(ctx, kind, company, kindType)
	if err != nil {
		return contract.Plan{}, err
	}
	for _, f := range finding.Of(built, &layout.Layout) {
		out.Findings = append(out.Findings, contract.Finding{
			Code: f.Code, Field: built.Kind().Fields[f.Field].Key, Family: string(f.Rules[0].Family), Message: f.Message,
			Rules: list(f.Rules, func(c *rule.Compiled) int64 { return c.ID }),
		})
	}
	if built.Loop != nil {
		out.Loop = built.Loop.Describe(built.Kind())
	}
	for i := range out.Fields {
		f := contract.PlanField{Key: built.Kind().Fields[i].Key, Label: built.Kind().Fields[i].Label, Stations: map[string][]contract.PlanRule{}}
		for _, family := range rule.Families {
			for _, c := range built.At(i, family) {
				f.Stations[string(family)] = append(f.Stations[string(family)], planRule(c, names))
			}
		}
		out.Fields[i] = f
	}
	for _, c := range b.Rules {
		resting := c.State == rule.Draft || c.State == rule.Suspended || (c.State == rule.InForce && !c.Sound())
		if c.Field >= 0 && resting && plan.Covers(c, s) {
			for _, field := range c.Fields {
				stations := out.Fields[field].Stations
				stations[string(c.Family)] = append(stations[string(c.Family)], planRule(c, names))
			}
		}
	}
	return out, nil
}

// occasionsOf says in a few words on which occasions a rule runs; "" for all of them.
func occasionsOf(c *rule.Compiled) string {
	var words []string
	newOnly := c.Family == rule.Default && c.Effect.Lifetime == rule.NewOnly && !c.Effect.Fixed
	switch {
	case c.Family == rule.FollowUp:
	case !c.On.Change || newOnly:
		words = append(words, "new records only")
	case !c.On.New:
		words = append(words, "changes only")
	}
	if moments := c.Effect.Moments; len(moments) > 0 {
		words = append(words, strings.Join(list(moments, func(m rule.Moment) string { return string(m) }), ", "))
	}
	if len(c.Effect.WhenChanged) > 0 {
		words = append(words, "when something it names changed")
	}
	return strings.Join(words, "; ")
}

func planRule(c *rule.Compiled, names rule.Names) contract.PlanRule {
	return contract.PlanRule{
		Id: c.ID, State: c.State, Sound: c.Sound(), Phrase: rule.Phrase(c, names.Kind),
		Sentence: rule.Sentence(c, names), Inherited: c.Scope.Width() > 0, Width: c.Scope.Width(), Occasions: occasionsOf(c),
	}
}
