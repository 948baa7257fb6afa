package store

import (
	"cmp"
	"context"
	"encoding/base64"
	"encoding/json"
	"errors"
	"runtime"
	"slices"
	"strings"
	"time"

	"golang.org/x/sync/errgroup"
	"gorm.io/gorm"

	"codicil/core/record"
)

// ErrPlace reports a place in a list that no page told.
var ErrPlace = errors.New("not a place in this list")

// ListQuery asks for a page of a list.
type ListQuery struct {
	*record.Selector
	// After is the Next of the page before; "": from the start, less Offset.
	After  string
	Offset int
	Limit  int
	// Uncounted leaves out how many there are.
	Uncounted bool
	// Heads leaves out, where the selection does not ask for it, what records hold: which they are and their state is read.
	Heads bool
	// Bands tells in which bands the numbers of a record are, where the selector filters by them.
	Bands func(r *record.Record) map[string]string
}

// ListPage is a page of a list.
type ListPage struct {
	Rows []record.Record
	// Total is how many the selection keeps. Where More is true there are more: they were counted as far as
	// mostCounted, or as long as counting may take.
	Total int
	More  bool
	// Next is the place after the last row; "" at the end.
	Next string
}

const (
	// mostCounted is up to how many records a list tells how many there are.
	mostCounted = 10_000
	// mostGathered is how many records are looked at one by one where words or filters find so many.
	mostGathered = 5_000
	// fewGathered is the same where only some are wanted, uncounted.
	fewGathered = 400
	// farDown is from where on of a list a walk to the page takes longer than looking at mostFarDown records one by one.
	farDown     = 1_000
	mostFarDown = 20_000
	// longestCount is how long counting may take beside a page, and longestWhole by itself.
	longestCount = 40 * time.Millisecond
	longestWhole = 10 * time.Second
)

// spot is where a record stands in an order: by its key, and among equals by when it was first saved.
type spot struct {
	Blank bool   `json:"b,omitempty"`
	Key   []byte `json:"k,omitempty"`
	ID    int64  `json:"i"`
}

func (p spot) String() string {
	text, _ := json.Marshal(p) // of plain values: it cannot fail
	return base64.RawURLEncoding.EncodeToString(text)
}

func spotOf(text string) (*spot, error) {
	if text == "" {
		return nil, nil
	}
	var p spot
	raw, err := base64.RawURLEncoding.DecodeString(text)
	if err == nil {
		err = json.Unmarshal(raw, &p)
	}
	if err != nil {
		return nil, ErrPlace
	}
	return &p, nil
}

// compare orders two spots; blanks go last whichever way the rest goes.
func (p spot) compare(o spot, descending bool) int {
	if p.Blank != o.Blank {
		if p.Blank {
			return 1
		}
		return -1
	}
	order := cmp.Or(slices.Compare(p.Key, o.Key), cmp.Compare(p.ID, o.ID))
	if descending {
		return -order
	}
	return order
}

// listing is a list that is being made.
type listing struct {
	ListQuery
	ctx   context.Context
	db    *gorm.DB
	index *kindIndex
	start *spot // the place that After names; nil: none
	// many are ids of records that words or bounds find, of which there are more.
	many [][]int64
	// scopes are the companies and types of those that the list is narrowed to, once they are known.
	scopes []recordScope
	// parts is how many may look for records at once.
	parts int
}

// List returns a page of a list. Cost: by an indexed order the page, as far as the filters keep what they
// meet; where words or bounds find few, those; by any other order a look into every record. It ends
// when nobody waits for it.
func (s *Store) List(ctx context.Context, q ListQuery) (page ListPage, err error) {
	l, err := s.listing(ctx, q)
	if err != nil {
		return page, err
	}
	most := mostGathered
	switch {
	case q.Uncounted:
		most = fewGathered
	case q.Offset >= farDown:
		most = mostFarDown
	}
	found, few, err := l.gathered(most)
	if err != nil {
		return page, err
	}
	if few {
		return l.among(found)
	}
	// The page and how many there are are found at once, but within a transaction, or where records have to be judged.
	var both errgroup.Group
	both.SetLimit(min(l.parts, 2))
	both.Go(func() error {
		if l.kept() {
			return l.walk(&page)
		}
		return l.sort(&page)
	})
	var total int
	var more bool
	if !q.Uncounted {
		both.Go(func() (err error) {
			total, more, err = l.count()
			return err
		})
	}
	err = both.Wait()
	page.Total, page.More = total, more
	if met := q.Offset + len(page.Rows); q.After == "" && !q.Uncounted {
		switch {
		case page.Next == "" && (len(page.Rows) > 0 || q.Offset == 0): // the page tells the end of the list
			page.Total, page.More = met, false
		default:
			page.Total = max(total, met)
		}
	}
	return page, err
}

