package field_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"codicil/core/field"
)

func TestStandardsAreReadInAnyLanguage(t *testing.T) {
	for name, code := range map[string]string{
		"Irland": "IE", "irlande": "IE", "アイルランド": "IE", "Schweiz": "CH", "Suiza": "CH", "Deutschland": "DE", "Danmark": "DK", "Türkei": "TR",
		"IE": "", "Atlantis": "", "": "",
	} {
		assert.Equal(t, code, field.CodeOf("ISO 3166-1", name), name)
	}
	assert.Equal(t, "DE", field.CodeOf("ISO 639-1", "allemand"))
	assert.Empty(t, field.CodeOf("ISO 4217", "Euro"))

	f := field.Field{Key: "country", Label: "Country", Type: field.Choice, List: "countries", Standard: "ISO 3166-1", Choices: []field.Option{{Code: "IE", Label: "Ireland"}, {Code: "NE", Label: "Niger"}, {Code: "AT", Label: "Home"}}}
	for typed, want := range map[string]string{"Irland": "IE", "niger": "NE", "Hom": "AT", "Autriche": "AT"} {
		v, wrong := f.Read(typed, field.Plain, field.Surroundings{})
		assert.Nil(t, wrong, typed)
		assert.Equal(t, want, field.Write(v), typed)
	}
	_, wrong := f.Read("Schweiz", field.Plain, field.Surroundings{})
	assert.NotNil(t, wrong, "a country that the list does not have")
}
