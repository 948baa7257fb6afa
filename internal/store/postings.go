package store

import (
	"cmp"
	"context"
	"encoding/json"
	"slices"
	"strings"

	"gorm.io/gorm"

	"codicil/core/decimal"
	"codicil/core/judge"
	"codicil/core/record"
	"codicil/internal/ledger"
)

type postingRow struct {
	Ledger              string `gorm:"primaryKey"`
	Sequence            int64  `gorm:"primaryKey;autoIncrement:false"`
	Number              string
	Kind, Company, Type string
	Day                 record.Day
	Title               string
	Document            *judge.Document `gorm:"serializer:packed"` // nil: that of its record
	Judged              *judge.Kept     `gorm:"serializer:packed"` // of the practice ledger; nil: with its record, or not known
	Trace               ledger.Trace    `gorm:"column:outcome;serializer:packed"`
	Reverses            string
	Posted              record.Stamp `gorm:"embedded;embeddedPrefix:posted_"`
}

func (postingRow) TableName() string { return "postings" }

func (p postingRow) posting() ledger.Posting {
	return ledger.Posting{
		Ledger: p.Ledger, Number: p.Number, Sequence: p.Sequence, Kind: p.Kind, Company: p.Company, Type: p.Type, Day: p.Day, Title: p.Title,
		Document: p.Document, Judged: p.Judged, Trace: p.Trace, Reverses: p.Reverses, Posted: p.Posted,
	}
}

type entryRow struct {
	Ledger               string `gorm:"primaryKey"`
	Sequence             int64  `gorm:"primaryKey;autoIncrement:false"`
	Line                 int    `gorm:"primaryKey"`
	Posting, Company     string
	Day                  record.Day
	Account, Text        string
	Debit, Credit        string // exact decimals; "": none
	Currency             string
	PartnerKind, Partner string // "": the account keeps no partners
}

func (entryRow) TableName() string { return "journal" }

func (e entryRow) entry() ledger.Entry {
	return ledger.Entry{
		Ledger: e.Ledger, Posting: e.Posting, Line: e.Line, Company: e.Company, Day: e.Day, Account: e.Account, Text: e.Text,
		Debit: e.Debit, Credit: e.Credit, Currency: e.Currency, Partner: record.Ref{Kind: e.PartnerKind, Number: e.Partner},
	}
}

// NextNumber takes the next number of a series; the first is 1. Within a
// transaction that fails, the number is not taken.
func (s *Store) NextNumber(ctx context.Context, series string) (int64, error) {
	var next int64
	return next, s.Transaction(ctx, func(tx *Store) error {
		last, err := tx.LastCount(ctx, series)
		if err != nil {
			return err
		}
		next = last + 1
		return tx.Count(ctx, series, last, next)
	})
}

// PreparedPosting is what a posting is kept with, compressed before its turn to be written comes.
type PreparedPosting struct{ document, judged, trace []byte } // nil: none

// PreparePosting makes it.
func PreparePosting(p *ledger.Posting) (*PreparedPosting, error) {
	ready := &PreparedPosting{}
	for _, part := range []struct {
		into  *[]byte
		value any
		none  bool
	}{{&ready.document, p.Document, p.Document == nil}, {&ready.judged, p.Judged, p.Judged == nil}, {&ready.trace, p.Trace, false}} {
		if part.none {
			continue
		}
		text, err := packable(part.value)
		if err != nil {
			return nil, err
		}
		*part.into = pack(text)
	}
	return ready, nil
}

// In is where the posting is kept, within a transaction.
func (ready *PreparedPosting) In(tx *Store) ledger.Keeper { return postingKeeper{tx, ready} }

type postingKeeper struct {
	*Store
	ready *PreparedPosting
}

// AddPosting adds the posting with its entries, and the balances that they move.
func (k postingKeeper) AddPosting(ctx context.Context, p ledger.Posting, entries []ledger.Entry) error {
	return k.addPosting(ctx, &p, k.ready, entries)
}

