// Package runs does long work beside everything else: it streams, tells how far it is, can be stopped, and what
// it found stays on the disk, to be paged through and come back to.
//
// It must never know what the work is. Start reading at Service.Start.
package runs

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"math"
	"runtime/debug"
	"slices"
	"strconv"
	"sync"
	"time"

	"codicil/core/notice"
	"codicil/core/record"
	"codicil/internal/access"
	"codicil/internal/actor"
	"codicil/internal/app/commit"
	"codicil/internal/clock"
	"codicil/internal/contract"
	"codicil/internal/exchange"
	"codicil/internal/fault"
	"codicil/internal/store"
)

// Service serves these use cases.
type Service struct {
	store *store.Store
	clock clock.Clock
	turns chan struct{}

	mutex   sync.Mutex
	working map[int64]context.CancelFunc
	group   sync.WaitGroup
	closing bool
}

const (
	// mostAtOnce is how many runs work at once; each works on all processors.
	mostAtOnce = 2
	// MostKept is how many runs stay.
	MostKept = 50
	// often is how often a run that works keeps how far it is.
	often = 250 * time.Millisecond
	// mostHeld is how many results are held until they are kept.
	mostHeld = 500
)

// New returns the use cases over a store.
func New(s *store.Store, now clock.Clock) *Service {
	return &Service{store: s, clock: now, turns: make(chan struct{}, mostAtOnce), working: map[int64]context.CancelFunc{}}
}

// Run is a run with what it is about.
type Run = store.Run

// Work is what a run does. It ends early where its context does.
type Work func(ctx context.Context, w *Writer) error

var ending = notice.Define("ending", "the program is ending; start this again when it is back")

// Start begins a run and returns at once. subject is what it is about.
func (s *Service) Start(ctx context.Context, what, title string, subject any, work Work) (Run, error) {
	text, err := json.Marshal(subject)
	if err != nil {
		return Run{}, err
	}
	who := actor.Of(ctx)
	s.mutex.Lock()
	defer s.mutex.Unlock()
	if s.closing {
		return Run{}, fault.Hindered(ending)
	}
	r, err := s.store.AddRun(ctx, Run{What: what, Title: title, Subject: string(text), State: store.RunWaiting, Started: record.Stamp{At: store.Instant(s.clock()), By: who.Name, Person: who.ID, Via: string(who.Via)}, Companies: access.Scope(ctx)}, MostKept)
	if err != nil {
		return r, err
	}
	own, stop := context.WithCancel(context.WithoutCancel(ctx))
	s.working[r.ID] = stop
	s.group.Go(func() { s.do(own, newWriter(s, r), work) })
	return r, nil
}

func newWriter(s *Service, r Run) *Writer {
	return &Writer{service: s, run: r, last: r, text: map[string][]byte{}, pieces: map[string]int{}}
}

// Continue goes on with a run that the end of the program cut off, for the person who started it. What it found and wrote
// until then stays.
func (s *Service) Continue(ctx context.Context, r Run, work Work) error {
	w := newWriter(s, r)
	var err error
	if w.place, err = s.store.LastResult(ctx, r.ID); err != nil {
		return err
	}
	for _, name := range []string{File, Refused} {
		if w.pieces[name], err = s.store.CountPieces(ctx, r.ID, name); err != nil {
			return err
		}
	}
	w.run.State, w.run.EndedAt = store.RunWaiting, ""
	if err := w.keep(ctx); err != nil {
		return err
	}
	// It was allowed when it began; it goes on in the companies of then.
	who := actor.Actor{ID: r.Started.Person, Name: r.Started.By, Via: actor.Via(r.Started.Via), Rights: actor.Rights{Whole: r.Companies == nil, Companies: r.Companies}}
	for _, p := range actor.Permissions {
		who.Rights.Give(p, nil)
	}
	s.mutex.Lock()
	defer s.mutex.Unlock()
	own, stop := context.WithCancel(actor.With(context.WithoutCancel(ctx), who))
	s.working[r.ID] = stop
	s.group.Go(func() { s.do(own, w, work) })
	return nil
}

