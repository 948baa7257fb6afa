package desk

import (
	"context"
	"errors"
	"fmt"
	"slices"

	"codicil/core/engine"
	"codicil/core/plan"
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
	from, err := m.scope(request.Kind, request.From.Company, request.From.Type, d.today())
	if err != nil {
		return nil, err
	}
	to, err := m.scope(request.Kind, request.To.Company, request.To.Type, d.today())
	if err != nil {
		return nil, err
	}
	book, err := d.book(ctx, request.Kind)
	if err != nil {
		return nil, err
	}
	names, copies := m.names(kind), []contract.RuleCopy{}
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
			case c.Scope.Covers(to.Company.Key, to.Type.Key, max(d.today(), c.Scope.From)):
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
		d.forgetRules(request.Kind)
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
		if c.State != rule.Retired && same(other, body) {
			return c.ID
		}
	}
	return 0
}

// MoveRules puts several rules in another state: all of them, or none. With dry, nothing is
// kept. It tells in how many saved records and posted documents any of them acts.
func (d *Desk) MoveRules(ctx context.Context, request contract.MoveManyRequest) (contract.MoveManyAnswer, error) {
	answer := contract.MoveManyAnswer{Rules: []contract.RuleView{}}
	affected, err := d.affected(ctx, request.Rules)
	if err != nil {
		return answer, err
	}
	answer.Affected = affected
	kinds := map[string]bool{}
	err = d.store.Transaction(ctx, func(tx *store.Store) error {
		inner := New(tx, d.clock, d.user)
		if request.Dry && request.State == rule.InForce && request.Reason == "" {
			request.Reason = "asked first" // a dry move tells what it affects, before anybody says why
		}
		for _, id := range request.Rules {
			r, err := inner.store.Rule(ctx, id)
			if err != nil {
				return explain(err)
			}
			kinds[r.Kind] = true
			view, err := inner.MoveRule(ctx, id, contract.RuleMove{State: request.State, Version: r.Version, Reason: request.Reason})
			if err != nil {
				return fmt.Errorf("rule %d: %w", id, err)
			}
			answer.Rules = append(answer.Rules, view)
		}
		if request.Dry {
			return errDry
		}
		return nil
	})
	if errors.Is(err, errDry) {
		err = nil
	}
	for kind := range kinds {
		d.forgetRules(kind)
	}
	return answer, err
}

// affected counts the saved records and posted documents in which any of the rules acts or
// speaks, as they stand.
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
		asked := slices.DeleteFunc(slices.Clone(book.Rules), func(c *rule.Compiled) bool { return !slices.Contains(ids, c.ID) })
		if len(asked) == 0 {
			continue
		}
		rows, err := d.shelf(ctx, m.kinds[i].Key)
		if err != nil {
			return 0, err
		}
		for j := range rows.rows {
			t, err := d.again(ctx, m, book, &rows.rows[j])
			if err != nil {
				continue // a record that no longer fits its kind meets no rule
			}
			if slices.ContainsFunc(t.out.Spots(), func(s engine.Spot) bool {
				return slices.ContainsFunc(s.Rules, func(a engine.Act) bool {
					return (a.Did == engine.Acted || a.Did == engine.Speaks) && slices.Contains(ids, a.Rule.ID)
				})
			}) {
				count++
			}
		}
	}
	return count, ctx.Err()
}
