package codicils

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"strings"

	"codicil/core/record"
	"codicil/core/rule"
	"codicil/internal/access"
	"codicil/internal/actor"
	"codicil/internal/app/commit"
	"codicil/internal/app/judging"
	"codicil/internal/contract"
	"codicil/internal/fault"
	"codicil/internal/store"
	"codicil/internal/view"
)

// Signers knows who must sign codicils.
type Signers struct{ base *judging.Service }

// NewSigners returns the use cases.
func NewSigners(j *judging.Service) *Signers { return &Signers{j} }

// Must is what must be so before what is changed at once comes into force: who changes it signs it with that, and nobody
// else must. It is asked within the transaction.
func (s *Signers) Must(ctx context.Context, tx *store.Store, c store.Codicil, contents []store.CodicilChange, by record.Stamp) error {
	rules, err := tx.Signing(ctx)
	if err != nil || len(rules.Rules) == 0 {
		return err
	}
	m, err := s.mandate(ctx, tx, &c, contents, nil)
	if err != nil || m.needs[0].Role == "" {
		return err
	}
	v, err := s.own(ctx, tx, &c, m.hash, by)
	if err != nil {
		return err
	}
	if after := m.with(v); !after.complete() {
		told, err := after.told(ctx, tx)
		if err != nil {
			return err
		}
		at := slices.IndexFunc(told, func(n contract.SignatureNeed) bool { return n.Missing > 0 })
		return fault.Hindered(needsCodicil, told[at].RoleName, told[at].Title)
	}
	return tx.Sign(ctx, v)
}

// Sign signs a codicil as it was read. It is agreed to once all have signed who must.
func (s *Service) Sign(ctx context.Context, id int64, sign contract.CodicilSign) (contract.Codicil, error) {
	if err := access.Need(ctx, actor.RulesRead); err != nil {
		return contract.Codicil{}, err
	}
	c, err := s.base.Store.Codicil(ctx, id)
	switch {
	case err != nil:
		return contract.Codicil{}, commit.Explain(err)
	case c.State == store.CodicilInForce && c.Owed != "":
	case c.State != store.CodicilSubmitted:
		return contract.Codicil{}, fault.Hindered(notToSign, c.ID, c.State)
	}
	if err := s.mayMove(ctx, &c, store.CodicilAgreed); err != nil {
		return contract.Codicil{}, err
	}
	reason := strings.TrimSpace(sign.Reason)
	check, err := s.decided(ctx, &c, "signed", reason)
	if err != nil {
		return contract.Codicil{}, err
	}
	err = s.base.Line.Write(ctx, func(tx *store.Store, by record.Stamp) error {
		c, contents, err := asRead(ctx, tx, id)
		if err != nil {
			return err
		}
		m, err := s.signers.mandate(ctx, tx, &c, contents, check)
		switch {
		case err != nil:
			return err
		case m.hash != sign.Hash:
			return fault.Hindered(fault.Stale)
		}
		v, err := s.signers.own(ctx, tx, &c, m.hash, by)
		if err != nil {
			return err
		}
		if v.Lines, v.Reason = check.Lines, reason; !mayGive(ctx, m, v) {
			return fault.Hindered(notYours, c.ID)
		}
		if err := tx.Sign(ctx, v); err != nil {
			return err
		}
		return tookSignature(ctx, tx, &c, m.with(v), check, by)
	})
	if err != nil {
		return contract.Codicil{}, commit.Explain(err)
	}
	return s.Get(ctx, id)
}

// mayGive tells whether a person may give a signature that is missing.
func mayGive(ctx context.Context, m *mandate, v store.Signature) bool {
	needsForce := m.needs[0].Role == ""
	return m.serves(v) && (!needsForce || access.Need(ctx, actor.RulesForce) == nil)
}

// asRead is a codicil with what it changes, within a transaction.
func asRead(ctx context.Context, tx *store.Store, id int64) (store.Codicil, []store.CodicilChange, error) {
	c, err := tx.Codicil(ctx, id)
	if err != nil {
		return c, nil, err
	}
	contents, err := tx.ChangesOf(ctx, id, 0)
	return c, contents, err
}

// tookSignature keeps that a codicil was signed: it is agreed to when nobody is missing, and owes nothing any more.
func tookSignature(ctx context.Context, tx *store.Store, c *store.Codicil, m *mandate, check *contract.CodicilCheck, by record.Stamp) error {
	if !m.complete() {
		_, err := tx.ChangeCodicil(ctx, *c, "signed", by)
		return err
	}
	if c.State == store.CodicilInForce {
		c.Owed = ""
		_, err := tx.ChangeCodicil(ctx, *c, "signed by all", by)
		return err
	}
	c.State, c.Agreed, c.Hindered = store.CodicilAgreed, by, ""
	if err := keepCheck(c, check); err != nil {
		return err
	}
	_, err := tx.ChangeCodicil(ctx, *c, string(c.State), by)
	return err
}

// keepCheck keeps with a codicil what the check found.
func keepCheck(c *store.Codicil, check *contract.CodicilCheck) error {
	text, err := json.Marshal(check)
	c.Checked, c.Accepted = string(text), doubtsOf(check)
	return err
}

