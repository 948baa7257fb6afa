package field

import (
	"github.com/nyaruka/phonenumbers"

	"codicil/core/feel"
	"codicil/core/notice"
)

// Telephone is a telephone number (ITU-T E.164).
const Telephone Name = "telephone"

var notTelephone = notice.Define("not-a-telephone-number", "{field}: {value:q} is not a telephone number; write it with its country, as in +353 1 555 0142")

func init() { register(110, telephone{}) }

type telephone struct{ text }

func (telephone) Traits() Traits {
	return Traits{Name: Telephone, Label: "Telephone", Input: "text", Keys: "tel", Width: 110, Settings: []string{"length", "country"}, Uniform: true}
}

// Fit writes the number as +35315550142.
func (telephone) Fit(f *Field, v feel.Value, s Surroundings) (feel.Value, *Misfit) {
	return fitBy(f, v, func(typed string) (string, *Misfit) {
		parsed, err := phonenumbers.Parse(typed, s.Country)
		if err != nil || !phonenumbers.IsPossibleNumber(parsed) {
			return typed, misfit(notTelephone, f.Label, typed)
		}
		return phonenumbers.Format(parsed, phonenumbers.E164), nil
	})
}

// Show writes the number with its spaces.
func (telephone) Show(_ *Field, v feel.Value, _ Format, _ Surroundings) string {
	if parsed, err := phonenumbers.Parse(v.Plain(), ""); err == nil {
		return phonenumbers.Format(parsed, phonenumbers.INTERNATIONAL)
	}
	return v.Plain()
}
