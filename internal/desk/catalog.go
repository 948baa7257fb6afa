package desk

import (
	"context"
	"fmt"
	"regexp"
	"slices"
	"strings"
	"time"

	"codicil/core/field"
	"codicil/core/plan"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/core/table"
	"codicil/internal/contract"
	"codicil/internal/store"
)

// masters are the companies, kinds and types, which nearly every use case needs.
// They are never changed, only replaced.
type masters struct {
	companies []record.Company
	kinds     []record.Kind
	types     map[string][]record.Type // by kind
	tables    *table.Set
	versions  *store.Tables             // of the tables
	layouts   map[string][]store.Layout // by kind
	// labelled are kinds as companies and types label their fields, by kind, company and type;
	// made when the masters are read.
	labelled map[[3]string]*record.Kind
}

func (d *Desk) master(ctx context.Context) (*masters, error) {
	d.mutex.Lock()
	defer d.mutex.Unlock()
	if d.masters != nil {
		return d.masters, nil
	}
	m := &masters{types: map[string][]record.Type{}, layouts: map[string][]store.Layout{}, labelled: map[[3]string]*record.Kind{}}
	var err error
	if m.companies, err = d.store.Companies(ctx); err != nil {
		return nil, err
	}
	if m.kinds, err = d.store.Kinds(ctx); err != nil {
		return nil, err
	}
	for _, k := range m.kinds {
		if m.types[k.Key], err = d.store.Types(ctx, k.Key); err != nil {
			return nil, err
		}
	}
	if m.versions, err = d.store.Tables(ctx); err != nil {
		return nil, err
	}
	m.tables = &m.versions.Set
	for i := range m.kinds {
		if err := m.label(ctx, d.store, &m.kinds[i]); err != nil {
			return nil, err
		}
	}
	d.masters = m
	return m, nil
}

// label reads the layouts of a kind, and labels it for every company and type that one gives a
// label in.
func (m *masters) label(ctx context.Context, s *store.Store, k *record.Kind) error {
	layouts, err := s.Layouts(ctx, k.Key)
	if err != nil {
		return err
	}
	m.layouts[k.Key] = layouts
	if len(layouts) == 0 {
		return nil
	}
	for _, c := range m.companies {
		for _, t := range m.types[k.Key] {
			if made := layoutOf(layouts, c.Key, t.Key); made != nil {
				m.labelled[[3]string{k.Key, c.Key, t.Key}] = made.Layout.Labelled(k)
			}
		}
	}
	return nil
}

// layoutOf is the layout for a company and type: as was made for both, else for the company,
// else for the type, else for all; nil: none was made.
func layoutOf(made []store.Layout, company, kindType string) *store.Layout {
	for _, scope := range [][2]string{{company, kindType}, {company, ""}, {"", kindType}, {"", ""}} {
		if i := slices.IndexFunc(made, func(l store.Layout) bool { return l.Company == scope[0] && l.Type == scope[1] }); i >= 0 {
			return &made[i]
		}
	}
	return nil
}

func (m *masters) kind(key string) (*record.Kind, error) {
	for i := range m.kinds {
		if m.kinds[i].Key == key {
			return &m.kinds[i], nil
		}
	}
	return nil, invalid("unknown-kind", "there is no kind of record %q", key)
}

func (m *masters) company(key string) *record.Company {
	for i := range m.companies {
		if m.companies[i].Key == key {
			return &m.companies[i]
		}
	}
	return nil
}

func (m *masters) kindType(kind, key string) *record.Type {
	for i := range m.types[kind] {
		if m.types[kind][i].Key == key {
			return &m.types[kind][i]
		}
	}
	return nil
}

