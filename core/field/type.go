package field

import (
	"bytes"
	"cmp"
	"slices"
	"strings"
	"sync"

	"golang.org/x/text/collate"
	"golang.org/x/text/language"

	"codicil/core/feel"
)

// Name names a type of field, as definitions and the contract do: "amount".
type Name string

// Type is what fields of one type can do. f is the field's definition; values and texts that
// it is given are never null or blank.
type Type interface {
	Traits() Traits
	// Formula is the type of the values in formulas.
	Formula() feel.Type
	// Read reads what a person typed, leniently; the text has no spaces around it.
	Read(f *Field, text string, format Format, s Surroundings) (feel.Value, *Misfit)
	// Parse reads what Write wrote.
	Parse(f *Field, text string) (feel.Value, *Misfit)
	// Fit fits a finished value of the type's formula type to the field.
	Fit(f *Field, v feel.Value, s Surroundings) (feel.Value, *Misfit)
	// Show writes the value for a person, Plain for everybody so that Read reads it back.
	Show(f *Field, v feel.Value, format Format, s Surroundings) string
	Plain(f *Field, v feel.Value) string
	// SortKey returns what makes texts of values that sort, byte by byte, as the values do. Many may call it at once.
	SortKey() func(v feel.Value) string
	// Relations are the ways to compare with values, in the order to offer them.
	Relations() []Relation
	// Neighbours are the values next to one; Samples some to try.
	Neighbours(f *Field, v feel.Value, s Surroundings) []feel.Value
	Samples(f *Field, s Surroundings) []feel.Value
	// Places is the number of decimals that are kept; false where the values are no numbers.
	Places(f *Field, s Surroundings) (int, bool)
	// Width is how many of twelve columns of a form suit the field.
	Width(f *Field) int
	// Describe names the type for messages.
	Describe(f *Field) string
	// Check says what is wrong with the definition of a field, and completes it.
	Check(f *Field) *Misfit
	// Accepts tells whether all values of from, which has the same formula type, fit f; if not, why.
	Accepts(f, from *Field) (why string, fits bool)
}

// Traits are what a type offers, as data: for the catalogue and the client.
type Traits struct {
	Name  Name   `json:"name"`
	Label string `json:"label"` // "Amount"
	// Input is how a value is keyed: "text", "date", "choice", "link" or "yes-no".
	Input string `json:"input"`
	// Keys is the keyboard that suits a value on a small screen, as HTML's inputmode: "decimal"; "": any.
	Keys string `json:"keys,omitempty"`
	// Formula is the type of the values in formulas, by name.
	Formula string `json:"formula"`
	// Right tells that values are numbers and stand to the right of their column.
	Right bool `json:"right,omitempty"`
	// Width is the least width of a column in which what it usually holds can be read, in
	// CSS pixels.
	Width int `json:"width"`
	// Share tells that people write a hundred times what is kept, with a sign: 2.5 % for 0.025.
	Share bool `json:"share,omitempty"`
	// Settings are those of a field's definition that the type uses: "length", "case",
	// "pattern", "digits", "decimals", "choices", "kind", "currency", "unit", "country".
	Settings []string `json:"settings"`
	// Tables tells that columns of tables may be of the type.
	Tables bool `json:"tables,omitempty"`
	// Beside tells that a field of the type may hold the currency, unit or country of another.
	Beside bool `json:"beside,omitempty"`
	// Uniform tells that there is one way only to write a value, so that ignoring differences
	// of writing makes no difference.
	Uniform bool `json:"-"`
}

var (
	types = map[Name]Type{}
	order []Name
)

// register adds a type; place orders the types as they are offered.
func register(place int, t Type) {
	name := t.Traits().Name
	types[name] = t
	places[name] = place
	order = append(order, name)
	slices.SortStableFunc(order, func(a, b Name) int { return cmp.Compare(places[a], places[b]) })
}

var places = map[Name]int{}

// Register adds a type after those that are there. It is for the start of a program, and
// panics where the name is taken.
func Register(t Type) {
	if name := t.Traits().Name; types[name] != nil {
		panic("field: there are two types " + string(name))
	}
	register(len(order), t)
}

