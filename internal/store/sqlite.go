package store

import (
	"context"
	"crypto/rand"
	"database/sql"
	"errors"
	"fmt"
	"io/fs"
	"log/slog"
	"net/url"
	"os"
	"slices"
	"strings"
	"syscall"

	"github.com/ncruces/go-sqlite3"
	sqlite "github.com/ncruces/go-sqlite3/driver"
	"github.com/ncruces/go-sqlite3/ext/fts5"
	_ "github.com/ncruces/go-sqlite3/vfs/mvcc" // databases in memory that several connections share
	"github.com/pressly/goose/v3"
	"gorm.io/gorm"
	"gorm.io/gorm/callbacks"
	"gorm.io/gorm/clause"
	"gorm.io/gorm/logger"
	"gorm.io/gorm/migrator"
	"gorm.io/gorm/schema"

	"codicil/core/field"
	"codicil/core/match"
	"codicil/internal/fault"
)

// This file holds what is particular to SQLite: how its file is opened, its dialect for GORM, and
// the statements that only it understands. All else in this package is plain SQL.

// mostReaders is how many statements may read at once, beside the one that writes.
const mostReaders = 7

// writes is for the connection that writes: it has more memory for pages, and what a part of a transaction would
// undo is kept in memory, not in a file that every part opens anew.
const writes = "_pragma=temp_store(memory)&_pragma=cache_size(-32768)&"

// address is where a file is, on a file system that the driver knows by a name ("": that of the machine); the path "" is a
// database in memory of its own.
func address(path, system string) string {
	if path == "" {
		return "file:/" + rand.Text() + "?vfs=mvcc&"
	}
	// A path may hold what means something in an address: ?, # and %.
	location := "file:" + (&url.URL{Path: path}).EscapedPath() + "?"
	if system != "" {
		location += "vfs=" + system + "&"
	}
	return location
}

// probe opens a file to look at it only.
func probe(path, system string) (*sql.DB, error) {
	return sqlite.Open(address(path, system) + "mode=ro")
}

// connect opens so many connections to a file.
func connect(location string, most int) (*sql.DB, error) {
	// A write takes its lock at once, so that two writers wait for each other instead of
	// failing half-way; what is committed is on the disk.
	location += "_txlock=immediate&_pragma=busy_timeout(10000)&_pragma=journal_mode(WAL)&_pragma=wal_autocheckpoint(4000)&_pragma=synchronous(FULL)&_pragma=foreign_keys(1)"
	connections, err := sqlite.Open(location, register, endStatements)
	if err != nil {
		return nil, err
	}
	connections.SetMaxOpenConns(most)
	connections.SetMaxIdleConns(most)
	return connections, nil
}

// register adds to a connection what statements use beyond SQLite: search by words, and alike(name, other), which tells of two names
// that match.Plain wrote whether they are almost equal. It is asked of very many rows of which few are, within the database: to hand
// a row out takes longer than to compare it. shortened(key) is for an upgrade: it leaves out of sort keys what they have no longer.
func register(c *sqlite3.Conn) error {
	alike := func(call sqlite3.Context, names ...sqlite3.Value) {
		comparer, known := call.GetAuxData(0).(*match.Comparer)
		if !known { // kept by SQLite while the statement runs, where the name is the same for all rows
			comparer = match.Comparing(match.NameOf(names[0].Text()))
			call.SetAuxData(0, comparer)
		}
		call.ResultBool(comparer.LikeText(names[1].RawText()))
	}
	// Otherwise a statement whose table has an index of some rows only is planned anew each time it runs, as a value might fit that
	// index. Conditions that are to find such an index are written out.
	_, err := c.Config(sqlite3.DBCONFIG_ENABLE_QPSG, true)
	shortened := func(call sqlite3.Context, keys ...sqlite3.Value) { call.ResultBlob(field.Shortened(keys[0].RawBlob())) }
	const pure = sqlite3.DETERMINISTIC | sqlite3.INNOCUOUS
	return errors.Join(err, fts5.Register(c), c.CreateFunction("alike", 2, pure, alike), c.CreateFunction("shortened", 1, pure, shortened))
}

