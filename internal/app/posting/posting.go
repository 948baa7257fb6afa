// Package posting posts documents to the books and to the practice ledger, takes them back, and
// shows what the ledgers hold.
//
// It must never know rules: what it posts has been judged. Start reading at Service.Post.
package posting

import (
	"codicil/core/engine"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/internal/access"
	"codicil/internal/actor"
	"codicil/internal/app/commit"
	"codicil/internal/app/judging"
	"codicil/internal/app/records"
	"codicil/internal/contract"
	"codicil/internal/fault"
	"codicil/internal/ledger"
	"codicil/internal/store"
	"codicil/internal/view"
	"context"
	"errors"
	"maps"
	"strconv"
)

// Service serves these use cases.
type Service struct {
	base   *judging.Service
	live   *records.Live
	proofs Proofs
}

// Proofs tells which proofs were kept from a test posting.
type Proofs interface {
	KeptFrom(ctx context.Context, posting string) ([]fault.Use, error)
	CountPosted(ctx context.Context) (int, error)
}

// New returns the use cases.
func New(j *judging.Service, live *records.Live, proofs Proofs) *Service {
	return &Service{j, live, proofs}
}

// Post posts a kept document to the books, if its plan accepts it.
func (s *Service) Post(ctx context.Context, at record.Ref, request contract.PostRequest) (contract.SaveAnswer, error) {
	if err := access.NeedFor(ctx, at.Kind, actor.RecordsPost); err != nil {
		return contract.SaveAnswer{}, err
	}
	answer, r, err := s.post(ctx, at, request)
	if err != nil || r == nil {
		return answer, err
	}
	shown, err := records.Show(ctx, s.base, r)
	answer.Record = &shown
	return answer, err
}

// PostKept does the same without a trace, for those that post many: r is nil, and the outcome says why, where
// the document is not accepted.
func (s *Service) PostKept(ctx context.Context, at record.Ref, request contract.PostRequest) (r *record.Record, outcome contract.Outcome, err error) {
	request.Brief = true
	answer, r, err := s.post(ctx, at, request)
	return r, answer.Outcome, err
}

// Posting is a kept document on its way to the books.
type Posting struct {
	service *Service
	outer   *Service // outside a transaction: its cache is told what was written
	at      record.Ref
	request contract.PostRequest
	reasons map[int64]string
	// Everything is the reason that is given to all rules that ask for one; "": none is.
	Everything string

	Answer contract.SaveAnswer
	Result record.Record
	Posted bool
}

// Begin returns what posts a document.
func (s *Service) Begin(at record.Ref, request contract.PostRequest) (*Posting, error) {
	reasons, err := Reasons(request.Reasons)
	return &Posting{service: s, outer: s, at: at, request: request, reasons: reasons}, err
}

// Over returns the same posting within a transaction.
func (p *Posting) Over(tx *store.Store) *Posting {
	inner, base := *p, p.service.base.Over(tx)
	inner.service = &Service{base, records.NewLive(base), p.service.proofs}
	return &inner
}

// Number is that of the document.
func (p *Posting) Number() string { return p.at.Number }

// Judge judges it as it is posted. Nothing is to be written where the rules do not accept it.
func (p *Posting) Judge(ctx context.Context) (*commit.Change, error) {
	c, err := p.judge(ctx)
	if err != nil || c.Write != nil || p.Everything == "" || p.Answer.Outcome.Verdict != contract.OutcomeVerdict(engine.NeedsReason) {
		return c, err
	}
	p.reasons = maps.Clone(p.reasons)
	for _, m := range p.Answer.Outcome.Messages {
		if m.Severity == contract.MessageSeverity(rule.Confirm) && m.Reason == "" {
			p.reasons[m.Rule] = p.Everything
		}
	}
	return p.judge(ctx)
}

