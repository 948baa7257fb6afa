// Package catalog keeps what all else stands on: companies, types, layouts and maps from record to
// record, and how each person writes numbers and dates.
//
// It must never know how records or rules are kept: what uses a thing it asks of their own use
// cases. Start reading at Service.
package catalog

import (
	"codicil/core/field"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/core/table"
	"codicil/internal/access"
	"codicil/internal/actor"
	"codicil/internal/app/commit"
	"codicil/internal/app/judging"
	"codicil/internal/cache"
	"codicil/internal/contract"
	"codicil/internal/fault"
	"codicil/internal/release"
	"codicil/internal/standard"
	"codicil/internal/store"
	"context"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"
)

// Service serves these use cases.
type Service struct {
	base  *judging.Service
	users []Users
	// Backup, if any, is why the last backup was not made; "": it was.
	Backup func() string
}

// Users tells what uses a thing of the catalog.
type Users interface {
	// InScope lists what names a company and type, of the kinds; more is how many there are besides.
	InScope(ctx context.Context, kinds []record.Kind, names func(company, kindType string) bool) (uses []fault.Use, more int, err error)
}

// New returns the use cases; users are all that may use a thing of the catalog.
func New(j *judging.Service, users ...Users) *Service {
	return &Service{base: j, users: users}
}

// Catalog returns companies, kinds and types.
func (s *Service) Catalog(ctx context.Context) (contract.Catalog, error) {
	if err := access.Person(ctx); err != nil {
		return contract.Catalog{}, err
	}
	m, err := s.base.Cache.Seen(ctx)
	if err != nil {
		return contract.Catalog{}, err
	}
	version, _, err := s.base.Cache.Version(ctx)
	if err != nil {
		return contract.Catalog{}, err
	}
	who := actor.Of(ctx)
	format, err := s.base.Store.PreferredFormat(ctx, who.ID)
	if err != nil {
		return contract.Catalog{}, err
	}
	c := contract.Catalog{Today: string(s.base.Today(nil)), User: who.Name, Format: format, Version: version, Program: contract.Program{Release: release.Version, Schema: store.Schema(), Damaged: s.base.Store.Damaged()}, Companies: append([]record.Company{}, m.Companies...), Kinds: []contract.KindEntry{}, Lists: []contract.CodeListOptions{}, FieldTypes: field.TraitsOfAll(), Effects: map[string]rule.Effect{}}
	if s.Backup != nil && access.Has(ctx, actor.BackupMake, "") {
		c.Program.Backup = s.Backup()
	}
	for family, effect := range rule.Beginnings() {
		c.Effects[string(family)] = effect
	}
	for i := range m.Tables.Lists {
		l := &m.Tables.Lists[i]
		c.Lists = append(c.Lists, contract.CodeListOptions{Key: l.Key, Label: l.Label, Standard: l.Standard, Options: l.Options(), Renamed: renamed(l)})
	}
	for _, k := range m.Kinds {
		k.Fields = slices.Clone(k.Fields)
		for i := range k.Fields {
			if f := &k.Fields[i]; f.List != "" {
				f.Choices = nil // they stand with the list, once
			}
		}
		entry := contract.KindEntry{Kind: k, Types: append([]record.Type{}, m.Types[k.Key]...)}
		for _, family := range rule.Families {
			if family == rule.FollowUp && !k.Posted {
				continue
			}
			entry.Families = append(entry.Families, string(family))
		}
		c.Kinds = append(c.Kinds, entry)
	}
	return c, nil
}

// shipped are the lists as they come with the program.
var shipped = sync.OnceValue(func() table.Set {
	lists, _ := standard.Lists()
	return table.Set{Lists: lists}
})

// renamed are the codes of a list that an administrator called otherwise than the standard.
func renamed(l *table.List) []string {
	codes, set := []string{}, shipped()
	before := set.List(l.Key)
	if before == nil || l.Standard == "" {
		return codes
	}
	labels := make(map[string]string, len(before.Entries))
	for i := range before.Entries {
		labels[before.Entries[i].Code] = before.Entries[i].Label
	}
	for _, o := range l.Options() {
		if o.Label != labels[o.Code] {
			codes = append(codes, o.Code)
		}
	}
	return codes
}

var (
	codePattern     = regexp.MustCompile(`^[A-Z0-9]{1,8}$`)
	countryPattern  = regexp.MustCompile(`^[A-Z]{2}$`)
	roundingChoices = []string{"half-up", "half-even"}
)

