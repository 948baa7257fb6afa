package match_test

import (
	"cmp"
	"fmt"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"codicil/core/match"
)

// joined finds the pairs of names that are alike by a join.
func joined(names []string) map[string]int {
	type named struct{ name, number string }
	var all []named
	for i, name := range names {
		all = append(all, named{match.Plain(name), fmt.Sprint(i)})
	}
	slices.SortStableFunc(all, func(a, b named) int { return cmp.Compare(len([]rune(a.name)), len([]rune(b.name))) })
	j, found, seen := match.NewJoin[string](), map[string]int{}, &match.Scratch{}
	for _, n := range all {
		if n.name == "" {
			continue
		}
		like, _ := j.Like(j.Add(n.name, n.number), seen)
		for _, p := range like {
			found[min(p.Of, n.number)+" "+max(p.Of, n.number)] = p.Alike
		}
	}
	return found
}

// families are names, some of them like others.
func families(rt *rapid.T) (names []string) {
	letter := rapid.SampledFrom([]rune("abc é"))
	for range rapid.IntRange(1, 6).Draw(rt, "families") {
		name := rapid.SliceOfN(letter, 1, 50).Draw(rt, "name")
		names = append(names, string(name))
		for range rapid.IntRange(0, 2).Draw(rt, "likes") {
			like := slices.Clone(name)
			for range rapid.IntRange(0, 1+len(name)*20/100).Draw(rt, "changes") {
				at := rapid.IntRange(0, max(len(like)-1, 0)).Draw(rt, "at")
				switch {
				case len(like) == 0 || rapid.Bool().Draw(rt, "more"):
					like = slices.Insert(like, at, letter.Draw(rt, "letter"))
				case at+1 < len(like) && rapid.Bool().Draw(rt, "swap"):
					like[at], like[at+1] = like[at+1], like[at]
				default:
					like = slices.Delete(like, at, at+1)
				}
			}
			names = append(names, string(like))
		}
	}
	return names
}

// A join finds exactly the names that are alike when each is compared with each.
func TestAJoinFindsAllNamesThatAreAlike(t *testing.T) {
	rapid.Check(t, func(rt *rapid.T) {
		names := families(rt)
		expected := map[string]int{}
		for i, a := range names {
			for k, b := range names[:i] {
				if alike := match.Similar(a, b); alike >= match.Alike && match.Plain(a) != "" && match.Plain(b) != "" {
					one, two := fmt.Sprint(i), fmt.Sprint(k)
					expected[min(one, two)+" "+max(one, two)] = alike
				}
			}
		}
		if found := joined(names); len(found) != len(expected) {
			rt.Fatalf("%q: found %v, expected %v", names, found, expected)
		} else {
			for pair, alike := range expected {
				if found[pair] != alike {
					rt.Fatalf("%q: %s found as %d, expected %d", names, pair, found[pair], alike)
				}
			}
		}
	})
}

// Many names of one pattern must not cost the square of them; what was left out is told.
func TestNamesOfOnePatternAreNotAllCompared(t *testing.T) {
	j, seen, pairs, left := match.NewJoin[string](), &match.Scratch{}, 0, 0
	for i := range 5_000 {
		like, whole := j.Like(j.Add(fmt.Sprintf("harbour vendor %06d", i), fmt.Sprint(i)), seen)
		pairs += len(like)
		require.LessOrEqual(t, len(like), 20)
		if !whole {
			left++
		}
	}
	assert.Positive(t, pairs)
	assert.Greater(t, left, 4_000)
}

func TestWhyNamesAreAlike(t *testing.T) {
	for _, c := range []struct {
		a, b    string
		changes int
		aside   []match.Aside
	}{
		{"Quay Ropes Ltd", "Quay Ropes Limited", 0, []match.Aside{match.LegalForm}}, {"Quay Ropes", "Ropes Quay", 0, []match.Aside{match.WordOrder}},
		{"Møller Tovværk", "MOLLER TOVVAERK", 0, []match.Aside{match.Spelling}}, {"Quay Ropes", "Qauy Ropes", 1, nil},
		{"Ropes Quay AG", "Quay Ropes", 0, []match.Aside{match.LegalForm, match.WordOrder}}, {"Quay Ropes", "Quay Ropes", 0, nil},
	} {
		l := match.Compare(c.a, c.b)
		assert.Equal(t, c.changes, l.Changes, "%q and %q", c.a, c.b)
		assert.Equal(t, c.aside, l.Aside, "%q and %q", c.a, c.b)
		assert.Equal(t, match.Similar(c.a, c.b), l.Alike)
	}
}
