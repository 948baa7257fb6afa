package duplicates

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"math"
	"runtime"
	"slices"

	"golang.org/x/sync/errgroup"

	"codicil/core/match"
	"codicil/core/record"
	"codicil/internal/access"
	"codicil/internal/actor"
	"codicil/internal/app/commit"
	"codicil/internal/app/judging"
	"codicil/internal/app/runs"
	"codicil/internal/contract"
	"codicil/internal/fault"
	"codicil/internal/store"
)

// Start begins a run that looks through all records of a kind for duplicates. Cost: reading them; what is compared waits
// in the data file, and of names those of about one length are in memory.
func (s *Service) Start(ctx context.Context, request contract.ScanRequest) (contract.Run, error) {
	if err := access.NeedFor(ctx, request.Kind, actor.RecordsRead); err != nil {
		return contract.Run{}, err
	}
	_, kind, err := s.base.KindOf(ctx, request.Kind)
	if err != nil {
		return contract.Run{}, err
	}
	if err := Check(kind, request.By); err != nil {
		return contract.Run{}, err
	}
	return runs.Asked(ctx, s.runs, contract.RunWhatDuplicates, kind.Plural, request.Name, request, func(ctx context.Context, w *runs.Writer, request contract.ScanRequest) error {
		k := &scan{service: s, kind: kind, by: request.By, w: w, counts: runs.Counts{"exact": 0, "near": 0}}
		return errors.Join(k.work(ctx), s.base.Store.DropScannedKeys(context.WithoutCancel(ctx), w.ID()))
	})
}

const (
	// keysAtOnce is how many keys are kept in one transaction, and namesAtOnce how many names are sought at once.
	keysAtOnce, namesAtOnce = 2_000, 400
	// mostOfGroup is how many records of one group are told, and mostOfScan how many groups and pairs of one scan.
	mostOfGroup, mostOfScan = 200, 100_000
)

// scan is a run that looks for duplicates.
type scan struct {
	service *Service
	kind    *record.Kind
	by      match.Unique
	w       *runs.Writer
	done    int
	counts  runs.Counts
}

// group is what a scan found, as it is kept.
type group struct {
	Exact   bool     `json:"exact"`
	Alike   int      `json:"alike"`
	Numbers []string `json:"numbers"`
	More    int      `json:"more,omitempty"`
}

func (k *scan) work(ctx context.Context) error {
	s := k.service.base.Store
	total, err := s.CountRecords(ctx, k.kind.Key, access.Scope(ctx))
	if err != nil {
		return err
	}
	k.w.Total(total)
	if err := s.DropScannedKeys(ctx, 0); err != nil {
		return err
	}
	var keys []store.ScannedKey
	flush := func() error {
		if err := s.AddScannedKeys(ctx, keys); err != nil {
			return err
		}
		keys = keys[:0]
		return k.w.Came(ctx, k.done, k.counts)
	}
	for r, err := range s.Records(ctx, k.kind.Key, access.Scope(ctx)) {
		if err != nil {
			return err
		}
		k.done++
		for _, key := range store.UniqueKeys(k.kind, k.by, r) {
			keys = append(keys, store.ScannedKey{Run: k.w.ID(), Company: key.Company, Key: key.Key, Beside: key.Beside, Letters: len([]rune(key.Name)), Name: key.Name, Number: r.Number})
		}
		if len(keys) >= keysAtOnce {
			if err := flush(); err != nil {
				return err
			}
		}
	}
	if err := flush(); err != nil {
		return err
	}
	if err := k.exact(ctx); err != nil {
		return err
	}
	if k.by.Near {
		if err := k.near(ctx); err != nil {
			return err
		}
	}
	return k.w.Came(ctx, k.done, k.counts)
}

// exact finds the records that have one key.
func (k *scan) exact(ctx context.Context) error {
	var last store.ScannedKey
	var g group
	end := func() error {
		defer func() { g = group{Exact: true, Alike: 100} }()
		if len(g.Numbers) < 2 {
			return nil
		}
		return k.found(ctx, 0, g)
	}
	g = group{Exact: true, Alike: 100}
	err := k.service.base.Store.ScannedKeys(ctx, k.w.ID(), store.ByKey, func(key *store.ScannedKey) error {
		if key.Company != last.Company || key.Key != last.Key {
			if err := end(); err != nil {
				return err
			}
		}
		last = *key
		switch n := len(g.Numbers); {
		case n > 0 && g.Numbers[n-1] == key.Number: // of several lines
		case n == mostOfGroup:
			g.More++
		default:
			g.Numbers = append(g.Numbers, key.Number)
		}
		return nil
	})
	if err != nil {
		return err
	}
	return end()
}

