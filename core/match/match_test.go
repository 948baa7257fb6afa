package match_test

import (
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

// The index finds what comparing with every name finds; and alike is mutual.
func TestTheIndexMissesNoName(t *testing.T) {
	name := rapid.StringMatching(`[a-d]{1,3}[a-f ]{2,9}[a-d]{2}`)
	rapid.Check(t, func(rt *rapid.T) {
		names := rapid.SliceOfN(name, 1, 30).Draw(rt, "names")
		asked := name.Draw(rt, "asked")
		want := map[int]bool{}
		for i, n := range names {
			if match.Similar(asked, n) != match.Similar(n, asked) {
				rt.Fatalf("%q and %q are alike one way only", asked, n)
			}
			if match.Similar(asked, n) >= match.Alike {
				want[i] = true
			}
		}
		for _, i := range match.NewNames(names).Near(asked) {
			if !want[i] {
				rt.Fatalf("%q is not near %q", names[i], asked)
			}
			delete(want, i)
		}
		if len(want) > 0 {
			rt.Fatalf("%q misses %v of %q", asked, want, names)
		}
	})
}