// do works on a run until its end.
func (s *Service) do(ctx context.Context, w *Writer, work Work) {
	r := w.run
	defer func() {
		s.mutex.Lock()
		defer s.mutex.Unlock()
		s.working[r.ID]()
		delete(s.working, r.ID)
	}()
	err := s.inTurn(ctx, w, work)
	s.mutex.Lock()
	closing := s.closing
	s.mutex.Unlock()
	w.run.State = store.RunDone
	switch {
	case ctx.Err() != nil && closing:
		w.run.State = store.RunCutOff
	case ctx.Err() != nil:
		w.run.State = store.RunStopped
	case err != nil:
		w.run.State, w.run.Problem = store.RunFailed, s.told(r, err)
	}
	w.run.EndedAt = store.Instant(s.clock())
	if w.run.State == store.RunCutOff {
		slog.Warn("a run was cut off; it can be started again", "run", r.ID, "title", r.Title, "done", w.run.Done, "of", w.run.Total)
	}
	if err := w.keep(context.WithoutCancel(ctx)); err != nil {
		slog.Error("a run could not be kept", "run", r.ID, "error", err)
	}
}

// told is what a person is told of an error: not what is inside the program.
func (s *Service) told(r Run, err error) string {
	var known *fault.Fault
	if errors.As(err, &known) {
		return known.Error()
	}
	slog.Error("a run failed", "run", r.ID, "error", err)
	return "Something went wrong inside Codicil; its log says more."
}

// inTurn works when it is this run's turn.
func (s *Service) inTurn(ctx context.Context, w *Writer, work Work) (err error) {
	select {
	case s.turns <- struct{}{}:
		defer func() { <-s.turns }()
	case <-ctx.Done():
		return ctx.Err()
	}
	defer func() {
		if cause := recover(); cause != nil {
			err = fmt.Errorf("panic: %v\n%s", cause, debug.Stack())
		}
	}()
	w.run.State = store.RunRunning
	if err := w.keep(ctx); err != nil { // who looks is told that it works, though it may be long until it has something to tell
		return err
	}
	return work(ctx, w)
}

// Writer keeps what a run finds. It is used by one goroutine.
type Writer struct {
	service *Service
	run     Run
	results []store.RunResult
	place   int
	text    map[string][]byte // of its files, not yet kept
	held    int               // bytes of that
	pieces  map[string]int    // of its files, kept
	kept    time.Time
	last    Run // as it was kept last
}

// The files that a run may leave.
const (
	File    = "file"
	Refused = "refused" // rows of a load
)

// mostText is how much of a file is held until it is kept, in bytes.
const mostText = 1 << 20

// Write adds to the file that the run leaves. It is kept with the next step.
func (w *Writer) Write(text []byte) (int, error) { return w.WriteTo(File, text), nil }

// WriteTo does the same for a file of several.
func (w *Writer) WriteTo(name string, text []byte) int {
	w.text[name] = append(w.text[name], text...)
	w.held += len(text)
	return len(text)
}

// Done is how far the run was when it was cut off, with its counts; 0 for one that begins.
func (w *Writer) Done() (done int, counts Counts) {
	if json.Unmarshal([]byte(w.run.Found), &counts) != nil || counts == nil {
		counts = Counts{}
	}
	return w.run.Done, counts
}

// Drop lets go of what was found and written since it was kept last: it did not come about.
func (w *Writer) Drop() {
	w.run.Done, w.run.Found, w.run.Subject = w.last.Done, w.last.Found, w.last.Subject
	clear(w.text)
	w.results, w.held = w.results[:0], 0
}

// Figure notes what the run has found in numbers so far.
func (w *Writer) Figure(figures any) error {
	text, err := json.Marshal(figures)
	w.about(func(s *Subject) { s.Figures = text })
	return err
}

// Ask notes what a rule says that asks for a reason.
func (w *Writer) Ask(rule int64, text string) {
	w.about(func(s *Subject) {
		if s.Asked == nil {
			s.Asked = map[int64]string{}
		}
		s.Asked[rule] = text
	})
}

// Reach notes the record after which the run goes on, should it be cut off.
func (w *Writer) Reach(number string) { w.about(func(s *Subject) { s.Reached = number }) }

// Reached is the record that Reach noted last.
func (w *Writer) Reached() (number string) {
	w.about(func(s *Subject) { number = s.Reached })
	return number
}

func (w *Writer) about(change func(*Subject)) {
	var subject Subject
	if json.Unmarshal([]byte(w.run.Subject), &subject) != nil {
		return
	}
	change(&subject)
	if text, err := json.Marshal(subject); err == nil {
		w.run.Subject = string(text)
	}
}

// Asks is by what it is counted how often a rule asks.
func Asks(rule int64) string { return fmt.Sprintf("asks %d", rule) }

// Begun tells whether the run has a file already.
func (w *Writer) Begun(name string) bool { return w.pieces[name] > 0 || len(w.text[name]) > 0 }

