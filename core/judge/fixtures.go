package judge

import (
	"maps"
	"slices"

	"codicil/core/engine"
	"codicil/core/feel"
	"codicil/core/field"
	"codicil/core/plan"
	"codicil/core/record"
	"codicil/core/rule"
)

// Fixtures is what a proof read besides its document when it was kept, so that later changes
// of it do not change the proof. What a rule reads now and is not carried is read as it is.
type Fixtures struct {
	// Records are the linked records by kind and number: the values of their headers by
	// field, in stored form.
	Records map[string]map[string]map[string]string `json:"records,omitempty"`
	// Missing says why links may not name a record, by kind and number.
	Missing map[string]map[string]string `json:"missing,omitempty"`
	// Standing are the standing values by key, and Lookups what crosswalks gave, both as
	// literals of the formula language.
	Standing map[string]string `json:"standing,omitempty"`
	Lookups  []Lookup          `json:"lookups,omitempty"`
	// Alike are the records that had the values of a unique rule.
	Alike []Alike `json:"alike,omitempty"`
}

// Lookup is one value that a crosswalk gave.
type Lookup struct {
	Crosswalk string   `json:"crosswalk"`
	Keys      []string `json:"keys"` // literals
	Column    string   `json:"column"`
	Value     string   `json:"value"`             // a literal
	Missing   bool     `json:"missing,omitempty"` // there was no row
}

// Alike is what was found for a unique rule.
type Alike struct {
	Rule    int64  `json:"rule"`
	Company string `json:"company"` // "": all
	Key     string `json:"key"`
	// Match is "equal" or "near", as the rule looked for them; "": as it does now.
	Match   string   `json:"manner,omitempty"`
	Numbers []string `json:"numbers"`
}

// Literal writes a value so that ReadLiteral reads it back.
func Literal(v feel.Value) string { return v.String() }

// ReadLiteral reads a literal; what is none is null.
func ReadLiteral(text string) feel.Value {
	program, _ := feel.Compile(text, nil, feel.Strict)
	if program == nil {
		return feel.NullValue
	}
	return program.Eval(&feel.Frame{})
}

// standing returns the standing values that are carried.
func (c *Fixtures) standing() map[string]feel.Value {
	if c == nil {
		return nil
	}
	values := make(map[string]feel.Value, len(c.Standing))
	for key, text := range c.Standing {
		values[key] = ReadLiteral(text)
	}
	return values
}

// world is what a case reads besides its document: first what is carried, then what is there
// now; and with a recorder it notes what was read.
type world struct {
	fixtures *Fixtures
	// kinds finds a kind; nil where there is none.
	kinds      func(key string) *record.Kind
	linked     engine.Linked
	tables     feel.Tables
	uniqueness engine.Uniqueness
	record     *Fixtures // nil: nothing is noted
	looked     map[string]bool
	// instead stands in for the tables, on the day.
	instead *Instead
	day     record.Day
}

// Instead stands in for tables, also where a proof carries what they gave.
type Instead struct {
	// Lookup returns what a crosswalk gives instead on a day; false: what it gives. nil: nothing
	// is changed.
	Lookup func(table string, keys []feel.Value, column string, day record.Day) (feel.Value, bool)
	// Standing returns the standing values of a company on a day that are others, by key; nil:
	// none are.
	Standing func(company string, day record.Day) map[string]feel.Value
}

// standing puts what stands in for standing values over those that are carried.
func (i *Instead) standing(carried map[string]feel.Value, s plan.Scope) map[string]feel.Value {
	if i == nil || i.Standing == nil {
		return carried
	}
	others := i.Standing(s.Company.Key, s.Day)
	if len(others) == 0 {
		return carried
	}
	all := maps.Clone(carried)
	if all == nil {
		all = map[string]feel.Value{}
	}
	maps.Copy(all, others)
	return all
}

// Follow returns a field of a linked record.
func (w *world) Follow(kind, key, field string) feel.Value {
	w.note(kind, key)
	k := w.kinds(kind)
	if k == nil {
		return feel.NullValue
	}
	f := k.Field(field)
	if w.fixtures != nil && f != nil {
		if values, there := w.fixtures.Records[kind][key]; there {
			v, _ := f.Parse(values[field])
			return v
		}
		if _, missing := w.fixtures.Missing[kind][key]; missing {
			return feel.NullValue
		}
	}
	if w.linked == nil {
		return feel.NullValue
	}
	return w.linked.Follow(kind, key, field)
}