// SaveCompany adds a company, or changes it.
func (s *Service) SaveCompany(ctx context.Context, key string, c record.Company) (record.Company, error) {
	if err := access.Need(ctx, actor.SetupChange); err != nil {
		return record.Company{}, err
	}
	if err := access.Companies(ctx, []string{key}); err != nil {
		return record.Company{}, err
	}
	m, err := s.base.Cache.Reference(ctx)
	if err != nil {
		return c, err
	}
	c.Key, c.Name = key, strings.TrimSpace(c.Name)
	c.Country, c.Currency = codeOf(m, "countries", c.Country), codeOf(m, table.Currencies, c.Currency)
	c.Minor = m.Tables.Minor()
	here := c.Surroundings("")
	_, isCurrency := here.Decimals(c.Currency)
	switch {
	case !codePattern.MatchString(key):
		return c, fault.Bad(notAKey, key)
	case c.Name == "":
		return c, fault.Bad(noName)
	case !countryPattern.MatchString(c.Country):
		return c, fault.Bad(notACountry, c.Country)
	case !isCurrency:
		return c, fault.Bad(notACurrency, c.Currency)
	case !slices.Contains(roundingChoices, c.Rounding):
		return c, fault.Bad(notARounding)
	case !isZone(c.TimeZone):
		return c, fault.Bad(notAZone, c.TimeZone)
	case c.Format != nil && !c.Format.Sound():
		return c, fault.Bad(notAFormat)
	case len(c.Calendar.FreeDays) > 6:
		return c, fault.Bad(noWorkday)
	}
	for _, h := range c.Calendar.Holidays {
		if _, err := record.ParseDay(string(h.Day)); err != nil {
			return c, fault.Bad(notAHoliday, h.Name, err)
		}
	}
	slices.SortFunc(c.Calendar.Holidays, func(a, b record.Holiday) int { return strings.Compare(string(a.Day), string(b.Day)) })
	slices.Sort(c.Calendar.FreeDays)
	if c.Calendar.Holidays == nil {
		c.Calendar.Holidays = []record.Holiday{}
	}
	if c.Calendar.FreeDays == nil {
		c.Calendar.FreeDays = []int{}
	}
	err = s.base.Line.Book(ctx, func() (func(tx *store.Store, by record.Stamp) error, error) {
		return func(tx *store.Store, by record.Stamp) error { return tx.SaveCompany(ctx, c, by) }, nil
	})
	return c, err
}

// codeOf finds the code of a country or a currency that was typed by its code or its name, in a
// list; what it does not find it returns in capitals.
func codeOf(m *cache.Reference, list, typed string) string {
	typed = strings.TrimSpace(typed)
	if l := m.Tables.List(list); l != nil {
		f := field.Field{Type: field.Choice, List: list}
		for i := range l.Entries {
			f.Choices = append(f.Choices, field.Option{Code: l.Entries[i].Code, Label: l.Entries[i].Label})
		}
		if v, wrong := f.Read(typed, field.Plain, field.Surroundings{}); wrong == nil && !v.IsNull() {
			return field.Write(v)
		}
	}
	return strings.ToUpper(typed)
}

func isZone(name string) bool {
	_, err := time.LoadLocation(name)
	return err == nil && name != "Local"
}

// SavePreferences keeps how the person who asks writes numbers and dates.
func (s *Service) SavePreferences(ctx context.Context, p contract.Preferences) (contract.Preferences, error) {
	if err := access.Person(ctx); err != nil {
		return contract.Preferences{}, err
	}
	if p.Format != nil && !p.Format.Sound() {
		return p, fault.Bad(notAFormat)
	}
	err := s.base.Line.Write(ctx, func(tx *store.Store, by record.Stamp) error { return tx.SavePreferredFormat(ctx, p.Format, by) })
	return p, err
}

// DeleteCompany removes a company that no record, rule, proof or posting names.
func (s *Service) DeleteCompany(ctx context.Context, key string) error {
	if err := access.Need(ctx, actor.SetupChange); err != nil {
		return err
	}
	if err := access.Companies(ctx, []string{key}); err != nil {
		return err
	}
	return s.base.Line.BookLooking(ctx, func(int64) commit.Definition { // where nothing names it, that is told at once
		return func() (func(tx *store.Store, by record.Stamp) error, error) {
			return func(tx *store.Store, by record.Stamp) error { return tx.DeleteCompany(ctx, key, by) }, s.mayDeleteCompany(ctx, key)
		}
	})
}

func (s *Service) mayDeleteCompany(ctx context.Context, key string) error {
	m, err := s.base.Cache.Reference(ctx)
	if err != nil {
		return err
	}
	if m.Company(key) == nil {
		return fault.Missing("company %s", key)
	}
	uses, more, err := s.inScope(ctx, m, m.Kinds, func(company, _ string) bool { return company == key })
	if err != nil {
		return err
	}
	for kind, types := range m.Types {
		for _, t := range types {
			if slices.Contains(t.Companies, key) {
				uses = append(uses, fault.Use{What: "type", Key: kind + "/" + t.Key, Title: t.Label})
			}
		}
	}
	if len(uses) > 0 {
		return fault.InUse("company "+key, uses, more)
	}
	return nil
}

// SaveType adds a type to a kind, or changes it.
func (s *Service) SaveType(ctx context.Context, kind, key string, t record.Type) (record.Type, error) {
	if err := access.Need(ctx, actor.SetupChange); err != nil {
		return record.Type{}, err
	}
	if err := access.Companies(ctx, nil); err != nil {
		return record.Type{}, err
	}
	t.Kind, t.Key, t.Label = kind, key, strings.TrimSpace(t.Label)
	err := s.base.Line.Book(ctx, func() (func(tx *store.Store, by record.Stamp) error, error) {
		_, err := s.maySaveType(ctx, kind, key, t)
		return func(tx *store.Store, by record.Stamp) error { return tx.SaveType(ctx, t, by) }, err
	})
	return t, err
}

