package match_test

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"codicil/core/match"
)

// Names that are held find exactly those that are alike when each is compared, among those that are not set apart, whether they were
// added as a whole or by their marks in any order; and the marks under which they are filed.
func TestNamesThatAreHeldFindAllThatAreAlike(t *testing.T) {
	rapid.Check(t, func(rt *rapid.T) {
		type filed struct {
			plain    string
			of, mark int64
		}
		held, names, apart := match.NewNames(), families(rt), map[int64]int64{}
		var marks []filed
		all := rapid.SliceOfN(rapid.IntRange(0, 1), len(names), len(names)).Draw(rt, "companies")
		whole := rapid.SliceOfN(rapid.Bool(), len(names), len(names)).Draw(rt, "whole")
		for i, name := range names {
			of := int64(i)
			apart[of] = match.Apart(fmt.Sprint(all[i]), "")
			plain := match.Plain(name)
			under := match.Filed(plain)
			for k := range under {
				under[k] ^= apart[of]
				marks = append(marks, filed{plain, of, under[k]})
			}
			if whole[i] {
				held.Add(plain, of, under)
			}
		}
		places := map[int64][]int32{}
		for _, f := range rapid.Permutation(marks).Draw(rt, "order") {
			if !whole[f.of] {
				places[f.of] = held.AddMark(f.plain, f.of, f.mark, places[f.of])
			}
		}
		require.Equal(rt, len(marks), held.Marks())
		for i, name := range names {
			var expected []int64
			for k, other := range names {
				if all[i] == all[k] && match.Similar(name, other) >= match.Alike && match.Plain(name) != "" && match.Plain(other) != "" {
					expected = append(expected, int64(k))
				}
			}
			found, under := held.Like(match.Plain(name), apart[int64(i)])
			require.Equal(rt, expected, slices.DeleteFunc(found, func(of int64) bool { return match.Similar(name, names[of]) < match.Alike }), "%q in %q", name, names)
			for _, of := range found {
				require.True(rt, slices.ContainsFunc(marks, func(f filed) bool { return f.of == of && slices.Contains(under, f.mark) }), "%q is under none of the marks", names[of])
			}
		}
	})
}

// Very many names are found as few are.
func TestVeryManyNamesAreHeld(t *testing.T) {
	held := match.NewNames()
	names := make([]string, 20_000)
	r := rand.New(rand.NewPCG(1, 2))
	for i := range names {
		letters := make([]rune, 12)
		for k := range letters {
			letters[k] = []rune("abcdefghijklmnoprstuvwyø")[r.IntN(24)]
		}
		if i%10 == 9 { // like the one before, but for a letter
			letters = []rune(names[i-1])
			letters[5] = 'x'
		}
		names[i] = string(letters)
		held.Add(names[i], int64(i), match.Filed(names[i]))
	}
	for i, name := range names {
		found, _ := held.Like(name, 0)
		found = slices.DeleteFunc(found, func(of int64) bool { return match.SimilarPlain(name, names[of]) < match.Alike })
		expected := []int64{int64(i)}
		switch i % 10 {
		case 8:
			expected = append(expected, int64(i+1))
		case 9:
			expected = []int64{int64(i - 1), int64(i)}
		}
		require.Equal(t, expected, found, name)
	}
}