// readsOnly keeps what reads from writing: one connection writes. Each has 8 MiB for pages of the file.
const readsOnly = "_pragma=query_only(1)&_pragma=cache_size(-8192)&"

// recordsOfPerson are the records by who saved them last. Without the word for it SQLite may walk those of all persons back to
// the one of this person, which is never where they saved none.
var recordsOfPerson = "records " + by("records_saved_last")

// endStatements ends the statements that a connection still has when it closes, which it would refuse otherwise: where the
// program ends while work goes on, the pool may hand back a connection before the statements of that work are gone.
func endStatements(c *sqlite3.Conn) error {
	var errs []error
	for _, statement := range slices.Collect(c.Stmts()) {
		slog.Warn("a statement was left open", "statement", statement.SQL())
		errs = append(errs, statement.Close())
	}
	return errors.Join(errs...)
}

// logSuffix is what the name of the log has after that of the file.
const logSuffix = "-wal"

// The file carries a mark (its user version, in its head) that something may stand in its log only. It is in the file itself
// before the first such thing is in the log, and goes when the log is folded in.
const (
	markOpen   = "PRAGMA user_version = 1"
	markFolded = "PRAGMA user_version = 0"
	// foldIn copies what is in the log into the file, as far as nobody reads from before; it tells how much is in the
	// log and how much of that is in the file.
	foldIn = "PRAGMA wal_checkpoint(PASSIVE)"
	// foldWhole waits for those who read from the log, copies all of it into the file and empties it; it tells the same, and
	// first whether it waited too long.
	foldWhole   = "PRAGMA wal_checkpoint(TRUNCATE)"
	waitShortly = "PRAGMA busy_timeout = 1000"
	waitLong    = "PRAGMA busy_timeout = 10000"
)

// openMark reads the mark of a file.
func openMark(path string) (open bool, err error) {
	f, err := os.Open(path)
	if err != nil {
		return false, err
	}
	defer func() { _ = f.Close() }()
	var mark [4]byte
	if _, err := f.ReadAt(mark[:], 60); err != nil {
		return false, nil // it is no such file, which is told elsewhere
	}
	return mark == [4]byte{0, 0, 0, 1}, nil
}

// overwriteRemoved lets the connection overwrite with zeros what is removed from then on.
const overwriteRemoved = "PRAGMA secure_delete = ON"

// forgetWords removes what stays in the index of words of texts that are no longer there. Cost: the whole index.
const forgetWords = "INSERT INTO record_words (record_words) VALUES ('optimize')"

// checkFile looks at every page of the file, and tells the first that is wrong.
const checkFile = "PRAGMA quick_check(1)"

// checkLinks lists the rows that lead to rows which are not there.
const checkLinks = "PRAGMA foreign_key_check"

// copyFile copies a file that others read and write into a new one.
func copyFile(ctx context.Context, path, to string) (err error) {
	db, err := probe(path, "")
	if err != nil {
		return err
	}
	_, err = db.ExecContext(ctx, copyInto, to)
	return errors.Join(err, db.Close())
}

// whole marks a copy as one whose log is empty, and reads the head of its trail.
func whole(ctx context.Context, path string) (head TrailHead, err error) {
	db, err := sqlite.Open(address(path, ""))
	if err != nil {
		return head, err
	}
	defer func() { err = errors.Join(err, db.Close()) }()
	if _, err := db.ExecContext(ctx, markFolded); err != nil {
		return head, err
	}
	err = db.QueryRowContext(ctx, "SELECT last, chain FROM trail_head").Scan(&head.Last, &head.Chain)
	return head, err
}

