package codec

import (
	"flag"
	"fmt"
	"math/rand"
	"os"
	"reflect"
	"slices"
	"strings"
	"testing"
	"testing/quick"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"codicil/core/judge"
	"codicil/core/proof"
	"codicil/core/record"
	"codicil/core/rule"
)

var update = flag.Bool("update", false, "write what the shapes are now into testdata")

// A model that lacks a field of the domain would lose it without a word.
func TestEveryFieldOfTheDomainIsKept(t *testing.T) {
	seen := map[reflect.Type]bool{}
	var follow func(path string, domain, model reflect.Type)
	follow = func(path string, domain, model reflect.Type) {
		require.Equal(t, domain.Kind(), model.Kind(), path)
		switch domain.Kind() {
		case reflect.Pointer, reflect.Slice:
			follow(path, domain.Elem(), model.Elem())
		case reflect.Map:
			follow(path+" key", domain.Key(), model.Key())
			follow(path, domain.Elem(), model.Elem())
		case reflect.Struct:
			if seen[domain] {
				return
			}
			seen[domain] = true
			require.Equal(t, domain.NumField(), model.NumField(), path)
			for i := range domain.NumField() {
				d, m := domain.Field(i), model.Field(i)
				require.True(t, d.Name == m.Name || (d.Anonymous && m.Anonymous), "%s: %s is kept as %s", path, d.Name, m.Name)
				follow(path+"."+d.Name, d.Type, m.Type)
			}
		}
	}
	for domain, s := range shapes {
		follow(s.name, domain, s.model)
	}
}

// What a shape is stands in a file. Who changes a shape gives it a new version, with a step that
// brings older ones up to date, and a case for the step below.
func TestAShapeChangesWithItsVersionOnly(t *testing.T) {
	var lines []string
	for _, s := range shapes {
		lines = append(lines, fmt.Sprintf("%s %d %s", s.name, s.version(), describe(s.model, map[reflect.Type]bool{})))
	}
	slices.Sort(lines)
	now := strings.Join(lines, "\n") + "\n"
	if *update {
		require.NoError(t, os.WriteFile("testdata/shapes.txt", []byte(now), 0o644))
	}
	then, err := os.ReadFile("testdata/shapes.txt")
	require.NoError(t, err)
	assert.Equal(t, string(then), now)
}

func describe(t reflect.Type, within map[reflect.Type]bool) string {
	switch t.Kind() {
	case reflect.Pointer, reflect.Slice:
		return "[]" + describe(t.Elem(), within)
	case reflect.Map:
		return "{*: " + describe(t.Elem(), within) + "}"
	case reflect.Struct:
		if within[t] {
			return t.Name()
		}
		within[t] = true
		defer delete(within, t)
		var parts []string
		for i := range t.NumField() {
			f := t.Field(i)
			if f.Anonymous {
				parts = append(parts, "..."+describe(f.Type, within))
				continue
			}
			if key := f.Tag.Get("json"); key != "-" { // otherwise it is not written
				parts = append(parts, key+": "+describe(f.Type, within))
			}
		}
		return "{" + strings.Join(parts, ", ") + "}"
	}
	return t.Kind().String()
}

// Whatever is written is read again as it was, in both ways of writing.
func TestWhatIsWrittenIsReadAgain(t *testing.T) {
	random := rand.New(rand.NewSource(24))
	for domain, s := range shapes {
		for range 20 {
			v, made := quick.Value(domain, random)
			require.True(t, made, s.name)
			text, err := Write(v.Interface())
			require.NoError(t, err, s.name)
			assert.Contains(t, string(text), fmt.Sprintf(`"v":%d`, s.version()))
			again := reflect.New(domain)
			require.NoError(t, Read(text, again.Interface()), s.name)
			part, err := WritePart(v.Interface())
			require.NoError(t, err, s.name)
			piece := reflect.New(domain)
			require.NoError(t, ReadPart(part, piece.Interface(), 0), s.name)
			assert.Equal(t, again.Interface(), piece.Interface(), s.name)
			twice, err := Write(again.Elem().Interface())
			require.NoError(t, err)
			assert.Equal(t, string(text), string(twice), s.name)
		}
	}
}

func TestWhatWasWrittenBeforeIsBroughtUpToDate(t *testing.T) {
	effects := map[string]rule.Effect{
		`{"manner":"required"}`:                            {Need: rule.Required, Access: rule.Open},
		`{"manner":"required","twice":true}`:               {Need: rule.Required, Access: rule.Open, Keying: rule.Twice},
		`{"manner":"optional"}`:                            {Need: rule.Optional, Access: rule.Open},
		`{"manner":"optional","cursor":"stop"}`:            {Cursor: rule.Stop},
		`{"manner":"hidden"}`:                              {Need: rule.Optional, Access: rule.Hidden},
		`{"need":"required"}`:                              {Need: rule.Required},
		`{"value":"1","bands":[{"label":"x","until":""}]}`: {Value: "1", Bands: []rule.Band{{Label: "x"}}},
	}
	for text, want := range effects {
		var body rule.Body
		require.NoError(t, Read([]byte(`{"kind":"vendor","effect":`+text+`}`), &body), text)
		assert.Equal(t, want, body.Effect, text)
		var d judge.Document
		require.NoError(t, Read([]byte(`{"kind":"vendor","changes":{"rules":[{"id":3,"effect":`+text+`}]}}`), &d), text)
		assert.Equal(t, want, d.Changes.Rules[0].Effect, "in a document")
		var p proof.Proof
		require.NoError(t, ReadPart([]byte(`{"id":1,"given":{"changes":{"rules":[{"id":3,"effect":`+text+`}]}},"expect":{"messages":[{"code":"x","text":"gone"}]}}`), &p, 1), text)
		assert.Equal(t, want, p.Given.Changes.Rules[0].Effect, "in a proof")
		assert.Equal(t, "x", p.Expect.Messages[0].Code)
	}
	var lines []record.Line
	require.NoError(t, Read([]byte(`[{"number":2,"values":{"v":"1"}}]`), &lines))
	assert.Equal(t, []record.Line{{Number: 2, Values: map[string]string{"v": "1"}}}, lines)
}

func TestWhatCannotBeReadIsSaid(t *testing.T) {
	var body rule.Body
	assert.ErrorContains(t, Read([]byte(`{"v":99,"kind":"vendor"}`), &body), "a later program wrote")
	assert.ErrorContains(t, Read([]byte(`{"v":2,"kind":`), &body), "read rule")
	assert.ErrorContains(t, ReadPart([]byte(`{"kind":"vendor","nope":1}`), &body, 0), "nope")
	assert.Error(t, Read([]byte(`{}`), new(int)), "a type without a shape")
	_, err := Write(3)
	assert.Error(t, err)
	require.NoError(t, Read(nil, &body))
	require.NoError(t, Read([]byte("null"), &body))
	assert.Empty(t, body.Kind)
}