func (p *Posting) judge(ctx context.Context) (*commit.Change, error) {
	s := p.service
	saved, err := s.base.Saved(ctx, p.at)
	if err != nil {
		return nil, err
	}
	if !saved.Kind.Posted {
		return nil, fault.Hindered(notPosted, saved.Kind.Noun())
	}
	if err := records.Changeable(ctx, &saved.Record, p.request.Version); err != nil {
		return nil, err
	}
	document := judging.DocumentOf(saved.Kind, &saved.Record)
	document.Reasons = p.reasons
	t, err := s.base.Try(ctx, document, judging.Ask{Format: p.request.Format, Moment: rule.Posting, Keyed: p.request.Keyed, Real: true, NoTrace: p.request.Brief})
	if err != nil {
		return nil, err
	}
	p.Answer = contract.SaveAnswer{Outcome: t.Outcome()}
	if !t.Accepted() {
		return commit.Nothing(), nil
	}
	by, err := s.base.Line.Stamp(ctx)
	if err != nil {
		return nil, err
	}
	r := records.Outcome(ctx, s.base, t, saved.Record)
	r.State = record.Posted
	posting, entries := s.posting(ctx, t, ledger.Books, &p.Answer.Outcome, by), entriesOf(t)
	posting.Number = r.Number
	receipt, err := store.PreparePosting(&posting)
	if err != nil {
		return nil, err
	}
	followed, err := s.followUps(ctx, t, posting.Trace.FollowUps)
	if err != nil {
		return nil, err
	}
	others, err := s.live.After(ctx, t.Reads, followed.Records...)
	if err != nil {
		return nil, err
	}
	ready, err := s.base.Store.Prepare(ctx, t.Kept(by, false), &saved.Record, &r)
	if err != nil {
		return nil, err
	}
	return &commit.Change{
		Reads: t.Reads,
		Write: func(ctx context.Context, tx *store.Store) (err error) {
			if err := t.Numbers.Take(ctx, tx); err != nil {
				return err
			}
			if _, err := ledger.Post(ctx, receipt.In(tx), posting, saved.Kind, entries); err != nil {
				return err
			}
			if r, err = tx.ChangeRecord(ctx, r, "posted", ready, by); err != nil {
				return err
			}
			if err := tx.CountActs(ctx, t.Judged.Outcome.Active(), by.At); err != nil {
				return err
			}
			return errors.Join(followed.Write(ctx, tx, "follow-up", by), others.Write(ctx, tx, by))
		},
		Done: func() {
			p.Result, p.Posted = r, true
			p.outer.base.Cache.Records.Put(append(append(others.Records, followed.Records...), r)...)
		},
	}, nil
}

func (s *Service) post(ctx context.Context, at record.Ref, request contract.PostRequest) (contract.SaveAnswer, *record.Record, error) {
	p, err := s.Begin(at, request)
	if err != nil {
		return contract.SaveAnswer{}, nil, err
	}
	if err := s.base.Line.Commit(ctx, p.Judge); err != nil || !p.Posted {
		return p.Answer, nil, err
	}
	return p.Answer, &p.Result, s.live.CatchUp(ctx)
}

// Reasons reads reasons that are given by the numbers of rules.
func Reasons(texts map[string]string) (map[int64]string, error) {
	reasons := map[int64]string{}
	for key, text := range texts {
		id, err := strconv.ParseInt(key, 10, 64)
		if err != nil {
			return nil, fault.Bad(badReason, key)
		}
		reasons[id] = text
	}
	return reasons, nil
}

