package store

import (
	"context"
	"database/sql"
	"errors"
	"log/slog"
	"os"
	"sync"
	"sync/atomic"
	"time"

	"gorm.io/gorm"
)

// writer is the one connection that writes. It keeps its statements prepared from one transaction to the next, which
// database/sql and GORM do not: preparing them anew took a sixth of writing.
type writer struct {
	connections *sql.DB
	connection  *sql.Conn
	turn        sync.Mutex // held by a transaction
	statements  map[string]*sql.Stmt

	log    string // the file of the log; "": there is none
	marks  bool   // the file tells whether something stands in its log only
	marked bool   // it tells that it does
	idle   *time.Timer

	long    int64 // how long the log may become until it is tried to shorten it
	commits atomic.Int64
}

// longLog is how long the log may become, in bytes. Whoever reads looks through all of it for each page.
const longLog = 32 << 20

// foldAfter is how long nobody writes before the log is folded into the file, so that a plain copy of it is whole.
const foldAfter = 5 * time.Second

// mostStatements is how many statements are kept.
const mostStatements = 300

// newWriter returns the writer of a file; path is "" for one in memory.
func newWriter(ctx context.Context, connections *sql.DB, path string) (*writer, error) {
	connection, err := connections.Conn(ctx)
	if err != nil {
		return nil, err
	}
	w := &writer{connections: connections, connection: connection, statements: map[string]*sql.Stmt{}, marks: path != "", long: longLog}
	if path != "" {
		w.log = path + logSuffix
	}
	w.idle = time.AfterFunc(foldAfter, func() {
		w.turn.Lock()
		defer w.turn.Unlock()
		if err := w.fold(context.WithoutCancel(ctx)); err != nil {
			slog.Warn("the log of the data file was not folded in; it is tried again", "error", err)
		}
	})
	return w, nil
}

// Close folds the log in and closes the connection, and everything it holds.
func (w *writer) Close() error {
	w.turn.Lock()
	defer w.turn.Unlock()
	err := errors.Join(w.forget(), w.fold(context.Background()))
	w.marks, w.marked = false, false
	w.idle.Stop()
	return errors.Join(err, w.connection.Close(), w.connections.Close())
}

// fold copies what is in the log into the file, and takes its mark away. Where somebody still reads from before, it is done
// later.
func (w *writer) fold(ctx context.Context) error {
	if !w.marked {
		return nil
	}
	whole, err := w.folded(ctx, markFolded)
	if w.marked = !whole; w.marked {
		// What stands in the log only stands behind a mark.
		_, again := w.connection.ExecContext(ctx, markOpen)
		err = errors.Join(err, again)
		w.idle.Reset(foldAfter)
	}
	return err
}

// mark writes into the file that more may stand in its log.
func (w *writer) mark(ctx context.Context) (err error) {
	if w.marks && !w.marked {
		w.marked, err = w.folded(ctx, markOpen)
	}
	return err
}

// folded writes a mark and copies it into the file, with all that is in the log; whole tells that all is in the file.
//
// It does not end with the caller: the mark is everybody's.
func (w *writer) folded(ctx context.Context, mark string) (whole bool, err error) {
	ctx = context.WithoutCancel(ctx)
	if _, err := w.connection.ExecContext(ctx, mark); err != nil {
		return false, err
	}
	var busy, logged, copied int
	err = w.connection.QueryRowContext(ctx, foldIn).Scan(&busy, &logged, &copied)
	return busy == 0 && logged == copied, err
}

func (w *writer) forget() error {
	var errs []error
	for _, statement := range w.statements {
		errs = append(errs, statement.Close())
	}
	clear(w.statements)
	return errors.Join(errs...)
}

// BeginTx begins a transaction, when the one before has ended.
func (w *writer) BeginTx(ctx context.Context, _ *sql.TxOptions) (gorm.ConnPool, error) {
	w.turn.Lock()
	if err := w.mark(ctx); err != nil {
		w.turn.Unlock()
		return nil, explain(err)
	}
	if _, err := w.connection.ExecContext(ctx, beginWriting); err != nil {
		// It may have begun all the same, where the caller went away at that moment.
		_, _ = w.connection.ExecContext(context.WithoutCancel(ctx), "ROLLBACK")
		w.turn.Unlock()
		return nil, err
	}
	return &writing{writer: w}, nil
}

func (w *writer) statement(ctx context.Context, query string) (*sql.Stmt, error) {
	if statement := w.statements[query]; statement != nil {
		return statement, nil
	}
	if len(w.statements) >= mostStatements {
		if err := w.forget(); err != nil {
			return nil, err
		}
	}
	statement, err := w.connection.PrepareContext(ctx, query)
	if err == nil {
		w.statements[query] = statement
	}
	return statement, err
}

// What is asked outside of a transaction is a transaction by itself.

