package field_test

import (
	"fmt"
	"strings"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/text/collate"
	"golang.org/x/text/language"
	"pgregory.net/rapid"

	"codicil/core/decimal"
	"codicil/core/feel"
	"codicil/core/field"
)

var (
	continental = field.Format{Decimal: ",", Group: ".", Date: "dmy", Separator: "."}
	english     = field.Format{Decimal: ".", Group: ",", Date: "dmy", Separator: "/"}
	american    = field.Format{Decimal: ".", Group: ",", Date: "mdy", Separator: "/"}

	irish    = field.Surroundings{Country: "IE", Currency: "EUR", Unit: "kg", Day: feel.MustDate("2026-11-24")}
	japanese = field.Surroundings{Country: "JP", Currency: "JPY", HalfEven: true, Day: feel.MustDate("2026-11-24")}

	numeric = []string{"is", "is-not", "over", "from", "under", "up-to", "between", "is-blank", "is-filled"}
	textual = []string{"is", "is-not", "one-of", "none-of", "starts-with", "ends-with", "contains", "is-blank", "is-filled"}
)

type reading struct {
	typed  string
	format field.Format
	want   string // as it is stored, or the code of the misfit after "!"
}

// spec says how fields of a type behave. Values are written as they are stored, finished ones
// as formulas.
type spec struct {
	field                field.Field
	formula              string
	width, places        int
	reads                []reading
	stored, notStored    []string          // texts that are exact, and others
	fits                 map[string]string // finished values, and what they become
	refuses              map[string]string // finished values, and the code of the misfit
	shows, plain         map[string]string
	ascending, relations []string
	neighbours           map[string][]string
	samples              []string
	accepts              map[field.Name]bool // whether values of another type fit
}

// check holds a type to what is said of it.
func check(t *testing.T, s spec) {
	t.Helper()
	f := &s.field
	finished := func(formula string) feel.Value {
		program, problems := feel.Compile(formula, nil, feel.Strict)
		require.NoError(t, problems.Errors())
		return program.Eval(&feel.Frame{})
	}
	exact := func(text string) feel.Value {
		v, wrong := f.Parse(text)
		require.Nil(t, wrong, text)
		return v
	}
	written := func(values []feel.Value) (texts []string) {
		for _, v := range values {
			texts = append(texts, field.Write(v))
		}
		return texts
	}
	require.Nil(t, f.Sound())
	assert.Equal(t, s.formula, strings.TrimSuffix(f.FeelType().String(), " (percent)"))
	assert.Equal(t, s.width, f.Width(), "width")
	places, _ := f.Places()
	assert.Equal(t, s.places, places, "places")
	for _, c := range s.reads {
		v, wrong := f.Read(c.typed, c.format, irish)
		if code, refused := strings.CutPrefix(c.want, "!"); refused {
			if assert.NotNil(t, wrong, c.typed) {
				assert.Equal(t, code, wrong.Code, c.typed)
				assert.Contains(t, wrong.Error(), "Field", c.typed)
			}
			continue
		}
		assert.Nil(t, wrong, c.typed)
		assert.Equal(t, c.want, field.Write(v), c.typed)
	}
	for _, text := range s.stored {
		assert.Equal(t, text, field.Write(exact(text)))
	}
	for _, text := range s.notStored {
		_, wrong := f.Parse(text)
		assert.NotNil(t, wrong, text)
	}
	for formula, want := range s.fits {
		v, wrong := f.Settle(finished(formula), irish)
		assert.Nil(t, wrong, formula)
		assert.Equal(t, want, field.Write(v), formula)
	}
	for formula, code := range s.refuses {
		given := finished(formula)
		v, wrong := f.Settle(given, irish)
		if assert.NotNil(t, wrong, formula) {
			assert.Equal(t, code, wrong.Code, formula)
		}
		assert.True(t, feel.Same(given, v), "%s is refused, never cut", formula)
	}
	for text, want := range s.shows {
		assert.Equal(t, want, f.Show(exact(text), continental, irish))
	}
	for text, want := range s.plain {
		plain := f.Plain(exact(text))
		assert.Equal(t, want, plain)
		again, wrong := f.Read(plain, field.Plain, irish)
		assert.Nil(t, wrong, plain)
		assert.Equal(t, text, field.Write(again), "what is plain is read back")
	}
	key := f.SortKey()
	for i := 1; i < len(s.ascending); i++ {
		assert.Less(t, key(exact(s.ascending[i-1])), key(exact(s.ascending[i])), "%s before %s", s.ascending[i-1], s.ascending[i])
	}
	var relations []string
	for _, r := range f.Relations() {
		relations = append(relations, r.Key)
	}
	assert.Equal(t, s.relations, relations)
	for text, want := range s.neighbours {
		assert.Equal(t, want, written(f.Neighbours(exact(text), irish)), text)
	}
	assert.Equal(t, s.samples, written(f.Samples(irish)))
	for name, fits := range s.accepts {
		from := some(name)
		from.Length, from.Decimals, from.Digits = 1, 0, 1
		assert.Equal(t, fits, from.Carries(f) == "", "%s into %s: %s", name, f.Type, from.Carries(f))
	}
}

