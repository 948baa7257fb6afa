package field_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"codicil/core/feel"
	"codicil/core/field"
)

func TestDates(t *testing.T) {
	check(t, spec{
		field: field.Field{Label: "Field", Type: field.Date}, formula: "date", width: 3,
		reads: []reading{{"2026-02-29", english, "!not-a-date"}, {"2026-12-01", continental, "2026-12-01"}, {"24.11.", continental, "2026-11-24"}, {"1.2.27", continental, "2027-02-01"},
			{"11/24/2026", american, "2026-11-24"}, {"24/11/2026", american, "!not-a-date"}, {"241126", continental, "2026-11-24"}, {"12-01", field.Plain, "2026-12-01"},
			{"+30", continental, "2026-12-24"}, {"-24", continental, "2026-10-31"}, {"soon", continental, "!not-a-date"}},
		stored:     []string{"2026-11-24", "1999-01-01"},
		notStored:  []string{"24.11.2026", "+30", "2026-2-1", "2026-02-30"},
		shows:      map[string]string{"2026-11-24": "24.11.2026"},
		plain:      map[string]string{"2026-11-24": "2026-11-24"},
		ascending:  []string{"1999-12-31", "2026-01-02", "2026-01-10"},
		relations:  []string{"is", "is-not", "after", "from", "before", "up-to", "between", "is-blank", "is-filled"},
		neighbours: map[string][]string{"2026-02-28": {"2026-03-01", "2026-02-27"}},
		samples:    []string{"2026-11-24", "2026-11-25", "2026-11-23", "2026-12-24"},
		refuses:    map[string]string{`"x"`: "wrong-type"},
		accepts:    map[field.Name]bool{field.Date: true, field.Text: false, field.Number: false},
	})
}

func TestAYearOfTwoDigitsIsTheNearest(t *testing.T) {
	f := field.Field{Label: "On", Type: field.Date}
	for _, c := range []struct {
		today string
		typed string
		want  string
	}{
		{"2026-11-24", "24.11.99", "1999-11-24"}, {"2026-11-24", "24.11.27", "2027-11-24"}, {"2026-11-24", "24.11.75", "2075-11-24"}, {"2026-11-24", "24.11.76", "1976-11-24"},
		{"2080-01-01", "1.2.03", "2103-02-01"}, {"1999-12-31", "1.1.00", "2000-01-01"}, {"2026-11-24", "241199", "1999-11-24"},
	} {
		v, wrong := f.Read(c.typed, formats["swiss"], field.Surroundings{Day: feel.MustDate(c.today)})
		require.Nil(t, wrong, c.typed)
		assert.Equal(t, c.want, field.Write(v), "%s on %s", c.typed, c.today)
	}
}
