package desk

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"codicil/core/engine"
	"codicil/core/judge"
	"codicil/core/record"
	"codicil/internal/contract"
	"codicil/internal/store"
)

// Layout returns how forms of a kind are arranged in a company and type: as was
// made for both, else for the company, else for the type, else for all, else by default.
func (d *Desk) Layout(ctx context.Context, kindKey, company, kindType string) (contract.LayoutView, error) {
	m, kind, err := d.masterOf(ctx, kindKey)
	if err != nil {
		return contract.LayoutView{}, err
	}
	made, err := d.store.Layouts(ctx, kindKey)
	if err != nil {
		return contract.LayoutView{}, err
	}
	view := contract.LayoutView{Layout: record.DefaultLayout(kind), Others: list(made, func(l store.Layout) contract.Use {
		return contract.Use{What: "layout", Key: l.Company + "/" + l.Type, Title: layoutTitle(m, kind, l)}
	})}
	if own := layoutOf(made, company, kindType); own != nil {
		view.Layout, view.Made, view.Company, view.Type = own.Layout.Complete(kind), true, own.Company, own.Type
	}
	return view, nil
}

// SaveLayout arranges the forms of a scope; company and type may be "" for all.
func (d *Desk) SaveLayout(ctx context.Context, kindKey, company, kindType string, layout record.Layout) (contract.LayoutView, error) {
	m, kind, err := d.masterOf(ctx, kindKey)
	switch {
	case err != nil:
		return contract.LayoutView{}, err
	case company != "" && m.company(company) == nil:
		return contract.LayoutView{}, invalid("unknown-company", "there is no company %q", company)
	case kindType != "" && m.kindType(kindKey, kindType) == nil:
		return contract.LayoutView{}, invalid("unknown-type", "there is no type %q of this kind", kindType)
	}
	err = d.bookChange(ctx, func() (func(tx *store.Store) error, error) {
		row := store.Layout{Kind: kindKey, Company: company, Type: kindType, Layout: layout.Complete(kind)}
		return func(tx *store.Store) error { return tx.SaveLayout(ctx, row) }, nil
	})
	if err != nil {
		return contract.LayoutView{}, err
	}
	return d.Layout(ctx, kindKey, company, kindType)
}

// DeleteLayout goes back to the layout of the next wider scope.
func (d *Desk) DeleteLayout(ctx context.Context, kindKey, company, kindType string) (contract.LayoutView, error) {
	err := d.bookChange(ctx, func() (func(tx *store.Store) error, error) {
		return func(tx *store.Store) error {
			return tx.DeleteLayout(ctx, store.Layout{Kind: kindKey, Company: company, Type: kindType})
		}, nil
	})
	if err != nil {
		return contract.LayoutView{}, err
	}
	return d.Layout(ctx, kindKey, company, kindType)
}

// FollowOns returns the maps from record to record.
func (d *Desk) FollowOns(ctx context.Context) ([]record.FollowOn, error) {
	maps, err := d.store.FollowOns(ctx)
	for i := range maps {
		if maps[i].Pairs == nil {
			maps[i].Pairs = []record.Pair{}
		}
	}
	return maps, err
}

// CheckFollowOn returns what is wrong with the pairs of a map.
func (d *Desk) CheckFollowOn(ctx context.Context, f record.FollowOn) ([]record.PairProblem, error) {
	m, err := d.master(ctx)
	if err != nil {
		return nil, err
	}
	from, err := m.kind(f.From)
	if err != nil {
		return nil, err
	}
	to, err := m.kind(f.To)
	if err != nil {
		return nil, err
	}
	return f.Check(from, to), nil
}