// AddPosting adds a posting with its entries, and the balances that they move.
func (s *Store) AddPosting(ctx context.Context, p ledger.Posting, entries []ledger.Entry) error {
	ready, err := PreparePosting(&p)
	if err != nil {
		return err
	}
	return s.Transaction(ctx, func(tx *Store) error { return tx.addPosting(ctx, &p, ready, entries) })
}

func (s *Store) addPosting(ctx context.Context, p *ledger.Posting, ready *PreparedPosting, entries []ledger.Entry) error {
	err := s.exec(insertPosting, p.Ledger, p.Sequence, p.Number, p.Kind, p.Company, p.Type, string(p.Day), p.Title, ready.document, ready.judged, ready.trace,
		p.Reverses, p.Posted.At, p.Posted.By, p.Posted.Person, p.Posted.Via)
	if err != nil {
		return err
	}
	note := TrailEntry{What: "posted", Kind: "posting", Key: p.Number, Company: p.Company, Note: p.Ledger}
	if err := s.Note(ctx, p.Posted, note); err != nil || len(entries) == 0 {
		return err
	}
	values := make([]any, 0, 13*len(entries))
	for i := range entries {
		e := &entries[i]
		values = append(values, e.Ledger, p.Sequence, e.Line, e.Posting, e.Company, string(e.Day), e.Account, e.Text, e.Debit, e.Credit, e.Currency, e.Partner.Kind, e.Partner.Number)
	}
	if err := s.insert("INSERT INTO journal (ledger, sequence, line, posting, company, day, account, text, debit, credit, currency, partner_kind, partner) VALUES ", 13, values); err != nil {
		return err
	}
	return s.writeLater(ctx, laterWrite{ledger: p.Ledger, entries: entries})
}

var insertPosting = insertion("postings", []string{
	"ledger", "sequence", "number", "kind", "company", "type", "day", "title", "document", "judged", "outcome",
	"reverses", "posted_at", "posted_by", "posted_person", "posted_via",
})

// balanceRow is a balance as it is kept.
type balanceRow struct {
	Ledger   string `gorm:"primaryKey"`
	What     string `gorm:"primaryKey"` // "account", or the kind of the partners
	Company  string `gorm:"primaryKey"`
	Key      string `gorm:"primaryKey"`
	Currency string `gorm:"primaryKey"`
	Debit    string
	Credit   string
	Entries  int
}

func (balanceRow) TableName() string { return "balances" }

// balance adds entries to the balances of their ledger, or takes them away: sign is 1 or -1. Cost: two statements.
func (s *Store) balance(ctx context.Context, name string, entries []ledger.Entry, sign int) error {
	by := map[string]bool{ledger.ByAccount: true}
	for _, e := range entries {
		if e.Partner.Kind != "" {
			by[e.Partner.Kind] = true
		}
	}
	moved := map[[4]string]ledger.Balance{}
	whats, companies, keys := []string{}, []string{}, []string{}
	for what := range by {
		whats = append(whats, what)
		for _, b := range ledger.Balances(entries, what) {
			moved[[4]string{what, b.Company, b.Key, b.Currency}] = b
			companies, keys = append(companies, b.Company), append(keys, b.Key)
		}
	}
	query := s.db.WithContext(ctx).Where("ledger = ?", name)
	for _, of := range []struct {
		column string
		values []string
	}{{"what", whats}, {"company", companies}, {"key", keys}} {
		slices.Sort(of.values)
		text, err := json.Marshal(slices.Compact(of.values))
		if err != nil {
			return err
		}
		query = query.Where(amongst(of.column), string(text))
	}
	var rows []balanceRow
	if err := query.Find(&rows).Error; err != nil {
		return err
	}
	kept := make(map[[4]string]ledger.Balance, len(rows))
	for _, row := range rows {
		kept[[4]string{row.What, row.Company, row.Key, row.Currency}] = row.balance()
	}
	var values []any
	for at, b := range moved {
		now := kept[at]
		if sign < 0 {
			b.Debit, b.Credit = b.Debit.Neg(), b.Credit.Neg()
		}
		values = append(values, name, at[0], at[1], at[2], at[3], now.Debit.Plus(b.Debit).String(), now.Credit.Plus(b.Credit).String(), now.Entries+sign*b.Entries)
	}
	if err := s.insert("INSERT OR REPLACE INTO balances (ledger, what, company, key, currency, debit, credit, entries) VALUES ", 8, values); err != nil {
		return err
	}
	if sign > 0 {
		return nil
	}
	return s.db.WithContext(ctx).Exec("DELETE FROM balances WHERE ledger = ? AND entries = 0", name).Error
}