// note keeps the header of a record that is read.
func (w *world) note(kind, key string) {
	k := w.kinds(kind)
	if w.record == nil || k == nil || w.looked[kind+" "+key] {
		return
	}
	w.looked[kind+" "+key] = true
	values := map[string]string{}
	for i := range k.Fields[:k.Headers()] {
		f := &k.Fields[i]
		if v := w.Follow(kind, key, f.Key); !v.IsNull() {
			values[f.Key] = field.Write(v)
		}
	}
	// One that a link may not name, because it is another company's, can still be read.
	if len(values) > 0 || w.Missing(kind, key) == "" {
		put(&w.record.Records, kind, key, values)
	}
}

func put[V any](of *map[string]map[string]V, kind, key string, v V) {
	if *of == nil {
		*of = map[string]map[string]V{}
	}
	if (*of)[kind] == nil {
		(*of)[kind] = map[string]V{}
	}
	(*of)[kind][key] = v
}

// Missing says why a link may not name the record.
func (w *world) Missing(kind, key string) string {
	if w.fixtures != nil {
		if why, missing := w.fixtures.Missing[kind][key]; missing {
			return why
		}
		if _, there := w.fixtures.Records[kind][key]; there {
			return ""
		}
	}
	if w.linked == nil {
		return ""
	}
	why := w.linked.Missing(kind, key)
	if why != "" && w.record != nil {
		put(&w.record.Missing, kind, key, why)
	}
	return why
}

// Now is the number of the record to which a number leads. One that is carried is what it was.
func (w *world) Now(kind, key string) string {
	if w.fixtures != nil {
		_, there := w.fixtures.Records[kind][key]
		if _, missing := w.fixtures.Missing[kind][key]; there || missing {
			return key
		}
	}
	if w.linked == nil {
		return key
	}
	return w.linked.Now(kind, key)
}

// Lookup finds a value in a crosswalk.
func (w *world) Lookup(crosswalk string, keys []feel.Value, column string) (feel.Value, bool) {
	texts := make([]string, len(keys))
	for i, key := range keys {
		texts[i] = Literal(key)
	}
	find := func(c *Fixtures) int {
		return slices.IndexFunc(c.Lookups, func(l Lookup) bool {
			return l.Crosswalk == crosswalk && l.Column == column && slices.Equal(l.Keys, texts)
		})
	}
	if w.instead != nil && w.instead.Lookup != nil {
		if v, changed := w.instead.Lookup(crosswalk, keys, column, w.day); changed {
			return v, true
		}
	}
	v, found := w.tables.Lookup(crosswalk, keys, column)
	if w.fixtures != nil {
		if at := find(w.fixtures); at >= 0 {
			v, found = ReadLiteral(w.fixtures.Lookups[at].Value), !w.fixtures.Lookups[at].Missing
		}
	}
	if w.record != nil && find(w.record) < 0 {
		w.record.Lookups = append(w.record.Lookups, Lookup{crosswalk, texts, column, Literal(v), !found})
	}
	return v, found
}

// Same finds the records that have the values of a unique rule.
func (w *world) Same(c *rule.Compiled, company, key string, texts []string) []string {
	manner := "equal"
	if c.Effect.Unique.Near {
		manner = "near"
	}
	is := func(a Alike) bool {
		return a.Rule == c.ID && a.Company == company && a.Key == key && (a.Match == "" || a.Match == manner)
	}
	if w.fixtures != nil {
		if at := slices.IndexFunc(w.fixtures.Alike, is); at >= 0 {
			w.keepAlike(w.fixtures.Alike[at], is)
			return slices.Clone(w.fixtures.Alike[at].Numbers)
		}
	}
	if w.uniqueness == nil {
		return nil
	}
	numbers := w.uniqueness.Same(c, company, key, texts)
	w.keepAlike(Alike{c.ID, company, key, manner, append([]string{}, numbers...)}, is)
	return numbers
}

func (w *world) keepAlike(a Alike, is func(Alike) bool) {
	if w.record != nil && !slices.ContainsFunc(w.record.Alike, is) {
		w.record.Alike = append(w.record.Alike, a)
	}
}