// ID is the number of the run.
func (w *Writer) ID() int64 { return w.run.ID }

// Total says how much there is to do.
func (w *Writer) Total(count int) { w.run.Total = count }

// Found adds something that was found; what matters more has a lower rank.
func (w *Writer) Found(rank int, result any) {
	w.place++
	w.results = append(w.results, store.RunResult{Rank: rank, Place: w.place, Result: result})
}

// Held is how much was found that is not kept yet.
func (w *Writer) Held() int { return len(w.results) }

// Unfound lets go of what was found since so much was held: it did not come about.
func (w *Writer) Unfound(held int) { w.results = w.results[:held] }

// Counts are what a run has counted so far, by what was counted.
type Counts map[string]int

// Came says how far the run is, and its counts so far. It keeps them now and then.
func (w *Writer) Came(ctx context.Context, done int, counts Counts) error {
	if err := w.came(done, counts); err != nil {
		return err
	}
	if time.Since(w.kept) < often && len(w.results) < mostHeld && w.held < mostText { //nolint:forbidigo // how long ago, not what time it is
		return nil
	}
	return w.keep(ctx)
}

// came notes how far the run is.
func (w *Writer) came(done int, counts Counts) error {
	text, err := json.Marshal(counts)
	w.run.Done, w.run.Found = done, string(text)
	return err
}

// Keep keeps how far the run is at once, before a step that may not come about.
func (w *Writer) Keep(ctx context.Context, done int, counts Counts) error {
	if err := w.came(done, counts); err != nil {
		return err
	}
	return w.keep(ctx)
}

func (w *Writer) keep(ctx context.Context) error {
	if err := w.keepIn(ctx, w.service.store); err != nil {
		return err // what was found is kept with the next step
	}
	w.forget()
	return nil
}

func (w *Writer) keepIn(ctx context.Context, tx *store.Store) error {
	var pieces []store.RunPiece
	for name, text := range w.text {
		pieces = append(pieces, store.RunPiece{Name: name, Place: w.pieces[name], Text: text})
	}
	return tx.SaveRun(ctx, w.run, w.results, pieces)
}

// forget lets go of what is kept.
func (w *Writer) forget() {
	for name := range w.text {
		w.pieces[name]++
	}
	clear(w.text)
	w.last = w.run
	w.results, w.held, w.kept = w.results[:0], 0, time.Now() //nolint:forbidigo // how long ago, not what time it is
}

// CameWith says how far the run is within a transaction, so that what is done and how far it is are kept together. The
// caller calls Kept when the transaction is committed.
func (w *Writer) CameWith(ctx context.Context, tx *store.Store, done int, counts Counts) error {
	if err := w.came(done, counts); err != nil {
		return err
	}
	return w.keepIn(ctx, tx)
}

// InOrder judges changes and writes them in their order. note is told of each what became of it, and returns what ends the run;
// came says how far that is, which is kept with what is written.
func (w *Writer) InOrder(ctx context.Context, line *commit.Line, judges []commit.Judge, note func(i int, err error) error, came func() (done int, counts Counts)) error {
	noted := 0
	err := line.InOrder(ctx, commit.Batch{
		Judges: judges, Kept: func(int) { w.Kept() },
		With: func(ctx context.Context, tx *store.Store, until int, errs []error) error {
			for ; noted < until; noted++ {
				if err := note(noted, errs[noted]); err != nil {
					return err
				}
			}
			done, counts := came()
			return w.CameWith(ctx, tx, done, counts)
		},
	})
	if err != nil {
		w.Drop()
	}
	return err
}

// Kept says that what CameWith wrote is committed.
func (w *Writer) Kept() { w.forget() }

// List returns the newest runs.
func (s *Service) List(ctx context.Context) ([]contract.Run, error) {
	if err := access.Person(ctx); err != nil {
		return nil, err
	}
	all, err := s.store.Runs(ctx, MostKept)
	return shownAll(slices.DeleteFunc(all, func(r Run) bool { return !Seen(ctx, &r) })), err
}

// Get returns a run.
func (s *Service) Get(ctx context.Context, id int64) (contract.Run, error) {
	if err := access.Person(ctx); err != nil {
		return contract.Run{}, err
	}
	r, err := s.store.Run(ctx, id)
	if err == nil && !Seen(ctx, &r) {
		err = &store.NotFoundError{What: "run", Key: strconv.FormatInt(id, 10)}
	}
	if err != nil {
		return contract.Run{}, commit.Explain(err)
	}
	return Shown(&r), nil
}

