package store

import (
	"cmp"
	"context"
	"slices"

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

// SameUnkept answers what [Store.SameRecords] is asked, but makes no keys for it: what is asked only now and then would be filed with
// every record from then on. Cost: all records of the kind, each with the names that are asked for.
func (s *Store) SameUnkept(ctx context.Context, k *record.Kind, asked []UniqueAsked) ([][]string, error) {
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
