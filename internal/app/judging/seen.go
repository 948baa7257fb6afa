package judging

import (
	"context"
	"fmt"
	"slices"

	"codicil/core/proof"
	"codicil/core/rule"
	"codicil/internal/access"
	"codicil/internal/app/commit"
	"codicil/internal/contract"
	"codicil/internal/fault"
	"codicil/internal/store"
	"codicil/internal/view"
)

// KeptRule returns a rule by its number, to who may see it.
func (s *Service) KeptRule(ctx context.Context, id int64) (rule.Rule, error) {
	r, err := s.Store.Rule(ctx, id)
	if err == nil && !access.Touches(ctx, r.Scope.Companies) {
		return rule.Rule{}, fault.Missing("%s %s", "rule", fmt.Sprint(id))
	}
	return r, commit.Explain(err)
}

// Ours is a rule as who asks may see it: of its scope their companies.
func Ours(ctx context.Context, r rule.Rule) rule.Rule {
	if companies := access.Scope(ctx); companies != nil && len(r.Scope.Companies) > 0 {
		r.Scope.Companies = slices.DeleteFunc(slices.Clone(r.Scope.Companies), func(key string) bool { return !slices.Contains(companies, key) })
	}
	return r
}

// Proofs are those of a kind that who asks may see: of their companies. ids narrow; none: all.
func Proofs(ctx context.Context, s *store.Store, kind string, ids ...int64) ([]proof.Proof, error) {
	proofs, err := s.Proofs(ctx, kind, ids...)
	return slices.DeleteFunc(proofs, func(p proof.Proof) bool { return !access.In(ctx, p.Given.Company) }), err
}

// CodicilRef names a codicil.
func CodicilRef(c *store.Codicil) *contract.CodicilRef {
	return &contract.CodicilRef{ID: c.ID, Title: c.Title, State: contract.CodicilState(c.State)}
}

// CodicilRefs name several.
func CodicilRefs(codicils []store.Codicil) []contract.CodicilRef {
	return view.List(codicils, func(c store.Codicil) contract.CodicilRef { return *CodicilRef(&c) })
}
