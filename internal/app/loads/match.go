package loads

import (
	"context"
	"encoding/json"
	"errors"
	"slices"
	"strings"
	"unicode"

	"codicil/core/field"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/internal/actor"
	"codicil/internal/cache"
	"codicil/internal/contract"
	"codicil/internal/exchange"
)

// What every record has besides its fields.
const (
	toNumber  = "number"
	toCompany = "company"
	toType    = "type"
	toLine    = "line"
)

// target is what a column may hold.
type target struct {
	key     string
	label   string
	place   int  // in the kind; -1: no field
	leftOut bool // it takes no part in loads
}

type targets struct {
	all   []target
	names map[string]int // by what a column may be called, folded
}

// folded is a name by which columns are matched: its letters and digits.
func folded(name string) string {
	return strings.Map(func(r rune) rune {
		if unicode.IsLetter(r) || unicode.IsDigit(r) {
			return unicode.ToLower(r)
		}
		return -1
	}, name)
}

// targetsOf are what the columns of a kind may hold, by their keys and by their labels in every company. Cost: the fields
// by the companies and types.
func targetsOf(ref *cache.Reference, kind *record.Kind) *targets {
	t := &targets{names: map[string]int{}}
	add := func(one target, names ...string) {
		t.all = append(t.all, one)
		for _, name := range names {
			t.name(name, len(t.all)-1)
		}
	}
	add(target{toNumber, "Number", -1, false}, toNumber, kind.Label+" number", kind.Label)
	add(target{toCompany, "Company", -1, false}, toCompany, "company code")
	add(target{toType, kind.TypeLabel, -1, false}, toType, kind.TypeLabel)
	lined := false
	for i := range kind.Fields {
		f := &kind.Fields[i]
		lined = lined || f.OfLine()
		add(target{f.Key, f.Label, i, !f.Loaded}, f.Key, f.Label)
		if f.OfLine() {
			t.name("line "+f.Label, len(t.all)-1)
			t.name(f.Column(), len(t.all)-1)
		}
	}
	if lined {
		add(target{toLine, "Line", -1, false}, toLine, "line number")
	}
	for name, key := range alsoCalled {
		if at := t.of(key); at >= 0 {
			defer t.name(name, at) // where no label says otherwise
		}
	}
	for _, c := range ref.Companies {
		for _, kindType := range ref.Types[kind.Key] {
			labelled := ref.Labelled(kind, c.Key, kindType.Key)
			for i := range labelled.Fields {
				if at := t.of(kind.Fields[i].Key); at >= 0 {
					t.name(labelled.Fields[i].Label, at)
				}
			}
		}
	}
	return t
}

// alsoCalled are names that columns have in many files, by the key of the field that they mean.
var alsoCalled = map[string]string{
	"post code": "postal_code", "zip": "postal_code", "zip code": "postal_code", "town": "city", "phone": "telephone", "phone number": "telephone", "mail": "email", "e-mail address": "email",
	"iban": "bank_account", "vat number": "tax_number", "vat id": "tax_number", "tax id": "tax_number", "terms": "payment_terms", "website": "website", "web": "website", "qty": "lines.quantity", "invoice number": "reference",
}

// name names a target; what came first goes before.
func (t *targets) name(name string, at int) {
	if name = folded(name); name != "" {
		if _, there := t.names[name]; !there {
			t.names[name] = at
		}
	}
}

func (t *targets) of(key string) int {
	return slices.IndexFunc(t.all, func(one target) bool { return one.key == key })
}

// match is what a column holds by its name; nil: nobody knows.
func (t *targets) match(column string) *target {
	if at, known := t.names[folded(column)]; known {
		return &t.all[at]
	}
	return nil
}

