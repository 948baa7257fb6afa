package main

import (
	"bufio"
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"time"

	"github.com/spf13/cobra"

	"codicil/api"
	"codicil/core/engine"
	"codicil/core/evaluation"
	"codicil/internal/app"
	"codicil/internal/app/books"
	"codicil/internal/contract"
	"codicil/internal/demo"
	"codicil/internal/exchange"
	"codicil/internal/standard"
	"codicil/internal/store"
)

const defaultData = "data/codicil.db"

// onData opens a database file, or the demo's, for one piece of work.
func onData(c *cobra.Command, data string, asDemo bool, work func(*app.App) error) (err error) {
	if asDemo {
		folder, err := demoFolder()
		if err != nil {
			return err
		}
		defer func() { _ = os.RemoveAll(folder) }()
		data = folder + "/demo.db"
		if err := demo.Write(c.Context(), data); err != nil {
			return fmt.Errorf("fill the demo: %w", err)
		}
	} else if _, err := os.Stat(data); err != nil {
		return fmt.Errorf("there is no database %s; name it with --data", data)
	}
	s, err := store.Open(c.Context(), data)
	if err != nil {
		return err
	}
	defer func() {
		if closing := s.Close(); err == nil {
			err = closing
		}
	}()
	d, err := openApp(c.Context(), s)
	if err != nil {
		return err
	}
	return work(d)
}

// output opens a file to write, or standard output for "-".
func output(c *cobra.Command, name string, work func(io.Writer) error) error {
	if name == "-" {
		return work(c.OutOrStdout())
	}
	f, err := os.Create(name)
	if err != nil {
		return err
	}
	if err := work(f); err != nil {
		_ = f.Close()
		return err
	}
	return f.Close()
}

// input opens a file to read, or standard input for "-".
func input(c *cobra.Command, name string, work func(io.Reader) error) error {
	if name == "-" {
		return work(c.InOrStdin())
	}
	f, err := os.Open(name)
	if err != nil {
		return err
	}
	defer func() { _ = f.Close() }()
	return work(f)
}

// byRules is by which rules of a database work is done: "" by those in force, "codicil-14" with a codicil, "2026-03-03" as on a
// day.
func byRules(ctx context.Context, d *app.App, rules string) (*app.App, error) {
	if rules == "" {
		return d, nil
	}
	v, err := d.Codicils.View(ctx, rules)
	if err != nil {
		return nil, err
	}
	return d.Viewed(ctx, v)
}

const byRulesUse = "by which rules: codicil-14 for those in force with that codicil, 2026-03-03 for those of that day; empty: those in force"

// source is where a command has its book from: a file, or a database and by which of its rules.
type source struct {
	book, data, rules string
	demo              bool
}

func (s *source) flags(c *cobra.Command) {
	c.Flags().StringVar(&s.book, "book", "", "file that export wrote; - is standard input")
	c.Flags().StringVar(&s.data, "data", "", "database file, in place of a book")
	c.Flags().StringVar(&s.rules, "rules", "", "with --data, "+byRulesUse)
	c.Flags().BoolVar(&s.demo, "demo", false, "the demo's data, in place of a book")
	c.MarkFlagsOneRequired("book", "data", "demo")
	c.MarkFlagsMutuallyExclusive("book", "data", "demo")
	c.MarkFlagsMutuallyExclusive("book", "rules")
}

func (s *source) read(c *cobra.Command) (b *exchange.Book, err error) {
	if s.book != "" {
		return readBook(c, s.book)
	}
	err = onData(c, s.data, s.demo, func(d *app.App) error {
		shown, err := byRules(c.Context(), d, s.rules)
		if err != nil {
			return err
		}
		b, err = shown.Books.Export(c.Context())
		return err
	})
	return b, err
}

