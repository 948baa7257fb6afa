package match_test

import (
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"

	"codicil/core/match"
)

func TestWhatCountsAsTheSame(t *testing.T) {
	for _, c := range []struct {
		ignore match.Differences
		a, b   string
		same   bool
	}{
		{nil, "IE 1", "IE 1", true}, {nil, "IE 1", "ie 1", false}, {match.Differences{match.Case}, "IE 1", "ie 1", true}, {match.Differences{match.Case}, "IE 1", "IE1", false},
		{match.Differences{match.Spaces}, "IE 1", "IE1", true}, {match.Differences{match.Punctuation}, "A-1/2", "A12", true}, {match.Differences{match.Punctuation}, "A-1", "A 1", false},
		{match.AllIgnored, "Quay-Ropes & Co.", "quay ropes co", true}, {nil, " x ", "x", true},
	} {
		a, _ := c.ignore.Key([]string{c.a})
		b, _ := c.ignore.Key([]string{c.b})
		assert.Equal(t, c.same, a == b, "%q and %q ignoring %v", c.a, c.b, c.ignore)
	}
	_, filled := match.Differences(match.AllIgnored).Key([]string{"A", "- -"})
	assert.False(t, filled, "a blank is like nothing")
	a, _ := match.Differences{}.Key([]string{"A", "BC"})
	b, _ := match.Differences{}.Key([]string{"AB", "C"})
	assert.NotEqual(t, a, b)
}

func TestHowAlikeNamesAre(t *testing.T) {
	for _, c := range []struct {
		a, b string
		near bool
	}{
		{"Quay Ropes Ltd", "Quay Ropes Limited", true}, {"Harbour & Sons A/S", "Harbour and Sons AS", true}, {"Møller Tovværk ApS", "Moller Tovvaerk", true},
		{"Quay Ropes", "Qauy Ropes", true}, {"Ropes Quay", "Quay Ropes", true}, {"Carrow Salt Pans", "Carow Salt Pans", true},
		{"Quay Ropes", "Quay Lamps", false}, {"Ltd", "GmbH", false}, {"North Pier Nets", "South Pier Nets", false}, {"", "Quay", false},
	} {
		assert.Equal(t, c.near, match.Similar(c.a, c.b) >= match.Alike, "%q and %q: %d", c.a, c.b, match.Similar(c.a, c.b))
	}
}

var letter = rapid.SampledFrom([]rune("abcø e"))

// slipped is a name with some letters put in, taken away, replaced or swapped.
func slipped(rt *rapid.T, name []rune, most int) []rune {
	other := slices.Clone(name)
	for range rapid.IntRange(0, most).Draw(rt, "changes") {
		at := rapid.IntRange(0, len(other)).Draw(rt, "at")
		switch rapid.IntRange(0, 3).Draw(rt, "change") {
		case 0:
			other = slices.Insert(other, at, letter.Draw(rt, "letter"))
		case 1:
			other = slices.Delete(other, min(at, max(len(other)-1, 0)), min(at+1, len(other)))
		case 2:
			if at < len(other) {
				other[at] = letter.Draw(rt, "letter")
			}
		case 3:
			if at+1 < len(other) {
				other[at], other[at+1] = other[at+1], other[at]
			}
		}
	}
	return other
}

// Whatever names are alike meet under a mark; and alike is mutual.
func TestNamesThatAreAlikeMeetUnderAMark(t *testing.T) {
	rapid.Check(t, func(rt *rapid.T) {
		name := rapid.SliceOfN(letter, 1, 60).Draw(rt, "name")
		other := slipped(rt, name, 1+len(name)*15/100)
		a, b := string(name), string(other)
		if match.SimilarPlain(a, b) != match.SimilarPlain(b, a) {
			rt.Fatalf("%q and %q are alike one way only", a, b)
		}
		comparer := match.Comparing(match.NameOf(a))
		like := comparer.Like(match.NameOf(b))
		if comparer.LikeText([]byte(b)) != like {
			rt.Fatalf("%q as a text is another than as a name", b)
		}
		if match.SimilarPlain(a, b) < match.Alike || a == "" || b == "" {
			return
		}
		if !like {
			rt.Fatalf("%q is not like %q", b, a)
		}
		met, filed := false, match.Filed(a)
		match.EachSought(b, func(m int64) { met = met || slices.Contains(filed, m) })
		if met {
			return
		}
		rt.Fatalf("%q is not found by %q", a, b)
	})
}

// plainDistance is how many letters are put in, taken away, replaced or swapped with the next, without any shortcut.
func plainDistance(a, b []rune) int {
	rows := make([][]int, len(a)+1)
	for i := range rows {
		rows[i] = make([]int, len(b)+1)
		for j := range rows[i] {
			switch {
			case i == 0:
				rows[i][j] = j
			case j == 0:
				rows[i][j] = i
			default:
				same := 1
				if a[i-1] == b[j-1] {
					same = 0
				}
				rows[i][j] = min(rows[i-1][j]+1, rows[i][j-1]+1, rows[i-1][j-1]+same)
				if i > 1 && j > 1 && a[i-1] == b[j-2] && a[i-2] == b[j-1] {
					rows[i][j] = min(rows[i][j], rows[i-2][j-2]+1)
				}
			}
		}
	}
	return rows[len(a)][len(b)]
}

// Names of any length are told alike just where the distance says so, from either side.
func TestNamesOfAnyLengthAreCompared(t *testing.T) {
	rapid.Check(t, func(rt *rapid.T) {
		long := rapid.IntRange(1, 150).Draw(rt, "long")
		name := rapid.SliceOfN(letter, long, long).Draw(rt, "name")
		other := slipped(rt, name, 2+len(name)*20/100)
		most := max(len(name), len(other)) * (100 - match.Alike) / 100
		alike := plainDistance(name, other) <= most
		one, two := match.NameOf(string(name)), match.NameOf(string(other))
		assert.Equal(rt, alike, match.Comparing(one).Like(two), "%s and %s", string(name), string(other))
		assert.Equal(rt, alike, match.Comparing(two).Like(one), "%s and %s", string(other), string(name))
		assert.Equal(rt, alike, match.Comparing(one).LikeText([]byte(string(other))), "%s and %s", string(name), string(other))
	})
}