// Reverse takes a posted document back by a reversing one, posted on a day.
// No rule has a say: what was posted must always be possible to take back.
func (s *Service) Reverse(ctx context.Context, at record.Ref, request contract.ReverseRequest) (contract.Record, error) {
	if err := access.NeedFor(ctx, at.Kind, actor.RecordsPost); err != nil {
		return contract.Record{}, err
	}
	var back record.Record
	err := s.base.Line.Commit(ctx, func(ctx context.Context) (*commit.Change, error) {
		saved, err := s.base.Saved(ctx, at)
		if err != nil {
			return nil, err
		}
		kind, r := saved.Kind, saved.Record
		day, err := record.ParseDay(request.Day)
		if err != nil {
			return nil, fault.Bad(fault.NotADay, err)
		}
		if err := s.mayReverse(ctx, saved, request.Version); err != nil {
			return nil, err
		}
		content := record.Reverse(kind, &r.Content)
		if kind.Day != "" {
			content.Values[kind.Day] = request.Day
		}
		back = record.Record{Ref: record.Ref{Kind: at.Kind}, Company: r.Company, Type: r.Type, State: record.Posted, Content: record.Content{Values: content.Values, Lines: content.Lines}, Reverses: r.Number}
		document := judging.DocumentOf(kind, &back)
		document.Day = day
		t, err := s.base.Try(ctx, document, judging.Ask{Moment: rule.Posting, Empty: true})
		if err != nil {
			return nil, err
		}
		t.Reads.Record(at, &r)
		followers, err := s.base.Store.CountFollowers(ctx, at, record.Ref{})
		if err != nil {
			return nil, err
		}
		t.Reads.Followers(at, followers)
		by, err := s.base.Line.Stamp(ctx)
		if err != nil {
			return nil, err
		}
		outcome := t.Outcome()
		posting, entries := s.posting(ctx, t, ledger.Books, &outcome, by), entriesOf(t)
		posting.Trace.Verdict, posting.Trace.Messages, posting.Reverses = string(engine.Accepted), []ledger.Message{}, r.Number
		if posting.Trace.FollowUps, err = s.takenBack(ctx, saved.Reference, r.Number); err != nil {
			return nil, err
		}
		receipt, err := store.PreparePosting(&posting)
		if err != nil {
			return nil, err
		}
		followed, err := s.followUps(ctx, t, posting.Trace.FollowUps)
		if err != nil {
			return nil, err
		}
		others, err := s.live.After(ctx, t.Reads, followed.Records...)
		if err != nil {
			return nil, err
		}
		_, seed, err := s.base.Cache.Version(ctx)
		if err != nil {
			return nil, err
		}
		return &commit.Change{
			Reads: t.Reads,
			Write: func(ctx context.Context, tx *store.Store) (err error) {
				if back, err = tx.AddRecord(ctx, back, judging.Numbering(saved.Reference, kind, t.Place(), seed), nil, by); err != nil {
					return err
				}
				posting.Number = back.Number
				if _, err := ledger.Post(ctx, receipt.In(tx), posting, kind, entries); err != nil {
					return err
				}
				r.State, r.ReversedBy = record.Reversed, back.Number
				if r, err = tx.ChangeRecord(ctx, r, "reversed", nil, by); err != nil {
					return err
				}
				return errors.Join(followed.Write(ctx, tx, "follow-up", by), others.Write(ctx, tx, by))
			},
			Done: func() { s.base.Cache.Records.Put(append(append(others.Records, followed.Records...), r, back)...) },
		}, nil
	})
	if err != nil {
		return contract.Record{}, err
	}
	if err := s.live.CatchUp(ctx); err != nil {
		return contract.Record{}, err
	}
	return records.Show(ctx, s.base, &back)
}

// mayReverse refuses to take back what is not posted, is a reversing document
// itself, or has followers that are posted.
func (s *Service) mayReverse(ctx context.Context, r *judging.Saved, version int) error {
	switch {
	case !access.In(ctx, r.Company):
		return records.Changeable(ctx, &r.Record, version)
	case r.State != record.Posted:
		return fault.Hindered(onlyPosted, r.Number, r.State)
	case r.Reverses != "":
		return fault.Hindered(reverses, r.Number, r.Reverses)
	case r.Version != version:
		return fault.Hindered(fault.Stale)
	}
	followers, err := s.base.Store.Followers(ctx, r.Ref, judging.MostTold, record.Posted)
	if err != nil {
		return err
	}
	if len(followers) == 0 {
		return nil
	}
	return fault.Hindered(followedBy, r.Number).With(view.List(followers, s.base.Links(ctx, r.Reference, r.Company).Use))
}