// found keeps a group, without those of its records that are different from all others of it.
func (k *scan) found(ctx context.Context, rank int, g group) error {
	if k.counts["exact"]+k.counts["near"] >= mostOfScan {
		k.counts["more"]++
		return nil
	}
	var kept []string
	for _, number := range g.Numbers {
		different, err := k.service.base.Store.DifferentFrom(ctx, k.kind.Key, number, g.Numbers)
		if err != nil {
			return err
		}
		if len(different) < len(g.Numbers)-1 || g.More > 0 {
			kept = append(kept, number)
		}
	}
	if g.Numbers = kept; len(kept) < 2 {
		k.counts["different"]++
		return nil
	}
	if g.Exact {
		k.counts["exact"]++
	} else {
		k.counts["near"]++
	}
	k.w.Found(rank, g)
	return k.w.Came(ctx, k.done, k.counts)
}

// name is a name that is compared with others.
type name = match.Joined[*store.ScannedKey]

// near finds the names that are almost equal.
func (k *scan) near(ctx context.Context) error {
	join := match.NewJoin[*store.ScannedKey]()
	var last store.ScannedKey
	var names []*name
	scratch := make([]match.Scratch, runtime.GOMAXPROCS(0))
	flush := func() error {
		pairs, left := make([][]match.Pair[*store.ScannedKey], len(names)), make([]bool, len(names))
		working, inner := errgroup.WithContext(ctx)
		for p := range scratch {
			working.Go(func() error {
				for i := p; i < len(names) && inner.Err() == nil; i += len(scratch) {
					var whole bool
					pairs[i], whole = join.Like(names[i], &scratch[p])
					left[i] = !whole
				}
				return inner.Err()
			})
		}
		if err := working.Wait(); err != nil {
			return err
		}
		for i, n := range names {
			if left[i] {
				k.counts["left"]++
			}
			for _, p := range pairs[i] {
				if p.Of.Number == n.Of.Number || p.Of.Key == n.Of.Key { // itself, or one of an exact group
					continue
				}
				g := group{Alike: p.Alike, Numbers: []string{min(n.Of.Number, p.Of.Number), max(n.Of.Number, p.Of.Number)}}
				if err := k.found(ctx, 1+100-p.Alike, g); err != nil {
					return err
				}
			}
		}
		names = names[:0]
		return nil
	}
	err := k.service.base.Store.ScannedKeys(ctx, k.w.ID(), store.ByName, func(key *store.ScannedKey) error {
		other := key.Company != last.Company || key.Beside != last.Beside
		// A longer name lets go of those that are too short for it: names of one length are sought together.
		if other || key.Letters != last.Letters || len(names) == namesAtOnce {
			if err := flush(); err != nil {
				return err
			}
		}
		if other {
			join = match.NewJoin[*store.ScannedKey]()
			clear(scratch)
		}
		last = *key
		own := *key
		names = append(names, join.Add(own.Name, &own))
		return nil
	})
	if err != nil {
		return err
	}
	return flush()
}

// Found returns some of what a scan found, as it is now. Cost: what is returned.
func (s *Service) Found(ctx context.Context, run int64, what, after string, limit int) (contract.DuplicatePage, error) {
	if err := access.Need(ctx, actor.RecordsRead); err != nil {
		return contract.DuplicatePage{}, err
	}
	page := contract.DuplicatePage{Groups: []contract.DuplicateGroup{}}
	r, err := s.base.Store.Run(ctx, run)
	if err != nil {
		return page, commit.Explain(err)
	}
	request, ok := requestOf(&r)
	if !ok {
		return page, fault.Bad(notAScan)
	}
	ref, kind, err := s.base.KindOf(ctx, request.Kind)
	if err != nil {
		return page, err
	}
	links := s.base.Links(ctx, ref, "")
	err = s.each(ctx, run, what, &after, limit, func(place string, g *group) error {
		shown, err := s.shown(ctx, links, kind, &request.By, g)
		shown.Place = place
		page.Groups = append(page.Groups, shown)
		return err
	})
	page.Next = after
	return page, err
}

