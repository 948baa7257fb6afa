package match

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
	Of Of
	Name
	place int32
}

// Pair is a name that is like another.
type Pair[Of any] struct {
	Of    Of
	Alike int // in hundredths
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
	n := &Joined[Of]{Of: of, Name: NameOf(plain), place: j.last}
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
				if a.has.differ(other.has) > 2*most || scratch.seen[other.place] == scratch.turn {
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
