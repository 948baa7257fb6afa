// Package news tells people who have the application open what others change, and who else is at a rule or a record.
//
// What it tells of changes comes from the trail, to which every change is written. It must never decide what is done about
// it. Start reading at Service.Watch.
package news

import (
	"context"
	"log/slog"
	"sort"
	"sync"
	"time"

	"codicil/core/notice"
	"codicil/internal/access"
	"codicil/internal/actor"
	"codicil/internal/app/judging"
	"codicil/internal/cache"
	"codicil/internal/contract"
	"codicil/internal/fault"
	"codicil/internal/store"
)

const (
	// lookEach is how often the trail is looked at while somebody listens, and the least time between two events of a listener.
	lookEach = 400 * time.Millisecond
	// pingEach is how often a listener is written to at least, so that one who has left is noticed, and it is asked whether
	// they still may listen.
	pingEach = 15 * time.Second
	// mostEntries is how many entries of the trail are told one by one; of more it is told that there was much.
	mostEntries = 200
	// How many may listen at all, and how often one person.
	mostListening, mostTabs = 2_000, 20
)

var tooManyListen = notice.Define("too-many-requests.listening", "too many listen already; ask again later")

// Service tells news.
type Service struct {
	base *judging.Service

	mutex     sync.Mutex
	listening map[*listener]bool
	// looking tells whether the trail is looked at, and last is the entry that was told last, as long as it is.
	looking bool
	last    int64
	seats   map[thing]map[tab]*seat
	// ended is closed when the application ends.
	ended chan struct{}
	end   sync.Once
	looks sync.WaitGroup // those who look at the trail
}

// listener is a tab that listens.
type listener struct {
	person  string
	wake    chan struct{}
	entries []store.TrailEntry
	much    bool
	present map[thing]bool
	last    int64
}

// New returns the use case.
func New(j *judging.Service) *Service {
	return &Service{base: j, listening: map[*listener]bool{}, seats: map[thing]map[tab]*seat{}, ended: make(chan struct{})}
}

// End lets all who listen go; nobody can listen any more, and the trail is read no more.
func (s *Service) End() {
	s.end.Do(func() {
		s.mutex.Lock()
		close(s.ended)
		s.mutex.Unlock()
	})
	s.looks.Wait()
}

// over tells whether it has ended. It is called under the mutex.
func (s *Service) over() bool {
	select {
	case <-s.ended:
		return true
	default:
		return false
	}
}

// Heard is a piece of news, with the entry of the trail that it goes to.
type Heard struct {
	ID   int64
	News contract.News
}

// Watch tells news after an entry of the trail, 0: from now on, until the context ends or still says that the one who asks may
// no longer listen. What is said of nothing keeps the line open. once ends it with what there is. Cost: of the trail what is
// new, once for all who listen.
func (s *Service) Watch(ctx context.Context, after int64, once bool, still func() (context.Context, bool), tell func(*Heard) error) error {
	if err := access.Person(ctx); err != nil {
		return err
	}
	head, err := s.base.Store.TrailHead(ctx)
	if err != nil {
		return err
	}
	if after == 0 || after > head.Last {
		after = head.Last
	}
	l := &listener{person: actor.Of(ctx).ID, wake: make(chan struct{}, 1), present: map[thing]bool{}}
	told, err := s.enter(ctx, l, head.Last)
	if err != nil {
		return err
	}
	defer s.leave(l)
	if err := s.missed(ctx, l, after, told); err != nil {
		return err
	}
	ping := time.NewTicker(pingEach)
	defer ping.Stop()
	for first := true; ; first = false {
		if asks, may := still(); may {
			ctx = asks
		} else {
			return nil
		}
		heard, err := s.take(ctx, l) //nolint:contextcheck // of who asks, with the rights that they have by now
		if err != nil {
			return err
		}
		if heard != nil || first {
			if err := tell(heard); err != nil {
				return err
			}
		}
		if once {
			return nil
		}
		select {
		case <-ctx.Done():
			return nil
		case <-s.ended:
			return nil
		case <-time.After(lookEach):
		}
		select {
		case <-ctx.Done():
			return nil
		case <-s.ended:
			return nil
		case <-l.wake:
		case <-ping.C:
			if err := tell(nil); err != nil {
				return err
			}
		}
	}
}

// missed gives a listener what came before this line began: what is after an entry, up to another.
func (s *Service) missed(ctx context.Context, l *listener, after, told int64) error {
	if after >= told {
		return nil
	}
	entries, err := s.base.Store.TrailSince(ctx, after, mostEntries+1)
	s.mutex.Lock()
	defer s.mutex.Unlock()
	l.much = l.much || len(entries) > mostEntries
	for i := range entries {
		if entries[i].ID <= told && i < mostEntries {
			l.entries = append(l.entries, entries[i])
		}
	}
	return err
}

