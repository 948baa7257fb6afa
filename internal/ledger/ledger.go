// Package ledger is the practice ledger: the simulated ERP that test documents
// are posted to, with number series of its own.
//
// It must never know rules; what it gets has passed them. Start reading at Post.
package ledger

import (
	"context"
	"fmt"
	"strings"

	"codicil/internal/store"
)

// Post gives the posting its number and adds it to the ledger, both or neither.
func Post(ctx context.Context, s *store.Store, p store.Posting) (store.Posting, error) {
	err := s.Transaction(ctx, func(tx *store.Store) error {
		sequence, err := tx.NextNumber(ctx, "practice")
		if err != nil {
			return fmt.Errorf("take the next place in the ledger: %w", err)
		}
		number, err := tx.NextNumber(ctx, "practice/"+p.Kind+"/"+p.Company)
		if err != nil {
			return fmt.Errorf("take the next number: %w", err)
		}
		p.Sequence = sequence
		p.Number = fmt.Sprintf("P%s%s-%05d", strings.ToUpper(p.Kind[:1]), p.Company, number)
		return tx.AddPosting(ctx, p)
	})
	return p, err
}
