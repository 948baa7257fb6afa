package demo

import (
	"context"
	_ "embed"
	"encoding/json"
	"errors"
	"fmt"
	"slices"

	"codicil/core/judge"
	"codicil/internal/app"
	"codicil/internal/contract"
	"codicil/internal/fault"
)

// suggestedFile holds what was suggested for the rules and accepted: see the command suggest
// beside this package, which writes it.
//
//go:embed suggested.json
var suggestedFile []byte

// Suggested is a suggestion that was accepted.
type Suggested struct {
	Rule     string         `json:"rule"` // kind and key
	Name     string         `json:"name"`
	Document judge.Document `json:"document"`
}

// gaps are the rules for which nothing was accepted, so that there is something to find.
var gaps = []string{"vendor/currency", "sales_order/taken", "accounting_document/approver"}

func fillSuggested(ctx context.Context, d *app.App, ids map[string]int64) error {
	var list []Suggested
	if err := json.Unmarshal(suggestedFile, &list); err != nil {
		return fmt.Errorf("the suggested proofs: %w", err)
	}
	for _, s := range list {
		id := ids[s.Rule]
		if id == 0 {
			return fmt.Errorf("suggested proof %q: there is no rule %s", s.Name, s.Rule)
		}
		if _, err := d.Proofs.Keep(ctx, contract.KeepRequest{Document: s.Document, Name: s.Name, Rules: []int64{id}}); err != nil {
			return fmt.Errorf("suggested proof %q: %w", s.Name, err)
		}
	}
	return nil
}

// Suggest fills the scenario without what was suggested before, and returns what is suggested
// for its rules now.
func Suggest(ctx context.Context, d *app.App, ids map[string]int64) ([]Suggested, error) {
	list := []Suggested{}
	keys := make([]string, 0, len(ids))
	for key := range ids {
		keys = append(keys, key)
	}
	slices.SortFunc(keys, func(a, b string) int { return int(ids[a] - ids[b]) })
	for _, key := range keys {
		if slices.Contains(gaps, key) {
			continue
		}
		for range 2 { // what is accepted may bring more into reach
			found, err := d.Coverage.Suggest(ctx, ids[key], contract.SuggestRequest{})
			if unsound := (*fault.Fault)(nil); errors.As(err, &unsound) && unsound.Code == "unsound" {
				break // the draft that shows an error
			}
			if err != nil {
				return nil, fmt.Errorf("rule %s: %w", key, err)
			}
			for _, s := range found {
				s.Document.Fixtures = nil
				list = append(list, Suggested{key, s.Name, s.Document})
				if _, err := d.Proofs.Keep(ctx, contract.KeepRequest{Document: s.Document, Name: s.Name, Rules: []int64{ids[key]}}); err != nil {
					return nil, fmt.Errorf("rule %s: %w", key, err)
				}
			}
		}
	}
	return list, nil
}

// Rules returns the numbers of the rules by kind and key, in the order they were made.
func Rules() map[string]int64 {
	ids := map[string]int64{}
	for i, r := range rules() {
		ids[r.body.Kind+"/"+r.key] = int64(i + 1)
	}
	return ids
}