func (s *Service) maySaveType(ctx context.Context, kind, key string, t record.Type) (record.Type, error) {
	m, err := s.base.Cache.Reference(ctx)
	if err != nil {
		return t, err
	}
	k, err := m.Kind(kind)
	if err != nil {
		return t, err
	}
	switch {
	case !codePattern.MatchString(key):
		return t, fault.Bad(notATypeKey, key, strings.ToLower(k.TypeLabel))
	case t.Label == "":
		return t, fault.Bad(noTypeName, strings.ToLower(k.TypeLabel))
	}
	for _, company := range t.Companies {
		if m.Company(company) == nil {
			return t, fault.Bad(fault.UnknownCompany, company)
		}
	}
	// A type must stay usable where records already use it.
	uses, more, err := s.inScope(ctx, m, []record.Kind{*k}, func(company, kindType string) bool {
		return kindType == key && company != "" && !t.UsedIn(company)
	})
	if err != nil {
		return t, err
	}
	if len(uses) > 0 {
		return t, fault.InUse(t.Label+" in a company that would no longer use it", uses, more)
	}
	return t, nil
}

// DeleteType removes a type that nothing names.
func (s *Service) DeleteType(ctx context.Context, kind, key string) error {
	if err := access.Need(ctx, actor.SetupChange); err != nil {
		return err
	}
	if err := access.Companies(ctx, nil); err != nil {
		return err
	}
	return s.base.Line.BookLooking(ctx, func(int64) commit.Definition { // as for a company
		return func() (func(tx *store.Store, by record.Stamp) error, error) {
			return func(tx *store.Store, by record.Stamp) error { return tx.DeleteType(ctx, kind, key, by) }, s.mayDeleteType(ctx, kind, key)
		}
	})
}

func (s *Service) mayDeleteType(ctx context.Context, kind, key string) error {
	m, err := s.base.Cache.Reference(ctx)
	if err != nil {
		return err
	}
	k, err := m.Kind(kind)
	if err != nil {
		return err
	}
	if m.Type(kind, key) == nil {
		return fault.Missing("%s %s", strings.ToLower(k.TypeLabel), key)
	}
	uses, more, err := s.inScope(ctx, m, []record.Kind{*k}, func(_, kindType string) bool { return kindType == key })
	if err != nil {
		return err
	}
	if len(uses) > 0 {
		return fault.InUse(strings.ToLower(k.TypeLabel)+" "+key, uses, more)
	}
	return nil
}

// UsesOf lists what is of a kind: records, rules, also retired ones, proofs, postings and maps.
func (s *Service) UsesOf(ctx context.Context, k *record.Kind) (uses []fault.Use, more int, err error) {
	uses = []fault.Use{}
	for _, u := range s.users {
		listed, besides, err := u.InScope(ctx, []record.Kind{*k}, func(string, string) bool { return true })
		if err != nil {
			return nil, 0, err
		}
		uses, more = append(uses, listed...), more+besides
	}
	rules, err := s.base.Store.Rules(ctx, k.Key)
	if err != nil {
		return nil, 0, err
	}
	for _, r := range rules {
		if r.State == rule.Retired {
			uses = append(uses, fault.Use{What: "rule", Key: strconv.FormatInt(r.ID, 10), Title: r.Name})
		}
	}
	maps, err := s.base.Store.FollowOns(ctx)
	if err != nil {
		return nil, 0, err
	}
	for _, m := range maps {
		if m.From == k.Key || m.To == k.Key {
			uses = append(uses, fault.Use{What: "map", Key: strconv.FormatInt(m.ID, 10), Title: m.Name})
		}
	}
	return uses, more, nil
}

// inScope lists what names a company and type, layouts among it.
func (s *Service) inScope(ctx context.Context, ref *cache.Reference, kinds []record.Kind, names func(company, kindType string) bool) (uses []fault.Use, more int, err error) {
	uses = []fault.Use{}
	for _, u := range s.users {
		listed, besides, err := u.InScope(ctx, kinds, names)
		if err != nil {
			return nil, 0, err
		}
		uses, more = append(uses, listed...), more+besides
	}
	for i := range kinds {
		for _, l := range ref.Layouts[kinds[i].Key] {
			if names(l.Company, l.Type) {
				uses = append(uses, layoutUse(ref, &kinds[i], l))
			}
		}
	}
	return uses, more, nil
}

func layoutUse(ref *cache.Reference, k *record.Kind, l record.ScopedLayout) fault.Use {
	return fault.Use{What: "layout", Key: l.Company + "/" + l.Type, Title: layoutTitle(ref, k, l)}
}

func layoutTitle(m *cache.Reference, k *record.Kind, l record.ScopedLayout) string {
	title := "all companies"
	if c := m.Company(l.Company); c != nil {
		title = c.Key + " " + c.Name
	}
	if t := m.Type(k.Key, l.Type); t != nil {
		title += ", " + t.Label
	}
	return title
}