// balanceAnew adds up the journal of a file of a release that kept no balances.
func (s *Store) balanceAnew(ctx context.Context) error {
	var known bool
	if err := s.db.WithContext(ctx).Raw("SELECT EXISTS (SELECT 1 FROM balances) OR NOT EXISTS (SELECT 1 FROM journal)").Scan(&known).Error; err != nil || known {
		return err
	}
	for _, name := range []string{ledger.Books, ledger.Practice} {
		for before := int64(0); ; {
			tell(ctx, "the balances of "+name, 0, 0)
			entries, next, err := s.Entries(ctx, name, nil, before, 1000)
			if err == nil {
				err = s.balance(ctx, name, entries, 1)
			}
			if err != nil {
				return err
			}
			if next == 0 {
				break
			}
			before = next
		}
	}
	return nil
}

func (b balanceRow) balance() ledger.Balance {
	debit, _ := decimal.Parse(b.Debit) // "" gives zero
	credit, _ := decimal.Parse(b.Credit)
	return ledger.Balance{Company: b.Company, Key: b.Key, Currency: b.Currency, Debit: debit, Credit: credit, Entries: b.Entries}
}

// BalanceQuery asks for some of the balances of a ledger, by company, key and currency.
type BalanceQuery struct {
	Ledger, By string // "account", or the kind of the partners
	// Kind is that of the records whose numbers are the keys: what was posted to one that was merged counts for the one to
	// which its number leads; "": keys count as they are.
	Kind string
	// After is the last balance before; the zero value: from the start.
	After ledger.Balance
	Limit int
	// Companies are those whose balances are wanted; nil: all.
	Companies []string
}

// Balances returns balances. Cost: those that are returned, and a look for each record of the kind that was merged in
// each company.
func (s *Store) Balances(ctx context.Context, q BalanceQuery) ([]ledger.Balance, error) {
	if err := s.settle(ctx); err != nil {
		return nil, err
	}
	db := s.db.WithContext(ctx)
	ours := func(query *gorm.DB, column string) *gorm.DB {
		if q.Companies != nil {
			query = query.Where(column+" IN ?", q.Companies)
		}
		return query
	}
	own, err := all(ours(db, "company").Where("ledger = ? AND what = ? AND (company, key, currency) > (?, ?, ?)", q.Ledger, q.By, q.After.Company, q.After.Key, q.After.Currency).
		Where("NOT EXISTS (SELECT 1 FROM merged_records m WHERE m.kind = ? AND m.number = balances.key)", q.Kind).
		Order("company, key, currency").Limit(q.Limit), balanceRow.balance)
	if err != nil || q.Kind == "" {
		return own, err
	}
	query := db.Table("merged_records m "+leading+" companies c "+leading+" balances b ON b.ledger = ? AND b.what = ? AND b.company = c.key AND b.key = m.number", q.Ledger, q.By).
		Select("b.company, m.lead AS key, b.currency, b.debit, b.credit, b.entries").
		Where("m.kind = ? AND (b.company, m.lead, b.currency) > (?, ?, ?)", q.Kind, q.After.Company, q.After.Key, q.After.Currency)
	if len(own) == q.Limit {
		last := own[len(own)-1]
		query = query.Where("(b.company, m.lead, b.currency) <= (?, ?, ?)", last.Company, last.Key, last.Currency)
	}
	var rows []balanceRow
	if err := ours(query, "b.company").Find(&rows).Error; err != nil || len(rows) == 0 {
		return own, err
	}
	for _, row := range rows {
		b := row.balance()
		at, known := slices.BinarySearchFunc(own, b, func(x, y ledger.Balance) int {
			return cmp.Or(strings.Compare(x.Company, y.Company), strings.Compare(x.Key, y.Key), strings.Compare(x.Currency, y.Currency))
		})
		if !known {
			own = slices.Insert(own, at, b)
			continue
		}
		own[at].Debit, own[at].Credit, own[at].Entries = own[at].Debit.Plus(b.Debit), own[at].Credit.Plus(b.Credit), own[at].Entries+b.Entries
	}
	return own[:min(len(own), q.Limit)], nil
}