// some is a field of a type.
func some(name field.Name) *field.Field {
	return &field.Field{Key: "x", Label: "Field", Type: name, Length: 5, Decimals: 1, Digits: 6, Kind: "other",
		Choices: []field.Option{{Code: "IE", Label: "Ireland"}, {Code: "DK", Label: "Denmark"}, {Code: "DE", Label: "Germany"}}}
}

type identity struct {
	country, text string
	want          string // stored form, or the code of the misfit after "!"
}

// checkIdentities holds a type to the one form of its numbers and addresses.
func checkIdentities(t *testing.T, name field.Name, cases []identity) {
	t.Helper()
	require.NotEmpty(t, cases)
	f := field.Field{Key: "x", Label: "Field", Type: name, Length: 60}
	for _, c := range cases {
		here := irish.Beside("", "", c.country)
		v, wrong := f.Settle(feel.StringOf(c.text), here)
		if code, refused := strings.CutPrefix(c.want, "!"); refused {
			if assert.NotNil(t, wrong, c.text) {
				assert.Equal(t, code, wrong.Code, c.text)
			}
			continue
		}
		assert.Nil(t, wrong, c.text)
		assert.Equal(t, c.want, field.Write(v))
		again, wrong := f.Settle(v, here)
		assert.Nil(t, wrong, c.text)
		assert.Equal(t, v, again, "fitting twice changes nothing")
	}
}

// Whatever a person is shown, typing it back means the same value, in every
// format; and what is stored reads back exactly.
func TestWhatIsShownCanBeTypedBack(t *testing.T) {
	formats := []field.Format{continental, english, american, field.Plain, {Decimal: ",", Group: "\u00a0", Date: "ymd", Separator: "-"}, {Decimal: ".", Group: "’", Date: "dmy", Separator: "."}}
	rapid.Check(t, func(t *rapid.T) {
		format := rapid.SampledFrom(formats).Draw(t, "format")
		here := rapid.SampledFrom([]field.Surroundings{irish, japanese}).Draw(t, "company")
		kind := rapid.SampledFrom([]field.Name{field.Number, field.Amount, field.Percent, field.Quantity, field.Date, field.YesNo, field.Choice}).Draw(t, "kind")
		var v feel.Value
		switch kind {
		case field.Date:
			v = feel.MustDate("2026-11-24").PlusDays(rapid.Int64Range(-300000, 300000).Draw(t, "days"))
		case field.YesNo:
			v = feel.BooleanOf(rapid.Bool().Draw(t, "yes"))
		case field.Choice:
			v = feel.StringOf(rapid.SampledFrom([]string{"IE", "DK", "DE"}).Draw(t, "code"))
		default:
			v = feel.NumberOf(decimal.MustParse(rapid.StringMatching(`-?[0-9]{1,9}(\.[0-9]{1,6})?`).Draw(t, "number")))
		}
		f := some(kind)
		if year, _, _, isDate := v.Civil(); isDate && (year < 1000 || year > 9999) {
			return
		}
		shown := f.Show(v, format, here)
		back, wrong := f.Read(shown, format, here)
		if wrong != nil || !feel.Same(v, back) {
			t.Fatalf("%s is shown as %q and read back as %s (%v)", v, shown, back, wrong)
		}
		if again := f.Reshow(field.Write(v), f.Show(v, field.Plain, here), format); again != shown {
			t.Fatalf("%s is shown as %q, and %q when it was written for everybody before", v, shown, again)
		}
		stored, wrong := f.Parse(field.Write(v))
		if wrong != nil || !feel.Same(v, stored) {
			t.Fatalf("%s is stored as %q and read back as %s", v, field.Write(v), stored)
		}
	})
}

