package judging

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"sync"

	"codicil/core/record"
	"codicil/core/rule"
	"codicil/internal/app/commit"
	"codicil/internal/store"
)

// uniqueness finds the other saved records of a kind for unique rules.
type uniqueness struct {
	store *store.Store
	ctx   context.Context
	reads *commit.ReadSet
	// answered, if any, knows answers of a moment ago: documents that are judged twice ask twice.
	answered *answered
	looks    *looks // nil: none
	aside    bool   // nobody relies on it: no keys are made for it
	beside   Beside // nil: there are none
	// own is the number of the record that is judged; "": a new one. without are records that go with what is judged.
	own     string
	without []string
	// there tells whether a record was there already; nil: all are.
	there func(at record.Ref) (bool, error)
	// failed is the first error of reading records; the run it happened in is not to be used.
	failed error
}

// answered keeps some answers to unique rules.
type answered struct {
	mutex   sync.Mutex
	answers map[askedUnique][]string
}

type askedUnique struct {
	rule         string // what it compares
	company, key string
}

func askedOf(c *rule.Compiled, company, key string, texts []string) askedUnique {
	return askedUnique{fmt.Sprint(c.Kind, c.UniqueBy()), company, key + "\x00" + texts[0]}
}

// mostAnswers is how many answers are kept.
const mostAnswers = 2_000

func (a *answered) of(at askedUnique, ask func() ([]string, error)) ([]string, error) {
	a.mutex.Lock()
	found, known := a.answers[at]
	a.mutex.Unlock()
	if known {
		return found, nil
	}
	found, err := ask()
	a.mutex.Lock()
	defer a.mutex.Unlock()
	if err == nil {
		if len(a.answers) >= mostAnswers {
			clear(a.answers)
		}
		a.answers[at] = found
	}
	return slices.Clone(found), err
}

// Same returns the numbers of the records that have the values of a unique rule. Where a rule only asks, those are left out
// of which somebody said that they are different.
func (p *uniqueness) Same(c *rule.Compiled, company, key string, texts []string) []string {
	ask := func() ([]string, error) {
		if p.aside {
			return p.store.LookForSame(p.ctx, c.Vocabulary().Kind, store.UniqueAsked{Unique: c.UniqueBy(), Company: company, Key: key, Texts: texts})
		}
		return p.store.SameRecords(p.ctx, c.Vocabulary().Kind, c.UniqueBy(), company, key, texts)
	}
	if p.looks != nil {
		if found, answered, err := p.looks.of(p.ctx, c, company, key, texts); answered {
			p.failed = cmp.Or(p.failed, err)
			return p.counting(c, found)
		}
	}
	if p.answered != nil {
		found, err := p.answered.of(askedOf(c, company, key, texts), ask)
		p.failed = cmp.Or(p.failed, err)
		return p.counting(c, found)
	}
	turn := p.store.KeyTurn()
	found, err := ask()
	p.failed = cmp.Or(p.failed, err)
	counting := p.counting(c, found)
	p.reads.Key(c, company, key, texts, found, counting, turn)
	if p.beside != nil {
		counting = append(counting, p.beside.Same(c, company, key, texts)...)
	}
	return counting
}

// counting are those of the records that were found that count.
func (p *uniqueness) counting(c *rule.Compiled, found []string) []string {
	counting := slices.DeleteFunc(slices.Clone(found), func(number string) bool {
		if slices.Contains(p.without, number) {
			return true
		}
		if p.there == nil {
			return false
		}
		there, err := p.there(record.Ref{Kind: c.Kind, Number: number})
		p.failed = cmp.Or(p.failed, err)
		return !there
	})
	if p.own == "" || c.Effect.Severity == rule.Refuse {
		return counting
	}
	others := slices.DeleteFunc(slices.Clone(counting), func(number string) bool { return number == p.own })
	different, err := p.store.DifferentFrom(p.ctx, c.Kind, p.own, others)
	p.failed = cmp.Or(p.failed, err)
	return slices.DeleteFunc(counting, func(number string) bool { return different[number] })
}

// Beside knows records that are not saved yet.
type Beside interface {
	// Same returns what those are called that have the values of a unique rule.
	Same(c *rule.Compiled, company, key string, texts []string) []string
}
