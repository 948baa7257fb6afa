package batches

import (
	"context"
	"strings"

	"codicil/core/record"
	"codicil/internal/actor"
	"codicil/internal/app/commit"
	"codicil/internal/app/posting"
	"codicil/internal/contract"
	"codicil/internal/fault"
	"codicil/internal/store"
)

// Post posts all documents of a batch that agrees, or none. Cost: each is judged once, in one commit; those that what was posted
// before them changes, twice.
func (s *Service) Post(ctx context.Context, id int64, request contract.BatchPost) (answer contract.BatchAnswer, err error) {
	b, err := s.open(ctx, id, actor.RecordsPost)
	if err != nil {
		return answer, err
	}
	switch {
	case b.Posting != string(contract.PostingTogether):
		return answer, fault.Hindered(notTogether, b.ID)
	case b.Version != request.Version:
		return answer, fault.Hindered(fault.Stale)
	}
	p, err := s.progress(ctx, &b, formatOf(ctx, request.Format))
	if err != nil {
		return answer, err
	}
	if why := p.lacks(); len(why) > 0 {
		return answer, fault.Hindered(notAgreed, b.ID, strings.Join(why, "; "))
	}
	var work []*posting.Posting
	var changes []*commit.Change
	refuse := func(p *posting.Posting) {
		answer.Refused = append(answer.Refused, contract.BatchRefused{Number: p.Number(), Messages: p.Answer.Outcome.Messages})
	}
	for _, r := range p.records {
		if r == nil || r.State != record.Kept {
			continue
		}
		one, err := s.posting.Begin(r.Ref, contract.PostRequest{Version: r.Version, Format: request.Format, Brief: true})
		if err != nil {
			return answer, err
		}
		one.Everything = strings.TrimSpace(request.Reason)
		change, err := one.Judge(ctx)
		if err != nil {
			return answer, err
		}
		if change.Write == nil {
			refuse(one)
		}
		work, changes = append(work, one), append(changes, change)
	}
	if len(work) == 0 {
		return answer, fault.Hindered(nothingToPost, b.ID)
	}
	if len(answer.Refused) == 0 {
		if err := s.together(ctx, p, work, changes, refuse); err != nil {
			return answer, err
		}
	}
	answer.Batch, err = s.Get(ctx, id, request.Format)
	return answer, err
}

// together writes the postings in one commit, where the batch still agrees within it, and closes the batch.
func (s *Service) together(ctx context.Context, p *progress, work []*posting.Posting, changes []*commit.Change, refuse func(*posting.Posting)) error {
	by, err := s.base.Line.Stamp(ctx)
	if err != nil {
		return err
	}
	var again *posting.Posting
	refused, err := s.base.Line.Together(ctx, commit.Batch{
		With: func(ctx context.Context, tx *store.Store, _ int, _ []error) error {
			now, err := tx.CountBatch(ctx, p.batch.ID)
			if err != nil {
				return err
			}
			if now != len(p.entries) { // somebody keyed another one meanwhile
				return fault.Hindered(fault.Stale)
			}
			closed := *p.batch
			closed.State = store.BatchClosed
			return tx.SaveBatch(ctx, closed, by)
		},
		Kept: func(int) {},
	}, changes, func(ctx context.Context, tx *store.Store, i int) (*commit.Change, error) {
		again = work[i].Over(tx)
		return again.Judge(ctx)
	})
	if err != nil {
		return err
	}
	if refused >= 0 {
		refuse(again)
		return nil
	}
	return s.records.CatchUp(ctx)
}
