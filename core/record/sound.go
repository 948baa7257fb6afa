package record

import (
	"regexp"
	"slices"
	"strings"
)

var keyPattern = regexp.MustCompile(`^[a-z][a-z0-9_]{0,39}$`)

// IsKey tells whether a text can be the key of a field, column or table: small letters,
// digits and _, with a letter first.
func IsKey(text string) bool { return keyPattern.MatchString(text) }

// Sound says what is wrong with a field that somebody describes, as far as the field
// itself shows it; nil for nothing. It trims the labels and codes.
func (f *Field) Sound() *Misfit {
	f.Label = strings.TrimSpace(f.Label)
	switch {
	case f.Label == "":
		return misfit("no-name", "give the field a label")
	case !slices.Contains(FieldTypes, f.Type):
		return misfit("unknown-field-type", "there is no type of field %q", f.Type)
	case f.Type == ToRecord && f.Kind == "":
		return misfit("unknown-kind", "choose the kind of record that the field links to")
	case f.Type == Choice && len(f.Choices) == 0:
		return misfit("no-choices", "write at least one code that can be chosen")
	case f.Length < 0 || f.Length > 2000:
		return misfit("not-a-length", "a text takes 1 to 2000 characters")
	case f.Decimals < 0 || f.Decimals > 12 || f.Digits < 0 || f.Digits > 20:
		return misfit("not-digits", "a number takes up to 20 digits before the decimal point and 12 after it")
	}
	if _, err := regexp.Compile("^(?:" + f.Pattern + ")$"); err != nil {
		return misfit("not-a-pattern", "the pattern cannot be read: %v", err)
	}
	codes := map[string]bool{}
	for i := range f.Choices {
		c := &f.Choices[i]
		c.Code, c.Label = strings.TrimSpace(c.Code), strings.TrimSpace(c.Label)
		if c.Code == "" || codes[c.Code] {
			return misfit("not-a-code", "every choice needs a code of its own; %q is there twice or blank", c.Code)
		}
		codes[c.Code] = true
	}
	return nil
}
