package field

import (
	"strings"

	"codicil/core/feel"
	"codicil/core/notice"
)

// TaxNumber is a value added tax or company number, by the published scheme of its country.
const TaxNumber Name = "tax-number"

var notTaxNumber = notice.Define("not-a-tax-number", "{field}: {value} is not a tax number of {country}; it is written like {example}, and its check digit must fit")

func init() { register(140, taxNumber{}) }

type taxNumber struct{ text }

func (taxNumber) Traits() Traits {
	return Traits{Name: TaxNumber, Label: "Tax number", Input: "text", Width: 110, Settings: []string{"length", "country"}, Uniform: true}
}

func (taxNumber) Fit(f *Field, v feel.Value, s Surroundings) (feel.Value, *Misfit) {
	return fitBy(f, v, func(typed string) (string, *Misfit) { return formOfTaxNumber(f, typed, s) })
}

// formOfTaxNumber checks a tax number by the scheme of its country: that of its
// prefix, or else that of the surroundings. Where the country's check digit is
// not public, any number is taken.
func formOfTaxNumber(f *Field, text string, s Surroundings) (string, *Misfit) {
	compact := strings.ToUpper(separators.Replace(text))
	country, scheme := schemeOf(compact, s.Country)
	if scheme == nil {
		return compact, nil
	}
	number := compact
	if prefix := scheme.prefix(country); strings.HasPrefix(compact, prefix) {
		number = compact[len(prefix):]
	} else {
		compact = prefix + number
	}
	if !scheme.form.MatchString(number) || !scheme.check(number) {
		return compact, misfit(notTaxNumber, f.Label, compact, country, scheme.example)
	}
	return compact, nil
}

// separators are left out when values are compared; made once, as making it costs more than using it.
var separators = strings.NewReplacer(" ", "", "-", "", ".", "", "\u00a0", "")