func exportCommand() *cobra.Command {
	var data, book, rules string
	var codicil int64
	var asDemo, schema, text bool
	c := &cobra.Command{
		Use:   "export --book FILE [--text] [--codicil NUMBER | --rules RULES]",
		Short: "Write the rule book with all that its rules need, or one codicil, as one file",
		Long: `Writes companies, types, added fields, standing values, crosswalks, number series, rules and proofs as one
JSON file, whose JSON Schema is printed by --schema; or with --text as plain text with a block for each rule, which
stays in its place: two versions of it are read side by side. With --codicil only what that codicil changes is written,
to be read in elsewhere.`,
		Args: cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			if schema {
				_, err := c.OutOrStdout().Write(api.BookSchema)
				return err
			}
			return onData(c, data, asDemo, func(d *app.App) error {
				shown, err := byRules(c.Context(), d, rules)
				if err != nil {
					return err
				}
				var b *exchange.Book
				if codicil > 0 {
					b, err = d.Books.Codicil(c.Context(), codicil)
				} else {
					b, err = shown.Books.Export(c.Context())
				}
				if err != nil {
					return err
				}
				kinds, err := standard.Kinds()
				if err != nil {
					return err
				}
				return output(c, book, func(w io.Writer) error {
					if text {
						return b.WriteText(w, kinds)
					}
					return b.Write(w)
				})
			})
		},
	}
	c.Flags().StringVar(&data, "data", defaultData, "database file")
	c.Flags().StringVar(&book, "book", "-", "file to write; - is standard output")
	c.Flags().StringVar(&rules, "rules", "", byRulesUse)
	c.Flags().Int64Var(&codicil, "codicil", 0, "write only what the codicil with this number changes")
	c.Flags().BoolVar(&text, "text", false, "write plain text, one rule a block, in place of JSON")
	c.Flags().BoolVar(&asDemo, "demo", false, "export the demo's book")
	c.Flags().BoolVar(&schema, "schema", false, "print the JSON Schema of a book instead")
	c.MarkFlagsMutuallyExclusive("codicil", "rules")
	return c
}

func importCommand() *cobra.Command {
	var data, book, title string
	var keep bool
	c := &cobra.Command{
		Use:   "import --book FILE [--keep] [--codicil TITLE]",
		Short: "Read a rule book, or a codicil; without --keep only tell what would change",
		Long: `Reads a book or a codicil that export wrote, as JSON or as text. What it would add or change is told first,
and nothing is kept without --keep; then all of it is, or nothing. What the file does not have stays as it is. A codicil
becomes an open one, which is checked and signed like any; with --codicil a book does too, under that title.`,
		Args: cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			b, err := readBook(c, book)
			if err != nil {
				return err
			}
			return onData(c, data, false, func(d *app.App) error {
				var changes []books.Change
				kept := "Kept."
				if keep && (title != "" || b.Codicil != nil) {
					var made contract.Codicil
					made, changes, err = d.Bring(c.Context(), b, title)
					kept = fmt.Sprintf("Kept in codicil %d, %s, which is open.", made.ID, made.Title)
				} else {
					changes, err = d.Books.Import(c.Context(), b, !keep)
				}
				for _, change := range changes {
					if _, err := fmt.Fprintf(c.OutOrStdout(), "%-6s %-14s %s\n", change.Deed, change.What, change.Name); err != nil {
						return err
					}
				}
				if err != nil {
					return fmt.Errorf("nothing was kept: %w", err)
				}
				end := "Nothing was kept yet; say --keep to keep this."
				switch {
				case len(changes) == 0:
					end = "The file says nothing that is not here already."
				case keep:
					end = kept
				}
				_, err = fmt.Fprintf(c.OutOrStdout(), "%d changes. %s\n", len(changes), end)
				return err
			})
		},
	}
	c.Flags().StringVar(&data, "data", defaultData, "database file")
	c.Flags().StringVar(&book, "book", "-", "file to read; - is standard input")
	c.Flags().StringVar(&title, "codicil", "", "keep it in a new open codicil with this title")
	c.Flags().BoolVar(&keep, "keep", false, "keep what the file says")
	return c
}

