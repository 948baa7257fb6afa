package plan

import (
	"slices"
	"sync"

	"codicil/core/record"
)

// Plans keeps the plans of books, so that each is built once for all days on which the same holds. Its zero value is ready for use,
// by several at once. A book of which it keeps plans does not change any more.
type Plans struct {
	// Part, if any, is what is kept of a plan.
	Part func(*Plan) *Plan

	mutex sync.Mutex
	books map[*Book]*kept
}

// mostBooks is of how many books plans are kept, and mostPlans how many of each: a book that something took the place of goes with the
// others.
const (
	mostBooks = 50
	mostPlans = 500
)

// kept are the plans of a book.
type kept struct {
	eras
	plans map[planned]*Plan
}

// planned names a plan of a book.
type planned struct {
	company, kindType string
	era               int
}

// eras are when something in a book begins or ends: a rule, a row of a crosswalk, a standing value. Between, the same holds.
type eras struct{ first, last []record.Day }

// Plan returns the plan of a book for a scope. Cost: that of Build for the first day of those on which the same holds; for each other
// that of a copy.
func (k *Plans) Plan(b *Book, s Scope) *Plan {
	k.mutex.Lock()
	of := k.books[b]
	if of == nil {
		if k.books == nil || len(k.books) >= mostBooks {
			k.books = map[*Book]*kept{}
		}
		of = &kept{erasOf(b), map[planned]*Plan{}}
		k.books[b] = of
	}
	at := planned{s.Company.Key, s.Type.Key, of.era(s.Day)}
	p := of.plans[at]
	k.mutex.Unlock()
	if p != nil {
		return p.on(s)
	}
	p = Build(b, s)
	if k.Part != nil {
		p = k.Part(p)
	}
	k.mutex.Lock()
	defer k.mutex.Unlock()
	if len(of.plans) >= mostPlans {
		clear(of.plans)
	}
	of.plans[at] = p
	return p
}

// on returns the plan for another day of the same era, with the company and type as they are given.
func (p *Plan) on(s Scope) *Plan {
	if p.Scope == s {
		return p
	}
	other := *p
	other.Scope, other.Here = s, s.Company.Surroundings(s.Day)
	if len(p.Gaps) > 0 { // they name the day
		other.stand(nil)
	}
	return &other
}

// era counts what has begun and what has ended before or on a day: two days with the same count have the same plan.
func (e *eras) era(day record.Day) int {
	begun, today := slices.BinarySearch(e.first, day)
	if today {
		begun++
	}
	ended, _ := slices.BinarySearch(e.last, day)
	return begun + ended
}

// erasOf reads them. Cost: the rules, the rows of crosswalks and the standing values.
func erasOf(b *Book) eras {
	var e eras
	period := func(from, until record.Day) { e.first, e.last = append(e.first, from), append(e.last, until) }
	for _, c := range b.Rules {
		period(c.Scope.From, c.Scope.Until)
	}
	tables := b.Vocabulary.Tables
	for i := range tables.Crosswalks {
		for j := range tables.Crosswalks[i].Rows {
			row := &tables.Crosswalks[i].Rows[j]
			period(row.From, row.Until)
		}
	}
	for i := range tables.Standing {
		for j := range tables.Standing[i].Periods {
			p := &tables.Standing[i].Periods[j]
			period(p.From, p.Until)
		}
	}
	for _, days := range []*[]record.Day{&e.first, &e.last} {
		slices.Sort(*days)
		*days = slices.DeleteFunc(slices.Compact(*days), func(d record.Day) bool { return d == "" })
	}
	return e
}
