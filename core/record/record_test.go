package record_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"codicil/core/field"
	"codicil/core/record"
)

var (
	continental = field.Format{Decimal: ",", Group: ".", Date: "dmy", Separator: "."}
	english     = field.Format{Decimal: ".", Group: ",", Date: "dmy", Separator: "/"}
)

func TestDaysAndTypesOfCompanies(t *testing.T) {
	_, err := record.ParseDay("24.11.2026")
	assert.ErrorContains(t, err, "2026-11-24")
	d, err := record.ParseDay("2026-11-24")
	require.NoError(t, err)
	assert.Equal(t, "2026-11-24", d.Value().Plain())
	trade := record.Type{Companies: []string{"10"}}
	assert.True(t, trade.UsedIn("10"))
	assert.False(t, trade.UsedIn("20"))
}

func TestValuesOfACompanyAreFittedByItsRulesOnTheDay(t *testing.T) {
	japan := &record.Company{Key: "30", Country: "JP", Currency: "JPY", Rounding: "half-even"}
	here := japan.Surroundings("2026-11-24")
	assert.Equal(t, [2]string{"JP", "JPY"}, [2]string{here.Country, here.Currency})
	assert.True(t, here.HalfEven)
	assert.Equal(t, "2026-11-24", here.Day.Plain())
	var none *record.Company
	assert.Equal(t, field.Surroundings{}, none.Surroundings(""))
}

func TestOriginsAreWrittenAndRead(t *testing.T) {
	id, version, ok := record.ByRule(12, 3).Rule()
	assert.True(t, ok)
	assert.EqualValues(t, 12, id)
	assert.Equal(t, 3, version)
	for _, o := range []record.Origin{record.Unknown, record.Person, record.Load, record.Carried, "rule x v1", "rule 3"} {
		_, _, ok := o.Rule()
		assert.False(t, ok, o)
	}
}
