package actor_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"

	"codicil/internal/actor"
)

var (
	kinds     = []string{"vendor", "customer", "item"}
	companies = []string{"10", "20", "30"}
)

func rights(t *rapid.T, name string) actor.Rights {
	r := actor.Rights{Whole: rapid.IntRange(0, 9).Draw(t, name+" whole") == 0, Everywhere: rapid.Bool().Draw(t, name+" everywhere")}
	for range rapid.IntRange(0, 5).Draw(t, name+" count") {
		r.Give(rapid.SampledFrom(actor.Permissions).Draw(t, name+" permission"), rapid.SliceOfN(rapid.SampledFrom(kinds), 0, 2).Draw(t, name+" kinds"))
	}
	if !r.Everywhere {
		r.Companies = rapid.SliceOfNDistinct(rapid.SampledFrom(companies), 0, 3, rapid.ID[string]).Draw(t, name+" companies")
	}
	return r
}

// A key may what it is given as far as its owner may: both, and nothing else.
func TestRightsWithinOthersAreThoseOfBoth(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		key, owner := rights(t, "key"), rights(t, "owner")
		both := key.Within(&owner)
		for _, p := range actor.Permissions {
			for _, kind := range kinds {
				assert.Equal(t, key.Has(p, kind) && owner.Has(p, kind), both.Has(p, kind), "%s of %s", p, kind)
			}
		}
		for _, company := range append(companies, "40") {
			assert.Equal(t, key.In(company) && owner.In(company), both.In(company), company)
		}
		assert.Equal(t, key.All() && owner.All(), both.All())
	})
}

// More is never less: what was given for some kinds and then for all holds for all, in either order.
func TestGivingAddsUp(t *testing.T) {
	for _, order := range [][][]string{{{"vendor"}, nil}, {nil, {"vendor"}}} {
		var r actor.Rights
		for _, of := range order {
			r.Give(actor.RecordsChange, of)
		}
		assert.True(t, r.Has(actor.RecordsChange, "item"))
		assert.True(t, r.Has(actor.RecordsRead, "item"), "who changes something sees it")
		assert.False(t, r.Has(actor.RecordsPost, "item"))
	}
}