// What was written otherwise than for everybody is not taken for something else.
func TestOnlyWhatWasWrittenForEverybodyIsShownAgain(t *testing.T) {
	quantity, day := some(field.Quantity), some(field.Date)
	for _, c := range []struct {
		f           *field.Field
		value, text string
		want        string
	}{
		{quantity, "1250", "1250 box", "1.250 box"},
		{quantity, "1250", "1.250 box", "1.250 box"}, // somebody's thousand, not 1.25
		{quantity, "1250", "1.250,5", "1.250,5"},
		{quantity, "", "", ""},
		{quantity, "x", "x", "x"},
		{day, "2026-11-24", "2026-11-24", "24.11.2026"},
		{day, "2026-11-24", "11/24/2026", "11/24/2026"},
	} {
		assert.Equal(t, c.want, c.f.Reshow(c.value, c.text, continental), "%s as %s", c.value, c.text)
	}
}

// Settling is done once: doing it again changes nothing.
func TestSettlingTwiceIsSettlingOnce(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		kind := rapid.SampledFrom([]field.Name{field.Text, field.Number, field.Amount, field.Percent}).Draw(t, "kind")
		v := feel.StringOf(rapid.String().Draw(t, "text"))
		if kind != field.Text {
			v = feel.NumberOf(decimal.MustParse(rapid.StringMatching(`-?[0-9]{1,5}(\.[0-9]{1,9})?`).Draw(t, "number")))
		}
		here := rapid.SampledFrom([]field.Surroundings{irish, japanese}).Draw(t, "company")
		once, _ := some(kind).Settle(v, here)
		twice, _ := some(kind).Settle(once, here)
		if !feel.Same(once, twice) {
			t.Fatalf("%s settles to %s, then to %s", v, once, twice)
		}
	})
}

func TestManyMakeSortKeysAtOnce(t *testing.T) {
	t.Parallel()
	name := field.Field{Key: "name", Type: "text", Length: 60}
	key := name.SortKey()
	values, want := make([]feel.Value, 500), make([]string, 500)
	for i := range values {
		values[i] = feel.StringOf(fmt.Sprintf("Harbour %d Supplies Östersund", i))
		want[i] = key(values[i])
	}
	var all sync.WaitGroup
	for range 4 {
		all.Go(func() {
			for i, v := range values {
				assert.Equal(t, want[i], key(v))
			}
		})
	}
	all.Wait()
}

// A shortened key sorts as the whole one does, whatever letters, marks and numbers there are.
func TestShortenedKeysSortAsWholeOnes(t *testing.T) {
	t.Parallel()
	words, buffer := collate.New(language.Und, collate.IgnoreCase, collate.Numeric), collate.Buffer{}
	whole := func(text string) string {
		buffer.Reset()
		return string(words.KeyFromString(&buffer, text))
	}
	name := field.Field{Key: "name", Type: "text", Length: 60}
	key := name.SortKey()
	letters := rapid.OneOf(rapid.SampledFrom([]rune("aAàáäâeéèoöøßszZ019 -.ー塩しおガかソ\u0301\u0308\u0327\u200d\u00ad日")), rapid.Rune())
	text := rapid.Map(rapid.SliceOfN(letters, 0, 8), func(of []rune) string { return string(of) })
	var saved int
	rapid.Check(t, func(rt *rapid.T) {
		one := text.Draw(rt, "one")
		other := rapid.OneOf(text, rapid.Map(text, func(end string) string { return one + end }), rapid.Just(one+"\u0301")).Draw(rt, "other")
		before, now := strings.Compare(whole(one), whole(other)), strings.Compare(key(feel.StringOf(one)), key(feel.StringOf(other)))
		if now != before {
			rt.Fatalf("%q and %q: %d as whole keys, %d as shortened ones", one, other, before, now)
		}
		saved += len(whole(one)) - len(key(feel.StringOf(one)))
	})
	assert.Positive(t, saved)
}
