// Package trail shows what was done, by whom and from where, and tells whether all of it is still there.
//
// It must never write: who changes something says so in the same transaction, through the store. Start reading at Service.Page.
package trail

import (
	"context"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"io"
	"strconv"
	"time"

	"codicil/core/notice"
	"codicil/core/record"
	"codicil/internal/access"
	"codicil/internal/actor"
	"codicil/internal/app/judging"
	"codicil/internal/app/runs"
	"codicil/internal/contract"
	"codicil/internal/exchange"
	"codicil/internal/fault"
	"codicil/internal/store"
)

// Service serves these use cases.
type Service struct {
	base *judging.Service
	runs *runs.Service
}

// New returns the use cases.
func New(j *judging.Service, r *runs.Service) *Service { return &Service{j, r} }

var notFormat = notice.Define("trail-not-format", "the trail is taken out as csv or ndjson")

const (
	pageSize = 100
	// exportPage is how many entries are in memory while they are taken out.
	exportPage = 1_000
)

// Query says which entries are wanted; "" stands for all.
type Query struct{ Person, What, Kind, Key, From, To, Words string }

func (s *Service) query(ctx context.Context, q Query) (store.TrailQuery, error) {
	asked := store.TrailQuery{Person: q.Person, What: q.What, Kind: q.Kind, Key: q.Key, Words: q.Words, Limit: pageSize}
	if err := access.Need(ctx, actor.TrailRead); err != nil {
		return asked, err
	}
	if !access.Everywhere(ctx) {
		// No list at all would stand for every company.
		asked.Companies = append([]string{}, actor.Of(ctx).Rights.Companies...)
	}
	for _, day := range []string{q.From, q.To} {
		if _, err := record.ParseDay(day); day != "" && err != nil {
			return asked, fault.Bad(fault.NotADay, err)
		}
	}
	if q.From != "" {
		asked.From = q.From
	}
	if q.To != "" {
		last, err := time.Parse(time.DateOnly, q.To)
		if err != nil {
			return asked, fault.Bad(fault.NotADay, err)
		}
		asked.To = last.AddDate(0, 0, 1).Format(time.DateOnly)
	}
	return asked, nil
}

// Page returns entries, the newest first.
func (s *Service) Page(ctx context.Context, q Query, after string) (contract.TrailPage, error) {
	asked, err := s.query(ctx, q)
	if err != nil {
		return contract.TrailPage{}, err
	}
	if after != "" {
		if asked.After, err = strconv.ParseInt(after, 10, 64); err != nil || asked.After < 1 {
			return contract.TrailPage{}, fault.Bad(fault.NotAPlace, after)
		}
	}
	entries, err := s.base.Store.Trail(ctx, asked)
	page := contract.TrailPage{Entries: []contract.TrailEntry{}}
	for i := range entries {
		page.Entries = append(page.Entries, show(&entries[i]))
	}
	if len(entries) == pageSize {
		page.Next = strconv.FormatInt(entries[len(entries)-1].ID, 10)
	}
	return page, err
}

func show(e *store.TrailEntry) contract.TrailEntry {
	return contract.TrailEntry{
		ID: e.ID, At: e.At, By: e.By, Person: e.Person, Via: e.Via, Address: e.Address, What: e.What, Kind: e.Kind, Key: e.Key, Company: e.Company, Note: e.Note, Count: e.Count,
		Before: hex.EncodeToString(e.Before), After: hex.EncodeToString(e.After), Chain: hex.EncodeToString(e.Chain),
	}
}

// Export writes entries, the newest first, as "csv" or "ndjson". That it was done is an entry too.
func (s *Service) Export(ctx context.Context, q Query, as string, to io.Writer) error {
	asked, err := s.query(ctx, q)
	if err != nil {
		return err
	}
	lines := json.NewEncoder(to)
	switch as {
	case "csv":
		if err := exchange.WriteTo(to, [][]string{{"id", "at", "by", "person", "via", "address", "what", "kind", "key", "company", "note", "count", "before", "after", "chain"}}); err != nil {
			return err
		}
	case "ndjson":
	default:
		return fault.Bad(notFormat)
	}
	if err := s.Noted(ctx, "exported", "trail", as); err != nil {
		return err
	}
	asked.Limit = exportPage
	for {
		entries, err := s.base.Store.Trail(ctx, asked)
		if err != nil {
			return err
		}
		var rows [][]string
		for i := range entries {
			e := show(&entries[i])
			if as == "ndjson" {
				err = lines.Encode(e)
			} else {
				rows = append(rows, []string{strconv.FormatInt(e.ID, 10), e.At, e.By, e.Person, e.Via, e.Address, e.What, e.Kind, e.Key, e.Company, e.Note, strconv.Itoa(e.Count), e.Before, e.After, e.Chain})
			}
			if err != nil {
				return err
			}
		}
		if err := exchange.WriteTo(to, rows); err != nil {
			return err
		}
		if len(entries) < exportPage {
			return nil
		}
		asked.After = entries[len(entries)-1].ID
	}
}

// Noted says that somebody has done what changes nothing but is to be known, such as taking data out.
func (s *Service) Noted(ctx context.Context, what, kind, key string) error {
	return s.base.Line.Write(ctx, func(tx *store.Store, by record.Stamp) error {
		return tx.Note(ctx, by, store.TrailEntry{What: what, Kind: kind, Key: key})
	})
}

// Verify begins a run that looks at every entry. Cost: the whole trail once.
func (s *Service) Verify(ctx context.Context) (contract.Run, error) {
	if err := access.Need(ctx, actor.TrailRead); err != nil {
		return contract.Run{}, err
	}
	r, err := s.runs.Start(ctx, string(contract.RunWhatTrail), "every entry", runs.Subject{}, s.verify)
	return runs.Shown(&r), err
}

func (s *Service) verify(ctx context.Context, w *runs.Writer) error {
	end, err := s.base.Store.TrailHead(ctx)
	if err != nil {
		return err
	}
	w.Total(int(end.Last))
	counts, done := runs.Counts{}, 0
	head, err := s.base.Store.VerifyTrail(ctx, nil, func(h store.TrailHead) error {
		done = int(h.Last)
		counts["entries"] = done
		return w.Came(ctx, done, counts)
	})
	broken, is := store.IsTrailBroken(err)
	if err != nil && !is {
		return err
	}
	found := contract.RunHit{What: contract.RunHitWhatIntact, Title: fmt.Sprintf("Entry %d", head.Last), Said: fmt.Sprintf("It is the last, and closes with %x.", head.Chain), Changes: []contract.ValueChange{}}
	if is {
		found.What, found.Title, found.Said = contract.RunHitWhatUnfit, fmt.Sprintf("Entry %d", broken.ID), broken.Error()+"."
		counts["unfit"]++
	} else {
		w.Total(done) // entries came meanwhile
	}
	found.Told = found.Said
	w.Found(0, found)
	return w.Came(ctx, done, counts)
}