// scope resolves company, type and day, and tells what does not exist.
func (m *masters) scope(kind, company, kindType string, day record.Day) (plan.Scope, error) {
	s := plan.Scope{Company: m.company(company), Type: m.kindType(kind, kindType), Day: day, Kind: m.labelled[[3]string{kind, company, kindType}]}
	if s.Company == nil {
		return s, invalid("unknown-company", "there is no company %q", company)
	}
	if s.Type == nil {
		return s, invalid("unknown-type", "there is no type %q of this kind", kindType)
	}
	if !s.Type.UsedIn(company) {
		return s, invalid("type-not-used", "%s is not used in company %s; choose another type or company", s.Type.Label, company)
	}
	if _, err := record.ParseDay(string(day)); err != nil {
		return s, invalid("not-a-day", "%v", err)
	}
	return s, nil
}

// names returns the labels for sentences about a kind.
func (m *masters) names(kind *record.Kind) rule.Names {
	n := rule.Names{Kind: kind, Companies: map[string]string{}, Types: map[string]string{}}
	for _, c := range m.companies {
		n.Companies[c.Key] = c.Key + " " + c.Name
	}
	for _, t := range m.types[kind.Key] {
		n.Types[t.Key] = strings.ToLower(t.Label) + " " + strings.ToLower(kind.Plural)
	}
	return n
}