// takes is which permission it takes to see what others let runs do.
var takes = map[contract.RunWhat]actor.Permission{
	contract.RunWhatExport: actor.RecordsExport, contract.RunWhatDuplicates: actor.RecordsRead,
	contract.RunWhatImpact: actor.RulesRead, contract.RunWhatReplay: actor.RulesRead, contract.RunWhatProofs: actor.RulesRead, contract.RunWhatBreaks: actor.RulesRead,
	contract.RunWhatFindings: actor.RulesRead, contract.RunWhatTrail: actor.TrailRead,
}

// Seen tells whether who asks may see a run: they started it, or they may do what it does in all companies in which it does it.
func Seen(ctx context.Context, r *Run) bool {
	who := actor.Of(ctx)
	if r.Started.Person == who.ID {
		return true
	}
	permission, known := takes[contract.RunWhat(r.What)]
	if !known {
		permission = actor.RecordsMany
	}
	if !who.Rights.Has(permission, "") {
		return false
	}
	return who.Rights.All() || (r.Companies != nil && !slices.ContainsFunc(r.Companies, func(c string) bool { return !who.Rights.In(c) }))
}

// Stop ends a run as soon as it can; what it found stays.
func (s *Service) Stop(ctx context.Context, id int64) (contract.Run, error) {
	if err := access.Person(ctx); err != nil {
		return contract.Run{}, err
	}
	r, err := s.Get(ctx, id)
	if err != nil {
		return r, err
	}
	s.mutex.Lock()
	if stop := s.working[id]; stop != nil {
		stop()
	}
	s.mutex.Unlock()
	return s.Get(ctx, id)
}

// Working counts the runs that work or wait.
func (s *Service) Working() int {
	s.mutex.Lock()
	defer s.mutex.Unlock()
	return len(s.working)
}

var working = notice.Define("working", "this run still works; stop it first")

// Remove removes a run that has ended, with what it found.
func (s *Service) Remove(ctx context.Context, id int64) error {
	if err := access.Person(ctx); err != nil {
		return err
	}
	r, err := s.Get(ctx, id)
	if err != nil {
		return err
	}
	s.mutex.Lock()
	_, works := s.working[id]
	s.mutex.Unlock()
	if works {
		return fault.Hindered(working)
	}
	who := actor.Of(ctx)
	by := record.Stamp{At: store.Instant(s.clock()), By: who.Name, Person: who.ID, Via: string(who.Via)}
	return errors.Join(s.store.DeleteRun(ctx, id), s.store.Note(ctx, by, store.TrailEntry{What: "removed", Kind: "run", Key: strconv.FormatInt(id, 10), Note: r.Title}))
}

// Hits returns some of what a run found, those that matter more first, from a place on.
func (s *Service) Hits(ctx context.Context, id int64, after string, limit int) (contract.RunHits, error) {
	if err := access.Person(ctx); err != nil {
		return contract.RunHits{}, err
	}
	return s.hits(ctx, id, after, limit, math.MinInt32, math.MaxInt32)
}

// HitsOf returns the same of one rank.
func (s *Service) HitsOf(ctx context.Context, id int64, after string, limit, rank int) (contract.RunHits, error) {
	if err := access.Person(ctx); err != nil {
		return contract.RunHits{}, err
	}
	return s.hits(ctx, id, after, limit, rank, rank)
}

func (s *Service) hits(ctx context.Context, id int64, after string, limit, rank, until int) (page contract.RunHits, err error) {
	page.Hits = []contract.RunHit{}
	if _, err := s.Get(ctx, id); err != nil {
		return page, err
	}
	place := 0
	if after != "" {
		if _, err := fmt.Sscanf(after, "%d-%d", &rank, &place); err != nil {
			return page, fault.Bad(fault.NotAPlace, after)
		}
	}
	err = s.store.RunResults(ctx, id, rank, place, limit+1, until, func(r, p int, text []byte) error {
		if len(page.Hits) == limit {
			page.Next = fmt.Sprintf("%d-%d", rank, place)
			return nil
		}
		var hit contract.RunHit
		if err := json.Unmarshal(text, &hit); err != nil {
			return err
		}
		page.Hits, rank, place = append(page.Hits, hit), r, p
		return nil
	})
	return page, err
}