// each reads some of what a scan found; after becomes the place to go on from, "" at the end.
func (s *Service) each(ctx context.Context, run int64, what string, after *string, limit int, do func(place string, g *group) error) error {
	rank, until, place := math.MinInt32, math.MaxInt32, 0
	switch what {
	case "exact":
		until = 0
	case "near":
		rank, place = 0, math.MaxInt32
	}
	if *after != "" {
		if _, err := fmt.Sscanf(*after, "%d-%d", &rank, &place); err != nil {
			return fault.Bad(fault.NotAPlace, *after)
		}
	}
	count, last := 0, ""
	*after = ""
	var groups []group
	var places []string
	err := s.base.Store.RunResults(ctx, run, rank, place, limit+1, until, func(rank, place int, text []byte) error {
		if count == limit {
			*after = last
			return nil
		}
		var g group
		if err := json.Unmarshal(text, &g); err != nil {
			return err
		}
		count, last = count+1, fmt.Sprintf("%d-%d", rank, place)
		groups, places = append(groups, g), append(places, last)
		return nil
	})
	for i := range groups {
		if err == nil {
			err = do(places[i], &groups[i])
		}
	}
	return err
}

// EachExact goes through the exact duplicates that a scan of a kind found, from after a place on: the numbers of those that are
// records by now, two or more.
func (s *Service) EachExact(ctx context.Context, run int64, kind, after string, do func(place string, numbers []string) error) error {
	r, err := s.base.Store.Run(ctx, run)
	if err != nil {
		return commit.Explain(err)
	}
	if request, ok := requestOf(&r); !ok || request.Kind != kind {
		return fault.Bad(notAScan)
	}
	for {
		err := s.each(ctx, run, "exact", &after, mostOfGroup, func(place string, g *group) error {
			records, _, err := s.now(ctx, kind, g)
			if err != nil || len(records) < 2 {
				return err
			}
			numbers := make([]string, len(records))
			for i, r := range records {
				numbers[i] = r.Number
			}
			return do(place, numbers)
		})
		if err != nil || after == "" {
			return err
		}
	}
}

// now are the records of a group that are still there, each once, and whether some of them were merged.
func (s *Service) now(ctx context.Context, kind string, g *group) (records []*record.Record, merged bool, err error) {
	for _, number := range g.Numbers {
		r, err := s.base.Leading(ctx, record.Ref{Kind: kind, Number: number})
		if err != nil {
			return nil, false, err
		}
		merged = merged || (r != nil && r.Number != number)
		if r != nil && !slices.ContainsFunc(records, func(have *record.Record) bool { return have.Number == r.Number }) {
			records = append(records, r)
		}
	}
	return records, merged, nil
}

// shown shows a group as it is now.
func (s *Service) shown(ctx context.Context, links *judging.Links, kind *record.Kind, by *match.Unique, g *group) (contract.DuplicateGroup, error) {
	shown := contract.DuplicateGroup{Exact: g.Exact, Alike: g.Alike, Aside: []contract.DuplicateGroupAside{}, State: contract.DuplicateGroupStateOpen, Records: []contract.DuplicateRecord{}, More: g.More}
	records, merged, err := s.now(ctx, kind.Key, g)
	if err != nil {
		return shown, err
	}
	for _, r := range records {
		d, err := s.Described(ctx, links, kind, r)
		if err != nil {
			return shown, err
		}
		shown.Records = append(shown.Records, d)
	}
	switch {
	case len(records) < 2 && merged:
		shown.State = contract.DuplicateGroupStateMerged
		return shown, nil
	case len(records) < 2:
		shown.State = contract.DuplicateGroupStateGone
		return shown, nil
	}
	var others []string
	for _, r := range records[1:] {
		others = append(others, r.Number)
	}
	different, err := s.base.Store.DifferentFrom(ctx, kind.Key, records[0].Number, others)
	if err != nil {
		return shown, err
	}
	if len(different) == len(others) {
		shown.State = contract.DuplicateGroupStateDifferent
	}
	if l := nearest(kind, by, records[0], records[1]); !g.Exact {
		shown.Alike, shown.Changes, shown.Letters = l.Alike, l.Changes, l.Letters
		for _, aside := range l.Aside {
			shown.Aside = append(shown.Aside, contract.DuplicateGroupAside(aside))
		}
	}
	return shown, nil
}

// mostLines is how many lines of a record are looked at for how alike it is to another.
const mostLines = 50

// nearest tells how alike two records are in the field that a definition compares as names; of lines, in those two that
// are the most alike.
func nearest(kind *record.Kind, by *match.Unique, a, b *record.Record) (best match.Likeness) {
	f := kind.Field(by.Fields[0])
	if f == nil {
		return best
	}
	texts := func(r *record.Record) (all []string) {
		if !f.OfLine() {
			return []string{r.Values[f.Key]}
		}
		for _, l := range r.Lines[:min(len(r.Lines), mostLines)] {
			all = append(all, l.Values[f.Column()])
		}
		return all
	}
	best.Alike = -1
	for _, one := range texts(a) {
		for _, two := range texts(b) {
			if l := match.Compare(one, two); l.Alike > best.Alike {
				best = l
			}
		}
	}
	return best
}