// signatures shows those under a codicil, and what it owes.
func (s *Signers) signatures(ctx context.Context, c *store.Codicil, v *contract.Codicil) error {
	contents, err := s.base.Store.ChangesOf(ctx, c.ID, 0)
	if err != nil {
		return err
	}
	if v.Hash, err = hashOf(c, contents); err != nil {
		return err
	}
	given, err := s.base.Store.Signatures(ctx, c.ID)
	if err != nil {
		return err
	}
	named, err := roleNames(ctx, s.base.Store)
	if err != nil {
		return err
	}
	v.Signatures = view.List(given, func(g store.Signature) contract.Signature {
		roles := view.List(g.Roles, func(key string) string {
			if name := named[key]; name != "" {
				return name
			}
			return key
		})
		return contract.Signature{At: view.At(g.Signed), By: g.Signed.By, Roles: roles, Reason: g.Reason, Valid: g.Hash == v.Hash, Lines: append([]string{}, g.Lines...)}
	})
	if c.Checked != "" && c.State == store.CodicilInForce {
		v.Checked = &contract.CodicilCheck{}
		if err := json.Unmarshal([]byte(c.Checked), v.Checked); err != nil {
			return err
		}
	}
	if c.Owed == "" {
		return nil
	}
	m, err := s.mandate(ctx, s.base.Store, c, contents, v.Checked)
	if err != nil {
		return err
	}
	own, err := s.own(ctx, s.base.Store, c, m.hash, record.Stamp{Person: actor.Of(ctx).ID})
	if err != nil {
		return err
	}
	v.MayPay = mayGive(ctx, m, own)
	v.Owes, err = m.told(ctx, s.base.Store)
	return err
}

// mayBeSigned tells who must sign a codicil, and whether who asks may.
func (s *Signers) mayBeSigned(ctx context.Context, c *store.Codicil, check *contract.CodicilCheck) error {
	contents, err := s.base.Store.ChangesOf(ctx, c.ID, 0)
	if err != nil {
		return err
	}
	m, err := s.mandate(ctx, s.base.Store, c, contents, check)
	if err != nil {
		return err
	}
	v, err := s.own(ctx, s.base.Store, c, m.hash, record.Stamp{Person: actor.Of(ctx).ID})
	if err != nil {
		return err
	}
	check.MaySign = mayGive(ctx, m, v)
	check.Signing, err = m.told(ctx, s.base.Store)
	return err
}

// Get tells who must sign codicils.
func (s *Signers) Get(ctx context.Context) (contract.Signing, error) {
	if err := access.Need(ctx, actor.RulesRead, actor.PersonsChange); err != nil {
		return contract.Signing{}, err
	}
	kept, err := s.base.Store.Signing(ctx)
	if err != nil {
		return contract.Signing{}, err
	}
	roles, err := s.base.Store.Roles(ctx)
	return contract.Signing{
		Version: kept.Version, UrgentDays: kept.UrgentDays,
		Rules: view.List(kept.Rules, func(r store.SigningRule) contract.SigningRule {
			return contract.SigningRule{Title: r.Title, Kinds: append([]string{}, r.Kinds...), Companies: append([]string{}, r.Companies...), Families: append([]string{}, r.Families...), Finds: contract.SigningFinds(r.Finds), Role: r.Role, Count: r.Count}
		}),
		Roles: view.List(roles, func(r store.Role) contract.RoleNamed { return contract.RoleNamed{Key: r.Key, Name: r.Name} }),
	}, err
}

// Change says who must sign codicils. It holds in all companies, so that only who is in all of them may say so.
func (s *Signers) Change(ctx context.Context, change contract.SigningChange) (contract.Signing, error) {
	if err := access.Need(ctx, actor.PersonsChange); err != nil {
		return contract.Signing{}, err
	}
	if err := access.Companies(ctx, nil); err != nil {
		return contract.Signing{}, err
	}
	ref, err := s.base.Cache.Reference(ctx)
	if err != nil {
		return contract.Signing{}, err
	}
	err = s.base.Line.Write(ctx, func(tx *store.Store, by record.Stamp) error {
		named, err := roleNames(ctx, tx)
		if err != nil {
			return err
		}
		next := store.Signing{Version: change.Version, UrgentDays: change.UrgentDays, Rules: []store.SigningRule{}}
		for i := range change.Rules {
			r := &change.Rules[i]
			place := fmt.Sprintf("rule %d", i+1)
			switch {
			case strings.TrimSpace(r.Title) == "":
				return fault.Bad(noSigningTitle, place)
			case named[r.Role] == "":
				return fault.Bad(noSigningRole, place, r.Role)
			}
			for _, kind := range r.Kinds {
				if _, err := ref.Kind(kind); err != nil {
					return err
				}
			}
			for _, company := range r.Companies {
				if ref.Company(company) == nil {
					return fault.Bad(fault.UnknownCompany, company)
				}
			}
			for _, family := range r.Families {
				if !slices.ContainsFunc(rule.Families, func(f rule.Family) bool { return string(f) == family }) {
					return fault.Bad(noFamily, place, family)
				}
			}
			next.Rules = append(next.Rules, store.SigningRule{
				Title: strings.TrimSpace(r.Title), Kinds: append([]string{}, r.Kinds...), Companies: append([]string{}, r.Companies...), Families: append([]string{}, r.Families...), Finds: string(r.Finds), Role: r.Role, Count: r.Count,
			})
		}
		return tx.SaveSigning(ctx, next, by)
	})
	if err != nil {
		return contract.Signing{}, commit.Explain(err)
	}
	return s.Get(ctx)
}