// added adds to what came of rules.
const added = ` ON CONFLICT (rule) DO UPDATE SET acted = acted + excluded.acted, standing = standing + excluded.standing,
	last_at = CASE WHEN rule = 0 AND last_at <> '' THEN last_at ELSE MAX(last_at, excluded.last_at) END`

// beginWriting begins a transaction that writes: it waits for others that do now, and not half-way.
const beginWriting = "BEGIN IMMEDIATE"

// copyInto copies the database, with what its log holds, into a file.
const copyInto = "VACUUM INTO ?"

// migrationDialect is how the migrations speak.
const migrationDialect = goose.DialectSQLite3

// dialect is the SQL of SQLite for GORM.
type dialect struct{ connections gorm.ConnPool }

// Name names the dialect.
func (dialect) Name() string { return "sqlite" }

// Initialize sets up a database of GORM. The name is GORM's.
//
//nolint:misspell
func (d dialect) Initialize(db *gorm.DB) error {
	db.ConnPool = d.connections
	callbacks.RegisterDefaultCallbacks(db, &callbacks.Config{
		CreateClauses:        []string{"INSERT", "VALUES", "ON CONFLICT", "RETURNING"},
		UpdateClauses:        []string{"UPDATE", "SET", "FROM", "WHERE", "RETURNING"},
		DeleteClauses:        []string{"DELETE", "FROM", "WHERE", "RETURNING"},
		LastInsertIDReversed: true,
	})
	db.ClauseBuilders["LIMIT"] = limit
	return nil
}

// limit writes a limit: an offset needs one.
func limit(c clause.Clause, b clause.Builder) {
	l, ok := c.Expression.(clause.Limit)
	if !ok {
		return
	}
	most := -1
	if l.Limit != nil {
		most = *l.Limit
	}
	_, _ = fmt.Fprintf(texts{b}, "LIMIT %d", most)
	if l.Offset > 0 {
		_, _ = fmt.Fprintf(texts{b}, " OFFSET %d", l.Offset)
	}
}

// texts makes a Builder a Writer.
type texts struct{ clause.Builder }

func (w texts) Write(p []byte) (int, error) { return w.WriteString(string(p)) }

// Migrator is not used: the tables are made by migrations.
func (d dialect) Migrator(db *gorm.DB) gorm.Migrator {
	return migrator.Migrator{Config: migrator.Config{DB: db, Dialector: d}}
}

// DataTypeOf is the type of a column, for a dialect that makes tables.
func (dialect) DataTypeOf(f *schema.Field) string {
	switch f.DataType {
	case schema.Bool, schema.Int, schema.Uint:
		return "INTEGER"
	case schema.Bytes:
		return "BLOB"
	}
	return "TEXT"
}

// DefaultValueOf is what stands for a value that the database gives.
func (dialect) DefaultValueOf(f *schema.Field) clause.Expression {
	if f.AutoIncrement {
		return clause.Expr{SQL: "NULL"}
	}
	return clause.Expr{SQL: "DEFAULT"}
}

// BindVarTo writes the place of a value.
func (dialect) BindVarTo(w clause.Writer, _ *gorm.Statement, _ any) { _ = w.WriteByte('?') }

// QuoteTo writes a name, that of a table before that of its column.
func (dialect) QuoteTo(w clause.Writer, name string) {
	_ = w.WriteByte('`')
	for _, letter := range []byte(name) {
		switch letter {
		case '.':
			_, _ = w.WriteString("`.`")
		case '`':
			_, _ = w.WriteString("``")
		default:
			_ = w.WriteByte(letter)
		}
	}
	_ = w.WriteByte('`')
}

// Explain writes a statement with its values, for a log.
func (dialect) Explain(statement string, values ...any) string {
	return logger.ExplainSQL(statement, nil, `'`, values...)
}

