package codicils

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"slices"
	"strings"

	"codicil/core/field"
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

// hashOf stands for all that a codicil says and changes: a signature is for one.
func hashOf(c *store.Codicil, contents []store.CodicilChange) (string, error) {
	if c.Hash != "" { // what is in force is kept in more detail than it was signed
		return c.Hash, nil
	}
	type changed struct {
		What, Key     string
		Base          int
		Before, After *string
	}
	text, err := json.Marshal(struct {
		ID                     int64
		Title, AskedBy, Reason string
		Texts                  []store.Text
		Effective              string
		Undoes                 int64
		Contents               []changed
	}{c.ID, c.Title, c.AskedBy, c.Reason, c.Texts, c.Effective, c.Undoes, view.List(contents, func(c store.CodicilChange) changed {
		return changed{c.What, c.Key, c.Base, c.Before, c.After}
	})})
	sum := sha256.Sum256(text)
	return hex.EncodeToString(sum[:]), err
}

// mandate is who must sign a codicil, and who did.
type mandate struct {
	hash    string
	needs   []need
	valid   []store.Signature
	authors []string // persons who made its changes
}

// need is a rule about who must sign that concerns a codicil.
type need struct {
	store.SigningRule
	unknown bool
	missing int
}

// anybody is who must sign where no rule says so: one who may put rules in force.
var anybody = store.SigningRule{Title: "Whoever may put rules in force", Finds: string(contract.FindsAnything), Count: 1}

// mandate finds who must sign a codicil. check is what was found, nil: nobody looked, so that whoever must sign because of
// what is found must. Cost: its changes and signatures.
func (s *Signers) mandate(ctx context.Context, tx *store.Store, c *store.Codicil, contents []store.CodicilChange, check *contract.CodicilCheck) (*mandate, error) {
	rules, err := tx.Signing(ctx)
	if err != nil {
		return nil, err
	}
	m := &mandate{}
	if m.hash, err = hashOf(c, contents); err != nil {
		return nil, err
	}
	for i := range contents {
		if author := contents[i].Changed.Person; !slices.Contains(m.authors, author) {
			m.authors = append(m.authors, author)
		}
	}
	for _, r := range rules.Rules {
		concerns, err := concernsOne(&r, contents)
		if err != nil {
			return nil, err
		}
		if !concerns {
			continue
		}
		found, unknown := finds(contract.SigningFinds(r.Finds), check)
		if found || unknown {
			m.needs = append(m.needs, need{SigningRule: r, unknown: unknown})
		}
	}
	if len(m.needs) == 0 {
		m.needs = []need{{SigningRule: anybody}}
	}
	given, err := tx.Signatures(ctx, c.ID)
	if err != nil {
		return nil, err
	}
	for _, v := range given {
		if v.Hash == m.hash {
			m.valid = append(m.valid, v)
		}
	}
	m.count()
	return m, nil
}

// concernsOne tells whether a rule about who must sign is about one of some changes.
func concernsOne(r *store.SigningRule, contents []store.CodicilChange) (bool, error) {
	for i := range contents {
		c := &contents[i]
		for _, text := range []*string{c.Before, c.After} {
			definition, err := c.Definition(text)
			if err != nil {
				return false, err
			}
			if definition != nil && concerns(r, c.Thing, definition) {
				return true, nil
			}
		}
	}
	return false, nil
}

// concerns tells whether a rule about who must sign is about a definition. What any rule may look up is of all kinds and
// companies.
func concerns(r *store.SigningRule, t store.Thing, definition any) bool {
	of := func(wanted []string, is ...string) bool {
		return len(wanted) == 0 || len(is) == 0 || slices.ContainsFunc(is, func(one string) bool { return slices.Contains(wanted, one) })
	}
	parts := strings.Split(t.Key, "/")
	switch d := definition.(type) {
	case rule.Rule:
		return of(r.Kinds, d.Kind) && of(r.Companies, d.Scope.Companies...) && of(r.Families, string(d.Family))
	case field.Field:
		return len(r.Families) == 0 && of(r.Kinds, parts[0])
	case record.Layout:
		var companies []string
		if len(parts) > 1 && parts[1] != "" {
			companies = parts[1:2]
		}
		return len(r.Families) == 0 && of(r.Kinds, parts[0]) && of(r.Companies, companies...)
	case record.FollowOn:
		return len(r.Families) == 0 && of(r.Kinds, d.From, d.To)
	}
	return len(r.Families) == 0
}