// SaveFollowOn keeps a map whose pairs all fit.
func (d *Desk) SaveFollowOn(ctx context.Context, f record.FollowOn) (record.FollowOn, error) {
	problems, err := d.CheckFollowOn(ctx, f)
	if err != nil {
		return f, err
	}
	f.Name = strings.TrimSpace(f.Name)
	m, err := d.master(ctx)
	switch {
	case err != nil:
		return f, err
	case f.Name == "":
		return f, invalid("no-name", "give the map a name, such as Order from quotation")
	case f.Type != "" && m.kindType(f.To, f.Type) == nil:
		return f, invalid("unknown-type", "there is no type %q of the new record", f.Type)
	case len(problems) > 0:
		return f, invalid("pairs-misfit", "pair %d: %s", problems[0].Pair+1, problems[0].Message)
	}
	if f.ID != 0 {
		kept, err := d.FollowOns(ctx)
		if err != nil {
			return f, err
		}
		if !slices.ContainsFunc(kept, func(k record.FollowOn) bool { return k.ID == f.ID }) {
			return f, missing(fmt.Sprintf("map %d", f.ID))
		}
	}
	err = d.bookChange(ctx, func() (func(tx *store.Store) error, error) {
		return func(tx *store.Store) (err error) {
			f, err = tx.SaveFollowOn(ctx, f)
			return err
		}, nil
	})
	return f, err
}

// DeleteFollowOn removes a map.
func (d *Desk) DeleteFollowOn(ctx context.Context, id int64) error {
	if _, err := d.followOn(ctx, id); err != nil {
		return err
	}
	return d.bookChange(ctx, func() (func(tx *store.Store) error, error) {
		return func(tx *store.Store) error { return tx.DeleteFollowOn(ctx, id) }, nil
	})
}

func (d *Desk) followOn(ctx context.Context, id int64) (record.FollowOn, error) {
	maps, err := d.store.FollowOns(ctx)
	if err != nil {
		return record.FollowOn{}, err
	}
	if i := slices.IndexFunc(maps, func(f record.FollowOn) bool { return f.ID == id }); i >= 0 {
		return maps[i], nil
	}
	return record.FollowOn{}, missing(fmt.Sprintf("map %d", id))
}

// Begin returns the beginning of the record that follows one. Nothing is kept.
func (d *Desk) Begin(ctx context.Context, id int64, request contract.BeginRequest) (contract.Beginning, error) {
	f, err := d.followOn(ctx, id)
	if err != nil {
		return contract.Beginning{}, err
	}
	saved, err := d.saved(ctx, f.From, request.Number)
	if err != nil {
		return contract.Beginning{}, err
	}
	m, from, r := saved.masters, saved.kind, saved.Record
	to, err := m.kind(f.To)
	if err != nil {
		return contract.Beginning{}, err
	}
	if r.State == "reversed" {
		return contract.Beginning{}, conflict("reversed", "%s is reversed; nothing follows from it", r.Number)
	}
	kindType := f.Type
	if kindType == "" {
		kindType = request.Type
	}
	if t := m.kindType(f.To, kindType); t == nil || !t.UsedIn(r.Company) {
		return contract.Beginning{}, invalid("unknown-type", "choose the %s of the new %s", strings.ToLower(to.TypeLabel), to.Noun())
	}
	held := r.Content()
	content := f.Apply(from, to, r.Number, &held)
	document := judge.Document{Kind: f.To, Company: r.Company, Type: kindType, Entered: enter(content.Values), Preceding: &engine.Preceding{Kind: r.Kind, Number: r.Number}}
	for _, l := range content.Lines {
		document.Lines = append(document.Lines, judge.Line{Number: l.Number, Entered: enter(l.Values)})
	}
	followers, err := d.followers(ctx, m, r.Kind, r.Number)
	if err != nil {
		return contract.Beginning{}, err
	}
	followers = slices.DeleteFunc(followers, func(r store.Record) bool { return r.Kind != f.To || r.State == "reversed" })
	links := d.links(ctx, m, r.Company)
	return contract.Beginning{Document: document, Origin: links.use(r), Earlier: list(followers, links.use)}, links.failed
}
