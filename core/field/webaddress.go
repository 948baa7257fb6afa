package field

import (
	"net/url"
	"strings"

	"codicil/core/feel"
	"codicil/core/notice"
)

// WebAddress is the address of a page on the web (RFC 3986).
const WebAddress Name = "web-address"

var notWebAddress = notice.Define("not-a-web-address", "{field}: {value:q} is not a web address; write it as example.com or https://example.com/page")

func init() { register(120, webAddress{}) }

type webAddress struct{ text }

func (webAddress) Traits() Traits {
	return Traits{Name: WebAddress, Label: "Web address", Input: "text", Keys: "url", Width: 110, Settings: []string{"length"}}
}

// Fit puts https:// before an address that has no scheme.
func (webAddress) Fit(f *Field, v feel.Value, _ Surroundings) (feel.Value, *Misfit) {
	return fitBy(f, v, func(typed string) (string, *Misfit) {
		address := typed
		if !strings.Contains(address, "://") {
			address = "https://" + address
		}
		u, err := url.Parse(address)
		if err != nil || (u.Scheme != "https" && u.Scheme != "http") || !strings.Contains(u.Host, ".") || strings.ContainsAny(address, " \t") {
			return typed, misfit(notWebAddress, f.Label, typed)
		}
		return address, nil
	})
}