// toCorrect writes what a run found of a rule as rows that can be corrected and loaded: the number of the record, the field that
// is to be another, and why.
func (s *Service) toCorrect(ctx context.Context, run, rule int64, to io.Writer) error {
	var head []string
	for after := ""; ; {
		page, err := s.HitsOf(ctx, run, after, 500, int(rule))
		if err != nil {
			return err
		}
		var rows [][]string
		for _, h := range page.Hits {
			if head == nil {
				head = []string{"number", "record", "why"}
				if len(h.Changes) > 0 {
					head = append(head, "line", h.Changes[0].Field)
				}
				rows = append(rows, head)
			}
			row := []string{h.Number, h.Title, h.Said}
			if len(h.Changes) > 0 {
				line := ""
				if h.Changes[0].Line > 0 {
					line = strconv.Itoa(h.Changes[0].Line)
				}
				row = append(row, line, h.Changes[0].Before.Value)
			}
			rows = append(rows, row)
		}
		if err := exchange.WriteTo(to, rows); err != nil {
			return err
		}
		if after = page.Next; after == "" {
			return nil
		}
	}
}

// Export writes what a run leaves as CSV: its file, or what it found, some of it in memory; of one rule in a form that can be
// corrected and loaded; 0: of all.
func (s *Service) Export(ctx context.Context, run, rule int64, to io.Writer) error {
	if err := access.Person(ctx); err != nil {
		return err
	}
	of, err := s.Get(ctx, run)
	if err != nil {
		return err
	}
	who := actor.Of(ctx)
	by := record.Stamp{At: store.Instant(s.clock()), By: who.Name, Person: who.ID, Via: string(who.Via)}
	if err := s.store.Note(ctx, by, store.TrailEntry{What: "exported", Kind: "run", Key: strconv.FormatInt(run, 10)}); err != nil {
		return err
	}
	if rule != 0 {
		return s.toCorrect(ctx, run, rule, to)
	}
	err = s.store.RunFile(ctx, run, File, to)
	if !errors.Is(err, store.ErrNotFound) {
		return err
	}
	head, more := []string{"kind", "number", "title", "company", "type", "what", "field", "line", "before", "after", "told"}, func(*contract.RunHit) []string { return nil }
	if of.What == contract.RunWhatReplay {
		head = append(head, "posted", "differs already", "facts unknown")
		more = func(h *contract.RunHit) []string {
			return []string{strconv.FormatBool(h.Posted), strconv.FormatBool(h.Drifted), strconv.FormatBool(h.Unknown)}
		}
	}
	if err := exchange.WriteTo(to, [][]string{head}); err != nil {
		return err
	}
	for after := ""; ; {
		page, err := s.Hits(ctx, run, after, 500)
		if err != nil {
			return err
		}
		var rows [][]string
		for _, h := range page.Hits {
			base := []string{h.Kind, numbered(&h), h.Title, h.Company, h.Type, string(h.What)}
			for _, c := range h.Changes {
				line := ""
				if c.Line > 0 {
					line = strconv.Itoa(c.Line)
				}
				rows = append(rows, slices.Concat(base, []string{c.Field, line, c.Before.Value, c.After.Value, ""}, more(&h)))
			}
			if h.Said != "" || len(h.Changes) == 0 {
				rows = append(rows, slices.Concat(base, []string{"", "", "", "", h.Said}, more(&h)))
			}
		}
		if err := exchange.WriteTo(to, rows); err != nil {
			return err
		}
		if after = page.Next; after == "" {
			return nil
		}
	}
}

// numbered is the number of what a hit is about.
func numbered(h *contract.RunHit) string {
	switch {
	case h.Number != "":
		return h.Number
	case h.Proof > 0:
		return "proof " + strconv.FormatInt(h.Proof, 10)
	case h.Rule > 0:
		return "rule " + strconv.FormatInt(h.Rule, 10)
	}
	return ""
}

// Resume says of the runs that the end of the program cut off that it did, and returns them.
func (s *Service) Resume(ctx context.Context) ([]Run, error) {
	return s.store.CutOffRuns(ctx, store.Instant(s.clock()))
}

// About returns the newest runs of a load.
func (s *Service) About(ctx context.Context, load int64) ([]contract.Run, error) {
	all, err := s.store.RunsAbout(ctx, load, MostKept)
	return shownAll(all), err
}

func shownAll(all []Run) []contract.Run {
	shown := make([]contract.Run, len(all))
	for i := range all {
		shown[i] = Shown(&all[i])
	}
	return shown
}

// Close stops what works and waits for it.
func (s *Service) Close() {
	s.mutex.Lock()
	s.closing = true
	for _, stop := range s.working {
		stop()
	}
	s.mutex.Unlock()
	s.group.Wait()
}