// LedgerCounts is how much a ledger holds.
type LedgerCounts struct {
	Postings, Entries int
	Own               int // postings of one person
}

// CountLedger counts what a ledger holds. Cost: the balances, and of the practice ledger its postings.
func (s *Store) CountLedger(ctx context.Context, name, person string, companies []string) (counts LedgerCounts, err error) {
	if err := s.settle(ctx); err != nil {
		return counts, err
	}
	db := s.db.WithContext(ctx)
	if companies != nil { // cost: the postings of these companies
		err = db.Raw("SELECT COALESCE(SUM(entries), 0) FROM balances WHERE ledger = ? AND what = ? AND company IN ?", name, ledger.ByAccount, companies).Scan(&counts.Entries).Error
		if err == nil {
			err = db.Raw("SELECT COUNT(*) AS postings, COALESCE(SUM(posted_person = ?), 0) AS own FROM postings WHERE ledger = ? AND company IN ?", person, name, companies).Row().Scan(&counts.Postings, &counts.Own)
		}
		return counts, err
	}
	err = db.Raw("SELECT COALESCE(SUM(entries), 0) FROM balances WHERE ledger = ? AND what = ?", name, ledger.ByAccount).Scan(&counts.Entries).Error
	if err == nil && name == ledger.Books { // nothing is ever taken out of the books
		err = db.Raw("SELECT COALESCE(MAX(sequence), 0) FROM postings WHERE ledger = ?", name).Scan(&counts.Postings).Error
	} else if err == nil {
		err = db.Raw("SELECT COUNT(*) AS postings, COALESCE(SUM(posted_person = ?), 0) AS own FROM postings WHERE ledger = ?", person, name).Row().Scan(&counts.Postings, &counts.Own)
	}
	return counts, err
}

// PostingQuery asks for some of the postings of a ledger, newest first.
type PostingQuery struct {
	Ledger string
	// Before is the sequence of the last posting before; 0: from the newest on.
	Before int64
	Limit  int
	// Kind, Company and Type narrow; "": all.
	Kind, Company, Type string
	// Companies are those whose postings are wanted; nil: all.
	Companies []string
	// Words must each be in the number or the title, or name the company. Cost: the postings between those
	// that are found.
	Words []string
}

