package desk

import (
	"context"
	"errors"
	"fmt"
	"slices"

	"codicil/core/plan"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/internal/contract"
	"codicil/internal/store"
)

// CopyRules copies the rules that were made for one scope to another, as drafts. With dry,
// nothing is kept. A rule that holds there already is told and left out.
func (d *Desk) CopyRules(ctx context.Context, request contract.CopyRequest) ([]contract.RuleCopy, error) {
	m, kind, err := d.masterOf(ctx, request.Kind)
	if err != nil {
		return nil, err
	}
	from, err := m.scope(request.Kind, request.From.Company, request.From.Type, d.today(nil))
	if err != nil {
		return nil, err
	}
	to, err := m.scope(request.Kind, request.To.Company, request.To.Type, d.today(nil))
	if err != nil {
		return nil, err
	}
	book, err := d.book(ctx, request.Kind)
	if err != nil {
		return nil, err
	}
	names, copies := m.names(kind), []contract.RuleCopy{}
	d.line.Lock()
	defer d.line.Unlock()
	err = d.store.Transaction(ctx, func(tx *store.Store) error {
		inner := New(tx, d.clock, d.user)
		for _, c := range book.Rules {
			if c.State != rule.InForce || c.Scope.Width() == 3 || !plan.Covers(c, from) || (len(request.Rules) > 0 && !slices.Contains(request.Rules, c.ID)) {
				continue
			}
			body := c.Body
			body.Scope.Companies, body.Scope.Types = moved(c.Scope.Companies, to.Company.Key), moved(c.Scope.Types, to.Type.Key)
			compiled := rule.Compile(rule.Rule{State: rule.Draft, Body: body}, book.Vocabulary)
			copied := contract.RuleCopy{Rule: c.ID, Phrase: rule.Phrase(c, kind), Sentence: rule.Sentence(compiled, names), Field: kind.Fields[max(c.Field, 0)].Label, Family: string(c.Family)}
			switch {
			case c.Scope.Covers(to.Company.Key, to.Type.Key, max(d.today(nil), c.Scope.From)):
				copied.Already = c.ID
			default:
				copied.Already = alike(book, body)
			}
			if copied.Already == 0 && !request.Dry {
				made, err := inner.CreateRule(ctx, contract.RuleChange{Body: body})
				if err != nil {
					return err
				}
				copied.Copy = made.Id
			}
			copies = append(copies, copied)
		}
		return nil
	})
	if err == nil && !request.Dry {
		d.forgetMasters()
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

// MoveRules puts several rules in another state: all of them, or none. It asks of each what
// moving it alone would ask. With dry, nothing is kept. It tells in how many saved records and
// posted documents any of them acts, drafts taken as if they were in force.
func (d *Desk) MoveRules(ctx context.Context, request contract.MoveManyRequest) (contract.MoveManyAnswer, error) {
	answer := contract.MoveManyAnswer{Rules: []contract.RuleView{}, InTheWay: []contract.RuleInTheWay{}}
	var err error
	if answer.Affected, err = d.affected(ctx, request.Rules); err != nil {
		return answer, err
	}
	d.line.Lock()
	defer d.line.Unlock()
	err = d.store.Transaction(ctx, func(tx *store.Store) error {
		inner := New(tx, d.clock, d.user)
		for _, id := range request.Rules {
			r, err := tx.Rule(ctx, id)
			if err != nil {
				return explain(err)
			}
			view, err := inner.MoveRule(ctx, id, contract.RuleMove{State: request.State, Version: r.Version, Reason: request.Reason})
			var known *Error
			switch {
			case errors.As(err, &known):
				// Each says what is in its way, so that nobody mends one only to meet the next.
				answer.InTheWay = append(answer.InTheWay, contract.RuleInTheWay{Rule: id, Name: r.Name, Code: known.Code, Detail: known.Detail})
				if known.Code == "needs-reason" {
					view, err = inner.MoveRule(ctx, id, contract.RuleMove{State: request.State, Version: r.Version, Reason: "to be said"})
				} else {
					err = nil
				}
				if err != nil {
					return err
				}
			case err != nil:
				return err
			}
			if view.Id != 0 {
				answer.Rules = append(answer.Rules, view)
			}
		}
		if request.Dry || len(answer.InTheWay) > 0 {
			return errDry
		}
		return nil
	})
	switch {
	case errors.Is(err, errDry) && !request.Dry:
		err = inTheWay(answer.InTheWay)
	case errors.Is(err, errDry):
		err = nil
	case err == nil:
		d.forgetMasters()
	}
	return answer, err
}

// inTheWay is the error of several rules of which some cannot be moved, or need a reason.
func inTheWay(rules []contract.RuleInTheWay) error {
	code := "needs-reason"
	for _, r := range rules {
		if r.Code != code {
			code = r.Code
		}
	}
	first := rules[0]
	detail := fmt.Sprintf("rule %d, %s, is in the way: %s", first.Rule, first.Name, first.Detail)
	if len(rules) > 1 {
		detail += fmt.Sprintf(" (and %d more)", len(rules)-1)
	}
	return &Error{Reason: Conflict, Code: code, Detail: detail, Count: len(rules), Uses: list(rules, func(r contract.RuleInTheWay) contract.Use {
		return contract.Use{What: "rule", Key: fmt.Sprint(r.Rule), Title: r.Name}
	})}
}

// affected counts the saved records and posted documents in which any of the rules acts or
// speaks, as they stand; drafts count as if they were in force. Cost: the records of the kinds
// of the rules.
func (d *Desk) affected(ctx context.Context, ids []int64) (count int, err error) {
	m, err := d.master(ctx)
	if err != nil {
		return 0, err
	}
	for i := range m.kinds {
		book, err := d.book(ctx, m.kinds[i].Key)
		if err != nil {
			return 0, err
		}
		if !slices.ContainsFunc(book.Rules, func(c *rule.Compiled) bool { return slices.Contains(ids, c.ID) }) {
			continue
		}
		b, err := d.bench(ctx, m.kinds[i].Key, nil)
		if err != nil {
			return 0, err
		}
		s, err := d.shelf(ctx, m.kinds[i].Key)
		if err != nil {
			return 0, err
		}
		for _, c := range book.Rules {
			if slices.Contains(ids, c.ID) && c.State != rule.InForce {
				b.runner = b.runner.With(acting(c.Rule))
			}
		}
		_, documents := d.inScope(m, s, func(string, string, record.Day) bool { return true }, book.Vocabulary.Kind)
		results, err := b.runner.RunAll(ctx, documents, nil)
		if err != nil {
			return 0, err
		}
		for j := range results {
			if results[j].Err == nil && slices.ContainsFunc(actingRules(results[j].Outcome), func(id int64) bool { return slices.Contains(ids, id) }) {
				count++
			}
		}
	}
	return count, ctx.Err()
}

// acting is a rule as if it were in force.
func acting(r rule.Rule) rule.Rule {
	r.State = rule.InForce
	return r
}
