package learning

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strconv"
	"strings"

	"codicil/core/judge"
	"codicil/core/learn"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/core/table"
	"codicil/internal/access"
	"codicil/internal/actor"
	"codicil/internal/app/judging"
	"codicil/internal/cache"
	"codicil/internal/contract"
	"codicil/internal/fault"
	"codicil/internal/store"
)

// free gives a crosswalk or series that a proposal brings a key that nothing has yet.
func free(ref *cache.Reference, p *learn.Proposal) {
	unused := func(key string, taken func(key string) bool) string {
		for n := 1; ; n++ {
			next := key
			if n > 1 {
				next = fmt.Sprintf("%s_%d", key, n)
			}
			if !taken(next) {
				return next
			}
		}
	}
	if w := p.Crosswalk; w != nil {
		key := unused(w.Key, func(key string) bool { return ref.Tables.Crosswalk(key) != nil })
		if key != w.Key {
			p.Rule.Effect.Value = strings.ReplaceAll(p.Rule.Effect.Value, strconv.Quote(w.Key), strconv.Quote(key))
			w.Key = key
		}
	}
	if n := p.Series; n != nil {
		n.Key = unused(n.Key, func(key string) bool { return ref.Tables.Numbers(key) != nil })
		p.Rule.Effect.Series = n.Key
	}
}

// Accept makes a draft of a proposal, with the table that it needs, and proofs taken from saved records:
// one in which it acts and one in which it keeps still. What the records cannot show, because none of
// them breaks a check, a suggested document does.
func (s *Service) Accept(ctx context.Context, key, proposal string, choice contract.LearnedChoice) (contract.LearnedAccepted, error) {
	answer := contract.LearnedAccepted{Proofs: []fault.Use{}}
	if err := may(ctx, actor.RulesChange); err != nil {
		return answer, err
	}
	ref, kind, err := s.base.KindOf(ctx, key)
	if err != nil {
		return answer, err
	}
	learned, err := s.base.Store.Learned(ctx, key)
	if err != nil {
		return answer, err
	}
	p, err := chosen(learned, proposal, choice.Instead)
	if err != nil {
		return answer, err
	}
	free(ref, p)
	if c := compiled(ref, kind, p); !c.Sound() {
		return answer, fault.Hindered(outdated, c.Problems[0].Message)
	}
	switch {
	case p.Crosswalk != nil:
		if _, err := s.tables.SaveCrosswalk(ctx, p.Crosswalk.Key, contract.CrosswalkChange{Crosswalk: *p.Crosswalk}); err != nil {
			return answer, err
		}
		answer.Table = p.Crosswalk.Label
	case p.Series != nil:
		if err := s.countOn(ctx, p); err != nil {
			return answer, err
		}
		if _, err := s.tables.SaveSeries(ctx, p.Series.Key, contract.SeriesChange{Series: *p.Series}); err != nil {
			return answer, err
		}
		answer.Table = p.Series.Label
	}
	body := p.Rule
	body.Note = rule.Note{AskedBy: actor.Of(ctx).Name, AskedOn: s.base.Today(nil), Why: fmt.Sprintf("Learned from %d records: %d bear it out, %d do not.", learned.Seen, p.Holds, p.Breaks)}
	if answer.Rule, err = s.rules.Create(ctx, contract.RuleChange{Body: body}); err != nil {
		return answer, err
	}
	if !access.Has(ctx, actor.ProofsChange, "") {
		return answer, nil
	}
	answer.Proofs, err = s.prove(ctx, kind, p, answer.Rule.ID)
	return answer, err
}

// countOn lets a new series go on after the counts that records have. Until it is saved nobody counts by it.
func (s *Service) countOn(ctx context.Context, p *learn.Proposal) error {
	if len(p.Given) == 0 {
		return nil
	}
	return s.base.Line.Write(ctx, func(tx *store.Store, _ record.Stamp) error {
		for _, year := range slices.Sorted(maps.Keys(p.Given)) {
			name := judging.CountName(p.Series, table.Place{Day: record.Day(year + "-01-01")})
			last, err := tx.LastCount(ctx, name)
			if err != nil {
				return err
			}
			if last < p.Given[year] {
				if err := tx.Count(ctx, name, last, p.Given[year]); err != nil {
					return err
				}
			}
		}
		return nil
	})
}

// chosen is the proposal with the key, or one of its other forms.
func chosen(learned *store.Learned, key string, instead int) (*learn.Proposal, error) {
	if learned == nil {
		return nil, fault.Missing("proposal %s", key)
	}
	i := slices.IndexFunc(learned.Proposals, func(p store.LearnedRule) bool { return keyOf(&p.Proposal) == key })
	switch {
	case i < 0:
		return nil, fault.Hindered(noProposal)
	case instead == 0:
		return &learned.Proposals[i].Proposal, nil
	case instead < 0 || instead > len(learned.Proposals[i].Instead):
		return nil, fault.Bad(noForm, len(learned.Proposals[i].Instead))
	}
	return &learned.Proposals[i].Instead[instead-1], nil
}

