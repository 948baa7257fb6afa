// Package app puts the use cases together over one store. Each subject is a package of its own;
// who asks, and from where, travels in the context.
//
// It must never know HTTP or screens. Start reading at App.
package app

import (
	"codicil/internal/app/backups"
	"codicil/internal/app/batches"
	"codicil/internal/app/books"
	"codicil/internal/app/breaks"
	"codicil/internal/app/catalog"
	"codicil/internal/app/codicils"
	"codicil/internal/app/coverage"
	"codicil/internal/app/derive"
	"codicil/internal/app/duplicates"
	"codicil/internal/app/fields"
	"codicil/internal/app/findings"
	"codicil/internal/app/formulas"
	"codicil/internal/app/impact"
	"codicil/internal/app/judging"
	"codicil/internal/app/kinds"
	"codicil/internal/app/learning"
	"codicil/internal/app/lists"
	"codicil/internal/app/loads"
	"codicil/internal/app/merging"
	"codicil/internal/app/news"
	"codicil/internal/app/people"
	"codicil/internal/app/personal"
	"codicil/internal/app/posting"
	"codicil/internal/app/proofs"
	"codicil/internal/app/records"
	"codicil/internal/app/replay"
	"codicil/internal/app/rules"
	"codicil/internal/app/runs"
	"codicil/internal/app/tables"
	"codicil/internal/app/takeback"
	"codicil/internal/app/trail"
	"codicil/internal/app/trials"
	"codicil/internal/app/waiting"
	"codicil/internal/clock"
	"codicil/internal/store"
	"context"
	"errors"
	"log/slog"
	"sync"
	"time"
)

// App is the application: its use cases by subject. It may be used by several goroutines.
type App struct {
	Catalog  *catalog.Service
	Fields   *fields.Service
	Tables   *tables.Service
	Lists    *lists.Service
	Learning *learning.Service
	Kinds    *kinds.Service
	Records  *records.Service
	Posting  *posting.Service
	Trials   *trials.Service
	Rules    *rules.Service
	Impact   *impact.Service
	Formulas *formulas.Service
	Proofs   *proofs.Service
	Coverage *coverage.Service
	Findings *findings.Service
	Waiting  *waiting.Service
	Books    *books.Service
	Runs     *runs.Service
	Loads    *loads.Service
	Derive   *derive.Service
	TakeBack *takeback.Service
	Breaks   *breaks.Service
	// Latest finds what somebody keyed before, and Batches keeps piles of documents that are keyed together.
	Latest  *records.Latest
	Batches *batches.Service
	// Duplicates finds records that are twice, and Merging makes one of them.
	Duplicates *duplicates.Service
	Merging    *merging.Service
	// People keeps who may do what, and Trail tells what was done.
	People *people.Service
	SignIn *people.SignIn
	Keys   *people.Keys
	// Provider signs people in by OpenID Connect, where it is set up.
	Provider *people.Provider
	Passkeys *people.Passkeys
	Trail    *trail.Service
	// News tells what others do meanwhile.
	News *news.Service
	// Personal blanks what is about a person.
	Personal *personal.Service
	// Codicils keeps the sets of changes of the rule book.
	Codicils *codicils.Service
	// Things tells what codicils made of one table, field, layout or map, and takes it back.
	Things *codicils.Things
	// Signing keeps who must sign them.
	Signing *codicils.Signers
	// Replay tells what a codicil would do to what exists.
	Replay *replay.Service
	// Backups makes copies of all there is.
	Backups *backups.Service

	live  *records.Live
	store *store.Store
	base  *judging.Service
	// views are the application as it shows by other rule books.
	views views
	// checks end with stop.
	checks sync.WaitGroup
	ctx    context.Context //nolint:containedctx // that of the work beside requests, which Close ends
	stop   context.CancelFunc
}

// New returns the application over a store.
func New(s *store.Store, now clock.Clock) *App {
	j := judging.New(s, now)
	a := assemble(j, runs.New(s, now))
	a.store = s
	a.Replay = replay.New(j, a.Runs, func(ctx context.Context, v store.View) (*judging.Service, error) {
		by, err := a.Viewed(ctx, v)
		if err != nil {
			return nil, err
		}
		return by.base, nil
	})
	a.Signing = codicils.NewSigners(j)
	a.Codicils = codicils.New(a.parts(), a.Replay, a.Signing, func(ctx context.Context, v store.View) (codicils.Parts, error) {
		by, err := a.Viewed(ctx, v)
		if err != nil {
			return codicils.Parts{}, err
		}
		return by.parts(), nil
	})
	a.Things = codicils.NewThings(a.Codicils)
	s.Govern(a.Signing.Must)
	a.ctx, a.stop = context.WithCancel(context.Background())
	return a
}

// parts are the use cases with which codicils are checked.
func (a *App) parts() codicils.Parts {
	return codicils.Parts{Base: a.base, Rules: a.Rules, Fields: a.Fields, Findings: a.Findings}
}

