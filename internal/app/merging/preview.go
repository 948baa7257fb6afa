package merging

import (
	"context"
	"errors"
	"slices"

	"codicil/core/field"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/internal/access"
	"codicil/internal/actor"
	"codicil/internal/app/duplicates"
	"codicil/internal/app/judging"
	"codicil/internal/contract"
	"codicil/internal/fault"
	"codicil/internal/store"
	"codicil/internal/view"
)

// mostLooked is how many records that name what is merged a preview looks at.
const mostLooked = atOnce

// Preview shows records side by side, and what merging them would do. Nothing is kept. Cost: judging the survivor and some of
// the records that name the others.
func (s *Service) Preview(ctx context.Context, plan contract.MergePlan) (contract.MergePreview, error) {
	if err := access.NeedFor(ctx, plan.Kind, actor.RecordsMany); err != nil {
		return contract.MergePreview{}, err
	}
	p := contract.MergePreview{
		Kind: plan.Kind, Records: []contract.DuplicateRecord{}, Fields: []contract.MergeField{}, Lines: []int{}, Followers: []contract.MergeFollower{},
		Hindrances: []contract.MergeHindrance{}, Names: []contract.MergeName{}, Asks: []string{},
	}
	ref, kind, err := s.base.KindOf(ctx, plan.Kind)
	if err != nil {
		return p, err
	}
	if err := inAll(ctx, kind); err != nil {
		return p, err
	}
	links := s.base.Links(ctx, ref, "")
	var all []*record.Record
	for i, number := range plan.Numbers {
		if slices.Contains(plan.Numbers[:i], number) {
			return p, fault.Bad(twiceNamed, number)
		}
		r, err := s.base.Saved(ctx, record.Ref{Kind: kind.Key, Number: number})
		if err != nil {
			return p, err
		}
		d, err := s.duplicates.Described(ctx, links, kind, &r.Record)
		if err != nil {
			return p, err
		}
		all, p.Records = append(all, &r.Record), append(p.Records, d)
		if slices.ContainsFunc(kind.Fields, func(f field.Field) bool { return f.OfLine() }) {
			p.Lines = append(p.Lines, len(r.Lines))
		}
	}
	if p.Survivor = plan.Survivor; p.Survivor == "" {
		p.Survivor = duplicates.Preferred(p.Records, plan.Prefer)
	}
	m := &contract.RecordMerge{Survivor: p.Survivor, Values: plan.Values, Lines: plan.Lines}
	for _, number := range plan.Numbers {
		if number != p.Survivor {
			m.Merged = append(m.Merged, number)
		}
	}
	if len(m.Merged) == len(plan.Numbers) {
		return p, fault.Bad(notAmong, p.Survivor)
	}
	if err := s.check(kind, m); err != nil {
		return p, err
	}
	if err := s.named(ctx, &p, kind, m, ref.Kinds); err != nil {
		return p, err
	}
	return p, s.tried(ctx, &p, kind, m, all, plan, links)
}

// named tells what names that which is merged: records, rules, tables and proofs.
func (s *Service) named(ctx context.Context, p *contract.MergePreview, kind *record.Kind, m *contract.RecordMerge, kinds []record.Kind) error {
	q := naming(kind, m)
	counts, err := s.base.Store.CountNamingBy(ctx, store.NamedBy{Records: q.Records})
	if err != nil {
		return err
	}
	for _, c := range counts {
		i := slices.IndexFunc(p.Followers, func(f contract.MergeFollower) bool { return f.Kind == c.Kind })
		if i < 0 {
			i = len(p.Followers)
			f := contract.MergeFollower{Kind: c.Kind, Label: c.Kind}
			if k := slices.IndexFunc(kinds, func(k record.Kind) bool { return k.Key == c.Kind }); k >= 0 {
				f.Label = kinds[k].Plural
			}
			p.Followers = append(p.Followers, f)
		}
		if c.State == record.Kept {
			p.Followers[i].Open += c.Count
		} else {
			p.Followers[i].Posted += c.Count
		}
	}
	names, err := s.base.Named(ctx, false)
	if err != nil {
		return err
	}
	for _, number := range m.Merged {
		for _, n := range names.Of(number) {
			p.Names = append(p.Names, contract.MergeName{Use: n.Use, Number: number})
		}
		proofs, err := s.base.Store.CountProofsNaming(ctx, number)
		if err != nil {
			return err
		}
		p.Proofs += proofs
	}
	return nil
}

