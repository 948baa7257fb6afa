package store

import (
	"context"
	"errors"
	"fmt"
	"path/filepath"

	"codicil/core/record"
	"codicil/internal/ledger"
)

// Folder is that of the data file; "" for one in memory.
func (s *Store) Folder() string {
	if s.shared.path == "" {
		return ""
	}
	return filepath.Dir(s.shared.path)
}

// CopyTo copies the data into a new file as they are at one moment, and returns the head of the trail of then. Others go on
// reading and writing.
func (s *Store) CopyTo(ctx context.Context, path string) (head TrailHead, err error) {
	if s.shared.path == "" {
		err = s.db.WithContext(ctx).Exec(copyInto, path).Error
	} else {
		err = copyFile(ctx, s.shared.path, path)
	}
	if err != nil {
		return head, explain(err)
	}
	return whole(ctx, path)
}

// Unsound is something that is not as it should be in a file.
type Unsound struct {
	What string // "file", "links", "balances", "counts", "trail"
	Why  string
}

// Sound looks at everything that can be told of a file without asking a rule: its pages, what leads nowhere, the balances, the
// counts, and the trail against heads that were kept outside. Cost: all of it, some in memory.
func (s *Store) Sound(ctx context.Context, heads map[int64][]byte) (found []Unsound, err error) {
	say := func(what, format string, values ...any) {
		found = append(found, Unsound{what, fmt.Sprintf(format, values...)})
	}
	if err := s.Check(ctx); err != nil {
		if ctx.Err() != nil {
			return nil, err
		}
		say("file", "%v", errors.Unwrap(err))
	}
	var rows []map[string]any
	if err := s.db.WithContext(ctx).Raw(checkLinks).Find(&rows).Error; err != nil {
		return found, err
	}
	for _, row := range rows[:min(len(rows), mostUnsound)] {
		say("links", "row %v of %v leads to a row of %v that is not there", row["rowid"], row["table"], row["parent"])
	}
	if err := s.balanced(ctx, say); err != nil {
		return found, err
	}
	if err := s.counted(ctx, say); err != nil {
		return found, err
	}
	if _, err := s.VerifyTrail(ctx, heads, nil); err != nil {
		broken, is := IsTrailBroken(err)
		if !is {
			return found, err
		}
		say("trail", "%v", broken)
	}
	return found, nil
}

// mostUnsound is how many of one sort are told.
const mostUnsound = 20

// balanced compares balances with the journal, and debit with credit.
func (s *Store) balanced(ctx context.Context, say func(what, format string, values ...any)) error {
	for _, name := range []string{ledger.Books, ledger.Practice} {
		sums := map[[3]string]*ledger.Balance{}
		for before := int64(0); ; {
			entries, next, err := s.Entries(ctx, name, nil, before, entriesAtOnce)
			if err != nil {
				return err
			}
			for _, b := range ledger.Balances(entries, ledger.ByAccount) {
				at := [3]string{b.Company, b.Key, b.Currency}
				if sums[at] == nil {
					sums[at] = &ledger.Balance{}
				}
				sums[at].Debit, sums[at].Credit = sums[at].Debit.Plus(b.Debit), sums[at].Credit.Plus(b.Credit)
			}
			if before = next; before == 0 {
				break
			}
		}
		var after ledger.Balance
		for {
			kept, err := s.Balances(ctx, BalanceQuery{Ledger: name, By: ledger.ByAccount, After: after, Limit: entriesAtOnce})
			if err != nil {
				return err
			}
			for _, b := range kept {
				at := [3]string{b.Company, b.Key, b.Currency}
				of := sums[at]
				if of == nil || of.Debit.Cmp(b.Debit) != 0 || of.Credit.Cmp(b.Credit) != 0 {
					say("balances", "account %s of company %s in %s: the balance is not the sum of the journal", b.Key, b.Company, b.Currency)
				}
				delete(sums, at)
			}
			if len(kept) < entriesAtOnce {
				break
			}
			after = kept[len(kept)-1]
		}
		for at := range sums {
			say("balances", "account %s of company %s in %s has entries and no balance", at[1], at[0], at[2])
		}
	}
	return nil
}

// entriesAtOnce is how many entries are in memory at once.
const entriesAtOnce = 1_000

// counted compares counts with what there is, and the numbers of records with those that were given.
func (s *Store) counted(ctx context.Context, say func(what, format string, values ...any)) error {
	kinds, err := s.Kinds(ctx)
	if err != nil {
		return err
	}
	for _, k := range kinds {
		kept, err := s.CountRecords(ctx, k.Key, nil)
		if err != nil {
			return err
		}
		var there, versions int64
		if err := s.db.WithContext(ctx).Model(&recordRow{}).Where("kind = ?", k.Key).Count(&there).Error; err != nil {
			return err
		}
		if int64(kept) != there {
			say("counts", "%s: %d are counted and %d are there", k.Plural, kept, there)
		}
		err = s.db.WithContext(ctx).Raw("SELECT COUNT(*) FROM records r WHERE r.kind = ? AND NOT EXISTS (SELECT 1 FROM record_versions v WHERE v.kind = r.kind AND v.number = r.number AND v.version = r.version)", k.Key).Scan(&versions).Error
		if err != nil {
			return err
		}
		if versions > 0 {
			say("counts", "%s: %d have no version that is theirs", k.Plural, versions)
		}
	}
	var unposted int64
	err = s.db.WithContext(ctx).Raw("SELECT COUNT(*) FROM records r WHERE r.state = ? AND NOT EXISTS (SELECT 1 FROM postings p WHERE p.ledger = ? AND p.number = r.number)", record.Posted, ledger.Books).Scan(&unposted).Error
	if err == nil && unposted > 0 {
		say("counts", "%d records are posted and have no posting", unposted)
	}
	return err
}
