// Package proofs keeps proofs: test documents with what is expected of them, what they confirm of
// the rules, and what they would not notice.
//
// It must never know how documents are posted. Start reading at Service.
package proofs

import (
	"codicil/core/engine"
	"codicil/core/field"
	"codicil/core/judge"
	"codicil/core/plan"
	"codicil/core/proof"
	"codicil/core/record"
	"codicil/internal/access"
	"codicil/internal/actor"
	"codicil/internal/app/commit"
	"codicil/internal/app/judging"
	"codicil/internal/cache"
	"codicil/internal/contract"
	"codicil/internal/fault"
	"codicil/internal/ledger"
	"codicil/internal/store"
	"codicil/internal/view"
	"context"
	"fmt"
	"slices"
	"strconv"
	"strings"
)

// Service serves these use cases.
type Service struct{ base *judging.Service }

// New returns the use cases.
func New(j *judging.Service) *Service { return &Service{j} }

// List returns the proofs of a kind.
func (s *Service) List(ctx context.Context, kind string) ([]contract.Proof, error) {
	if err := access.Need(ctx, actor.RulesRead); err != nil {
		return nil, err
	}
	book, err := s.base.Cache.SeenBook(ctx, kind)
	if err != nil {
		return nil, err
	}
	proofs, err := judging.Proofs(ctx, s.base.Store, kind)
	if err != nil {
		return nil, err
	}
	links, err := s.links(ctx)
	return view.List(proofs, func(p proof.Proof) contract.Proof { return view.Proof(p, book, links) }), err
}

// Get returns one proof.
func (s *Service) Get(ctx context.Context, id int64) (contract.Proof, error) {
	if err := access.Need(ctx, actor.RulesRead); err != nil {
		return contract.Proof{}, err
	}
	p, err := s.kept(ctx, id)
	if err != nil {
		return contract.Proof{}, err
	}
	book, err := s.base.Cache.SeenBook(ctx, p.Given.Kind)
	if err != nil {
		return contract.Proof{}, err
	}
	links, err := s.links(ctx)
	return view.Proof(p, book, links), err
}

// links know which records who asks may see.
func (s *Service) links(ctx context.Context) (*judging.Links, error) {
	ref, err := s.base.Cache.Reference(ctx)
	return s.base.Links(ctx, ref, ""), err
}

// kept returns a proof, to who may see it.
func (s *Service) kept(ctx context.Context, id int64) (proof.Proof, error) {
	p, err := s.base.Store.Proof(ctx, id)
	if err == nil && !access.In(ctx, p.Given.Company) {
		err = &store.NotFoundError{What: "proof", Key: strconv.FormatInt(id, 10)}
	}
	return p, commit.Explain(err)
}

