// Package demo holds the Brinewell scenario: a made-up group that makes sea salt
// and sells it with harbour supplies. Every name and number in it is invented.
package demo

import (
	"context"
	"fmt"

	"codicil/core/engine"
	"codicil/core/proof"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/internal/contract"
	"codicil/internal/desk"
	"codicil/internal/store"
)

// Day is the day on which the demo's proofs and vendors stand.
const Day record.Day = "2026-11-24"

// Fill puts the scenario into an empty store, through the same use cases that
// a person would use: all of it, or nothing.
func Fill(ctx context.Context, s *store.Store, clock desk.Clock, user string) error {
	return s.Transaction(ctx, func(tx *store.Store) error {
		return fillStore(ctx, tx, desk.New(tx, clock, user))
	})
}

func fillStore(ctx context.Context, s *store.Store, d *desk.Desk) error {
	for _, c := range companies {
		if err := s.SaveCompany(ctx, c); err != nil {
			return fmt.Errorf("company %s: %w", c.Key, err)
		}
	}
	for i, t := range types {
		if err := s.SaveType(ctx, t, i); err != nil {
			return fmt.Errorf("type %s: %w", t.Key, err)
		}
	}
	for _, v := range vendors {
		if err := s.SaveRecord(ctx, v); err != nil {
			return fmt.Errorf("vendor %s: %w", v.Number, err)
		}
	}
	ids := map[string]int64{}
	for _, r := range rules() {
		id, err := addRule(ctx, d, r)
		if err != nil {
			return fmt.Errorf("rule %s: %w", r.key, err)
		}
		ids[r.key] = id
	}
	for _, p := range proofs {
		if err := addProof(ctx, d, p, ids); err != nil {
			return fmt.Errorf("proof %q: %w", p.name, err)
		}
	}
	return nil
}

func addRule(ctx context.Context, d *desk.Desk, r given) (int64, error) {
	v, err := d.CreateRule(ctx, contract.RuleChange{Body: r.body})
	if err != nil {
		return 0, err
	}
	// A suspended rule was in force before.
	path := map[rule.State][]rule.State{rule.InForce: {rule.InForce}, rule.Suspended: {rule.InForce, rule.Suspended}}
	for _, next := range path[r.state] {
		if v, err = d.MoveRule(ctx, v.Id, contract.RuleMove{State: next, Version: v.Version}); err != nil {
			return 0, err
		}
	}
	return v.Id, nil
}

func addProof(ctx context.Context, d *desk.Desk, p givenProof, ids map[string]int64) error {
	document := proof.Document{Kind: "vendor", Company: p.company, Type: p.group, Day: Day, Entered: map[string]proof.Item{}, Stored: p.stored}
	for key, value := range p.entered {
		document.Entered[key] = proof.Item{Value: value}
	}
	request := contract.KeepRequest{Document: document, Name: p.name}
	for _, key := range p.proves {
		if ids[key] == 0 {
			return fmt.Errorf("there is no rule %q", key)
		}
		request.Rules = append(request.Rules, ids[key])
	}
	out, err := d.Try(ctx, contract.TryRequest{Document: document})
	if err != nil {
		return err
	}
	// What a proof expects is written down here, not copied from what came out;
	// only the texts of the messages are.
	expect := proof.Expectation{Verdict: p.verdict, Values: p.values, Messages: []proof.Message{}}
	if expect.Verdict == "" {
		expect.Verdict = engine.Accepted
	}
	if expect.Values == nil {
		expect.Values = map[string]string{}
	}
	for _, m := range out.Messages {
		expect.Messages = append(expect.Messages, proof.Message{Severity: rule.Severity(m.Severity), Field: m.Field, Text: m.Text, Rule: m.Rule})
	}
	request.Expect = &expect
	_, err = d.KeepProof(ctx, request)
	return err
}
