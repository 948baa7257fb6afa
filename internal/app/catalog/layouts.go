package catalog

import (
	"codicil/core/feel"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/internal/access"
	"codicil/internal/actor"
	"codicil/internal/cache"
	"codicil/internal/contract"
	"codicil/internal/fault"
	"codicil/internal/store"
	"codicil/internal/view"
	"context"
	"fmt"
	"slices"
	"strings"
)

// Layout returns how forms of a kind are arranged in a company and type: as was
// made for both, else for the company, else for the type, else for all, else by default.
func (s *Service) Layout(ctx context.Context, kindKey, company, kindType string) (contract.LayoutView, error) {
	if err := access.NeedFor(ctx, kindKey, actor.RecordsRead, actor.RulesRead); err != nil {
		return contract.LayoutView{}, err
	}
	if err := access.Company(ctx, company); err != nil {
		return contract.LayoutView{}, err
	}
	m, kind, err := s.base.KindOf(ctx, kindKey)
	if err != nil {
		return contract.LayoutView{}, err
	}
	shown := contract.LayoutView{Layout: record.DefaultLayout(kind), Others: view.List(m.Layouts[kindKey], func(l record.ScopedLayout) fault.Use {
		return layoutUse(m, kind, l)
	})}
	if own := m.Layout(kindKey, company, kindType); own != nil {
		shown.Layout, shown.Made, shown.Company, shown.Type = own.Layout.Complete(kind), true, own.Company, own.Type
	}
	return shown, nil
}

// layoutIn refuses the change of a layout to who is not in the companies for which it holds.
func layoutIn(ctx context.Context, company string) error {
	if company == "" {
		return access.Companies(ctx, nil)
	}
	return access.Company(ctx, company)
}

// SaveLayout arranges the forms of a scope; company and type may be "" for all.
func (s *Service) SaveLayout(ctx context.Context, kindKey, company, kindType string, layout record.Layout) (contract.LayoutView, error) {
	if err := access.Need(ctx, actor.SetupChange); err != nil {
		return contract.LayoutView{}, err
	}
	if err := layoutIn(ctx, company); err != nil {
		return contract.LayoutView{}, err
	}
	m, kind, err := s.base.KindOf(ctx, kindKey)
	switch {
	case err != nil:
		return contract.LayoutView{}, err
	case company != "" && m.Company(company) == nil:
		return contract.LayoutView{}, fault.Bad(fault.UnknownCompany, company)
	case kindType != "" && m.Type(kindKey, kindType) == nil:
		return contract.LayoutView{}, fault.Bad(fault.UnknownType, kindType)
	}
	err = s.base.Line.Book(ctx, func() (func(tx *store.Store, by record.Stamp) error, error) {
		row := record.ScopedLayout{Kind: kindKey, Company: company, Type: kindType, Layout: layout.Complete(kind)}
		return func(tx *store.Store, by record.Stamp) error { return tx.SaveLayout(ctx, row, by) }, nil
	})
	if err != nil {
		return contract.LayoutView{}, err
	}
	return s.Layout(ctx, kindKey, company, kindType)
}

// DeleteLayout goes back to the layout of the next wider scope.
func (s *Service) DeleteLayout(ctx context.Context, kindKey, company, kindType string) (contract.LayoutView, error) {
	if err := access.Need(ctx, actor.SetupChange); err != nil {
		return contract.LayoutView{}, err
	}
	if err := layoutIn(ctx, company); err != nil {
		return contract.LayoutView{}, err
	}
	err := s.base.Line.Book(ctx, func() (func(tx *store.Store, by record.Stamp) error, error) {
		return func(tx *store.Store, by record.Stamp) error {
			return tx.DeleteLayout(ctx, kindKey, company, kindType, by)
		}, nil
	})
	if err != nil {
		return contract.LayoutView{}, err
	}
	return s.Layout(ctx, kindKey, company, kindType)
}

// FollowOns returns the maps from record to record.
func (s *Service) FollowOns(ctx context.Context) ([]record.FollowOn, error) {
	if err := access.Need(ctx, actor.RecordsRead); err != nil {
		return nil, err
	}
	maps, err := s.base.Store.FollowOns(ctx)
	for i := range maps {
		if maps[i].Pairs == nil {
			maps[i].Pairs = []record.Pair{}
		}
	}
	return maps, err
}

// CheckFollowOn returns what is wrong with the pairs of a map.
func (s *Service) CheckFollowOn(ctx context.Context, f record.FollowOn) ([]record.PairProblem, error) {
	if err := access.Need(ctx, actor.RulesRead); err != nil {
		return nil, err
	}
	m, err := s.base.Cache.Reference(ctx)
	if err != nil {
		return nil, err
	}
	from, err := m.Kind(f.From)
	if err != nil {
		return nil, err
	}
	to, err := m.Kind(f.To)
	if err != nil {
		return nil, err
	}
	problems := f.Check(from, to)
	for _, key := range f.Types {
		if m.Type(f.From, key) == nil {
			problems = append(problems, record.ProblemOf(-1, unknownFromType.With(key)))
		}
	}
	if f.When != "" {
		_, wrong := vocabularyOf(m, from).Part("when", f.When, 0, &from.Fields[0])
		for _, p := range wrong {
			problem := record.ProblemOf(-1, badMapWhen.With(p.Message))
			problem.Warning = p.Severity != feel.Error
			problems = append(problems, problem)
		}
	}
	return problems, nil
}

