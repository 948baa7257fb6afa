package match

import (
	"slices"
	"sync"
)

// Names holds names in memory by their marks, so that a store that keeps them need not be asked about every name that shares a part
// with one. A name that was added stays: who keeps the names says whether one that is found still stands. Several goroutines may use it.
type Names struct {
	mutex sync.RWMutex
	// heads are, by the lower bits of a mark, the places in filed of what was filed last. Their number is a power of two.
	heads []int32
	filed []filedName // the first is none
	names []heldName
	text  []byte
}

// filedName is a name under one of its marks, of which the lower half is kept.
type filedName struct {
	mark         uint32
	before, name int32 // before is what was filed before it by the same bits; 0: nothing
}

// heldName is a name: of which record, and where it stands in the text.
type heldName struct {
	has      letters
	of       int64
	from, to uint32
	letters  int32
}

// MarkSize is about how many bytes a mark takes with its part of the name.
const MarkSize = 32

// fewestHeads is with how many heads it begins.
const fewestHeads = 1 << 10

// NewNames returns one without names.
func NewNames() *Names {
	return &Names{heads: make([]int32, fewestHeads), filed: make([]filedName, 1)}
}

// Add adds a name that Plain wrote, of something, under its marks.
func (n *Names) Add(plain string, of int64, marks []int64) {
	n.mutex.Lock()
	defer n.mutex.Unlock()
	place := n.hold(plain, of)
	for _, mark := range marks {
		n.under(place, mark)
	}
}

// AddMark adds one mark of a name, as a store reads them. places are where it put the names of something before; it returns them with
// that of this name.
func (n *Names) AddMark(plain string, of, mark int64, places []int32) []int32 {
	n.mutex.Lock()
	defer n.mutex.Unlock()
	i := slices.IndexFunc(places, func(place int32) bool {
		held := &n.names[place]
		return string(n.text[held.from:held.to]) == plain
	})
	if i < 0 {
		i, places = len(places), append(places, n.hold(plain, of))
	}
	n.under(places[i], mark)
	return places
}

// hold keeps a name, and returns its place.
func (n *Names) hold(plain string, of int64) int32 {
	name := NameOf(plain)
	from := len(n.text)
	n.text = append(n.text, plain...)
	n.names = append(n.names, heldName{name.has, of, uint32(from), uint32(len(n.text)), int32(len(name.text))})
	return int32(len(n.names) - 1)
}

// under files a name under a mark.
func (n *Names) under(place int32, mark int64) {
	n.filed = append(n.filed, filedName{mark: uint32(mark), name: place})
	if len(n.filed) > len(n.heads) {
		n.grow()
	} else {
		n.file(len(n.filed) - 1)
	}
}

// file lets what was filed be found.
func (n *Names) file(place int) {
	f := &n.filed[place]
	head := &n.heads[int(f.mark)&(len(n.heads)-1)]
	f.before, *head = *head, int32(place)
}

// grow makes twice as many heads.
func (n *Names) grow() {
	n.heads = make([]int32, 2*len(n.heads))
	for place := 1; place < len(n.filed); place++ {
		n.file(place)
	}
}

// Marks counts the marks of all names.
func (n *Names) Marks() int {
	n.mutex.RLock()
	defer n.mutex.RUnlock()
	return len(n.filed) - 1
}

// Like returns of what names are that are almost equal to one that Plain wrote, among those that are set apart as it is, and the marks
// under which they were found. Cost: the names that share a part with it; those are compared whose letters allow it.
func (n *Names) Like(plain string, apart int64) (of, marks []int64) {
	name := NameOf(plain)
	c := Comparing(name)
	n.mutex.RLock()
	defer n.mutex.RUnlock()
	var sought []int64
	EachSought(plain, func(m int64) {
		if m ^= apart; n.heads[int(uint32(m))&(len(n.heads)-1)] != 0 {
			sought = append(sought, m)
		}
	})
	slices.Sort(sought)
	for _, m := range slices.Compact(sought) {
		under := false
		for at := n.heads[int(uint32(m))&(len(n.heads)-1)]; at != 0; at = n.filed[at].before {
			if n.filed[at].mark != uint32(m) {
				continue
			}
			other := &n.names[n.filed[at].name]
			if most := changes(max(len(name.text), int(other.letters))); name.has.differ(other.has) > 2*most {
				continue
			}
			if c.LikeText(n.text[other.from:other.to]) {
				of, under = append(of, other.of), true
			}
		}
		if under {
			marks = append(marks, m)
		}
	}
	slices.Sort(of)
	return slices.Compact(of), marks
}