func (s *Store) listing(ctx context.Context, q ListQuery) (*listing, error) {
	if err := s.settle(ctx); err != nil {
		return nil, err
	}
	l := &listing{ListQuery: q, ctx: ctx, db: s.db.WithContext(ctx), parts: min(runtime.GOMAXPROCS(0), mostParts)}
	if s.within || q.Bands != nil { // both are for one goroutine
		l.parts = 1
	}
	var err error
	if l.index, err = s.indexOf(ctx, q.Kind.Key); err != nil {
		return nil, err
	}
	l.start, err = spotOf(q.After)
	return l, err
}

// kept tells whether the order of the list is one that is kept.
func (l *listing) kept() bool { return l.By == nil || l.index.columns[l.By.Key] != 0 }

// condition is a condition of a statement with its values.
type condition struct {
	text   string
	values []any
}

func where(conditions []condition) (text string, values []any) {
	texts := make([]string, len(conditions))
	for i, c := range conditions {
		texts[i], values = c.text, append(values, c.values...)
	}
	return " WHERE " + strings.Join(texts, " AND "), values
}

// isWord tells whether a text is of small letters only.
func isWord(text string) bool {
	return text != "" && !strings.ContainsFunc(text, func(r rune) bool { return r < 'a' || r > 'z' })
}

// scope narrows records to companies, types and states.
func (l *listing) scope() []condition { return l.scopeOf("records.company") }

// scopeOf does so by a column that says of which company they are.
func (l *listing) scopeOf(company string) (conditions []condition) {
	for _, by := range []struct {
		column string
		among  []string
	}{{company, l.Companies}, {"records.type", l.Types}, {"records.state", l.States}} {
		switch {
		case len(by.among) == 0:
		case len(by.among) == 1 && by.column == "records.state" && isWord(by.among[0]): // written out, so that an index of one state can be used
			conditions = append(conditions, condition{"records.state = '" + by.among[0] + "'", nil})
		case len(by.among) == 1:
			conditions = append(conditions, condition{by.column + " = ?", []any{by.among[0]}})
		default:
			conditions = append(conditions, condition{by.column + " IN ?", []any{by.among}})
		}
	}
	return conditions
}

// keeps tells whether the selection keeps a record.
func (l *listing) keeps(r *record.Record) bool {
	listed := record.Listed{Number: r.Number, Company: r.Company, Type: r.Type, State: r.State, Former: r.Former, Content: r.Content}
	if l.Bands != nil {
		listed.Bands = l.Bands(r)
	}
	return l.Keeps(&listed)
}

// spot is where a record stands in the order of the list.
func (l *listing) spot(row *recordRow) spot {
	var key string
	switch {
	case l.By != nil:
		key = l.Key(row.Values[l.By.Key])
	case l.Sort == record.ByCompany:
		key = row.Company
	case l.Sort == record.ByType:
		key = row.Type
	case l.Sort == record.ByState:
		key = row.State
	case l.Sort == record.ByChange:
		key = row.Changed.At
	default:
		key = row.Number
	}
	return spot{key == "", []byte(key), row.ID}
}

// EachListed goes through all records of a list in its order, some of them in memory; in an order that is not kept,
// where each stands is besides.
func (s *Store) EachListed(ctx context.Context, q ListQuery, do func(r *record.Record) error) error {
	l, err := s.listing(ctx, q)
	if err != nil {
		return err
	}
	found, few, err := l.gathered(mostGathered)
	if err != nil {
		return err
	}
	if !few && l.kept() {
		return l.along(l.told(), func(r *record.Record, _ spot) (bool, error) { return true, do(r) })
	}
	var all []spot
	if few {
		all, err = l.spotsAmong(found)
	} else {
		err = l.spots(func(at spot) { all = append(all, at) })
	}
	if err != nil {
		return err
	}
	slices.SortFunc(all, func(a, b spot) int { return a.compare(b, l.Descending) })
	for some := range slices.Chunk(all, recordsAtOnce) {
		page := ListPage{}
		l.Limit = len(some)
		if err := l.cut(&page, some); err != nil {
			return err
		}
		for i := range page.Rows {
			if err := do(&page.Rows[i]); err != nil {
				return err
			}
		}
	}
	return nil
}