// Keep keeps a test document with what comes out of it as a proof, or with what the
// request expects instead.
func (s *Service) Keep(ctx context.Context, request contract.KeepRequest) (contract.Proof, error) {
	if err := access.Need(ctx, actor.ProofsChange); err != nil {
		return contract.Proof{}, err
	}
	if err := access.Company(ctx, request.Document.Company); err != nil {
		return contract.Proof{}, err
	}
	// The document is tried first, so that typed texts are read and all it reads is known.
	t, err := s.base.Try(ctx, request.Document, judging.Ask{Format: request.Format, Drafts: request.Rules})
	if err != nil {
		return contract.Proof{}, err
	}
	_, runner, err := s.base.Runner(ctx, t.Document.Kind)
	if err != nil {
		return contract.Proof{}, err
	}
	p := proof.Proof{Name: strings.TrimSpace(request.Name), Rules: request.Rules, Given: t.Document, Posting: request.Posting, Unread: request.Unread}
	if p.Given.Preceding != nil && p.Given.Previous == nil {
		p.Given.Previous, p.Given.PreviousOfType, p.Given.PreviousOfAnyone = request.Document.Previous, request.Document.PreviousOfType, request.Document.PreviousOfAnyone
	}
	if p.Given.Fixtures, err = runner.Carry(&p); err != nil {
		return contract.Proof{}, err
	}
	if p.Posting != "" {
		posting, err := s.base.Store.Posting(ctx, ledger.Practice, p.Posting)
		if err == nil && !access.In(ctx, posting.Company) {
			err = &store.NotFoundError{What: "posting", Key: p.Posting}
		}
		if err != nil {
			return contract.Proof{}, commit.Explain(err)
		}
	}
	// What a proof expects is what its run gives, at once and ever after.
	result := runner.Run(&p, true)
	if result.Err != nil {
		return contract.Proof{}, judging.Unjudged(result.Err)
	}
	kind, out := result.Plan.Kind(), result.Outcome
	p.Seen = result.Plan.Versions()
	if request.Expect != nil {
		p.Expect = *request.Expect
	} else {
		p.Expect = proof.Expect(out, result.Plan, request.Fields)
	}
	if request.Expect == nil && len(request.Fields) == 0 {
		mind(&p, runner.Book, out)
	}
	for key := range p.Expect.Values {
		if place, _ := judge.IndexOf(kind, key); place < 0 {
			return contract.Proof{}, fault.Bad(unknownExpected, kind.Noun(), key)
		}
	}
	if len(p.Rules) == 0 {
		p.Rules = judging.Acting(out)
	}
	if request.Acting {
		p.Expect.Acting = slices.DeleteFunc(judging.Acting(out), func(id int64) bool { return !slices.Contains(p.Rules, id) })
	}
	p.Rules = slices.DeleteFunc(p.Rules, func(id int64) bool { return id == 0 })
	if p.Name == "" {
		content := t.Judged.Content("", "")
		p.Name = fmt.Sprintf("%s in %s: %s, %s", result.Plan.Scope.Type.Label, result.Plan.Scope.Company.Key, t.Title(&content), out.Verdict)
	}
	err = s.base.Line.Write(ctx, func(tx *store.Store, by record.Stamp) (err error) {
		p, err = tx.SaveProof(ctx, p, "kept", "", by)
		return err
	})
	if err != nil {
		return contract.Proof{}, err
	}
	links, err := s.links(ctx)
	return view.Proof(p, runner.Book, links), err
}

// mind lets a proof expect of the rules that it names also that they did nothing.
func mind(p *proof.Proof, book *plan.Book, out *engine.Outcome) {
	for _, c := range book.Rules {
		if slices.Contains(p.Rules, c.ID) && c.Sound() {
			p.Expect.Mind(c, out)
		}
	}
}

// Delete removes a proof.
func (s *Service) Delete(ctx context.Context, id int64) error {
	if err := access.Need(ctx, actor.ProofsChange); err != nil {
		return err
	}
	if _, err := s.kept(ctx, id); err != nil {
		return err
	}
	return s.base.Line.Write(ctx, func(tx *store.Store, by record.Stamp) error { return tx.DeleteProof(ctx, id, by) })
}

// Asked are the proofs that a request asks for, ready to be run.
type Asked struct {
	proofs *Service
	ref    *cache.Reference
	runner *proof.Runner
	format *field.Format
	list   []proof.Proof
}

// Ask reads the proofs that a request asks for; a rule that it gives stands in the book as it
// is given.
func (s *Service) Ask(ctx context.Context, request contract.RunRequest) (*Asked, error) {
	if err := access.Need(ctx, actor.RulesRead); err != nil {
		return nil, err
	}
	ref, runner, err := s.base.Runner(ctx, request.Kind)
	if err != nil {
		return nil, err
	}
	if request.Rule != nil {
		runner = runner.With(judging.Changed(*request.Rule))
	}
	list, err := judging.Proofs(ctx, s.base.Store, request.Kind, request.Proofs...)
	list = slices.DeleteFunc(list, func(p proof.Proof) bool {
		return (request.OfRule != 0 && !slices.Contains(p.Rules, request.OfRule)) ||
			(request.Company != "" && p.Given.Company != request.Company) || (request.Type != "" && p.Given.Type != request.Type)
	})
	return &Asked{s, ref, runner, request.Format, list}, err
}