func runCommand() *cobra.Command {
	var from source
	var in, out string
	c := &cobra.Command{
		Use:   "run (--book FILE | --data FILE [--rules RULES]) --in DOCS.ndjson --out RESULT.ndjson",
		Short: "Take documents through a rule book, one in a line",
		Long: `Reads one document a line, takes it through the rules in force of the book and writes one result a
line: verdict, final values, acting rules, messages, and what posting would write to linked records. Every value is
text in its stored form, an exact decimal or a day, or a JSON number as it is written. A line that cannot be read yields
a line with its error and does not stop the rest; at the end a summary goes to standard error, and the program ends with
1 when a line was bad. The same is had over HTTP: POST /api/v1/evaluate, which also knows the saved records.`,
		Example: `  echo '{"kind":"vendor","company":"10","type":"SERV","values":{"name":"Quay Survey","country":"IE"}}' | codicil run --book book.json`,
		Args:    cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			if in == "-" && from.book == "-" {
				return errors.New("the book and the documents cannot both come from standard input")
			}
			kinds, err := standard.Kinds()
			if err != nil {
				return err
			}
			b, err := from.read(c)
			if err != nil {
				return err
			}
			world := b.World(kinds, time.Now)
			var done evaluated
			err = output(c, out, func(w io.Writer) error {
				return input(c, in, func(r io.Reader) error { return done.all(world, r, w) })
			})
			if err != nil {
				return err
			}
			if _, err := fmt.Fprintln(c.ErrOrStderr(), done.summary()); err != nil {
				return err
			}
			if done.bad > 0 {
				return fmt.Errorf("%d lines could not be taken through the book; each says why in its result", done.bad)
			}
			return nil
		},
	}
	from.flags(c)
	c.Flags().StringVar(&in, "in", "-", "documents, one JSON object a line; - is standard input")
	c.Flags().StringVar(&out, "out", "-", "results, one JSON object a line; - is standard output")
	return c
}

// evaluated counts what became of documents.
type evaluated struct{ accepted, needReason, refused, bad int }

func (e *evaluated) summary() string {
	return fmt.Sprintf("%d documents: %d accepted, %d need a reason, %d refused; %d lines could not be read or judged.",
		e.accepted+e.needReason+e.refused, e.accepted, e.needReason, e.refused, e.bad)
}

func (e *evaluated) count(r *evaluation.Result) {
	switch {
	case r.Error != "":
		e.bad++
	case r.Verdict == engine.Accepted:
		e.accepted++
	case r.Verdict == engine.NeedsReason:
		e.needReason++
	default:
		e.refused++
	}
}

// all takes every line that holds a document through the world.
func (e *evaluated) all(world *exchange.World, in io.Reader, out io.Writer) error {
	lines := bufio.NewScanner(in)
	lines.Buffer(make([]byte, 64<<10), longestLine)
	w := bufio.NewWriter(out)
	encoder := json.NewEncoder(w)
	encoder.SetEscapeHTML(false)
	number := 0
	for lines.Scan() {
		number++
		if len(bytes.TrimSpace(lines.Bytes())) == 0 {
			continue
		}
		result := evaluation.Result{Version: world.Version()}
		if d, err := evaluation.Read(lines.Bytes()); err != nil {
			result.ID, result.Error = d.ID, fmt.Sprintf("line %d is no document: %v", number, err)
		} else if result = evaluation.Run(world, &d); result.Error != "" {
			result.Error = fmt.Sprintf("line %d: %s", number, result.Error)
		}
		e.count(&result)
		if err := encoder.Encode(result); err != nil {
			return err
		}
	}
	if err := lines.Err(); err != nil {
		return fmt.Errorf("line %d: %w", number+1, err)
	}
	return w.Flush()
}

// readBook reads the book that a flag names; - is standard input.
func readBook(c *cobra.Command, file string) (b *exchange.Book, err error) {
	err = input(c, file, func(r io.Reader) (err error) { b, err = exchange.ReadBook(r); return err })
	return b, err
}
