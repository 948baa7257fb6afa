package rules

import (
	"codicil/core/plan"
	"codicil/core/rule"
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
	"errors"
	"fmt"
	"slices"
	"time"
)

// Copy copies the rules that were made for one scope to another, as drafts. With dry,
// nothing is kept. A rule that holds there already is told and left out.
func (s *Service) Copy(ctx context.Context, request contract.CopyRequest) ([]contract.RuleCopy, error) {
	if err := access.Need(ctx, actor.RulesChange); err != nil {
		return nil, err
	}
	m, kind, err := s.base.KindOf(ctx, request.Kind)
	if err != nil {
		return nil, err
	}
	for _, company := range []string{request.From.Company, request.To.Company} {
		if err := access.Company(ctx, company); err != nil {
			return nil, err
		}
	}
	from, err := m.Scope(kind, request.From.Company, request.From.Type, s.base.Today(nil))
	if err != nil {
		return nil, err
	}
	to, err := m.Scope(kind, request.To.Company, request.To.Type, s.base.Today(nil))
	if err != nil {
		return nil, err
	}
	book, err := s.base.Cache.SeenBook(ctx, request.Kind)
	if err != nil {
		return nil, err
	}
	wording, copies := m.Wording(kind, actor.Of(ctx).Format), []contract.RuleCopy{}
	head := store.CodicilHead{Title: fmt.Sprintf("Rules copied from %s %s to %s %s", from.Company.Key, from.Type.Label, to.Company.Key, to.Type.Label)}
	_, err = s.base.Line.Whole(ctx, head, func(tx *store.Store) error {
		inner := within(s.base.Over(tx))
		for _, c := range book.Rules {
			if c.State != rule.InForce || c.Scope.Width() == 3 || !plan.Covers(c, from) || (len(request.Rules) > 0 && !slices.Contains(request.Rules, c.ID)) {
				continue
			}
			body := c.Body
			body.Scope.Companies, body.Scope.Types = moved(c.Scope.Companies, to.Company.Key), moved(c.Scope.Types, to.Type.Key)
			compiled := rule.Compile(rule.Rule{State: rule.Draft, Body: body}, book.Vocabulary)
			copied := contract.RuleCopy{Rule: c.ID, Phrase: rule.Phrase(c, wording), Sentence: rule.Sentence(compiled, wording), Field: kind.Fields[max(c.Field, 0)].Label, Family: string(c.Family)}
			switch {
			case c.Scope.Covers(to.Company.Key, to.Type.Key, max(s.base.Today(nil), c.Scope.From)):
				copied.Already = c.ID
			default:
				copied.Already = alike(book, body)
			}
			if copied.Already == 0 && !request.Dry {
				made, err := inner.Create(ctx, contract.RuleChange{Body: body})
				if err != nil {
					return err
				}
				copied.Copy = made.ID
			}
			copies = append(copies, copied)
		}
		return nil
	})
	return copies, err
}

// moved puts a key in place of those of one axis; an axis that names none names none.
func moved(keys []string, to string) []string {
	if len(keys) == 0 {
		return nil
	}
	return []string{to}
}

// alike returns the rule that says the same already; 0 when there is none.
func alike(book *plan.Book, body rule.Body) int64 {
	for _, c := range book.Rules {
		other := c.Body
		other.Note, other.Priority = body.Note, body.Priority
		if c.State != rule.Retired && plan.SameBody(&other, &body) {
			return c.ID
		}
	}
	return 0
}

// moves say what is done with several rules at once.
var moves = map[rule.State]string{rule.InForce: "put in force", rule.Suspended: "suspended", rule.Retired: "retired", rule.Draft: "taken up again"}

