package standard_test

import (
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"codicil/core/field"
	"codicil/core/record"
	"codicil/internal/standard"
)

// What a kind names is there: sections, linked kinds, currencies, units, the
// fields of the journal.
func TestTheStandardKindsHangTogether(t *testing.T) {
	kinds, err := standard.Kinds()
	require.NoError(t, err)
	for i := range kinds {
		k := &kinds[i]
		names := slices.Concat(k.Title, k.Signed)
		if k.Day != "" {
			names = append(names, k.Day)
		}
		if j := k.Journal; j != nil {
			names = append(names, slices.Concat([]string{j.Account, j.Debit, j.Credit, j.Text}, j.Partners)...)
		}
		for _, name := range names {
			assert.NotNil(t, k.Field(name), "%s.%s", k.Key, name)
		}
		for place := range k.Fields {
			f := &k.Fields[place]
			assert.True(t, slices.Contains(field.Names(), f.Type), "%s.%s is a %s", k.Key, f.Key, f.Type)
			assert.True(t, slices.ContainsFunc(k.Sections, func(s record.Section) bool { return s.Key == f.Section }), "%s.%s", k.Key, f.Key)
			assert.Equal(t, f.OfLine(), f.Section == record.LineSection, "%s.%s", k.Key, f.Key)
			assert.Equal(t, f.IsLink(), slices.ContainsFunc(kinds, func(other record.Kind) bool { return other.Key == f.Kind }), "%s.%s", k.Key, f.Key)
			assert.Equal(t, f.Type == field.Choice, len(f.Choices) > 0, "%s.%s", k.Key, f.Key)
			beside := k.Beside(place)
			assert.Equal(t, [3]bool{f.Currency != "", f.Unit != "", f.Country != ""}, [3]bool{beside.Currency >= 0, beside.Unit >= 0, beside.Country >= 0}, "%s.%s", k.Key, f.Key)
		}
	}
}