// Named returns the type of a name; nil when there is none. A new type may embed one that is there.
func Named(name Name) Type { return types[name] }

// Names lists the types in the order in which they are offered.
func Names() []Name { return slices.Clone(order) }

// TraitsOfAll lists what each type offers, in the order of Names.
func TraitsOfAll() []Traits {
	all := make([]Traits, len(order))
	for i, name := range order {
		all[i] = types[name].Traits()
		all[i].Formula = types[name].Formula().Kind.String()
	}
	return all
}

// of is the field's type; one that is not known behaves as a text.
func (f *Field) of() Type {
	if t := types[f.Type]; t != nil {
		return t
	}
	return types[Text]
}

// Relation is a way to compare a field with values.
type Relation struct {
	Key    string `json:"key"`
	Phrase string `json:"phrase"`
	// Operands is the number of values; -1: one or more.
	Operands int `json:"operands"`
	// Operator is how a formula writes it: "=", "between", "starts with".
	Operator string `json:"-"`
}

// The groups of relations that types are made of.
var (
	equality = []Relation{{"is", "is", 1, "="}, {"is-not", "is not", 1, "!="}}
	ordering = []Relation{{"over", "is over", 1, ">"}, {"from", "is at least", 1, ">="}, {"under", "is under", 1, "<"}, {"up-to", "is at most", 1, "<="}, {"between", "is between", 2, "between"}}
	sequence = []Relation{{"after", "is after", 1, ">"}, {"from", "is on or after", 1, ">="}, {"before", "is before", 1, "<"}, {"up-to", "is on or before", 1, "<="}, {"between", "is between", 2, "between"}}
	members  = []Relation{{"one-of", "is one of", -1, "in"}, {"none-of", "is none of", -1, "not in"}}
	contents = []Relation{{"starts-with", "starts with", 1, "starts with"}, {"ends-with", "ends with", 1, "ends with"}, {"contains", "contains", 1, "contains"}}
	presence = []Relation{{"is-blank", "is blank", 0, "is blank"}, {"is-filled", "is filled", 0, "is filled"}}
)

// exactly makes the sort keys of values other than texts.
func exactly() func(v feel.Value) string {
	return func(v feel.Value) string {
		if n, isNumber := v.Number(); isNumber {
			return n.SortKey()
		}
		return Write(v)
	}
}

// sortedLetters is by how many letters texts are sorted: sort keys are kept with records.
const sortedLetters = 60

// A collation makes sort keys, for one caller at a time: both of its parts keep what they work with.
type collation struct {
	words  *collate.Collator
	buffer collate.Buffer
}

// collations are kept for the next caller, as one is costly to make. Any of them makes the same keys.
var collations = sync.Pool{New: func() any {
	return &collation{words: collate.New(language.Und, collate.IgnoreCase, collate.Numeric)}
}}

// byWords sorts texts as people do: without regard to case, numbers by their size. What it returns may be called by
// many at once.
func byWords() func(v feel.Value) string {
	return func(v feel.Value) string {
		letters := []rune(v.Plain())
		c, _ := collations.Get().(*collation)
		defer collations.Put(c)
		c.buffer.Reset()
		return string(Shortened(c.words.KeyFromString(&c.buffer, string(letters[:min(len(letters), sortedLetters)]))))
	}
}

// unmarked is how a sort key says of a letter that it has no mark, like an accent. Letters come first in a key, then a gap, then
// the marks of each.
var unmarked = []byte{0, 0x20}

// Shortened leaves out of a sort key of a text what its end mostly is: that the last letters have no marks. As no mark sorts
// before that, the keys that are left sort as the whole keys do.
func Shortened(key []byte) []byte {
	for bytes.HasSuffix(key, unmarked) {
		key = key[:len(key)-len(unmarked)]
	}
	return key
}

// SortsFrom is how the sort keys begin of texts that begin with text.
func SortsFrom(text string) string {
	key := byWords()
	a, b := key(feel.StringOf(text)), key(feel.StringOf(text+"a"))
	n := 0
	for n < min(len(a), len(b)) && a[n] == b[n] {
		n++
	}
	return a[:n]
}

// spaced writes the name of a type as words: "web address".
func spaced(name Name) string { return strings.ReplaceAll(string(name), "-", " ") }