// tried tells what the rules say to the merge.
func (s *Service) tried(ctx context.Context, p *contract.MergePreview, kind *record.Kind, m *contract.RecordMerge, all []*record.Record, plan contract.MergePlan, links *judging.Links) error {
	ref, err := s.base.Cache.Reference(ctx)
	if err != nil {
		return err
	}
	g, err := s.merger(ctx, kind, m)
	var own *fault.Fault
	switch {
	case errors.As(err, &own) && own.Reason != fault.Unable:
		p.Hindrances = append(p.Hindrances, contract.MergeHindrance{Why: own.Error()})
		g.survivor = *all[slices.IndexFunc(all, func(r *record.Record) bool { return r.Number == m.Survivor })]
	case err != nil:
		return err
	default:
		if _, err := g.saving.Judge(ctx); err != nil {
			return err
		}
		for _, message := range g.saving.Trial.Outcome().Messages {
			switch {
			case message.Severity == contract.MessageSeverity(rule.Refuse):
				p.Hindrances = append(p.Hindrances, contract.MergeHindrance{Why: message.Text})
			case message.Severity == contract.MessageSeverity(rule.Confirm) && message.Reason == "":
				p.Asks = append(p.Asks, message.Text)
			}
		}
		if err := s.looked(ctx, p, g, links); err != nil {
			return err
		}
	}
	for i := range kind.Fields {
		f := &kind.Fields[i]
		if f.OfLine() {
			continue
		}
		shown := contract.MergeField{Field: f.Key, Label: f.Label, Chosen: g.from(f.Key).Number}
		for _, r := range all {
			show := view.Viewer{Kind: kind, Company: ref.Company(r.Company), Titles: links, Format: plan.Format.OrPlain()}
			shown.Values = append(shown.Values, show.Stored(&r.Content, i, 0, r.Values[f.Key]))
			shown.Differs = shown.Differs || r.Values[f.Key] != all[0].Values[f.Key]
		}
		if g.saving != nil && g.saving.Trial != nil {
			content := s.base.Content(ctx, g.saving.Trial)
			show := view.Viewer{Kind: kind, Company: ref.Company(g.survivor.Company), Titles: links, Format: plan.Format.OrPlain()}
			shown.Result = show.Stored(&content, i, 0, content.Values[f.Key])
		}
		p.Fields = append(p.Fields, shown)
	}
	return links.Err()
}

// looked tells which of the records that name what is merged would be refused.
func (s *Service) looked(ctx context.Context, p *contract.MergePreview, g *merger, links *judging.Links) error {
	if !g.saving.Trial.Accepted() { // with a reason it may be
		g.saving.Result = g.survivor
		g.saving.Result.Content = s.base.Content(ctx, g.saving.Trial)
	}
	rows, err := s.base.Store.RecordsNaming(ctx, naming(g.kind, g.merge))
	if err != nil {
		return err
	}
	rows = rows[:min(len(rows), mostLooked)]
	whys, err := s.refusals(ctx, g, rows, "?")
	for i, why := range whys {
		if why != "" {
			use := links.Use(rows[i])
			p.Hindrances = append(p.Hindrances, contract.MergeHindrance{Use: &use, Why: why})
		}
	}
	for _, f := range p.Followers {
		p.Unlooked += f.Open
	}
	p.Unlooked = max(p.Unlooked-len(rows), 0)
	return err
}