// enter begins to tell a listener what is new, and returns after which entry of the trail that begins. head was the last entry just
// now: others may have been told of later ones since.
func (s *Service) enter(ctx context.Context, l *listener, head int64) (told int64, err error) {
	s.mutex.Lock()
	defer s.mutex.Unlock()
	tabs := 0
	for other := range s.listening {
		if other.person == l.person {
			tabs++
		}
	}
	if len(s.listening) >= mostListening || tabs >= mostTabs {
		return 0, &fault.Fault{Reason: fault.Busy, Notice: tooManyListen.With()}
	}
	s.listening[l] = true
	if !s.looking && !s.over() {
		s.looking, s.last = true, head
		aside := context.WithoutCancel(ctx) // it goes on for others when this one leaves
		s.looks.Go(func() { s.look(aside) })
	}
	l.last = max(s.last, head)
	return l.last, nil
}

func (s *Service) leave(l *listener) {
	s.mutex.Lock()
	defer s.mutex.Unlock()
	delete(s.listening, l)
}

// look reads the trail for all who listen, until nobody does.
func (s *Service) look(ctx context.Context) {
	tick := time.NewTicker(lookEach)
	defer tick.Stop()
	for {
		select {
		case <-s.ended: // nobody can listen any more
			return
		case <-tick.C:
		}
		s.mutex.Lock()
		last, nobody := s.last, len(s.listening) == 0
		s.sweep()
		if nobody {
			// Whoever comes next looks again; under this lock nobody has come.
			s.looking = false
			s.mutex.Unlock()
			return
		}
		s.mutex.Unlock()
		entries, err := s.base.Store.TrailSince(ctx, last, mostEntries+1)
		if err != nil {
			slog.Error("the trail could not be read for those who listen", "error", err)
			continue
		}
		if len(entries) == 0 {
			continue
		}
		much := len(entries) > mostEntries
		if much {
			head, err := s.base.Store.TrailHead(ctx)
			if err != nil {
				continue
			}
			entries = entries[:mostEntries]
			last = head.Last
		} else {
			last = entries[len(entries)-1].ID
		}
		s.spread(entries, much, last)
	}
}

// spread gives entries to all who listen.
func (s *Service) spread(entries []store.TrailEntry, much bool, last int64) {
	s.mutex.Lock()
	defer s.mutex.Unlock()
	s.last = last
	for l := range s.listening {
		if l.last >= last {
			continue
		}
		since := l.last // a line that began meanwhile has heard some of them
		fresh := entries[sort.Search(len(entries), func(i int) bool { return entries[i].ID > since }):]
		l.last, l.much = last, l.much || much || len(l.entries)+len(fresh) > mostEntries
		if room := mostEntries - len(l.entries); room > 0 {
			l.entries = append(l.entries, fresh[:min(room, len(fresh))]...)
		}
		l.wakeUp()
	}
}

func (l *listener) wakeUp() {
	select {
	case l.wake <- struct{}{}:
	default: // it is awake
	}
}

// take returns what a listener has not heard yet; nil: nothing that is theirs to hear.
func (s *Service) take(ctx context.Context, l *listener) (*Heard, error) {
	s.mutex.Lock()
	entries, much, present := l.entries, l.much, l.present
	heard := &Heard{ID: l.last, News: contract.News{Changes: []contract.NewsChange{}, Presence: []contract.NewsThing{}, Much: much}}
	l.entries, l.much, l.present = nil, false, map[thing]bool{}
	s.mutex.Unlock()
	ref, err := s.base.Cache.Reference(ctx)
	if err != nil {
		return nil, err
	}
	told := map[contract.NewsChange]bool{}
	for i := range entries {
		if c := shown(ctx, ref, &entries[i]); c != nil && !told[*c] {
			told[*c] = true
			heard.News.Changes = append(heard.News.Changes, *c)
		}
	}
	for t := range present {
		heard.News.Presence = append(heard.News.Presence, contract.NewsThing{Kind: t.kind, Key: t.key})
	}
	if len(heard.News.Changes) == 0 && len(present) == 0 && !much {
		return nil, nil //nolint:nilnil // nothing is no fault
	}
	return heard, nil
}

// What the trail tells of and what is nobody's business but that of those who read the trail.
var unheard = map[string]bool{"refusal": true, "session": true, "trail": true, "backup": true, "key": true}

// shown tells of an entry what is theirs to hear who ask; nil: nothing.
func shown(ctx context.Context, ref *cache.Reference, e *store.TrailEntry) *contract.NewsChange {
	who := actor.Of(ctx)
	c := &contract.NewsChange{Kind: e.Kind, Key: e.Key, By: e.By, Self: e.Person == who.ID}
	switch {
	case unheard[e.Kind] || e.What == "exported" || (e.Company != "" && !access.In(ctx, e.Company)):
		return nil
	case e.Kind == "person" || e.Kind == "role":
		if e.Kind == "person" && e.After == nil {
			return nil // somebody signed in
		}
		if !access.Has(ctx, actor.PersonsChange, "") || !access.Everywhere(ctx) {
			c.Key, c.By = "", ""
		}
		return c
	}
	if _, err := ref.Kind(e.Kind); err == nil {
		if !access.Has(ctx, actor.RecordsRead, e.Kind) {
			return nil
		}
		return c
	}
	if !access.Everywhere(ctx) || !access.Has(ctx, actor.RulesRead, "") {
		c.Key, c.By = "", ""
	}
	return c
}