// Translate makes an error of the database one of GORM, or one that says what a person can do about the machine.
func (dialect) Translate(err error) error {
	switch {
	case errors.Is(err, sqlite3.CONSTRAINT_PRIMARYKEY), errors.Is(err, sqlite3.CONSTRAINT_UNIQUE):
		return errors.Join(gorm.ErrDuplicatedKey, err)
	case errors.Is(err, sqlite3.CONSTRAINT_FOREIGNKEY):
		return errors.Join(gorm.ErrForeignKeyViolated, err)
	case errors.Is(err, sqlite3.INTERRUPT): // nobody waits for it any more
		return errors.Join(context.Canceled, err)
	}
	return explain(err)
}

// explain says what a person can do about an error of the machine.
func explain(err error) error {
	var known *fault.Fault
	switch {
	case errors.As(err, &known):
		return err
	case errors.Is(err, sqlite3.FULL), errors.Is(err, syscall.ENOSPC), errors.Is(err, syscall.EDQUOT):
		return fault.ByMachine(fault.DiskFull, err)
	case errors.Is(err, sqlite3.READONLY), errors.Is(err, syscall.EROFS), errors.Is(err, fs.ErrPermission):
		return fault.ByMachine(fault.OnlyToRead, err)
	case errors.Is(err, sqlite3.CORRUPT), errors.Is(err, sqlite3.NOTADB):
		return fault.ByMachine(fault.Damaged, err)
	case errors.Is(err, sqlite3.IOERR), errors.Is(err, sqlite3.CANTOPEN):
		return fault.ByMachine(fault.DiskFails, err)
	}
	return err
}

// writeWords writes by what words a record is found.
func (s *Store) writeWords(c wordsChange) error {
	if c.removed {
		if err := s.db.Exec("DELETE FROM record_words WHERE rowid = ?", c.record).Error; err != nil {
			return err
		}
	}
	if !c.added {
		return nil
	}
	return s.db.Exec("INSERT INTO record_words (rowid, grams) VALUES (?, ?)", c.record, c.text).Error
}

// terms writes grams as the tokens of the words' index: it takes letters and digits, and all that is not
// ASCII, for parts of a word.
func terms(grams []string) []string {
	written := make([]string, len(grams))
	for i, gram := range grams {
		written[i] = strings.Map(func(r rune) rune {
			if r < 0x80 && !('a' <= r && r <= 'z') && !('0' <= r && r <= '9') {
				return '\u2500' + r
			}
			return r
		}, gram)
	}
	return written
}

// recordsWith finds the records with all of some grams: a query of their ids, and its values.
func recordsWith(grams []string) (query string, values []any) {
	return "SELECT rowid AS record FROM record_words WHERE record_words MATCH ?", []any{`"` + strings.Join(terms(grams), `" AND "`) + `"`}
}

// valueOf is the stored value of a field of the header, NULL for none.
func valueOf(field string) string { return `json_extract(field_values, '$."` + field + `"')` }

// valuesOf are the stored values of some fields of the header, as they are kept of all.
func valuesOf(fields []string) string {
	pairs := make([]string, len(fields))
	for i, f := range fields {
		pairs[i] = "'" + f + "', " + valueOf(f)
	}
	return "json_object(" + strings.Join(pairs, ", ") + ")"
}

// follows is a condition that a row comes after a place in an order of two columns.
func follows(first, second string, descending bool) string {
	relation := ">"
	if descending {
		relation = "<"
	}
	return "(" + first + ", " + second + ") " + relation + " ( ?, ?)" // right after ( GORM takes a key apart into its bytes
}

// amongst is a condition that a column holds one of some values, which are given as JSON: the statement is the same
// however many there are, and is prepared once.
func amongst(column string) string { return column + " IN (SELECT value FROM json_each(?))" }

// by names the index by which a table is gone through.
func by(index string) string { return "INDEXED BY " + index }

// leading joins two tables so that the rows of the first are gone through in their order.
const leading = "CROSS JOIN"
