package cache

import (
	"context"
	"slices"
	"strings"

	"codicil/core/field"
	"codicil/core/plan"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/core/table"
	"codicil/internal/fault"
	"codicil/internal/store"
)

// Reference is the reference data that nearly every use case needs: companies, kinds, types,
// tables and layouts. It is never changed, only replaced.
type Reference struct {
	Companies []record.Company
	Kinds     []record.Kind
	Types     map[string][]record.Type // by kind
	Tables    *table.Set
	Layouts   map[string][]record.ScopedLayout // by kind
	versions  *store.Tables
	// labelled are kinds as companies and types label their fields, by kind, company and type.
	labelled map[[3]string]*record.Kind
}

// Reference returns the reference data as it is.
func (c *Cache) Reference(ctx context.Context) (*Reference, error) {
	c.mutex.Lock()
	defer c.mutex.Unlock()
	err := c.read(ctx)
	return c.reference, err
}

// readReference reads the reference data.
func readReference(ctx context.Context, s *store.Store) (*Reference, error) {
	r := &Reference{Types: map[string][]record.Type{}, Layouts: map[string][]record.ScopedLayout{}, labelled: map[[3]string]*record.Kind{}}
	var err error
	if r.Companies, err = s.Companies(ctx); err != nil {
		return nil, err
	}
	if r.Kinds, err = s.Kinds(ctx); err != nil {
		return nil, err
	}
	if r.versions, err = s.Tables(ctx); err != nil {
		return nil, err
	}
	r.Tables = &r.versions.Set
	r.Tables.ChooseAll(r.Kinds)
	minor := r.Tables.Minor()
	for i := range r.Companies {
		r.Companies[i].Minor = minor
	}
	for i := range r.Kinds {
		k := &r.Kinds[i]
		if r.Types[k.Key], err = s.Types(ctx, k.Key); err != nil {
			return nil, err
		}
		if r.Layouts[k.Key], err = s.Layouts(ctx, k.Key); err != nil {
			return nil, err
		}
		r.label(k)
	}
	return r, nil
}

// label labels a kind for every company and type that a layout gives a label in. Cost: the
// companies by the types.
func (r *Reference) label(k *record.Kind) {
	if len(r.Layouts[k.Key]) == 0 {
		return
	}
	for _, c := range r.Companies {
		for _, t := range r.Types[k.Key] {
			if made := r.Layout(k.Key, c.Key, t.Key); made != nil {
				r.labelled[[3]string{k.Key, c.Key, t.Key}] = made.Labelled(k)
			}
		}
	}
}

// Layout is the layout for a company and type: as was made for both, else for the company,
// else for the type, else for all; nil: none was made.
func (r *Reference) Layout(kind, company, kindType string) *record.ScopedLayout {
	made := r.Layouts[kind]
	for _, scope := range [][2]string{{company, kindType}, {company, ""}, {"", kindType}, {"", ""}} {
		if i := slices.IndexFunc(made, func(l record.ScopedLayout) bool { return l.Company == scope[0] && l.Type == scope[1] }); i >= 0 {
			return &made[i]
		}
	}
	return nil
}

// Kind returns a kind.
func (r *Reference) Kind(key string) (*record.Kind, error) {
	for i := range r.Kinds {
		if r.Kinds[i].Key == key {
			return &r.Kinds[i], nil
		}
	}
	return nil, fault.Bad(fault.UnknownKind, key)
}

// Labelled returns a kind as the company and type label its fields. The kind may be as it was at another time; it keeps the
// fields of then. Cost: for such a kind, its fields.
func (r *Reference) Labelled(k *record.Kind, company, kindType string) *record.Kind {
	if own, err := r.Kind(k.Key); err == nil && own == k {
		if labelled := r.labelled[[3]string{k.Key, company, kindType}]; labelled != nil {
			return labelled
		}
		return k
	}
	if made := r.Layout(k.Key, company, kindType); made != nil {
		return made.Labelled(k)
	}
	return k
}

// Company returns a company; nil when there is none.
func (r *Reference) Company(key string) *record.Company {
	for i := range r.Companies {
		if r.Companies[i].Key == key {
			return &r.Companies[i]
		}
	}
	return nil
}

// Type returns a type of a kind; nil when there is none.
func (r *Reference) Type(kind, key string) *record.Type {
	for i := range r.Types[kind] {
		if r.Types[kind][i].Key == key {
			return &r.Types[kind][i]
		}
	}
	return nil
}

// TableVersion returns the version of a table: "standing", "crosswalk", "series" or "list"; 0 when it
// is not kept.
func (r *Reference) TableVersion(what, key string) int { return r.versions.VersionOf(what, key) }

// Scope resolves company, type and day of a kind; the error tells what does not exist.
func (r *Reference) Scope(kind *record.Kind, company, kindType string, day record.Day) (plan.Scope, error) {
	s := plan.Scope{Company: r.Company(company), Type: r.Type(kind.Key, kindType), Day: day, Kind: r.Labelled(kind, company, kindType)}
	if s.Company == nil {
		return s, fault.Bad(fault.UnknownCompany, company)
	}
	if s.Type == nil {
		return s, fault.Bad(fault.UnknownType, kindType)
	}
	if !s.Type.UsedIn(company) {
		return s, fault.Bad(fault.TypeNotUsed, s.Type.Label, company)
	}
	if _, err := record.ParseDay(string(day)); err != nil {
		return s, fault.Bad(fault.NotADay, err)
	}
	return s, nil
}

// Wording is how rules of a kind are told to a person who writes numbers and dates in the format.
func (r *Reference) Wording(kind *record.Kind, format field.Format) rule.Wording {
	n := rule.Wording{Kind: kind, Companies: map[string]string{}, Types: map[string]string{}, Show: rule.Written(format)}
	for _, c := range r.Companies {
		n.Companies[c.Key] = c.Key + " " + c.Name
	}
	for _, t := range r.Types[kind.Key] {
		n.Types[t.Key] = strings.ToLower(t.Label) + " " + strings.ToLower(kind.Plural)
	}
	return n
}
