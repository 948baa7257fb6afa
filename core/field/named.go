package field

import (
	"strings"
	"sync"

	"golang.org/x/text/language"
	"golang.org/x/text/language/display"
)

// Standards whose codes have names in many languages.
const (
	countryStandard  = "ISO 3166-1"
	languageStandard = "ISO 639-1"
)

// CodeOf returns the code of what a standard calls so in any language: "Irland" and "Irlande" are IE by ISO 3166-1. It is "" where nothing is
// called so, where things are called so in different languages that are not the same, and for a standard without such names. The
// names are those of the Unicode CLDR.
func CodeOf(standard, name string) string {
	switch standard {
	case countryStandard:
		return countries()[strings.ToLower(name)]
	case languageStandard:
		return languages()[strings.ToLower(name)]
	}
	return ""
}

// letters calls do with all codes of two letters.
func letters(do func(code string)) {
	for a := 'a'; a <= 'z'; a++ {
		for b := 'a'; b <= 'z'; b++ {
			do(string([]rune{a, b}))
		}
	}
}

// names collects what codes are called in all languages that have names. Cost: about 0.1 s and 2 MB, once.
func names(each func(in language.Tag, note func(code, name string))) map[string]string {
	found := map[string]string{}
	for _, in := range display.Supported.Tags() {
		each(in, func(code, name string) {
			name = strings.ToLower(name)
			if known, there := found[name]; there && known != code {
				code = "" // which of them is meant is not known
			}
			found[name] = code
		})
	}
	delete(found, "")
	return found
}

var countries = sync.OnceValue(func() map[string]string {
	var all []language.Region
	letters(func(code string) {
		// Of former codes, such as that of a country that became a part of another, only the present one counts.
		if r, err := language.ParseRegion(code); err == nil && r.IsCountry() && r.Canonicalize() == r && strings.EqualFold(r.String(), code) {
			all = append(all, r)
		}
	})
	return names(func(in language.Tag, note func(code, name string)) {
		if namer := display.Regions(in); namer != nil {
			for _, r := range all {
				note(r.String(), namer.Name(r))
			}
		}
	})
})

var languages = sync.OnceValue(func() map[string]string {
	var all []language.Base
	letters(func(code string) {
		if b, err := language.ParseBase(code); err == nil && b.String() == code {
			all = append(all, b)
		}
	})
	return names(func(in language.Tag, note func(code, name string)) {
		if namer := display.Languages(in); namer != nil {
			for _, b := range all {
				note(strings.ToUpper(b.String()), namer.Name(b))
			}
		}
	})
})