// vocabularyOf are the names that the condition of a map may use: those of the kind that is followed.
func vocabularyOf(m *cache.Reference, kind *record.Kind) *rule.Vocabulary {
	return rule.NewVocabulary(kind, m.Kinds, m.Tables)
}

// SaveFollowOn keeps a map whose pairs all fit.
func (s *Service) SaveFollowOn(ctx context.Context, f record.FollowOn) (record.FollowOn, error) {
	if err := access.Need(ctx, actor.SetupChange); err != nil {
		return record.FollowOn{}, err
	}
	if err := access.Companies(ctx, nil); err != nil {
		return record.FollowOn{}, err
	}
	problems, err := s.CheckFollowOn(ctx, f)
	if err != nil {
		return f, err
	}
	f.Name = strings.TrimSpace(f.Name)
	m, err := s.base.Cache.Reference(ctx)
	switch {
	case err != nil:
		return f, err
	case f.Name == "":
		return f, fault.Bad(noMapName)
	case f.Type != "" && m.Type(f.To, f.Type) == nil:
		return f, fault.Bad(unknownNewType, f.Type)
	}
	for _, p := range problems {
		switch {
		case p.Warning:
		case p.Pair < 0:
			return f, fault.Bad(mapMisfits, p.Message)
		default:
			return f, fault.Bad(pairsMisfit, p.Pair+1, p.Message)
		}
	}
	if f.ID != 0 {
		kept, err := s.FollowOns(ctx)
		if err != nil {
			return f, err
		}
		if !slices.ContainsFunc(kept, func(k record.FollowOn) bool { return k.ID == f.ID }) {
			return f, fault.Missing("map %d", f.ID)
		}
	}
	err = s.base.Line.Book(ctx, func() (func(tx *store.Store, by record.Stamp) error, error) {
		return func(tx *store.Store, by record.Stamp) (err error) {
			f, err = tx.SaveFollowOn(ctx, f, by)
			return err
		}, nil
	})
	return f, err
}

// DeleteFollowOn removes a map.
func (s *Service) DeleteFollowOn(ctx context.Context, id int64) error {
	if err := access.Need(ctx, actor.SetupChange); err != nil {
		return err
	}
	if err := access.Companies(ctx, nil); err != nil {
		return err
	}
	if _, err := s.followOn(ctx, id); err != nil {
		return err
	}
	return s.base.Line.Book(ctx, func() (func(tx *store.Store, by record.Stamp) error, error) {
		return func(tx *store.Store, by record.Stamp) error { return tx.DeleteFollowOn(ctx, id, by) }, nil
	})
}

func (s *Service) followOn(ctx context.Context, id int64) (record.FollowOn, error) {
	maps, err := s.base.Store.FollowOns(ctx)
	if err != nil {
		return record.FollowOn{}, err
	}
	if i := slices.IndexFunc(maps, func(f record.FollowOn) bool { return f.ID == id }); i >= 0 {
		return maps[i], nil
	}
	return record.FollowOn{}, fault.Missing("map %d", id)
}

// OfField lists the layouts and maps that name a field.
func (s *Service) OfField(ctx context.Context, kind *record.Kind, key string) (uses []fault.Use, err error) {
	ref, err := s.base.Cache.Reference(ctx)
	if err != nil {
		return nil, err
	}
	for _, l := range ref.Layouts[kind.Key] {
		for _, section := range l.Sections {
			if slices.ContainsFunc(section.Fields, func(f record.LayoutField) bool { return f.Key == key }) {
				uses = append(uses, layoutUse(ref, kind, l))
			}
		}
	}
	maps, err := s.base.Store.FollowOns(ctx)
	for _, f := range maps {
		if slices.ContainsFunc(f.Pairs, func(p record.Pair) bool {
			return (f.From == kind.Key && p.From == key) || (f.To == kind.Key && p.To == key)
		}) || f.From == kind.Key && conditionReads(ref, kind, &f, key) {
			uses = append(uses, fault.Use{What: "map", Key: fmt.Sprint(f.ID), Title: f.Name})
		}
	}
	return uses, err
}

// conditionReads tells whether the condition of a map reads a field of the kind that is followed.
func conditionReads(ref *cache.Reference, kind *record.Kind, f *record.FollowOn, key string) bool {
	v := vocabularyOf(ref, kind)
	program, _ := v.Part("when", f.When, 0, &kind.Fields[0])
	return f.When != "" && program != nil && slices.ContainsFunc(program.Reads(), func(slot int) bool {
		read, ok := v.ReadAt(slot)
		return ok && kind.Fields[read.Field].Key == key
	})
}
