package rules

import (
	"codicil/core/plan"
	"codicil/core/rule"
	"codicil/internal/access"
	"codicil/internal/actor"
	"codicil/internal/app/commit"
	"codicil/internal/app/impact"
	"codicil/internal/contract"
	"codicil/internal/fault"
	"codicil/internal/store"
	"codicil/internal/view"
	"context"
	"errors"
	"fmt"
	"slices"
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
// moving it alone would ask. With dry, nothing is kept. It tells in how many saved records and
// posted documents any of them acts, drafts taken as if they were in force.
func (s *Service) MoveMany(ctx context.Context, request contract.MoveManyRequest) (contract.MoveManyAnswer, error) {
	if err := access.Need(ctx, actor.RulesForce); err != nil {
		return contract.MoveManyAnswer{}, err
	}
	answer := contract.MoveManyAnswer{Rules: []contract.RuleView{}, InTheWay: []contract.RuleInTheWay{}}
	var err error
	if answer.Affected, err = s.impact.Affected(ctx, request.Rules); err != nil {
		return answer, err
	}
	head := store.CodicilHead{Title: fmt.Sprintf("%d rules %s", len(request.Rules), moves[request.State]), Reason: request.Reason}
	dry, err := s.base.Line.Whole(ctx, head, func(tx *store.Store) error {
		inner := within(s.base.Over(tx))
		for _, id := range request.Rules {
			r, err := inner.base.KeptRule(ctx, id)
			if err != nil {
				return err
			}
			view, err := inner.Move(ctx, id, contract.RuleMove{State: request.State, Version: r.Version, Reason: request.Reason})
			var known *fault.Fault
			switch {
			case errors.As(err, &known):
				// Each says what is in its way, so that nobody corrects one only to meet the next.
				answer.InTheWay = append(answer.InTheWay, contract.RuleInTheWay{Rule: id, Name: r.Name, Code: known.Known(), Detail: known.Error()})
				if known.Code == impact.NeedsReason.Code {
					view, err = inner.Move(ctx, id, contract.RuleMove{State: request.State, Version: r.Version, Reason: "to be said"})
				} else {
					err = nil
				}
				if err != nil {
					return err
				}
			case err != nil:
				return err
			}
			if view.ID != 0 {
				answer.Rules = append(answer.Rules, view)
			}
		}
		if request.Dry || len(answer.InTheWay) > 0 {
			return commit.ErrDry
		}
		return nil
	})
	if dry && !request.Dry {
		err = inTheWay(answer.InTheWay)
	}
	return answer, err
}

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
