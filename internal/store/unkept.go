package store

import (
	"cmp"
	"context"
	"slices"
	"strings"
	"sync"

	"codicil/core/match"
	"codicil/core/record"
)

// UniqueAsked is what [Store.SameRecords] is asked.
type UniqueAsked struct {
	Unique       match.Unique
	Company, Key string
	Texts        []string
}

// unkept are the questions of one definition of which no keys are kept.
type unkept struct {
	unique match.Unique
	exact  map[[2]string][]int // places of questions, by company and key
	near   map[[2]string][]sought
}

// sought is an almost equal name that a question seeks, among those of a company beside the same values.
type sought struct {
	at   int
	name string
	like *match.Comparer
}

// asides are answers of a moment ago: a person who tries a rule asks the same again with every letter typed elsewhere.
type asides struct {
	mutex sync.Mutex
	turn  int64 // of what was written; what was answered before it no longer counts
	known map[string][]string
}

// mostAsides is how many are kept.
const mostAsides = 2_000

func (a *UniqueAsked) name(kind string) string {
	return strings.Join(append([]string{kind, definitionOf(&a.Unique), a.Company, a.Key}, a.Texts...), "\x00")
}

// of returns the answers that are known at a turn, and the places of the others.
func (a *asides) of(turn int64, names []string) (found [][]string, others []int) {
	a.mutex.Lock()
	defer a.mutex.Unlock()
	found = make([][]string, len(names))
	for i, name := range names {
		numbers, known := a.known[name]
		if known && a.turn == turn {
			found[i] = slices.Clone(numbers)
		} else {
			others = append(others, i)
		}
	}
	return found, others
}

func (a *asides) keep(turn int64, name string, numbers []string) {
	a.mutex.Lock()
	defer a.mutex.Unlock()
	if a.known == nil || a.turn < turn || len(a.known) >= mostAsides {
		a.turn, a.known = max(a.turn, turn), map[string][]string{}
	}
	if a.turn == turn {
		a.known[name] = slices.Clone(numbers)
	}
}

// LookForSame answers what [Store.SameRecords] does, but makes no keys where none are kept.
func (s *Store) LookForSame(ctx context.Context, k *record.Kind, asked UniqueAsked) ([]string, error) {
	x, err := s.indexOf(ctx, k.Key)
	if err != nil {
		return nil, err
	}
	definition := definitionOf(&asked.Unique)
	if slices.ContainsFunc(x.sets, func(s uniqueSet) bool { return s.Definition == definition && s.Ready }) {
		return s.SameRecords(ctx, k, asked.Unique, asked.Company, asked.Key, asked.Texts)
	}
	found, err := s.SameUnkept(ctx, k, []UniqueAsked{asked})
	if err != nil {
		return nil, err
	}
	return found[0], nil
}

// SameUnkept answers what [Store.SameRecords] is asked, but makes no keys for it: what is asked only now and then would be filed with
// every record from then on. Cost: all records of the kind, each with the names that are asked for; nothing where nothing was written
// since it was asked the same.
func (s *Store) SameUnkept(ctx context.Context, k *record.Kind, asked []UniqueAsked) ([][]string, error) {
	if s.within {
		return s.sameUnkept(ctx, k, asked)
	}
	turn, names := s.shared.written.Load(), make([]string, len(asked))
	for i := range asked {
		names[i] = asked[i].name(k.Key)
	}
	found, others := s.shared.aside.of(turn, names)
	if len(others) == 0 {
		return found, nil
	}
	more := make([]UniqueAsked, len(others))
	for i, at := range others {
		more[i] = asked[at]
	}
	answers, err := s.sameUnkept(ctx, k, more)
	if err != nil {
		return nil, err
	}
	for i, at := range others {
		found[at] = answers[i]
		s.shared.aside.keep(turn, names[at], answers[i])
	}
	return found, nil
}

func (s *Store) sameUnkept(ctx context.Context, k *record.Kind, asked []UniqueAsked) ([][]string, error) {
	type alike struct {
		number string
		like   int
	}
	found, near := make([][]string, len(asked)), make([][]alike, len(asked))
	all := unkeptOf(asked)
	var fields []string
	for _, u := range all {
		fields = append(fields, u.unique.Fields...)
	}
	for r, err := range s.RecordValues(ctx, k.Key, fields) {
		if err != nil {
			return nil, err
		}
		for _, u := range all {
			company := companyOf(&u.unique, r.Company)
			for _, key := range keysOf(k, &u.unique, r) {
				for _, at := range u.exact[[2]string{company, key.key}] {
					if !slices.Contains(found[at], r.Number) {
						found[at] = append(found[at], r.Number)
					}
				}
				for _, n := range u.near[[2]string{company, key.beside}] {
					if key.name != "" && n.like.LikeText([]byte(key.name)) {
						near[n.at] = append(near[n.at], alike{r.Number, match.SimilarPlain(n.name, key.name)})
					}
				}
			}
		}
	}
	for at := range near {
		slices.SortStableFunc(near[at], func(a, b alike) int { return cmp.Compare(b.like, a.like) })
		for _, a := range near[at] {
			if !slices.Contains(found[at], a.number) {
				found[at] = append(found[at], a.number)
			}
		}
	}
	return found, nil
}

// unkeptOf puts questions together by their definitions.
func unkeptOf(asked []UniqueAsked) []*unkept {
	var all []*unkept
	by := map[string]*unkept{}
	for at := range asked {
		a := &asked[at]
		definition := definitionOf(&a.Unique)
		u := by[definition]
		if u == nil {
			u = &unkept{a.Unique, map[[2]string][]int{}, map[[2]string][]sought{}}
			by[definition], all = u, append(all, u)
		}
		exact := [2]string{a.Company, a.Key}
		u.exact[exact] = append(u.exact[exact], at)
		if name := match.Plain(a.Texts[0]); a.Unique.Near && name != "" {
			beside, _ := a.Unique.Ignore.Key(a.Texts[1:])
			among := [2]string{a.Company, beside}
			u.near[among] = append(u.near[among], sought{at, name, match.Comparing(match.NameOf(name))})
		}
	}
	return all
}
