// Package demo holds the Brinewell scenario: a made-up group that makes sea salt
// and sells it with harbour supplies. Every name and number in it is invented.
package demo

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"math/rand/v2"
	"time"

	"codicil/core/engine"
	"codicil/core/proof"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/internal/actor"
	"codicil/internal/app"
	"codicil/internal/clock"
	"codicil/internal/contract"
	"codicil/internal/store"
)

// Day is the day on which the demo's proofs and vendors stand.
const Day record.Day = "2026-11-24"

// Author is who wrote the scenario's records and rules, as their history tells.
const Author = "Moya Keane"

// founded is when the records were taken over; those that papers name were kept in the days after.
var founded = time.Date(2025, time.December, 1, 9, 0, 0, 0, time.UTC)

// seed makes every start the same.
const seed = 24

// scenario fills an empty store: all of it, or nothing.
func scenario(ctx context.Context, s *store.Store, now clock.Clock, user string, bare bool) error {
	return s.Transaction(ctx, func(tx *store.Store) error {
		ctx, at := actor.With(ctx, actor.Named(user, actor.CommandLine)), founded
		over := func(tx *store.Store) *app.App { return app.New(tx, func() time.Time { return at }) }
		open := func() *app.App { return over(tx) }
		ids, err := past(ctx, tx, over, &at, fillRules)
		if err != nil {
			return err
		}
		at = founded
		g := &generator{ctx: ctx, open: open, user: user, r: rand.New(rand.NewPCG(seed, seed)), at: &at}
		if err := g.fill(tx); err != nil {
			return err
		}
		if err := autumn(ctx, tx, over, &at); err != nil {
			return err
		}
		at, g.d = now(), open()
		if err := fillProofs(ctx, g.d, ids); err != nil || bare {
			return err
		}
		if err := fillSuggested(ctx, g.d, ids); err != nil {
			return err
		}
		if err := fillLoads(ctx, g.d); err != nil {
			return err
		}
		if err := fillPersons(ctx, g.d); err != nil {
			return err
		}
		if err := prepare(ctx, open(), ids); err != nil {
			return err
		}
		if err := announce(ctx, open()); err != nil {
			return err
		}
		return govern(ctx, open())
	})
}

// fillRules fills in companies, types, tables, layouts and the drafts of all rules, and returns the rules by key.
func fillRules(ctx context.Context, d *app.App) (map[string]int64, error) {
	for _, c := range companies {
		if _, err := d.Catalog.SaveCompany(ctx, c.Key, c); err != nil {
			return nil, fmt.Errorf("company %s: %w", c.Key, err)
		}
	}
	for _, t := range types {
		if _, err := d.Catalog.SaveType(ctx, t.Kind, t.Key, t); err != nil {
			return nil, fmt.Errorf("type %s: %w", t.Key, err)
		}
	}
	if err := fillTables(ctx, d); err != nil {
		return nil, err
	}
	if err := fillLayouts(ctx, d); err != nil {
		return nil, err
	}
	ids := map[string]int64{}
	for _, r := range rules() {
		id, err := addRule(ctx, d, r)
		if err != nil {
			return nil, fmt.Errorf("rule %s: %w", r.key, err)
		}
		ids[r.body.Kind+"/"+r.key] = id
	}
	return ids, nil
}

func fillProofs(ctx context.Context, d *app.App, ids map[string]int64) error {
	for _, list := range []struct {
		kind   string
		proofs []givenProof
	}{{"sales_order", salesProofs}, {"quotation", quotationProofs}, {"accounting_document", accountingProofs}, {"vendor", vendorProofs}, {"item", itemProofs}, {"accounting_document", deskProofs}} {
		for _, p := range list.proofs {
			if err := addProof(ctx, d, list.kind, p, ids); err != nil {
				return fmt.Errorf("proof %q: %w", p.name, err)
			}
		}
	}
	return nil
}

// uidOf is the identifier of a rule of the scenario, which is the same however often it is filled in.
func uidOf(r given) string {
	sum := sha256.Sum256([]byte("brinewell/" + r.body.Kind + "/" + r.key))
	return hex.EncodeToString(sum[:8])
}

func addRule(ctx context.Context, d *app.App, r given) (int64, error) {
	v, err := d.Rules.Create(ctx, contract.RuleChange{UID: uidOf(r), Body: r.body})
	return v.ID, err
}

func addProof(ctx context.Context, d *app.App, kind string, p givenProof, ids map[string]int64) error {
	document := documentOf(kind, p.company, p.kindType, Day, p.entered, p.lines...)
	document.Stored = p.stored
	// A proof carries what was saved before it; without, that there was nothing.
	document.Previous = &record.Content{Values: with(p.previousOfType, nil)}
	document.PreviousOfType = document.Previous
	request := contract.KeepRequest{Document: document, Name: p.name}
	for _, key := range p.proves {
		id := ids[kind+"/"+key]
		if id == 0 {
			return fmt.Errorf("there is no rule %q", key)
		}
		request.Rules = append(request.Rules, id)
	}
	out, err := d.Trials.Try(ctx, contract.TryRequest{Document: document})
	if err != nil {
		return err
	}
	// What a proof expects is written down here, not copied from what came out; only who
	// speaks is.
	expect := proof.Expectation{Verdict: p.verdict, Values: p.values, Messages: []proof.Message{}}
	if expect.Verdict == "" {
		expect.Verdict = engine.Accepted
	}
	if expect.Values == nil {
		expect.Values = map[string]string{}
	}
	for _, m := range out.Messages {
		expect.Messages = append(expect.Messages, proof.Message{Severity: rule.Severity(m.Severity), Field: m.Field, Line: m.Line, Code: m.Code, Rule: m.Rule})
	}
	expect.Bands = p.bands
	if p.acting {
		expect.Acting = request.Rules
	}
	request.Expect = &expect
	_, err = d.Proofs.Keep(ctx, request)
	return err
}