// prove keeps proofs of a new rule.
func (s *Service) prove(ctx context.Context, kind *record.Kind, p *learn.Proposal, id int64) ([]fault.Use, error) {
	kept := []fault.Use{}
	keep := func(d *judge.Document, name string) error {
		if d == nil {
			return nil
		}
		made, err := s.proofs.Keep(ctx, contract.KeepRequest{Document: *d, Name: name, Rules: []int64{id}, Acting: true})
		if err != nil {
			return err
		}
		kept = append(kept, fault.Use{What: "proof", Key: strconv.FormatInt(made.ID, 10), Title: made.Name})
		return nil
	}
	acting, still, err := s.examples(ctx, kind, p)
	if err != nil {
		return kept, err
	}
	for _, of := range []struct {
		d    *judge.Document
		name string
	}{{acting, "acts"}, {still, "keeps still"}} {
		if of.d == nil {
			continue
		}
		number := of.d.Record
		of.d.Record = "" // it is a new one
		if err := keep(of.d, fmt.Sprintf("As %s: %s", number, of.name)); err != nil {
			return kept, err
		}
	}
	return kept, s.complete(ctx, id, &kept)
}

// complete adds suggested documents where the records do not show the rule both ways.
func (s *Service) complete(ctx context.Context, id int64, kept *[]fault.Use) error {
	shown, err := s.coverage.Rule(ctx, id)
	if err != nil || shown.State == contract.ProvedBothWays {
		return err
	}
	suggested, err := s.coverage.Suggest(ctx, id, contract.SuggestRequest{})
	if err != nil {
		return err
	}
	for _, suggestion := range suggested {
		made, err := s.proofs.Keep(ctx, contract.KeepRequest{Document: suggestion.Document, Name: suggestion.Name, Rules: []int64{id}, Acting: true})
		if err != nil {
			return err
		}
		*kept = append(*kept, fault.Use{What: "proof", Key: strconv.FormatInt(made.ID, 10), Title: made.Name})
		if shown, err = s.coverage.Rule(ctx, id); err != nil || shown.State == contract.ProvedBothWays {
			return err
		}
	}
	return nil
}

// examples are documents as saved records have them: one in which the rule acts, and one in which it
// keeps still; nil where there is none.
func (s *Service) examples(ctx context.Context, kind *record.Kind, p *learn.Proposal) (acting, still *judge.Document, err error) {
	switch p.Rule.Family {
	case rule.Validate:
		// It acts by refusing, which what bears it out does not show.
		if len(p.Exceptions) > 0 {
			if acting, err = s.document(ctx, kind, p.Exceptions[0], nil); err != nil {
				return nil, nil, err
			}
		}
		still, err = s.document(ctx, kind, p.Acts, nil)
	case rule.Entry:
		blank := func(d *judge.Document, line int) { clear(d, kind, p.Rule.Target, line) }
		if acting, err = s.document(ctx, kind, p.Acts, blank); err == nil && p.Still.Number != "" {
			still, err = s.document(ctx, kind, p.Still, nil)
		}
	default:
		fill := func(d *judge.Document, line int) { clear(d, kind, p.Rule.Target, line) }
		if acting, err = s.document(ctx, kind, p.Acts, fill); err != nil {
			return nil, nil, err
		}
		if p.Still.Number != "" && p.Rule.Family != rule.Default {
			still, err = s.document(ctx, kind, p.Still, nil)
		} else {
			still, err = s.document(ctx, kind, p.Acts, nil) // a person has given the value
		}
	}
	return acting, still, err
}

// clear takes the value of a field out of a document, in a line or the header.
func clear(d *judge.Document, kind *record.Kind, key string, line int) {
	f := kind.Field(key)
	if f == nil {
		return
	}
	if !f.OfLine() {
		delete(d.Entered, key)
		return
	}
	for i := range d.Lines {
		if d.Lines[i].Number == line {
			delete(d.Lines[i].Entered, f.Column())
		}
	}
}

// document is a saved record as somebody would key it now, changed; nil where it is gone.
func (s *Service) document(ctx context.Context, kind *record.Kind, at learn.Place, change func(d *judge.Document, line int)) (*judge.Document, error) {
	if at.Number == "" {
		return nil, nil //nolint:nilnil // there is none, and that is no fault
	}
	r, err := s.base.Store.Record(ctx, kind.Key, at.Number)
	switch {
	case errors.Is(err, store.ErrNotFound):
		return nil, nil //nolint:nilnil // it is gone since; the rule has one proof less
	case err != nil:
		return nil, err
	}
	d := judging.DocumentOf(kind, &r)
	if change != nil {
		change(&d, at.Line)
	}
	return &d, nil
}

// Leave leaves a proposal alone, with the reason; without one it is open again.
func (s *Service) Leave(ctx context.Context, key, proposal, reason string) error {
	if err := may(ctx, actor.RulesChange); err != nil {
		return err
	}
	learned, err := s.base.Store.Learned(ctx, key)
	if err != nil {
		return err
	}
	if _, err := chosen(learned, proposal, 0); err != nil {
		return err
	}
	return s.base.Line.Write(ctx, func(tx *store.Store, by record.Stamp) error {
		return tx.SaveLearnedAside(ctx, key, proposal, strings.TrimSpace(reason), by)
	})
}