// MoveMany puts several rules in another state: all of them, or none. It asks of each what
// moving it alone would ask, with those before it as they would be. With dry, nothing is kept. It tells in how many saved records and
// posted documents any of them acts, drafts taken as if they were in force. Cost: of each rule that is put in force, the proofs of its
// kind; and the saved records, for twice the longest look. Nobody waits meanwhile.
func (s *Service) MoveMany(ctx context.Context, request contract.MoveManyRequest) (contract.MoveManyAnswer, error) {
	if err := access.Need(ctx, actor.RulesForce); err != nil {
		return contract.MoveManyAnswer{}, err
	}
	if s.base.Store.View() != nil { // nothing of it holds yet
		if err := access.Need(ctx, actor.RulesChange); err != nil {
			return contract.MoveManyAnswer{}, err
		}
	}
	var answer contract.MoveManyAnswer
	var all, kept []rule.Rule
	head := store.CodicilHead{Title: fmt.Sprintf("%d rules %s", len(request.Rules), moves[request.State]), Reason: request.Reason}
	err := s.base.Line.Commit(ctx, func(ctx context.Context) (*commit.Change, error) {
		version, _, err := s.base.Cache.Version(ctx)
		if err != nil {
			return nil, err
		}
		var changed []rule.Rule
		answer = contract.MoveManyAnswer{Rules: []contract.RuleView{}, InTheWay: []contract.RuleInTheWay{}}
		if all, changed, err = movingAll(ctx, s, request, &answer); err != nil {
			return nil, err
		}
		if request.Dry || len(answer.InTheWay) > 0 || len(changed) == 0 {
			return &commit.Change{}, nil
		}
		by, err := s.base.Line.Stamp(ctx)
		return &commit.Change{
			Reads: commit.NewReadSet(version.Book),
			Write: func(ctx context.Context, tx *store.Store) error {
				kept = nil
				return tx.Amend(ctx, head, by, func(tx *store.Store) error {
					for _, r := range changed {
						next, err := tx.ChangeRule(ctx, r, by)
						if err != nil {
							return err
						}
						kept = append(kept, next)
					}
					return nil
				})
			},
			Done: func() { s.base.Cache.PutRules(ctx, kept...) },
		}, err
	})
	switch {
	case err != nil:
		return answer, err
	case len(answer.InTheWay) > 0 && !request.Dry:
		return answer, inTheWay(answer.InTheWay)
	}
	if request.Dry {
		if answer.Affected, answer.Looked, answer.Whole, err = s.impact.Affected(ctx, request.Rules); err != nil {
			return answer, err
		}
	}
	then, err := judging.With(ctx, s.base, all...)
	if err != nil {
		return answer, err
	}
	shown := New(then, s.impact)
	for _, r := range all {
		if at := slices.IndexFunc(kept, func(k rule.Rule) bool { return k.ID == r.ID }); at >= 0 {
			r = kept[at]
		}
		told, err := shown.show(ctx, r)
		if err != nil {
			return answer, err
		}
		answer.Rules = append(answer.Rules, told)
	}
	return answer, nil
}

// movingAll are the rules of a request as they would be, those that do not stand so already also by themselves. What is in the
// way of any is put into the answer: each says it, so that nobody corrects one only to meet the next.
func movingAll(ctx context.Context, s *Service, request contract.MoveManyRequest, answer *contract.MoveManyAnswer) (all, changed []rule.Rule, err error) {
	look := max(judging.LongestLook/time.Duration(max(len(request.Rules), 1)), shortestLook)
	for i, id := range request.Rules {
		if slices.Contains(request.Rules[:i], id) {
			continue
		}
		r, err := changing(ctx, s.base, id)
		if err != nil {
			return nil, nil, err
		}
		if r.State == request.State {
			all = append(all, r)
			continue
		}
		before, err := judging.With(ctx, s.base, changed...)
		if err != nil {
			return nil, nil, err
		}
		next, err := moving(ctx, New(before, s.impact.Over(before)), r, contract.RuleMove{State: request.State, Version: r.Version, Reason: request.Reason}, look)
		var known *fault.Fault
		switch {
		case errors.As(err, &known):
			answer.InTheWay = append(answer.InTheWay, contract.RuleInTheWay{Rule: id, Name: r.Name, Code: known.Known(), Detail: known.Error()})
			if known.Code != impact.NeedsReason.Code {
				continue
			}
		case err != nil:
			return nil, nil, err
		}
		all, changed = append(all, next), append(changed, next)
	}
	return all, changed, nil
}

// shortestLook is how long saved records are looked at for one of many rules.
const shortestLook = 100 * time.Millisecond

// inTheWay is the error of several rules of which some cannot be moved, or need a reason.
func inTheWay(rules []contract.RuleInTheWay) error {
	code := impact.NeedsReason.Code
	for _, r := range rules {
		if r.Code != code {
			code = r.Code
		}
	}
	first := rules[0]
	detail := first.Detail
	if len(rules) > 1 {
		detail += fmt.Sprintf(" (and %d more)", len(rules)-1)
	}
	refused := fault.Hindered(ruleInTheWay, first.Rule, first.Name, detail).With(view.List(rules, func(r contract.RuleInTheWay) fault.Use {
		return fault.Use{What: "rule", Key: fmt.Sprint(r.Rule), Title: r.Name}
	}))
	refused.As = code
	return refused
}
