package news

import (
	"context"
	"slices"
	"strconv"
	"strings"
	"time"

	"codicil/core/notice"
	"codicil/core/record"
	"codicil/internal/access"
	"codicil/internal/actor"
	"codicil/internal/contract"
	"codicil/internal/fault"
)

const (
	// Rule is the kind of thing that a rule is; a record is of its own kind.
	Rule = "rule"
	// stays is how long somebody is there who does not say it again.
	stays = 40 * time.Second
	// mostSeats is how many tabs are known to be somewhere; who comes then is told nobody.
	mostSeats = 10_000
)

var nowhere = notice.Define("presence-nowhere", "one can be at a rule or a record only; {kind:q} is neither")

// thing is a rule or a record.
type thing struct{ kind, key string }

// tab is one of a person.
type tab struct{ person, name string }

// seat is that a tab is at a thing.
type seat struct {
	name     string // of the person
	changing bool
	until    time.Time
}

// Present says where a tab of who asks is, and returns who else is there. Where it was before it is no longer. Cost: those
// who are there.
func (s *Service) Present(ctx context.Context, said contract.Presence) ([]contract.PresentPerson, error) {
	if err := access.Person(ctx); err != nil {
		return nil, err
	}
	at := thing{said.Kind, said.Key}
	if err := s.reach(ctx, at); err != nil {
		return nil, err
	}
	who, now := actor.Of(ctx), s.base.Clock()
	mine := tab{who.ID, said.Tab}
	s.mutex.Lock()
	defer s.mutex.Unlock()
	s.sweep()
	taken := 0
	for t, seats := range s.seats {
		taken += len(seats)
		if _, was := seats[mine]; was && t != at {
			s.rise(t, mine)
		}
	}
	others := []contract.PresentPerson{}
	if at.kind == "" || taken >= mostSeats {
		return others, nil
	}
	seats := s.seats[at]
	if seats == nil {
		seats = map[tab]*seat{}
		s.seats[at] = seats
	}
	before := seats[mine]
	seats[mine] = &seat{who.Name, said.Changing, now.Add(stays)}
	if before == nil || before.changing != said.Changing {
		s.stir(at, mine)
	}
	for t, other := range seats {
		if t != mine {
			others = append(others, contract.PresentPerson{Name: other.name, Changing: other.changing, Self: t.person == who.ID})
		}
	}
	slices.SortFunc(others, func(a, b contract.PresentPerson) int { return strings.Compare(a.Name, b.Name) })
	return others, nil
}

// reach refuses things that who asks does not see.
func (s *Service) reach(ctx context.Context, at thing) error {
	switch at.kind {
	case "":
		return nil
	case Rule:
		if err := access.Need(ctx, actor.RulesRead); err != nil {
			return err
		}
		id, err := strconv.ParseInt(at.key, 10, 64)
		if err != nil {
			return fault.Missing("%s %s", "rule", at.key)
		}
		_, err = s.base.KeptRule(ctx, id)
		return err
	}
	if _, _, err := s.base.KindOf(ctx, at.kind); err != nil {
		return fault.Bad(nowhere, at.kind)
	}
	if err := access.NeedFor(ctx, at.kind, actor.RecordsRead); err != nil {
		return err
	}
	_, err := s.base.Saved(ctx, record.Ref{Kind: at.kind, Number: at.key})
	return err
}

// rise takes a tab away from a thing.
func (s *Service) rise(at thing, t tab) {
	delete(s.seats[at], t)
	s.stir(at, t)
	if len(s.seats[at]) == 0 {
		delete(s.seats, at)
	}
}

// stir tells those who are at a thing that somebody came, went, or does something else there.
func (s *Service) stir(at thing, but tab) {
	persons := map[string]bool{}
	for t := range s.seats[at] {
		if t != but {
			persons[t.person] = true
		}
	}
	for l := range s.listening {
		if persons[l.person] {
			l.present[at] = true
			l.wakeUp()
		}
	}
}

// sweep takes away who has not said for long that they are there.
func (s *Service) sweep() {
	now := s.base.Clock()
	for at, seats := range s.seats {
		for t, seat := range seats {
			if seat.until.Before(now) {
				s.rise(at, t)
			}
		}
	}
}
