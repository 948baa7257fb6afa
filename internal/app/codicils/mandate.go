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
	"codicil/internal/actor"
	"codicil/internal/contract"
	"codicil/internal/fault"
	"codicil/internal/store"
	"codicil/internal/view"
)

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
		return measured.weaker(), !check.Whole || measured.unmeasured() > 0
	case contract.FindsFindings:
		return len(check.Findings) > 0, !check.Whole || check.Cut
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
