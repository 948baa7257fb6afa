package torture

import (
	"database/sql"
	"encoding/json"
	"fmt"
	"strings"

	"github.com/ncruces/go-sqlite3/driver"
	"github.com/ncruces/go-sqlite3/ext/fts5"

	"codicil/core/decimal"
)

// look says what is wrong with a file that nobody has open, and with what was told of it; "" where nothing is. It costs the
// records, the journal and a look at every page.
func look(path string, b *book) (found map[string]state, wrong []string) {
	db, err := driver.Open("file:"+path, fts5.Register)
	if err != nil {
		return nil, []string{err.Error()}
	}
	defer func() { _ = db.Close() }()
	l := &looker{db: db}
	l.file()
	l.numbers()
	l.journal()
	found = l.told(b)
	return found, l.wrong
}

type looker struct {
	db    *sql.DB
	wrong []string
}

func (l *looker) say(format string, values ...any) {
	l.wrong = append(l.wrong, fmt.Sprintf(format, values...))
}

// each asks for rows of texts.
func (l *looker) each(query string, do func(row []string)) {
	rows, err := l.db.Query(query)
	if err != nil {
		l.say("%s: %v", query, err)
		return
	}
	defer func() { _ = rows.Close() }()
	columns, _ := rows.Columns()
	for rows.Next() {
		row, targets := make([]sql.NullString, len(columns)), make([]any, len(columns))
		for i := range row {
			targets[i] = &row[i]
		}
		if err := rows.Scan(targets...); err != nil {
			l.say("%s: %v", query, err)
			return
		}
		texts := make([]string, len(row))
		for i := range row {
			texts[i] = row[i].String
		}
		do(texts)
	}
	if err := rows.Err(); err != nil {
		l.say("%s: %v", query, err)
	}
}

// none says what a query finds.
func (l *looker) none(what, query string) {
	l.each(query, func(row []string) { l.say("%s: %s", what, strings.Join(row, " ")) })
}

func (l *looker) file() {
	l.each("PRAGMA integrity_check(5)", func(row []string) {
		if row[0] != "ok" {
			l.say("the file: %s", row[0])
		}
	})
	l.none("a key that leads nowhere", "PRAGMA foreign_key_check")
	l.none("words", "INSERT INTO record_words (record_words) VALUES ('integrity-check')")
	l.none("a link that leads nowhere", "SELECT to_kind, to_number FROM record_links l WHERE NOT EXISTS (SELECT 1 FROM records r WHERE r.kind = l.to_kind AND r.number = l.to_number)")
	l.none("a record without its words", "SELECT kind, number FROM records r WHERE NOT EXISTS (SELECT 1 FROM record_words w WHERE w.rowid = r.id)")
	l.none("versions with a gap", `SELECT r.kind, r.number, r.version, COUNT(v.version), MAX(v.version) FROM records r LEFT JOIN record_versions v USING (kind, number)
		GROUP BY r.id HAVING COUNT(v.version) <> r.version OR MAX(v.version) <> r.version`)
	l.none("counts of records", "SELECT kind, count FROM record_counts c WHERE count <> (SELECT COUNT(*) FROM records r WHERE r.kind = c.kind)")
}

// numbers looks for gaps and doubles: in the numbers of the documents of the clients, and in the postings.
func (l *looker) numbers() {
	l.each(`SELECT COUNT(*), COUNT(DISTINCT number), MAX(CAST(SUBSTR(number, 3) AS INTEGER)) - MIN(CAST(SUBSTR(number, 3) AS INTEGER)) + 1, MAX(CAST(SUBSTR(number, 3) AS INTEGER)),
		(SELECT CAST(last AS INTEGER) FROM series WHERE key = 'accounting_document/10')
		FROM records WHERE kind = 'accounting_document' AND company = '10'`, func(row []string) {
		if row[0] != row[1] || row[0] != row[2] || row[3] != row[4] {
			l.say("%s documents have %s numbers in a row of %s; the last is %s, and %s was given last", row[0], row[1], row[2], row[3], row[4])
		}
	})
	l.each(`SELECT ledger, COUNT(*), COUNT(DISTINCT number), COUNT(DISTINCT sequence), MAX(sequence), (SELECT CAST(last AS INTEGER) FROM series WHERE key = ledger)
		FROM postings GROUP BY ledger`, func(row []string) {
		for _, count := range row[2:] {
			if count != row[1] {
				l.say("%s has %s postings; numbers, sequences, last sequence and last given: %v", row[0], row[1], row[2:])
				return
			}
		}
	})
}