// Postings returns postings, newest first, without their traces.
func (s *Store) Postings(ctx context.Context, q PostingQuery) ([]ledger.Posting, error) {
	query := s.db.WithContext(ctx).Where("ledger = ?", q.Ledger).Omit("outcome").Order("sequence DESC").Limit(q.Limit)
	if q.Before > 0 {
		query = query.Where("sequence < ?", q.Before)
	}
	for column, value := range map[string]string{"kind": q.Kind, "company": q.Company, "type": q.Type} {
		if value != "" {
			query = query.Where(column+" = ?", value)
		}
	}
	if q.Companies != nil {
		query = query.Where("company IN ?", q.Companies)
	}
	for _, word := range q.Words {
		part := "%" + strings.NewReplacer(`\`, `\\`, "%", `\%`, "_", `\_`).Replace(word) + "%"
		query = query.Where(`(number LIKE ? ESCAPE '\' OR title LIKE ? ESCAPE '\' OR company = ?)`, part, part, word)
	}
	return all(query, postingRow.posting)
}

// Posting returns one posting. The error is ErrNotFound when there is none.
func (s *Store) Posting(ctx context.Context, name, number string) (ledger.Posting, error) {
	var p postingRow
	err := s.db.WithContext(ctx).First(&p, "ledger = ? AND number = ?", name, number).Error
	return p.posting(), found(err, "posting", number)
}

// Entries returns the journal of the newest postings of a ledger, whole postings with up to about limit entries:
// newest posting first, its lines in their order; of some companies, nil: of all. before is the sequence of the last posting before; 0: from
// the newest on. next is the sequence to go on from; 0 at the end.
func (s *Store) Entries(ctx context.Context, name string, companies []string, before int64, limit int) (entries []ledger.Entry, next int64, err error) {
	query := s.db.WithContext(ctx).Where("ledger = ?", name).Order("sequence DESC, line")
	if before > 0 {
		query = query.Where("sequence < ?", before)
	}
	if companies != nil {
		query = query.Where("company IN ?", companies)
	}
	var rows []entryRow
	if err := query.Limit(limit + 1).Find(&rows).Error; err != nil {
		return nil, 0, err
	}
	if len(rows) > limit {
		// The last posting may be cut: it goes on the next page, unless it is all of this one.
		cut := rows[len(rows)-1].Sequence
		whole := slices.IndexFunc(rows, func(e entryRow) bool { return e.Sequence == cut })
		if whole > 0 {
			rows, next = rows[:whole], rows[whole-1].Sequence
		} else {
			if err := s.db.WithContext(ctx).Order("line").Find(&rows, "ledger = ? AND sequence = ?", name, cut).Error; err != nil {
				return nil, 0, err
			}
			next = cut
		}
	}
	for _, e := range rows {
		entries = append(entries, e.entry())
	}
	return entries, next, nil
}

// EntriesOf returns the entries of one posting.
func (s *Store) EntriesOf(ctx context.Context, name string, sequence int64) ([]ledger.Entry, error) {
	return all(s.db.WithContext(ctx).Where("ledger = ? AND sequence = ?", name, sequence).Order("line"), entryRow.entry)
}

// ReversalOf returns the number of the posting that takes one back; "" when none does.
func (s *Store) ReversalOf(ctx context.Context, name, number string) (string, error) {
	var reversal string
	err := s.db.WithContext(ctx).Model(&postingRow{}).Where("ledger = ? AND reverses = ? AND reverses <> ''", name, number).Select("number").Limit(1).Scan(&reversal).Error
	return reversal, err
}

// EmptyLedger removes the postings of a ledger that a person posted. Where none is left, its
// numbers begin anew.
func (s *Store) EmptyLedger(ctx context.Context, name string, by record.Stamp) error {
	person := by.Person
	return s.Transaction(ctx, func(tx *Store) error {
		taken, err := all(tx.db.WithContext(ctx).Where("ledger = ? AND sequence IN (SELECT sequence FROM postings WHERE ledger = ? AND posted_person = ?)", name, name, person), entryRow.entry)
		if err != nil {
			return err
		}
		if err := tx.settle(ctx); err != nil {
			return err
		}
		if err := tx.balance(ctx, name, taken, -1); err != nil {
			return err
		}
		for _, statement := range []string{
			`UPDATE proofs SET posting = '' WHERE @ledger = 'practice' AND posting IN
			   (SELECT number FROM postings WHERE ledger = @ledger AND posted_person = @person)`,
			"DELETE FROM postings WHERE ledger = @ledger AND posted_person = @person", // entries go with their posting
			`DELETE FROM series WHERE (key = @ledger OR key LIKE @ledger || '/%')
			   AND NOT EXISTS (SELECT 1 FROM postings WHERE ledger = @ledger)`,
		} {
			if err := tx.db.Exec(statement, map[string]any{"ledger": name, "person": person}).Error; err != nil {
				return err
			}
		}
		return tx.Note(ctx, by, TrailEntry{What: "emptied", Kind: "ledger", Key: name})
	})
}
