// Package waiting gathers what waits for a person: proofs that fail, rules that are not proved, drafts,
// and what others changed since the person looked.
//
// It must never change anything. Start reading at Service.
package waiting

import (
	"cmp"
	"context"
	"slices"
	"strconv"
	"time"

	"codicil/core/proof"
	"codicil/core/rule"
	"codicil/core/table"
	"codicil/internal/access"
	"codicil/internal/actor"
	"codicil/internal/app/judging"
	"codicil/internal/app/runs"
	"codicil/internal/cache"
	"codicil/internal/contract"
	"codicil/internal/store"
	"codicil/internal/view"
)

// Service serves these use cases.
type Service struct{ base *judging.Service }

// New returns the use cases.
func New(j *judging.Service) *Service { return &Service{j} }

const (
	lately      = 7 * 24 * time.Hour // of which changes are told where nobody says since when
	mostRules   = 20
	mostChanges = 100
)

// Waiting gathers what waits; since is from when to tell what others changed; the zero time: lately.
// Cost: every proof is run once.
func (s *Service) Waiting(ctx context.Context, since time.Time) (contract.Waiting, error) {
	if err := access.Person(ctx); err != nil {
		return contract.Waiting{}, err
	}
	now := s.base.Clock().UTC()
	if since.IsZero() {
		since = now.Add(-lately)
	}
	w := contract.Waiting{
		Proofs: []contract.WaitingProof{}, Rules: []contract.WaitingRule{}, Drafts: []contract.WaitingRule{}, Changes: []contract.OthersChange{}, Runs: []contract.Run{}, Since: since, Now: now,
	}
	ref, err := s.base.Cache.Seen(ctx)
	if err != nil {
		return w, err
	}
	reads := access.Has(ctx, actor.RulesRead, "")
	for i := range ref.Kinds {
		if !reads {
			break
		}
		if err := s.kind(ctx, ref.Kinds[i].Key, &w); err != nil {
			return w, err
		}
	}
	slices.SortStableFunc(w.Rules, func(a, b contract.WaitingRule) int { return cmp.Compare(need(a.State), need(b.State)) })
	w.Unproved = len(w.Rules)
	w.Rules = w.Rules[:min(len(w.Rules), mostRules)]
	slices.SortStableFunc(w.Drafts, func(a, b contract.WaitingRule) int { return changedAt(b).Compare(changedAt(a)) })
	begun, err := s.base.Store.Runs(ctx, mostChanges)
	if err != nil {
		return w, err
	}
	for i := range begun {
		if r := &begun[i]; r.Started.Person == actor.Of(ctx).ID && (r.EndedAt == "" || r.EndedAt >= store.Instant(since)) {
			w.Runs = append(w.Runs, runs.Shown(r))
		}
	}
	written, err := s.base.Store.WrittenSince(ctx, since, actor.Of(ctx).ID, mostChanges)
	for _, v := range written {
		if !reads || !s.seen(ctx, &v) {
			continue
		}
		w.Changes = append(w.Changes, othersChange(ref, v))
	}
	return w, err
}

// seen tells whether who asks may see what others wrote.
func (s *Service) seen(ctx context.Context, v *store.Written) bool {
	if access.Everywhere(ctx) {
		return true
	}
	id, _ := strconv.ParseInt(v.Key, 10, 64)
	switch v.What {
	case "rule":
		_, err := s.base.KeptRule(ctx, id)
		return err == nil
	case "proof":
		p, err := s.base.Store.Proof(ctx, id)
		return err == nil && access.In(ctx, p.Given.Company)
	}
	return true
}

// need orders the states of rules, the neediest first.
func need(state string) int {
	return slices.Index([]string{string(proof.Failing), string(proof.OutOfDate), string(proof.NotProved), string(proof.ProvedNotToAct), string(proof.ProvedToAct)}, state)
}

func changedAt(r contract.WaitingRule) time.Time {
	if r.ChangedAt == nil {
		return time.Time{}
	}
	return *r.ChangedAt
}

// kind adds what waits of one kind.
func (s *Service) kind(ctx context.Context, kind string, w *contract.Waiting) error {
	b, err := s.base.Bench(ctx, kind)
	if err != nil {
		return err
	}
	results, err := b.Runner.RunAll(ctx, b.Proofs, nil)
	if err != nil {
		return err
	}
	format := actor.Of(ctx).Format
	for i := range results {
		r := &results[i]
		if r.Held() {
			continue
		}
		why := view.WhyFailed(judging.Shown(ctx, s.base, b.Reference, r, &format))
		w.Proofs = append(w.Proofs, contract.WaitingProof{Proof: r.Proof.ID, Kind: kind, Name: r.Proof.Name, Why: why[0]})
	}
	wording := b.Reference.Wording(b.Runner.Book.Vocabulary.Kind, format)
	changed, err := s.base.Store.LastChanges(ctx, kind)
	if err != nil {
		return err
	}
	waits := func(c *rule.Compiled, state string) contract.WaitingRule {
		shown := contract.RuleView{}
		view.LastChange(&shown, changed[c.ID])
		waiting := contract.WaitingRule{Rule: c.ID, Kind: kind, Family: string(c.Family), Sentence: rule.Sentence(c, wording), State: state, ChangedBy: shown.ChangedBy}
		if !shown.ChangedAt.IsZero() {
			waiting.ChangedAt = &shown.ChangedAt
		}
		return waiting
	}
	for _, c := range proof.Confirm(b.Runner.Book, results) {
		if c.State != proof.ProvedBoth {
			w.Rules = append(w.Rules, waits(c.Rule, string(c.State)))
		}
	}
	for _, c := range b.Runner.Book.Rules {
		if c.State != rule.Draft {
			continue
		}
		state := ""
		if !c.Sound() {
			state = c.Problems[0].Message
		}
		w.Drafts = append(w.Drafts, waits(c, state))
	}
	return nil
}

// tables are what the sorts of tables are called.
var tables = map[string]string{"standing": "standing value", "crosswalk": "crosswalk", "series": "number series", "list": "list"}

func othersChange(ref *cache.Reference, v store.Written) contract.OthersChange {
	change := contract.OthersChange{What: v.What, Key: v.Key, Name: v.Name, Deed: v.Deed, Why: v.Why, By: v.By.By}
	change.At, _ = time.Parse(time.RFC3339, v.By.At)
	if called := tables[v.What]; called != "" {
		change.What, change.Name = called, v.Key
		switch v.What {
		case "standing":
			if i := slices.IndexFunc(ref.Tables.Standing, func(s table.Standing) bool { return s.Field.Key == v.Key }); i >= 0 {
				change.Name = ref.Tables.Standing[i].Field.Label
			}
		case "crosswalk":
			if c := ref.Tables.Crosswalk(v.Key); c != nil {
				change.Name = c.Label
			}
		case "series":
			if i := slices.IndexFunc(ref.Tables.Series, func(s table.Series) bool { return s.Key == v.Key }); i >= 0 {
				change.Name = ref.Tables.Series[i].Label
			}
		case "list":
			if l := ref.Tables.List(v.Key); l != nil {
				change.Name = l.Label
			}
		}
	}
	if change.Deed == "" {
		change.Deed = "changed"
		if v.Version == 1 {
			change.Deed = "new"
		}
	}
	return change
}
