package loads

import (
	"fmt"
	"hash/maphash"
	"slices"

	"codicil/core/match"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/internal/store"
)

// beside knows the records of a file that go before the one that is judged, for unique rules: they are not saved yet.
// Cost: some bytes for each, and for rules that find almost equal names its name and some numbers more.
type beside struct {
	kind *record.Kind
	seed maphash.Seed
	sets map[string]*besideSet // by what is compared
}

type besideSet struct {
	by    match.Unique
	exact map[uint64][]int32 // rows by a hash of company and key
	marks map[int64][]int32  // places in names
	names []besideName
}

type besideName struct {
	row             int32
	company, beside string
	name            match.Name
}

func newBeside(kind *record.Kind, rules []*rule.Compiled) *beside {
	b := &beside{kind: kind, seed: maphash.MakeSeed(), sets: map[string]*besideSet{}}
	for _, c := range rules {
		if c.State == rule.InForce && len(c.Unique) > 0 && c.Sound() {
			by := c.UniqueBy()
			b.sets[fmt.Sprint(by)] = &besideSet{by: by, exact: map[uint64][]int32{}, marks: map[int64][]int32{}}
		}
	}
	return b
}

func (b *beside) hash(company, key string) uint64 {
	return maphash.String(b.seed, company+"\x00"+key)
}

// add files a record of the file.
func (b *beside) add(row int, r *record.Record) {
	for _, set := range b.sets {
		for _, k := range store.UniqueKeys(b.kind, set.by, r) {
			at := b.hash(k.Company, k.Key)
			set.exact[at] = append(set.exact[at], int32(row))
			if k.Name == "" {
				continue
			}
			apart := match.Apart(k.Company, k.Beside)
			for _, mark := range match.Filed(k.Name) {
				mark ^= apart
				set.marks[mark] = append(set.marks[mark], int32(len(set.names)))
			}
			set.names = append(set.names, besideName{int32(row), r.Company, k.Beside, match.NameOf(k.Name)})
		}
	}
}

// clashes tells whether a record before it in the file has a key of the record.
func (b *beside) clashes(r *record.Record) bool {
	for _, set := range b.sets {
		for _, k := range store.UniqueKeys(b.kind, set.by, r) {
			if len(set.rows(b, k)) > 0 {
				return true
			}
		}
	}
	return false
}

// rows are those of a key, and of almost equal names.
func (set *besideSet) rows(b *beside, k store.UniqueKey) []int32 {
	rows := slices.Clone(set.exact[b.hash(k.Company, k.Key)])
	if k.Name == "" {
		return rows
	}
	comparer := match.Comparing(match.NameOf(k.Name))
	apart := match.Apart(k.Company, k.Beside)
	match.EachSought(k.Name, func(mark int64) {
		for _, at := range set.marks[mark^apart] {
			n := &set.names[at]
			if n.beside == k.Beside && (k.Company == "" || n.company == k.Company) && comparer.Like(n.name) && !slices.Contains(rows, n.row) {
				rows = append(rows, n.row)
			}
		}
	})
	return rows
}

// Same names the rows of the file that have the values of a unique rule.
func (b *beside) Same(c *rule.Compiled, company, key string, texts []string) (names []string) {
	set := b.sets[fmt.Sprint(c.UniqueBy())]
	if set == nil {
		return nil
	}
	k := store.UniqueKey{Company: company, Key: key}
	if set.by.Near {
		k.Name = match.Plain(texts[0])
		k.Beside, _ = set.by.Ignore.Key(texts[1:])
	}
	for _, row := range set.rows(b, k) {
		names = append(names, fmt.Sprintf("row %d", row))
	}
	return names
}
