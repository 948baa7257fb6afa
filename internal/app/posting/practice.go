package posting

import (
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/internal/access"
	"codicil/internal/actor"
	"codicil/internal/app/commit"
	"codicil/internal/app/judging"
	"codicil/internal/contract"
	"codicil/internal/ledger"
	"codicil/internal/store"
	"codicil/internal/view"
	"context"
)

// PostTest posts a test document to the practice ledger, by exactly the rules that it was tried
// by. Only an accepted one is posted; for another the posting is nil and the outcome says why.
func (s *Service) PostTest(ctx context.Context, request contract.TryRequest) (shown *contract.Posting, outcome contract.Outcome, err error) {
	if err := access.Need(ctx, actor.PracticePost); err != nil {
		return nil, contract.Outcome{}, err
	}
	if err := access.Company(ctx, request.Document.Company); err != nil {
		return nil, contract.Outcome{}, err
	}
	var posted ledger.Posting
	var entries []ledger.Entry
	accepted := false
	err = s.base.Line.Commit(ctx, func(ctx context.Context) (*commit.Change, error) {
		t, err := s.base.Try(ctx, request.Document, judging.Ask{Format: request.Format, Moment: rule.Posting, Keyed: request.Keyed, Facts: request.Facts, NoTrace: request.Brief})
		if err != nil {
			return nil, err
		}
		outcome = t.Outcome()
		if !t.Accepted() {
			return commit.Nothing(), nil
		}
		by, err := s.base.Line.Stamp(ctx)
		if err != nil {
			return nil, err
		}
		posting := s.posting(ctx, t, ledger.Practice, &outcome, by)
		posting.Judged = t.Kept(by, true)
		// The values stay, in case they can no longer be computed again.
		content := t.Judged.Content("", "")
		posting.Trace.Fields, posting.Trace.Lines = view.Values(t.Plan.Kind(), &content)
		entries = entriesOf(t)
		receipt, err := store.PreparePosting(&posting)
		if err != nil {
			return nil, err
		}
		return &commit.Change{
			Reads: t.Reads,
			// A test takes no number from anybody: those of series come from the practice only.
			Write: func(ctx context.Context, tx *store.Store) (err error) {
				posted, err = ledger.Post(ctx, receipt.In(tx), posting, t.Plan.Kind(), entries)
				return err
			},
			Done: func() { accepted = true },
		}, nil
	})
	if err != nil || !accepted {
		return nil, outcome, err
	}
	rows, err := s.journal(ctx, entries, request.Format)
	if err != nil {
		return nil, outcome, err
	}
	made := view.Posting(&posted, posted.Judged.Document, contract.Again, outcome, rows)
	return &made, outcome, nil
}

// posting is what a ledger keeps of a trial.
func (s *Service) posting(ctx context.Context, t *judging.Trial, name string, outcome *contract.Outcome, by record.Stamp) ledger.Posting {
	content := s.base.Content(ctx, t)
	return ledger.Posting{
		Ledger: name, Kind: t.Document.Kind, Company: t.Document.Company, Type: t.Document.Type, Day: t.Plan.Scope.Day,
		Title: t.Title(&content), Trace: view.Receipt(outcome), Posted: by,
	}
}

// entriesOf are the lines of the journal that a trial makes.
func entriesOf(t *judging.Trial) []ledger.Entry {
	content := t.Judged.Content("", "")
	return ledger.Entries(t.Plan.Kind(), &content, t.Plan.Scope, func(kind, account, of string) string {
		text, _ := t.Links.Follow(kind, account, of).Text()
		return text
	})
}
