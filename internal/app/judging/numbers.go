package judging

import (
	"context"
	"crypto/sha256"
	"fmt"
	"maps"
	"math/rand/v2"

	"codicil/core/notice"
	"codicil/core/record"
	"codicil/core/table"
	"codicil/internal/app/commit"
	"codicil/internal/cache"
	"codicil/internal/fault"
	"codicil/internal/store"
)

// Numbers gives the next numbers of series to one document. Nothing is taken before the
// document is kept: see Take.
type Numbers struct {
	service *Service
	ctx     context.Context
	counted map[string]int64 // the last count that was given, by name, as far as it was read
	seed    string
	given   map[string]int64 // the last that this document got
	failed  error
}

// CountName is where the counts of a series stand among those of the store.
func CountName(s *table.Series, p table.Place) string { return "#" + s.Counts(p) }

// Next returns the next number of a series.
func (n *Numbers) Next(s *table.Series, p table.Place) (string, error) {
	name := CountName(s, p)
	if n.failed = n.count(name); n.failed != nil {
		return "", n.failed
	}
	last, here := n.given[name]
	if !here {
		last = n.counted[name]
	}
	next := s.Next(last)
	text, err := s.Format(next, p, Drawn(n.seed, name, next))
	if err == nil {
		n.given[name] = next
	}
	return text, err
}

// count reads the last count of a series, once.
func (n *Numbers) count(name string) (err error) {
	if n.given == nil {
		n.given, n.counted = map[string]int64{}, maps.Clone(commit.Given(n.ctx))
		if n.counted == nil {
			n.counted = map[string]int64{}
		}
		if _, n.seed, err = n.service.Cache.Version(n.ctx); err != nil {
			return err
		}
	}
	if _, known := n.counted[name]; known || n.service == nil {
		return nil
	}
	n.counted[name], err = n.service.Store.LastCount(n.ctx, name)
	return err
}

// Drawn makes the random parts of one number: from a seed that nobody sees and the count, so
// that the number that is shown ahead is the one that will be given.
func Drawn(seed, name string, count int64) func(int64) int64 {
	source := rand.New(rand.NewChaCha8(sha256.Sum256([]byte(fmt.Sprintf("%s\x00%s\x00%d", seed, name, count)))))
	return source.Int64N
}

// counts are the last counts before those that the document got, by name.
func (n *Numbers) counts() map[string]int64 {
	before := map[string]int64{}
	for name := range n.given {
		before[name] = n.counted[name]
	}
	return before
}

// Take takes the numbers that the document got, in the transaction that keeps it.
func (n *Numbers) Take(ctx context.Context, tx *store.Store) error {
	for name, last := range n.given {
		if err := tx.Count(ctx, name, n.counted[name], last); err != nil {
			return err
		}
	}
	return nil
}

var exhausted = notice.Define("exhausted", "{why}")

// Numbering returns how the records of a kind, company and type get their numbers: by the
// series that was designed for them, or else by the plain one of the kind. seed is for the
// random parts.
func Numbering(ref *cache.Reference, kind *record.Kind, p table.Place, seed string) store.Numbering {
	for i := range ref.Tables.Series {
		s := &ref.Tables.Series[i]
		if !s.Numbers.Covers(kind.Key, p.Company, p.Type) {
			continue
		}
		name := CountName(s, p)
		return store.Numbering{Name: name, Next: s.Next, Format: func(count int64) (string, error) {
			text, err := s.Format(count, p, Drawn(seed, name, count))
			if err != nil {
				return "", fault.Hindered(exhausted, err)
			}
			return text, nil
		}}
	}
	return store.Numbering{
		Name: kind.Key + "/" + p.Company, Next: func(last int64) int64 { return last + 1 },
		Format: func(count int64) (string, error) {
			return fmt.Sprintf("%s%s%0*d", kind.Prefix, p.Company, kind.Digits, count), nil
		},
	}
}
