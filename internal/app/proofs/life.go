package proofs

import (
	"codicil/core/proof"
	"codicil/internal/access"
	"codicil/internal/actor"
	"codicil/internal/app/commit"
	"codicil/internal/contract"
	"codicil/internal/fault"
	"codicil/internal/store"
	"codicil/internal/view"
	"context"
	"fmt"
	"strings"
)

// MarkRead says that a person has read a suggested proof.
func (s *Service) MarkRead(ctx context.Context, id int64) (contract.Proof, error) {
	if err := access.Need(ctx, actor.ProofsChange); err != nil {
		return contract.Proof{}, err
	}
	return s.changeProof(ctx, id, "read", "", func(p *proof.Proof) error {
		p.Unread = false
		return nil
	})
}

// Refresh lets a proof carry what it reads as that is now. What it expects stays.
func (s *Service) Refresh(ctx context.Context, id int64) (contract.Proof, error) {
	if err := access.Need(ctx, actor.ProofsChange); err != nil {
		return contract.Proof{}, err
	}
	return s.changeProof(ctx, id, "carried anew", "", func(p *proof.Proof) error {
		p.Given.Fixtures = nil
		_, runner, err := s.base.Runner(ctx, p.Given.Kind)
		if err != nil {
			return err
		}
		p.Given.Fixtures, err = runner.Carry(p)
		return err
	})
}

// Accept makes what comes out now what the proof expects, for the fields
// that it already expects. why says why that is right.
func (s *Service) Accept(ctx context.Context, id int64, request contract.AcceptRequest) (contract.Proof, error) {
	if err := access.Need(ctx, actor.ProofsChange); err != nil {
		return contract.Proof{}, err
	}
	why := strings.TrimSpace(request.Why)
	if why == "" {
		return contract.Proof{}, fault.Bad(noReason)
	}
	return s.changeProof(ctx, id, "accepted", why, func(p *proof.Proof) error {
		if request.Version != 0 && request.Version != p.Version {
			return fault.Hindered(fault.Stale)
		}
		_, runner, err := s.base.Runner(ctx, p.Given.Kind)
		if err != nil {
			return err
		}
		result := runner.Run(p, true)
		if result.Err != nil {
			return fault.Bad(cannotRun, result.Err)
		}
		p.Expect = p.Expect.Renewed(result.Outcome, result.Plan)
		p.Seen = result.Plan.Versions()
		return nil
	})
}

// TakeBack goes back to what a proof was before its last change, as its next version.
func (s *Service) TakeBack(ctx context.Context, id int64) (contract.Proof, error) {
	if err := access.Need(ctx, actor.ProofsChange); err != nil {
		return contract.Proof{}, err
	}
	if _, err := s.kept(ctx, id); err != nil {
		return contract.Proof{}, err
	}
	versions, err := s.base.Store.ProofVersions(ctx, id)
	if err != nil {
		return contract.Proof{}, err
	}
	if len(versions) < 2 {
		return contract.Proof{}, fault.Hindered(noEarlier, id)
	}
	before := versions[1]
	return s.changeProof(ctx, id, "taken back", fmt.Sprintf("as it was in version %d", before.Version), func(p *proof.Proof) error {
		p.Name, p.Rules, p.Given, p.Expect = before.Name, before.Rules, before.Given, before.Expect
		return nil
	})
}

// Versions returns what a proof has been, newest first.
func (s *Service) Versions(ctx context.Context, id int64) ([]contract.ProofVersion, error) {
	if err := access.Need(ctx, actor.RulesRead); err != nil {
		return nil, err
	}
	if _, err := s.kept(ctx, id); err != nil {
		return nil, err
	}
	versions, err := s.base.Store.ProofVersions(ctx, id)
	return view.List(versions, func(v store.ProofVersion) contract.ProofVersion {
		return view.ProofVersion(&v.Proof, v.What, v.Why, v.Changed)
	}), err
}

func (s *Service) changeProof(ctx context.Context, id int64, what, why string, change func(*proof.Proof) error) (contract.Proof, error) {
	err := s.base.Line.Commit(ctx, func(ctx context.Context) (*commit.Change, error) {
		version, _, err := s.base.Cache.Version(ctx)
		if err != nil {
			return nil, err
		}
		p, err := s.kept(ctx, id)
		if err != nil {
			return nil, err
		}
		if err := change(&p); err != nil {
			return nil, err
		}
		by, err := s.base.Line.Stamp(ctx)
		return &commit.Change{Reads: commit.NewReadSet(version.Book), Write: func(ctx context.Context, tx *store.Store) error {
			_, err := tx.SaveProof(ctx, p, what, why, by)
			return err
		}}, err
	})
	if err != nil {
		return contract.Proof{}, err
	}
	return s.Get(ctx, id)
}
