package judging

import (
	"context"
	"sync"

	"codicil/core/proof"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/internal/store"
)

// looks answers unique rules as nobody has them: the slightly wrong versions that proofs should notice. Keys are kept of those that
// somebody has; what others ask is gathered, and answered together. A look makes no keys.
type looks struct {
	store   *store.Store
	kind    *record.Kind
	mutex   sync.Mutex
	on      bool
	kept    map[string]bool // by definition
	answers map[askedUnique][]string
	asked   map[askedUnique]store.UniqueAsked
}

// mostLooks is how often what is asked is answered: an answer may lead to another question.
const mostLooks = 4

// Looking does work that asks for wrong versions of rules: as often as what it asks leads to new questions, with the answers. It is
// the last time that counts. Cost: the work, and for each time more all records of the kind.
func (b *Bench) Looking(ctx context.Context, work func() error) error {
	defer b.looks.begin()()
	for range mostLooks {
		if err := work(); err != nil || len(b.looks.asked) == 0 {
			return err
		}
		if err := b.looks.answer(ctx); err != nil {
			return err
		}
	}
	return work()
}

// Measure tells what proofs notice of rules, as [proof.Runner.Measure] does.
func (b *Bench) Measure(ctx context.Context, rules []*rule.Compiled, results []proof.Result, done func(*proof.Strength)) (strengths []proof.Strength, err error) {
	defer b.looks.begin()()
	if err := b.Runner.Ask(ctx, rules, results); err != nil {
		return nil, err
	}
	if err := b.looks.answer(ctx); err != nil {
		return nil, err
	}
	strengths, err = b.Runner.Measure(ctx, rules, results, done)
	return strengths, err
}

// begin answers wrong versions from now on, until it is ended.
func (l *looks) begin() (end func()) {
	turn := func(on bool) {
		l.mutex.Lock()
		defer l.mutex.Unlock()
		l.on = on
	}
	turn(true)
	return func() { turn(false) }
}

// of answers a question; the second result is false where it is for the store to answer.
func (l *looks) of(ctx context.Context, c *rule.Compiled, company, key string, texts []string) ([]string, bool, error) {
	l.mutex.Lock()
	defer l.mutex.Unlock()
	if !l.on {
		return nil, false, nil
	}
	at := askedOf(c, company, key, texts)
	if found, known := l.answers[at]; known {
		return found, true, nil
	}
	if _, known := l.kept[at.rule]; !known {
		kept, err := l.store.HasUnique(ctx, c.Kind, c.UniqueBy())
		if err != nil {
			return nil, true, err
		}
		l.kept[at.rule] = kept
	}
	if l.kept[at.rule] {
		return nil, false, nil
	}
	l.asked[at] = store.UniqueAsked{Unique: c.UniqueBy(), Company: company, Key: key, Texts: texts}
	return nil, true, nil
}

// answer answers what was asked. Cost: all records of the kind, where anything was.
func (l *looks) answer(ctx context.Context) error {
	if len(l.asked) == 0 {
		return nil
	}
	var places []askedUnique
	var asked []store.UniqueAsked
	for at, question := range l.asked {
		places, asked = append(places, at), append(asked, question)
	}
	found, err := l.store.SameUnkept(ctx, l.kind, asked)
	if err != nil {
		return err
	}
	for i, at := range places {
		l.answers[at] = found[i]
	}
	clear(l.asked)
	return nil
}