// guess proposes how a file is loaded: as a set-up says that was kept for such columns, or else by the names of the
// columns, as the last load of the kind held them.
func (s *Service) guess(ctx context.Context, ref *cache.Reference, kind *record.Kind, f *file) (contract.LoadSetup, error) {
	setup := contract.LoadSetup{
		Columns: map[string]string{}, Constants: map[string]string{}, Key: []string{}, Reasons: map[string]string{},
		Found: contract.LoadSetupFoundUpdate, Missing: contract.LoadSetupMissingAdd, Blanks: contract.Keep,
	}
	columns := f.columns()
	kept, err := s.base.Store.LoadSetups(ctx, kind.Key)
	if err != nil {
		return setup, err
	}
	for _, k := range kept {
		var known contract.LoadSetup
		if err := json.Unmarshal([]byte(k.Setup), &known); err != nil {
			return setup, err
		}
		fits := len(known.Columns) > 0
		for column := range known.Columns {
			fits = fits && slices.Contains(columns, column)
		}
		if fits {
			known.Sheet, known.Encoding, known.Separator = "", "", ""
			return known, nil
		}
	}
	last, err := s.base.Store.Loads(ctx, mostKept)
	if err != nil {
		return setup, err
	}
	before := map[string]string{}
	for _, l := range slices.Backward(last) {
		if l.Kind != kind.Key || l.ID == f.ID {
			continue
		}
		if earlier, err := read(l); err == nil {
			for column, to := range earlier.setup.Columns {
				before[column] = to
			}
		}
	}
	known, taken := targetsOf(ref, kind), map[string]bool{}
	take := func(column, to string) {
		if at := known.of(to); at >= 0 && !known.all[at].leftOut && !taken[to] && setup.Columns[column] == "" {
			setup.Columns[column], taken[to] = to, true
		}
	}
	for _, column := range columns {
		take(column, before[column])
	}
	for _, column := range columns {
		if at := known.match(column); at != nil {
			take(column, at.key)
		}
	}
	if !taken[toCompany] && len(ref.Companies) == 1 {
		setup.Constants[toCompany] = ref.Companies[0].Key
	}
	if all := ref.Types[kind.Key]; !taken[toType] && len(all) == 1 {
		setup.Constants[toType] = all[0].Key
	}
	keys, err := s.keys(ctx, kind)
	if err != nil {
		return setup, err
	}
	for _, key := range keys {
		if !slices.ContainsFunc(key.Fields, func(of string) bool { return !taken[of] }) {
			setup.Key = key.Fields
			break
		}
	}
	setup.Format, err = s.guessFormat(ctx, kind, f, &setup)
	return setup, err
}

// keys are by what the records of a kind can be found: their number, and the fields of unique rules in force.
func (s *Service) keys(ctx context.Context, kind *record.Kind) ([]contract.LoadKey, error) {
	keys := []contract.LoadKey{{Fields: []string{toNumber}, Label: "Number"}}
	book, err := s.base.Cache.Book(ctx, kind.Key)
	if err != nil {
		return nil, err
	}
	for _, c := range book.Rules {
		if c.State != rule.InForce || len(c.Unique) == 0 || !c.Sound() {
			continue
		}
		by := c.UniqueBy()
		if slices.ContainsFunc(keys, func(k contract.LoadKey) bool { return slices.Equal(k.Fields, by.Fields) }) || ofLines(kind, by.Fields) {
			continue
		}
		labels := make([]string, len(by.Fields))
		for i, key := range by.Fields {
			labels[i] = kind.Field(key).Label
		}
		keys = append(keys, contract.LoadKey{Fields: by.Fields, Label: strings.Join(labels, " and "), Rule: c.ID})
	}
	return keys, nil
}

func ofLines(kind *record.Kind, fields []string) bool {
	return slices.ContainsFunc(fields, func(key string) bool { f := kind.Field(key); return f == nil || f.OfLine() })
}

// The ways in which numbers and dates are written in files, the most usual first.
var formats = []field.Format{
	field.Plain,
	{Decimal: ",", Group: ".", Date: "dmy", Separator: "."},
	{Decimal: ".", Group: ",", Date: "dmy", Separator: "/"},
	{Decimal: ".", Group: ",", Date: "mdy", Separator: "/"},
	{Decimal: ",", Group: ".", Date: "dmy", Separator: "/"},
	{Decimal: ",", Group: ".", Date: "dmy", Separator: "-"},
}

// guessFormat finds how numbers and dates are written: as most of the first rows fit; where several do, as the person
// writes them, or else the most usual.
func (s *Service) guessFormat(ctx context.Context, kind *record.Kind, f *file, setup *contract.LoadSetup) (*contract.Format, error) {
	candidates := formats
	if own := actor.Of(ctx).Format; own.Sound() {
		candidates = append([]field.Format{own}, formats...)
	}
	fields := make([]*field.Field, len(f.about.Source.Columns))
	for i, column := range f.about.Source.Columns {
		if k := kind.Field(setup.Columns[column]); k != nil && (k.Type == field.Date || k.Traits().Right) {
			fields[i] = k
		}
	}
	wrong := make([]int, len(candidates))
	enough, rows := errors.New("enough"), 0
	err := f.about.Source.Each(f.open(ctx, s.base.Store), func(r *exchange.Row) error {
		for i, c := range r.Cells {
			if fields[i] == nil || c.Exact || c.Text == "" {
				continue
			}
			for n, format := range candidates {
				if _, misfit := fields[i].Read(c.Text, format, field.Surroundings{}); misfit != nil {
					wrong[n]++
				}
			}
		}
		if rows++; rows == 200 {
			return enough
		}
		return nil
	})
	if err != nil && !errors.Is(err, enough) {
		return nil, told(err)
	}
	best := 0
	for n := range candidates {
		if wrong[n] < wrong[best] {
			best = n
		}
	}
	return &candidates[best], nil
}
