package match

import (
	"math/bits"
	"unicode/utf8"
)

// Name is a name ready to be compared with many others.
type Name struct {
	text []rune
	has  letters
}

// NameOf returns a name that Plain wrote.
func NameOf(plain string) Name {
	text := []rune(plain)
	return Name{text, lettersOf(text)}
}

// Comparer tells which names are almost equal to one. It is used by one goroutine.
type Comparer struct {
	name  Name
	at    masks
	other []rune // the one that is compared
}

// Comparing returns what compares names with one.
func Comparing(n Name) *Comparer {
	c := &Comparer{name: n}
	c.at.of(n.text)
	return c
}

// Like tells whether a name is almost equal.
func (c *Comparer) Like(other Name) bool {
	most := changes(max(len(c.name.text), len(other.text)))
	return magnitude(len(c.name.text)-len(other.text)) <= most && c.name.has.differ(other.has) <= 2*most && c.at.distance(c.name.text, other.text, most) <= most
}

// LikeText tells the same of a name that Plain wrote, without keeping it.
func (c *Comparer) LikeText(plain []byte) bool {
	c.other = c.other[:0]
	for len(plain) > 0 {
		r, size := utf8.DecodeRune(plain)
		c.other, plain = append(c.other, r), plain[size:]
	}
	return c.Like(Name{c.other, lettersOf(c.other)})
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

// differ counts in how many letters two names differ.
func (l letters) differ(other letters) int { return bits.OnesCount64(uint64(l ^ other)) }

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