// finds tells whether a check found what makes a signature needed; unknown, that it was not looked.
func finds(what contract.SigningFinds, check *contract.CodicilCheck) (found, unknown bool) {
	if what == contract.FindsAnything {
		return true, false
	}
	if check == nil {
		return false, true
	}
	r := check.Replay
	notReplayed := r == nil || r.Stale || r.Partial || r.State != contract.RunStateDone
	measured := checking{found: *check}
	switch what {
	case contract.FindsAmounts:
		return r != nil && r.Amounts > 0, notReplayed
	case contract.FindsRefusals:
		return r != nil && r.Refused > 0, notReplayed
	case contract.FindsProofs:
		return measured.broken() > 0, false
	case contract.FindsUnproved:
		return len(measured.unproved()) > 0, false
	case contract.FindsStrength:
		return measured.weaker(), !check.Whole
	case contract.FindsFindings:
		return len(check.Findings) > 0, !check.Whole
	}
	return false, true
}

// count counts whose signatures are missing. Each person counts once for a rule. Where two are asked, somebody must sign who
// made none of the changes.
func (m *mandate) count() {
	persons, outside := map[string]bool{}, false
	for _, v := range m.valid {
		persons[v.Signed.Person] = true
		outside = outside || !slices.Contains(m.authors, v.Signed.Person)
	}
	asked := 0
	for i := range m.needs {
		n := &m.needs[i]
		signed := map[string]bool{}
		for _, v := range m.valid {
			if n.Role == "" || slices.Contains(v.Roles, n.Role) {
				signed[v.Signed.Person] = true
			}
		}
		n.missing = max(0, n.Count-len(signed))
		asked = max(asked, n.Count)
	}
	if (asked > 1 || len(m.needs) > 1) && !outside && m.complete() {
		m.needs[0].missing = 1
	}
}

// complete tells whether all have signed who must.
func (m *mandate) complete() bool {
	return !slices.ContainsFunc(m.needs, func(n need) bool { return n.missing > 0 })
}

// with is the mandate after one more signature.
func (m *mandate) with(v store.Signature) *mandate {
	after := *m
	after.needs, after.valid = slices.Clone(m.needs), append(slices.Clone(m.valid), v)
	after.count()
	return &after
}

// serves tells whether a signature is one that is missing.
func (m *mandate) serves(v store.Signature) bool {
	if slices.ContainsFunc(m.valid, func(given store.Signature) bool { return given.Signed.Person == v.Signed.Person }) {
		return false
	}
	missing := func(m *mandate) (count int) {
		for i := range m.needs {
			count += m.needs[i].missing
		}
		return count
	}
	return missing(m.with(v)) < missing(m)
}

// own is what a person would sign with: their roles. The person of the machine, who may do everything, has every role.
func (s *Signers) own(ctx context.Context, tx *store.Store, c *store.Codicil, hash string, by record.Stamp) (store.Signature, error) {
	v := store.Signature{Codicil: c.ID, Hash: hash, Roles: []string{}, Lines: []string{}, Signed: by}
	if actor.Of(ctx).Rights.Whole {
		roles, err := tx.Roles(ctx)
		v.Roles = view.List(roles, func(r store.Role) string { return r.Key })
		return v, err
	}
	roles, err := tx.RolesOf(ctx, by.Person)
	v.Roles = append(v.Roles, roles...)
	return v, err
}

// told are the needs for a person.
func (m *mandate) told(ctx context.Context, tx *store.Store) ([]contract.SignatureNeed, error) {
	named, err := roleNames(ctx, tx)
	return view.List(m.needs, func(n need) contract.SignatureNeed {
		name := named[n.Role]
		if n.Role == "" {
			name = "somebody who may put rules in force"
		} else if name == "" {
			name = n.Role
		}
		return contract.SignatureNeed{Title: n.Title, Role: n.Role, RoleName: name, Count: n.Count, Missing: n.missing, Unknown: n.unknown}
	}), err
}

func roleNames(ctx context.Context, tx *store.Store) (map[string]string, error) {
	roles, err := tx.Roles(ctx)
	named := make(map[string]string, len(roles))
	for _, r := range roles {
		named[r.Key] = r.Name
	}
	return named, err
}

// refusal says who must sign still.
func (m *mandate) refusal(ctx context.Context, tx *store.Store, c *store.Codicil) error {
	told, err := m.told(ctx, tx)
	if err != nil {
		return err
	}
	var missing []string
	for _, n := range told {
		if n.Missing == 0 {
			continue
		}
		who := n.RoleName
		if n.Role != "" {
			who = fmt.Sprintf("%d as %s", n.Missing, n.RoleName)
		}
		if n.Unknown {
			who += " (a full replay tells whether it is needed)"
		}
		missing = append(missing, who+": "+n.Title)
	}
	return fault.Hindered(needsSignatures, c.ID, strings.Join(missing, "; "))
}

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
