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
	"encoding/json"
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
	var wanted []Wanted
	var places []int // of what is wanted among the copies
	known := saidBy(book)
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
			if copied.Already, err = known.by(&body); err != nil {
				return nil, err
			}
		}
		if copied.Already == 0 {
			wanted, places = append(wanted, Wanted{Rule: rule.Rule{State: rule.Draft, Body: body}}), append(places, len(copies))
		}
		copies = append(copies, copied)
	}
	if request.Dry || len(wanted) == 0 {
		return copies, nil
	}
	head := store.CodicilHead{Title: fmt.Sprintf("Rules copied from %s %s to %s %s", from.Company.Key, from.Type.Label, to.Company.Key, to.Type.Label)}
	made, err := Together(ctx, s, &head, wanted)
	for i, r := range made {
		copies[places[i]].Copy = r.ID
	}
	return copies, err
}

// moved puts a key in place of those of one axis; an axis that names none names none.
func moved(keys []string, to string) []string {
	if len(keys) == 0 {
		return nil
	}
	return []string{to}
}

// said are the rules, retired ones left out, by what they say.
type said map[string]int64

// saidBy tells what the rules of a book say. Cost: those rules.
func saidBy(book *plan.Book) said {
	known := said{}
	for _, c := range book.Rules {
		if c.State == rule.Retired {
			continue
		}
		if text, err := saying(&c.Body); err == nil && known[text] == 0 {
			known[text] = c.ID
		}
	}
	return known
}

// by returns the rule that says the same; 0 when there is none.
func (s said) by(body *rule.Body) (int64, error) {
	text, err := saying(body)
	return s[text], err
}

// saying is what a rule says, but for what is noted about it and which it comes before.
func saying(body *rule.Body) (string, error) {
	plain := plan.PlainBody(body)
	plain.Note, plain.Priority = rule.Note{}, 0
	text, err := json.Marshal(plain)
	return string(text), err
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
	place := map[int64]int{}
	for i := range all {
		place[all[i].ID] = i
	}
	for _, r := range kept {
		all[place[r.ID]] = r
	}
	answer.Rules, err = showAll(ctx, New(then, s.impact), all)
	return answer, err
}

// movingAll are the rules of a request as they would be, those that do not stand so already also by themselves. What is in the
// way of any is put into the answer: each says it, so that nobody corrects one only to meet the next.
func movingAll(ctx context.Context, s *Service, request contract.MoveManyRequest, answer *contract.MoveManyAnswer) (all, changed []rule.Rule, err error) {
	look := max(judging.LongestLook/time.Duration(max(len(request.Rules), 1)), shortestLook)
	seen, own := map[int64]bool{}, map[int64]bool{}
	var next []rule.Rule
	inTheWay := func(r *rule.Rule, known *fault.Fault) {
		answer.InTheWay = append(answer.InTheWay, contract.RuleInTheWay{Rule: r.ID, Name: r.Name, Code: known.Known(), Detail: known.Error()})
	}
	var known *fault.Fault
	for _, id := range request.Rules {
		if seen[id] {
			continue
		}
		seen[id] = true
		r, err := changing(ctx, s.base, id)
		if err != nil {
			return nil, nil, err
		}
		if r.State != request.State {
			own[id] = true
			if r, err = moving(r, contract.RuleMove{State: request.State, Version: r.Version, Reason: request.Reason}); errors.As(err, &known) {
				inTheWay(&r, known)
				continue
			}
		}
		next = append(next, r)
	}
	forced := request.State == rule.InForce && s.base.Store.View() == nil // a codicil is checked as a whole
	refused := map[int64]*fault.Fault{}
	if forced {
		if refused, err = Refused(ctx, s, next); err != nil {
			return nil, nil, err
		}
	}
	before := s.base
	for i := range next {
		r := &next[i]
		if !own[r.ID] {
			all = append(all, *r)
			continue
		}
		if forced {
			then, err := New(before, s.impact.Over(before)), error(nil)
			if refused[r.ID] != nil { // with all others; it may be none with those before it alone
				err = then.MayBeInForce(ctx, *r)
			}
			if err == nil {
				err = then.asksReason(ctx, *r, look)
			}
			switch {
			case errors.As(err, &known):
				if inTheWay(r, known); known.Code != impact.NeedsReason.Code {
					continue
				}
			case err != nil:
				return nil, nil, err
			}
		}
		if all, changed = append(all, *r), append(changed, *r); !forced {
			continue
		}
		if before, err = judging.With(ctx, before, *r); err != nil {
			return nil, nil, err
		}
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
