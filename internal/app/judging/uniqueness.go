package judging

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"sync"

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
	beside   Beside // nil: there are none
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

// Same returns the numbers of the records that have the values of a unique rule.
func (p *uniqueness) Same(c *rule.Compiled, company, key string, texts []string) []string {
	if p.answered != nil {
		by := c.UniqueBy()
		found, err := p.answered.of(askedUnique{fmt.Sprint(c.Kind, by), company, key + "\x00" + texts[0]}, func() ([]string, error) {
			return p.store.SameRecords(p.ctx, c.Vocabulary().Kind, by, company, key, texts)
		})
		p.failed = cmp.Or(p.failed, err)
		return slices.Clone(found)
	}
	found, err := p.store.SameRecords(p.ctx, c.Vocabulary().Kind, c.UniqueBy(), company, key, texts)
	p.failed = cmp.Or(p.failed, err)
	p.reads.Key(c, company, key, texts, found)
	if p.beside != nil {
		found = append(slices.Clone(found), p.beside.Same(c, company, key, texts)...)
	}
	return found
}

// Beside knows records that are not saved yet.
type Beside interface {
	// Same returns what those are called that have the values of a unique rule.
	Same(c *rule.Compiled, company, key string, texts []string) []string
}
