package match

import "math/bits"

// Join finds which of many names are almost equal. The names are added in the order of their lengths; those that are too
// short to be like any that follows are let go. Names may be sought by several goroutines while none is added.
//
// Where very many names share their parts, not all of them are compared: see mostSeen.
type Join[Of any] struct {
	// shelves are the names of a length, by mark.
	shelves map[int]map[int64][]shelved[Of]
	last    int32 // how many were added
}

// shelved is a name where it is looked for: what most of them are passed over by stands beside each other.
type shelved[Of any] struct {
	has   letters
	place int32
	name  *Joined[Of]
}

// Joined is a name that was added, with what it is of.
type Joined[Of any] struct {
	Of    Of
	text  []rune
	has   letters
	place int32
}

// Pair is a name that is like another.
type Pair[Of any] struct {
	Of    Of
	Alike int // in hundredths
}

// letters are those of a name: for each, whether it is there, and whether it is there twice. A change takes one letter away and
// brings one in, at most.
type letters uint64

func lettersOf(text []rune) (has letters) {
	for _, r := range text {
		spot := uint64(r) % 29 * 2
		if 'a' <= r && r <= 'z' {
			spot = uint64(r-'a') * 2
		}
		if has&(1<<spot) != 0 {
			spot++
		}
		has |= 1 << spot
	}
	return has
}

const (
	// mostCompared is with how many names one is compared letter by letter, and mostSeen how many are looked at.
	mostCompared, mostSeen = 2_000, 50_000
	// mostPairs is how many are found of one name.
	mostPairs = 20
)

// NewJoin returns one without names.
func NewJoin[Of any]() *Join[Of] { return &Join[Of]{shelves: map[int]map[int64][]shelved[Of]{}} }

// Add adds a name, as Plain writes it, that is as long as the last or longer.
func (j *Join[Of]) Add(plain string, of Of) *Joined[Of] {
	n := &Joined[Of]{Of: of, text: []rune(plain), place: j.last}
	n.has = lettersOf(n.text)
	j.last++
	length := len(n.text)
	for at := range j.shelves {
		if at < shortestLike(length) {
			delete(j.shelves, at)
		}
	}
	shelf := j.shelves[length]
	if shelf == nil {
		shelf = map[int64][]shelved[Of]{}
		j.shelves[length] = shelf
	}
	for _, m := range Filed(plain) {
		shelf[m] = append(shelf[m], shelved[Of]{n.has, n.place, n})
	}
	return n
}

// Scratch is what a goroutine that seeks names keeps for its next call.
type Scratch struct {
	seen []int32 // by place: when it was compared last
	turn int32
	at   masks
}

// Like finds the names that were added before one and are like it, at most mostPairs. whole is false where not all of them were
// compared.
func (j *Join[Of]) Like(a *Joined[Of], scratch *Scratch) (found []Pair[Of], whole bool) {
	if len(scratch.seen) < int(j.last) {
		scratch.seen = make([]int32, max(int(j.last), 2*len(scratch.seen)))
		scratch.turn = 0
	}
	scratch.turn++
	compared, looked := 0, 0
	whole = true
	most := changes(len(a.text))
	scratch.at.of(a.text)
	for length := shortestLike(len(a.text)); length <= len(a.text) && whole; length++ {
		shelf := j.shelves[length]
		if shelf == nil {
			continue
		}
		eachSought(a.text, length, func(m int64) {
			for _, other := range shelf[m] {
				if !whole || other.place >= a.place {
					break // they stand in the order in which they were added
				}
				if looked++; looked > mostSeen {
					whole = false
					break
				}
				if bits.OnesCount64(uint64(a.has^other.has)) > 2*most || scratch.seen[other.place] == scratch.turn {
					continue
				}
				scratch.seen[other.place] = scratch.turn
				if compared++; compared > mostCompared {
					whole = false
					break
				}
				if d := scratch.at.distance(a.text, other.name.text, most); d <= most {
					if len(found) == mostPairs {
						whole = false
						break
					}
					found = append(found, Pair[Of]{other.name.Of, 100 * (len(a.text) - d) / max(len(a.text), 1)})
				}
			}
		})
	}
	return found, whole
}

// masks say of a name of at most 64 letters where each letter stands in it.
type masks struct {
	plain [128]uint64
	other map[rune]uint64
}

// of makes them for a name.
func (m *masks) of(text []rune) {
	m.plain = [128]uint64{}
	clear(m.other)
	if len(text) > 64 {
		return
	}
	for i, r := range text {
		if int(r) < len(m.plain) {
			m.plain[r] |= 1 << i
			continue
		}
		if m.other == nil {
			m.other = map[rune]uint64{}
		}
		m.other[r] |= 1 << i
	}
}

// distance is that of the name that the masks were made of to another, where it is most or less; otherwise something more. All
// letters of the name are gone on with at once (Hyyrö, A bit-vector algorithm for computing Levenshtein and Damerau edit distances,
// 2003).
func (m *masks) distance(name, other []rune, most int) int {
	if len(name) > 64 || len(name) == 0 {
		return within(name, other, most)
	}
	score, last := len(name), uint64(1)<<(len(name)-1)
	up, down, zero, before := ^uint64(0), uint64(0), uint64(0), uint64(0)
	for _, r := range other {
		var is uint64
		if int(r) < len(m.plain) {
			is = m.plain[r]
		} else {
			is = m.other[r]
		}
		swapped := ((^zero & is) << 1) & before
		zero = (((is & up) + up) ^ up) | is | down | swapped
		right, left := down|^(zero|up), zero&up
		if right&last != 0 {
			score++
		}
		if left&last != 0 {
			score--
		}
		right = right<<1 | 1
		up, down, before = left<<1|^(zero|right), right&zero, is
	}
	return score
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
