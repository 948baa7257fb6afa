package match

import "slices"

// Likeness says how two names are alike, and why.
type Likeness struct {
	Alike   int // in hundredths, as Similar tells
	Changes int // letters that differ
	Letters int // of the longer one, without what does not count
	// Aside are the differences that do not count, in the order of the constants.
	Aside []Aside
}

// Aside is a difference of two names that does not count.
type Aside string

// The differences that do not count. Spelling is of accents, capitals, punctuation and spaces.
const (
	LegalForm Aside = "legal form"
	WordOrder Aside = "word order"
	Spelling  Aside = "spelling"
)

// Compare tells how two names are alike.
func Compare(a, b string) Likeness {
	x, y := plain(a), plain(b)
	l := Likeness{Alike: similar(x, y), Changes: distance(x, y), Letters: max(len(x), len(y))}
	one, two := wordsOf(a), wordsOf(b)
	forms := func(w string) bool { return legalForms[w] }
	if !slices.Equal(slices.Sorted(slices.Values(kept(one, forms))), slices.Sorted(slices.Values(kept(two, forms)))) {
		l.Aside = append(l.Aside, LegalForm)
	}
	one, two = telling(one), telling(two)
	if l.Changes == 0 && !slices.Equal(one, two) {
		l.Aside = append(l.Aside, WordOrder)
	}
	if l.Changes == 0 && len(l.Aside) == 0 && a != b {
		l.Aside = append(l.Aside, Spelling)
	}
	return l
}

func kept(words []string, keep func(string) bool) []string {
	return slices.DeleteFunc(slices.Clone(words), func(w string) bool { return !keep(w) })
}
