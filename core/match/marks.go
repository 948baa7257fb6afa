package match

import "unicode/utf8"

// Names that are almost equal are found by marks, so that a store needs to compare only few of many. A name is
// filed under its parts: it is cut into one part more than it may have changes, so that whatever is
// changed, a part stays as it is (Li, Deng, Wang and Feng, Pass-Join, 2011). Two neighbours that were
// swapped across a cut change two parts at once; so a part is also looked for with the letter at its end
// taken from beyond the neighbour.

// changes is how many changes two names may have whose longer has so many letters, and still be alike.
func changes(longest int) int { return longest * (100 - Alike) / 100 }

// longestLike is the most letters that a name like one of so many letters has.
func longestLike(letters int) int { return letters * 100 / Alike }

// cuts are the places where the parts of a name of so many letters begin, and its end.
func cuts(letters int) []int {
	parts := changes(longestLike(letters)) + 1
	places := make([]int, parts+1)
	for i := range places {
		places[i] = i * letters / parts
	}
	return places
}

// hashed is an FNV-1a hash.
type hashed uint64

// markOf begins the mark of a part: a hash of the length of the name, of the part, and of its letters, which are added.
func markOf(letters, part int) hashed {
	h := hashed(fnvOffset)
	for _, b := range [3]byte{byte(letters), byte(letters >> 8), byte(part)} {
		h = (h ^ hashed(b)) * fnvPrime
	}
	return h
}

func (h hashed) letter(r rune) hashed {
	if r < utf8.RuneSelf {
		return (h ^ hashed(r)) * fnvPrime
	}
	var letter [utf8.UTFMax]byte
	for _, b := range letter[:utf8.EncodeRune(letter[:], r)] {
		h = (h ^ hashed(b)) * fnvPrime
	}
	return h
}

func (h hashed) letters(text []rune) hashed {
	for _, r := range text {
		h = h.letter(r)
	}
	return h
}

const (
	fnvOffset = 14695981039346656037
	fnvPrime  = 1099511628211
)

// Apart sets the marks of names apart that are never compared: those of different companies, or beside different other values. It
// is added to a mark by bits (XOR); 0 where all are compared.
func Apart(company, beside string) int64 {
	if company == "" && beside == "" {
		return 0
	}
	return int64(hashed(fnvOffset).letters([]rune(company)).letter(0).letters([]rune(beside)))
}

// Filed are the marks under which a name that Plain wrote is filed.
func Filed(plain string) []int64 {
	name := []rune(plain)
	places := cuts(len(name))
	marks := make([]int64, 0, len(places))
	for i := range len(places) - 1 {
		marks = append(marks, int64(markOf(len(name), i).letters(name[places[i]:places[i+1]])))
	}
	return marks
}

// EachSought calls yield for the marks of which every name that is alike is filed under one, for some several times. Cost: for a
// name of 20 letters some hundred, of 60 some thousand.
func EachSought(plain string, yield func(mark int64)) {
	name := []rune(plain)
	for letters := shortestLike(len(name)); letters <= longestLike(len(name)); letters++ {
		eachSought(name, letters, yield)
	}
}

// shortestLike is the fewest letters that a name like one of so many letters has.
func shortestLike(letters int) int { return (letters*Alike + 99) / 100 }

// eachSought calls yield for the marks under one of which every name of so many letters is filed that is like a name;
// some several times.
func eachSought(name []rune, letters int, yield func(mark int64)) {
	places, most, longer := cuts(letters), changes(max(letters, len(name))), len(name)-letters
	for part := range len(places) - 1 {
		for shift := -most; shift <= most; shift++ {
			// As many changes lie before the part as it is shifted, and behind it the rest.
			if magnitude(shift)+magnitude(longer-shift) > most {
				continue
			}
			from, to := places[part]+shift, places[part+1]+shift
			if from < 0 || to > len(name) || from >= to {
				continue
			}
			here, begun := name[from:to], markOf(letters, part)
			yield(int64(begun.letters(here)))
			if most == 0 {
				continue
			}
			if from > 0 {
				yield(int64(begun.letter(name[from-1]).letters(here[1:])))
			}
			if to < len(name) {
				yield(int64(begun.letters(here[:len(here)-1]).letter(name[to])))
			}
			if from > 0 && to < len(name) && len(here) > 1 && most > 1 {
				yield(int64(begun.letter(name[from-1]).letters(here[1 : len(here)-1]).letter(name[to])))
			}
		}
	}
}

func magnitude(n int) int { return max(n, -n) }
