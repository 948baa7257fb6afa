package match

import "math/bits"

// Join finds which of many names are almost equal. The names are added in the order of their lengths; those that are too
// short to be like any that follows are let go. Names may be sought by several goroutines while none is added.
//
// Where very many names share their parts, not all of them are compared: see mostCompared.
type Join[Of any] struct {
	// shelves are the names of a length, by mark.
	shelves map[int]map[int64][]*Joined[Of]
	last    int // how many were added
}

// Joined is a name that was added, with what it is of.
type Joined[Of any] struct {
	Of      Of
	letters []rune
	has     uint64 // which letters it has
	place   int
}

// Pair is a name that is like another.
type Pair[Of any] struct {
	Of    Of
	Alike int // in hundredths
}

const (
	// mostCompared is with how many names one is compared letter by letter, and mostSeen how many are looked at.
	mostCompared, mostSeen = 1_000, 20_000
	// mostPairs is how many are found of one name.
	mostPairs = 20
)

// NewJoin returns one without names.
func NewJoin[Of any]() *Join[Of] { return &Join[Of]{shelves: map[int]map[int64][]*Joined[Of]{}} }

// Add adds a name, as Plain writes it, that is as long as the last or longer.
func (j *Join[Of]) Add(plain string, of Of) *Joined[Of] {
	n := &Joined[Of]{Of: of, letters: []rune(plain), place: j.last}
	j.last++
	for _, r := range n.letters {
		n.has |= 1 << (uint64(r) * 0x9e3779b97f4a7c15 >> 58)
	}
	length := len(n.letters)
	for at := range j.shelves {
		if at < shortestLike(length) {
			delete(j.shelves, at)
		}
	}
	shelf := j.shelves[length]
	if shelf == nil {
		shelf = map[int64][]*Joined[Of]{}
		j.shelves[length] = shelf
	}
	for _, m := range Filed(plain) {
		shelf[m] = append(shelf[m], n)
	}
	return n
}

// Like finds the names that were added before one and are like it, at most mostPairs. whole is false where not all of them were
// compared. seen is scratch space that the caller keeps for its next call.
func (j *Join[Of]) Like(a *Joined[Of], seen map[int]bool) (found []Pair[Of], whole bool) {
	clear(seen)
	compared, looked := 0, 0
	whole = true
	for letters := shortestLike(len(a.letters)); letters <= len(a.letters) && whole; letters++ {
		shelf := j.shelves[letters]
		if shelf == nil {
			continue
		}
		most := changes(len(a.letters))
		eachSought(a.letters, letters, func(m int64) {
			for _, other := range shelf[m] {
				if !whole || other.place >= a.place {
					break // they stand in the order in which they were added
				}
				if looked++; looked > mostSeen {
					whole = false
					break
				}
				// A change takes one letter away and brings one in, at most.
				if bits.OnesCount64(a.has^other.has) > 2*most || seen[other.place] {
					continue
				}
				seen[other.place] = true
				if compared++; compared > mostCompared {
					whole = false
					break
				}
				if d := within(a.letters, other.letters, most); d <= most {
					if len(found) == mostPairs {
						whole = false
						break
					}
					found = append(found, Pair[Of]{other.Of, 100 * (len(a.letters) - d) / max(len(a.letters), 1)})
				}
			}
		})
	}
	return found, whole
}

// within is the distance of two names where it is most or less; otherwise something more. It looks only at places that are
// so near each other.
func within(a, b []rune, most int) int {
	if magnitude(len(a)-len(b)) > most {
		return most + 1
	}
	far := most + 1
	var few [3 * 64]int
	rows := few[:]
	if len(b) >= 64 {
		rows = make([]int, 3*(len(b)+1))
	}
	width := len(rows) / 3
	before, last, row := rows[:width], rows[width:2*width], rows[2*width:]
	for j := range width {
		last[j], before[j], row[j] = min(j, far), far, far
	}
	bestBefore := 0
	for i := 1; i <= len(a); i++ {
		from, to := max(1, i-most), min(len(b), i+most)
		row[from-1] = far
		if from == 1 {
			row[0] = min(i, far)
		}
		best := row[from-1]
		for j := from; j <= to; j++ {
			d := row[j-1] + 1
			if j < i+most { // otherwise the row above does not reach so far
				d = min(d, last[j]+1)
			}
			if a[i-1] == b[j-1] {
				d = min(d, last[j-1])
			} else {
				d = min(d, last[j-1]+1)
			}
			if i > 1 && j > 1 && a[i-1] == b[j-2] && a[i-2] == b[j-1] {
				d = min(d, before[j-2]+1)
			}
			row[j] = min(d, far)
			best = min(best, row[j])
		}
		if best > most && bestBefore > most { // two letters that are swapped look two rows back
			return far
		}
		bestBefore = best
		before, last, row = last, row, before
	}
	return last[len(b)]
}