// Catalog returns companies, kinds and types.
func (d *Desk) Catalog(ctx context.Context) (contract.Catalog, error) {
	m, err := d.master(ctx)
	if err != nil {
		return contract.Catalog{}, err
	}
	version, err := d.judgedBy(ctx)
	if err != nil {
		return contract.Catalog{}, err
	}
	format, err := d.store.PreferredFormat(ctx, d.user)
	if err != nil {
		return contract.Catalog{}, err
	}
	c := contract.Catalog{Today: string(d.today(nil)), User: d.user, Format: format, Version: version, Companies: append([]record.Company{}, m.companies...), Kinds: []contract.KindEntry{}, FieldTypes: field.TraitsOfAll()}
	for _, k := range m.kinds {
		entry := contract.KindEntry{Kind: k, Types: append([]record.Type{}, m.types[k.Key]...)}
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

var (
	codePattern     = regexp.MustCompile(`^[A-Z0-9]{1,8}$`)
	countryPattern  = regexp.MustCompile(`^[A-Z]{2}$`)
	roundingChoices = []string{"half-up", "half-even"}
)

// SaveCompany adds a company, or changes it.
func (d *Desk) SaveCompany(ctx context.Context, key string, c record.Company) (record.Company, error) {
	m, err := d.master(ctx)
	if err != nil {
		return c, err
	}
	c.Key, c.Name = key, strings.TrimSpace(c.Name)
	c.Country, c.Currency = m.codeOf("country", c.Country), m.codeOf("currency", c.Currency)
	_, isCurrency := field.CurrencyDecimals(c.Currency)
	switch {
	case !codePattern.MatchString(key):
		return c, invalid("not-a-key", "%q cannot be the key of a company; use up to eight capital letters and digits", key)
	case c.Name == "":
		return c, invalid("no-name", "give the company a name")
	case !countryPattern.MatchString(c.Country):
		return c, invalid("not-a-country", "%q is no country; write its two letters, as in IE", c.Country)
	case !isCurrency:
		return c, invalid("not-a-currency", "%q is no currency; write its three letters, as in EUR", c.Currency)
	case !slices.Contains(roundingChoices, c.Rounding):
		return c, invalid("not-a-rounding", "choose how the company rounds: half-up or half-even")
	case !isZone(c.TimeZone):
		return c, invalid("not-a-zone", "%q is no time zone; choose one such as Europe/Dublin", c.TimeZone)
	case c.Format != nil && !c.Format.Sound():
		return c, invalid("not-a-format", "choose how numbers and dates are written: different signs for decimals and thousands, and the order of day, month and year")
	case len(c.Calendar.FreeDays) > 6:
		return c, invalid("no-workday", "leave at least one day of the week to work on")
	}
	for _, h := range c.Calendar.Holidays {
		if _, err := record.ParseDay(string(h.Day)); err != nil {
			return c, invalid("not-a-day", "holiday %s: %v", h.Name, err)
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
	err = d.bookChange(ctx, func() (func(tx *store.Store) error, error) {
		return func(tx *store.Store) error { return tx.SaveCompany(ctx, c) }, nil
	})
	return c, err
}

// codeOf finds the code of a country or a currency that was typed by its code or its name, in
// the choices of a field of that key; what it does not find it returns in capitals.
func (m *masters) codeOf(key, typed string) string {
	typed = strings.TrimSpace(typed)
	for i := range m.kinds {
		if f := m.kinds[i].Field(key); f != nil && f.Type == field.Choice {
			if v, wrong := f.Read(typed, field.Plain, field.Surroundings{}); wrong == nil && !v.IsNull() {
				return field.Write(v)
			}
		}
	}
	return strings.ToUpper(typed)
}

func isZone(name string) bool {
	_, err := time.LoadLocation(name)
	return err == nil && name != "Local"
}

// SavePreferences keeps how the person who asks writes numbers and dates.
func (d *Desk) SavePreferences(ctx context.Context, p contract.Preferences) (contract.Preferences, error) {
	if p.Format != nil && !p.Format.Sound() {
		return p, invalid("not-a-format", "choose how numbers and dates are written: different signs for decimals and thousands, and the order of day, month and year")
	}
	err := d.alone(ctx, func() (*pending, error) {
		return &pending{write: func(tx *store.Store) error { return tx.SavePreferredFormat(ctx, d.user, p.Format) }}, nil
	})
	return p, err
}

// DeleteCompany removes a company that no record, rule, proof or posting names.
func (d *Desk) DeleteCompany(ctx context.Context, key string) error {
	return d.bookChange(ctx, func() (func(tx *store.Store) error, error) {
		return func(tx *store.Store) error { return tx.DeleteCompany(ctx, key) }, d.mayDeleteCompany(ctx, key)
	})
}

func (d *Desk) mayDeleteCompany(ctx context.Context, key string) error {
	m, err := d.master(ctx)
	if err != nil {
		return err
	}
	if m.company(key) == nil {
		return missing("company " + key)
	}
	uses, err := d.scopeUses(ctx, m, m.kinds, func(company, _ string) bool { return company == key })
	if err != nil {
		return err
	}
	for kind, types := range m.types {
		for _, t := range types {
			if slices.Contains(t.Companies, key) {
				uses = append(uses, contract.Use{What: "type", Key: kind + "/" + t.Key, Title: t.Label})
			}
		}
	}
	if len(uses) > 0 {
		return inUse("company "+key, uses)
	}
	return nil
}

// SaveType adds a type to a kind, or changes it.
func (d *Desk) SaveType(ctx context.Context, kind, key string, t record.Type) (record.Type, error) {
	t.Kind, t.Key, t.Label = kind, key, strings.TrimSpace(t.Label)
	err := d.bookChange(ctx, func() (func(tx *store.Store) error, error) {
		_, err := d.maySaveType(ctx, kind, key, t)
		return func(tx *store.Store) error { return tx.SaveType(ctx, t) }, err
	})
	return t, err
}

func (d *Desk) maySaveType(ctx context.Context, kind, key string, t record.Type) (record.Type, error) {
	m, err := d.master(ctx)
	if err != nil {
		return t, err
	}
	k, err := m.kind(kind)
	if err != nil {
		return t, err
	}
	switch {
	case !codePattern.MatchString(key):
		return t, invalid("not-a-key", "%q cannot be the key of a %s; use up to eight capital letters and digits", key, strings.ToLower(k.TypeLabel))
	case t.Label == "":
		return t, invalid("no-name", "give the %s a name", strings.ToLower(k.TypeLabel))
	}
	for _, company := range t.Companies {
		if m.company(company) == nil {
			return t, invalid("unknown-company", "there is no company %q", company)
		}
	}
	// A type must stay usable where records already use it.
	uses, err := d.scopeUses(ctx, m, []record.Kind{*k}, func(company, kindType string) bool {
		return kindType == key && company != "" && !t.UsedIn(company)
	})
	if err != nil {
		return t, err
	}
	if len(uses) > 0 {
		return t, inUse(t.Label+" in a company that would no longer use it", uses)
	}
	return t, nil
}

// DeleteType removes a type that nothing names.
func (d *Desk) DeleteType(ctx context.Context, kind, key string) error {
	return d.bookChange(ctx, func() (func(tx *store.Store) error, error) {
		return func(tx *store.Store) error { return tx.DeleteType(ctx, kind, key) }, d.mayDeleteType(ctx, kind, key)
	})
}

func (d *Desk) mayDeleteType(ctx context.Context, kind, key string) error {
	m, err := d.master(ctx)
	if err != nil {
		return err
	}
	k, err := m.kind(kind)
	if err != nil {
		return err
	}
	if m.kindType(kind, key) == nil {
		return missing(strings.ToLower(k.TypeLabel) + " " + key)
	}
	uses, err := d.scopeUses(ctx, m, []record.Kind{*k}, func(_, kindType string) bool { return kindType == key })
	if err != nil {
		return err
	}
	if len(uses) > 0 {
		return inUse(strings.ToLower(k.TypeLabel)+" "+key, uses)
	}
	return nil
}

// mostUses is how many uses are listed; the rest is counted.
const mostUses = 20

func inUse(what string, uses []contract.Use) error {
	return &Error{
		Reason: Conflict, Code: "in-use", Count: len(uses), Uses: uses[:min(len(uses), mostUses)],
		Detail: fmt.Sprintf("%s is used %d times; change what uses it first", what, len(uses)),
	}
}

// scopeUses returns the records, rules, proofs, layouts and postings of the kinds
// that a company and type name. A rule for all companies or types names none.
func (d *Desk) scopeUses(ctx context.Context, m *masters, kinds []record.Kind, names func(company, kindType string) bool) ([]contract.Use, error) {
	uses := []contract.Use{}
	add := func(what, key, title string) { uses = append(uses, contract.Use{What: what, Key: key, Title: title}) }
	for i := range kinds {
		k := &kinds[i]
		rows, err := d.shelf(ctx, k.Key)
		if err != nil {
			return nil, err
		}
		links := d.links(ctx, m, "")
		for j := range rows.rows {
			if r := &rows.rows[j]; names(r.Company, r.Type) {
				add(k.Key, r.Number, links.titleOf(k, r.Values))
			}
		}
		rules, err := d.store.Rules(ctx, k.Key)
		if err != nil {
			return nil, err
		}
		for _, r := range rules {
			if r.State != rule.Retired && scopeNames(r.Scope, names) {
				add("rule", fmt.Sprint(r.ID), r.Name)
			}
		}
		proofs, err := d.store.Proofs(ctx, k.Key)
		if err != nil {
			return nil, err
		}
		for _, p := range proofs {
			if names(p.Given.Company, p.Given.Type) {
				add("proof", fmt.Sprint(p.ID), p.Name)
			}
		}
		layouts, err := d.store.Layouts(ctx, k.Key)
		if err != nil {
			return nil, err
		}
		for _, l := range layouts {
			if names(l.Company, l.Type) {
				add("layout", l.Company+"/"+l.Type, layoutTitle(m, k, l))
			}
		}
	}
	postings, err := d.store.Postings(ctx, practice)
	for _, p := range postings {
		if names(p.Company, p.Type) && slices.ContainsFunc(kinds, func(k record.Kind) bool { return k.Key == p.Kind }) {
			add("posting", p.Number, p.Title)
		}
	}
	return uses, err
}

// scopeNames tells whether a rule's scope names what is asked for.
func scopeNames(s rule.Scope, names func(company, kindType string) bool) bool {
	companies, types := s.Companies, s.Types
	if len(companies) == 0 {
		companies = []string{""}
	}
	if len(types) == 0 {
		types = []string{""}
	}
	for _, company := range companies {
		if slices.ContainsFunc(types, func(t string) bool { return names(company, t) }) {
			return true
		}
	}
	return false
}

func layoutTitle(m *masters, k *record.Kind, l store.Layout) string {
	title := "all companies"
	if c := m.company(l.Company); c != nil {
		title = c.Key + " " + c.Name
	}
	if t := m.kindType(k.Key, l.Type); t != nil {
		title += ", " + t.Label
	}
	return title
}
