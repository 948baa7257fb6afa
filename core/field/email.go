package field

import (
	"net/mail"
	"strings"

	"codicil/core/feel"
	"codicil/core/notice"
)

// Email is an e-mail address (RFC 5322, without a name).
const Email Name = "email"

var notEmail = notice.Define("not-an-email", "{field}: {value:q} is not an e-mail address; write name@example.com")

func init() { register(100, email{}) }

type email struct{ text }

func (email) Traits() Traits {
	return Traits{Name: Email, Label: "E-mail", Input: "text", Keys: "email", Width: 110, Settings: []string{"length"}}
}

func (email) Fit(f *Field, v feel.Value, _ Surroundings) (feel.Value, *Misfit) {
	return fitBy(f, v, func(address string) (string, *Misfit) {
		if a, err := mail.ParseAddress(address); err != nil || a.Address != address || !strings.Contains(address, ".") {
			return address, misfit(notEmail, f.Label, address)
		}
		return address, nil
	})
}
