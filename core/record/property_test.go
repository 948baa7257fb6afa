package record_test

import (
	"testing"

	"pgregory.net/rapid"

	"codicil/core/decimal"
	"codicil/core/feel"
	"codicil/core/record"
)

// Whatever a person is shown, typing it back means the same value, in every
// format; and what is stored reads back exactly.
func TestWhatIsShownCanBeTypedBack(t *testing.T) {
	formats := []record.Format{continental, english, american, record.Plain, {Decimal: ",", Group: "\u00a0", Date: "ymd", Separator: "-"}, {Decimal: ".", Group: "’", Date: "dmy", Separator: "."}}
	rapid.Check(t, func(t *rapid.T) {
		format := rapid.SampledFrom(formats).Draw(t, "format")
		here := record.Surroundings{Company: rapid.SampledFrom([]*record.Company{&ireland, &japan}).Draw(t, "company"), Day: "2026-11-24"}
		kind := rapid.SampledFrom([]record.FieldType{record.Number, record.Amount, record.Percent, record.Date, record.YesNo, record.Choice}).Draw(t, "kind")
		var v feel.Value
		switch kind {
		case record.Date:
			v = feel.MustDate("2026-11-24").PlusDays(rapid.Int64Range(-300000, 300000).Draw(t, "days"))
		case record.YesNo:
			v = feel.BooleanOf(rapid.Bool().Draw(t, "yes"))
		case record.Choice:
			v = feel.StringOf(rapid.SampledFrom([]string{"IE", "DK", "DE"}).Draw(t, "code"))
		default:
			v = feel.NumberOf(decimal.MustParse(rapid.StringMatching(`-?[0-9]{1,9}(\.[0-9]{1,6})?`).Draw(t, "number")))
		}
		f := field(kind)
		if year, _, _, isDate := v.Civil(); isDate && (year < 1000 || year > 9999) {
			return
		}
		shown := f.Show(v, format, here)
		back, wrong := f.Read(shown, format, here)
		if wrong != nil || !feel.Same(v, back) {
			t.Fatalf("%s is shown as %q and read back as %s (%v)", v, shown, back, wrong)
		}
		stored, wrong := f.Parse(record.Write(v))
		if wrong != nil || !feel.Same(v, stored) {
			t.Fatalf("%s is stored as %q and read back as %s", v, record.Write(v), stored)
		}
	})
}

// Settling is done once: doing it again changes nothing.
func TestSettlingTwiceIsSettlingOnce(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		kind := rapid.SampledFrom([]record.FieldType{record.Text, record.Number, record.Amount, record.Percent}).Draw(t, "kind")
		v := feel.StringOf(rapid.String().Draw(t, "text"))
		if kind != record.Text {
			v = feel.NumberOf(decimal.MustParse(rapid.StringMatching(`-?[0-9]{1,5}(\.[0-9]{1,9})?`).Draw(t, "number")))
		}
		here := record.Surroundings{Company: rapid.SampledFrom([]*record.Company{&ireland, &japan}).Draw(t, "company")}
		once, _ := field(kind).Settle(v, here)
		twice, _ := field(kind).Settle(once, here)
		if !feel.Same(once, twice) {
			t.Fatalf("%s settles to %s, then to %s", v, once, twice)
		}
	})
}