// PrepareContext prepares a statement.
func (w *writer) PrepareContext(ctx context.Context, query string) (*sql.Stmt, error) {
	return w.connection.PrepareContext(ctx, query)
}

// ExecContext runs a statement.
func (w *writer) ExecContext(ctx context.Context, query string, values ...any) (sql.Result, error) {
	w.turn.Lock()
	defer w.turn.Unlock()
	if err := w.mark(ctx); err != nil {
		return nil, err
	}
	return w.connection.ExecContext(ctx, query, values...)
}

// QueryContext asks for rows.
func (w *writer) QueryContext(ctx context.Context, query string, values ...any) (*sql.Rows, error) {
	return w.connection.QueryContext(ctx, query, values...)
}

// QueryRowContext asks for a row.
func (w *writer) QueryRowContext(ctx context.Context, query string, values ...any) *sql.Row {
	return w.connection.QueryRowContext(ctx, query, values...)
}

// writing is a transaction of the writer.
type writing struct {
	*writer
	ended bool
	// after is done when it is committed, before the next one begins.
	after []func()
}

// ExecContext runs a statement.
func (t *writing) ExecContext(ctx context.Context, query string, values ...any) (sql.Result, error) {
	statement, err := t.statement(ctx, query) //nolint:sqlclosecheck // it stays prepared
	if err != nil {
		return nil, err
	}
	return statement.ExecContext(ctx, values...)
}

// QueryContext asks for rows.
func (t *writing) QueryContext(ctx context.Context, query string, values ...any) (*sql.Rows, error) {
	statement, err := t.statement(ctx, query) //nolint:sqlclosecheck // it stays prepared
	if err != nil {
		return nil, err
	}
	return statement.QueryContext(ctx, values...)
}

// QueryRowContext asks for a row.
func (t *writing) QueryRowContext(ctx context.Context, query string, values ...any) *sql.Row {
	statement, err := t.statement(ctx, query) //nolint:sqlclosecheck // it stays prepared
	if err != nil {
		return t.connection.QueryRowContext(ctx, query, values...) // which tells the error
	}
	return statement.QueryRowContext(ctx, values...)
}

// Commit ends the transaction and keeps what was written; where that fails, nothing is kept.
func (t *writing) Commit() error {
	if t.ended {
		return sql.ErrTxDone
	}
	_, err := t.connection.ExecContext(context.Background(), "COMMIT")
	if err != nil {
		return errors.Join(err, t.Rollback())
	}
	t.commits.Add(1)
	for _, do := range t.after {
		do()
	}
	t.shorten()
	t.end()
	return nil
}

// shorten folds a log in that has become long, and begins it anew. Left alone it never does where there is always somebody who
// reads. Readers that still read from the log are waited for shortly; otherwise it is tried again when it is longer.
func (w *writer) shorten() {
	info, err := os.Stat(w.log)
	if err != nil || info.Size() < w.long {
		return
	}
	var busy, logged, copied int
	_, short := w.connection.ExecContext(context.Background(), waitShortly)
	err = w.connection.QueryRowContext(context.Background(), foldWhole).Scan(&busy, &logged, &copied)
	_, long := w.connection.ExecContext(context.Background(), waitLong)
	if err = errors.Join(short, err, long); err != nil {
		slog.Warn("the log of the data file was not folded in; it is tried again", "error", err)
	}
	if w.long = longLog; busy != 0 || err != nil {
		w.long = info.Size() + longLog
	}
}

// Rollback ends the transaction and keeps nothing.
func (t *writing) Rollback() error {
	if t.ended {
		return sql.ErrTxDone
	}
	defer t.end()
	// What went wrong may have ended it already.
	_, _ = t.connection.ExecContext(context.Background(), "ROLLBACK")
	return nil
}

func (t *writing) end() {
	t.ended = true
	t.idle.Reset(foldAfter)
	t.turn.Unlock()
}

// exec runs a statement of the transaction; values are as the columns hold them. GORM would take as long to write the statement as
// SQLite to run it, many times for each record.
func (s *Store) exec(statement string, values ...any) error {
	_, err := s.db.Statement.ConnPool.ExecContext(s.db.Statement.Context, statement, values...)
	return translated(err)
}

// ask runs a statement of the transaction that returns one value. The error is sql.ErrNoRows where it returns none.
func (s *Store) ask(statement string, values []any, into any) error {
	return s.one(s.db.Statement.Context, statement, values, into)
}

// one asks a question that is answered by one value, within a transaction or without: quicker than GORM, where every posting asks it.
func (s *Store) one(ctx context.Context, statement string, values []any, into any) error {
	return translated(s.db.Statement.ConnPool.QueryRowContext(ctx, statement, values...).Scan(into))
}

func translated(err error) error {
	if err == nil {
		return nil
	}
	return dialect{}.Translate(err)
}
