package coverage

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"codicil/core/field"
	"codicil/core/plan"
	"codicil/core/proof"
	"codicil/core/rule"
	"codicil/internal/access"
	"codicil/internal/actor"
	"codicil/internal/app/judging"
	"codicil/internal/app/runs"
	"codicil/internal/cache"
	"codicil/internal/contract"
	"codicil/internal/view"
)

// proofsAtOnce is how many proofs run before what came of them is told.
const proofsAtOnce = 500

// Start begins a run of every proof, which measures also which wrong versions of every rule they notice. What it finds are the
// proofs that fail, and the rules of which wrong versions pass that nobody has set aside. Cost: every proof
// once, and those of a rule for each of its wrong versions.
func (s *Service) Start(ctx context.Context, request contract.ProofsRequest) (contract.Run, error) {
	if err := access.Need(ctx, actor.RulesRead); err != nil {
		return contract.Run{}, err
	}
	ref, err := s.base.Cache.Reference(ctx)
	if err != nil {
		return contract.Run{}, err
	}
	title, kinds := "All proofs", []string{}
	if request.Kind != "" {
		kind, err := ref.Kind(request.Kind)
		if err != nil {
			return contract.Run{}, err
		}
		title, kinds = "Proofs of "+strings.ToLower(kind.Plural), []string{kind.Key}
	} else {
		for i := range ref.Kinds {
			kinds = append(kinds, ref.Kinds[i].Key)
		}
	}
	r, err := s.runs.Start(ctx, "proofs", title, runs.Subject{}, func(ctx context.Context, w *runs.Writer) error {
		m := &measuring{service: s, format: request.Format, w: w, counts: runs.Counts{"passed": 0, "failed": 0, "versions": 0, "noticed": 0}}
		for _, kind := range kinds {
			if err := m.kind(ctx, kind); err != nil {
				return err
			}
		}
		return w.Came(ctx, m.done, m.counts)
	})
	return runs.Shown(&r), err
}

// measuring is such a run.
type measuring struct {
	service     *Service
	format      *field.Format
	w           *runs.Writer
	total, done int
	counts      runs.Counts
}

func (m *measuring) kind(ctx context.Context, kind string) error {
	b, err := m.service.base.Bench(ctx, kind)
	if err != nil {
		return err
	}
	m.total += len(b.Proofs) + rulesInForce(b.Runner.Book)
	m.w.Total(m.total)
	var results []proof.Result
	for some := range slices.Chunk(b.Proofs, proofsAtOnce) {
		ran, err := b.Runner.RunAll(ctx, some, nil)
		if err != nil {
			return err
		}
		for i := range ran {
			m.proof(ctx, b.Reference, &ran[i])
		}
		results = append(results, ran...)
		if err := m.w.Came(ctx, m.done, m.counts); err != nil {
			return err
		}
	}
	confirmed := proof.Confirm(b.Runner.Book, results)
	for i := range confirmed {
		if err := m.rule(ctx, b, confirmed[i].Rule, results); err != nil {
			return err
		}
	}
	return nil
}

// proof tells of a proof that ran.
func (m *measuring) proof(ctx context.Context, ref *cache.Reference, r *proof.Result) {
	m.done++
	if r.Held() {
		m.counts["passed"]++
		return
	}
	m.counts["failed"]++
	said := strings.Join(view.WhyFailed(judging.Shown(ctx, m.service.base, ref, r, m.format)), "; ")
	p := r.Proof
	m.w.Found(0, contract.RunHit{
		Kind: p.Given.Kind, Proof: p.ID, Title: p.Name, Company: p.Given.Company, Type: p.Given.Type, What: contract.RunHitWhatFail, Said: said, Told: said, Changes: []contract.ValueChange{},
	})
}

// rule measures what the proofs of a rule notice.
func (m *measuring) rule(ctx context.Context, b *judging.Bench, c *rule.Compiled, results []proof.Result) error {
	strengths, err := b.Measure(ctx, []*rule.Compiled{c}, results, nil)
	if err != nil {
		return err
	}
	shown, err := m.service.strength(ctx, &strengths[0])
	if err != nil {
		return err
	}
	m.done++
	m.counts["versions"] += shown.Mutants
	m.counts["noticed"] += shown.Noticed
	aside := view.List(shown.Aside, func(a contract.SetAside) string { return a.Change })
	if open := slices.DeleteFunc(slices.Clone(shown.Unnoticed), func(u string) bool { return slices.Contains(aside, u) }); len(open) > 0 {
		said := fmt.Sprintf("%d of %d wrong versions are not noticed: %s", len(open), shown.Mutants, strings.Join(open, "; "))
		m.w.Found(1, contract.RunHit{
			Kind: c.Kind, Rule: c.ID, Title: c.Label(), What: contract.RunHitWhatWeak, Said: said, Told: said, Changes: []contract.ValueChange{},
		})
	}
	return m.w.Came(ctx, m.done, m.counts)
}

func rulesInForce(b *plan.Book) (count int) {
	for _, c := range b.Rules {
		if c.State == rule.InForce {
			count++
		}
	}
	return count
}