func amount(text string) decimal.Number {
	if text == "" {
		return decimal.Number{}
	}
	d, _ := decimal.Parse(text)
	return d
}

// journal looks whether every posting balances and the balances are the sums of the journal.
func (l *looker) journal() {
	type sum struct{ debit, credit decimal.Number }
	postings, accounts := map[string]sum{}, map[string]sum{}
	l.each("SELECT ledger, sequence, company, account, currency, debit, credit FROM journal", func(row []string) {
		for key, sums := range map[string]map[string]sum{row[0] + " " + row[1]: postings, strings.Join([]string{row[0], row[2], row[3], row[4]}, " "): accounts} {
			s := sums[key]
			sums[key] = sum{s.debit.Plus(amount(row[5])), s.credit.Plus(amount(row[6]))}
		}
	})
	for posting, s := range postings {
		if s.debit.Cmp(s.credit) != 0 {
			l.say("posting %s does not balance: %s and %s", posting, s.debit, s.credit)
		}
	}
	l.each("SELECT ledger, company, key, currency, debit, credit FROM balances WHERE what = 'account'", func(row []string) {
		key := strings.Join(row[:4], " ")
		if s := accounts[key]; s.debit.Cmp(amount(row[4])) != 0 || s.credit.Cmp(amount(row[5])) != 0 {
			l.say("the balance of %s is %s and %s, its journal says %s and %s", key, row[4], row[5], s.debit, s.credit)
		}
		delete(accounts, key)
	})
	for key := range accounts {
		l.say("%s has no balance", key)
	}
	l.none("a posted document that is in no journal", `SELECT number FROM records r WHERE kind = 'accounting_document' AND state = 'posted'
		AND NOT EXISTS (SELECT 1 FROM postings p WHERE p.ledger = 'books' AND p.number = r.number)`)
}

// told compares with what the clients were told.
func (l *looker) told(b *book) map[string]state {
	found, times := map[string]state{}, map[string]int{}
	l.each("SELECT number, version, state, field_values FROM records WHERE kind = 'accounting_document' AND field_values LIKE '%Torture %'", func(row []string) {
		var fields map[string]string
		if err := json.Unmarshal([]byte(row[3]), &fields); err != nil {
			l.say("%s: %v", row[0], err)
		}
		s := state{text: fields["text"], posted: row[2] == "posted"}
		_, _ = fmt.Sscan(row[1], &s.version)
		found[row[0]] = s
		times[s.text]++
	})
	for text, count := range times {
		if count > 1 {
			l.say("%s is there %d times", text, count)
		}
	}
	acknowledged := map[string]bool{}
	for number, s := range b.entries {
		is := found[number]
		known := is == s
		for _, other := range b.unsure[number] {
			known = known || is == other
		}
		if !known {
			l.say("%s was %v, and is %v; unsure: %v", number, s, is, b.unsure[number])
		}
		acknowledged[number] = true
	}
	for number, s := range found {
		if !acknowledged[number] && !b.lost[s.text] {
			l.say("nobody asked for %s: %v", number, s)
		}
		if !acknowledged[number] {
			b.entries[number] = s
		}
	}
	there := map[string]bool{}
	l.each("SELECT number FROM postings WHERE ledger = 'practice'", func(row []string) { there[row[0]] = true })
	for number := range b.practice {
		if !there[number] {
			l.say("posting %s was acknowledged, and is lost", number)
		}
	}
	return found
}
