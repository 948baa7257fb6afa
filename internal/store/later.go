package store

import (
	"context"
	"strings"

	"codicil/core/record"
	"codicil/internal/ledger"
)

// later is what a transaction writes at its end, gathered: words of records, what came of rules, balances. Many changes in
// one transaction touch the same rows of these, and the index of words writes itself out at the beginning and end of every
// part of a transaction.
type later struct {
	writes []laterWrite
	keys   []keyChange  // that the transaction files and takes away
	links  []record.Ref // that records name newly
	// counts are the last counts of series that the transaction gave, by name; it is replaced, never changed.
	counts map[string]int64
	trail  []TrailEntry
	// head is what the codicil says in which all is that the transaction changes of the rule book; nil: each change has one of its
	// own. codicil is its number, 0 as long as there is none; drafts are the rules that were drafted; it is replaced, never changed.
	head    *CodicilHead
	codicil int64
	drafts  []int64
}

// laterWrite is one of these.
type laterWrite struct {
	words   *wordsChange
	uses    [][4]any // rows of addUses
	ledger  string
	entries []ledger.Entry
	kind    string
	records int // that there are more of the kind
}

// wordsChange says by what words a record is found.
type wordsChange struct {
	record  int64
	removed bool // those it had
	text    string
	added   bool
}

// mostLater is how much waits for the end.
const mostLater = 2_000

// writeLater writes something at the end of the transaction, or at once where there is none.
func (s *Store) writeLater(ctx context.Context, w laterWrite) error {
	if s.later == nil {
		return s.writeNow(ctx, []laterWrite{w})
	}
	s.later.writes = append(s.later.writes, w)
	if len(s.later.writes) >= mostLater {
		return s.settle(ctx)
	}
	return nil
}

// settle writes what waits for the end of the transaction. Who reads it within the transaction settles first.
func (s *Store) settle(ctx context.Context) error {
	if s.later == nil || (len(s.later.writes) == 0 && len(s.later.counts) == 0 && len(s.later.trail) == 0) {
		return nil
	}
	if entries := s.later.trail; len(entries) > 0 {
		s.later.trail = nil
		if err := s.writeTrail(ctx, entries); err != nil {
			return err
		}
	}
	for name, last := range s.later.counts {
		err := s.db.WithContext(ctx).Exec("INSERT INTO series (key, last) VALUES (?, ?) ON CONFLICT (key) DO UPDATE SET last = excluded.last", name, last).Error
		if err != nil {
			return err
		}
	}
	s.later.counts = nil
	// A part that fails goes back to the writes that waited when it began: they stay as they are.
	writes := s.later.writes
	s.later.writes = nil
	return s.writeNow(ctx, writes)
}

func (s *Store) writeNow(ctx context.Context, writes []laterWrite) error {
	words, order := map[int64]*wordsChange{}, []int64{}
	uses, rules := map[int64][4]any{}, []int64{}
	entries := map[string][]ledger.Entry{}
	records := map[string]int{}
	for _, w := range writes {
		if w.records != 0 {
			records[w.kind] += w.records
		}
		if c := w.words; c != nil {
			if known := words[c.record]; known != nil {
				known.text, known.added = c.text, c.added
			} else {
				first := *c
				words[c.record] = &first
				order = append(order, c.record)
			}
		}
		for _, row := range w.uses {
			id := row[0].(int64)
			sum, known := uses[id]
			if !known {
				rules, sum = append(rules, id), [4]any{id, 0, "", 0}
			}
			at := max(sum[2].(string), row[2].(string))
			if id == 0 && sum[2] != "" {
				at = sum[2].(string) // since when it is counted
			}
			uses[id] = [4]any{id, sum[1].(int) + row[1].(int), at, sum[3].(int) + row[3].(int)}
		}
		if len(w.entries) > 0 {
			entries[w.ledger] = append(entries[w.ledger], w.entries...)
		}
	}
	for _, record := range order {
		if err := s.writeWords(*words[record]); err != nil {
			return err
		}
	}
	if len(rules) > 0 {
		rows := make([][4]any, len(rules))
		for i, id := range rules {
			rows[i] = uses[id]
		}
		if err := s.addUses(rows); err != nil {
			return err
		}
	}
	for kind, more := range records {
		if err := s.countRecords(kind, more); err != nil {
			return err
		}
	}
	for name, all := range entries {
		if err := s.balance(ctx, name, all, 1); err != nil {
			return err
		}
	}
	return nil
}

// fileWords says by what grams a record is found: before are those it had, nil for none, and after those it has.
func (s *Store) fileWords(ctx context.Context, id int64, before, after []string) error {
	c := wordsChange{record: id, removed: before != nil, added: after != nil}
	if after != nil {
		c.text = strings.Join(terms(after), " ")
	}
	return s.writeLater(ctx, laterWrite{words: &c})
}