// Total is how many there are.
func (a *Asked) Total() int { return len(a.list) }

// Run runs them against the rules in force, on all processors. tell, if any, is told
// of each as it ends.
func (a *Asked) Run(ctx context.Context, tell func(contract.ProofResult)) (contract.ProofRun, error) {
	run := contract.ProofRun{RanAt: a.proofs.base.Clock().UTC(), Results: []contract.ProofResult{}}
	results, err := a.runner.RunAll(ctx, a.list, func(r *proof.Result) {
		if tell != nil {
			tell(judging.Shown(ctx, a.proofs.base, a.ref, r, a.format))
		}
	})
	for i := range results {
		if results[i].Proof == nil {
			continue // it was stopped before
		}
		shown := judging.Shown(ctx, a.proofs.base, a.ref, &results[i], a.format)
		if run.Results = append(run.Results, shown); shown.Held {
			run.Held++
		} else {
			run.Failed++
		}
	}
	return run, err
}

// Run runs the proofs that a request asks for.
func (s *Service) Run(ctx context.Context, request contract.RunRequest) (contract.ProofRun, error) {
	if err := access.Need(ctx, actor.RulesRead); err != nil {
		return contract.ProofRun{}, err
	}
	asked, err := s.Ask(ctx, request)
	if err != nil {
		return contract.ProofRun{}, err
	}
	return asked.Run(ctx, nil)
}

// KeptFrom names the proofs that were kept from a test posting.
func (s *Service) KeptFrom(ctx context.Context, posting string) ([]fault.Use, error) {
	kept, err := s.base.Store.ProofsOf(ctx, posting)
	return view.List(kept, use), err
}

// CountPosted counts the proofs that were kept from test postings.
func (s *Service) CountPosted(ctx context.Context) (int, error) { return s.base.Store.CountPosted(ctx) }

func use(p proof.Proof) fault.Use {
	return fault.Use{What: "proof", Key: fmt.Sprint(p.ID), Title: p.Name}
}

// InScope lists the proofs of a company and type.
func (s *Service) InScope(ctx context.Context, kinds []record.Kind, names func(company, kindType string) bool) (uses []fault.Use, more int, err error) {
	for i := range kinds {
		kept, err := s.base.Store.Proofs(ctx, kinds[i].Key)
		if err != nil {
			return nil, 0, err
		}
		for _, p := range kept {
			if names(p.Given.Company, p.Given.Type) {
				uses = append(uses, use(p))
			}
		}
	}
	return uses, 0, nil
}

// OfField lists the proofs that enter or expect a value of a field.
func (s *Service) OfField(ctx context.Context, kind *record.Kind, key string) (uses []fault.Use, err error) {
	kept, err := s.base.Store.Proofs(ctx, kind.Key)
	for _, p := range kept {
		if proofNames(kind, &p.Given, p.Expect.Values, key) {
			uses = append(uses, use(p))
		}
	}
	return uses, err
}

// proofNames tells whether a proof enters or expects a value of a field.
func proofNames(kind *record.Kind, given *judge.Document, expected map[string]string, key string) bool {
	column, ofLine := strings.CutPrefix(key, field.LinePrefix)
	if _, there := given.Entered[key]; there {
		return true
	}
	if ofLine && slices.ContainsFunc(given.Lines, func(l judge.Line) bool { _, there := l.Entered[column]; return there }) {
		return true
	}
	place := kind.Index(key)
	for address := range expected {
		if at, _ := judge.IndexOf(kind, address); at == place {
			return true
		}
	}
	return false
}