func assemble(j *judging.Service, work *runs.Service) *App {
	live := records.NewLive(j)
	effects := impact.New(j, work)
	a := &App{
		Records: records.New(j, live, work), Trials: trials.New(j), Rules: rules.New(j, effects), Impact: effects, Runs: work, Formulas: formulas.New(j),
		base: j, Proofs: proofs.New(j), Coverage: coverage.New(j, work), Findings: findings.New(j, work), Waiting: waiting.New(j), live: live, Trail: trail.New(j, work),
	}
	a.People, a.SignIn, a.Keys, a.Provider, a.Passkeys = people.New(j)
	a.Backups, a.News = backups.New(j), news.New(j)
	a.Personal = personal.New(j, live.Resume, a.Backups)
	a.Posting = posting.New(j, live, a.Proofs)
	a.Latest, a.Batches = records.NewLatest(j), batches.New(j, a.Records, a.Posting)
	a.Loads = loads.New(j, a.Records, a.Posting, work, func(inner *judging.Service) *records.Service {
		return records.New(inner, records.NewLive(inner), work)
	})
	a.Breaks = breaks.New(j, work)
	a.Duplicates = duplicates.New(j, work)
	a.Merging = merging.New(j, a.Records, a.Duplicates, work)
	a.Derive, a.TakeBack = derive.New(j, a.Records, work), takeback.New(j, a.Records, a.Merging, work)
	a.Loads.TakeBack = a.TakeBack.Follow
	a.Tables = tables.New(j, a.Rules)
	a.Lists = lists.New(j)
	a.Learning = learning.New(j, work, a.Rules, a.Tables, a.Proofs, a.Coverage)
	a.Catalog = catalog.New(j, a.Records, a.Rules, a.Proofs, a.Posting)
	a.Catalog.Backup = a.Backups.Problem
	a.Fields = fields.New(j, a.Rules, a.Rules, a.Proofs, a.Catalog)
	a.Kinds = kinds.New(j, a.Catalog, func(inner *judging.Service) kinds.Parts {
		within := assemble(inner, work)
		return kinds.Parts{Catalog: within.Catalog, Fields: within.Fields}
	})
	a.Books = books.New(j, a.Rules, func(inner *judging.Service) books.Parts {
		within := assemble(inner, work)
		return books.Parts{Catalog: within.Catalog, Fields: within.Fields, Tables: within.Tables, Lists: within.Lists, Kinds: within.Kinds, Rules: within.Rules}
	})
	return a
}

// Resume finishes what was begun when the program ended.
func (a *App) Resume(ctx context.Context) error {
	cut, err := a.Runs.Resume(ctx)
	return errors.Join(err, a.live.Resume(ctx), a.Rules.Resume(ctx), a.Loads.Resume(ctx, cut), a.Derive.Resume(ctx, cut), a.Merging.Resume(ctx, cut), a.TakeBack.Resume(ctx, cut))
}

// Ready tells whether the data can be read.
func (a *App) Ready(ctx context.Context) error {
	_, err := a.base.Cache.Reference(ctx)
	return err
}

const (
	// recordsPart and namesPart are which part of the memory keeps records that were read lately, and names that must not be almost
	// equal, of each rule: a fifth, and a seventh.
	recordsPart, namesPart = 5, 7
)

// LimitMemory shares about so many bytes of memory out to what is kept in it.
func (a *App) LimitMemory(bytes int) {
	a.base.Cache.Records.Limit(bytes / recordsPart)
	a.store.LimitNames(bytes / namesPart)
}

// Watch looks at every page of the data file, beside all else, which reads the whole file once; and until the application
// closes it writes what is refused to the trail, and brings codicils into force at their time.
func (a *App) Watch() {
	a.checks.Go(func() { a.People.Keep(a.ctx) })
	a.checks.Go(func() { a.Codicils.Keep(a.ctx) })
	a.checks.Go(func() {
		if err := a.store.Check(a.ctx); err != nil && a.ctx.Err() == nil {
			slog.Error("the data file was looked at", "error", err)
		}
	})
}

// Back makes backups by a plan, beside all else, until the application closes.
func (a *App) Back(p backups.Plan) { a.checks.Go(func() { a.Backups.Run(a.ctx, p) }) }

// Count counts what breaks the checks in force again and again, beside all else, until the application closes.
func (a *App) Count(every time.Duration) { a.checks.Go(func() { a.Breaks.Keep(a.ctx, every) }) }

// Figures are numbers for those who watch the program.
type Figures struct {
	store.Figures
	Damaged bool
	Changes int64 // that were written since the start, many of them in one commit
	Runs    int   // that work or wait
}

// Figures returns them.
func (a *App) Figures() Figures {
	return Figures{a.store.Figures(), a.store.Damaged(), a.base.Line.Written(), a.Runs.Working()}
}

// Close ends the work that goes on beside requests, and says what it cut off.
func (a *App) Close() {
	if a.stop != nil {
		a.stop()
	}
	a.News.End()
	a.Runs.Close()
	a.checks.Wait()
}
